"""The plan of an install or a restore: every file that is written, and why."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from ichnos.errors import IchnosError, raise_all
from ichnos.files.file_state import FileState
from ichnos.files.guarded import GuardedFolder
from ichnos.files.journal import Claim, ClaimedPath, FileChange, GameRecord, InstalledPack, PendingTransaction
from ichnos.files.paths import listed
from ichnos.games import pristine
from ichnos.install.clashes import clashes, refuse_taken, replaced
from ichnos.install.contents import Contents
from ichnos.install.states import PathStates, same


@dataclass(frozen=True)
class PlannedChange:
    """One file, and why. ``state``: new, over, merged, line, cache, back or gone."""

    step: FileChange
    state: str
    reason: str


@dataclass
class InstallPlan:
    """All that will be done. ``stays``: files that are left as they are, and why."""

    root: GuardedFolder
    pack: InstalledPack
    what: PendingTransaction
    before: GameRecord
    steps: list[PlannedChange]
    contents: Contents
    notes: list[str]
    stays: list[tuple[str, str]]
    below: tuple[str, ...] = ()  # contents of the pack's files that lie below another pack's, and come up later


@dataclass
class _Planning:
    """One plan as it is made. ``old``: the edition of the pack that is in the game.

    ``caches``: paths that the game makes anew by itself; ``paths``: what is so of each when it is done.
    """

    states: PathStates
    pack: InstalledPack
    old: InstalledPack | None
    install: bool
    caches: set[str] = field(default_factory=set)
    paths: dict[str, ClaimedPath] = field(default_factory=dict)
    in_stack: Mapping[str, list[tuple[InstalledPack, Claim]]] = field(default_factory=dict)
    steps: list[PlannedChange] = field(default_factory=list)
    errors: list[IchnosError] = field(default_factory=list)
    unclaimed: list[str] = field(default_factory=list)  # caches that nobody claims any more

    def touched(self) -> list[str]:
        """The paths that the pack, or its old edition, has a claim on; and what the game has made anew since."""
        claims = [claim for one in (self.old, self.pack) if one for claim in one.claims]
        paths = dict.fromkeys(claim.path for claim in claims)
        self.caches = {claim.path for claim in claims if claim.how == "cache"}
        for pack in self.states.record.packs:
            _, made = self.states.expanded(claim for claim in pack.claims if claim.path == claim.content)
            regenerated = [claim.path for several in made.values() for claim in several]
            self.caches |= set(regenerated)
            paths |= dict.fromkeys(regenerated)
        return list(paths)

    def take(self, path: str) -> None:
        """Work out what is to be done at a path."""
        root = self.states.root
        if (path in self.caches and root.listing(path) is not None) or self.lies_below(path):
            return
        is_new = path in self.caches and path not in self.states.record.paths
        is_new_in_cache = is_new and (not self.install or self.states.was_cache(path))
        try:
            now = root.stand(path)
            claimed = ClaimedPath(None, None) if is_new_in_cache else self.states.known(path, now, install=self.install)
            if claimed is None:
                self.paths.pop(path, None)
                return
            claims = self.claims_on(path)
            if not claims and path in self.caches:
                self.unclaimed.append(path)
                return
            if path in self.caches and not self.install and is_new_in_cache:
                claims = [("", Claim(path, "cache", path))]
            after = self.states.target(path, claimed, now, claims)
        except IchnosError as error:
            self.errors.append(error)
            return
        if any(name for name, _ in claims):
            self.paths[path] = ClaimedPath(claimed.original, after)
        else:
            self.paths.pop(path, None)
        self.step(path, now, after, claimed, claims)

    def lies_below(self, path: str) -> bool:
        """Lies what this pack has at a path below another's file?"""
        top, claim = self.states.claims.get(path, [(None, None)])[-1]
        if claim is None or top is None or claim.how != "file" or top is self.old or self.old is None:
            return False
        order = self.states.record.packs
        return order.index(top) > order.index(self.old) and not self.states.is_combined(path, top)

    def claims_on(self, path: str) -> list[tuple[str, Claim]]:
        """The claims that packs will have on a path, each with the pack's name."""
        states = self.states
        return [
            (pack.name, states.without_given_up(claim))
            for pack, claim in self.in_stack.get(path, ())
            if pack is self.pack or (path not in states.forgotten and pack.name not in states.lost.get(path, ()))
        ]

    def take_unclaimed(self) -> None:
        """Caches that nobody claims any more: as they were, where all else is as it was."""
        for path in self.unclaimed:
            now, kept = self.states.root.stand(path), self.states.record.paths.get(path)
            after = None if self.states.shifted or kept is None else kept.original
            self.paths.pop(path, None)
            self.step(path, now, after, kept or ClaimedPath(None, None), [])

    def step(
        self,
        path: str,
        now: FileState | None,
        after: FileState | None,
        claimed: ClaimedPath,
        claims: list[tuple[str, Claim]],
    ) -> None:
        """Take in what is to be done at a path, where anything is."""
        if not same(now, after):
            change = FileChange(path, now, after)
            self.steps.append(PlannedChange(change, *_why(now, after, claimed, claims, self.pack)))


def plan(
    states: PathStates, what: Literal["install", "restore"], pack: InstalledPack, notes: Iterable[str] = ()
) -> InstallPlan:
    """The plan for a pack to go in (again, where it is there already), or to be taken out.

    Raises:
        IchnosError: files that somebody else has changed since, all together; whatever cannot be worked out.
    """
    install, packs = what == "install", states.record.packs
    old = next((other for other in packs if other.is_same(pack)), None)
    if install:
        others = [other for other in packs if other is not old]
        refuse_taken(states.root, pack, others)
        notes = [*notes, *replaced(old, pack), *clashes(states, pack, old, others)]
        pack = _with_caches(states, pack)
        stack = [*(pack if other is old else other for other in packs), *([pack] if old is None else [])]
        states.packs.append(pack)
    else:
        stack = [other for other in packs if not other.is_same(pack)]
    planning = _Planning(states, pack, old, install, paths=dict(states.record.paths))
    planning.in_stack = pristine.all_claims(stack)
    for path in planning.touched():
        planning.take(path)
    planning.take_unclaimed()
    raise_all([*planning.errors, *(changed.error(states.root, install=install) for changed in states.changed)])
    stack = [replace(other, claims=tuple(states.left_of(other, is_new=other is pack))) for other in stack]
    made, folders = _folders(states, planning.steps)
    shifted = states.shifted and bool(stack)
    record = GameRecord(tuple(stack), planning.paths, (*states.record.made, *made), folders, shifted)
    changes = tuple(step.step for step in planning.steps)
    pending = PendingTransaction(what, pack.name, not install, changes, tuple(made), record)
    notes = [*notes, *(_told_lost(path, names) for path, names in states.lost.items() if names)]
    stands = {path: claimed.written.sha256 for path, claimed in planning.paths.items() if claimed.written is not None}
    files = [claim for claim in pack.claims if install and claim.how == "file"]
    contents = tuple(dict.fromkeys(file.content for file in files if stands.get(file.path) != file.content))
    return InstallPlan(
        states.root, pack, pending, states.record, planning.steps, states.contents, notes, states.stays, contents
    )


def _with_caches(states: PathStates, pack: InstalledPack) -> InstalledPack:
    """A pack with a claim on each file of the caches that it makes stale, also while there is no file at all."""
    rest, found = states.expanded(pack.claims)
    rest += [claim for several in found.values() for claim in several]
    rest += [Claim(path, "cache", path) for path in found]
    return replace(pack, claims=tuple(dict.fromkeys(rest)))


def _told_lost(path: str, names: Iterable[str]) -> str:
    whose = listed(sorted(names))
    return f"{path}: the file of {whose} was written over by somebody else, and is not {whose}'s any more."


def _folders(states: PathStates, steps: Iterable[PlannedChange]) -> tuple[list[str], dict[str, tuple[int, str]]]:
    """The folders that are to be made, the outer ones first; and the times of those that are changed."""
    made: dict[str, None] = {}
    times = dict(states.record.folders)
    there: dict[str, tuple[int, str] | None] = {}
    for step in steps:
        parts = step.step.path.split("/")[:-1]
        for depth in range(len(parts), -1, -1):
            folder = "/".join(parts[:depth])
            if folder not in there:
                there[folder] = states.root.listing(folder)
            listing = there[folder]
            if listing is not None:
                if folder not in states.record.made:
                    times.setdefault(folder, listing)
                break
            made[folder] = None
    return sorted(made, key=lambda name: name.count("/")), times


def _why(
    now: FileState | None,
    after: FileState | None,
    path: ClaimedPath,
    claims: list[tuple[str, Claim]],
    pack: InstalledPack,
) -> tuple[str, str]:
    """The state of a step, and its reason."""
    if after is None:
        if any(claim.how == "cache" for _, claim in claims):
            return "cache", "stale: the game makes it anew"
        return "gone", "of this pack alone"
    top, claim = claims[-1] if claims else ("", None)
    if claim is None:
        return "back", "the game's own, as it was"
    if claim.how == "merge":
        return "merged", f"entries of {listed([name for name, _ in claims])} in the game's own"
    if claim.how == "line":
        return "line", f"lines of {listed([name for name, _ in claims])} in the list"
    if top != pack.name:
        return "back", f"{top}'s, which lay below"
    if len(claims) > 1:
        return "over", f"over {claims[-2][0]}'s, which comes back on restore"
    if path.original is None:
        return ("new", "the game has none of this name") if now is None else ("over", "a new edition")
    return "over", "over the game's own, which is kept"
