"""The one style of all pictures: a field notebook's page. The listening page has the same colours.

Each colour means one thing. Ink: the sound as it is, or as it becomes. Pencil: what it is held against (before, old,
the bed). Green: where something begins, ends or is proposed. Red: a fault, and nothing else. Marks have a contrast of
3:1 to the paper at least, texts 4.5:1 (WCAG 2.2, 1.4.3 and 1.4.11); a test measures it.

Scales compare from picture to picture: levels go from -60 to 0 dB, bands from 25 Hz to 20 kHz and from -96 to 0 dB,
samples from -1 to 1. The type face is DejaVu Serif: a book's, that matplotlib brings along to every machine.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from ichnos.files.paths import plain

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.measure.analysis import Waveform

PAPER, LEAF, RULE = "#f8f3e7", "#fdfaf2", "#ddd3bd"
INK, SOFT, SHADE = "#1e2b37", "#4d5a64", "#7c8791"  # SHADE: peaks around the RMS in ink
PENCIL, GRAPHITE = "#8d8b84", "#6a6862"  # the same for what the sound is held against; GRAPHITE is for lines and texts
GREEN, WASH, FAULT = "#0a6a5c", "#d9ebe4", "#a3241b"
FLOOR = -60.0  # dB: the lowest level that any picture shows
DEEPEST = -96.0  # dB: the same for the bands of a spectrum
SMALL, TEXT, LARGE = 8, 10, 15  # points
_SWING = 0.025  # seconds: the longest swing that is heard as a tone, and a little more
_SWINGS_SEEN = 0.06  # seconds: in a shorter clip one sees each swing
_SIZE = (12.8, 8.0)  # inches, at 100 dots each
_MANNERS: Any = {
    "font.family": "DejaVu Serif",
    "axes.facecolor": LEAF,
    "axes.edgecolor": SOFT,
    "axes.linewidth": 0.8,
    "axes.labelcolor": SOFT,
    "axes.labelsize": SMALL,
    "axes.titlecolor": INK,
    "axes.titlesize": TEXT,
    "axes.titlelocation": "left",
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.spines.left": False,
    "axes.grid": True,
    "axes.grid.axis": "y",
    "axes.axisbelow": True,
    "axes.unicode_minus": True,
    "grid.color": RULE,
    "grid.linewidth": 0.7,
    "xtick.direction": "in",
    "xtick.color": SOFT,
    "xtick.labelsize": SMALL,
    "ytick.left": False,
    "ytick.color": SOFT,
    "ytick.labelsize": SMALL,
    "text.color": INK,
    "text.parse_math": False,  # a file's name is no formula, whatever stands in it
    "legend.frameon": False,
    "legend.fontsize": SMALL,
    "legend.labelcolor": INK,
    "legend.handlelength": 1.4,
    "legend.borderaxespad": 0.2,
    "hatch.linewidth": 0.6,
    "figure.constrained_layout.w_pad": 0.1,
    "figure.constrained_layout.h_pad": 0.06,
    "pdf.fonttype": 42,
}


@contextmanager
def paper(size: tuple[float, float] = _SIZE) -> Iterator[Any]:
    """A figure in the style, of 1280 x 800 unless said otherwise; what is made of it in the block has its manners."""
    import warnings

    from matplotlib import rc_context
    from matplotlib.figure import Figure  # no pyplot: no display, and nothing kept between pictures

    with rc_context(_MANNERS), warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # of letters that the type face lacks: a box stands for them
        yield Figure(figsize=size, dpi=100, facecolor=PAPER, layout="constrained")


def save(figure: Any, to: Path | IO[bytes]) -> None:
    """Write a figure as a PNG; the same picture has the same bytes on any day."""
    figure.savefig(to, format="png", facecolor=PAPER, metadata={"Software": None})


def head(figure: Any, what: str, about: str = "") -> None:
    """What a picture is of, and what is to be said of it in a line."""
    figure.suptitle(plain(what), x=0.012, ha="left", fontsize=LARGE, style="italic", color=INK)
    if about:
        figure.text(0.012, 0.945, plain(about), fontsize=TEXT, color=SOFT, va="top")
        figure.get_layout_engine().set(rect=(0, 0, 1, 0.93))


def name(axes: Any, title: str, colour: str = INK) -> None:
    """What a part of a picture shows."""
    axes.set_title(plain(title), color=colour)


def levels(axes: Any, label: str = "") -> None:
    """The scale of all levels, in dB."""
    axes.set_ylim(FLOOR, 0)
    axes.set_yticks([-60, -48, -36, -24, -12, 0])
    if label:
        axes.set_ylabel(label)


def bands(axes: Any, *, along: str = "x") -> None:
    """The scale of all spectra, in Hz."""
    for part in along:
        getattr(axes, f"set_{part}scale")("log")
        ticks = [50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000]
        getattr(axes, f"set_{part}ticks")(ticks, ["50", "100", "200", "500", "1k", "2k", "5k", "10k", "20k"])
        getattr(axes, f"set_{part}lim")(25, 20000)
        getattr(axes, f"set_{part}label")("Hz")
    axes.minorticks_off()


def wave(axes: Any, waveform: Waveform, seconds: float, channels: Sequence[int], *, held_against: bool = False) -> None:
    """The samples over time: their peaks, and inside them their RMS.

    But in a very short clip no single swing is to be seen, and columns shorter than one would only make bars of a
    steady tone: each shows what is within 25 ms, or a fortieth of the clip.
    """
    import numpy as np
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    chosen = list(channels)
    low, high = waveform.low[:, chosen].min(axis=1), waveform.high[:, chosen].max(axis=1)
    columns = len(low)
    rms = np.sqrt(_around(np.square(waveform.rms[:, chosen]).max(axis=1), _swing(columns, seconds)))
    if seconds > _SWINGS_SEEN:
        low, high = (
            kind(part, _swing(columns, seconds))
            for kind, part in zip((minimum_filter1d, maximum_filter1d), (low, high), strict=True)
        )
    edges = np.arange(columns + 1) * seconds / max(1, columns)
    outer, inner = (PENCIL, GRAPHITE) if held_against else (SHADE, INK)
    band(axes, low, high, edges, outer)
    band(axes, np.maximum(-rms, low), np.minimum(rms, high), edges, inner)
    axes.set_ylim(-1.1, 1.1)
    axes.set_yticks([-1, -0.5, 0, 0.5, 1])


def band(axes: Any, low: NDArray[Any], high: NDArray[Any], edges: NDArray[Any], colour: str) -> None:
    """What lies between two lines of steps, filled; the limits of the axes stay what they are, which saves much."""
    from matplotlib.patches import StepPatch

    lower: Any = low  # which matplotlib's types take for a number
    axes.add_artist(StepPatch(high, edges, baseline=lower, fill=True, color=colour, linewidth=0))


def level_over_time(waveform: Waveform, seconds: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The RMS within 25 ms around each moment in dBFS, of all channels, from the first moment on."""
    import numpy as np

    power = np.square(waveform.rms, dtype=np.float64).mean(axis=1)
    power = _around(power, round(_SWING * len(power) / max(seconds, 1e-9)))
    time = (np.arange(len(power)) + 0.5) * seconds / max(1, len(power))
    return time, np.maximum(10 * np.log10(np.maximum(power, 1e-12)), FLOOR)


def _swing(columns: int, seconds: float) -> int:
    """How many columns are 25 ms, or a fortieth of a short clip: at least one, and an odd number."""
    return max(1, round(min(_SWING / max(seconds, 1e-9), 1 / 40) * columns)) // 2 * 2 + 1


def _around(power: NDArray[Any], width: int) -> NDArray[Any]:
    """The mean power of so many columns around each one; of half of them all, at most."""
    import numpy as np

    around = np.ones(max(1, min(width, len(power) // 2)))
    return np.asarray(np.convolve(power, around, "same") / np.convolve(np.ones(len(power)), around, "same"))
