"""What adopting a pack has to say, and which of its values need not be written down."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from ichnos.documents.checked import TomlTable, in_words
from ichnos.documents.tree import Unwritable, Value
from ichnos.errors import Place
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.profile import Profile


@dataclass
class Notes:
    """``lost``: what could not be taken over, each with its place; ``told``: what else is to be known."""

    lost: list[tuple[Place | None, str]] = field(default_factory=list)
    told: list[str] = field(default_factory=list)

    def lose(self, place: Place | None, what: str) -> None:
        self.lost.append((place, what))


class Usual:
    """The values that a profile's documents have by themselves."""

    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self._known: dict[str, list[Value] | None] = {}

    def says(self, name: str, value: Value) -> bool:
        """Is it what a hole of that name says wherever it stands, where nobody has said anything?"""
        if name not in self._known:
            self._known[name] = self._defaults(name)
        known = self._known[name]
        return bool(known) and all(value == one for one in known or ())

    def _defaults(self, name: str) -> list[Value] | None:
        values: list[Value] = []
        for hole in (hole for exemplar in self.profile.written for hole in exemplar.holes_named(name)):
            if hole.default is None:
                return None
            with suppress(Unreadable, Unwritable):
                values.append(hole.read(hole.default))
        return values


def whole(value: Value) -> Value:
    """A number as people write it: without decimals where it has none."""
    return int(value) if isinstance(value, float) and value.is_integer() else value


def fitting(
    model: type[TomlTable], values: dict[str, Any], called: str, place: Place | None, notes: Notes
) -> dict[str, Any] | None:
    """What a table of the pack file can hold of some values, by its fields; ``None`` where nothing is left of it.

    Each value that it cannot hold is told.
    """
    values = dict(values)
    while True:
        try:
            model.model_validate(values)
            return values
        except ValidationError as error:
            detail: Mapping[str, Any] = error.errors()[0]
            at = str(detail["loc"][0]) if detail["loc"] else ""
            missing = at not in values
            shown = "" if missing or not at else f" {at} = {values[at]!r}"
            notes.lose(place, f"{called}:{shown}: {in_words(detail)}" if shown else f"{called}: {in_words(detail)}")
            if missing or model.model_fields[_field(model, at)].is_required():
                return None
            del values[at]


def _field(model: type[TomlTable], name: str) -> str:
    return next(
        field for field, info in model.model_fields.items() if name in (field, info.alias, field.replace("_", "-"))
    )
