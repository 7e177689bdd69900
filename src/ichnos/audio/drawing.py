"""Pictures of clips: the waveform with what matters marked, the spectrum, the level over time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from ichnos.audio.measure.analysis import SILENCE_DBFS, ClipAnalysis
from ichnos.files.paths import plain

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.measure.audibility import Audibility

PAPER, INK, FAINT = "#fbfaf6", "#2b3440", "#9aa4ae"
SOUND, OTHER, ALARM, _LOOP = "#3c6e8f", "#b5762a", "#c0392b", "#5a8f4e"
_FLOOR = -60.0  # LUFS, the lowest that level curves show
_SIZE = (12.8, 8.0)  # inches, at 100 dots each


def new_figure() -> Any:
    from matplotlib.figure import Figure  # no pyplot: no display, and nothing kept between pictures

    return Figure(figsize=_SIZE, dpi=100, facecolor=PAPER, layout="constrained")


def save(figure: Any, to: Path | IO[bytes]) -> None:
    import warnings

    with warnings.catch_warnings():  # of letters that the type face lacks: a box stands for them
        warnings.simplefilter("ignore", UserWarning)
        figure.savefig(to, format="png", facecolor=PAPER, metadata={"Software": None})


def head(figure: Any, text: str) -> None:
    """What a picture is of. A file's name is no formula, whatever stands in it."""
    figure.suptitle(plain(text), x=0.01, ha="left", fontsize=11, color=INK, parse_math=False)


def plain_axes(axes: Any, title: str) -> None:
    axes.set_facecolor(PAPER)
    axes.set_title(plain(title), loc="left", fontsize=10, color=INK, parse_math=False)
    axes.tick_params(colors=INK, labelsize=8)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(FAINT)
    axes.grid(visible=True, color="#e6e3da", linewidth=0.6)
    axes.set_axisbelow(True)


def _waves(lanes: Sequence[Any], analysis: ClipAnalysis, colour: str, span: float) -> None:
    """The waveform, a lane for each channel. ``span``: the seconds that the lanes show."""
    import numpy as np

    seconds = analysis.facts.seconds
    columns = len(analysis.waveform.low)
    time = (np.arange(columns) + 0.5) * seconds / max(1, columns)
    for channel, axes in enumerate(lanes):
        low, high = analysis.waveform.low[:, channel], analysis.waveform.high[:, channel]
        axes.fill_between(time, low, high, color=colour, linewidth=0.3, step="mid")
        over = np.maximum(np.abs(low), np.abs(high)) >= 0.999
        if over.any():
            for end in (-1, 1):  # at the edges alone: the waveform is to be seen
                axes.vlines(time[over], end, 1.09 * end, color=ALARM, linewidth=1.2)
        for start, width in ((0.0, analysis.silent_start), (seconds - analysis.silent_end, analysis.silent_end)):
            if width > 0.005 * span and not analysis.silent:
                axes.axvspan(start, start + width, color="#e9e2cf", linewidth=0)
        for first, last in analysis.loops:
            rate = analysis.facts.rate
            axes.axvspan(first / rate, (last + 1) / rate, ymax=0.03, color=_LOOP, linewidth=0)
            for edge in (first / rate, (last + 1) / rate):
                axes.axvline(edge, color=_LOOP, linewidth=1.2)
        for level in (-1, 1):
            axes.axhline(level, color=ALARM, linewidth=0.6, linestyle=(0, (4, 3)))
        axes.set_ylim(-1.12, 1.12)
        axes.set_xlim(0, span)
        axes.set_yticks([-1, -0.5, 0, 0.5, 1])


def _channel(analysis: ClipAnalysis, number: int) -> str:
    if analysis.facts.channels == 1:
        return ""
    return ("left", "right")[number] if analysis.facts.channels == 2 else f"channel {number + 1}"


def _said(analysis: ClipAnalysis) -> str:
    peak = (
        "silent"
        if math.isinf(analysis.peak)
        else f"peak {analysis.peak:.1f} dBFS, true peak {analysis.true_peak:.1f} dBTP"
    )
    level = "" if math.isinf(analysis.loudness.level) else f", {analysis.loudness.level:.1f} LUFS"
    marks = [f"clipped in {analysis.clipped_runs} places (red)"] if analysis.clipped_runs else []
    if max(analysis.silent_start, analysis.silent_end) > 0.01 and not analysis.silent:
        marks.append(f"silence below {SILENCE_DBFS:g} dBFS shaded")
    if analysis.loops:
        marks.append("loop marked (green)")
    return "; ".join([peak + level, *marks])


def _levels(axes: Any, analysis: ClipAnalysis, colour: str, label: str) -> None:
    """The momentary loudness, each value at the end of its 0.4 s, as a meter shows it that hears the clip begin."""
    import numpy as np

    curve = np.maximum(analysis.loudness.curve, _FLOOR)
    axes.plot((np.arange(len(curve)) + 1) / 10, curve, color=colour, linewidth=1.4, label=label)


def _spectrum(axes: Any, hz: NDArray[np.float64], db: NDArray[np.float64], colour: str, label: str) -> None:
    import numpy as np

    axes.plot(hz, np.maximum(db, -120), color=colour, linewidth=1.6, label=label)
    axes.set_xscale("log")
    ticks = [50, 100, 200, 500, 1000, 2000, 5000, 10000]
    axes.set_xticks(ticks, ["50", "100", "200", "500", "1k", "2k", "5k", "10k"])
    axes.minorticks_off()
    axes.set_xlim(22, 22000)


def _level_axes(axes: Any, span: float) -> None:
    plain_axes(axes, "level over time: momentary loudness, LUFS")
    axes.set_xlim(0, max(span, 0.5))
    axes.set_xlabel("seconds", fontsize=8, color=INK)
    low, high = axes.get_ylim()
    axes.set_ylim(max(_FLOOR, math.floor(low / 6) * 6 - 6), min(6, math.ceil(high / 6) * 6 + 6))


def _spectrum_axes(axes: Any) -> None:
    plain_axes(axes, "spectrum: third-octave bands, dB")
    axes.set_xlabel("Hz", fontsize=8, color=INK)
    top = max(float(line.get_ydata().max()) for line in axes.get_lines())
    axes.set_ylim(max(-120, top - 70), top + 6)


def draw_look(analysis: ClipAnalysis, name: str, to: Path | IO[bytes]) -> None:
    """Draw a clip as a PNG of 1280 x 800: waveform, level over time, spectrum."""
    figure = new_figure()
    channels = min(analysis.facts.channels, 6)
    grid = figure.add_gridspec(channels + 1, 2, height_ratios=[1.2 / channels] * channels + [1.0])
    lanes = [figure.add_subplot(grid[number, :]) for number in range(channels)]
    for number, axes in enumerate(lanes):
        plain_axes(axes, _channel(analysis, number))
    head(figure, f"{name}: {analysis.facts}\n{_said(analysis)}")
    _waves(lanes, analysis, SOUND, analysis.facts.seconds)
    level, spectrum = figure.add_subplot(grid[channels, 0]), figure.add_subplot(grid[channels, 1])
    _levels(level, analysis, SOUND, "")
    if not math.isinf(analysis.loudness.level):
        level.axhline(analysis.loudness.level, color=FAINT, linewidth=0.9, linestyle=(0, (4, 3)))
    _level_axes(level, analysis.facts.seconds)
    _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.db, SOUND, "as it is")
    if analysis.sides is not None and not analysis.sides.twins:
        _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.mono_db, OTHER, "mixed to mono")
        spectrum.legend(fontsize=8, frameon=False, labelcolor=INK)
    _spectrum_axes(spectrum)
    save(figure, to)


def draw_before_after(before: ClipAnalysis, after: ClipAnalysis, name: str, done: str, to: Path | IO[bytes]) -> None:
    """Draw a clip before and after its treatment as a PNG of 1280 x 800."""
    figure = new_figure()
    grid = figure.add_gridspec(3, 2, height_ratios=[1, 1, 1.3])
    span = max(before.facts.seconds, after.facts.seconds)
    head(figure, f"{name}: {done}")
    level, spectrum = figure.add_subplot(grid[2, 0]), figure.add_subplot(grid[2, 1])
    for row, (analysis, label, colour) in enumerate(((before, "before", OTHER), (after, "after", SOUND))):
        axes = figure.add_subplot(grid[row, :])
        plain_axes(axes, f"{label}: {analysis.facts}; {_said(analysis)}")
        _waves([axes], _loudest_lane(analysis), colour, span)
        _levels(level, analysis, colour, label)
        _spectrum(spectrum, analysis.spectrum.hz, analysis.spectrum.db, colour, label)
    _level_axes(level, span)
    _spectrum_axes(spectrum)
    for axes in (level, spectrum):
        axes.legend(fontsize=8, frameon=False, labelcolor=INK)
    save(figure, to)


def _loudest_lane(analysis: ClipAnalysis) -> ClipAnalysis:
    """With all channels drawn into one lane."""
    from dataclasses import replace

    waveform = analysis.waveform
    one = replace(waveform, low=waveform.low.min(axis=1, keepdims=True), high=waveform.high.max(axis=1, keepdims=True))
    return replace(analysis, waveform=one)


def draw_split(analysis: ClipAnalysis, pieces: Sequence[tuple[float, float]], name: str, to: Path | IO[bytes]) -> None:
    """Draw where a recording would be cut, as a PNG of 1280 x 800. ``pieces``: start and end, in seconds."""
    figure = new_figure()
    axes = figure.add_subplot()
    plain_axes(axes, f"{name}: {len(pieces)} pieces")
    _waves([axes], _loudest_lane(analysis), FAINT, analysis.facts.seconds)
    for number, (start, end) in enumerate(pieces, 1):
        axes.axvspan(start, end, color=SOUND, alpha=0.22, linewidth=0)
        axes.text((start + end) / 2, 1.02, str(number), ha="center", fontsize=9, color=INK)
    axes.set_xlabel("seconds", fontsize=8, color=INK)
    save(figure, to)


def draw_audibility(heard: Audibility, name: str, bed: str, to: Path | IO[bytes]) -> None:
    """Draw how far a clip stands out of a bed, over time and by band, as a PNG of 1280 x 800."""
    import numpy as np

    figure = new_figure()
    grid = figure.add_gridspec(2, 2, height_ratios=[1.3, 1], width_ratios=[1.5, 1])
    head(figure, f"{name} over {bed}: {heard}")
    span = len(heard.excess) * heard.hop
    surface = figure.add_subplot(grid[0, :])
    plain_axes(surface, "by band and time: dB above what the bed covers (blank where the clip is not heard)")
    shown = np.where(heard.excess > 0, heard.excess, np.nan).T
    edges = np.concatenate([heard.hz * 10**-0.05, heard.hz[-1:] * 10**0.05])
    mesh = surface.pcolormesh(
        np.arange(len(heard.excess) + 1) * heard.hop, edges, shown, cmap="YlGnBu", vmin=0, vmax=30
    )
    surface.set_yscale("log")
    surface.set_yticks(
        [50, 100, 200, 500, 1000, 2000, 5000, 10000], ["50", "100", "200", "500", "1k", "2k", "5k", "10k"]
    )
    surface.minorticks_off()
    surface.set_ylabel("Hz", fontsize=8, color=INK)
    bar = figure.colorbar(mesh, ax=surface, pad=0.01)
    bar.ax.tick_params(colors=INK, labelsize=8)
    bar.outline.set_visible(False)
    over_time = figure.add_subplot(grid[1, 0])
    plain_axes(over_time, "over time: dB by which its best band stands out")
    time = (np.arange(len(heard.excess)) + 0.5) * heard.hop
    over_time.plot(time, np.where(heard.active, np.clip(heard.curve, -30, 40), np.nan), color=SOUND, linewidth=1.4)
    over_time.axhline(0, color=ALARM, linewidth=0.8)
    over_time.text(0.005 * span, 1, "heard above this line", fontsize=8, color=ALARM)
    over_time.set_xlim(0, span)
    over_time.set_ylim(-30, 40)
    over_time.set_xlabel("seconds", fontsize=8, color=INK)
    by_band = figure.add_subplot(grid[1, 1])
    for levels, colour, label in ((heard.clip_db, SOUND, "clip"), (heard.covered_db, OTHER, "covered by the bed")):
        _spectrum(by_band, heard.hz, levels, colour, label)
    _spectrum_axes(by_band)
    by_band.set_title("by band: median level while the clip sounds, dB", loc="left", fontsize=10, color=INK)
    by_band.legend(fontsize=8, frameon=False, labelcolor=INK)
    save(figure, to)
