"""What plays the sounds of a finished pack, as tables of ``ichnos.toml``."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.definitions import PropDefinition, ScheduleDefinition, TriggerDefinition
from ichnos.games.profiles.vocabulary import FIELD_PREFIX
from ichnos.pack.adopting.notes import Notes, Usual, fitting, whole
from ichnos.pack.adopting.sounds import spoken
from ichnos.pack.workspace.pack_file import Prop, Schedule, ScheduleEntry, Trigger
from ichnos.pack.workspace.workspace import short_name


def _said(scope: str, values: Mapping[str, Value], usual: Usual, leave_out: Sequence[str] = ()) -> dict[str, Any]:
    """What is said in a table's own words, without what stands there in any case."""
    found: dict[str, Any] = {}
    fields: dict[str, Value] = {}
    for hole, value in values.items():
        name = hole.removeprefix(f"{scope}.")
        if value in (None, "") or name in leave_out or usual.says(hole, value):
            continue
        if name.startswith(FIELD_PREFIX):
            fields[name.removeprefix(FIELD_PREFIX)] = whole(value)
        else:
            found[name] = whole(value)
    return {**found, "fields": fields} if fields else found


def triggers(found: Sequence[TriggerDefinition], usual: Usual, notes: Notes) -> list[dict[str, Any]]:
    """The triggers; one without a name is called by its event."""
    tables = []
    names: set[str] = set()
    for one in found:
        values = _said("trigger", one.values, usual)
        name = str(values.get("name") or short_name(str(values.get("event") or one.key or "trigger")))
        number, called = 1, name
        while called in names:
            number += 1
            called = f"{name}-{number}"
        if called != name and values.get("name"):
            notes.lose(one.place, f"there are two triggers named {name}: this one is {called} now")
        names.add(called)
        if values.get("once") is False:
            del values["once"]
        fitted = fitting(Trigger, {**values, "name": called}, f"the trigger {called}", one.place, notes)
        if fitted is not None:
            tables.append(_in_order(fitted, Trigger))
    return tables


def props(
    found: Sequence[PropDefinition],
    usual: Usual,
    ids: Mapping[str, str],
    language: str,
    picture: Callable[[str], str | None],
    notes: Notes,
) -> list[dict[str, Any]]:
    """The props. ``picture``: the file in the workspace for a picture in the pack, or ``None``."""
    tables = []
    for one in found:
        name = one.name or short_name(next(iter(one.titles.values()), None) or str(one.key))
        called = f"the prop {name}"
        values = {**_said("prop", one.values, usual, ("id", "picture")), "name": name}
        values["title"] = spoken(one.titles, language) if one.titles else name
        if one.texts:
            values["text"] = spoken(one.texts, language)
        identity, pack_id = one.values.get("prop.id"), ids[min(ids)] if ids else None
        if identity is not None and (pack_id is None or str(identity) != str(uuid.uuid5(uuid.UUID(pack_id), name))):
            values["id"] = str(identity)
        path = one.values.get("prop.picture")
        if path is not None:
            file = picture(str(path))
            if file is not None:
                values["picture"] = file
            else:
                notes.lose(one.place, f"{called}: its picture {path} is not in this pack")
        fitted = fitting(Prop, values, called, one.place, notes)
        if fitted is not None:
            tables.append(_in_order(fitted, Prop))
    return tables


def schedules(found: Sequence[ScheduleDefinition], usual: Usual, notes: Notes) -> list[dict[str, Any]]:
    """The schedules."""
    tables = []
    for number, one in enumerate(found, 1):
        values = _said("schedule", one.values, usual)
        name = str(values.get("name") or f"schedule-{number}")
        entries = []
        for at, entry in enumerate(one.entries, 1):
            said = _said("entry", entry.values, usual, ("number",))
            fitted = fitting(ScheduleEntry, said, f"entry {at} of the schedule {name}", entry.place, notes)
            if fitted is not None:
                entries.append(fitted if fitted.get("kind", "piece") != "piece" else fitted["key"])
        table = fitting(
            Schedule, {**values, "name": name, "entries": entries}, f"the schedule {name}", one.place, notes
        )
        if table is not None:
            tables.append(_in_order(table, Schedule))
    return tables


def _in_order(values: dict[str, Any], model: Any) -> dict[str, Any]:
    """The fields in the order in which the pack file's documentation has them."""
    order = [info.alias or name for name, info in model.model_fields.items()]
    return {name: values[name] for name in order if name in values}
