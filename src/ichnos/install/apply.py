"""Carrying out a plan in a game's folder: noted before it is begun, and taken up again where it was interrupted."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from itertools import groupby
from typing import IO

from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.files.file_state import FileState
from ichnos.files.guarded import GuardedFolder, Incoming
from ichnos.files.journal import FileChange, GameRecord, Journal, PendingTransaction
from ichnos.install.contents import Contents
from ichnos.install.plan import InstallPlan
from ichnos.install.states import OnChange

_ROOM = 2**20  # bytes that are left free on a disk

Advance = Callable[[float], None]


@dataclass(frozen=True)
class Done:
    """What was done. ``stays``: what is left in the game's folder, and why."""

    files: int
    stays: tuple[tuple[str, str], ...]


def carry_out(plan: InstallPlan, journal: Journal, advance: Advance = lambda _: None) -> Done:
    """Do what a plan says, all of it or nothing.

    Args:
        advance: called after each file, with 1; for new ones from other threads.

    Raises:
        IchnosError: before anything is touched: a folder that may not be written to, a file that is held open, too
            little room. Later: whatever the system refuses; an install is taken back then, a restore is gone on
            with the next time.
    """
    root, pending = plan.root, plan.what
    root.refuse_if_closed([step.path for step in pending.steps])
    for step in pending.steps:
        if step.after is not None:
            plan.contents.size(step.after.sha256)  # which says where one is gone
    _refuse_no_room(plan, journal)
    for step in pending.steps:
        if step.before is not None and not pending.forward:
            with root.opened(step.path) as stream:
                journal.keep(step.before.sha256, stream)  # which does nothing where it is kept already
    for sha256, data in plan.contents.made.items():
        journal.keep(sha256, data)
    for sha256 in plan.below:
        with plan.contents.opened(sha256) as (below, _):
            journal.keep(sha256, below)
    journal.begin(root.folder, plan.before, pending)
    try:
        _take_steps(root, plan.contents, pending, advance)
        record, stays = _tidied(root, pending.record)
    except BaseException as error:
        if not pending.forward:
            _go_back(root, journal, plan.before, pending, "stop")
        elif isinstance(error, IchnosError):
            cure = "see to it, then say the same again: it goes on from here"
            raise IchnosError(error.what, place=error.place, cure=cure) from None
        raise
    journal.end(root.folder, record)
    return Done(len(pending.steps), (*plan.stays, *stays))


def _refuse_no_room(plan: InstallPlan, journal: Journal) -> None:
    """Find out before anything is touched that there is too little room. Raises IchnosError then."""
    used = most = 0
    for step in plan.what.steps:
        most = max(most, used + (step.after.size if step.after else 0))
        used += (step.after.size if step.after else 0) - (step.before.size if step.before else 0)
    before = (
        {} if plan.what.forward else {step.before.sha256: step.before.size for step in plan.what.steps if step.before}
    )
    before |= {sha256: len(data) for sha256, data in plan.contents.made.items()}
    before |= {sha256: plan.contents.size(sha256) for sha256 in plan.below}
    kept = sum(size for sha256, size in before.items() if not journal.has(sha256))
    (free, where), (free_there, there) = disk.free(plan.root.folder), disk.free(journal.path.parent)
    together = where == there
    for path, needed, has in (
        (plan.root.folder, most + (kept if together else 0), free),
        (journal.path.parent, kept + (most if together else 0), free_there),
    ):
        if needed and needed + _ROOM > has:
            what = f"there is too little room here: {needed / 1e6:.1f} MB are needed, and {has / 1e6:.1f} MB are free"
            raise IchnosError(what, place=Place(str(path)), cure="make room; nothing has been touched")


def _take_steps(root: GuardedFolder, contents: Contents, pending: PendingTransaction, advance: Advance) -> None:
    for folder in pending.made:
        root.make_folder(folder)
    for are_new, steps in groupby(pending.steps, _new_in):
        if are_new is not None:
            root.put_new((_incoming(contents, step.path, step.after) for step in steps if step.after), advance)
            continue
        for step in steps:
            if not _is(root.stand(step.path), step.before):
                what = "this has changed since the plan was made"
                raise IchnosError(what, place=Place(str(root.path(step.path))), cure="say it again")
            _set(root, contents, step.path, step.after)
            advance(1)
    root.settle({step.path.rpartition("/")[0] for step in pending.steps} | {""})


def _new_in(step: FileChange) -> str | None:
    """The folder that a step puts a new file into, which no other step depends on; ``None`` for other steps."""
    return step.path.rpartition("/")[0] if step.before is None and step.after is not None else None


def _incoming(contents: Contents, path: str, stand: FileState) -> Incoming:
    @contextmanager
    def opened() -> Iterator[tuple[IO[bytes], str]]:
        with contents.opened(stand.sha256) as (stream, is_proved):
            yield stream, "" if is_proved else stand.sha256

    return Incoming(path, opened, stand.time, stand.mode)


def _set(root: GuardedFolder, contents: Contents, path: str, stand: FileState | None) -> None:
    """Have a file stand as it is to."""
    if stand is None:
        root.take_away(path)
        return
    with contents.opened(stand.sha256) as (stream, is_proved):
        root.put(path, stream, "" if is_proved else stand.sha256, stand.time, stand.mode)


def _is(state: FileState | None, other: FileState | None) -> bool:
    return (state.sha256 if state else None) == (other.sha256 if other else None)


def _tidied(root: GuardedFolder, record: GameRecord) -> tuple[GameRecord, list[tuple[str, str]]]:
    """Remove folders of our making that nothing of ours is in any more, and give others their old times back."""
    used: set[str] = set()
    for path in record.paths:
        while path:
            path = path.rpartition("/")[0]
            used.add(path)
    made, stays = [], []
    for folder in sorted(record.made, key=lambda name: -name.count("/")):
        if folder in used:
            made.append(folder)
        elif not root.remove_folder(folder):
            stays.append((folder, "a folder that something of somebody else's is in"))
    folders = _timed(root, record.folders, {path.rpartition("/")[0] for path in (*record.paths, *made)})
    return replace(record, made=tuple(reversed(made)), folders=folders), stays


def _timed(root: GuardedFolder, folders: dict[str, tuple[int, str]], used: set[str]) -> dict[str, tuple[int, str]]:
    """Give folders that nothing of ours is in their times back, where there is in them what was; gives the others."""
    for folder, (time, names) in folders.items():
        listing = root.listing(folder) if folder not in used else None
        if listing is not None and listing[1] == names:
            root.set_folder_time(folder, time)
    return {folder: one for folder, one in folders.items() if folder in used}


def recover(root: GuardedFolder, journal: Journal, on_change: OnChange = "stop") -> PendingTransaction | None:
    """Take up what was interrupted in a game: a restore is gone on with, an install is taken back.

    Returns:
        What was interrupted; ``None`` where nothing was.

    Raises:
        IchnosError: files that somebody else has changed meanwhile, all together; whatever the system refuses.
    """
    record, pending = journal.record(root.folder)
    if pending is None:
        return None
    if not pending.forward:
        _go_back(root, journal, record, pending, on_change)
        return pending
    for folder in pending.made:
        root.make_folder(folder)
    _settle(root, journal, [(step.path, step.before, step.after) for step in pending.steps], on_change)
    tidied, _ = _tidied(root, pending.record)
    journal.end(root.folder, tidied)
    return pending


def _go_back(
    root: GuardedFolder, journal: Journal, record: GameRecord, pending: PendingTransaction, on_change: OnChange
) -> None:
    backwards = sorted(pending.steps, key=_gives_room)
    _settle(root, journal, [(step.path, step.after, step.before) for step in backwards], on_change)
    for folder in reversed(pending.made):
        if disk.is_folder(root.path(folder)):
            root.remove_folder(folder)
    theirs = {path.rpartition("/")[0] for path in record.paths} | set(record.made)
    begun = {folder: listing for folder, listing in pending.record.folders.items() if folder not in record.folders}
    _timed(root, begun, theirs)
    journal.end(root.folder, record)


def _gives_room(step: FileChange) -> bool:
    """Whether going back makes the disk fuller: those steps come last."""
    return step.before is not None


def _settle(
    root: GuardedFolder,
    journal: Journal,
    moves: Iterable[tuple[str, FileState | None, FileState | None]],
    on_change: OnChange,
) -> None:
    """Bring files from how they may stand to how they are to: what stands as neither is somebody else's."""
    contents, errors, folders = Contents(journal), [], {""}
    moves = list(moves)
    root.sweep(path for path, _, _ in moves)
    for path, now, goal in moves:
        folder = path.rpartition("/")[0]
        there = not folder or disk.is_folder(root.path(folder))
        stands = root.stand(path)
        if _is(stands, goal):
            continue
        if not _is(stands, now) and on_change != "force":
            if on_change == "stop":
                what = "somebody else has changed this while a pack was being put in or taken out"
                cure = "ichnos restore --keep-theirs leaves it as it is now, --force puts there what belongs there"
                errors.append(IchnosError(what, place=Place(str(root.path(path))), cure=cure))
            continue
        if goal is not None and not there:
            what = "the folder that this was in is gone"
            errors.append(IchnosError(what, place=Place(str(root.path(path))), cure="make the folder, then try again"))
            continue
        _set(root, contents, path, goal)
        folders.add(folder)
    raise_all(errors)
    with suppress(IchnosError):
        root.settle(folders)
