"""What repeats in an exemplar, and for what.

The unit repeated for a scope is the smallest repeatable node around all of that scope's holes.
Two siblings alike that both hold the scope's principal hole are alternatives: two ways to write it.
Where nothing around all of them can be repeated, and each holds the principal hole, they are pieces of
one entry: two lines of a sound, or two lists in one file.
A hole in the path makes the file itself the unit.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace

from ichnos.documents.tree import ATTRIBUTE, LISTED, Document, Node, Unwritable
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.exemplar import Exemplar, ExemplarRules, Item
from ichnos.games.profiles.hole import Hole, HoleError
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.holes import parse
from ichnos.games.profiles.vocabulary import (
    AROUND,
    CATEGORY,
    GROUP,
    LANGUAGE,
    PACK,
    PROP,
    SCOPES,
    SOUND,
    TAKE,
    all_entry_scopes,
    has_texts,
    inner_scopes,
    is_declared,
    is_spoken,
    player_scopes,
    scope_row,
    spelled,
)

# Scopes whose unit may stand around the sounds (or the props) or inside each, whichever the holes show.
_AROUND_OR_INSIDE = (LANGUAGE, CATEGORY, GROUP)


def understand(path: Pattern, document: Document, how: ExemplarRules | None = None) -> Exemplar:
    """Find an exemplar's holes and units.

    Raises:
        IchnosError: with the place, where a hole is wrong or nothing around it can be repeated.
    """
    how = how or ExemplarRules()
    exemplar = Exemplar(path, document, how)
    exemplar.root = _root(document)
    _find_holes(exemplar, how.tables if exemplar.root is None else replace(how.tables, root=exemplar.root))
    in_path = {hole.word.scope for hole in path.holes}
    may_be = dict.fromkeys((*SCOPES[PACK].inside, *all_entry_scopes(in_path)))
    exemplar.file_scopes = tuple(scope for scope in may_be if scope in in_path)
    bound = frozenset({PACK, *exemplar.file_scopes, *([] if how.several_takes else [TAKE])})
    if how.entry_for_takes:
        exemplar.together[SOUND] = TAKE
        bound |= {TAKE}
    _Units(exemplar, how.repeat, how.entries).find(document.root, bound)
    return exemplar


_ROOT = re.compile(r"@root(?:~[a-z-]+(?:\([^()@]*\))?)*=([^@]*)@")


def _root(document: Document) -> str | None:
    """The folder that the document says its references are below."""
    texts = (node.value for node in document.root.walk() if node.value is not None)
    return next((match[1].replace("\\", "/").strip("/") for text in texts if (match := _ROOT.search(text))), None)


def _find_holes(exemplar: Exemplar, tables: Tables) -> None:
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
                pattern = parse(text, tables)
            except HoleError as error:
                raise document.error(error.what, start, error.cure) from None
            patterns[node] = pattern
            exemplar.scopes.update((hole.word.name, hole.word.scope) for hole in pattern.holes)
    for node in document.root.walk():
        item = _item(exemplar, node) if node.children else None
        if item is not None:
            exemplar.items[node] = item
            exemplar.values[node] = exemplar.values[item.place]
            for inner in (one for child in node.children for one in child.walk()):
                exemplar.values.pop(inner, None)


def _item(exemplar: Exemplar, node: Node) -> Item | None:
    """What repeats in ``node`` for each of a list; ``None`` where nothing does.

    An item stands alone in a list, or has a name of its own where a list cannot be a value. A second one like it
    shows what stands between them.
    """
    form, own = exemplar.document.format, exemplar.document.text.content
    first, *others = node.children
    places = [inner for inner in first.walk() if inner.holds_value]
    shown = [exemplar.values.get(one) for child in node.children for one in child.walk() if one.holds_value]
    if len(places) != 1 or len(shown) > 2 or first.kind == ATTRIBUTE:
        return None
    if node.kind != LISTED and not form.optional(first, node):
        return None
    if any(one is None or len(one.holes) != 1 or not _is_list(one.holes[0]) for one in shown):
        return None
    place, between = places[0], None
    if others:
        between = own[first.end : others[0].start]
    try:
        form.write_value([""], place, own)
        if first.label is not None:
            return None
    except Unwritable:
        pass
    labels = tuple(one.label for one in first.walk())
    return Item(labels, place, own[first.start : place.body_start], own[place.body_end : first.end], between)


def _is_list(hole: Hole) -> bool:
    return hole.word.kind == "list" and not hole.converters


class _Units:
    def __init__(self, exemplar: Exemplar, repeat: Mapping[str, str | int], entries: Mapping[str, str | int]) -> None:
        self.exemplar = exemplar
        self.document = exemplar.document
        self.repeat = repeat
        self.entries = entries

    def find(self, region: Node, bound: frozenset[str]) -> None:
        """Set the units of the scopes that are still open in ``region``, the outermost first."""
        for holders in self.apart(self.holders(region), bound):
            self.find_among(holders, region, bound)

    def find_among(self, holders: dict[str, list[Node]], region: Node, bound: frozenset[str]) -> None:
        scopes = dict.fromkeys((*SCOPES, *all_entry_scopes(holders)))
        still_open = [scope for scope in scopes if scope in holders and scope not in bound]
        inside_others = {inner for scope in still_open if scope not in AROUND for inner in inner_scopes(scope)}
        still_open = [scope for scope in still_open if scope not in inside_others]  # those come with what they are in
        if SOUND in bound:  # inside a sound's own unit these are plain fields
            still_open = [scope for scope in still_open if scope not in (CATEGORY, GROUP)]
        if SOUND in still_open:
            inside = {node for unit in self.units(SOUND, holders, region, bound) for node in unit.walk()}
            around = [
                scope for scope in _AROUND_OR_INSIDE if scope in still_open and not inside.issuperset(holders[scope])
            ]
            beside = [scope for scope in still_open if scope in player_scopes() or is_declared(scope)]
            if around[:1] == [LANGUAGE]:
                beside = [scope for scope in beside if not self.is_read(scope, holders)]  # in a language's part, too
            still_open = [*(around[:1] or [SOUND]), *beside]
        elif LANGUAGE in still_open and (read := [scope for scope in still_open if self.is_read(scope, holders)]):
            units = [unit for scope in read for unit in self.units(scope, holders, region, bound)]
            is_inside = {node for unit in units for node in unit.walk()}.issuperset(holders[LANGUAGE])
            still_open = [scope for scope in still_open if scope not in ([LANGUAGE] if is_inside else read)]
        for scope in still_open:
            units = self.units(scope, holders, region, bound)
            for unit in units:
                self.exemplar.units[unit] = scope
                self.find(unit, bound | {scope})
            if units:
                self.refuse_outside(scope, units, holders, bound)

    def apart(self, holders: dict[str, list[Node]], bound: frozenset[str]) -> list[dict[str, list[Node]]]:
        """The holders, by the scopes that players read of where languages stand in the entries of each."""
        if any(map(has_texts, bound - {SOUND})) and LANGUAGE in holders:  # its other texts are in the pack's language
            spoken = [node for node in holders.pop(LANGUAGE) if "language" in self.exemplar.names_at(node)]
            holders |= {LANGUAGE: spoken} if spoken else {}
        read = [scope for scope in holders if has_texts(scope)]
        if LANGUAGE not in holders or len(read) < 2 or bound & {LANGUAGE, *read}:
            return [holders]
        by_scope: dict[str, dict[str, list[Node]]] = {scope: {scope: holders[scope]} for scope in read}
        first = by_scope.get(SOUND) or by_scope[read[0]]
        first |= {scope: nodes for scope, nodes in holders.items() if scope != LANGUAGE and scope not in read}
        for node in holders[LANGUAGE]:
            around = next(outer for outer in self.lineage(node) if self.scopes_below(outer) & {*read})
            inside = self.scopes_below(around) & {*read}
            if len(inside) > 1:
                return [holders]
            by_scope[inside.pop()].setdefault(LANGUAGE, []).append(node)
        for group in by_scope.values():
            if not any("language" in self.exemplar.names_at(node) for node in group.get(LANGUAGE, ())):
                group.pop(LANGUAGE, None)  # titles alone
        return [*by_scope.values()]

    def is_read(self, scope: str, holders: Mapping[str, list[Node]]) -> bool:
        """Does something stand here that players read of a scope beside the sounds?"""
        names = (name for node in holders.get(scope, ()) for name in self.exemplar.names_at(node))
        return scope == PROP or (is_declared(scope) and any(map(is_spoken, names)))

    def scopes_below(self, node: Node) -> set[str]:
        return {self.exemplar.scopes[name] for name in self.exemplar.names_below(node)}

    def refuse_outside(
        self, scope: str, units: list[Node], holders: dict[str, list[Node]], bound: frozenset[str]
    ) -> None:
        inside = {node for unit in units for node in unit.walk()}
        for other in self.inner(scope, bound):
            outside = [node for node in holders.get(other, ()) if node not in inside]
            if outside:
                raise self.document.error(
                    f"this hole stands outside what is repeated for each {scope}",
                    outside[0].start,
                    f"put all holes of one {scope} into one entry",
                )

    def inner(self, scope: str, bound: frozenset[str]) -> tuple[str, ...]:
        """The scope and those inside it whose holes its unit must hold, also that of a take that does not repeat."""
        if any(map(has_texts, bound)) and scope in _AROUND_OR_INSIDE:
            return (scope,)
        return tuple(inner for inner in _with_inner(scope) if inner not in bound or inner == TAKE)

    def holders(self, region: Node) -> dict[str, list[Node]]:
        """The nodes with holes of each scope. Titles are a language's too, where languages repeat."""
        found: dict[str, list[Node]] = {}
        for node in region.walk():
            for name in self.exemplar.names_at(node):
                found.setdefault(self.exemplar.scopes[name], []).append(node)
        if LANGUAGE in found:
            nodes = [node for scope in all_entry_scopes(found) for node in found.get(scope, ())]
            found[LANGUAGE] += [node for node in nodes if any(map(is_spoken, self.exemplar.names_at(node)))]
        return found

    def units(self, scope: str, holders: dict[str, list[Node]], region: Node, bound: frozenset[str]) -> list[Node]:
        """The node to repeat for a scope, or its alternatives."""
        if scope in self.repeat:
            return self.said_outright(scope, self.repeat[scope], region)
        if scope == SOUND and self.entries:
            for kind, which in self.entries.items():
                for unit in self.said_outright(f"the kind {kind}", which, region):
                    self.exemplar.entry_kinds[unit] = kind
            return [*self.exemplar.entry_kinds]
        lowest = self.common([node for inner in self.inner(scope, bound) for node in holders.get(inner, ())])
        alternatives = [
            child
            for child in lowest.children
            if self.repeatable(child) and self.exemplar.names_below(child) & set(scope_row(scope).principal)
        ]
        if len(alternatives) > 1 and len({child.label for child in alternatives}) == 1:
            return alternatives
        node: Node | None = lowest
        while node is not None and (node in self.exemplar.units or not self.repeatable(node)):
            node = None if node is region else self.exemplar.parents.get(node)
        in_pieces = scope_row(scope).is_joined or (scope == LANGUAGE and any(map(has_texts, bound)))
        if node is None and in_pieces and (pieces := self.pieces(scope, holders, bound)):
            return pieces
        if node is None and scope == LANGUAGE and has_texts(of := self.exemplar.units.get(region, "")):
            self.exemplar.together[of] = LANGUAGE  # one entry for each sound in each language
            return []
        if node is None:
            raise self.document.error(
                f"nothing around the holes of one {scope} can be repeated for the next",
                lowest.start,
                "put it into a list; or say in game.toml that a key has one take (several = false under [takes]),"
                ' or that each has an entry of its own (entry-for = "take" under [[document]])'
                if scope == TAKE
                else f"put it into a list, or put a hole such as @{spelled(scope_row(scope).principal[0])}@ into the"
                " file's name",
            )
        return [node]

    def pieces(self, scope: str, holders: dict[str, list[Node]], bound: frozenset[str]) -> list[Node]:
        """The nodes to repeat for one entry that stands in several places, each with the entry's own name."""
        principal = set(scope_row(scope).principal)
        near = {node: [node] for node in holders.get(scope, ()) if self.exemplar.names_at(node) & principal}
        for node in (node for inner in self.inner(scope, bound) for node in holders.get(inner, ()) if near):
            near[max(near, key=lambda name: len(self.lineage(self.common([name, node]))))].append(node)
        units: dict[Node, None] = {}
        for nodes in near.values():
            unit = next((node for node in self.lineage(self.common(nodes)) if self.repeatable(node)), None)
            if unit is None:
                return []
            units[unit] = None
        return list(units) if len(units) > 1 else []

    def said_outright(self, scope: str, which: str | int, region: Node) -> list[Node]:
        """What game.toml says is repeated: the nodes of a label, or the first that begins on a line."""
        nodes = [
            node
            for node in region.walk()
            if node is not region and self.repeatable(node) and self.is_meant(node, which)
        ]
        if not nodes:
            what = f"on line {which}" if isinstance(which, int) else f"named {which!r}"
            raise self.document.error(
                f"game.toml says that {scope} repeats what stands {what}, and nothing like that is here",
                region.start,
                "name an entry that can be repeated, or leave it out to have it found",
            )
        return nodes[:1] if isinstance(which, int) else nodes

    def is_meant(self, node: Node, which: str | int) -> bool:
        if isinstance(which, int):
            return self.document.text.place(node.start).line == which
        return node.label == which

    def lineage(self, node: Node | None) -> list[Node]:
        """The node and all around it, the innermost first."""
        nodes = []
        while node is not None:
            nodes.append(node)
            node = self.exemplar.parents.get(node)
        return nodes

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
    scopes = [scope]
    for inner in scope_row(scope).inside:
        if not has_texts(scope) or inner not in _AROUND_OR_INSIDE:
            scopes += _with_inner(inner)
    return tuple(dict.fromkeys(scopes))
