"""Findings about a clip by itself, in plain words and with the cure; and all that was measured, in words."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from ichnos.audio.measure.analysis import ClipAnalysis
from ichnos.audio.measure.sides import OUT_OF_PHASE, Sides
from ichnos.errors import Severity

_THIN = 10.0  # dB that mono may take from a band that matters
_OFFSET = 0.005  # of full scale
_LONG_SILENCE = 0.5  # seconds, at either end
_QUIET = -40.0  # LUFS


@dataclass(frozen=True)
class ClipFinding:
    """One thing to know of a clip. ``severity``: with an error it would not be heard as meant."""

    id: str
    reason: str
    cure: str
    severity: Severity = "warning"

    @property
    def is_error(self) -> bool:
        return self.severity == "error"


def judge(analysis: ClipAnalysis) -> list[ClipFinding]:
    """Judge a clip by itself, whatever game it is for."""
    return list(_findings(analysis))


def _findings(analysis: ClipAnalysis) -> Iterator[ClipFinding]:
    facts, sides = analysis.facts, analysis.sides
    if facts.disguised:
        yield ClipFinding(
            "disguised",
            f"its name says {facts.claimed}, its bytes are {facts.container}",
            "convert it; another extension does not make another format",
        )
    if analysis.silent:
        yield ClipFinding(
            "silent", f"it never gets above {analysis.peak:z.0f} dBFS: it is silent", "take another clip", "error"
        )
        return
    if analysis.clipped_runs:
        yield ClipFinding(
            "clipped",
            f"clipped in {analysis.clipped_runs} {'place' if analysis.clipped_runs == 1 else 'places'}, the first at"
            f" {analysis.clipped_at[0]:.2f} s, the longest {analysis.clipped_longest} samples",
            "record or export it with less level, unless it is meant; gain afterwards does not mend it",
        )
    elif analysis.true_peak > 0:
        yield ClipFinding(
            "over",
            f"its true peak is {analysis.true_peak:+z.1f} dBTP: the curve between its samples passes full scale",
            "bring it down: ichnos treat --limit -1",
        )
    yield from _of_sides(analysis, sides)
    if abs(analysis.offset) > _OFFSET:
        yield ClipFinding(
            "offset",
            f"it stands off the middle by {100 * analysis.offset:+z.1f} % of full scale (DC)",
            "take it away: ichnos treat --centre",
        )
    else:
        yield from _of_edges(analysis)
    for where, seconds in (("start", analysis.silent_start), ("end", analysis.silent_end)):
        if seconds > _LONG_SILENCE:
            yield ClipFinding(
                f"silent-{where}", f"{seconds:.1f} s of silence at its {where}", "trim it: ichnos treat --trim"
            )
    if analysis.loudness.level < _QUIET:
        yield ClipFinding(
            "quiet", f"it is very quiet: {analysis.loudness.level:z.0f} LUFS", "raise it: ichnos treat --loudness -18"
        )


def _of_edges(analysis: ClipAnalysis) -> Iterator[ClipFinding]:
    """Where it does not begin or end at zero, and is no loop."""
    for where, step in zip(("start", "end"), analysis.abrupt, strict=True):
        if step and not analysis.loops:
            how = "begins" if where == "start" else "ends"
            yield ClipFinding(
                f"abrupt-{where}",
                f"it {how} {100 * step:z.1f} % of full scale away from zero: that clicks, unless it is a loop",
                "fade 2 ms of it: ichnos treat --soften 0.002",
            )


def _of_sides(analysis: ClipAnalysis, sides: Sides | None) -> Iterator[ClipFinding]:
    """What a mix to mono would do."""
    if sides is None:
        return
    if sides.mono_db < OUT_OF_PHASE:
        lost = "everything" if sides.mono_db < -60 else f"{-sides.mono_db:z.0f} dB"
        yield ClipFinding(
            "out-of-phase",
            f"its sides are out of phase: mixed to mono it loses {lost}",
            f"take one side: --mono {sides.louder} (auto does so)",
            "error",
        )
    elif not sides.twins and (thin := analysis.spectrum.thinned()) and thin[1] > _THIN:
        yield ClipFinding(
            "thinned",
            f"mixed to mono it loses {thin[1]:z.0f} dB around {thin[0]:.0f} Hz",
            f"compare with one side: --mono {sides.louder}",
        )


def _level(value: float, unit: str) -> str:
    return "silent" if math.isinf(value) else f"{value:.1f} {unit}"


def describe(analysis: ClipAnalysis) -> list[tuple[str, str]]:
    """Say in words all that was measured of a clip: pairs of what it is, and its value with the unit."""
    facts, loudness = analysis.facts, analysis.loudness
    name = "loudness" if loudness.integrated is not None else "loudness (one short block)"
    lines = [
        ("it is", facts.kind),
        ("its name says", facts.claimed or "nothing that is known"),
        ("sample rate", f"{facts.rate} Hz"),
        ("bits", str(facts.bits) if facts.bits else "none: it is not coded in whole numbers"),
        ("channels", {1: "1 (mono)", 2: "2 (stereo)"}.get(facts.channels, str(facts.channels))),
        ("length", f"{'about ' if facts.from_video else ''}{facts.seconds:.3f} s, {facts.frames} samples"),
        ("sample peak", _level(analysis.peak, "dBFS")),
        ("true peak", _level(analysis.true_peak, "dBTP")),
        (name, _level(loudness.level, "LUFS") + f"; momentary maximum {_level(loudness.momentary, 'LUFS')}"),
        (
            "clipped runs",
            f"{analysis.clipped_runs}, the longest {analysis.clipped_longest} samples"
            if analysis.clipped_runs
            else "none",
        ),
        ("DC offset", f"{100 * analysis.offset:+z.3f} % of full scale"),
        ("silence", f"{analysis.silent_start:.2f} s at the start, {analysis.silent_end:.2f} s at the end"),
    ]
    if analysis.sides is not None:
        sides = analysis.sides
        cost = "everything" if math.isinf(sides.mono_db) else f"{max(0.0, -sides.mono_db):z.1f} dB"
        lines.append(("stereo", "the same channel twice" if sides.twins else "two different sides"))
        lines.append(("mono would cost", f"{cost} (3 dB is usual where the sides have nothing in common)"))
    lines += [("mark", str(mark)) for mark in analysis.marks] or [("marks", "none")]
    lines += [(f"tag: {name}", text) for name, text in analysis.tags.items()]
    return lines
