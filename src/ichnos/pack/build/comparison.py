"""A plan beside the last build: what is new, changed or the same, and why."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache

from ichnos.audio.process.target import Target
from ichnos.files import disk
from ichnos.pack.build.state import BuiltFile, LastBuild
from ichnos.pack.plan.plan import BuildPlan, PlannedFile

NEW, CHANGED, SAME = "new", "changed", "same"


@dataclass(frozen=True)
class Comparison:
    """``states``: of each planned file. ``why``: of those that changed, what of them did. ``gone``: files of the
    last build that the plan no longer has."""

    states: Mapping[str, str]
    why: Mapping[str, str] = field(default_factory=dict)
    gone: tuple[str, ...] = ()

    @property
    def unchanged(self) -> bool:
        return not self.gone and all(state == SAME for state in self.states.values())


def compare(plan: BuildPlan, last: LastBuild | None) -> Comparison:
    """Hold a plan against the last build, where its package still stands."""
    if last is None or not last.package_stands:
        return Comparison({file.path: NEW for file in plan.files})
    states, why = {}, {}
    for file in plan.files:
        was = last.files.get(file.path)
        if was is None:
            states[file.path] = NEW
            continue
        now = made_from(file)
        states[file.path] = SAME if was.content == now.content else CHANGED
        if was.content != now.content:
            why[file.path] = _why(file, was, now, profile_changed=last.profile != plan.outline.profile)
    gone = sorted(set(last.files) - {file.path for file in plan.files})
    return Comparison(states, why, tuple(gone))


def _why(file: PlannedFile, was: BuiltFile, now: BuiltFile, *, profile_changed: bool) -> str:
    """What of a file changed, in plain words."""
    parts = []
    if file.conversion is not None:
        pieces = (("clip", was.clip, now.clip), ("treatment", was.treatment, now.treatment))
        parts = [word for word, before, after in (*pieces, ("settings", was.target, now.target)) if before != after]
    if not parts and file.encoded:
        parts = ["what the game's encoder wrote"]
    if not parts and profile_changed:
        parts = ["profile"]
    return f"{' and '.join(parts)} changed" if parts else "what it says changed"


def made_from(file: PlannedFile) -> BuiltFile:
    """All that a file's content depends on, piece by piece."""
    if file.conversion is None:
        return BuiltFile(hashlib.sha256((file.data or b"") + file.depends.encode()).hexdigest())
    content = disk.digest(file.encoded) if file.encoded else file.conversion.identity
    return BuiltFile(content, file.conversion.sha256, *_settings(file.conversion.target))


@cache
def _settings(target: Target) -> tuple[str, str]:
    return ", ".join(map(repr, target.treatment)), repr(replace(target, treatment=()))
