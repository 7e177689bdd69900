"""Verdicts: what somebody who listened said of each sound, as a table that the listening page writes and reads.

The columns: ``key``; ``verdict``: keep, redo, or nothing; ``note``; ``heard``: which sound was judged, so that a
verdict of another sound under the same key is not taken for one of this.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from ichnos.documents.rows import CsvTable
from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.writing import write_whole
from ichnos.likeness import did_you_mean

FILE_NAME = "verdicts.csv"
KEEP, REDO = "keep", "redo"
COLUMNS = ("key", "verdict", "note", "heard")
LENGTH = 16  # hex digits of ``heard``


@dataclass(frozen=True)
class Verdict:
    """What was said of a sound. ``heard``: of which; empty where nobody says it."""

    key: str
    verdict: str = ""
    note: str = ""
    heard: str = ""
    place: Place | None = None


def read(data: bytes, label: str) -> list[Verdict]:
    """The verdicts of a table.

    Raises:
        IchnosError: with line and column, all that is not as it must be.
    """
    text = from_bytes(data, label)
    rows = CsvTable().parse(text).children
    header = next((row for row in csv.reader(io.StringIO(text.content)) if row), [])
    _refuse_header(header, text.place(0))
    errors: list[IchnosError] = []
    found: dict[str, Verdict] = {}
    for row in rows:
        cells = {cell.label: cell for cell in row.children}
        said = {str(name): str(cell.value or "") for name, cell in cells.items()}
        if not said.get("key") or "verdict" not in said:
            cure = "give it a key and a verdict, or delete it"
            errors.append(IchnosError("this row says nothing", place=text.place(row.start), cure=cure))
            continue
        place = text.place(row.start)
        verdict, heard = said["verdict"].strip().lower(), said.get("heard", "").strip().lower()
        if verdict not in ("", KEEP, REDO):
            at = text.place(cells["verdict"].start)
            errors.append(
                IchnosError(f'there is no verdict "{verdict}"', place=at, cure="say keep, redo, or leave it empty")
            )
        if heard and not re.fullmatch(rf"[0-9a-f]{{{LENGTH}}}", heard):
            at = text.place(cells["heard"].start)
            cure = "leave the column heard as the page wrote it, or empty"
            errors.append(IchnosError(f'"{heard}" does not say which sound was heard', place=at, cure=cure))
        if said["key"] in found:
            what = f'the key "{said["key"]}" has a verdict already, in line {_line(found[said["key"]])}'
            errors.append(IchnosError(what, place=place, cure="keep one of the two rows"))
        found[said["key"]] = Verdict(said["key"], verdict, said.get("note", ""), heard, place)
    raise_all(errors)
    return list(found.values())


def _refuse_header(columns: list[str], place: Place) -> None:
    """Raises IchnosError where these are not the columns of a table of verdicts."""
    cure = f"the first line is: {','.join(COLUMNS)}, with commas"
    if not {"key", "verdict"} <= set(columns):
        raise IchnosError("this is no table of verdicts", place=place, cure=cure)
    for name in columns:
        if name not in COLUMNS:
            raise IchnosError(f'a table of verdicts has no column "{name}"', place=place, cure=cure)


def _line(verdict: Verdict) -> int | None:
    return verdict.place.line if verdict.place else None


def refuse_unknown(verdicts: Iterable[Verdict], keys: Iterable[str]) -> None:
    """Raises IchnosError where a verdict is of a key that is not among these, for each of them."""
    known = set(keys)
    strange = [one for one in verdicts if one.key not in known]
    raise_all(
        [
            IchnosError(
                f'there is no sound "{one.key}" to have a verdict',
                place=one.place,
                cure=did_you_mean(known, one.key, otherwise="give the key a clip first"),
            )
            for one in strange
        ]
    )


def together(before: Iterable[Verdict], after: Iterable[Verdict]) -> list[Verdict]:
    """Verdicts by key, the later in place of the earlier; one that says nothing any more is taken out."""
    found = {one.key: one for one in (*before, *after)}
    return [one for one in found.values() if one.verdict or one.note]


def written(verdicts: Iterable[Verdict]) -> bytes:
    """The table (CSV, RFC 4180, UTF-8), in the order of the keys."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    table.writerow(COLUMNS)
    for one in sorted(verdicts, key=lambda verdict: verdict.key):
        table.writerow((one.key, one.verdict, one.note, one.heard))
    return out.getvalue().encode()


def of_workspace(folder: Path) -> list[Verdict]:
    """The verdicts that a workspace has.

    Raises:
        IchnosError: its table is not as it must be.
    """
    path = folder / FILE_NAME
    return read(disk.read(path, FILE_NAME), FILE_NAME) if disk.is_file(path) else []


def keep(folder: Path, verdicts: Iterable[Verdict]) -> None:
    """Write the verdicts of a workspace, whose lock the caller holds."""
    path = folder / FILE_NAME
    disk.refuse_way_out(folder, path, FILE_NAME)
    write_whole(path, written(verdicts))
