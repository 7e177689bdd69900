"""Reading a whole pack, or a game's own files, through a profile: what they say, and what was not understood."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import PurePosixPath

from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Node, Value
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.entries.contents import contents, waiting_keys
from ichnos.games.entries.found import every
from ichnos.games.entries.read import DocumentReading, read
from ichnos.games.profiles.converter import ANYWHERE
from ichnos.games.profiles.converters import is_like
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import PACK, PART, PROP, SOUND, TAKE, TRIGGER, is_translated, scope_of
from ichnos.games.things import PackThing, PartThing, SoundThing, TakeThing, combine


@dataclass
class PackReading:
    """Everything that a profile could read. ``by_document``: what each document says, by its name."""

    by_document: dict[str, PackThing] = field(default_factory=dict)
    broken: list[IchnosError] = field(default_factory=list)
    strange: list[tuple[Place, str]] = field(default_factory=list)  # fits no exemplar, and why
    differing: list[tuple[Place, str]] = field(default_factory=list)  # a file's name says otherwise
    disagreeing: list[tuple[Place, str]] = field(default_factory=list)  # one thing, said otherwise in two places
    unknown: Counter[str] = field(default_factory=Counter)  # labels that the profile does not know
    absent: list[str] = field(default_factory=list)  # documents that the profile has and the pack lacks
    waiting: dict[str, str] = field(default_factory=dict)  # keys that have nothing under them yet, with the document
    names: dict[str, dict[str, None]] = field(default_factory=dict)  # what triggers may speak of, by their fields
    documents: dict[str, None] = field(default_factory=dict)  # as they were read
    # Of each document of the profile, by key (of a prop: its name) and language, where titles stand.
    titled: dict[str, dict[tuple[str, str], dict[str, Place]]] = field(default_factory=dict)
    merged: set[str] = field(default_factory=set)  # documents that hold the game's own entries as well
    of_game: dict[str, Counter[str]] = field(default_factory=dict)  # of those, how often the game's own has each key
    of_pack: dict[str, tuple[Value, Place]] = field(default_factory=dict)  # its own values, where each stands first

    @cached_property
    def definitions(self) -> PackThing:
        """What all the documents say together."""
        return combine(list(self.by_document.values()))

    def defined(self) -> Iterator[SoundThing]:
        """The sounds that name files, in the order of the documents; a key that stands in two of them twice."""
        for pack in self.by_document.values():
            yield from pack.defined()


def read_pack(profile: Profile, files: Files, *, own: Files | None = None) -> PackReading:
    """Read every document of a pack that the profile knows.

    Args:
        own: the game's own files; what stands in those as well is not judged.
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
                document = exemplar.parse(data, files.label(name))
            except IchnosError as error:
                result.broken.append(error)
                continue
            reading = read(exemplar, document, in_path)
            if reading is None:
                what = "the whole file has another structure than this game's"
                result.strange.append((document.text.place(document.root.start), what))
                continue
            _hold_against_path(result, profile, reading, in_path)
            _take_in(result, name, reading, in_path, separator)
            if rules.mode == "known":
                _take_names(result, name)
            if rules.mode != "merge":
                _hold_together(result, reading, in_path.get("language"))
            result.strange += _strange(reading, own, name, merged=rules.mode == "merge")
            if rules.mode == "merge" and own is not None:
                result.of_game[name] = _keys_of(own, name, exemplar, separator)
            if exemplar.scopes.keys() & {"title", "prop.title"}:
                _titles(result.titled.setdefault(_spelled(exemplar), {}), result.by_document[name])
        if not (matched or exemplar.file_scopes) and rules.mode == "whole":
            result.absent.append(_spelled(exemplar))
    _find_by_name(profile, names, result)
    return result


_NAMES = ("trigger.event", "trigger.where", "trigger.from", "trigger.state")


def _take_names(result: PackReading, name: str) -> None:
    """A game's own list of events, areas, states: what stands there plays nothing, and names what triggers can have."""
    pack = result.by_document[name]
    listed = [trigger for trigger in pack.triggers if trigger.key is None]
    for trigger in listed:
        for hole in _NAMES:
            if trigger.values.get(hole) not in (None, ""):
                result.names.setdefault(hole.rpartition(".")[2], {})[str(trigger.values[hole])] = None
    others = tuple(trigger for trigger in pack.triggers if trigger.key is not None)
    result.by_document[name] = replace(pack, inside={**pack.inside, TRIGGER: others})


def _find_by_name(profile: Profile, names: Iterable[str], result: PackReading) -> None:
    """Give the sounds of a list of keys the files that are called by these."""
    listing = profile.list_of_keys
    if listing is None:
        return
    sounds = [name for name in names if name.lower().endswith(profile.sound_suffixes)]
    takes, parts = (_by_key(paths.values(), sounds) for paths in (profile.take_paths, profile.part_paths))

    def with_files(sound: SoundThing) -> SoundThing:
        inside = dict(sound.inside)
        if own := list(_called(profile, takes, sound)):
            said = [dict(take.values) for take in sound.takes]  # what the list says of each, such as its volume
            said += [{} for _ in own[len(said) :]]
            inside[TAKE] = tuple(
                TakeThing(TAKE, {"take.number": values.get("take.number", 1), **more, "file": name}, place=sound.place)
                for (name, values), more in zip(own, said, strict=False)
            )
        if own := list(_called(profile, parts, sound)):
            inside[PART] = tuple(
                PartThing(PART, {"part.file": name, "part.name": values.get("part.name")}, place=sound.place)
                for name, values in own
            )
        return replace(sound, inside=inside)

    for name, pack in result.by_document.items():
        if listing.path.match(name) is not None:
            result.by_document[name] = pack.with_sounds(map(with_files, pack.sounds))


_Named = dict[tuple[str, str], list[tuple[str, Mapping[str, Value]]]]  # by the hole of the key, and what stands there


def _by_key(paths: Iterable[Pattern], names: Iterable[str]) -> _Named:
    """Files by the part of the key that their own names spell, in the order of their numbers."""
    found: _Named = {}
    for name in names:
        values = next((match for path in paths if (match := path.match(name)) is not None), None)
        hole = next((hole for hole in ("key", "key.own") if values and hole in values), None)
        if values is not None and hole is not None:
            found.setdefault((hole, str(values[hole])), []).append((name, values))
    for files in found.values():
        files.sort(key=lambda file: float(str(file[1].get("take.number", 1))))
    return found


def _called(profile: Profile, files: _Named, sound: SoundThing) -> Iterator[tuple[str, Mapping[str, Value]]]:
    """The files whose names spell a sound's key, whole or cut."""
    names = profile.rules.names
    group, _, own = sound.key.rpartition(names.separator)
    for hole, piece in (("key", sound.key), ("key.own", own)):
        near = files.get((hole, names.spelled(piece)), [])
        if not near and names.longest is not None:
            cut = (other for (of, text), other in files.items() if of == hole and names.is_of(text, piece))
            near = [file for several in cut for file in several]
        for name, values in near:
            if "key.group" not in values or names.is_of(str(values["key.group"]), group):
                yield name, values


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


def _hold_together(result: PackReading, reading: DocumentReading, language: Value) -> None:
    """The pack's own values, which may stand in several documents, and in each entry.

    Args:
        language: the one that the document is in.
    """
    for part in every(reading.pack):
        for name, node in part.nodes.items():
            if scope_of(name) != PACK or name == "root":
                continue
            value, tag = part.values[name], part.values.get("language", language) if is_translated(name) else None
            said = f"{name} ({tag})" if tag else name
            before, where = result.of_pack.setdefault(said, (value, _place(reading, node)))
            if not _is_one(str(before).casefold(), str(value).casefold()):
                result.disagreeing.append(
                    (_place(reading, node), f"the {said} is {value} here, and {before} in {where}")
                )


def _is_one(one: str, other: str) -> bool:
    """Can two readings be of one value? A word table may tell only which one it is like."""
    return one == other or is_like(one, other) or is_like(other, one)


def _take_in(
    result: PackReading, name: str, reading: DocumentReading, in_path: Mapping[str, Value], separator: str
) -> None:
    document = reading.document
    result.by_document[name] = contents(reading, separator, in_path)
    result.waiting = dict.fromkeys(waiting_keys(reading, separator), name) | result.waiting
    for part in every(reading.pack):
        if part.unknown:
            nodes = [node for node in part.unknown if node.children or node.holds_value]
            result.unknown.update(node.label or document.excerpt(node, 20) for node in nodes)


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


def _keys_of(own: Files, name: str, exemplar: Exemplar, separator: str) -> Counter[str]:
    """How often each key stands in the game's own file."""
    if name not in own.names():
        return Counter()
    reading = read(exemplar, exemplar.parse(own.read(name), own.label(name)))
    return Counter(sound.key for sound in contents(reading, separator).sounds) if reading else Counter()


def _titles(titled: dict[tuple[str, str], dict[str, Place]], definitions: PackThing) -> None:
    """Which titles stand in which language: the file's, the entry's own, or one of several in it."""
    for sound in definitions.sounds:
        for language in sound.titles:
            if language is not None:
                titled.setdefault((SOUND, sound.key), {})[language] = sound.place_of(f"title.{language}")
    for prop in definitions.props:
        for language in prop.texts.get("prop.title", ()):
            if language is not None:
                titled.setdefault((PROP, prop.name or ""), {})[language] = prop.place


def _spelled(exemplar: Exemplar) -> str:
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in exemplar.path.parts)


def _place(reading: DocumentReading, node: Node) -> Place:
    return reading.document.text.place(node.start)


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
