"""MPEG audio frames: walking an MP3 from header to header, without decoding it.

Sources: ISO/IEC 11172-3 and 13818-3 (2.4.1.3, 2.4.2.3), ID3v2.4 (section 3.1), and the Xing/Info
frame that encoders put in front.
"""

from __future__ import annotations

from typing import IO

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
