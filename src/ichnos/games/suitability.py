"""Clips against a game's rules: what would have to change, and what would be heard otherwise than meant."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from ichnos.audio.files.clips import Facts, open_sound
from ichnos.audio.files.loops import Marking
from ichnos.audio.measure.analysis import ClipAnalysis, analyse
from ichnos.audio.measure.judging import ClipFinding, judge
from ichnos.audio.process.target import Target
from ichnos.errors import IchnosError
from ichnos.games.catalogues import library
from ichnos.games.profiles import loading
from ichnos.games.profiles import profile as profiles
from ichnos.games.profiles.profile import Profile
from ichnos.games.targets import marking
from ichnos.games.targets import target as target_for


def changes(facts: Facts, target: Target) -> list[str]:
    """What a build changes of a clip, in words; nothing where its form is the game's."""
    sentences, target = [], target.of_clip(facts)
    if (facts.container, facts.codec) != (target.container, target.codec):
        sentences.append(f"{facts.kind} becomes {target.container} {target.codec}")
    if facts.channels != target.channels:
        sentences.append(f"{_channels(facts.channels)} becomes {_channels(target.channels)}")
    if facts.rate != target.rate:
        sentences.append(f"{facts.rate} Hz becomes {target.rate} Hz")
    return sentences


def against(analysis: ClipAnalysis, profile: Profile, target: Target, longest: float | None) -> list[ClipFinding]:
    """What the game's rules say of the clip that a build does not put right."""
    return list(_against(analysis, profile, target, longest))


def _against(analysis: ClipAnalysis, profile: Profile, target: Target, longest: float | None) -> Iterator[ClipFinding]:
    facts, title = analysis.facts, profile.rules.game.title
    if longest is not None and facts.seconds > longest:
        yield ClipFinding(
            "long",
            f"{title} takes {longest:g} s at most, and this lasts {facts.seconds:.1f} s",
            f"cut it: ichnos treat --cut 0:{longest:g}",
            "error",
        )
    if profile.rules.loops.kind != "field" and analysis.loops:
        start, end = analysis.loops[0]
        yield ClipFinding(
            "loop", f"it marks a loop from sample {start} to {end}", "say loop = true, and the build carries it over"
        )


def _channels(count: int) -> str:
    return {1: "mono", 2: "stereo"}.get(count, f"{count} channels")


@dataclass(frozen=True)
class Judge:
    """A game's rules for some sounds."""

    profile: Profile
    target: Target
    longest: float | None  # in seconds
    key_checked: bool  # against the game's own keys, as far as they are known

    @property
    def title(self) -> str:
        return self.profile.rules.game.title

    @property
    def marking(self) -> Marking | None:
        """How the game wants loops marked."""
        return marking(self.profile.rules.loops, self.target.container)


def judge_for(game: str | None, key: str | None, category: str | None, kind: str | None = None) -> Judge | None:
    """The rules of a game, by its name or its profile's folder, for a key, a category or a kind of sound.

    Raises:
        UsageError: a kind that the game does not have.
        IchnosError: a key that the game does not have, as far as its keys are known.
    """
    if game is None:
        return None
    profile = loading.load(profiles.find(game))
    profile.need_kind(kind)
    catalogue = library.load(profile.identity)
    if key is not None and catalogue is not None:
        if key not in catalogue:
            raise IchnosError(
                f'{profile.rules.game.title} has no key "{key}"',
                cure=catalogue.did_you_mean(key),
            )
        category = category or catalogue.category(key)
    kind_rules = profile.kind_of(key or "", category, said=kind)
    return Judge(profile, target_for(profile, kind_rules), kind_rules.seconds, key is None or catalogue is not None)


@dataclass(frozen=True)
class JudgedClip:
    """A clip and all that is to be said of it; ``analysis`` is None where it could not be read."""

    clip: Path
    analysis: ClipAnalysis | None
    findings: list[ClipFinding]
    becomes: tuple[str, ...] | None = None  # what a build changes of it; None without a game

    @property
    def is_error(self) -> bool:
        return any(finding.is_error for finding in self.findings)

    @property
    def badness(self) -> tuple[bool, int, int]:
        """For sorting: the worst is the largest."""
        return self.analysis is None, sum(finding.is_error for finding in self.findings), len(self.findings)


def judge_clips(clips: Sequence[Path], rules: Judge | None, on_progress: Callable[[], None]) -> list[JudgedClip]:
    """Measure and judge clips, side by side. ``on_progress`` is called after each, from the threads that look."""

    def one(clip: Path) -> JudgedClip:
        try:
            with open_sound(clip) as sound:
                analysis = analyse(sound, marking=rules.marking if rules else None)
        except IchnosError as error:
            return JudgedClip(clip, None, [ClipFinding("unreadable", error.what, error.cure, "error")])
        finally:
            on_progress()
        findings = against(analysis, rules.profile, rules.target, rules.longest) if rules else []
        becomes = tuple(changes(analysis.facts, rules.target)) if rules else None
        return JudgedClip(clip, analysis, [*judge(analysis), *findings], becomes)

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return list(pool.map(one, clips))
