"""How files and folders stand, to be held against how they stand later."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

from ichnos.files import writing


@dataclass(frozen=True)
class FileState:
    """How a file stands: its SHA-256, its bytes, the time of its last change (ns), its mode."""

    sha256: str
    size: int
    time: int
    mode: int


def names_digest(names: Iterable[str]) -> str:
    """A digest of the names in a folder, without what is half-written."""
    whole = sorted(name for name in names if not writing.is_unfinished(name))
    return hashlib.sha256("\0".join(whole).encode("utf-8", "surrogateescape")).hexdigest()
