"""Second-order filters, and running sound through them block by block.

Source: Robert Bristow-Johnson, Audio EQ Cookbook (W3C Note, 2021), bilinear transform.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

BUTTERWORTH = math.sqrt(0.5)


@dataclass(frozen=True)
class Biquad:
    """One section, with a0 divided out: y = b0 x + b1 x[-1] + b2 x[-2] - a1 y[-1] - a2 y[-2]."""

    b0: float
    b1: float
    b2: float
    a1: float
    a2: float

    def response(self, hz: NDArray[np.float64], rate: float) -> NDArray[np.complex128]:
        """The complex gain at these frequencies."""
        import numpy as np

        z = np.exp(-2j * np.pi * np.asarray(hz) / rate)
        return np.asarray((self.b0 + self.b1 * z + self.b2 * z * z) / (1 + self.a1 * z + self.a2 * z * z))


def _section(b: tuple[float, float, float], a: tuple[float, float, float]) -> Biquad:
    return Biquad(b[0] / a[0], b[1] / a[0], b[2] / a[0], a[1] / a[0], a[2] / a[0])


def _angle(hz: float, rate: float) -> tuple[float, float]:
    angle = 2 * math.pi * hz / rate
    return math.cos(angle), math.sin(angle)


def low_pass(hz: float, rate: float, q: float = BUTTERWORTH) -> Biquad:
    """Takes away what is above ``hz``, by 12 dB an octave; ``rate`` in Hz. 3 dB are gone there already.

    >>> import numpy as np
    >>> gains = abs(low_pass(1000, 48000).response(np.array([10, 1000, 10000]), 48000))
    >>> [float(round(20 * np.log10(gain), 1)) + 0.0 for gain in gains]
    [0.0, -3.0, -42.7]
    """
    cos, sin = _angle(hz, rate)
    alpha = sin / (2 * q)
    return _section(((1 - cos) / 2, 1 - cos, (1 - cos) / 2), (1 + alpha, -2 * cos, 1 - alpha))


def high_pass(hz: float, rate: float, q: float = BUTTERWORTH) -> Biquad:
    """Takes away what is below ``hz``, by 12 dB an octave; ``rate`` in Hz. 3 dB are gone there already."""
    cos, sin = _angle(hz, rate)
    alpha = sin / (2 * q)
    return _section(((1 + cos) / 2, -1 - cos, (1 + cos) / 2), (1 + alpha, -2 * cos, 1 - alpha))


def bell(hz: float, rate: float, db: float, q: float) -> Biquad:
    """Raises or lowers what is around ``hz`` by ``db``; the larger ``q``, the narrower.

    >>> import numpy as np
    >>> gain = abs(bell(1000, 48000, -6, 1.4).response(np.array([1000]), 48000))
    >>> float(round(20 * np.log10(gain[0]), 2))
    -6.0
    """
    cos, sin = _angle(hz, rate)
    alpha, root = sin / (2 * q), 10 ** (db / 40)
    return _section((1 + alpha * root, -2 * cos, 1 - alpha * root), (1 + alpha / root, -2 * cos, 1 - alpha / root))


def low_shelf(hz: float, rate: float, db: float) -> Biquad:
    """Raises or lowers what is below ``hz`` by ``db``. Slope 1: as steep as it can be without a bump."""
    return _shelf(hz, rate, db, 1)


def high_shelf(hz: float, rate: float, db: float) -> Biquad:
    """Raises or lowers what is above ``hz`` by ``db``. Slope 1: as steep as it can be without a bump."""
    return _shelf(hz, rate, db, -1)


def _shelf(hz: float, rate: float, db: float, side: int) -> Biquad:
    # The high shelf's formulas are the low shelf's with the cosine's sign turned.
    cos, sin = _angle(hz, rate)
    cos *= side
    a = 10 ** (db / 40)
    alpha2 = 2 * math.sqrt(a) * sin / 2 * math.sqrt(2)
    b = (
        a * ((a + 1) - (a - 1) * cos + alpha2),
        side * 2 * a * ((a - 1) - (a + 1) * cos),
        a * ((a + 1) - (a - 1) * cos - alpha2),
    )
    d = ((a + 1) + (a - 1) * cos + alpha2, side * -2 * ((a - 1) + (a + 1) * cos), (a + 1) + (a - 1) * cos - alpha2)
    return _section(b, d)


def steep(kind: str, hz: float, rate: float, slope: int) -> list[Biquad]:
    """A Butterworth low-pass or high-pass. ``slope``: 12 or 24 dB an octave."""
    make = {"low-pass": low_pass, "high-pass": high_pass}[kind]
    qualities = [BUTTERWORTH] if slope == 12 else [1 / (2 * math.cos(math.pi * n / 8)) for n in (1, 3)]
    return [make(hz, rate, q) for q in qualities]


class Filtering:
    """Filters blocks one after another, keeping what carries over from each to the next."""

    def __init__(self, sections: Sequence[Biquad], channels: int) -> None:
        import numpy as np

        self._sections = np.array([[s.b0, s.b1, s.b2, 1.0, s.a1, s.a2] for s in sections])
        self._state = np.zeros((len(sections), 2, channels))

    def __call__(self, block: Block) -> NDArray[np.float64]:
        """A block of the same shape, float64."""
        from scipy.signal import sosfilt

        done, self._state = sosfilt(self._sections, block, axis=0, zi=self._state)
        return done  # type: ignore[no-any-return]


def filter_blocks(blocks: Iterable[Block], sections: Sequence[Biquad], channels: int) -> Iterator[Block]:
    """Each block through the sections, one after the other."""
    import numpy as np

    filtering = Filtering(sections, channels)
    for block in blocks:
        yield filtering(block).astype(np.float32)
