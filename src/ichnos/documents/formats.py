"""Which format a file is in, by its name."""

from __future__ import annotations

from pathlib import PurePosixPath

from ichnos.documents.json import Json
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Document, Format

FORMATS: tuple[Format, ...] = (Json(),)


def format_of(path: str) -> Format | None:
    """The format that a file's ending stands for, or ``None``."""
    suffix = PurePosixPath(path).suffix.lower()
    return next((known for known in FORMATS if suffix in known.suffixes), None)


def parse(data: bytes, path: str, document_format: Format) -> Document:
    """Parse a file's bytes; ``path`` is what messages call it."""
    text = from_bytes(data, path)
    return Document(text, document_format, document_format.parse(text))
