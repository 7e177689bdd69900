"""Tags: what a clip says of its title, its author and its licence, and Vorbis comments in full.

Sources: Ogg Vorbis I format specification (section 5, comment fields), RFC 7845 (Opus), RFC 9639 (FLAC).
"""

from __future__ import annotations

import contextlib
import shutil
import struct
from collections.abc import Iterator, Mapping
from typing import IO, Any

from ichnos.audio.files import markers, ogg
from ichnos.audio.files.clips import Facts, decoder
from ichnos.errors import IchnosError, Place
from ichnos.files import scratch

_OURS = {
    "title": "title",
    "artist": "author",
    "copyright": "copyright",
    "license": "licence",
    "comment": "comment",
    "date": "date",
}
_FLAC_COMMENTS = 4  # the kind of that metadata block
_VORBIS, _OPUS = b"\x03vorbis", b"OpusTags"


def set_tags(sound: Any, said: Mapping[str, str]) -> None:
    """Let a ``soundfile.SoundFile`` that is still empty say what ``tags`` read, as far as its container can."""
    import soundfile

    for theirs, ours in _OURS.items():
        if ours in said:
            with contextlib.suppress(soundfile.LibsndfileError, AttributeError):  # this container has no place for it
                setattr(sound, theirs, said[ours])


def tags(stream: IO[bytes], facts: Facts) -> dict[str, str]:
    """A clip's title, author, copyright, licence, comment and date, as far as it says them."""
    if facts.from_video:
        return {}
    with decoder(stream, Place("a clip"), facts.container) as sound:
        found: Mapping[str, str] = sound.copy_metadata()
    if any("\ufffd" in text for text in found.values()):
        found = {**found, **_old_texts(stream)}
    return {ours: text for theirs, ours in _OURS.items() if (text := found.get(theirs, "").strip())}


_INFO = {b"INAM": "title", b"IART": "artist", b"ICOP": "copyright", b"ICMT": "comment", b"ICRD": "date"}


def _old_texts(stream: IO[bytes]) -> dict[str, str]:
    """What a WAV says of itself in another encoding than UTF-8: in that of Windows in the west."""
    found = {}
    for name, body in markers.chunks(stream):
        if name == b"LIST" and body[:4] == b"INFO":
            for field, part in markers.parts(body):
                if field in _INFO:
                    found[_INFO[field]] = part.split(b"\0")[0].decode("cp1252", "replace")
    return found


def vorbis_comments(stream: IO[bytes]) -> dict[str, str]:
    """The comments of an Ogg Vorbis or Opus stream, names in capitals; the first of several counts."""
    for packet in ogg.header_packets(stream, 2)[1:]:
        for start in (_VORBIS, _OPUS):
            if packet.startswith(start):
                try:
                    return _by_name(_parsed(packet[len(start) :])[1])
                except (struct.error, IndexError):
                    return {}
    return {}


def flac_comments(stream: IO[bytes]) -> dict[str, str]:
    """The same of a FLAC file."""
    for kind, body in _flac_blocks(stream):
        if kind == _FLAC_COMMENTS:
            try:
                return _by_name(_parsed(body)[1])
            except (struct.error, IndexError):
                return {}
    return {}


def _by_name(pairs: list[bytes]) -> dict[str, str]:
    found: dict[str, str] = {}
    for pair in pairs:
        name, _, value = pair.decode("utf-8", "replace").partition("=")
        found.setdefault(name.upper(), value)
    return found


def _flac_blocks(stream: IO[bytes]) -> Iterator[tuple[int, bytes]]:
    """The metadata blocks, with their kinds; the stream stands behind each then."""
    stream.seek(4)
    is_last = False
    while not is_last and len(head := stream.read(4)) == 4:
        is_last = bool(head[0] & 0x80)
        yield head[0] & 0x7F, stream.read(int.from_bytes(head[1:], "big"))


def _with_flac_comments(stream: IO[bytes], out: IO[bytes], comments: Mapping[str, str]) -> None:
    blocks = dict(enumerate(_flac_blocks(stream)))  # in their order
    at = next((at for at, (kind, _) in blocks.items() if kind == _FLAC_COMMENTS), len(blocks))
    vendor, pairs = _parsed(blocks[at][1]) if at in blocks else (b"", [])
    blocks[at] = _FLAC_COMMENTS, _changed(vendor, pairs, comments)
    out.write(b"fLaC")
    for number, (kind, body) in blocks.items():
        out.write(bytes([kind | (0x80 if number + 1 == len(blocks) else 0)]) + len(body).to_bytes(3, "big") + body)
    shutil.copyfileobj(stream, out)


def put(out: IO[bytes], comments: Mapping[str, str]) -> None:
    """Write comments into a finished file that is open for reading and writing. Raises as ``with_comments`` does."""
    with scratch.aside() as plain:
        out.seek(0)
        shutil.copyfileobj(out, plain)
        out.seek(0)
        out.truncate()
        with_comments(plain, out, comments)


def with_comments(stream: IO[bytes], out: IO[bytes], comments: Mapping[str, str]) -> None:
    """Copy an Ogg Vorbis, Opus or FLAC stream, with these comments in place of any of the same names.

    Raises:
        IchnosError: it is no such stream.
    """
    stream.seek(0)
    if stream.read(4) == b"fLaC":
        _with_flac_comments(stream, out, comments)
        return
    count = 3  # identification, comments, and Vorbis' own setup
    packets = ogg.header_packets(stream, count)
    if len(packets) > 1 and packets[1].startswith(_OPUS):
        packets, kind = packets[:2], _OPUS
    elif len(packets) == count and packets[1].startswith(_VORBIS):
        kind = _VORBIS
    else:
        raise IchnosError("this is no Ogg Vorbis or Opus stream that comments can be written into")
    vendor, pairs = _parsed(packets[1][len(kind) :])
    body = _changed(vendor, pairs, comments)
    packets[1] = kind + body + (b"\x01" if kind == _VORBIS else b"")
    ogg.with_headers(stream, out, packets)


def _changed(vendor: bytes, pairs: list[bytes], comments: Mapping[str, str]) -> bytes:
    """Comments as they are written, some of them in place of others."""
    names = {name.upper() for name in comments}
    kept = [pair for pair in pairs if pair.partition(b"=")[0].decode("ascii", "replace").upper() not in names]
    kept += [f"{name}={value}".encode() for name, value in comments.items()]
    body = struct.pack("<I", len(vendor)) + vendor + struct.pack("<I", len(kept))
    return body + b"".join(struct.pack("<I", len(pair)) + pair for pair in kept)


def _parsed(body: bytes) -> tuple[bytes, list[bytes]]:
    """The vendor, and NAME=value pairs. Raises struct.error where it breaks off."""
    (length,) = struct.unpack_from("<I", body)
    vendor, at = body[4 : 4 + length], 4 + length
    (count,) = struct.unpack_from("<I", body, at)
    at += 4
    pairs = []
    for _ in range(count):
        (length,) = struct.unpack_from("<I", body, at)
        pairs.append(body[at + 4 : at + 4 + length])
        at += 4 + length
        if at > len(body):
            raise struct.error("a comment is longer than its packet")
    return vendor, pairs
