"""State that can be made anew, in one SQLite file: thrown away when it is damaged or of another version."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from typing import Any

from ichnos.errors import IchnosError, Place
from ichnos.files.disk import translated
from ichnos.files.writing import write_whole

_PATIENCE = 30.0  # seconds to wait for another process that writes
_PROBE = 1 << 18  # bytes: more than the file has when it is made


_FAILED = (sqlite3.Error, UnicodeDecodeError)  # a damaged file spoils even SQLite's own messages


def _is_damage(error: Exception) -> bool:
    """Is the file to blame? Not where it is only in use, or full, or what was asked for is odd."""
    code = getattr(error, "sqlite_errorcode", None)
    if code is None or (code & 0xFF) in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_READONLY):
        return not isinstance(error, sqlite3.ProgrammingError | sqlite3.InterfaceError)
    return str(error).startswith("no such")  # a table or a column that belongs there


def asked(path: Path, question: str) -> tuple[Any, ...] | None:
    """The first row that a SQLite file answers, without changing anything; ``None``: none, or it cannot be read."""
    try:
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as db:
            row: tuple[Any, ...] | None = db.execute(question).fetchone()
            return row
    except sqlite3.Error:
        return None


class State:
    """A SQLite file with the tables of a subclass.

    Whatever cannot be read is no error: the file is made anew, and its users see empty tables.
    """

    SCHEMA = ""  # the statements that make the tables
    VERSION = 0  # raised whenever they change

    def __init__(self, path: Path) -> None:
        """Open the file, or make it.

        Raises:
            IchnosError: the folder cannot be written.
        """
        self.path = path
        with translated(path):
            path.parent.mkdir(parents=True, exist_ok=True)
            if path.is_symlink():
                raise IchnosError("this must be a file, not a link", place=Place(str(path)), cure="delete the link")
        try:
            self._db = self._opened()
        except _FAILED as error:
            if not _is_damage(error):
                raise self._cannot_be_written(error) from None
            self._db = self._made_anew()

    def _opened(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.path, timeout=_PATIENCE, isolation_level=None)
        try:
            db.execute("PRAGMA journal_mode = WAL")
            db.execute("PRAGMA synchronous = NORMAL")
            (version,) = db.execute("PRAGMA user_version").fetchone()
            if version != self.VERSION or not self.is_ours(db):
                db.execute("BEGIN IMMEDIATE")
                (version,) = db.execute("PRAGMA user_version").fetchone()
                if version != self.VERSION or not self.is_ours(db):  # another process may just have made it
                    self._make(db)
                db.execute("COMMIT")
        except BaseException:
            db.close()
            raise
        return db

    def _make(self, db: sqlite3.Connection) -> None:
        kinds = "table", "view"  # those of a virtual table go with it
        for kind, name in db.execute("SELECT type, name FROM sqlite_schema WHERE name NOT LIKE 'sqlite_%'").fetchall():
            if kind in kinds:
                with suppress(sqlite3.OperationalError):
                    db.execute(f'DROP {kind.upper()} IF EXISTS "{name}"')
        for statement in self.SCHEMA.split(";"):
            if statement.strip():
                db.execute(statement)
        self.fill(db)
        db.execute(f"PRAGMA user_version = {self.VERSION}")

    def _made_anew(self) -> sqlite3.Connection:
        for suffix in ("", "-wal", "-shm"):
            with suppress(OSError):
                self.path.with_name(self.path.name + suffix).unlink()
        try:
            return self._opened()
        except _FAILED as error:
            raise self._cannot_be_written(error) from None

    def _cannot_be_written(self, error: Exception) -> IchnosError:
        """The system's own reason, which SQLite does not give."""
        probe = self.path.with_name(f"{self.path.name}.probe")
        try:
            write_whole(probe, bytes(_PROBE))
            probe.unlink()
        except IchnosError as reason:
            return IchnosError(reason.what, place=Place(str(self.path)), cure=reason.cure)
        what = f"what is done cannot be noted here ({error})"
        return IchnosError(what, place=Place(str(self.path)), cure="may this folder be written to?")

    def is_ours(self, db: sqlite3.Connection) -> bool:
        """Is a file of the right version to be trusted?"""
        return True

    def fill(self, db: sqlite3.Connection) -> None:
        """Put into new tables what they begin with."""

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """One transaction: all that is done in it stands, or nothing.

        Raises:
            IchnosError: the disk is full, or the file is damaged; the next start makes it anew.
        """
        try:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield self._db
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise
        except _FAILED as error:
            raise self._cannot_be_written(error) from None

    def rows(self, query: str, *values: object) -> list[tuple[Any, ...]]:
        """What a query finds; nothing where the file is damaged, which is then made anew.

        Raises:
            IchnosError: the file is whole, and cannot be read all the same.
        """
        try:
            return self._db.execute(query, values).fetchall()
        except UnicodeEncodeError:
            return []  # a value with characters that no text can have, which nothing kept is like
        except _FAILED as error:
            if not _is_damage(error):
                what = f"what is kept here cannot be read ({error})"
                raise IchnosError(what, place=Place(str(self.path)), cure="try again") from None
            self._db.close()
            self._db = self._made_anew()
            return []

    def mend(self) -> None:
        """Make the file anew where it is damaged, before something is written into it."""
        try:
            whole = self._db.execute("PRAGMA quick_check(1)").fetchall() == [("ok",)]
        except _FAILED:
            whole = False
        if not whole:
            self._db.close()
            self._db = self._made_anew()

    def close(self) -> None:
        """Close the file."""
        self._db.close()
