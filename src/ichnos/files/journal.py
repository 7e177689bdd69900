"""What is in which game, what was there before, and what is under way: never to be lost, and written before the deed.

One SQLite file of the user's, and beside it, by their SHA-256, the contents that were in a game before.
"""

from __future__ import annotations

import hashlib
import io
import json
import re
import sqlite3
from collections.abc import Callable, Collection, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import IO, Any

from ichnos.errors import IchnosError, Place
from ichnos.files import disk, locks, writing
from ichnos.files.file_state import FileState, names_digest
from ichnos.files.user import data_folder

_EDITION = 1
_PATIENCE = 30.0  # seconds to wait for another process that writes
_DIGEST = re.compile('"([0-9a-f]{64})"')  # as each stands in what is noted


@dataclass(frozen=True)
class Claim:
    """What a pack has at a path of a game. ``how``: file, merge, line or cache.

    ``content``: of a file its SHA-256; of entries that are merged that of their patch; of a line itself, as JSON,
    with the one that it stands before or after; of a cache the path that the profile gives.
    """

    path: str
    how: str
    content: str = ""


@dataclass(frozen=True)
class InstalledPack:
    """A pack that is in a game. ``profile``: the SHA-256 of the profile, as a zip, that it went in through.

    ``brings``: the keys that it gives files to, and the ids of its props, as ``key KEY`` and ``id ID``.
    """

    name: str
    title: str
    version: str
    game: str
    profile: str
    package: str
    sha256: str
    time: float
    ids: tuple[str, ...] = ()
    claims: tuple[Claim, ...] = ()
    brings: tuple[str, ...] = ()

    def is_same(self, other: InstalledPack) -> bool:
        """Are two of them editions of one pack: of one name, and with an id in common where both have ids?"""
        return self.is_of(other.game, [other.name], other.ids)

    def is_of(self, game: str, names: Collection[str], ids: Collection[str]) -> bool:
        """Is it the pack of these ids, which is called by one of these names?"""
        its_own = not self.ids or not ids or not set(self.ids).isdisjoint(ids)
        return self.game == game and self.name in names and its_own


@dataclass(frozen=True)
class ClaimedPath:
    """A path that packs have a claim on: how it was without them, and how we left it (``None``: not there)."""

    original: FileState | None
    written: FileState | None


@dataclass(frozen=True)
class GameRecord:
    """What is in one game. ``packs``: in the order in which they went in. ``made``: folders that were not there.

    ``folders``: the time of folders before anything was put into them, and a digest of the names that were there.
    """

    packs: tuple[InstalledPack, ...] = ()
    paths: dict[str, ClaimedPath] = field(default_factory=dict)
    made: tuple[str, ...] = ()
    folders: dict[str, tuple[int, str]] = field(default_factory=dict)
    shifted: bool = False  # has the game itself changed since, by an update or another tool?


@dataclass(frozen=True)
class FileChange:
    """One file: how it stood before, and how it is to stand then; ``None`` where it is not there."""

    path: str
    before: FileState | None
    after: FileState | None


@dataclass(frozen=True)
class PendingTransaction:
    """What has begun and is not yet done. ``forward``: is it to be gone on with, where it was interrupted?"""

    what: str  # install or restore
    pack: str
    forward: bool
    steps: tuple[FileChange, ...]
    made: tuple[str, ...]  # folders that it makes, the outer ones first
    record: GameRecord  # what is so when it is done


class Journal:
    """The user's file of what is installed. Close it when it is read."""

    def __init__(self) -> None:
        """Raises IchnosError where it cannot be opened, is damaged, or was written by a newer Ichnos."""
        self.path = data_folder() / "installed.sqlite"
        self._kept = data_folder() / "originals"
        disk.make_folder(self.path.parent)
        if disk.is_link(self.path):
            raise IchnosError("this must be a file, not a link", place=Place(str(self.path)), cure="see what it is")
        with self._translated():
            self._db = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.execute("PRAGMA synchronous = FULL")
            (edition,) = self._db.execute("PRAGMA user_version").fetchone()
            if edition > _EDITION:
                what = f"a newer Ichnos has written this (edition {edition}, and this one knows {_EDITION})"
                raise IchnosError(what, place=Place(str(self.path)), cure="use that one")
            if edition < _EDITION:
                self._refuse_forgotten()
                self._db.execute(
                    "CREATE TABLE IF NOT EXISTS games (folder TEXT PRIMARY KEY, record TEXT NOT NULL, pending TEXT)"
                )
                self._db.execute("CREATE TABLE IF NOT EXISTS seal (digest TEXT NOT NULL)")
                with self._sealed():
                    self._db.execute(f"PRAGMA user_version = {_EDITION}")
            with self._together():
                is_whole = self._db.execute("SELECT digest FROM seal").fetchall() == [(self._digest(),)]
        if not is_whole:
            self._db.close()
            what = "this is damaged: it does not say what was written into it"
            cure = f"put it back from a backup; originals of your games are in {self._kept}, by their SHA-256"
            raise IchnosError(what, place=Place(str(self.path)), cure=cure)

    @contextmanager
    def _together(self) -> Iterator[None]:
        """One transaction."""
        self._db.execute("BEGIN")
        try:
            yield
        except BaseException:
            self._db.execute("ROLLBACK")
            raise
        self._db.execute("COMMIT")

    @contextmanager
    def _sealed(self) -> Iterator[None]:
        """One transaction, with the digest of all that is then said: what has been changed otherwise is found out."""
        with self._translated(), self._together():
            yield
            self._db.execute("DELETE FROM seal")
            self._db.execute("INSERT INTO seal VALUES (?)", (self._digest(),))

    def _digest(self) -> str:
        rows = self._db.execute("SELECT folder, record, pending FROM games ORDER BY folder").fetchall()
        return hashlib.sha256(json.dumps(rows, default=repr).encode()).hexdigest()

    def _refuse_forgotten(self) -> None:
        """A new file beside contents that are kept: the old one is lost, and those must not be taken for useless."""
        kept = [path for path in disk.below(self._kept) if not writing.is_unfinished(path.name)]
        if disk.is_folder(self._kept) and kept:
            self._db.close()
            what = f"this is empty or gone, and yet {len(kept)} contents of your games are kept in {self._kept}"
            cure = "put it back from a backup; or move that folder away, and then Ichnos begins anew"
            raise IchnosError(what, place=Place(str(self.path)), cure=cure)

    @contextmanager
    def _translated(self) -> Iterator[None]:
        try:
            yield
        except sqlite3.Error as error:
            cure = f"make room or see to the disk; originals of your games are in {self._kept}, by their SHA-256"
            what = f"what is installed cannot be noted or read here ({error})"
            raise IchnosError(what, place=Place(str(self.path)), cure=cure) from None

    def games(self) -> list[str]:
        """The folders of games that have packs in them, or had something begun in them."""
        with self._translated():
            return sorted(json.loads(folder) for (folder,) in self._db.execute("SELECT folder FROM games"))

    def record(self, folder: Path) -> tuple[GameRecord, PendingTransaction | None]:
        """What is in a game, and what is under way in it."""
        with self._translated():
            query = "SELECT record, pending FROM games WHERE folder = ?"
            row = self._db.execute(query, (_key(folder),)).fetchone()
        if row is None:
            return GameRecord(), None
        return _record(json.loads(row[0])), _pending(json.loads(row[1])) if row[1] else None

    def begin(self, folder: Path, before: GameRecord, what: PendingTransaction) -> None:
        """Note all steps, before the first is done."""
        with self._sealed():
            values = _key(folder), _said(before), _said(what)
            self._db.execute("INSERT OR REPLACE INTO games VALUES (?, ?, ?)", values)

    def end(self, folder: Path, record: GameRecord) -> None:
        """Note that all is done, and forget contents that nobody needs any more."""
        with self._sealed():
            if record.packs or record.paths:
                self._db.execute("INSERT OR REPLACE INTO games VALUES (?, ?, NULL)", (_key(folder), _said(record)))
            else:
                self._db.execute("DELETE FROM games WHERE folder = ?", (_key(folder),))
        self.forget()

    def leave_out(self, folder: Path, pack: InstalledPack) -> None:
        """Forget one pack of a game that is not there any more; of the others all that is known stays."""
        record, pending = self.record(folder)
        left = _without(record, pack)
        if pending is None or (pending.pack == pack.name and pending.what == "install"):
            self.end(folder, left)
        else:
            self.begin(folder, left, replace(pending, record=_without(pending.record, pack)))

    def keep(self, sha256: str, content: bytes | IO[bytes]) -> None:
        """Keep a content by its SHA-256, on the disk before this returns. Raises IchnosError where that fails."""
        path = self._path(sha256)
        if disk.is_file(path):
            return
        with writing.fresh(path) as beside, disk.written(beside) as out:
            hashed = hashlib.sha256()
            stream = io.BytesIO(content) if isinstance(content, bytes) else content
            while piece := stream.read(1 << 20):
                hashed.update(piece)
                out.write(piece)
            if hashed.hexdigest() != sha256:
                raise IchnosError("this changed while it was kept", place=Place(str(path)), cure="try again")

    @contextmanager
    def kept(self, sha256: str) -> Iterator[IO[bytes]]:
        """A content that is kept. Raises IchnosError where it is gone."""
        with disk.opened(self._path(sha256)) as stream:
            yield stream

    def kept_bytes(self, sha256: str) -> bytes:
        """All of a content. Raises IchnosError where it is gone, or is not what it was."""
        data = disk.read(self._path(sha256))
        if hashlib.sha256(data).hexdigest() != sha256:
            what, cure = "this has been changed", "it was a game's own file: get that from the game again"
            raise IchnosError(what, place=Place(str(self._path(sha256))), cure=cure)
        return data

    def has(self, sha256: str) -> bool:
        """Is a content kept?"""
        return disk.is_file(self._path(sha256))

    def path_of(self, sha256: str) -> Path:
        """Where a content is kept."""
        return self._path(sha256)

    def _path(self, sha256: str) -> Path:
        return self._kept / sha256[:2] / sha256

    def forget(self) -> None:
        """Remove what nothing refers to: contents of games that are as they were, parts that a killed process left."""
        with self._translated():
            rows = self._db.execute("SELECT record, pending FROM games").fetchall()
        needed = {sha256 for row in rows for text in row for sha256 in _DIGEST.findall(text or "")}
        for path in disk.below(self._kept) if disk.is_folder(self._kept) else ():
            if path.name not in needed:
                disk.remove_if_possible(path)

    def close(self) -> None:
        """Close the file."""
        self._db.close()


def _without(record: GameRecord, pack: InstalledPack) -> GameRecord:
    packs = tuple(other for other in record.packs if other != pack)
    claimed = {claim.path for one in packs for claim in one.claims}
    if not packs:
        return GameRecord()
    return replace(
        record,
        packs=packs,
        paths={path: claimed_path for path, claimed_path in record.paths.items() if path in claimed},
    )


def _key(folder: Path) -> str:
    """A folder as the file has it: a name that is no UTF-8 is none that SQLite takes."""
    return json.dumps(str(folder))


def _said(value: GameRecord | PendingTransaction) -> str:
    return json.dumps(value, default=vars)


def _stand(record: dict[str, Any] | None) -> FileState | None:
    return FileState(**record) if record else None


def _pack(record: dict[str, Any]) -> InstalledPack:
    values: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value for name, value in record.items()
    }
    values["claims"] = tuple(Claim(**claim) for claim in record["claims"])
    return InstalledPack(**values)


def _record(record: dict[str, Any]) -> GameRecord:
    packs = tuple(map(_pack, record["packs"]))
    paths = {
        path: ClaimedPath(_stand(path_record["original"]), _stand(path_record["written"]))
        for path, path_record in record["paths"].items()
    }
    folders = {path: (time, names) for path, (time, names) in record["folders"].items()}
    return GameRecord(packs, paths, tuple(record["made"]), folders, record["shifted"])


def _pending(transaction: dict[str, Any]) -> PendingTransaction:
    steps = tuple(
        FileChange(step["path"], _stand(step["before"]), _stand(step["after"])) for step in transaction["steps"]
    )
    return PendingTransaction(
        transaction["what"],
        transaction["pack"],
        transaction["forward"],
        steps,
        tuple(transaction["made"]),
        _record(transaction["record"]),
    )


@contextmanager
def locked(on_wait: Callable[[], None] = lambda: None) -> Iterator[Journal]:
    """The journal, while no other process installs or restores anything. Raises IchnosError as ``Journal`` does."""
    with locks.locked(data_folder() / "installed.lock", on_wait):
        journal = Journal()
        try:
            yield journal
        finally:
            journal.close()


def is_there() -> bool:
    """Has anything ever been installed?"""
    with suppress(IchnosError):
        return disk.is_file(data_folder() / "installed.sqlite")
    return False


def as_they_were() -> dict[str, tuple[int, int] | None]:
    """The size and the time that files and folders of games had before anything was put into them.

    Only of those that stand as they were left, so that nobody else's change goes unseen. A folder's size is 0.
    Where the journal cannot be read, of none.
    """
    before: dict[str, tuple[int, int] | None] = {}
    if not is_there():
        return before
    with suppress(IchnosError), closing(Journal()) as notes:
        for root in map(Path, notes.games()):
            record, pending = notes.record(root)
            if pending is not None:
                continue
            added: dict[str, set[str]] = {}  # names in a folder that are ours
            gone: dict[str, set[str]] = {}  # names that we took from one
            for path, claimed in record.paths.items():
                if not is_as_left(root / path, claimed.written):
                    continue
                before[str(root / path)] = (claimed.original.size, claimed.original.time) if claimed.original else None
                folder, _, name = path.rpartition("/")
                if claimed.original is None:
                    added.setdefault(folder, set()).add(name)
                elif claimed.written is None:
                    gone.setdefault(folder, set()).add(name)
            for path in record.made:
                folder, _, name = path.rpartition("/")
                added.setdefault(folder, set()).add(name)
            for folder, (time, digest) in record.folders.items():
                there = root / folder if folder else root
                if disk.is_folder(there):
                    names = (set(disk.names(there)) - added.get(folder, set())) | gone.get(folder, set())
                    if names_digest(names) == digest:
                        before[str(there)] = 0, time
    return before


def is_as_left(path: Path, left: FileState | None) -> bool:
    """Does a file stand as we left it, by its size and its time?"""
    if left is None or not disk.is_file(path):
        return left is None and not disk.exists(path)
    return (disk.size(path), disk.changed_at(path)) == (left.size, left.time)
