"""Has a file changed? Its size and time say so; only where those cannot, its content does."""

from __future__ import annotations

import hashlib
import os
import stat
import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO

# Size in bytes (0 for a folder) and time in nanoseconds. A third piece, where the file changed so shortly before
# that another change could go unnoticed: a digest of what is in it. None: nothing is there.
Signature = tuple[int, int] | tuple[int, int, str] | None
Signatures = dict[str, Signature]  # by path

CHANGED = (-1, -1)  # unlike anything that is seen later
SETTLED = 2_000_000_000  # nanoseconds: what changed shortly before may change again in the same tick of the clock


def sign(path: Path | str) -> tuple[int, int] | None:
    """How a file or a folder is now, by its size and time alone."""
    try:
        info = os.stat(path)
    except (OSError, ValueError):
        return None
    return 0 if stat.S_ISDIR(info.st_mode) else info.st_size, info.st_mtime_ns


def sign_file(path: Path | str) -> tuple[int, int]:
    """How a file is now. Raises FileNotFoundError where there is none, or something that is no file."""
    info = os.stat(path)
    if not stat.S_ISREG(info.st_mode):
        raise FileNotFoundError(path)
    return info.st_size, info.st_mtime_ns


def sign_open(stream: IO[bytes]) -> tuple[int, int]:
    """How a file that is open is now."""
    info = os.fstat(stream.fileno())
    return info.st_size, info.st_mtime_ns


def is_settled(signature: tuple[int, int]) -> bool:
    """Did it change so long ago that another change would show?"""
    return time.time_ns() - signature[1] >= SETTLED


def sign_all(paths: Iterable[Path | str]) -> Signatures:
    """How files and folders are now, in a way that shows every later change."""
    signed: Signatures = {}
    for path in dict.fromkeys(map(str, paths)):
        signature = sign(path)
        signed[path] = signature if signature is None or is_settled(signature) else (*signature, _digest(path))
    return signed


def _digest(path: str) -> str:
    """What is in a file, or which names are in a folder; empty where that cannot be read."""
    try:
        if os.path.isdir(path):
            return hashlib.sha256("\0".join(sorted(os.listdir(path))).encode("utf-8", "surrogateescape")).hexdigest()
        if not os.path.isfile(path):  # a device or a pipe, which may have no end
            return ""
        with open(path, "rb") as stream:
            return hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError:
        return ""


def still(signatures: Signatures) -> Signatures:
    """The same, with CHANGED for all that has changed since."""
    return {
        path: signature if sign(path) == (signature and signature[:2]) else CHANGED
        for path, signature in signatures.items()
    }


def are_same(signatures: Signatures) -> bool:
    """Is everything as it was?"""
    return all(is_same(path, signature) for path, signature in signatures.items())


def is_same(path: str, signature: Signature) -> bool:
    """Is a file or a folder as it was?"""
    if sign(path) != (signature and signature[:2]):
        return False
    return signature is None or len(signature) == 2 or _digest(path) == signature[2]


def below(folder: Path | str) -> Iterator[str]:
    """Every file and folder below a folder; links are not followed."""
    for parent, folders, files in os.walk(folder):
        yield from (os.path.join(parent, name) for name in (*folders, *files))


def files_in(folder: Path | str) -> Iterator[tuple[str, os.stat_result]]:
    """All files of a folder by their path from it, links and whatever else is no folder with them."""
    folders = [("", str(folder))]
    while folders:
        name, inside = folders.pop()
        with os.scandir(inside) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    folders.append((f"{name}{entry.name}/", entry.path))
                else:
                    yield f"{name}{entry.name}", entry.stat(follow_symlinks=False)
