"""A made-up pack with something for every hole, to try a profile with."""

from __future__ import annotations

import math

from ichnos.documents.tree import Unwritable, Value
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
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.converters import Unreadable
from ichnos.games.profiles.holes import Hole, Pattern
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile

_LANGUAGES = ("en", "de")
_VALUES: dict[str, Value] = {"text": "made up", "number": 0.5, "whole": 3.0, "yes-no": True, "path": "made/up.ogg"}


def sample_pack(profile: Profile) -> Definitions:
    """Two sounds of each kind with all that they can have, and one of everything else."""
    return _Sampler(profile).pack()


def _spoken(what: str) -> dict[str | None, str]:
    """A text in each of the sample's languages."""
    said: dict[str | None, str] = {tag: f"{what} ({tag})" for tag in _LANGUAGES}
    return {**said, None: f"{what} ({_LANGUAGES[0]})"}


def _carries(hole: Hole, value: Value) -> bool:
    """Does a value come back of a hole as it was?"""
    try:
        back = hole.carried(value)
    except (Unreadable, Unwritable):
        return False
    return (
        math.isclose(value, back, rel_tol=0.01)
        if isinstance(value, float) and isinstance(back, float)
        else back == value
    )


class _Sampler:
    def __init__(self, profile: Profile) -> None:
        self.profile = profile
        self.rules = profile.rules
        self.tables = self._tables()
        ids = {
            f"{words.ID_PREFIX}{name}": f"0000000{n}-0000-4000-8000-000000000000"
            for n, name in enumerate(profile.id_names)
        }
        self.own: dict[str, Value] = {
            "pack.title": "A sample", "pack.name": "sample", "pack.version": "1.2.0", "pack.summary": "For trying.",
            "pack.author": "Nobody", "pack.licence": "CC0-1.0", "game.version": self.rules.game.versions[0], **ids,
        }  # fmt: skip

    def _tables(self) -> dict[str, list[str]]:
        """For holes that go through a word table: the words that it knows."""
        return {
            hole.word.name: list(self.rules.tables[converter.argument])
            for exemplar in self.profile.documents
            for pattern in (*exemplar.values.values(), *exemplar.labels.values(), exemplar.path)
            for hole in pattern.holes
            for converter in hole.converters
            if converter.name == "table" and converter.argument
        }

    def word(self, name: str, otherwise: str, index: int = 0) -> str:
        """A value that the hole's word table knows, where it has one."""
        known = self.tables.get(name)
        return known[index % len(known)] if known else otherwise

    def free(self, name: str) -> Value:
        """A free field's value: the first of each kind that its holes can spell."""
        holes = [hole for one in self.profile.documents for hole in one.holes_named(name)]
        tried: list[Value] = [self.word(name, "made up"), True, 0.5, 3.0, "1.2.0", "made/up.ogg"]
        return next((value for value in tried if all(_carries(hole, value) for hole in holes)), tried[0])

    def pack(self) -> Definitions:
        kinds = [kind for kind in self.profile.kinds.values() if self.profile.has_files(kind)]
        named = [(kind, f"{kind.name}{name}") for kind in kinds for name in ("near", "far")]
        sounds = tuple(self.sound(index, kind, name) for index, (kind, name) in enumerate(named))
        key = sounds[0].key
        entries = (self.entry(1, "piece", key), self.entry(2, "between", key))
        return Definitions(
            PackDefinition(self.own, _LANGUAGES),
            sounds,
            (TriggerDefinition(key, self.values(words.TRIGGER, {"trigger.key": key, "trigger.name": "dawn"})),),
            (PropDefinition(key, self.prop(key), titles=_spoken("Prop"), texts=_spoken("Text")),),
            (ScheduleDefinition(entries, self.values(words.SCHEDULE, {"schedule.name": "night"})),),
        )

    def values(self, scope: str, said: dict[str, Value]) -> dict[str, Value]:
        """A value for every hole of a scope: as said, or one of its kind."""
        values: dict[str, Value] = {}
        for name, one in words.WORDS.items():
            if one.scope == scope and name not in words.IN_LANGUAGES:
                value = said.get(name, _VALUES[one.kind])
                values[name] = self.word(name, value) if isinstance(value, str) and name not in said else value
        return values

    def prop(self, key: str) -> dict[str, Value]:
        picture = self.path(next(iter(self.profile.picture_paths), None), {"prop.name": "stove"})
        return {**self.values(words.PROP, {"prop.name": "stove", "prop.key": key}), "prop.picture": picture}

    def entry(self, number: int, kind: str, key: str) -> EntryDefinition:
        said: dict[str, Value] = {
            "entry.number": number, "entry.kind": self.word("entry.kind", kind, number), "entry.key": key
        }  # fmt: skip
        return EntryDefinition(key, self.values(words.ENTRY, said))

    def sound(self, index: int, kind: Kind, name: str) -> SoundDefinition:
        key = self.rules.names.separator.join(("made", "up", name))
        group, _, own = key.rpartition(self.rules.names.separator)
        category = self.word("category", "sample")
        naming: dict[str, Value] = {"key": key, "key.group": group, "key.own": own, "category": category}
        settings: dict[str, Value] = {
            "pitch": 1.5, "near": 2.0, "far": 30.0 + index, "priority": 4.0, "loop": index % 2 == 0, "fade": 1.5
        }  # fmt: skip
        fields: dict[str, Value] = {
            f"{words.FIELD_PREFIX}{field}": self.free(f"{words.FIELD_PREFIX}{field}")
            for field in self.profile.field_names
        }
        take_path, part_path = self.profile.take_paths.get(kind.name), self.profile.part_paths.get(kind.name)
        takes = tuple(
            TakeDefinition(
                self.path(take_path, {**naming, **fields, "take.number": number}),
                float(number),
                {"take.volume": 0.5, "take.pitch": 1.5, "take.from-disk": number == 1},
            )
            for number in range(1, 3 if kind.several else 2)
            if take_path is not None
        )
        parts = tuple(
            PartDefinition(part, self.path(part_path, {**naming, **fields, "part.name": part})) for part in kind.parts
        )
        return SoundDefinition(
            key,
            category,
            takes,
            parts,
            {name: settings.get(name, _VALUES[words.WORDS[name].kind]) for name in words.SETTINGS},
            _spoken(f"Title {index}"),
            fields,
            kind=kind.name,
        )

    def path(self, pattern: Pattern | None, values: dict[str, Value]) -> str | None:
        """A file's path, where there is a place for such files."""
        return str(pattern.fill({**self.own, **values}.get)) if pattern else None
