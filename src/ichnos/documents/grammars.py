"""Formats that a grammar of tree-sitter reads, each as a tree over its own text: what all of them have in common.

A syntax tree gives every part's place in the text; the modules beside this one say which of its nodes are values,
and how a value is written.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING, Any

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, TEXT, Format, Node, Numeral, Unwritable, Value, spelled
from ichnos.errors import IchnosError

if TYPE_CHECKING:
    from tree_sitter import Node as Syntax
    from tree_sitter import Parser

MAX_DEPTH = 200
FLOW = ","  # the value of a container whose children have commas between them

encoded = json.JSONEncoder(ensure_ascii=False).encode
_HOLE = re.compile(r"(?<!@)@(?!@)[^@\n]+@(?!@)")
_NUMERAL = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?")


@cache
def _parser(grammar: str) -> Parser:
    from importlib import import_module

    from tree_sitter import Language, Parser

    return Parser(Language(import_module(f"tree_sitter_{grammar}").language()))


class ParsedText:
    """A text as a grammar has read it; places are those of characters.

    ``instead``: a sign that the grammar reads in the place of each one of a hole; without it, there are no holes.
    """

    def __init__(self, text: Text, grammar: str, title: str, instead: str = "") -> None:
        self.text, self.content, self.title = text, text.content, title
        shown = _HOLE.sub(lambda hole: instead * len(hole[0]), text.content) if instead else text.content
        data = shown.encode("utf-8", "surrogatepass")
        self._places: list[int] | None = None
        if len(data) != len(shown):
            widths = (len(letter.encode("utf-8", "surrogatepass")) for letter in shown)
            self._places = [index for index, width in enumerate(widths) for _ in range(width)] + [len(shown)]
        self.root = _parser(grammar).parse(data).root_node
        if self.root.has_error:
            self.refuse(self.root)

    def start(self, syntax: Syntax) -> int:
        return syntax.start_byte if self._places is None else self._places[syntax.start_byte]

    def end(self, syntax: Syntax) -> int:
        return syntax.end_byte if self._places is None else self._places[syntax.end_byte]

    def raw(self, syntax: Syntax) -> str:
        """The text of a part."""
        return self.content[self.start(syntax) : self.end(syntax)]

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def refuse(self, syntax: Syntax) -> None:
        """Raises IchnosError at the first part that the grammar does not know."""
        wrong = next((one for one in descendants(syntax) if one.is_error or one.is_missing), syntax)
        start = self.start(wrong)
        shown = " ".join(self.content[start : start + 30].split())[:20]
        what = f"{shown!r} cannot be read as {self.title}" if shown else f"this {self.title} file ends too early"
        raise self.error(what, start, "is a bracket or a quotation mark missing before it?")

    def value(self, kind: str, syntax: Syntax, value: str | None) -> Node:
        """A node for a part that is a value."""
        start, end = self.start(syntax), self.end(syntax)
        return Node(kind, start, end, start, end, value)

    def container(self, syntax: Syntax, children: list[Node], kind: str, flow: str | None = FLOW) -> Node:
        """A node for a part that holds others."""
        start, end = self.start(syntax), self.end(syntax)
        return Node(kind, start, end, start, end, flow, children=children)

    def labelled(self, node: Node, syntax: Syntax, label: str, at: Syntax, end: int | None = None) -> Node:
        """A node with its label, from where the whole of both begins."""
        node.start, node.label = self.start(syntax), label
        node.label_start, node.label_end = self.start(at), self.end(at)
        node.end = max(node.end, end or 0)
        return node


def descendants(syntax: Syntax) -> Iterator[Syntax]:
    """A part, and all inside it, in the order of the text."""
    stack = [syntax]
    while stack:
        one = stack.pop()
        yield one
        stack += reversed(one.children)


def named_children(syntax: Syntax) -> list[Syntax]:
    """The parts of a part, without comments."""
    return [child for child in syntax.named_children if child.type != "comment"]


class Grammar(Format):
    """What the formats have in common; see :class:`ichnos.documents.tree.Format`."""

    name = ""
    by_lines = True
    is_bare = False
    title = ""  # what messages call it
    hole_sign = "_"  # what the grammar reads as a word, or as a number, however many there are

    def parse(self, text: Text) -> Node:
        return self.tree(ParsedText(text, self.name, self.title))

    def parse_with_holes(self, text: Text) -> Node:
        return self.tree(ParsedText(text, self.name, self.title, self.hole_sign))

    def tree(self, parsed: ParsedText) -> Node:
        """The tree of a document that the grammar has read."""
        raise NotImplementedError

    def separator(self, parent: Node) -> str:
        return "," if parent.value == FLOW else ""

    def gap(self, node: Node) -> str:
        return "\n" if node.children and node.label is not None else ", "

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == LISTED

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == KEYED

    def write_value(self, value: Value, node: Node, text: str) -> str:
        """The literal of a value: a number, true or false as it is, a text in quotation marks."""
        if isinstance(value, list):
            return self.listed([self.write_value(item, node, text) for item in value])
        if value is None:
            raise Unwritable("nothing cannot be written here")
        if isinstance(value, bool):
            return spelled(value)
        if isinstance(value, Numeral):
            return value.text if _NUMERAL.fullmatch(value.text) else spelled(float(value))
        if isinstance(value, int | float):
            return spelled(value)
        return self.quoted(value, text[node.body_start : node.body_start + 1] if node.kind == TEXT else "")

    def hole_as_label(self, hole: str, node: Node) -> str:
        """How a hole stands where a bare label does: in quotation marks, as it begins with a sign of its own."""
        return f'"{hole}"'

    def listed(self, items: list[str]) -> str:
        """The literal of a list."""
        return f"[{', '.join(items)}]"

    def quoted(self, text: str, mark: str) -> str:
        """The literal of a text; ``mark`` is what stands around the one before."""
        raise NotImplementedError


def too_deep(parsed: ParsedText, syntax: Any, depth: int) -> None:
    """Raises IchnosError where parts lie in parts without end."""
    if depth > MAX_DEPTH:
        raise parsed.error(f"nested more than {MAX_DEPTH} levels deep", parsed.start(syntax))
