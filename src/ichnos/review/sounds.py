"""Findings about a pack's sounds, each decoded to its end."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from ichnos.audio.files import clips, loops
from ichnos.audio.files.clips import Facts
from ichnos.audio.process.conversion import Target
from ichnos.errors import IchnosError, Place
from ichnos.games.targets import target
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

_SILENT = 1e-3  # of full scale


def findings(subject: Subject, name: str) -> tuple[list[Finding], float]:
    """Decode one sound; what is wrong with it, and how many seconds were decoded."""
    place = subject.label(name)
    kind = subject.kinds.get(name, subject.profile.kinds[""])
    wanted = subject.targets.get(name) or target(subject.profile, kind)
    try:
        opened = subject.files.stream(name)
    except IchnosError as error:
        return [finding("archive-damaged", place, error.what)], 0.0
    if subject.is_own_codec(name):
        with opened as stream:
            empty = not stream.read(1)
        return [finding("take-damaged", place, "this file is empty")] if empty else [], 0.0
    try:
        with opened as stream:
            facts, blocks = clips.decoded(stream, Path(name))
            frames, peak = 0, 0.0
            for block in blocks:
                frames += len(block)
                peak = max(peak, float(block.max()), -float(block.min()))
            looped = not wanted.loop or loops.read(stream, wanted.loop) is not None
    except IchnosError as error:
        seconds = error.place.seconds if error.place else None
        return [finding("take-damaged", replace(place, seconds=seconds), error.what)], 0.0
    found = list(_format(wanted, facts, place))
    if peak < _SILENT and name not in subject.silent:
        found.append(finding("take-silent", place, "it is silent from beginning to end"))
    longest = kind.seconds
    if longest is not None and frames / facts.rate > longest:
        found.append(finding("take-long", place, f"it lasts {frames / facts.rate:.1f} s, {longest:g} s are allowed"))
    if not looped:
        found.append(finding("loop-missing", place, "its definition says that it loops, and no marker in it does"))
    return found, frames / facts.rate


def _format(wanted: Target, facts: Facts, place: Place) -> Iterator[Finding]:
    if facts.disguised:
        yield finding("take-disguised", place, f"the extension says {facts.claimed}, but it holds {facts.container}")
        return
    wrong = wanted.differs(facts)
    if wrong:
        yield finding("take-format", place, "; ".join(wrong))
