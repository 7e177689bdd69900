"""Ogg pages (RFC 3533): walking them, and giving a stream a serial number of our choice.

Encoders draw the serial at random, so that two encodings of one clip differ. Set from the content,
it makes a build reproducible.
"""

from __future__ import annotations

import itertools
import os
import struct
import zlib
from collections.abc import Iterator
from typing import IO

_MIRROR = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))
_HEADER = 27  # bytes before the segment table (RFC 3533, section 6)
_CONTINUED, _FIRST_PAGE, _LAST_PAGE = 0x01, 0x02, 0x04
_FULL = 255  # the length of a segment after which its packet goes on
_BEGINNING = b"OggS\0" + bytes([2])  # the capture pattern, the version, and a page that begins a stream
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


def restamp(page: bytes, serial: int) -> bytes:
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
            done += restamp(bytes(self._waiting[start : start + length]), self._serial)
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


def links(stream: IO[bytes]) -> list[tuple[int, int]]:
    """Where each of the sounds begins and ends that stand one behind the other in an Ogg file; empty for one alone."""
    if not _begins_again(stream):
        return []
    found: list[tuple[int, int]] = []
    start = position = 0
    ended = False
    for page in pages(stream):
        if ended and page[5] & _FIRST_PAGE:
            found.append((start, position))
            start, ended = position, False
        ended |= bool(page[5] & _LAST_PAGE)
        position += len(page)
    return [*found, (start, position)]


def _begins_again(stream: IO[bytes]) -> bool:
    """Is there anything behind the first page that looks like a stream's first? Far faster than going by pages."""
    stream.seek(1)
    before = b""
    while data := stream.read(1 << 20):
        if _BEGINNING in before + data:
            return True
        before = data[-len(_BEGINNING) :]
    return False


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


def end_at(out: IO[bytes], frames: int, rate: int) -> None:
    """Let an Opus stream end after so many frames; what is behind them is only there so that the codec gives all.

    Its end is the granule position of the last page: samples at 48 kHz, with those that are skipped at the
    beginning (RFC 7845, sections 4 and 5.1).
    """
    (head,) = header_packets(out, 1)
    wanted = int.from_bytes(head[10:12], "little") + -(-frames * 48000 // rate)
    position = 0
    for page in pages(out):
        granule = int.from_bytes(page[6:14], "little", signed=True)
        if granule >= wanted:
            last = page[:5] + bytes([page[5] | _LAST_PAGE]) + struct.pack("<q", wanted) + page[14:22] + bytes(4)
            last += page[26:]
            out.seek(position)
            out.write(last[:22] + struct.pack("<I", checksum(last)) + last[26:])
            out.truncate()
            return
        position += len(page)


def header_packets(stream: IO[bytes], count: int) -> list[bytes]:
    """The first packets of a stream, at most so many."""
    return list(itertools.islice(packets(stream), count))


def packets(stream: IO[bytes]) -> Iterator[bytes]:
    """The packets of a stream, in order."""
    part = bytearray()
    for page in pages(stream):
        at = _HEADER + page[26]
        for length in page[_HEADER : _HEADER + page[26]]:
            part += page[at : at + length]
            at += length
            if length < _FULL:
                yield bytes(part)
                part.clear()


def with_headers(stream: IO[bytes], out: IO[bytes], packets: list[bytes]) -> None:
    """Copy a stream, with these header packets in place of as many of its own.

    Headers end a page of their own (RFC 3533, RFC 7845, Vorbis I section A.2), so the pages behind
    them only get other numbers.
    """
    serial = 0
    ended, behind = 0, iter(pages(stream))
    while ended < len(packets):
        page = next(behind)
        serial = int.from_bytes(page[14:18], "little")
        ended += sum(length < _FULL for length in page[_HEADER : _HEADER + page[26]])
    number = 0
    for group in (packets[:1], packets[1:]):
        for page in _paged(group, serial, number, first=number == 0):
            out.write(page)
            number += 1
    for page in behind:
        renumbered = page[:18] + struct.pack("<I", number) + bytes(4) + page[26:]
        out.write(renumbered[:22] + struct.pack("<I", checksum(renumbered)) + renumbered[26:])
        number += 1


def _paged(packets: list[bytes], serial: int, number: int, *, first: bool) -> Iterator[bytes]:
    """Header packets laid into pages: their granule position is 0, and only the stream's first begins it."""
    lacing: list[int] = []
    for packet in packets:
        lacing += [_FULL] * (len(packet) // _FULL) + [len(packet) % _FULL]
    body, at = b"".join(packets), 0
    for start in range(0, len(lacing), 255):
        table = lacing[start : start + 255]
        continued = start > 0 and lacing[start - 1] == _FULL
        flags = (_CONTINUED if continued else 0) | (_FIRST_PAGE if first and start == 0 else 0)
        granule = 0 if any(length < _FULL for length in table) else 2**64 - 1
        length = sum(table)
        head = struct.pack("<4sBBQIIIB", b"OggS", 0, flags, granule, serial, number, 0, len(table))
        page = head + bytes(table) + body[at : at + length]
        yield page[:22] + struct.pack("<I", checksum(page)) + page[26:]
        at += length
        number += 1
