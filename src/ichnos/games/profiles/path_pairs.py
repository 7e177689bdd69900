"""Paths by others: where files lie that a pack has elsewhere, and where they stand once more."""

from __future__ import annotations

import re
from collections.abc import Mapping

from ichnos.games.profiles.types import inside

_PIECE = re.compile(r"(\*\*/|\*|@@|@[a-z][a-z0-9-]*@)")
_MOST_PIECES = 6  # of one path: the time that a long name takes grows with each
_WILD = {"**/": "(?:.*/)?", "*": "[^/]*", "@@": "@"}


def _holes(path: str) -> set[str]:
    return {piece for piece in _PIECE.split(path)[1::2] if piece not in _WILD}


def told_apart(paths: dict[str, str]) -> dict[str, str]:
    """The same paths. Raises ValueError where one does not say what the other is."""
    for installed, name in paths.items():
        inside(installed), inside(name)
        if odd := sorted(_holes(name) - _holes(installed)):
            raise ValueError(f"{odd[0]} of {name} does not stand in {installed}, so that nobody knows what it is")
        if len(_PIECE.findall(installed)) > _MOST_PIECES:
            raise ValueError(f"{installed} has more than {_MOST_PIECES} holes and signs for anything")
        if "*" in name:
            raise ValueError(f"only the path on the left may have a *, and {name} has one")
    return paths


class PathPairs:
    """Paths by others, with holes of any name that stand in both; the first line that fits counts.

    >>> PathPairs({"rooms/*/noises/@path@.ogg": "noises/@path@.ogg"}).of("rooms/loft/noises/sack/full.ogg")
    'noises/sack/full.ogg'
    """

    def __init__(self, paths: Mapping[str, str]) -> None:
        self._lines = [(expression(path), other) for path, other in paths.items()]

    def of(self, path: str) -> str | None:
        """The other path; ``None`` where no line fits."""
        for line, other in self._lines:
            if (match := line.fullmatch(path)) is not None:
                pieces = enumerate(_PIECE.split(other))
                return "".join(_WILD.get(piece) or (match[_group(piece)] if at % 2 else piece) for at, piece in pieces)
        return None


def _group(hole: str) -> str:
    """A hole's name, as a group of an expression can be called."""
    return "_" + hole.strip("@").replace("-", "_")


def expression(path: str) -> re.Pattern[str]:
    """The paths that one with holes and signs for anything stands for."""
    seen: set[str] = set()

    def piece_of(piece: str) -> str:
        if piece in _WILD:
            return _WILD[piece]
        if piece in seen:
            return f"(?P={_group(piece)})"
        seen.add(piece)
        return f"(?P<{_group(piece)}>.+?)"

    pieces = enumerate(_PIECE.split(path))
    return re.compile("".join(piece_of(piece) if at % 2 else re.escape(piece) for at, piece in pieces))
