"""What a pack says, as one frozen value, each item with the place where it is said.

A workspace means one (``ichnos.pack.plan.meaning``); reading a pack or an installed game through its
profile gives one (``ichnos.games.entries.packs``). Filling a profile's exemplars takes one
(``ichnos.games.entries.instances``).
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from ichnos.documents.tree import Value
from ichnos.errors import Place
from ichnos.games.profiles.vocabulary import ID_PREFIX, goes_round

NOWHERE = Place("")


@dataclass(frozen=True)
class PackDefinition:
    """The pack itself. ``values``: by the names of holes, as ``pack.title``; ``languages``: those of its titles."""

    values: Mapping[str, Value] = field(default_factory=dict)
    languages: tuple[str, ...] = ()
    places: Mapping[str, Place] = field(default_factory=dict)

    @property
    def ids(self) -> dict[str, str]:
        """Its ids by name."""
        return {
            name.removeprefix(ID_PREFIX): str(value)
            for name, value in self.values.items()
            if name.startswith(ID_PREFIX)
        }


@dataclass(frozen=True)
class TakeDefinition:
    """One of the files under a key. ``file``: from the pack's root; in a game's own files it may lack its extension.

    ``values``: the other holes of a take.
    """

    file: str | None
    weight: float | None = None
    values: Mapping[str, Value] = field(default_factory=dict)
    place: Place = NOWHERE


@dataclass(frozen=True)
class PartDefinition:
    """A named piece of a sound."""

    name: str | None
    file: str | None
    place: Place = NOWHERE


@dataclass(frozen=True)
class SoundDefinition:
    """A sound key. ``settings``: volume, pitch, near ... by the names of holes, where they are said.

    ``titles``: by language; ``None`` stands for a title that belongs to no language. ``fields``: what
    the profile asks for besides. ``like``: the key whose entry this one starts from; its own, where the game
    has that, and then all that is not said stays. ``fresh``: nothing of the game's entry stays.
    """

    key: str
    category: str | None = None
    takes: tuple[TakeDefinition, ...] = ()
    parts: tuple[PartDefinition, ...] = ()
    settings: Mapping[str, Value] = field(default_factory=dict)
    titles: Mapping[str | None, str] = field(default_factory=dict)
    fields: Mapping[str, Value] = field(default_factory=dict)
    like: str | None = None
    place: Place = NOWHERE
    places: Mapping[str, Place] = field(default_factory=dict)  # of its values; a title's is title.LANGUAGE
    language: str | None = None  # where each language has an entry of its own
    kind: str = ""  # the kind of sound that it is, where the game has several
    fresh: bool = False

    @property
    def languages(self) -> list[str]:
        """Those that it has a title in."""
        return [tag for tag in self.titles if tag is not None]

    @property
    def loops(self) -> bool:
        return self.settings.get("loop") is True

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
        return next(self.files(), None) is not None


@dataclass(frozen=True)
class TriggerDefinition:
    """An event that plays a key. ``values``: by the names of holes."""

    key: str | None
    values: Mapping[str, Value] = field(default_factory=dict)
    place: Place = NOWHERE


@dataclass(frozen=True)
class PropDefinition:
    """A thing in the game that plays a key. ``values``: by the names of holes.

    ``titles`` and ``texts``: by language; ``None`` stands for the default language, or for none.
    """

    key: str | None
    values: Mapping[str, Value] = field(default_factory=dict)
    place: Place = NOWHERE
    titles: Mapping[str | None, str] = field(default_factory=dict)
    texts: Mapping[str | None, str] = field(default_factory=dict)

    @property
    def name(self) -> str | None:
        name = self.values.get("prop.name")
        return None if name is None else str(name)

    @property
    def languages(self) -> list[str]:
        """Those that it has a title or a text in."""
        return [tag for tag in dict.fromkeys((*self.titles, *self.texts)) if tag is not None]


@dataclass(frozen=True)
class EntryDefinition:
    """One entry of a schedule: a key and its kind, piece or between. ``values``: by the names of holes."""

    key: str | None
    values: Mapping[str, Value] = field(default_factory=dict)
    place: Place = NOWHERE


@dataclass(frozen=True)
class ScheduleDefinition:
    """Pieces, with others between them. ``values``: by the names of holes."""

    entries: tuple[EntryDefinition, ...] = ()
    values: Mapping[str, Value] = field(default_factory=dict)
    place: Place = NOWHERE


@dataclass(frozen=True)
class Definitions:
    """All that a pack says, or one of its documents."""

    pack: PackDefinition = PackDefinition()
    sounds: tuple[SoundDefinition, ...] = ()
    triggers: tuple[TriggerDefinition, ...] = ()
    props: tuple[PropDefinition, ...] = ()
    schedules: tuple[ScheduleDefinition, ...] = ()

    def of_kinds(self, kinds: Collection[str]) -> Definitions:
        """The same with the sounds of some kinds alone; with all of them where none is named."""
        return replace(self, sounds=tuple(one for one in self.sounds if one.kind in kinds)) if kinds else self

    def played(self) -> Iterator[tuple[str, Place]]:
        """Each key that something plays, and where that is said."""
        entries = [entry for schedule in self.schedules for entry in schedule.entries]
        players: list[TriggerDefinition | PropDefinition | EntryDefinition] = [*self.triggers, *self.props, *entries]
        for one in players:
            if one.key is not None:
                yield one.key, one.place

    def defined(self) -> Iterator[SoundDefinition]:
        """The sounds that name files."""
        return (sound for sound in self.sounds if sound.names_files)


@dataclass
class _Collected:
    """Definitions of several documents, as they come together."""

    values: dict[str, Value] = field(default_factory=dict)
    places: dict[str, Place] = field(default_factory=dict)
    languages: dict[str, None] = field(default_factory=dict)
    sounds: dict[str, SoundDefinition] = field(default_factory=dict)


def combine(several: list[Definitions]) -> Definitions:
    """One value of the definitions in several documents: of each key all that any of them says, the first counts."""
    found = _Collected()
    for one in several:
        for name, value in one.pack.values.items():
            if name not in found.values:
                found.values[name], found.places[name] = value, one.pack.places.get(name, NOWHERE)
        found.languages.update(dict.fromkeys(one.pack.languages))
        for sound in one.sounds:
            known = found.sounds.get(sound.key)
            found.sounds[sound.key] = sound if known is None else together(known, sound)
    return Definitions(
        PackDefinition(found.values, tuple(found.languages), found.places),
        tuple(found.sounds.values()),
        tuple(trigger for one in several for trigger in one.triggers),
        _props(prop for one in several for prop in one.props),
        tuple(schedule for one in several for schedule in one.schedules),
    )


def _props(several: Iterable[PropDefinition]) -> tuple[PropDefinition, ...]:
    """Each prop once, with all that any document says of it; those without a name as they are."""
    found: dict[str | int, PropDefinition] = {}
    for one in several:
        name = len(found) if one.name is None else one.name
        known = found.get(name)
        found[name] = one if known is None else props_together(known, one)
    return tuple(found.values())


def props_together(first: PropDefinition, other: PropDefinition) -> PropDefinition:
    """All that two entries of one prop say; where both say something, the first counts."""
    return replace(
        first,
        key=other.key if first.key is None else first.key,
        values={**other.values, **first.values},
        titles={**first.titles, **other.titles, **first.titles},  # in the order in which they stand there
        texts={**first.texts, **other.texts, **first.texts},
    )


def together(first: SoundDefinition, other: SoundDefinition) -> SoundDefinition:
    """All that two entries of one sound say; where both say something, the first counts."""
    main = first if first.names_files or not other.names_files else other
    return replace(
        main,
        category=first.category or other.category,
        takes=first.takes or other.takes,
        parts=first.parts or other.parts,
        settings={**other.settings, **first.settings},
        titles={**other.titles, **first.titles},
        fields={**other.fields, **first.fields},
        places={**other.places, **first.places},
    )
