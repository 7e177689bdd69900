"""Reading a whole pack, or a game's own files, through a profile: what they say, and what was not understood."""

from __future__ import annotations

import posixpath
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import PurePosixPath

from ichnos.documents.formats import parse
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Node, Value
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.definitions import (
    Definitions,
    EntryDefinition,
    PackDefinition,
    PartDefinition,
    PropDefinition,
    ScheduleDefinition,
    SoundDefinition,
    TakeDefinition,
    TriggerDefinition,
    combine,
    props_together,
    together,
)
from ichnos.games.entries.quick import QuickReading, read_quickly
from ichnos.games.entries.read import DocumentReading, Found, every, read
from ichnos.games.profiles.converters import ANYWHERE
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import (
    ENTRY,
    FIELD_PREFIX,
    LANGUAGE,
    PACK,
    PART,
    PROP,
    SCHEDULE,
    SETTINGS,
    SOUND,
    TAKE,
    TRIGGER,
    part_in,
    word,
)

_LARGE = 1 << 18  # bytes of a document that is worth being read in another way


@dataclass
class PackReading:
    """Everything that a profile could read. ``by_document``: what each document says, by its name."""

    by_document: dict[str, Definitions] = field(default_factory=dict)
    broken: list[IchnosError] = field(default_factory=list)
    strange: list[tuple[Place, str]] = field(default_factory=list)  # fits no exemplar, and why
    differing: list[tuple[Place, str]] = field(default_factory=list)  # a file's name says otherwise
    disagreeing: list[tuple[Place, str]] = field(default_factory=list)  # one thing, said otherwise in two places
    unknown: Counter[str] = field(default_factory=Counter)  # labels that the profile does not know
    absent: list[str] = field(default_factory=list)  # documents that the profile has and the pack lacks
    documents: dict[str, None] = field(default_factory=dict)  # as they were read
    # Of each document of the profile, by key (of a prop: its name) and language, where titles stand.
    titled: dict[str, dict[tuple[str, str], dict[str, Place]]] = field(default_factory=dict)
    merged: set[str] = field(default_factory=set)  # documents that hold the game's own entries as well
    of_game: dict[str, Counter[str]] = field(default_factory=dict)  # of those, how often the game's own has each key
    of_pack: dict[str, tuple[Value, Place]] = field(default_factory=dict)  # its own values, where each stands first
    quick: dict[str, QuickReading] = field(default_factory=dict)  # documents that were read without places

    @cached_property
    def definitions(self) -> Definitions:
        """What all the documents say together."""
        return combine(list(self.by_document.values()))

    def defined(self) -> Iterator[SoundDefinition]:
        """The sounds that name files, in the order of the documents; a key that stands in two of them twice."""
        for one in self.by_document.values():
            yield from one.defined()


def read_pack(profile: Profile, files: Files, *, own: Files | None = None, keys_alone: bool = False) -> PackReading:
    """Read every document of a pack that the profile knows.

    Args:
        own: the game's own files; what stands in those as well is not judged.
        keys_alone: only keys, categories and files are asked for: a large document may be read without places.
    """
    result = PackReading()
    names, separator = files.names(), profile.rules.names.separator
    for exemplar in profile.documents:
        rules = profile.document_rules(exemplar)
        matched = False
        for name in names:
            in_path = exemplar.path.match(name)
            if in_path is None or name in result.documents:
                continue
            matched = True
            result.documents[name] = None
            if rules.mode == "merge":
                result.merged.add(name)
            try:
                data = files.read(name)
                large = keys_alone and len(data) > _LARGE
                if large and (quick := read_quickly(exemplar, data, separator, rules.encoding)):
                    result.quick[name] = quick
                    result.unknown.update(quick.unknown)
                    continue
                document = parse(data, files.label(name), exemplar.document.format, rules.encoding)
            except IchnosError as error:
                result.broken.append(error)
                continue
            reading = read(exemplar, document, in_path)
            if reading is None:
                place = document.text.place(document.root.start)
                result.strange.append((place, "the whole file has another structure than this game's"))
                continue
            _hold_against_path(result, profile, reading, in_path)
            _take_in(result, name, reading, in_path, separator)
            if rules.mode != "merge":
                _hold_together(result, reading)
            result.strange += _strange(reading, own, name, merged=rules.mode == "merge")
            if rules.mode == "merge" and own is not None:
                result.of_game[name] = _keys_of(own, name, exemplar, separator, rules.encoding)
            if exemplar.scopes.keys() & {"title", "prop.title"}:
                _titles(result.titled.setdefault(_spelled(exemplar), {}), result.by_document[name])
        if not matched and not exemplar.file_scopes and rules.mode == "whole":
            result.absent.append(_spelled(exemplar))
    return result


def _hold_against_path(
    result: PackReading, profile: Profile, reading: DocumentReading, in_path: Mapping[str, Value]
) -> None:
    """A document that says otherwise than its own name."""
    for hole, node, value in reading.differing:
        if hole not in in_path:
            before = reading.pack.values.get(hole)
            also = f", and {before} elsewhere" if before is not None and before != value else ""
            what = f"the {hole} is {value} here{also}, and both are one thing"
            result.disagreeing.append((_place(reading, node), what))
            continue
        if profile.rules.names.is_of(str(in_path[hole]), str(value)):
            reading.pack.values[hole] = value  # the file's name is only how that is spelled
        else:
            what = f'here the {hole} is "{value}", and by the file\'s name it is "{in_path[hole]}"'
            result.differing.append((_place(reading, node), what))


def _hold_together(result: PackReading, reading: DocumentReading) -> None:
    """The pack's own values, which may stand in several documents, and in each entry."""
    for found in every(reading.pack):
        for name, node in found.nodes.items():
            if _scope(name) != PACK or name == "root":
                continue
            value = found.values[name]
            before, where = result.of_pack.setdefault(name, (value, _place(reading, node)))
            if str(before).casefold() != str(value).casefold():
                result.disagreeing.append(
                    (_place(reading, node), f"the {name} is {value} here, and {before} in {where}")
                )


def _take_in(
    result: PackReading, name: str, reading: DocumentReading, in_path: Mapping[str, Value], separator: str
) -> None:
    document = reading.document
    result.by_document[name] = definitions_of(reading, separator, in_path)
    for found in every(reading.pack):
        if found.unknown:
            said = [node for node in found.unknown if node.children or node.holds_value]
            result.unknown.update(node.label or document.excerpt(node, 20) for node in said)


def _strange(reading: DocumentReading, own: Files | None, name: str, *, merged: bool) -> Iterator[tuple[Place, str]]:
    """What fits no exemplar; of a file that is merged, only what the game's own does not have as well."""
    document = reading.document
    if merged and (own is None or name not in own.names()):
        return
    theirs = " ".join(from_bytes(own.read(name), name).content.split()) if merged and own and reading.strays else ""
    for node in reading.strays:
        if not merged or " ".join(document.text.content[node.start : node.end].split()) not in theirs:
            why = reading.reasons.get(node) or "this is not like any entry of this game"
            yield document.text.place(node.start), f"{why}: {document.excerpt(node)}"


def _keys_of(own: Files, name: str, exemplar: Exemplar, separator: str, encoding: str | None) -> Counter[str]:
    """How often each key stands in the game's own file."""
    if name not in own.names():
        return Counter()
    document = parse(own.read(name), own.label(name), exemplar.document.format, encoding)
    reading = read(exemplar, document)
    return Counter(one.key for one in definitions_of(reading, separator).sounds) if reading else Counter()


def _titles(titled: dict[tuple[str, str], dict[str, Place]], definitions: Definitions) -> None:
    """Which titles stand in which language: the file's, the entry's own, or one of several in it."""
    for sound in definitions.sounds:
        for language in sound.titles:
            if language is not None:
                titled.setdefault((SOUND, sound.key), {})[language] = sound.places[f"title.{language}"]
    for prop in definitions.props:
        for language in prop.titles:
            if language is not None:
                titled.setdefault((PROP, prop.name or ""), {})[language] = prop.place


def _spelled(exemplar: Exemplar) -> str:
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in exemplar.path.parts)


def _place(reading: DocumentReading, node: Node) -> Place:
    return reading.document.text.place(node.start)


def definitions_of(reading: DocumentReading, separator: str, in_path: Mapping[str, Value] | None = None) -> Definitions:
    """What one document says.

    Args:
        separator: what stands between the pieces of a key.
        in_path: the values of the holes in the document's path.
    """
    bindings = dict(in_path or {})
    pack = reading.pack
    own = {name: value for name, value in pack.values.items() if _scope(name) == PACK and name in pack.nodes}
    places = {name: _place(reading, pack.nodes[name]) for name in own}
    sounds = [_sound(reading, key, found, values) for key, found, values in _entries(pack, bindings, separator)]
    root = _text(pack.values.get("root"))
    if root is not None and reading.exemplar.root not in (None, root):
        sounds = [_below(root, reading.exemplar.root or "", one) for one in sounds]
    if reading.exemplar.together.get(SOUND) == TAKE:
        sounds = _with_all_takes(sounds)
    elif _in_pieces(reading.exemplar):
        sounds = list(_whole(reading.exemplar, pack, sounds))
    languages = [pack.values.get("language"), *(one.values.get("language") for one in pack.inside.get(LANGUAGE, ()))]
    players = [one for one in every(pack) if one.scope in (PACK, TRIGGER, SCHEDULE)]
    return Definitions(
        PackDefinition(own, tuple(dict.fromkeys(str(one) for one in languages if one)), places),
        tuple(sounds),
        tuple(
            TriggerDefinition(_text(values.get("trigger.key")), values, _player_place(reading, one, "trigger.key"))
            for one in players
            if (values := _of_scope(one, TRIGGER))
        ),
        _props(reading, pack, bindings),
        tuple(_schedule(reading, one, values) for one in players if (values := _of_scope(one, SCHEDULE))),
    )


def _props(reading: DocumentReading, pack: Found, bindings: Mapping[str, Value]) -> tuple[PropDefinition, ...]:
    """Each prop; once, where it has an entry of its own for each language."""
    entries = list(_prop_entries(reading, pack, bindings))
    if reading.exemplar.together.get(PROP) is None and LANGUAGE not in reading.exemplar.units.values():
        return tuple(entries)
    found: dict[object, PropDefinition] = {}
    for one in entries:
        known = found.get(one.name)
        again = known is None or known.titles.keys() & one.titles.keys() or known.texts.keys() & one.texts.keys()
        found[(one.name, len(found)) if known and again else one.name] = (
            one if known is None or again else props_together(known, one)
        )
    return tuple(found.values())


def _prop_entries(reading: DocumentReading, found: Found, bindings: Mapping[str, Value]) -> Iterator[PropDefinition]:
    values = {**bindings, **found.values}
    own = _of_scope(found, PROP)
    if found.scope in (PACK, PROP) and own:
        said: dict[str, dict[str | None, str]] = {"prop.title": {}, "prop.text": {}}
        for one in (found, *found.inside.get(LANGUAGE, ())):
            language = _text(one.values.get("language") or values.get("language"))
            for name, texts in said.items():
                if name in one.nodes:
                    texts[language] = str(one.values[name])
        rest = {name: value for name, value in own.items() if name not in said}
        place = _player_place(reading, found, "prop.key")
        yield PropDefinition(_text(own.get("prop.key")), rest, place, said["prop.title"], said["prop.text"])
    for scope in (PROP, LANGUAGE):
        for one in found.inside.get(scope, ()):
            yield from _prop_entries(reading, one, values)


def _with_all_takes(entries: list[SoundDefinition]) -> list[SoundDefinition]:
    """Each sound once, where each of its takes has an entry of its own."""
    found: dict[str, SoundDefinition] = {}
    for one in entries:
        known = found.get(one.key)
        found[one.key] = replace(known, takes=(*known.takes, *one.takes)) if known else one
    return list(found.values())


def _below(root: str, usual: str, sound: SoundDefinition) -> SoundDefinition:
    """A sound of a file that says another root than the profile."""

    def moved(file: str | None) -> str | None:
        return posixpath.normpath(posixpath.join(root, posixpath.relpath(file, usual))) if file else file

    takes = tuple(replace(take, file=moved(take.file)) for take in sound.takes)
    return replace(sound, takes=takes, parts=tuple(replace(part, file=moved(part.file)) for part in sound.parts))


def _in_pieces(exemplar: Exemplar) -> bool:
    """Does a sound stand in several places of this document?"""
    units = [unit for unit, scope in exemplar.units.items() if scope == SOUND and unit not in exemplar.entry_kinds]
    return len({(exemplar.parents[unit], unit.label) for unit in units}) > 1


def _whole(exemplar: Exemplar, pack: Found, pieces: list[SoundDefinition]) -> Iterator[SoundDefinition]:
    """Each sound once, put together from its pieces; a piece that stands there twice makes a second one of it."""
    where = [
        (one.alternative and exemplar.parents[one.alternative], one.alternative and one.alternative.label)
        for one in pack.all(SOUND)
    ]
    found: dict[str, list[tuple[set[object], SoundDefinition]]] = {}
    for piece, one in zip(where, pieces, strict=True):
        entries = found.setdefault(one.key, [])
        for index, (had, known) in enumerate(entries):
            if piece not in had:
                had.add(piece)
                entries[index] = had, together(known, one)
                break
        else:
            entries.append(({piece}, one))
    for entries in found.values():
        yield from (one for _, one in entries)


def _scope(name: str) -> str:
    known = word(name)
    return known.scope if known else ""


def _of_scope(found: Found, scope: str) -> dict[str, Value]:
    """What was found of a scope, in an entry of it or in a file that is one."""
    return {name: value for name, value in found.values.items() if _scope(name) == scope}


def _text(value: Value) -> str | None:
    return None if value is None else str(value)


def _player_place(reading: DocumentReading, found: Found, hole: str) -> Place:
    return _place(reading, found.nodes.get(hole, found.node))


def _schedule(reading: DocumentReading, found: Found, values: Mapping[str, Value]) -> ScheduleDefinition:
    entries = tuple(
        EntryDefinition(_text(one.values.get("entry.key")), one.values, _player_place(reading, one, "entry.key"))
        for one in found.inside.get(ENTRY, ())
    )
    return ScheduleDefinition(entries, values, _player_place(reading, found, "schedule.name"))


def _sound(reading: DocumentReading, key: str, found: Found, values: Mapping[str, Value]) -> SoundDefinition:
    takes = tuple(
        TakeDefinition(
            _text(one.values.get("file")),
            weight if isinstance(weight := one.values.get("weight"), float) else None,
            {name: value for name, value in one.values.items() if name.startswith("take.")},
            _player_place(reading, one, "file"),
        )
        for one in ((found,) if "file" in found.nodes else found.all(TAKE))
    )
    parts = [
        PartDefinition(
            _text(one.values.get("part.name")),
            _text(one.values.get("part.file")),
            _player_place(reading, one, "part.file"),
        )
        for one in ((found,) if "part.file" in found.nodes else found.all(PART))
    ]
    parts += [
        PartDefinition(part, _text(value), _player_place(reading, found, name))
        for name, value in found.values.items()
        if (part := part_in(name)) is not None
    ]
    node = found.nodes.get("key") or found.nodes.get("key.own") or found.node
    titles, places = _titles_of(reading, found, values)
    nodes = found.nodes
    places |= {name: _place(reading, nodes[name]) for name in (*SETTINGS, "category") if name in nodes}
    return SoundDefinition(
        key,
        _text(values.get("category")) or None,
        takes,
        tuple(parts),
        {name: found.values[name] for name in SETTINGS if name in found.values},
        titles,
        {name: value for name, value in found.values.items() if name.startswith(FIELD_PREFIX)},
        place=_place(reading, node),
        places=places,
        language=_text(values.get("language")) or None,
        kind=_kind(reading.exemplar, found),
    )


def _kind(exemplar: Exemplar, found: Found) -> str:
    """The kind of sound, where its entry or its document is for one alone."""
    if found.alternative in exemplar.entry_kinds:
        return exemplar.entry_kinds[found.alternative]
    return next(iter(exemplar.kinds)) if len(exemplar.kinds) == 1 else ""


def _titles_of(
    reading: DocumentReading, found: Found, values: Mapping[str, Value]
) -> tuple[dict[str | None, str], dict[str, Place]]:
    """A sound's titles by language, and where they stand."""
    titles: dict[str | None, str] = {}
    places: dict[str, Place] = {}
    for one in (found, *found.inside.get(LANGUAGE, ())):
        if "title" in one.nodes:
            language = _text(one.values.get("language") or values.get("language"))
            titles[language] = str(one.values["title"])
            places[f"title.{language}" if language else "title"] = _place(reading, one.nodes["title"])
    return titles, places


def _entries(
    found: Found, bindings: Mapping[str, Value], separator: str
) -> Iterator[tuple[str, Found, Mapping[str, Value]]]:
    """Each sound's key, wherever its pieces stand, with what was found of it and all values that hold there."""
    values = {**bindings, **found.values}
    if found.scope == SOUND or "key" in found.values or "key.own" in found.values:
        key = values.get("key")
        if key is None:
            key = separator.join(str(values[name]) for name in ("key.group", "key.own") if values.get(name))
        yield str(key), found, values
        return
    for inner in found.inside.values():
        for one in inner:
            yield from _entries(one, values, separator)


def sound_entries(found: Found, separator: str) -> Iterator[tuple[str, Found]]:
    """Each sound's key with what was found of it."""
    for key, one, _ in _entries(found, {}, separator):
        yield key, one


class SoundFiles:
    """The sound files among a pack's names, found by reference: with or without an extension, or by name alone."""

    def __init__(self, names: list[str]) -> None:
        self._names = set(names)
        self._bare: dict[str, str] = {}
        for name in sorted(names, reverse=True):
            self._bare[str(PurePosixPath(name).with_suffix(""))] = name
        self._alone: dict[str, str | None] = {}
        for reference, name in (*((name, name) for name in names), *self._bare.items()):
            last = PurePosixPath(reference).name
            self._alone[last] = None if self._alone.get(last, name) != name else name  # None: there are two

    def file_of(self, reference: str) -> str | None:
        """The file that a reference means, or ``None``."""
        if reference.startswith(ANYWHERE):
            return self._alone.get(reference.removeprefix(ANYWHERE))
        return reference if reference in self._names else self._bare.get(reference)
