"""Looking at a clip: everything that is measured of it, in one pass over its blocks."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Protocol

from ichnos.audio.blocks.block import BLOCK_SAMPLES
from ichnos.audio.files import comments, marks
from ichnos.audio.files.clips import Facts, OpenSound
from ichnos.audio.files.loops import Marking, read
from ichnos.audio.files.marks import Mark, loops_of
from ichnos.audio.measure.loudness import Loudness, LoudnessMeter
from ichnos.audio.measure.peaks import PeakMeter, decibels
from ichnos.audio.measure.sides import STEREO, Sides, SidesMeter
from ichnos.audio.measure.spectrum import Spectrum, SpectrumMeter

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_EDGE = 0.05  # seconds at either end
_STEP = 0.005  # of full scale: a step from zero of no more is not heard
SILENCE_DBFS = -60.0  # dBFS: what never passes it counts as silence
_COLUMNS = 1200  # of the outline
_AHEAD = 4  # blocks that are decoded before they are measured


@dataclass(frozen=True)
class Waveform:
    """The clip's shape for a picture: the lowest and highest sample of each column and its RMS, per channel."""

    low: NDArray[np.float32]  # shape (columns, channels)
    high: NDArray[np.float32]
    rms: NDArray[np.float32]


@dataclass(frozen=True)
class ClipAnalysis:
    """What was measured. Peaks in dBFS and dBTP, times in seconds, ``offset`` (DC) as a share of full scale."""

    facts: Facts
    peak: float
    true_peak: float
    loudness: Loudness
    clipped_runs: int
    clipped_longest: int  # frames
    clipped_at: tuple[float, ...]
    offset: float
    silent_start: float
    silent_end: float
    abrupt: tuple[float, float]  # how far from zero it begins and ends, of full scale; 0 where it moves so anyway
    sides: Sides | None  # of stereo only
    marks: tuple[Mark, ...]  # loops, stretches and points
    tags: dict[str, str]
    waveform: Waveform
    spectrum: Spectrum

    @property
    def silent(self) -> bool:
        return self.peak < SILENCE_DBFS

    @property
    def loops(self) -> list[tuple[int, int]]:
        """The first and the last frame of each loop that is marked."""
        return loops_of(self.marks)


@dataclass(frozen=True)
class Glance:
    """The least that is to be known of a sound that is shown among others. Peaks in dBFS and dBTP."""

    facts: Facts
    peak: float
    true_peak: float
    loudness: Loudness
    waveform: Waveform

    @property
    def silent(self) -> bool:
        return self.peak < SILENCE_DBFS


def glance(sound: OpenSound, columns: int) -> Glance:
    """Measure what a list shows of a sound.

    Args:
        columns: of the waveform.

    Raises:
        IchnosError: it is damaged, or cut short.
    """
    facts = sound.facts
    peaks, loudness = PeakMeter(facts.rate, facts.channels), LoudnessMeter(facts.rate, facts.channels)
    waveform = _WaveformMeter(facts, columns)
    for block in sound.blocks():
        for meter in (peaks, loudness, waveform):
            meter.add(block)
    peaks.finish()
    return Glance(facts, decibels(peaks.sample), decibels(peaks.true), loudness.result(), waveform.result())


def analyse(
    sound: OpenSound,
    on_progress: Callable[[float], None] = lambda seconds: None,
    marking: Marking | None = None,
) -> ClipAnalysis:
    """Measure a clip.

    Args:
        marking: how loops may be marked in it, besides the chunks of a WAV.
        heard: called after each block, with its seconds.

    Raises:
        IchnosError: it is no audio, damaged, or cut short.
    """
    facts, stream = sound.facts, sound.stream
    tags, marked = comments.tags(stream, facts), tuple(marks.read(stream))
    named = read(stream, marking) if marking is not None and not loops_of(marked) else None
    if named:
        marked = (*marked, Mark("loop", *named))
    most = BLOCK_SAMPLES * (4 if facts.channels <= STEREO else 1)  # the larger, the less threads wait for each other
    return _measured(facts, sound.blocks(most), on_progress, marked, tags)


def _measured(
    facts: Facts,
    blocks: Iterator[Block],
    on_progress: Callable[[float], None],
    marked: tuple[Mark, ...],
    tags: dict[str, str],
) -> ClipAnalysis:
    peaks = PeakMeter(facts.rate, facts.channels)
    loudness = LoudnessMeter(facts.rate, facts.channels, facts.mask)
    ends, sides, waveform = _Ends(), SidesMeter(), _WaveformMeter(facts)
    spectrum = SpectrumMeter(facts.rate, facts.frames)
    offset, edges, frames = _Offset(), _Edges(facts.rate), 0
    for block in _in_step(blocks, (peaks, ends, edges, offset, spectrum), (loudness, sides, waveform)):
        frames += len(block)
        on_progress(len(block) / facts.rate)
    peaks.finish()
    rate = facts.rate
    return ClipAnalysis(
        facts=facts,
        peak=decibels(peaks.sample),
        true_peak=decibels(peaks.true),
        loudness=loudness.result(),
        clipped_runs=peaks.clipped_runs,
        clipped_longest=peaks.clipped_longest,
        clipped_at=tuple(peaks.clipped_at),
        offset=offset.total / max(1, frames * facts.channels),
        silent_start=(frames if ends.first is None else ends.first) / rate,
        silent_end=0.0 if ends.last is None else (frames - 1 - ends.last) / rate,
        abrupt=edges.result(),
        sides=sides.result() if facts.channels == STEREO else None,
        marks=marked,
        tags=tags,
        waveform=waveform.result(),
        spectrum=spectrum.result(),
    )


class _Meter(Protocol):
    def add(self, block: Block) -> object: ...


def _in_step(blocks: Iterator[Block], *groups: Sequence[_Meter]) -> Iterator[Block]:
    """Give each block to all meters, each group in a thread of its own, while the next ones are decoded.

    All have had all blocks when the last one has been taken from here.
    """
    from concurrent.futures import Future, ThreadPoolExecutor

    def measure(group: Sequence[_Meter], block: Block) -> None:
        for meter in group:
            meter.add(block)

    waiting: deque[Future[None]] = deque()
    with ExitStack() as stack:
        # One thread for each, so that its blocks come in order.
        pools = [(stack.enter_context(ThreadPoolExecutor(1)), group) for group in groups]
        for block in blocks:
            waiting.extend(pool.submit(measure, group, block) for pool, group in pools)
            while len(waiting) > _AHEAD * len(groups):
                waiting.popleft().result()
            yield block
        for future in waiting:
            future.result()


class _Offset:
    """Sums all samples."""

    total = 0.0

    def add(self, block: Block) -> None:
        self.total += float(block.sum(dtype="float64"))


class _Edges:
    """Keeps the first and the last 50 ms."""

    def __init__(self, rate: int) -> None:
        self._count = max(8, round(_EDGE * rate))
        self._first: Any = None
        self._last: Any = None

    def add(self, block: Block) -> None:
        import numpy as np

        if self._first is None or len(self._first) < self._count:
            self._first = block[: self._count] if self._first is None else np.concatenate([self._first, block])
        is_whole = self._last is None or len(block) >= self._count
        self._last = (block if is_whole else np.concatenate([self._last, block]))[-self._count :]

    def result(self) -> tuple[float, float]:
        """How far from zero it begins and ends; 0 where that is no more than it moves from frame to frame anyway."""
        if self._first is None or len(self._first) < 2:
            return 0.0, 0.0
        return _step(self._first[: self._count]), _step(self._last[::-1])


def _step(edge: Block) -> float:
    import numpy as np

    usual = np.percentile(np.abs(np.diff(edge, axis=0)), 99, axis=0)
    steps = np.abs(edge[0])
    return float(np.where(steps > np.maximum(_STEP, 2 * usual), steps, 0).max())


class _Ends:
    """Finds the first and the last frame that is no silence."""

    def __init__(self) -> None:
        self.first: int | None = None
        self.last: int | None = None
        self._frames = 0

    def add(self, block: Block) -> None:
        import numpy as np

        sounding = np.flatnonzero(np.abs(block) >= 10 ** (SILENCE_DBFS / 20))  # sample by sample
        if len(sounding):
            if self.first is None:
                self.first = self._frames + int(sounding[0]) // block.shape[1]
            self.last = self._frames + int(sounding[-1]) // block.shape[1]
        self._frames += len(block)


class _WaveformMeter:
    def __init__(self, facts: Facts, columns: int = _COLUMNS) -> None:
        import numpy as np

        self._width = max(1, -(-facts.frames // columns))  # frames in a column
        columns = -(-facts.frames // self._width)
        self._low = np.zeros((columns, facts.channels), np.float32)
        self._high = np.zeros_like(self._low)
        self._energy = np.zeros((columns, facts.channels), np.float64)
        self._frames = 0

    def add(self, block: Block) -> None:
        import numpy as np

        first = self._frames // self._width
        starts = np.arange(first, (self._frames + len(block) - 1) // self._width + 1) * self._width
        where = np.maximum(starts - self._frames, 0)
        fits = slice(first, min(first + len(where), len(self._low)))
        count = max(0, fits.stop - fits.start)
        self._low[fits] = np.minimum(self._low[fits], np.minimum.reduceat(block, where)[:count])
        self._high[fits] = np.maximum(self._high[fits], np.maximum.reduceat(block, where)[:count])
        self._energy[fits] += np.add.reduceat(np.square(block, dtype=np.float64), where)[:count]
        self._frames += len(block)

    def result(self) -> Waveform:
        import numpy as np

        columns = len(self._energy)
        counts = np.minimum(self._width, np.maximum(1, self._frames - np.arange(columns) * self._width))
        return Waveform(self._low, self._high, np.sqrt(self._energy / counts[:, None]).astype(np.float32))
