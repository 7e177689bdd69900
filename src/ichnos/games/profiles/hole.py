"""A hole: a place in a profile's files for one of the modder's values."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from ichnos.documents.tree import Numeral, Value, spelled
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.converter import Converter, Unreadable
from ichnos.games.profiles.word import Word

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
        if self.word.kind == "yes-no" and self.is_share:
            return spelled(value) not in ("0", "false")
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
    def is_share(self) -> bool:
        """Is its number added to those of the holes beside it?"""
        return any(one.name == "sum" for one in self.converters)

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
