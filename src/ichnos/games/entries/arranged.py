"""What a pack says, arranged as a profile's exemplars repeat it: sorted, and with the values that are worked out."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from typing import Any

from ichnos.documents.tree import Value
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import CATEGORY, GROUP, LANGUAGE, SOUND, all_entry_scopes, part_in, word
from ichnos.games.things import PackThing, SoundThing, Thing, languages, numbered


def said_in(exemplar: Exemplar, pack: PackThing, *, merged: bool) -> PackThing:
    """What a pack says in one document: of the kinds that stand in it, and without files only where it has none.

    A sound without files is one of the game's that gets another title, or other values: it stands where its own
    entry is known, to be changed, and the document has a place for one of them.
    """
    of_kinds = pack.of_kinds(exemplar.how.kinds)
    names = set(exemplar.scopes)
    if stands_without_files(exemplar, merged=merged):
        return of_kinds
    return of_kinds.with_sounds(
        sound for sound in of_kinds.sounds if sound.names_files or (sound.is_changed and _says_of(sound, names))
    )


def sorted_by(order: str, pack: PackThing) -> PackThing:
    """A pack with its sounds in the order that a document wants."""
    if order == "said":
        return pack
    files = {sound.key: next((file for file, _, _ in sound.files()), "") for sound in pack.sounds}
    return pack.with_sounds(
        sorted(pack.sounds, key=lambda sound: (files[sound.key] if order == "file" else "", sound.key))
    )


def stands_without_files(exemplar: Exemplar, *, merged: bool) -> bool:
    """Has a document entries of sounds whose files are not the pack's?"""
    names = set(exemplar.scopes)
    has_files = bool({"file", "part.file"} & names) or any(part_in(name) for name in names)
    return merged or ("title" in names and not has_files)


def _says_of(sound: SoundThing, names: Collection[str]) -> bool:
    """Does a sound say something that has a place among these holes?"""
    said = [name for name in sound.values if (field := word(name)) and field.scope == SOUND and not field.is_name]
    return any(name in names for name in (*said, *(["title"] if sound.titles else [])))


def arranged(pack: PackThing, profile: Profile) -> PackThing:
    """The pack, with its sounds also by category and by group, and each thing by the languages of its texts.

    Where a key has one take, as the sound's kind says, that take's values are the sound's own.
    """
    inside = {scope: tuple(_in_languages(thing) for thing in pack.of(scope)) for scope in all_entry_scopes(pack.inside)}
    sounds = [_whole(sound, profile) for sound in pack.sounds]
    of_things = (tag for things in inside.values() for thing in things for tag in thing.languages)
    tags = [*pack.tags, *pack.languages, *of_things]
    by_category = _by(sounds, "category").items()
    return replace(
        pack,
        inside={
            **inside,
            **_grouped(sounds),
            LANGUAGE: languages(tags),
            CATEGORY: tuple(Thing(CATEGORY, {"category": name}, _grouped(inner)) for name, inner in by_category),
        },
    )


def _in_languages(thing: Thing) -> Thing:
    """A thing by the languages of its texts, with what lies inside it numbered."""
    inside = {scope: tuple(numbered(thing.of(scope))) for scope in thing.inside}
    return replace(thing, inside={**inside, LANGUAGE: languages(thing.languages)})


def _whole(sound: SoundThing, profile: Profile) -> SoundThing:
    """A sound with its key in pieces, and its files by the names of its parts."""
    group, _, own = sound.key.rpartition(profile.rules.names.separator)
    values: dict[str, Value] = {**sound.values, "key.group": group or None, "key.own": own}
    values |= {f"part.{part.name}.file": part.file for part in sound.parts}
    if sound.takes and not profile.kinds[sound.kind].several:
        values |= sound.takes[0].values
    return replace(_in_languages(sound), values=values)  # type: ignore[return-value]


def _by(sounds: Iterable[Thing], name: str) -> Mapping[Value, list[Thing]]:
    by_value: dict[Any, list[Thing]] = {}
    for sound in sounds:
        by_value.setdefault(sound.values.get(name), []).append(sound)
    return by_value


def _grouped(sounds: Collection[Thing]) -> dict[str, tuple[Thing, ...]]:
    """The sounds, and the same by the group of their keys."""
    groups = _by(sounds, "key.group").items()
    return {
        SOUND: tuple(sounds),
        GROUP: tuple(Thing(GROUP, {"key.group": name}, {SOUND: tuple(inner)}) for name, inner in groups),
    }
