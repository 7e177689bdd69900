"""The seam of a loop as a picture: its end laid over its beginning."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import IO, Any

from ichnos.audio.drawing import style
from ichnos.audio.drawing.style import FAULT, GRAPHITE, GREEN, INK
from ichnos.audio.files.loops import Loop
from ichnos.audio.measure.seams import LoopSeams

_WIDE, _NEAR = 50.0, 2.5  # ms to either side of the joint


def draw_seams(seams: Sequence[tuple[str, LoopSeams, Loop]], name: str, to: Path | IO[bytes]) -> None:
    """Draw the joint of one loop or several, a row each, as a PNG of 1280 x 800.

    What is heard is in ink: up to the joint the loop's end, behind it its beginning. In pencil, what the clip has
    behind its end and before its beginning, which is not heard: where ink and pencil are one, nobody hears the joint.
    """
    with style.paper() as figure:
        style.head(figure, name, "the end of the loop laid over its beginning; the joint is the green line")
        grid = figure.subplots(len(seams), 2, squeeze=False, width_ratios=[2, 1])
        for row, (label, found, loop) in zip(grid, seams, strict=True):
            seam = found.seam(loop)
            verdict = "would be heard" if seam.is_audible else "is not heard"
            style.name(
                row[0],
                f"{label}, sample {loop[0]:,} to {loop[1]:,}: its seam {verdict}",
                FAULT if seam.is_audible else INK,
            )
            style.name(row[1], f"the same, {_NEAR:g} ms around the joint")
            before, behind, through_end, through_start = found.around(loop, _WIDE / 1000)
            for axes, reach in zip(row, (_WIDE, _NEAR), strict=True):
                _joint(axes, found.facts.rate, (before, behind), (through_end, through_start), reach)
        for axes in grid[-1]:
            axes.set_xlabel("milliseconds from the joint")
        grid[0][0].legend(ncols=2, loc="upper left", bbox_to_anchor=(0, 1))
        style.save(figure, to)


def _joint(axes: Any, rate: int, heard: tuple[Any, Any], unheard: tuple[Any, Any], reach: float) -> None:
    """What is heard and what is not, near the joint. ``reach`` in ms."""
    import numpy as np

    (before, behind), (through_end, through_start) = heard, unheard
    left = (np.arange(len(before)) - len(before)) * 1000 / rate
    right = np.arange(len(behind)) * 1000 / rate
    axes.plot(np.arange(len(through_end)) * 1000 / rate, through_end, color=GRAPHITE, linewidth=1, linestyle="--")
    times = (np.arange(len(through_start)) - len(through_start)) * 1000 / rate
    axes.plot(times, through_start, color=GRAPHITE, linewidth=1, linestyle="--", label="not heard")
    axes.plot(np.concatenate([left, right]), np.concatenate([before, behind]), color=INK, linewidth=1.4, label="heard")
    axes.axvline(0, color=GREEN, linewidth=1.4)
    axes.set_xlim(-reach, reach)
    near = max(2, round(reach * rate / 1000))
    parts = (before[-near:], behind[:near], through_end[:near], through_start[-near:])
    most = max((float(np.abs(part).max(initial=0)) for part in parts), default=0.0)
    axes.set_ylim(-max(1e-4, 1.15 * most), max(1e-4, 1.15 * most))
