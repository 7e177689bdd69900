"""Holes in text: ``@name@``, ``@name~converter~converter(argument)=default@``; ``@@`` is a plain @.

The characters are legal in file names on every system and in every format, so that a hole can stand in
a path as well as in a document.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from contextlib import suppress
from dataclasses import replace

from ichnos.documents.tree import Unwritable, spelled
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.converter import BadArgument, Tables, Unreadable
from ichnos.games.profiles.converters import CONVERTERS, make
from ichnos.games.profiles.declared import Declarations
from ichnos.games.profiles.hole import Hole, HoleError
from ichnos.games.profiles.hole_patterns import Pattern, SumPattern
from ichnos.likeness import NEAR, did_you_mean

HOLE = re.compile(
    r"@(?:(?P<plain>@)"
    r"|(?P<name>[a-z][a-z0-9]*(?:[._-][a-z0-9]+)*)"
    r"(?P<converters>(?:~[a-z]+(?:-[a-z]+)*(?:\([^()@]*\))?)*)"
    r"(?:=(?P<default>[^@]*))?@)"
)
_CONVERTER = re.compile(r"~([a-z]+(?:-[a-z]+)*)(?:\(([^()@]*)\))?")

_MOST_HOLES = 100  # of one text


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
            is_number = hole.word.kind == "whole" and isinstance(before, Hole) and before.word.kind != "whole"
            if isinstance(before, Hole) and not (before.has_own_end or hole.has_own_end or hole.is_share or is_number):
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
    if any(isinstance(part, Hole) and part.is_share for part in parts):
        return SumPattern.of(parts)
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
