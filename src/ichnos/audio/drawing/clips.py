"""Pictures of clips: as they are, before and after, and where they would be cut."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.drawing import style
from ichnos.audio.drawing.style import FAULT, GRAPHITE, GREEN, INK, SMALL, WASH
from ichnos.audio.measure.analysis import SILENCE_DBFS, ClipAnalysis

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

_MOST_CHANNELS = 6


def draw_look(analysis: ClipAnalysis, name: str, to: Path | IO[bytes]) -> None:
    """Draw a clip as a PNG of 1280 x 800: waveform, level over time, spectrum."""
    with style.paper() as figure:
        facts = analysis.facts
        channels = min(facts.channels, _MOST_CHANNELS)
        grid = figure.add_gridspec(channels + 1, 2, height_ratios=[1.2 / channels] * channels + [1.0])
        style.head(figure, name, "; ".join([str(facts), *_said(analysis)]))
        for number in range(channels):
            axes = figure.add_subplot(grid[number, :])
            style.name(axes, _channel(analysis, number))
            _wave(axes, analysis, [number], facts.seconds)
        level, spectrum = figure.add_subplot(grid[channels, 0]), figure.add_subplot(grid[channels, 1])
        _level(level, analysis, INK, "RMS")
        _loudness(level, analysis)
        _level_axes(level, facts.seconds)
        _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.db, INK, "as it is")
        if analysis.sides is not None and not analysis.sides.twins:
            _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.mono_db, GRAPHITE, "mixed to mono")
            spectrum.legend()
        _spectrum_axes(spectrum)
        style.save(figure, to)


def draw_before_after(before: ClipAnalysis, after: ClipAnalysis, name: str, done: str, to: Path | IO[bytes]) -> None:
    """Draw a clip before and after its treatment as a PNG of 1280 x 800."""
    with style.paper() as figure:
        grid = figure.add_gridspec(3, 2, height_ratios=[1, 1, 1.3])
        span = max(before.facts.seconds, after.facts.seconds)
        style.head(figure, name, done)
        level, spectrum = figure.add_subplot(grid[2, 0]), figure.add_subplot(grid[2, 1])
        for row, (analysis, label, colour) in enumerate(((before, "before", GRAPHITE), (after, "after", INK))):
            axes = figure.add_subplot(grid[row, :])
            style.name(axes, "; ".join([f"{label}: {analysis.facts}", *_said(analysis)]))
            _wave(axes, analysis, range(analysis.facts.channels), span, held_against=row == 0)
            _level(level, analysis, colour, label)
            _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.db, colour, label)
        _level_axes(level, span)
        level.set_title("level over time: RMS, dBFS")
        _spectrum_axes(spectrum)
        for axes in (level, spectrum):
            axes.legend()
        style.save(figure, to)


def draw_split(
    analysis: ClipAnalysis,
    pieces: Sequence[tuple[float, float]],
    threshold: float,
    name: str,
    to: Path | IO[bytes],
) -> None:
    """Draw where a recording would be cut, as a PNG of 1280 x 800.

    Args:
        pieces: start and end, in seconds. threshold: dBFS; what stays below it is silence.
    """
    with style.paper() as figure:
        seconds = analysis.facts.seconds
        many = f"{len(pieces)} piece{'' if len(pieces) == 1 else 's'}"
        style.head(figure, name, f"{many}; silence is what stays below {threshold:g} dBFS (green line)")
        above, axes = figure.subplots(2, 1, sharex=True, height_ratios=[1, 1])
        style.name(above, "waveform, cut at the green lines")
        _wave(above, analysis, range(analysis.facts.channels), seconds)
        style.name(axes, "level over time: peaks, dBFS")
        time, peaks = _peaks(analysis)
        axes.fill_between(time, style.FLOOR, peaks, color=style.SHADE, linewidth=0)
        axes.axhline(threshold, color=GREEN, linewidth=1.4)
        style.levels(axes, "dBFS")
        axes.set_xlabel("seconds")
        axes.set_xlim(0, seconds)
        for number, (start, end) in enumerate(pieces, 1):
            for part in (above, axes):
                part.axvspan(start, end, color=WASH, linewidth=0, zorder=0)
                for edge in (start, end):
                    part.axvline(edge, color=GREEN, linewidth=1.2)
            room = (end - start) / seconds
            text = f"{number}\n{end - start:.2f} s" if room > 0.03 else str(number)
            if room > 0.008:
                above.text((start + end) / 2, 1.05, text, ha="center", va="top", fontsize=SMALL, color=INK)
        style.save(figure, to)


def _wave(
    axes: Any, analysis: ClipAnalysis, channels: Sequence[int], span: float, *, held_against: bool = False
) -> None:
    """The waveform with what matters marked. ``span``: the seconds that are shown."""
    import numpy as np

    seconds = analysis.facts.seconds
    style.wave(axes, analysis.waveform, seconds, channels, held_against=held_against)
    chosen = list(channels)
    low, high = analysis.waveform.low[:, chosen].min(axis=1), analysis.waveform.high[:, chosen].max(axis=1)
    over = np.maximum(np.abs(low), np.abs(high)) >= 0.999
    if over.any():
        time = (np.arange(len(low)) + 0.5) * seconds / len(low)
        for end in (-1, 1):  # at the edges alone: the waveform is to be seen
            axes.vlines(time[over], end, 1.09 * end, color=FAULT, linewidth=1.2)
    for start, width in ((0.0, analysis.silent_start), (seconds - analysis.silent_end, analysis.silent_end)):
        if width > 0.005 * span and not analysis.silent:
            axes.axvspan(start, start + width, facecolor=style.RULE, linewidth=0, zorder=0)
    for first, last in analysis.loops:
        rate = analysis.facts.rate
        axes.axvspan(first / rate, (last + 1) / rate, ymax=0.025, color=GREEN, linewidth=0)
        for edge in (first / rate, (last + 1) / rate):
            axes.axvline(edge, color=GREEN, linewidth=1.2)
    axes.set_xlim(0, span)


def _channel(analysis: ClipAnalysis, number: int) -> str:
    if analysis.facts.channels == 1:
        return ""
    return ("left", "right")[number] if analysis.facts.channels == 2 else f"channel {number + 1}"


def _said(analysis: ClipAnalysis) -> list[str]:
    if math.isinf(analysis.peak):
        return ["silent"]
    lines = [f"peak {analysis.peak:z.1f} dBFS, true peak {analysis.true_peak:z.1f} dBTP"]
    if not math.isinf(analysis.loudness.level):
        lines[0] += f", {analysis.loudness.level:z.1f} LUFS"
    if analysis.clipped_runs:
        places = f"{analysis.clipped_runs} place{'' if analysis.clipped_runs == 1 else 's'}"
        lines.append(f"clipped in {places} (red)")
    if max(analysis.silent_start, analysis.silent_end) > 0.01 and not analysis.silent:
        lines.append(f"silence below {SILENCE_DBFS:g} dBFS shaded")
    if analysis.loops:
        lines.append("loop marked (green)")
    return lines


def _level(axes: Any, analysis: ClipAnalysis, colour: str, label: str) -> None:
    """The level from the first moment on, however short the clip is."""
    time, level = style.level_over_time(analysis.waveform, analysis.facts.seconds)
    axes.plot(time, level, color=colour, linewidth=1.3, label=label)


def _loudness(axes: Any, analysis: ClipAnalysis) -> None:
    """The momentary loudness, each value at the end of its 0.4 s, and the loudness of it all."""
    import numpy as np

    curve = np.maximum(analysis.loudness.curve, style.FLOOR)
    time = (np.arange(len(curve)) + 1) / 10
    inside = time <= max(analysis.facts.seconds, 0.4) + 0.05
    axes.plot(time[inside], curve[inside], color=GRAPHITE, linewidth=1.3, linestyle="--", label="momentary, LUFS")
    if not math.isinf(analysis.loudness.level):
        label = f"in all, {analysis.loudness.level:z.1f} LUFS"
        axes.axhline(analysis.loudness.level, color=GRAPHITE, linewidth=0.9, linestyle=":", label=label)
    axes.legend(ncols=3, loc="lower right", bbox_to_anchor=(1, 1))


def _level_axes(axes: Any, span: float) -> None:
    style.name(axes, "level over time")
    axes.set_xlim(0, max(span, 0.001))
    axes.set_xlabel("seconds")
    style.levels(axes, "dBFS")


def _peaks(analysis: ClipAnalysis) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The peak of each column, in dBFS."""
    import numpy as np

    wave = analysis.waveform
    peak = np.maximum(np.abs(wave.low), np.abs(wave.high)).max(axis=1).astype(np.float64)
    time = (np.arange(len(peak)) + 0.5) * analysis.facts.seconds / max(1, len(peak))
    return time, np.maximum(20 * np.log10(np.maximum(peak, 1e-6)), style.FLOOR)


def _spectrum(axes: Any, hz: NDArray[np.float64], db: NDArray[np.float64], colour: str, label: str) -> None:
    import numpy as np

    axes.plot(hz, np.maximum(db, 2 * style.DEEPEST), color=colour, linewidth=1.5, label=label)


def _spectrum_axes(axes: Any) -> None:
    style.name(axes, "spectrum: third-octave bands, dB")
    style.bands(axes)
    axes.set_ylim(style.DEEPEST, 0)
