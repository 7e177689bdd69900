"""Files that a workspace is to use: named as seen from it, and copied into it where they lie elsewhere."""

from __future__ import annotations

from pathlib import Path

from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.paths import folded
from ichnos.files.writing import fresh
from ichnos.pack.workspace.folder import nearest_file

_FOLDERS = {"clip": "clips", "picture": "pictures"}


class Copies:
    """Names clips and pictures for a workspace's file. Nothing is copied before ``carry_out``."""

    def __init__(self, folder: Path) -> None:
        """``folder``: the workspace's."""
        self.folder = folder
        self.made: dict[str, Path] = {}  # the name in the workspace of each file that is to be copied, and that file

    def name_of(self, file: Path, what: str = "clip") -> str | IchnosError:
        """What a clip, or a picture, is called in the workspace's file: as seen from there, with slashes."""
        path = disk.spelled(file.absolute())
        if not disk.is_file(path) and "\\" in str(file):
            path = Path(str(file).replace("\\", "/")).absolute()
        if not disk.is_file(path):
            near = nearest_file(Path.cwd(), path)
            return IchnosError(
                f"this {what} is not there",
                place=Place(str(file)),
                cure=f"did you mean {near}?" if near else "correct the name; paths are seen from the current folder",
            )
        resolved, root = disk.resolved(path), disk.resolved(self.folder)
        inside = resolved.is_relative_to(root)
        name = resolved.relative_to(root).as_posix() if inside else self._copied(resolved, _FOLDERS[what])
        try:
            name.encode()
        except UnicodeEncodeError:
            why = f"this {what}'s name is no UTF-8, so that ichnos.toml cannot hold it"
            return IchnosError(why, place=Place(str(file)), cure=f"rename the {what}")
        return name

    def _copied(self, file: Path, folder: str) -> str:
        """The name that a file from elsewhere gets: its own, with a number where another file has that."""
        digest = disk.digest(file)
        taken = {folded(name): path for name, path in self.made.items()}
        for number in range(1, 10**6):
            name = f"{folder}/{file.stem}{'' if number == 1 else f'-{number}'}{file.suffix}"
            other = taken.get(folded(name), self.folder / name)
            if not disk.exists(other):
                self.made[name] = file
                return name
            if disk.is_file(other) and disk.digest(other) == digest:
                return name
        raise AssertionError(file)

    def carry_out(self) -> None:
        """Copy what lies elsewhere. Raises IchnosError where that cannot be."""
        for name, file in self.made.items():
            target = self.folder / name
            disk.refuse_way_out(self.folder, target, name)
            with fresh(target) as beside:
                disk.copy(file, beside)
