"""Links in a game's folder: what they lead to counts as if it lay there."""

from __future__ import annotations

import os
from pathlib import Path

from ichnos.files.disk import translated


def names_with_links(folder: Path) -> list[str]:
    """The files below a folder, with those that links lead to, and sorted. Raises IchnosError as ``below`` does.

    A link to a folder that it lies in itself leads nowhere; nor does one to something that cannot be read.
    """
    found: list[str] = []
    folders: list[tuple[str, str, tuple[str, ...]]] = [("", str(folder), ())]
    while folders:
        name, inside, above = folders.pop()
        with translated(inside, reading=True), os.scandir(inside) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    folders.append((f"{name}{entry.name}/", entry.path, above))
                elif entry.is_file():
                    found.append(f"{name}{entry.name}")
                elif entry.is_dir() and os.access(entry.path, os.R_OK | os.X_OK):
                    to = os.path.realpath(entry.path)
                    around = (*above, os.path.realpath(inside))
                    if not any(f"{own}{os.sep}".startswith(f"{to.rstrip(os.sep)}{os.sep}") for own in around):
                        folders.append((f"{name}{entry.name}/", entry.path, around))
    return sorted(found, key=lambda one: one.split("/"))
