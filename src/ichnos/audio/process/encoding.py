"""Sound into a file, as the codec takes it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.surround import OGG_ORDER, in_ogg
from ichnos.audio.files import comments, ogg
from ichnos.audio.files.clips import Facts
from ichnos.audio.files.forms import LOSSY

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
from ichnos.audio.process.target import Target

_SUBTYPES = {"Vorbis": "VORBIS", "Opus": "OPUS", "PCM 16": "PCM_16", "PCM 24": "PCM_24", "float 32": "FLOAT"}
_OPUS_TAIL = 0.02  # seconds
_GATHERED = 1 << 16  # bytes that are written at once


class _Sink:
    """A file for libsndfile to write to. An error cannot pass through C, so it is kept and raised after."""

    def __init__(self, out: IO[bytes], restamper: ogg.Restamper | None) -> None:
        self._out = out
        self._restamper = restamper
        self._written = 0
        self._waiting = bytearray()
        self.failure: OSError | None = None

    def write(self, data: Any) -> int:
        given = bytes(data)
        self._written += len(given)
        if self._restamper:
            self._waiting += given  # libsndfile writes each page in two small pieces
            if len(self._waiting) < _GATHERED:
                return len(given)
            given, self._waiting = bytes(self._waiting), bytearray()
        self._write(given)
        return 0 if self.failure else len(data)

    def _write(self, data: bytes) -> None:
        if self.failure is None:
            self._safely(lambda: self._out.write(self._restamper.feed(data) if self._restamper else data))

    def _safely(self, act: Callable[[], Any]) -> Any:
        """What ``act`` gives; nothing where it fails, or anything failed before."""
        try:
            return None if self.failure else act()
        except OSError as error:
            self.failure = error
            return None

    def finish(self) -> None:
        """Write what still waits."""
        if self._waiting and not self.failure:
            self._write(bytes(self._waiting))

    def read(self, size: int) -> bytes:
        return self._safely(lambda: self._out.read(size)) or b""

    def seek(self, offset: int, whence: int = 0) -> int:
        # An Ogg stream is only appended to, and its restamped length may lag behind what was given.
        return self._written if self._restamper else self._safely(lambda: self._out.seek(offset, whence)) or 0

    def tell(self) -> int:
        return self._written if self._restamper else self._safely(self._out.tell) or 0


def encode(
    blocks: Iterator[Block], facts: Facts, target: Target, out: IO[bytes], serial: int, tags: Mapping[str, str]
) -> None:
    import soundfile

    sink = _Sink(out, ogg.Restamper(serial) if target.container == "Ogg" else None)
    options: dict[str, Any] = {}
    if target.codec in LOSSY:
        options["compression_level"] = 1 - target.quality / 10
    try:
        with soundfile.SoundFile(
            sink,
            "w",
            target.rate,
            target.channels,
            _SUBTYPES[target.codec],
            format=target.container.upper(),
            **options,
        ) as sound:
            comments.set_tags(sound, tags)
            for block in _samples(blocks, facts, target, serial):
                # Never a long clip in one call: that crashes the Vorbis encoder.
                sound.write(block)
                if sink.failure:
                    break
    except (soundfile.LibsndfileError, AssertionError):  # it asserts that all it gave was taken
        if not sink.failure:
            raise
    sink.finish()
    if sink.failure:
        raise sink.failure


def _samples(blocks: Iterator[Block], facts: Facts, target: Target, serial: int) -> Iterator[Any]:
    """The samples as the encoder takes them."""
    kind, _, bits = target.codec.partition(" ")
    if target.codec in LOSSY and target.channels in OGG_ORDER:
        order = list(in_ogg(OGG_ORDER[target.channels]))
        blocks = (block[:, order] for block in blocks)
    if target.codec == "Opus":
        return _with_end(blocks, target)
    if kind != "PCM":
        return blocks
    import numpy as np

    noise = None if _is_exact(facts, target) else np.random.default_rng(serial)
    return chain.quantise(blocks, int(bits), noise, alike=facts.channels == 1)


def _with_end(blocks: Iterator[Block], target: Target) -> Iterator[Block]:
    """With a little silence behind it: libsndfile does not always take the last of what is inside the encoder."""
    import numpy as np

    yield from blocks
    yield np.zeros((round(_OPUS_TAIL * target.rate), target.channels), np.float32)


def _is_exact(facts: Facts, target: Target) -> bool:
    """Has each sample of the result the value that one of the clip has? Then there is nothing to dither."""
    _, _, bits = target.codec.partition(" ")
    one_to_one = facts.channels in (1, target.channels) or (target.channels == 1 and target.mono in ("left", "right"))
    moved = all(step.only_moves for step in target.treatment)
    return facts.rate == target.rate and one_to_one and moved and facts.bits is not None and facts.bits <= int(bits)
