"""A pack's way into a game, and out of it, as one thing: lock, take up what was interrupted, plan, write."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from ichnos.errors import IchnosError
from ichnos.files import journal
from ichnos.files.guarded import GuardedFolder
from ichnos.files.journal import GameRecord, InstalledPack, Journal, PendingTransaction
from ichnos.games.profiles.profile import Profile
from ichnos.install import apply, packs, plan
from ichnos.install.apply import Advance, Done
from ichnos.install.contents import Contents
from ichnos.install.plan import InstallPlan
from ichnos.install.states import OnChange, PathStates


@dataclass(frozen=True)
class OpenGame:
    """A game while its lock is held. ``interrupted``: what was found unfinished, and is done or taken back now."""

    root: GuardedFolder
    journal: Journal
    record: GameRecord
    interrupted: PendingTransaction | None = None

    def to_install(self, profile: Profile, package: Path, on_change: OnChange = "stop") -> InstallPlan:
        """The plan for a pack to go in. Raises IchnosError where it cannot be read, or must not."""
        contents = Contents(self.journal)
        prepared = packs.prepare(profile, package, self.root, contents, self.record.paths)
        states = PathStates(self.root, self.record, contents, on_change)
        return plan.plan(states, "install", prepared.pack, prepared.notes)

    def to_restore(self, pack: InstalledPack, on_change: OnChange = "stop") -> InstallPlan:
        """The plan for a pack to be taken out. Raises IchnosError where somebody else has changed its files."""
        states = PathStates(self.root, self.record, Contents(self.journal), on_change)
        return plan.plan(states, "restore", pack)

    def carry_out(self, planned: InstallPlan, on_progress: Advance = lambda _: None) -> Done:
        """Write what was planned: all of it or nothing. Raises IchnosError where something cannot be written."""
        return apply.carry_out(planned, self.journal, on_progress)


def open_game(folder: Path, notes: Journal, on_change: OnChange = "stop", *, dry_run: bool = False) -> OpenGame:
    """A game, with what was interrupted in it gone on with, or taken back.

    Raises:
        IchnosError: there is no such folder; or with ``dry_run``, something is unfinished there.
    """
    root = GuardedFolder(folder)
    if dry_run and notes.record(root.folder)[1] is not None:
        what = "something that was begun here is not ended"
        raise IchnosError(what, cure="say it without --dry-run, or: ichnos installed; that goes on with it")
    interrupted = None if dry_run else apply.recover(root, notes, on_change)
    return OpenGame(root, notes, notes.record(root.folder)[0], interrupted)


@contextmanager
def opened(folder: Path, on_waiting: Callable[[], None] = lambda: None, *, dry_run: bool = False) -> Iterator[OpenGame]:
    """A game under the lock that every install and restore takes. ``on_waiting``: called where somebody else has it."""
    with journal.locked(on_waiting) as notes:
        yield open_game(folder, notes, dry_run=dry_run)
