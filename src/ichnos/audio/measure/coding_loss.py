"""What lossy coding does to a sound: how far its bands are from those before, where one could hear it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ichnos.audio.measure.spectrum import Windows, band_powers, bands

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_WINDOW = 2048
_APART = 1.0  # seconds from one window to the next
_BATCH = 32  # windows that are measured at once
_FULL_SCALE_SPL = 96.0  # dB SPL assumed for full scale: a game turned up well
_MASKED = 60.0  # dB below the loudest band of the moment: nobody hears that


def threshold_in_quiet(hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """The level that can just be heard in silence, in dBFS (Terhardt 1979; full scale taken as 96 dB SPL)."""
    import numpy as np

    khz = hz / 1000
    spl = 3.64 * khz**-0.8 - 6.5 * np.exp(-0.6 * (khz - 3.3) ** 2) + 1e-3 * khz**4
    return np.asarray(spl - _FULL_SCALE_SPL)


class Fingerprint:
    """Takes blocks, and keeps the band levels of windows a second apart (a thousand at most)."""

    def __init__(self, rate: int, frames: int) -> None:
        """``frames``: as expected; two sounds are compared only with the same number."""
        self.frames = frames
        self._rate = rate
        self._windows = Windows(rate, frames, _WINDOW, _APART)
        self._waiting: list[NDArray[np.float32]] = []
        self._powers: list[NDArray[np.float64]] = []  # of each batch, shape (windows, bands)

    def add(self, block: Block) -> None:
        self._waiting += self._windows.add(block)
        if len(self._waiting) >= _BATCH:
            self._measure()

    def _measure(self) -> None:
        import numpy as np

        if self._waiting:
            windows = np.stack(self._waiting).transpose(0, 2, 1)
            windows = windows - windows.mean(axis=2, keepdims=True)  # an offset is not heard
            self._powers.append(band_powers(windows, self._rate).mean(axis=1))
            self._waiting.clear()

    def _levels(self) -> NDArray[np.float64]:
        """Shape (windows, bands), in dB."""
        import numpy as np

        self._waiting += self._windows.rest()
        self._measure()
        whole = np.concatenate(self._powers) if self._powers else np.zeros((0, len(bands(self._rate)[0])))
        return np.asarray(10 * np.log10(whole + 1e-20))

    def distance(self, other: Fingerprint) -> float | None:
        """The root mean square, in dB, of the differences of all audible bands; None where nothing is audible."""
        import numpy as np

        ours, theirs = self._levels(), other._levels()
        count = min(len(ours), len(theirs))
        ours, theirs = ours[:count], theirs[:count]
        if not count:
            return None
        quiet = threshold_in_quiet(bands(self._rate)[0])
        audible = (ours > quiet) & (ours > ours.max(axis=1, keepdims=True) - _MASKED)
        if not audible.any():
            return None
        floor = quiet - 10  # below the threshold all silence is the same
        difference = np.maximum(theirs, floor) - np.maximum(ours, floor)
        return float(np.sqrt(np.mean(np.square(difference[audible]))))
