"""Whether one hears the seam of a loop, and where one would not."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ichnos.audio.files.clips import OpenSound
from ichnos.audio.files.loops import Loop, Marking, marked
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_WINDOW = 0.05  # seconds to either side of a seam that are looked at
_AROUND = 0.2  # seconds to either side whose octaves are compared with the joint's
_GRAIN = 0.023  # seconds of which a spectrum is taken
_HOP = 0.002  # seconds of which a level is taken, to find gaps
_NEAR = 0.01  # seconds to either side of a joint in which a gap is looked for
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
    level before the joint against that behind it; ``own_db``: the most that the loop's own level changes
    from 50 ms to the next. ``burst_db``: how far, in one octave, what sounds
    across the joint is above the most that the clip has beside it: the thump of a step that noise
    covers. ``gap_db``: how far the level over 4 ms falls at the joint below the least inside the
    loop, in the worst channel. Steps, slopes and bursts are the worst of the clip's channels, their
    mix and their difference.
    """

    step: float
    slope: float
    level_db: float
    own_db: float
    burst_db: float
    gap_db: float

    @property
    def roughness(self) -> float:
        """All of it as one number; the smaller, the smoother."""
        return max(self.step, self.slope) + (abs(self.level_db) + max(self.burst_db, 0) + max(self.gap_db, 0)) / 6

    @property
    def is_audible(self) -> bool:
        """Would one hear a click, a thump, a gap, or a change?"""
        clicks = max(self.step, self.slope) > 2 or self.burst_db > 8
        return clicks or self.gap_db > 10 or abs(self.level_db) > max(6, self.own_db)


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
        sound: OpenSound,
        loop: Loop | None = None,
        within: float = 0.0,
        marking: Marking | None = None,
    ) -> None:
        """Read the sound near both ends. Raises what the class says.

        Args:
            loop: else the one that the clip marks, else all of it.
            within: seconds around both ends in which others may be looked for.
        """
        import numpy as np

        self.facts = sound.facts
        self.loop = loop or marked(sound.stream, self.facts, marking) or (0, self.facts.frames - 1)
        start, end = self.loop
        if not 0 <= start < end < self.facts.frames or end - start < 2 * _PATTERN * self.facts.rate:
            raise IchnosError(
                f"no loop can go from frame {start} to {end}: the clip has {self.facts.frames} frames",
                place=sound.place,
                cure="a loop lies inside the clip and lasts 0.04 s at least",
            )
        self.reach = min(round(within * self.facts.rate), (end - start) // 4)
        margin = self.reach + round(_AROUND * self.facts.rate) + 2
        self._spans = [(max(0, at - margin), at + margin) for at in (start, end)]
        parts: list[list[NDArray[np.float32]]] = [[], []]
        levels: list[NDArray[np.float64]] = []
        hop, rest, at = round(_HOP * self.facts.rate), None, 0
        for block in sound.blocks():
            for number, (low, high) in enumerate(self._spans):
                if at < high and at + len(block) > low:
                    parts[number].append(block[max(0, low - at) : high - at])
            at += len(block)
            block = block if rest is None else np.concatenate([rest, block])
            whole = len(block) // hop * hop
            levels.append(np.square(block[:whole].reshape(-1, hop, block.shape[1]), dtype=np.float64).mean(axis=1))
            rest = block[whole:]
        #: Near either end, per side (channels, mix, difference) one row.
        self._sound = [_sides(np.concatenate(part).astype(np.float64)) for part in parts]
        #: The mean power of each 2 ms, one row for each channel.
        self._levels = np.concatenate(levels).T

    def _part(self, end: int, low: int, high: int) -> NDArray[np.float64]:
        """Frames ``low`` to ``high``, that one not included, near the start (0) or the end (1), for each side."""
        offset = self._spans[end][0]
        return self._sound[end][:, max(0, low - offset) : max(0, high - offset)]

    def around(self, loop: Loop, seconds: float) -> tuple[NDArray[np.float64], ...]:
        """The sound at the joint of a loop within reach, its channels mixed; each part of so many seconds or fewer.

        Returns:
            What is heard before the joint and behind it; then what is not: what follows the end, and what comes
            before the start.
        """
        start, end = loop
        count = round(seconds * self.facts.rate)
        channels = self.facts.channels
        parts = (
            self._part(1, max(start, end + 1 - count), end + 1),
            self._part(0, start, min(end + 1, start + count)),
            self._part(1, end + 1, end + 1 + count),
            self._part(0, start - count, start),
        )
        return tuple(part[:channels].mean(axis=0) for part in parts)

    def seam(self, loop: Loop | None = None) -> Seam:
        """The seam of the clip's loop, or of another one within reach."""
        import numpy as np

        start, end = loop or self.loop
        rate = self.facts.rate
        around = min(round(_AROUND * rate), end + 1 - start)
        all_before, all_behind = self._part(1, end + 1 - around, end + 1), self._part(0, start, start + around)
        width = round(_WINDOW * rate)
        before, behind = all_before[:, -width:], all_behind[:, :width]
        power = [max(float(np.square(part[: self.facts.channels]).mean()), 1e-10) for part in (before, behind)]
        # In a deep hum, or in near silence, anything is many times the usual: so small a step is no click.
        least = _FAINT + _COVERED * math.sqrt(max(power))
        joint = np.concatenate([before[:, -2:], behind[:, :2]], axis=1)

        def usual(order: int) -> NDArray[np.float64]:
            own = [np.abs(np.diff(part, order)) for part in (before, behind)]
            return np.asarray(np.maximum(np.percentile(np.concatenate(own, axis=1), _USUAL, axis=1), least))

        return Seam(
            step=float((np.abs(joint[:, 2] - joint[:, 1]) / usual(1)).max()),
            slope=float((np.abs(np.diff(joint, 2)).max(axis=1) / usual(2)).max()),
            level_db=10 * math.log10(power[0] / power[1]),
            own_db=self._own_changes(start, end),
            burst_db=_burst(all_before, all_behind, min(round(_GRAIN * rate), around // 2), least),
            gap_db=self._gap(start, end, before, behind),
        )

    def _own_changes(self, start: int, end: int) -> float:
        """The most that the level inside the loop changes from 50 ms to the next, in dB; 0 if it is shorter."""
        import numpy as np

        hop, count = round(_HOP * self.facts.rate), round(_WINDOW / _HOP)
        inside = self._levels.mean(axis=0)[start // hop + 1 : (end + 1) // hop]
        if len(inside) < 2 * count:
            return 0.0
        sums = np.concatenate([[0.0], np.cumsum(inside)])
        levels = 10 * np.log10(np.maximum((sums[count:] - sums[:-count]) / count, 1e-10))
        return float(np.abs(levels[count:] - levels[:-count]).max())

    def _gap(self, start: int, end: int, before: NDArray[np.float64], behind: NDArray[np.float64]) -> float:
        """How far a channel falls at the joint below its least inside the loop, in dB; no more than 40."""
        import numpy as np

        hop = round(_HOP * self.facts.rate)
        near = round(_NEAR * self.facts.rate)
        joined = np.concatenate([before[:, -near:], behind[:, :near]], axis=1)[: self.facts.channels]
        sums = np.pad(np.cumsum(np.square(joined), axis=1), ((0, 0), (1, 0)))
        at_joint = (sums[:, 2 * hop :] - sums[:, : -2 * hop]).min(axis=1) / (2 * hop)
        inside = self._levels[:, (start + near) // hop + 1 : (end - near) // hop]
        if inside.shape[1] < 2:
            return 0.0
        elsewhere = (inside[:, 1:] + inside[:, :-1]).min(axis=1) / 2
        least = 1e-8 + 1e-4 * float(inside.mean())
        return float(10 * np.log10(np.maximum(elsewhere, least) / np.maximum(at_joint, least)).max())

    def candidates(self) -> list[Candidate]:
        """Other loops within reach, the best first; none where each would be heard and this one is not."""
        rated = [Candidate(loop, self.seam(loop), likeness) for loop, likeness in list(self._alike())[:_RATED]]
        rated.sort(key=lambda candidate: candidate.badness)
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
        likenesses = []
        low = max(0, start - self.reach)
        for first in np.unique(np.linspace(low, start + self.reach, _STARTS).astype(int)).tolist():
            pattern_from = max(0, first - half)
            pattern = self._part(0, pattern_from, first + half)
            lead = first - pattern_from
            ground_from = max(self._spans[1][0], end + 1 - self.reach - lead)
            ground = self._part(1, ground_from, end + 1 + self.reach + half)
            if pattern.shape[1] < half or ground.shape[1] < pattern.shape[1]:
                continue
            likeness = _likeness(ground, pattern)
            best = int(likeness.argmax())
            last = ground_from + best + lead - 1
            if last - first > half and last < self.facts.frames:
                likenesses.append(((first, last), float(likeness[best])))
        yield from sorted(likenesses, key=lambda pair: -pair[1])


def _sides(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """What may click by itself, one row each: every channel, their mix, and of two their difference."""
    import numpy as np

    channels = sound.T
    if len(channels) == 1:
        return channels
    both = [channels.mean(axis=0)] + ([(channels[0] - channels[1]) / 2] if len(channels) == 2 else [])
    return np.concatenate([channels, both])


def _burst(before: NDArray[np.float64], behind: NDArray[np.float64], length: int, least: float) -> float:
    """How far the joint is, in its worst octave, above the most on either side of it, in dB.

    What lies across the joint is compared with stretches of the same length of one side alone. Two of
    these are the halves at the joint, each mirrored there: so a crackle of the clip's own beside the
    joint counts as its own, and only what the joint itself adds stands out.

    Args:
        before, behind: shape (sides, frames). length: of a stretch, in frames. least: full scale is 1.
    """
    import numpy as np

    half, shift = length // 2, max(1, length // 8)
    length = 2 * half
    across = [np.concatenate([before[:, -half:], behind[:, :half]], axis=1)]
    mirrored = [
        np.concatenate([before[:, -half:], before[:, : -half - 1 : -1]], axis=1),
        np.concatenate([behind[:, half - 1 :: -1], behind[:, :half]], axis=1),
    ]
    alone = [
        part[:, at : at + length] for part in (before, behind) for at in range(0, part.shape[1] - length + 1, shift)
    ]
    edges = [1]
    while edges[-1] * 2 < half:
        edges.append(edges[-1] * 2)
    taper = np.hanning(length)

    def octaves(stretches: list[NDArray[np.float64]]) -> NDArray[np.float64]:
        power = np.square(np.abs(np.fft.rfft(np.stack(stretches) * taper)))[:, :, :half]
        counts = np.diff([*edges, power.shape[2]])
        return np.asarray((np.add.reduceat(power, edges, axis=2) / counts).max(axis=0))

    floor = least**2 * float(np.square(taper).sum())
    usual = np.maximum(octaves(mirrored + alone), floor)
    return float(10 * np.log10(np.maximum(octaves(across), floor) / usual).max())


def _likeness(ground: NDArray[np.float64], pattern: NDArray[np.float64]) -> NDArray[np.float64]:
    """The correlation of a pattern with each place of the ground, over all sides, 1 where they are the same."""
    import numpy as np
    from scipy.signal import oaconvolve

    product = oaconvolve(ground, pattern[:, ::-1], "valid", axes=1).sum(axis=0)
    sums = np.concatenate([[0], np.cumsum(np.square(ground).sum(axis=0))])
    energy = sums[pattern.shape[1] :] - sums[: -pattern.shape[1]]
    # Half the sum of both energies, not their mean product: a louder place is no better.
    return np.asarray(product / np.maximum((energy + float(np.square(pattern).sum())) / 2, 1e-12))
