"""Checking a pack: it is read back from disk through the profile, and every sound in it decoded."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from ichnos.errors import Place
from ichnos.review import (
    across,
    documents,
    finished,
    keys,
    licences,
    metadata,
    naming,
    references,
    scripts,
    sounds,
    values,
    verdicts,
    waivers,
)
from ichnos.review.budget import Budget
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

MOST_ALIKE = 100  # findings of one kind in one file

# In the order in which they are reported.
_FAMILIES: tuple[Callable[[Subject], Iterator[Finding]], ...] = (
    naming.in_archive,
    documents.findings,
    metadata.ids,
    across.installed,
    across.own_numbers,
    keys.findings,
    naming.findings,
    values.findings,
    references.findings,
    references.not_by_name,
    references.copies,
    references.files_of_fields,
    keys.played,
    scripts.findings,
    metadata.titles,
    metadata.versions,
    metadata.icon,
    licences.of_subject,
    references.unused,
    finished.findings,
    verdicts.findings,
)


# What can be wrong in a game itself: all else is how that game is.
_OF_A_GAME = (documents.findings, references.findings, keys.played)
_IN_A_GAME = ("archive-damaged", "document-broken", "entry-strange", "play-unknown", "take-damaged", "take-disguised",
              "take-missing")  # fmt: skip


@dataclass(frozen=True)
class Checked:
    """What was read, and what was found. ``seconds`` of sound were decoded, in all.

    ``own_codec``: sounds in the game's own codec, which only it can decode.
    """

    findings: tuple[Finding, ...]
    waived: tuple[tuple[Finding, str], ...]  # each with the reason that the pack file gives
    documents: int
    keys: int
    sounds: int
    seconds: float
    own_codec: int = 0
    is_game: bool = False

    @property
    def passed(self) -> bool:
        return not any(found.kind.is_error for found in self.findings)


def _not_endless(findings: Sequence[Finding]) -> list[Finding]:
    """At most so many findings of one kind in one file, and one that says how many more there are."""
    counts = Counter((one.kind.id, one.place.path) for one in findings)
    seen: Counter[tuple[str, str]] = Counter()
    kept = []
    for one in findings:
        alike = one.kind.id, one.place.path
        seen[alike] += 1
        if seen[alike] <= MOST_ALIKE:
            kept.append(one)
        elif seen[alike] == counts[alike]:
            more = f"{counts[alike] - MOST_ALIKE:,} more of this kind in this file"
            kept.append(Finding(one.kind, Place(one.place.path), more, one.cure))
    return kept


def _over(subject: Subject, budget: Budget) -> Iterator[Finding]:
    if budget.over:
        what = (
            f"{len(budget.over):,} of {len(subject.sounds):,} sounds were not looked at, {min(budget.over)} among them"
        )
        yield finding("over-budget", subject.files.place, what)


def check(subject: Subject, on_progress: Callable[[str], None], budget: Budget | None = None) -> Checked:
    """Check a pack.

    Args:
        budget: how much of it is looked at; what is over it is a finding, and the rest is checked all the same.
        on_progress: called with the name of each sound file when it has been decoded.
    """
    results = [one for family in (_OF_A_GAME if subject.is_game else _FAMILIES) for one in family(subject)]

    budget = budget or Budget()
    decoder = sounds.Decoder(subject, budget)

    def one(name: str) -> tuple[list[Finding], float]:
        result = decoder.findings(name)
        on_progress(name)
        return result

    subject.targets, subject.kinds, subject.silent, subject.sound_files  # noqa: B018 (made once, before several threads ask for them)
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        decoded = list(pool.map(one, subject.sounds))
    results += [each for findings, _ in decoded for each in findings]
    results = [one for one in results if not subject.is_game or one.kind.id in _IN_A_GAME]
    results += _over(subject, budget)
    left, waived = waivers.sort_out(subject.context, results)
    left = _not_endless(left)
    own_codec = sum(subject.is_own_codec(name) for name in subject.sounds)
    return Checked(
        tuple(left),
        tuple(waived),
        len(subject.pack.documents),
        len(subject.keys),
        len(subject.sounds) - own_codec,
        sum(seconds for _, seconds in decoded),
        own_codec,
        subject.is_game,
    )
