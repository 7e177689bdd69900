"""Which format a file is in: by its name, or by what the profile says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import PurePosixPath

from ichnos.documents.braces import Braces
from ichnos.documents.bracketed import Bracketed
from ichnos.documents.indented import Indented
from ichnos.documents.json import Json
from ichnos.documents.line_patterns import LinePatterns
from ichnos.documents.lines import Lines
from ichnos.documents.lua import Lua
from ichnos.documents.regions import mask
from ichnos.documents.rows import TAB_TABLE, CsvTable, PlainList
from ichnos.documents.text import from_bytes
from ichnos.documents.toml import Toml
from ichnos.documents.tree import Document, Format, many_nodes
from ichnos.documents.xml import Xml, declared_encoding
from ichnos.documents.yaml import Yaml
from ichnos.errors import IchnosError, Place

# By the name that a profile uses; ``escapes`` matters to those that take it.
FORMATS: dict[str, Callable[..., Format]] = {
    "json": Json,
    "xml": Xml,
    "ini": partial(Lines, name="ini", suffixes=(".ini", ".cfg"), headings=True),
    "braces": Braces,
    "lines": Lines,
    "list": PlainList,
    "csv": CsvTable,
    "tsv": lambda: TAB_TABLE,
    "line-patterns": LinePatterns,
    "indented": Indented,
    "bracketed": Bracketed,
    "yaml": Yaml,
    "toml": Toml,
    "lua": Lua,
}
MOST_SIGNS = 4_000_000  # a tree of more values would take gigabytes
_SIGNS = (b",", b"{", b"[", b"<", b";")
_WITH_ESCAPES = ("ini", "braces", "lines")
WITH_DISABLED = ("ini", "lines", "line-patterns")


def named(name: str, escapes: str | None = None, disabled: str | None = None) -> Format:
    """A format by its name.

    Args:
        escapes: "backslash" or "none"; ``None`` is the format's own way.
        disabled: what stands before an entry that is a comment.
    """
    how = {"escapes": escapes if name in _WITH_ESCAPES else None, "disabled": disabled}
    return FORMATS[name](**{what: value for what, value in how.items() if value is not None})


_BY_SUFFIX = {suffix: name for name, make in FORMATS.items() for suffix in make().suffixes}


def format_of(path: str) -> Format | None:
    """The format that a file's extension stands for, or ``None``."""
    name = _BY_SUFFIX.get(PurePosixPath(path).suffix.lower())
    return named(name) if name else None


def parse(
    data: bytes,
    path: str,
    document_format: Format,
    encoding: str | None = None,
    *,
    region: str | None = None,
    has_holes: bool = False,
) -> Document:
    """Parse a file's bytes; ``path`` is what messages call it.

    Args:
        encoding: what the profile says; a byte-order mark, or XML's own declaration, wins over it.
        region: what begins a comment: only what stands in the marked region is read, where there is one.
        has_holes: it is a profile's.
    """
    if isinstance(document_format, Xml):
        encoding = declared_encoding(data) or encoding
    text = from_bytes(data, path, encoding or "utf-8")
    if sum(map(data.count, _SIGNS)) > MOST_SIGNS:
        what = f"this file has more than {MOST_SIGNS:,} values, and no definition that is read here has"
        raise IchnosError(what, place=Place(path), cure="is it the right file?")
    with many_nodes():
        read = document_format.parse_with_holes if has_holes else document_format.parse
        own = replace(text, content=mask(text.content, region)) if region else text
        return Document(text, document_format, read(own))
