"""Texts in no known format whose lines name sound files: each such line as an entry, with what differs in it."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from ichnos.documents.line_patterns import LinePatterns
from ichnos.documents.patterns import COMMENTS
from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, TEXT, Document, Node

_TOKEN = re.compile(r"\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*'|(?<=\[)[^\[\]\n,;=]*(?=\])|[\w./\\+-]+|[^\s\w]")
_BEHIND = re.compile(
    "|".join(
        rf"[ \t]+{re.escape(sign.partition(' ')[0])}.*"
        + (rf"{re.escape(sign.partition(' ')[2])}[ \t]*" if " " in sign else "")
        + "$"
        for sign in COMMENTS
    )
)
_NUMBER = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)")
_WORD = re.compile(r"[A-Za-z_]\w*")
_LONGEST = 4_000  # letters of a line that is an entry
_FEWEST = 2  # lines: of one alone nobody sees what differs


@dataclass(frozen=True)
class _Line:
    start: int
    end: int  # without a comment behind it
    tokens: tuple[tuple[str, int, int], ...]  # each with its place in the text

    @property
    def shape(self) -> tuple[str, ...]:
        """Its signs, and for each word what kind of one it is."""
        return tuple(_kind(text) for text, _, _ in self.tokens)


def _kind(token: str) -> str:
    if token[:1] in "\"'" and len(token) > 1:
        return "word"
    return token if len(token) == 1 and not token.isalnum() else "word"


def document(text: Text, names_file: Callable[[str], bool]) -> Document | None:
    """A text as a tree of the lines that name sound files; ``None`` where no two lines are alike.

    Args:
        names_file: does a word name a sound file of the pack?
    """
    lines = [line for line in _lines(text.content) if any(names_file(_decoded(token)) for token, _, _ in line.tokens)]
    if len(lines) < _FEWEST:
        return None
    groups: dict[tuple[str, ...], list[_Line]] = {}
    for line in lines:
        longer = next((shape for shape in groups if shape[: len(line.shape)] == line.shape), None)
        shorter = next((shape for shape in groups if line.shape[: len(shape)] == shape), None)
        if longer is None and shorter is not None:
            groups[line.shape] = groups.pop(shorter)
        groups.setdefault(longer or line.shape, []).append(line)
    entries = [
        node for number, alike in enumerate(groups.values(), 1) for node in _entries(text.content, alike, number)
    ]
    root = Node(KEYED, 0, len(text.content), 0, len(text.content))
    root.children = sorted(entries, key=lambda node: node.start)
    return Document(text, LinePatterns(), root)


def _lines(content: str) -> list[_Line]:
    found = []
    for match in re.finditer(r"[^\r\n]+", content):
        if match.end() - match.start() > _LONGEST:
            continue
        whole = match[0].rstrip()
        said = _BEHIND.sub("", whole).rstrip()
        start = match.start() + len(said) - len(said.lstrip())
        tokens = tuple(
            (token[0], match.start() + token.start(), match.start() + token.end())
            for token in _TOKEN.finditer(said)
            if token[0]
        )
        if tokens and not said.lstrip().startswith(tuple(sign.partition(" ")[0] for sign in COMMENTS)):
            found.append(_Line(start, match.start() + len(said), tokens))
    return found


def _entries(content: str, lines: list[_Line], number: int) -> list[Node]:
    """Lines of one shape as nodes, with a child for each word that is not the same in all."""
    width = max(len(line.tokens) for line in lines)
    columns = [[line.tokens[at][0] for line in lines if at < len(line.tokens)] for at in range(width)]
    names: dict[int, str] = {}
    for at, column in enumerate(columns):
        if _kind(column[0]) != "word":
            continue
        quoted = column[0][:1] in "\"'"
        differs = len(set(column)) > 1 or quoted or all(map(_NUMBER.fullmatch, column))
        if differs and (len(lines) > 1 or quoted):
            names[at] = _name(columns, at, set(names.values()))
    label = next((column[0] for at, column in enumerate(columns) if at not in names and _WORD.fullmatch(column[0])), "")
    nodes = []
    for line in lines:
        node = Node(KEYED, line.start, line.end, line.start, line.end, label=f"{label or 'line'} {number}")
        for at, name in names.items():
            if at < len(line.tokens):
                token, start, end = line.tokens[at]
                node.children.append(Node(TEXT, start, end, start, end, _decoded(token), name))
        nodes.append(node)
    return nodes


def _name(columns: list[list[str]], at: int, taken: set[str]) -> str:
    """What a column is called: by the fixed word before it, if there is one."""
    before = [column for column in columns[max(0, at - 3) : at] if _kind(column[0]) == "word"]
    word = before[-1] if before else []
    name = word[0] if len(set(word)) == 1 and _WORD.fullmatch(word[0]) else f"column-{at + 1}"
    return name if name not in taken else f"{name}-{at + 1}"


def _decoded(token: str) -> str:
    return token[1:-1] if token[:1] in "\"'" and token[-1:] == token[:1] and len(token) > 1 else token
