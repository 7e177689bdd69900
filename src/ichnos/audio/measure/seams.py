"""Whether one hears the seam of a loop, and where one would not."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ichnos.audio.files.clips import OpenSound
from ichnos.audio.files.loops import Loop, Marking, marked
from ichnos.audio.measure.jumps import STRETCH, Inside, Measure, jumps
from ichnos.audio.measure.rhythm import HOP, beat, pause
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_AROUND = 0.2  # seconds to either side whose octaves are compared with the joint's
_GRAIN = 0.023  # seconds of which a spectrum is taken
_FAINT, _COVERED = 1e-4, 0.003  # of full scale, and of the sound around: steps below are never heard
_WINDOW = 0.05  # seconds to either side, for how loud it is there
_CLICK = 4.0  # dB by which what the joint adds may stand out
_BEND, _ALIKE = 6.0, 6.0  # dB: what a bend may be above the usual, and how alike both sides must be for one to be heard
_OWN_CLICKS = 3  # in a loop that clicks by itself so often, one more is none
_OFF_BEAT = 0.012  # seconds
_SHORTEST = 0.3  # seconds of a loop whose stretches are held against each other
_KEPT, _EXCERPTS = 60.0, 24  # seconds of a loop that are looked at inside; of longer ones, from so many places
_PATTERN = 0.02  # seconds that are compared when a better seam is looked for
_STARTS = 24  # places that are tried for the start
_RATED = 8  # of these, the most alike are measured


@dataclass(frozen=True)
class Seam:
    """What one would hear at the joint of a loop: each kind of it, with how much is too much.

    **click**, dB: how far, in one octave, what sounds across the joint is above the most that the clip has beside it;
    the worst of the channels, their mix and their difference. **bend**, dB: how far its direction turns there, above
    the 99th percentile within 50 ms, in a sound that goes on. **pause**, ms: how long it is quiet there; twice the
    longest elsewhere in the loop is too much. **level**, **timbre**, **pitch**, **place**, **width**: see
    :mod:`ichnos.audio.measure.jumps`. **beat**, ms: by how much the loop is no whole number of its beats, where it has
    a steady one.
    """

    measures: tuple[Measure, ...]

    @property
    def worst(self) -> Measure:
        """What stands out most."""
        return max(self.measures, key=lambda one: one.value / one.limit)

    @property
    def severity(self) -> float:
        """All of it as one number: how many times too much it is. Above 1 it is heard."""
        return self.worst.value / self.worst.limit

    @property
    def is_audible(self) -> bool:
        """Would one hear the joint?"""
        return self.severity > 1


@dataclass(frozen=True)
class Candidate:
    """Another loop near the one at hand. ``likeness``: 1 where both sides of its seam are the same."""

    loop: Loop
    seam: Seam
    likeness: float


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
        """Read the sound near both ends, and what it does inside. Raises what the class says.

        Args:
            loop: else the one that the clip marks, else all of it.
            within: seconds around both ends in which others may be looked for.
        """

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
        self._read(sound)

    def _read(self, sound: OpenSound) -> None:
        """All that is measured of the sound, in one pass."""
        import numpy as np

        rate, (start, end) = self.facts.rate, self.loop
        parts: list[list[NDArray[np.float32]]] = [[], []]
        levels: list[NDArray[np.float64]] = []
        hop, rest, at = round(HOP * rate), None, 0
        kept = _Excerpts(start, end + 1, rate)
        for block in sound.blocks():
            kept.take(block, at)
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
        self._grain = round(_GRAIN * rate)
        self._stretch = min(round(STRETCH * rate), (end + 1 - start) // 6)
        inside = self._levels[:, -(-start // hop) : (end + 1) // hop]
        self._inside = Inside(kept.parts(), inside, rate, self._stretch)
        self._beat = beat(inside.mean(axis=0), hop / rate)

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
        before, behind = self._part(1, end + 1 - around, end + 1), self._part(0, start, start + around)
        width = round(_WINDOW * rate)
        near = (before[: self.facts.channels, -width:], behind[: self.facts.channels, :width])
        power = max(1e-10, *(float(np.square(part).mean()) for part in near))
        # In a deep hum, or in near silence, anything is many times the usual: so small a step is no click.
        least = _FAINT + _COVERED * math.sqrt(power)
        burst = _burst(before, behind, min(self._grain, around // 2), least)
        usual = self._own_click(around, least) if burst > _CLICK else 0.0
        click = Measure("click", "dB", max(0.0, burst), max(_CLICK, 1.25 * usual))
        bend = Measure("bend", "dB", _bend(before[:, -width:], behind[:, :width], least, self._grain), _BEND)
        measures = [click, bend, self._pause(start, end, before, behind)]
        if end + 1 - start >= _SHORTEST * rate:
            parts = (before[: self.facts.channels, -self._stretch :], behind[: self.facts.channels, : self._stretch])
            measures += jumps(*parts, self._inside)
        if self._beat is not None:
            off = self._beat.off((end + 1 - start) / rate)
            measures.append(Measure("beat", "ms", 1000 * off, 1000 * _OFF_BEAT))
        return Seam(tuple(measures))

    def _own_click(self, around: int, least: float) -> float:
        """How far the third of the loop's own clicks stands out, as that of its joint is measured, in dB."""
        import numpy as np

        found = []
        for part in self._inside.parts:
            steps = np.abs(np.diff(part.mean(axis=0)))
            steps[:around] = steps[max(0, len(steps) - around) :] = 0
            for _ in range(2 * _OWN_CLICKS):
                at = int(steps.argmax()) + 1 if steps.size else 0
                if not at or steps[at - 1] == 0:
                    break
                sides = _sides(part[:, at - around : at + around].T.astype(np.float64))
                found.append(_burst(sides[:, :around], sides[:, around:], min(self._grain, around // 2), least))
                steps[max(0, at - around) : at + around] = 0
        return sorted(found)[-_OWN_CLICKS] if len(found) >= _OWN_CLICKS else 0.0

    def _pause(self, start: int, end: int, before: NDArray[np.float64], behind: NDArray[np.float64]) -> Measure:
        """How long it is quiet at a joint, in the worst channel."""
        import numpy as np

        hop = round(HOP * self.facts.rate)
        found = [(0.0, HOP)]
        loud = self._levels.mean(axis=1).max(initial=0) * 1e-3
        for number, levels in enumerate(self._levels):
            inside = levels[-(-start // hop) : (end + 1) // hop]
            if len(inside) < 2 or inside.mean() <= loud:
                continue
            count = before.shape[1] // hop
            near = (before[number, ::-1][: count * hop], behind[number, : count * hop])
            fine = [np.square(side).reshape(-1, hop).mean(axis=1) for side in near]
            found.append(
                pause(
                    np.concatenate([fine[0], inside[::-1][count:]]), np.concatenate([fine[1], inside[count:]]), inside
                )
            )
        seconds, limit = max(found, key=lambda one: one[0] / one[1])
        return Measure("pause", "ms", 1000 * seconds, 1000 * limit)

    def candidates(self) -> list[Candidate]:
        """Loops within reach whose seams are better by the same measures, the best first.

        Where the loop has a steady beat, those that have a whole number of its beats, first as many as it has.
        """
        tried = dict([*self._on_the_beat(), *list(self._alike())[:_RATED]])
        rated = [Candidate(loop, self.seam(loop), likeness) for loop, likeness in tried.items()]
        here = self.seam().severity
        better = [one for one in rated if one.seam.severity < here and (not one.seam.is_audible or here > 1)]
        return sorted(better, key=lambda one: (self._beats_apart(one.loop), round(one.seam.severity, 1), -one.likeness))

    def _on_the_beat(self) -> Iterator[tuple[Loop, float]]:
        """The loop with its end moved to the nearest whole number of beats, within reach."""
        start, end = self.loop
        if self._beat is None:
            return
        frames = self._beat.seconds * self.facts.rate
        last = start + round(round((end + 1 - start) / frames) * frames) - 1
        if start < last < self.facts.frames and 0 < abs(last - end) <= self.reach:
            half = round(_PATTERN * self.facts.rate)
            ground = self._part(1, last + 1, last + 1 + half)
            pattern = self._part(0, start, start + ground.shape[1])
            yield (start, last), float(_likeness(ground, pattern)[0]) if ground.shape[1] else 0.0

    def _beats_apart(self, loop: Loop) -> int:
        """By how many beats another loop is longer or shorter; 0 where there is no beat."""
        if self._beat is None:
            return 0
        lengths = [(end + 1 - start) / self.facts.rate / self._beat.seconds for start, end in (loop, self.loop)]
        return abs(round(lengths[0]) - round(lengths[1]))

    def _alike(self) -> Iterator[tuple[Loop, float]]:
        """Loops whose two sides are alike, the most alike first, with their likeness.

        For several starts within reach, the end is moved to where what comes before and behind it
        is most like what is around the start (normalised correlation over 40 ms).
        """
        import numpy as np

        start = self.loop[0]
        half = round(_PATTERN * self.facts.rate)
        likenesses = []
        low = max(0, start - self.reach)
        for first in np.unique(np.linspace(low, start + self.reach, _STARTS).astype(int)).tolist():
            pattern_from = max(0, first - half)
            pattern = self._part(0, pattern_from, first + half)
            lead = first - pattern_from
            for least, most in self._ends(first):
                ground_from = max(self._spans[1][0], least - lead)
                ground = self._part(1, ground_from, most + half)
                if pattern.shape[1] < half or ground.shape[1] < pattern.shape[1]:
                    continue
                likeness = _likeness(ground, pattern)
                best = int(likeness.argmax())
                last = ground_from + best + lead - 1
                if last - first > half and last < self.facts.frames:
                    likenesses.append(((first, last), float(likeness[best])))
        yield from sorted(likenesses, key=lambda pair: -pair[1])

    def _ends(self, first: int) -> Iterator[tuple[int, int]]:
        """Where a loop that begins at a frame may end: the frames behind it, from and to."""
        end = self.loop[1]
        low, high = end + 1 - self.reach, end + 1 + self.reach
        if self._beat is None:
            yield low, high
            return
        beat_frames, near = self._beat.seconds * self.facts.rate, round(_OFF_BEAT / 2 * self.facts.rate)
        for beats in range(max(1, math.ceil((low - first) / beat_frames)), int((high - first) / beat_frames) + 1):
            at = first + round(beats * beat_frames)
            yield at - near, at + near


class _Excerpts:
    """What of a loop is kept, to see what it does inside: all of a short one, else excerpts from everywhere."""

    def __init__(self, start: int, end: int, rate: int) -> None:
        length, kept = end - start, round(_KEPT * rate)
        width = length if length <= kept else kept // _EXCERPTS
        count = 1 if length <= kept else _EXCERPTS
        step = (length - width) // max(1, count - 1)
        self._spans = [(start + number * step, start + number * step + width) for number in range(count)]
        self._parts: list[list[NDArray[np.float32]]] = [[] for _ in self._spans]

    def take(self, block: NDArray[np.float32], at: int) -> None:
        """See the next block of the clip, which begins at a frame."""
        for (low, high), part in zip(self._spans, self._parts, strict=True):
            if at < high and at + len(block) > low:
                part.append(block[max(0, low - at) : high - at])

    def parts(self) -> list[NDArray[np.float32]]:
        """What was kept, of shape (channels, frames) each."""
        import numpy as np

        return [np.concatenate(part).T for part in self._parts if part]


def _sides(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """What may click by itself, one row each: every channel, their mix, and of two their difference."""
    import numpy as np

    channels = sound.T
    if len(channels) == 1:
        return channels
    both = [channels.mean(axis=0)] + ([(channels[0] - channels[1]) / 2] if len(channels) == 2 else [])
    return np.concatenate([channels, both])


def _bend(before: NDArray[np.float64], behind: NDArray[np.float64], least: float, length: int) -> float:
    """How far the direction of the worst side turns at the joint, above what is usual there, in dB.

    What is mirrored at the joint has no step and adds no octave to itself, and clicks. The frames of the joint itself
    are left out: half a frame too many is not heard. Where another sound sets in, it turns anyway.
    """
    import numpy as np

    slopes = [np.diff(side, axis=1) for side in (before, behind)]
    turn = np.abs(slopes[1][:, 0] - slopes[0][:, -1])
    own = np.concatenate([np.abs(side[:, 2:] - side[:, :-2]) for side in slopes], axis=1)
    usual = np.maximum(np.percentile(own, 99, axis=1), least)
    levels = [10 * np.log10(np.square(side).mean(axis=1) + 1e-10) for side in (before[:, -length:], behind[:, :length])]
    turn = np.where(np.abs(levels[0] - levels[1]) < _ALIKE, turn, 0)
    return max(0.0, float(20 * np.log10(np.maximum(turn, 1e-12) / usual).max()))


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
