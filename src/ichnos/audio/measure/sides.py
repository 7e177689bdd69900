"""How the two sides of a stereo clip go together, and what mono would cost."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block

STEREO = 2  # channels
OUT_OF_PHASE = -6.0  # dB: what loses more as a mono mix is out of phase, and one side is taken instead
_TWIN = -70.0  # dB below the sound: differences smaller than that are no stereo


@dataclass(frozen=True)
class Sides:
    """What was measured of a stereo clip.

    ``mono_db``: the level of (left + right) / 2 against the mean level of both sides: 0 where they
    are the same, -3 where they have nothing to do with each other, far below where they cancel.
    ``twins``: one channel, twice.
    """

    mono_db: float
    twins: bool
    louder: Literal["left", "right"]


class MixMeter:
    """Takes stereo blocks and the mono mix of each, and says what the mix costs. Cheaper than ``SidesMeter``."""

    def __init__(self) -> None:
        self._sides = self._mix = 0.0

    def mixed(self, blocks: Iterable[Block], mix: Callable[[Block], Block]) -> Iterator[Block]:
        import numpy as np

        for block in blocks:
            done = mix(block)
            flat, mono = block.ravel(), done.ravel()
            self._sides += float(np.dot(flat, flat))
            self._mix += float(np.dot(mono, mono))
            yield done

    @property
    def mono_db(self) -> float:
        """As ``Sides`` has it."""
        if not self._sides:
            return 0.0
        return 10 * math.log10(self._mix / (self._sides / 2)) if self._mix else -math.inf


class SidesMeter:
    """Takes a stereo clip's blocks; anything else it lets pass."""

    def __init__(self) -> None:
        self._left = self._right = self._both = self._difference = 0.0

    def add(self, block: Block) -> None:
        import numpy as np

        if block.shape[1] != STEREO:
            return
        left, right = np.ascontiguousarray(block[:, 0]), np.ascontiguousarray(block[:, 1])
        difference = left - right
        self._left += float(np.dot(left, left))
        self._right += float(np.dot(right, right))
        self._both += float(np.dot(left, right))
        self._difference += float(np.dot(difference, difference))

    def result(self) -> Sides:
        power = self._left + self._right
        mono = max(0.0, power + 2 * self._both) / 4
        return Sides(
            mono_db=10 * math.log10(mono / (power / 2)) if mono > 0 else (-math.inf if power else 0.0),
            twins=self._difference <= power * 10 ** (_TWIN / 10),
            louder="right" if self._right > self._left else "left",
        )
