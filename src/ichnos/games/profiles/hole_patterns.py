"""Texts with holes, filled and read: patterns of paths and values, and sums of several values in one number."""

from __future__ import annotations

import functools
import operator
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

from ichnos.documents.tree import Unwritable, Value, spelled
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.hole import Hole, HoleError, Resolve

_MOST_STEPS = 200_000  # far more than any file's name or value takes


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

    def fill_over(self, old: Value, resolve: Resolve) -> Value:
        """The same, in the place of something that stands there."""
        return self.fill(resolve)

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


@dataclass(frozen=True)
class SumPattern(Pattern):
    """Several holes as one number: the sum of their shares, each with bits of its own, and of what is always in it."""

    always: int = 0

    @staticmethod
    def of(parts: Collection[str | Hole]) -> SumPattern:
        """Raises HoleError where it could not be told what a sum is made of."""
        texts = [part for part in parts if isinstance(part, str)]
        holes = [part for part in parts if isinstance(part, Hole)]
        if not all(text.isdecimal() for text in texts) or not all(hole.is_share for hole in holes):
            what = "a sum is made of holes with ~sum, and of a number that is always in it"
            raise HoleError(what, 0, "such as 16@loop~sum(1)@@positional~sum(2)@")
        always = taken = sum(map(int, texts))
        summed: list[str | Hole] = [*texts]
        for hole in holes:
            shares = _shares(hole)
            bits = functools.reduce(operator.or_, shares, 0)
            if taken & bits:
                what = f"the shares of this sum overlap at @{hole.word.name}@, and nobody could tell what is in one"
                raise HoleError(what, 0, "give each a power of two of its own")
            taken |= bits
            if hole.default is not None and _whole(hole.default) not in shares:
                what = f"the default of @{hole.word.name}@ is none of its shares of the sum"
                raise HoleError(what, 0, f"one of {', '.join(map(str, sorted(shares)))}")
            summed.append(replace(hole, default="0") if hole.default is None and 0 in shares else hole)
        return SumPattern(tuple(summed), always)

    @cached_property
    def only_hole(self) -> Hole | None:
        return None

    @cached_property
    def shares(self) -> dict[str, dict[int, Value]]:
        """By the name of each hole: what it adds for each of its values."""
        return {hole.word.name: _shares(hole) for hole in self.holes}

    @cached_property
    def bits(self) -> dict[str, int]:
        """By the name of each hole: all that it may add."""
        return {name: functools.reduce(operator.or_, shares, 0) for name, shares in self.shares.items()}

    def fill(self, resolve: Resolve) -> Value:
        """The sum. Raises Missing where a hole has no value, and none of its shares is 0."""
        return self.always + sum(_whole(hole.write(resolve)) or 0 for hole in self.holes)

    def fill_over(self, old: Value, resolve: Resolve) -> Value:
        """The sum, with what else the old one has in it, and nothing that only new ones get."""
        new, before = _whole(self.fill(resolve)), _whole(old)
        others = ~functools.reduce(operator.or_, self.bits.values())
        return new if new is None or before is None else (new - self.always) | (before & others)

    def match(self, value: Value) -> dict[str, Value] | None:
        """The holes' values in a sum, whatever else is in it."""
        total = _whole(value)
        if total is None:
            return None
        found = {}
        for hole in self.holes:
            share = total & self.bits[hole.word.name]
            if share not in self.shares[hole.word.name]:
                return None
            found[hole.word.name] = self.shares[hole.word.name][share]
        return found


def _shares(hole: Hole) -> dict[int, Value]:
    """What a hole adds to a sum for each of its values. Raises HoleError where it can have any."""
    words = next((one for one in hole.converters if one.name == "table"), None)
    if words is None and hole.word.kind != "yes-no":
        what = f"@{hole.word.name}@ is neither yes nor no, nor one of a table's words"
        raise HoleError(what, 0, "give it a table of numbers: ~table(...)~sum(1)")
    values: list[Value] = [words.read(text) for text in words.texts or ()] if words else [False, True]
    try:
        return {_whole(hole.write(lambda name, value=value: value)) or 0: value for value in values}  # type: ignore[misc]
    except Unreadable as error:
        what = f"the words of the table for @{hole.word.name}@ are no whole numbers ({error})"
        raise HoleError(what, 0, "a sum is made of whole numbers") from None


def _whole(value: Value) -> int | None:
    """A number without decimals, also as a text; ``None`` of anything else."""
    try:
        number = float(spelled(value))
    except (ValueError, Unwritable):
        return None
    return int(number) if number.is_integer() and 0 <= number < 2**53 else None


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
