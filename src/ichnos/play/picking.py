"""What is played of a key: one of its takes, or its parts in their order."""

from __future__ import annotations

from ichnos.errors import Place
from ichnos.games.profiles.vocabulary import BODY, INTRO
from ichnos.play.decoding import Sounds
from ichnos.play.turns import Takes
from ichnos.play.world import PlayedSound, SoundFile, World


class Picking:
    """Picks for one rehearsal. ``stuck``: takes the keys whose intro is marked to loop, and never ends."""

    def __init__(self, world: World, sounds: Sounds, seed: int, stuck: dict[str, Place]) -> None:
        self.world, self.sounds, self.stuck = world, sounds, stuck
        self.takes = Takes(seed)

    def picked(
        self, sound: PlayedSound, turns: int, through: tuple[str, ...] = ()
    ) -> tuple[str, tuple[tuple[SoundFile, int], ...], float, float]:
        """What is played of a key: which take or part it is, its files, its level and its pitch.

        Args:
            through: the keys that have led to it, as a take of theirs.
        """
        times = turns if sound.loop else 1
        if sound.parts:
            body, intro = sound.parts.get(BODY), sound.parts.get(INTRO)
            if body is None:
                name, file = next(iter(sound.parts.items()))
                return name, ((file, times),), 1.0, 1.0
            if intro is not None and self.sounds.is_marked(intro):
                self.stuck[sound.key] = sound.place
                return INTRO, ((intro, turns),), 1.0, 1.0
            rounds = 1 if sound.loop is False else turns
            if intro is None:
                return BODY, ((body, rounds),), 1.0, 1.0
            return f"{INTRO}, then {BODY}", ((intro, 1), (body, rounds)), 1.0, 1.0
        picked = self.takes.pick(sound)
        if picked is None:
            return "", (), 1.0, 1.0
        at, take = picked
        called = f"take {at + 1}" if len(sound.takes) > 1 else ""
        if take.file is not None:
            return called, ((take.file, times),), take.volume, take.pitch
        other = self.world.sounds.get(take.key) if take.key else None
        if other is None or sound.key in through:
            return "", (), 1.0, 1.0
        what, pieces, level, pitch = self.picked(other, turns, (*through, sound.key))
        whole = ", ".join(filter(None, (called, f"{other.key} {what}".strip())))
        return whole, pieces, take.volume * other.volume * level, take.pitch * other.pitch * pitch
