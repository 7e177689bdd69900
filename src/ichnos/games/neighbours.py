"""The other packs in a game: which of them has a key or an id that only one pack can have."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Iterator
from contextlib import closing
from pathlib import Path

from ichnos.documents.tree import is_number
from ichnos.files import disk, journal
from ichnos.files.journal import InstalledPack, Journal
from ichnos.games.entries.packs import PackReading, SoundFiles
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import SOUND, number_field, player_scopes
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
                yield from numbered(SOUND, sound)
        for sound in document.defined():
            if profile.adds(sound.values.get("adds")):
                continue  # then the takes of all are heard
            if not is_merged or any(files.file_of(file) for file, _, _ in sound.files()):
                yield f"key {sound.key}"
        if not is_merged:
            yield from (
                one for scope in player_scopes() for thing in document.of(scope) for one in numbered(scope, thing)
            )
            yield from (f"id {prop.values['prop.id']}" for prop in document.props if prop.values.get("prop.id"))


_NUMBER = "number "


def numbered(scope: str, thing: Thing) -> Iterator[str]:
    """A number that nothing else may have, with what has it."""
    number = thing.values.get(number_field(scope))
    if is_number(number) and math.isfinite(number):
        yield f"{_NUMBER}{number_field(scope)} {number} {thing.key if scope == SOUND else thing.name}"


def shared(brings: Collection[str], others: Iterable[InstalledPack]) -> Iterator[tuple[str, InstalledPack]]:
    """What other packs have as well, each with the pack."""
    mine = [one for one in dict.fromkeys(brings) if not one.startswith(_NUMBER)]
    for other in others:
        theirs = set(other.brings)
        yield from ((name, other) for name in mine if name in theirs)
        yield from ((f"number the number {number}", other) for number, _, _ in shared_numbers(brings, other.brings))


def numbers_in(brings: Iterable[str]) -> dict[tuple[str, int], str]:
    """What has each number, by the field and the number."""
    pieces = [one.split(" ", 3) for one in brings if one.startswith(_NUMBER)]
    return {(field, int(float(number))): name for _, field, number, name in pieces}


def shared_numbers(brings: Iterable[str], others: Iterable[str]) -> Iterator[tuple[int, str, str]]:
    """Numbers under which two packs have two things, with both."""
    theirs = numbers_in(others)
    for one, name in numbers_in(brings).items():
        if one in theirs and theirs[one] != name:
            yield one[1], name, theirs[one]


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
