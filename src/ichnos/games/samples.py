"""A made-up pack with something for every hole, to try a profile with."""

from __future__ import annotations

import math
from collections.abc import Iterable

from ichnos.documents.tree import Unwritable, Value
from ichnos.games.profiles import vocabulary as words
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.hole import Hole
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.word import Word, attribute
from ichnos.games.things import PackThing, PartThing, SoundThing, TakeThing, Texts, Thing, languages

_NAMES = {words.TRIGGER: "dawn", words.PROP: "stove", words.SCHEDULE: "night"}
_VERSIONS = ("game.version", "game.first-version", "game.last-version")
_LANGUAGES = ("en", "de")
_VALUES: dict[str, Value] = {
    "text": "made up",
    "number": 0.5,
    "whole": 3.0,
    "yes-no": True,
    "list": ["made", "up"],
    "path": "made/up.ogg",
    "id": "made up",
}


def sample_pack(profile: Profile) -> PackThing:
    """Two sounds of each kind with all that they can have, and one of everything else."""
    return _Sampler(profile).pack()


def sparse_pack(profile: Profile) -> PackThing:
    """Three sounds of each kind: with one, two and three takes where it may have several, the last without a title."""
    return _Sampler(profile, sparse=True).pack()


def _spoken(names: Iterable[str], more: str = "") -> dict[str, Texts]:
    """A text in each of the sample's languages, for all that players read."""
    texts: dict[str, Texts] = {}
    for name in names:
        what = f"{attribute(name).capitalize()}{more}"
        said: dict[str | None, str] = {tag: f"{what} ({tag})" for tag in _LANGUAGES}
        texts[name] = {**said, None: f"{what} ({_LANGUAGES[0]})"}
    return texts


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
    def __init__(self, profile: Profile, *, sparse: bool = False) -> None:
        self.profile, self.sparse = profile, sparse
        self.rules = profile.rules
        self.tables = self._tables()
        ids = {
            f"{words.ID_PREFIX}{name}": f"0000000{n}-0000-4000-8000-000000000000"
            for n, name in enumerate(profile.id_names)
        }
        self.own: dict[str, Value] = {
            "pack.title": "A sample", "pack.name": "sample", "pack.version": "1.2.0", "pack.summary": "For trying.",
            "pack.id": "A Sample", "pack.text": "What players read at length.",
            "pack.author": "Nobody", "pack.licence": "CC0-1.0", **dict.fromkeys(_VERSIONS, self.rules.game.versions[0]),
            "game.versions": [self.rules.game.versions[0]], **ids,
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
        texts = self.tables.get(name)
        return texts[index % len(texts)] if texts else otherwise

    def free(self, name: str) -> Value:
        """A free field's value: the first of each kind that its holes can spell."""
        holes = [hole for document in self.profile.documents for hole in document.holes_named(name)]
        declared = self.rules.declared.words.get(name)
        if declared is not None and not self.tables.get(name):
            return self.declared(declared)
        tried: list[Value] = [self.word(name, "made up"), True, 0.5, 3.0, "1.2.0", "made/up.ogg"]
        return next((value for value in tried if all(_carries(hole, value) for hole in holes)), tried[0])

    def declared(self, row: Word) -> Value:
        """A value that a declared field may have."""
        if row.name in self.profile.file_paths:
            path = self.profile.file_paths[row.name]
            named = {hole.word.name: _VALUES[hole.word.kind] for hole in path.holes}
            return str(path.fill({**named, **self.own}.get))
        if row.is_key:
            return self.sample_key()
        if row.kind not in ("number", "whole"):
            return row.choices[0] if row.choices else _VALUES[row.kind]
        low, high = (limit if limit is not None else default for limit, default in ((row.least, 0), (row.most, 100)))
        value = float(_VALUES[row.kind])  # type: ignore[arg-type]
        return value if low <= value <= high else low if row.least is not None else high

    def sample_key(self) -> str:
        """A key of the sample."""
        return self.rules.names.separator.join(("made", "up", "near"))

    def free_of(self, scope: str) -> dict[str, Value]:
        """A value for each free field that a scope has in the profile's documents, or by its declaration."""
        prefix = words.free_prefix(scope)
        names = {name for document in self.profile.documents for name in document.scopes if name.startswith(prefix)}
        declared = {row.name for row in self.rules.declared.of(scope) if row.name not in self.spoken_of(scope)}
        return {name: self.free(name) for name in sorted({*names, *declared})}

    def spoken_of(self, scope: str) -> list[str]:
        """What players read of a scope, in languages, with what the profile declares."""
        declared = (row for row in self.rules.declared.of(scope) if row.is_spoken or row.in_languages)
        return [*words.spoken(scope), *(row.name for row in declared)]

    def own_thing(self, scope: str, name: str) -> Thing:
        """One of the things that the profile declares."""
        texts = _spoken(self.spoken_of(scope), f" of {name}")
        return Thing(scope, {f"{scope}.name": name, **self.free_of(scope)}, texts=texts)

    def pack(self) -> PackThing:
        kinds = [kind for kind in self.profile.kinds.values() if self.profile.has_files(kind)]
        of_each = ("one", "two", "more") if self.sparse else ("near", "far")
        named = [(kind, f"{kind.name}{name}") for kind in kinds for name in of_each]
        counts = [number for _ in kinds for number in ((1, 2, 3) if self.sparse else (2, 2))]
        sounds = tuple(
            self.sound(index, kind, name, count)
            for index, ((kind, name), count) in enumerate(zip(named, counts, strict=True))
        )
        inside: dict[str, tuple[Thing, ...]] = {words.LANGUAGE: languages(_LANGUAGES), words.SOUND: sounds}
        for scope in words.player_scopes():
            inside[scope] = (self.player(scope, sounds[0].key),)
        for scope in self.rules.declared.scopes:
            inside[scope] = tuple(self.own_thing(scope, name) for name in ("first", "second"))
        values = {**self.own, **self.free_of(words.PACK), **dict.fromkeys(self.spoken_of(words.PACK), "Made up")}
        texts: dict[str, Texts] = {
            name: {tag: f"{values[name]} ({tag})" for tag in _LANGUAGES}
            for name in (*words.translated(), *self.spoken_of(words.PACK))
        }
        return PackThing(words.PACK, values, inside, texts)

    def player(self, scope: str, key: str) -> Thing:
        """One of what plays sounds, with two of whatever lies inside it."""
        picture = self.path(next(iter(self.profile.picture_paths), None), {"prop.name": "stove"})
        values: dict[str, Value] = {f"{scope}.name": _NAMES.get(scope, scope), f"{scope}.key": key}
        inside = {
            inner: tuple(
                Thing(
                    inner,
                    self.values(
                        inner, {f"{inner}.number": n, f"{inner}.key": key, f"{inner}.kind": self.kind(inner, n)}
                    ),
                )
                for n in (1, 2)
            )
            for inner in words.inner_scopes(scope)
        }
        return Thing(
            scope, {**self.values(scope, {**values, "prop.picture": picture})}, inside, _spoken(self.spoken_of(scope))
        )

    def kind(self, scope: str, number: int) -> str:
        """One of the choices that a thing's kind has, as the game spells them."""
        kinds = words.WORDS.get(f"{scope}.kind")
        return self.word(f"{scope}.kind", kinds.choices[number - 1], number) if kinds and kinds.choices else ""

    def values(self, scope: str, said: dict[str, Value]) -> dict[str, Value]:
        """A value for every hole of a scope: as said, or one of its kind."""
        values: dict[str, Value] = {}
        for word in words.of_scope(scope):
            if not word.is_spoken:
                value = said.get(word.name, _VALUES[word.kind])
                values[word.name] = (
                    self.word(word.name, value) if isinstance(value, str) and word.name not in said else value
                )
        return values | (self.free_of(scope) if scope != words.SOUND else {})

    def sound(self, index: int, kind: Kind, name: str, count: int) -> SoundThing:
        key = self.rules.names.separator.join(("made", "up", name))
        group, _, own = key.rpartition(self.rules.names.separator)
        category = self.word("category", "sample")
        naming: dict[str, Value] = {"key": key, "key.group": group, "key.own": own, "category": category}
        fields: dict[str, Value] = {
            f"{words.FIELD_PREFIX}{field}": self.free(f"{words.FIELD_PREFIX}{field}")
            for field in self.profile.field_names
        }
        take_path, part_path = self.profile.take_paths.get(kind.name), self.profile.part_paths.get(kind.name)
        settings = {name: _VALUES[words.WORDS[name].kind] for name in words.settings(words.SOUND)}
        settings |= {
            "pitch": 1.5,
            "near": 2.0,
            "far": 30.0 + index,
            "priority": 4.0,
            "loop": index % 2 == 0,
            "fade": 1.5,
        }
        naming = {**settings, **naming, **fields}
        takes = tuple(
            TakeThing(words.TAKE, self.take(number, self.path(take_path, {**naming, "take.number": number})))
            for number in range(1, count + 1 if kind.several else 2)
            if take_path is not None
        )
        if takes and any("take.key" in document.scopes for document in self.profile.documents):
            takes += (TakeThing(words.TAKE, {**self.take(len(takes) + 1, None), "take.key": self.sample_key()}),)
        parts = tuple(
            PartThing(
                words.PART,
                {"part.name": part, "part.file": self.path(part_path, {**naming, "part.name": part})},
            )
            for part in kind.parts
        )
        return SoundThing(
            words.SOUND,
            {"key": key, "category": category, "kind": kind.name, **settings, **fields},
            {words.TAKE: takes, words.PART: parts},
            _spoken(() if self.sparse and count > 2 else self.spoken_of(words.SOUND), f" {index}"),
        )

    def take(self, number: int, file: str | None) -> dict[str, Value]:
        values = self.values(words.TAKE, {"file": file, "take.number": number, "weight": float(number)})
        return {**values, "take.pitch": 1.5, "take.from-disk": number == 1, "take.key": None}

    def path(self, pattern: Pattern | None, values: dict[str, Value]) -> str | None:
        """A file's path, where there is a place for such files."""
        return str(pattern.fill({**self.own, **values}.get)) if pattern else None
