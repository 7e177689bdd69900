"""Games that read only what their own encoder writes.

Ichnos runs no program. It puts each clip, ready to be encoded, into ``to-encode/`` of the workspace
under its final name; the person runs the encoder, and puts what it wrote into ``encoded/``.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.paths import shown
from ichnos.files.writing import fresh, write_whole
from ichnos.pack.plan.plan import BuildPlan, PlannedFile

READY, ENCODED, LIST = "to-encode", "encoded", "TO-ENCODE.txt"
_NOTED = "put-out.json"  # beside what is to be encoded: which conversion each file there is, and since when

PutOut = dict[str, tuple[str, int]]  # by path: the conversion's identity, and the time (ns)


@dataclass(frozen=True)
class Task:
    """One file that the game's encoder has to write. ``open``: it has not, or not since the clip changed."""

    file: PlannedFile
    ready: Path  # what is to be encoded
    encoded: Path  # where the result is expected
    open: bool


def _noted(folder: Path) -> dict[str, PutOut]:
    """What was put out, for each game; "" is the workspace's first."""
    path = disk.own_place(folder, folder / READY / _NOTED)
    try:
        noted = json.loads(disk.read(path)) if disk.is_file(path) else {}
        return {
            str(game): {str(path): (str(one), int(time)) for path, (one, time) in files.items()}
            for game, files in noted.items()
        }
    except (ValueError, TypeError, AttributeError):
        return {}  # then all of it is put out again


def tasks(folder: Path, plan: BuildPlan) -> list[Task]:
    """What the encoder has to write for a plan, and whether it is there."""
    put_out = _noted(folder).get(plan.outline.game or "", {})
    found = []
    for file in plan.files:
        if file.conversion is None:
            continue
        ready = disk.own_place(folder, folder / READY / PurePosixPath(file.path).with_suffix(".wav"))
        encoded = folder / ENCODED / file.path
        disk.refuse_way_out(folder, encoded, f"{ENCODED}/{file.path}")
        identity, time = put_out.get(file.path, ("", 0))
        current = identity == file.conversion.identity and disk.is_file(ready)
        done = current and disk.is_file(encoded) and disk.changed_at(encoded) >= time
        found.append(Task(file, ready, encoded, not done))
    return found


def with_encoded(plan: BuildPlan, tasks: Sequence[Task]) -> BuildPlan:
    """The plan with what the encoder wrote in place of the conversions.

    Raises:
        IchnosError: what stands in encoded/ is empty, or is what was to be encoded.
    """
    written = {task.file.path: task.encoded for task in tasks if not task.open}
    raise_all([wrong for task in tasks if not task.open for wrong in _not_encoded(task)])
    return replace(plan, files=tuple(replace(file, encoded=written.get(file.path)) for file in plan.files))


def _not_encoded(task: Task) -> Iterator[IchnosError]:
    place = Place(f"{ENCODED}/{task.file.path}")
    if disk.size(task.encoded) == 0:
        yield IchnosError("this file is empty", place=place, cure="run the game's own encoder again")
    elif disk.digest(task.encoded) == disk.digest(task.ready):
        what = f"this is the WAV out of {READY}/ under another name, not encoded"
        yield IchnosError(what, place=place, cure="run the game's own encoder on it")


def put_out(folder: Path, game: str | None, tasks: Sequence[Task], kept: Mapping[str, Path]) -> None:
    """Put what is open into to-encode/, with a list of it; what is there already stays as it is.

    Args:
        kept: the finished conversions, by their identity.
    """
    everything = _noted(folder)
    noted = everything.get(game or "", {})
    for task in tasks:
        conversion = task.file.conversion
        if conversion is None or not task.open:
            continue
        identity, _ = noted.get(task.file.path, ("", 0))
        if identity != conversion.identity or not disk.is_file(task.ready):
            with fresh(task.ready) as beside:
                disk.copy(kept[conversion.identity], beside)
            # The system's own clock for files: what the encoder writes later is compared with it.
            noted[task.file.path] = (conversion.identity, disk.changed_at(task.ready))
    paths = {task.file.path for task in tasks}
    everything[game or ""] = {path: noted[path] for path in noted if path in paths}
    write_whole(disk.own_place(folder, folder / READY / _NOTED), json.dumps(everything, indent=1).encode())
    write_whole(disk.own_place(folder, folder / READY / LIST), "".join(_lines(folder, tasks)).encode())


def _lines(folder: Path, tasks: Sequence[Task]) -> Iterator[str]:
    yield "What the game's own encoder has to write:\n\n"
    for task in tasks:
        if task.open:
            yield f"{shown(folder, task.ready)}  becomes  {shown(folder, task.encoded)}\n"


def refuse_open(tasks: Sequence[Task]) -> None:
    """Raises IchnosError while anything is open."""
    count = sum(task.open for task in tasks)
    if count:
        raise IchnosError(
            f"{count} of {len(tasks)} sounds are to be written by the game's own encoder",
            place=Place(READY),
            cure=f"encode what {READY}/{LIST} lists, put the results into {ENCODED}/, and build again",
        )
