"""The small tree that every format is parsed into.

A node is a *labelled* thing (a member, an element, a section, a statement) or an unlabelled one
(a list item, a line), and holds either a value or children. Spans are character offsets into the
text, ``[start, end)``, so that an edit is a splice and every byte outside it stays as it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Protocol

from ichnos.documents.text import Text
from ichnos.errors import IchnosError

Scalar = str | int | float | bool | None
Value = Scalar | list[Scalar]

# The kinds of node. TEXT, NUMBER and WORD (true, false, null and other bare words) hold a value;
# the children of KEYED are found by their label, those of LISTED by their position.
TEXT, NUMBER, WORD, KEYED, LISTED = "text", "number", "word", "keyed", "listed"


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
    label_end: int = -1  # the label's literal is start .. label_end
    children: list[Node] = field(default_factory=list)

    def walk(self) -> Iterator[Node]:
        """This node and everything below it, in the order of the text."""
        yield self
        for child in self.children:
            yield from child.walk()

    @property
    def holds_value(self) -> bool:
        return self.kind not in (KEYED, LISTED)


class Format(Protocol):
    """What a format's module offers. Nothing outside the module knows the format's syntax."""

    name: str
    separator: str  # what stands between two siblings, apart from white space
    default_gap: str  # between two siblings where the text shows no example
    suffixes: tuple[str, ...]

    def parse(self, text: Text) -> Node: ...

    def write_value(self, value: Value, node: Node, parent: Node | None) -> str:
        """The literal for a value, escaped for the place where ``node`` stands."""

    def write_label(self, label: str, node: Node) -> str:
        """The literal for a label, escaped for the place where ``node`` stands."""

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        """May a second node like this stand beside it (whatever its label)?"""

    def optional(self, node: Node, parent: Node | None) -> bool:
        """Does the document stay well-formed, and its other values in place, without this node?"""


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
