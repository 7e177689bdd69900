"""More than two channels: the order that formats have them in, and what they become as stereo.

Everywhere in Ichnos channels stand in the order of WAV (left, right, centre, low effects, behind, beside).
Sources: Vorbis I, section 4.3.9; RFC 7845, section 5.1.1.2; ITU-R BS.775-3, Annex 4.
"""

from __future__ import annotations

import math
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# By the number of channels: where each of WAV's stands in an Ogg stream of Vorbis or Opus.
OGG_ORDER = {
    3: (0, 2, 1),
    5: (0, 2, 1, 3, 4),
    6: (0, 2, 1, 5, 3, 4),
    7: (0, 2, 1, 6, 5, 3, 4),
    8: (0, 2, 1, 7, 5, 6, 3, 4),
}
_HALF_POWER = math.sqrt(0.5)
_LEFT, _RIGHT, _MIDDLE, _NOWHERE = (1, 0), (0, 1), (_HALF_POWER, _HALF_POWER), (0, 0)
_BESIDE_LEFT, _BESIDE_RIGHT = (_HALF_POWER, 0), (0, _HALF_POWER)
_BEHIND = (0.5, 0.5)
# By the bits of a WAV's mask: the place, what it gives to both sides, and what it counts in BS.1770.
_SIDEWAYS = 1.41  # between 60 and 120 degrees from the front (BS.1770-4, Annex 3, table 4)
_PLACES: tuple[tuple[str, tuple[float, float], float], ...] = (
    ("left", _LEFT, 1), ("right", _RIGHT, 1), ("centre", _MIDDLE, 1), ("low effects", _NOWHERE, 0),
    ("back left", _BESIDE_LEFT, _SIDEWAYS), ("back right", _BESIDE_RIGHT, _SIDEWAYS),
    ("left of the centre", _LEFT, 1), ("right of the centre", _RIGHT, 1), ("back", _BEHIND, 1),
    ("side left", _BESIDE_LEFT, _SIDEWAYS), ("side right", _BESIDE_RIGHT, _SIDEWAYS),
)  # fmt: skip
_USUAL = {3: 0x7, 4: 0x33, 5: 0x37, 6: 0x3F, 7: 0x70F, 8: 0x63F}  # by the number of channels


def in_ogg(order: tuple[int, ...]) -> tuple[int, ...]:
    """The way back: where each of an Ogg stream's channels stands in a WAV.

    >>> in_ogg((0, 2, 1, 5, 3, 4))
    (0, 2, 1, 4, 5, 3)
    """
    return tuple(order.index(number) for number in range(len(order)))


def places(channels: int, mask: int = 0) -> tuple[str, ...] | None:
    """Where channels are heard; None where nobody knows. ``mask``: as a WAV says it, 0 for the usual places.

    >>> places(4, 0xF), places(4)
    (('left', 'right', 'centre', 'low effects'), ('left', 'right', 'back left', 'back right'))
    """
    found = _placed(channels, mask)
    return tuple(name for name, _, _ in found) if found else None


def _placed(channels: int, mask: int) -> list[tuple[str, tuple[float, float], float]]:
    mask = mask or _USUAL.get(channels, 0)
    found = [place for bit, place in enumerate(_PLACES) if mask >> bit & 1]
    return found if len(found) == channels and not mask >> len(_PLACES) else []


def weights(channels: int, mask: int = 0) -> tuple[float, ...]:
    """What each channel counts in the loudness by BS.1770."""
    found = _placed(channels, mask) if channels > 2 else []
    # Beside channels at the sides, those behind count once: the table goes by the angle.
    has_sides = any(name.startswith("side") for name, _, _ in found)
    counted = [1 if has_sides and name.startswith("back") else weight for name, _, weight in found]
    return tuple(counted or [1] * channels)


@cache
def to_stereo(channels: int, mask: int = 0) -> NDArray[np.float32]:
    """What each channel gives to the left and the right; shape (channels, 2).

    So scaled that no side passes full scale, whatever the channels hold. Channels of which nobody knows
    where they are go to both sides alike.
    """
    import numpy as np

    found = _placed(channels, mask)
    sides = np.array([to for _, to, _ in found] if found else (_MIDDLE,) * channels, np.float64)
    return np.asarray(sides / sides.sum(axis=0).max(), np.float32)


def loss(channels: int, mask: int = 0) -> float:
    """By how many dB a side alone comes out quieter.

    >>> round(loss(6), 1)
    -7.7
    """
    return 20 * math.log10(float(to_stereo(channels, mask).max()))
