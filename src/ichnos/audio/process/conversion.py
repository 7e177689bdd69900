"""Converting a clip into what a game reads, and proving the result."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from importlib.metadata import version
from pathlib import Path
from types import MappingProxyType
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.block import sum_squares
from ichnos.audio.blocks.chain import AudioStream, Side
from ichnos.audio.blocks.surround import OGG_ORDER, in_ogg, loss
from ichnos.audio.files import clips, comments, loops, ogg
from ichnos.audio.files.clips import Facts
from ichnos.audio.files.forms import LOSSY, Choice
from ichnos.audio.files.loops import Marking
from ichnos.audio.measure.coding_loss import Fingerprint
from ichnos.audio.measure.sides import OUT_OF_PHASE, STEREO, MixMeter, SidesMeter
from ichnos.errors import IchnosError, Place
from ichnos.files import disk

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
    from ichnos.audio.process.treatments import Step

CHAIN_EDITION = 3  # raised whenever the same clip and target would give other bytes

_SUBTYPES = {"Vorbis": "VORBIS", "Opus": "OPUS", "PCM 16": "PCM_16", "PCM 24": "PCM_24", "float 32": "FLOAT"}
_LOSSY_LEVEL, _EXACT_LEVEL = 1.5, 0.1  # dB by which the level may change
_LOWERED, _OVER, _TOLD = 3, 0.05, 0.3  # times, and dB: what a ceiling is missed by, and what is worth a note
_OPUS_TAIL = 0.02  # seconds
_END_FRAMES = 8192
_END, _END_LEVEL = 0.01, -8.0  # seconds at both ends, and dB that a codec may take from them
_SHORT = 0.1  # seconds: shorter than a codec's own blocks, so that its level says nothing
_GATHERED = 1 << 16  # bytes that are written at once
_FAINT = 1e-3  # of full scale (root mean square): below, a codec may let sound go


@dataclass(frozen=True)
class Target:
    """What to convert to. ``rate`` in Hz; ``quality`` of Vorbis and Opus, from 0 to 10.

    ``mono``: where fewer channels are wanted than there are: the mix, one side, or the mix unless
    it cancels.
    ``treatment``: what is done to the clip on the way.
    ``loop``: how the loop is marked in the file, where it is to be.
    ``finished``: the clip is a finished sound of a pack: where it is as wanted, its bytes are taken over.
    ``unmarked``: so only without marks of a loop, which the game would go by.
    """

    container: str
    codec: str
    rate: int
    channels: int
    quality: float
    mono: Choice = "auto"
    treatment: tuple[Step, ...] = field(default=())
    loop: Marking | None = None
    finished: bool = False
    unmarked: bool = False

    def __str__(self) -> str:
        channels = {1: "mono", 2: "stereo"}.get(self.channels, f"{self.channels} channels")
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

    def takes_over(self, source: IO[bytes], facts: Facts) -> bool:
        """Is a finished sound already all that is wanted, so that it needs no coding?"""
        if not self.finished or self.treatment or self.differs(facts):
            return False
        if self.loop is not None:
            found = loops.read(source, self.loop)
            return found is not None and self.loop.at in (None, found)
        return not (self.unmarked and loops.marked(source, facts) is not None)


@dataclass(frozen=True)
class Converted:
    """What a conversion gave. ``size`` in bytes.

    ``side``: where stereo became mono, what was taken; ``mono_db``: what the mix would have cost.
    ``coding_loss``: of lossy coding, in dB (see ``coding_loss``). ``clipped``: samples cut off at full scale.
    ``notes``: what the treatment has to say.
    """

    frames: int
    size: int
    side: Side | None
    mono_db: float | None
    coding_loss: float | None
    clipped: int
    notes: tuple[str, ...]

    def remarks(self) -> Iterator[str]:
        """What a person should know of it, in plain words."""
        if self.side in ("left", "right") and self.mono_db is not None and self.mono_db < OUT_OF_PHASE:
            cost = "all of it" if self.mono_db < -60 else f"{-self.mono_db:z.0f} dB"
            yield f"its sides are out of phase (a mono mix would lose {cost}), so mono is the {self.side} side"
        elif self.side == "mix" and self.mono_db is not None and self.mono_db < OUT_OF_PHASE:
            yield f"its sides are out of phase: the mono mix is {-self.mono_db:z.0f} dB quieter than they are"
        if self.clipped:
            yield f"{self.clipped} samples were above full scale, and are clipped"
        yield from self.notes


@cache
def _versions() -> dict[str, str]:
    """The versions of the libraries that do the work."""
    return {name: version(name) for name in ("soundfile", "soxr", "numpy", "scipy")}


def identity(source_sha256: str, target: Target) -> str:
    """The name under which a conversion is kept: equal names, equal bytes.

    It covers the source's bytes, the target, this chain and the libraries that do the work.
    """
    settings = {"source": source_sha256, "target": _settings(target), "chain": CHAIN_EDITION, **_versions()}
    return hashlib.sha256(json.dumps(settings, sort_keys=True).encode()).hexdigest()


@cache
def _settings(target: Target) -> dict[str, Any]:
    return {**asdict(target), "treatment": [step.model_dump() for step in target.treatment]}


def convert(
    source: IO[bytes],
    path: Path,
    facts: Facts,
    target: Target,
    to: Path,
    serial: int,
    on_progress: Callable[[float], None] = lambda seconds: None,
    tags: Mapping[str, str] = MappingProxyType({}),
) -> Converted:
    """Convert ``source`` into a new file ``to``, and decode that again to prove it.

    The file is written whole, or removed again.

    Args:
        source: the clip, open for reading. path: what messages call it.
        serial: the Ogg stream's serial number, 32 bits; dither is drawn from it too.
        on_progress: called after each block of the source, with its seconds.
        tags: what the result says of itself (see ``comments.tags``).

    Raises:
        IchnosError: the source is damaged, the disk is full, or the result is not what was written.
    """
    side: Side = "mix" if target.mono == "auto" else target.mono
    if target.takes_over(source, facts):
        return _taken_over(source, path, facts, to, on_progress)
    try:
        written = _attempt(source, path, facts, target, side, to, serial, on_progress, tags)
        cost = written.mono_db
        if target.mono == "auto" and cost is not None and cost < OUT_OF_PHASE:
            side = _louder_side(source, path, facts)
            disk.remove(to)
            written = _attempt(source, path, facts, target, side, to, serial, lambda _: None, tags)
        written = _under_ceiling(source, path, facts, target, side, to, serial, written, tags)
        if not written.frames:
            what, cure = "nothing is left of it: the treatment takes all of it", "cut less, or trim at a lower level"
            raise IchnosError(what, place=Place(str(path)), cure=cure)
        coding_loss = _prove(to, target, written, path)
        if target.finished and facts.codec in LOSSY and target.codec in LOSSY:
            written.notes.append(f"it was {facts.codec} already, and coded again it loses a second time")
    except BaseException:
        disk.remove_if_possible(to)
        raise
    return Converted(
        written.frames,
        disk.size(to),
        side if facts.channels == STEREO and target.channels == 1 else None,
        cost,
        coding_loss,
        0 if target.codec == "float 32" else written.clipped,  # which nothing cuts off
        tuple(written.notes),
    )


def _taken_over(
    source: IO[bytes], path: Path, facts: Facts, to: Path, on_progress: Callable[[float], None]
) -> Converted:
    """A finished sound, byte for byte, decoded to its end before that. Raises IchnosError where it is damaged."""
    frames = 0
    for block in _telling(clips.blocks(source, facts, Place(str(path))), facts.rate, on_progress):
        frames += len(block)
    if not frames:
        raise IchnosError("there is no sound in this file", place=Place(str(path)), cure="leave it out")
    source.seek(0)
    try:
        with disk.written(to) as out:
            while piece := source.read(_GATHERED):
                out.write(piece)
    except BaseException:
        disk.remove_if_possible(to)
        raise
    return Converted(frames, disk.size(to), None, None, None, 0, ())


def _under_ceiling(
    source: IO[bytes],
    path: Path,
    facts: Facts,
    target: Target,
    side: Side,
    to: Path,
    serial: int,
    written: _Written,
    tags: Mapping[str, str],
) -> _Written:
    """What was written, or the same a little quieter: coding moves peaks, and a treatment's ceiling is a promise."""
    from ichnos.audio.process.treatments import Gain, ceiling_of

    ceiling = ceiling_of(target.treatment) if target.codec in LOSSY else None
    if ceiling is None or not written.frames:
        return written
    lowered = 0.0
    for attempt in range(_LOWERED + 1):
        over = _true_peak(to) - ceiling
        if over <= _OVER:
            break
        if attempt == _LOWERED:
            written.notes.append(f"after coding its true peak is {over:z.1f} dB above {ceiling:g} dBTP")
            return written
        lowered += over + _OVER
        quieter = replace(target, treatment=(*target.treatment, Gain(db=-lowered)))
        disk.remove(to)
        written = _attempt(source, path, facts, quieter, side, to, serial, lambda _: None, tags)
    if lowered > _TOLD:
        written.notes.append(f"made {lowered:z.1f} dB quieter, so that it stays below {ceiling:g} dBTP after coding")
    return written


def _true_peak(path: Path) -> float:
    """Of a finished file, in dBTP."""
    from ichnos.audio.measure.peaks import PeakMeter, decibels

    with disk.opened(path) as stream:
        found, blocks = clips.decoded(stream, path)
        meter = PeakMeter(found.rate, found.channels)
        for block in blocks:
            meter.add(block)
    meter.finish()
    return decibels(meter.true)


def write(blocks: Iterator[Block], facts: Facts, target: Target, to: Path, source: Path) -> Converted:
    """Write sound that is decoded already, at the rate and with the channels of ``target``, and prove it.

    Args:
        facts: of the clip that it comes from; what has no more bits than the target is kept to the bit.
    """
    written = _Written(None)
    try:
        with disk.written(to) as out:
            _encode(written.watching(blocks), facts, target, out, 0, {})
        if not written.frames:
            raise IchnosError("there would be no sound in this file", place=Place(str(to)), cure="choose other times")
        _prove(to, target, written, source)
    except BaseException:
        disk.remove_if_possible(to)
        raise
    return Converted(written.frames, disk.size(to), None, None, None, written.clipped, ())


class _Ends:
    """The first and the last of a sound."""

    def __init__(self) -> None:
        self._first: Any = None
        self._last: Any = None

    def add(self, block: Block) -> None:
        import numpy as np

        self._first = block[:_END_FRAMES] if self._first is None else self._first
        whole = self._last is None or len(block) >= _END_FRAMES
        self._last = (block if whole else np.concatenate([self._last, block]))[-_END_FRAMES:]

    def levels(self, rate: int) -> tuple[float, float]:
        """GuardedFolder mean squares of both ends; 0 where there is nothing."""
        if self._first is None:
            return 0.0, 0.0
        length = max(1, round(_END * rate))
        return _level(self._first[:length]), _level(self._last[-length:])


def _level(block: Block) -> float:
    """GuardedFolder mean square, full scale is 1."""
    return float((sum_squares(block) / max(1, block.size)) ** 0.5)


@dataclass
class _Written:
    """What went into the encoder."""

    fingerprint: Fingerprint | None
    frames: int = 0
    squares: float = 0.0
    clipped: int = 0
    mono_db: float | None = None
    loop: tuple[int, int] | None = None
    notes: list[str] = field(default_factory=list)
    ends: _Ends = field(default_factory=lambda: _Ends())

    def level(self, channels: int) -> float:
        """GuardedFolder mean square, full scale is 1."""
        return float((self.squares / max(1, self.frames * channels)) ** 0.5)

    def watching(self, blocks: Iterator[Block]) -> Iterator[Block]:
        import numpy as np

        for block in blocks:
            self.frames += len(block)
            self.squares += sum_squares(block)
            self.ends.add(block)
            if max(block.max(initial=0), -block.min(initial=0)) > 1:
                self.clipped += int((np.abs(block) > 1).sum())
            if self.fingerprint:
                self.fingerprint.add(block)
            yield block


def _attempt(
    source: IO[bytes],
    path: Path,
    facts: Facts,
    target: Target,
    side: Side,
    to: Path,
    serial: int,
    on_progress: Callable[[float], None],
    tags: Mapping[str, str],
) -> _Written:
    expected = round(facts.frames * target.rate / facts.rate)
    written = _Written(Fingerprint(target.rate, expected) if target.codec in LOSSY else None)
    mixing = MixMeter() if facts.channels == STEREO and target.channels == 1 and side == "mix" else None
    with disk.written(to) as out:
        decoded = _telling(clips.blocks(source, facts, Place(str(path))), facts.rate, on_progress)
        if mixing:
            mixed = mixing.mixed(decoded, chain.mono)
        else:
            mixed = chain.mix_channels(decoded, target.channels, side)
        if facts.channels > STEREO and target.channels <= STEREO:
            how = f"mixed down after ITU-R BS.775, {-loss(facts.channels):z.1f} dB quieter"
            written.notes.append(f"its {facts.channels} channels are {how}")
        flow = AudioStream(
            chain.resample(mixed, facts.rate, target.rate, target.channels), target.rate, target.channels
        )
        found = (target.loop.at or loops.marked(source, facts, target.loop)) if target.loop else None
        if target.treatment:
            from ichnos.audio.process.treatments import treat

            flow = treat(flow, target.treatment, written.notes.append)
        _encode(written.watching(flow.blocks), facts, target, out, serial, tags)
        if target.codec == "Opus":
            ogg.end_at(out, written.frames, target.rate)
        if target.loop:
            # A treatment may have moved everything, so that marks of the source mean nothing any more.
            loop = None if target.treatment else found
            written.loop = loops.carry_over(loop, facts.rate, target.rate, written.frames)
        if target.loop and written.loop:
            loops.mark(out, target.loop, *written.loop, target.rate)
    written.mono_db = mixing.mono_db if mixing else None
    return written


def _louder_side(source: IO[bytes], path: Path, facts: Facts) -> Side:
    meter = SidesMeter()
    for block in clips.blocks(source, facts, Place(str(path))):
        meter.add(block)
    return meter.result().louder


def _telling(blocks: Iterator[Block], rate: int, on_progress: Callable[[float], None]) -> Iterator[Block]:
    since = 0
    for block in blocks:
        yield block
        since += len(block)
        if since >= rate:
            on_progress(since / rate)
            since = 0
    on_progress(since / rate)


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


def _encode(
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


def _prove(path: Path, target: Target, written: _Written, source: Path) -> float | None:
    """Decode what was written, and compare. Gives the coding loss."""
    place = Place(str(source))
    again = Fingerprint(target.rate, written.fingerprint.frames) if written.fingerprint else None
    frames, squares, ends = 0, 0.0, _Ends()
    with disk.opened(path) as stream:
        found, blocks = clips.decoded(stream, path)
        wrong = target.differs(found)
        for block in blocks:
            frames += len(block)
            squares += sum_squares(block)
            ends.add(block)
            if again:
                again.add(block)
        if target.loop and written.loop and loops.read(stream, target.loop) != written.loop:
            wrong.append("the loop is not marked")
    if frames != written.frames:
        wrong.append(f"{frames} samples, not {written.frames}")
    wrong += _ends_lost(target, written, ends)
    wrong += _level_changed(target, written, (squares / max(1, frames * found.channels)) ** 0.5)
    if wrong:
        cure = "choose a higher quality" if target.codec in LOSSY else ""
        raise IchnosError(f"the conversion did not come out as written: {'; '.join(wrong)}", place=place, cure=cure)
    return written.fingerprint.distance(again) if written.fingerprint and again else None


def _ends_lost(target: Target, written: _Written, found: _Ends) -> Iterator[str]:
    """A codec may take its beginning or its end from a sound, and leave its length."""
    import math

    if target.codec not in LOSSY or written.frames < _SHORT * target.rate:
        return
    pairs = zip(written.ends.levels(target.rate), found.levels(target.rate), ("beginning", "end"), strict=True)
    for before, after, name in pairs:
        if before > _FAINT and 20 * math.log10(max(after, 1e-9) / before) < _END_LEVEL:
            yield f"its {name} is lost"


def _level_changed(target: Target, written: _Written, found: float) -> Iterator[str]:
    import math

    level = written.level(target.channels)
    lossy = target.codec in LOSSY
    if written.clipped or max(level, found) < _FAINT or (lossy and written.frames < _SHORT * target.rate):
        return
    change = 20 * math.log10(max(found, 1e-9) / max(level, 1e-9))
    if abs(change) > (_LOSSY_LEVEL if lossy else _EXACT_LEVEL):
        yield f"its level changed by {change:+z.1f} dB"
