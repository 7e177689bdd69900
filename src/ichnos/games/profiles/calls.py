"""How a game's own functions are called in its scripts: ``ring(key, {fade, volume = gain, from = at})``.

The names in parentheses are our words, in the order of the arguments. In braces stand fields of a table, our word
first, and behind an equals sign what the game calls it, where that differs. ``do`` is a function that is called then.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

WORDS: Mapping[str, tuple[str, ...]] = {
    "play": ("key", "fade", "volume", "from"),
    "stop": ("key", "fade"),
    "listen": ("name", "event", "where", "once", "delay", "odds", "state", "reaches", "do"),
}
_NEEDED = {"play": ("key",), "stop": ("key",), "listen": ("event", "do")}

_CALL = re.compile(r"\s*([A-Za-z_][\w.:]*)\s*\((.*)\)\s*", re.DOTALL)
_ARGUMENT = re.compile(r"\s*(?:\{([^{}]*)\}|([a-z]+))\s*(?:,|$)")
_FIELD = re.compile(r"\s*([a-z]+)\s*(?:=\s*([A-Za-z_]\w*))?\s*")


@dataclass(frozen=True)
class Call:
    """A function of a game. ``arguments``: our word; or the fields of a table, our word to the game's."""

    means: str
    function: str
    arguments: tuple[str | Mapping[str, str], ...]

    @property
    def words(self) -> list[str]:
        """Our words for all that can be told it."""
        return [
            word for argument in self.arguments for word in ([argument] if isinstance(argument, str) else argument)
        ]  # a mapping's words are its keys


def parse_call(means: str, text: str) -> Call:
    """How a function is called.

    Args:
        means: what it does: play, stop or listen.

    Raises:
        ValueError: it is not understood, with what is wrong.

    >>> parse_call("stop", "still(key, {fade = out})").arguments
    ('key', {'fade': 'out'})
    """
    match = _CALL.fullmatch(text)
    if not match:
        raise ValueError('a function is written with its arguments: "ring(key, {volume = gain})"')
    arguments: list[str | Mapping[str, str]] = []
    rest = match[2].strip()
    while rest:
        argument = _ARGUMENT.match(rest)
        if not argument:
            raise ValueError(f"{rest!r} is no argument: write a word, or fields in braces")
        arguments.append(argument[2] if argument[2] else _fields(argument[1]))
        rest = rest[argument.end() :].strip()
    call = Call(means, match[1], tuple(arguments))
    for word in call.words:
        if word not in WORDS[means]:
            raise ValueError(f'"{word}" means nothing here; there are {", ".join(WORDS[means])}')
        if call.words.count(word) > 1:
            raise ValueError(f'"{word}" stands there twice')
    missing = [word for word in _NEEDED[means] if word not in call.words]
    if missing:
        raise ValueError(f'"{missing[0]}" is missing')
    return call


def _fields(text: str) -> dict[str, str]:
    fields: dict[str, str] = {}
    for piece in filter(str.strip, text.split(",")):
        match = _FIELD.fullmatch(piece)
        if not match:
            raise ValueError(f"{piece.strip()!r} is no field: write our word, or: our word = the game's")
        fields[match[1]] = match[2] or match[1]
    return fields
