"""``key = value`` lines, without or with ``[headings]`` over them; comments begin with # ; or //.

Where an exemplar has a value in quotation marks, one may stand over several lines, have a comment behind it, or lack
the marks. A colon and a blank will do for ``=``.

No standard says how such a file writes a line break. With ``escapes="backslash"`` it is ``\\n`` and
a backslash is doubled, for games that read them so; else both are refused, or stand for themselves.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, TEXT, WORD, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

_PLAIN = r"[^\r\n]*?(?=[ \t]*(?:\r?\n|\r?\Z))"
# In quotation marks with nothing but a comment behind them, or else all of the line. A line break may stand in them
# where the next line is no entry, and no heading.
_BEHIND = r"(?=[ \t]*(?:(?:\#|;|//)[^\r\n]*)?(?:\r?\n|\r?\Z))"
_QUOTED = rf"""(?:
      "(?:[^"\\\r\n]|\\[^\r\n]|\\?\r?\n(?![ \t]*(?:\[|[\w.-]+[ \t]*=)))*"{_BEHIND}
    | '(?:[^'\\\r\n]|\\[^\r\n])*'{_BEHIND}
    | {_PLAIN}
    )"""


def _line(value: str) -> re.Pattern[str]:
    return re.compile(
        rf"""^[ \t]*(?:
          (?P<comment>(?:\#|;|//)[^\r\n]*)
        | \[(?P<heading>[^\]\r\n]*)\](?P<after>[^\r\n]*)
        | (?P<label>[^=\r\n]*?)[ \t]*=[ \t]*(?P<value>{value})
        | (?P<name>[^=:\r\n]*?)[ \t]*:(?=[ \t])[ \t]*(?P<said>{value})
        | (?P<other>[^\r\n]*?)(?=[ \t]*(?:\r?\n|\r?\Z))
        )""",
        re.VERBOSE | re.MULTILINE,
    )


def _disabled(value: str) -> re.Pattern[str]:
    return re.compile(rf"(?P<label>[^=\r\n\s][^=\r\n]*?)[ \t]*=[ \t]*(?P<value>{value})", re.VERBOSE)


# By whether values stand in quotation marks.
_LINES = {False: _line(_PLAIN), True: _line(_QUOTED)}
_DISABLED = {False: _disabled(_PLAIN), True: _disabled(_QUOTED)}
_ESCAPE = re.compile(r"\\(.)")
_MARKS = ('"', "'")
_DECODED = {"n": "\n", "r": "\r", "t": "\t"}


@dataclass(frozen=True)
class Lines(Format):
    """``key = value`` lines; see :class:`ichnos.documents.tree.Format`."""

    escapes: str = "none"
    name: str = "lines"
    suffixes: tuple[str, ...] = (".txt", ".lines")
    headings: bool = False
    by_lines = True
    disabled: str | None = None
    quoted: bool = False  # may values stand in quotation marks? Else those are signs like any other

    def parse(self, text: Text) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        inside = root
        for match in _LINES[self.quoted].finditer(text.content):
            kind = match.lastgroup
            if kind == "comment" or not match[0].strip():
                self._disabled(match, inside)
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
            elif match["name"] is not None:
                self._statement(match, inside, "name", "said")
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

    def _disabled(self, comment: re.Match[str], inside: Node) -> None:
        """An entry in a comment, where this file has such."""
        if self.disabled is None or not (comment["comment"] or "").startswith(self.disabled):
            return
        start = comment.start("comment")
        match = _DISABLED[self.quoted].match(comment.string, start + len(self.disabled), comment.end("comment"))
        if match is not None:
            self._statement(match, inside)
            inside.children[-1].start, inside.children[-1].is_disabled = start, True
            inside.end = inside.body_end = max(inside.end, inside.children[-1].end)

    def _statement(self, match: re.Match[str], inside: Node, name: str = "label", said: str = "value") -> None:
        start, label_end = match.span(name)
        value_start, end = match.span(said)
        value, label = match[said], match[name]
        if self.quoted and value[:1] in _MARKS and len(value) > 1 and value[-1] == value[0]:
            value = value[1:-1]
        if self.escapes == "backslash":
            value = _ESCAPE.sub(lambda mark: _DECODED.get(mark[1], mark[1]), value)
        inside.children.append(Node(TEXT, start, end, value_start, end, value, label, start, label_end))

    def gap(self, node: Node) -> str:
        return "\n" if node.holds_value else "\n\n"

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if self.escapes == "backslash":
            content = content.replace("\\", "\\\\").replace("\n", "\\n").replace("\r", "\\r")
        mark = text[node.body_start : node.body_start + 1]
        if self.quoted and mark in _MARKS and node.body_end > node.body_start + 1 and text[node.body_end - 1] == mark:
            return self._in_marks(content, mark)
        if "\n" in content or "\r" in content:
            raise Unwritable("it has a line break, and this file has one line for each value")
        if content != content.strip():
            raise Unwritable("it has white space at its ends, which this file cannot keep")
        if self.quoted and len(content) > 1 and content[0] in _MARKS and content[-1] == content[0]:
            raise Unwritable("it stands in quotation marks, and would be read without them")
        return content

    def _in_marks(self, content: str, mark: str) -> str:
        """A value as it stands between quotation marks."""
        if self.escapes == "backslash":
            return mark + content.replace(mark, f"\\{mark}") + mark
        if mark in content or content.endswith("\\"):
            raise Unwritable(f"it has {mark} in it, or a backslash at its end, and it stands between such marks here")
        if mark != '"' and ("\n" in content or "\r" in content):
            raise Unwritable("it has a line break, and this file has one line for each value")
        return mark + content + mark

    def write_label(self, label: str, node: Node) -> str:
        forbidden = "]\r\n" if not node.holds_value else "=\r\n"
        bare = label.rstrip(" ")  # blanks behind it make a column
        if any(sign in label for sign in forbidden) or bare != label.strip() or not bare:
            raise Unwritable(f"{label!r} cannot stand on the left in this file")
        if node.holds_value and label.startswith(("#", ";", "//", "[", "\ufeff")):
            raise Unwritable(f"{label!r} would be taken for a comment, a heading or a byte-order mark")
        return label


def shows_quotes(text: str) -> bool:
    """Do values with holes stand in quotation marks?"""
    return re.search(r"""[=:][ \t]*["'][^"'\r\n]*@""", text) is not None
