"""Several takes in one recording: where one ends and the next begins."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import IO

from ichnos.audio.files import clips
from ichnos.errors import Place

_STEP = 0.005  # seconds: how finely silence is looked for


def pieces(
    stream: IO[bytes],
    path: Path,
    threshold: float,
    gap: float,
    shortest: float,
    margin: float,
    on_progress: Callable[[float], None] = lambda seconds: None,
) -> list[tuple[int, int]]:
    """Cut a recording at its silences.

    Args:
        stream: the recording, open for reading. path: for its extension, and what messages call it.
        threshold: dBFS; what never passes it is silence.
        gap: seconds of silence that part two pieces.
        shortest: seconds; what is shorter is a click, and left out.
        margin: seconds of silence that stay around each piece, at most half of what is between two.

    Returns:
        The first frame of each piece, and the frame behind its last.
    """
    import numpy as np

    facts = clips.facts(stream, path)
    step = max(1, round(_STEP * facts.rate))
    peaks: list[np.ndarray] = []
    rest = np.zeros(0, np.float32)
    for block in clips.blocks(stream, facts, Place(str(path))):
        level = np.concatenate([rest, np.abs(block).max(axis=1)])
        whole = len(level) // step * step
        peaks.append(level[:whole].reshape(-1, step).max(axis=1))
        rest = level[whole:]
        on_progress(len(block) / facts.rate)
    if len(rest):
        peaks.append(rest.max(keepdims=True))
    loud = np.concatenate([np.zeros(0, np.float32), *peaks]) > 10 ** (threshold / 20)
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
