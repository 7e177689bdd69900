"""Writing files so that a reader finds the old or the new, never a part."""

from __future__ import annotations

import os
import re
import shutil
import stat
import sys
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.disk import translated

_UNFINISHED = re.compile(r"\.(.*)\.[0-9a-f]{8}\.partial")
_NAME_ROOM = 100  # bytes of a name that is written beside: a long one must not become longer than systems allow
_EXCHANGE = 2  # renameat2(2): RENAME_EXCHANGE
_HOLDS_FILES = sys.platform == "win32"
_PATIENCE = (0.05, 0.1, 0.2, 0.4, 0.8)  # seconds between two tries
_HERE = -100  # AT_FDCWD


@contextmanager
def fresh(path: Path) -> Iterator[Path]:
    """A new file beside ``path`` that takes its name and mode when the block ends well, and else is removed.

    It is on the disk before it takes the name, so that a loss of power leaves the old file or the new one.
    """
    with fresh_name(path) as beside:
        yield beside
        disk.sync(beside)
        with suppress(FileNotFoundError):
            os.chmod(beside, stat.S_IMODE(os.stat(path).st_mode))
        replace(beside, path)


@contextmanager
def fresh_name(path: Path) -> Iterator[Path]:
    """As ``fresh``, but the block itself gives the new file its name; what it leaves is removed."""
    beside = _beside(path)
    with _called(beside, path), translated(path):
        disk.make_folder(path.parent)
        try:
            yield beside
        finally:
            disk.remove_if_possible(beside)


def replace(beside: Path | str, path: Path | str, folder: int | None = None) -> None:
    """Give a file its name. On Windows a player or an editor may hold the old one open: it is waited for a little.

    Args:
        folder: the open folder that both are in, by their names alone.

    Raises:
        IchnosError: it does not let go.
    """
    for pause in _PATIENCE:
        try:
            if folder is None:
                os.replace(beside, path)
            else:
                os.replace(beside, path, src_dir_fd=folder, dst_dir_fd=folder)
            return
        except PermissionError:
            if not _HOLDS_FILES:
                raise
            time.sleep(pause)
    what, cure = "another program holds this file open", "close that program (a player, an editor), then try again"
    raise IchnosError(what, place=Place(str(path)), cure=cure)


def _beside(path: Path) -> Path:
    return path.with_name(unfinished_name(path.name))


def unfinished_name(name: str) -> str:
    """What a file is called while it is half-written."""
    return f".{_cut(name)}.{os.urandom(4).hex()}.partial"


def _cut(name: str) -> str:
    return os.fsdecode(os.fsencode(name)[:_NAME_ROOM])


@contextmanager
def _called(beside: Path, path: Path) -> Iterator[None]:
    """Errors name what was to be written, and not what it is called until it is whole."""
    try:
        yield
    except IchnosError as error:
        if error.place is None or not Path(error.place.path).is_relative_to(beside):
            raise
        raise IchnosError(error.what, place=Place(str(path)), cure=error.cure) from None


@contextmanager
def fresh_folder(path: Path) -> Iterator[Path]:
    """A new folder beside ``path`` that takes its place when the block ends well, and else is removed.

    Where the system can swap two folders in one step, it does. Elsewhere the old one is set aside
    first; ``put_back`` brings it back, should this one be killed in between.
    """
    beside, aside = _beside(path), _aside(path)
    with _called(beside, path), translated(path):
        disk.make_folder(path.parent)
        put_back(path)
        shutil.rmtree(aside, ignore_errors=True)
        try:
            yield beside
            if not os.path.lexists(path):
                os.replace(beside, path)
            elif not _swapped(beside, path):
                os.replace(path, aside)
                os.replace(beside, path)
        finally:
            put_back(path)
            shutil.rmtree(beside, ignore_errors=True)
            shutil.rmtree(aside, ignore_errors=True)


def _aside(path: Path) -> Path:
    return path.with_name(f".{path.name}.before")


def put_back(path: Path) -> None:
    """Bring a folder back that was set aside for a new one which never came. Raises IchnosError where that fails."""
    aside = _aside(path)
    if not os.path.lexists(path) and os.path.isdir(aside) and not os.path.islink(aside):
        with translated(path):
            os.replace(aside, path)


def _swapped(one: Path, other: Path) -> bool:
    """Two folders changed places, in one step; False where the system or its disk cannot do that."""
    if sys.platform != "linux":
        return False
    import ctypes

    try:
        swap = ctypes.CDLL(None).renameat2
    except (OSError, AttributeError):
        return False
    return bool(swap(_HERE, os.fsencode(one), _HERE, os.fsencode(other), _EXCHANGE) == 0)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file, durably, all of it or nothing. Where it is a link, that stays, and what it leads to is written."""
    with fresh(disk.resolved(path) if disk.is_link(path) else path) as beside, disk.written(beside) as stream:
        stream.write(data)


def is_unfinished(name: str) -> bool:
    """Is a file's name one that something has while it is half-written?"""
    return _UNFINISHED.fullmatch(name) is not None


def sweep(folder: Path, names: Iterable[str] | None = None) -> None:
    """Remove what killed processes left half-written in a folder; the caller holds the lock for it.

    Args:
        names: only what was to get one of these names.
    """
    if not os.path.isdir(folder) or os.path.islink(folder):
        return
    wanted = None if names is None else {_cut(name) for name in names}
    for found in disk.names(folder):
        unfinished = _UNFINISHED.fullmatch(found)
        if unfinished and (wanted is None or unfinished[1] in wanted):
            path = folder / found
            disk.remove_if_possible(path) if path.is_file() or path.is_symlink() else shutil.rmtree(path, True)
