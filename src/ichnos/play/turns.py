"""What is picked: takes by their weights, the entries of a schedule by its rules. The same seed picks the same."""

from __future__ import annotations

import random
from collections.abc import Sequence

from ichnos.games.profiles.vocabulary import ENTRY
from ichnos.games.things import Thing
from ichnos.play.world import PlayedSound, PlayedTake, number

_LOUDEST = 100.0
PIECE, BETWEEN = "piece", "between"


def chance(seed: int, what: str) -> random.Random:
    """A source of chance of its own for each purpose: one that is used more does not change the others."""
    return random.Random(f"{seed} {what}")


class Takes:
    """Picks takes by weight."""

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._chances: dict[str, random.Random] = {}

    def pick(self, sound: PlayedSound) -> tuple[int, PlayedTake] | None:
        """A take and its place in the order, from 0; None where the key has none."""
        if not sound.takes:
            return None
        chances = self._chances.setdefault(sound.key, chance(self._seed, f"takes of {sound.key}"))
        at = weighted(chances.random(), [take.weight for take in sound.takes])
        return at, sound.takes[at]


def weighted(draw: float, weights: Sequence[float]) -> int:
    """The place in which a draw from 0 to 1 falls, each place as wide as its weight."""
    if not sum(weights):
        weights = [1.0] * len(weights)
    left = draw * sum(weights)
    for at, weight in enumerate(weights):
        left -= weight
        if left < 0:
            return at
    return max(range(len(weights)), key=lambda at: weights[at])


class Turns:
    """The entries of a schedule, one after the other.

    An in-between may come once ``after`` pieces were heard since the last one, and then by ``odds``; the same
    in-between not until ``apart`` entries of either kind were heard since. A piece is any of them with the same
    likelihood; not the one before, where ``twice`` says no.
    """

    def __init__(self, schedule: Thing, seed: int) -> None:
        values = schedule.values

        kinds = [(str(entry.key), str(entry.values.get("entry.kind") or PIECE)) for entry in schedule.of(ENTRY)]
        self.pieces = [key for key, kind in kinds if kind != BETWEEN]
        self.between = [key for key, kind in kinds if kind == BETWEEN]
        self.after, self.apart = (
            round(number(values.get("schedule.after"), 1)),
            round(number(values.get("schedule.apart"))),
        )
        self.odds = number(values.get("schedule.odds"), 1, 1e-6, 1)
        self.twice = values.get("schedule.twice") is not False
        self.levels = {
            PIECE: number(values.get("schedule.piece-volume"), 1, most=_LOUDEST),
            BETWEEN: number(values.get("schedule.between-volume"), 1, most=_LOUDEST),
        }
        self._chance = chance(seed, f"schedule {values.get('schedule.name')}")
        self._since = 0  # pieces since the last in-between
        self._count = 0
        self._heard: dict[str, int] = {}  # when each in-between was heard last
        self._last = ""

    def next(self) -> tuple[str, str]:
        """The next key, and whether it is a piece or an in-between."""
        ready = [
            key for key in self.between if key not in self._heard or self._count - self._heard[key] - 1 >= self.apart
        ]
        is_due = self._since >= self.after or not self.pieces
        if ready and is_due and (self._chance.random() < self.odds or not self.pieces):
            key, kind = self._any(ready), BETWEEN
            self._heard[key], self._since = self._count, 0
        elif not self.pieces:
            key, kind = self._any(self.between), BETWEEN
        else:
            others = [piece for piece in self.pieces if piece != self._last] if not self.twice else self.pieces
            key, kind = self._any(others or self.pieces), PIECE
            self._last, self._since = key, self._since + 1
        self._count += 1
        return key, kind

    def _any(self, keys: Sequence[str]) -> str:
        return keys[int(self._chance.random() * len(keys))]
