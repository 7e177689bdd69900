"""Writing files so that a reader finds the old or the new, never a part."""

from __future__ import annotations

import errno
import os
import shutil
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

from ichnos.errors import IchnosError, Place


@contextmanager
def fresh(path: Path) -> Iterator[Path]:
    """A new file beside ``path`` that takes its name when the block ends well, and else is removed."""
    beside = path.with_name(f".{path.name}.{uuid.uuid4().hex[:8]}.partial")
    with understood(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            yield beside
            beside.replace(path)
        finally:
            with suppress(OSError):
                beside.unlink(missing_ok=True)


@contextmanager
def fresh_folder(path: Path) -> Iterator[Path]:
    """A new folder beside ``path`` that takes its place when the block ends well, and else is removed.

    A folder cannot be replaced in one step everywhere: the old one is set aside first, and brought
    back by the next build should this one be killed in between.
    """
    beside, aside = path.with_name(f".{path.name}.partial"), path.with_name(f".{path.name}.before")
    with understood(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        if aside.exists() and not path.exists():
            aside.replace(path)
        for left in (beside, aside):
            shutil.rmtree(left, ignore_errors=True)
        try:
            yield beside
            if path.exists():
                path.replace(aside)
            beside.replace(path)
        finally:
            if not path.exists() and aside.exists():
                aside.replace(path)
            shutil.rmtree(beside, ignore_errors=True)
            shutil.rmtree(aside, ignore_errors=True)


def write_whole(path: Path, data: bytes) -> None:
    """Write a file, durably, all of it or nothing."""
    with fresh(path) as beside, beside.open("wb") as stream:
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())


_REASONS = {
    errno.ENOSPC: ("the disk is full", "make room, then build again: what is converted so far is kept"),
    errno.EFBIG: ("the file would be larger than the system allows", "raise the limit, or build on another disk"),
    errno.EDQUOT: ("your share of the disk is full", "make room, then build again: what is converted so far is kept"),
    errno.EROFS: ("this place is read-only", "choose a folder that you may write to"),
    errno.EACCES: ("this place may not be written to", "choose another folder, or change its permissions"),
    errno.EPERM: ("this place may not be written to", "choose another folder, or change its permissions"),
    errno.EEXIST: ("a file stands where a folder is needed", "move that file away"),
    errno.ENOTDIR: ("a file stands where a folder is needed", "move that file away"),
}


@contextmanager
def opened(path: Path) -> Iterator[IO[bytes]]:
    """A file, open for reading. Raises IchnosError, with the reason, where it cannot be opened."""
    with understood(path), path.open("rb") as stream:
        yield stream


@contextmanager
def understood(path: Path) -> Iterator[None]:
    """Turn the system's errors into ones a person can act on.

    Raises:
        IchnosError: for whatever the system refuses, with the reason and a cure.
    """
    try:
        yield
    except OSError as error:
        what, cure = _REASONS.get(error.errno or 0, (str(error.strerror or error).lower(), "see to it, then try again"))
        raise IchnosError(what, place=Place(str(path)), cure=cure) from None
