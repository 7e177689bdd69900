"""Closed codecs: games that read only what their own encoder writes.

Ichnos runs no program. It lays each clip, ready to be encoded, into ``outbox/`` of the workspace
under its final name; the person runs the encoder, and lays what it wrote into ``inbox/``.
"""

from __future__ import annotations

import filecmp
import json
import os
import shutil
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any

from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files.writing import fresh, write_whole
from ichnos.pack.plan.plan import Plan, Written

LIST = "OWED.txt"


@dataclass(frozen=True)
class Errand:
    """One file that the game's encoder has to write. ``owed``: it has not, or not since the clip changed."""

    file: Written
    ready: Path  # what is to be encoded
    wanted: Path  # where the result is expected
    owed: bool


def errands(folder: Path, plan: Plan) -> list[Errand]:
    """What the encoder has to write for a plan, and whether it is there."""
    laid = _laid(folder)
    found = []
    for file in plan.files:
        if file.conversion is None:
            continue
        ready = folder / "outbox" / PurePosixPath(file.path).with_suffix(".wav")
        wanted = folder / "inbox" / file.path
        entry = laid.get(file.path, {})
        current = entry.get("identity") == file.conversion.identity and ready.is_file()
        done = current and wanted.is_file() and wanted.stat().st_mtime_ns >= entry["at"]
        found.append(Errand(file, ready, wanted, not done))
    return found


def taken_in(plan: Plan, errands: Sequence[Errand]) -> Plan:
    """The plan with what the encoder wrote in place of the conversions.

    Raises:
        IchnosError: what lies in the inbox is empty, or is what was to be encoded.
    """
    written = {errand.file.path: errand.wanted for errand in errands if not errand.owed}
    raise_all([wrong for errand in errands if not errand.owed for wrong in _not_encoded(errand)])
    return replace(plan, files=tuple(replace(file, laid=written.get(file.path)) for file in plan.files))


def _not_encoded(errand: Errand) -> Iterator[IchnosError]:
    place = Place(f"inbox/{errand.file.path}")
    if errand.wanted.stat().st_size == 0:
        yield IchnosError("this file is empty", place=place, cure="run the game's own encoder again")
    elif filecmp.cmp(errand.wanted, errand.ready, shallow=False):
        what = "this is the WAV out of the outbox under another name, not encoded"
        yield IchnosError(what, place=place, cure="run the game's own encoder on it")


def lay_out(folder: Path, errands: Sequence[Errand], kept: dict[str, Path]) -> None:
    """Lay what is owed into the outbox, with a list of it; what is laid there already stays as it is.

    Args:
        kept: the finished conversions, by their identity.
    """
    laid = _laid(folder)
    for errand in errands:
        conversion = errand.file.conversion
        if conversion is None or not errand.owed:
            continue
        entry = laid.get(errand.file.path, {})
        if entry.get("identity") != conversion.identity or not errand.ready.is_file():
            with fresh(errand.ready) as beside:
                shutil.copyfile(kept[conversion.identity], beside)
            # The system's own clock for files: what the encoder writes later is compared with it.
            laid[errand.file.path] = {"identity": conversion.identity, "at": errand.ready.stat().st_mtime_ns}
    known = {errand.file.path for errand in errands}
    write_whole(_record(folder), json.dumps({path: laid[path] for path in laid if path in known}, indent=1).encode())
    write_whole(folder / "outbox" / LIST, "".join(_lines(folder, errands)).encode())


def _lines(folder: Path, errands: Sequence[Errand]) -> Iterator[str]:
    yield "What the game's own encoder has to write:\n\n"
    for errand in errands:
        if errand.owed:
            ready, wanted = (os.path.relpath(path, folder) for path in (errand.ready, errand.wanted))
            yield f"{Path(ready).as_posix()}  becomes  {Path(wanted).as_posix()}\n"


def refuse_owed(errands: Sequence[Errand]) -> None:
    """Raises IchnosError while anything is owed."""
    owed = [errand for errand in errands if errand.owed]
    if owed:
        raise IchnosError(
            f"{len(owed)} of {len(errands)} sounds are to be written by the game's own encoder",
            place=Place("outbox"),
            cure=f"encode what outbox/{LIST} lists, lay the results into inbox/, and build again",
        )


def _record(folder: Path) -> Path:
    return folder / ".ichnos" / "outbox.json"


def _laid(folder: Path) -> dict[str, Any]:
    try:
        found = json.loads(_record(folder).read_text("utf-8"))
        return found if isinstance(found, dict) else {}
    except (OSError, ValueError):
        return {}
