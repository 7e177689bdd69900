"""Places for what is only needed for a while: files and folders that go again."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

from ichnos.files.disk import translated


@contextmanager
def aside() -> Iterator[IO[bytes]]:
    """A temporary file without a name."""
    import tempfile

    with translated(tempfile.gettempdir()), tempfile.TemporaryFile() as plain:
        yield plain


def spooled(most: int) -> Any:
    """A temporary file that stays in memory up to so many bytes; it goes when it is closed, or forgotten."""
    import tempfile

    return tempfile.SpooledTemporaryFile(max_size=most)


def temporary() -> Path:
    """Where temporary files are."""
    import tempfile

    return Path(tempfile.gettempdir())


@contextmanager
def throwaway() -> Iterator[Path]:
    """A new folder that is gone, with all in it, when the block ends."""
    import tempfile

    with translated(tempfile.gettempdir()), tempfile.TemporaryDirectory(prefix="ichnos-") as folder:
        yield Path(folder)


def temporary_folder(prefix: str) -> Path:
    """A new folder for what is thrown away."""
    import tempfile

    with translated(tempfile.gettempdir()):
        return Path(tempfile.mkdtemp(prefix=prefix))
