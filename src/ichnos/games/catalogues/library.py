"""Catalogues kept for the user, so that a game is read only once, and searched as people search.

Words in any order, each anywhere in a key or its category; a word that is nowhere stands for those
most like it. Light to import, for a search should take no longer than starting the program.
"""

from __future__ import annotations

import json
import re
import uuid
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ichnos.errors import IchnosError
from ichnos.files.signatures import Signatures, are_same
from ichnos.files.user import UserState
from ichnos.games.catalogues.catalogue import Catalogue, Entry, several

_PIECE = re.compile(r"[^\W_]+")
_BETWEEN = re.compile(r"[._\-/:\\\s]+")  # what joins the pieces of keys
_NO_DIGITS = str.maketrans("", "", "0123456789")
_ALIKE = 65  # of 100; below it two words have little in common
_MANY = 5000  # found: beyond it nobody asks which fits best, and shorter keys come first
_AS_GOOD = 5  # so close to the best that it may be meant as well
_TRIGRAM = 3  # letters: a shorter word is looked for row by row

# How keys can be sorted; what is not known comes last.
ORDERS = {
    "best": "",
    "mentions": "mentions IS NULL, mentions, key",
    "length": "seconds IS NULL, seconds, key",
    "name": "key",
}


@dataclass(frozen=True)
class About:
    """A kept catalogue without its keys. ``game``: the profile's own name for the game."""

    profile: str
    game: str
    source: Path
    count: int
    is_fresh: bool  # are the game's files as they were?


@contextmanager
def _user() -> Iterator[UserState | None]:
    """The user's file; None where nothing can be kept."""
    try:
        state = UserState()
    except IchnosError:
        yield None
        return
    with closing(state):
        yield state


def save(profile: str, game: str, catalogue: Catalogue) -> Path:
    """Keep a game's catalogue, in place of an older one, whole or not at all; the file that it is kept in.

    Args:
        profile: what the profile is known by; see ``places.identity``.

    Raises:
        IchnosError: nothing can be kept for the user.
    """
    with closing(UserState()) as state:
        state.mend()
        _save(state, profile, game, catalogue)
        return state.path


def _save(state: UserState, profile: str, game: str, catalogue: Catalogue) -> None:
    with state.writing() as db:
        _forget(db, profile)
        (first,) = db.execute("SELECT ifnull(max(id), 0) + 1 FROM keys").fetchone()
        number = db.execute(
            "INSERT INTO catalogues (identity, profile, game, source, seen, strays, notes, languages, ids, names,"
            " numbers, count) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                uuid.uuid4().hex, profile, game, catalogue.source, json.dumps(catalogue.seen), catalogue.strays,
                json.dumps(catalogue.notes), json.dumps(catalogue.languages), json.dumps(catalogue.ids),
                json.dumps(catalogue.names), json.dumps(catalogue.numbers), len(catalogue.keys),
            ),
        ).lastrowid  # fmt: skip
        texts = [
            f"{key} {category}".lower() if category else key.lower()
            for key, category in zip(catalogue.keys, catalogue.categories, strict=True)
        ]
        columns = (
            catalogue.keys, catalogue.categories, catalogue.files, catalogue.mentions, catalogue.sounds,
            catalogue.seconds, catalogue.peaks, catalogue.documents, catalogue.kinds, texts,
        )  # fmt: skip
        rows = ((first + at, number, *row) for at, row in enumerate(zip(*columns, strict=True)))
        db.executemany("INSERT INTO keys VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)
        db.execute("INSERT INTO search (rowid, text) SELECT id, text FROM keys WHERE catalogue = ?", (number,))
        words = _pieces(texts)
        db.executemany("INSERT INTO words VALUES (?, ?)", [(number, word) for word in sorted(words)])


def _pieces(texts: Sequence[str]) -> set[str]:
    """The words that keys are made of, without their digits: numbers are many, and nobody means one by a word."""
    return set(_BETWEEN.split("\n".join(texts).translate(_NO_DIGITS))) - {""}


def _forget(db: Any, profile: str) -> int:
    row = db.execute("SELECT id, count FROM catalogues WHERE profile = ?", (profile,)).fetchone()
    if row is None:
        return 0
    number, count = row
    db.execute(
        "INSERT INTO search (search, rowid, text) SELECT 'delete', id, text FROM keys WHERE catalogue = ?", (number,)
    )
    for table, column in (("keys", "catalogue"), ("words", "catalogue"), ("catalogues", "id")):
        db.execute(f"DELETE FROM {table} WHERE {column} = ?", (number,))
    return int(count)


def forget(profile: str) -> int:
    """Forget a kept catalogue; how many keys it had. Raises IchnosError where the user's file cannot be written."""
    with closing(UserState()) as state, state.writing() as db:
        return _forget(db, profile)


def identity_of(profile: str) -> str:
    """A name for a kept catalogue as it is; empty where none is kept."""
    with _user() as state:
        rows = state.rows("SELECT identity FROM catalogues WHERE profile = ?", profile) if state else []
    return str(rows[0][0]) if rows else ""


def all_kept() -> list[About]:
    """Every kept catalogue."""
    with _user() as state:
        query = "SELECT profile, game, source, count, seen FROM catalogues ORDER BY game, profile"
        return [_about(row) for row in state.rows(query)] if state else []


def about(profile: str) -> About | None:
    """What is kept for a profile."""
    return next((catalogue for catalogue in all_kept() if catalogue.profile == profile), None)


def _about(row: tuple[Any, ...]) -> About:
    profile, game, source, count, seen = row
    return About(profile, game, Path(source), count, are_same(_signatures(seen)))


def _signatures(seen: str) -> Signatures:
    return {path: tuple(signature) if signature else None for path, signature in json.loads(seen).items()}


def load(profile: str) -> Catalogue | None:
    """A kept catalogue with all its keys; ``None`` where none is kept."""
    with _user() as state:
        if state is None:
            return None
        query = (
            "SELECT id, source, seen, strays, notes, languages, ids, names, numbers, count FROM catalogues"
            " WHERE profile = ?"
        )
        found = state.rows(query, profile)
        if not found:
            return None
        number, source, seen, strays, notes, languages, ids, words, numbers, count = found[0]
        rows = state.rows(
            "SELECT key, category, files, mentions, sound, seconds, peak, document, kind FROM keys WHERE catalogue = ?"
            " ORDER BY id",
            number,
        )
    if len(rows) != count:
        return None  # the file was damaged
    columns = [list(column) for column in zip(*rows, strict=True)] if rows else [[] for _ in range(9)]
    return Catalogue(
        source,
        _signatures(seen),
        strays,
        json.loads(notes),
        json.loads(languages),
        json.loads(ids),
        json.loads(words),
        json.loads(numbers),
        *columns,
    )


def names(profile: str) -> dict[str, list[str]]:
    """What a kept catalogue knows of events, areas and states, by the fields of triggers."""
    with _user() as state:
        rows = state.rows("SELECT names FROM catalogues WHERE profile = ?", profile) if state else []
    return dict(json.loads(rows[0][0])) if rows else {}


def categories(profile: str) -> list[str]:
    """The categories that a kept catalogue has."""
    query = (
        "SELECT DISTINCT category FROM keys JOIN catalogues c ON c.id = catalogue WHERE profile = ? ORDER BY category"
    )
    with _user() as state:
        return [name for (name,) in state.rows(query, profile) if name] if state else []


def search(
    profile: str, words: Sequence[str], category: str | None = None, order: str = "best", most: int = 0
) -> tuple[list[Entry], int]:
    """The keys of a kept catalogue that fit every word, and how many there are in all.

    Args:
        order: one of ``ORDERS``.
        most: how many are given; 0 gives all.
    """
    with _user() as state:
        rows = state.rows("SELECT id FROM catalogues WHERE profile = ?", profile) if state else []
        if state is None or not rows:
            return [], 0
        return _Search(state, rows[0][0]).entries([word.lower() for word in words], category, order, most)


class _Search:
    """A search in one catalogue. ``_matches``: what the index is asked; ``_tests``: what each row is."""

    def __init__(self, state: UserState, catalogue: int) -> None:
        self._state = state
        self._catalogue = catalogue
        self._matches: list[str] = []
        self._tests: list[tuple[str, list[object]]] = [("k.catalogue = ?", [catalogue])]

    def entries(self, words: list[str], category: str | None, order: str, most: int) -> tuple[list[Entry], int]:
        for word in words:
            self._narrow(word)
        if category is not None:
            self._tests.append(("k.category = ?", [category]))
        count = sum(number for (number,) in self._rows("count(*)"))
        wanted = "k.key, k.category, k.files, k.mentions, k.sound, k.seconds, k.peak, k.document, k.kind"
        limit = f" LIMIT {most}" if most else ""
        sorting = ORDERS[order] or ("length(k.text), k.id" if words else "k.id")
        if order == "best" and words and count <= _MANY:
            rows = self._ranked(words, self._rows(f"{wanted}, k.text, k.id"))
            rows = rows[:most] if most else rows
        else:
            rows = self._rows(wanted, f" ORDER BY {sorting}{limit}")
        return [Entry(key, kind, several(files), *more) for key, kind, files, *more in rows], count

    def _rows(self, what: str, behind: str = "", more: str = "") -> list[tuple[Any, ...]]:
        tests = " AND ".join(test for test, _ in self._tests)
        values = [value for _, given in self._tests for value in given]
        matches = " AND ".join([*self._matches, *([more] if more else [])])
        # A cross join, so that the index is asked once, and not for each key.
        tables = "search s CROSS JOIN keys k ON k.id = s.rowid AND s.text MATCH ?" if matches else "keys k"
        query = f"SELECT {what} FROM {tables} WHERE {tests}{behind}"
        return self._state.rows(query, *([matches] if matches else []), *values)

    def _narrow(self, word: str) -> None:
        """Take a word in: as it is where anything has it, else the words most like it."""
        if self._take(word):
            return
        texts = [text for (text,) in self._rows("k.text")] if self._matches or len(self._tests) > 1 else []
        if word.isalpha():
            pieces = _pieces(texts) if texts else self._words()
        else:
            texts = texts or [text for (text,) in self._rows("k.text")]
            pieces = set(_BETWEEN.split("\n".join(texts)))
        from rapidfuzz import process
        from rapidfuzz.fuzz import ratio

        near = process.extract(word, pieces, scorer=ratio, limit=4, score_cutoff=_ALIKE)
        alike = [piece for piece, score, _ in near if score > near[0][1] - _AS_GOOD]
        if all(len(piece) >= _TRIGRAM for piece in alike) and alike:
            self._matches.append(f"({' OR '.join(map(_phrase, alike))})")
        else:
            tests = " OR ".join("instr(k.text, ?)" for _ in alike) or "0"
            self._tests.append((f"({tests})", [*alike]))

    def _take(self, word: str) -> bool:
        if len(word) >= _TRIGRAM:
            if not self._rows("1", " LIMIT 1", _phrase(word)):
                return False
            self._matches.append(_phrase(word))
            return True
        self._tests.append(("instr(k.text, ?)", [word]))
        if self._rows("1", " LIMIT 1"):
            return True
        self._tests.pop()
        return False

    def _words(self) -> set[str]:
        return {word for (word,) in self._state.rows("SELECT word FROM words WHERE catalogue = ?", self._catalogue)}

    def _ranked(self, words: list[str], rows: list[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
        """Those that have most of the words as whole words first, then the shorter ones."""
        pieces = set(words)

        def rank(row: tuple[Any, ...]) -> tuple[int, int, int]:
            *_, text, number = row
            return -len(pieces & set(_PIECE.findall(text))), len(text), number

        return [row[:-2] for row in sorted(rows, key=rank)]


def _phrase(word: str) -> str:
    """A word as the index is asked for it."""
    return '"' + word.replace('"', '""').replace("\0", " ") + '"'
