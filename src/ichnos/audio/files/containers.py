"""What a sound file really is, from its own bytes, and whether it is all there.

Sources: RIFF/WAVE (Multimedia Programming Interface and Data Specifications 1.0), AIFF 1.3,
RFC 3533 (Ogg), RFC 9639 (FLAC), ISO/IEC 14496-12 (MP4), RFC 8794 (Matroska's EBML).
"""

from __future__ import annotations

import os
import struct
from pathlib import Path
from typing import IO

from ichnos.audio.files import mpeg, ogg
from ichnos.audio.files.repaired import UNKNOWN_SIZE

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
    ".mp4": "MP4",
    ".m4a": "MP4",
    ".m4v": "MP4",
    ".mov": "MP4",
    ".webm": "Matroska",
    ".mkv": "Matroska",
    ".mka": "Matroska",
    ".au": "AU",
    ".caf": "CAF",
    ".w64": "W64",
}
KNOWN = ("WAV", "AIFF", "FLAC", "Ogg", "MP3")
VIDEO = ("MP4", "Matroska")  # read by another library, which is an extra
SUFFIXES = tuple(_SUFFIXES)


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
    if head[4:8] == b"ftyp":
        return "MP4"
    if head[:4] == b"\x1a\x45\xdf\xa3":
        return "Matroska"
    start = mpeg.after_id3(head)
    stream.seek(start)
    head = stream.read(4)
    if head == b"fLaC":
        return "FLAC"
    is_mp3 = start or mpeg.frame_length(head) or mpeg.behind_junk(stream) is not None
    return "MP3" if is_mp3 else None


def fault(stream: IO[bytes], container: str) -> str | None:
    """What is wrong with a file by its own headers and checksums; ``None`` where nothing is.

    What a FLAC promises is only seen when it is decoded.
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
        return mpeg.fault(stream, size)
    if container == "MP4":
        return _mp4_missing(stream, size)
    if container == "Matroska":
        return _matroska_missing(stream, size)
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
            if length == 0 or length >= UNKNOWN_SIZE or missing <= 0:
                return None
            return f"cut short: {missing:,} of {length:,} bytes of sound are missing"
        position += 8 + length + length % 2
    return "cut short: it has a header, but no sound in it"


def _mp4_missing(stream: IO[bytes], size: int) -> str | None:
    """ISO/IEC 14496-12, 4.2: boxes, one behind the other, each with its size."""
    position, names = 0, set()
    while position + 8 <= size:
        stream.seek(position)
        length, name = struct.unpack(">I4s", stream.read(8))
        if length == 1:
            length = int.from_bytes(stream.read(8), "big")
        elif length == 0:
            length = size - position
        if length < 8:
            return f"damaged: at byte {position:,} there is no box of it"
        names.add(name)
        position += length
    if position > size:
        return f"cut short: {position - size:,} bytes are missing"
    return None if b"moov" in names else "cut short: its index, which comes last, is missing"


def _matroska_missing(stream: IO[bytes], size: int) -> str | None:
    """RFC 8794: an EBML header, then a segment that says how long it is, where it was finished."""
    position = 0
    while position < size:
        stream.seek(position)
        head = stream.read(12)
        identity = _vint_length(head[0])
        width = _vint_length(head[identity]) if identity < len(head) else 9
        if identity > 4 or width > 8 or identity + width > len(head):
            return f"damaged: at byte {position:,} there is no element of it"
        value = int.from_bytes(head[identity : identity + width], "big") & ((1 << 7 * width) - 1)
        if value == (1 << 7 * width) - 1:
            return None  # written as it came: it does not say
        position += identity + width + value
    return f"cut short: {position - size:,} bytes are missing" if position > size else None


def _vint_length(first: int) -> int:
    """The bytes of a number by its first byte: one more than it has leading zeros."""
    return 9 - first.bit_length()


def channel_mask(stream: IO[bytes]) -> int:
    """Where the channels of a WAV are heard, a bit for each place (``dwChannelMask``); 0 where it does not say.

    Source: Microsoft, *Multiple channel audio data and WAVE files* (2007).
    """
    position = stream.tell()
    try:
        at = 12
        while True:
            stream.seek(at)
            head = stream.read(8)
            if len(head) < 8:
                return 0
            name, length = struct.unpack("<4sI", head)
            if name == b"fmt ":
                body = stream.read(min(length, 40))
                is_extended = len(body) >= 24 and struct.unpack_from("<H", body)[0] == 0xFFFE
                return int(struct.unpack_from("<I", body, 20)[0]) if is_extended else 0
            at += 8 + length + length % 2
    finally:
        stream.seek(position)
