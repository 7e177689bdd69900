"""Waiting until something that a pack is made of is saved.

The system's own notices only wake us: what has changed is seen by the files' signatures, so that
nothing is missed that is saved while we look elsewhere.
"""

from __future__ import annotations

import time
from collections.abc import Iterable
from pathlib import Path

from ichnos.files import disk
from ichnos.files.signatures import Signatures, sign

_PAUSE = 0.3  # seconds that files must stand still
_AT_MOST = 2_000  # milliseconds between two looks, should a notice fail to come


def signatures_of(paths: Iterable[Path]) -> Signatures:
    """How the files that are there are now."""
    return {
        str(path): signature for path in paths if (signature := sign(path)) is not None and not disk.is_folder(path)
    }


def wait_for_change(paths: list[Path], before: Signatures) -> tuple[list[str], Signatures]:
    """Wait until files differ from before and stand still again; which do, and how all are now."""
    while True:
        now = signatures_of(paths)
        if now != before:
            time.sleep(_PAUSE)
            if signatures_of(paths) == now:
                return sorted(path for path in now.keys() | before.keys() if now.get(path) != before.get(path)), now
            continue  # still being written
        _doze(paths)


def _doze(paths: list[Path]) -> None:
    """Wait for a notice that something happens in a folder of these files."""
    from watchfiles import watch

    folders = {path if disk.is_folder(path) else path.parent for path in paths}
    try:
        there = sorted(str(folder) for folder in folders if disk.is_folder(folder))
        next(
            watch(*there, recursive=False, watch_filter=None, debounce=50, step=50, rust_timeout=_AT_MOST,
                  yield_on_timeout=True, raise_interrupt=True),
            None,
        )  # fmt: skip
    except (OSError, RuntimeError):  # this file system, or this machine, gives no notices
        time.sleep(_PAUSE)
