"""What is kept of a workspace's builds, so that the next one need not do everything anew. Light to import.

All of it is in one SQLite file. Paths in it are as seen from the workspace, so that a copy of the
folder is a workspace of its own. A file that came with a stranger's workspace is not trusted: it
does not hold this user's identity, and is made anew.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable, Mapping
from contextlib import closing, suppress
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

from ichnos.errors import IchnosError
from ichnos.files import disk, journal, signatures
from ichnos.files.paths import below, seen_from
from ichnos.files.signatures import Signatures
from ichnos.files.state import State, asked
from ichnos.files.user import user_identity
from ichnos.files.writing import put_back
from ichnos.pack.workspace.folder import private_path

NAME = "state.sqlite"
INPUT, CLIP, WRITTEN = "input", "clip", "written"
_NONE = (None, None, None)


@dataclass(frozen=True)
class BuiltFile:
    """What one file of a package was made from; equal ``content``, equal bytes. ``sha256``: of a folder's files."""

    content: str
    clip: str = ""
    treatment: str = ""
    target: str = ""
    sha256: str = ""


@dataclass(frozen=True)
class LastBuild:
    """The last build for a game into an output folder. ``size`` in bytes.

    ``signatures``: of everything that it was made from, besides clips; of the clips; and of what it
    wrote. ``catalogue``: the identity of the kept catalogue that it used.
    """

    package: Path
    sha256: str
    size: int
    profile: str  # the digest of the game's profile
    environment: str
    catalogue: str
    outline: str
    signatures: Mapping[str, Signatures] = field(default_factory=dict)
    files: Mapping[str, BuiltFile] = field(default_factory=dict)
    kept: tuple[str, ...] = ()  # the conversions that it is made of
    number: int = 0  # a later build has a larger one

    @cached_property
    def package_stands(self) -> bool:
        """Is the package on disk still the one that was written?"""
        written = self.signatures.get(WRITTEN, {})
        if not written or not signatures.are_same(written):
            return False
        return not disk.is_folder(self.package) or all(path in written for path in signatures.below(self.package))

    @cached_property
    def inputs_stand(self) -> bool:
        """Is everything that it was made from, but perhaps for clips, as it was?"""
        inputs = self.signatures.get(INPUT, {})
        changed = [path for path, signature in inputs.items() if not signatures.is_same(path, signature)]
        if not inputs or not changed:
            return bool(inputs)
        before = journal.as_they_were()  # what an install has changed is nothing that a pack is made of
        return all(path in before and before[path] == inputs[path] for path in changed)

    @cached_property
    def stands(self) -> bool:
        """Would a build do nothing at all?"""
        clips = self.signatures.get(CLIP, {})
        return self.inputs_stand and bool(clips) and signatures.are_same(clips) and self.package_stands

    @property
    def was_read(self) -> bool:
        """Had files to be read, because their time alone does not tell whether they changed?"""
        return any(
            signature is not None and len(signature) > 2
            for signed in self.signatures.values()
            for signature in signed.values()
        )


class WorkspaceState(State):
    """The workspace's file. ``game`` and ``output`` are empty for the first game and the usual place.

    ``signatures``: of what a build was made from and wrote. ``built_files``: what each file of its
    package was made from. ``conversions``: the digest of each kept conversion. ``clips``: what is
    known of clips.
    """

    VERSION = 1
    SCHEMA = """
        CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
        CREATE TABLE builds (
            id INTEGER PRIMARY KEY, game TEXT NOT NULL, output TEXT NOT NULL, package TEXT NOT NULL,
            sha256 TEXT NOT NULL, size INTEGER NOT NULL, profile TEXT NOT NULL, environment TEXT NOT NULL,
            catalogue TEXT NOT NULL, outline TEXT NOT NULL, UNIQUE (game, output));
        CREATE TABLE signatures (
            build INTEGER NOT NULL, kind TEXT NOT NULL, path TEXT NOT NULL, size INTEGER, time INTEGER,
            digest TEXT, PRIMARY KEY (build, kind, path)) WITHOUT ROWID;
        CREATE TABLE built_files (
            build INTEGER NOT NULL, path TEXT NOT NULL, content TEXT NOT NULL, clip TEXT NOT NULL,
            treatment TEXT NOT NULL, target TEXT NOT NULL, sha256 TEXT NOT NULL,
            PRIMARY KEY (build, path)) WITHOUT ROWID;
        CREATE TABLE made_of (
            build INTEGER NOT NULL, conversion TEXT NOT NULL, PRIMARY KEY (build, conversion)) WITHOUT ROWID;
        CREATE TABLE conversions (identity TEXT PRIMARY KEY, sha256 TEXT NOT NULL) WITHOUT ROWID;
        CREATE TABLE clips (
            clip TEXT PRIMARY KEY, size INTEGER NOT NULL, time INTEGER NOT NULL, sha256 TEXT NOT NULL,
            facts TEXT NOT NULL) WITHOUT ROWID
    """

    def __init__(self, folder: Path) -> None:
        """Open it. Raises IchnosError where nothing can be kept in the workspace."""
        self.folder = folder
        self._user = user_identity()
        super().__init__(private_path(folder, NAME))

    def is_ours(self, db: sqlite3.Connection) -> bool:
        row = db.execute("SELECT value FROM about WHERE name = 'user'").fetchone()
        return row is not None and row[0] != "" and row[0] == self._user

    def fill(self, db: sqlite3.Connection) -> None:
        db.execute("INSERT INTO about VALUES ('user', ?)", (self._user,))

    def last_build(self, game: str | None, output: Path | None = None, *, whole: bool = True) -> LastBuild | None:
        """The last build for a game, into an output folder, or into the usual one.

        Args:
            whole: with all that is known of its files.
        """
        rows = self.rows(
            "SELECT id, package, sha256, size, profile, environment, catalogue, outline FROM builds"
            " WHERE game = ? AND output = ?",
            game or "",
            self._output(output),
        )
        return self._build(rows[0], whole=whole) if rows else None

    def last_number(self, game: str | None, output: Path | None = None) -> int:
        """The number of the last build; 0 where there is none."""
        rows = self.rows("SELECT id FROM builds WHERE game = ? AND output = ?", game or "", self._output(output))
        return int(rows[0][0]) if rows else 0

    def latest_build(self, game: str | None) -> LastBuild | None:
        """The latest of the builds for a game, wherever it went."""
        rows = self.rows(
            "SELECT id, package, sha256, size, profile, environment, catalogue, outline FROM builds"
            " WHERE game = ? ORDER BY id DESC LIMIT 1",
            game or "",
        )
        return self._build(rows[0], whole=False) if rows else None

    def _build(self, row: tuple[Any, ...], *, whole: bool) -> LastBuild:
        number, package, *values = row
        signed: dict[str, Signatures] = {INPUT: {}, CLIP: {}, WRITTEN: {}}
        root = str(self.folder)
        rows = self.rows("SELECT kind, path, size, time, digest FROM signatures WHERE build = ?", number)
        for kind, path, size, time, digest in rows:
            signature = None if size is None else (size, time) if digest is None else (size, time, digest)
            signed.setdefault(kind, {})[os.path.normpath(f"{root}{os.sep}{os.fsdecode(path)}")] = signature
        files: dict[str, BuiltFile] = {}
        kept: tuple[str, ...] = ()
        if whole:
            query = "SELECT path, content, clip, treatment, target, sha256 FROM built_files WHERE build = ?"
            files = {path: BuiltFile(*made_from) for path, *made_from in self.rows(query, number)}
            kept = tuple(
                identity for (identity,) in self.rows("SELECT conversion FROM made_of WHERE build = ?", number)
            )
        sha256, size, profile, environment, catalogue, outline = values
        return LastBuild(
            below(self.folder, os.fsdecode(package)),
            sha256,
            size,
            profile,
            environment,
            catalogue,
            outline,
            signed,
            files,
            kept,
            number,
        )

    def note_build(self, game: str | None, output: Path | None, build: LastBuild) -> None:
        """Note a finished build, in place of the last one for this game and output."""
        where = (game or "", self._output(output))
        with self.writing() as db:
            (latest,) = db.execute("SELECT ifnull(max(id), 0) FROM builds").fetchone()  # no two have one number
            for (number,) in db.execute("SELECT id FROM builds WHERE game = ? AND output = ?", where).fetchall():
                for table in ("signatures", "built_files", "made_of"):
                    db.execute(f"DELETE FROM {table} WHERE build = ?", (number,))
                db.execute("DELETE FROM builds WHERE id = ?", (number,))
            number = db.execute(
                "INSERT INTO builds (id, game, output, package, sha256, size, profile, environment, catalogue, outline)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    latest + 1, *where, self._seen(str(build.package)), build.sha256, build.size, build.profile,
                    build.environment, build.catalogue, build.outline,
                ),
            ).lastrowid  # fmt: skip
            rows = [
                (number, kind, self._seen(path), *(signature or ()), *_NONE[len(signature or ()) :])
                for kind, signed in build.signatures.items()
                for path, signature in signed.items()
            ]
            db.executemany("INSERT OR REPLACE INTO signatures VALUES (?, ?, ?, ?, ?, ?)", rows)
            files = [
                (number, path, file.content, file.clip, file.treatment, file.target, file.sha256)
                for path, file in build.files.items()
            ]
            db.executemany("INSERT INTO built_files VALUES (?, ?, ?, ?, ?, ?, ?)", files)
            db.executemany(
                "INSERT OR IGNORE INTO made_of VALUES (?, ?)", [(number, identity) for identity in build.kept]
            )

    def note_standing(self, number: int, before: int) -> None:
        """Note that a build's files were as they were.

        Args:
            number: the build's.
            before: when they were looked at, in nanoseconds; a file that had not changed for a while by then
                need not be read the next time.
        """
        with self.writing() as db:
            db.execute(
                "UPDATE signatures SET digest = NULL WHERE build = ? AND digest IS NOT NULL AND time <= ?",
                (number, before - signatures.SETTLED),
            )

    def _output(self, output: Path | None) -> str | bytes:
        return "" if output is None else _kept(seen_from(self.folder, output))

    def _seen(self, path: str) -> str | bytes:
        root = f"{self.folder}{os.sep}"  # far faster than a relative path made anew for thousands of files
        return _kept(path[len(root) :] if path.startswith(root) else seen_from(self.folder, Path(path)))

    def fact(self, name: str) -> str:
        """Something small that was noted; empty where nothing was."""
        rows = self.rows("SELECT value FROM about WHERE name = ?", name)
        return str(rows[0][0]) if rows else ""

    def note_fact(self, name: str, value: str) -> None:
        """Note something small, for the next time."""
        with self.writing() as db:
            db.execute("INSERT OR REPLACE INTO about VALUES (?, ?)", (name, value))

    def digests(self) -> dict[str, str]:
        """The SHA-256 of each kept conversion, by its identity."""
        return dict(self.rows("SELECT identity, sha256 FROM conversions"))

    def note_conversions(self, digests: Mapping[str, str]) -> None:
        """Note conversions that are kept now."""
        with self.writing() as db:
            db.executemany("INSERT OR REPLACE INTO conversions VALUES (?, ?)", digests.items())

    def forget_conversions(self) -> set[str]:
        """Forget the conversions that no build is made of; gives those that stay."""
        stay = "SELECT conversion FROM made_of"
        with self.writing() as db:
            db.execute(f"DELETE FROM conversions WHERE identity NOT IN ({stay})")
        return {identity for (identity,) in self.rows(stay)}

    def clips(self) -> dict[str, tuple[tuple[int, int], str, str]]:
        """What is known of clips: the signature, the SHA-256, and the facts as JSON."""
        query = "SELECT clip, size, time, sha256, facts FROM clips"
        return {clip: ((size, time), digest, facts) for clip, size, time, digest, facts in self.rows(query)}

    def note_clips(self, known: Mapping[str, tuple[tuple[int, int], str, str]], gone: Iterable[str]) -> None:
        """Note what is known of clips, and forget others."""
        with self.writing() as db:
            db.executemany("DELETE FROM clips WHERE clip = ?", [(clip,) for clip in gone])
            rows = [(clip, *signature, digest, facts) for clip, (signature, digest, facts) in known.items()]
            db.executemany("INSERT OR REPLACE INTO clips VALUES (?, ?, ?, ?, ?)", rows)


def _kept(path: str) -> str | bytes:
    """A path as SQLite can hold it: as bytes where its name is no UTF-8."""
    try:
        path.encode()
    except UnicodeEncodeError:
        return os.fsencode(path)
    return path


def opened(folder: Path) -> WorkspaceState | None:
    """A workspace's state for whoever only asks; ``None`` where nothing is kept, or can be, or it is another user's."""
    try:
        path = private_path(folder, NAME)
        return WorkspaceState(folder) if disk.is_file(path) and not _is_of_another(path) else None
    except IchnosError:
        return None


def _is_of_another(path: Path) -> bool:
    """Is what is kept another user's? Looked at without changing anything."""
    row = asked(path, "SELECT value FROM about WHERE name = 'user'")
    return row is not None and row[0] not in ("", user_identity())


def last_build(folder: Path, game: str | None, output: Path | None = None) -> LastBuild | None:
    """The last build of a workspace, without what is known of its files."""
    state = opened(folder)
    if state is None:
        return None
    with closing(state):
        return state.last_build(game, output, whole=False)


def note_standing(folder: Path, last: LastBuild, before: int) -> None:
    """Note that a build stands as it was at a time (in ns), where that saves reading its files the next time."""
    state = opened(folder) if last.was_read else None
    if state is not None:
        with closing(state), suppress(IchnosError):  # it only saves time
            state.note_standing(last.number, before)


def latest_package(folder: Path, game: str | None) -> Path | None:
    """The package of the latest build for a game, where it is still there."""
    state = opened(folder)
    if state is None:
        return None
    with closing(state):
        build = state.latest_build(game)
    if build is None:
        return None
    put_back(build.package)
    return build.package if disk.exists(build.package) else None
