"""Writing what plays a sound into a workspace's file: a trigger, a prop, a schedule."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomlkit
from pydantic import ValidationError
from tomlkit.items import AoT

from ichnos.documents.checked import TomlTable, in_words
from ichnos.errors import IchnosError, UsageError, raise_all
from ichnos.games.profiles.declared import by_declaration
from ichnos.games.profiles.vocabulary import SCHEDULE, said_of
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace import reading as workspaces
from ichnos.pack.workspace.assignments import document_of, save, set_apart
from ichnos.pack.workspace.copies import Copies
from ichnos.pack.workspace.declared import tables_for
from ichnos.pack.workspace.folder import FILE_NAME
from ichnos.pack.workspace.pack_file import in_order
from ichnos.pack.workspace.slips import needed_of
from ichnos.pack.workspace.workspace import Workspace


@dataclass(frozen=True)
class Addition:
    """What was written: under which name, and ``how``: "new", "added" or "replaced"."""

    name: str
    how: str


def add(
    loaded: Workspace,
    scope: str,
    said: Mapping[str, Any],
    *,
    to_existing: str | None = None,
    dry_run: bool = False,
) -> Addition:
    """Write a trigger, a prop or a schedule. The caller holds the workspace's lock.

    Args:
        scope: "trigger", "prop" or "schedule".
        said: its fields, as they were typed; a trigger without a name is called by its event.
        to_existing: what to do where there is one of that name: "replace" it; or "add" entries to a schedule.

    Raises:
        UsageError: a value that a field cannot have; the game has no place for it; there is one already.
        IchnosError: nothing has a key that it plays, or its picture is not there.
    """
    _need_place(loaded, scope)
    name = str(said["name"]) if "name" in said else _free_name(loaded, scope, str(said.get("event")))
    fields: dict[str, Any] = {"name": name, **{field: value for field, value in said.items() if field != "name"}}
    copies = Copies(loaded.folder)
    for field in (word.field for word in said_of(scope) if word.kind == "path" and word.field in fields):
        file = copies.name_of(Path(fields[field]), field)
        raise_all([file] if isinstance(file, IchnosError) else [])
        fields[field] = file
    document, language = document_of(loaded), loaded.pack_file.pack.language
    tables: Any = document.setdefault(scope, tomlkit.aot())
    existing = next((table for table in tables if table.get("name") == name), None)
    _refuse_twice(loaded, scope, name, existing, to_existing)
    if existing is not None and to_existing == "add":
        fields = {**existing.unwrap(), **fields, "entries": [*existing.unwrap()["entries"], *fields["entries"]]}
    given = _checked(loaded, scope, fields)
    raise_all(list(_unknown_keys(loaded, given)))
    _refuse_lacking(loaded, scope, given)
    values = _values(loaded, scope, given)
    if existing is not None:
        _replace(existing, values, language)
    else:
        _append(tables, values, language)
    if not dry_run:
        copies.carry_out()
        save(loaded, document)
    return Addition(name, "new" if existing is None else "added" if to_existing == "add" else "replaced")


def _need_place(loaded: Workspace, scope: str) -> None:
    profile = loaded.profile
    if not profile.scripts and not any(scope in exemplar.scopes.values() for exemplar in profile.written):
        what = f"{profile.rules.game.title} has no place for a {scope}"
        raise UsageError(what, cure="its profile has neither a document nor a script for them")


def _refuse_twice(loaded: Workspace, scope: str, name: str, existing: Any, to_existing: str | None) -> None:
    named = [index for index, table in enumerate(getattr(loaded.pack_file, scope)) if table.name == name]
    if named and existing is None:
        place = loaded.place(scope, named[0])
        raise UsageError(f'the {scope} "{name}" stands in {place}', cure="change it there, or choose another name")
    if existing is not None and to_existing is None:
        how = "--add for further entries, or " if scope == SCHEDULE else ""
        what = f'there is a {scope} "{name}" in {FILE_NAME} already'
        raise UsageError(what, cure=f"say {how}--replace, or choose another name")


def _checked(loaded: Workspace, scope: str, fields: Mapping[str, Any]) -> TomlTable:
    declared = loaded.profile.rules.declared
    said = {name: value for name, value in fields.items() if name != "fields"}
    said |= by_declaration(declared, scope, fields.get("fields", {}))
    try:
        return tables_for(declared)[scope].model_validate(said)
    except ValidationError as error:
        detail = error.errors()[0]
        at = str(detail["loc"][0]) if detail["loc"] else ""
        typed = fields.get(at)
        shown = f"--{at} {typed}: " if at and isinstance(typed, str) and typed else f"{at}: " if at else ""
        raise UsageError(f"{shown}{in_words(dict(detail))}", cure=f"see: ichnos {scope} --help") from None


def _values(loaded: Workspace, scope: str, given: TomlTable) -> dict[str, Any]:
    """What a table says, as it is written."""
    values = given.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    values |= by_declaration(loaded.profile.rules.declared, scope, values.pop("fields", {}))
    return in_order(values, type(given))


def _append(tables: Any, values: Mapping[str, Any], language: str) -> None:
    table = tomlkit.table() if isinstance(tables, AoT) else tomlkit.inline_table()
    for field, value in values.items():
        table[field] = _written(field, value, language)
    tables.append(table)
    set_apart(tables, table)


def _refuse_lacking(loaded: Workspace, scope: str, given: TomlTable) -> None:
    lacking = needed_of(loaded.profile.rules, scope, given)
    if lacking:
        what = f"{loaded.profile.rules.game.title} needs the {lacking[0]} of a {scope}"
        cure = f"say --{lacking[0]}, or --field {lacking[0]}=VALUE where that is a field of the game's"
        raise UsageError(what, cure=cure)


def _unknown_keys(loaded: Workspace, given: TomlTable) -> Iterator[IchnosError]:
    entries: Sequence[Any] = getattr(given, "entries", (given,))
    own, catalogue = [sound.key for sound in loaded.pack_file.sound], loaded.catalogue
    for key in dict.fromkeys(entry.key for entry in entries):
        if key not in own and catalogue is not None and key not in catalogue:
            what = f'there is no sound "{key}" to play, neither in this pack nor in the game'
            yield IchnosError(what, cure=did_you_mean([*own, *catalogue.keys], key))


def _replace(table: Any, values: Mapping[str, Any], language: str) -> None:
    """Give a table other values; what is said as before keeps its text and its comments."""
    before = table.unwrap()
    for field in [name for name in before if name not in values]:
        del table[field]
    for field, value in values.items():
        if before.get(field) != value:
            table[field] = _written(field, value, language)


def _written(field: str, value: Any, language: str) -> Any:
    """A value as a person would write it: a text in one language alone, an entry that is a main one by its key."""
    if isinstance(value, dict) and field != "fields":
        return value[""] if list(value) == [""] else _inline({tag or language: text for tag, text in value.items()})
    if field == "entries":
        entries = tomlkit.array()
        for entry in value:
            entries.append(entry["key"] if list(entry) == ["key"] else _inline(entry))
        return entries.multiline(multiline=len(value) > _IN_A_LINE)
    return _inline(value) if isinstance(value, dict) else value


_IN_A_LINE = 4  # entries


def _inline(values: Mapping[str, Any]) -> Any:
    table = tomlkit.inline_table()
    table.update(values)
    return table


def _free_name(loaded: Workspace, scope: str, text: str) -> str:
    """A name that no other has, made of a text."""
    name, taken = workspaces.short_name(text), {player.name for player in getattr(loaded.pack_file, scope)}
    return name if name not in taken else next(f"{name}-{n}" for n in range(2, 10**6) if f"{name}-{n}" not in taken)
