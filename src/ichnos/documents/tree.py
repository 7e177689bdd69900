"""The small tree that every format is parsed into.

A node is a *labelled* thing (a member, an element, a section, a statement) or an unlabelled one
(a list item, a line), and holds either a value or children. Spans are character offsets into the
text, ``[start, end)``, so that an edit is a splice and every byte outside it stays as it is.
"""

from __future__ import annotations

import gc
import math
from abc import ABC, abstractmethod
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any, TypeGuard

from ichnos.documents.text import Text
from ichnos.errors import IchnosError

Scalar = str | int | float | bool | None
Value = Scalar | list[Scalar]

# The kinds of node. TEXT, NUMBER, WORD (true, false, null and other bare words) and ATTRIBUTE (in a
# tag) hold a value; the children of KEYED are found by their label, those of LISTED by their position.
TEXT, NUMBER, WORD, ATTRIBUTE, KEYED, LISTED = "text", "number", "word", "attribute", "keyed", "listed"


NO_CHILDREN: Any = ()  # shared by all nodes that hold a value


@contextmanager
def many_nodes() -> Iterator[None]:
    """Pauses the garbage collector: nodes by the million hold no cycles, and it would walk them all the time."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


@dataclass(slots=True, eq=False)
class Node:
    """One node. ``start`` to ``end`` is all of it; ``body_*`` is the value's literal or, for a node
    with children, what lies around them (brackets included)."""

    kind: str
    start: int
    end: int
    body_start: int
    body_end: int
    value: str | None = None
    label: str | None = None
    label_start: int = -1  # the label's literal; -1 where it stands elsewhere, as a column's name does
    label_end: int = -1
    children: list[Node] = field(default_factory=list)
    is_named: bool = False  # its label is a name or a heading of the format's own, without quotation marks
    is_disabled: bool = False  # a comment, which stands for an entry that is not there yet

    def walk(self) -> Iterator[Node]:
        """This node and everything below it, in the order of the text."""
        yield self
        for child in self.children:
            yield from child.walk()

    @property
    def holds_value(self) -> bool:
        return self.kind not in (KEYED, LISTED)


class Numeral(float):
    """A number with its own spelling: ``1.0``, ``+0``.

    >>> Numeral.like("1.0", 3.0).text, Numeral.like("+0", 2.0).text, Numeral.like("0.50", 0.125).text
    ('3.0', '+2', '0.125')
    """

    text: str

    @classmethod
    def of(cls, text: str) -> Numeral:
        """The number that a text spells. Raises ValueError where it is none."""
        numeral = cls(text)
        numeral.text = text
        return numeral

    @classmethod
    def like(cls, example: str, number: float) -> Numeral:
        """A number spelled like an example: with its plus sign, and with at least as many decimals."""
        numeral = cls(number)
        plain = spelled(number)
        wanted = len(example.partition(".")[2])
        if "e" not in plain and len(plain.partition(".")[2]) < wanted:
            plain = f"{number:.{wanted}f}"
        numeral.text = f"+{plain}" if example.startswith("+") and number >= 0 else plain
        return numeral


def spelled(value: Value) -> str:
    """A value as text: whole numbers without ``.0``, yes and no as true and false. Raises Unwritable for a list.

    >>> [spelled(value) for value in (3.0, 0.25, True, None)]
    ['3', '0.25', 'true', '']
    """
    if isinstance(value, list):
        raise Unwritable("a list cannot stand here")
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Numeral):
        return value.text
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() else f"{value:.12g}"
    return "" if value is None else str(value)


def in_text(value: Value) -> str:
    """A value as people read it, a list too.

    >>> in_text(["bell", 2.0])
    'bell, 2'
    """
    return ", ".join(map(spelled, value)) if isinstance(value, list) else spelled(value)


def is_number(value: Value) -> TypeGuard[float]:
    """Is it one, and not a yes or no, which Python counts among them?"""
    return isinstance(value, int | float) and not isinstance(value, bool)


def is_same(one: Value, other: Value) -> bool:
    """Do two values say the same? Numbers, as near as a document can hold them.

    >>> is_same(0.1 + 0.2, 0.3), is_same("3", 3.0), is_same(True, 1), is_same(None, "")
    (True, True, False, False)
    """
    if is_number(one) and is_number(other):
        return math.isclose(one, other, rel_tol=1e-9, abs_tol=1e-12)
    if one is None or other is None or isinstance(one, list) or isinstance(other, list):
        return one == other
    return spelled(one) == spelled(other)


class Unwritable(ValueError):
    """A format has no way to write this value at this place."""


class Format(ABC):
    """What a format's module offers. Nothing outside the module knows the format's syntax."""

    name: str
    suffixes: tuple[str, ...] = ()  # the file name extensions that stand for it
    empty: str | None = None  # the literal of a value that is not there but must keep its place
    is_bare: bool = True  # may a hole stand as a value without quotation marks?
    named_once: bool = False  # are names in a container there once?
    names_are_fixed: bool = False  # is what things are called the document's own, so that no hole can stand there?
    by_lines: bool = False  # is an entry a line, and what stands behind it there a comment of it?
    by_indent: bool = False  # does how far from the left a thing stands tell what it lies in, but for brackets?
    disabled: str | None = None  # what stands before an entry that is a comment, and a legal key all the same

    @abstractmethod
    def parse(self, text: Text) -> Node:
        """Parse a whole document. Raises IchnosError with line and column."""

    def parse_with_holes(self, text: Text) -> Node:
        """Parse a document in which holes stand for values and labels, also without quotation marks."""
        return self.parse(text)

    def separator(self, parent: Node) -> str:
        """What stands between two children of ``parent``, apart from white space."""
        return ""

    def gap(self, node: Node) -> str:
        """What to write between ``node`` and one like it, where the text shows no example."""
        return "\n"

    @abstractmethod
    def write_value(self, value: Value, node: Node, text: str) -> str:
        """The literal for a value, escaped for the place where ``node`` stands in ``text``.

        Raises:
            Unwritable: this place cannot carry that value.
        """

    @abstractmethod
    def write_label(self, label: str, node: Node) -> str:
        """The literal for a label, escaped for the place where ``node`` stands.

        Raises:
            Unwritable: no label can have these characters here.
        """

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        """May a second node like this stand beside it (whatever its label)?"""
        return parent is not None

    def optional(self, node: Node, parent: Node | None) -> bool:
        """Does the document stay well-formed, and its other values in place, without this node?"""
        return parent is not None

    def joint(self, node: Node) -> str | None:
        """What stands between a node and one like it, where those are within a line; ``None`` anywhere else."""
        return None

    def reopened(self, node: Node, text: str) -> tuple[int, str] | None:
        """For a node that closes itself: where content is put, and what closes it then; ``None`` of any other."""
        return None

    def hole_as_label(self, hole: str, node: Node) -> str:
        """How a hole stands where a label without quotation marks does."""
        return hole

    def is_indented(self, parent: Node) -> bool:
        """Do the children of a node stand in lines, each as far from the left as the others? Not in brackets."""
        return self.by_indent and parent.value is None


def margin(text: str, node: Node) -> str:
    """What stands before a node in its line: its tabs or blanks, or as many blanks where it is something else."""
    before = text[text.rfind("\n", 0, node.start) + 1 : node.start]
    return " " * len(before) if before.strip() else before


@dataclass(frozen=True)
class Document:
    """A parsed file."""

    text: Text
    format: Format
    root: Node

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def excerpt(self, node: Node, width: int = 60) -> str:
        """The node's own text on one line, cut to ``width`` characters, for messages."""
        line = " ".join(self.text.content[node.start : node.end].split())
        return line if len(line) <= width else line[: width - 3] + "..."
