"""How a game spells a value: each converter writes it and reads it back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePosixPath

from ichnos.documents.tree import Value


class Unreadable(ValueError):
    """The text cannot be what this converter writes."""


@dataclass(frozen=True)
class Converter:
    """A named pair of functions. ``write`` goes from our value to the game's spelling."""

    name: str
    argument: str | None
    write: Callable[[Value], Value]
    read: Callable[[Value], Value]


def _text(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return "" if value is None else str(value)


def _numbers(argument: str | None) -> Converter:
    def write(value: Value) -> Value:
        try:
            return [int(piece) for piece in _text(value).split(".")]
        except ValueError:
            raise Unreadable(f"{value!r} is not whole numbers with dots between them") from None

    def read(value: Value) -> Value:
        if not isinstance(value, list):
            raise Unreadable("a list of numbers is expected")
        return ".".join(_text(item) for item in value)

    return Converter("numbers", argument, write, read)


def _as_text(argument: str | None) -> Converter:
    return Converter("text", argument, _text, lambda value: value)


def _bare(argument: str | None) -> Converter:
    def write(value: Value) -> Value:
        return str(PurePosixPath(_text(value)).with_suffix("")) if value else value

    return Converter("bare", argument, write, lambda value: value)


def _within(argument: str | None) -> Converter:
    folder = (argument or "").strip("/")

    def write(value: Value) -> Value:
        path = _text(value)
        if not path.startswith(f"{folder}/"):
            raise Unreadable(f"{path} does not lie in {folder}/")
        return path[len(folder) + 1 :]

    return Converter("within", argument, write, lambda value: f"{folder}/{_text(value)}")


def _case(name: str, change: Callable[[str], str]) -> Callable[[str | None], Converter]:
    return lambda argument: Converter(name, argument, lambda value: change(_text(value)), lambda value: value)


CONVERTERS: dict[str, tuple[Callable[[str | None], Converter], str]] = {
    "numbers": (_numbers, "1.2.0 as the list 1, 2, 0"),
    "text": (_as_text, "a number or yes/no as text, in quotation marks where the format has them"),
    "bare": (_bare, "a file without its extension"),
    "within": (_within, "a file as seen from the folder in parentheses"),
    "lower": (_case("lower", str.lower), "in small letters"),
    "upper": (_case("upper", str.upper), "in capitals"),
}
