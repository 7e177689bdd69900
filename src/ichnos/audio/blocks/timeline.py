"""Where the frames of a sound went, on the way through what moves them."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Timeline:
    """A straight line: frame f of the source is at ``scale * f + offset``; backwards where ``scale`` is negative."""

    scale: float = 1.0
    offset: float = 0.0

    def later(self, frames: float) -> Timeline:
        """Everything comes by so many frames later; earlier where that is negative."""
        return Timeline(self.scale, self.offset + frames)

    def faster(self, factor: float) -> Timeline:
        """Everything is played so many times faster."""
        return Timeline(self.scale / factor, self.offset / factor)

    def turned(self, frames: int) -> Timeline:
        """The last of so many frames comes first."""
        return Timeline(-self.scale, frames - self.offset)

    def span(self, first: int, last: int) -> tuple[int, int]:
        """The first and the last frame of a stretch now; its length is converted as a whole, wherever it lies.

        >>> Timeline().later(-100).span(200, 299), Timeline().turned(1000).span(200, 299)
        ((100, 199), (700, 799))
        """
        length = max(1, round((last + 1 - first) * abs(self.scale)))
        edge = first if self.scale > 0 else last + 1
        start = round(self.scale * edge + self.offset)
        return start, start + length - 1


STILL = Timeline()
