"""A plain list of keys as a catalogue, for a game whose definitions nobody can read."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.signatures import sign_all
from ichnos.games.catalogues.catalogue import JOINT, Catalogue

_SUFFIXES = (".csv", ".tsv", ".txt", ".list")
_COMMENTS = ("#", "//")


def is_list(source: Path) -> bool:
    """Is it a list of keys, and neither an installation nor an archive of one?"""
    return source.suffix.lower() in _SUFFIXES and not disk.is_folder(source)


def read_list(source: Path) -> Catalogue:
    """Read a list of keys: one in each line, or a table (RFC 4180; also with semicolons or tabs).

    A table has a first line that names its columns: key, and if it is known category and file. Rows of
    one key are its files.

    Raises:
        IchnosError: a key that stands there twice without a file of its own, or no key at all.
    """
    content = from_bytes(disk.read(source), str(source)).content
    found = Catalogue(source=str(source), seen=sign_all([str(source)]))
    rows = list(_rows(content))
    lines: dict[str, int] = {}
    for line, row in rows:
        key, file = row["key"], row.get("file", "")
        if key in lines and file:
            index = found.keys.index(key)
            found.files[index] = JOINT.join(filter(None, (found.files[index], file)))
            continue
        if key in lines:
            raise IchnosError(
                f'the key "{key}" stands in line {lines[key]} already',
                place=Place(str(source), line),
                cure="keep one of the two lines",
            )
        lines[key] = line
        found.keys.append(key)
        found.categories.append(row.get("category") or None)
        found.files.append(file)
    if not found.keys:
        raise IchnosError("there is no key in this list", place=Place(str(source)), cure="write one key in each line")
    count = len(found.keys)
    found.mentions, found.sounds = [None] * count, [None] * count
    found.seconds, found.peaks = [None] * count, [None] * count
    return found


def _rows(content: str) -> list[tuple[int, dict[str, str]]]:
    lines = content.splitlines()
    first = next((line for line in lines if line.strip() and not line.startswith(_COMMENTS)), "")
    separator = next((mark for mark in "\t;," if mark in first), ",")
    columns = [name.strip().lower() for name in next(csv.reader([first], delimiter=separator), [])]
    found = []
    if "key" in columns:
        reader = csv.DictReader(io.StringIO(content), columns, delimiter=separator)
        for row in reader:
            cells = {name: (cell or "").strip() for name, cell in row.items() if isinstance(name, str)}
            if cells["key"] and not cells["key"].startswith(_COMMENTS):
                found.append((reader.line_num, cells))
        return found[1:]  # the first names the columns
    for number, line in enumerate(lines, 1):
        if line.strip() and not line.startswith(_COMMENTS):
            found.append((number, {"key": line.strip()}))
    return found
