"""The files of a pack that are neither sounds nor documents: pictures, credits, the icon, others as they are."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePosixPath

from ichnos.errors import IchnosError, raise_all
from ichnos.files import disk
from ichnos.pack.plan import icon
from ichnos.pack.plan.naming import ClipUses
from ichnos.pack.plan.plan import PlannedFile
from ichnos.pack.workspace import credit
from ichnos.pack.workspace.workspace import Workspace


def all_but_icon(workspace: Workspace, uses: ClipUses) -> Iterator[PlannedFile]:
    """Pictures, what fields of the profile's own hold, credits, and whatever else. Raises IchnosError without one."""
    yield from _pictures(workspace, uses)
    yield from _declared_files(workspace, uses)
    yield from _credits(workspace)
    yield from _other_files(workspace)


def _pictures(workspace: Workspace, uses: ClipUses) -> list[PlannedFile]:
    files, errors = [], []
    for index, prop in enumerate(workspace.pack_file.prop):
        if prop.picture is None:
            continue
        file, path = workspace.folder / prop.picture, uses.picture_path(prop)
        if not disk.is_file(file):
            what = f'the picture "{prop.picture}" is not there'
            place = workspace.file.place("prop", index, "picture")
            errors.append(IchnosError(what, place=place, cure="correct the name"))
        elif path is not None:
            disk.refuse_way_out(workspace.folder, file, prop.picture)
            rules = workspace.profile.rules.pictures
            size = (rules.width, rules.height) if rules else None
            data, _ = icon.as_picture(file, prop.picture, PurePosixPath(path).suffix, size)
            files.append(PlannedFile(path, f"{prop.picture}: the picture of {prop.name}", data))
    raise_all(errors)
    return files


def _declared_files(workspace: Workspace, uses: ClipUses) -> Iterator[PlannedFile]:
    """The files that fields of the profile's own hold."""
    for path, (name, place) in uses.files.items():
        file = workspace.folder / name
        if not disk.is_file(file):
            raise IchnosError(f'the file "{name}" is not there', place=place, cure="correct its name")
        disk.refuse_way_out(workspace.folder, file, name)
        yield PlannedFile(path, f"{name}, as it is", disk.read(file, name))


def _other_files(workspace: Workspace) -> list[PlannedFile]:
    files, errors = [], []
    for index, one in enumerate(workspace.pack_file.file):
        file = workspace.folder / one.file
        if disk.is_file(file):
            disk.refuse_way_out(workspace.folder, file, one.file)
            files.append(PlannedFile(one.path, f"{one.file}, as it is", disk.read(file, one.file)))
        else:
            place = workspace.file.place("file", index, "file")
            errors.append(IchnosError(f'the file "{one.file}" is not there', place=place, cure="correct the name"))
    raise_all(errors)
    return files


def _credits(workspace: Workspace) -> list[PlannedFile]:
    path = workspace.profile.rules.credits.path
    text = credit.text(workspace.pack_file)
    return [PlannedFile(path, "where the clips are from", text.encode())] if path and text else []


def icon_of(workspace: Workspace) -> list[PlannedFile]:
    rules, pack = workspace.profile.rules.icon, workspace.pack_file.pack
    if rules is None:
        return []
    size, suffix = rules.size, PurePosixPath(rules.path).suffix
    if pack.icon is None:
        return [PlannedFile(rules.path, "an icon drawn from the title", icon.drawn(pack.title, size, suffix))]
    path = workspace.folder / pack.icon
    if not disk.is_file(path):
        place = workspace.file.place("pack", "icon")
        raise IchnosError(f'the icon "{pack.icon}" is not there', place=place, cure="correct the name")
    data, kept = icon.as_picture(path, pack.icon, suffix, size, shape=pack.icon_shape)
    made = "as it is" if kept else f"{pack.icon_shape} to {size[0]} x {size[1]}" if size else f"as {suffix}"
    return [PlannedFile(rules.path, f"{pack.icon}, {made}", data)]
