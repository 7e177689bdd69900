"""The mix of a scene, in blocks: levels by distance, sides by direction, fades; and never over -1 dBTP.

A sound at a place is at full level up to its near distance and at none from its far one on; between the two

* ``straight``: (far - d) / (far - near);
* ``halving``: near / d (a near distance of nothing counts as 1 m), and from far on nothing.

Its direction is that of the thing from where the listener looks, a; x = sin a is its side, from -1 (left) to 1. The
left side gets cos((x + 1) pi / 4) of it, the right side sin((x + 1) pi / 4): the power of both together is the sound's
own. A mono sound that is heard everywhere stands in the middle by the same law; a stereo one is played as it is.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

from ichnos.audio.blocks import chain
from ichnos.play.acting import Played, Voice
from ichnos.play.decoding import Sounds
from ichnos.play.scene import Scene, Spot, distance

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from ichnos.audio.blocks.block import Block

BLOCK = 8192  # frames that are mixed at once
CEILING = -1.0  # dBTP
_GRID = 256  # frames between two looks at where the listener is


def level(d: float, near: float, far: float, curve: str) -> float:
    """What is left of a sound at a distance, from 0 to 1.

    >>> level(10, 5, 25, "straight"), level(10, 5, 25, "halving"), level(25, 5, 25, "halving")
    (0.75, 0.5, 0.0)
    """
    if d >= far:
        return 0.0
    if d <= near:
        return 1.0
    return (far - d) / (far - near) if curve == "straight" else min(1.0, (near or 1.0) / d)


def sides(place: Spot, listener: Spot, facing: float) -> tuple[float, float]:
    """What of a sound comes from the left and from the right; facing in degrees.

    >>> [round(one, 3) for one in sides((3, 0), (0, 0), 0)]
    [0.0, 1.0]
    """
    east, north = place[0] - listener[0], place[1] - listener[1]
    side = math.sin(math.atan2(east, north) - math.radians(facing)) if east or north else 0.0
    turn = (side + 1) * math.pi / 4
    return math.cos(turn), math.sin(turn)


class Mixing:
    """Mixes what was played. ``heard``: the highest level that each voice reached by its distance, by its number."""

    def __init__(self, played: Played, scene: Scene, sounds: Sounds, curve: str) -> None:
        self.played, self.scene, self.sounds, self.curve = played, scene, sounds, curve
        self.heard: dict[int, float] = {}
        self._readers: dict[int, _Reader] = {}
        self._places = {thing.name: thing.place for thing in scene.thing}

    def blocks(self) -> Iterator[Block]:
        """The mix in stereo, before anything is held down: float32, shape (frames, 2)."""
        import numpy as np

        waiting = sorted(self.played.voices, key=lambda one: (one.start, one.number))
        active: list[Voice] = []
        at = 0
        for start in range(0, self.played.frames, BLOCK):
            end = min(start + BLOCK, self.played.frames)
            while at < len(waiting) and waiting[at].start < end:
                if waiting[at].end > waiting[at].start:
                    active.append(waiting[at])
                at += 1
            mix = np.zeros((end - start, 2), np.float32)
            for voice in active:
                first, last = max(start, voice.start), min(end, voice.end)
                if last > first:
                    mix[first - start : last - start] += self.part(voice, first, last)
            for voice in active:
                if voice.end <= end:
                    self._readers.pop(voice.number, None)
            active = [voice for voice in active if voice.end > end]
            yield mix

    def part(self, voice: Voice, first: int, last: int) -> Block:
        """The frames of a voice from one moment of the mix to another, which come one after the other."""
        import numpy as np

        if voice.number not in self._readers:
            self._readers[voice.number] = _Reader(voice, self.sounds, self.played.rate)
        sound = self._readers[voice.number].read(last - first)
        gains = self._gains(voice, first, last)
        stereo = sound if sound.shape[1] == 2 else np.repeat(sound, 2, axis=1)
        return np.asarray(stereo * gains, np.float32)

    def _gains(self, voice: Voice, first: int, last: int) -> NDArray[np.float32]:
        """What each side is multiplied by: shape (frames, 2), or (1, 2) where it does not change."""
        import numpy as np

        channels = self._readers[voice.number].channels
        if voice.thing is None:
            middle = math.sqrt(0.5) if channels == 1 else 1.0
            gains = np.full((1, 2), middle, np.float32)
            self.heard[voice.number] = 1.0
        else:
            gains = self._by_place(voice, first, last)
        gains = gains * np.float32(voice.gain)
        fade = self._fades(voice, first, last)
        return gains if fade is None else np.asarray(gains * fade[:, None], np.float32)

    def _by_place(self, voice: Voice, first: int, last: int) -> NDArray[np.float32]:
        import numpy as np

        place = self._places.get(str(voice.thing), self.scene.listener_at(0)[0])
        moments = [first, last] if self.scene.stands_still else [*range(first, last, _GRID), last]
        channels = []
        for moment in moments[:1] if self.scene.stands_still else moments:
            listener, facing = self.scene.listener_at(moment / self.played.rate)
            near = level(distance(place, listener), voice.near, voice.far, self.curve)
            left, right = sides(place, listener, facing)
            self.heard[voice.number] = max(self.heard.get(voice.number, 0.0), near)
            channels.append((near * left, near * right))
        if len(channels) == 1:
            return np.array(channels, np.float32)
        at = np.arange(first, last)
        return np.stack([np.interp(at, moments, [channel[side] for channel in channels]) for side in (0, 1)], axis=1)

    def _fades(self, voice: Voice, first: int, last: int) -> NDArray[np.float64] | None:
        import numpy as np

        fades = []
        if first < voice.start + voice.fade_in:
            fades.append((np.arange(first, last) - voice.start) / voice.fade_in)
        if voice.fade_out and last > voice.end - voice.fade_out:
            fades.append((voice.end - np.arange(first, last)) / voice.fade_out)
        if not fades:
            return None
        both = fades[0] if len(fades) == 1 else fades[0] * np.clip(fades[1], 0, 1)
        return np.asarray(np.clip(both, 0, 1))


class _Reader:
    """A voice's own sound, at the rate of the mix."""

    def __init__(self, voice: Voice, sounds: Sounds, rate: int) -> None:
        import numpy as np

        known = [sounds.known(file) for file, _ in voice.pieces]
        self.channels = max((facts.channels for facts in known if facts), default=1)
        if voice.thing is not None:
            self.channels = 1  # what has a place comes from there as one
        self._blocks = self._all(voice, sounds, rate)
        self._waiting: NDArray[np.float32] = np.zeros((0, self.channels), np.float32)

    def _all(self, voice: Voice, sounds: Sounds, rate: int) -> Iterator[Block]:
        for file, turns in voice.pieces:
            facts = sounds.known(file)
            if facts is not None:
                mixed = chain.mix_channels(sounds.blocks(file, turns), self.channels)
                yield from chain.resample(mixed, facts.rate * voice.pitch, rate, self.channels)

    def read(self, frames: int) -> NDArray[np.float32]:
        """The next frames; silence where the sound is over."""
        import numpy as np

        pieces, have = [self._waiting], len(self._waiting)
        while have < frames:
            block = next(self._blocks, None)
            if block is None:
                pieces.append(np.zeros((frames - have, self.channels), np.float32))
                break
            pieces.append(np.asarray(block, np.float32))
            have += len(block)
        whole = np.concatenate(pieces)
        self._waiting = whole[frames:]
        return whole[:frames]
