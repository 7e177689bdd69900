"""The least change that lifts a clip out of the game's own mix."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ichnos.audio.blocks.filters import bell
from ichnos.audio.files.clips import OpenSound
from ichnos.audio.measure import audibility
from ichnos.audio.measure.audibility import RATE, Audibility, Levels, compare
from ichnos.audio.process.treatments import Bell, Gain, Limit, Step, treat
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

MOST_GAIN, MOST_EQ = 18.0, 9.0  # dB that a proposal may add
_CEILING = -1.0  # dBTP
_MOST_MOMENTS = 2000  # that a search looks at


@dataclass(frozen=True)
class Lift:
    """The least change found that lifts a clip to a wished level.

    ``reached``: what it then stands out by. ``limit_peaks``: peaks would pass -1 dBTP, and are limited.
    """

    steps: tuple[Step, ...]
    reached: float
    enough: bool
    on_progress: Audibility


def levels_of_treated(clip: OpenSound, steps: tuple[Step, ...]) -> Levels:
    """The band levels that a clip has after a treatment, so that a proposal can be proved."""
    both = audibility.sides(clip, lambda _: None)
    return audibility.levels_of(treat(both, steps, lambda _: None).blocks)


def lift(clip: Levels, cover: NDArray[np.float64], wished: float) -> Lift:
    """The least gain, with at most one bell, that makes the clip stand out by ``wished`` dB.

    A bell counts half of what gain counts, for it leaves the rest of the clip alone; gain beyond
    18 dB and bells beyond 9 dB are not proposed.

    Raises:
        IchnosError: the clip is silent.
    """
    import numpy as np

    now = compare(clip, cover)
    if not now.active.any():
        raise IchnosError("the clip is silent: nothing can lift it", cure="take another clip")
    if now.stands_out >= wished:
        return Lift((), now.stands_out, True, now)
    best: tuple[float, float, float, float] | None = None
    every = max(1, len(clip.db) // _MOST_MOMENTS)
    some = replace(clip, db=clip.db[::every])
    for eq in np.arange(0, MOST_EQ + 0.1, 1.5).tolist():
        for hz in clip.hz[(clip.hz > 150) & (clip.hz < 9000)].tolist() if eq else [1000.0]:
            shaped = replace(some, db=some.db + _bell_db(clip.hz, hz, eq))
            gain = max(0.0, wished - compare(shaped, cover).stands_out)
            cost = max(0.0, gain - MOST_GAIN) * 100 + gain + eq / 2
            if best is None or cost < best[0] - 1e-9:
                best = (cost, eq, hz, gain)
    assert best is not None
    _, eq, hz, gain = best
    gain = min(MOST_GAIN, math.ceil(10 * gain) / 10)
    steps: list[Step] = []
    shaped = clip
    if eq:
        steps.append(Bell(hz=round(hz), db=eq, q=1))
        shaped = replace(clip, db=clip.db + _bell_db(clip.hz, hz, eq))
    if gain:
        steps.append(Gain(db=gain))
        shaped = replace(shaped, db=shaped.db + gain)
    after = compare(shaped, cover)
    steps.append(Limit(ceiling=_CEILING))
    return Lift(tuple(steps), after.stands_out, after.stands_out >= wished - 0.05, after)


def _bell_db(hz: NDArray[np.float64], middle: float, db: float) -> NDArray[np.float64]:
    import numpy as np

    if not db:
        return np.zeros_like(hz)
    return np.asarray(20 * np.log10(np.abs(bell(middle, RATE, db, 1.0).response(hz, RATE))))
