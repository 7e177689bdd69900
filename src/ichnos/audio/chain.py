"""The links between decoding and encoding: each takes blocks and gives blocks.

Blocks are float32 arrays of shape (frames, channels).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ichnos.audio.clips import Block


def to_channels(blocks: Iterable[Block], channels: int) -> Iterator[Block]:
    """Mono is the mean of all channels; stereo from mono is the same on both sides."""
    import numpy as np

    for block in blocks:
        if block.shape[1] == channels:
            yield block
        elif channels == 1:
            yield block.mean(axis=1, keepdims=True, dtype=np.float32)
        elif block.shape[1] == 1:
            yield np.repeat(block, channels, axis=1)
        else:
            yield np.ascontiguousarray(block[:, :channels])


def resampled(blocks: Iterable[Block], rate: int, to_rate: int, channels: int) -> Iterator[Block]:
    """Rates in frames a second. Nothing is done where they agree."""
    if rate == to_rate:
        yield from blocks
        return
    import numpy as np
    import soxr

    stream = soxr.ResampleStream(rate, to_rate, channels, dtype="float32")
    for block in blocks:
        done = stream.resample_chunk(block)
        if len(done):
            yield done
    done = stream.resample_chunk(np.zeros((0, channels), np.float32), last=True)
    if len(done):
        yield done
