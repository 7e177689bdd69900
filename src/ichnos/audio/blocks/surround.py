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
_SIDES = {
    3: (_LEFT, _RIGHT, _MIDDLE),
    4: (_LEFT, _RIGHT, _BESIDE_LEFT, _BESIDE_RIGHT),
    5: (_LEFT, _RIGHT, _MIDDLE, _BESIDE_LEFT, _BESIDE_RIGHT),
    6: (_LEFT, _RIGHT, _MIDDLE, _NOWHERE, _BESIDE_LEFT, _BESIDE_RIGHT),
    7: (_LEFT, _RIGHT, _MIDDLE, _NOWHERE, _BEHIND, _BESIDE_LEFT, _BESIDE_RIGHT),
    8: (_LEFT, _RIGHT, _MIDDLE, _NOWHERE, _BESIDE_LEFT, _BESIDE_RIGHT, _BESIDE_LEFT, _BESIDE_RIGHT),
}


def in_ogg(order: tuple[int, ...]) -> tuple[int, ...]:
    """The way back: where each of an Ogg stream's channels stands in a WAV.

    >>> in_ogg((0, 2, 1, 5, 3, 4))
    (0, 2, 1, 4, 5, 3)
    """
    return tuple(order.index(number) for number in range(len(order)))


@cache
def to_stereo(channels: int) -> NDArray[np.float32]:
    """What each channel gives to the left and the right; shape (channels, 2).

    So scaled that no side passes full scale, whatever the channels hold. Channels of which nobody knows
    where they are (more than eight) go to both sides alike.
    """
    import numpy as np

    sides = np.array(_SIDES.get(channels, (_MIDDLE,) * channels), np.float64)
    return np.asarray(sides / sides.sum(axis=0).max(), np.float32)


def loss(channels: int) -> float:
    """By how many dB a side alone comes out quieter.

    >>> round(loss(6), 1)
    -7.7
    """
    return 20 * math.log10(float(to_stereo(channels).max()))
