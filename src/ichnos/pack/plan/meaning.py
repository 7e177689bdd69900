"""What a workspace means, as a tree of things, with every clip at its work."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ichnos.documents.checked import TomlTable
from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ENTRY,
    ID_PREFIX,
    LANGUAGE,
    OWN,
    PACK,
    PART,
    SCHEDULE,
    SOUND,
    TAKE,
    free_prefix,
    number_field,
    player_scopes,
    said_of,
    spoken_prefix,
)
from ichnos.games.things import NOWHERE, PackThing, PartThing, SoundThing, TakeThing, Texts, Thing, languages, numbered
from ichnos.pack.plan.naming import ClipUses
from ichnos.pack.workspace.declared import tables_of
from ichnos.pack.workspace.numbers import numbers
from ichnos.pack.workspace.pack_file import Prop, Schedule, Take
from ichnos.pack.workspace.sounds import PlacedSound, takes_of
from ichnos.pack.workspace.workspace import Workspace


def pack_values(workspace: Workspace) -> dict[str, Value]:
    """The pack's own values, by the names of holes."""
    pack = workspace.pack_file.pack
    free, texts = free_fields(PACK, pack.fields, pack.language)
    return {
        "pack.title": pack.title,
        "pack.name": pack.name,
        "pack.version": pack.version,
        "pack.id": pack.id or pack.name,
        "pack.summary": pack.summary,
        "pack.text": pack.text,
        "pack.author": pack.author,
        "pack.licence": pack.licence,
        **game_versions(pack.game_version),
        **{f"{ID_PREFIX}{name}": value for name, value in workspace.pack_file.ids.items()},
        **free,
        **{name: said.get(None) or next(iter(said.values()), None) for name, said in texts.items()},
    }


def game_versions(several: Sequence[str]) -> dict[str, Value]:
    """The versions of the game that a pack is for, by the names of holes."""
    first, last = several[0], several[-1]
    names = ("game.version", "game.first-version", "game.last-version")
    return {**dict(zip(names, (last, first, last), strict=True)), "game.versions": [*several]}


Finished = Mapping[str, Mapping[str, Value]]  # what is known of finished sound files, by their paths

# What stands for it until then.
_UNFINISHED: Mapping[str, Value] = {"seconds": 0.0, "frames": 0, "bytes": 0, "crc32": "0" * 8, "sha1": "0" * 40}


def things(workspace: Workspace, uses: ClipUses, finished: Finished | None = None) -> PackThing:
    """What the workspace means.

    Args:
        finished: what is known of its sound files, where they are made.

    Raises:
        IchnosError: a sound without the category that the game sorts by, or a name that cannot be spelled.
    """
    file, place = workspace.pack_file, workspace.place
    values = pack_values(workspace)
    places = {name: place("pack", name.rpartition(".")[2].replace("_", "-")) for name in values}
    sounds = tuple(_sound(workspace, uses, placed, finished or {}) for placed in workspace.sounds)
    values["pack.sounds"] = len({use.path for placed in workspace.sounds for use in uses.of(placed)})
    inside: dict[str, tuple[Thing, ...]] = {SOUND: sounds}
    for scope in player_scopes():
        tables = enumerate(getattr(file, scope))
        inside[scope] = tuple(_player(workspace, uses, scope, one, place(scope, index), index) for index, one in tables)
    for scope in workspace.profile.rules.declared.scopes:
        inside[scope] = tuple(_own(workspace, scope))
    inside[LANGUAGE] = languages(tag for several in inside.values() for thing in several for tag in thing.languages)
    for scope, given in numbers(workspace).items():
        inside[scope] = tuple(
            replace(thing, values={**thing.values, number_field(scope): given[str(thing.name)]})
            for thing in inside[scope]
        )
    texts = {f"{PACK}.{name}": in_languages(said, "") for name, said in file.pack.translated.items()}
    own = free_fields(PACK, file.pack.fields, file.pack.language)[1].items()
    texts |= {name: {tag: text for tag, text in said.items() if tag} for name, said in own if len(said) > 1}
    return uses.with_files(PackThing(PACK, values, inside, texts, places=places))


def _said(scope: str, table: TomlTable, language: str, place: Place = NOWHERE) -> Thing:
    """What a table says, by the fields that the vocabulary has for its scope."""
    values: dict[str, Value] = {}
    texts: dict[str, Texts] = {}
    for word in said_of(scope):
        said = getattr(table, word.attribute)
        if word.is_spoken:
            texts[word.name] = in_languages(said, language)
        else:
            values[word.name] = said
    free, translated = free_fields(scope, getattr(table, "fields", {}), language)
    return Thing(scope, values | free, texts=texts | translated, place=place)


def free_fields(
    scope: str, fields: Mapping[str, Any], language: str
) -> tuple[dict[str, Value], dict[str, dict[str | None, str]]]:
    """The values of free fields by the names of holes, and the texts of those that are said in languages."""
    values = {name: value for name, value in fields.items() if not isinstance(value, dict)}
    texts = {name: value for name, value in fields.items() if isinstance(value, dict)}
    return (
        {f"{free_prefix(scope)}{name}": value for name, value in values.items()},
        {f"{spoken_prefix(scope)}{name}": in_languages(value, language) for name, value in texts.items()},
    )


def _player(workspace: Workspace, uses: ClipUses, scope: str, table: TomlTable, place: Place, index: int) -> Thing:
    """What plays a sound, with what only the pack knows of it."""
    language = workspace.pack_file.pack.language
    thing = _said(scope, table, language, place)
    if isinstance(table, Prop):
        more = {"prop.picture": uses.picture_path(table), "prop.id": _identity(workspace, table)}
        return replace(thing, values={**thing.values, **more})
    if isinstance(table, Schedule):
        entries = (
            _said(ENTRY, entry, language, workspace.place(SCHEDULE, index, "entries", at))
            for at, entry in enumerate(table.entries)
        )
        return replace(thing, inside={ENTRY: tuple(numbered(entries))})
    return thing


def _own(workspace: Workspace, scope: str) -> Iterator[Thing]:
    """The things of a scope that the profile declares."""
    for index, table in enumerate(tables_of(workspace.pack_file, scope)):
        free, texts = free_fields(scope, table.fields, workspace.pack_file.pack.language)
        place = workspace.place(scope.removeprefix(OWN), index)
        yield Thing(scope, {f"{scope}.name": table.name, **free}, texts=texts, place=place)


def _identity(workspace: Workspace, prop: Prop) -> str:
    """A prop's id: it stays the same for as long as the pack's id and its name do."""
    ids, name = workspace.pack_file.ids, workspace.pack_file.pack.name
    space = uuid.UUID(ids[min(ids)]) if ids else uuid.uuid5(uuid.NAMESPACE_OID, name)
    return prop.id or str(uuid.uuid5(space, prop.name))


def _sound(workspace: Workspace, uses: ClipUses, placed: PlacedSound, finished: Finished) -> SoundThing:
    sound = placed.sound
    category = workspace.category_of(sound)
    if category is None and _needs_category(workspace):
        raise IchnosError(
            f"{sound.key} needs a category, as {workspace.profile.rules.game.title} sorts its sounds by them",
            place=placed.place(),
            cure='say category = "..."',
        )
    clips = uses.of(placed)
    of_clips = iter([use for use in clips if use.role == "take"])
    takes = (
        _take(take, None, placed.place("takes", number - 1), {})
        if take.key is not None
        else _take(take, uses.kept(placed, number), placed.place("takes", number - 1), {})
        if take.kept
        else _take(take, (use := next(of_clips)).path, use.place, finished.get(use.path, _UNFINISHED))
        for number, take in enumerate(takes_of(sound), 1)
    )
    parts = tuple(
        PartThing(
            PART,
            {"part.name": use.part, "part.file": use.path, **_named(PART, finished.get(use.path, _UNFINISHED))},
            place=use.place,
        )
        for use in clips
        if use.role == "part"
    )
    thing = _said(SOUND, sound, workspace.pack_file.pack.language)
    values = {
        "key": sound.key,
        "category": category,
        "like": sound.like or (sound.key if workspace.changes_entry(sound) else None),
        "fresh": sound.fresh or None,
        "kind": workspace.kind_of(sound).name,
        **{name: value for name, value in thing.values.items() if value is not None},
    }
    rules = workspace.profile.rules
    if rules.takes.added and workspace.profile.can_say_adds and not sound.new:
        values.setdefault("adds", False)  # who says nothing replaces
    places = {name: placed.place(name) for name in thing.values if values.get(name) is not None}
    return SoundThing(SOUND, values, {TAKE: tuple(numbered(takes)), PART: parts}, thing.texts, placed.place(), places)


def _take(take: Take, file: str | None, place: Place, finished: Mapping[str, Value]) -> TakeThing:
    said = _said(TAKE, take, "").values
    values = {name: value for name, value in said.items() if value is not None}
    return TakeThing(TAKE, {**({"file": file} if file else {}), **values, **_named(TAKE, finished)}, place=place)


def _named(scope: str, finished: Mapping[str, Value]) -> dict[str, Value]:
    return {f"{scope}.{name}": value for name, value in finished.items()}


def in_languages(said: Mapping[str, str], default: str) -> dict[str | None, str]:
    """A text by language; ``None`` stands for the pack's own."""
    by_language: dict[str | None, str] = {tag or default: text for tag, text in said.items()}
    return by_language | {None: by_language[default]} if default in by_language else by_language


def _needs_category(workspace: Workspace) -> bool:
    return any(CATEGORY in (*exemplar.units.values(), *exemplar.file_scopes) for exemplar in workspace.profile.written)
