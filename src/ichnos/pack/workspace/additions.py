"""Writing things into a workspace's file: a trigger, a prop, a schedule, what a game's profile declares."""

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
from ichnos.games.profiles.declared import Declarations, by_declaration
from ichnos.games.profiles.vocabulary import OWN, SCHEDULE, is_declared, said_of
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace import reading as workspaces
from ichnos.pack.workspace.assignments import document_of, save, set_apart
from ichnos.pack.workspace.copies import Copies
from ichnos.pack.workspace.declared import tables_for, tables_of
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
    """Write a trigger, a prop, a schedule, or a thing that the profile declares. The caller holds the workspace's lock.

    Args:
        scope: "trigger", "prop", "schedule", or one that the profile declares.
        said: its fields, as they were typed; a trigger without a name is called by its event.
        to_existing: what to do where there is one of that name: "replace" it; or "add" entries to a schedule.

    Raises:
        UsageError: a value that a field cannot have; the game has no place for it; there is one already.
        IchnosError: nothing has a key that it plays, or its picture is not there.
    """
    _need_place(loaded, scope)
    name = str(said["name"]) if "name" in said else _free_name(loaded, scope, str(said.get("event")))
    fields: dict[str, Any] = {"name": name, **{field: value for field, value in said.items() if field != "name"}}
    copies = _copied(loaded, scope, fields)
    document, language = document_of(loaded), loaded.pack_file.pack.language
    tables: Any = document.setdefault(scope.removeprefix(OWN), tomlkit.aot())
    existing = next((table for table in tables if table.get("name") == name), None)
    _refuse_twice(loaded, scope, name, existing, to_existing)
    if existing is not None and to_existing == "add":
        fields = {**existing.unwrap(), **fields, "entries": [*existing.unwrap()["entries"], *fields["entries"]]}
    given = _checked(loaded, scope, fields)
    raise_all(list(_unknown_keys(loaded, scope, given)))
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


def _copied(loaded: Workspace, scope: str, fields: dict[str, Any]) -> Copies:
    """The files that are named, as they will be in the workspace, and what is to be copied for that."""
    copies, free = Copies(loaded.folder), dict(fields.get("fields", {}))
    for said, words in ((fields, said_of(scope)), (free, loaded.profile.rules.declared.of(scope))):
        for field in (word.field for word in words if word.kind == "path" and word.field in said):
            file = copies.name_of(Path(said[field]), field)
            raise_all([file] if isinstance(file, IchnosError) else [])
            said[field] = file
    fields |= {"fields": free} if free else {}
    return copies


def _need_place(loaded: Workspace, scope: str) -> None:
    profile = loaded.profile
    if is_declared(scope) and scope not in profile.rules.declared.scopes:
        sort, sorts = scope.removeprefix(OWN), [one.name for one in profile.rules.declared.things]
        what = f"packs for {profile.rules.game.title} have no {sort}"
        otherwise = "its profile declares no things of its own"
        raise UsageError(what, cure=did_you_mean(sorts, sort, 3, otherwise=", ".join(sorts) or otherwise))
    if not profile.scripts and not any(scope in exemplar.scopes.values() for exemplar in profile.written):
        what = f"{profile.rules.game.title} has no place for a {scope.removeprefix(OWN)}"
        raise UsageError(what, cure="its profile has neither a document nor a script for them")


def _refuse_twice(loaded: Workspace, scope: str, name: str, existing: Any, to_existing: str | None) -> None:
    kind = scope.removeprefix(OWN)
    named = [index for index, table in enumerate(tables_of(loaded.pack_file, scope)) if table.name == name]
    if named and existing is None:
        place = loaded.place(kind, named[0])
        raise UsageError(f'the {kind} "{name}" stands in {place}', cure="change it there, or choose another name")
    if existing is not None and to_existing is None:
        how = "--add for further entries, or " if scope == SCHEDULE else ""
        what = f'there is a {kind} "{name}" in {FILE_NAME} already'
        raise UsageError(what, cure=f"say {how}--replace, or choose another name")


def _checked(loaded: Workspace, scope: str, fields: Mapping[str, Any]) -> TomlTable:
    declared = loaded.profile.rules.declared
    said = {name: value for name, value in fields.items() if name != "fields"}
    said |= by_declaration(declared, scope, _by_language(declared, scope, fields.get("fields", {})))
    try:
        return tables_for(declared)[scope].model_validate(said)
    except ValidationError as error:
        detail = error.errors()[0]
        at = str(detail["loc"][0]) if detail["loc"] else ""
        typed = fields.get(at)
        cure = "see: ichnos games show GAME" if is_declared(scope) else f"see: ichnos {scope} --help"
        shown = f"--{at} {typed}: " if at and isinstance(typed, str) and typed else f"{at}: " if at else ""
        raise UsageError(f"{shown}{in_words(dict(detail))}", cure=cure) from None


def _by_language(declared: Declarations, scope: str, free: Mapping[str, Any]) -> dict[str, Any]:
    """Free fields, those of a text in several languages together: ``lore`` and ``lore.de``."""
    texts = [word.field for word in declared.of(scope) if word.is_spoken]
    said: dict[str, Any] = {}
    for field, value in free.items():
        name, _, language = field.partition(".")
        if name in texts:
            said.setdefault(name, {})[language] = value
        else:
            said[field] = value
    return said


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
        what = f"{loaded.profile.rules.game.title} needs the {lacking[0]} of a {scope.removeprefix(OWN)}"
        as_field = f"--field {lacking[0]}=VALUE"
        cure = f"say --{lacking[0]}, or {as_field} where that is a field of the game's"
        cure = f"say {as_field}" if is_declared(scope) else cure
        raise UsageError(what, cure=cure)


def _unknown_keys(loaded: Workspace, scope: str, given: TomlTable) -> Iterator[IchnosError]:
    entries: Sequence[Any] = getattr(given, "entries", (given,))
    own, catalogue = [sound.key for sound in loaded.pack_file.sound], loaded.catalogue
    keys = [] if is_declared(scope) else [entry.key for entry in entries]
    free: Mapping[str, Any] = getattr(given, "fields", {})
    keys += [free[row.field] for row in loaded.profile.rules.declared.of(scope) if row.is_key and row.field in free]
    for key in dict.fromkeys(keys):
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
    name, taken = workspaces.short_name(text), {player.name for player in tables_of(loaded.pack_file, scope)}
    return name if name not in taken else next(f"{name}-{n}" for n in range(2, 10**6) if f"{name}-{n}" not in taken)
