"""TOML (1.0.0) as a tree over its own text. A table under a heading lies in the one whose heading it goes on."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from ichnos.documents.grammars import FLOW, Grammar, Source, encoded, named_children, too_deep
from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, NUMBER, TEXT, WORD, Node, Unwritable

if TYPE_CHECKING:
    from tree_sitter import Node as Syntax

_BARE = re.compile(r"[A-Za-z0-9_-]+")
_ESCAPE = re.compile(r"\\(?:u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|\s*\n\s*|(.))", re.DOTALL)
_DECODED = {"n": "\n", "r": "\r", "t": "\t", "b": "\b", "f": "\f"}
_FOLDED = str.maketrans({"\x7f": "\\u007f"})


class Toml(Grammar):
    """TOML; see :class:`ichnos.documents.tree.Format`."""

    name = "toml"
    suffixes = (".toml",)

    def parse(self, text: Text) -> Node:
        return _Reader(Source(text, "toml", "TOML")).document()

    def quoted(self, text: str, mark: str) -> str:
        if mark == "'" and not re.search(r"['\x00-\x08\x0a-\x1f\x7f]", text):
            return f"'{text}'"
        return encoded(text).translate(_FOLDED)

    def write_label(self, label: str, node: Node) -> str:
        if node.is_named:  # a heading: its last name stands in quotation marks
            if re.search(r"[\x00-\x1f\x7f\\]", label) or label.count('"') != (node.label or "").count('"'):
                raise Unwritable(f"{label!r} cannot stand in a heading")
            return label
        return label if _BARE.fullmatch(label) else encoded(label).translate(_FOLDED)

    def hole_as_label(self, hole: str, node: Node) -> str:
        return hole if node.is_named else f'"{hole}"'

    def gap(self, node: Node) -> str:
        return "\n\n" if node.is_named else "\n" if node.label is not None else ", "

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and (parent.kind == LISTED or node.is_named)


class _Reader:
    def __init__(self, source: Source) -> None:
        self.source = source

    def document(self) -> Node:
        source = self.source
        root = source.container(source.root, [], KEYED, None)
        around: list[tuple[tuple[str, ...], Node]] = [((), root)]
        for syntax in named_children(source.root):
            if syntax.type == "pair":
                root.children.append(self.pair(syntax, 1))
                continue
            key, *pairs = named_children(syntax)
            names = self.names(key)
            while around[-1][0] != names[: len(around[-1][0])] or len(around[-1][0]) == len(names):
                around.pop()
            above, parent = around[-1]
            node = self.table(syntax, key, names[len(above) :], [self.pair(pair, 1) for pair in pairs])
            parent.children.append(node)
            around.append((names, node))
            for _, outer in around[:-1]:
                outer.end = outer.body_end = max(outer.end, node.end)
        if root.children:
            root.start = root.body_start = root.children[0].start
            root.end = root.body_end = root.children[-1].end
        return root

    def table(self, syntax: Syntax, key: Syntax, names: tuple[str, ...], pairs: list[Node]) -> Node:
        closing = next(child for child in syntax.children if child.type in ("]", "]]"))
        start, head = self.source.start(syntax), self.source.end(closing)
        end = pairs[-1].end if pairs else head
        node = Node(KEYED, start, end, head, end, children=pairs)
        node.label = ".".join([*names[:-1], f'"{names[-1]}"'])
        pieces = key.named_children if key.type == "dotted_key" else [key]
        node.label_start, node.label_end = self.source.start(pieces[-len(names)]), self.source.end(key)
        node.is_named = True
        return node

    def names(self, key: Syntax) -> tuple[str, ...]:
        if key.type == "dotted_key":
            return tuple(name for part in named_children(key) for name in self.names(part))
        raw = self.source.raw(key)
        return (_decoded(raw) if raw[0] in "\"'" else raw,)

    def pair(self, syntax: Syntax, depth: int) -> Node:
        key, value = named_children(syntax)[:2]
        return self.source.labelled(self.value(value, depth), syntax, ".".join(self.names(key)), key)

    def value(self, syntax: Syntax, depth: int) -> Node:
        too_deep(self.source, syntax, depth)
        raw = self.source.raw(syntax)
        if syntax.type == "string":
            return self.source.value(TEXT, syntax, _decoded(raw))
        if syntax.type == "array":
            items = [self.value(item, depth + 1) for item in named_children(syntax)]
            return self.source.container(syntax, items, LISTED, FLOW)
        if syntax.type == "inline_table":
            pairs = [self.pair(pair, depth + 1) for pair in named_children(syntax)]
            return self.source.container(syntax, pairs, KEYED, FLOW)
        return self.source.value(NUMBER if syntax.type in ("integer", "float") else WORD, syntax, raw)


def _decoded(literal: str) -> str:
    for mark in ('"""', "'''", '"', "'"):
        if literal.startswith(mark) and len(literal) >= 2 * len(mark):
            body = literal[len(mark) : -len(mark)]
            body = body.removeprefix("\r\n").removeprefix("\n") if len(mark) > 1 else body
            return body if "'" in mark else _ESCAPE.sub(_letter, body)
    return literal


def _letter(match: re.Match[str]) -> str:
    short, long, sign = match.groups()
    if short or long:
        return chr(int(short or long, 16))
    return _DECODED.get(sign, sign) if sign else ""
