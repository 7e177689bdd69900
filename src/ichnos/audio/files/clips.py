"""A sound file that is open: what it is, and its samples in blocks."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.blocks.block import BLOCK_SAMPLES
from ichnos.audio.blocks.surround import OGG_ORDER
from ichnos.audio.files import containers, ogg
from ichnos.audio.files.forms import LOSSY
from ichnos.audio.files.repaired import repaired
from ichnos.errors import IchnosError, Place
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block

SLOWEST, FASTEST, MOST_CHANNELS = 1_000, 768_000, 32  # Hz, and channels of a sound file
_LONGEST = 10**9  # seconds: what stands for an unknown length is more
_HIGHEST = 1000.0  # 60 dB above full scale

_CODECS = {
    "VORBIS": "Vorbis",
    "OPUS": "Opus",
    "MPEG_LAYER_I": "MPEG layer I",
    "MPEG_LAYER_II": "MPEG layer II",
    "MPEG_LAYER_III": "MPEG layer III",
    "PCM_U8": "PCM 8",
    "PCM_S8": "PCM 8",
    "PCM_16": "PCM 16",
    "PCM_24": "PCM 24",
    "PCM_32": "PCM 32",
    "FLOAT": "float 32",
    "DOUBLE": "float 64",
}


@dataclass(frozen=True)
class Facts:
    """What a sound file is. ``rate`` in frames a second, ``frames`` for each channel.

    ``mask``: where its channels are heard, as a WAV says it (a bit for each place, see ``surround``); 0 where it does
    not say it, or its format knows one way alone.
    """

    container: str
    claimed: str | None  # by the extension
    codec: str
    rate: int
    channels: int
    frames: int
    mask: int = 0

    @property
    def seconds(self) -> float:
        return self.frames / self.rate

    @property
    def kind(self) -> str:
        """Container and codec, in few words."""
        return "MP3" if self.container == "MP3" else f"{self.container} {self.codec}"

    @property
    def from_video(self) -> bool:
        """Is it the sound track of a recording? Its length is then only known to a part of a second."""
        return self.container in containers.VIDEO

    @property
    def bits(self) -> int | None:
        """Of each sample, where they are whole numbers."""
        kind, _, bits = self.codec.partition(" ")
        return int(bits) if kind == "PCM" else None

    @property
    def disguised(self) -> bool:
        """Does the extension say something else than the bytes?"""
        return self.claimed is not None and self.claimed != self.container

    def __str__(self) -> str:
        channels = {1: "mono", 2: "stereo"}.get(self.channels, f"{self.channels} channels")
        kind = self.kind
        if self.disguised:
            kind += f" (though its name says {self.claimed})"
        return f"{kind}, {channels}, {self.rate / 1000:g} kHz, {self.seconds:.1f} s"


class OpenSound:
    """A sound file that is open for reading: what it is, and its samples. Reading moves the stream.

    Args:
        stream: the file, open for reading.
        name: of the file: its extension is a claim, and messages call it so.
        place: what messages call it, where that is not its name.
        facts: what it is, where that is known already.
    """

    def __init__(
        self, stream: IO[bytes], name: str | Path, place: Place | None = None, facts: Facts | None = None
    ) -> None:
        self.stream, self.path = stream, Path(name)
        self.place = place or Place(str(name))
        self._facts = facts
        # Opened for the facts, and where it stands: with a file of a second, opening is half the work.
        self._decoder: tuple[Any, int] | None = None

    @property
    def facts(self) -> Facts:
        """What it is, from its own bytes.

        Raises:
            IchnosError: empty, not audio, damaged, or cut short.
        """
        if self._facts is None:
            self._facts = self._looked_at()
        return self._facts

    def _looked_at(self) -> Facts:
        container = _whole(self.stream, self.place)
        if container in containers.VIDEO:
            from ichnos.audio.files import video

            self.stream.seek(0)
            claimed = containers.claimed(self.path)
            return _possible(self.place, container, claimed, *video.facts(self.stream, self.place))
        sound = decoder(self.stream, self.place, container)
        self._decoder = sound, self.stream.tell()
        codec = _CODECS.get(sound.subtype, sound.subtype)
        claimed, frames = containers.claimed(self.path), sound.frames
        mask = containers.channel_mask(self.stream) if container == "WAV" and sound.channels > 2 else 0
        facts = _possible(self.place, container, claimed, codec, sound.samplerate, sound.channels, frames, mask)
        if not frames:
            what = f"this {container} file holds no sound (0 frames)"
            raise IchnosError(what, place=self.place, cure="export or download it again")
        return facts

    def blocks(self, most: int = BLOCK_SAMPLES) -> Iterator[Block]:
        """Decode it from its beginning, in blocks of at most ``most`` frames, those of a video as they come.

        Yields:
            float32, shape (frames, channels), full scale ±1.

        Raises:
            IchnosError: the file ends, or cannot be decoded, before the frames that its header promises.
        """
        facts = self.facts
        if facts.from_video:
            from ichnos.audio.files import video

            self.stream.seek(0)
            yield from video.blocks(self.stream, facts.rate, facts.channels, facts.frames, self.place)
            return
        if self._decoder is None:
            sound = decoder(self.stream, self.place, facts.container)
        else:
            sound, position = self._decoder
            self.stream.seek(position)  # tags and marks may have been read since
            self._decoder = None
        yield from _blocks(sound, facts, self.place, most)

    def close(self) -> None:
        """Let go of the file; the stream stays its owner's. (Windows removes no file that is open.)"""
        if self._decoder is not None:
            self._decoder[0].close()
            self._decoder = None


@contextmanager
def open_sound(path: Path, name: str | None = None) -> Iterator[OpenSound]:
    """Open a sound file by its path; ``name``: what messages call it.

    Raises:
        IchnosError: it is not there, or may not be read.
    """
    with disk.opened(path, name) as stream, closing(OpenSound(stream, name or path)) as sound:
        yield sound


def _whole(stream: IO[bytes], place: Place) -> str:
    """The container of a file that is whole as far as its own headers and checksums tell."""
    stream.seek(0)
    again = "export or download it again"
    if not stream.read(1):
        raise IchnosError("this file is empty (0 bytes)", place=place, cure=again)
    container = containers.actual(stream) or _other(stream)
    if container is None:
        raise IchnosError(
            "this is not audio that Ichnos reads",
            place=place,
            cure="it reads WAV, AIFF, FLAC, Ogg Vorbis, Ogg Opus, MP3, MP4, WebM and more, whatever the extension",
        )
    fault = containers.fault(stream, container)
    if fault:
        raise IchnosError(f"this {container} file is {fault}", place=place, cure=again)
    return container


def _possible(place: Place, *said: Any) -> Facts:
    """The facts, where they are those of a sound. Raises IchnosError for a rate that no sound has."""
    facts = Facts(*said)
    if not SLOWEST <= facts.rate <= FASTEST or not 0 < facts.channels <= MOST_CHANNELS:
        what = f"this {facts.container} file says that it has {facts.rate:,} Hz and {facts.channels} channels"
        cure = f"export it again, with {SLOWEST:,} to {FASTEST:,} Hz and at most {MOST_CHANNELS} channels"
        raise IchnosError(what, place=place, cure=cure)
    if facts.seconds > _LONGEST:
        what = f"this {facts.container} file is damaged: it does not say how long it is, and its end is not whole"
        raise IchnosError(what, place=place, cure="export or download it again")
    return facts


def _other(stream: IO[bytes]) -> str | None:
    """The container of a file that only libsndfile knows, by its name there (AU, CAF, W64, ...)."""
    import soundfile

    stream.seek(0)
    try:
        with soundfile.SoundFile(stream) as sound:
            return str(sound.format)
    except soundfile.LibsndfileError:
        return None


def decoder(stream: IO[bytes], place: Place, container: str) -> Any:
    """A ``soundfile.SoundFile`` for reading. Raises IchnosError where the header is damaged."""
    import soundfile

    stream.seek(0)
    # A file by its name: libsndfile then reads it itself, and need not ask Python for each piece. Of
    # rare kinds it would believe the extension, though.
    name = getattr(stream, "name", None)
    links = ogg.links(stream) if container == "Ogg" else []
    if len(links) > 1:
        return Chained(stream, links, place)
    whole = repaired(stream, container)
    is_known = container in containers.KNOWN and isinstance(whole, io.BufferedReader)
    by_name = is_known and isinstance(name, str | Path) and _is_unicode(str(name))
    try:
        return soundfile.SoundFile(name if by_name else whole)
    except soundfile.LibsndfileError as error:
        raise IchnosError(
            f"this {container} file cannot be decoded ({_reason(error)})",
            place=place,
            cure="export or download it again",
        ) from None


class Chained:
    """The sounds of an Ogg file that holds several, one behind the other (RFC 3533, section 4), as one.

    Raises:
        IchnosError: they differ in rate, channels or codec.
    """

    def __init__(self, stream: IO[bytes], links: list[tuple[int, int]], place: Place) -> None:
        self._sounds = [decoder(io.BytesIO(_part(stream, *link)), place, "Ogg") for link in links]
        first = self._sounds[0]
        self.samplerate, self.channels, self.subtype = first.samplerate, first.channels, first.subtype
        self.format, self.frames = first.format, sum(sound.frames for sound in self._sounds)
        if len({(one.samplerate, one.channels, one.subtype) for one in self._sounds}) > 1:
            what = f"this Ogg file holds {len(links)} sounds of different kinds, one behind the other"
            raise IchnosError(what, place=place, cure="take it apart, or export it again as one")

    def copy_metadata(self) -> Any:
        """What the first of them says of itself."""
        return self._sounds[0].copy_metadata()

    def __enter__(self) -> Chained:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close all of them."""
        for sound in self._sounds:
            sound.close()

    def read(self, frames: int, **how: Any) -> Any:
        """The next block; at the end one without frames."""
        for sound in self._sounds:
            block = sound.read(frames, **how)
            if len(block):
                return block
        return block


def _part(stream: IO[bytes], start: int, end: int) -> bytes:
    stream.seek(start)
    return stream.read(end - start)


def _is_unicode(name: str) -> bool:
    """Can libsndfile's binding spell the name? It cannot spell one that is no UTF-8."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def _blocks(sound: Any, expected: Facts, place: Place, most: int) -> Iterator[Block]:
    import soundfile

    done = 0
    order = list(OGG_ORDER.get(expected.channels, ())) if expected.codec in LOSSY else []
    with sound:
        while True:
            try:
                block = sound.read(most, dtype="float32", always_2d=True)
            except soundfile.LibsndfileError as error:
                raise _broken_off(done, expected, place, _reason(error)) from None
            if not len(block):
                break
            done += len(block)
            if order:
                block = block[:, order]
            if expected.codec.startswith("float"):
                _refuse_nonsense(block, done, expected, place)
            yield block
    if done < expected.frames:
        raise _broken_off(done, expected, place, "the data ends there")


def _refuse_nonsense(block: Block, done: int, expected: Facts, place: Place) -> None:
    """Samples in floating point can be anything; what no sound can be would poison every sum."""
    import numpy as np

    if not np.abs(block).max(initial=0) <= _HIGHEST:  # so that NaN does not pass either
        raise IchnosError(
            f"this {expected.container} file is damaged: shortly before {done / expected.rate:.2f} s there are numbers"
            " that no sound has",
            place=place,
            cure="export or download it again",
        )


def _broken_off(done: int, expected: Facts, place: Place, reason: str) -> IchnosError:
    return IchnosError(
        f"this {expected.container} file is damaged: it can be decoded up to"
        f" {done / expected.rate:.2f} s of {expected.seconds:.2f} s ({reason})",
        place=replace(place, seconds=done / expected.rate) if place else None,
        cure="export or download it again",
    )


def _reason(error: Exception) -> str:
    return str(getattr(error, "error_string", error)).strip().rstrip(".").lower()
