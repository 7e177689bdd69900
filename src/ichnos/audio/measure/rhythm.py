"""Beats and pauses of a sound, found in its level over every 2 ms."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

HOP = 0.002  # seconds of which a level is taken
_SLOWEST, _FASTEST = 1.5, 0.15  # seconds between two beats
_SURE, _PART = 0.5, 0.25  # correlation of the attacks with themselves, later by what repeats, and by a part of it
_ATTACK, _RISE = 6.0, 10  # dB by which a level rises where a beat begins, within so many hops
_SHARE = 0.2  # of the time in which it rises: what swells and falls has no attacks
_NEAR = 4  # hops to either side of where a beat is expected
_DEPTHS = (10.0, 20.0, 30.0, 40.0)  # dB below the mean, at which pauses are looked for
_SHALLOW = 25.0  # dB: up to there a pause must begin or end at once, or it is a swell of the sound
_EDGE = 5  # hops within which a pause begins, where it does at once


@dataclass(frozen=True)
class Beat:
    """What repeats. ``seconds``: from one to the next."""

    seconds: float

    def off(self, seconds: float) -> float:
        """By how many seconds a length is no whole number of beats."""
        return abs(seconds - round(seconds / self.seconds) * self.seconds)


def beat(levels: NDArray[np.float64], hop: float) -> Beat | None:
    """The beat of a sound, from its mean power in each ``hop`` seconds; None where it has none that is steady."""
    import numpy as np

    smooth = np.convolve(levels, np.ones(_RISE) / _RISE, "valid") if len(levels) >= _RISE else levels
    decibels = 10 * np.log10(np.maximum(smooth, max(float(smooth.max(initial=0)) * 1e-4, 1e-10)))
    rising = np.maximum(decibels[_RISE:] - decibels[:-_RISE], 0)
    least, most = round(_FASTEST / HOP), min(round(_SLOWEST / HOP), len(rising) // 3)
    if most <= least or rising.max() < _ATTACK or (rising > rising.max() / 2).mean() > _SHARE:
        return None
    farthest = len(rising) * 2 // 3
    alike = _autocorrelation(rising - rising.mean(), farthest + 2 * _NEAR)
    first = _peak(alike, least + int(alike[least : most + 1].argmax()))
    if alike[round(first)] < _SURE:
        return None
    # What repeats may be several beats; so few are no reason to call a loop of seven a slip.
    parts = (first / count for count in (4, 3, 2, 1))
    is_beat = (part for part in parts if part >= least and alike[round(part) - 2 : round(part) + 3].max() > _PART)
    one = next(is_beat, first)
    lags: list[float] = []
    while (len(lags) + 1) * one <= farthest:  # the farther apart, the more exactly it is known
        lags.append(_peak(alike, round((len(lags) + 1) * one)))
        beats = np.arange(1, len(lags) + 1)
        one = float((beats * lags).sum() / np.square(beats).sum())
    return Beat(one * hop)


def _peak(values: NDArray[np.float64], near: int) -> float:
    """Where values are highest near a place, between them too."""
    low = max(1, near - _NEAR)
    at = low + int(values[low : near + _NEAR + 1].argmax())
    if at + 1 >= len(values):
        return float(at)
    before, here, behind = values[at - 1 : at + 2]
    bend = before - 2 * here + behind
    return at + (0.5 * float((before - behind) / bend) if bend < 0 else 0.0)


def _autocorrelation(values: NDArray[np.float64], most: int) -> NDArray[np.float64]:
    """Of each lag below ``most``: how alike the values are to themselves, 1 where they are the same."""
    import numpy as np
    from scipy.fft import irfft, next_fast_len, rfft

    size = next_fast_len(2 * len(values))
    products = irfft(np.square(np.abs(rfft(values, size))), size)[:most]
    sums = np.concatenate([[0.0], np.cumsum(np.square(values))])
    lags = np.arange(min(most, len(values)))
    energy = np.sqrt(sums[len(values) - lags] * (sums[-1] - sums[lags]))
    return np.asarray(products[: len(lags)] / np.maximum(energy, 1e-12))


def pause(before: NDArray[np.float64], behind: NDArray[np.float64], inside: NDArray[np.float64]) -> tuple[float, float]:
    """How long it is quiet across a joint, and how long it may be for what is quiet elsewhere, in seconds.

    Of all depths below the mean the one at which the joint is worst. A shallow pause counts where it begins or ends
    within 10 ms; a slow swell is none.

    Args:
        before, behind: mean power in each 2 ms, ``before`` from the joint backwards. inside: of the whole loop.
    """
    mean = float(inside.mean())
    worst = (0.0, HOP)
    for depth in _DEPTHS:
        least = max(mean * 10 ** (-depth / 10), 1e-10)
        runs = [_run(side < least) for side in (before, behind)]
        sides = zip((before, behind), runs, strict=True)
        if depth < _SHALLOW and not any(_at_once(side, run, least) for side, run in sides):
            continue
        limit = 2.0 * _longest(inside < least, runs[1], runs[0]) + 1.5
        if sum(runs) / limit > worst[0] / worst[1]:
            worst = (sum(runs) * HOP, limit * HOP)
    return worst


def _run(quiet: NDArray[np.bool_]) -> int:
    """How many are quiet at the beginning."""
    return len(quiet) if quiet.all() else int(quiet.argmin())


def _at_once(levels: NDArray[np.float64], run: int, least: float) -> bool:
    """Does the sound begin at once behind a pause: 10 dB above it within 10 ms?"""
    return bool((levels[run : run + _EDGE] > 10 * least).any())


def _longest(quiet: NDArray[np.bool_], first: int, last: int) -> int:
    """The longest stretch that is quiet, apart from so many at the beginning and at the end."""
    import numpy as np

    inner = quiet[first + 1 : len(quiet) - last - 1]
    edges = np.flatnonzero(np.diff(np.concatenate([[0], inner.astype(np.int8), [0]])))
    return int((edges[1::2] - edges[::2]).max(initial=0))
