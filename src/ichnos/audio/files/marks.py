"""All that a sound file marks in itself: loops, stretches, points; read, moved as its sound moves, and written again.

Sources: RIFF (see ``markers``); Audio Interchange File Format 1.3 (``MARK``, ``INST``); Vorbis comments
(see ``comments``), with ``LOOPSTART``, ``LOOPLENGTH`` and ``LOOPEND`` in frames, a custom and no standard.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import IO, Literal

from ichnos.audio.blocks.timeline import Timeline
from ichnos.audio.files import comments, markers

Kind = Literal["loop", "back-and-forth", "backward", "stretch", "point"]
LOOPING: tuple[Kind, ...] = ("loop", "back-and-forth", "backward")  # in the order of the numbers in ``smpl``
_START, _LENGTH, _END = "LOOPSTART", "LOOPLENGTH", "LOOPEND"


@dataclass(frozen=True)
class Mark:
    """One mark. ``first``, ``last``: frames, counted from 0, both in it. ``times``: played; 0 is for ever."""

    kind: Kind
    first: int
    last: int
    times: int = 0
    label: str = ""

    def __str__(self) -> str:
        name = f' "{self.label}"' if self.label else ""
        if self.kind == "point":
            return f"point{name} at sample {self.first}"
        many = f", {self.times} times" if self.times else ""
        how = {"back-and-forth": ", back and forth", "backward": ", backward"}.get(self.kind, "")
        what = "stretch" if self.kind == "stretch" else "loop"
        return f"{what}{name} from sample {self.first} to {self.last}{how}{many}"


def read(stream: IO[bytes]) -> list[Mark]:
    """All marks of a file, in its order; none in formats that have no place for them. The stream stays where it is."""
    position = stream.tell()
    try:
        return list(_marks(stream))
    finally:
        stream.seek(position)


def _marks(stream: IO[bytes]) -> Iterator[Mark]:
    stream.seek(0)
    head = stream.read(12)
    if head[:4] == b"RIFF":
        yield from _of_wav(stream)
    elif head[:4] == b"FORM":
        yield from _of_aiff(stream)
    elif head[:4] == b"fLaC":
        yield from _of_comments(comments.flac_comments(stream))
    elif head[:4] == b"OggS":
        yield from _of_comments(comments.vorbis_comments(stream))


def loops_of(marks: Sequence[Mark]) -> list[tuple[int, int]]:
    """The loops among them, first and last frame; where there is none, the stretches: some tools mark loops so."""
    kinds: tuple[Kind, ...] = LOOPING if any(mark.kind in LOOPING for mark in marks) else ("stretch",)
    return [(mark.first, mark.last) for mark in marks if mark.kind in kinds]


def _of_wav(stream: IO[bytes]) -> Iterator[Mark]:
    starts: dict[int, int] = {}
    lengths: dict[int, int] = {}
    labels: dict[int, str] = {}
    for name, body in markers.chunks(stream):
        if name == b"smpl":
            for kind, first, last, times in markers.sampler_loops(body):
                yield Mark(LOOPING[kind] if kind < len(LOOPING) else "loop", first, last, times)
        elif name == b"cue ":
            starts.update(markers.cue_points(body))
        elif name == b"LIST" and body[:4] == b"adtl":
            lengths.update(markers.lengths(body))
            labels.update(markers.labels(body))
    for point, first in starts.items():
        length = lengths.get(point, 0)
        yield Mark("stretch" if length else "point", first, first + max(1, length) - 1, 0, labels.get(point, ""))


def _of_aiff(stream: IO[bytes]) -> Iterator[Mark]:
    points: dict[int, tuple[int, str]] = {}
    loops: list[tuple[int, int, int]] = []
    for name, body in markers.chunks(stream):
        if name == b"MARK":
            points = dict(_aiff_points(body))
        elif name == b"INST" and len(body) >= 20:
            loops = [struct.unpack_from(">hhh", body, at) for at in (8, 14)]
    used = set()
    for mode, begin, end in loops:
        if mode in (1, 2) and begin in points and end in points and points[begin][0] < points[end][0]:
            used |= {begin, end}
            yield Mark(LOOPING[mode - 1], points[begin][0], points[end][0] - 1)
    for number, (frame, label) in points.items():
        if number not in used:
            yield Mark("point", frame, frame, 0, label)


def _aiff_points(body: bytes) -> Iterator[tuple[int, tuple[int, str]]]:
    """Of each marker its number, its frame and its name."""
    at = 2
    while at + 7 <= len(body):
        number, frame, length = struct.unpack_from(">hIB", body, at)
        yield number, (frame, body[at + 7 : at + 7 + length].decode("latin-1"))
        at += 7 + length + (length + 1) % 2


def _of_comments(said: Mapping[str, str]) -> Iterator[Mark]:
    try:
        first = int(said.get(_START, ""))
        last = first + int(said[_LENGTH]) - 1 if _LENGTH in said else int(said.get(_END, "")) - 1
    except ValueError:
        return
    if 0 <= first < last:
        yield Mark("loop", first, last)


def moved(mark: Mark, timeline: Timeline, frames: int) -> Mark | None:
    """A mark where its sound is now, of so many frames; None where that is not there any more."""
    first, last = timeline.span(mark.first, mark.last)
    aside = 1 if first == -1 else -1 if last == frames else 0  # no more than rounding gives
    first, last = first + aside, last + aside
    if first < 0 or last >= frames or (mark.kind in LOOPING and first >= last):
        return None
    return replace(mark, first=first, last=first if mark.kind == "point" else last)


def write(out: IO[bytes], container: str, marks: Sequence[Mark], rate: int) -> list[Mark]:
    """Write marks into a finished file that is open for reading and writing; gives those that it cannot hold."""
    if container == "WAV":
        loops = [(LOOPING.index(one.kind), one.first, one.last, one.times) for one in marks if one.kind in LOOPING]
        points = [
            (one.first, one.last + 1 - one.first if one.kind == "stretch" else 0, one.label)
            for one in marks
            if one.kind not in LOOPING
        ]
        if loops:
            markers.add_sampler_loops(out, loops, rate)
        if points:
            markers.add_cues(out, points)
        return []
    held = next((one for one in marks if one.kind == "loop" and not one.times), None)
    if held is not None:
        tags = {_START: str(held.first), _LENGTH: str(held.last + 1 - held.first)}
        comments.put(out, tags)
    return [one for one in marks if one is not held]
