"""Loudness after ITU-R BS.1770-4 and EBU Tech 3341, measured block by block."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ichnos.audio.blocks.filters import Biquad, Filtering, high_pass
from ichnos.audio.blocks.surround import weights

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_ABSOLUTE_GATE = -70.0  # LUFS (BS.1770-4, Annex 1)
_RELATIVE_GATE = -10.0  # LU below the loudness of what passes the absolute gate
_WINDOW = 4  # hops of 100 ms in a block of 400 ms: blocks overlap by three quarters
_LOWEST_RATE = 44100  # Hz


@dataclass(frozen=True)
class Loudness:
    """``integrated``, ``momentary`` (the maximum) in LUFS; -inf for silence.

    ``integrated`` is None for a clip shorter than a block of 0.4 s. Such a clip is taken as
    surrounded by silence, and its ``momentary`` loudness is that of the one block it lies in.
    ``curve``: the momentary loudness at 0.1 s, 0.2 s and so on, with silence before the clip, and behind
    one that is shorter than 0.4 s.
    """

    integrated: float | None
    momentary: float
    curve: NDArray[np.float64]

    @property
    def level(self) -> float:
        """The integrated loudness, or for a short clip the momentary one."""
        return self.momentary if self.integrated is None else self.integrated


def k_weighting(rate: float) -> list[Biquad]:
    """The K filter at any rate: at 48 kHz these are the coefficients of BS.1770-4, Annex 1, tables 1 and 2.

    The frequencies, gain and qualities are those of the analogue filters behind the tables.
    """
    hz, q, gain = 1681.974450955533, 0.7071752369554196, 3.999843853973347
    k, high = math.tan(math.pi * hz / rate), 10 ** (gain / 20)
    middle = high**0.4996667741545416
    a0 = 1 + k / q + k * k
    head = Biquad(
        (high + middle * k / q + k * k) / a0,
        2 * (k * k - high) / a0,
        (high - middle * k / q + k * k) / a0,
        2 * (k * k - 1) / a0,
        (1 - k / q + k * k) / a0,
    )
    low = high_pass(38.13547087602444, rate, 0.5003270373238773)
    return [head, Biquad(1, -2, 1, low.a1, low.a2)]  # the table's numerator is not scaled


class LoudnessMeter:
    """Takes a clip's blocks, then says how loud it is.

    A mono clip counts as one channel: played on two loudspeakers at full level it is 3 LU louder.
    """

    def __init__(self, rate: int, channels: int, mask: int = 0) -> None:
        """``mask``: where channels are heard (see ``surround``)."""
        import numpy as np

        self._up = None
        if rate < _LOWEST_RATE:  # near half of the rate no filter is what its model is: measured at a higher one
            times = -(-_LOWEST_RATE // rate)
            self._up, rate = _Finer(times, channels), rate * times
        self._rate, self._channels = rate, channels
        self._recent = np.zeros(0)  # the power of the last block, frame by frame
        self._filter = Filtering(k_weighting(rate), channels)
        self._weights = np.array(weights(channels, mask), np.float64)
        self._hops: list[float] = []  # energy of each whole hop
        self._energy = 0.0  # of the hop that is not full yet
        self._frames = 0

    def add(self, block: Block) -> None:
        if self._up is not None:
            block = self._up(block)
        if len(block):
            self._add(block)

    def _add(self, block: Block) -> None:
        import numpy as np

        weighted = self._filter(block)
        power = np.square(weighted) @ self._weights
        self._recent = np.concatenate([self._recent, power])[-round(0.1 * _WINDOW * self._rate) :]
        start, end = self._frames, self._frames + len(block)
        first = len(self._hops)  # the number of the hop that is being filled
        edges: list[int] = []
        while (edge := round((first + len(edges) + 1) * self._rate / 10)) <= end:
            edges.append(edge - start)
        if edges:
            pieces = np.add.reduceat(power[: edges[-1]], [0, *edges[:-1]])
            pieces[0] += self._energy
            self._hops += pieces.tolist()
            self._energy = 0.0
        self._energy += float(power[edges[-1] if edges else 0 :].sum())
        self._frames = end

    def result(self) -> Loudness:
        import numpy as np

        if self._up is not None:
            self._add(self._up.rest())
            self._up = None
        hops = np.array(self._hops)
        is_short = len(hops) < _WINDOW
        if is_short:
            hops = np.pad(np.append(hops, self._energy), (0, _WINDOW - 1 - len(hops)))
        powers = np.convolve(hops, np.ones(_WINDOW))[: len(hops)] / (0.1 * _WINDOW * self._rate)
        with np.errstate(divide="ignore"):
            curve = -0.691 + 10 * np.log10(powers)
        if is_short:
            return Loudness(None, float(curve[-1]), curve)
        power = powers[_WINDOW - 1 :]
        # What is behind the last whole hop is in no block of the standard: the last block ends with the clip.
        last = _lufs(float(self._recent.sum()) / (0.1 * _WINDOW * self._rate))
        integrated = _gated(power, curve[_WINDOW - 1 :])
        if math.isinf(integrated) and last > _ABSOLUTE_GATE:
            integrated = last
        return Loudness(integrated, max(float(curve.max()), last), curve)


class _Finer:
    """A whole number of frames for each one, with all that is below half of the rate, to the last 3 % of it."""

    _REACH = 64  # frames to either side that have a say

    def __init__(self, times: int, channels: int) -> None:
        import numpy as np
        from scipy.signal import firwin

        self._times = times
        self._taps = times * firwin(2 * self._REACH * times + 1, 1 / times, window=("kaiser", 6.0))
        self._last = np.zeros((2 * self._REACH, channels), np.float32)
        self._skip = self._REACH * times  # the filter's delay

    def __call__(self, block: Block) -> Block:
        import numpy as np
        from scipy.signal import upfirdn

        sound = np.concatenate([self._last, block])
        out = upfirdn(self._taps, sound, self._times, axis=0)[len(self._last) * self._times : len(sound) * self._times]
        self._last = sound[-2 * self._REACH :]
        skip, self._skip = min(self._skip, len(out)), max(0, self._skip - len(out))
        return np.asarray(out[skip:], np.float32)

    def rest(self) -> Block:
        import numpy as np

        return self(np.zeros((self._REACH, self._last.shape[1]), np.float32))


def _gated(power: NDArray[np.float64], curve: NDArray[np.float64]) -> float:
    loud = curve > _ABSOLUTE_GATE
    if not loud.any():
        return -math.inf
    gate = _lufs(float(power[loud].mean())) + _RELATIVE_GATE
    return _lufs(float(power[loud & (curve > gate)].mean()))


def _lufs(power: float) -> float:
    return -0.691 + 10 * math.log10(power) if power > 0 else -math.inf
