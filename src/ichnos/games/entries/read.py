"""Read: an exemplar matched against a real file gives its entries, each with its place.

Files found in the wild are untidy. Members that the exemplar does not know are kept (they stay in
the file's own text) and listed; an entry that fits no exemplar is a stray, counted and named with
its place; one bad entry does not hide the others.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass

from ichnos.documents.tree import KEYED, LISTED, Document, Node, Unwritable, Value, many_nodes
from ichnos.games.entries.found import Found, every, for_each_name
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import (
    AROUND,
    LANGUAGE,
    PACK,
    PART,
    SOUND,
    TAKE,
    entry_scopes,
    is_declared,
    key_field,
    scope_row,
)
from ichnos.likeness import nearest

_SLIP = 0.6  # of likeness: a name that is so like another is a slip


@dataclass(frozen=True)
class DocumentReading:
    """One real file, read through an exemplar. ``pack`` holds everything found; ``strays`` fitted nothing."""

    exemplar: Exemplar

    document: Document
    pack: Found
    strays: list[Node]
    differing: list[tuple[str, Node, Value]]  # holes that have another value there than before
    reasons: dict[Node, str]  # of strays: what is wrong with them, where that can be seen


def read(exemplar: Exemplar, document: Document, in_path: dict[str, Value] | None = None) -> DocumentReading | None:
    """Match an exemplar against a file.

    Args:
        in_path: the values of the holes in the file's path.

    Returns:
        What was found, or ``None`` where the file has another structure altogether.
    """
    reader = _Reader(exemplar)
    pack = Found(PACK, document.root, dict(in_path or {}))
    with many_nodes():
        if not reader.match(exemplar.document.root, document.root, pack):
            return None
    return DocumentReading(exemplar, document, pack, reader.strays, reader.differing, reader.reasons)


@dataclass(frozen=True, slots=True)
class _Member:
    """A child of an exemplar's node that does not repeat."""

    node: Node
    label: str | None
    has_twins: bool  # do siblings share its label?
    naming: bool  # does an entry's own name stand in it?


_Fit = tuple[Found, list[Node], list[tuple[str, Node, Value]]]  # with its strays, and what differs


class _Reader:
    def __init__(self, exemplar: Exemplar) -> None:
        self.exemplar = exemplar
        self.strays: list[Node] = []
        self.differing: list[tuple[str, Node, Value]] = []
        self.reasons: dict[Node, str] = {}
        self.has_disabled = exemplar.document.format.disabled is not None
        self.only_one = exemplar.document.format.named_once
        self._children: dict[tuple[Node, str], tuple[list[_Member], dict[str, list[Node]]]] = {}

    def match(self, pattern: Node, real: Node, part: Found) -> bool:
        """Does ``real`` have the structure of ``pattern``? What it holds goes into ``found``."""
        named = pattern in self.exemplar.labels
        label = self.exemplar.labels[pattern].match(real.label) if named and real.label is not None else None
        if label is None and (named or pattern.label != real.label):
            return False
        kind = pattern.kind
        if kind in (KEYED, LISTED) and pattern not in self.exemplar.items:
            if (kind != real.kind and (real.children or real.holds_value)) or not self.children(pattern, real, part):
                return False
        elif pattern in self.exemplar.values:
            if not self.value(pattern, real, part):
                return False
        elif real.kind in (KEYED, LISTED):
            return False
        if label is not None:
            for name, value in label.items():
                part.values[name] = value
                part.nodes[name] = real
        part.pairs.append((pattern, real))
        return True

    def value(self, pattern: Node, real: Node, part: Found) -> bool:
        if (whole := self.exemplar.said_by(real, pattern)) is None and not real.holds_value:
            return False
        values = self.exemplar.values[pattern].match(whole)
        if values is None:
            return False
        for name, value in values.items():
            if isinstance(value, list) and name in scope_row(part.scope).principal:
                part.names = [(one, real) for one in value]
                value = value[0] if value else None
            if name not in part.values:
                part.values[name] = value
                part.nodes[name] = real
            elif str(part.values[name]) != str(value) and not self.one_value(name, part.values[name], value):
                self.differing.append((name, real, value))
        return True

    def one_value(self, name: str, first: Value, other: Value) -> bool:
        """Can two readings of a hole's name be of one value, spelled in two ways?"""
        for hole in self.exemplar.holes_named(name):
            for value, back in ((first, other), (other, first)):
                with suppress(Unreadable, Unwritable):
                    if str(hole.carried(value)) == str(back):
                        return True
        return False

    def members(self, pattern: Node, scope: str) -> tuple[list[_Member], dict[str, list[Node]]]:
        """The children that do not repeat, and the others by the scope that they repeat for."""
        known = self._children.get((pattern, scope))
        if known is not None:
            return known
        units: dict[str, list[Node]] = {}
        fixed = [child for child in pattern.children if child not in self.exemplar.units]
        for child in pattern.children:
            if child in self.exemplar.units:
                units.setdefault(self.exemplar.units[child], []).append(child)
        labels = [child.label for child in fixed]
        members = [
            _Member(child, child.label, labels.count(child.label) > 1, self.is_naming(child, scope)) for child in fixed
        ]
        self._children[pattern, scope] = members, units
        return members, units

    def children(self, pattern: Node, real: Node, part: Found) -> bool:
        fixed, units = self.members(pattern, part.scope)
        disabled = [child for child in real.children if child.is_disabled] if self.has_disabled else []
        rest: list[Node] | None
        if not fixed:
            rest = [child for child in real.children if not child.is_disabled] if disabled else [*real.children]
        elif pattern.kind == LISTED:
            rest = self.by_position(fixed, real, part)
        else:
            rest = self.by_label(fixed, real, part)
            rest = self.without_misnamed(fixed, rest, part) if rest and part.scope in AROUND else rest
        if rest is None:
            return False
        for scope, alternatives in units.items():
            rest = self.repeated(scope, alternatives, rest, part)
            if disabled:
                fits = (self.best(scope, alternatives, child) for child in disabled)
                part.inside[scope] += [fit[0] for fit in fits if fit is not None]
        if rest:
            part.unknown += [real for real in rest if not self.is_stray(real, units)]
        return True

    def is_stray(self, real: Node, units: dict[str, list[Node]]) -> bool:
        """Is what no entry fits meant as one? It is noted then, with what it lacks."""
        if real in self.reasons:
            return True
        for scope, alternatives in units.items():
            if (
                self.looks_like_one(real, alternatives)
                and not self.is_told_apart(real, alternatives)
                and not any(self.plays_nothing(real, alternative, scope) for alternative in alternatives)
            ):
                self.strays.append(real)
                self.reasons[real] = self.reason(real, alternatives, scope)
                return True
        return False

    def by_position(self, fixed: list[_Member], real: Node, part: Found) -> list[Node] | None:
        if len(real.children) < sum(1 for member in fixed if member.naming):
            return None
        for member, item in zip(fixed, real.children, strict=False):
            if not self.match(member.node, item, part) and not self.is_odd_header(member, item, part):
                return None
        rest = real.children[len(fixed) :]
        return self.more_names(fixed[0], rest, part) if rest and len(fixed) == 1 and fixed[0].naming else rest

    def more_names(self, member: _Member, rest: list[Node], part: Found) -> list[Node]:
        """What is left of a list in which an entry has its names: of those behind the first, each is one more."""
        pattern = self.exemplar.values.get(member.node)
        if pattern is None or len(pattern.holes) != 1:
            return rest
        name = pattern.holes[0].word.name
        named = [(node, (pattern.match(node.value) or {}).get(name)) for node in rest if node.holds_value]
        others = [(value, node) for node, value in named if value is not None]
        if others:
            part.names = [(part.values[name], part.nodes[name]), *others]
        return [node for node in rest if not any(node is other for _, other in others)]

    def by_label(self, fixed: list[_Member], real: Node, part: Found) -> list[Node] | None:
        rest = [child for child in real.children if not child.is_disabled] if self.has_disabled else [*real.children]
        for member in fixed:
            for index, candidate in enumerate(rest):
                if candidate.label == member.label and (
                    not member.has_twins or self.same_constants(member.node, candidate)
                ):
                    if not self.match(member.node, candidate, part) and not self.is_odd_header(member, candidate, part):
                        return None
                    del rest[index]
                    rest = self.without_more_of(member, rest, part)
                    break
            else:
                if member.naming:
                    return None
        return rest

    def without_more_of(self, member: _Member, rest: list[Node], part: Found) -> list[Node]:
        """The nodes that are left, but for more of a part with entries, such as a heading that stands there again."""
        if self.only_one or member.has_twins or all(node not in self.exemplar.units for node in member.node.walk()):
            return rest
        return [one for one in rest if one.label != member.label or not self.match(member.node, one, part)]

    def is_odd_header(self, member: _Member, real: Node, part: Found) -> bool:
        """Is it only a value of the file's own that is otherwise? It is a stray then, and the entries are read."""
        if part.scope != PACK or member.naming or any(node in self.exemplar.units for node in member.node.walk()):
            return False
        self.strays.append(real)
        what = f'the value of "{real.label}"' if real.label else "this value"
        self.reasons[real] = f"{what} is not as the profile has it"
        return True

    def without_misnamed(self, fixed: list[_Member], rest: list[Node], part: Found) -> list[Node]:
        """The nodes that are left, but for lists of entries that are only called something else: those are strays."""
        there = {node for node, _ in part.pairs}
        for member in fixed:
            if member.node in there or not any(
                self.is_entry(self.exemplar.units.get(node)) for node in member.node.walk()
            ):
                continue
            for real in rest:
                trial, strays, differing = Found(part.scope, real), len(self.strays), len(self.differing)
                fits = real.kind == member.node.kind and self.children(member.node, real, trial)
                del self.strays[strays:], self.differing[differing:]
                if fits and any(self.is_entry(one.scope) for one in every(trial)):
                    self.strays.append(real)
                    self.reasons[real] = f'entries stand under "{real.label}", and the game reads "{member.label}"'
        return [one for one in rest if one not in self.reasons]

    def is_entry(self, scope: str | None) -> bool:
        """Is it a scope of entries, and not what those are sorted by?"""
        return scope is not None and (scope in entry_scopes() or is_declared(scope))

    def reason(self, real: Node, alternatives: list[Node], scope: str) -> str:
        """What an entry lacks that all of its kind have, and what it has that is not known."""
        document = self.exemplar.document
        if any(document.format.joint(child) is not None for child in alternatives[0].children):
            return f"a line like {document.excerpt(alternatives[0], 80)} is expected"
        labels = {child.label for child in real.children}
        for alternative in alternatives:
            fixed, _ = self.members(alternative, scope)
            missing = [member.label for member in fixed if member.naming and member.label not in labels]
            if missing and all(label is not None and not label.startswith("(") for label in missing):
                known = {child.label for child in alternative.children}
                odd = [f'"{one.label}"' for one in real.children if one.label and one.label not in known][:3]
                there = f", and {' and '.join(odd)} {'is' if len(odd) == 1 else 'are'} not known here" if odd else ""
                return f'this entry has no "{missing[0]}"{there}'
        return ""

    def plays_nothing(self, real: Node, pattern: Node, scope: str) -> bool:
        """Is it a thing with a name of its own that only names no sound, as most of a game's do not?"""
        key = key_field(scope)
        fixed, _ = self.members(pattern, scope)
        named = [member for member in fixed if key is not None and key in self.exemplar.names_below(member.node)]
        if pattern not in self.exemplar.labels or len(named) != 1 or not named[0].naming or named[0].label is None:
            return False
        labels = [child.label for child in real.children if child.label]
        return named[0].label not in labels and not nearest(labels, named[0].label, 1, _SLIP)

    def same_constants(self, pattern: Node, real: Node) -> bool:
        """Do the values without holes agree? They tell siblings of one label apart."""
        if pattern.holds_value:
            return pattern in self.exemplar.values or pattern.value == real.value
        by_label = {child.label: child for child in real.children}
        return all(
            child.label in by_label and self.same_constants(child, by_label[child.label])
            for child in pattern.children
            if child.label_start < 0 or (child.holds_value and child not in self.exemplar.values)
        )

    def is_naming(self, pattern: Node, scope: str) -> bool:
        """Must an entry of this scope have this, as its own name stands in it?"""
        naming = set(scope_row(scope).principal)
        return any(self.exemplar.names_at(node) & naming for node in self.outside_units(pattern))

    def outside_units(self, node: Node) -> Iterator[Node]:
        yield node
        for child in node.children:
            if child not in self.exemplar.units:
                yield from self.outside_units(child)

    def looks_like_one(self, real: Node, alternatives: list[Node]) -> bool:
        """Is this meant as an entry, though it fits none? Its label, or how that begins, tells."""
        for alternative in alternatives:
            pattern = self.exemplar.labels.get(alternative)
            if pattern is None:
                if real.label == alternative.label:
                    return True
            elif not isinstance(pattern.parts[0], str) or (real.label or "").startswith(pattern.parts[0].strip()):
                return True
        return False

    def repeated(self, scope: str, alternatives: list[Node], rest: list[Node], part: Found) -> list[Node]:
        """Take every child that fits one of the alternatives, as the one that leaves the least of it unknown."""
        unclaimed = []
        into = part.inside.setdefault(scope, [])
        called: set[str | None] = set()
        for real in rest:
            if self.only_one and real.label_start >= 0 and scope in (TAKE, PART, LANGUAGE):
                if real.label in called:
                    self.strays.append(real)
                    self.reasons[real] = f'"{real.label}" stands here twice, and a game sees one of them'
                    continue
                called.add(real.label)
            fits = self.fits(scope, alternatives, real)
            for one, strays, differing in fits:
                into += for_each_name(one) if one.names else (one,)
                self.strays += strays
                self.differing += differing
            if not fits:
                unclaimed.append(real)
        return unclaimed

    def is_told_apart(self, real: Node, alternatives: list[Node]) -> bool:
        """Is it something else than an entry, as one of the values says that tell?"""
        return bool(self.exemplar.how.telling) and not any(self.tells_the_same(one, real) for one in alternatives)

    def tells_the_same(self, pattern: Node, real: Node) -> bool:
        """Has an entry the exemplar's own values where those tell it from others?"""
        for child in pattern.children:
            there = [one for one in real.children if one.label == child.label]
            if child.holds_value:
                is_telling = child.label in self.exemplar.how.telling and child not in self.exemplar.values
                if is_telling and child.value not in [one.value for one in there]:
                    return False
            elif child not in self.exemplar.units and len(there) == 1 and not self.tells_the_same(child, there[0]):
                return False
        return True

    def best(self, scope: str, alternatives: list[Node], real: Node) -> _Fit | None:
        """A child as the alternative that fits it best; ``None`` where none does."""
        return next(iter(self.fits(scope, alternatives, real)), None)

    def fits(self, scope: str, alternatives: list[Node], real: Node) -> list[_Fit]:
        """A child as the alternative that fits it best, and as others that find another key in it: each is a role."""
        fits: list[tuple[int, _Fit]] = []
        for alternative in alternatives:
            if self.exemplar.how.telling and not self.tells_the_same(alternative, real):
                continue
            part = Found(scope, real, alternative=alternative)
            strays, differing = len(self.strays), len(self.differing)
            matched = self.match(alternative, real, part)
            fit = part, self.strays[strays:], self.differing[differing:]
            del self.strays[strays:], self.differing[differing:]
            if matched:
                unknown = sum(len(inner.unknown) for inner in every(part)) if len(alternatives) > 1 else 0
                fits.append((unknown, fit))
                if not unknown:
                    break
        fits.sort(key=lambda one: one[0])
        if len(fits) < 2 or scope != SOUND:
            return [fit for _, fit in fits[:1]]
        found: dict[Value, _Fit] = {}
        for _, fit in fits:
            found.setdefault(str(fit[0].values.get("key")), fit)
        return [*found.values()]
