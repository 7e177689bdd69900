"""Sample peaks, true peaks (ITU-R BS.1770-4, Annex 2) and runs of clipped samples."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

    Signal = NDArray[np.float32]  # shape (frames, channels)

# The interpolator of BS.1770-4, Annex 2: four phases of twelve taps; the last two phases mirror the first.
_PHASES = (
    (0.001708984375, 0.010986328125, -0.0196533203125, 0.033203125, -0.0594482421875, 0.1373291015625,
     0.97216796875, -0.102294921875, 0.047607421875, -0.026611328125, 0.014892578125, -0.00830078125),
    (-0.0291748046875, 0.029296875, -0.0517578125, 0.089111328125, -0.16650390625, 0.465087890625,
     0.77978515625, -0.2003173828125, 0.1015625, -0.0582275390625, 0.0330810546875, -0.0189208984375),
)  # fmt: skip
TAPS = 12
_MOST_GAIN = max(sum(abs(tap) for tap in phase) for phase in _PHASES)

CLIPPED = 0.999  # of full scale
CLIPPED_RUN = 3  # frames in a row
_FLAT = 0.3  # of the rise that a round top would have: with less, it was cut off


def between(sound: Signal) -> Signal:
    """How high the curve through the samples goes near each frame.

    Args:
        sound: shape (frames, channels), with ``TAPS - 1`` frames more at the front than are asked for.

    Returns:
        Shape (frames - 11, channels): the highest of the four interpolated values, without sign.
        The value for frame n of the input (n from 5) stands at index n - 5 or n - 6.
    """
    import numpy as np

    highest = np.zeros((len(sound) - TAPS + 1, sound.shape[1]), np.float32)
    for channel in range(sound.shape[1]):
        column = np.ascontiguousarray(sound[:, channel])
        for phase in (*_PHASES, *(tuple(reversed(phase)) for phase in _PHASES)):
            value = np.convolve(column, np.array(phase, np.float32), "valid")
            np.maximum(highest[:, channel], np.abs(value), out=highest[:, channel])
    return highest


_ROW = 32  # frames that one row of a product of matrices interpolates


@cache
def _in_rows() -> NDArray[np.float32]:
    """What a row of frames is multiplied with, to have the four values between for each of its last 32."""
    import numpy as np

    table = np.zeros((_ROW + TAPS - 1, 4 * _ROW), np.float32)
    phases = (*_PHASES, *(tuple(reversed(phase)) for phase in _PHASES))
    for number, phase in enumerate(phases):
        for frame in range(_ROW):
            table[frame : frame + TAPS, number * _ROW + frame] = phase[::-1]
    return table


def highest_between(sound: Signal, above: float) -> float:
    """The highest of what ``between`` gives, or ``above`` where nothing is higher. Far quicker, for it looks
    only where the samples are high enough, the highest first, and at many places in one product of matrices.
    """
    import numpy as np

    width = _ROW + TAPS - 1
    if len(sound) < width:
        return max(above, float(between(sound).max()))
    last = len(sound) - width
    starts = np.append(np.arange(0, last, _ROW), last)  # the last row lies partly over the one before
    for channel in range(sound.shape[1]):
        column = np.ascontiguousarray(sound[:, channel])
        rows = np.lib.stride_tricks.sliding_window_view(column, width)
        level = np.abs(column)
        tops = np.maximum.reduceat(level, starts)
        # A row reaches into the next one's frames; where those are few, into the last one's.
        tops = np.maximum(np.maximum(tops, np.append(tops[1:], 0)), np.append(tops[2:], [0, 0])[: len(tops)])
        few = min(64, len(starts))
        for most_likely in (np.argpartition(-tops, few - 1)[:few], np.arange(len(starts))):
            chosen = most_likely[tops[most_likely] * _MOST_GAIN > above]
            if len(chosen):
                above = max(above, float(np.abs(rows[starts[chosen]] @ _in_rows()).max()))
    return above


@dataclass
class _Run:
    """Frames in a row at full scale. ``rises``: by how much the sound rose to the first of them."""

    start: int
    rises: float
    frames: int = 0
    low: float = math.inf
    high: float = 0.0
    last: float = 0.0


class PeakMeter:
    """Takes a clip's blocks; peaks are linear, full scale is 1."""

    def __init__(self, rate: int, channels: int) -> None:
        import numpy as np

        self._rate = rate
        self._tail = np.zeros((TAPS - 1, channels), np.float32)
        self._frames = 0
        self._runs: list[_Run | None] = [None] * channels  # at the top, up to the end of the last block
        self.sample = 0.0
        self.true = 0.0
        self.clipped_runs = 0
        self.clipped_longest = 0  # frames
        self.clipped_at: list[float] = []  # seconds, of the first hundred runs

    def add(self, block: Block) -> None:
        import numpy as np

        if not len(block):
            return
        peak = float(np.abs(block).max())
        self.sample = max(self.sample, peak)
        with_tail = np.concatenate([self._tail, block])
        # The interpolator cannot lift anything further than this, so most blocks need not go through it.
        if max(peak, float(np.abs(self._tail).max())) * _MOST_GAIN > self.true:
            self.true = highest_between(with_tail, self.true)
        if peak >= CLIPPED or any(self._runs):
            for channel in range(block.shape[1]):
                self._clipping(with_tail[TAPS - 2 :, channel], channel)
        self._tail = with_tail[len(with_tail) - TAPS + 1 :]
        self._frames += len(block)

    def _clipping(self, samples: NDArray[np.float32], channel: int) -> None:
        """Look for runs at the top in one channel; ``samples`` begin with the last one before the block."""
        import numpy as np

        level = np.abs(samples)
        edges = np.flatnonzero(np.diff(level[1:] >= CLIPPED, prepend=False, append=False))
        run, self._runs[channel] = self._runs[channel], None
        if run is not None and not (len(edges) and edges[0] == 0):
            self._end(run, float(abs(run.last - samples[1])))
        for start, end in zip((edges[::2] + 1).tolist(), (edges[1::2] + 1).tolist(), strict=True):
            part = level[start:end]
            if run is None or start > 1:
                run = _Run(self._frames + start - 1, float(abs(samples[start] - samples[start - 1])))
            run.frames += end - start
            run.low, run.high = min(run.low, float(part.min())), max(run.high, float(part.max()))
            run.last = float(samples[end - 1])
            if end == len(samples):
                self._runs[channel] = run
            else:
                self._end(run, float(abs(samples[end] - samples[end - 1])))

    def _end(self, run: _Run, falls: float) -> None:
        """A run at the top is over; is it cut off, or the round top of something slow?"""
        if run.frames < CLIPPED_RUN:
            return
        # Going on as steeply as at its edges, a round top would rise by about this much over its length.
        expected = min(run.rises, falls) * run.frames / 4
        if run.high - run.low >= _FLAT * expected and run.high > run.low:
            return
        self.clipped_runs += 1
        self.clipped_longest = max(self.clipped_longest, run.frames)
        if len(self.clipped_at) < 100:
            self.clipped_at.append(run.start / self._rate)

    def finish(self) -> None:
        """The last frames, with silence behind them."""
        import numpy as np

        for run in filter(None, self._runs):
            self._end(run, run.rises)
        if self._frames:
            rest = np.concatenate([self._tail, np.zeros_like(self._tail)])
            self.true = max(self.sample, highest_between(rest, self.true))


def decibels(ratio: float) -> float:
    """A ratio of amplitudes in dB; -inf for nought."""
    return 20 * math.log10(ratio) if ratio > 0 else -math.inf
