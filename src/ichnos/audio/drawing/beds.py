"""How far a clip stands out of a bed, as a picture."""

from __future__ import annotations

from pathlib import Path
from typing import IO, Any

from ichnos.audio.drawing import style
from ichnos.audio.drawing.style import FAULT, GRAPHITE, GREEN, INK, SMALL
from ichnos.audio.measure.audibility import Audibility

_MOST = 30.0  # dB above or below what the bed covers that the colours tell
# From far below what the bed covers (pencil) over just heard (green) to far above it (ink): each is seen on paper.
_HEARD = ("#8f8d86", "#7a8d86", "#4f8a80", "#2a6562", "#14212c")


def draw_audibility(
    heard: Audibility, name: str, bed: str, wish: float, cure: tuple[str, Audibility] | None, to: Path | IO[bytes]
) -> None:
    """Draw how far a clip stands out of a bed, over time and by band, as a PNG of 1280 x 800.

    Args:
        wish: by how many dB it should. cure: what would lift it, in words, and how it then stands out.
    """
    import numpy as np

    with style.paper() as figure:
        proposed = f"; with {cure[0]} it {cure[1]}" if cure else ""
        style.head(figure, f"{name} over {bed}", f"It {heard}; wished: {wish:g} dB{proposed}")
        grid = figure.add_gridspec(2, 2, height_ratios=[1.25, 1], width_ratios=[1.5, 1])
        _by_band_and_time(figure, figure.add_subplot(grid[0, 0]), heard)
        _by_band(figure.add_subplot(grid[0, 1]), heard, cure)
        over_time = figure.add_subplot(grid[1, :])
        style.name(over_time, "over time: dB by which its best band is above what the bed covers")
        curves = [(heard, INK, "as it is"), *([(cure[1], GREEN, "as proposed")] if cure else [])]
        for one, colour, label in curves:
            time = (np.arange(len(one.curve)) + 0.5) * one.hop
            curve = np.where(one.active, np.clip(one.curve, -_MOST, _MOST + 10), np.nan)
            over_time.plot(time, curve, color=colour, linewidth=1.6, label=label)
        time = (np.arange(len(heard.curve)) + 0.5) * heard.hop
        under = heard.active & (heard.curve < 0)
        curve = np.clip(heard.curve, -_MOST, 0)
        over_time.fill_between(
            time, curve, 0, where=under, facecolor="none", edgecolor=FAULT, hatch="////", linewidth=0, label="not heard"
        )
        over_time.axhline(0, color=GRAPHITE, linewidth=1.2)
        over_time.axhline(wish, color=GRAPHITE, linewidth=1, linestyle="--", label=f"wished, {wish:g} dB")
        over_time.set_xlim(0, len(heard.curve) * heard.hop)
        over_time.set_ylim(-_MOST, _MOST + 10)
        over_time.set_yticks([-30, -20, -10, 0, 10, 20, 30, 40])
        over_time.set_xlabel("seconds")
        over_time.legend(ncols=4, loc="lower right", bbox_to_anchor=(1, 1))
        style.save(figure, to)


def _by_band_and_time(figure: Any, axes: Any, heard: Audibility) -> None:
    """Every moment and band in which the clip sounds: above what the bed covers, or below it by how much."""
    import numpy as np
    from matplotlib.colors import LinearSegmentedColormap

    style.name(axes, "by band and time: dB above what the bed covers")
    shown = np.clip(np.where(heard.active[:, None], heard.excess, np.nan), -_MOST, _MOST).T
    edges = np.concatenate([heard.hz * 10**-0.05, heard.hz[-1:] * 10**0.05])
    time = np.arange(len(heard.excess) + 1) * heard.hop
    colours = LinearSegmentedColormap.from_list("heard", _HEARD)
    mesh = axes.pcolormesh(time, edges, shown, cmap=colours, vmin=-_MOST, vmax=_MOST)
    style.bands(axes, along="y")
    axes.set_xlabel("seconds")
    axes.grid(visible=False)
    if (heard.excess[heard.active] > 0).any() and len(heard.excess) > 1:
        middles = (np.arange(len(heard.excess)) + 0.5) * heard.hop
        axes.contour(middles, heard.hz, np.nan_to_num(shown, nan=-_MOST), levels=[0], colors=[INK], linewidths=1)
    bar = figure.colorbar(mesh, ax=axes, pad=0.01, ticks=[-30, -20, -10, 0, 10, 20, 30])
    bar.outline.set_visible(False)
    bar.ax.set_title("dB", fontsize=SMALL)


def _by_band(axes: Any, heard: Audibility, cure: tuple[str, Audibility] | None) -> None:
    """Both levels, and where the clip falls short."""

    style.name(axes, "by band: median level while it sounds, dB")
    axes.plot(heard.hz, heard.covered_db, color=GRAPHITE, linewidth=1.5, label="covered by the bed")
    axes.plot(heard.hz, heard.clip_db, color=INK, linewidth=1.8, label="clip")
    if cure is not None:
        axes.plot(heard.hz, cure[1].clip_db, color=GREEN, linewidth=1.5, linestyle="--", label=cure[0])
    axes.fill_between(
        heard.hz, heard.clip_db, heard.covered_db, where=heard.clip_db < heard.covered_db, facecolor="none",
        edgecolor=GRAPHITE, hatch="....", linewidth=0, label="shortfall",
    )  # fmt: skip
    style.bands(axes)
    axes.set_ylim(style.DEEPEST, 0)
    axes.legend(loc="upper center", bbox_to_anchor=(0.5, -0.14), ncols=2)
