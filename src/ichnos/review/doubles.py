"""What the documents of a pack say together, with everything kept that is said twice and otherwise.

A game takes one of two entries of a key, and so does whoever reads a pack for it; who compares wants both.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import replace

from ichnos.documents.facts import difference
from ichnos.documents.tree import Value
from ichnos.games.facts import called, free_name, of_thing
from ichnos.games.profiles.vocabulary import PACK, all_entry_scopes, is_name, of_scope, scope_row
from ichnos.games.things import PackThing, SoundThing, Thing, together


def kept_apart(documents: Collection[PackThing]) -> PackThing:
    """All that documents say: where one says otherwise of a thing than another before, that has a number of its own."""
    values: dict[str, Value] = {}
    for document in documents:
        for name, value in document.values.items():
            values[free_name(name, {known for known, there in values.items() if there != value})] = value
    texts: dict[str, dict[str | None, str]] = {}
    for document in documents:
        for name, by_language in document.texts.items():
            texts[name] = {**by_language, **texts.get(name, {})}
    inside = {
        scope: tuple(_apart(scope, documents))
        if scope_row(scope).is_joined
        else tuple(thing for pack in documents for thing in pack.of(scope))
        for scope in all_entry_scopes(scope for document in documents for scope in document.inside)
    }
    return PackThing(PACK, values, inside, texts)


def _apart(scope: str, documents: Iterable[PackThing]) -> Iterable[Thing]:
    naming = next((word.name for word in of_scope(scope) if word.is_name), f"{scope}.name")
    things: dict[str, Thing] = {}
    for document in documents:
        here: set[tuple[str, Value]] = set()  # with files, in this document
        for thing in document.of(scope):
            own, number = called(thing), 1
            entry = own, thing.values.get("language")
            has_files = isinstance(thing, SoundThing) and thing.names_files
            is_new = thing.name is None or (has_files and entry in here)
            name = own
            while name in things and (is_new or _clash(things[name], thing)):
                number += 1
                name = f"{own} ({number})"
            whole = together(things[name], thing) if name in things else thing
            things[name] = replace(whole, values={**whole.values, naming: name})
            if has_files:
                here.add(entry)
    return things.values()


def _clash(first: Thing, other: Thing) -> bool:
    """Would anything that the second says be lost beside the first?"""
    for one, two in difference(of_thing(first, (), _counts), of_thing(other, (), _counts)):
        inner = (one or two).of  # type: ignore[union-attr]
        if first.of(inner[0][0]) and other.of(inner[0][0]) if inner else one is not None and two is not None:
            return True
    return False


def _counts(field: str) -> bool:
    return field == "part.name" or not is_name(field)
