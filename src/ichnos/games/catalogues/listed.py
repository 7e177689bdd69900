"""A plain list of keys as a catalogue, for a game whose definitions nobody can read."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from ichnos.documents.rows import PlainList
from ichnos.documents.tables import first_line, rows
from ichnos.documents.text import Text, from_bytes
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.signatures import sign_all
from ichnos.games.catalogues.catalogue import JOINT, Catalogue

_SUFFIXES = (".csv", ".tsv", ".txt", ".list")


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
    text = from_bytes(disk.read(source), str(source))
    catalogue = Catalogue(source=str(source), seen=sign_all([str(source)]))
    places: dict[str, Place] = {}
    for place, row in _entries(text):
        key, file = row["key"], row.get("file", "")
        if key in places and file:
            index = catalogue.keys.index(key)
            catalogue.files[index] = JOINT.join(filter(None, (catalogue.files[index], file)))
            continue
        if key in places:
            what = f'the key "{key}" stands in line {places[key].line} already'
            raise IchnosError(what, place=place, cure="keep one of the two lines")
        places[key] = place
        catalogue.add(key, row.get("category") or None, file)
    if not catalogue.keys:
        raise IchnosError("there is no key in this list", place=Place(str(source)), cure="write one key in each line")
    return catalogue


def _entries(text: Text) -> Iterator[tuple[Place, dict[str, str]]]:
    """Each key's place, and what stands beside it."""
    columns = [name.strip().strip('"').lower() for name in re.split("[,;\t]", first_line(text, comments=True))]
    if "key" in columns:
        yield from ((row.place(), row.cells) for row in rows(text, columns, loose=True) if "key" in row.cells)
    else:
        for node in PlainList().parse(text).children:
            yield text.place(node.start), {"key": node.value or ""}
