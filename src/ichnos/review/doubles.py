"""What the documents of a pack say together, with everything kept that is said twice and otherwise.

A game takes one of two entries of a key, and so does whoever reads a pack for it; who compares wants both.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.definitions import (
    Definitions,
    PackDefinition,
    PropDefinition,
    SoundDefinition,
    TakeDefinition,
    props_together,
    together,
)


def kept_apart(documents: Iterable[Definitions]) -> Definitions:
    """All that documents say: where one says otherwise of a thing than another before, that has a number of its own."""
    values: dict[str, Value] = {}
    sounds: dict[str, SoundDefinition] = {}
    props: dict[str, PropDefinition] = {}
    rest = Definitions()
    for one in documents:
        for name, value in one.pack.values.items():
            values[_free(name, {known for known, there in values.items() if there != value})] = value
        here: set[tuple[str, str | None]] = set()  # with files, in this document
        for sound in one.sounds:
            doubled = sound.names_files and (sound.key, sound.language) in here
            number, name = 1, sound.key
            while name in sounds and (doubled or _otherwise(sounds[name], sound)):
                number += 1
                name = f"{sound.key} ({number})"
            sounds[name] = replace(together(sounds[name], sound) if name in sounds else sound, key=name)
            if sound.names_files:
                here.add((sound.key, sound.language))
        for prop in one.props:
            own = prop.name or str(prop.key)
            number, name = 1, own
            while name in props and (prop.name is None or _props_otherwise(props[name], prop)):
                number += 1
                name = f"{own} ({number})"
            props[name] = props_together(props[name], prop) if name in props else prop
        rest = replace(rest, triggers=rest.triggers + one.triggers, schedules=rest.schedules + one.schedules)
    named = tuple(replace(prop, values={**prop.values, "prop.name": name}) for name, prop in props.items())
    return replace(rest, pack=PackDefinition(values), sounds=tuple(sounds.values()), props=named)


def _free(name: str, taken: set[str]) -> str:
    number, found = 1, name
    while found in taken:
        number += 1
        found = f"{name} ({number})"
    return found


def _otherwise(first: SoundDefinition, other: SoundDefinition) -> bool:
    """Would anything that the second says be lost beside the first?"""
    return (
        bool(first.category and other.category and first.category != other.category)
        or bool(first.takes and other.takes and _takes(first) != _takes(other))
        or bool(first.parts and other.parts and _parts(first) != _parts(other))
        or _clash(first.settings, other.settings)
        or _clash(first.titles, other.titles)
        or _clash(first.fields, other.fields)
    )


def _props_otherwise(first: PropDefinition, other: PropDefinition) -> bool:
    return (
        bool(first.key and other.key and first.key != other.key)
        or _clash(first.values, other.values)
        or _clash(first.titles, other.titles)
        or _clash(first.texts, other.texts)
    )


def _takes(sound: SoundDefinition) -> list[TakeDefinition]:
    return [TakeDefinition(take.file, take.weight, dict(take.values)) for take in sound.takes]


def _parts(sound: SoundDefinition) -> list[tuple[str | None, str | None]]:
    return [(part.name, part.file) for part in sound.parts]


def _clash(first: Mapping[Any, Value], other: Mapping[Any, Value]) -> bool:
    return any(name in first and first[name] != value for name, value in other.items())
