"""Reading a whole pack, or a game's own files, through a profile."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from ichnos.documents.formats import parse
from ichnos.documents.tree import Node, Value
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.entries.read import Found, Reading, read
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import LANGUAGE, PART, SOUND, TAKE


@dataclass(frozen=True)
class TakeRead:
    """A take or a part as a definition has it. ``reference`` may lack its extension: see :class:`SoundFiles`."""

    reference: str
    place: Place
    part: bool = False


@dataclass(frozen=True)
class SoundRead:
    """A sound key as one document has it. ``takes`` are its takes and its parts."""

    key: str
    category: str | None
    takes: tuple[TakeRead, ...]
    place: Place
    loop: bool = False
    language: str | None = None  # where each language has an entry of its own


@dataclass
class PackRead:
    """Everything a profile could read. ``sounds`` maps each document's name to its entries."""

    sounds: dict[str, list[SoundRead]] = field(default_factory=dict)
    values: list[tuple[str, Value, Place]] = field(default_factory=list)  # holes of the pack's own
    played: list[tuple[str, Place]] = field(default_factory=list)  # keys that triggers and the like name
    broken: list[IchnosError] = field(default_factory=list)
    strange: list[tuple[Place, str]] = field(default_factory=list)  # fits no exemplar
    differing: list[tuple[Place, str]] = field(default_factory=list)  # a file's name says otherwise
    unknown: Counter[str] = field(default_factory=Counter)  # labels that the profile does not know
    absent: list[str] = field(default_factory=list)  # documents the profile has and the pack lacks
    documents: set[str] = field(default_factory=set)
    # Of each document of the profile, by key and language, where titles stand.
    titled: dict[str, dict[str, dict[str, Place]]] = field(default_factory=dict)
    merged: set[str] = field(default_factory=set)  # documents that hold the game's own entries as well

    def categories(self) -> dict[str, str]:
        """Each key's category, whichever document names it."""
        return {one.key: one.category for sounds in self.sounds.values() for one in sounds if one.category}

    def defined(self) -> Iterator[SoundRead]:
        """The sounds that name files, in the order of the documents."""
        for sounds in self.sounds.values():
            yield from (sound for sound in sounds if sound.takes)


def read_pack(profile: Profile, files: Files) -> PackRead:
    """Read every document of a pack that the profile knows."""
    result = PackRead()
    names = files.names()
    separator = profile.rules.names.separator
    for exemplar in profile.documents:
        rules = profile.document_rules(exemplar)
        matched = False
        for name in names:
            in_path = exemplar.path.match(name)
            if in_path is None or name in result.documents:
                continue
            matched = True
            result.documents.add(name)
            if rules.mode == "merge":
                result.merged.add(name)
            try:
                document = parse(files.read(name), files.label(name), exemplar.document.format, rules.encoding)
            except IchnosError as error:
                result.broken.append(error)
                continue
            reading = read(exemplar, document, in_path)
            if reading is None:
                place = document.text.place(document.root.start)
                result.strange.append((place, "the whole file has another structure than this game's"))
                continue
            for hole, node, value in reading.differing:
                if hole not in in_path:
                    continue
                if profile.rules.names.is_of(str(in_path[hole]), str(value)):
                    reading.pack.values[hole] = value  # the file's name is only how that is spelled
                else:
                    what = f'here the {hole} is "{value}", and by the file\'s name it is "{in_path[hole]}"'
                    result.differing.append((_place(reading, node), what))
            _take_in(result, name, reading, separator)
            if "title" in exemplar.scopes and rules.mode != "merge":
                _titles(result.titled.setdefault(_spelled(exemplar), {}), reading, in_path, separator)
        if not matched and not exemplar.file_scopes and rules.mode == "whole":
            result.absent.append(_spelled(exemplar))
    return result


def _take_in(result: PackRead, name: str, reading: Reading, separator: str) -> None:
    document = reading.document
    result.strange += [(document.text.place(node.start), document.excerpt(node)) for node in reading.strays]
    result.sounds[name] = [
        _sound(reading, key, found, values) for key, found, values in _entries(reading.pack, {}, separator)
    ]
    result.values += [
        (hole, reading.pack.values[hole], _place(reading, node)) for hole, node in reading.pack.nodes.items()
    ]
    for found in _every(reading.pack):
        said = [node for node in found.unknown if node.children or node.holds_value]
        result.unknown.update(node.label or document.excerpt(node, 20) for node in said)
        result.played += [
            (str(found.values[hole]), _place(reading, found.nodes[hole]))
            for hole in ("trigger.key", "carrier.key", "slot.key")
            if hole in found.nodes
        ]


def _titles(
    titled: dict[str, dict[str, Place]], reading: Reading, in_path: Mapping[str, Value], separator: str
) -> None:
    """Which titles stand in which language: the file's, the entry's own, or one of several in it."""
    for key, found, values in _entries(reading.pack, in_path, separator):
        for one in (found, *found.inside.get(LANGUAGE, ())):
            language, node = one.values.get("language") or values.get("language"), one.nodes.get("title")
            if language and node:
                titled.setdefault(key, {})[str(language)] = _place(reading, node)


def _every(found: Found) -> Iterator[Found]:
    yield found
    for inner in found.inside.values():
        for one in inner:
            yield from _every(one)


def _spelled(exemplar: Exemplar) -> str:
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in exemplar.path.parts)


def _place(reading: Reading, node: Node) -> Place:
    return reading.document.text.place(node.start)


def _sound(reading: Reading, key: str, found: Found, values: Mapping[str, Value]) -> SoundRead:
    takes = [
        TakeRead(str(one.values[hole]), _place(reading, one.nodes[hole]), scope == PART)
        for scope, hole in ((TAKE, "file"), (PART, "part.file"))
        for one in (found, *found.all(scope))
        if hole in one.nodes
    ]
    node = found.nodes.get("key") or found.nodes.get("key.own") or found.node
    category, language = values.get("category"), values.get("language")
    return SoundRead(
        key,
        str(category) if category else None,
        tuple(takes),
        _place(reading, node),
        found.values.get("loop") is True,
        str(language) if language else None,
    )


def _entries(
    found: Found, around: Mapping[str, Value], separator: str
) -> Iterator[tuple[str, Found, Mapping[str, Value]]]:
    """Each sound's key, wherever its pieces stand, with what was found of it and all values that hold there."""
    values = {**around, **found.values}
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
    """The sound files among a pack's names, found by reference with or without an extension."""

    def __init__(self, names: list[str]) -> None:
        self._names = set(names)
        self._bare: dict[str, str] = {}
        for name in sorted(names, reverse=True):
            self._bare[str(PurePosixPath(name).with_suffix(""))] = name

    def resolve(self, reference: str) -> str | None:
        """The file that a reference means, or ``None``."""
        return reference if reference in self._names else self._bare.get(reference)
