"""The one edge to the disk: what is asked of a path, read, listed, made or removed, with errors a person can act on.

Nothing outside ``files/`` calls the system by itself (``tools/edge.py`` sees to it), so that no path, however
odd, can end in anything but place, reason and cure.
"""

from __future__ import annotations

import errno
import os
import shutil
import stat
import unicodedata
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from io import BufferedReader
from pathlib import Path
from typing import IO

from ichnos.errors import IchnosError, Place

MAX_TEXT = 256 * 2**20  # bytes; a file beyond this is no text that is read whole

# What the system says of a path that nothing can be at.
_NOTHING = {errno.ENOENT, errno.ENOTDIR, errno.ENAMETOOLONG, errno.ELOOP, errno.EBADF, errno.EINVAL}
_SEE = "see to it, then try again"
_REASONS = {
    errno.ENOSPC: ("the disk is full", "make room, then try again: what is converted so far is kept"),
    errno.EFBIG: ("the file would be larger than the system allows", "raise the limit, or choose another disk"),
    errno.EDQUOT: ("your share of the disk is full", "make room, then try again: what is converted so far is kept"),
    errno.EROFS: ("this place is read-only", "choose a folder that you may write to"),
    errno.EACCES: ("this place may not be written to", "choose another folder, or change its permissions"),
    errno.EPERM: ("this place may not be written to", "choose another folder, or change its permissions"),
    errno.EEXIST: ("a file stands where a folder is needed", "move that file away"),
    errno.ENOTDIR: ("a file stands where a folder is needed", "move that file away"),
    errno.EISDIR: ("a folder stands where a file is needed", "move that folder away, or choose another name"),
    errno.ENOTEMPTY: ("a folder stands where a file is needed", "move that folder away, or choose another name"),
    errno.ENOENT: ("this is not there", "correct the name"),
    errno.ENAMETOOLONG: ("this name is longer than the system allows", "choose a shorter one"),
    errno.ELOOP: ("this is a link that leads to itself", "delete the link"),
    errno.EMFILE: ("too many files are open at once", "close other programs, then try again"),
    errno.EIO: ("the disk cannot be read or written here", "copy what you can, and have the disk checked"),
}
_TO_READ = {
    errno.EACCES: ("this may not be read", "change its permissions"),
    errno.EPERM: ("this may not be read", "change its permissions"),
    errno.EISDIR: ("this is a folder, not a file", "name a file in it"),
    errno.ENOTDIR: ("this is not there: a file stands where its folder should be", "correct the name"),
}
_ODD = "this is no name that the system takes", "correct the name"
_SHARING, _LOCKED = 32, 33  # Windows: another program holds the file open
_WINDOWS_LONGEST = 259  # letters of a path, where long ones are not switched on
WINDOWS = os.name == "nt"


def reason(error: OSError | ValueError, path: Path | str, *, reading: bool = False) -> IchnosError:
    """What the system refused, as place, reason and cure."""
    place = Place(str(path))
    if isinstance(error, ValueError):  # a NUL, or letters that no file name can have
        return IchnosError(_ODD[0], place=place, cure=_ODD[1])
    if getattr(error, "winerror", None) in (_SHARING, _LOCKED):
        what, cure = "another program holds this file open", "close that program (a player, an editor), then try again"
        return IchnosError(what, place=place, cure=cure)
    if WINDOWS and len(str(path)) > _WINDOWS_LONGEST and (error.errno in (errno.ENOENT, errno.EINVAL)):
        what = f"this path has {len(str(path))} letters, and Windows takes {_WINDOWS_LONGEST} unless told otherwise"
        cure = "work in a folder nearer to the drive's root, or have Windows take long paths"
        return IchnosError(what, place=place, cure=cure)
    plain = str(error.strerror or error).lower(), _SEE
    what, cure = (_TO_READ if reading else {}).get(error.errno or 0) or _REASONS.get(error.errno or 0, plain)
    return IchnosError(what, place=place, cure=cure)


@contextmanager
def translated(path: Path | str, *, reading: bool = False) -> Iterator[None]:
    """Turn the system's errors into ones a person can act on.

    Raises:
        IchnosError: for whatever the system refuses, with the reason and a cure.
    """
    try:
        yield
    except OSError as error:
        raise reason(error, path, reading=reading) from None


def _asked(path: Path | str) -> os.stat_result | None:
    """How a path is; ``None`` where nothing can be there."""
    try:
        return os.stat(path)
    except ValueError:
        return None
    except OSError as error:
        if error.errno in _NOTHING:
            return None
        raise reason(error, path, reading=True) from None


def is_file(path: Path | str) -> bool:
    """Is there a file? Raises IchnosError where that may not be asked."""
    found = _asked(path)
    return found is not None and stat.S_ISREG(found.st_mode)


def is_folder(path: Path | str) -> bool:
    """Is there a folder? Raises IchnosError where that may not be asked."""
    found = _asked(path)
    return found is not None and stat.S_ISDIR(found.st_mode)


def exists(path: Path | str) -> bool:
    """Is there anything, also a link that leads nowhere? Raises IchnosError where that may not be asked."""
    return _asked(path) is not None or is_link(path)


def spelled(path: Path) -> Path:
    """A path as the disk has it: an accent may be spelled in two ways (Unicode, UAX 15), as macOS does."""
    if str(path).isascii() or exists(path):
        return path
    here = Path(path.anchor)
    for part in path.relative_to(here).parts:
        forms = (part, *(unicodedata.normalize(form, part) for form in ("NFC", "NFD")))
        here /= next((form for form in forms if exists(here / form)), part)
    return here


def is_link(path: Path | str) -> bool:
    """Is it a link, wherever that leads?"""
    return os.path.islink(path)


def is_same(one: Path, other: Path) -> bool:
    """Are both one file, under whatever names?"""
    with translated(one, reading=True):
        return os.path.samefile(one, other)


def size(path: Path | str) -> int:
    """A file's bytes. Raises IchnosError where it cannot be asked."""
    return _known(path).st_size


def changed_at(path: Path | str) -> int:
    """When a file was changed, in nanoseconds. Raises IchnosError where it cannot be asked."""
    return _known(path).st_mtime_ns


def _known(path: Path | str) -> os.stat_result:
    try:
        return os.stat(path)
    except (OSError, ValueError) as error:
        raise reason(error, path, reading=True) from None


def refuse_no_file(path: Path | str, shown: Path | str | None = None) -> None:
    """Raises IchnosError where a path is no file to be read: not there, a folder, a device, a pipe."""
    try:
        mode = os.stat(path).st_mode
    except (OSError, ValueError) as error:
        raise reason(error, shown or path, reading=True) from None
    if stat.S_ISDIR(mode):
        raise IchnosError("this is a folder, not a file", place=Place(str(shown or path)), cure="name a file in it")
    if not stat.S_ISREG(mode):
        raise IchnosError("this is a device or a pipe, not a file", place=Place(str(shown or path)), cure="name a file")


@contextmanager
def opened(path: Path, shown: Path | str | None = None) -> Iterator[BufferedReader]:
    """A file, open for reading. ``shown``: what messages call it.

    Raises:
        IchnosError: it is no file, or may not be read.
    """
    refuse_no_file(path, shown)
    with translated(shown or path, reading=True), open(path, "rb") as stream:
        yield stream


def stream(path: Path | str) -> BufferedReader:
    """A file, open for reading, to be closed by the caller. Raises IchnosError as ``opened`` does."""
    refuse_no_file(path)
    with translated(path, reading=True):
        return open(path, "rb")


def read(path: Path, shown: Path | str | None = None, *, most: int = MAX_TEXT) -> bytes:
    """All bytes of a file that is read whole.

    Args:
        shown: what messages call it.
        most: bytes; a larger file is refused.

    Raises:
        IchnosError: it is no file, may not be read, or is too large.
    """
    with opened(path, shown) as source:
        data = source.read(most + 1)
    if len(data) > most:
        what = f"this file is larger than {most / 2**20:,.0f} MiB, and no text that is read here is"
        raise IchnosError(what, place=Place(str(shown or path)), cure="is it the right file?")
    return data


def names(folder: Path) -> list[str]:
    """The names in a folder, sorted. Raises IchnosError where it may not be read."""
    with translated(folder, reading=True):
        return sorted(os.listdir(folder))


def below(folder: Path) -> list[Path]:
    """All files below a folder, sorted; links among them, but none is followed into another folder.

    Raises:
        IchnosError: a folder may not be read. Nothing is left out for that in silence.
    """
    return sorted(Path(parent, name) for parent, _, files in os.walk(folder, onerror=_refuse) for name in files)


def names_below(folder: Path, *, links: bool = False) -> list[str]:
    """The files below a folder by their path from it, with slashes, sorted; no links. Raises as ``below`` does.

    Args:
        links: the links instead, to whatever they lead.
    """
    found: list[str] = []
    folders = [("", str(folder))]
    while folders:
        name, inside = folders.pop()
        with translated(inside, reading=True), os.scandir(inside) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    folders.append((f"{name}{entry.name}/", entry.path))
                elif entry.is_symlink() if links else entry.is_file(follow_symlinks=False):
                    found.append(f"{name}{entry.name}")
    return sorted(found, key=lambda one: one.split("/"))


def everything_below(folder: Path) -> list[Path]:
    """All files and folders below a folder, sorted; links are not followed. Raises IchnosError as ``below`` does."""
    return sorted(
        Path(parent, name) for parent, folders, files in os.walk(folder, onerror=_refuse) for name in (*folders, *files)
    )


def _refuse(error: OSError) -> None:
    if error.errno not in _NOTHING:
        raise reason(error, error.filename or "", reading=True) from None


def from_home(path: str) -> str:
    """A path with ``~/`` at its beginning spelled out."""
    return os.path.expanduser(path) if path.startswith(("~/", "~\\")) else path


def resolved(path: Path) -> Path:
    """A path without links and dots. Raises IchnosError for a name that the system does not take."""
    try:
        return Path(os.path.realpath(path))
    except (OSError, ValueError) as error:
        raise reason(error, path, reading=True) from None


def own_place(root: Path, path: Path) -> Path:
    """A path below a root that is not reached through a link: nothing that we write by ourselves leads out.

    Raises:
        IchnosError: a link stands on the way.
    """
    at = str(root)
    for name in path.relative_to(root).parts:
        at = os.path.join(at, name)
        if os.path.islink(at):
            what = f"a link stands here, to {os.readlink(at)}, and nothing is written through it unasked"
            raise IchnosError(what, place=Place(str(at)), cure="delete the link, or name another folder: --to FOLDER")
    return path


def refuse_way_out(root: Path, path: Path, shown: str) -> None:
    """Raises IchnosError where a file of a folder lies outside of it, by its path or by a link.

    Read, that could be anybody's secret, and get into a pack; written, anybody's work.
    """
    if os.path.lexists(path) and not resolved(path).is_relative_to(resolved(root)):
        what = "this leads out of the workspace"
        raise IchnosError(what, place=Place(shown), cure="put the file itself into the workspace")


def link_target(path: Path) -> str:
    """Where a link leads, as it says."""
    with translated(path, reading=True):
        return os.readlink(path)


def make_folder(path: Path) -> None:
    """Make a folder and those above it, where they are not there. Raises IchnosError where that cannot be."""
    try:
        os.makedirs(path, exist_ok=True)
    except (OSError, ValueError) as error:
        raise reason(error, path) from None


def remove(path: Path) -> None:
    """Remove a file, where it is there. Raises IchnosError where it may not be."""
    with translated(path), suppress(FileNotFoundError):
        os.unlink(path)


def remove_folder(path: Path) -> None:
    """Remove a folder with all that is in it. Raises IchnosError where something of it stays."""
    with translated(path):
        shutil.rmtree(path)


def rename(path: Path, to: Path) -> None:
    """Give a file another name in its folder, in one step. Raises IchnosError where that cannot be."""
    with translated(to):
        os.replace(path, to)


def remove_if_possible(path: Path) -> None:
    """Remove a file that is of no use any more; where it may not be, it stays."""
    with suppress(OSError):
        os.unlink(path)


def copy(source: Path, to: Path) -> str:
    """A file's bytes into a new file, and their SHA-256 in hexadecimal. Raises IchnosError where either cannot be."""
    import hashlib

    found = hashlib.sha256()
    with opened(source) as origin, translated(to), open(to, "wb") as out:
        while piece := origin.read(1 << 20):
            found.update(piece)
            out.write(piece)
    return found.hexdigest()


def try_place(path: Path) -> None:
    """Find out before the work, not after it, that a file or a folder cannot be put here. Raises IchnosError then."""
    import uuid

    make_folder(path.parent)
    probe = path.parent / f".probe.{uuid.uuid4().hex[:8]}.partial"  # swept away, should it be left
    with translated(path.parent):
        os.close(os.open(probe, os.O_WRONLY | os.O_CREAT | os.O_EXCL))
        os.unlink(probe)


def write(path: Path, data: bytes) -> None:
    """Write a file in a place of our own, its folder with it. What must be whole or not at all: ``write_whole``."""
    make_folder(path.parent)
    with translated(path), open(path, "wb") as out:
        out.write(data)


@contextmanager
def written(path: Path) -> Iterator[IO[bytes]]:
    """A new file, open for writing and reading. Call ``sync`` for one that must survive a loss of power."""
    with translated(path), open(path, "w+b") as out:
        yield out


def sync(path: Path) -> None:
    """Wait until a file's bytes are on the disk. Raises IchnosError where the disk does not take them."""
    with translated(path):
        handle = os.open(path, os.O_RDWR)  # Windows syncs nothing that is open for reading alone
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def free(path: Path) -> tuple[int, int]:
    """The bytes that are free where a folder is, and which disk that is; of one that is not there yet, above it."""
    while not os.path.isdir(path) and path != path.parent:
        path = path.parent
    with translated(path, reading=True):
        return shutil.disk_usage(path).free, os.stat(path).st_dev


def digest(path: Path) -> str:
    """The SHA-256 of a file, in hexadecimal. Raises IchnosError where it cannot be read."""
    with opened(path) as source:
        return digest_of(source)


def digest_of(source: IO[bytes]) -> str:
    """The SHA-256 of what is left in a stream, in hexadecimal."""
    import hashlib

    found = hashlib.sha256()
    while piece := source.read(1 << 18):
        found.update(piece)
    return found.hexdigest()
