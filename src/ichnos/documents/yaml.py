"""YAML (1.2.2) as a tree over its own text: mappings and sequences in blocks and in brackets, and their scalars."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from ichnos.documents.grammars import FLOW, Grammar, ParsedText, encoded, named_children, too_deep
from ichnos.documents.tree import KEYED, LISTED, NUMBER, TEXT, WORD, Node, Unwritable

if TYPE_CHECKING:
    from tree_sitter import Node as Syntax

_PLAIN = re.compile(r"[A-Za-z_./][\w./\\-]*(?: [\w./\\-]+)*", re.ASCII)
_OTHERWISE = re.compile(r"(?i:true|false|null|yes|no|on|off|y|n|\.inf|\.nan)|\.?\d.*|~")
_ESCAPE = re.compile(r"\\(?:x([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|[ \t]*\r?\n[ \t]*|(.))", re.DOTALL)
_DECODED = {
    "n": "\n", "r": "\r", "t": "\t", "\t": "\t", "a": "\a", "b": "\b", "f": "\f", "v": "\v", "e": "\x1b", "0": "\0",
    "N": "\x85", "_": "\xa0", "L": "\u2028", "P": "\u2029",
}  # fmt: skip
_FOLDED = re.compile(r"[ \t]*\r?\n[ \t]*(?:\r?\n[ \t]*)*")
_UNPRINTABLE = re.compile(r"[\x7f-\x9f\ufeff\ufffe\uffff\u2028\u2029]")
_KINDS = {"integer_scalar": NUMBER, "float_scalar": NUMBER, "boolean_scalar": WORD, "null_scalar": WORD}


class Yaml(Grammar):
    """YAML; see :class:`ichnos.documents.tree.Format`."""

    name = "yaml"
    suffixes = (".yaml", ".yml")
    title = "YAML"
    by_indent = True

    def tree(self, parsed: ParsedText) -> Node:
        return _Reader(parsed).document()

    def quoted(self, text: str, mark: str) -> str:
        if mark == "'" and not re.search(r"[\x00-\x1f\x7f-\x9f\ufeff\ufffe\uffff\u2028\u2029]", text):
            return "'" + text.replace("'", "''") + "'"
        if mark not in ('"', "'", "", "|", ">") and _PLAIN.fullmatch(text) and not _OTHERWISE.fullmatch(text):
            return text
        return _UNPRINTABLE.sub(lambda sign: f"\\u{ord(sign[0]):04x}", encoded(text))

    def write_label(self, label: str, node: Node) -> str:
        if _PLAIN.fullmatch(label) and not _OTHERWISE.fullmatch(label):
            return label
        if "\n" in label:
            raise Unwritable(f"{label!r} cannot stand on the left in this file")
        return _UNPRINTABLE.sub(lambda sign: f"\\u{ord(sign[0]):04x}", encoded(label))

    def gap(self, node: Node) -> str:
        return "\n" if node.label is not None else ", "


class _Reader:
    def __init__(self, parsed: ParsedText) -> None:
        self.parsed = parsed

    def document(self) -> Node:
        parsed = self.parsed
        documents = [one for one in named_children(parsed.root) if one.type == "document"]
        if len(documents) > 1:
            cure = "keep one in a file"
            raise parsed.error("several documents stand in this file", parsed.start(documents[1]), cure)
        values = [one for one in named_children(documents[0]) if one.type.endswith("_node")] if documents else []
        if not values:
            return Node(KEYED, 0, 0, 0, 0)
        return self.value(values[0], 1)

    def value(self, syntax: Syntax, depth: int) -> Node:
        """A value; an anchor and a tag before it stand outside of it."""
        too_deep(self.parsed, syntax, depth)
        inner = [one for one in named_children(syntax) if one.type not in ("anchor", "tag")]
        if syntax.type in ("block_node", "flow_node"):
            if not inner:
                return self.parsed.value(WORD, syntax, self.parsed.raw(syntax))
            return self.value(inner[0], depth)
        if syntax.type in ("block_mapping", "flow_mapping"):
            pairs = [self.pair(one, depth) for one in inner]
            return self.container(syntax, pairs, KEYED)
        if syntax.type == "block_sequence":
            return self.container(syntax, [self.item(one, depth) for one in inner], LISTED)
        if syntax.type == "flow_sequence":
            items = [self.pair(one, depth) if one.type == "flow_pair" else self.value(one, depth + 1) for one in inner]
            return self.container(syntax, items, LISTED)
        return self.scalar(syntax)

    def container(self, syntax: Syntax, children: list[Node], kind: str) -> Node:
        node = self.parsed.container(syntax, children, kind, FLOW if syntax.type.startswith("flow") else None)
        if node.value is None and children:
            node.end = node.body_end = children[-1].end
        return node

    def item(self, syntax: Syntax, depth: int) -> Node:
        inner = named_children(syntax)
        if not inner:
            return self.nothing(syntax)
        node = self.value(inner[0], depth + 1)
        node.start = self.parsed.start(syntax)
        return node

    def nothing(self, syntax: Syntax) -> Node:
        """A place where no value stands."""
        start, end = self.parsed.start(syntax), self.parsed.end(syntax)
        end = start + len(self.parsed.content[start:end].rstrip())
        return Node(WORD, start, end, end, end, "")

    def pair(self, syntax: Syntax, depth: int) -> Node:
        if syntax.type not in ("block_mapping_pair", "flow_pair"):
            return self.parsed.value(WORD, syntax, self.parsed.raw(syntax))
        key, value = syntax.child_by_field_name("key"), syntax.child_by_field_name("value")
        node = self.nothing(syntax) if value is None else self.value(value, depth + 1)
        if key is None:
            return node
        label = self.value(key, depth + 1).value
        return self.parsed.labelled(node, syntax, self.parsed.raw(key) if label is None else label, key)

    def scalar(self, syntax: Syntax) -> Node:
        raw = self.parsed.raw(syntax)
        if syntax.type == "plain_scalar":
            kind = next((_KINDS[one.type] for one in syntax.children if one.type in _KINDS), TEXT)
            return self.parsed.value(kind, syntax, _FOLDED.sub(_folded, raw) if kind == TEXT else raw)
        if syntax.type == "single_quote_scalar":
            return self.parsed.value(TEXT, syntax, _FOLDED.sub(_folded, raw[1:-1]).replace("''", "'"))
        if syntax.type == "double_quote_scalar":
            inner = re.sub(r"\\[ \t]*\r?\n[ \t]*", "", raw[1:-1])
            return self.parsed.value(TEXT, syntax, _ESCAPE.sub(_letter, _FOLDED.sub(_folded, inner)))
        if syntax.type == "block_scalar":
            node = self.parsed.value(TEXT, syntax, _block(raw))
            node.end = node.body_end = node.start + len(raw.rstrip())
            return node
        return self.parsed.value(WORD, syntax, raw)


def _folded(match: re.Match[str]) -> str:
    lines = match[0].count("\n")
    return " " if lines == 1 else "\n" * (lines - 1)


def _letter(match: re.Match[str]) -> str:
    *digits, sign = match.groups()
    point = next((one for one in digits if one), None)
    return chr(int(point, 16)) if point else _DECODED.get(sign, sign) if sign else ""


def _block(literal: str) -> str:
    """What a block scalar says: its lines without their indentation."""
    head, _, body = literal.partition("\n")
    lines = body.replace("\r\n", "\n").split("\n")
    indent = min((len(line) - len(line.lstrip(" ")) for line in lines if line.strip()), default=0)
    text = "\n".join(line[indent:] for line in lines).rstrip("\n")
    if head.startswith(">"):
        text = re.sub(r"(?<!\n)\n(?![\n ])", " ", text)
        text = re.sub(r"\n(\n+)", r"\1", text)
    return text if "-" in head else f"{text}\n" if text else ""
