"""What went into an encoder, and the proof that it comes back."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.audio.blocks.block import sum_squares
from ichnos.audio.files import loops
from ichnos.audio.files.clips import open_sound
from ichnos.audio.files.forms import LOSSY
from ichnos.audio.measure.coding_loss import Fingerprint
from ichnos.errors import IchnosError, Place

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
from ichnos.audio.process.target import Target

_LOSSY_LEVEL, _EXACT_LEVEL = 1.5, 0.1  # dB by which the level may change
_END_FRAMES = 8192
_END, _END_LEVEL = 0.01, -8.0  # seconds at both ends, and dB that a codec may take from them
_SHORT = 0.1  # seconds: shorter than a codec's own blocks, so that its level says nothing
_OFFSET = 0.005  # of full scale
_FAINT = 1e-3  # of full scale (root mean square): below, a codec may let sound go


class _Ends:
    """The first and the last of a sound."""

    def __init__(self) -> None:
        self._first: Any = None
        self._last: Any = None

    def add(self, block: Block) -> None:
        import numpy as np

        self._first = block[:_END_FRAMES] if self._first is None else self._first
        whole = self._last is None or len(block) >= _END_FRAMES
        self._last = (block if whole else np.concatenate([self._last, block]))[-_END_FRAMES:]

    def levels(self, rate: int) -> tuple[float, float]:
        """Root mean squares of both ends; 0 where there is nothing."""
        if self._first is None:
            return 0.0, 0.0
        length = max(1, round(_END * rate))
        return _level(self._first[:length]), _level(self._last[-length:])


def _level(block: Block) -> float:
    """Root mean square beside the mean, full scale is 1: a codec may leave an offset out."""
    if not block.size:
        return 0.0
    return float(max(0.0, sum_squares(block) / block.size - float(block.mean(dtype="float64")) ** 2) ** 0.5)


@dataclass
class _Sums:
    """The level of a sound; where ``beside_offset``, of what lies beside its mean (DC)."""

    beside_offset: bool = False
    samples: int = 0
    squares: float = 0.0
    total: float = 0.0

    def add(self, block: Block) -> None:
        self.samples += block.size
        self.squares += sum_squares(block)
        if self.beside_offset:
            self.total += float(block.sum(dtype="float64"))

    @property
    def offset(self) -> float:
        """The mean; full scale is 1."""
        return self.total / max(1, self.samples)

    @property
    def level(self) -> float:
        """Root mean square."""
        return float(max(0.0, self.squares / max(1, self.samples) - self.offset**2) ** 0.5)


@dataclass
class Written:
    """What went into the encoder."""

    fingerprint: Fingerprint | None
    frames: int = 0
    sums: _Sums = field(default_factory=_Sums)
    clipped: int = 0
    mono_db: float | None = None
    loop: tuple[int, int] | None = None
    notes: list[str] = field(default_factory=list)
    ends: _Ends = field(default_factory=lambda: _Ends())

    def watching(self, blocks: Iterator[Block]) -> Iterator[Block]:
        import numpy as np

        for block in blocks:
            self.frames += len(block)
            self.sums.add(block)
            self.ends.add(block)
            if max(block.max(initial=0), -block.min(initial=0)) > 1:
                self.clipped += int((np.abs(block) > 1).sum())
            if self.fingerprint:
                self.fingerprint.add(block)
            yield block


def prove(path: Path, target: Target, written: Written, source: Path) -> float | None:
    """Decode what was written, and compare. Gives the coding loss."""
    place = Place(str(source))
    again = Fingerprint(target.rate, written.fingerprint.frames) if written.fingerprint else None
    frames, sums, ends = 0, _Sums(written.sums.beside_offset), _Ends()
    with open_sound(path) as sound:
        facts = sound.facts
        wrong = target.differs(facts)
        for block in sound.blocks():
            frames += len(block)
            sums.add(block)
            ends.add(block)
            if again:
                again.add(block)
        if target.loop and written.loop and loops.read(sound.stream, target.loop) != written.loop:
            wrong.append("the loop is not marked")
    if frames != written.frames:
        wrong.append(f"{frames} samples, not {written.frames}")
    wrong += _ends_lost(target, written, ends)
    wrong += _level_changed(target, written, sums)
    if (
        target.codec == "Opus"
        and abs(written.sums.offset) > _OFFSET
        and abs(sums.offset) < abs(written.sums.offset) / 2
    ):
        written.notes.append(f"Opus leaves out its offset (DC) of {100 * written.sums.offset:z.1f} %")
    if wrong:
        cure = "choose a higher quality" if target.codec in LOSSY else ""
        raise IchnosError(f"the conversion did not come out as written: {'; '.join(wrong)}", place=place, cure=cure)
    return written.fingerprint.distance(again) if written.fingerprint and again else None


def _ends_lost(target: Target, written: Written, ends: _Ends) -> Iterator[str]:
    """A codec may take its beginning or its end from a sound, and leave its length."""
    import math

    if target.codec not in LOSSY or written.frames < _SHORT * target.rate:
        return
    pairs = zip(written.ends.levels(target.rate), ends.levels(target.rate), ("beginning", "end"), strict=True)
    for before, after, name in pairs:
        if before > _FAINT and 20 * math.log10(max(after, 1e-9) / before) < _END_LEVEL:
            yield f"its {name} is lost"


def _level_changed(target: Target, written: Written, sums: _Sums) -> Iterator[str]:
    import math

    lossy = target.codec in LOSSY
    level, found = written.sums.level, sums.level
    if written.clipped or max(level, found) < _FAINT or (lossy and written.frames < _SHORT * target.rate):
        return
    change = 20 * math.log10(max(found, 1e-9) / max(level, 1e-9))
    if abs(change) > (_LOSSY_LEVEL if lossy else _EXACT_LEVEL):
        yield f"its level changed by {change:+z.1f} dB"
