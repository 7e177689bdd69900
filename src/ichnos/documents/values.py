"""Everything that a document says, as plain values: to see whether all of it comes back, whoever wrote it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from ichnos.documents.tree import Document, Node
from ichnos.errors import Place


@dataclass(frozen=True)
class Said:
    """One value. ``path``: what it stands in, the outermost first; things of a list by the first thing in them.

    ``label``: what it is called there; None for an item of a list. ``value``: numbers are spelled alike.
    """

    path: tuple[str, ...]
    label: str | None
    value: str
    place: Place

    @property
    def identity(self) -> tuple[tuple[str, ...], str | None, str]:
        """What makes it the same wherever it stands."""
        return self.path, self.label, self.value

    def __str__(self) -> str:
        return self.value if self.label is None else f"{self.label} = {self.value}"


def values(document: Document) -> Iterator[Said]:
    """Every value of a document, in its order; of containers without any, their names."""
    yield from _below(document, document.root, ())


def _below(document: Document, node: Node, path: tuple[str, ...]) -> Iterator[Said]:
    labels = Counter(child.label for child in node.children)
    for child in node.children:
        if child.holds_value:
            yield Said(path, child.label, _spelled(child.value), document.text.place(child.start))
        elif child.children:
            alone = child.label is not None and labels[child.label] == 1
            yield from _below(document, child, (*path, str(child.label) if alone else _name(child)))
        elif child.label is not None:
            yield Said(path, child.label, "", document.text.place(child.start))


def _name(node: Node) -> str:
    """What tells a container from siblings of its label: the first value in it."""
    first = next((one for one in node.walk() if one.holds_value), None)
    return f"{node.label or ''}/{_spelled(first.value) if first else ''}"


def _spelled(value: str | None) -> str:
    try:
        number = float(value or "")
    except ValueError:
        return value or ""
    return f"{number:.12g}" if math.isfinite(number) else value or ""


def not_again(before: Iterable[Said], after: Iterable[Said]) -> list[Said]:
    """What was said and is not said any more, in the order in which it stood there."""
    there = Counter(one.identity for one in after)
    lost = []
    for one in before:
        if there[one.identity]:
            there[one.identity] -= 1
        else:
            lost.append(one)
    return lost
