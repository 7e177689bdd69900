"""Which pack, in which game: found by what a person says, or by the workspace that they are in."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ichnos.errors import IchnosError, UsageError
from ichnos.files import disk
from ichnos.files.journal import InstalledPack, Journal
from ichnos.install import status
from ichnos.pack.workspace import reading as workspaces


def _is_called(pack: InstalledPack, name: str) -> bool:
    return name in (pack.name, pack.title, pack.package, Path(pack.package).name)


def only_game(notes: Journal, pack: str | None, from_: Path | None, start: Path) -> Path:
    """The game that a pack is to be taken out of.

    Args:
        pack: its name, or None for the workspace's, or the only one.
        from_: the game's folder, where it is said.
        start: where we are.

    Raises:
        UsageError: there is no such pack, or it is in several games.
    """
    if from_ is not None:
        return disk.resolved(from_)
    having = []
    is_wanted = _wanted(pack, start)
    for folder in map(Path, notes.games()):
        record, pending = notes.record(folder)
        begun = pending is not None and (pack is None or pack == pending.pack)
        if begun or any(map(is_wanted, record.packs)):
            having.append(folder)
    if not having:
        names = [
            f"{one.name} in {folder}" for folder in map(Path, notes.games()) for one in notes.record(folder)[0].packs
        ]
        what = (
            f'no pack "{pack}" is in any game'
            if pack
            else "no pack of this workspace is in any game"
            if names
            else "no pack is in any game"
        )
        raise UsageError(what, cure=f"these are: {'; '.join(names)}" if names else "there is nothing to restore")
    if len(having) > 1:
        raise UsageError("it is in several games", cure=f"say which: --from {' or --from '.join(map(str, having))}")
    return having[0]


def _wanted(name: str | None, start: Path) -> Callable[[InstalledPack], bool]:
    """Whether an installed pack is the one that is named, or else that of the workspace that we are in, or else any."""
    if name is not None:
        return lambda pack: _is_called(pack, name)
    try:
        folder = workspaces.find_folder(start)
    except UsageError:
        return lambda pack: True
    try:
        first = workspaces.load(folder)
        games = [first, *(workspaces.load(folder, game) for game in first.pack_file.games)]
    except IchnosError:  # its game may be away
        names, ids = workspaces.called(folder)
        return lambda pack: not names or pack.is_of(pack.game, names, ids)
    return lambda pack: any(status.is_own(loaded, pack) for loaded in games)


def named(packs: Sequence[InstalledPack], name: str | None, start: Path, folder: Path) -> InstalledPack:
    """The pack in a game that is meant. Raises UsageError where none is, or several are."""
    is_wanted = _wanted(name, start) if name or len(packs) > 1 else lambda pack: True
    wanted = [candidate for candidate in packs if is_wanted(candidate)]
    if len(wanted) == 1:
        return wanted[0]
    cure = f"these are in it: {', '.join(candidate.name for candidate in packs)}" if packs else "see: ichnos installed"
    if not wanted:
        called = f'no pack "{name}"' if name else "no pack of this workspace" if packs else "no pack"
        raise UsageError(f"{called} is in {folder}", cure=cure)
    raise UsageError("which pack?", cure=cure)
