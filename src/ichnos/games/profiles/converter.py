"""A converter: how a game spells a value, and how that is read back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from ichnos.documents.tree import Value
from ichnos.games.profiles.declared import NO_DECLARATIONS, Declarations

ValueFunction = Callable[[Value], Value]
Pair = tuple[ValueFunction, ValueFunction]  # to the game's spelling, and back

# A reference may have no extension, and dots in its name: only these are cut off.
SOUND_SUFFIXES = (".ogg", ".wav", ".flac", ".opus")
SUFFIXES = (*SOUND_SUFFIXES, ".png", ".jpg", ".webp", ".bmp")
ANYWHERE = "*/"  # before a file of which only the name is known


@dataclass(frozen=True)
class Tables:
    """What converters need of a game: its word tables by name, and the extensions that its files have."""

    words: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    suffixes: tuple[str, ...] = SUFFIXES
    root: str | None = None  # the folder that the file at hand says its references are below
    declared: Declarations = NO_DECLARATIONS  # the things and fields that the profile declares
    references: Pair | None = None  # how the game names files, where it says that in general


class Unreadable(ValueError):
    """The value cannot be what this converter writes."""


class BadArgument(ValueError):
    """What stands in a converter's parentheses is not what it needs."""


@dataclass(frozen=True)
class Converter:
    """A named pair of functions. ``write`` goes from our value to the game's spelling."""

    name: str
    argument: str | None
    write: Callable[[Value], Value]
    read: Callable[[Value], Value]
    texts: tuple[str, ...] | None = None  # all that it writes, the longest first, where these are few
    length: int | None = None  # of all that it writes, in characters
    only_with: str | None = None  # the field without which nothing is written

    @property
    def drops_extension(self) -> bool:
        """Is a file read without its extension, whatever stands there?"""
        return self.name in ("no-extension", "extension")


@dataclass(frozen=True)
class ConverterKind:
    """A converter as profiles may name it. ``example``: a value of ours, and what is written of it."""

    make: Callable[[str | None, Tables], Pair]
    meaning: str
    argument: str | None = None  # what stands in the parentheses; None: nothing may
    example: tuple[Value, Value] = ("", "")
