"""An exemplar is one file of a profile's tree, understood: where its holes are, and what repeats."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from ichnos.documents import formats
from ichnos.documents.tree import LISTED, Document, Node, Value
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.hole import Hole
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.vocabulary import (
    LANGUAGE,
    SOUND,
    TAKE,
    scope_row,
)


@dataclass(frozen=True)
class ExemplarRules:
    """How a profile says that its exemplars are to be understood.

    ``several_takes``: without it nothing repeats for takes. ``repeat`` says outright what repeats for
    a scope: by its label, or by the line (from 1) that it begins on. ``tables`` are word tables.
    ``entries`` says so of the sounds of each kind; ``kinds`` are those that stand in the document; none: all.
    ``entry_for_takes``: each take of a sound has an entry of its own. ``telling``: labels whose values without
    holes tell entries apart. ``encoding``: of real files. ``region``: what begins a comment, where only a marked
    region of the file is its own.
    """

    several_takes: bool = True
    repeat: Mapping[str, str | int] = field(default_factory=dict)
    tables: Tables = field(default_factory=Tables)
    entries: Mapping[str, str | int] = field(default_factory=dict)
    kinds: frozenset[str] = frozenset()
    entry_for_takes: bool = False
    telling: frozenset[str] = frozenset()
    encoding: str | None = None
    region: str | None = None


@dataclass(frozen=True)
class Item:
    """What repeats for each value of a list: its labels, where the value stands, what is around it and between two."""

    labels: tuple[str | None, ...]  # its own, and those of all below it
    place: Node
    before: str
    after: str
    between: str | None


@dataclass
class Exemplar:
    """A document with holes. ``units`` maps the nodes that repeat to their scope; ``file_scopes``
    are the scopes for which the whole file repeats, the outermost first."""

    path: Pattern
    document: Document
    how: ExemplarRules
    values: dict[Node, Pattern] = field(default_factory=dict)
    labels: dict[Node, Pattern] = field(default_factory=dict)
    items: dict[Node, Item] = field(default_factory=dict)  # what repeats in a node that holds a list
    parents: dict[Node, Node] = field(default_factory=dict)
    units: dict[Node, str] = field(default_factory=dict)
    together: dict[str, str] = field(default_factory=dict)  # a scope whose unit repeats for another one too
    scopes: dict[str, str] = field(default_factory=dict)  # of each hole's name
    file_scopes: tuple[str, ...] = ()
    root: str | None = None  # the folder that it says its references are below
    entry_kinds: dict[Node, str] = field(default_factory=dict)  # of units that are of one kind alone
    _named: dict[str, list[Hole]] = field(default_factory=dict, repr=False)
    _below: dict[Node, set[str]] = field(default_factory=dict, repr=False)
    _node_needs: dict[Node, frozenset[str]] = field(default_factory=dict, repr=False)
    _pieces: dict[tuple[Node, str], list[list[Node]]] = field(default_factory=dict, repr=False)
    _entry_needs: dict[tuple[Node, str], frozenset[str]] = field(default_factory=dict, repr=False)

    def parse(self, data: bytes, label: str) -> Document:
        """A real file as it is to be read. Raises IchnosError where it cannot be."""
        return formats.parse(data, label, self.document.format, self.how.encoding, region=self.how.region)

    def said_by(self, real: Node, pattern: Node) -> Value:
        """What a real node holds where the exemplar has a value: that, or a list; ``None`` where it is none like it."""
        item = self.items.get(pattern)
        if real.holds_value:
            return real.value
        if item is None:
            is_list = real.kind == LISTED and all(child.holds_value for child in real.children)
            return [child.value for child in real.children] if is_list else None
        inside = [list(child.walk()) for child in real.children]
        if any(tuple(one.label for one in nodes) != item.labels for nodes in inside):
            return None
        return [one.value for nodes in inside for one in nodes if one.holds_value]

    def names_below(self, node: Node) -> set[str]:
        """The names of all holes in ``node`` and below it."""
        if node not in self._below:
            self._below[node] = {name for inner in node.walk() for name in self.names_at(inner)}
        return self._below[node]

    def names_at(self, node: Node) -> set[str]:
        return {hole.word.name for hole in self.holes_at(node)}

    def holes_at(self, node: Node) -> Iterator[Hole]:
        for pattern in (self.values.get(node), self.labels.get(node)):
            if pattern is not None:
                yield from pattern.holes

    def holes_named(self, name: str) -> tuple[Hole, ...]:
        """Every hole of a name in the document: in alternatives they may be spelled in several ways."""
        if not self._named:
            for node in self.document.root.walk():
                for hole in self.holes_at(node):
                    self._named.setdefault(hole.word.name, []).append(hole)
        return tuple(self._named.get(name, ()))

    def in_languages(self, name: str) -> bool:
        """Does a text stand here once for each language?"""
        around = {node for node, scope in self.units.items() if LANGUAGE in (scope, self.together.get(scope))}
        inside = {inner for node in around for inner in node.walk()}
        return LANGUAGE in self.file_scopes or any(name in self.names_at(node) for node in inside)

    @cached_property
    def has_roles(self) -> bool:
        """May one entry name several sounds, each under a name of its own?"""
        places: dict[tuple[Node | None, str | None], set[str | None]] = {}
        for unit in (node for node, scope in self.units.items() if scope == SOUND):
            keys = {
                inner.label for inner in unit.walk() if any(hole.word.name == "key" for hole in self.holes_at(inner))
            }
            places.setdefault((self.parents.get(unit), unit.label), set()).update(keys)
        return any(len(labels) > 1 for labels in places.values())

    def node_needs(self, node: Node) -> frozenset[str]:
        """The names of which one must have a value, or a node is left out; none where it never is."""
        if node not in self._node_needs:
            holes = [hole for inner in node.walk() for hole in self.holes_at(inner)]
            stays = (
                not self.document.format.optional(node, self.parents.get(node))
                or any(inner in self.units for inner in node.walk())
                or any(hole.is_always_written for hole in holes)
            )
            self._node_needs[node] = frozenset() if stays else frozenset(hole.needed for hole in holes)
        return self._node_needs[node]

    def pieces(self, parent: Node, scope: str) -> list[list[Node]]:
        """The pieces of a scope's entry below ``parent``, each with the ways to write it."""
        if (parent, scope) not in self._pieces:
            found: dict[str | None, list[Node]] = {}
            for child in parent.children:
                if self.units.get(child) == scope:
                    found.setdefault(child.label, []).append(child)
            self._pieces[parent, scope] = list(found.values())
        return self._pieces[parent, scope]

    def entry_needs(self, alternatives: list[Node], scope: str) -> frozenset[str]:
        """The same of a scope's entry: with none of them it would carry only its own name."""
        first = alternatives[0]
        if (first, scope) not in self._entry_needs:
            nodes = [node for child in alternatives for node in child.walk()]
            more = [
                hole
                for node in nodes
                for hole in self.holes_at(node)
                if hole.word.name not in scope_row(scope).principal and self.scopes[hole.word.name] == scope
            ]
            stays = (
                scope == TAKE  # a take's file is all that it needs
                or any(self.units.get(node, scope) != scope for node in nodes)
                or any(hole.is_always_written for hole in more)
            )
            self._entry_needs[first, scope] = frozenset() if stays else frozenset(hole.needed for hole in more)
        return self._entry_needs[first, scope]
