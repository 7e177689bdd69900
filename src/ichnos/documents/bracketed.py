"""Sections between brackets: ``[noise]``, lines ``name = value``, sections in it, ``[/noise]``.

A value stands bare to the end of its line, or in quotation marks, over several lines if need be; a mark inside is
doubled. ``#`` at the beginning of a line, or behind a blank, begins a comment. Other lines stay as they are.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, TEXT, WORD, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

MAX_DEPTH = 200
_BLANK = re.compile(r"(?:[ \t\r\n]+|#[^\r\n]*)*")
_OPENING = re.compile(r"\[(?!/)([^\[\]\r\n/]+)\]")
_CLOSING = re.compile(r"\[/([^\[\]\r\n]+)\]")
_NAME = re.compile(r"([^\s=\[\]\"#][^=\[\]\"\r\n]*?)[ \t]*=[ \t]*(?:_[ \t]*(?=\"))?")
_QUOTED = re.compile(r'"(?:[^"]|"")*"')
_COMMENT = re.compile(r"(?:^|[ \t])#")  # behind a bare value
_REST = re.compile(r"[^\r\n]*")
_BARE = re.compile(r'[^\s"#\[]([^"#\r\n]*[^\s"#])?')


@dataclass(frozen=True)
class Bracketed(Format):
    """Sections between brackets; see :class:`ichnos.documents.tree.Format`."""

    name: str = "bracketed"

    def parse(self, text: Text) -> Node:
        return _Parser(text).document()

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if not text.startswith('"', node.body_start) and (_BARE.fullmatch(content) or not content):
            return content
        return '"' + content.replace('"', '""') + '"'

    def write_label(self, label: str, node: Node) -> str:
        if not node.holds_value:
            if label != node.label:
                raise Unwritable("a section's name stands at its end, too, and is the same for all")
        elif not _NAME.fullmatch(f"{label}="):
            raise Unwritable(f"{label!r} cannot be a name before =")
        return label


class _Parser:
    def __init__(self, text: Text) -> None:
        self.text, self.content = text, text.content

    def error(self, what: str, offset: int, cure: str) -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def document(self) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        around, at = [root], 0
        while (at := self.past_blanks(at)) < len(self.content):
            if (closing := _CLOSING.match(self.content, at)) is not None:
                self.close(around, closing)
                at = closing.end()
                continue
            opening = _OPENING.match(self.content, at)
            node = self.section(opening) if opening is not None else self.statement(at)
            around[-1].children.append(node)
            at = node.end
            if opening is not None:
                around.append(node)
            if len(around) > MAX_DEPTH:
                raise self.error(f"nested more than {MAX_DEPTH} levels deep", node.start, "is it the right file?")
        if len(around) > 1:
            what = f"[{around[-1].label}] is never closed"
            raise self.error(what, around[-1].start, f"put [/{around[-1].label}] at its end")
        children = root.children
        root.start = root.body_start = children[0].start if children else len(self.content)
        root.end = root.body_end = children[-1].end if children else len(self.content)
        return root

    def past_blanks(self, at: int) -> int:
        match = _BLANK.match(self.content, at)
        return match.end() if match else at

    def close(self, around: list[Node], closing: re.Match[str]) -> None:
        section, name = around[-1], closing[1].strip().lstrip("+")
        if len(around) == 1:
            raise self.error(f"{closing[0]} closes nothing", closing.start(), "delete it, or open a section before it")
        if (section.label or "").lstrip("+") != name:
            what = f"{closing[0]} stands where [{section.label}] of line {self.text.place(section.start).line} is open"
            raise self.error(what, closing.start(), "close the sections in their order")
        section.body_end, section.end = closing.start(), closing.end()
        around.pop()

    def section(self, opening: re.Match[str]) -> Node:
        start, end = opening.span()
        node = Node(KEYED, start, end, end, end, None, opening[1])
        node.label_start, node.label_end = opening.span(1)
        return node

    def statement(self, at: int) -> Node:
        """A name and its value; any other line is a word."""
        match = _NAME.match(self.content, at)
        if match is None:
            rest = _REST.match(self.content, at)
            end = at + max(1, len(rest[0].rstrip()) if rest else 1)
            return Node(WORD, at, end, at, end, self.content[at:end])
        start = match.end()
        if self.content.startswith('"', start):
            quoted = _QUOTED.match(self.content, start)
            if quoted is None:
                raise self.error("this quotation mark is never closed", start, 'put a " at the end of the text')
            kind, end, value = TEXT, quoted.end(), quoted[0][1:-1].replace('""', '"')
        else:
            rest = _REST.match(self.content, start)
            value = _COMMENT.split(rest[0], maxsplit=1)[0].rstrip() if rest else ""
            kind, end = WORD, start + len(value)
        node = Node(kind, at, end, start, end, value, match[1])
        node.label_start, node.label_end = match.span(1)
        return node
