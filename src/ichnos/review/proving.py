"""Packs proved: each read back and decoded, and several held against each other in the order in which they load."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from contextlib import closing, suppress
from dataclasses import dataclass
from pathlib import Path

from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.games.opening import opened
from ichnos.games.pristine import game_tree
from ichnos.pack.build import state as states
from ichnos.pack.workspace.workspace import Workspace
from ichnos.review import across, verdicts
from ichnos.review.budget import Budget
from ichnos.review.check import Checked, check
from ichnos.review.context import Context
from ichnos.review.findings import Finding
from ichnos.review.subject import Subject


@dataclass(frozen=True)
class Proved:
    """What came of it. ``shared``: findings about several packs. ``over``: keys of verdicts on sounds made anew."""

    packs: tuple[Path, ...]
    results: tuple[Checked, ...]
    shared: tuple[Finding, ...]
    over: tuple[str, ...]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """Those that are not waived."""
        return (*(finding for result in self.results for finding in result.findings), *self.shared)


def subjects(context: Context, packs: Sequence[Path]) -> list[Subject]:
    """Packs as they are looked at; or a game itself, which is the folder that its keys were read from.

    Raises:
        IchnosError: one of them cannot be opened.
    """
    game = context.catalogue.source if context.catalogue is not None else None
    return [
        Subject(context, game_tree(path, context.profile), is_game=True)
        if str(disk.resolved(path)) == game
        else Subject(context, opened(context.profile, path))
        for path in packs
    ]


def prove(
    packs: Sequence[Path],
    subjects: Sequence[Subject],
    on_progress: Callable[[str], None] = lambda _: None,
    times: float = 1.0,
) -> Proved:
    """Check packs, and close them.

    Args:
        found: the same packs, opened.
        on_progress: called with the name of each sound that was decoded.
        times: how much of a large pack is looked at, as a part of what is usual.
    """
    results = [check(subject, on_progress, Budget(times)) for subject in subjects]
    shared: list[Finding] = []
    if len(packs) > 1:
        loads = [across.Loaded(str(pack), subject) for pack, subject in zip(packs, subjects, strict=True)]
        shared = list(across.findings(subjects[0].profile, loads))
    over = tuple(key for subject in subjects for key in verdicts.over(subject))
    for subject in subjects:
        subject.files.close()
    return Proved(tuple(packs), tuple(results), tuple(shared), over)


def note(loaded: Workspace, result: Checked) -> None:
    """Note for ``status`` what came of checking the pack that was built last."""
    state = states.opened(loaded.folder)
    if state is not None and loaded.game is None:
        with closing(state), suppress(IchnosError):  # it is only told
            last = state.latest_build(None)
            if last is not None:
                errors = sum(finding.kind.is_error for finding in result.findings)
                first = max(result.findings, key=lambda one: one.kind.is_error, default=None)
                told = f"{first.kind.id}, {first.place}: {first.reason}" if first else ""
                said = {"sha256": last.sha256, "findings": len(result.findings), "errors": errors, "first": told}
                state.note_fact("checked", json.dumps(said))
