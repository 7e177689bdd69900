"""Waiting until something that a pack is made of is saved."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from ichnos.games.catalogues import kept
from ichnos.pack.workspace.workspace import FILE_NAME, TABLE_NAME, Workspace

_PAUSE = 0.4  # seconds between two looks
Seen = dict[str, tuple[int, int]]


def clips_of(workspace: Workspace) -> list[Path]:
    """The clips of its sounds."""
    return [workspace.clip_path(clip) for sound in workspace.pack_file.sound for clip, _ in sound.clips()]


def made_of(workspace: Workspace | None, folder: Path) -> list[Path]:
    """The files and folders besides clips that a pack is made of; where it cannot be read, the workspace's own."""
    paths = [folder / FILE_NAME, folder / TABLE_NAME]
    if workspace is None:
        return paths
    pack_file = workspace.pack_file
    paths += [folder / name for name in workspace.files]
    paths += [folder / one.picture for one in pack_file.carrier if one.picture]
    paths += [folder / pack_file.pack.icon] if pack_file.pack.icon else []
    for inner in (workspace.profile.folder, folder / "own", folder / "inbox"):
        paths += [inner, *inner.rglob("*")]
    return paths


def outside(workspace: Workspace) -> list[Path]:
    """The game's own files that it is made of: those of the installation, and the catalogue that is kept."""
    paths = [kept.path_of(workspace.profile.rules.game.name)]
    installation = workspace.pack_file.installation
    if installation:
        read = [Path(path) for path in workspace.catalogue.seen] if workspace.catalogue else []
        paths += [workspace.folder / installation, *read, *{path.parent for path in read}]
    return paths


def seen(paths: list[Path]) -> Seen:
    """The size and time of each file that is there."""
    found: Seen = {}
    for path in paths:
        try:
            stat = path.stat()
        except OSError:
            continue
        if path.is_file():
            found[str(path)] = (stat.st_size, stat.st_mtime_ns)
    return found


def changed(paths: list[Path], before: Seen) -> Iterator[tuple[list[str], Seen]]:
    """Wait, and give the files that changed, and how all are now, each time that they stand still again."""
    while True:
        now = seen(paths)
        if now == before:
            time.sleep(_PAUSE)
            continue
        time.sleep(_PAUSE)
        if seen(paths) != now:
            continue  # still being written
        yield sorted(path for path in now.keys() | before.keys() if now.get(path) != before.get(path)), now
        before = now
