"""Ogg pages (RFC 3533): walking them, and giving a stream a serial number of our choice.

Encoders draw the serial at random, so that two encodings of one clip differ. Set from the content,
it makes a build reproducible.
"""

from __future__ import annotations

import os
import struct
import zlib
from collections.abc import Iterator
from typing import IO

_MIRROR = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))
_HEADER = 27  # bytes before the segment table (RFC 3533, section 6)
_LAST_PAGE = 0x04
_MAX_PAGE = _HEADER + 255 + 255 * 255


def checksum(page: bytes) -> int:
    """The CRC of a page whose checksum field is zero (RFC 3533, section 6: polynomial 0x04C11DB7).

    zlib's CRC is the same polynomial with the bits mirrored and both ends inverted: mirroring the
    input and the result, and undoing the inversions, gives Ogg's at the speed of C.
    """
    mirrored = zlib.crc32(page.translate(_MIRROR), 0xFFFFFFFF) ^ 0xFFFFFFFF
    return int.from_bytes(mirrored.to_bytes(4, "little").translate(_MIRROR), "big")


def page_length(data: bytes | bytearray, start: int = 0) -> int | None:
    """The length in bytes of the page that begins at ``start``; ``None`` where too little is there."""
    if len(data) < start + _HEADER:
        return None
    segments = data[start + 26]
    if len(data) < start + _HEADER + segments:
        return None
    return _HEADER + segments + sum(data[start + _HEADER : start + _HEADER + segments])


def restamped(page: bytes, serial: int) -> bytes:
    """The page with another serial number and the checksum that goes with it."""
    page = page[:14] + struct.pack("<I", serial) + page[18:22] + bytes(4) + page[26:]
    return page[:22] + struct.pack("<I", checksum(page)) + page[26:]


class Restamper:
    """Takes an Ogg stream as it is written, in pieces of any size, and gives whole restamped pages."""

    def __init__(self, serial: int) -> None:
        self._serial = serial
        self._waiting = bytearray()

    def feed(self, data: bytes) -> bytes:
        self._waiting += data
        done = bytearray()
        start = 0
        while (length := page_length(self._waiting, start)) is not None:
            if len(self._waiting) < start + length:
                break
            done += restamped(bytes(self._waiting[start : start + length]), self._serial)
            start += length
        del self._waiting[:start]
        return bytes(done)


def pages(stream: IO[bytes]) -> Iterator[bytes]:
    """The whole pages of a stream from its beginning, up to the first that is cut or no page."""
    stream.seek(0)
    while True:
        head = stream.read(_HEADER)
        if len(head) < _HEADER or head[:4] != b"OggS":
            return
        table = stream.read(head[26])
        body = stream.read(sum(table))
        if len(table) < head[26] or len(body) < sum(table):
            return
        yield head + table + body


def ends_whole(stream: IO[bytes]) -> bool:
    """Is the stream's last page there, whole, and marked as the last?"""
    size = stream.seek(0, os.SEEK_END)
    stream.seek(max(0, size - _MAX_PAGE))
    tail = stream.read()
    at = tail.rfind(b"OggS")
    while at >= 0:
        length = page_length(tail, at)
        if length is not None and at + length == len(tail):
            return bool(tail[at + 5] & _LAST_PAGE)
        at = tail.rfind(b"OggS", 0, at)
    return False


def faulty_page(stream: IO[bytes]) -> int | None:
    """The number (from 1) of the first page whose checksum does not fit its bytes."""
    for number, page in enumerate(pages(stream), 1):
        if checksum(page[:22] + bytes(4) + page[26:]) != int.from_bytes(page[22:26], "little"):
            return number
    return None
