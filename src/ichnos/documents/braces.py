"""Nested brace blocks: ``heading words { name = value; name value  name [ "a", "b" ] }``.

Many games have a dialect of their own, so the reader takes them all: with and without ``=`` and
``;``, headings of several words, lists in brackets or braces, quoted and bare words, and comments
from ``//`` or ``#`` to the end of the line or between ``/*`` and ``*/``. What is written back is the
file's own text.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, TEXT, WORD, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

MAX_DEPTH = 100

# A hole counts as part of a word, whatever characters its converters and its default have.
_TOKEN = re.compile(
    r"""(?:[ \t\r]|//[^\n]*|\#[^\n]*|/\*[^*]*\*+(?:[^/*][^*]*\*+)*/)*
    (?: (?P<newline>\n)
      | (?P<mark>[{}\[\]=;,])
      | (?P<quoted>"(?:[^"\\\n]|\\[^\n])*")
      | (?P<raw>"[^"\n]*")
      | (?P<bare>(?:@[a-z][^@\s{}"]*@|[^\s{}\[\]=;,"])+)
      | (?P<end>\Z)
    )""",
    re.VERBOSE,
)
_ESCAPE = re.compile(r'\\(["\\nt])')
_DECODED = {"n": "\n", "t": "\t"}
_WORD = r"""(?!//|/\*|\#)[^\s{}\[\]=;,"]+"""
_BARE = re.compile(rf"{_WORD}(?:[ ]{_WORD})*")
_CLOSES = {"{": "}", "[": "]"}

Token = tuple[str, int, int]  # kind (a mark is its own kind), start, end


@dataclass(frozen=True)
class Braces(Format):
    """Brace blocks; see :class:`ichnos.documents.tree.Format`.

    ``escapes`` is "backslash" where a game reads ``\\"`` and ``\\n`` in quoted text, else "none".
    """

    escapes: str = "backslash"
    name: str = "braces"

    def parse(self, text: Text) -> Node:
        return _Parser(text, self).document()

    def separator(self, parent: Node) -> str:
        return "," if parent.kind == LISTED else ""

    def gap(self, node: Node) -> str:
        return ", " if node.label is None else "\n"

    def decoded(self, literal: str) -> str:
        inner = literal[1:-1]
        if self.escapes != "backslash":
            return inner
        return _ESCAPE.sub(lambda mark: _DECODED.get(mark[1], mark[1]), inner)

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if text.startswith('"', node.body_start) and node.kind == TEXT:
            if self.escapes == "backslash":
                marks = {"\\": "\\\\", '"': '\\"', "\n": "\\n", "\t": "\\t"}
                return '"' + "".join(marks.get(sign, sign) for sign in content) + '"'
            if '"' in content or "\n" in content:
                raise Unwritable("it has a quotation mark or a line break, which this game does not read")
            return f'"{content}"'
        if not _BARE.fullmatch(content):
            raise Unwritable(f"{content!r} cannot stand without quotation marks")
        return content

    def write_label(self, label: str, node: Node) -> str:
        if label.count('"') != (node.label or "").count('"') or re.search(r"[{}\[\];\n\r\\]|//|/\*|(^|\s)\#", label):
            raise Unwritable(f"{label!r} cannot stand in a heading")
        return label

    def optional(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and parent.kind != LISTED  # in a list, the others would move up


class _Parser:
    def __init__(self, text: Text, braces: Braces) -> None:
        self.text = text
        self.content = text.content
        self.braces = braces
        self.tokens = self._tokens()
        self.with_statements: set[int] = set()  # the opening marks that have a statement right inside
        self.with_commas: set[int] = set()
        self._look_inside()
        self.at = 0

    def error(self, what: str, offset: int, cure: str = "") -> IchnosError:
        return IchnosError(what, place=self.text.place(offset), cure=cure)

    def _tokens(self) -> list[Token]:
        tokens: list[Token] = []
        position = 0
        escapes = self.braces.escapes == "backslash"
        while True:
            match = _TOKEN.match(self.content, position)
            if match is None:
                raise self._unreadable(position)
            kind = match.lastgroup or ""
            start, position = match.span(kind)
            if kind == "quoted" and not escapes:  # a backslash does not guard the mark after it
                position = self.content.index('"', start + 1) + 1
            word = kind in ("quoted", "raw")
            tokens.append((self.content[start] if kind == "mark" else "quoted" if word else kind, start, position))
            if kind == "end":
                return tokens

    def _look_inside(self) -> None:
        """What stands right inside each brace and bracket; once for all of them, so that it takes linear time."""
        around: list[int] = []
        for number, (kind, _, _) in enumerate(self.tokens):
            if kind in _CLOSES:
                around.append(number)
            elif around:
                if kind in ("}", "]"):
                    around.pop()
                elif kind in ("=", ";"):
                    self.with_statements.add(around[-1])
                elif kind == ",":
                    self.with_commas.add(around[-1])

    def _unreadable(self, position: int) -> IchnosError:
        comment = self.content.find("/*", position)
        quote = self.content.find('"', position)
        if quote >= 0 and (comment < 0 or quote < comment):
            return self.error("this quotation mark is never closed", quote, 'put a " at the end of the text')
        return self.error("this comment is never closed", max(comment, position), "put */ at its end")

    def kind(self) -> str:
        return self.tokens[self.at][0]

    def skip(self, *kinds: str) -> None:
        while self.kind() in kinds:
            self.at += 1

    def document(self) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        self.body(root, "end", 0)
        if root.children:
            root.start = root.body_start = root.children[0].start
            root.end = root.body_end = root.children[-1].end
        return root

    def body(self, container: Node, closing: str, depth: int) -> None:
        """The entries up to the closing mark, which is taken."""
        while True:
            self.skip("newline", ";", ",")
            kind, start, _ = self.tokens[self.at]
            if kind == closing:
                self.at += 1
                return
            if kind in ("end", "}", "]"):
                raise self.unclosed(container, kind, start)
            container.children.append(self.entry(depth))

    def unclosed(self, container: Node, kind: str, start: int) -> IchnosError:
        if container.body_end == 0 and not container.label:
            return self.error(f"{self.content[start]} closes nothing", start, "delete it, or open a block before it")
        line = self.text.place(container.body_start).line
        instead = "the file ends" if kind == "end" else f"found {kind}"
        return self.error(f"{instead}, but the block of line {line} is not closed", start, "close it first")

    def entry(self, depth: int) -> Node:
        first = self.at
        while self.kind() in ("bare", "quoted"):
            self.at += 1
        if self.at > first and self.is_array():
            self.at += 2 if self.tokens[self.at + 1][0] == "]" else 3
        words = self.tokens[first : self.at]
        after_words = self.at
        if self.kind() == "=":
            if not words:
                raise self.error("there is no name before this =", self.tokens[self.at][1], "name = value")
            self.at += 1
            self.skip("newline")
            if self.kind() in _CLOSES:
                return self.container(words, depth, given=True)
            return self.statement(words, self.words(), words[0][1])
        self.skip("newline")
        if self.kind() in _CLOSES and (words or (self.kind() in _CLOSES and after_words == first)):
            return self.container(words, depth, given=False)
        self.at = after_words
        if not words:
            raise self.error(
                f"found {self.content[self.tokens[first][1]]!r}", self.tokens[first][1], "a name should stand here"
            )
        return self.statement(words[:1] if len(words) > 1 else [], words[1:] or words, words[0][1])

    def is_array(self) -> bool:
        """Do brackets stand behind a name that is given a value, as where a language declares an array?"""
        kinds = [kind for kind, _, _ in self.tokens[self.at : self.at + 4]]
        return kinds[:3] == ["[", "]", "="] or kinds == ["[", "bare", "]", "="]

    def words(self) -> list[Token]:
        first = self.at
        while self.kind() in ("bare", "quoted"):
            self.at += 1
        if first == self.at:
            raise self.error("there is no value after this =", self.tokens[first - 1][1], "name = value")
        return self.tokens[first : self.at]

    def statement(self, label: list[Token], value: list[Token], start: int) -> Node:
        node = self.scalar(value)
        node.start = start
        if label:
            self.name(node, label)
        if self.kind() == ";":
            node.end = self.tokens[self.at][2]
            self.at += 1
        return node

    def scalar(self, words: list[Token]) -> Node:
        start, end = words[0][1], words[-1][2]
        if len(words) == 1 and words[0][0] == "quoted":
            return Node(TEXT, start, end, start, end, self.braces.decoded(self.content[start:end]))
        return Node(WORD, start, end, start, end, self.content[start:end])

    def name(self, node: Node, words: list[Token]) -> None:
        node.start = node.label_start = words[0][1]
        node.label_end = words[-1][2]
        node.label = " ".join(self.content[node.label_start : node.label_end].split())

    def container(self, words: list[Token], depth: int, *, given: bool) -> Node:
        mark, start, end = self.tokens[self.at]
        if depth >= MAX_DEPTH:
            raise self.error(f"nested more than {MAX_DEPTH} levels deep", start)
        listed = mark == "[" or self.is_list(given)
        node = Node(LISTED if listed else KEYED, start, end, start, end)
        if words:
            self.name(node, words)
        self.at += 1
        if listed:
            self.items(node, _CLOSES[mark], depth + 1)
        else:
            self.body(node, _CLOSES[mark], depth + 1)
        node.end = node.body_end = self.tokens[self.at - 1][2]
        if self.kind() == ";":
            node.end = self.tokens[self.at][2]
            self.at += 1
        return node

    def is_list(self, given: bool) -> bool:
        """Is this brace a list of values? With = before it, or commas in it, and no statement inside."""
        return self.at not in self.with_statements and (given or self.at in self.with_commas)

    def items(self, node: Node, closing: str, depth: int) -> None:
        while True:
            self.skip("newline", ",", ";")
            kind, start, _ = self.tokens[self.at]
            if kind == closing:
                self.at += 1
                return
            if kind in _CLOSES:
                node.children.append(self.container([], depth, given=True))
            elif kind in ("bare", "quoted"):
                node.children.append(self.scalar([self.tokens[self.at]]))
                self.at += 1
            else:
                raise (
                    self.unclosed(node, kind, start)
                    if kind in ("end", "}", "]")
                    else self.error("an = cannot stand in a list", start, "close the list before it")
                )
