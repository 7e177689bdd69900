"""``ichnos.lock``: what a pack was given, written down with the workspace, so that a copy builds the same.

What the game's own definitions gave: where the game is not installed, its categories and files are taken from here; a
sound that is a change of the game's own entry cannot be built without that entry, and is refused. The numbers that
things were given. The lines that ``ichnos insert`` has put into source files.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ichnos.audio.files.forms import SoundForm
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.writing import write_whole
from ichnos.pack.workspace.folder import LOCK_NAME


@dataclass(frozen=True)
class Given:
    """What a game gave to one key. ``changed``: the pack has the game's own entry, with changes.

    ``forms``: of its files, where those count; ``None`` of one that cannot be read.
    """

    category: str | None = None
    files: tuple[str, ...] = ()
    changed: bool = False
    forms: tuple[SoundForm | None, ...] = ()


Numbers = Mapping[str, Mapping[str, int]]  # by scope, and by what each thing of it is called


@dataclass(frozen=True)
class Lock:
    """Of each game that is built for ("" is the first), what it gave to each key, and the numbers of things."""

    games: Mapping[str, Mapping[str, Given]] = field(default_factory=dict)
    numbers: Mapping[str, Numbers] = field(default_factory=dict)
    inserted: Mapping[str, Sequence[str]] = field(default_factory=dict)  # by source file, the lines that are ours

    def of_game(self, game: str | None) -> Mapping[str, Given]:
        return self.games.get(game or "", {})

    def numbers_of(self, game: str | None) -> Numbers:
        return self.numbers.get(game or "", {})

    def with_game(self, game: str | None, given: Mapping[str, Given] | None, numbers: Numbers) -> Lock:
        """The same, with what a game gave now, where that is known, and the numbers of a build for it."""
        games = self.games if given is None else {**self.games, game or "": given}
        said = {name: of for name, of in {**self.numbers, game or "": numbers}.items() if of}
        return replace(self, games=games, numbers=said)

    def to_json(self) -> bytes:
        """As it is kept: sorted, so that a change is seen as one."""
        games = {
            name: {key: _said(given) for key, given in sorted(of.items())} for name, of in sorted(self.games.items())
        }
        numbers = {name: {scope: dict(sorted(of[scope].items())) for scope in of} for name, of in self.numbers.items()}
        inserted = {name: list(lines) for name, lines in self.inserted.items() if lines}
        more = {name: value for name, value in (("numbers", numbers), ("inserted", inserted)) if value}
        said = {"format": 1, "games": games, **more}
        return (json.dumps(said, ensure_ascii=False, indent=1) + "\n").encode()


def _said(given: Given) -> dict[str, Any]:
    fields = {"category": given.category, "files": list(given.files), "changed": given.changed, "forms": given.forms}
    return {name: value for name, value in fields.items() if value}


def load(folder: Path) -> Lock:
    """What is written down. Raises IchnosError where that is damaged: some of it nobody else knows."""
    path = folder / LOCK_NAME
    if not disk.is_file(path):
        return Lock()
    try:
        data = json.loads(disk.read(path, LOCK_NAME))
        if data["format"] != 1:
            raise ValueError(data["format"])
        numbers = {
            str(name): {scope: {key: int(number) for key, number in of.items()} for scope, of in scopes.items()}
            for name, scopes in data.get("numbers", {}).items()
        }
        inserted = {str(name): [str(line) for line in lines] for name, lines in data.get("inserted", {}).items()}
        return Lock({name: dict(_given(of)) for name, of in data["games"].items()}, numbers, inserted)
    except (ValueError, TypeError, KeyError, AttributeError):
        what = "this cannot be read any more, and says which numbers and lines are this pack's"
        cure = "take it from where the workspace came from; or delete it, and build where the game is installed"
        raise IchnosError(what, place=Place(LOCK_NAME), cure=cure) from None


def _given(said: Mapping[str, Any]) -> Iterable[tuple[str, Given]]:
    for key, one in said.items():
        category = one.get("category")
        forms = tuple(SoundForm(*form) if form else None for form in one.get("forms", ()))
        files = tuple(map(str, one.get("files", ())))
        yield key, Given(category and str(category), files, one.get("changed") is True, forms)


def keep(folder: Path, game: str | None, given: Mapping[str, Given] | None, numbers: Numbers) -> None:
    """Write down what a game gave, and a build, where that is news. Raises IchnosError where it cannot be written."""
    if given is None and not numbers:
        return
    _write(folder, load(folder).with_game(game, given, numbers).to_json())


def keep_inserted(folder: Path, inserted: Mapping[str, Sequence[str]]) -> None:
    """Write down which lines of source files are ours, where that is news. Raises IchnosError as ``keep`` does."""
    lock = load(folder)
    if any(lines for lines in (*inserted.values(), *lock.inserted.values())):
        _write(folder, replace(lock, inserted={**lock.inserted, **inserted}).to_json())


def _write(folder: Path, data: bytes) -> None:
    path = folder / LOCK_NAME
    disk.refuse_way_out(folder, path, LOCK_NAME)
    if not disk.is_file(path) or disk.read(path, LOCK_NAME) != data:
        write_whole(path, data)
