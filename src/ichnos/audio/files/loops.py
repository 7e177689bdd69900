"""Loops: where a clip goes back to, how that is marked in its file, and whether one hears the seam."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import IO, Literal

from ichnos.audio.blocks.timeline import Timeline
from ichnos.audio.files import comments, markers, marks
from ichnos.audio.files.clips import Facts
from ichnos.audio.files.marks import Mark

Loop = tuple[int, int]  # the first and the last frame, both played, counted from 0


@dataclass(frozen=True)
class Marking:
    """How a loop is marked in a file.

    ``kind``: chunks of a WAV, or Vorbis comments. The comments' names are the game's: of the first
    frame, and of the frame behind the last or of the number of frames.
    """

    kind: Literal["smpl", "cue", "both", "comments"]
    start: str = ""
    end: str = ""
    length: str = ""
    at: Loop | None = None  # of the clip; else as the clip itself marks it, else all of it


@contextmanager
def _left_where_it_was(stream: IO[bytes]) -> Iterator[None]:
    """A decoder may be reading the stream, and goes on from where it stands."""
    position = stream.tell()
    try:
        yield
    finally:
        stream.seek(position)


def read(stream: IO[bytes], marking: Marking) -> Loop | None:
    """The first loop that is marked in this way; the stream stands then where it stood."""
    with _left_where_it_was(stream):
        if marking.kind != "comments":
            loops = marks.loops_of(marks.read(stream))
            return loops[0] if loops else None
        said = comments.vorbis_comments(stream)
    try:
        start = int(said.get(marking.start.upper(), ""))
        if marking.end:
            return start, int(said.get(marking.end.upper(), "")) - 1
        return start, start + int(said.get(marking.length.upper(), "")) - 1
    except ValueError:
        return None


def mark(out: IO[bytes], marking: Marking, start: int, end: int, rate: int) -> None:
    """Mark a loop in a finished file that is open for reading and writing."""
    if marking.kind in ("smpl", "both"):
        markers.add_sampler_loop(out, start, end, rate)
    if marking.kind in ("cue", "both"):
        markers.add_cue_loop(out, start, end)
    if marking.kind == "comments":
        tags = {marking.start: str(start)}
        if marking.end:
            tags[marking.end] = str(end + 1)
        if marking.length:
            tags[marking.length] = str(end + 1 - start)
        comments.put(out, tags)


def marked(stream: IO[bytes], facts: Facts, marking: Marking | None = None) -> Loop | None:
    """The loop that a clip marks by itself, or as ``marking`` says, where it lies inside the clip."""
    with _left_where_it_was(stream):
        loops = marks.loops_of(marks.read(stream))
    loop = loops[0] if loops else None
    if loop is None and marking is not None:
        loop = read(stream, marking)
    return loop if loop and 0 <= loop[0] < loop[1] < facts.frames else None


def carry_over(loop: Loop | None, timeline: Timeline | None, frames: int) -> Loop | None:
    """A loop where its sound is now: its length is converted as a whole, so that it does not depend on where it lies.

    Args:
        loop: of the clip; None: all of it. So it is where a part of the loop is not there any more.
        timeline: where the clip's frames went; None: nobody knows, so that all of it loops.
        frames: how many there are now.

    Returns:
        None where nothing is left of it.

    >>> carry_over((44100, 88199), Timeline().faster(2), 66150), carry_over(None, Timeline(), 66150)
    ((22050, 44099), (0, 66149))
    """
    if frames < 2:
        return None
    there = marks.moved(Mark("loop", *loop), timeline, frames) if loop and timeline else None
    return (there.first, there.last) if there else (0, frames - 1)
