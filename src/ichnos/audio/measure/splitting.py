"""Several takes in one recording: where one ends and the next begins."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from ichnos.audio.files.clips import Facts, OpenSound

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_STEP = 0.005  # seconds: how finely silence is looked for
_STEPS = 10  # of these the floor is judged by: a rumble's zeros are no silence
_QUIETEST = 10  # per cent
_ABOVE, _BELOW = 6.0, 12.0  # dB above the floor, and below the loudest
_USUAL = -45.0  # dBFS: where a recording has no floor to be found
_DIGITAL = -60.0  # dBFS: the lowest threshold, where between the takes there is nothing at all


def pieces(
    recording: OpenSound,
    threshold: float | None,
    gap: float,
    shortest: float,
    margin: float,
    on_progress: Callable[[float], None] = lambda seconds: None,
) -> tuple[list[tuple[int, int]], float]:
    """Cut a recording at its silences.

    Args:
        threshold: dBFS; what never passes it is silence. None: a little above the recording's own floor.
        gap: seconds of silence that part two pieces.
        shortest: seconds; what is shorter is a click, and left out.
        margin: seconds of silence that stay around each piece, at most half of what is between two.

    Returns:
        The first frame of each piece, and the frame behind its last; and the threshold.
    """
    import numpy as np

    facts = recording.facts
    step = max(1, round(_STEP * facts.rate))
    peaks: list[np.ndarray] = []
    rest = np.zeros(0, np.float32)
    for block in recording.blocks():
        level = np.concatenate([rest, np.abs(block).max(axis=1)])
        whole = len(level) // step * step
        peaks.append(level[:whole].reshape(-1, step).max(axis=1))
        rest = level[whole:]
        on_progress(len(block) / facts.rate)
    if len(rest):
        peaks.append(rest.max(keepdims=True))
    level = np.concatenate([np.zeros(0, np.float32), *peaks])

    def cut(at: float) -> list[tuple[int, int]]:
        return _cut(level > 10 ** (at / 20), step, facts, gap, shortest, margin)

    if threshold is not None:
        return cut(threshold), threshold
    threshold = _above_floor(level)
    found = cut(threshold)
    if len(found) < 2 and threshold > _USUAL:  # a sound that dies away has no floor: its end is not to be cut off
        return cut(_USUAL), _USUAL
    return found, threshold


def _cut(
    loud: NDArray[np.bool_], step: int, facts: Facts, gap: float, shortest: float, margin: float
) -> list[tuple[int, int]]:
    """The pieces; ``loud``: of each step, whether it is no silence."""
    import numpy as np

    edges = np.flatnonzero(np.diff(loud, prepend=False, append=False)).reshape(-1, 2)
    joined: list[list[int]] = []
    for start, end in edges.tolist():
        if joined and (start - joined[-1][1]) * step < gap * facts.rate:
            joined[-1][1] = end
        else:
            joined.append([start, end])
    kept = [(start * step, end * step) for start, end in joined if (end - start) * step >= shortest * facts.rate]
    keep = round(margin * facts.rate)
    found = []
    for number, (start, end) in enumerate(kept):
        before = kept[number - 1][1] if number else -keep * 2
        behind = kept[number + 1][0] if number + 1 < len(kept) else facts.frames + 2 * keep
        first = max(0, start - min(keep, (start - before) // 2))
        last = min(facts.frames, end + min(keep, (behind - end) // 2))
        found.append((first, last))
    return found


def _above_floor(level: NDArray[np.float32]) -> float:
    """The threshold for a recording, in dBFS: above what its quietest tenth never passes, and far below its loudest.

    Args:
        level: the peak of each step.
    """
    import numpy as np

    count = max(1, len(level) // _STEPS)
    held = np.array([part.max(initial=0) for part in np.array_split(level, count)])
    floor = 20 * math.log10(max(1e-6, float(np.percentile(held, _QUIETEST))))
    loudest = 20 * math.log10(max(1e-6, float(level.max(initial=0))))
    return round(max(_DIGITAL, min(floor + _ABOVE, loudest - _BELOW)), 1)
