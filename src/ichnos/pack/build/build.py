"""Carrying out a plan. Output appears whole or not at all."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ichnos.audio.files.forms import SUFFIXES
from ichnos.audio.process.conversion import Converted, convert
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files.archives import sha256_of, sha256_of_all, write_archive, write_folder
from ichnos.files.writing import fresh, fresh_folder, understood
from ichnos.pack.build import outbox, record, stamp
from ichnos.pack.build.seen_clips import SeenClips, clip_path, seen
from ichnos.pack.build.summary import Summary, summary
from ichnos.pack.plan.plan import Clip, Conversion, Outline, Plan, Written, planned

if TYPE_CHECKING:
    from ichnos.pack.workspace.workspace import Workspace

_PRIVATE = ".ichnos"
_KEPT_NAME = re.compile(r"\.?[0-9a-f]{64}\.(ogg|wav|flac)(\.[0-9a-f]{8}\.partial)?")


@dataclass(frozen=True)
class Prepared:
    """A plan beside what is there already: which files differ, and which conversions are still owed."""

    folder: Path  # the workspace's
    outline: Outline
    plan: Plan
    package: Path
    states: dict[str, str]
    gone: list[str]
    owed: tuple[Conversion, ...]
    last: record.Record
    why: dict[str, str]  # of files that changed: what of them did
    seen: SeenClips
    errands: tuple[outbox.Errand, ...] = ()  # for the game's own encoder

    @property
    def unchanged(self) -> bool:
        return not self.gone and all(state == record.SAME for state in self.states.values())


@dataclass(frozen=True)
class Built:
    """What a build did. ``size`` in bytes; ``notes`` on what was converted, clip by clip."""

    package: Path
    sha256: str
    size: int
    converted: int
    kept: int
    written: bool
    notes: tuple[str, ...] = ()
    summary: Summary | None = None


def prepare(folder: Path, outline: Outline, output: Path) -> Prepared:
    """Look at every clip, make the plan, and compare it with what is there. Writes nothing.

    Args:
        folder: the workspace's.

    Raises:
        IchnosError: every clip that cannot be used, all together; or what the plan refuses.
    """
    clips: dict[str, Clip] = {}
    known = SeenClips(folder)
    errors: list[IchnosError] = []
    for sound in outline.sounds:
        if sound.clip not in clips:
            try:
                clips[sound.clip] = known.look_at(sound.clip, sound.place)
            except IchnosError as error:
                errors.append(error)
    raise_all(errors)
    plan = planned(outline, clips)
    errands = outbox.errands(folder, plan) if outline.closed else []
    plan = outbox.taken_in(plan, errands) if errands else plan
    package = output / plan.package
    last = record.load(folder, outline.game)
    owed = tuple(one for one in plan.conversions if not kept_path(folder, one).is_file())
    states, why = last.states(plan, package), last.why(plan, package)
    gone = last.gone(plan, package)
    return Prepared(folder, outline, plan, package, states, gone, owed, last, why, known, tuple(errands))


def kept_path(folder: Path, conversion: Conversion) -> Path:
    """Where a finished conversion is kept."""
    name = f"{conversion.identity}{SUFFIXES[conversion.target.container]}"
    return folder.joinpath(_PRIVATE, "conversions", name)


def build(prepared: Prepared, advance: Callable[[float], None]) -> Built:
    """Convert what is owed, then write the package beside its name and rename it.

    Args:
        advance: called from the converting threads, with the seconds of clips converted since.

    Raises:
        IchnosError: a damaged clip, a place that cannot be written, a full disk. The package of the
            build before is untouched, and what was converted is kept.
    """
    folder, plan, package = prepared.folder, prepared.plan, prepared.package
    kept = len(plan.conversions) - len(prepared.owed)
    _refuse_links(folder)
    with suppress(IchnosError):  # only the next build's time depends on it
        prepared.seen.save()
    if prepared.unchanged:
        return Built(package, prepared.last.sha256, prepared.last.size, 0, kept, written=False)
    _try_place(package)
    notes = _convert_all(folder, prepared.owed, advance)
    if any(errand.owed for errand in prepared.errands):
        kept_files = {conversion.identity: kept_path(folder, conversion) for conversion in plan.conversions}
        outbox.lay_out(folder, prepared.errands, kept_files)
        outbox.refuse_owed(prepared.errands)
    members = [(file.path, _content(folder, file)) for file in plan.files]
    sizes = {name: len(data) if isinstance(data, bytes) else data.stat().st_size for name, data in members}
    _refuse_too_large(prepared.outline.megabytes, sizes)
    digests: dict[str, str] = {}
    if plan.archive:
        with fresh(package) as beside:
            write_archive(beside, members)
            sha256, size = sha256_of(beside), beside.stat().st_size
    else:
        _refuse_strangers(prepared)
        with fresh_folder(package) as beside:
            same = [path for path, state in prepared.states.items() if state == record.SAME]
            write_folder(beside, members, {path: package / path for path in same})
            known = prepared.last.digests(same)
            digests = {name: known.get(name) or sha256_of(beside / name) for name in sizes}
            sha256, size = sha256_of_all(digests), sum(sizes.values())
    record.save(folder, prepared.outline.game, record.of(plan, package, sha256, size, digests))
    _forget_others(folder)
    told = summary(plan, sizes, prepared.outline.megabytes)
    return Built(package, sha256, size, len(prepared.owed), kept, written=True, notes=notes, summary=told)


def _refuse_links(folder: Path) -> None:
    """What Ichnos keeps for itself stays in the workspace, whoever made it."""
    for path in (folder / _PRIVATE, folder / _PRIVATE / "conversions"):
        if path.is_symlink():
            raise IchnosError("this must be a folder, not a link", place=Place(str(path)), cure="delete the link")


def _try_place(package: Path) -> None:
    """Find out before the work, not after it, that nothing can be written there."""
    with understood(package.parent):
        package.parent.mkdir(parents=True, exist_ok=True)
        probe = package.parent / f".{package.name}.probe"
        probe.touch()
        probe.unlink()


def _refuse_too_large(most: float | None, sizes: dict[str, int]) -> None:
    total = sum(sizes.values()) / 1e6
    if most is not None and total > most:
        largest = max(sizes, key=lambda name: sizes[name])
        raise IchnosError(
            f"the pack would be {total:.1f} MB, and the game takes {most:g} MB at most",
            place=Place("ichnos.toml"),
            cure=f"shorten or leave out some clips; the largest is {largest}, {sizes[largest] / 1e6:.1f} MB",
        )


def _refuse_strangers(prepared: Prepared) -> None:
    """Never replace a folder that holds more than what this pack has, or had when it was built last."""
    package, last = prepared.package, prepared.last
    if not package.exists():
        return
    ours = {file.path for file in prepared.plan.files} | (set(last.files) if package == last.package else set())
    names = (name for name, _ in record.files_in(package))
    stranger = next((name for name in names if name not in ours), None) if package.is_dir() else package.name
    if stranger is not None:
        raise IchnosError(
            f"this holds {stranger}, which is not of this pack, so it is not replaced",
            place=Place(str(package)),
            cure="move it away, or build into another folder: --to FOLDER",
        )


def _convert_all(folder: Path, owed: tuple[Conversion, ...], advance: Callable[[float], None]) -> tuple[str, ...]:
    def one(conversion: Conversion) -> Converted:
        serial = int(conversion.identity[:8], 16)
        with fresh(kept_path(folder, conversion)) as beside:
            source = clip_path(folder, conversion.clip)
            try:
                done = convert(source, conversion.facts, conversion.target, beside, serial, advance)
            except IchnosError as error:
                raise IchnosError(error.what, place=Place(conversion.clip), cure=error.cure) from None
            if seen(source) != conversion.seen:  # what was converted is not what the result is named after
                what = "this clip has changed since the plan was made"
                raise IchnosError(what, place=Place(conversion.clip), cure="build again")
        return done

    # Decoding and encoding release the interpreter lock, so threads do convert side by side.
    pool = ThreadPoolExecutor(os.cpu_count() or 1)
    try:
        tasks = [pool.submit(one, conversion) for conversion in owed]
        done, _ = wait(tasks, return_when=FIRST_EXCEPTION)
        failed = [error for task in done if (error := task.exception()) is not None]
    finally:
        pool.shutdown(cancel_futures=True)
    unforeseen = next((error for error in failed if not isinstance(error, IchnosError)), None)
    if unforeseen is not None:
        raise unforeseen
    raise_all([error for error in failed if isinstance(error, IchnosError)])
    results = ((conversion.clip, task.result()) for conversion, task in zip(owed, tasks, strict=True))
    return tuple(f"{clip}: {note}" for clip, done in results for note in done.told())


def _content(folder: Path, file: Written) -> bytes | Path:
    if file.laid:
        return file.laid
    return kept_path(folder, file.conversion) if file.conversion else file.data or b""


def _forget_others(folder: Path) -> None:
    """Remove conversions that no build is made of any more, and parts that a killed build left."""
    wanted = record.all_kept(folder)
    conversions = folder / _PRIVATE / "conversions"
    if conversions.is_dir():
        for path in conversions.iterdir():
            if path.stem not in wanted and _KEPT_NAME.fullmatch(path.name):
                with suppress(OSError):
                    path.unlink()


def last_package(folder: Path, game: str | None) -> Path | None:
    """The package of the last build, where it is still there."""
    package = record.load(folder, game).package
    return package if package is not None and package.exists() else None


def is_current(workspace: Workspace) -> bool:
    """Would a build give the last package again?"""
    from ichnos.pack.plan import outline

    package = last_package(workspace.folder, workspace.game)
    last = stamp.load(workspace.folder, workspace.game, None)
    if last and last.stands and last.package == package:
        return True
    try:
        return package is not None and prepare(workspace.folder, outline.make(workspace), package.parent).unchanged
    except IchnosError:
        return False


def usual_output(folder: Path, game: str | None) -> Path:
    """Where packs go: build/ in the workspace, and a folder in it for each other game."""
    return folder / "build" / game if game else folder / "build"
