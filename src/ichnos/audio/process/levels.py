"""Changes to how loud a sound is: gain, a loudness to reach, a limiter for true peaks, soft clipping."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING

from ichnos.audio.blocks.chain import AudioStream, resample
from ichnos.audio.blocks.spool import Spool
from ichnos.audio.measure.loudness import LoudnessMeter
from ichnos.audio.measure.peaks import TAPS, PeakMeter, between, decibels

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_LOOK_AHEAD = 0.005  # seconds: how long before a peak the limiter goes down, and how long after it comes up
_SPARE = 0.1  # dB below the ceiling that the limiter aims at: its own movement moves peaks a little
_CLOSE = 0.1  # LU: near enough to the loudness that is to be reached
_PASSES = 6


def apply_gain(blocks: Iterable[Block], db: float) -> Iterator[Block]:
    """Gain in dB, up or down."""
    import numpy as np

    factor = np.float32(10 ** (db / 20))
    for block in blocks:
        yield block * factor


class Lowered:
    """By how much a limiter takes a sound down, where first, and how often; what is less than 1 dB is nothing."""

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self.most_db, self.times = 0.0, 0
        self.first: float | None = None  # seconds
        self._at, self._last = 0, -math.inf

    def watch(self, frames: int, gain: NDArray[np.float64] | None = None) -> None:
        """See the next frames; ``gain``: what each is multiplied by, where that is not 1."""
        import numpy as np

        if gain is not None and gain.min(initial=1) < 1:
            self.most_db = max(self.most_db, -20 * math.log10(max(float(gain.min()), 1e-6)))
            low = self._at + np.flatnonzero(gain < _NOTICED)
            if len(low):
                self.first = low[0] / self.rate if self.first is None else self.first
                apart = np.diff(np.concatenate([[self._last], low]))
                self.times += int((apart > _APART * self.rate).sum())
                self._last = float(low[-1])
        self._at += frames

    def __str__(self) -> str:
        often = "once" if self.times == 1 else f"{self.times} times"
        return f"up to {self.most_db:z.1f} dB, first at {self.first or 0:z.2f} s, {often}"


_NOTICED = 10 ** (-1 / 20)  # of its level: by less, nobody hears that something is lowered
_APART = 0.1  # seconds between two times


def limit_peaks(
    stream: AudioStream, ceiling: float, say: Callable[[str], None] = lambda _: None, lowered: Lowered | None = None
) -> AudioStream:
    """No true peak above ``ceiling`` (dBTP, ITU-R BS.1770-4 Annex 2).

    The gain that each frame needs is held for 5 ms to both sides and then smoothed over as much:
    it is down before the peak comes, and never above what the peak needs. All channels move alike.

    Args:
        say: called with a sentence at the end, where peaks were lowered by more than 1 dB.
        lowered: sees what is lowered.
    """
    return stream.through(_limited(stream.blocks, stream.rate, ceiling, say, lowered))


def _limited(
    blocks: Iterable[Block], rate: int, ceiling: float, say: Callable[[str], None], lowered: Lowered | None = None
) -> Iterator[Block]:
    watching = lowered or Lowered(rate)
    yield from _limit_peaks(blocks, rate, 10 ** ((ceiling - _SPARE) / 20), watching)
    if watching.times:
        say(f"to stay below {ceiling:g} dBTP its peaks are lowered by {watching}")


def _limit_peaks(blocks: Iterable[Block], rate: int, most: float, lowered: Lowered) -> Iterator[Block]:
    import numpy as np
    from scipy.ndimage import minimum_filter1d
    from scipy.signal import oaconvolve

    ahead = max(2, round(_LOOK_AHEAD * rate))
    smooth = np.hanning(2 * ahead + 3)[1:-1]
    smooth /= smooth.sum()
    reach = 2 * ahead + TAPS  # frames that must be known to either side of what is given
    waiting: NDArray[np.float32] | None = None
    before = reach  # frames at the front of ``waiting`` that were given already, or are silence before the sound
    for block in _then_silence(blocks, reach):
        waiting = (
            np.concatenate([np.zeros((reach, block.shape[1]), np.float32), block])
            if waiting is None
            else np.concatenate([waiting, block])
        )
        ready = len(waiting) - reach - before
        if ready <= 0:
            continue
        part = waiting[before - reach : before + ready + reach]
        peak = between(part).max(axis=1)
        # A curve between two frames counts for both, and for their neighbours.
        near = np.maximum(peak[:-1], peak[1:])
        near = np.maximum(near, np.abs(part[TAPS // 2 : TAPS // 2 + len(near)]).max(axis=1))
        if near.max(initial=0) > most:
            need = most / np.maximum(near, most)
            held = minimum_filter1d(need, 2 * ahead + 1)
            gain = np.minimum(1, oaconvolve(held, smooth, "same"))
            offset = reach - TAPS // 2
            lowered.watch(ready, gain[offset : offset + ready])
            yield part[reach : reach + ready] * gain[offset : offset + ready, None].astype(np.float32)
        else:
            lowered.watch(ready)
            yield part[reach : reach + ready].copy()
        gone = before + ready - reach
        waiting, before = waiting[gone:], reach


def _then_silence(blocks: Iterable[Block], frames: int) -> Iterator[Block]:
    import numpy as np

    channels = 0
    for block in blocks:
        channels = block.shape[1]
        if len(block):
            yield block
    if channels:
        yield np.zeros((frames, channels), np.float32)


def measure(blocks: Iterable[Block], rate: int, channels: int) -> tuple[float, float]:
    """Loudness in LUFS and true peak in dBTP."""
    loudness, peaks = LoudnessMeter(rate, channels), PeakMeter(rate, channels)
    for block in blocks:
        loudness.add(block)
        peaks.add(block)
    peaks.finish()
    return loudness.result().level, decibels(peaks.true)


def to_loudness(stream: AudioStream, lufs: float, ceiling: float, say: Callable[[str], None]) -> AudioStream:
    """Bring a sound to a loudness; peaks that would pass the ceiling are limited.

    Args:
        lufs: integrated; of a clip shorter than 0.4 s the momentary loudness.
        ceiling: dBTP.
        say: called with a sentence where the loudness cannot be reached under that ceiling, and where peaks are
            lowered by more than 1 dB.
    """
    spool = Spool(stream.blocks, stream.channels)
    loudness, peak = measure(spool.blocks(), stream.rate, stream.channels)
    if math.isinf(loudness):
        say("it is silent, so no loudness can be reached")
        return stream.through(spool.blocks())
    gain = lufs - loudness
    if peak + gain <= ceiling:
        return stream.through(apply_gain(spool.blocks(), gain))

    def at(db: float, tell: Callable[[str], None] = lambda _: None) -> Iterator[Block]:
        return _limited(apply_gain(spool.blocks(), db), stream.rate, ceiling, tell)

    best, reached = gain, -math.inf
    for _ in range(_PASSES):  # limiting takes loudness away, so more gain is needed than it seemed
        now, _ = measure(at(gain), stream.rate, stream.channels)
        if abs(lufs - now) < abs(lufs - reached):
            best, reached = gain, now
        if abs(lufs - now) < _CLOSE or gain > lufs - loudness + 12:
            break
        gain += lufs - now
    if abs(lufs - reached) > 0.5:
        say(f"{lufs:g} LUFS cannot be reached under {ceiling:g} dBTP; it is {reached:z.1f} LUFS")
    return stream.through(at(best, say))


def soft_clip(stream: AudioStream, db: float, say: Callable[[str], None] = lambda _: None) -> AudioStream:
    """Deliberate soft clipping: louder by ``db``, through tanh, at four times the rate so that little folds back.

    Quiet sound comes out louder by ``db``; nothing passes full scale, nor between the samples.
    """
    import numpy as np

    drive = np.float32(10 ** (db / 20))
    over = 4 * stream.rate

    def bent() -> Iterator[Block]:
        for block in resample(stream.blocks, stream.rate, over, stream.channels):
            yield np.tanh(block * drive)

    back = stream.through(resample(bent(), over, stream.rate, stream.channels))
    return limit_peaks(back, 0, say)  # the way back to the rate lets some peaks swing over
