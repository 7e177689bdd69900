"""Changes to when a sound is heard: cutting, trimming, fading, turning round, speed and pitch."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, Literal

from ichnos.audio.blocks.chain import AudioStream, resample
from ichnos.audio.blocks.spool import Spool

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_OVER_SILENCE = 10 ** (24 / 20)  # of a peak over what counts as silence
Shape = Literal["straight", "smooth", "power"]


def cut(stream: AudioStream, start: float, end: float | None) -> AudioStream:
    """Keep what lies between two times, in seconds."""
    first = round(start * stream.rate)
    last = None if end is None else round(end * stream.rate)

    def kept() -> Iterator[Block]:
        at = 0
        for block in stream.blocks:  # to the end, so that damage behind the cut is noticed too
            low, high = max(0, first - at), len(block) if last is None else min(len(block), last - at)
            if low < high:
                yield block[low:high]
            at += len(block)

    return stream.moved(kept(), lambda line: line.later(-first))


def trim(
    stream: AudioStream, threshold: float, keep: float, say: Callable[[str], None] = lambda _: None
) -> AudioStream:
    """Take silence off both ends.

    Args:
        threshold: dBFS; what never passes it counts as silence. Of a clip that is so quiet itself that its peak is
            less than 24 dB above that, what is 24 dB below its peak.
        keep: seconds of it that stay.
        say: called with a sentence where the threshold is another.
    """
    found = _Sounding(10 ** (threshold / 20))
    spool = Spool(map(found.watch, stream.blocks), stream.channels)
    if 0 < found.peak < found.limit * _OVER_SILENCE:
        peak = found.peak
        found = _Sounding(peak / _OVER_SILENCE)
        for block in spool.blocks():
            found.watch(block)
        levels = (20 * math.log10(level) for level in (peak, found.limit))
        say("its peak is {:z.0f} dBFS, so what counts as silence is below {:z.0f} dBFS".format(*levels))
    first, last = found.first, found.last
    if first is None or last is None:
        return stream.through(spool.blocks())  # all silence: nothing to tell the ends by
    margin = round(keep * stream.rate)
    begin = max(0, first - margin)
    return stream.moved(spool.blocks(begin, last + 1 + margin), lambda line: line.later(-begin))


class _Sounding:
    """Sees where a sound first and last passes a limit, and its peak."""

    def __init__(self, limit: float) -> None:
        self.limit, self.peak = limit, 0.0
        self.first: int | None = None
        self.last: int | None = None
        self._at = 0

    def watch(self, block: Block) -> Block:
        """See the next block, and give it on."""
        import numpy as np

        sounding = np.flatnonzero(np.abs(block) > self.limit) // block.shape[1]
        if len(sounding):
            self.first = self._at + int(sounding[0]) if self.first is None else self.first
            self.last = self._at + int(sounding[-1])
        if self.peak < self.limit * _OVER_SILENCE:  # above, it is enough to know that it is there
            self.peak = max(self.peak, float(block.max(initial=0)), -float(block.min(initial=0)))
        self._at += len(block)
        return block


def _curve(count: int, shape: Shape) -> NDArray[np.float32]:
    """Rising from 0 to 1, not reaching either."""
    import numpy as np

    rising = (np.arange(count, dtype=np.float64) + 0.5) / max(1, count)
    if shape == "smooth":
        rising = (1 - np.cos(np.pi * rising)) / 2
    elif shape == "power":
        rising = np.sin(np.pi / 2 * rising)
    return rising.astype(np.float32)


def fade(stream: AudioStream, rise: float, fall: float, shape: Shape) -> AudioStream:
    """Fade in and out. ``rise``, ``fall``: seconds. Where they would meet, each gets its share."""
    spool = Spool(stream.blocks, stream.channels)
    up, down = round(rise * stream.rate), round(fall * stream.rate)
    if up + down > spool.frames:
        share = spool.frames / (up + down)
        up, down = int(up * share), int(down * share)
    rising, falling = _curve(up, shape), _curve(down, shape)[::-1]
    begin = spool.frames - down

    def shaped() -> Iterator[Block]:
        at = 0
        for block in spool.blocks():
            if at < up or at + len(block) > begin:
                block = block.copy()
                here = max(0, min(len(block), up - at))
                block[:here] *= rising[at : at + here, None]
                from_ = min(len(block), max(0, begin - at))
                block[from_:] *= falling[max(0, at + from_ - begin) : max(0, at + len(block) - begin), None]
            at += len(block)
            yield block

    return stream.through(shaped())


def soften(stream: AudioStream, seconds: float) -> AudioStream:
    """Fade the first and the last of a clip, each where it does not begin or end at zero: there it would click."""
    import numpy as np

    spool = Spool(stream.blocks, stream.channels)
    count = min(round(seconds * stream.rate), spool.frames // 2)
    ends = [spool.part(0, 1), spool.part(spool.frames - 1, spool.frames)]
    is_off = [bool(np.abs(end).max(initial=0) > 1e-4) for end in ends]
    up, down = (count / stream.rate if off else 0.0 for off in is_off)
    return fade(stream.through(spool.blocks()), up, down, "smooth")


def centre(stream: AudioStream) -> AudioStream:
    """Take the mean of each channel away from it (DC); nothing else moves, not at the beginning either."""
    import numpy as np

    total, frames = np.zeros(stream.channels), 0

    def watching() -> Iterator[Block]:
        nonlocal frames
        for block in stream.blocks:
            total[:] += block.sum(axis=0, dtype=np.float64)
            frames += len(block)
            yield block

    spool = Spool(watching(), stream.channels)
    mean = (total / max(1, frames)).astype(np.float32)
    return stream.through(block - mean for block in spool.blocks())


def reverse(stream: AudioStream) -> AudioStream:
    """The last frame first."""
    spool = Spool(stream.blocks, stream.channels)

    def turned() -> Iterator[Block]:
        from ichnos.audio.blocks.block import BLOCK_SAMPLES

        for end in range(spool.frames, 0, -BLOCK_SAMPLES):
            yield spool.part(end - BLOCK_SAMPLES, end)[::-1].copy()

    return stream.moved(turned(), lambda line: line.turned(spool.frames))


def repeat(stream: AudioStream, times: int) -> AudioStream:
    """The whole, so many times."""
    spool = Spool(stream.blocks, stream.channels)
    return stream.through(block for _ in range(times) for block in spool.blocks())


_SHIFT = 0.03  # seconds: longer than a period of the lowest hum
_WORTH = 0.1  # more likeness than without a shift


def crossfade_loop(stream: AudioStream, seconds: float) -> AudioStream:
    """A loop without a seam: the end is faded into the beginning, and the beginning that was used is left out.

    N frames become N - n: from frame n on, and at the last n frames the end goes while the first n
    frames come, at constant power. Behind the last frame, frame n follows on by itself. Where both would work
    against each other, as in a hum, up to 30 ms more are left out at one of the ends, so that they are most alike.
    """
    import numpy as np

    spool = Spool(stream.blocks, stream.channels)
    count = min(round(seconds * stream.rate), spool.frames // 2)
    room = min(round(_SHIFT * stream.rate), (spool.frames - 2 * count) // 2)
    end, begin = spool.part(spool.frames - count - room, spool.frames), spool.part(0, count + room)
    first, last = _most_alike(end, begin, count)
    end, begin = end[len(end) - last - count : len(end) - last], begin[first : first + count]
    rising = np.sin(np.pi / 2 * (np.arange(count, dtype=np.float64) + 0.5) / max(1, count))[:, None]
    # Sides that are alike would swell at constant power, and unlike ones fall: their likeness says by how much.
    energy = math.sqrt(float(np.square(end).sum()) * float(np.square(begin).sum()))
    likeness = max(-0.9, float((end * begin).sum()) / energy) if energy else 0.0
    falling = rising[::-1]
    scale = 1 / np.sqrt(1 + 2 * likeness * rising * falling)

    def whole() -> Iterator[Block]:
        yield from spool.blocks(first + count, spool.frames - last - count)
        yield ((end * falling + begin * rising) * scale).astype(np.float32)

    return stream.moved(whole(), None)


def _most_alike(end: Block, begin: Block, count: int) -> tuple[int, int]:
    """How many frames to leave out before the beginning, or behind the end, for ``count`` of both to be most alike."""
    import numpy as np
    from scipy.signal import oaconvolve

    room = len(begin) - count
    if room <= 0 or count <= 0:
        return 0, 0
    last, first = end[room:], begin[:count]

    def alike(ground: Block, pattern: Block) -> NDArray[np.float64]:
        product = oaconvolve(ground, pattern[::-1], "valid", axes=0).sum(axis=1)
        sums = np.concatenate([[0.0], np.cumsum(np.square(ground, dtype=np.float64).sum(axis=1))])
        energy = (sums[count:] - sums[:-count]) * float(np.square(pattern, dtype=np.float64).sum())
        return np.asarray(product / np.sqrt(np.maximum(energy, 1e-12)))

    shifted = alike(begin, last)  # by how much later it begins
    earlier = alike(end, first)[::-1]  # by how much earlier it ends
    best = max(float(shifted.max()), float(earlier.max()))
    if best < shifted[0] + _WORTH:
        return 0, 0
    return (int(shifted.argmax()), 0) if shifted.max() >= earlier.max() else (0, int(earlier.argmax()))


def change_speed(stream: AudioStream, factor: float) -> AudioStream:
    """Speed and pitch together, as a tape that runs faster."""
    blocks = resample(stream.blocks, stream.rate * factor, stream.rate, stream.channels)
    return stream.moved(blocks, lambda line: line.faster(factor))


_PIECE = 0.04  # seconds of sound that are laid over each other
_SEARCH = 0.012  # seconds to either side in which the best fit is looked for
_ATTACK = 0.003  # seconds in which a copy with an attack is faded in before it, and that no other copy holds


def change_pitch(stream: AudioStream, semitones: float) -> AudioStream:
    """Pitch alone: the clip is stretched in time, then played faster by as much. Its length stays, to the sample.

    The stretching is overlap-add at the best fit (WSOLA, Verhelst and Roelands 1993): pieces of
    40 ms are laid half over each other, each taken from within 12 ms of where it should be, where it
    continues the one before best. An attack is put where it belongs and played as it is: no piece
    before it reaches into it, and none behind takes it again.
    """
    factor = 2 ** (semitones / 12)
    spool = Spool(stream.blocks, stream.channels)
    stretched = _stretched(spool, stream.rate, factor)
    pitched = resample(stretched, stream.rate * factor, stream.rate, stream.channels)
    return stream.through(_of_length(pitched, spool.frames, stream.channels))


def _of_length(blocks: Iterable[Block], frames: int, channels: int) -> Iterator[Block]:
    import numpy as np

    left = frames
    for block in blocks:
        if left:
            yield block[:left]
        left -= min(left, len(block))
    if left:
        yield np.zeros((left, channels), np.float32)


def _stretched(spool: Spool, rate: int, factor: float) -> Iterator[Block]:
    """The sound lasting ``factor`` times as long, at its own pitch: a row of copies, each faded into the next."""
    import numpy as np

    half, reach, guard = round(_PIECE * rate / 2), round(_SEARCH * rate), round(_ATTACK * rate)
    rising = np.hanning(2 * half + 1)[:half, None].astype(np.float32)
    quick = np.hanning(2 * guard + 1)[:guard, None].astype(np.float32)
    frames = math.ceil(spool.frames * factor)
    coming = [(attack, round(attack * factor)) for attack in _attacks(spool, rate)]
    coming = [(attack, there) for attack, there in coming if there > 2 * guard]
    # Where the copy at hand is behind the output, in frames; what may not be taken again; where we are.
    offset = min([attack - there for attack, there in coming[:1] if there < 2 * half] or [0])
    earliest, at, join = 0, 0, half
    while at < frames:
        attack, there = coming[0] if coming else (spool.frames + frames, 2 * frames)
        if there - guard < join + half:
            join, fade, start = there - guard, quick, attack - guard
            earliest = attack + guard
            coming = [voice for voice in coming if voice[1] > there + half]
            after = there + half // 2
        else:
            latest = max(earliest, attack - min(there - join, 2 * half + guard))
            ideal = min(max(round(join / factor), earliest), latest)
            low, high = max(earliest, ideal - reach), min(latest, ideal + reach)
            fade, start = rising, _best_fit(spool, low, high, join + offset, half)
            after = join + half
        if join > at:
            yield _padded(spool, at + offset, join - at)
        old, new = (_padded(spool, where, len(fade)) for where in (join + offset, start))
        yield old * fade[::-1] + new * fade
        offset, at, join = start - join, join + len(fade), after


def _attacks(spool: Spool, rate: int) -> list[int]:
    """The frames where the sound sets in: where its power over 1 ms exceeds by 6 dB all of the 20 ms before.

    The last 2 ms before do not count, so that a rise of as much is one attack; what is 40 dB below
    the loudest is none. It is looked for in the sound, and in its differences from frame to frame, where
    a hum is faint.
    """
    import numpy as np

    grain = max(1, round(rate / 1000))
    powers, rest = [], np.zeros((1, spool.channels), np.float32)
    for block in spool.blocks():
        block = np.concatenate([rest, block])
        whole = (len(block) - 1) // grain * grain
        both = np.stack([block[1 : whole + 1], np.diff(block[: whole + 1], axis=0)])
        powers.append(np.square(both).sum(axis=2).reshape(2, -1, grain).sum(axis=2))
        rest = block[whole:]
    power = np.concatenate([np.zeros((2, 20)), *powers], axis=1)
    before = np.lib.stride_tricks.sliding_window_view(power, 18, axis=1)[:, : power.shape[1] - 20].max(axis=2)
    rises = (power[:, 20:] > 4 * before) & (power[:, 20:] > 1e-4 * power.max(axis=1, keepdims=True))
    sets_in = np.flatnonzero(rises.any(axis=0))
    return [int(start) * grain for start in sets_in[np.diff(sets_in, prepend=-99) > 20]]


def _best_fit(spool: Spool, low: int, high: int, follows: int, half: int) -> int:
    """Where to take the next piece from: what from ``low`` to ``high`` is most like what is at ``follows``."""
    import numpy as np
    from scipy.signal import oaconvolve

    wanted = _padded(spool, follows, half).mean(axis=1)
    ground = _padded(spool, low, max(0, high - low) + half).mean(axis=1)
    likeness = oaconvolve(ground, wanted[::-1], "valid")
    energy = np.convolve(np.square(ground), np.ones(half, np.float32), "valid")
    return low + int(np.argmax(likeness / np.sqrt(np.maximum(energy, 1e-9))))


def _padded(spool: Spool, start: int, count: int) -> NDArray[np.float32]:
    """Frames of the clip, silence before its beginning and behind its end."""
    import numpy as np

    part = spool.part(max(0, start), max(0, start + count))
    lead = min(count, max(0, -start))
    return np.pad(part, ((lead, count - lead - len(part)), (0, 0)))
