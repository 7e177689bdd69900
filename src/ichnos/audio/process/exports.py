"""Clips converted by themselves, outside any pack: several at once, each whole or not at all."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Literal

from ichnos.audio.blocks.spool import Spool
from ichnos.audio.files import comments, containers, loops, marks
from ichnos.audio.files.clips import Facts, OpenSound, open_sound
from ichnos.audio.files.forms import CODECS, OPUS_RATES, SUFFIXES, Choice
from ichnos.audio.files.loops import Loop, Marking
from ichnos.audio.measure.seams import LoopSeams
from ichnos.audio.process.conversion import convert, write
from ichnos.audio.process.target import Converted, Target, identity
from ichnos.audio.process.treatments import LoopFade, Step
from ichnos.errors import IchnosError, Place, UsageError, raise_all
from ichnos.files import disk
from ichnos.files.disk import opened
from ichnos.files.paths import folded
from ichnos.files.writing import fresh
from ichnos.likeness import NEAR, did_you_mean

_KINDS = {"vorbis": ("Ogg", "Vorbis"), "opus": ("Ogg", "Opus")}


@dataclass(frozen=True)
class Wish:
    """What clips are to become; what is None stays as each clip has it."""

    container: str
    codec: str
    rate: int | None = None
    channels: int | None = None
    quality: float = 5.0
    mono: Choice = "auto"
    treatment: tuple[Step, ...] = ()

    def target(self, facts: Facts) -> Target:
        """What one clip becomes."""
        rate = self.rate or facts.rate
        if self.codec == "Opus" and rate not in OPUS_RATES:
            rate = next((known for known in OPUS_RATES if known >= rate), OPUS_RATES[-1])
        channels = self.channels or min(2, facts.channels)
        return Target(self.container, self.codec, rate, channels, self.quality, self.mono, self.treatment)


def wish(container: str, codec: str | None, bits: str | None) -> tuple[str, str]:
    """The container and the codec that these words mean.

    Args:
        codec: "vorbis" or "opus". bits: "16", "24" or "float".

    Raises:
        UsageError: they do not go together.
    """
    by_name = {name.lower(): name for name in CODECS}
    if container.lower() not in by_name:
        raise UsageError(f"there is no container {container!r} here", cure=f"choose one: {', '.join(by_name)}")
    name = by_name[container.lower()]
    if codec is not None and codec.lower() not in _KINDS:
        raise UsageError(f"there is no codec {codec!r} here", cure="choose vorbis or opus; for the others say --bits")
    if bits is not None and bits not in ("16", "24", "float"):
        raise UsageError(f"samples of {bits!r} bits are not written", cure="choose 16, 24 or float")
    chosen = CODECS[name][0]
    if codec is not None:
        chosen = _KINDS[codec.lower()][1]
    elif bits is not None:
        chosen = "float 32" if bits == "float" else f"PCM {bits}"
    if chosen not in CODECS[name] or (codec is not None and bits is not None):
        raise UsageError(f"{name} does not hold {chosen}", cure=f"it holds {' or '.join(CODECS[name])}")
    return name, chosen


def found(paths: Iterable[Path]) -> list[tuple[Path, Path]]:
    """The clips that paths mean: files as they are, and all that a folder holds, by their extension.

    Returns:
        Each clip, and its path below the folder that was named (or just its name).

    Raises:
        UsageError: a path that is not there, or a folder without a clip.
    """
    clips: dict[Path, Path] = {}
    for path in map(disk.spelled, paths):
        if disk.is_folder(path):
            inside = [
                each
                for each in disk.below(path)
                if each.suffix.lower() in containers.SUFFIXES and not each.name.startswith(".") and disk.is_file(each)
            ]
            if not inside:
                raise UsageError(f"there is no clip in the folder {path}", cure="name another, or the files themselves")
            clips.update((each, each.relative_to(path)) for each in inside)
        elif disk.exists(path):
            disk.refuse_no_file(path)
            clips.setdefault(path, Path(path.name))
        else:
            raise UsageError(f"there is no clip {path}", cure=_nearest(path))
    return list(clips.items())


def one_clip(path: Path) -> Path:
    """The one clip that a path means. Raises UsageError where it is a folder, or nothing is there."""
    if disk.is_folder(path):
        raise UsageError(f"{path} is a folder", cure="name one clip")
    return found([path])[0][0]


def _nearest(missing: Path) -> str:
    beside = missing.parent
    names = [name for name in disk.names(beside) if not name.startswith(".")] if disk.is_folder(beside) else []
    return did_you_mean([str(beside / name) for name in names], str(missing), 1, least=NEAR)


@dataclass(frozen=True)
class Export:
    """One clip to convert, and where it goes. ``error``: why it cannot be."""

    clip: Path
    to: Path
    facts: Facts | None = None
    target: Target | None = None
    size: int = 0  # of the clip, in bytes
    error: IchnosError | None = None


@dataclass(frozen=True)
class Exported:
    """What became of it: either what was converted, or what went wrong."""

    export: Export
    converted: Converted | None = None
    error: IchnosError | None = None


def plan(
    clips: Sequence[tuple[Path, Path]],
    wanted: Callable[[Facts], Target],
    to: Path,
    *,
    marking: Marking | None = None,
    overwrite: bool = False,
) -> list[Export]:
    """Look at every clip, and decide what it becomes and where it goes. Writes nothing.

    Args:
        marking: how a game wants loops marked; else all of a clip's own marks are carried over.

    Raises:
        UsageError: two clips would become one file, one would replace itself, or a file is there already.
    """
    exports: list[Export] = []
    names: dict[str, Path] = {}
    errors: list[IchnosError] = []
    for clip, name in clips:
        try:
            with open_sound(clip) as sound:
                facts = sound.facts
                target = _with_marks(wanted(facts), sound, marking)
        except IchnosError as error:
            exports.append(Export(clip, to / name, error=error))
            continue
        path = to / name.with_suffix(SUFFIXES[target.container])
        exports.append(Export(clip, path, facts, target, disk.size(clip)))
        other = names.setdefault(folded(str(path)), clip)
        if other is not clip:
            errors.append(
                UsageError(f"{other} and {clip} would both become {path}", cure="convert them into two folders")
            )
        elif disk.exists(path) and disk.is_same(path, clip):
            errors.append(UsageError(f"{clip} would replace itself", cure="choose another folder: --to FOLDER"))
        elif disk.exists(path) and not overwrite:
            errors.append(UsageError(f"{path} is there already", cure="choose another folder, or say --overwrite"))
    raise_all(errors)
    return exports


def _with_marks(target: Target, sound: OpenSound, marking: Marking | None) -> Target:
    """The target with the clip's own marks: its loop as a game wants it, or all of them as they are."""
    if marking is None:
        return replace(target, keep_marks=bool(marks.read(sound.stream)))
    return replace(target, loop=marking) if loops.marked(sound.stream, sound.facts, marking) else target


def run(exports: Sequence[Export], on_progress: Callable[[float], None]) -> list[Exported]:
    """Convert them, side by side; what goes wrong with one does not stop the others.

    Args:
        heard: called from the converting threads, with the seconds done since.
    """
    # The longest first: so no thread is left alone with it at the end.
    longest_first = sorted(exports, key=lambda one: -(one.facts.seconds if one.facts else 0))
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        done = dict(
            zip(map(id, longest_first), pool.map(lambda one: _one(one, on_progress), longest_first), strict=True)
        )
    return [done[id(export)] for export in exports]


def _one(export: Export, on_progress: Callable[[float], None]) -> Exported:
    if export.facts is None or export.target is None:
        return Exported(export, error=export.error)
    try:
        with opened(export.clip) as stream, fresh(export.to) as beside:
            serial = serial_of(stream, export.target)
            tags = comments.tags(stream, export.facts)
            source = OpenSound(stream, export.clip, facts=export.facts)
            done = convert(source, export.target, beside, serial, on_progress, tags)
            return Exported(export, done)
    except IchnosError as error:
        place = error.place if error.place and error.place.path != str(export.clip) else Place(str(export.clip))
        return Exported(export, error=IchnosError(error.what, place=place, cure=error.cure))


def serial_of(source: IO[bytes], target: Target) -> int:
    """The serial number for a conversion, 32 bits, from what is in the clip and what it becomes."""
    source.seek(0)
    digest = hashlib.file_digest(source, "sha256").hexdigest()  # type: ignore[arg-type]
    source.seek(0)
    return int(identity(digest, target)[:8], 16)


def split(
    clip: Path, pieces: Sequence[tuple[int, int]], to: Path, on_progress: Callable[[float], None], *, overwrite: bool
) -> list[Path]:
    """Write pieces of a recording as WAV files NAME-1.wav, NAME-2.wav, ..., its samples kept to the bit.

    Args:
        pieces: the first frame of each, and the frame behind its last.

    Raises:
        UsageError: a file is there already.
        IchnosError: the clip is damaged, or a file cannot be written. Pieces written before stay, whole.
    """
    paths = split_names(clip, len(pieces), to)
    standing = next((path for path in paths if disk.exists(path)), None)
    if standing is not None and not overwrite:
        raise UsageError(f"{standing} is there already", cure="choose another folder, or say --overwrite")
    with open_sound(clip) as sound:
        facts = sound.facts
        spool = Spool(sound.blocks(), facts.channels)
    target = Target("WAV", _exact(facts), facts.rate, facts.channels, 0)
    for path, (start, end) in zip(paths, pieces, strict=True):
        with fresh(path) as beside:
            write(spool.blocks(start, end), facts, target, beside, clip)
        on_progress((end - start) / facts.rate)
    return paths


def split_names(clip: Path, count: int, to: Path) -> list[Path]:
    """Where the pieces of a recording go; the numbers are of one width, so that they sort."""
    width = len(str(count))
    return [to / f"{clip.stem}-{number:0{width}}.wav" for number in range(1, count + 1)]


def refuse_loop_file(clip: Path, to: Path, *, overwrite: bool) -> None:
    """Raises UsageError where a clip's loop cannot be written into this file."""
    if to.suffix.lower() != ".wav":
        raise UsageError(f"{to} is no WAV", cure="marks of other formats are the game's: the build writes them")
    if disk.exists(to) and disk.is_same(to, clip):
        raise UsageError(f"{to} would replace the clip itself", cure="choose another name")
    if disk.exists(to) and not overwrite:
        raise UsageError(f"{to} is there already", cure="choose another name, or say --overwrite")


def write_loop(
    clip: Path,
    to: Path,
    marks: Literal["smpl", "cue", "both"],
    loop: Loop,
    fade: float | None,
    on_progress: Callable[[float], None],
) -> LoopSeams:
    """Write a clip as a WAV with its loop marked, and measure the seam that the file has.

    Args:
        fade: seconds that the end is faded into the beginning; the whole result is then the loop.

    Raises:
        IchnosError: the clip is damaged, or the file cannot be written.
    """
    steps = (LoopFade(seconds=fade),) if fade is not None else ()
    marking = Marking(marks, at=None if fade is not None else loop)
    with open_sound(clip) as sound, fresh(to) as beside:
        facts = sound.facts
        target = Target("WAV", _exact(facts), facts.rate, facts.channels, 0, "mix", steps, marking)
        convert(sound, target, beside, 0, on_progress)
    with open_sound(to) as sound:
        return LoopSeams(sound)


def _exact(facts: Facts) -> str:
    """The PCM codec of a WAV that keeps a clip's samples."""
    return "PCM 16" if facts.bits and facts.bits <= 16 else "PCM 24"
