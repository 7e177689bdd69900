"""What a profile declares itself: things that are no sounds, and fields, of those and of all that packs have.

A declared field is a free one (``fields = {...}``) with a kind and limits, which modders say as they say any other.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal, cast

from pydantic import Field, model_validator

from ichnos.documents.checked import TomlTable
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.vocabulary import (
    ENTRY,
    OWN,
    PACK,
    SCHEDULE,
    SOUND,
    TAKE,
    entry_scopes,
    free_prefix,
    spoken_prefix,
)
from ichnos.games.profiles.word import Kind, Word

_NAME = r"^[a-z][a-z0-9]*(-[a-z0-9]+)*$"


class DeclaredThing(TomlTable):
    name: str = Field(
        pattern=_NAME, examples=["channel"], description="its name: [[channel]] in ichnos.toml, @channel.name@"
    )
    about: str = Field(min_length=1, description="what it is, in a sentence")


class DeclaredField(TomlTable):
    of: str = Field(
        default=SOUND,
        description="what has it: pack, sound, take, trigger, prop, schedule, entry, or a [[thing]]",
    )
    name: str = Field(
        pattern=_NAME,
        examples=["echo"],
        description="its name: echo = ... in ichnos.toml; @take.echo@ of a take, @echo@ of a sound",
    )
    kind: Literal["text", "texts", "number", "whole", "yes-no", "key", "list", "file"] = Field(
        default="text",
        description="what it holds; texts: a text in each language; key: a sound key, of the pack or the game;"
        " list: several texts, in a table with semicolons between them; file: one of the workspace's, which is put"
        " into the pack",
    )
    about: str = Field(min_length=1, description="what it is, for those who write packs")
    unit: str | None = Field(default=None, min_length=1, description="of a number: metres, dB ...")
    least: float | None = Field(default=None, description="the least that a number may be")
    most: float | None = Field(default=None, description="the most that it may be")
    choices: tuple[str, ...] = Field(default=(), description="of a text: all that it may be")
    path: str | None = Field(
        default=None,
        examples=["art/@pack.name@/@channel.name@.png"],
        description="of a file: its path in the pack, holes and all; without an extension, it has its own",
    )
    default: str | bool | int | float | None = Field(
        default=None, description="what is written where nobody says it; a hole may have one of its own"
    )
    needed: bool = Field(default=False, description="does this game always need it?")

    @model_validator(mode="after")
    def _fits_its_kind(self) -> DeclaredField:
        if self.choices and self.kind != "text":
            raise ValueError("choices are for texts")
        if (self.least, self.most, self.unit) != (None, None, None) and self.kind not in ("number", "whole"):
            raise ValueError("unit, least and most are for numbers")
        if (self.kind == "file") is not (self.path is not None):
            raise ValueError("a file and the path that it has in the pack go together")
        if self.default is not None and not self._can_be(self.default):
            raise ValueError(f"{self.default!r} cannot be its value")
        return self

    def _can_be(self, value: str | bool | int | float) -> bool:
        """Could somebody say that?"""
        if self.kind in ("number", "whole"):
            if isinstance(value, str | bool) or (self.kind == "whole" and value != int(value)):
                return False
            return (self.least is None or value >= self.least) and (self.most is None or value <= self.most)
        if self.kind == "yes-no":
            return isinstance(value, bool)
        return self.kind == "text" and isinstance(value, str) and value in (self.choices or (value,))

    @property
    def scope(self) -> str:
        """Whose field it is, as code calls that."""
        return self.of if self.of in vocabulary.SCOPES else OWN + self.of

    @property
    def word(self) -> Word:
        """Its row."""
        kinds: dict[str, Kind] = {"key": "text", "file": "path", "texts": "text"}
        kind = kinds.get(self.kind) or cast(Kind, self.kind)
        about = f"{self.about}, in {self.unit}" if self.unit else self.about
        is_text = self.kind == "texts"
        prefix = spoken_prefix(self.scope) if is_text else free_prefix(self.scope)
        return Word(
            f"{prefix}{self.name}", self.scope, kind, about, is_key=self.kind == "key",
            is_spoken=is_text and self.scope != PACK, in_languages=is_text and self.scope == PACK,
            least=self.least, most=self.most, choices=self.choices, default=self.default,
        )  # fmt: skip


# What tables of ichnos.toml have besides the fields of the vocabulary.
SAID_OTHERWISE: Mapping[str, tuple[str, ...]] = {
    PACK: ("commercial", "game-version", "icon", "icon-shape", "language"),
    SOUND: (
        "categories", "category", "every-file", "file", "fresh", "games", "keys", "kind", "like", "mono", "new", "note",
        "part-paths", "parts", "silent", "takes", "treatment",
    ),
    TAKE: ("clip", "kept", "path"),
    SCHEDULE: ("entries",),
}  # fmt: skip
_HAVE_FIELDS = (PACK, *entry_scopes(), TAKE, ENTRY)


@dataclass(frozen=True)
class Declarations:
    """What a profile, or several, declare."""

    things: tuple[DeclaredThing, ...] = ()
    fields: tuple[DeclaredField, ...] = ()

    def together(self, other: Declarations) -> Declarations:
        """Both; of what both declare, the first counts."""
        things = {thing.name: thing for thing in (*other.things, *self.things)}
        fields = {(one.of, one.name): one for one in (*other.fields, *self.fields)}
        return Declarations(tuple(things.values()), tuple(fields.values()))

    @property
    def scopes(self) -> tuple[str, ...]:
        """Those of its things."""
        return tuple(OWN + thing.name for thing in self.things)

    def of(self, scope: str) -> Iterator[Word]:
        """The fields of a scope."""
        return (one.word for one in self.fields if one.scope == scope)

    def of_files(self) -> Iterator[Word]:
        """The fields that name files of the pack."""
        return (one.word for one in self.fields if one.kind == "file")

    def of_keys(self) -> Iterator[Word]:
        """The fields that name sound keys."""
        return (one.word for one in self.fields if one.kind == "key")

    @cached_property
    def words(self) -> Mapping[str, Word]:
        """The fields by the names that holes have: as they are spelled, and as code calls them."""
        found: dict[str, Word] = {}
        for one in self.fields:
            word = one.word
            spelled = one.name if one.scope == SOUND else f"{one.of}.{one.name}"
            found |= {spelled: word, word.name: word}
        for scope in self.scopes:
            name = vocabulary.word(f"{scope}.name")
            assert name is not None
            found |= {f"{scope.removeprefix(OWN)}.name": name, name.name: name}
        return found

    def word(self, name: str) -> Word | None:
        """The row that a hole's name means, as a profile writes it."""
        return self.words.get(name) or (None if vocabulary.is_declared(name) else vocabulary.word(name))

    def slips(self, taken: Iterable[str]) -> Iterator[tuple[tuple[str | int, ...], str, str]]:
        """What is wrong with the declarations: where, what, and what to do.

        Args:
            taken: names of tables that every workspace has.
        """
        names = [*taken, *vocabulary.SCOPES]
        for index, thing in enumerate(self.things):
            if thing.name in names:
                yield ("thing", index, "name"), f'"{thing.name}" is taken', "call it something else"
            names.append(thing.name)
        had: set[tuple[str, str]] = set()
        for index, one in enumerate(self.fields):
            if one.of not in (*_HAVE_FIELDS, *(thing.name for thing in self.things)):
                there = ", ".join((*_HAVE_FIELDS, *(thing.name for thing in self.things)))
                yield ("field", index, "of"), f'there is no "{one.of}" that has fields', f"there are: {there}"
            elif one.kind == "texts" and one.scope != PACK and not vocabulary.has_texts(one.scope):
                what = f"a {one.of} has no texts in languages"
                yield ("field", index, "kind"), what, "the pack, sounds, props and things of your own have"
            rows = (row.field for row in vocabulary.of_scope(one.scope))
            built_in = {*rows, *SAID_OTHERWISE.get(one.scope, ()), "fields", "name"}
            if one.name in built_in or (one.of, one.name) in had:
                yield ("field", index, "name"), f'a {one.of} has a field "{one.name}" already', "call it otherwise"
            had.add((one.of, one.name))


NO_DECLARATIONS = Declarations()


def by_declaration(declared: Declarations, scope: str, free: Mapping[str, Any]) -> dict[str, Any]:
    """Free fields as the workspace's file has them: those that the profile declares by their names, others apart."""
    fields = {word.field for word in declared.of(scope)}
    others = {name: value for name, value in free.items() if name not in fields}
    said = {name: value for name, value in free.items() if name in fields}
    return {**said, "fields": others} if others else said
