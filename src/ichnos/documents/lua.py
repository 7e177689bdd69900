"""Tables of Lua (5.4, section 3.4.9) as data: ``return {...}``, ``NAME = {...}``, ``call{...}``.

What else a script does is left as it is. A table that has names is found by them, any other by its order.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from ichnos.documents.grammars import Grammar, ParsedText, named_children, too_deep
from ichnos.documents.tree import KEYED, LISTED, NUMBER, TEXT, WORD, Node, Unwritable

if TYPE_CHECKING:
    from tree_sitter import Node as Syntax

_NAME = re.compile(r"[A-Za-z_]\w*", re.ASCII)
_TAKEN = re.compile(
    r"and|break|do|else|elseif|end|false|for|function|goto|if|in|local|nil|not|or|repeat|return|then|true|until|while"
)
_ESCAPE = re.compile(r"\\(?:z\s*|x([0-9a-fA-F]{2})|u\{([0-9a-fA-F]+)\}|(\d{1,3})|(\r?\n)|(.))", re.DOTALL)
_DECODED = {"n": "\n", "r": "\r", "t": "\t", "a": "\a", "b": "\b", "f": "\f", "v": "\v"}
_WRITTEN = {"\\": "\\\\", "\n": "\\n", "\r": "\\r", "\0": "\\000"}


class Lua(Grammar):
    """Lua's tables; see :class:`ichnos.documents.tree.Format`."""

    name = "lua"
    title = "Lua"

    def tree(self, parsed: ParsedText) -> Node:
        return _Reader(parsed).document()

    def listed(self, items: list[str]) -> str:
        return "{" + ", ".join(items) + "}"

    def quoted(self, text: str, mark: str) -> str:
        mark = mark if mark in ('"', "'") and mark else '"'
        marks = {**_WRITTEN, mark: f"\\{mark}"}
        return mark + "".join(marks.get(sign, sign) for sign in text) + mark

    def hole_as_label(self, hole: str, node: Node) -> str:
        return f'["{hole}"]'

    def write_label(self, label: str, node: Node) -> str:
        if node.is_named and _NAME.fullmatch(label) and not _TAKEN.fullmatch(label):
            return label
        if node.is_named and not _same_marks(label, node.label or ""):
            raise Unwritable(f'{label!r} is no name here: write ["..."] in the profile')
        if node.is_named:
            return label
        return self.quoted(label, '"')

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and (parent.kind == LISTED or parent.value is None)


class _Reader:
    def __init__(self, parsed: ParsedText) -> None:
        self.parsed = parsed

    def document(self) -> Node:
        statements = named_children(self.parsed.root)
        root = self.parsed.container(self.parsed.root, [self.statement(one) for one in statements], KEYED, None)
        if root.children:
            root.start = root.body_start = root.children[0].start
            root.end = root.body_end = root.children[-1].end
        return root

    def statement(self, syntax: Syntax) -> Node:
        """One statement: what it gives back, or assigns, or calls with; any other as its own text."""
        parsed, parts = self.parsed, named_children(syntax)
        if syntax.type == "return_statement" and parts:
            values = named_children(parts[0])
            if len(values) == 1:
                return self.labelled(self.value(values[0], 1), syntax, syntax.children[0])
        if syntax.type == "variable_declaration" and parts and parts[0].type == "assignment_statement":
            return self.assigned(syntax, parts[0])
        if syntax.type == "assignment_statement":
            return self.assigned(syntax, syntax)
        if syntax.type == "function_call":
            name, arguments = syntax.child_by_field_name("name"), syntax.child_by_field_name("arguments")
            if name is not None and arguments is not None:
                return self.labelled(self.call(arguments), syntax, name)
        return parsed.value(WORD, syntax, parsed.raw(syntax))

    def labelled(self, node: Node, syntax: Syntax, name: Syntax) -> Node:
        """A statement's node with the label that its own words are."""
        node = self.parsed.labelled(node, syntax, self.parsed.raw(name), name, self.parsed.end(syntax))
        node.is_named = True
        return node

    def assigned(self, whole: Syntax, syntax: Syntax) -> Node:
        names, values = (named_children(part) for part in named_children(syntax)[:2])
        if len(names) == 1 == len(values):
            return self.labelled(self.value(values[0], 1), whole, names[0])
        return self.parsed.value(WORD, whole, self.parsed.raw(whole))

    def call(self, arguments: Syntax) -> Node:
        """What a function is called with: a table, or several values."""
        parts = [self.value(part, 1) for part in named_children(arguments)]
        is_table = len(parts) == 1 and parts[0].children
        return parts[0] if is_table else self.parsed.container(arguments, parts, LISTED)

    def value(self, syntax: Syntax, depth: int) -> Node:
        too_deep(self.parsed, syntax, depth)
        raw = self.parsed.raw(syntax)
        if syntax.type == "table_constructor":
            fields = [self.field(field, depth) for field in named_children(syntax)]
            kind = KEYED if any(field.label is not None for field in fields) or not fields else LISTED
            return self.parsed.container(syntax, fields, kind)
        if syntax.type == "string":
            return self.parsed.value(TEXT, syntax, _decoded(raw))
        kind = NUMBER if re.fullmatch(r"-?[\d.]+(?:[eE][+-]?\d+)?", raw) else WORD
        return self.parsed.value(kind, syntax, raw)

    def field(self, syntax: Syntax, depth: int) -> Node:
        name, value = syntax.child_by_field_name("name"), syntax.child_by_field_name("value")
        assert value is not None
        node = self.value(value, depth + 1)
        if name is None:
            return node
        raw = self.parsed.raw(name)
        label = _decoded(raw) if name.type == "string" else raw
        node = self.parsed.labelled(node, syntax, label, name)
        node.is_named = name.type == "identifier"
        return node


def _same_marks(label: str, pattern: str) -> bool:
    """Does a label such as ``noises["bell"]`` stand in the same marks as the one that it is made from?"""
    marks = [pattern.count(mark) for mark in "\"'"]
    return any(marks) and marks == [label.count(mark) for mark in "\"'"] and not re.search(r"[\\\x00-\x1f]", label)


def _decoded(literal: str) -> str:
    if literal.startswith("["):
        body = literal[literal.index("[", 1) + 1 : literal.rindex("]", 0, -1)]
        return body.removeprefix("\r\n").removeprefix("\n")

    def letter(match: re.Match[str]) -> str:
        digits, point, number, newline, sign = match.groups()
        if digits or point:
            return chr(int(digits or point, 16))
        if number:
            return chr(int(number))
        return "\n" if newline else _DECODED.get(sign, sign) if sign else ""

    return _ESCAPE.sub(letter, literal[1:-1])
