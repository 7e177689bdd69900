"""The links between decoding and encoding: each takes blocks and gives blocks.

Blocks are float32 arrays of shape (frames, channels).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal

from ichnos.audio.blocks.surround import to_stereo
from ichnos.audio.blocks.timeline import STILL, Timeline

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

Side = Literal["mix", "left", "right"]


@dataclass(frozen=True)
class AudioStream:
    """Sound on its way: blocks that can be taken once, their rate in frames a second, their channels.

    ``timeline``: where the clip's frames went; None where nobody can say.
    """

    blocks: Iterator[Block]
    rate: int
    channels: int
    timeline: Timeline | None = STILL

    def through(self, blocks: Iterator[Block]) -> AudioStream:
        """The same, with other blocks, nothing moved."""
        return replace(self, blocks=blocks)

    def moved(self, blocks: Iterator[Block], move: Callable[[Timeline], Timeline] | None) -> AudioStream:
        """The same, with other blocks, in which everything is elsewhere; None: one cannot say where."""
        there = move(self.timeline) if move is not None and self.timeline is not None else None
        return replace(self, blocks=blocks, timeline=there)


def mix_channels(blocks: Iterable[Block], channels: int, side: Side = "mix", mask: int = 0) -> Iterator[Block]:
    """Mono is the mean of both sides, or one of them; stereo from mono is the same on both sides.

    More channels become sides first, as ITU-R BS.775 says. ``mask``: where they are heard (see ``surround``).
    """
    import numpy as np

    for block in blocks:
        count = block.shape[1]
        if count == channels:
            yield block
        elif channels == 1 and side != "mix" and count == 2:
            yield np.ascontiguousarray(block[:, :1] if side == "left" else block[:, 1:2])
        elif channels == 1:
            yield mono(block, mask)
        elif count == 1:
            yield np.repeat(block, channels, axis=1)
        elif channels == 2:
            yield block @ to_stereo(count, mask)
        else:
            yield np.ascontiguousarray(block[:, :channels])


def mono(block: Block, mask: int = 0) -> Block:
    """The mean of both sides; of more channels, of the sides that they become."""
    import numpy as np

    if block.shape[1] == 1:
        return block
    if block.shape[1] > 2:
        return np.asarray(block @ to_stereo(block.shape[1], mask).mean(axis=1, keepdims=True))
    mixed = block[:, 0] + block[:, 1]  # far faster than mean() along so short an axis
    mixed *= np.float32(0.5)
    return mixed[:, None]


def resample(blocks: Iterable[Block], rate: float, to_rate: float, channels: int) -> Iterator[Block]:
    """Another sample rate; both in Hz. Nothing is done where they agree.

    N samples of each channel become N * to_rate / rate, rounded.
    """
    if rate == to_rate:
        yield from blocks
        return
    import numpy as np
    import soxr

    stream = soxr.ResampleStream(rate, to_rate, channels, dtype="float32")
    taken = given = 0
    for block in blocks:
        taken += len(block)
        done = stream.resample_chunk(block)
        given += len(done)
        if len(done):
            yield done
    done = stream.resample_chunk(np.zeros((0, channels), np.float32), last=True)
    missing = round(taken * to_rate / rate) - given
    if missing > len(done):
        done = np.concatenate([done, np.zeros((missing - len(done), channels), np.float32)])
    if missing > 0:
        yield done[:missing]


def quantise(
    blocks: Iterable[Block], bits: int, dither: np.random.Generator | None, *, alike: bool = False
) -> Iterator[NDArray[Any]]:
    """Samples as whole numbers, cut off at full scale.

    Args:
        bits: 16 or 24.
        dither: where the numbers have fewer bits than the sound: TPDF noise of one bit up and down. Silence stays that.
        alike: all channels are the same, and stay so.

    Yields:
        int16, or int32 with the 24 bits in its upper part, as libsndfile takes them.
    """
    import numpy as np

    full = 2 ** (bits - 1)
    for block in blocks:
        scaled = block.astype(np.float64) * full
        if dither is not None:
            shape = (len(block), 1) if alike else block.shape
            noise = dither.random(shape) - dither.random(shape)
            if np.count_nonzero(block) < block.size:
                noise[_is_still(block)] = 0
            scaled += noise
        whole = np.clip(np.rint(scaled), -full, full - 1)
        yield whole.astype(np.int16) if bits == 16 else whole.astype(np.int32) << 8


def _is_still(block: Block) -> NDArray[np.bool_]:
    """Of each frame: is it zero, and are those beside it? One alone is where a sound crosses the middle."""
    import numpy as np

    zero = np.pad((block == 0).all(axis=1), 1, mode="edge")
    return np.asarray(zero[:-2] & zero[1:-1] & zero[2:])
