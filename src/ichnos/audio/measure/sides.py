"""How the two sides of a stereo clip go together, and what mono would cost."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from ichnos.audio.blocks.block import sum_squares

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block

STEREO = 2  # channels
OUT_OF_PHASE = -6.0  # dB: what loses more as a mono mix is out of phase, and one side is taken instead
_WINDOW = 8192  # samples that are judged together
_PART = 0.2  # of the sound's energy, by which a part that cancels matters
_TWIN = -70.0  # dB below the sound: differences smaller than that are no stereo


@dataclass(frozen=True)
class Sides:
    """What was measured of a stereo clip.

    ``mono_db``: the level of (left + right) / 2 against the mean level of both sides: 0 where they
    are the same, -3 where they have nothing to do with each other, far below where they cancel. Where
    a fifth of the sound cancels, it is that of what does.
    ``twins``: one channel, twice.
    """

    mono_db: float
    twins: bool
    louder: Literal["left", "right"]


class _Windows:
    """What the mix costs, window by window: where a part of a sound cancels, the rest must not hide it."""

    def __init__(self) -> None:
        self._sides: list[float] = []
        self._mix: list[float] = []
        self._rest: tuple[Block, Block] | None = None

    def add(self, sides: Block, mix: Block) -> None:
        """The samples of both sides, and of their mix."""
        import numpy as np

        if self._rest is not None and len(self._rest[0]):
            sides, mix = np.concatenate([self._rest[0], sides]), np.concatenate([self._rest[1], mix])
        whole = len(sides) // _WINDOW * _WINDOW
        for start in range(0, whole, _WINDOW):
            self._sides.append(sum_squares(sides[start : start + _WINDOW]))
            self._mix.append(sum_squares(mix[start : start + _WINDOW]))
        self._rest = sides[whole:].copy(), mix[whole:].copy()  # what goes on may be changed in place

    def mono_db(self) -> float:
        """As ``Sides`` has it: of the whole, or of the windows that cancel, where much of the sound is in them."""
        import numpy as np

        rest = self._rest or (np.zeros((0, 2), np.float32), np.zeros((0, 1), np.float32))
        sides = np.array([*self._sides, sum_squares(rest[0])])
        mix = np.array([*self._mix, sum_squares(rest[1])])
        cancels = mix < sides / 2 * 10 ** (OUT_OF_PHASE / 10)
        if sides[cancels].sum() < _PART * sides.sum():
            cancels[:] = True
        power, mono = float(sides[cancels].sum()) / 2, float(mix[cancels].sum())
        if not power:
            return 0.0
        return 10 * math.log10(mono / power) if mono > 0 else -math.inf


class MixMeter:
    """Takes stereo blocks and the mono mix of each, and says what the mix costs. Cheaper than ``SidesMeter``."""

    def __init__(self) -> None:
        self._windows = _Windows()

    def mixed(self, blocks: Iterable[Block], mix: Callable[[Block], Block]) -> Iterator[Block]:
        for block in blocks:
            done = mix(block)
            self._windows.add(block, done)
            yield done

    @property
    def mono_db(self) -> float:
        """As ``Sides`` has it."""
        return self._windows.mono_db()


class SidesMeter:
    """Takes a stereo clip's blocks; anything else it lets pass."""

    def __init__(self) -> None:
        self._left = self._right = self._difference = 0.0
        self._windows = _Windows()

    def add(self, block: Block) -> None:
        import numpy as np

        if block.shape[1] != STEREO:
            return
        left, right = np.ascontiguousarray(block[:, 0]), np.ascontiguousarray(block[:, 1])
        difference = left - right
        self._left += float(np.dot(left, left))
        self._right += float(np.dot(right, right))
        self._windows.add(block, ((left + right) * np.float32(0.5))[:, None])
        self._difference += float(np.dot(difference, difference))

    def result(self) -> Sides:
        power = self._left + self._right
        return Sides(
            mono_db=self._windows.mono_db(),
            twins=self._difference <= power * 10 ** (_TWIN / 10),
            louder="right" if self._right > self._left else "left",
        )
