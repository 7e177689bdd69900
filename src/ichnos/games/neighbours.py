"""The other packs in a game: which of them has a key or an id that only one pack can have."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from contextlib import closing
from pathlib import Path

from ichnos.files import disk, journal
from ichnos.files.journal import InstalledPack, Journal
from ichnos.games.entries.packs import PackReading, SoundFiles
from ichnos.games.profiles.profile import Profile


def brought(profile: Profile, read: PackReading, names: list[str]) -> Iterator[str]:
    """What a pack has that no other may have, as ``InstalledPack.brings`` holds it.

    Args:
        names: those of its files.
    """
    files = SoundFiles(names)
    for name, document in read.by_document.items():
        is_merged = name in read.merged  # then the game's own entries stand there, too
        for sound in document.defined():
            if profile.adds(sound.values.get("adds")):
                continue  # then the takes of all are heard
            if not is_merged or any(files.file_of(file) for file, _, _ in sound.files()):
                yield f"key {sound.key}"
        if not is_merged:
            yield from (f"id {prop.values['prop.id']}" for prop in document.props if prop.values.get("prop.id"))


def shared(brings: Collection[str], others: Iterable[InstalledPack]) -> Iterator[tuple[str, InstalledPack]]:
    """What other packs have as well, each with the pack."""
    mine = dict.fromkeys(brings)
    for other in others:
        theirs = set(other.brings)
        yield from ((name, other) for name in mine if name in theirs)


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
