"""What a sound file really is, from its own bytes, and whether it is all there.

Sources: RIFF/WAVE (Multimedia Programming Interface and Data Specifications 1.0), AIFF 1.3,
RFC 3533 (Ogg), RFC 9639 (FLAC), ISO/IEC 11172-3 (MPEG audio), the Xing/Info frame that encoders
put in front of an MP3.
"""

from __future__ import annotations

import os
import struct
from pathlib import Path
from typing import IO

from ichnos.audio import ogg

_SUFFIXES = {
    ".wav": "WAV",
    ".wave": "WAV",
    ".aif": "AIFF",
    ".aiff": "AIFF",
    ".aifc": "AIFF",
    ".flac": "FLAC",
    ".ogg": "Ogg",
    ".oga": "Ogg",
    ".opus": "Ogg",
    ".mp3": "MP3",
}
_UNKNOWN_SIZE = (0, 0xFFFFFFFF)  # written by programs that stream and cannot go back


def claimed(path: Path) -> str | None:
    """The container that the file's extension stands for."""
    return _SUFFIXES.get(path.suffix.lower())


def actual(stream: IO[bytes]) -> str | None:
    """The container that the bytes are, or ``None`` where they are no audio known here."""
    stream.seek(0)
    head = stream.read(12)
    if head[:4] in (b"RIFF", b"RIFX", b"RF64") and head[8:12] == b"WAVE":
        return "WAV"
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return "AIFF"
    if head[:4] == b"OggS":
        return "Ogg"
    if head[:4] == b"fLaC":
        return "FLAC"
    start = _after_id3(head)
    stream.seek(start)
    head = stream.read(4)
    if head == b"fLaC":
        return "FLAC"
    return "MP3" if start or _is_mpeg_frame(head) else None


def fault(stream: IO[bytes], container: str) -> str | None:
    """What is wrong with a file by its own headers and checksums; ``None`` where nothing is.

    An MP3 without an Info frame, and a FLAC, promise nothing that can be seen without decoding.
    """
    size = stream.seek(0, os.SEEK_END)
    stream.seek(0)
    if container in ("WAV", "AIFF"):
        return _iff_missing(stream, size, container)
    if container == "Ogg":
        if not ogg.ends_whole(stream):
            return "cut short: the page that ends the stream is missing"
        page = ogg.faulty_page(stream)
        return None if page is None else f"damaged: the checksum of its page {page} does not fit the bytes"
    if container == "MP3":
        return _mp3_missing(stream, size)
    return None


def _iff_missing(stream: IO[bytes], size: int, container: str) -> str | None:
    magic = stream.read(12)[:4]
    order = "<" if magic in (b"RIFF", b"RF64") else ">"
    wanted = b"data" if container == "WAV" else b"SSND"
    position = 12
    while position + 8 <= size:
        stream.seek(position)
        name, length = struct.unpack(f"{order}4sI", stream.read(8))
        if name == wanted:
            missing = position + 8 + length - size
            if length in _UNKNOWN_SIZE or missing <= 0:
                return None
            return f"cut short: {missing:,} of {length:,} bytes of sound are missing"
        position += 8 + length + length % 2
    return "cut short: it has a header, but no sound in it"


def _after_id3(head: bytes) -> int:
    """Where the audio begins behind an ID3v2 tag (0 without one)."""
    if head[:3] != b"ID3" or len(head) < 10:
        return 0
    sizes = head[6:10]
    return 10 + (sizes[0] << 21 | sizes[1] << 14 | sizes[2] << 7 | sizes[3])


def _is_mpeg_frame(head: bytes) -> bool:
    """Is this a possible MPEG audio frame header? (ISO/IEC 11172-3, 2.4.1.3)"""
    if len(head) < 4 or head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return False
    version, layer = head[1] >> 3 & 3, head[1] >> 1 & 3
    return version != 1 and layer != 0 and head[2] >> 4 not in (0, 15) and head[2] >> 2 & 3 != 3


def _mp3_missing(stream: IO[bytes], size: int) -> str | None:
    start = _after_id3(stream.read(10))
    stream.seek(start)
    frame = stream.read(200)
    for name in (b"Xing", b"Info"):
        at = frame.find(name)
        if at < 0 or len(frame) < at + 16:
            continue
        flags = int.from_bytes(frame[at + 4 : at + 8], "big")
        if not flags & 2:
            return None
        field = at + 8 + (4 if flags & 1 else 0)
        length = int.from_bytes(frame[field : field + 4], "big")
        missing = start + length - size
        return f"cut short: {missing:,} of {length:,} bytes are missing" if missing > 0 else None
    return None
