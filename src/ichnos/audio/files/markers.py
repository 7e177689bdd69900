"""Loop markers in WAV files: ``smpl`` and ``cue `` chunks.

Sources: Multimedia Programming Interface and Data Specifications 1.0 (``cue ``, ``LIST adtl`` with
``ltxt``), RIFF Multimedia Data Standards Update 1994 (``smpl``).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import IO

_SAMPLER = struct.Struct("<9I")
_LOOP = struct.Struct("<6I")
_CUE = struct.Struct("<II4sIII")
_LENGTH = struct.Struct("<II4sHHHH")
_MIDDLE_C = 60
_FORWARD = _FOREVER = 0
_MOST = 1 << 24  # bytes of a chunk that are looked at


def add_sampler_loop(stream: IO[bytes], start: int, end: int, rate: int) -> None:
    """Mark a loop with a ``smpl`` chunk in a WAV file that is open for reading and writing.

    Args:
        start, end: the first and the last frame of the loop, both counted from 0, both played.
        rate: in Hz.
    """
    header = _SAMPLER.pack(0, 0, round(1e9 / rate), _MIDDLE_C, 0, 0, 0, 1, 0)
    _append(stream, b"smpl", header + _LOOP.pack(0, _FORWARD, start, end, 0, _FOREVER))


def add_cue_loop(stream: IO[bytes], start: int, end: int) -> None:
    """Mark a loop as a cue point at its start, and that point's length in a ``LIST adtl``."""
    _append(stream, b"cue ", struct.pack("<I", 1) + _CUE.pack(1, start, b"data", 0, 0, start))
    length = _LENGTH.pack(1, end - start + 1, b"rgn ", 0, 0, 0, 0)
    _append(stream, b"LIST", b"adtl" + b"ltxt" + struct.pack("<I", len(length)) + length)


def _append(stream: IO[bytes], name: bytes, body: bytes) -> None:
    length = stream.seek(0, 2)
    stream.write(b"\0" * (length % 2) + name + struct.pack("<I", len(body)) + body)
    whole = stream.tell()
    stream.seek(4)
    stream.write(struct.pack("<I", whole - 8))
    stream.seek(0, 2)


def loops(stream: IO[bytes]) -> list[tuple[int, int]]:
    """The loops that a WAV file marks: the first and the last frame of each; none where it is no WAV.

    Where there is a ``smpl`` chunk with loops, it counts; else the cue points that have a length.
    """
    starts: dict[int, int] = {}
    marked: list[tuple[int, int]] = []
    for name, body in _chunks(stream):
        if name == b"smpl" and (found := _sampler_loops(body)):
            return found
        if name == b"cue ":
            starts.update(_cue_points(body))
        elif name == b"LIST" and body[:4] == b"adtl":
            marked += [
                (starts[point], starts[point] + length - 1) for point, length in _lengths(body) if point in starts
            ]
    return marked


def _chunks(stream: IO[bytes]) -> Iterator[tuple[bytes, bytes]]:
    """The chunks that may hold markers."""
    stream.seek(0)
    head = stream.read(12)
    if head[:4] != b"RIFF" or head[8:] != b"WAVE":
        return
    position = 12
    while True:
        stream.seek(position)
        head = stream.read(8)
        if len(head) < 8:
            return
        name, length = struct.unpack("<4sI", head)
        if name in (b"smpl", b"cue ", b"LIST"):
            yield name, stream.read(min(length, _MOST))
        position += 8 + length + length % 2


def _sampler_loops(body: bytes) -> list[tuple[int, int]]:
    if len(body) < _SAMPLER.size:
        return []
    count = min(_SAMPLER.unpack_from(body)[7], (len(body) - _SAMPLER.size) // _LOOP.size)
    found = [_LOOP.unpack_from(body, _SAMPLER.size + number * _LOOP.size) for number in range(count)]
    return [(start, end) for _, _, start, end, _, _ in found]


def _cue_points(body: bytes) -> dict[int, int]:
    """The frame of each cue point, by its number."""
    whole = len(body[4:]) // _CUE.size * _CUE.size
    return {point: frame for point, _, _, _, _, frame in _CUE.iter_unpack(body[4 : 4 + whole])}


def _lengths(body: bytes) -> Iterator[tuple[int, int]]:
    """Of each cue point that has one, its number and its frames."""
    position = 4
    while position + 8 <= len(body):
        name, length = struct.unpack_from("<4sI", body, position)
        if name == b"ltxt" and length >= 8 and position + 16 <= len(body):
            point, frames = struct.unpack_from("<II", body, position + 8)
            if frames:
                yield point, frames
        position += 8 + length + length % 2
