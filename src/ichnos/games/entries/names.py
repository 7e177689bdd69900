"""Entries with several names: what is said of one becomes an entry of its own, and the others keep theirs."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ichnos.documents.tree import Document, Node, Value
from ichnos.games.entries.edits import Edit, removals, with_edits
from ichnos.games.entries.found import Found
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import scope_row


def text_of(exemplar: Exemplar, document: Document, part: Found) -> str:
    """An entry's text; of one with several names, as it would be for this one alone."""
    edits = [*without_others(document, part), *_respelled(exemplar, document, part, [part.values.get(_hole(part))])]
    return with_edits(document.text.content, edits, part.node.start, part.node.end)


def without_others(document: Document, part: Found) -> Iterator[Edit]:
    """Take out of an entry what else it is called, where each name has a place of its own."""
    own = part.nodes.get(_hole(part))
    yield from _without(document, part, [node for _, node in part.names if node is not own])


def without(exemplar: Exemplar, document: Document, parts: Sequence[Found]) -> Iterator[Edit]:
    """Take some of an entry's names out of it; it keeps the others."""
    first, hole = parts[0], _hole(parts[0])
    gone = [part.values[hole] for part in parts]
    if not _is_one_text(first):
        yield from _without(document, first, [part.nodes[hole] for part in parts])
    yield from _respelled(exemplar, document, first, [value for value, _ in first.names if value not in gone])


def rewrite(exemplar: Exemplar, document: Document, parts: Sequence[tuple[Found, str]]) -> tuple[list[Edit], list[str]]:
    """Write other texts for entries; a name that shares one with others gets an entry of its own.

    Returns:
        Edits of what is there, and the texts of the entries that are to be added.
    """
    edits: list[Edit] = []
    texts: list[str] = []
    by_entry: dict[int, list[tuple[Found, str]]] = {}
    for part, text in parts:
        by_entry.setdefault(id(part.node), []).append((part, text))
    for several in by_entry.values():
        first, text = several[0]
        if len(several) >= len(first.names):  # all of its names, or its only one: the first stays there
            edits.append(Edit(first.node.start, first.node.end, text))
            texts += [text for _, text in several[1:]]
        else:
            edits += without(exemplar, document, [part for part, _ in several])
            texts += [text for _, text in several]
    return edits, texts


def roles_of(part: Found, here: Sequence[Found]) -> list[Found]:
    """Every place where a sound is named as one of several of an entry; none where it has entries of its own."""
    same = [one for one in here if one.values.get("key") == part.values.get("key")]
    beside = {id(one.node): one.alternative for one in here}
    shared = {id(one.node) for one in here if beside[id(one.node)] is not one.alternative}
    return same if any(id(one.node) in shared for one in same) else []


def _hole(part: Found) -> str:
    """The hole of an entry's own name."""
    return next((name for name in scope_row(part.scope).principal if name in part.nodes), "")


def _is_one_text(part: Found) -> bool:
    """Do all names of an entry stand in one text, joined?"""
    return len(part.names) > 1 and len({id(node) for _, node in part.names}) == 1


def _without(document: Document, part: Found, nodes: list[Node]) -> Iterator[Edit]:
    around = next((real for _, real in part.pairs if any(node in real.children for node in nodes)), None)
    yield from removals(document, around, nodes) if around is not None else ()


def _respelled(exemplar: Exemplar, document: Document, part: Found, names: list[Value]) -> Iterator[Edit]:
    """The names that an entry is to have, where they stand in one text."""
    if not _is_one_text(part):
        return
    hole = _hole(part)

    def value_of(name: str) -> Value:
        return [*map(str, names)] if name == hole else part.values.get(name)

    for pattern, real in part.pairs:
        if real is part.nodes[hole]:
            text = exemplar.values[pattern].fill(value_of)
            yield Edit(real.body_start, real.body_end, document.format.write_value(text, real, document.text.content))
