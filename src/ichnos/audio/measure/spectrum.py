"""Spectra: third-octave bands (IEC 61260-1, base ten), measured on windows spread over a clip."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

WINDOW = 4096  # frames
_FEWEST_WINDOWS, _MOST_WINDOWS = 16, 1000
_LOWEST, _HIGHEST = 14, 43  # the numbers of the bands at 25 Hz and at 20 kHz


@dataclass(frozen=True)
class Spectrum:
    """The mean power of the clip (of the mean of its channels' powers) in bands, and of its mono mix.

    ``hz``: the middles of the bands; ``db``, ``mono_db``: dB, where a sine of full scale has -3.
    """

    hz: NDArray[np.float64]
    db: NDArray[np.float64]
    mono_db: NDArray[np.float64]

    def thinned(self) -> tuple[float, float] | None:
        """The band (of those within 20 dB of the loudest) that mono costs most: its Hz, and the dB lost."""
        loud = self.db > self.db.max(initial=-200) - 20
        if not loud.any() or self.db.max() <= -150:
            return None
        lost = (self.db - self.mono_db) * loud
        worst = int(lost.argmax())
        return float(self.hz[worst]), float(lost[worst])


@lru_cache(8)
def bands(rate: int, window: int = WINDOW) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The middles of the bands below half the rate, and a matrix that sums a power spectrum into them.

    Returns:
        Shape (bands,) in Hz, and shape (window // 2 + 1, bands).
    """
    import numpy as np

    middles = 10 ** (np.arange(_LOWEST, _HIGHEST + 1) / 10)
    middles = middles[middles * 10**0.05 < rate / 2]
    line = rate / window  # Hz from one line of the spectrum to the next
    lines = np.arange(window // 2 + 1)[:, None] * line
    low, high = middles * 10**-0.05, middles * 10**0.05
    # A line counts by the share of it that lies in the band, so that narrow bands have some too.
    share = np.clip(np.minimum(lines + line / 2, high) - np.maximum(lines - line / 2, low), 0, None) / line
    return middles, share


@lru_cache(8)
def _hann(window: int) -> tuple[NDArray[np.float64], float]:
    import numpy as np

    shape = np.hanning(window + 1)[:-1]
    return shape, float(2 / (window * np.square(shape).sum()))


def band_powers(sound: NDArray[np.float32], rate: int) -> NDArray[np.float64]:
    """The power in each band of windows of sound.

    Args:
        sound: shape (..., window).

    Returns:
        Shape (..., bands); they sum to the mean square.
    """
    import numpy as np

    window = sound.shape[-1]
    shape, scale = _hann(window)
    _, share = bands(rate, window)
    lines = np.fft.rfft(sound * shape)  # in double precision, which NumPy transforms twice as fast as single
    power = lines.real**2 + lines.imag**2
    summed = power.reshape(-1, power.shape[-1]) @ share  # one product of matrices, not one for each window
    return np.asarray(summed.reshape(*power.shape[:-1], -1) * scale)


class Windows:
    """Takes a clip's blocks, and gives windows of it at even distances, 16 to a thousand."""

    def __init__(self, rate: int, frames: int, window: int = WINDOW, seconds: float = 0.5) -> None:
        import numpy as np

        self._window = window
        self._step = max(round(rate * seconds), frames // _MOST_WINDOWS)
        self._step = max(window // 2, min(self._step, frames // _FEWEST_WINDOWS))
        self._next = 0  # the frame where the next window begins, counted from the start of what waits
        self._waiting = np.zeros((0, 0), np.float32)

    def add(self, block: Block) -> list[NDArray[np.float32]]:
        """The windows that are complete now, each of shape (window, channels)."""
        import numpy as np

        waiting = np.concatenate([self._waiting, block]) if len(self._waiting) else block
        found = []
        while self._next + self._window <= len(waiting):
            found.append(waiting[self._next : self._next + self._window])
            self._next += self._step
        gone = min(self._next, len(waiting))
        self._waiting = waiting[gone:].copy()
        self._next -= gone
        return found

    def rest(self) -> list[NDArray[np.float32]]:
        """What is left at the end, with silence behind it: at most one window."""
        import numpy as np

        left = self._waiting[self._next :]
        if not len(left):
            return []
        return [np.concatenate([left, np.zeros((self._window - len(left), left.shape[1]), np.float32)])]


class SpectrumMeter:
    """Takes a clip's blocks."""

    def __init__(self, rate: int, frames: int) -> None:
        import numpy as np

        self._rate = rate
        self._windows = Windows(rate, frames)
        count = len(bands(rate)[0])
        self._power, self._mono = np.zeros(count), np.zeros(count)
        self._count = 0

    def add(self, block: Block) -> None:
        self._sum(self._windows.add(block))

    def _sum(self, windows: list[NDArray[np.float32]]) -> None:
        import numpy as np

        for window in windows:
            powers = band_powers(np.vstack([window.T, window.mean(axis=1)]), self._rate)
            self._power += powers[:-1].mean(axis=0)
            self._mono += powers[-1]
            self._count += 1

    def result(self) -> Spectrum:
        import numpy as np

        self._sum(self._windows.rest())
        count = max(1, self._count)
        floor = 1e-20
        return Spectrum(
            bands(self._rate)[0],
            10 * np.log10(self._power / count + floor),
            10 * np.log10(self._mono / count + floor),
        )
