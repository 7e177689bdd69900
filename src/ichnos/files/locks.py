"""One process at a time: a lock in a folder, for whoever reads, changes and writes there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from ichnos.files.disk import translated

_AT_ONCE = 0.05  # seconds


@contextmanager
def locked(path: Path, on_wait: Callable[[], None] = lambda: None) -> Iterator[None]:
    """Hold a lock file. A thread that holds it already may take it again.

    Args:
        on_wait: called once where another process holds it, before waiting for that one.

    Raises:
        IchnosError: the lock file cannot be written.
    """
    from filelock import FileLock, Timeout

    with translated(path):
        path.parent.mkdir(parents=True, exist_ok=True)
        lock = FileLock(path, is_singleton=True)
        try:
            lock.acquire(timeout=_AT_ONCE)
        except Timeout:
            on_wait()
            lock.acquire()
    try:
        yield
    finally:
        lock.release()
