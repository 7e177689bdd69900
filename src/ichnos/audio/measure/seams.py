"""Whether one hears the seam of a loop, and where one would not."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, TYPE_CHECKING

from ichnos.audio.files import clips
from ichnos.audio.files.loops import Loop, Marking, marked
from ichnos.errors import IchnosError, Place

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_WINDOW = 0.05  # seconds to either side of a seam that are looked at
_USUAL = 99  # per cent of the clip's own movements are no larger than what counts as usual
_FAINT, _COVERED = 1e-4, 0.003  # of full scale, and of the sound around: steps below are never heard
_PATTERN = 0.02  # seconds that are compared when a better seam is looked for
_STARTS = 24  # places that are tried for the start
_RATED = 8  # of these, the most alike are measured


@dataclass(frozen=True)
class Seam:
    """How the joint of a loop compares with the clip's own movement around it.

    ``step``: the jump from the last frame to the first; ``slope``: how much the direction changes
    there; both as multiples of what is usual (the 99th percentile within 50 ms). ``level_db``: the
    level before the joint against that behind it.
    """

    step: float
    slope: float
    level_db: float

    @property
    def roughness(self) -> float:
        """Step, slope and change of level as one number; the smaller, the smoother."""
        return max(self.step, self.slope) + abs(self.level_db) / 6

    @property
    def is_audible(self) -> bool:
        """Would one hear a click, or a change?"""
        return max(self.step, self.slope) > 2 or abs(self.level_db) > 6


@dataclass(frozen=True)
class Candidate:
    """Another loop near the one at hand. ``likeness``: 1 where both sides of its seam are the same."""

    loop: Loop
    seam: Seam
    likeness: float

    @property
    def badness(self) -> tuple[bool, float, float]:
        """For sorting: the best is the smallest."""
        return self.seam.is_audible, -round(self.likeness, 2), self.seam.roughness


class LoopSeams:
    """The sound near the two ends of a loop, read in one pass.

    Raises:
        IchnosError: the clip is damaged, or too short to loop.
    """

    def __init__(
        self,
        stream: IO[bytes],
        path: Path,
        loop: Loop | None = None,
        within: float = 0.0,
        marking: Marking | None = None,
    ) -> None:
        """Read the sound near both ends. Raises what the class says.

        Args:
            stream: the clip, open for reading. path: for its extension, and what messages call it.
            loop: else the one that the clip marks, else all of it.
            within: seconds around both ends in which others may be looked for.
        """
        import numpy as np

        place = Place(str(path))
        self.facts = clips.facts(stream, path)
        self.loop = loop or marked(stream, self.facts, marking) or (0, self.facts.frames - 1)
        start, end = self.loop
        if not 0 <= start < end < self.facts.frames or end - start < 2 * _PATTERN * self.facts.rate:
            raise IchnosError(
                f"no loop can go from frame {start} to {end}: the clip has {self.facts.frames} frames",
                place=place,
                cure="a loop lies inside the clip and lasts 0.04 s at least",
            )
        self.reach = min(round(within * self.facts.rate), (end - start) // 4)
        margin = self.reach + round(_WINDOW * self.facts.rate) + 2
        self._spans = [(max(0, at - margin), at + margin) for at in (start, end)]
        parts: list[list[NDArray[np.float32]]] = [[], []]
        at = 0
        for block in clips.blocks(stream, self.facts, place):
            mono = block.mean(axis=1)
            for number, (low, high) in enumerate(self._spans):
                if at < high and at + len(mono) > low:
                    parts[number].append(mono[max(0, low - at) : high - at])
            at += len(mono)
        self._sound = [np.concatenate(part).astype(np.float64) for part in parts]

    def _part(self, end: int, low: int, high: int) -> NDArray[np.float64]:
        """Frames ``low`` to ``high``, that one not included, near the start (0) or the end (1)."""
        offset = self._spans[end][0]
        return self._sound[end][max(0, low - offset) : max(0, high - offset)]

    def seam(self, loop: Loop | None = None) -> Seam:
        """The seam of the clip's loop, or of another one within reach."""
        import numpy as np

        start, end = loop or self.loop
        width = round(_WINDOW * self.facts.rate)
        before, behind = self._part(1, end + 1 - width, end + 1), self._part(0, start, start + width)
        moves = np.abs(np.concatenate([np.diff(before), np.diff(behind)]))
        bends = np.abs(np.concatenate([np.diff(before, 2), np.diff(behind, 2)]))
        joint = np.concatenate([before[-2:], behind[:2]])
        power = [max(float(np.square(part).mean()), 1e-10) for part in (before, behind)]
        # In a deep hum, or in near silence, anything is many times the usual: so small a step is no click.
        least = _FAINT + _COVERED * math.sqrt(max(power))
        step = abs(joint[2] - joint[1]) / max(float(np.percentile(moves, _USUAL)), least)
        slope = float(np.abs(np.diff(joint, 2)).max()) / max(float(np.percentile(bends, _USUAL)), least)
        return Seam(float(step), slope, 10 * math.log10(power[0] / power[1]))

    def candidates(self) -> list[Candidate]:
        """Other loops within reach, the best first; none where each would be heard and this one is not."""
        rated = [Candidate(loop, self.seam(loop), likeness) for loop, likeness in list(self._alike())[:_RATED]]
        rated.sort(key=lambda one: one.badness)
        if not rated or (rated[0].seam.is_audible and not self.seam().is_audible):
            return []
        return rated

    def _alike(self) -> Iterator[tuple[Loop, float]]:
        """Loops whose two sides are alike, the most alike first, with their likeness.

        For several starts within reach, the end is moved to where what comes before and behind it
        is most like what is around the start (normalised correlation over 40 ms).
        """
        import numpy as np

        start, end = self.loop
        half = round(_PATTERN * self.facts.rate)
        found = []
        low = max(0, start - self.reach)
        for first in np.unique(np.linspace(low, start + self.reach, _STARTS).astype(int)).tolist():
            pattern_from = max(0, first - half)
            pattern = self._part(0, pattern_from, first + half)
            lead = first - pattern_from
            ground_from = max(self._spans[1][0], end + 1 - self.reach - lead)
            ground = self._part(1, ground_from, end + 1 + self.reach + half)
            if len(pattern) < half or len(ground) < len(pattern):
                continue
            likeness = _likeness(ground, pattern)
            best = int(likeness.argmax())
            last = ground_from + best + lead - 1
            if last - first > half and last < self.facts.frames:
                found.append(((first, last), float(likeness[best])))
        yield from sorted(found, key=lambda one: -one[1])


def _likeness(ground: NDArray[np.float64], pattern: NDArray[np.float64]) -> NDArray[np.float64]:
    """The correlation of a pattern with each place of the ground, 1 where they are the same."""
    import numpy as np
    from scipy.signal import oaconvolve

    product = oaconvolve(ground, pattern[::-1], "valid")
    sums = np.concatenate([[0], np.cumsum(np.square(ground))])
    energy = sums[len(pattern) :] - sums[: -len(pattern)]
    # Half the sum of both energies, not their mean product: a louder place is no better.
    return np.asarray(product / np.maximum((energy + float(np.square(pattern).sum())) / 2, 1e-12))
