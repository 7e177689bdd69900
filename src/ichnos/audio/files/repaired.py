"""Files that are legal and that the decoder reads short, or not at all, put so that it reads all of them.

Programs that stream cannot go back and say how long a sound became. What they leave open is found out here.
"""

from __future__ import annotations

import io
import itertools
import os
import re
import struct
from collections.abc import Mapping
from functools import cache
from typing import IO, Any

from ichnos.audio.files import mpeg, ogg
from ichnos.files import scratch

UNKNOWN_SIZE = 0x7FFF0000  # bytes: what a WAV says that does not know, or more; and 0
_IN_MEMORY = 1 << 25  # bytes
_FLAC_MOST = 1 << 17  # bytes in which the last frame of a FLAC begins (RFC 9639, section 9.1.1)
_FLAC_FRAME = re.compile(rb"\xff(?=[\xf8\xf9][^\0].{8})", re.DOTALL)  # what may begin a frame
_MOST_FRAMES = 100  # of those are tried, from the last
_FLAC_TOTAL = 21  # where its number of samples begins, in the last 4 bits


class Patched(io.RawIOBase):
    """A stream with some of its bytes replaced."""

    def __init__(self, stream: IO[bytes], patches: Mapping[int, bytes]) -> None:
        self._stream, self._patches = stream, patches
        self._stream.seek(0)

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        return self._stream.seek(offset, whence)

    def tell(self) -> int:
        return self._stream.tell()

    def readinto(self, buffer: Any) -> int:
        wanted, start = memoryview(buffer).cast("B"), self._stream.tell()
        data = bytearray(self._stream.read(len(wanted)))
        for at, patch in self._patches.items():
            for number, byte in enumerate(patch, at - start):
                if 0 <= number < len(data):
                    data[number] = byte
        wanted[: len(data)] = data
        return len(data)


def repaired(stream: IO[bytes], container: str) -> Any:
    """The stream, or one in its place that the decoder reads to its end."""
    if container == "MP3" and (start := mpeg.without_length(stream)) is not None:
        return mpeg.WithLength(stream, start, stream.seek(0, os.SEEK_END))
    if container == "MP3" and (start := mpeg.behind_junk(stream)) and mpeg.after_id3(_head(stream)) == 0:
        return mpeg.WithLength(stream, start, stream.seek(0, os.SEEK_END), says_length=True)
    if container == "WAV" and (patches := _wav_sizes(stream)):
        return Patched(stream, patches)
    if container == "Ogg" and (head := ogg.header_packets(stream, 1)) and head[0].startswith(b"\x7fFLAC"):
        stream, container = _out_of_ogg(stream), "FLAC"
    if container == "FLAC" and (patches := _flac_length(stream)):
        return Patched(stream, patches)
    stream.seek(0)
    return stream


def _head(stream: IO[bytes]) -> bytes:
    stream.seek(0)
    return stream.read(10)


def _wav_sizes(stream: IO[bytes]) -> dict[int, bytes]:
    """The size of the sound in a WAV that does not say it: all that follows."""
    size = stream.seek(0, os.SEEK_END)
    stream.seek(0)
    if stream.read(4) != b"RIFF":
        return {}
    at = 12
    while at + 8 <= size:
        stream.seek(at)
        name, length = struct.unpack("<4sI", stream.read(8))
        if name == b"data":
            unknown = (length == 0 or length >= UNKNOWN_SIZE) and at + 8 + length != size
            return {4: struct.pack("<I", size - 8), at + 4: struct.pack("<I", size - at - 8)} if unknown else {}
        at += 8 + length + length % 2
    return {}


def _out_of_ogg(stream: IO[bytes]) -> IO[bytes]:
    """A FLAC as it is without Ogg around it (RFC 9639, section 10.1): its packets are the blocks and frames."""
    plain: IO[bytes] = scratch.spooled(_IN_MEMORY)
    for number, packet in enumerate(ogg.packets(stream)):
        plain.write(packet[9:] if number == 0 else packet)  # in front of the first stands Ogg's own header
    return plain


def _flac_length(stream: IO[bytes]) -> dict[int, bytes]:
    """The number of samples of a FLAC that does not say it: where its last frame ends."""
    stream.seek(0)
    head = stream.read(42)
    if head[:4] != b"fLaC" or len(head) < 42 or head[_FLAC_TOTAL] & 0x0F or any(head[22:26]):
        return {}
    size = stream.seek(0, os.SEEK_END)
    stream.seek(max(0, size - _FLAC_MOST))
    tail = stream.read()
    for match in itertools.islice(reversed(list(_FLAC_FRAME.finditer(tail))), _MOST_FRAMES):
        at = match.start()
        samples = _flac_end(tail[at:], int.from_bytes(head[10:12], "big"))
        if samples is not None:
            first = head[_FLAC_TOTAL] | samples >> 32
            return {_FLAC_TOTAL: bytes([first]) + (samples & 0xFFFFFFFF).to_bytes(4, "big")}
    return {}


def _flac_end(frame: bytes, block: int) -> int | None:
    """The sample behind a frame that ends where these bytes do; ``None`` where they are no whole frame."""
    code, lead = frame[2] >> 4, frame[4]
    if code == 0 or _crc(frame[:-2]) != int.from_bytes(frame[-2:], "big"):
        return None
    more = 0 if lead < 0x80 else 8 - (lead ^ 0xFF).bit_length() - 1
    number = lead if not more else lead & (0x3F >> more)
    for byte in frame[5 : 5 + more]:
        number = number << 6 | byte & 0x3F
    behind = frame[5 + more : 7 + more]
    if len(behind) < 2:
        return None
    length = {1: 192, 6: behind[0] + 1, 7: int.from_bytes(behind[:2], "big") + 1}.get(code) or (
        576 << code - 2 if code < 6 else 256 << code - 8
    )
    return number + length if frame[1] & 1 else number * block + length


@cache
def _crc_table() -> tuple[int, ...]:
    """CRC-16 with the polynomial 0x8005, of each byte (RFC 9639, section 9.3)."""
    table = []
    for byte in range(256):
        value = byte << 8
        for _ in range(8):
            value = (value << 1 ^ (0x8005 if value & 0x8000 else 0)) & 0xFFFF
        table.append(value)
    return tuple(table)


def _crc(data: bytes) -> int:
    table, value = _crc_table(), 0
    for byte in data:
        value = (value << 8 & 0xFFFF) ^ table[value >> 8 ^ byte]
    return value
