"""Heard or not: how far a clip stands out of a bed, the game's own mix without it.

The model is spectral masking in third-octave bands, 20 times a second, and no more than that:

* The level of the clip in a band is compared with what the bed covers there: the bed's own level in
  the band or what spreads into it from its neighbours (27 dB less for each Bark downwards, 10 dB
  less upwards, after Zwicker and Fastl, *Psychoacoustics*, 3rd edition, chapter 4, rounded to one
  medium level), less 4 dB, since a sound is just heard a little below the noise in its band; and
  never less than the threshold in quiet (Terhardt 1979, full scale taken as 96 dB SPL).
* A bed that is longer than the clip is laid under it as a whole: each band of the bed counts with the
  level that it passes a tenth of the time, since nobody knows when the game will play the clip.

It ignores where the sounds come from, distance and echo, masking before and after in time, how
striking a sound is, what the game does to the mix when the clip plays, and the listener's ears.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.chain import AudioStream
from ichnos.audio.files.clips import OpenSound
from ichnos.audio.measure.coding_loss import threshold_in_quiet
from ichnos.audio.measure.spectrum import band_powers, bands

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

RATE = 44100
_HOP = 2205  # frames: 20 times a second
_WINDOW = 4096
_UP, _DOWN = 10.0, 27.0  # dB a Bark
_JUST = 4.0  # dB below the masker at which a sound in its band is just heard
_LOUD = 90  # per cent: the level that the bed passes a tenth of the time
_SOUNDING = 40.0  # dB below the clip's loudest moment: below, it does not count as sounding
_OFTEN = 50  # per cent of the time that it sounds, by which the number is taken


@dataclass(frozen=True)
class Levels:
    """The levels in third-octave bands, 20 times a second: ``db`` has the shape (moments, bands)."""

    hz: NDArray[np.float64]
    db: NDArray[np.float64]


@dataclass(frozen=True)
class Audibility:
    """How far the clip stands out.

    ``excess``: dB above what the bed covers, shape (moments, bands). ``curve``: of each moment's best
    band. ``active``: the moments in which the clip sounds. ``stands_out``: the curve's median over
    those, in dB; above 0 it is heard half of its time at least. ``share``: of its time that it is heard.
    """

    hz: NDArray[np.float64]
    excess: NDArray[np.float64]
    curve: NDArray[np.float64]
    active: NDArray[np.bool_]
    stands_out: float
    share: float
    clip_db: NDArray[np.float64]  # median over the active moments, by band
    covered_db: NDArray[np.float64]
    hop: float = _HOP / RATE  # seconds

    def __str__(self) -> str:
        if not self.active.any():
            return "the clip is silent"
        shown = round(self.stands_out, 1)
        how = (
            f"stands out by {shown:z.1f} dB"
            if shown > 0
            else f"lies {-shown:z.1f} dB under"
            if shown
            else "is just heard"
        )
        return f"{how}, heard {100 * self.share:z.0f} % of its time"

    def best_bands(self, count: int = 3) -> list[tuple[float, float]]:
        """The bands in which it stands out most: Hz, and dB (the median over its time)."""
        import numpy as np

        if not self.active.any():
            return []
        median = np.median(self.excess[self.active], axis=0)
        return [(float(self.hz[band]), float(median[band])) for band in np.argsort(-median)[:count]]


def levels(clip: OpenSound, on_progress: Callable[[float], None] = lambda seconds: None) -> Levels:
    """Measure the band levels of a clip at 44.1 kHz: of both its sides, so that none can take the other away.

    Args:
        on_progress: called after each block, with its seconds.

    Raises:
        IchnosError: it is no audio, damaged, or cut short.
    """
    return levels_of(sides(clip, on_progress).blocks)


def sides(clip: OpenSound, on_progress: Callable[[float], None]) -> AudioStream:
    """A clip at 44.1 kHz; of more than two channels, the two that they become."""
    facts = clip.facts

    def telling() -> Iterator[Block]:
        for block in clip.blocks():
            yield block
            on_progress(len(block) / facts.rate)

    channels = min(2, facts.channels)
    mixed = chain.mix_channels(telling(), channels, mask=facts.mask)
    return AudioStream(chain.resample(mixed, facts.rate, RATE, channels), RATE, channels)


def levels_of(blocks: Iterable[Block]) -> Levels:
    """The band levels of blocks at 44.1 kHz: the mean power of their channels."""
    import numpy as np

    powers = []
    # Half a window before the beginning and behind the end, so that each moment lies in the middle of its window.
    waiting: NDArray[np.float32] | None = None
    for block in _then_silence(blocks):
        waiting = block if waiting is None else np.concatenate([waiting, block])
        count = (len(waiting) - _WINDOW) // _HOP + 1
        if count > 0:
            windows = np.lib.stride_tricks.sliding_window_view(waiting, _WINDOW, axis=0)[: count * _HOP : _HOP]
            powers.append(band_powers(windows, RATE).mean(axis=1))
            waiting = waiting[count * _HOP :].copy()
    if not powers:
        short = np.zeros((_WINDOW, 1), np.float32) if waiting is None else waiting
        short = np.pad(short, ((0, max(0, _WINDOW - len(short))), (0, 0)))[:_WINDOW]
        powers.append(band_powers(short.T[None], RATE).mean(axis=1))
    return Levels(bands(RATE)[0], 10 * np.log10(np.concatenate(powers) + 1e-13))


def _then_silence(blocks: Iterable[Block]) -> Iterator[Block]:
    """With half a window of silence on both ends."""
    import numpy as np

    silence: Block | None = None
    for block in blocks:
        if silence is None:
            silence = np.zeros((_WINDOW // 2, block.shape[1]), np.float32)
            yield silence
        yield block
    if silence is not None:
        yield silence


def covered(bed: Levels) -> NDArray[np.float64]:
    """What the bed covers: the level in each band below which nothing else is heard; shape (bands,)."""
    import numpy as np

    loud = np.percentile(bed.db, _LOUD, axis=0)
    bark = 13 * np.arctan(0.00076 * bed.hz) + 3.5 * np.arctan((bed.hz / 7500) ** 2)
    apart = bark[None, :] - bark[:, None]  # from the masker (rows) up to the masked
    spread = loud[:, None] - np.where(apart >= 0, _UP * apart, -_DOWN * apart)
    return np.asarray(np.maximum(spread.max(axis=0) - _JUST, threshold_in_quiet(bed.hz)))


def compare(clip: Levels, cover: NDArray[np.float64]) -> Audibility:
    """How far a clip stands out of what is covered."""
    import numpy as np

    loudest = clip.db.max(axis=1)
    active = (loudest > loudest.max() - _SOUNDING) & (loudest > -100)
    excess = clip.db - cover
    curve = excess.max(axis=1)
    chosen = active if active.any() else np.ones(len(curve), bool)
    return Audibility(
        hz=clip.hz,
        excess=excess,
        curve=curve,
        active=active,
        stands_out=float(np.percentile(curve[chosen], 100 - _OFTEN)) if active.any() else -math.inf,
        share=float((curve[chosen] > 0).mean()) if active.any() else 0.0,
        clip_db=np.median(clip.db[chosen], axis=0),
        covered_db=cover,
    )
