"""The sounds of a scene, decoded from the built bytes: each file once, and no more of them than fit."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ichnos.audio.blocks import chain
from ichnos.audio.blocks.spool import Spool
from ichnos.audio.files import clips, loops
from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.games.profiles.profile import Profile
from ichnos.games.targets import marking
from ichnos.play.world import SoundFile

if TYPE_CHECKING:
    from ichnos.audio.blocks.block import Block
    from ichnos.audio.files.loops import Loop

_BLOCK = 8192  # frames
_KEPT = 24  # decoded sounds that are kept: the longer ones lie on the disk


@dataclass(frozen=True)
class SoundFacts:
    """What is known of a file before it is decoded. ``loop``: as the game finds it marked."""

    rate: int
    channels: int
    frames: int
    loop: Loop | None


def samples_of(path: Path) -> tuple[Any, int]:
    """A short sound file's samples, as soundfile reads them, and their rate."""
    import soundfile

    with disk.opened(path) as stream:
        samples, rate = soundfile.read(stream, dtype="float32")
    return samples, int(rate)


class Sounds:
    """The files of a scene."""

    def __init__(self, profile: Profile) -> None:
        self._profile = profile
        self._known: dict[tuple[int, str], SoundFacts | None] = {}
        self._spools: OrderedDict[tuple[int, str], Spool] = OrderedDict()
        self.own_codec: set[str] = set()  # by label, too: what only the game can decode
        self.errors: dict[str, IchnosError] = {}  # by the file's label: what cannot be heard

    def known(self, file: SoundFile) -> SoundFacts | None:
        """What a file is; None where it cannot be read, which is then among the errors."""
        at = (id(file.files), file.name)
        encoder = self._profile.rules.own_encoder
        if at not in self._known:
            self._known[at] = None
            if encoder is not None and file.name.lower().endswith(encoder.extension):
                self.own_codec.add(file.label)
                return None
            try:
                with file.stream() as stream:
                    facts = clips.OpenSound(stream, file.name).facts
                    how = marking(self._profile.rules.loops, facts.container)
                    stream.seek(0)
                    loop = loops.read(stream, how) if how else None
                self._known[at] = SoundFacts(facts.rate, min(2, facts.channels), facts.frames, loop)
            except IchnosError as error:
                self.errors[file.label] = error
        return self._known[at]

    def channels(self, file: SoundFile) -> int:
        facts = self.known(file)
        return facts.channels if facts else 1

    def is_marked(self, file: SoundFile) -> bool:
        """Does the game find a loop in a file?"""
        facts = self.known(file)
        return facts is not None and facts.loop is not None

    def frames(self, file: SoundFile, turns: int) -> tuple[int | None, int]:
        """The frames of so many turns of a file, and their rate; None where it goes round without end."""
        facts = self.known(file)
        if facts is None:
            return 0, 1
        if turns == 0:
            return None, facts.rate
        start, end = self.turn(facts)
        return (end + (turns - 1) * (end - start) if turns > 1 else facts.frames), facts.rate

    @staticmethod
    def turn(facts: SoundFacts) -> tuple[int, int]:
        """Where a file goes back to, and the frame behind the last one before it does."""
        if facts.loop is None or not 0 <= facts.loop[0] < facts.loop[1] < facts.frames:
            return 0, facts.frames
        return facts.loop[0], facts.loop[1] + 1

    def blocks(self, file: SoundFile, turns: int) -> Iterator[Block]:
        """A file as it is played: once, or from its beginning and then round and round."""
        facts = self.known(file)
        spool = self._spool(file)
        if facts is None or spool is None or not spool.frames:
            return
        if turns == 1:
            yield from spool.blocks()
            return
        start, end = self.turn(facts)
        yield from spool.blocks(0, end)
        left = None if turns == 0 else (turns - 1) * (end - start)
        while spool.frames > start and (left is None or left > 0):
            for block in self._turn(spool, start, end):
                part = block if left is None else block[:left]
                left = None if left is None else left - len(part)
                if len(part):
                    yield part

    @staticmethod
    def _turn(spool: Spool, start: int, end: int) -> Iterator[Block]:
        """One turn; of a short one as many as make a block."""
        import numpy as np

        if end - start >= _BLOCK:
            yield from spool.blocks(start, end)
            return
        turn = spool.part(start, end)
        yield np.tile(turn, (-(-_BLOCK // max(1, len(turn))), 1))

    def _spool(self, file: SoundFile) -> Spool | None:
        at = (id(file.files), file.name)
        if at not in self._spools:
            try:
                with file.stream() as stream:
                    sound = clips.OpenSound(stream, file.name)
                    channels = min(2, sound.facts.channels)
                    mixed = chain.mix_channels(sound.blocks(), channels, mask=sound.facts.mask)
                    self._spools[at] = Spool(mixed, channels)
            except IchnosError as error:
                self.errors[file.label] = error
                return None
            while len(self._spools) > _KEPT:
                self._spools.popitem(last=False)
        self._spools.move_to_end(at)
        return self._spools[at]
