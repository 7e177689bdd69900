"""The other packs in a game: which of them has a key or an id that only one pack can have."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from ichnos.documents.tree import is_number
from ichnos.files import disk, journal
from ichnos.files.journal import InstalledPack, Journal
from ichnos.games.entries.packs import PackReading, SoundFiles
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import number_field, player_scopes
from ichnos.games.things import Thing


def brought(profile: Profile, read: PackReading, names: list[str]) -> Iterator[str]:
    """What a pack has that no other may have, as ``InstalledPack.brings`` holds it.

    Args:
        names: those of its files.
    """
    files = SoundFiles(names)
    for name, document in read.by_document.items():
        is_merged = name in read.merged  # then the game's own entries stand there, too
        for sound in document.sounds:
            if not is_merged or any(files.file_of(file) for file, _, _ in sound.files()):
                yield from _brought_number(sound)
        for sound in document.defined():
            if profile.adds(sound.values.get("adds")):
                continue  # then the takes of all are heard
            if not is_merged or any(files.file_of(file) for file, _, _ in sound.files()):
                yield f"key {sound.key}"
        if not is_merged:
            for scope in player_scopes():
                yield from (one for thing in document.of(scope) for one in _brought_number(thing))
            yield from (f"id {prop.values['prop.id']}" for prop in document.props if prop.values.get("prop.id"))


_NUMBER = "number "


@dataclass(frozen=True)
class Numbered:
    """What has a number that nothing else may have. ``field``: the number's."""

    field: str
    number: int
    name: str


def numbered(thing: Thing) -> Numbered | None:
    """A thing that has such a number."""
    field = number_field(thing.scope)
    number = thing.values.get(field)
    if not is_number(number) or not math.isfinite(number):
        return None
    return Numbered(field, int(number), thing.name or str(thing.place))


def _brought_number(thing: Thing) -> Iterator[str]:
    entry = numbered(thing)
    if entry is not None:
        yield f"{_NUMBER}{entry.field} {entry.number} {entry.name}"


def shared(brings: Collection[str], others: Iterable[InstalledPack]) -> Iterator[tuple[str, InstalledPack]]:
    """What other packs have as well, each with the pack."""
    mine = [one for one in dict.fromkeys(brings) if not one.startswith(_NUMBER)]
    for other in others:
        theirs = set(other.brings)
        yield from ((name, other) for name in mine if name in theirs)
        clashing = clashing_numbers(numbers_in(brings), numbers_in(other.brings))
        yield from ((f"number the number {entry.number}", other) for entry, _ in clashing)


def numbers_in(brings: Iterable[str]) -> list[Numbered]:
    """What has a number, of all that a pack brings."""
    pieces = (one.split(" ", 3) for one in brings if one.startswith(_NUMBER))
    return [Numbered(field, int(number), name) for _, field, number, name in pieces]


def clashing_numbers(entries: Iterable[Numbered], others: Iterable[Numbered]) -> Iterator[tuple[Numbered, Numbered]]:
    """Entries whose number another thing has, each with that."""
    taken = {(other.field, other.number): other for other in others}
    for entry in entries:
        other = taken.get((entry.field, entry.number), entry)
        if other.name != entry.name:
            yield entry, other


def clashing_id(ids: Collection[str], others: Iterable[InstalledPack]) -> tuple[str, InstalledPack] | None:
    """An id of a pack that another one has, and that one."""
    mine = sorted(own_id.lower() for own_id in ids)
    return next(((one, other) for other in others for one in mine if one in map(str.lower, other.ids)), None)


def in_game(installation: Path) -> tuple[InstalledPack, ...]:
    """The packs that Ichnos has put into a game."""
    if not journal.is_there():
        return ()
    with closing(Journal()) as notes:
        return notes.record(disk.resolved(installation))[0].packs
