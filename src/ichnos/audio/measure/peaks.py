"""Sample peaks, true peaks (ITU-R BS.1770-4, Annex 2) and runs of clipped samples."""

from __future__ import annotations

import math
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


class PeakMeter:
    """Takes a clip's blocks; peaks are linear, full scale is 1."""

    def __init__(self, rate: int, channels: int) -> None:
        import numpy as np

        self._rate = rate
        self._tail = np.zeros((TAPS - 1, channels), np.float32)
        self._frames = 0
        self._running = [0] * channels  # clipped frames in a row, up to the end of the last block
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
            self.true = max(self.true, float(between(with_tail).max()))
        self._tail = with_tail[len(with_tail) - TAPS + 1 :]
        if peak >= CLIPPED or any(self._running):
            for channel in range(block.shape[1]):
                self._clipping(np.abs(block[:, channel]) >= CLIPPED, channel)
        self._frames += len(block)

    def _clipping(self, clipped: NDArray[np.bool_], channel: int) -> None:
        import numpy as np

        edges = np.flatnonzero(np.diff(clipped, prepend=False, append=False))
        running, self._running[channel] = self._running[channel], 0
        if running and not (len(edges) and edges[0] == 0):
            running = 0
        for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
            before = running if start == 0 else 0
            length = before + end - start
            if length >= CLIPPED_RUN:
                if before < CLIPPED_RUN:
                    self.clipped_runs += 1
                    if len(self.clipped_at) < 100:
                        self.clipped_at.append((self._frames + start - before) / self._rate)
                self.clipped_longest = max(self.clipped_longest, length)
            if end == len(clipped):
                self._running[channel] = length

    def finish(self) -> None:
        """The last frames, with silence behind them."""
        import numpy as np

        if self._frames:
            self.true = max(
                self.sample, self.true, float(between(np.concatenate([self._tail, np.zeros_like(self._tail)])).max())
            )


def decibels(ratio: float) -> float:
    """A ratio of amplitudes in dB; -inf for nought."""
    return 20 * math.log10(ratio) if ratio > 0 else -math.inf
