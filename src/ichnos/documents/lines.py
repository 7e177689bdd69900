"""``key = value`` lines, without or with ``[headings]`` over them; comments begin with # ; or //.

No standard says how such a file writes a line break. With ``escapes="backslash"`` it is ``\\n`` and
a backslash is doubled, for games that read them so; else both are refused, or stand for themselves.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, TEXT, WORD, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

_LINE = re.compile(
    r"""^[ \t]*(?:
      (?P<comment>(?:\#|;|//)[^\r\n]*)
    | \[(?P<heading>[^\]\r\n]*)\](?P<after>[^\r\n]*)
    | (?P<label>[^=\r\n]*?)[ \t]*=[ \t]*(?P<value>[^\r\n]*?)(?=[ \t]*(?:\r?\n|\r?\Z))
    | (?P<other>[^\r\n]*?)(?=[ \t]*(?:\r?\n|\r?\Z))
    )""",
    re.VERBOSE | re.MULTILINE,
)
_ESCAPE = re.compile(r"\\(.)")
_DECODED = {"n": "\n", "r": "\r", "t": "\t"}


@dataclass(frozen=True)
class Lines:
    """``key = value`` lines; see :class:`ichnos.documents.tree.Format`."""

    escapes: str = "none"
    name: str = "lines"
    suffixes: tuple[str, ...] = (".txt", ".lines")
    empty: str | None = None
    headings: bool = False

    def parse(self, text: Text) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        inside = root
        for match in _LINE.finditer(text.content):
            kind = match.lastgroup
            if kind == "comment" or not match[0].strip():
                continue
            if match["heading"] is not None:
                at = match.start("heading") - 1
                if not self.headings:
                    raise IchnosError(
                        "a [heading] cannot stand in a file of lines",
                        place=text.place(at),
                        cure='if the game reads headings here, say format = "ini" in game.toml',
                    )
                end = match.end("heading") + 1
                inside = Node(KEYED, at, end, end, end, label=match["heading"], label_start=at + 1, label_end=end - 1)
                root.children.append(inside)
            elif match["label"] is not None:
                self._statement(match, inside)
            else:
                start, end = match.span("other")
                if self.headings and match["other"].startswith("["):
                    cure = "write it in a line of its own, as [heading]"
                    raise IchnosError("this heading lacks its closing ]", place=text.place(start), cure=cure)
                inside.children.append(Node(WORD, start, end, start, end, match["other"]))
            inside.end = inside.body_end = max(inside.end, inside.children[-1].end if inside.children else inside.end)
            root.end = root.body_end = max(root.end, inside.end)
        if root.children:
            root.start = root.body_start = root.children[0].start
        return root

    def _statement(self, match: re.Match[str], inside: Node) -> None:
        start = match.start("label")
        value_start, end = match.span("value")
        value = match["value"]
        if self.escapes == "backslash":
            value = _ESCAPE.sub(lambda mark: _DECODED.get(mark[1], mark[1]), value)
        label, label_end = match["label"], match.end("label")
        inside.children.append(Node(TEXT, start, end, value_start, end, value, label, start, label_end))

    def separator(self, parent: Node) -> str:
        return ""

    def gap(self, node: Node) -> str:
        return "\n" if node.holds_value else "\n\n"

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if self.escapes == "backslash":
            content = content.replace("\\", "\\\\").replace("\n", "\\n").replace("\r", "\\r")
        if "\n" in content or "\r" in content:
            raise Unwritable("it has a line break, and this file has one line for each value")
        if content != content.strip():
            raise Unwritable("it has white space at its ends, which this file cannot keep")
        return content

    def write_label(self, label: str, node: Node) -> str:
        forbidden = "]\r\n" if not node.holds_value else "=\r\n"
        if any(sign in label for sign in forbidden) or label != label.strip() or not label:
            raise Unwritable(f"{label!r} cannot stand on the left in this file")
        if node.holds_value and label.startswith(("#", ";", "//", "[", "\ufeff")):
            raise Unwritable(f"{label!r} would be taken for a comment, a heading or a byte-order mark")
        return label

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None


class Ini(Lines):
    """Sections of ``key = value`` under ``[headings]``."""

    def __init__(self, escapes: str = "none") -> None:
        super().__init__(escapes, "ini", (".ini", ".cfg"), headings=True)
