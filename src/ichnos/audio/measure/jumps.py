"""What changes from one stretch of a sound to the next: its level, its timbre, its pitch, its place.

A loop's end is held against its beginning in the same way as any two neighbouring stretches inside it: what the
loop does anyway is no fault of its joint.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ichnos.audio.measure.rhythm import HOP

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Pairs = tuple[NDArray[np.float64], NDArray[np.float64]]  # each of shape (pairs, channels, frames)

STRETCH = 0.2  # seconds
_AT_ONCE = 16  # pairs of stretches
_PLACES = 400  # in a loop, where its own changes are looked at
_AUDIBLE = 30.0  # dB below the loudest band: what is farther below does not count
_STEP = 48  # of an octave: how finely pitches are told apart
_SURE = 0.03  # by so much two spectra must be more alike when one is shifted


@dataclass(frozen=True)
class Measure:
    """One thing that is measured at a joint: how much, and above which limit it is heard."""

    what: str
    unit: str
    value: float
    limit: float


# Of each kind: its unit, what nobody minds, and how many times the most inside the loop is too much.
_LIMITS = {
    "level": ("dB", 2.5, 1.25),
    "timbre": ("dB", 4.0, 1.5),
    "pitch": ("cents", 40.0, 1.5),
    "place": ("dB", 4.0, 1.25),
    "width": ("", 0.4, 1.5),
}


class _Spectra:
    """Pairs of neighbouring stretches, and what differs in each."""

    def __init__(self, pairs: Pairs, rate: int) -> None:
        import numpy as np

        self.pairs = pairs
        frames = pairs[0].shape[-1]
        self.frequencies = np.fft.rfftfreq(frames, 1 / rate)
        taper = np.hanning(frames)
        self.spectra = [np.fft.rfft(stretch * taper) for stretch in pairs]
        self.power = [np.square(np.abs(spectrum)) + 1e-12 * frames for spectrum in self.spectra]
        edges = 50 * 2 ** (np.arange(26) / 3)
        at = np.unique(np.searchsorted(self.frequencies, edges[edges < rate / 2]))
        self._at = at[at < len(self.frequencies)]
        self.bands = [self._in_bands(power) for power in self.power]
        both = [10 * np.log10(bands.sum(axis=1)) for bands in self.bands]
        top = np.maximum(*both)
        #: How much each third of an octave counts.
        self.weights = np.clip(top - top.max(axis=1, keepdims=True) + _AUDIBLE, 0, None)

    def _in_bands(self, values: NDArray[Any]) -> NDArray[Any]:
        import numpy as np

        return np.asarray(np.add.reduceat(values, self._at, axis=-1)[..., :-1])

    def _weighted(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        import numpy as np

        return np.asarray((self.weights * values).sum(axis=1) / self.weights.sum(axis=1))

    def level(self) -> NDArray[np.float64]:
        """In dB, of the channel that changes most, without those that are not heard beside others."""
        import numpy as np

        before, behind = (np.square(stretch).mean(axis=-1) + 1e-10 for stretch in self.pairs)
        louder = np.maximum(before, behind)
        counts = louder > 1e-3 * louder.max(axis=1, keepdims=True)
        return np.asarray(np.where(counts, np.abs(10 * np.log10(before / behind)), 0).max(axis=1))

    def timbre(self) -> NDArray[np.float64]:
        """In dB, of thirds of octaves in the mean, beside what the whole changes."""
        import numpy as np

        before, behind = (bands.sum(axis=1) for bands in self.bands)
        change = 10 * np.log10(behind / before)
        whole = 10 * np.log10(behind.sum(axis=1) / before.sum(axis=1))
        return self._weighted(np.abs(change - whole[:, None]))

    def pitch(self) -> NDArray[np.float64]:
        """In cents: by how much one spectrum must be shifted to be most like the other; up to an octave."""
        import numpy as np

        grid = 60 * 2 ** (np.arange(_STEP * 7) / _STEP)
        grid = grid[grid < self.frequencies[-1] * 0.9]
        before, behind = (
            np.stack([np.interp(grid, self.frequencies, 10 * np.log10(one)) for one in power.sum(axis=1)])
            for power in self.power
        )
        before, behind = (np.maximum(one - one.max(axis=1, keepdims=True) + 40, 0) for one in (before, behind))
        scale = np.maximum(np.sqrt(np.square(before).sum(axis=1) * np.square(behind).sum(axis=1)), 1e-12)
        count, shifts = len(grid), range(-_STEP, _STEP + 1)
        alike = np.stack(
            [
                (before[:, max(0, -by) : count - max(0, by)] * behind[:, max(0, by) : count - max(0, -by)]).sum(axis=1)
                for by in shifts
            ]
        )
        alike /= scale
        best = np.abs(alike.argmax(axis=0) - _STEP) * 1200.0 / _STEP
        return np.asarray(np.where(alike.max(axis=0) - alike[_STEP] > _SURE, best, 0))

    def place(self) -> NDArray[np.float64]:
        """In dB: how the difference between left and right changes, in the mean of thirds of octaves."""
        import numpy as np

        sides = [np.clip(10 * np.log10(bands[:, 0] / bands[:, 1]), -20, 20) for bands in self.bands]
        return self._weighted(np.abs(sides[0] - sides[1]))

    def width(self) -> NDArray[np.float64]:
        """From 0 to 2: how the coherence of left and right changes, in the mean of thirds of octaves."""
        import numpy as np

        alike = [
            self._in_bands(spectrum[:, 0] * spectrum[:, 1].conj()) / np.sqrt(bands[:, 0] * bands[:, 1])
            for spectrum, bands in zip(self.spectra, self.bands, strict=True)
        ]
        return self._weighted(np.abs(alike[0] - alike[1]))


def jumps(before: NDArray[np.float64], behind: NDArray[np.float64], inside: Inside) -> Iterator[Measure]:
    """What jumps from one stretch to another, of shape (channels, frames) each, beside what changes inside."""
    across = _Spectra((before[None], behind[None]), inside.rate)
    for what, (unit, least, times) in _LIMITS.items():
        if what in ("place", "width") and len(before) != 2:
            continue
        value = float(_measured(across, what)[0])
        limit = least if value <= least else max(least, times * inside.most(what))
        yield Measure(what, unit, value, limit)


def _measured(spectra: _Spectra, what: str) -> NDArray[np.float64]:
    measure: Callable[[], NDArray[np.float64]] = getattr(spectra, what)
    return measure()


class Inside:
    """What a loop does by itself. ``parts``: of it, or all of it, of shape (channels, frames) each."""

    def __init__(
        self, parts: Sequence[NDArray[np.floating[Any]]], levels: NDArray[np.float64], rate: int, frames: int
    ) -> None:
        """``levels``: the mean power of each 2 ms of all of it, a row for each channel. ``frames``: of a stretch."""
        self.parts, self.rate, self.frames = parts, rate, frames
        self._most = {"level": self._of_levels(levels)}

    def _of_levels(self, levels: NDArray[np.float64]) -> float:
        """The most that the level changes, wherever two stretches may meet."""
        import numpy as np

        count = max(1, round(self.frames / self.rate / HOP))
        sums = np.pad(np.cumsum(levels, axis=1), ((0, 0), (1, 0)))
        means = (sums[:, count:] - sums[:, :-count]) / count + 1e-10
        before, behind = means[:, :-count], means[:, count:]
        louder = np.maximum(before, behind)
        counts = louder > 1e-3 * louder.max(axis=0, keepdims=True)
        return float(np.where(counts, np.abs(10 * np.log10(before / behind)), 0).max(initial=0))

    def most(self, what: str) -> float:
        """The most that something changes from one stretch to the next."""
        if what not in self._most:
            found = [_measured(_Spectra(pairs, self.rate), what).max() for pairs in self._pairs()]
            self._most[what] = float(max(found, default=0.0))
        return self._most[what]

    def _pairs(self) -> Iterator[Pairs]:
        import numpy as np

        width = self.frames
        room = sum(max(0, part.shape[1] - 2 * width) for part in self.parts)
        hop = max(1, width // 4, room // _PLACES)
        places = [(part, at) for part in self.parts for at in range(width, part.shape[1] - width + 1, hop)]
        for first in range(0, len(places), _AT_ONCE):
            some = places[first : first + _AT_ONCE]
            yield (
                np.stack([part[:, at - width : at] for part, at in some]).astype(np.float64),
                np.stack([part[:, at : at + width] for part, at in some]).astype(np.float64),
            )
