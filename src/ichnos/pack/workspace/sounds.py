"""A pack's sounds, from the file, the table and what holds for all: each with the place of every field."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, cast, get_args

from pydantic import ValidationError

from ichnos.documents.checked import TomlTable, beyond, in_words
from ichnos.documents.tables import Row, rows
from ichnos.documents.text import Text
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.games.profiles.declared import NO_DECLARATIONS, Declarations
from ichnos.games.profiles.vocabulary import SOUND, TAKE, said_of
from ichnos.games.profiles.word import Word
from ichnos.pack.workspace.declared import tables_for
from ichnos.pack.workspace.folder import SILENT_CLIP
from ichnos.pack.workspace.pack_file import Defaults, PackFile, Settings, Sound, Take

SETTINGS = tuple(name for name in Settings.model_fields if name != "fields")


def _columns_of(kind: type) -> set[str]:
    """The columns of a table that hold this kind of value, as the fields of a sound do."""
    fields = {**Settings.model_fields, **Sound.model_fields}
    return {
        name.replace("_", "-")
        for name, field in fields.items()
        if kind in (field.annotation, *get_args(field.annotation))
    }


_YES_NO, _WHOLE, _NUMBERS = _columns_of(bool), _columns_of(int), _columns_of(float) | _columns_of(int)
_YES, _NO = ("true", "yes", "1", "x"), ("false", "no", "0")
_PLAIN = (
    "key",
    "clip",
    "weight",
    "part",
    "title",
    "new",
    "like",
    "silent",
    "note",
    "file",
    "kept",
    "fresh",
    "every-file",
)
_OF_TAKE = {word.name: word for word in said_of(TAKE)}  # columns that are about the clip of the row


@dataclass(frozen=True)
class PlacedSound:
    """A sound, and where its fields stand: ``place("takes", 0)``."""

    sound: Sound
    place: Callable[..., Place]


def of_file(pack_file: PackFile, place: Callable[..., Place]) -> list[PlacedSound]:
    """The sounds of ``ichnos.toml``."""

    def at(index: int) -> Callable[..., Place]:
        return lambda *path: place("sound", index, *path)

    return [PlacedSound(sound, at(index)) for index, sound in enumerate(pack_file.sound)]


def of_table(text: Text, declarations: Declarations = NO_DECLARATIONS) -> list[PlacedSound]:
    """The sounds of a table (RFC 4180; also with semicolons or tabs): a row for each clip.

    Rows with one key are its takes, or with ``part`` its parts; what else a sound has may stand in
    any of its rows, and is the same where it stands in several.

    Raises:
        IchnosError: every row that is not understood, with its line and the column's name.
    """
    errors: list[IchnosError] = []
    by_key: dict[str, _Rows] = {}
    models = tables_for(declarations)
    declared = {scope: {word.field: word for word in declarations.of(scope)} for scope in (SOUND, TAKE)}
    columns = (*_PLAIN, *_OF_TAKE, *SETTINGS, *declared[SOUND], *declared[TAKE])
    texts = ("title", *(word.field for word in declared[SOUND].values() if word.is_spoken))
    for row in rows(text, columns, prefixes=("field.", *(f"{name}." for name in texts))):
        key = row.cells.get("key", "")
        if not key:
            errors.append(row.wrong("key", "there is no key in this row", "every row needs one"))
            continue
        by_key.setdefault(key, _Rows(key, models[SOUND], declared, texts)).take_in(row, errors)
    given = [rows_of_key.given(errors) for rows_of_key in by_key.values()]
    raise_all(errors)
    return [placed for placed in given if placed is not None]


class _Rows:
    """The rows of one key."""

    def __init__(
        self, key: str, model: type[TomlTable], declared: Mapping[str, Mapping[str, Word]], texts: Collection[str]
    ) -> None:
        self._model, self._declared, self._texts = model, declared, texts
        self._of_take = {**_OF_TAKE, **declared[TAKE]}
        self._values: dict[str, Any] = {"key": key, "takes": [], "parts": {}, "title": {}, "fields": {}}
        self._places: dict[tuple[str | int, ...], Place] = {}

    def take_in(self, row: Row, errors: list[IchnosError]) -> None:
        cells = row.cells
        self._places.setdefault((), row.place("key"))
        clip, part = cells.get("clip"), cells.get("part")
        if clip and part:
            self._values["parts"][part] = clip
            self._places["parts", part] = row.place("clip")
        elif clip or "take.key" in cells or self._yes(row, "kept", cells.get("kept", "no"), errors):
            number = len(self._values["takes"])
            take: dict[str, Any] = {"clip": clip} if clip else {} if "take.key" in cells else {"kept": True}
            self._values["takes"].append(take)
            self._places["takes", number] = row.place("clip")
            for column, word in self._of_take.items():
                if column in cells:
                    take[word.field] = self._value(row, column, word, errors)
        for column, cell in cells.items():
            if column in ("key", "clip", "part", "kept", *self._of_take):
                continue
            self._set(row, column, cell, errors)

    def _set(self, row: Row, column: str, cell: str, errors: list[IchnosError]) -> None:
        table, name = self._values, column
        field, _, rest = column.partition(".")
        if field in self._texts:
            table, name = self._values.setdefault(field, {}), rest
        elif column.startswith("field."):
            table, name = self._values["fields"], rest
        value: Any = cell
        if column in self._declared[SOUND]:
            value = self._value(row, column, self._declared[SOUND][column], errors)
        elif column in _YES_NO:
            value = self._yes(row, column, cell, errors)
        elif column in _NUMBERS:
            value = self._number(row, column, cell, errors)
        if table.setdefault(name, value) != value:
            what = f"{self._values['key']} has {table[name]!r} in an earlier row, and {cell!r} here"
            errors.append(row.wrong(column, what, "say it in one of its rows only"))
        self._places[column,] = row.place(column)

    def _value(self, row: Row, column: str, word: Word, errors: list[IchnosError]) -> Any:
        """A cell as the kind of its field has it."""
        if word.kind in ("text", "list", "path"):
            return row.cells[column]
        return (self._yes if word.kind == "yes-no" else self._number)(row, column, row.cells[column], errors)

    def _yes(self, row: Row, column: str, cell: str, errors: list[IchnosError]) -> bool:
        if cell.lower() not in (*_YES, *_NO):
            errors.append(row.wrong(column, f"{cell!r} is neither yes nor no", "write yes or no"))
        return cell.lower() in _YES

    def _number(self, row: Row, column: str, cell: str, errors: list[IchnosError]) -> float | int | None:
        try:
            number = float(cell)
        except ValueError:
            cure = f"write {cell.replace(',', '.')}" if "," in cell else "write a number"
            errors.append(row.wrong(column, f"{cell!r} is no number", cure))
            return None
        if what := beyond(number):
            errors.append(row.wrong(column, f"{cell[:20]}: {what}", "write another number"))
            return None
        return int(number) if column in _WHOLE and number.is_integer() else number

    def given(self, errors: list[IchnosError]) -> PlacedSound | None:
        def place(*path: str | int) -> Place:
            while path and path not in self._places:
                path = path[:-1]
            return self._places[path]

        try:
            return PlacedSound(cast(Sound, self._model.model_validate(self._values)), place)
        except ValidationError as error:
            for detail in error.errors():
                at = place(*detail["loc"])
                reason = in_words(detail)
                column = detail["loc"][0] if detail["loc"] else "clip"
                column = {"takes": "clip"}.get(str(column), str(column))
                errors.append(IchnosError(f'column "{column}": {reason}', place=at, cure="correct the cell"))
            return None


def in_game(given: Sequence[PlacedSound], name: str) -> tuple[list[PlacedSound], list[str]]:
    """The sounds as they are in another game, and the keys of those that say nothing of it."""
    sounds, left_out = [], []
    for placed in given:
        elsewhere = placed.sound.games.get(name)
        if elsewhere is None:
            left_out.append(placed.sound.key)
            continue
        # What stands there counts; the category is the other game's own affair.
        update = {key: getattr(elsewhere, key) for key in elsewhere.model_fields_set}
        sounds.append(
            PlacedSound(placed.sound.model_copy(update={"category": None, "like": None, **update}), placed.place)
        )
    return sounds, left_out


def with_defaults(
    given: Sequence[PlacedSound], defaults: Sequence[Defaults], category_of: Callable[[Sound], str | None]
) -> list[PlacedSound]:
    """The sounds with what they do not say themselves taken from the first defaults that fit and say it."""
    if not defaults:
        return list(given)
    return [PlacedSound(_filled(placed.sound, defaults, category_of), placed.place) for placed in given]


def _filled(sound: Sound, defaults: Sequence[Defaults], category_of: Callable[[Sound], str | None]) -> Sound:
    category = category_of(sound)
    update: dict[str, Any] = {}
    fields = dict(sound.fields)
    for default in defaults:
        if not default.fits(sound.key, category):
            continue
        for name in SETTINGS:
            if getattr(sound, name) is None and name not in update and getattr(default, name) is not None:
                update[name] = getattr(default, name)
        fields = {**default.fields, **fields}
    return sound.model_copy(update={**update, "fields": fields}) if update or fields != sound.fields else sound


def takes_of(sound: Sound) -> tuple[Take, ...]:
    """The sound's takes; a silent one has one, of silence."""
    return (Take(clip=SILENT_CLIP),) if sound.silent and not sound.takes else sound.takes


def for_every_file(placed: PlacedSound, count: int) -> PlacedSound:
    """A sound whose takes are given to each of so many files, in turn."""
    takes = takes_of(placed.sound)
    every = tuple(takes[number % len(takes)] for number in range(max(count, len(takes))))

    def place(*path: str | int) -> Place:
        if path and path[0] == "takes" and len(path) > 1:
            path = ("takes", int(path[1]) % len(takes), *path[2:])
        return placed.place(*(("silent",) if placed.sound.silent and path[:1] == ("takes",) else path))

    return PlacedSound(placed.sound.model_copy(update={"takes": every}), place)
