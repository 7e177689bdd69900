"""An exemplar is one file of a profile's tree, understood: where its holes are, and what repeats.

The unit repeated for a scope is the smallest repeatable node around all of that scope's holes.
Two siblings alike that both hold the scope's principal hole are alternatives: two ways to write it.
A hole in the path makes the file itself the unit.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ichnos.documents.tree import Document, Node, Value
from ichnos.games.holes import HoleError, Pattern, parse
from ichnos.games.vocabulary import CATEGORY, INSIDE, LANGUAGE, PACK, PRINCIPAL, SOUND, TAKE

# Scopes whose unit may stand around the sounds or inside each sound, whichever the holes show.
_AROUND_OR_INSIDE = (LANGUAGE, CATEGORY)


@dataclass
class Exemplar:
    """A document with holes. ``units`` maps the nodes that repeat to their scope; ``file_scopes``
    are the scopes for which the whole file repeats, the outermost first."""

    path: Pattern
    document: Document
    values: dict[Node, Pattern] = field(default_factory=dict)
    labels: dict[Node, Pattern] = field(default_factory=dict)
    parents: dict[Node, Node] = field(default_factory=dict)
    units: dict[Node, str] = field(default_factory=dict)
    scopes: dict[str, str] = field(default_factory=dict)  # of each hole's name
    file_scopes: tuple[str, ...] = ()
    _below: dict[Node, set[str]] = field(default_factory=dict, repr=False)

    def names_below(self, node: Node) -> set[str]:
        """The names of all holes in ``node`` and below it."""
        if node not in self._below:
            self._below[node] = {name for below in node.walk() for name in self.names_at(below)}
        return self._below[node]

    def names_at(self, node: Node) -> set[str]:
        return {
            hole.word.name
            for pattern in (self.values.get(node), self.labels.get(node))
            if pattern is not None
            for hole in pattern.holes
        }

    def matches_label(self, node: Node, label: str | None) -> dict[str, Value] | None:
        """The holes of this node's label as read from ``label``, or ``None`` where it is another's."""
        pattern = self.labels.get(node)
        if pattern is None:
            return {} if node.label == label else None
        return pattern.match(label)


def understand(path: Pattern, document: Document, one_take: bool = False) -> Exemplar:
    """Find an exemplar's holes and units.

    Args:
        one_take: the game has one file for each key, so nothing repeats for takes.

    Raises:
        IchnosError: with the place, where a hole is wrong or nothing around it can be repeated.
    """
    exemplar = Exemplar(path, document)
    _find_holes(exemplar)
    in_path = {hole.word.scope for hole in path.holes} - {PACK}
    exemplar.file_scopes = tuple(scope for scope in (LANGUAGE, CATEGORY, SOUND) if scope in in_path)
    bound = frozenset({PACK, *exemplar.file_scopes, *([TAKE] if one_take else [])})
    _Units(exemplar).find(document.root, bound)
    return exemplar


def _find_holes(exemplar: Exemplar) -> None:
    document = exemplar.document
    for node in document.root.walk():
        for child in node.children:
            exemplar.parents[child] = node
        for patterns, text, start in (
            (exemplar.values, node.value, node.body_start),
            (exemplar.labels, node.label, node.start),
        ):
            if text is None or "@" not in text:
                continue
            try:
                pattern = parse(text)
            except HoleError as error:
                raise document.error(error.what, start, error.cure) from None
            patterns[node] = pattern
            exemplar.scopes.update((hole.word.name, hole.word.scope) for hole in pattern.holes)


class _Units:
    def __init__(self, exemplar: Exemplar) -> None:
        self.exemplar = exemplar
        self.document = exemplar.document

    def find(self, region: Node, bound: frozenset[str]) -> None:
        """Set the units of the scopes that are still open in ``region``, the outermost first."""
        holders = self.holders(region)
        still_open = [scope for scope in INSIDE if scope in holders and scope not in bound]
        if SOUND in bound and CATEGORY in still_open:
            still_open.remove(CATEGORY)  # inside a sound's own unit it is a plain field
        if SOUND in still_open:
            inside = self.within(SOUND, holders, region)
            around = [
                scope for scope in _AROUND_OR_INSIDE if scope in still_open and not inside.issuperset(holders[scope])
            ]
            still_open = around[:1] or [SOUND]
        for scope in still_open:
            units = self.units(scope, holders, region)
            for unit in units:
                self.exemplar.units[unit] = scope
                self.find(unit, bound | {scope})
            self.refuse_outside(scope, units, holders, bound)

    def within(self, scope: str, holders: dict[str, list[Node]], region: Node) -> set[Node]:
        return {node for unit in self.units(scope, holders, region) for node in unit.walk()}

    def refuse_outside(
        self, scope: str, units: list[Node], holders: dict[str, list[Node]], bound: frozenset[str]
    ) -> None:
        inside = {node for unit in units for node in unit.walk()}
        for other in _with_inner(scope):
            outside = [node for node in holders.get(other, ()) if node not in inside]
            if outside and other not in bound:
                raise self.document.error(
                    f"this hole stands outside what is repeated for each {scope}",
                    outside[0].start,
                    f"put all holes of one {scope} into one entry",
                )

    def holders(self, region: Node) -> dict[str, list[Node]]:
        """The nodes with holes of each scope. Titles are a language's too, where languages repeat."""
        found: dict[str, list[Node]] = {}
        for node in region.walk():
            for name in self.exemplar.names_at(node):
                found.setdefault(self.exemplar.scopes[name], []).append(node)
        if LANGUAGE in found:
            found[LANGUAGE] += [node for node in found.get(SOUND, ()) if "title" in self.exemplar.names_at(node)]
        return found

    def units(self, scope: str, holders: dict[str, list[Node]], region: Node) -> list[Node]:
        """The node to repeat for a scope, or its alternatives."""
        lowest = self.common([node for inner in _with_inner(scope) for node in holders.get(inner, ())])
        alternatives = [
            child
            for child in lowest.children
            if self.repeatable(child) and PRINCIPAL[scope] in self.exemplar.names_below(child)
        ]
        if len(alternatives) > 1 and len({child.label for child in alternatives}) == 1:
            return alternatives
        node: Node | None = lowest
        while node is not None and (node in self.exemplar.units or not self.repeatable(node)):
            node = None if node is region else self.exemplar.parents.get(node)
        if node is None:
            raise self.document.error(
                f"nothing around the holes of one {scope} can be repeated for the next",
                lowest.start,
                "put it into a list, or say several = false under [takes] in game.toml"
                if scope == TAKE
                else f"put it into a list, or put a hole such as @{PRINCIPAL[scope]}@ into the file's name",
            )
        return [node]

    def lineage(self, node: Node | None) -> list[Node]:
        """The node and all around it, the innermost first."""
        found = []
        while node is not None:
            found.append(node)
            node = self.exemplar.parents.get(node)
        return found

    def units_around(self, scope: str, nodes: list[Node], region: Node) -> list[Node]:
        lowest = self.common(nodes)
        principal = PRINCIPAL[scope]
        alternatives = [
            child
            for child in lowest.children
            if self.repeatable(child) and principal in self.exemplar.names_below(child)
        ]
        alike = {(child.kind if child.label else "", child.label) for child in alternatives}
        if len(alternatives) > 1 and len(alike) == 1:
            return alternatives
        node: Node | None = lowest
        while node is not None and not self.repeatable(node):
            node = None if node is region else self.exemplar.parents.get(node)
        if node is None or (node is region and node in self.exemplar.units):
            raise self.document.error(
                f"nothing around the holes of one {scope} can be repeated for the next",
                lowest.start,
                f"put them into a list, or give the file's path a hole, such as @{principal}@",
            )
        return [node]

    def common(self, nodes: list[Node]) -> Node:
        """The lowest node around all of ``nodes``."""
        shared = self.lineage(nodes[0])
        for node in nodes[1:]:
            around = set(self.lineage(node))
            shared = [candidate for candidate in shared if candidate in around]
        return shared[0]

    def repeatable(self, node: Node) -> bool:
        parent = self.exemplar.parents.get(node)
        return parent is not None and (
            self.document.format.repeatable(node, parent) or bool(self.exemplar.labels.get(node))
        )


def _with_inner(scope: str) -> tuple[str, ...]:
    """A scope and all that can lie inside it, without those that may also stand around it."""
    found = [scope]
    for inner in INSIDE[scope]:
        if scope not in (SOUND, TAKE) or inner not in _AROUND_OR_INSIDE:
            found += _with_inner(inner)
    return tuple(dict.fromkeys(found))
