"""What a pack says, as a tree of things: each with its scope, its values, what lies inside it, and where it is said.

A workspace means one (``ichnos.pack.plan.meaning``); reading a pack or an installed game through its profile gives
one (``ichnos.games.entries.packs``); filling a profile's exemplars takes one (``ichnos.games.entries.arranged``).
The scopes and their fields are in the vocabulary. Scopes that code speaks of by name have a view of their own here,
which reads the thing's values and copies nothing.
"""

from __future__ import annotations

from collections import ChainMap
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar, cast

from ichnos.documents.tree import Value
from ichnos.errors import Place
from ichnos.games.profiles.vocabulary import (
    ID_PREFIX,
    LANGUAGE,
    PACK,
    PART,
    PROP,
    SCHEDULE,
    SCOPES,
    SOUND,
    TAKE,
    TRIGGER,
    WORDS,
    all_entry_scopes,
    free_prefix,
    goes_round,
    is_name,
    key_field,
    scope_row,
)

NOWHERE = Place("")

Texts = Mapping[str | None, str]  # by language; None stands for the pack's own, or for none


@dataclass(frozen=True)
class Thing:
    """A pack, a sound, a take ... ``values``: by the names of holes. ``inside``: by scope.

    ``texts``: what players read of it, by the names of holes, in each language. ``places``: of single values, by the
    names of holes; of a text in a language NAME.LANGUAGE.
    """

    scope: str
    values: Mapping[str, Value] = field(default_factory=dict)
    inside: Mapping[str, tuple[Thing, ...]] = field(default_factory=dict)
    texts: Mapping[str, Texts] = field(default_factory=dict)
    place: Place = NOWHERE
    places: Mapping[str, Place] = field(default_factory=dict)

    def place_of(self, name: str) -> Place:
        """Where a value is said, as far as that is known."""
        return self.places.get(name, self.place)

    def text_of(self, name: str) -> str | None:
        """A value as a text."""
        value = self.values.get(name)
        return None if value is None else str(value)

    def in_language(self, name: str, language: Value) -> Value:
        """A value in a language, where it is said in several; as it is otherwise."""
        text = self.texts.get(name, {}).get(str(language)) if language else None
        return self.values.get(name) if text is None else text

    @property
    def name(self) -> str | None:
        """What it is called."""
        return next((str(value) for name, value in self.values.items() if value is not None and is_name(name)), None)

    @property
    def key(self) -> str | None:
        """The sound key that it plays."""
        name = key_field(self.scope)
        return self.text_of(name) if name else None

    @property
    def languages(self) -> list[str]:
        """Those that it has a text in."""
        return [tag for tag in dict.fromkeys(tag for texts in self.texts.values() for tag in texts) if tag is not None]

    @property
    def free(self) -> dict[str, Value]:
        """Its free fields: what a profile asks for besides."""
        prefix = free_prefix(self.scope)
        return {name.removeprefix(prefix): value for name, value in self.values.items() if name.startswith(prefix)}

    def of(self, scope: str) -> tuple[Thing, ...]:
        """What lies inside it of a scope."""
        return self.inside.get(scope, ())

    def every(self, scope: str) -> Iterator[Thing]:
        """All things of a scope in it, at any depth."""
        for inner, things in self.inside.items():
            for thing in things:
                if inner == scope:
                    yield thing
                yield from thing.every(scope)


class TakeThing(Thing):
    """One of the files under a key."""

    @property
    def file(self) -> str | None:
        """From the pack's root; in a game's own files it may lack its extension."""
        return cast("str | None", self.values.get("file"))

    @property
    def weight(self) -> float | None:
        return cast("float | None", self.values.get("weight"))


class PartThing(Thing):
    """A named piece of a sound."""

    @property
    def name(self) -> str | None:
        return cast("str | None", self.values.get("part.name"))

    @property
    def file(self) -> str | None:
        return cast("str | None", self.values.get("part.file"))


class SoundThing(Thing):
    """A sound key. Besides what the vocabulary has, its values say:

    ``kind``: the kind of sound that it is, where the game has several; ``like``: the key whose entry this one starts
    from: its own, where the game has that, and then all that is not said stays; ``fresh``: nothing of the game's entry
    stays; ``language``: where each language has an entry of its own.
    """

    @property
    def key(self) -> str:
        return cast(str, self.values["key"])

    @property
    def category(self) -> str | None:
        return cast("str | None", self.values.get("category"))

    @property
    def kind(self) -> str:
        return str(self.values.get("kind") or "")

    @property
    def like(self) -> str | None:
        return self.text_of("like")

    @property
    def takes(self) -> tuple[TakeThing, ...]:
        return cast("tuple[TakeThing, ...]", self.of(TAKE))

    @property
    def parts(self) -> tuple[PartThing, ...]:
        return cast("tuple[PartThing, ...]", self.of(PART))

    @property
    def titles(self) -> Texts:
        return self.texts.get("title", {})

    @property
    def loops(self) -> bool:
        return self.values.get("loop") is True

    def files(self) -> Iterator[tuple[str, Place, bool]]:
        """Each file of its takes and parts, where it is named, and whether it is a part's."""
        yield from ((take.file, take.place, False) for take in self.takes if take.file is not None)
        yield from ((part.file, part.place, True) for part in self.parts if part.file is not None)

    def looped_files(self) -> Iterator[str]:
        """The files that must be marked where it loops: not an intro, which is played once."""
        names = [part.name for part in self.parts]
        yield from (take.file for take in self.takes if take.file is not None)
        yield from (part.file for part in self.parts if part.file is not None and goes_round(part.name, names))

    @property
    def is_changed(self) -> bool:
        """Is it a change of the game's own entry?"""
        return self.like == self.key

    @property
    def names_files(self) -> bool:
        """Does it name files, or other keys in their place?"""
        return next(self.files(), None) is not None or any(take.key for take in self.takes)


class PackThing(Thing):
    """All that a pack says, or one of its documents."""

    @property
    def sounds(self) -> tuple[SoundThing, ...]:
        return cast("tuple[SoundThing, ...]", self.of(SOUND))

    @property
    def triggers(self) -> tuple[Thing, ...]:
        return self.of(TRIGGER)

    @property
    def props(self) -> tuple[Thing, ...]:
        return self.of(PROP)

    @property
    def schedules(self) -> tuple[Thing, ...]:
        return self.of(SCHEDULE)

    @property
    def tags(self) -> list[str]:
        """The languages of its texts."""
        return [str(language.values["language"]) for language in self.of(LANGUAGE)]

    @property
    def ids(self) -> dict[str, str]:
        """Its ids by name."""
        return {
            name.removeprefix(ID_PREFIX): str(value)
            for name, value in self.values.items()
            if name.startswith(ID_PREFIX)
        }

    def with_sounds(self, sounds: Iterable[SoundThing]) -> PackThing:
        """The same with other sounds."""
        return replace(self, inside={**self.inside, SOUND: tuple(sounds)})

    def of_kinds(self, kinds: Collection[str]) -> PackThing:
        """The same with the sounds of some kinds alone; with all of them where none is named."""
        return self.with_sounds(sound for sound in self.sounds if sound.kind in kinds) if kinds else self

    def played(self) -> Iterator[tuple[str, Place]]:
        """Each key that something plays, and where that is said."""
        for scope in SCOPES if self.inside else ():
            for thing in self.every(scope) if key_field(scope) else ():
                if thing.key is not None:
                    yield thing.key, thing.place

    def defined(self) -> Iterator[SoundThing]:
        """The sounds that name files."""
        return (sound for sound in self.sounds if sound.names_files)


_VIEWS: Mapping[str, type[Thing]] = {PACK: PackThing, SOUND: SoundThing, TAKE: TakeThing, PART: PartThing}

AnyThing = TypeVar("AnyThing", bound=Thing)


def thing(scope: str, *said: Any, **more: Any) -> Any:
    """A thing, as the view of its scope; its arguments are Thing's."""
    return _VIEWS.get(scope, Thing)(scope, *said, **more)


def sound_of(key: str, category: str | None = None, files: Iterable[str] = (), place: Place = NOWHERE) -> SoundThing:
    """A sound of which only so much is known."""
    takes = tuple(TakeThing(TAKE, {"file": file}) for file in files)
    return SoundThing(SOUND, {"key": key, "category": category}, {TAKE: takes}, place=place)


def languages(tags: Iterable[str]) -> tuple[Thing, ...]:
    """Things for languages, each of them once."""
    return tuple(Thing(LANGUAGE, {"language": tag}) for tag in dict.fromkeys(tags))


def numbered(several: Iterable[AnyThing]) -> Iterator[AnyThing]:
    """Things of one scope with their numbers, from 1, where the vocabulary has such a field and nothing is said."""
    for number, one in enumerate(several, 1):
        name = f"{one.scope}.number"
        is_missing = name in WORDS and one.values.get(name) is None
        yield replace(one, values={**one.values, name: number}) if is_missing else one


def together(first: AnyThing, other: AnyThing) -> AnyThing:
    """All that two entries of one thing say; where both say something, the first counts."""
    main = other if _names_files(other) and not _names_files(first) else first
    values = {name: value for name, value in first.values.items() if value not in (None, "")}
    return replace(
        main,
        values={**other.values, **values},
        inside={scope: first.of(scope) or other.of(scope) for scope in {**first.inside, **other.inside}},
        texts={
            name: {**first.texts.get(name, {}), **other.texts.get(name, {}), **first.texts.get(name, {})}
            for name in {**first.texts, **other.texts}
        },
        places=ChainMap(cast(dict[str, Place], first.places), cast(dict[str, Place], other.places)),
    )


def _names_files(one: Thing) -> bool:
    return isinstance(one, SoundThing) and one.names_files


def combine(several: Collection[PackThing]) -> PackThing:
    """One tree of what several documents say: of each named thing all that any of them says, the first counts."""
    values: dict[str, Value] = {}
    places: dict[str, Place] = {}
    texts: dict[str, dict[str | None, str]] = {}
    for pack in several:
        for name, by_language in pack.texts.items():
            texts[name] = {**by_language, **texts.get(name, {})}
    said = {name for one in several for name in one.values}
    values |= {name: next(iter(by_language.values())) for name, by_language in texts.items() if name not in said}
    for pack in several:
        for name, value in pack.values.items():
            if name not in values:
                values[name], places[name] = value, pack.place_of(name)
    inside: dict[str, tuple[Thing, ...]] = {LANGUAGE: languages(tag for one in several for tag in one.tags)}
    for scope in all_entry_scopes(scope for one in several for scope in one.inside):
        things = [inner for one in several for inner in one.of(scope)]
        inside[scope] = tuple(_joined(things) if scope_row(scope).is_joined else things)
    return PackThing(PACK, values, inside, texts, places=places)


def _joined(things: Iterable[Thing]) -> Iterable[Thing]:
    """Each thing once, with all that any entry says of it; those without a name as they are."""
    found: dict[str | int, Thing] = {}
    for one in things:
        name = len(found) if one.name is None else one.name
        before = found.get(name)
        found[name] = one if before is None else together(before, one)
    return found.values()
