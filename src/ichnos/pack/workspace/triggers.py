"""Triggers out of a table beside the workspace's file: a row for each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from ichnos.documents.checked import beyond, in_words
from ichnos.documents.text import Text
from ichnos.errors import IchnosError, Place, raise_all
from ichnos.pack.workspace.pack_file import PackFile, Trigger
from ichnos.pack.workspace.sounds import rows

COLUMNS = tuple(str(field.alias or name) for name, field in Trigger.model_fields.items() if name != "fields")
_NUMBERS = ("delay", "fade", "volume", "odds")


@dataclass(frozen=True)
class PlacedTriggers:
    """Triggers, and where each is said, by its name: ``places["dusk"]("key")``."""

    triggers: tuple[Trigger, ...]
    places: Mapping[str, Callable[..., Place]]


def of_file(pack_file: PackFile, place: Callable[..., Place]) -> PlacedTriggers:
    """Those of ``ichnos.toml``; of two with one name, which is a slip, the places are not known by that."""
    names = Counter(one.name for one in pack_file.trigger)

    def at(index: int) -> Callable[..., Place]:
        return lambda *path: place("trigger", index, *path)

    alone = [(index, one.name) for index, one in enumerate(pack_file.trigger) if names[one.name] == 1]
    return PlacedTriggers(pack_file.trigger, {name: at(index) for index, name in alone})


def of_table(text: Text) -> PlacedTriggers:
    """Those of a table (RFC 4180; also with semicolons or tabs).

    Raises:
        IchnosError: every row that is not understood, with its line and the column's name.
    """
    found: list[Trigger] = []
    places: dict[str, Callable[..., Place]] = {}
    errors: list[IchnosError] = []
    for line, cells in rows(text, COLUMNS, prefixes=("field.",)):
        place = Place(text.path, line)
        wrong = next((name for name in _NUMBERS if name in cells and _is_odd(cells[name])), None)
        if wrong is not None:
            what = f'column "{wrong}": {cells[wrong][:20]!r} is no number that can be meant'
            errors.append(IchnosError(what, place=place, cure="write a number such as 0.5"))
            continue
        said: dict[str, Any] = {name: cell for name, cell in cells.items() if not name.startswith("field.")}
        said["fields"] = {
            name.removeprefix("field."): cell for name, cell in cells.items() if name.startswith("field.")
        }
        try:
            trigger = Trigger.model_validate(said)
        except ValidationError as error:
            for detail in error.errors():
                column = f'column "{detail["loc"][0]}": ' if detail["loc"] else ""
                errors.append(IchnosError(f"{column}{in_words(dict(detail))}", place=place, cure="correct the cell"))
            continue
        if trigger.name in places:
            what = f'there is a trigger "{trigger.name}" in line {places[trigger.name]().line} already'
            errors.append(IchnosError(what, place=place, cure="give each a name of its own"))
        found.append(trigger)
        places[trigger.name] = _always(place)
    raise_all(errors)
    return PlacedTriggers(tuple(found), places)


def together(first: PlacedTriggers, other: PlacedTriggers) -> PlacedTriggers:
    """Those of the file, and those of the table.

    Raises:
        IchnosError: a name that stands in both.
    """
    for name in other.places:
        if name in first.places:
            what = f'there is a trigger "{name}" in {first.places[name]()} already'
            raise IchnosError(what, place=other.places[name](), cure="give each a name of its own")
    return PlacedTriggers((*first.triggers, *other.triggers), {**first.places, **other.places})


def _is_odd(cell: str) -> bool:
    try:
        return bool(beyond(float(cell)))
    except ValueError:
        return True


def _always(place: Place) -> Callable[..., Place]:
    return lambda *path: place
