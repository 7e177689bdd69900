"""Tables beside the workspace's file: triggers, props, the entries of schedules, and what a profile declares."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ichnos.documents.checked import TomlTable, beyond, in_words
from ichnos.documents.tables import Row, rows
from ichnos.documents.text import Text, from_bytes
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.files import disk
from ichnos.games.profiles.declared import NO_DECLARATIONS, Declarations
from ichnos.games.profiles.vocabulary import ENTRY, OWN, SCHEDULE, is_declared, player_scopes, said_of, spoken
from ichnos.games.profiles.word import attribute
from ichnos.pack.workspace.declared import all_declared_tables, name_in_file, tables_for, tables_of
from ichnos.pack.workspace.folder import table_names
from ichnos.pack.workspace.pack_file import PackFile

Places = Mapping[tuple[str, str], Callable[..., Place]]  # by table and name: ``places["prop", "buoy"]("key")``


def with_tables(
    folder: Path, pack_file: PackFile, place: Callable[..., Place], declared: Declarations = NO_DECLARATIONS
) -> tuple[PackFile, Places]:
    """A pack file with what its tables say as well, and where everything that has a name of its own stands.

    Raises:
        IchnosError: every row that is not understood, with its line and the column's name; a name that stands in
            the file and in a table.
    """
    places = dict(_of_file(pack_file, place))
    more: dict[str, tuple[TomlTable, ...]] = {}
    for scope, name in table_names(declared.scopes).items():
        if disk.is_file(folder / name):
            table = _Table(scope, from_bytes(disk.read(folder / name, name), name), declared)
            tables, kind = table.read(), scope.removeprefix(OWN)
            for called in table.places:
                if (kind, called) in places:
                    what = f'there is a {kind} "{called}" in {places[kind, called]()} already'
                    raise IchnosError(what, place=table.places[called](), cure="give each a name of its own")
            more[name_in_file(scope)] = (*tables_of(pack_file, scope), *tables)
            places |= {(kind, called): at for called, at in table.places.items()}
    return pack_file.model_copy(update=more), places


def _of_file(
    pack_file: PackFile, place: Callable[..., Place]
) -> Iterator[tuple[tuple[str, str], Callable[..., Place]]]:
    """Those of ``ichnos.toml``; of two with one name, which is a slip, the places are not known by that."""

    def at(scope: str, index: int) -> Callable[..., Place]:
        return lambda *path: place(scope, index, *path)

    tables = [(kind, index, one.name) for kind, index, one in pack_file.players()]
    for scope, own in all_declared_tables(pack_file):
        tables += [(scope.removeprefix(OWN), index, one.name) for index, one in enumerate(own)]
    count = Counter((kind, name) for kind, _, name in tables)
    for kind, index, name in tables:
        if count[kind, name] == 1:
            yield (kind, name), at(kind, index)


def columns(scope: str, declared: Declarations = NO_DECLARATIONS) -> tuple[str, ...]:
    """The columns that a table of a scope can have; a schedule's rows are its entries."""
    models = tables_for(declared)
    fields = {**models[scope].model_fields, **(models[ENTRY].model_fields if scope == SCHEDULE else {})}
    return tuple(str(one.alias or name) for name, one in fields.items() if name not in ("fields", "entries"))


def in_languages(scope: str, declared: Declarations = NO_DECLARATIONS) -> tuple[str, ...]:
    """The fields of a scope that hold a text in each language: ``title`` has the columns title, title.de ..."""
    return (*map(attribute, spoken(scope)), *(word.field for word in declared.of(scope) if word.is_spoken))


@dataclass
class _Table:
    """One table (RFC 4180; also with semicolons or tabs): a row for each, or for each entry of a schedule."""

    scope: str
    text: Text
    declared: Declarations
    places: dict[str, Callable[..., Place]] = field(default_factory=dict)
    errors: list[IchnosError] = field(default_factory=list)

    def read(self) -> list[TomlTable]:
        by_schedule: dict[str, dict[str, Any]] = {}
        by_name: dict[str, list[Row]] = {}
        texts = in_languages(self.scope, self.declared)
        prefixes = ("field.", *(f"{name}." for name in texts))
        needed = ("name",) if is_declared(self.scope) else ("key",)
        for row in rows(self.text, columns(self.scope, self.declared), prefixes, needed):
            cells, name = row.cells, row.cells.get("name", "")
            if not self.has_numbers(row):
                continue
            if self.scope == SCHEDULE:
                of_entry = ("key", "kind", *(word.field for word in self.declared.of(ENTRY)))
                entry = {column: cells.pop(column) for column in of_entry if column in cells}
                known = by_schedule.setdefault(name, {"entries": []})
                known["entries"].append(entry)
                self.say(known, _nested(cells, texts), row, by_name.get(name, [row])[0])
            else:
                if name in by_schedule:
                    kind, line = self.scope.removeprefix(OWN), by_name[name][0].place().line
                    what = f'there is a {kind} "{name}" in line {line} already'
                    cure = "give each a name of its own"
                    self.errors.append(IchnosError(what, place=row.place(), cure=cure))
                by_schedule[name] = _nested(cells, texts)
            by_name.setdefault(name, []).append(row)
        tables = [
            table for name, values in by_schedule.items() if (table := self.one(values, by_name[name])) is not None
        ]
        raise_all(self.errors)
        return tables

    def has_numbers(self, row: Row) -> bool:
        """Are the cells numbers that can be meant, where numbers are expected?"""
        for name, cell in row.cells.items():
            if name in _NUMBERS.get(self.scope, ()) and _is_odd(cell):
                what = f"{cell[:20]!r} is no number that can be meant"
                self.errors.append(row.wrong(name, what, "write a number such as 0.5"))
                return False
        return True

    def say(self, known: dict[str, Any], cells: Mapping[str, Any], row: Row, first: Row) -> None:
        """What a row says of its schedule: in any of its rows, and the same where it stands in several."""
        for name, cell in cells.items():
            if known.setdefault(name, cell) != cell:
                what = f"the schedule has {known[name]!r} in line {first.place().line}, {cell!r} here"
                self.errors.append(row.wrong(name, what, "say it in one of its rows only"))

    def one(self, said: dict[str, Any], given: list[Row]) -> TomlTable | None:
        """What rows say, as the model has it; what is wrong with them goes into ``errors``."""

        def at(*path: str | int) -> Place:
            entry = path[1] if len(path) > 1 and path[0] == "entries" else 0
            return given[int(entry)].place()

        try:
            table = tables_for(self.declared)[self.scope].model_validate(said)
        except ValidationError as error:
            for detail in error.errors():
                loc = detail["loc"]
                column = f'column "{loc[-1] if loc[0] == "entries" else loc[0]}": ' if loc else ""
                self.errors.append(
                    IchnosError(f"{column}{in_words(dict(detail))}", place=at(*loc[:2]), cure="correct the cell")
                )
            return None
        self.places[str(said["name"])] = at
        return table


def _nested(cells: Mapping[str, str], texts: Collection[str]) -> dict[str, Any]:
    """A row's cells, with those of one text's languages together, and the free fields."""
    said: dict[str, Any] = {}
    for column, cell in cells.items():
        name, dot, rest = column.partition(".")
        if dot:
            said.setdefault("fields" if name == "field" else name, {})[rest] = cell
        elif name in texts:
            said.setdefault(name, {})[""] = cell
        else:
            said[name] = cell
    return said


_NUMBERS = {
    scope: {one.field for one in said_of(scope) if one.kind in ("number", "whole")} for scope in player_scopes()
}


def _is_odd(cell: str) -> bool:
    try:
        return bool(beyond(float(cell)))
    except ValueError:
        return True
