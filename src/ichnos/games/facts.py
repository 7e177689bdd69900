"""The facts of a pack: what it says of its sounds, and of what plays them. How lists of them differ: ``documents``."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping

from ichnos.documents.facts import Fact
from ichnos.documents.tree import Value
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ID_PREFIX,
    SOUND,
    all_entry_scopes,
    entry_scopes,
    free_prefix,
    inner_scopes,
    is_declared,
    key_field,
    scope_row,
    settings,
    word,
)
from ichnos.games.things import PackThing, Thing

Path = tuple[tuple[str, str], ...]  # scopes and names, from the entry of the pack inwards; none of the pack's own


def name_of(fact: Fact) -> str:
    """A fact as people call it, of the entry that it belongs to: ``take 1's volume``."""
    inner = "".join(f"{scope} {name}'s " for scope, name in fact.of[1:])
    return inner + shown(fact.field) + (f" ({fact.language})" if fact.language else "")


def shown(field: str) -> str:
    """A field as people call it: a hole's name without what it is of."""
    if field.startswith(ID_PREFIX):
        return f"id {field.removeprefix(ID_PREFIX)}"
    if is_declared(field):
        return field.rpartition(".")[2]
    prefix = next((scope for scope in entry_scopes() if field.startswith(free_prefix(scope))), None)
    if prefix is not None:
        return field if prefix == SOUND else field.removeprefix(f"{prefix}.")
    return field if field.startswith(("game.", "key.")) else field.rpartition(".")[2]


def called(thing: Thing) -> str:
    """What a thing is called where it has to be called something: its name, or what else tells it from others."""
    names = (*scope_row(thing.scope).principal, key_field(thing.scope) or "")
    return next((str(value) for name in names if (value := thing.values.get(name))), "")


def is_said(field: str) -> bool:
    """Is it a value of its own: neither worked out, nor what a thing is called?"""
    of_field = word(field)
    return of_field is not None and not of_field.is_made and not of_field.is_name


def facts(
    pack: PackThing, wanted: Callable[[str], bool] = is_said, usual: Mapping[str, Value] | None = None
) -> Iterator[Fact]:
    """All that a pack says; of two entries that are called the same, the second has a number.

    Args:
        wanted: the names of the fields that are asked for.
        usual: what counts of a sound and its takes where nothing is said.
    """
    yield from own_facts(pack, (), wanted)
    for name, thing in named(pack).items():
        yield from of_thing(thing, (name,), wanted, usual)


def named(pack: PackThing) -> dict[tuple[str, str], Thing]:
    """The entries of a pack, by their scope and what they are called; the second of a name with its number."""
    things: dict[tuple[str, str], Thing] = {}
    for scope in all_entry_scopes(pack.inside):
        of_scope: dict[str, Thing] = {}
        for thing in pack.of(scope):
            of_scope[free_name(called(thing), of_scope)] = thing
        things |= {(scope, name): thing for name, thing in of_scope.items()}
    return things


def free_name(name: str, taken: Container[str]) -> str:
    """A name that is not taken: two things of one name are told apart by their number."""
    number, free = 1, name
    while free in taken:
        number += 1
        free = f"{name} ({number})"
    return free


def of_thing(
    thing: Thing, path: Path, wanted: Callable[[str], bool] = is_said, usual: Mapping[str, Value] | None = None
) -> Iterator[Fact]:
    """What is said of a thing, and of all that lies inside it."""
    yield from own_facts(thing, path, wanted, usual or {})
    for scope in inner_scopes(thing.scope):
        for number, inner in enumerate(thing.of(scope), 1):
            yield from of_thing(inner, (*path, (scope, str(number))), wanted, usual)


def own_facts(
    thing: Thing, path: Path, wanted: Callable[[str], bool] = is_said, usual: Mapping[str, Value] | None = None
) -> Iterator[Fact]:
    """What is said of a thing itself."""
    values = dict(thing.values)
    for name in settings(thing.scope):
        if usual and name in usual and values.get(name) in (None, ""):
            values[name] = usual[name]
    for name, value in values.items():
        field = name.partition(" (")[0]  # a pack's own value that is said twice and otherwise has a number
        if value not in (None, "") and _is_of(thing, field) and wanted(field):
            yield Fact(path, name, None, value, thing.place_of(name))
    for name, texts in thing.texts.items():
        for tag, text in texts.items() if wanted(name) else ():
            if text:
                yield Fact(path, name, tag, text, thing.place_of(f"{name}.{tag}" if tag else name))


def _is_of(thing: Thing, field: str) -> bool:
    of_field = word(field)
    return of_field is not None and (
        of_field.scope == thing.scope or (thing.scope == SOUND and of_field.scope == CATEGORY)
    )
