"""Where a profile's templates run: with what they are given and nothing else, for so many steps and bytes.

A template comes from a stranger. Jinja's own sandbox keeps it from the machine; this keeps it from taking for
ever, filling the memory, or giving another result each time. Every bound is counted and none is timed, so that a
template that is refused is refused everywhere, with its line.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sized
from functools import wraps
from pathlib import Path
from typing import Any

from jinja2 import FileSystemLoader, StrictUndefined, nodes
from jinja2.filters import FILTERS as JINJA_FILTERS
from jinja2.sandbox import ImmutableSandboxedEnvironment

MOST_STEPS = 1_000_000  # turns of loops, calls, and items that filters go through
MOST_TEXT = 4 * 2**20  # characters of one text, the script itself too
MOST_ITEMS = 1_000_000  # of one list
_CALL = 5  # steps that a call counts as
_MOST_BITS = 256  # of a whole number
_MOST_WIDTH = 1000  # of an indent, and digits that are rounded to

# Of Jinja's own filters those that give the same result each time, and no more than they are given.
PLAIN_FILTERS = (
    "abs", "attr", "capitalize", "count", "d", "default", "dictsort", "e", "escape", "first", "float", "groupby",
    "int", "items", "last", "length", "list", "lower", "map", "max", "min", "reject", "rejectattr", "reverse",
    "select", "selectattr", "sort", "sum", "title", "trim", "unique", "upper", "wordcount",
)  # fmt: skip
_METHODS = {  # of texts, lists and tables
    "capitalize", "count", "endswith", "find", "get", "index", "isalpha", "isdigit", "items", "keys", "lower",
    "lstrip", "partition", "rfind", "rpartition", "rsplit", "rstrip", "split", "splitlines", "startswith", "strip",
    "title", "upper", "values",
}  # fmt: skip


class Beyond(ValueError):
    """More than any script takes."""


class Sandbox(ImmutableSandboxedEnvironment):
    """Jinja with bounds. One serves one filling: what it counts is used up."""

    intercepted_binops = frozenset({"+", "*", "**", "%"})

    def __init__(self, folder: Path, filters: Mapping[str, Callable[..., Any]]) -> None:
        super().__init__(
            loader=FileSystemLoader(folder), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
            keep_trailing_newline=True, autoescape=False, cache_size=50,
        )  # fmt: skip
        self.steps = MOST_STEPS
        own = {
            "string": lambda value: str(_text(value)),
            "join": self._joined,
            "replace": self._replaced,
            "indent": self._indented,
            "round": _rounded,
        }
        plain = {name: JINJA_FILTERS[name] for name in PLAIN_FILTERS}
        self.filters = {
            name: self._counting(function) for name, function in {**plain, **own, **filters}.items()
        } | {_TURNS: self._turns, _TOGETHER: self._together, _WEIGHED: self._weighed}  # fmt: skip
        self.globals.pop("lipsum", None)
        self.finalize = _text

    def spend(self, steps: int = 1) -> None:
        """Count steps. Raises Beyond where they are used up."""
        self.steps -= steps
        if self.steps < 0:
            raise Beyond(f"it takes more than {MOST_STEPS:,} steps")

    def weigh(self, value: Any) -> None:
        """Count as many steps as it takes to look at all of a value."""
        if isinstance(value, str):
            self.spend(len(value) // 64)
        elif isinstance(value, dict):
            for one in (*value.keys(), *value.values()):
                self.spend()
                self.weigh(one)
        elif isinstance(value, list | tuple):
            for one in value:
                self.spend()
                self.weigh(one)
        elif isinstance(value, range):
            self.spend(len(value))

    def wrap_str_format(self, value: Any) -> None:
        """Texts have no ``format`` here: it can be asked for any width."""

    def is_safe_attribute(self, obj: Any, attr: str, value: Any) -> bool:
        if (
            isinstance(obj, str | bytes | list | tuple | dict | int | float)
            and callable(value)
            and attr not in _METHODS
        ):
            return False
        return bool(super().is_safe_attribute(obj, attr, value))

    def call(self, context: Any, obj: Any, *args: Any, **kwargs: Any) -> Any:
        self.spend(_CALL)
        self.weigh(getattr(obj, "__self__", None))
        return super().call(context, obj, *args, **kwargs)

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        if operator == "**" or (operator == "%" and isinstance(left, str)):
            raise Beyond(f"{operator} is not offered here")
        if operator == "*":
            for one, other in ((left, right), (right, left)):
                if isinstance(one, Sized) and isinstance(other, int):
                    _check(len(one) * max(0, other), text=isinstance(one, str))
        elif operator == "+" and isinstance(left, Sized) and isinstance(right, Sized):
            _check(len(left) + len(right), text=isinstance(left, str))
        result = super().call_binop(context, operator, left, right)
        if isinstance(result, int) and result.bit_length() > _MOST_BITS:
            raise Beyond("a number becomes too large")
        return result

    def concat(self, pieces: Iterable[str]) -> str:
        """What a block, a macro or the whole gives."""
        kept, length = [], 0
        for piece in pieces:
            length += len(piece)
            _check(length, text=True)
            kept.append(piece)
        return "".join(kept)

    def _parse(self, source: str, name: str | None, filename: str | None) -> nodes.Template:
        tree = super()._parse(source, name, filename)
        for loop in tree.find_all(nodes.For):
            loop.iter = _through(_TURNS, loop.iter)
        for compared in tree.find_all(nodes.Compare):
            compared.expr = _through(_WEIGHED, compared.expr)
            for operand in compared.ops:
                operand.expr = _through(_WEIGHED, operand.expr)
        for row in list(tree.find_all(nodes.Concat)):
            _replace(tree, row, _through(_TOGETHER, nodes.List(row.nodes, lineno=row.lineno)))
        return tree

    def _turns(self, value: Any) -> Iterator[Any]:
        """What a loop goes through, each turn counted."""
        for one in value:
            self.spend()
            yield one

    def _weighed(self, value: Any) -> Any:
        self.weigh(value)
        return value

    def _together(self, pieces: list[Any]) -> str:
        texts = [str(_text(piece)) for piece in pieces]
        _check(sum(map(len, texts)), text=True)
        return "".join(texts)

    def _counting(self, own: Callable[..., Any]) -> Callable[..., Any]:
        """A filter that costs as many steps as it is given items."""

        @wraps(own)
        def counted(*args: Any, **kwargs: Any) -> Any:
            self.spend()
            for argument in (*args, *kwargs.values()):
                self.weigh(argument)
            result = own(*args, **kwargs)
            if isinstance(result, Iterator):
                return self._turns(result)
            return result

        return counted

    def _joined(self, value: Iterable[Any], by: str = "", attribute: str | None = None) -> str:
        parts, length = [], 0
        for one in value:
            self.spend()
            text = str(_text(self.getattr(one, attribute) if attribute else one))
            length += len(text) + len(by)
            _check(length, text=True)
            parts.append(text)
        return by.join(parts)

    def _replaced(self, value: Any, old: str, new: str) -> str:
        text = str(_text(value))
        _check(len(text) + text.count(old) * len(new), text=True)
        return text.replace(old, new)

    def _indented(self, value: Any, width: int | str = 4, first: bool = False, blank: bool = False) -> str:
        text, space = str(_text(value)), width if isinstance(width, str) else " " * min(max(0, width), _MOST_WIDTH)
        _check(len(text) + (text.count("\n") + 1) * len(space), text=True)
        lines = text.split("\n")
        return "\n".join(
            space + line if (number or first) and (line or blank) else line for number, line in enumerate(lines)
        )


_TURNS, _TOGETHER, _WEIGHED = "turns of a loop", "texts together", "all of it"  # no template can write these names


def _text(value: Any) -> Any:
    """What is printed. Python's way to write a list is nobody's script, and may have no end."""
    if isinstance(value, list | tuple | dict | set | range | Iterator):
        raise Beyond("a list or a table cannot be printed: go through it, or join it")
    return value


def _rounded(value: float, digits: int = 0, method: str = "common") -> float:
    if not -_MOST_WIDTH < digits < _MOST_WIDTH or abs(digits) > 15:
        raise Beyond("numbers are rounded to 15 digits at most")
    return float(JINJA_FILTERS["round"](value, digits, method))


def _check(length: int, *, text: bool) -> None:
    if length > (MOST_TEXT if text else MOST_ITEMS):
        what = f"a text becomes longer than {MOST_TEXT:,} characters" if text else "a list becomes too long"
        raise Beyond(what)


def _through(name: str, value: Any) -> nodes.Filter:
    return nodes.Filter(value, name, [], [], None, None, lineno=value.lineno)


def _replace(tree: nodes.Node, old: nodes.Node, new: nodes.Node) -> None:
    """Put a node in the place of another one."""
    for parent in [tree, *tree.find_all(nodes.Node)]:
        for field, value in parent.iter_fields():
            if value is old:
                setattr(parent, field, new)
                return
            if isinstance(value, list) and any(one is old for one in value):
                setattr(parent, field, [new if one is old else one for one in value])
                return
