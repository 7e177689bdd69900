"""Findings about a pack's sounds, each decoded to its end."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO

from ichnos.audio.files import clips, containers, loops
from ichnos.audio.files.clips import Facts
from ichnos.audio.process.target import Target
from ichnos.errors import IchnosError, Place
from ichnos.games.targets import target
from ichnos.review.budget import Budget
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

_SILENT = 1e-3  # of full scale


@dataclass(frozen=True)
class _Heard:
    """What is in a sound file, whatever it is called. ``error``: why not all of it could be decoded."""

    facts: Facts | None = None
    frames: int = 0
    peak: float = 0.0
    error: IchnosError | None = None


class Decoder:
    """Decodes the sounds of one check, each content once, as far as the budget goes."""

    def __init__(self, subject: Subject, budget: Budget) -> None:
        self.subject, self.budget = subject, budget
        self._heard: dict[str, _Heard] = {}

    def findings(self, name: str) -> tuple[list[Finding], float]:
        """Decode one sound; what is wrong with it, and how many seconds were decoded."""
        subject = self.subject
        place = subject.label(name)
        kind = subject.kinds.get(name, subject.profile.kinds[""])
        wanted = subject.targets.get(name) or target(subject.profile, kind)
        if not self.budget.file(name, subject.files.size(name)):
            return [], 0.0
        try:
            opened = subject.files.stream(name)
        except IchnosError as error:
            return [finding("archive-damaged", place, error.what)], 0.0
        with opened as stream:
            if subject.is_own_codec(name):
                empty = not stream.read(1)
                return [finding("take-damaged", place, "this file is empty")] if empty else [], 0.0
            heard = self._decoded(stream, name)
            looped = not wanted.loop or loops.read(stream, wanted.loop) is not None
        if heard is None:
            return [], 0.0
        if heard.facts is None or heard.error is not None:
            damage = heard.error
            seconds = damage.place.seconds if damage and damage.place else None
            return [finding("take-damaged", replace(place, seconds=seconds), damage.what if damage else "")], 0.0
        facts = replace(heard.facts, claimed=containers.claimed(Path(name)))
        results = list(_format(wanted, facts, place))
        if facts.channels > 1 and name in subject.at_a_place and wanted.is_mono:
            reason = f"it is to be heard at its place ({subject.at_a_place[name]}), and has {facts.channels} channels"
            results.append(finding("place-stereo", place, reason))
        if heard.peak < _SILENT and name not in subject.silent:
            results.append(finding("take-silent", place, "it is silent from beginning to end"))
        longest, lasts = kind.seconds, heard.frames / facts.rate
        if longest is not None and lasts > longest:
            results.append(finding("take-long", place, f"it lasts {lasts:.1f} s, {longest:g} s are allowed"))
        if not looped:
            what = "its definition says that it loops, and no marker in it does"
            results.append(finding("loop-missing", place, what))
        return results, lasts

    def _decoded(self, stream: IO[bytes], name: str) -> _Heard | None:
        """What is in a stream; None where the budget does not reach for it."""
        digest = hashlib.file_digest(stream, "sha256").hexdigest()  # type: ignore[arg-type]
        if digest not in self._heard:
            stream.seek(0)
            try:
                sound = clips.OpenSound(stream, name)
                facts = sound.facts
                if not self.budget.sound(name, facts.seconds):
                    return None
                frames, peak = 0, 0.0
                for block in sound.blocks():
                    frames += len(block)
                    peak = max(peak, float(block.max()), -float(block.min()))
                self._heard[digest] = _Heard(facts, frames, peak)
            except IchnosError as error:
                self._heard[digest] = _Heard(error=error)
        return self._heard[digest]


def _format(wanted: Target, facts: Facts, place: Place) -> Iterator[Finding]:
    if facts.disguised:
        yield finding("take-disguised", place, f"the extension says {facts.claimed}, but it holds {facts.container}")
        return
    wrong = wanted.differs(facts)
    if wrong:
        yield finding("take-format", place, "; ".join(wrong))
