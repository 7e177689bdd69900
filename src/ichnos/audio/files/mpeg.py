"""MPEG audio frames: walking an MP3 from header to header, without decoding it.

Sources: ISO/IEC 11172-3 and 13818-3 (2.4.1.3, 2.4.2.3), ID3v2.4 (section 3.1), and the Xing/Info
frame that encoders put in front.
"""

from __future__ import annotations

import io
import os
from typing import IO, Any

_KBITS = {  # by (MPEG 1?, layer), for the indices 1 to 14
    (True, 1): (32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448),
    (True, 2): (32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384),
    (True, 3): (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    (False, 1): (32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256),
    (False, 2): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
    (False, 3): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
}
_RATES = {3: (44100, 48000, 32000), 2: (22050, 24000, 16000), 0: (11025, 12000, 8000)}
_TAGS = (b"TAG", b"APETAGEX", b"LYRICSBEGIN", b"ID3", b"3DI")  # what may stand behind the last frame
_IN_A_ROW = 4  # frames, so that none is one by chance
_READ = 1 << 18  # bytes at once
_SEARCHED = 1 << 16  # bytes in which the first frame must begin


def after_id3(head: bytes) -> int:
    """Where the audio begins behind an ID3v2 tag (0 without one)."""
    if head[:3] != b"ID3" or len(head) < 10:
        return 0
    sizes = head[6:10]
    return 10 + (sizes[0] << 21 | sizes[1] << 14 | sizes[2] << 7 | sizes[3])


def frame_length(head: bytes) -> int:
    """The bytes of the frame that begins with these four; 0 where none does."""
    if len(head) < 4 or head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return 0
    version, layer, index, rate = head[1] >> 3 & 3, 4 - (head[1] >> 1 & 3), head[2] >> 4, head[2] >> 2 & 3
    if version == 1 or layer == 4 or index in (0, 15) or rate == 3:
        return 0
    first = version == 3
    bits, hertz = 1000 * _KBITS[first, layer][index - 1], _RATES[version][rate]
    padding = head[2] >> 1 & 1
    if layer == 1:
        return (12 * bits // hertz + padding) * 4
    return (72 if layer == 3 and not first else 144) * bits // hertz + padding


def behind_junk(stream: IO[bytes]) -> int | None:
    """Where the frames begin of an MP3 that has something else in front: several stand one behind the other there."""
    start = at = _first_frame(stream)
    for _ in range(_IN_A_ROW):
        if at is None:
            return None
        stream.seek(at)
        length = frame_length(stream.read(4))
        at = at + length if length else None
    return start


def _samples(head: bytes) -> float:
    """The seconds that a frame lasts."""
    version, layer = head[1] >> 3 & 3, 4 - (head[1] >> 1 & 3)
    count = 384 if layer == 1 else 576 if layer == 3 and version != 3 else 1152
    return count / _RATES[version][head[2] >> 2 & 3]


def fault(stream: IO[bytes], size: int) -> str | None:
    """What is wrong with an MP3 of so many bytes: cut short, or something else between its frames."""
    start = _first_frame(stream)
    if start is None:
        return "damaged: there is no MPEG frame in it"
    stream.seek(start)
    missing = _promised(stream.read(200)) - (size - start)
    if missing > 0:
        return f"cut short: {missing:,} bytes are missing"
    at, seconds, same = start, 0.0, b""
    data, data_at = b"", start  # a part of the file, and where it begins
    while at < size:
        if at + 11 > data_at + len(data):
            stream.seek(at)
            data, data_at = stream.read(_READ), at
        head = data[at - data_at : at - data_at + 11]
        length = frame_length(head)
        alike = bytes((head[1] & 0xFE, head[2] & 0x0C)) if length else b""
        if not length or (same and alike != same):
            stream.seek(at)
            if head.startswith(_TAGS) or not stream.read(_SEARCHED).strip(b"\0"):
                return None
            return f"damaged at {seconds:.2f} s: {size - at:,} bytes from there on are no frames like those before"
        same = alike
        if at + length > size:
            return f"cut short: its last frame, at {seconds:.2f} s, is not whole"
        seconds += _samples(head)
        at += length
    return None


class WithLength(io.RawIOBase):
    """An MP3 whose length nobody says, read as if a frame in front said it; without what is no frame before the first.

    Without that frame a decoder guesses the length from the first frame's bit rate, which is right for no MP3
    of a variable one, and stops there.
    """

    def __init__(self, stream: IO[bytes], start: int, size: int, *, says_length: bool = False) -> None:
        """``start``: of the first frame in ``stream``, which has ``size`` bytes. ``says_length``: that frame does."""
        stream.seek(start)
        head = stream.read(4)
        self._front = b"" if says_length else _length_frame(head, _count(stream, start, size), size - start)
        self._stream, self._start, self._at = stream, start, 0
        self._size = len(self._front) + size - start

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        self._at = max(0, offset + {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self._size}[whence])
        return self._at

    def tell(self) -> int:
        return self._at

    def readinto(self, buffer: Any) -> int:
        wanted = memoryview(buffer).cast("B")
        data = self._front[self._at : self._at + len(wanted)]
        if len(data) < len(wanted):
            self._stream.seek(self._start + max(0, self._at + len(data) - len(self._front)))
            data += self._stream.read(len(wanted) - len(data))
        wanted[: len(data)] = data
        self._at += len(data)
        return len(data)


def without_length(stream: IO[bytes]) -> int | None:
    """Where the first frame of an MP3 begins that does not say how many frames it has; else ``None``."""
    start = _first_frame(stream)
    if start is None:
        return None
    stream.seek(start)
    frame = stream.read(200)
    is_layer_3 = frame[1] >> 1 & 3 == 1
    return None if b"Xing" in frame or b"Info" in frame or not is_layer_3 else start


def _count(stream: IO[bytes], start: int, size: int) -> int:
    """The frames of an MP3, walked from one to the next."""
    count, at, data, data_at = 0, start, b"", start
    while at < size:
        if at + 4 > data_at + len(data):
            stream.seek(at)
            data, data_at = stream.read(_READ), at
        length = frame_length(data[at - data_at : at - data_at + 4])
        if not length:
            break
        count, at = count + 1, at + length
    return count


def _length_frame(head: bytes, frames: int, size: int) -> bytes:
    """A silent frame like those of the MP3, that says how many of them follow."""
    first, mono = head[1] >> 3 & 3 == 3, head[3] >> 6 == 3
    room = (17 if mono else 32) if first else (9 if mono else 17)
    front = bytes([0xFF, head[1] | 1, 0x90 | head[2] & 0x0C, head[3]]) + bytes(room)
    tag = b"Xing" + (3).to_bytes(4, "big") + frames.to_bytes(4, "big") + (size + frame_length(front)).to_bytes(4, "big")
    return (front + tag).ljust(frame_length(front), b"\0")


def _first_frame(stream: IO[bytes]) -> int | None:
    """Where two frames stand one behind the other, or one and the end."""
    at = 0
    while True:
        stream.seek(at)
        tag = after_id3(stream.read(10))
        if not tag:
            break
        at += tag
    stream.seek(at)
    data = stream.read(_SEARCHED)
    found = data.find(b"\xff")
    while found >= 0:
        length = frame_length(data[found : found + 4])
        behind = data[found + length : found + length + 4]
        if length and (found + length >= len(data) or frame_length(behind) or behind.startswith(_TAGS)):
            return at + found
        found = data.find(b"\xff", found + 1)
    return None


def _promised(frame: bytes) -> int:
    """The bytes that the file has from this frame on, by the frame's own words; 0 where it says nothing."""
    for name in (b"Xing", b"Info"):
        at = frame.find(name)
        if at >= 0 and len(frame) >= at + 16:
            flags = int.from_bytes(frame[at + 4 : at + 8], "big")
            field = at + 8 + (4 if flags & 1 else 0)
            return int.from_bytes(frame[field : field + 4], "big") if flags & 2 else 0
    return 0
