"""JSON (RFC 8259), with comments and trailing commas tolerated when reading.

Whole tokens are taken by one match of a regular expression each, a name together with its colon and a
value together with the comma behind it, so that the loop turns once or twice for each member.
"""

from __future__ import annotations

import json
import re
from functools import lru_cache

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, NO_CHILDREN, NUMBER, TEXT, WORD, Format, Node, Numeral, Value
from ichnos.errors import IchnosError

MAX_DEPTH = 200

# White space and comments. Each turn of the loop must begin with a slash, so that a failing match
# backs out in linear time; possessive groups with alternatives are avoided, as Python 3.11.0 to
# 3.11.4 match them wrongly.
_SKIPPED = r"[ \t\r\n]*+(?:(?://[^\n]*+|/\*[^*]*+\*++(?:[^/*][^*]*+\*++)*/)[ \t\r\n]*+)*"
_STRING = r'"(?P<plain>[^"\\\x00-\x1f]*+)"'
_ESCAPED = r'"(?P<escaped>[^"\\\x00-\x1f]*+(?:\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})[^"\\\x00-\x1f]*+)*)"'
_NUMBER = r"(?P<number>-?(?:0|[1-9][0-9]*+)(?:\.[0-9]++)?(?:[eE][+-]?[0-9]++)?)(?![\w.+-])"
# A value, or what opens or closes a container; a name with its colon; what follows a value.
_VALUE = re.compile(
    rf"{_SKIPPED}(?:{_STRING}|{_NUMBER}|(?P<open>[{{\[])|(?P<word>true|false|null)\b|(?P<close>[}}\]])|{_ESCAPED})"
)
_NAME = re.compile(rf"{_SKIPPED}(?:(?:{_STRING}|{_ESCAPED}){_SKIPPED}:|(?P<close>\}}))")
_NEXT = re.compile(rf"{_SKIPPED}(?:(?P<comma>,)|(?P<close>[}}\]]))")
_KINDS = {"plain": TEXT, "escaped": TEXT, "number": NUMBER, "word": WORD}
_BLANK = re.compile(_SKIPPED)


class Json(Format):
    """The JSON format; see :class:`ichnos.documents.tree.Format`."""

    name: str = "JSON"
    suffixes: tuple[str, ...] = (".json",)
    is_bare = False
    named_once = True  # RFC 8259, section 4

    def parse(self, text: Text) -> Node:
        """Parse a whole document.

        Raises:
            IchnosError: with line and column, and what was expected there.
        """
        return _Parser(text).document()

    def separator(self, parent: Node) -> str:
        return ","

    def gap(self, node: Node) -> str:
        return ", "

    def write_value(self, value: Value, node: Node, text: str) -> str:
        if isinstance(value, Numeral) and _NUMERAL.fullmatch(value.text):
            return value.text
        encoded = _encoded(_plain(value))
        return encoded.replace("/", "\\/") if "/" in encoded and _guards_slashes(text) else encoded

    def write_label(self, label: str, node: Node) -> str:
        return _encoded(label)

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == LISTED

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == KEYED


_NUMERAL = re.compile(r"-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?")  # RFC 8259, section 6
_encoded = json.JSONEncoder(ensure_ascii=False).encode


@lru_cache(maxsize=8)
def _guards_slashes(text: str) -> bool:
    """Has a document a backslash before slashes, as some writers of JSON have?"""
    return "\\/" in text


def _plain(value: Value) -> Value:
    """Whole numbers without ``.0``, as a person would write them."""
    if isinstance(value, list):
        return [_plain(item) for item in value]  # type: ignore[misc]
    if isinstance(value, float) and value.is_integer():
        return int(value)
    return value


_Label = tuple[str, int, int]  # a name, and where it begins and ends with its quotation marks


class _Parser:
    """Keeps the open containers on a stack of its own: no recursion, so depth costs no Python frames."""

    def __init__(self, text: Text) -> None:
        self.text = text
        self.content = text.content
        self.open_nodes: list[Node] = []
        self.root: Node

    def document(self) -> Node:
        content, position = self.content, 0
        top: Node | None = None
        children: list[Node] = []  # of ``top``
        in_object = False  # is ``top`` one?
        label: _Label | None = None
        first = True  # may the container at hand still be closed without a comma before?
        while True:
            kind = ""
            if in_object:
                token = _NAME.match(content, position)
                if token is None:
                    raise self.wrong(position, "first name" if first else "name")
                kind = token.lastgroup or ""
                if kind != "close":
                    label, position = self.quoted(token, kind), token.end()
            if kind != "close":
                token = _VALUE.match(content, position)
                if token is None:
                    raise self.wrong(position, "first" if first and not in_object and top is not None else "value")
                kind = token.lastgroup or ""
                if kind in _KINDS:
                    node = self.plain(token, kind, label)
                    label, position = None, node.end
                    if top is None:
                        self.need_end(position)
                        return node
                    children.append(node)
                    if content[position : position + 1] == ",":  # as a rule it stands there at once
                        position += 1
                        first = False
                        continue
                elif kind == "open":
                    top = self.opened(token.end() - 1, label)
                    label, position, children = None, token.end(), top.children
                    in_object, first = top.kind == KEYED, True
                    continue
            if label is not None and token is not None:
                raise self.unexpected(repr(content[token.end() - 1]), token.end() - 1, "value", top)
            position = self.left(token if kind == "close" else None, position)
            if not self.open_nodes:
                self.need_end(position)
                return self.root
            top = self.open_nodes[-1]
            children, in_object, first = top.children, top.kind == KEYED, False

    def quoted(self, token: re.Match[str], group: str) -> _Label:
        """A text, and where it begins and ends with its quotation marks."""
        start, end = token.span(group)
        if group != "escaped":
            return token[group], start - 1, end + 1
        return json.loads(self.content[start - 1 : end + 1]), start - 1, end + 1

    def plain(self, token: re.Match[str], group: str, label: _Label | None) -> Node:
        """A value that holds no others."""
        kind = _KINDS[group]
        if kind is TEXT:
            value, start, end = self.quoted(token, group)
        else:
            (start, end), value = token.span(group), token[group]
        if label is None:
            return Node(kind, start, end, start, end, value, None, -1, -1, NO_CHILDREN)
        text, label_start, label_end = label
        return Node(kind, label_start, end, start, end, value, text, label_start, label_end, NO_CHILDREN)

    def opened(self, start: int, label: _Label | None) -> Node:
        """A container that begins at ``start``, put where it belongs."""
        kind = KEYED if self.content[start] == "{" else LISTED
        node = Node(kind, start, start, start, start, None, None, -1, -1, [])
        if label is not None:
            node.label, node.label_start, node.label_end = label
            node.start = node.label_start
        if len(self.open_nodes) >= MAX_DEPTH:
            raise self.error(f"nested more than {MAX_DEPTH} levels deep", start)
        if self.open_nodes:
            self.open_nodes[-1].children.append(node)
        else:
            self.root = node
        self.open_nodes.append(node)
        return node

    def left(self, token: re.Match[str] | None, position: int) -> int:
        """Close containers until a comma calls for the next entry, or nothing is open; the place behind it.

        ``token`` is a closing mark that was met already.
        """
        while True:
            top = self.open_nodes[-1] if self.open_nodes else None
            if token is None:
                token = _NEXT.match(self.content, position)
                if token is None:
                    raise self.wrong(position, "next", top)
                if token.lastgroup == "comma":
                    return token.end()
            position = token.end()
            if top is None or (self.content[position - 1] == "}") != (top.kind == KEYED):
                raise self.unexpected(repr(self.content[position - 1]), position - 1, "next" if top else "value", top)
            top.end = top.body_end = position
            self.open_nodes.pop()
            if not self.open_nodes:
                return position
            token = None

    def need_end(self, position: int) -> None:
        offset = self.skip_blank(position)
        if offset < len(self.content):
            raise self.wrong(offset, "end")

    def skip_blank(self, position: int) -> int:
        blank = _BLANK.match(self.content, position)
        return blank.end() if blank else position

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def wrong(self, position: int, wants: str, top: Node | None = None) -> IchnosError:
        """What stands at a place where something else was wanted."""
        offset = self.skip_blank(position)
        if offset >= len(self.content):
            return self.unexpected("the end of the file", offset, wants, top)
        rest = self.content[offset : offset + 20].partition("\n")[0]
        if rest.startswith("/*"):
            return self.error("this comment is never closed", offset, "put */ at its end")
        value = _VALUE.match(self.content, offset)
        if value is not None:
            is_string = value["plain"] is not None or value["escaped"] is not None
            if is_string and wants in ("name", "first name"):
                end = self.skip_blank(value.end("plain" if value["plain"] is not None else "escaped") + 1)
                return self.unexpected(self.content[end : end + 1] or "the end of the file", end, "colon", top)
            return self.unexpected(_shown(value, self.content), offset, wants, top)
        if rest[0] in ",:":
            return self.unexpected(repr(rest[0]), offset, wants, top)
        if rest[0] == '"':
            line = self.content[offset:].partition("\n")[0]
            if line.count('"') == 1:
                return self.error("this quotation mark is never closed", offset, 'put a " at the end of the text')
            return self.error(
                "this text holds a character or a backslash sequence that JSON does not allow",
                offset,
                r"write a backslash as \\ and a line break as \n",
            )
        cure = _IN_QUOTES if rest.startswith("@") else _EXPECTED[wants]
        return self.error(f"{rest!r} cannot be read as JSON", offset, cure)

    def unexpected(self, found: str, offset: int, wants: str, top: Node | None) -> IchnosError:
        expected = _EXPECTED[wants]
        if wants == "next" and top is not None:
            closing = "}" if top.kind == KEYED else "]"
            line = self.text.place(top.body_start).line
            expected = f"a comma, or the {closing} that closes line {line}, should stand here"
        return self.error(f"found {found}", offset, expected)


def _shown(value: re.Match[str], content: str) -> str:
    if value["open"] or value["close"]:
        return repr(value["open"] or value["close"])
    group = next(name for name in ("plain", "number", "word", "escaped") if value[name] is not None)
    start, end = value.span(group)
    return content[start - 1 : end + 1] if group in ("plain", "escaped") else content[start:end]


_IN_QUOTES = 'write it in quotation marks: the hole "@volume@" becomes a number without them'
_EXPECTED = {
    "value": "a value should stand here",
    "first": "a value or ] should stand here",
    "name": "a name in quotation marks or } should stand here",
    "first name": "a name in quotation marks or } should stand here",
    "colon": "a colon should stand here",
    "next": "a comma or a closing bracket should stand here",
    "end": "the document ends here; delete what follows",
}
