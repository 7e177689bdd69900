"""Holes in text: ``@name@``, ``@name~converter~converter(argument)=default@``; ``@@`` is a plain @.

The characters are legal in file names on every system and in every format, so that a hole can stand in
a path as well as in a document.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property

from ichnos.documents.tree import Numeral, Unwritable, Value, spelled
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.converters import CONVERTERS, BadArgument, Converter, Tables, Unreadable, make
from ichnos.games.profiles.declared import Declarations
from ichnos.games.profiles.word import Word
from ichnos.likeness import NEAR, did_you_mean

HOLE = re.compile(
    r"@(?:(?P<plain>@)"
    r"|(?P<name>[a-z][a-z0-9]*(?:[._-][a-z0-9]+)*)"
    r"(?P<converters>(?:~[a-z]+(?:-[a-z]+)*(?:\([^()@]*\))?)*)"
    r"(?:=(?P<default>[^@]*))?@)"
)
_CONVERTER = re.compile(r"~([a-z]+(?:-[a-z]+)*)(?:\(([^()@]*)\))?")

_MOST_HOLES = 100  # of one text
_MOST_STEPS = 200_000  # far more than any file's name or value takes

Resolve = Callable[[str], Value]


class HoleError(ValueError):
    """A hole that cannot be understood; ``offset`` is where it begins in its text."""

    def __init__(self, what: str, offset: int, cure: str = "") -> None:
        super().__init__(what)
        self.what, self.offset, self.cure = what, offset, cure


class Missing(LookupError):
    """A hole has neither a value nor a default."""


@dataclass(frozen=True)
class Hole:
    """A place for one value. ``default`` is what the game's spelling is when there is no value."""

    word: Word
    converters: tuple[Converter, ...] = ()
    default: str | None = None

    def write(self, resolve: Resolve) -> Value:
        """The value in the game's spelling. Raises Missing, or Unreadable from a converter."""
        if self.only_with is not None and resolve(self.only_with) is None:
            raise Missing(vocabulary.spelled(self.only_with))
        value = resolve(self.word.name)
        if value is None:
            if self.default is None:
                raise Missing(vocabulary.spelled(self.word.name))
            return self._default()
        for converter in self.converters:
            value = converter.write(value)
        if self.default and isinstance(value, int | float) and not isinstance(value, bool | Numeral):
            return Numeral.like(self.default, value)
        return value

    def read(self, value: Value) -> Value:
        """Our value from the game's spelling. Raises Unreadable where it cannot be one."""
        for converter in reversed(self.converters):
            value = converter.read(value)
        if self.word.kind == "list":
            if not isinstance(value, list):
                raise Unreadable("a list is expected")
            return [spelled(one) for one in value]
        if isinstance(value, list) and self.word.is_name and any(one.name == "joined" for one in self.converters):
            return [spelled(one) for one in value] if len(value) > 1 else spelled(next(iter(value), ""))
        if isinstance(value, list):
            raise Unreadable("a single value is expected, not a list")
        if self.word.kind == "yes-no" and not isinstance(value, bool):
            if value not in ("true", "false"):
                raise Unreadable(f"{value!r} is neither true nor false")
            return value == "true"
        if not self._is_number:
            return value
        try:
            return float(spelled(value))
        except ValueError:
            raise Unreadable(f"{value!r} is not a number") from None

    def carried(self, value: Value) -> Value:
        """What comes back of a value that is written here and read again: the same, or rounded.

        Raises:
            Unreadable: the game's spelling cannot carry it.
        """
        for converter in self.converters:
            value = converter.write(value)
        return self.read(value if isinstance(value, list) else spelled(value))

    @cached_property
    def usual(self) -> Value:
        """The default as a value of ours; ``None`` where there is none."""
        return None if self.default is None else self.read(self.default)

    @property
    def is_always_written(self) -> bool:
        """Stands something there, whatever is said?"""
        return self.default is not None and self.only_with is None

    @property
    def needed(self) -> str:
        """The field by whose value something stands there."""
        return self.word.name if self.default is None or self.only_with is None else self.only_with

    @cached_property
    def only_with(self) -> str | None:
        """The field without whose value nothing stands here."""
        return next((one.only_with for one in self.converters if one.only_with is not None), None)

    @cached_property
    def length(self) -> int | None:
        """The number of characters of all that may stand there, where it is always one and the same."""
        return next((one.length for one in reversed(self.converters) if one.length is not None), None)

    @cached_property
    def has_own_end(self) -> bool:
        """Is it plain where it ends, whatever stands behind it?"""
        return self.texts is not None or self.length is not None

    @cached_property
    def texts(self) -> tuple[str, ...] | None:
        """All that may stand there, the longest first, where these are words of the game's own."""
        return self.converters[-1].texts if self.converters else None

    @cached_property
    def _is_number(self) -> bool:
        return self.word.kind in ("number", "whole")

    def _default(self) -> Value:
        """The default in its type: a number, unless a converter makes text of it."""
        if self.word.kind == "yes-no" and not self.converters and self.default in ("true", "false"):
            return self.default == "true"
        if not self._is_number or any(converter.name in ("text", "table") for converter in self.converters):
            return self.default
        try:
            return Numeral.of(self.default or "")
        except ValueError:
            return self.default


@dataclass(frozen=True)
class Pattern:
    """Text with holes: the text between them, and them, in order."""

    parts: tuple[str | Hole, ...]

    @cached_property
    def holes(self) -> tuple[Hole, ...]:
        return tuple(part for part in self.parts if isinstance(part, Hole))

    @cached_property
    def only_hole(self) -> Hole | None:
        """The hole, where the pattern is nothing but one."""
        return self.holes[0] if len(self.parts) == 1 and self.holes else None

    def fill(self, resolve: Resolve) -> Value:
        """The text with its holes filled; a typed value where the pattern is nothing but a hole."""
        if self.only_hole:
            return self.only_hole.write(resolve)
        return "".join(part if isinstance(part, str) else spelled(part.write(resolve)) for part in self.parts)

    def match(self, value: Value) -> dict[str, Value] | None:
        """The holes' values in a text that this pattern could have written, else ``None``."""
        try:
            if self.only_hole:
                return {self.only_hole.word.name: self.only_hole.read(value)}
            if isinstance(value, list):
                return None
            values = _Matching(self.parts, spelled(value)).found()
            first = {hole.word.name: hole for hole in reversed(self.holes)}
            return None if values is None else {name: first[name].read(text) for name, text in values.items()}
        except (Unreadable, Unwritable):
            return None


@dataclass(frozen=True)
class TakePath(Pattern):
    """The path of a take, and that of a take which its sound has alone: ``x.1.ogg``, ``x.2.ogg``, but ``y.ogg``."""

    alone: Pattern

    @staticmethod
    def of_two(one: Pattern, other: Pattern) -> TakePath | None:
        """Two paths of which one numbers takes, and the other is for a take that is alone; else ``None``."""
        has_number = [any(hole.word.name == "take.number" for hole in path.holes) for path in (one, other)]
        if has_number[0] == has_number[1]:
            return None
        numbered, alone = (one, other) if has_number[0] else (other, one)
        return TakePath(numbered.parts, alone)

    def fill(self, resolve: Resolve) -> Value:
        """The path; that of a take alone where ``take.alone`` is true."""
        return self.alone.fill(resolve) if resolve("take.alone") is True else super().fill(resolve)

    def match(self, value: Value) -> dict[str, Value] | None:
        """The holes' values in either of the two."""
        numbered = super().match(value)
        return self.alone.match(value) if numbered is None else numbered


class _Matching:
    """A text held against a pattern: each hole as short as it can be, from the left; whole numbers as long.

    What is behind a hole does not depend on what is in it, so where it failed once, it fails from every later
    place too: the time grows with the text's length, and not with a power of it. Only where a hole stands twice
    does it depend on that; there the steps are counted, and a text that takes too many does not fit.
    """

    def __init__(self, parts: tuple[str | Hole, ...], text: str) -> None:
        self.parts, self.text = parts, text
        self.steps = _MOST_STEPS
        self.said: dict[str, str] = {}
        self.failed: dict[int, int] = {}  # by part: from here on the rest fits nowhere
        names = [None if isinstance(part, str) else part.word.name for part in parts]
        self.alone = [
            not isinstance(part, str)
            and part.word.kind != "whole"
            and set(filter(None, names[: at + 1])).isdisjoint(filter(None, names[at + 1 :]))
            for at, part in enumerate(parts)
        ]

    def found(self) -> dict[str, str] | None:
        """What each hole holds; ``None`` where the text does not fit."""
        return self.said if self._fits(0, 0) else None

    def _fits(self, at: int, start: int) -> bool:
        if at == len(self.parts):
            return start == len(self.text)
        part = self.parts[at]
        if isinstance(part, str):
            return self.text.startswith(part, start) and self._fits(at + 1, start + len(part))
        name = part.word.name
        if name in self.said and not part.converters:  # the same text again, so that the first is found whole
            return self.text.startswith(self.said[name], start) and self._fits(at + 1, start + len(self.said[name]))
        if part.texts is None and start >= self.failed.get(at, len(self.text)):
            return False
        first = name not in self.said
        for end in self._ends(at, start, part):
            self.steps -= 1
            if self.steps < 0:
                return False
            if first:
                self.said[name] = self.text[start:end]
            if self._fits(at + 1, end):
                return True
        if first:
            self.said.pop(name, None)
        if self.alone[at]:
            self.failed[at] = start
        return False

    def _ends(self, at: int, start: int, hole: Hole) -> Iterator[int]:
        """Where the hole's text may end, in the order in which it is tried."""
        if hole.texts is not None:
            yield from (start + len(text) for text in hole.texts if self.text.startswith(text, start))
        elif hole.length is not None:
            yield from [start + hole.length] if start + hole.length <= len(self.text) else []
        elif hole.word.kind == "whole":
            end = start
            while end < len(self.text) and self.text[end].isdecimal():
                end += 1
            yield from range(end, start, -1)
        elif at + 1 == len(self.parts):
            yield len(self.text)
        else:
            behind = self.parts[at + 1]
            if not isinstance(behind, str):  # a hole with words of its own: see ``parse``
                yield from range(start + 1, len(self.text) + 1)
                return
            end = start
            while (end := self.text.find(behind, end + 1)) >= 0:
                yield end


def parse(text: str, tables: Tables | None = None) -> Pattern:
    """Find the holes in a text; ``tables`` are the profile's word tables.

    Raises:
        HoleError: a lone @, a name or a converter that does not exist; with the nearest that does.

    >>> pattern = parse("lore/@key@-@language=en@.txt")
    >>> pattern.fill({"key": "bell.far"}.get)
    'lore/bell.far-en.txt'
    >>> pattern.match("lore/gull.low-de.txt")
    {'key': 'gull.low', 'language': 'de'}
    """
    parts: list[str | Hole] = []
    plain = ""
    position = 0
    while (at := text.find("@", position)) >= 0:
        plain += text[position:at]
        match = HOLE.match(text, at)
        if match is None:
            raise HoleError("this @ does not begin a hole", at, "write @@ for a plain @, or close the hole: @name@")
        if match["plain"]:
            plain += "@"
        else:
            hole, before = _hole(match, tables or Tables()), parts[-1] if parts and not plain else None
            if isinstance(before, Hole) and not before.has_own_end and not hole.has_own_end:
                what = "two holes stand one behind the other, and nobody could tell where the first ends"
                raise HoleError(
                    what, at, "put a sign between them, such as a hyphen; or give one of them words of its own"
                )
            parts += [plain, hole] if plain else [hole]
            plain = ""
        position = match.end()
    plain += text[position:]
    if plain:
        parts.append(plain)
    if len(parts) > 2 * _MOST_HOLES:
        raise HoleError(f"more than {_MOST_HOLES} holes stand in one text", 0, "take it apart")
    return Pattern(tuple(parts))


def known(text: str, declared: Declarations) -> Iterator[tuple[int, str]]:
    """Where each hole that means something stands in a text, and how it is written."""
    for match in HOLE.finditer(text):
        if match["name"] is not None and declared.word(match["name"]) is not None:
            yield match.start(), match[0]


def _hole(match: re.Match[str], tables: Tables) -> Hole:
    word = tables.declared.word(match["name"])
    if word is None:
        raise HoleError(
            f"there is no hole named {match['name']}",
            match.start(),
            _nearest(
                dict.fromkeys([*vocabulary.WORDS, *map(vocabulary.spelled, tables.declared.words)]), match["name"]
            ),
        )
    converters = []
    for converter in _CONVERTER.finditer(match["converters"]):
        if converter[1] not in CONVERTERS:
            raise HoleError(
                f"there is no converter named {converter[1]}",
                match.start(),
                _nearest(CONVERTERS, converter[1]),
            )
        try:
            converters.append(make(converter[1], converter[2], tables))
        except BadArgument as error:
            raise HoleError(f"the converter {converter[1]} cannot be used so", match.start(), str(error)) from None
    if word.kind == "path" and word.name != "root" and not converters and tables.references is not None:
        converters.append(make("reference", None, tables))
    if word.is_number and not (match["default"] or "1").isdecimal():
        raise HoleError("this default is no first number", match.start(), f"write @{word.name}=500@, or another number")
    hole = Hole(word, tuple(converters), match["default"])
    if hole.default is None and word.default is not None:
        with suppress(Unreadable, Unwritable):  # then it stands for nothing here
            hole = replace(hole, default=spelled(hole.write(lambda name: word.default if name == word.name else True)))
    return hole


def _nearest(known: Collection[str], name: str) -> str:
    return did_you_mean(known, name, least=NEAR, otherwise=f"these exist: {', '.join(known)}")
