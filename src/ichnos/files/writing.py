"""Writing files so that a reader finds the old or the new, never a part."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ichnos.files.disk import understood


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
