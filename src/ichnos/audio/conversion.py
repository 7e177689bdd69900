"""Converting a clip into what a game reads, and proving the result."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from functools import cache
from importlib.metadata import version
from pathlib import Path
from typing import IO, Any

from ichnos.audio import chain, clips, markers, ogg
from ichnos.audio.clips import Facts
from ichnos.errors import IchnosError, Place

CHAIN_EDITION = 1  # raised whenever the same clip and target would give other bytes

_SUBTYPES = {"Vorbis": "VORBIS", "PCM 16": "PCM_16"}
_FORMATS = {"Ogg": "OGG", "WAV": "WAV"}


@dataclass(frozen=True)
class Target:
    """What to convert to. ``rate`` in frames a second; ``quality`` is Vorbis', from 0 to 10.

    ``loop``: a WAV gets a marker that loops all of it.
    """

    container: str
    codec: str
    rate: int
    channels: int
    quality: float
    loop: bool = False

    def __str__(self) -> str:
        channels = {1: "mono", 2: "stereo"}[self.channels]
        loop = ", marked as a loop" if self.loop else ""
        return f"{self.container} {self.codec}, {channels}, {self.rate / 1000:g} kHz{loop}"

    def differs(self, facts: Facts) -> list[str]:
        """In what a file is not as wanted, in plain words: what it is, and what it should be."""
        wanted: list[tuple[str, Any, Any]] = [
            ("container", facts.container, self.container),
            ("codec", facts.codec, self.codec),
            ("rate", f"{facts.rate} Hz", f"{self.rate} Hz"),
            ("channels", facts.channels, self.channels),
        ]
        return [f"{what} {found}, not {want}" for what, found, want in wanted if found != want]


@cache
def _versions() -> dict[str, str]:
    """The versions of the libraries that do the work."""
    return {name: version(name) for name in ("soundfile", "soxr")}


def identity(source_sha256: str, target: Target) -> str:
    """The name under which a conversion is kept: equal names, equal bytes.

    It covers the source's bytes, the target, this chain and the libraries that do the work.
    """
    settings = {"source": source_sha256, "target": asdict(target), "chain": CHAIN_EDITION, **_versions()}
    return hashlib.sha256(json.dumps(settings, sort_keys=True).encode()).hexdigest()


def convert(
    source: Path,
    facts: Facts,
    target: Target,
    to: Path,
    serial: int,
    heard: Callable[[float], None] = lambda seconds: None,
) -> int:
    """Convert ``source`` into a new file ``to``, and decode that again to prove it.

    The file is written whole, or removed again.

    Args:
        serial: the Ogg stream's serial number, 32 bits.
        heard: called after each block of the source, with its seconds.

    Returns:
        The frames written.

    Raises:
        IchnosError: the source is damaged, the disk is full, or the result is not what was written.
    """
    try:
        with source.open("rb") as stream, to.open("w+b") as out:
            decoded = _telling(clips.blocks(stream, facts, Place(str(source))), facts.rate, heard)
            mixed = chain.to_channels(decoded, target.channels)
            frames = _encode(chain.resampled(mixed, facts.rate, target.rate, target.channels), target, out, serial)
            if target.loop:
                markers.add_loop(out, 0, max(0, frames - 1), target.rate)
            out.flush()
            os.fsync(out.fileno())
        _prove(to, target, frames, source)
    except BaseException:
        to.unlink(missing_ok=True)
        raise
    return frames


def _telling(blocks: Iterator[clips.Block], rate: int, heard: Callable[[float], None]) -> Iterator[clips.Block]:
    for block in blocks:
        yield block
        heard(len(block) / rate)


class _Sink:
    """A file for libsndfile to write to. An error cannot pass through C, so it is kept and raised after."""

    def __init__(self, out: IO[bytes], restamper: ogg.Restamper | None) -> None:
        self._out = out
        self._restamper = restamper
        self._written = 0
        self.failure: OSError | None = None

    def write(self, data: Any) -> int:
        try:
            given = bytes(data)
            self._out.write(self._restamper.feed(given) if self._restamper else given)
            self._written += len(given)
            return len(given)
        except OSError as error:
            self.failure = error
            return 0

    def read(self, size: int) -> bytes:
        return self._out.read(size)

    def seek(self, offset: int, whence: int = 0) -> int:
        # An Ogg stream is only appended to, and its restamped length may lag behind what was given.
        return self._written if self._restamper else self._out.seek(offset, whence)

    def tell(self) -> int:
        return self._written if self._restamper else self._out.tell()


def _encode(blocks: Any, target: Target, out: IO[bytes], serial: int) -> int:
    import soundfile

    sink = _Sink(out, ogg.Restamper(serial) if target.container == "Ogg" else None)
    frames = 0
    options: dict[str, Any] = {}
    if target.codec == "Vorbis":
        options["compression_level"] = 1 - target.quality / 10
    try:
        with soundfile.SoundFile(
            sink,
            "w",
            target.rate,
            target.channels,
            _SUBTYPES[target.codec],
            format=_FORMATS[target.container],
            **options,
        ) as sound:
            for block in blocks:
                # Never a long clip in one call: that crashes the Vorbis encoder.
                sound.write(block)
                frames += len(block)
                if sink.failure:
                    break
    except soundfile.LibsndfileError:
        if not sink.failure:
            raise
    if sink.failure:
        raise sink.failure
    return frames


def _prove(path: Path, target: Target, frames: int, source: Path) -> None:
    place = Place(str(source))
    with path.open("rb") as stream:
        found = clips.facts(stream, path)
        wrong = target.differs(found)
        decoded = sum(len(block) for block in clips.blocks(stream, found, place))
    if decoded != frames:
        wrong.append(f"{decoded} frames, not {frames}")
    if target.loop:
        with path.open("rb") as stream:
            if markers.loops(stream) != [(0, max(0, frames - 1))]:
                wrong.append("the loop is not marked")
    if wrong:
        raise IchnosError(f"the conversion did not come out as written: {'; '.join(wrong)}", place=place)
