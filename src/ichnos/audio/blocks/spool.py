"""Sound set aside on disk, for what must know a clip's end, or hear it twice."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from ichnos.audio.blocks.block import BLOCK_SAMPLES
from ichnos.files import disk, scratch

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

_IN_MEMORY = 1 << 24  # bytes: half a minute of stereo


class Spool:
    """All the blocks of a sound, in a temporary file that goes when this object goes."""

    def __init__(self, blocks: Iterable[Block], channels: int) -> None:
        self._file = scratch.spooled(_IN_MEMORY)
        self.channels = channels
        self.frames = 0
        with disk.translated(scratch.temporary()):
            for block in blocks:
                self._file.write(block.astype("<f4", copy=False).tobytes())
                self.frames += len(block)

    def part(self, start: int, end: int) -> NDArray[np.float32]:
        """Frames from ``start`` up to, not including, ``end``; what lies outside is left out."""
        import numpy as np

        start, end = max(0, start), min(self.frames, end)
        width = 4 * self.channels
        self._file.seek(start * width)
        data = self._file.read(max(0, end - start) * width)
        return np.frombuffer(data, "<f4").reshape(-1, self.channels)

    def blocks(self, start: int = 0, end: int | None = None) -> Iterator[Block]:
        """The frames from ``start`` up to, not including, ``end``."""
        end = self.frames if end is None else min(end, self.frames)
        for at in range(max(0, start), end, BLOCK_SAMPLES):
            yield self.part(at, min(end, at + BLOCK_SAMPLES))
