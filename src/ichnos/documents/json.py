"""JSON (RFC 8259), with comments and trailing commas tolerated when reading.

Each token is taken by one match of one regular expression, white space and comments included, so
that the loop turns once per token and never once per character.
"""

from __future__ import annotations

import json
import re

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, NUMBER, TEXT, WORD, Node, Value
from ichnos.errors import IchnosError

MAX_DEPTH = 200

# White space and comments. Each turn of the loop must begin with a slash, so that a failing match
# backs out in linear time; possessive groups with alternatives are avoided, as Python 3.11.0 to
# 3.11.4 match them wrongly.
_SKIPPED = r"[ \t\r\n]*+(?:(?://[^\n]*+|/\*[^*]*+\*++(?:[^/*][^*]*+\*++)*/)[ \t\r\n]*+)*"
_TOKEN = re.compile(
    _SKIPPED
    + r"""
    (?: "(?P<string>[^"\\\x00-\x1f]*+)"
      | (?P<punctuation>[{}\[\],:])
      | (?P<number>-?(?:0|[1-9][0-9]*+)(?:\.[0-9]++)?(?:[eE][+-]?[0-9]++)?)(?![\w.+-])
      | "(?P<escaped>[^"\\\x00-\x1f]*+(?:\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4})[^"\\\x00-\x1f]*+)*)"
      | (?P<word>true|false|null)\b
      | (?P<end>\Z)
    )""",
    re.VERBOSE,
)
_BLANK = re.compile(_SKIPPED)


class Json:
    """The JSON format; see :class:`ichnos.documents.tree.Format`."""

    name: str = "JSON"
    suffixes: tuple[str, ...] = (".json",)
    empty: str | None = None

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
        return json.dumps(_plain(value), ensure_ascii=False)

    def write_label(self, label: str, node: Node) -> str:
        return json.dumps(label, ensure_ascii=False)

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == LISTED

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind == KEYED


def _plain(value: Value) -> Value:
    """Whole numbers without ``.0``, as a person would write them."""
    if isinstance(value, list):
        return [_plain(item) for item in value]  # type: ignore[misc]
    if isinstance(value, float) and value.is_integer():
        return int(value)
    return value


class _Parser:
    """Keeps the open containers on a stack of its own: no recursion, so depth costs no Python frames."""

    def __init__(self, text: Text) -> None:
        self.text = text
        self.content = text.content

    def document(self) -> Node:
        content, match = self.content, _TOKEN.match
        root: Node | None = None
        open_nodes: list[Node] = []
        top: Node | None = None
        label: tuple[str, int, int] | None = None  # a member's name: decoded, start, end
        wants = "value"  # or: "first" (value or close), "name", "first name", "colon", "next"
        position = 0
        while True:
            token = match(content, position)
            if token is None:
                raise self.unreadable(position, wants)
            group = token.lastgroup
            end = token.end()
            if group == "punctuation":
                sign = content[end - 1]
                if sign == "," and wants == "next" and top is not None:
                    wants = "name" if top.kind == KEYED else "first"
                elif sign == ":" and wants == "colon":
                    wants = "value"
                elif sign in "{[" and wants in ("value", "first"):
                    start = end - 1
                    node = Node(KEYED if sign == "{" else LISTED, start, end, start, end)
                    if label is not None:
                        node.label, node.start, node.label_end = label
                        node.label_start = node.start
                        label = None
                    if top is None:
                        root = node
                    else:
                        top.children.append(node)
                    if len(open_nodes) >= MAX_DEPTH:
                        raise self.error(f"nested more than {MAX_DEPTH} levels deep", start)
                    open_nodes.append(node)
                    top = node
                    wants = "first name" if sign == "{" else "first"
                elif (
                    sign in "}]"
                    and top is not None
                    and wants in ("next", "first", "name", "first name")
                    and (sign == "}") == (top.kind == KEYED)
                ):
                    top.end = top.body_end = end
                    open_nodes.pop()
                    top = open_nodes[-1] if open_nodes else None
                    wants = "next" if top is not None else "end"
                else:
                    raise self.unexpected(repr(sign), end - 1, wants, top)
            elif group == "end":
                if wants != "end" or root is None:
                    raise self.unexpected("the end of the file", self.skip_blank(position), wants, top)
                return root
            else:
                start = token.start(group or 0)
                value = token[group or 0]
                if group == "string" or group == "escaped":
                    start -= 1
                    if group == "escaped":
                        value = json.loads(content[start:end])
                    if wants in ("name", "first name"):
                        label = (value, start, end)
                        wants = "colon"
                        position = end
                        continue
                    kind = TEXT
                else:
                    kind = NUMBER if group == "number" else WORD
                if wants not in ("value", "first"):
                    raise self.unexpected(content[start:end], start, wants, top)
                node = Node(kind, start, end, start, end, value)
                if label is not None:
                    node.label, node.start, node.label_end = label
                    node.label_start = node.start
                    label = None
                if top is None:
                    root = node
                    wants = "end"
                else:
                    top.children.append(node)
                    wants = "next"
            position = end

    def skip_blank(self, position: int) -> int:
        blank = _BLANK.match(self.content, position)
        return blank.end() if blank else position

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def unreadable(self, position: int, wants: str) -> IchnosError:
        offset = self.skip_blank(position)
        rest = self.content[offset : offset + 20].splitlines()[0]
        if rest.startswith('"'):
            line = self.content[offset : self.content.find("\n", offset)]
            if line.count('"') == 1:
                return self.error("this quotation mark is never closed", offset, 'put a " at the end of the text')
            return self.error(
                "this text holds a character or a backslash sequence that JSON does not allow",
                offset,
                r"write a backslash as \\ and a line break as \n",
            )
        if rest.startswith("/*"):
            return self.error("this comment is never closed", offset, "put */ at its end")
        return self.error(f"{rest!r} cannot be read as JSON", offset, _EXPECTED[wants])

    def unexpected(self, found: str, offset: int, wants: str, top: Node | None) -> IchnosError:
        expected = _EXPECTED[wants]
        if wants == "next" and top is not None:
            closing = "}" if top.kind == KEYED else "]"
            line = self.text.place(top.body_start).line
            expected = f"a comma, or the {closing} that closes line {line}, should stand here"
        return self.error(f"found {found}", offset, expected)


_EXPECTED = {
    "value": "a value should stand here",
    "first": "a value or ] should stand here",
    "name": "a name in quotation marks or } should stand here",
    "first name": "a name in quotation marks or } should stand here",
    "colon": "a colon should stand here",
    "next": "a comma or a closing bracket should stand here",
    "end": "the document ends here; delete what follows",
}
