"""What belongs to the user and not to a workspace: where it is kept, and the one file that holds it."""

from __future__ import annotations

import os
import sqlite3
import uuid
from contextlib import closing
from pathlib import Path

from ichnos.errors import IchnosError
from ichnos.files.state import State

_NAME = "ichnos.sqlite"


def data_folder() -> Path:
    """Where Ichnos keeps what belongs to the user; ICHNOS_DATA overrides it."""
    given = os.environ.get("ICHNOS_DATA")
    if given:
        return Path(given)
    from platformdirs import user_data_path

    return user_data_path("ichnos", appauthor=False)


class UserState(State):
    """The user's file: the catalogues of games.

    ``catalogues``: by the game profile that they were read through; ``source`` is the installation,
    ``seen`` the signatures of what was read there, ``names`` what triggers can speak of, ``numbers`` those of
    entries, as JSON.
    ``keys``: their ``files`` are joined by NUL, ``text`` is what is searched. ``search``: an index of
    that by any three letters. ``words``: what keys are made of.
    """

    VERSION = 4
    SCHEMA = """
        CREATE TABLE about (name TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID;
        CREATE TABLE catalogues (
            id INTEGER PRIMARY KEY, identity TEXT NOT NULL, profile TEXT NOT NULL UNIQUE, game TEXT NOT NULL,
            source TEXT NOT NULL, seen TEXT NOT NULL, strays INTEGER NOT NULL, notes TEXT NOT NULL,
            languages TEXT NOT NULL, ids TEXT NOT NULL, names TEXT NOT NULL, numbers TEXT NOT NULL,
            count INTEGER NOT NULL);
        CREATE TABLE keys (
            id INTEGER PRIMARY KEY, catalogue INTEGER NOT NULL, key TEXT NOT NULL, category TEXT,
            files TEXT NOT NULL, mentions INTEGER, sound TEXT, seconds REAL, peak REAL,
            document TEXT, kind TEXT, text TEXT NOT NULL);
        CREATE INDEX keys_by_catalogue ON keys (catalogue);
        CREATE VIRTUAL TABLE search USING fts5 (text, content='keys', content_rowid='id', tokenize='trigram');
        CREATE TABLE words (
            catalogue INTEGER NOT NULL, word TEXT NOT NULL, PRIMARY KEY (catalogue, word)) WITHOUT ROWID
    """

    def __init__(self) -> None:
        super().__init__(data_folder() / _NAME)

    def fill(self, db: sqlite3.Connection) -> None:
        _identities.clear()  # a file that is made anew may have the old one's place on the disk
        db.execute("INSERT INTO about VALUES ('identity', ?)", (uuid.uuid4().hex,))

    @property
    def identity(self) -> str:
        """Drawn by chance when the file was made. What a workspace keeps is trusted where it has this in it."""
        rows = self.rows("SELECT value FROM about WHERE name = 'identity'")
        return str(rows[0][0]) if rows else ""


_identities: dict[tuple[Path, int, int], str] = {}  # by the file that holds one, as it stands on the disk


def user_identity() -> str:
    """The user's identity, asked once of each file; empty where nothing can be kept for the user."""
    path = data_folder() / _NAME
    identity = _identities.get(_file(path))
    if identity is not None:
        return identity
    try:
        with closing(UserState()) as state:
            found = state.identity
    except IchnosError:
        return ""
    _identities[_file(path)] = found
    return found


def _file(path: Path) -> tuple[Path, int, int]:
    try:
        there = os.stat(path)
    except OSError:
        return path, 0, 0
    return path, there.st_dev, there.st_ino
