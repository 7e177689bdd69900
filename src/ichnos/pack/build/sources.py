"""What a pack is made of: the files that a build depends on."""

from __future__ import annotations

from pathlib import Path

from ichnos.files import disk
from ichnos.pack.build.own_encoder import ENCODED
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME, TABLE_NAME, table_names
from ichnos.pack.workspace.slips import items
from ichnos.pack.workspace.workspace import Workspace


def clips_of(workspace: Workspace) -> list[Path]:
    """The clips of its sounds."""
    return [workspace.clip_path(clip) for sound in workspace.pack_file.sound for clip, _ in sound.clips()]


def made_of(workspace: Workspace | None, folder: Path) -> list[Path]:
    """The files and folders besides clips that a pack is made of; where it cannot be read, the workspace's own."""
    own = workspace.profile.rules.declared.scopes if workspace is not None else ()
    paths = [folder / name for name in (FILE_NAME, LOCAL_NAME, TABLE_NAME, *table_names(own).values())]
    if workspace is None:
        return paths
    pack_file = workspace.pack_file
    paths += [folder / name for name in workspace.files]
    paths += [folder / pack_file.game / "game.toml"]  # a folder comes before a kept profile, once it is there
    paths += [folder / one.picture for one in pack_file.prop if one.picture]
    paths += [folder / file.file for file in pack_file.file]
    paths += [folder / pack_file.pack.icon] if pack_file.pack.icon else []
    for row in workspace.profile.rules.declared.of_files():
        said = (getattr(table, "fields", {}).get(row.field) for table, _, _ in items(workspace, row.scope))
        paths += [folder / file for file in said if isinstance(file, str)]
    for inner in (workspace.profile.folder, folder / "own", folder / ENCODED):
        paths += [inner, *disk.everything_below(inner)]
    return paths


def outside(workspace: Workspace) -> list[Path]:
    """The game's own files that it is made of."""
    installation = workspace.installation
    if not installation:
        return []
    read = [Path(path) for path in workspace.catalogue.seen] if workspace.catalogue else []
    return [workspace.folder / installation, *read, *{path.parent for path in read}, *map(Path, workspace.sounds_read)]
