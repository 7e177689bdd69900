"""TOML 1.0: a file of our own with the place of each field, and a game's as a tree over its own text.

Of our own the standard library reads the values, and this finds where they stand.
"""

from __future__ import annotations

import re
import tomllib
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ichnos.documents.grammars import FLOW, Grammar, ParsedText, encoded, named_children, too_deep
from ichnos.documents.text import Text, from_bytes
from ichnos.documents.tree import KEYED, LISTED, NUMBER, TEXT, WORD, Node, Unwritable
from ichnos.errors import IchnosError, Place
from ichnos.files.paths import SPELL_PATHS

if TYPE_CHECKING:
    from tree_sitter import Node as Syntax

Path = tuple[str | int, ...]

_TOKEN = re.compile(
    r"""[ \t\r]*(?:
      (?P<comment>\#[^\n]*)
    | (?P<string>\"{3}.*?\"{3}\"{0,2}|'{3}.*?'{3}'{0,2}|\"(?:[^"\\\n]|\\.)*\"|'[^'\n]*')
    | (?P<newline>\n)
    | (?P<mark>[\[\]{},=.])
    | (?P<bare>[A-Za-z0-9_+:-]+)
    )""",
    re.VERBOSE | re.DOTALL,
)
_DEEPEST, _DIGITS = 64, 100
_AT = re.compile(r" \(at (?:line (\d+), column (\d+)|end of document)\)$")


class TomlFile:
    """A TOML file's values, and the place of each.

    Raises:
        IchnosError: the bytes are no TOML, with line and column.
    """

    def __init__(self, data: bytes, path: str) -> None:
        self.text: Text = from_bytes(data, path)
        _refuse_excess(self.text)
        try:
            self.values: dict[str, Any] = tomllib.loads(self.text.content)
        except tomllib.TOMLDecodeError as error:
            raise _readable(error, self.text) from None
        except ValueError as error:  # a date that no calendar has
            raise IchnosError(f"a value here is not one: {error}", place=Place(path), cure="correct it") from None

    @cached_property
    def _starts(self) -> dict[Path, int]:
        """Where each field begins; looked for when it is first asked."""
        starts: dict[Path, int] = {}
        _Places(self.text.content, starts).document()
        return starts

    def place(self, *path: str | int) -> Place:
        """Where the field at ``path`` stands, or the nearest thing around it."""
        while path:
            if path in self._starts:
                return self.text.place(self._starts[path])
            path = path[:-1]
        return Place(self.text.path)


def _refuse_excess(text: Text) -> None:
    """Refuse what no person writes and a parser chokes on. Raises IchnosError with line and column."""
    depth = names = 0
    for token in _TOKEN.finditer(text.content):
        word = token[0].strip()
        if token.lastgroup == "mark":
            depth = max(0, depth + (word in "[{") - (word in "]}"))
            names = names + 1 if word == "." else 0
        elif token.lastgroup == "newline":
            names = 0
        long_number = token.lastgroup == "bare" and len(word) > _DIGITS and word.strip("+-_0123456789") == ""
        if depth > _DEEPEST or names > _DEEPEST or long_number:
            what = f"a number of more than {_DIGITS} digits" if long_number else f"more than {_DEEPEST} levels"
            raise IchnosError(
                f"no list, table or number is like this: {what}", place=text.place(token.start()), cure="shorten it"
            )


def _readable(error: tomllib.TOMLDecodeError, text: Text) -> IchnosError:
    message = str(error)
    at = _AT.search(message)
    if at and at[1]:
        place = Place(text.path, int(at[1]), int(at[2]))
    else:
        place = text.place(len(text.content.rstrip()))
    what = _AT.sub("", message)
    line = text.content.split("\n")[place.line - 1].strip() if place.line and text.content.strip() else ""
    return IchnosError(
        f"{what[:1].lower()}{what[1:]}" + (f", in: {line}" if line else ""),
        place=place,
        cure=_cure(what, line),
    )


def _cure(what: str, line: str) -> str:
    if comma := re.search(r"=\s*(-?\d+),(\d+)\s*(?:#.*)?$", line):
        return f"a number has a decimal point: {comma[1]}.{comma[2]}"
    if re.search(r"\\|hex value|escape", what) and "\\" in line:
        return SPELL_PATHS
    return 'a line is written: name = "text in quotation marks", or = 1.5, or = true, or = ["a", "list"]'


class _Places:
    """Walks valid TOML once and notes where the name of each table, field and item begins."""

    def __init__(self, content: str, starts: dict[Path, int]) -> None:
        self.starts = starts
        self.tokens = [
            (token.lastgroup or "", token[token.lastgroup or 0], token.start(token.lastgroup or 0))
            for token in _TOKEN.finditer(content)
            if token.lastgroup != "comment"
        ]
        self.tokens.append(("end", "", len(content)))
        self.next = 0
        self.counts: dict[Path, int] = {}

    def peek(self) -> str:
        kind, word, _ = self.tokens[self.next]
        return word if kind == "mark" else kind

    def skip_newlines(self) -> None:
        while self.peek() == "newline":
            self.next += 1

    def document(self) -> None:
        table: Path = ()
        while True:
            self.skip_newlines()
            if self.peek() == "end":
                return
            if self.peek() == "[":
                start = self.tokens[self.next][2]
                several = self.tokens[self.next + 1][1] == "[" and self.tokens[self.next + 1][2] == start + 1
                self.next += 2 if several else 1
                table = self.resolve(self.name(), several)
                self.starts[table] = start
                self.next += 2 if several else 1
            else:
                self.field(table)

    def resolve(self, names: Path, several: bool) -> Path:
        """A heading's path with the index of the table meant, where an array of tables is on the way."""
        path: Path = ()
        for position, name in enumerate(names):
            path += (name,)
            if several and position == len(names) - 1:
                self.counts[path] = self.counts.get(path, -1) + 1
            if path in self.counts:
                path += (self.counts[path],)
        return path

    def name(self) -> Path:
        names: Path = ()
        while True:
            kind, word, _ = self.tokens[self.next]
            self.next += 1
            if kind == "string":
                word = tomllib.loads(f"text = {word}")["text"]
            names += tuple(word.split(".")) if kind == "bare" else (word,)
            if self.peek() != ".":
                return names
            self.next += 1

    def field(self, table: Path) -> None:
        start = self.tokens[self.next][2]
        names = self.name()
        for length in range(1, len(names) + 1):
            self.starts.setdefault(table + names[:length], start)
        self.next += 1  # the equals sign
        self.value(table + names)

    def value(self, path: Path) -> None:
        opening = self.peek()
        if opening not in ("[", "{"):
            # A number or a date may be several tokens (1.5): all up to the next mark that ends it.
            while self.peek() not in ("newline", "end", ",", "]", "}"):
                self.next += 1
            return
        closing = "]" if opening == "[" else "}"
        self.next += 1
        index = 0
        while True:
            self.skip_newlines()
            if self.peek() == closing:
                self.next += 1
                return
            if self.peek() == ",":
                self.next += 1
            elif opening == "[":
                self.starts[(*path, index)] = self.tokens[self.next][2]
                self.value((*path, index))
                index += 1
            else:
                self.field(path)


_BARE = re.compile(r"[A-Za-z0-9_-]+")
_ESCAPE = re.compile(r"\\(?:u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|\s*\n\s*|(.))", re.DOTALL)
_DECODED = {"n": "\n", "r": "\r", "t": "\t", "b": "\b", "f": "\f"}
_FOLDED = str.maketrans({"\x7f": "\\u007f"})


class Toml(Grammar):
    """TOML; see :class:`ichnos.documents.tree.Format`.

    A table under a heading lies in the one whose heading it goes on.
    """

    name = "toml"
    suffixes = (".toml",)
    title = "TOML"
    hole_sign = "1"

    def tree(self, parsed: ParsedText) -> Node:
        return _Reader(parsed).document()

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
    def __init__(self, parsed: ParsedText) -> None:
        self.parsed = parsed

    def document(self) -> Node:
        parsed = self.parsed
        root = parsed.container(parsed.root, [], KEYED, None)
        around: list[tuple[tuple[str, ...], Node]] = [((), root)]
        for syntax in named_children(parsed.root):
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
        start, head = self.parsed.start(syntax), self.parsed.end(closing)
        end = pairs[-1].end if pairs else head
        node = Node(KEYED, start, end, head, end, children=pairs)
        node.label = ".".join([*names[:-1], f'"{names[-1]}"'])
        pieces = key.named_children if key.type == "dotted_key" else [key]
        node.label_start, node.label_end = self.parsed.start(pieces[-len(names)]), self.parsed.end(key)
        node.is_named = True
        return node

    def names(self, key: Syntax) -> tuple[str, ...]:
        if key.type == "dotted_key":
            return tuple(name for part in named_children(key) for name in self.names(part))
        raw = self.parsed.raw(key)
        return (_decoded(raw) if raw[0] in "\"'" else raw,)

    def pair(self, syntax: Syntax, depth: int) -> Node:
        key, value = named_children(syntax)[:2]
        return self.parsed.labelled(self.value(value, depth), syntax, ".".join(self.names(key)), key)

    def value(self, syntax: Syntax, depth: int) -> Node:
        too_deep(self.parsed, syntax, depth)
        raw = self.parsed.raw(syntax)
        if syntax.type == "string":
            return self.parsed.value(TEXT, syntax, _decoded(raw))
        if syntax.type == "array":
            items = [self.value(item, depth + 1) for item in named_children(syntax)]
            return self.parsed.container(syntax, items, LISTED, FLOW)
        if syntax.type == "inline_table":
            pairs = [self.pair(pair, depth + 1) for pair in named_children(syntax)]
            return self.parsed.container(syntax, pairs, KEYED, FLOW)
        return self.parsed.value(NUMBER if syntax.type in ("integer", "float") else WORD, syntax, raw)


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
