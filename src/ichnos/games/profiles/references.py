"""How a game names a file, and where that file lies: ``[references]``, read and written in both directions."""

from __future__ import annotations

import re
from collections.abc import Mapping

from ichnos.documents.tree import Value, spelled
from ichnos.games.profiles.converter import Pair, Unreadable
from ichnos.games.profiles.hole import Hole
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.vocabulary import PACK
from ichnos.games.profiles.word import Word

_HOLE = re.compile(r"@(@|[a-z][a-z0-9-]*@)")
NO_PLACE = "?/"  # before a reference that no line is for: no file is called so


def references(lines: Mapping[str, str]) -> Pair:
    """Functions from a file's path to what the game calls it, and back; the lines are tried in turn.

    Args:
        lines: how the game names a file, and the path of that; holes with names of any kind stand in both.

    Raises:
        ValueError: a line whose holes are not the same on both sides; its first argument is the line, the second
            what is wrong.

    >>> write, read = references({"@owner@!@path@": "stock/@owner@/noises/@path@.ogg"})
    >>> write("stock/mill/noises/wheel/turns.ogg"), read("mill!wheel/turns")
    ('mill!wheel/turns', 'stock/mill/noises/wheel/turns.ogg')
    """
    pairs = [(_pattern(line, line), _pattern(line, path)) for line, path in lines.items()]
    for line, (reference, path) in zip(lines, pairs, strict=True):
        names = [{hole.word.name for hole in pattern.holes} for pattern in (reference, path)]
        if names[0] != names[1]:
            odd = ", ".join(f"@{name}@" for name in sorted(names[0] ^ names[1]))
            raise ValueError(line, f"{odd} stands on one side alone, so that nobody could go from one to the other")

    def read(value: Value) -> Value:
        text = spelled(value)
        for reference, path in pairs:
            if (values := reference.match(text)) is not None:
                return path.fill(values.get)
        return f"{NO_PLACE}{text}"

    def write(value: Value) -> Value:
        text = spelled(value)
        if text.startswith(NO_PLACE):
            return text.removeprefix(NO_PLACE)
        for reference, path in pairs:
            values = path.match(text)
            filled = None if values is None else reference.fill(values.get)
            if filled is not None and read(filled) == text:
                return filled
        raise Unreadable(f"no line of [references] fits the file {text}")

    return write, read


def _pattern(line: str, text: str) -> Pattern:
    parts: list[str | Hole] = []
    for at, part in enumerate(_HOLE.split(text)):
        if at % 2 and part != "@":
            if parts and isinstance(parts[-1], Hole):
                raise ValueError(
                    line, "two holes stand one behind the other, and nobody could tell where the first ends"
                )
            parts.append(Hole(Word(part.removesuffix("@"), PACK, "text", "a piece of a reference")))
        elif part and parts and isinstance(parts[-1], str):
            parts[-1] += part
        elif part:
            parts.append(part)
    return Pattern(tuple(parts))
