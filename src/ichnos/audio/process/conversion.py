"""Converting a clip into what a game reads, and proving the result."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType
from typing import IO, TYPE_CHECKING

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.chain import AudioStream, Side
from ichnos.audio.blocks.surround import loss, places
from ichnos.audio.blocks.timeline import Timeline
from ichnos.audio.files import loops, marks, ogg
from ichnos.audio.files.clips import Facts, OpenSound, open_sound
from ichnos.audio.files.forms import LOSSY
from ichnos.audio.files.marks import Mark
from ichnos.audio.measure.coding_loss import Fingerprint
from ichnos.audio.measure.sides import OUT_OF_PHASE, STEREO, MixMeter, SidesMeter
from ichnos.errors import IchnosError, Place
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
from ichnos.audio.process.encoding import encode
from ichnos.audio.process.fidelity import Written, prove
from ichnos.audio.process.target import Converted, Target

_LOWERED, _OVER, _TOLD = 3, 0.05, 0.3  # times, and dB: what a ceiling is missed by, and what is worth a note
_GATHERED = 1 << 16  # bytes that are written at once


@dataclass(frozen=True)
class _Job:
    """One conversion: an open clip, what it is to become, and where.

    ``serial``: the Ogg stream's serial number, 32 bits; dither is drawn from it too. ``tags``: what the result says of
    itself (see ``comments.tags``).
    """

    source: OpenSound
    target: Target
    to: Path
    serial: int
    tags: Mapping[str, str]

    def blocks(self, on_progress: Callable[[float], None] = lambda _: None) -> Iterator[Block]:
        """The clip's sound."""
        return _telling(self.source.blocks(), self.source.facts.rate, on_progress)


def convert(
    source: OpenSound,
    target: Target,
    to: Path,
    serial: int,
    on_progress: Callable[[float], None] = lambda seconds: None,
    tags: Mapping[str, str] = MappingProxyType({}),
) -> Converted:
    """Convert ``source`` into a new file ``to``, and decode that again to prove it.

    The file is written whole, or removed again.

    Args:
        serial: the Ogg stream's serial number, 32 bits; dither is drawn from it too.
        on_progress: called after each block of the source, with its seconds.
        tags: what the result says of itself (see ``comments.tags``).

    Raises:
        IchnosError: the source is damaged, the disk is full, or the result is not what was written.
    """
    job, facts = _Job(source, target, to, serial, tags), source.facts
    side: Side = "mix" if target.mono == "auto" else target.mono
    if target.takes_over(source.stream, facts):
        return _taken_over(job, on_progress)
    try:
        written = _attempt(job, side, on_progress)
        cost = written.mono_db
        if target.mono == "auto" and cost is not None and cost < OUT_OF_PHASE:
            side, written = _from_one_side(job)
        written = _under_ceiling(job, side, written)
        if not written.frames:
            what, cure = "nothing is left of it: the treatment takes all of it", "cut less, or trim at a lower level"
            raise IchnosError(what, place=source.place, cure=cure)
        coding_loss = prove(to, target, written, source.path)
        if target.finished and facts.codec in LOSSY and target.codec in LOSSY:
            written.notes.append(f"it was {facts.codec} already, and coded again it loses a second time")
    except BaseException:
        disk.remove_if_possible(to)
        raise
    made_of = side if facts.channels == STEREO and target.channels == 1 else None
    clipped = 0 if target.codec == "float 32" else written.clipped  # which nothing cuts off
    return Converted(written.frames, disk.size(to), made_of, cost, coding_loss, clipped, tuple(written.notes))


def _from_one_side(job: _Job) -> tuple[Side, Written]:
    """Write it again, of the louder side alone: together they would take each other away."""
    side = _louder_side(job)
    disk.remove(job.to)
    return side, _attempt(job, side)


def _taken_over(job: _Job, on_progress: Callable[[float], None]) -> Converted:
    """A finished sound, byte for byte, decoded to its end before that. Raises IchnosError where it is damaged."""
    frames = 0
    for block in job.blocks(on_progress):
        frames += len(block)
    if not frames:
        raise IchnosError("there is no sound in this file", place=job.source.place, cure="leave it out")
    job.source.stream.seek(0)
    try:
        with disk.written(job.to) as out:
            while piece := job.source.stream.read(_GATHERED):
                out.write(piece)
    except BaseException:
        disk.remove_if_possible(job.to)
        raise
    return Converted(frames, disk.size(job.to), None, None, None, 0, ())


def _under_ceiling(job: _Job, side: Side, written: Written) -> Written:
    """What was written, or the same a little quieter: coding moves peaks, and a treatment's ceiling is a promise."""
    from ichnos.audio.process.treatments import Gain, ceiling_of

    target = job.target
    ceiling = ceiling_of(target.treatment) if target.codec in LOSSY else None
    if ceiling is None or not written.frames:
        return written
    lowered = 0.0
    for attempt in range(_LOWERED + 1):
        over = _true_peak(job.to) - ceiling
        if over <= _OVER:
            break
        if attempt == _LOWERED:
            written.notes.append(f"after coding its true peak is {over:z.1f} dB above {ceiling:g} dBTP")
            return written
        lowered += over + _OVER
        quieter = replace(target, treatment=(*target.treatment, Gain(db=-lowered)))
        disk.remove(job.to)
        written = _attempt(replace(job, target=quieter), side)
    if lowered > _TOLD:
        written.notes.append(f"made {lowered:z.1f} dB quieter, so that it stays below {ceiling:g} dBTP after coding")
    return written


def _true_peak(path: Path) -> float:
    """Of a finished file, in dBTP."""
    from ichnos.audio.measure.peaks import PeakMeter, decibels

    with open_sound(path) as sound:
        meter = PeakMeter(sound.facts.rate, sound.facts.channels)
        for block in sound.blocks():
            meter.add(block)
    meter.finish()
    return decibels(meter.true)


def write(blocks: Iterator[Block], facts: Facts, target: Target, to: Path, source: Path) -> Converted:
    """Write sound that is decoded already, at the rate and with the channels of ``target``, and prove it.

    Args:
        facts: of the clip that it comes from; what has no more bits than the target is kept to the bit.
    """
    written = Written(None)
    try:
        with disk.written(to) as out:
            encode(written.watching(blocks), facts, target, out, 0, {})
        if not written.frames:
            raise IchnosError("there would be no sound in this file", place=Place(str(to)), cure="choose other times")
        prove(to, target, written, source)
    except BaseException:
        disk.remove_if_possible(to)
        raise
    return Converted(written.frames, disk.size(to), None, None, None, written.clipped, ())


def _attempt(job: _Job, side: Side, on_progress: Callable[[float], None] = lambda _: None) -> Written:
    """Write it once. ``side``: what mono is made of."""
    facts, target = job.source.facts, job.target
    expected = round(facts.frames * target.rate / facts.rate)
    written = Written(Fingerprint(target.rate, expected) if target.codec in LOSSY else None)
    written.sums.beside_offset = target.codec == "Opus"  # which leaves an offset out
    mixing = MixMeter() if facts.channels == STEREO and target.channels == 1 and side == "mix" else None
    with disk.written(job.to) as out:
        decoded = job.blocks(on_progress)
        if mixing:
            mixed = mixing.mixed(decoded, chain.mono)
        else:
            mixed = chain.mix_channels(decoded, target.channels, side, facts.mask)
        if facts.channels > STEREO and target.channels <= STEREO:
            written.notes.append(_mixed_down(facts))
        resampled = chain.resample(mixed, facts.rate, target.rate, target.channels)
        flow = AudioStream(resampled, target.rate, target.channels, Timeline(target.rate / facts.rate))
        found = (target.loop.at or loops.marked(job.source.stream, facts, target.loop)) if target.loop else None
        if target.treatment:
            from ichnos.audio.process.treatments import treat

            flow = treat(flow, target.treatment, written.notes.append)
        encode(written.watching(flow.blocks), facts, target, out, job.serial, job.tags)
        if target.codec == "Opus":
            ogg.end_at(out, written.frames, target.rate)
        if target.loop:
            written.loop = loops.carry_over(found, flow.timeline, written.frames)
            if found and flow.timeline and marks.moved(Mark("loop", *found), flow.timeline, written.frames) is None:
                written.notes.append(f"its {Mark('loop', *found)} is not whole any more, so all of it loops")
        if target.loop and written.loop:
            loops.mark(out, target.loop, *written.loop, target.rate)
        if target.keep_marks:
            written.notes += _keep_marks(job.source.stream, out, target, flow.timeline, written.frames)
    written.mono_db = mixing.mono_db if mixing else None
    return written


def _mixed_down(facts: Facts) -> str:
    """What becomes of more than two channels, and whether it is known where they are heard."""
    quieter = -loss(facts.channels, facts.mask)
    known = places(facts.channels, facts.mask)
    said = f"its {facts.channels} channels are mixed down after ITU-R BS.775, {quieter:z.1f} dB quieter"
    if known is None:
        return f"{said}; where they are heard is not known, so each goes to both sides"
    if facts.mask == 0 and facts.container not in _ONE_ORDER:
        return f"{said}; it does not say where they are heard, so they are taken for {', '.join(known)}"
    return said


_ONE_ORDER = ("FLAC", "Ogg")  # containers that have one order of channels for each number of them


def _keep_marks(
    source: IO[bytes], out: IO[bytes], target: Target, timeline: Timeline | None, frames: int
) -> Iterator[str]:
    """Write what a clip marks in itself into what it became; gives what of it cannot be there."""
    before = marks.read(source)
    if timeline is None:  # its end went into its beginning
        yield f"its marks are left out, as all of it is one loop now: {_listed(before)}"
        marks.write(out, target.container, [Mark("loop", 0, frames - 1)], target.rate)
        return
    now = [marks.moved(mark, timeline, frames) for mark in before]
    left = marks.write(out, target.container, [mark for mark in now if mark], target.rate)
    if gone := [mark for mark, there in zip(before, now, strict=True) if there is None]:
        yield f"marks that are not whole in it are left out: {_listed(gone)}"
    if homeless := [mark for mark, there in zip(before, now, strict=True) if there in left]:
        yield f"{target.container} has no place for these marks, so they are left out: {_listed(homeless)}"


def _listed(found: Sequence[Mark]) -> str:
    more = f" and {len(found) - _SHOWN} more" if len(found) > _SHOWN else ""
    return "; ".join(map(str, found[:_SHOWN])) + more


_SHOWN = 6  # marks


def _louder_side(job: _Job) -> Side:
    meter = SidesMeter()
    for block in job.blocks():
        meter.add(block)
    return meter.result().louder


def _telling(blocks: Iterator[Block], rate: int, on_progress: Callable[[float], None]) -> Iterator[Block]:
    since = 0
    for block in blocks:
        yield block
        since += len(block)
        if since >= rate:
            on_progress(since / rate)
            since = 0
    on_progress(since / rate)
