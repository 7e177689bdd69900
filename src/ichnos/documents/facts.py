"""Facts: which values something says, of what, and where; and how two lists of them differ.

A document as such says plain values (``facts``); what these mean to a game is said in ``games/facts.py``.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import zip_longest
from typing import Any

from ichnos.documents.tree import Document, Node, Value
from ichnos.errors import Place


@dataclass(frozen=True)
class Fact:
    """One value.

    ``of``: what it is said of, the outermost first: in a document the containers, those of a list by the first
    value in them. ``field``: what of it; empty for an item of a list. ``language``: of a text, where it is in one.
    """

    of: tuple[Any, ...]
    field: str
    language: str | None
    value: Value
    place: Place

    @property
    def identity(self) -> tuple[tuple[Any, ...], str, str | None]:
        """What makes it the same fact as another, whatever the value."""
        return self.of, self.field, self.language

    def __str__(self) -> str:
        return f"{self.field} = {self.value}" if self.field else str(self.value)


Differing = tuple[Fact | None, Fact | None]  # before and after, one of them


def difference(
    before: Iterable[Fact],
    after: Iterable[Fact],
    is_same: Callable[[Fact, Fact], bool] | None = None,
) -> Iterator[Differing]:
    """What two lists say otherwise: facts that only one of them has, and those with another value.

    What is said several times must be said as often, in any order.

    Args:
        is_same: whether two values count as one; without it, they do where they are equal.
    """
    first, second = _by_identity(before), _by_identity(after)
    for identity in {**first, **second}:
        facts, others = first.get(identity, []), second.get(identity, [])
        yield from zip_longest(*(_unlike(facts, others, is_same) if is_same else _unequal(facts, others)))


def _unequal(facts: list[Fact], others: list[Fact]) -> tuple[list[Fact], list[Fact]]:
    """What either list has more often; a stranger's document may say one thing a million times."""
    common = Counter(map(_hashable, facts)) & Counter(map(_hashable, others))
    return _without(facts, common), _without(others, common)


def _without(facts: list[Fact], common: Counter[Any]) -> list[Fact]:
    left, rest = common.copy(), []
    for fact in facts:
        value = _hashable(fact)
        if left[value]:
            left[value] -= 1
        else:
            rest.append(fact)
    return rest


def _hashable(fact: Fact) -> Any:
    return tuple(fact.value) if isinstance(fact.value, list) else fact.value


def _unlike(
    facts: list[Fact], others: list[Fact], is_same: Callable[[Fact, Fact], bool]
) -> tuple[list[Fact], list[Fact]]:
    unmatched, left = [], list(others)
    for fact in facts:
        index = next((index for index, other in enumerate(left) if is_same(fact, other)), None)
        if index is None:
            unmatched.append(fact)
        else:
            del left[index]
    return unmatched, left


def _by_identity(facts: Iterable[Fact]) -> dict[tuple[Any, ...], list[Fact]]:
    by_identity: dict[tuple[Any, ...], list[Fact]] = {}
    for fact in facts:
        by_identity.setdefault(fact.identity, []).append(fact)
    return by_identity


def facts(document: Document) -> Iterator[Fact]:
    """Every value of a document, in its order, numbers spelled alike; of containers without any, their names.

    An entry that waits in a comment says nothing yet.
    """
    yield from _below(document, document.root, ())


def _below(document: Document, node: Node, path: tuple[str, ...]) -> Iterator[Fact]:
    children = [child for child in node.children if not child.is_disabled]
    labels = Counter(child.label for child in children)
    for child in children:
        if child.holds_value:
            yield Fact(path, child.label or "", None, _spelled(child.value), document.text.place(child.start))
        elif child.children:
            alone = child.label is not None and labels[child.label] == 1
            yield from _below(document, child, (*path, str(child.label) if alone else _name(child)))
        elif child.label is not None:
            yield Fact(path, child.label, None, "", document.text.place(child.start))


def _name(node: Node) -> str:
    """What tells a container from siblings of its label: the first value in it."""
    first = next((inner for inner in node.walk() if inner.holds_value), None)
    return f"{node.label or ''}/{_spelled(first.value) if first else ''}"


def _spelled(value: str | None) -> str:
    try:
        number = float(value or "")
    except ValueError:
        return value or ""
    return f"{number:.12g}" if math.isfinite(number) else value or ""
