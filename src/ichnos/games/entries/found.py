"""What was found of an entry in a real file: its values, each with its place, and what lies inside it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from ichnos.documents.tree import Node, Value
from ichnos.games.profiles.vocabulary import scope_row


@dataclass(slots=True)
class Found:
    """What was read of one pack, sound, take ...: values by hole name, and where each stands."""

    scope: str
    node: Node
    values: dict[str, Value] = field(default_factory=dict)
    nodes: dict[str, Node] = field(default_factory=dict)
    inside: dict[str, list[Found]] = field(default_factory=dict)
    unknown: list[Node] = field(default_factory=list)
    alternative: Node | None = None  # the exemplar's node that it was matched against
    pairs: list[tuple[Node, Node]] = field(default_factory=list)  # exemplar's nodes and the real ones
    names: Sequence[tuple[Value, Node]] = ()  # all that the entry is called, if that is more than one

    def all(self, scope: str) -> Iterator[Found]:
        """Every instance of a scope, at any depth."""
        for inner_scope, parts in self.inside.items():
            for inner in parts:
                if inner_scope == scope:
                    yield inner
                yield from inner.all(scope)


def for_each_name(part: Found) -> list[Found]:
    """An entry as it is for each of its names."""
    if len(part.names) < 2:
        return [part]
    name = next(name for name in scope_row(part.scope).principal if name in part.nodes)
    own = part.nodes[name]
    return [
        replace(
            part,
            values={**part.values, name: value},
            nodes={**part.nodes, name: node},
            pairs=[(pattern, node if real is own else real) for pattern, real in part.pairs],
        )
        for value, node in part.names
    ]


def every(part: Found) -> Iterator[Found]:
    """It, and all that was found inside it."""
    yield part
    for inner in part.inside.values():
        for part_inside in inner:
            yield from every(part_inside)
