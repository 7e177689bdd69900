"""What has changed since the last build? Light to import, for it is asked first.

A stamp names everything that the last build was made from, with sizes and times, and what it wrote.
Where all of it is as it was, there is nothing to do; where only clips changed, its outline still holds.
"""

from __future__ import annotations

import hashlib
import json
import os
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from ichnos import __version__
from ichnos.errors import WrongCall

FILE_NAME = "ichnos.toml"
_Seen = list[int] | None
Looked = dict[str, _Seen]  # how files and folders were: size and time by path, None where there was nothing
_UNSURE = [-1, -1]  # what may change, or has changed, without its time saying so: unlike anything that is seen later
_SETTLED = 2_000_000_000  # nanoseconds: what changed shortly before the build may change again in the same tick
_LIBRARIES = ("soundfile", "soxr", "numpy", "scipy", "pydantic", "jinja2", "pillow", "av")


@dataclass(frozen=True)
class Stamp:
    """What the last build wrote. ``size`` in bytes.

    ``stands``: nothing at all has changed since, neither the clips nor the package.
    ``inputs``: what it was made from besides clips, as it still is. ``clips``: their paths.
    """

    package: Path
    sha256: str
    size: int
    stands: bool
    inputs: Looked
    clips: tuple[str, ...]
    outline: str  # as it was kept


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
    """The last build, where everything that it was made from, but perhaps for clips, is as it was."""
    try:
        first, _, outline = _path(folder, game, output).read_text("utf-8").partition("\n")
        values = json.loads(first)
        if values["environment"] != _environment() or not _as_seen(values["inputs"]):
            return None
        stands = _as_seen(values["clips"]) and _as_seen(values["written"])
        package, clips = Path(values["package"]), tuple(values["clips"])
        return Stamp(package, values["sha256"], values["size"], stands, values["inputs"], clips, outline)
    except (OSError, ValueError, TypeError, KeyError, AttributeError):
        return None


def look(paths: Iterable[Path | str]) -> Looked:
    """How files and folders are that a build is about to be made from, also those that are not there.

    What has only just changed may change once more in the same tick of the clock: it will count as changed.
    """
    now = time.time_ns()
    found = {str(path): _seen(str(path)) for path in paths}
    return {path: _UNSURE if seen and now - seen[1] < _SETTLED else seen for path, seen in found.items()}


def save(
    folder: Path,
    game: str | None,
    output: Path | None,
    inputs: Looked,
    clips: Looked,
    outline: str,
    package: Path,
    **made: str | int,
) -> None:
    """Note what a build was made from and what it wrote.

    Args:
        inputs, clips: from before the build. What changed since then counts as changed.
        made: the package's ``sha256`` and its ``size`` in bytes.
    """
    values = {
        "environment": _environment(),
        "inputs": _still(inputs),
        "clips": _still(clips),
        "written": {path: _seen(path) for path in (str(package), *_below(package))},
        "package": str(package),
        **made,
    }
    path = _path(folder, game, output)
    beside = path.with_suffix(f".{os.getpid()}.partial")
    beside.write_text(f"{json.dumps(values)}\n{outline}", "utf-8")
    beside.replace(path)


def _below(folder: Path) -> Iterator[str]:
    for parent, folders, files in os.walk(folder):
        yield from (os.path.join(parent, name) for name in (*folders, *files))  # noqa: PTH118 (thousands of them)


def _still(looked: Looked) -> Looked:
    return {path: seen if seen == _seen(path) else _UNSURE for path, seen in looked.items()}


def _as_seen(looked: Looked) -> bool:
    return all(_seen(path) == seen for path, seen in looked.items())


def _path(folder: Path, game: str | None, output: Path | None) -> Path:
    name = hashlib.sha256(repr((game, str(output) if output else None)).encode()).hexdigest()[:12]
    return folder / ".ichnos" / f"stamp-{name}.json"


def _seen(path: str) -> _Seen:
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
