"""What plays the sounds of a finished pack, as tables of ``ichnos.toml``."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.facts import called
from ichnos.games.profiles.declared import Declarations, by_declaration
from ichnos.games.profiles.vocabulary import ENTRY, OWN, SCHEDULE, free_prefix, said_of
from ichnos.games.profiles.word import Word
from ichnos.games.things import Thing
from ichnos.pack.adopting.notes import Notes, Usual, fitting, whole
from ichnos.pack.adopting.sounds import own_texts, spoken
from ichnos.pack.workspace.declared import tables_for
from ichnos.pack.workspace.pack_file import PLAYERS, in_order
from ichnos.pack.workspace.workspace import short_name


@dataclass(frozen=True)
class Players:
    """Makes tables of things. ``ids``, ``language``: the pack's. ``picture``: the file in the workspace for a picture
    in the pack, or ``None``."""

    usual: Usual
    ids: Mapping[str, str]
    language: str
    picture: Callable[[str], str | None]
    notes: Notes
    declared: Declarations  # what the profile declares

    def tables(self, scope: str, things: Iterable[Thing]) -> list[dict[str, Any]]:
        """The tables of a scope, each with a name of its own."""
        tables = []
        names: set[str] = set()
        for position, thing in enumerate(things, 1):
            own = thing.text_of(f"{scope}.name")
            name = own or short_name(_first_text(thing) or called(thing) or f"{scope.removeprefix(OWN)}-{position}")
            number, free = 1, name
            while free in names:
                number += 1
                free = f"{name}-{number}"
            if free != name and own:
                self.notes.lose(
                    thing.place, f"there are two {scope.removeprefix(OWN)}s named {name}: this one is {free} now"
                )
            names.add(free)
            whose = f"the {scope.removeprefix(OWN)} {free}"
            values = {**self.said(thing, free, whose), "name": free}
            if scope == SCHEDULE:
                values["entries"] = self.entries(thing, free)
            model = tables_for(self.declared)[scope]
            fitted = fitting(model, values, whose, thing.place, self.notes)
            if fitted is not None:
                tables.append(in_order(fitted, model))
        return tables

    def entries(self, schedule: Thing, name: str) -> list[Any]:
        """A schedule's entries: a key alone, or a table with a kind."""
        entries = []
        for at, entry in enumerate(schedule.of(ENTRY), 1):
            whose = f"entry {at} of the schedule {name}"
            model = tables_for(self.declared)[ENTRY]
            fitted = fitting(model, self.said(entry, name, whose), whose, entry.place, self.notes)
            if fitted is not None:
                alone = {name: value for name, value in fitted.items() if (name, value) != ("kind", "piece")}
                entries.append(fitted["key"] if [*alone] == ["key"] else in_order(alone, model))
        return entries

    def said(self, thing: Thing, name: str, whose: str) -> dict[str, Any]:
        """What is said in a table's own words, without what stands there in any case."""
        found: dict[str, Any] = {}
        for field in said_of(thing.scope):
            value, texts = thing.values.get(field.name), thing.texts.get(field.name)
            if field.is_spoken and (texts or field.needed):
                found[field.field] = spoken(texts, self.language) if texts else name
            elif value in (None, "") or self.usual.says(field.name, value):
                continue
            elif field.kind == "id":
                found |= {} if self.is_made_from(name, value) else {field.field: str(value)}
            elif field.kind == "path":
                file = self.picture(str(value))
                if file is None:
                    self.notes.lose(thing.place, f"{whose}: its {field.field} {value} is not in this pack")
                else:
                    found[field.field] = file
            elif value is not False or not _is_usually_false(thing.scope, field):
                found[field.field] = whole(value)
        prefix = free_prefix(thing.scope)
        free = {name: whole(value) for name, value in thing.free.items() if not self.usual.says(prefix + name, value)}
        free = {name: value for name, value in free.items() if value not in (None, "")}
        return {**found, **by_declaration(self.declared, thing.scope, {**free, **own_texts(thing, self.language)})}

    def is_made_from(self, name: str, identity: Value) -> bool:
        """Is an id the one that a build makes from the pack's and a name?"""
        pack = self.ids[min(self.ids)] if self.ids else None
        return pack is not None and str(identity) == str(uuid.uuid5(uuid.UUID(pack), name))


def _first_text(thing: Thing) -> str | None:
    return next((text for texts in thing.texts.values() for text in texts.values()), None)


def _is_usually_false(scope: str, field: Word) -> bool:
    return scope in PLAYERS and PLAYERS[scope].model_fields[field.attribute].default is False
