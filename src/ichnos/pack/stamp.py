"""Has anything changed at all since the last build? Light to import, for it is asked first.

A stamp names everything that the last build was made from, with sizes and times, and what it wrote.
Where all of it is as it was, there is nothing to plan.
"""

from __future__ import annotations

import hashlib
import json
import os
import time
from collections.abc import Iterable
from dataclasses import dataclass
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from ichnos import __version__
from ichnos.errors import WrongCall

FILE_NAME = "ichnos.toml"
Looked = dict[str, list[int] | None]
_SETTLED = 2_000_000_000  # nanoseconds: what changed shortly before the build may change again in the same tick
_LIBRARIES = ("soundfile", "soxr", "numpy", "scipy", "pydantic", "jinja2", "pillow", "av")


@dataclass(frozen=True)
class Stamp:
    """What the last build wrote. ``size`` in bytes."""

    package: Path
    sha256: str
    size: int


def find_folder(start: Path) -> Path:
    """The workspace that ``start`` is, or lies in.

    Raises:
        WrongCall: there is none.
    """
    for folder in (start.absolute(), *start.absolute().parents):
        if (folder / FILE_NAME).is_file():
            return folder
    raise WrongCall(
        f"{start.absolute()} is not in a workspace: there is no {FILE_NAME} here or above",
        cure="go into a workspace, or make one: ichnos start FOLDER --game GAME",
    )


def load(folder: Path, game: str | None, output: Path | None) -> Stamp | None:
    """The last build, where everything that it was made from, and what it wrote, is as it was."""
    try:
        values = json.loads(_path(folder, game, output).read_text("utf-8"))
        if values["environment"] != _environment():
            return None
        if any(_seen(path) != seen for path, seen in values["inputs"].items()):
            return None
        return Stamp(Path(values["package"]), values["sha256"], values["size"])
    except (OSError, ValueError, TypeError, KeyError):
        return None


def look(inputs: Iterable[Path]) -> Looked | None:
    """How everything is that a build is about to be made from; None where something is too new to tell by its time.

    Args:
        inputs: files and folders, also those that are not there.
    """
    named = {str(path): _seen(str(path)) for path in inputs}
    unsettled = any(seen and time.time_ns() - seen[1] < _SETTLED for seen in named.values())
    return None if unsettled else named


def save(folder: Path, game: str | None, output: Path | None, looked: Looked | None, stamp: Stamp) -> None:
    """Note what a build was made from and what it wrote, unless that changed while it was built.

    Args:
        looked: from before the build.
    """
    path = _path(folder, game, output)
    if looked is None or any(_seen(name) != seen for name, seen in looked.items()):
        path.unlink(missing_ok=True)
        return
    named = dict(looked)
    written = [stamp.package, *stamp.package.rglob("*")] if stamp.package.is_dir() else [stamp.package]
    named.update((str(path), _seen(str(path))) for path in written)
    values = {
        "environment": _environment(),
        "inputs": named,
        "package": str(stamp.package),
        "sha256": stamp.sha256,
        "size": stamp.size,
    }
    beside = path.with_suffix(f".{os.getpid()}.partial")
    beside.write_text(json.dumps(values), "utf-8")
    beside.replace(path)


def _path(folder: Path, game: str | None, output: Path | None) -> Path:
    name = hashlib.sha256(repr((game, str(output) if output else None)).encode()).hexdigest()[:12]
    return folder / ".ichnos" / f"stamp-{name}.json"


def _seen(path: str) -> list[int] | None:
    """A file's size and time in nanoseconds, a folder's time; None where there is nothing."""
    try:
        stat = os.stat(path)  # noqa: PTH116 (thousands of them)
    except OSError:
        return None
    return [0 if os.path.isdir(path) else stat.st_size, stat.st_mtime_ns]  # noqa: PTH112


def _environment() -> list[str]:
    found = [__version__, os.environ.get("ICHNOS_DATA", "")]
    for name in _LIBRARIES:
        try:
            found.append(version(name))
        except PackageNotFoundError:
            found.append("")
    return found
