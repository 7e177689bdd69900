"""What is picked how often, without a sound: takes against their weights, a schedule against its rules."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass

from ichnos.games.things import Thing
from ichnos.play.turns import BETWEEN, Takes, Turns
from ichnos.play.world import PlayedSound

_ERRORS = 4  # standard errors: further off than this is no chance


@dataclass(frozen=True)
class Share:
    """How often something was picked, of all; ``expected``: None where no rule gives a number."""

    name: str
    count: int
    found: float
    expected: float | None = None
    error: float = 0.0  # the standard error of what was found

    @property
    def is_odd(self) -> bool:
        """Is it further from what is expected than chance explains?"""
        return self.expected is not None and abs(self.found - self.expected) > _ERRORS * self.error + 1e-12


def of_takes(sound: PlayedSound, count: int, seed: int) -> list[Share]:
    """A key played so many times: the share of each take."""
    takes, counts = Takes(seed), Counter[int]()
    for _ in range(count):
        picked = takes.pick(sound)
        if picked is not None:
            counts[picked[0]] += 1
    total = sum(take.weight for take in sound.takes)
    shares = []
    for at, take in enumerate(sound.takes):
        expected = take.weight / total
        error = math.sqrt(expected * (1 - expected) / count)
        name = take.file.name.rpartition("/")[2] if take.file else "no file"
        shares.append(Share(f"take {at + 1}, {name}", counts[at], counts[at] / count, expected, error))
    return shares


@dataclass(frozen=True)
class ScheduleCount:
    """A schedule's entries, so many of them. ``gaps``: how many pieces stood between two in-betweens, how often."""

    shares: list[Share]
    gaps: dict[int, int]
    repeats: int  # a piece that is the one before
    mean_gap: float | None
    expected_gap: float | None


def of_schedule(schedule: Thing, count: int, seed: int) -> ScheduleCount:
    """A schedule played for so many entries."""
    turns = Turns(schedule, seed)
    counts, gaps = Counter[str](), Counter[int]()
    last, since, repeats, begun = "", 0, 0, False
    for _ in range(count):
        key, kind = turns.next()
        counts[f"{key}, {kind}"] += 1
        if kind == BETWEEN:
            if begun:
                gaps[since] += 1
            begun, since = True, 0
        else:
            repeats += key == last
            last, since = key, since + 1
    pieces, number = turns.pieces, len(turns.pieces)
    inner = sum(gaps.values())
    mean = sum(gap * times for gap, times in gaps.items()) / inner if inner else None
    free = turns.apart <= turns.after or len(turns.between) > turns.apart
    expected = turns.after + (1 - turns.odds) / turns.odds if turns.between and free else None
    heard = sum(times for name, times in counts.items() if name.endswith(", main"))
    shares = []
    for name, times in counts.most_common():
        key, _, kind = name.rpartition(", ")
        share = pieces.count(key) / number * heard / count if kind == "piece" else None
        error = math.sqrt(max(share * (1 - share), 0) / count) if share is not None else 0.0
        shares.append(Share(name, times, times / count, share, error))
    return ScheduleCount(shares, dict(sorted(gaps.items())), repeats, mean, expected)
