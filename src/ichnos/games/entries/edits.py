"""Edits: pieces of a text replaced, and what of that people are shown."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from ichnos.documents.tree import Document, Node

_ROOM = 70  # letters of an entry that are shown


@dataclass(frozen=True)
class Edit:
    """Replace ``start`` to ``end`` of a text."""

    start: int
    end: int
    text: str


@dataclass(frozen=True)
class EntryChange:
    """An edit as people read it: the line (from 1) where it begins, what stood there, what does now."""

    line: int
    old: str
    new: str


def with_edits(text: str, edits: Iterable[Edit], start: int = 0, end: int | None = None) -> str:
    """The part of a text from ``start`` to ``end`` with the edits in it."""
    pieces, position = [], start
    for edit in sorted(edits, key=lambda edit: (edit.start, edit.end)):
        pieces += [text[position : edit.start], edit.text]
        position = edit.end
    return "".join([*pieces, text[position : len(text) if end is None else end]])


def change_of(document: Document, edit: Edit) -> EntryChange:
    """What differs between an entry's old text and its new one, with the words around it."""
    line = document.text.place(edit.start).line or 1
    old, new = " ".join(document.text.content[edit.start : edit.end].split()), " ".join(edit.text.split())
    if not old:
        return EntryChange(line, "", new if len(new) <= _ROOM else f"{new[: _ROOM - 3]}...")
    same = _shared(old, new)
    start = max(0, old.rfind(" ", 0, same) + 1)
    rest = min(len(old), len(new)) - same
    tail = min(rest, _shared(old[::-1], new[::-1]))
    space = old.find(" ", len(old) - tail)
    tail = len(old) - space if space >= 0 else 0  # whole words
    begin = "" if start == 0 else old[:start] if start <= _ROOM // 2 else f"{old[: _ROOM // 2]}... "
    return EntryChange(line, begin + _cut(old[start : len(old) - tail]), begin + _cut(new[start : len(new) - tail]))


def _shared(one: str, other: str) -> int:
    """How many characters two texts have in common at their beginning."""
    pairs = enumerate(zip(one, other, strict=False))
    return next((index for index, (a, b) in pairs if a != b), min(len(one), len(other)))


def _cut(text: str) -> str:
    return text if len(text) <= _ROOM else f"{text[: _ROOM - 3]}..."


def removals(document: Document, parent: Node, nodes: list[Node]) -> Iterator[Edit]:
    """Take out some of the children of a node, neighbours together, with what separates them from the others.

    Comments between them stay.
    """
    children, text = parent.children, document.text.content
    separator = document.format.separator(parent)

    def comments(before: int) -> str:
        """What stands before a child, without the separator; nothing where that is all."""
        between = text[children[before - 1].end : children[before].start]
        start = len(between) - len(between.lstrip())
        rest = between[:start] + between[start:].removeprefix(separator)
        return rest if rest.strip() else ""

    places = sorted(children.index(node) for node in nodes)
    for _, neighbours in itertools.groupby(enumerate(places), lambda one: one[1] - one[0]):
        run = [place for _, place in neighbours]
        first, last = run[0], run[-1]
        kept = "".join(comments(place) for place in run[1:])
        has_comments = bool(kept or (first and comments(first)))
        if last + 1 < len(children) and (not first or has_comments):
            yield Edit(children[first].start, children[last + 1].start, kept + comments(last + 1))
        elif first:
            kept = comments(first) + kept
            ends_line = text[children[last].end :].lstrip(" \t").startswith(("\n", "\r"))
            yield Edit(children[first - 1].end, children[last].end, kept.rstrip() if ends_line else kept)
        else:
            yield Edit(children[first].start, children[last].end, kept)


def behind_line(document: Document, node: Node, parent: Node) -> int:
    """How far a comment behind a node's line goes, which stays with it; 0 where there is none."""
    form, separator = document.format, document.format.separator(parent)
    line = document.text.content[node.end :].partition("\n")[0].rstrip()
    if not separator:
        return len(line) if form.by_lines and parent.value is None else 0
    end = node.end + len(line)
    is_comment = line.lstrip().startswith(separator) and line.strip() != separator
    is_alone = all(child is node or not node.end <= child.start < end for child in parent.children)
    return len(line) if is_comment and is_alone and end < parent.body_end else 0
