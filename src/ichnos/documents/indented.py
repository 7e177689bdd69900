"""Blocks by indentation: a line's first word is its name, what stands deeper below it lies in it.

::

    noise "weir low"
        file weir.wav
        range 2 40      # two values: a list

Words stand bare, or in quotation marks of three kinds; ``#`` before a word begins a comment. A line with others below
it is called by all its words, each but the first in quotation marks, whether the file has them or not.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import zip_longest

from ichnos.documents.text import Text
from ichnos.documents.tree import ATTRIBUTE, KEYED, LISTED, TEXT, WORD, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

MAX_DEPTH = 200
_QUOTES = "\"`'"
_LINE = re.compile(r"[^\r\n]*")
_QUOTED = r'"[^"\r\n]*"(?=\s|$)|`[^`\r\n]*`(?=\s|$)|\'[^\'\r\n]*\'(?=\s|$)'
_WORD = re.compile(rf"{_QUOTED}|\S+")
_WORD_WITH_HOLES = re.compile(rf"{_QUOTED}|(?:@[a-z][^@\r\n]*@|\S)+")
_BARE = re.compile(r"[^\s\"`'#][^\s\"`']*")
_HEADING = re.compile(r"\S+(?: \"[^\"\r\n]*\")*|\"[^\"\r\n]*\"(?: \"[^\"\r\n]*\")*")
_IN_MARKS = re.compile(r' "([^"]*)"')


@dataclass(frozen=True)
class Indented(Format):
    """Blocks by indentation; see :class:`ichnos.documents.tree.Format`."""

    name: str = "indented"
    by_indent = True
    by_lines = True

    def parse(self, text: Text) -> Node:
        return _Parser(text, _WORD).document()

    def parse_with_holes(self, text: Text) -> Node:
        return _Parser(text, _WORD_WITH_HOLES).document()

    def is_indented(self, parent: Node) -> bool:
        return parent.kind == KEYED

    def gap(self, node: Node) -> str:
        return " " if node.kind == ATTRIBUTE else "\n"

    def joint(self, node: Node) -> str | None:
        return " " if node.kind == ATTRIBUTE else None

    def write_value(self, value: Value, node: Node, text: str) -> str:
        return _written(spelled(value), text[node.body_start : node.body_start + 1])

    def write_label(self, label: str, node: Node) -> str:
        if node.kind != KEYED:
            return _written(label, "" if node.is_named else '"')
        if not _HEADING.fullmatch(label):
            raise Unwritable(f"{label!r} cannot stand in a line of names")
        is_bare = node.is_named and all(map(_BARE.fullmatch, _IN_MARKS.findall(label)))
        return _IN_MARKS.sub(r" \1", label) if is_bare else label

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind != LISTED  # the others would move up


def _written(content: str, mark: str) -> str:
    """A word, in such marks as stand there, or in others where it has those."""
    if "\n" in content or "\r" in content:
        raise Unwritable("it has a line break, and an entry here is one line")
    if mark not in _QUOTES or not mark:
        if _BARE.fullmatch(content):
            return content
        mark = '"'
    wanted = next((one for one in (mark, '"', "`") if one not in content), None)
    if wanted is None:
        raise Unwritable("it has quotation marks of every kind in it")
    return f"{wanted}{content}{wanted}"


@dataclass(frozen=True)
class _Word:
    start: int
    end: int
    text: str  # without quotation marks
    is_quoted: bool


@dataclass(frozen=True)
class _Line:
    indent: int
    words: list[_Word]


class _Parser:
    def __init__(self, text: Text, word: re.Pattern[str]) -> None:
        self.text, self.content, self.word = text, text.content, word
        self.lines = list(self._lines())

    def _lines(self) -> Iterator[_Line]:
        for match in _LINE.finditer(self.content):
            words = list(self._words(match.start(), match.end()))
            if words:
                yield _Line(words[0].start - match.start(), words)

    def _words(self, start: int, end: int) -> Iterator[_Word]:
        while (match := self.word.search(self.content, start, end)) is not None:
            literal, mark = match[0], match[0][0]
            if mark == "#":
                return
            is_quoted = mark in _QUOTES and len(literal) > 1 and literal[-1] == mark and mark not in literal[1:-1]
            if mark in '"`' and not is_quoted:
                what, cure = "this quotation mark is never closed", f"put a {mark} at the end of the text"
                raise IchnosError(what, place=self.text.place(match.start()), cure=cure)
            yield _Word(match.start(), match.end(), literal[1:-1] if is_quoted else literal, is_quoted)
            start = match.end()

    def document(self) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        around: list[tuple[int, Node]] = [(-1, root)]
        for line, following in zip_longest(self.lines, self.lines[1:]):
            while around[-1][0] >= line.indent:
                around.pop()
            is_block = following is not None and following.indent > line.indent
            node = self.block(line.words) if is_block else self.leaf(line.words)
            around[-1][1].children.append(node)
            if is_block:
                around.append((line.indent, node))
                if len(around) > MAX_DEPTH:
                    what = f"nested more than {MAX_DEPTH} levels deep"
                    raise IchnosError(what, place=self.text.place(node.start), cure="is it the right file?")
            for _, outer in around:
                outer.end = outer.body_end = max(outer.end, node.end)
        root.start = root.body_start = root.children[0].start if root.children else len(self.content)
        root.end = root.body_end = max(root.start, root.end)
        return root

    def block(self, words: list[_Word]) -> Node:
        """A line with others below it."""
        start, end = words[0].start, words[-1].end
        first = words[0].text if _BARE.fullmatch(words[0].text) else f'"{words[0].text}"'
        label = " ".join([first, *(f'"{word.text}"' for word in words[1:])])
        is_bare = not any(word.is_quoted for word in words[1:])
        return Node(KEYED, start, end, end, end, None, label, start, end, is_named=is_bare)

    def leaf(self, words: list[_Word]) -> Node:
        """A line with a name and a value, or several; or with one word alone."""
        if len(words) == 1:
            return self.scalar(words[0])
        node = self.scalar(words[1]) if len(words) == 2 else self.list_of(words[1:])
        node.start = node.label_start = words[0].start
        node.label, node.label_end, node.is_named = words[0].text, words[0].end, not words[0].is_quoted
        return node

    def scalar(self, word: _Word) -> Node:
        kind = TEXT if word.is_quoted else WORD
        return Node(kind, word.start, word.end, word.start, word.end, word.text)

    def list_of(self, words: list[_Word]) -> Node:
        items = [Node(ATTRIBUTE, word.start, word.end, word.start, word.end, word.text) for word in words]
        start, end = words[0].start, words[-1].end
        return Node(LISTED, start, end, start, end, children=items)
