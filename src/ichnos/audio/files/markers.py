"""The chunks in which WAV files mark loops and points: ``smpl`` and ``cue ``; and those of AIFF, as they are.

Sources: Multimedia Programming Interface and Data Specifications 1.0 (``cue ``, ``LIST adtl`` with
``ltxt``), RIFF Multimedia Data Standards Update 1994 (``smpl``).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
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
    add_sampler_loops(stream, [(_FORWARD, start, end, _FOREVER)], rate)


def add_sampler_loops(stream: IO[bytes], loops: Sequence[tuple[int, int, int, int]], rate: int) -> None:
    """Mark loops with a ``smpl`` chunk: of each its kind, its first and last frame, and how often it is played."""
    header = _SAMPLER.pack(0, 0, round(1e9 / rate), _MIDDLE_C, 0, 0, 0, len(loops), 0)
    body = (_LOOP.pack(at, kind, start, end, 0, times) for at, (kind, start, end, times) in enumerate(loops))
    _append(stream, b"smpl", header + b"".join(body))


def add_cue_loop(stream: IO[bytes], start: int, end: int) -> None:
    """Mark a loop as a cue point at its start, and that point's length in a ``LIST adtl``."""
    add_cues(stream, [(start, end - start + 1, "")])


def add_cues(stream: IO[bytes], points: Sequence[tuple[int, int, str]]) -> None:
    """Write cue points: of each its frame, the length of what begins there or 0, and its name or nothing."""
    cues = [_CUE.pack(at, frame, b"data", 0, 0, frame) for at, (frame, _, _) in enumerate(points, 1)]
    _append(stream, b"cue ", struct.pack("<I", len(cues)) + b"".join(cues))
    more = b""
    for at, (_, length, label) in enumerate(points, 1):
        if length:
            more += _chunk(b"ltxt", _LENGTH.pack(at, length, b"rgn ", 0, 0, 0, 0))
        if label:
            more += _chunk(b"labl", struct.pack("<I", at) + label.encode() + b"\0")
    if more:
        _append(stream, b"LIST", b"adtl" + more)


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)


def _append(stream: IO[bytes], name: bytes, body: bytes) -> None:
    length = stream.seek(0, 2)
    stream.write(b"\0" * (length % 2) + name + struct.pack("<I", len(body)) + body)
    whole = stream.tell()
    stream.seek(4)
    stream.write(struct.pack("<I", whole - 8))
    stream.seek(0, 2)


def chunks(stream: IO[bytes]) -> Iterator[tuple[bytes, bytes]]:
    """The chunks of a WAV or an AIFF that may hold marks."""
    stream.seek(0)
    head = stream.read(12)
    order = {b"RIFF": "<4sI", b"FORM": ">4sI"}.get(head[:4])
    if order is None or head[8:] not in (b"WAVE", b"AIFF", b"AIFC"):
        return
    position = 12
    while True:
        stream.seek(position)
        head = stream.read(8)
        if len(head) < 8:
            return
        name, length = struct.unpack(order, head)
        if name in (b"smpl", b"cue ", b"LIST", b"MARK", b"INST"):
            yield name, stream.read(min(length, _MOST))
        position += 8 + length + length % 2


def sampler_loops(body: bytes) -> list[tuple[int, int, int, int]]:
    """Of each loop of a ``smpl`` chunk: its kind, its first and last frame, and how often it is played."""
    if len(body) < _SAMPLER.size:
        return []
    count = min(_SAMPLER.unpack_from(body)[7], (len(body) - _SAMPLER.size) // _LOOP.size)
    found = [_LOOP.unpack_from(body, _SAMPLER.size + number * _LOOP.size) for number in range(count)]
    return [(kind, start, end, times) for _, kind, start, end, _, times in found]


def cue_points(body: bytes) -> dict[int, int]:
    """The frame of each cue point, by its number."""
    whole = len(body[4:]) // _CUE.size * _CUE.size
    return {point: frame for point, _, _, _, _, frame in _CUE.iter_unpack(body[4 : 4 + whole])}


def lengths(body: bytes) -> Iterator[tuple[int, int]]:
    """Of each cue point that has one, its number and its frames."""
    for name, part in parts(body):
        if name == b"ltxt" and len(part) >= 8:
            point, frames = struct.unpack_from("<II", part)
            if frames:
                yield point, frames


def labels(body: bytes) -> Iterator[tuple[int, str]]:
    """Of each cue point that has one, its number and its name."""
    for name, part in parts(body):
        if name == b"labl" and len(part) > 4:
            text = part[4:].split(b"\0")[0]
            try:
                yield struct.unpack_from("<I", part)[0], text.decode()
            except UnicodeDecodeError:
                yield struct.unpack_from("<I", part)[0], text.decode("cp1252", "replace")


def parts(body: bytes) -> Iterator[tuple[bytes, bytes]]:
    """The parts of a ``LIST``."""
    position = 4
    while position + 8 <= len(body):
        name, length = struct.unpack_from("<4sI", body, position)
        yield name, body[position + 8 : position + 8 + length]
        position += 8 + length + length % 2
