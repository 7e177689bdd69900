"""What one document says, as things: of each entry that was found its values, its texts, and what lies inside it."""

from __future__ import annotations

import posixpath
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

from ichnos.documents.tree import Node, Value
from ichnos.errors import Place
from ichnos.games.entries.found import Found
from ichnos.games.entries.read import DocumentReading
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import (
    AROUND,
    LANGUAGE,
    PACK,
    PART,
    SCOPES,
    SOUND,
    TAKE,
    all_entry_scopes,
    has_texts,
    inner_scopes,
    is_name,
    is_spoken,
    is_translated,
    part_in,
    scope_of,
    scope_row,
)
from ichnos.games.things import AnyThing, PackThing, PartThing, SoundThing, Texts, Thing, languages, thing, together


@dataclass(frozen=True)
class _Places(Mapping[str, Place]):
    """Where values stand in a document, worked out when somebody asks."""

    reading: DocumentReading
    nodes: Mapping[str, Node]

    def __getitem__(self, name: str) -> Place:
        return _place(self.reading, self.nodes[name])

    def __iter__(self) -> Iterator[str]:
        return iter(self.nodes)

    def __len__(self) -> int:
        return len(self.nodes)


def contents(reading: DocumentReading, separator: str, in_path: Mapping[str, Value] | None = None) -> PackThing:
    """What one document says.

    Args:
        separator: what stands between the pieces of a key.
        in_path: the values of the holes in the document's path.
    """
    pack, around = reading.pack, dict(in_path or {})
    own = {name: value for name, value in pack.values.items() if scope_of(name) == PACK and name in pack.nodes}
    texts = dict(_translated(pack, around))
    if "language" in {**around, **pack.values}:
        own = {name: value for name, value in own.items() if name not in texts}
    tags = [pack.values.get("language"), *(part.values.get("language") for part in pack.inside.get(LANGUAGE, ()))]
    inside: dict[str, tuple[Thing, ...]] = {LANGUAGE: languages(str(tag) for tag in tags if tag)}
    for scope in all_entry_scopes({*reading.exemplar.units.values(), *reading.exemplar.file_scopes}):
        entries = _entries(pack, scope, around)
        if scope == SOUND:
            inside[scope] = tuple(_sounds(reading, entries, separator))
        else:
            things = [_thing(reading, scope, part, values) for part, values in entries]
            if _in_pieces(reading.exemplar, scope):
                things = list(_of_pieces(reading.exemplar, pack, things, scope))
            inside[scope] = tuple(_of_all_languages(reading.exemplar, things) if has_texts(scope) else things)
    return PackThing(PACK, own, inside, texts, places=_Places(reading, pack.nodes))


def _translated(pack: Found, around: Mapping[str, Value]) -> Iterator[tuple[str, Texts]]:
    """What the pack says of itself in a language: in a file of that, or in a piece of one."""
    texts: dict[str, dict[str | None, str]] = {}
    for part in (pack, *pack.inside.get(LANGUAGE, ())):
        language = part.values.get("language") or around.get("language")
        for name in part.nodes if language else ():
            if is_translated(name):
                texts.setdefault(name, {})[str(language)] = str(part.values[name])
    yield from texts.items()


def sound_entries(pack: Found, separator: str) -> Iterator[tuple[str, Found]]:
    """Each sound's key with what was found of it."""
    for part, values in _entries(pack, SOUND, {}):
        yield _key(values, separator), part


def waiting_keys(reading: DocumentReading, separator: str) -> Iterator[str]:
    """The keys that the game knows, and has nothing under: of entries that are comments, or that have no files yet."""
    yield from (_key(values, separator) for _, values in _entries(reading.pack, SOUND, {}, disabled=True))
    exemplar = reading.exemplar
    lists = {exemplar.parents[unit] for unit, scope in exemplar.units.items() if scope == TAKE} - {*exemplar.units}
    if not lists and not exemplar.how.telling:
        return
    for part, values in _entries(reading.pack, SOUND, {}):
        is_empty = any(pattern in lists and not real.children for pattern, real in part.pairs)
        if is_empty or (exemplar.how.telling and "file" not in part.nodes and not any(part.all(TAKE))):
            yield _key(values, separator)


def _entries(
    found: Found, scope: str, around: Mapping[str, Value], *, disabled: bool = False
) -> Iterator[tuple[Found, Mapping[str, Value]]]:
    """Each entry of a scope, wherever it stands, with all values that hold there."""
    values = {**around, **found.values}
    if found.scope == scope or (found.scope == PACK and _is_one(found, scope)):
        yield found, values
        return
    for inner, several in found.inside.items():
        for part in several if inner in AROUND or inner == scope else ():
            if part.node.is_disabled == disabled or inner in AROUND:
                yield from _entries(part, scope, values, disabled=disabled)


def _is_one(pack: Found, scope: str) -> bool:
    """Is the whole file an entry of this scope?"""
    if scope == SOUND:
        return any(name in pack.values for name in SCOPES[SOUND].principal)
    return any(scope_of(name) == scope for name in pack.values)


def _key(values: Mapping[str, Value], separator: str) -> str:
    key = values.get("key")
    if key is None:
        key = separator.join(str(values[name]) for name in ("key.group", "key.own") if values.get(name))
    return str(key)


def _place(reading: DocumentReading, node: Node) -> Place:
    return reading.document.text.place(node.start)


def _thing(reading: DocumentReading, scope: str, part: Found, around: Mapping[str, Value]) -> Thing:
    """What was found of a scope, in an entry of it or in a file that is one."""
    spoken = [one for one in (part, *part.inside.get(LANGUAGE, ())) if has_texts(scope)]
    values = {
        name: str(value) if name in _TEXTS else value
        for name, value in part.values.items()
        if scope_of(name) == scope and not is_spoken(name)
    }
    texts: dict[str, dict[str | None, str]] = {}
    nodes = dict(part.nodes)
    for part_of in spoken:
        for name in part_of.nodes:
            if is_spoken(name) and scope_of(name) == scope:
                language = part_of.values.get("language") or around.get("language")
                tag = None if language is None else str(language)
                texts.setdefault(name, {})[tag] = str(part_of.values[name])
                nodes[f"{name}.{tag}" if tag else name] = part_of.nodes[name]
    inside = {
        inner: tuple(_thing(reading, inner, inner_part, around) for inner_part in _held(part, inner))
        for inner in inner_scopes(scope)
    }
    place = _place(reading, part.nodes.get(scope_row(scope).place, part.node))
    made: Thing = thing(scope, values, inside, texts, place, _Places(reading, nodes))
    return made


_TEXTS = ("file", "part.file", "part.name")  # which are texts, even where a document has a number


def _held(part: Found, scope: str) -> Iterable[Found]:
    """What lies in an entry of an inner scope; the entry itself where that has room for one only."""
    own = {scope_row(scope).place, *(scope_row(scope).principal if scope == TAKE else ())}
    return part.all(scope) if own.isdisjoint(part.nodes) else (part,)


def _sounds(
    reading: DocumentReading, entries: Iterable[tuple[Found, Mapping[str, Value]]], separator: str
) -> Iterator[SoundThing]:
    exemplar, pack = reading.exemplar, reading.pack
    sounds = [_sound(reading, part, values, separator) for part, values in entries]
    root = pack.values.get("root")
    if root is not None and exemplar.root not in (None, str(root)):
        sounds = [_below(str(root), exemplar.root or "", sound) for sound in sounds]
    if exemplar.together.get(SOUND) == TAKE:
        yield from _with_all_takes(sounds)
    elif _in_pieces(exemplar, SOUND):
        yield from _of_pieces(exemplar, pack, sounds, SOUND)
    else:
        yield from sounds


def _sound(reading: DocumentReading, found: Found, around: Mapping[str, Value], separator: str) -> SoundThing:
    one = _thing(reading, SOUND, found, around)
    own_parts = {name: part for name in one.values if (part := part_in(name)) is not None}
    parts = tuple(
        PartThing(
            PART, {"part.name": part, "part.file": str(one.values[name])}, place=_place(reading, found.nodes[name])
        )
        for name, part in own_parts.items()
    )
    values: dict[str, Value] = {
        "key": _key(around, separator),
        "category": _text(around.get("category")),
        "language": _text(around.get("language")),
        "kind": _kind(reading.exemplar, found),
        **{name: value for name, value in one.values.items() if not is_name(name) and name not in own_parts},
    }
    node = found.nodes.get("key") or found.nodes.get("key.own") or found.node
    inside = {**one.inside, PART: (*one.of(PART), *parts)}
    return SoundThing(SOUND, values, inside, one.texts, _place(reading, node), one.places)


def _text(value: Value) -> str | None:
    return None if value in (None, "") else str(value)


def _kind(exemplar: Exemplar, part: Found) -> str:
    """The kind of sound, where its entry or its document is for one alone."""
    if part.alternative in exemplar.entry_kinds:
        return exemplar.entry_kinds[part.alternative]
    return next(iter(exemplar.how.kinds)) if len(exemplar.how.kinds) == 1 else ""


def _with_all_takes(entries: Iterable[SoundThing]) -> Iterable[SoundThing]:
    """Each sound once, where each of its takes has an entry of its own."""
    sounds: dict[str, SoundThing] = {}
    for entry in entries:
        before = sounds.get(entry.key)
        takes = (*before.takes, *entry.takes) if before else entry.takes
        sounds[entry.key] = replace(before or entry, inside={**(before or entry).inside, TAKE: takes})
    return sounds.values()


def _below(root: str, usual: str, sound: SoundThing) -> SoundThing:
    """A sound of a file that says another root than the profile."""

    def moved(one: AnyThing, name: str) -> AnyThing:
        file = one.text_of(name)
        if not file:
            return one
        return replace(
            one, values={**one.values, name: posixpath.normpath(posixpath.join(root, posixpath.relpath(file, usual)))}
        )

    takes = tuple(moved(take, "file") for take in sound.takes)
    return replace(sound, inside={TAKE: takes, PART: tuple(moved(part, "part.file") for part in sound.parts)})


def _in_pieces(exemplar: Exemplar, scope: str) -> bool:
    """Does a thing of a scope stand in several places of this document?"""
    units = [unit for unit, of in exemplar.units.items() if of == scope and unit not in exemplar.entry_kinds]
    return scope_row(scope).is_joined and len({(exemplar.parents[unit], unit.label) for unit in units}) > 1


def _of_pieces(exemplar: Exemplar, pack: Found, pieces: list[AnyThing], scope: str) -> Iterator[AnyThing]:
    """Each thing once, put together from its pieces; a piece that stands there twice makes a second one of it."""
    where = [
        (part.alternative and exemplar.parents[part.alternative], part.alternative and part.alternative.label)
        for part in pack.all(scope)
        if not part.node.is_disabled
    ]
    by_name: dict[object, list[tuple[set[object], AnyThing]]] = {}
    for piece, one in zip(where, pieces, strict=True):
        entries = by_name.setdefault(len(by_name) if one.name is None else one.name, [])
        for index, (had, other) in enumerate(entries):
            if piece not in had:
                had.add(piece)
                entries[index] = had, together(other, one)
                break
        else:
            entries.append(({piece}, one))
    for entries in by_name.values():
        yield from (whole for _, whole in entries)


def _of_all_languages(exemplar: Exemplar, entries: list[Thing]) -> Iterable[Thing]:
    """Each thing once, where it has an entry of its own for each language."""
    scopes = {entry.scope for entry in entries}
    if scopes.isdisjoint(exemplar.together) and LANGUAGE not in exemplar.units.values():
        return entries
    things: dict[object, Thing] = {}
    for entry in entries:
        before = things.get(entry.name)
        again = before is None or any(
            before.texts.get(name, {}).keys() & entry.texts[name].keys() for name in entry.texts
        )
        things[(entry.name, len(things)) if before and again else entry.name] = (
            entry if before is None or again else together(before, entry)
        )
    return things.values()
