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

from ichnos.documents.tables import rows
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
    errors: list[IchnosError] = []
    verdicts: dict[str, Verdict] = {}
    for row in rows(from_bytes(data, label), COLUMNS, needed=("key", "verdict")):
        said, place = row.cells, row.place()
        key, verdict = said.get("key", ""), said.get("verdict", "").lower()
        heard = said.get("heard", "").lower()
        if not key:
            cure = "give it a key and a verdict, or delete it"
            errors.append(IchnosError("this row says nothing of any key", place=place, cure=cure))
            continue
        if verdict not in ("", KEEP, REDO):
            errors.append(row.wrong("verdict", f'there is no verdict "{verdict}"', "say keep, redo, or leave it empty"))
        if heard and not re.fullmatch(rf"[0-9a-f]{{{LENGTH}}}", heard):
            cure = "leave the column heard as the page wrote it, or empty"
            errors.append(row.wrong("heard", f'"{heard}" does not say which sound was heard', cure))
        if key in verdicts:
            before = verdicts[key].place
            what = f'the key "{key}" has a verdict already, in line {before.line if before else "?"}'
            errors.append(IchnosError(what, place=place, cure="keep one of the two rows"))
        verdicts[key] = Verdict(key, verdict, said.get("note", ""), heard, place)
    raise_all(errors)
    return list(verdicts.values())


def refuse_unknown(verdicts: Iterable[Verdict], keys: Iterable[str]) -> None:
    """Raises IchnosError where a verdict is of a key that is not among these, for each of them."""
    keys_known = set(keys)
    strange = [verdict for verdict in verdicts if verdict.key not in keys_known]
    raise_all(
        [
            IchnosError(
                f'there is no sound "{verdict.key}" to have a verdict',
                place=verdict.place,
                cure=did_you_mean(keys_known, verdict.key, otherwise="give the key a clip first"),
            )
            for verdict in strange
        ]
    )


def together(before: Iterable[Verdict], after: Iterable[Verdict]) -> list[Verdict]:
    """Verdicts by key, the later in place of the earlier; one that says nothing any more is taken out."""
    by_key = {verdict.key: verdict for verdict in (*before, *after)}
    return [verdict for verdict in by_key.values() if verdict.verdict or verdict.note]


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
