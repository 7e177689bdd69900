"""Definitions as values for a profile's holes, in the scopes that its exemplars repeat."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.definitions import Definitions, PropDefinition, ScheduleDefinition, SoundDefinition
from ichnos.games.entries.fill import Instance
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ENTRY,
    GROUP,
    LANGUAGE,
    PART,
    PROP,
    SCHEDULE,
    SOUND,
    TAKE,
    TRIGGER,
    part_in,
)


def said_in(exemplar: Exemplar, definitions: Definitions, *, merged: bool) -> Definitions:
    """What a pack says in one document: of the kinds that stand in it, and without files only where it has none.

    A sound without files is one of the game's that gets another title, or other values: it stands where its own
    entry is known, to be changed, and the document has a place for one of them.
    """
    of_kinds = definitions.of_kinds(exemplar.kinds)
    names = set(exemplar.scopes)
    if stands_without_files(exemplar, merged=merged):
        return of_kinds
    sounds = (one for one in of_kinds.sounds if one.names_files or (one.is_changed and _says_of(one, names)))
    return replace(of_kinds, sounds=tuple(sounds))


def stands_without_files(exemplar: Exemplar, *, merged: bool) -> bool:
    """Has a document entries of sounds whose files are not the pack's?"""
    names = set(exemplar.scopes)
    has_files = bool({"file", "part.file"} & names) or any(part_in(name) for name in names)
    return merged or ("title" in names and not has_files)


def _says_of(sound: SoundDefinition, names: Collection[str]) -> bool:
    """Does a sound say something that has a place among these holes?"""
    said = {**sound.settings, **sound.fields, **({"title": True} if sound.titles else {})}
    return any(name in names for name in said)


def pack_instance(definitions: Definitions, profile: Profile) -> Instance:
    """The pack, with all that lies inside it.

    Where a key has one take, as the sound's kind says, that take's values are the sound's own.
    """
    separator, kinds = profile.rules.names.separator, profile.kinds
    sounds = [_sound(one, separator, several_takes=kinds[one.kind].several) for one in definitions.sounds]
    languages = dict.fromkeys(definitions.pack.languages)
    languages |= dict.fromkeys(tag for sound in definitions.sounds for tag in sound.languages)
    languages |= dict.fromkeys(tag for prop in definitions.props for tag in prop.languages)
    return Instance(
        definitions.pack.values,
        {
            LANGUAGE: tuple(Instance({"language": tag}) for tag in languages),
            **_grouped(sounds),
            CATEGORY: tuple(
                Instance({"category": name}, _grouped(inner)) for name, inner in _by(sounds, "category").items()
            ),
            TRIGGER: tuple(Instance(trigger.values) for trigger in definitions.triggers),
            PROP: tuple(_prop(prop) for prop in definitions.props),
            SCHEDULE: tuple(_schedule(schedule) for schedule in definitions.schedules),
        },
    )


def _schedule(schedule: ScheduleDefinition) -> Instance:
    return Instance(schedule.values, {ENTRY: tuple(Instance(entry.values) for entry in schedule.entries)})


def _prop(prop: PropDefinition) -> Instance:
    languages = tuple(Instance({"language": tag}) for tag in prop.languages)
    return Instance(
        prop.values, {LANGUAGE: languages}, {"prop.title": prop.titles, "prop.text": prop.texts}, prop.place
    )


def _sound(sound: SoundDefinition, separator: str, *, several_takes: bool) -> Instance:
    group, _, own = sound.key.rpartition(separator)
    values: dict[str, Value] = {
        "key": sound.key,
        "key.group": group or None,
        "key.own": own,
        "category": sound.category,
        "like": sound.like,
        "fresh": sound.fresh or None,
        "kind": sound.kind,
        **sound.settings,
        **sound.fields,
        **{f"part.{part.name}.file": part.file for part in sound.parts},
    }
    takes = tuple(
        Instance({"take.number": number, **take.values, "weight": take.weight, "file": take.file})
        for number, take in enumerate(sound.takes, 1)
    )
    parts = tuple(Instance({"part.name": part.name, "part.file": part.file}) for part in sound.parts)
    if takes and not several_takes:
        values |= takes[0].values
    languages = tuple(Instance({"language": tag}) for tag in sound.languages)
    inside = {TAKE: takes, PART: parts, LANGUAGE: languages}
    return Instance(values, inside, {"title": dict(sound.titles)}, sound.place)


def _by(sounds: Sequence[Instance], name: str) -> dict[Value, list[Instance]]:
    found: dict[Any, list[Instance]] = {}
    for sound in sounds:
        found.setdefault(sound.values.get(name), []).append(sound)
    return found


def _grouped(sounds: Sequence[Instance]) -> dict[str, tuple[Instance, ...]]:
    """The sounds, and the same by the group of their keys."""
    groups = _by(sounds, "key.group")
    return {
        SOUND: tuple(sounds),
        GROUP: tuple(Instance({"key.group": name}, {SOUND: tuple(inner)}) for name, inner in groups.items()),
    }
