"""Loop markers in WAV files: the ``smpl`` chunk (RIFF, Multimedia Data Standards Update 1994)."""

from __future__ import annotations

import struct
from typing import IO

_HEADER = struct.Struct("<9I")
_LOOP = struct.Struct("<6I")
_MIDDLE_C = 60
_FORWARD = _FOREVER = 0


def add_loop(stream: IO[bytes], start: int, end: int, rate: int) -> None:
    """Mark a loop in a WAV file that is open for reading and writing.

    Args:
        start, end: the first and the last frame of the loop, both counted from 0, both played.
        rate: frames a second.
    """
    nanoseconds = round(1e9 / rate)
    header = _HEADER.pack(0, 0, nanoseconds, _MIDDLE_C, 0, 0, 0, 1, 0)
    body = header + _LOOP.pack(0, _FORWARD, start, end, 0, _FOREVER)
    length = stream.seek(0, 2)
    stream.write(b"\0" * (length % 2) + b"smpl" + struct.pack("<I", len(body)) + body)
    whole = stream.tell()
    stream.seek(4)
    stream.write(struct.pack("<I", whole - 8))
    stream.seek(0, 2)


def loops(stream: IO[bytes]) -> list[tuple[int, int]]:
    """The loops that a WAV file marks: the first and the last frame of each; none where it is no WAV."""
    stream.seek(0)
    head = stream.read(12)
    if head[:4] != b"RIFF" or head[8:] != b"WAVE":
        return []
    position = 12
    while True:
        stream.seek(position)
        head = stream.read(8)
        if len(head) < 8:
            return []
        name, length = struct.unpack("<4sI", head)
        if name == b"smpl":
            body = stream.read(length)
            if len(body) < _HEADER.size:
                return []
            count = min(_HEADER.unpack_from(body)[7], (len(body) - _HEADER.size) // _LOOP.size)
            found = [_LOOP.unpack_from(body, _HEADER.size + number * _LOOP.size) for number in range(count)]
            return [(start, end) for _, _, start, end, _, _ in found]
        position += 8 + length + length % 2
