"""Reading a whole pack, or a game's own files, through a profile."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from ichnos.documents.formats import parse
from ichnos.documents.tree import Node, Value
from ichnos.errors import IchnosError, Place
from ichnos.games.exemplar import Exemplar
from ichnos.games.files import Files
from ichnos.games.profile import Profile
from ichnos.games.read import Found, Reading, read
from ichnos.games.vocabulary import SOUND, TAKE


@dataclass(frozen=True)
class TakeRead:
    """A take as a definition has it. ``reference`` may lack its extension: see :class:`SoundFiles`."""

    reference: str
    place: Place


@dataclass(frozen=True)
class SoundRead:
    """A sound key as one document has it."""

    key: str
    category: str | None
    takes: tuple[TakeRead, ...]
    place: Place


@dataclass
class PackRead:
    """Everything a profile could read. ``sounds`` maps each document's name to its entries."""

    sounds: dict[str, list[SoundRead]] = field(default_factory=dict)
    values: list[tuple[str, Value, Place]] = field(default_factory=list)  # holes of the pack's own
    broken: list[IchnosError] = field(default_factory=list)
    strange: list[tuple[Place, str]] = field(default_factory=list)  # fits no exemplar
    absent: list[str] = field(default_factory=list)  # documents the profile has and the pack lacks
    documents: set[str] = field(default_factory=set)

    def defined(self) -> Iterator[SoundRead]:
        """The sounds that name files, in the order of the documents."""
        for sounds in self.sounds.values():
            yield from (sound for sound in sounds if sound.takes)


def read_pack(profile: Profile, files: Files) -> PackRead:
    """Read every document of a pack that the profile knows."""
    result = PackRead()
    names = files.names()
    for exemplar in profile.documents:
        matched = False
        for name in names:
            in_path = exemplar.path.match(name)
            if in_path is None or name in result.documents:
                continue
            matched = True
            result.documents.add(name)
            try:
                document = parse(files.read(name), files.label(name), exemplar.document.format)
            except IchnosError as error:
                result.broken.append(error)
                continue
            reading = read(exemplar, document, in_path)
            if reading is None:
                place = document.text.place(document.root.start)
                result.strange.append((place, "the whole file has another structure than this game's"))
                continue
            result.strange += [(document.text.place(node.start), document.excerpt(node)) for node in reading.strays]
            result.sounds[name] = list(_sounds(reading, reading.pack, {}))
            result.values += _pack_values(reading)
        if not matched and not exemplar.file_scopes:
            result.absent.append(_spelled(exemplar))
    return result


def _spelled(exemplar: Exemplar) -> str:
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in exemplar.path.parts)


def _place(reading: Reading, node: Node) -> Place:
    return reading.document.text.place(node.start)


def _pack_values(reading: Reading) -> list[tuple[str, Value, Place]]:
    return [(name, reading.pack.values[name], _place(reading, node)) for name, node in reading.pack.nodes.items()]


def _sounds(reading: Reading, found: Found, around: dict[str, Value]) -> Iterator[SoundRead]:
    values = {**around, **found.values}
    if found.scope == SOUND or "key" in found.values:
        takes = [
            TakeRead(str(take.values["file"]), _place(reading, take.node))
            for take in found.all(TAKE)
            if "file" in take.values
        ]
        if "file" in found.values:
            takes.append(TakeRead(str(found.values["file"]), _place(reading, found.nodes["file"])))
        category = values.get("category")
        place = _place(reading, found.nodes.get("key", found.node))
        yield SoundRead(str(values["key"]), str(category) if category else None, tuple(takes), place)
        return
    for inner in found.inside.values():
        for one in inner:
            yield from _sounds(reading, one, values)


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
