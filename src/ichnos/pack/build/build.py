"""Carrying out a plan. Output appears whole or not at all."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Mapping
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path, PurePath

from ichnos.audio.files.clips import OpenSound
from ichnos.audio.files.forms import SUFFIXES
from ichnos.audio.process.conversion import convert
from ichnos.audio.process.target import Converted
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk, signatures
from ichnos.files.archives import sha256_of_all, write_archive, write_folder
from ichnos.files.disk import opened
from ichnos.files.signatures import sign_file
from ichnos.files.threads import run_side_by_side
from ichnos.files.writing import fresh, fresh_folder, fresh_name, replace
from ichnos.pack.build import comparison, own_encoder
from ichnos.pack.build.comparison import SAME, Comparison
from ichnos.pack.build.known_clips import KnownClips
from ichnos.pack.build.state import LastBuild, WorkspaceState
from ichnos.pack.build.summary import Summary, summary
from ichnos.pack.plan.plan import BuildPlan, Clip, Conversion, Outline, PlannedFile, make_plan
from ichnos.pack.workspace.folder import clip_path, private_path

_KEPT_NAME = re.compile(r"\.?[0-9a-f]{64}\.(ogg|wav|flac)(\.[0-9a-f]{8}\.partial)?")


@dataclass(frozen=True)
class Prepared:
    """A plan beside what is there already: which files differ, and which conversions are still to be made."""

    folder: Path  # the workspace's
    plan: BuildPlan
    package: Path
    comparison: Comparison
    missing: tuple[Conversion, ...]
    last: LastBuild | None
    clips: KnownClips
    tasks: tuple[own_encoder.Task, ...] = ()  # for the game's own encoder

    @property
    def outline(self) -> Outline:
        return self.plan.outline


@dataclass(frozen=True)
class Built:
    """What a build did. ``size`` in bytes; ``notes`` on what was converted, clip by clip.

    ``digests``: of each file of a folder.
    """

    package: Path
    sha256: str
    size: int
    converted: int
    kept: int
    written: bool
    notes: tuple[str, ...] = ()
    summary: Summary | None = None
    digests: Mapping[str, str] | None = None


def prepare(
    folder: Path, outline: Outline, output: Path, state: WorkspaceState | None, last: LastBuild | None
) -> Prepared:
    """Look at every clip, make the plan, and compare it with what is there. Writes nothing.

    Args:
        folder: the workspace's.
        last: the last build for this game into this output.

    Raises:
        IchnosError: every clip that cannot be used, all together; or what the plan refuses.
    """
    known_clips = KnownClips(folder, state)
    wanted: dict[str, Place] = {}  # where each is used first
    for sound in outline.sounds:
        wanted.setdefault(sound.use.clip, sound.use.place)

    def look(clip: str) -> Clip | IchnosError:
        try:
            return known_clips.look_at(clip, wanted[clip])
        except IchnosError as error:
            return error

    found = dict(zip(wanted, run_side_by_side(look, wanted), strict=True))
    raise_all([result for result in found.values() if isinstance(result, IchnosError)])
    clips = {name: result for name, result in found.items() if isinstance(result, Clip)}
    plan = make_plan(outline, clips)
    tasks = own_encoder.tasks(folder, plan) if outline.own_encoder else []
    plan = own_encoder.with_encoded(plan, tasks) if tasks else plan
    package = output / outline.package
    if last is not None and last.package != package:
        last = None
    kept = state.digests() if state else {}
    there = _kept_names(folder)
    missing = tuple(
        conversion
        for conversion in plan.conversions
        if conversion.identity not in kept or _kept_name(conversion) not in there
    )
    return Prepared(folder, plan, package, comparison.compare(plan, last), missing, last, known_clips, tuple(tasks))


def _kept_folder(folder: Path) -> Path:
    return private_path(folder, "conversions")


def _kept_name(conversion: Conversion) -> str:
    return f"{conversion.identity}{SUFFIXES[conversion.target.container]}"


def _kept_names(folder: Path) -> set[str]:
    """The files in which conversions are kept, by their names."""
    kept = _kept_folder(folder)
    return set(disk.names(kept)) if disk.is_folder(kept) else set()


# Documents that say something of finished sound files, filled: of each such file by its path its own, and what the
# game's own encoder made it of.
Finish = Callable[[Mapping[str, tuple[Path, Path | None]]], Mapping[str, bytes]]


def build(prepared: Prepared, state: WorkspaceState, on_progress: Callable[[float], None], finish: Finish) -> Built:
    """Convert what is missing, then write the package beside its name and rename it.

    Args:
        finish: fills the documents that say something of finished sound files.
        on_progress: called from the converting threads, with the seconds of clips converted since.

    Raises:
        IchnosError: a damaged clip, a place that cannot be written, a full disk. The package of the
            build before is untouched, and what was converted is kept.
    """
    folder, plan, package = prepared.folder, prepared.plan, prepared.package
    with suppress(IchnosError):  # only the next build's time depends on it
        prepared.clips.note(state)
    if prepared.comparison.unchanged and prepared.last is not None:
        return Built(package, prepared.last.sha256, prepared.last.size, 0, len(plan.conversions), written=False)
    _try_place(package)
    missing = [*prepared.missing, *_damaged(prepared, state)]
    notes = _convert_all(folder, state, missing, on_progress)
    if any(task.open for task in prepared.tasks):
        kept_files = {
            conversion.identity: _kept_folder(folder) / _kept_name(conversion) for conversion in plan.conversions
        }
        own_encoder.put_out(folder, prepared.outline.game, prepared.tasks, kept_files)
        own_encoder.refuse_open(prepared.tasks)
    members = _members(prepared, finish)
    sizes = {name: len(data) if isinstance(data, bytes) else disk.size(data) for name, data in members}
    _refuse_too_large(prepared.outline.megabytes, sizes)
    digests: dict[str, str] = {}
    if prepared.outline.archive:
        with fresh(package) as beside:
            write_archive(beside, members)
            sha256, size = disk.digest(beside), disk.size(beside)
    else:
        _refuse_strangers(prepared)
        with fresh_folder(package) as beside:
            same = [path for path, was in prepared.comparison.states.items() if was == SAME]
            known = {path: prepared.last.files[path].sha256 for path in same} if prepared.last else {}
            written = write_folder(beside, members, {path: package / path for path in same})
            digests = {name: written.get(name) or known.get(name) or disk.digest(beside / name) for name in sizes}
            sha256, size = sha256_of_all(digests), sum(sizes.values())
    told = summary(plan, sizes, prepared.outline.megabytes)
    kept = len(plan.conversions) - len(missing)
    return Built(package, sha256, size, len(missing), kept, True, notes, told, digests)


def _members(prepared: Prepared, finish: Finish) -> list[tuple[str, bytes | Path]]:
    """Each file of the pack: its path there, and its bytes or where they are."""
    conversions, files = _kept_folder(prepared.folder), prepared.plan.files
    members = [(file.path, _content(conversions, file)) for file in files]
    if not any(file.is_built for file in files):
        return members
    sounds = {
        file.path: (content, conversions / _kept_name(file.conversion) if file.encoded else None)
        for file, (_, content) in zip(files, members, strict=True)
        if file.conversion and isinstance(content, Path)
    }
    said = finish(sounds)
    return [(path, said.get(path, content)) for path, content in members]


def _damaged(prepared: Prepared, state: WorkspaceState) -> list[Conversion]:
    """Kept conversions that are to be packed and are not what was kept, whoever changed them."""
    noted = state.digests()
    missing = {conversion.identity for conversion in prepared.missing}
    packed = {
        file.conversion.identity: file.conversion
        for file in prepared.plan.files
        if file.conversion and not file.encoded and not _stays(prepared, file)
    }
    damaged = []
    conversions = _kept_folder(prepared.folder)
    for identity, conversion in packed.items():
        path = conversions / _kept_name(conversion)
        if identity not in missing and (disk.is_link(path) or disk.digest(path) != noted.get(identity)):
            damaged.append(conversion)
    return damaged


def _stays(prepared: Prepared, file: PlannedFile) -> bool:
    """Is it taken over from the package of the build before?"""
    return not prepared.outline.archive and prepared.comparison.states[file.path] == SAME


def _try_place(package: Path) -> None:
    """Find out before the work, not after it, that nothing can be written there."""
    disk.try_place(package)


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
    if not disk.exists(package):
        return
    ours = {file.path for file in prepared.plan.files} | (set(last.files) if last else set())
    names = (name for name, _ in signatures.files_in(package))
    stranger = next((name for name in names if name not in ours), None) if disk.is_folder(package) else package.name
    if stranger is not None:
        raise IchnosError(
            f"this holds {stranger}, which is not of this pack, so it is not replaced",
            place=Place(str(package)),
            cure="move it away, or build into another folder: --to FOLDER",
        )


def _convert_all(
    folder: Path, state: WorkspaceState, missing: list[Conversion], on_progress: Callable[[float], None]
) -> tuple[str, ...]:
    """Convert clips side by side, and keep the results. Gives what there is to say of them."""
    digests: dict[str, str] = {}

    def one(conversion: Conversion) -> Converted:
        serial = int(conversion.identity[:8], 16)
        source = clip_path(folder, conversion.clip)
        kept = _kept_folder(folder) / _kept_name(conversion)
        # Not synced: should it be lost with the power, its digest shows that before it is packed.
        with fresh_name(kept) as beside, opened(source) as stream:
            sound = OpenSound(stream, conversion.clip, facts=conversion.facts)
            try:
                done = convert(sound, conversion.target, beside, serial, on_progress)
            except IchnosError as error:
                _refuse_changed(source, conversion)
                raise IchnosError(error.what, place=Place(conversion.clip), cure=error.cure) from None
            _refuse_changed(source, conversion)
            digests[conversion.identity] = disk.digest(beside)
            replace(beside, kept)
        return done

    # Decoding and encoding release the interpreter lock, so threads do convert side by side.
    pool = ThreadPoolExecutor(os.cpu_count() or 1)
    try:
        # The longest first, so that no thread is left alone with one at the end.
        by_length = sorted(missing, key=lambda conversion: -conversion.facts.seconds)
        tasks = {conversion.identity: pool.submit(one, conversion) for conversion in by_length}
        done, _ = wait(tasks.values(), return_when=FIRST_EXCEPTION)
        failed = [error for task in done if (error := task.exception()) is not None]
    finally:
        pool.shutdown(cancel_futures=True)
        if digests:
            state.note_conversions(digests)
    unforeseen = next((error for error in failed if not isinstance(error, IchnosError)), None)
    if unforeseen is not None:
        raise unforeseen
    raise_all([error for error in failed if isinstance(error, IchnosError)])
    results = ((conversion.clip, tasks[conversion.identity].result()) for conversion in missing)
    return tuple(f"{clip}: {note}" for clip, done in results for note in done.remarks())


def _refuse_changed(source: Path, conversion: Conversion) -> None:
    """Raises IchnosError where a clip is not any more what the conversion is named after."""
    if sign_file(source) != conversion.signature:
        what = "this clip has changed since the plan was made"
        raise IchnosError(what, place=Place(conversion.clip), cure="build again")


def _content(conversions: Path, file: PlannedFile) -> bytes | Path:
    if file.encoded:
        return file.encoded
    return conversions / _kept_name(file.conversion) if file.conversion else file.data or b""


def forget_others(folder: Path, state: WorkspaceState) -> None:
    """Remove conversions that no build is made of any more, and parts that a killed build left."""
    stay = state.forget_conversions()
    conversions = _kept_folder(folder)
    for name in _kept_names(folder):
        if PurePath(name).stem not in stay and _KEPT_NAME.fullmatch(name):
            disk.remove_if_possible(conversions / name)
