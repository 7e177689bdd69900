"""The workspace's file for games with things and fields of their own: its models, with those as well."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, ValidationError, create_model, model_validator

from ichnos.documents.checked import TomlTable
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.games.profiles import profile
from ichnos.games.profiles.declared import Declarations, DeclaredField, DeclaredThing
from ichnos.games.profiles.vocabulary import ENTRY, OWN, PACK, SCHEDULE, SOUND, TAKE
from ichnos.games.profiles.word import Word
from ichnos.pack.workspace.about_pack import Fields, FileName, Pack
from ichnos.pack.workspace.pack_file import (
    PLAYERS,
    Defaults,
    Elsewhere,
    PackFile,
    Schedule,
    ScheduleEntry,
    Sound,
    Spoken,
    Take,
    as_entry,
    as_take,
)

_DECLARES = re.compile(rb"^[ \t]*(?:\[\[)?[ \t]*[\"']?(?:thing|field)[\"']?[ \t]*(?:\]\]|=)", re.MULTILINE)


def in_pieces(said: Any) -> Any:
    """A list that is said in one text, with semicolons: as a table has it."""
    return tuple(piece.strip() for piece in said.split(";") if piece.strip()) if isinstance(said, str) else said


_KINDS: Mapping[str, Any] = {
    "text": str,
    "number": float,
    "whole": int,
    "yes-no": bool,
    "path": FileName,
    "list": Annotated[tuple[str, ...], BeforeValidator(in_pieces, json_schema_input_type=str | list[str])],
}


def rows_of(names: Iterable[str], folder: Path) -> Declarations:
    """What the profiles of some games declare; of a profile that cannot be read, nothing: that is told elsewhere."""
    rows = Declarations()
    for name in names:
        try:
            data = disk.read(profile.find(name, folder) / "game.toml")
            values = tomllib.loads(data.decode()) if _DECLARES.search(data) else {}
            more = Declarations(
                tuple(map(DeclaredThing.model_validate, values.get("thing", ()))),
                tuple(map(DeclaredField.model_validate, values.get("field", ()))),
            )
        except (IchnosError, OSError, ValueError, ValidationError, TypeError):
            continue
        rows = rows.together(more)
    return rows


def of_games(file: TomlFile, folder: Path) -> Declarations:
    """What the profiles of the games declare that a workspace's file names."""
    own, others = file.values.get("game"), file.values.get("games")
    names = [own] if isinstance(own, str) else []
    for name, other in others.items() if isinstance(others, dict) else ():
        at = other.get("game", name) if isinstance(other, dict) else name
        names += [at] if isinstance(at, str) else []
    return rows_of(names, folder)


@cache
def tables_for(rows: Declarations) -> Mapping[str, type[TomlTable]]:
    """The models of the tables of each scope, with what profiles declare."""

    def table(model: type[TomlTable], scope: str, **more: Any) -> Any:
        return _with(model, tuple(rows.of(scope)), **more)

    take, entry, elsewhere = table(Take, TAKE), table(ScheduleEntry, ENTRY), table(Elsewhere, SOUND)
    said_alone: dict[str, Any] = {"takes": (take, as_take), "entries": (entry, as_entry)}
    several = {
        name: tuple[Annotated[one, BeforeValidator(made, json_schema_input_type=str | one)], ...]  # type: ignore[valid-type]
        for name, (one, made) in said_alone.items()
    }
    in_sound = {
        "takes": (several["takes"], _like(Sound, "takes")), "games": (dict[str, elsewhere], _like(Sound, "games")),  # type: ignore[valid-type]
    }  # fmt: skip
    more = {
        SCHEDULE: {"entries": (several["entries"], _like(Schedule, "entries"))} if entry is not ScheduleEntry else {}
    }
    return {
        PACK: table(Pack, PACK),
        SOUND: table(Sound, SOUND, **(in_sound if take is not Take or elsewhere is not Elsewhere else {})),
        TAKE: take,
        ENTRY: entry,
        "defaults": table(Defaults, SOUND),
        **{scope: table(model, scope, **more.get(scope, {})) for scope, model in PLAYERS.items()},
        **{scope: table(DeclaredTable, scope) for scope in rows.scopes},
    }


@cache
def pack_file_for(rows: Declarations) -> type[PackFile]:
    """The model of ``ichnos.toml`` for games that declare these."""
    if not rows.things and not rows.fields:
        return PackFile
    models = tables_for(rows)
    fields: dict[str, Any] = {"pack": (models[PACK], _like(PackFile, "pack"))}
    for name in ("defaults", SOUND, *PLAYERS):
        fields[name] = _several(models[name]), _like(PackFile, name)
    for thing in rows.things:
        about = Field(default=(), alias=thing.name, description=f"[[{thing.name}]]: {thing.about}")
        fields[_attribute(thing.name)] = _several(models[OWN + thing.name]), about
    return create_model("PackFile", __base__=PackFile, **fields)


def _several(model: Any) -> Any:
    return tuple[model, ...]


class DeclaredTable(TomlTable):
    name: str = Field(min_length=1, description="its own name")
    fields: Fields = Field(default={}, exclude=True, description="")


def tables_of(pack_file: PackFile, scope: str) -> tuple[Any, ...]:
    """The tables of a scope, one that a profile declares too; none where it has no tables of its own."""
    tables: tuple[Any, ...] = getattr(pack_file, name_in_file(scope), ())
    return tables


def name_in_file(scope: str) -> str:
    """How code calls the tables of a scope, of those that a profile declares too: what ``PackFile`` has them under."""
    return _attribute(scope.removeprefix(OWN)) if scope.startswith(OWN) else scope


def all_declared_tables(pack_file: PackFile) -> Iterator[tuple[str, tuple[DeclaredTable, ...]]]:
    """All things that profiles of the workspace's games declare, by their scope."""
    for name, field in type(pack_file).model_fields.items():
        if name.startswith(_attribute("")):
            yield OWN + str(field.alias), getattr(pack_file, name)


def _attribute(name: str) -> str:
    return f"own_{name.replace('-', '_')}"


def _like(model: type[TomlTable], name: str) -> Any:
    """A field as the model has it, for another kind of table in it."""
    info = model.model_fields[name]
    minimum = next((one.min_length for one in info.metadata if hasattr(one, "min_length")), None)
    default = ... if info.is_required() else info.default
    return Field(default, description=info.description, min_length=minimum)


def _with(model: type[TomlTable], words: tuple[Word, ...], **more: Any) -> type[TomlTable]:
    """A table with fields that profiles declare; what is said of them is among its free fields, too."""
    if not words:
        return create_model(model.__name__, __base__=model, **more) if more else model
    fields: dict[str, Any] = dict(more)
    for word in words:
        is_text = word.is_spoken or word.in_languages
        kind: Any = Literal[word.choices] if word.choices else Spoken if is_text else _KINDS[word.kind]
        bounds = {"ge": word.least, "le": word.most, "min_length": 1 if kind is str else None}
        options: dict[str, Any] = {bound: limit for bound, limit in bounds.items() if limit is not None}
        fields[_attribute(word.field)] = kind | None, Field(None, alias=word.field, description=word.about, **options)

    def gather(table: Any) -> Any:
        told = {word.field: getattr(table, _attribute(word.field)) for word in words}
        said = {name: list(value) if isinstance(value, tuple) else value for name, value in told.items()}
        misplaced = next((name for name in said if name in table.fields), None)
        if misplaced is not None and said[misplaced] is None:
            raise ValueError(f'"{misplaced}" is a field of its own here: write {misplaced} = ..., without fields')
        together = {**table.fields, **{name: value for name, value in said.items() if value is not None}}
        if together != table.fields:
            object.__setattr__(table, "fields", together)
            table.__pydantic_fields_set__.add("fields")
        return table

    validators: dict[str, Any] = {"gather": model_validator(mode="after")(gather)}
    return create_model(model.__name__, __base__=model, __validators__=validators, **fields)
