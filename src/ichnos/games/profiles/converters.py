"""How a game spells a value: each converter writes it and reads it back."""

from __future__ import annotations

import fnmatch
import math
import posixpath
from collections.abc import Callable

from ichnos.documents.tree import Numeral, Value, spelled
from ichnos.games.profiles.converter import ANYWHERE, BadArgument, Converter, ConverterKind, Pair, Tables, Unreadable

_MOST_DECIMALS, _MOST_DIGITS = 12, 4
_SMALLEST = 1e-9  # of a factor or an offset


def _same(value: Value) -> Value:
    return value


def _number(value: Value) -> float:
    try:
        return float(spelled(value))
    except ValueError:
        raise Unreadable(f"{value!r} is not a number") from None


def _scaled(factor: float, digits: int) -> Callable[..., Pair]:
    return lambda argument, tables: (
        lambda value: round(_number(value) * factor, digits),
        lambda value: round(_number(value) / factor, digits + round(math.log10(factor))),
    )


def _factor(argument: str | None, what: str) -> float:
    """The number in a converter's parentheses. Raises BadArgument where there is none that can be meant."""
    try:
        number = float(argument or "")
    except ValueError:
        number = math.nan
    if not _SMALLEST <= abs(number) <= 1 / _SMALLEST:
        raise BadArgument(what)
    return number


def _times(argument: str | None, tables: Tables) -> Pair:
    factor = _factor(argument, "by what? ~times(255)")
    return lambda value: _exactly(_number(value) * factor), lambda value: _exactly(_number(value) / factor)


def _plus(argument: str | None, tables: Tables) -> Pair:
    offset = _factor(argument, "how much? ~plus(10), or ~plus(-0.5)")
    return lambda value: _exactly(_number(value) + offset), lambda value: _exactly(_number(value) - offset)


def _sum(argument: str | None, tables: Tables) -> Pair:
    share = _whole(argument)
    if share < 1:
        raise BadArgument("which share of the sum? @loop~sum(4)@ adds 4 where the sound loops")

    def write(value: Value) -> Value:
        number = float(value) if isinstance(value, bool) else _number(value)
        if not number.is_integer() or number < 0:
            raise Unreadable(f"{number:g} is no whole number")
        return share * int(number)

    return write, lambda value: _number(value) / share


def _exactly(number: float) -> float:
    """Without what binary fractions add: 0.1 * 3 is 0.3."""
    return float(f"{number:.12g}")


def _as_number(argument: str | None, tables: Tables) -> Pair:
    return _number, _number


_SILENT = -100.0  # dB; what a volume of 0 is written as


def _decibel(argument: str | None, tables: Tables) -> Pair:
    def write(value: Value) -> Value:
        level = _number(value)
        return round(20 * math.log10(level), 2) if level > 0 else _SILENT

    def read(value: Value) -> Value:
        level = _number(value)
        return 0.0 if level <= _SILENT else round(10 ** (level / 20), 4)

    return write, read


def _numbers(argument: str | None, tables: Tables) -> Pair:
    def write(value: Value) -> Value:
        try:
            return [int(piece) for piece in spelled(value).split(".")]
        except ValueError:
            raise Unreadable(f"{value!r} is not whole numbers with dots between them") from None

    def read(value: Value) -> Value:
        if not isinstance(value, list):
            raise Unreadable("a list of numbers is expected")
        return ".".join(spelled(item) for item in value)

    return write, read


def _separated(argument: str | None, tables: Tables) -> Pair:
    if not argument:
        raise BadArgument("what stands between the numbers is needed: ~separated( ) or ~separated(/)")
    numbers, back = _numbers(None, tables)

    def write(value: Value) -> Value:
        given = numbers(value)
        return argument.join(map(spelled, given if isinstance(given, list) else [given]))

    return write, lambda value: back([*spelled(value).split(argument)])


def _joined(argument: str | None, tables: Tables) -> Pair:
    if not argument:
        raise BadArgument("what stands between the texts of the list? ~joined(, )")

    def write(value: Value) -> Value:
        pieces = [spelled(piece) for piece in (value if isinstance(value, list) else [value])]
        if any(argument in piece for piece in pieces):
            raise Unreadable(f"one of {', '.join(pieces)} has {argument!r} in it, which stands between them")
        return argument.join(pieces)

    return write, lambda value: value if isinstance(value, list) else [*spelled(value).split(argument)]


def _yes_no(argument: str | None, tables: Tables) -> Pair:
    words = [word.strip() for word in (argument or "").split(",")]
    if len(words) != 2 or words[0] == words[1]:
        raise BadArgument("two words are needed, the one for yes first: ~yes-no(on,off)")

    def read(value: Value) -> Value:
        if spelled(value) not in words:
            raise Unreadable(f"{value!r} is neither {words[0]} nor {words[1]}")
        return spelled(value) == words[0]

    return lambda value: words[0] if value in (True, "true") else words[1], read


def _no_extension(argument: str | None, tables: Tables) -> Pair:
    def write(value: Value) -> Value:
        stem, suffix = posixpath.splitext(spelled(value))
        return stem if suffix.lower() in tables.suffixes else spelled(value)

    return write, _same


def _extension(argument: str | None, tables: Tables) -> Pair:
    if not argument or not argument.strip("."):
        raise BadArgument("the extension is needed: ~extension(hum)")
    theirs, without = f".{argument.lstrip('.')}", _no_extension(None, tables)[0]
    return (
        lambda value: f"{without(value)}{theirs}",
        lambda value: spelled(value).removesuffix(theirs),
    )


def _file_name(argument: str | None, tables: Tables) -> Pair:
    return (
        lambda value: posixpath.basename(spelled(value)),
        lambda value: f"{ANYWHERE}{spelled(value).removeprefix(ANYWHERE)}",
    )


def _decimals(argument: str | None, tables: Tables) -> Pair:
    if not argument or not argument.isdecimal() or int(argument) > _MOST_DECIMALS:
        raise BadArgument("how many decimals? ~decimals(2)")
    count = int(argument)
    return lambda value: Numeral.of(f"{_number(value):.{count}f}"), _number


def _only_with(argument: str | None, tables: Tables) -> Pair:
    if tables.declared.word(argument or "") is None:
        raise BadArgument("which other field? @near~only-with(far)=0@ is written where far has a value")
    return _same, _same


def _wide(argument: str | None, tables: Tables) -> Pair:
    width = _whole(argument)
    if not width:
        raise BadArgument("how many characters? ~wide(20), or ~wide(-8) with the blanks before it")

    def write(value: Value) -> Value:
        text = spelled(value)
        if len(text) > abs(width) or text != text.strip():
            raise Unreadable(f'"{text}" does not fit into a column of {abs(width)} characters')
        return text.ljust(width) if width > 0 else text.rjust(-width)

    return write, lambda value: spelled(value).strip()


def _whole(argument: str | None) -> int:
    """The whole number in a converter's parentheses; 0 where there is none."""
    text = argument or ""
    return int(text) if text.removeprefix("-").isdecimal() and len(text) <= _MOST_DIGITS else 0


def _true_false(argument: str | None, tables: Tables) -> Pair:
    def convert(value: Value) -> Value:
        if value in (True, "true"):
            return True
        if value in (False, "false"):
            return False
        raise Unreadable(f"{value!r} is neither true nor false")

    return convert, convert


def _seen_from(folder: str) -> Pair:
    return (
        lambda value: posixpath.relpath(spelled(value), folder),
        lambda value: posixpath.normpath(posixpath.join(folder, spelled(value))),
    )


def _relative(argument: str | None, tables: Tables) -> Pair:
    folder = (argument or "").strip("/") or "."
    seen, back = _seen_from(folder)

    def write(value: Value) -> Value:
        path = seen(value)
        if str(path).startswith("../"):
            raise Unreadable(f"{spelled(value)} does not lie below {folder}/")
        return path

    return write, back


def _below_root(argument: str | None, tables: Tables) -> Pair:
    if tables.root is None:
        raise BadArgument("the file says no root: write @root=...@ where it stands, with the folder as its default")
    return _seen_from(tables.root)


def _reference(argument: str | None, tables: Tables) -> Pair:
    if tables.references is None:
        raise BadArgument("game.toml says no [references]")
    return tables.references


def _table(argument: str | None, tables: Tables) -> Pair:
    if argument is None or argument not in tables.words:
        known = ", ".join(tables.words) or "none"
        raise BadArgument(f"game.toml has no word table [tables.{argument}] (there: {known})")
    forward = tables.words[argument]
    back = {theirs: ours for ours, theirs in forward.items()}

    def write(value: Value) -> Value:
        word = spelled(value)
        known = word if word in forward else next((one for one in forward if is_like(word, one)), None)
        if known is None:
            raise Unreadable(f"the word table {argument!r} has no {value!r}; it has {', '.join(forward)}")
        return forward[known]

    def read(value: Value) -> Value:
        if spelled(value) not in back:
            raise Unreadable(f"the word table {argument!r} has nothing for {value!r}")
        return back[spelled(value)]

    return write, read


def is_like(text: str, pattern: str) -> bool:
    """Is a text one of those that a word of a table stands for, such as ``2.3*`` for all versions that begin so?"""
    return "*" in pattern and fnmatch.fnmatchcase(text, pattern)


def _text(change: Callable[[str], str], back: Callable[[str], str] = str) -> Callable[..., Pair]:
    return lambda argument, tables: (lambda value: change(spelled(value)), lambda value: back(spelled(value)))


CONVERTERS: dict[str, ConverterKind] = {
    "text": ConverterKind(
        _text(str), "a number or yes/no as text, in quotation marks where the format has them", example=(2.0, "2")
    ),
    "number": ConverterKind(_as_number, "a free field as a number", None, (2.0, 2.0)),
    "true-false": ConverterKind(_true_false, "a free field as true or false", example=(True, True)),
    "decimals": ConverterKind(_decimals, "a number with exactly so many decimals", "how many", (0.5, 0.5)),
    "times": ConverterKind(_times, "a number times another", "the other", (0.5, 127.5)),
    "plus": ConverterKind(_plus, "a number and another together", "the other, -5 for less", (0.5, 128.0)),
    "sum": ConverterKind(
        _sum, "yes/no, or a number of a word table, as its share of the sum of several holes", "its share", (2.0, 8)
    ),
    "percent": ConverterKind(_scaled(100, 2), "as a percentage", example=(0.8, 80.0)),
    "decibel": ConverterKind(_decibel, "a volume in decibels", example=(0.5, -6.02)),
    "milliseconds": ConverterKind(_scaled(1000, 0), "a time in milliseconds", example=(1.5, 1500.0)),
    "only-with": ConverterKind(
        _only_with, "a value, or its default, only where another field has a value", "the other", (0.5, 0.5)
    ),
    "wide": ConverterKind(
        _wide, "in a column: with blanks behind it, or with a negative number before it", "how wide", ("bell", "bell  ")
    ),
    "yes-no": ConverterKind(
        _yes_no, "yes or no in the game's own words", "the word for yes, the word for no", (True, "on")
    ),
    "numbers": ConverterKind(_numbers, "a version as a list of numbers", example=("1.2.0", [1, 2, 0])),
    "separated": ConverterKind(
        _separated, "a version with something else between its numbers", "what stands there", ("1.2.0", "1/2/0")
    ),
    "joined": ConverterKind(
        _joined, "a list as one text, with something between", "what stands there", (["a", "b"], "a, b")
    ),
    "no-extension": ConverterKind(_no_extension, "a file without its extension", example=("a/b.ogg", "a/b")),
    "extension": ConverterKind(
        _extension, "a file with another extension than its own", "the extension", ("a/b.ogg", "a/b.hum")
    ),
    "file-name": ConverterKind(_file_name, "a file's name alone, without its folders", example=("a/b.ogg", "b.ogg")),
    "relative": ConverterKind(
        _relative, "a file as seen from a folder of the pack", "the folder", ("a/b/c.ogg", "c.ogg")
    ),
    "below-root": ConverterKind(
        _below_root, "a file as seen from the folder that the same file says: @root=...@", None, ("a/b.ogg", "b.ogg")
    ),
    "reference": ConverterKind(
        _reference,
        "a file as [references] says; every hole of a file has this, where there are such and it has no other",
        example=("stock/mill/noises/turns.ogg", "mill!turns"),
    ),
    "backslash": ConverterKind(
        _text(lambda path: path.replace("/", "\\"), lambda path: path.replace("\\", "/")),
        "a file with backslashes between its folders",
        example=("a/b.ogg", "a\\b.ogg"),
    ),
    "lower": ConverterKind(_text(str.lower), "in small letters", example=("Bell", "bell")),
    "upper": ConverterKind(_text(str.upper), "in capitals", example=("Bell", "BELL")),
    "table": ConverterKind(_table, "by a word table of game.toml", "the table's name", ("weather", "w1")),
}


def make(name: str, argument: str | None, tables: Tables) -> Converter:
    """A converter by its name, which must be one of ``CONVERTERS``.

    Raises:
        BadArgument: parentheses where none may be, or without what is needed in them.

    >>> percent = make("percent", None, Tables())
    >>> percent.write(0.25), percent.read("25")
    (25.0, 0.25)
    """
    kind = CONVERTERS[name]
    if (argument is not None) != (kind.argument is not None):
        needed = f"~{name}({kind.argument})" if kind.argument else f"~{name} without parentheses"
        raise BadArgument(f"write {needed}")
    pair = kind.make(argument, tables)
    other = tables.declared.word(argument or "") if name == "only-with" else None
    length = abs(_whole(argument)) if name == "wide" else None
    return Converter(name, argument, *pair, _texts(name, argument or "", tables), length, other.name if other else None)


def _texts(name: str, argument: str, tables: Tables) -> tuple[str, ...] | None:
    """All that a converter writes, the longest first; ``None`` where that can be anything."""
    words = {
        "yes-no": [word.strip() for word in argument.split(",")],
        "table": list(tables.words.get(argument, {}).values()),
    }
    return tuple(sorted(dict.fromkeys(words[name]), key=len, reverse=True)) if name in words else None
