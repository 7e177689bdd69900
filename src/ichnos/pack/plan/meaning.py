"""What a workspace means: its definitions, with every clip at its work."""

from __future__ import annotations

import keyword
import uuid
from collections.abc import Mapping

from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place
from ichnos.games.definitions import (
    Definitions,
    EntryDefinition,
    PackDefinition,
    PartDefinition,
    PropDefinition,
    ScheduleDefinition,
    SoundDefinition,
    TakeDefinition,
    TriggerDefinition,
)
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ENTRY,
    FIELD_PREFIX,
    ID_PREFIX,
    IN_LANGUAGES,
    PROP,
    SCHEDULE,
    SETTINGS,
    TAKE_SETTINGS,
    TRIGGER,
    WORDS,
    attribute,
)
from ichnos.pack.plan.naming import ClipUses
from ichnos.pack.workspace.pack_file import Pack, Prop, Schedule, ScheduleEntry, Take, Trigger
from ichnos.pack.workspace.sounds import PlacedSound, takes_of
from ichnos.pack.workspace.workspace import Workspace


def pack_values(workspace: Workspace) -> dict[str, Value]:
    """The pack's own values, by the names of holes."""
    pack = workspace.pack_file.pack
    return {
        "pack.title": pack.title,
        "pack.name": pack.name,
        "pack.version": pack.version,
        "pack.summary": pack.summary,
        "pack.author": pack.author,
        "pack.licence": pack.licence,
        "game.version": pack.game_version,
        **{f"{ID_PREFIX}{name}": value for name, value in workspace.pack_file.ids.items()},
    }


def definitions(workspace: Workspace, uses: ClipUses) -> Definitions:
    """What the workspace means.

    Raises:
        IchnosError: a sound without the category that the game sorts by, or a name that cannot be spelled.
    """
    file, place = workspace.pack_file, workspace.place
    language = file.pack.language
    values = pack_values(workspace)
    places = {name: place("pack", name.rpartition(".")[2].replace("_", "-")) for name in values}
    spoken = [*(sound.title for sound in file.sound), *(said for one in file.prop for said in (one.title, one.text))]
    languages = dict.fromkeys(tag or language for said in spoken for tag in said)
    return Definitions(
        PackDefinition(values, tuple(languages), places),
        tuple(_sound(workspace, uses, placed) for placed in workspace.sounds),
        tuple(
            TriggerDefinition(one.key, _holes(TRIGGER, one), place("trigger", index))
            for index, one in enumerate(file.trigger)
        ),
        tuple(
            PropDefinition(
                one.key,
                _prop(one, file.pack, file.ids, uses.picture_path(one)),
                place("prop", index),
                in_languages(one.title, language),
                in_languages(one.text, language),
            )
            for index, one in enumerate(file.prop)
        ),
        tuple(
            ScheduleDefinition(
                tuple(
                    EntryDefinition(
                        entry.key,
                        {**_holes(ENTRY, entry), "entry.number": number},
                        place("schedule", index, "entries", number - 1),
                    )
                    for number, entry in enumerate(one.entries, 1)
                ),
                _holes(SCHEDULE, one),
                place("schedule", index),
            )
            for index, one in enumerate(file.schedule)
        ),
    )


def _holes(scope: str, said: Trigger | Prop | Schedule | ScheduleEntry) -> dict[str, Value]:
    """What a table says, by the names of the holes that the vocabulary has for its fields."""
    found: dict[str, Value] = {}
    for name, word in WORDS.items():
        if word.scope == scope and name not in IN_LANGUAGES:
            own = attribute(name)
            found[name] = getattr(said, f"{own}_" if keyword.iskeyword(own) else own, None)
    return found | {f"{scope}.{FIELD_PREFIX}{name}": value for name, value in getattr(said, "fields", {}).items()}


def _prop(prop: Prop, pack: Pack, ids: Mapping[str, str], picture: str | None) -> dict[str, Value]:
    """What a prop says. Its id stays the same for as long as the pack's id and its name do."""
    space = uuid.UUID(ids[min(ids)]) if ids else uuid.uuid5(uuid.NAMESPACE_OID, pack.name)
    identity = prop.id or str(uuid.uuid5(space, prop.name))
    return {**_holes(PROP, prop), "prop.picture": picture, "prop.id": identity}


def _sound(workspace: Workspace, uses: ClipUses, placed: PlacedSound) -> SoundDefinition:
    sound = placed.sound
    category = workspace.category_of(sound)
    if category is None and _needs_category(workspace):
        raise IchnosError(
            f"{sound.key} needs a category, as {workspace.profile.rules.game.title} sorts its sounds by them",
            place=placed.place(),
            cure='say category = "..."',
        )
    clips = uses.of(placed)
    takes = iter([use for use in clips if use.role == "take"])
    language = workspace.pack_file.pack.language
    titles = in_languages(sound.title, language)
    settings = {name: getattr(sound, name) for name in SETTINGS if getattr(sound, name) is not None}
    return SoundDefinition(
        sound.key,
        category,
        tuple(
            TakeDefinition(uses.kept(placed, number), take.weight, _of_take(take), placed.place("takes", number - 1))
            if take.kept
            else TakeDefinition((use := next(takes)).path, take.weight, _of_take(take), use.place)
            for number, take in enumerate(takes_of(sound), 1)
        ),
        tuple(PartDefinition(use.part, use.path, use.place) for use in clips if use.role == "part"),
        settings,
        titles,
        {f"{FIELD_PREFIX}{name}": value for name, value in sound.fields.items()},
        sound.like or (sound.key if workspace.changes_entry(sound) else None),
        placed.place(),
        _places(placed, settings),
        kind=workspace.kind_of(sound).name,
        fresh=sound.fresh,
    )


def in_languages(said: Mapping[str, str], default: str) -> dict[str | None, str]:
    """A text by language; ``None`` stands for the pack's own."""
    found: dict[str | None, str] = {tag or default: text for tag, text in said.items()}
    return found | {None: found[default]} if default in found else found


def _of_take(take: Take) -> dict[str, Value]:
    said = {name: getattr(take, attribute(name)) for name in TAKE_SETTINGS}
    return {name: value for name, value in said.items() if value is not None}


def _places(placed: PlacedSound, settings: Mapping[str, Value]) -> dict[str, Place]:
    return {name: placed.place(name) for name in settings}


def _needs_category(workspace: Workspace) -> bool:
    return any(CATEGORY in (*exemplar.units.values(), *exemplar.file_scopes) for exemplar in workspace.profile.written)
