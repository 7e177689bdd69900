"""``[catalogue]``: where an installation keeps what looks like tree/, and under which names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Annotated

from pydantic import AfterValidator, Field

from ichnos.documents.checked import TomlTable
from ichnos.games.profiles.types import InsidePath, inside

_PIECE = re.compile(r"(\*\*/|\*|@@|@[a-z][a-z0-9-]*@)")
_MOST_PIECES = 6  # of one path: the time that a long name takes grows with each
_WILD = {"**/": "(?:.*/)?", "*": "[^/]*", "@@": "@"}


def _holes(path: str) -> set[str]:
    return {piece for piece in _PIECE.split(path)[1::2] if piece not in _WILD}


def told_apart(paths: dict[str, str]) -> dict[str, str]:
    for installed, name in paths.items():
        inside(installed), inside(name)
        if odd := sorted(_holes(name) - _holes(installed)):
            raise ValueError(f"{odd[0]} of {name} does not stand in {installed}, so that nobody knows what it is")
        if len(_PIECE.findall(installed)) > _MOST_PIECES:
            raise ValueError(f"{installed} has more than {_MOST_PIECES} holes and signs for anything")
        if "*" in name:
            raise ValueError(f"only the path on the left may have a *, and {name} has one")
    return paths


def short_names(roots: dict[str, str]) -> dict[str, str]:
    for name in roots:
        if not re.fullmatch(r"[a-z][a-z0-9-]*", name):
            raise ValueError(f'"{name}" cannot be the name of a folder here: small letters, digits and hyphens')
    return roots


class PathPairs:
    """Paths by others, with holes of any name that stand in both; the first line that fits counts.

    >>> PathPairs({"rooms/*/noises/@path@.ogg": "noises/@path@.ogg"}).of("rooms/loft/noises/sack/full.ogg")
    'noises/sack/full.ogg'
    """

    def __init__(self, paths: Mapping[str, str]) -> None:
        self._lines = [(re.compile(_expression(path)), other) for path, other in paths.items()]

    def of(self, path: str) -> str | None:
        """The other path; ``None`` where no line fits."""
        for line, other in self._lines:
            if (match := line.fullmatch(path)) is not None:
                pieces = enumerate(_PIECE.split(other))
                return "".join(_WILD.get(piece) or (match[_group(piece)] if at % 2 else piece) for at, piece in pieces)
        return None


class CatalogueRules(TomlTable):
    folder: InsidePath = Field(default="", description="where an installation keeps what looks like tree/")
    paths: Annotated[dict[str, str], AfterValidator(told_apart)] = Field(
        default={},
        examples=[{"rooms/*/noises/@path@.ogg": "noises/@path@.ogg"}],
        description="[catalogue.paths]: where it keeps files, below folder = where they would be in tree/, tried in"
        " turn; holes have names of your own, * stands for anything but a slash, **/ for any folders",
    )
    archives: tuple[InsidePath, ...] = Field(
        default=(),
        examples=[["data/*.box"]],
        description="zip archives of the installation, by their paths in it, whatever their extension; each is read as"
        " if it were a folder",
    )
    readable: bool = Field(
        default=True, description="can the game's own definitions be read? Else keys are checked against a list, if any"
    )

    @property
    def prefix(self) -> str:
        """What the paths of all files begin with that the game reads."""
        return f"{self.folder}/" if self.folder else ""

    @cached_property
    def _pairs(self) -> PathPairs:
        return PathPairs(self.paths)

    @cached_property
    def _archives(self) -> list[re.Pattern[str]]:
        return [re.compile(_expression(archive)) for archive in self.archives]

    def name_of(self, path: str) -> str | None:
        """What a file of the installation is called in tree/; ``None`` where it lies outside of that folder."""
        if not path.startswith(self.prefix):
            return None
        below = path.removeprefix(self.prefix)
        return self._pairs.of(below) or below

    def names(self, paths: Iterable[str]) -> dict[str, str]:
        """The files of an installation by what they are called in tree/; the first where two would be called so."""
        named: dict[str, str] = {}
        for path in paths:
            if (name := self.name_of(path)) is not None:
                named.setdefault(name, path)
        return named

    def is_archive(self, path: str) -> bool:
        """Is a file of the installation an archive of the game's?"""
        return any(archive.fullmatch(path) is not None for archive in self._archives)


def _group(hole: str) -> str:
    """A hole's name, as a group of an expression can be called."""
    return "_" + hole.strip("@").replace("-", "_")


def _expression(path: str) -> str:
    seen: set[str] = set()

    def piece_of(piece: str) -> str:
        if piece in _WILD:
            return _WILD[piece]
        if piece in seen:
            return f"(?P={_group(piece)})"
        seen.add(piece)
        return f"(?P<{_group(piece)}>.+?)"

    return "".join(piece_of(piece) if at % 2 else re.escape(piece) for at, piece in enumerate(_PIECE.split(path)))
