"""Fill: an exemplar and a pack's values make a file's text.

A new entry is the exemplar entry's own text with the values escaped into it, so the quotes, the
indentation and the order are the profile author's. Where a hole has neither value nor default, the
smallest thing around it that may be left out is left out; never one that another value is lost with.
In a language's own list, a sound without a title in it says nothing, and has no entry.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ichnos.documents.tree import Document, Node, Unwritable, Value, margin
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole import Missing
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.vocabulary import (
    AROUND,
    GROUP,
    LANGUAGE,
    PACK,
    SOUND,
    TAKE,
    is_name,
    is_spoken,
    is_translated,
    scope_of,
)
from ichnos.games.things import Thing

Bindings = dict[str, Thing]  # the things that are bound, by scope, the innermost last


def resolve(name: str, bindings: Bindings) -> Value:
    """A hole's value, from the innermost thing that has it; ``None`` where none has."""
    if is_spoken(name):
        language = bindings[LANGUAGE].values["language"] if LANGUAGE in bindings else None
        of = bindings.get(scope_of(name))
        return of.texts.get(name, {}).get(str(language) if language else None) if of else None
    if is_translated(name) and LANGUAGE in bindings and PACK in bindings:
        return bindings[PACK].in_language(name, bindings[LANGUAGE].values["language"])
    for thing in reversed(bindings.values()):
        if thing.values.get(name) is not None:
            return thing.values[name]
    return None


def instances(scope: str, bindings: Bindings) -> Iterator[Bindings]:
    """Each way to bind one more scope, in the pack's own order."""
    for outer in reversed(bindings.values()):
        if scope in outer.inside:
            for thing in outer.inside[scope]:
                yield {**bindings, scope: thing}
            return
    if scope == TAKE and SOUND not in bindings:
        for inner in instances(SOUND, bindings):
            yield from instances(TAKE, inner)


def files_bound(exemplar: Exemplar, bindings: Bindings) -> list[Bindings]:
    """What each file of an exemplar is filled from."""
    bound = [bindings]
    for scope in exemplar.file_scopes:
        bound = [inner for outer in bound for inner in instances(scope, outer)]
    return bound


def repetitions(exemplar: Exemplar, scope: str, bindings: Bindings) -> Iterator[Bindings]:
    """Each way to bind the scopes that a unit of an exemplar repeats for."""
    other = exemplar.together.get(scope)
    for inner in instances(scope, bindings):
        yield from instances(other, inner) if other else (inner,)


def fill(exemplar: Exemplar, bindings: Bindings, like: Like | None = None) -> str:
    """The file's text for the things given.

    Args:
        like: gives the text of an entry that is to start as an existing one's, or ``None``.

    Raises:
        IchnosError: a value that the game's spelling cannot carry, with the exemplar's place.
    """
    return Filler(exemplar, like).text(bindings)


# An existing entry's text, for a scope and its things, that is like one of the exemplar's nodes.
Like = Callable[[str, Bindings, list[Node]], str | None]


class Filler:
    """Writes an exemplar's nodes.

    ``like``: may give an entry's text from elsewhere. ``into``: the file that the text goes into; it has its line ends.
    """

    def __init__(self, exemplar: Exemplar, like: Like | None = None, into: Document | None = None) -> None:
        self.exemplar = exemplar
        self.like = like
        self.document = exemplar.document
        self.content = exemplar.document.text.content
        self.newline = "\r\n" if "\r\n" in (into or exemplar.document).text.content else "\n"
        self.is_other = ("\r\n" in self.content) != (self.newline == "\r\n")

    def text(self, bindings: Bindings) -> str:
        root = self.document.root
        return self.content[: root.start] + (self.node(root, bindings) or "") + self.content[root.end :]

    def own(self, start: int, end: int) -> str:
        """A piece of the exemplar's own text."""
        text = self.content[start:end]
        return text.replace("\r\n", "\n").replace("\n", self.newline) if self.is_other else text

    def node(self, node: Node, bindings: Bindings) -> str | None:
        """The node's text with its holes filled, or ``None`` where it is to be left out.

        Raises:
            Missing: a hole without which the nodes around cannot stand has no value.
            IchnosError: nothing around can be left out, or a value cannot be written here.
        """
        head = ""
        try:
            head = self.label(node, bindings)
            if node in self.exemplar.items:
                return head + self.listed(node, self.spelled(self.exemplar.values[node], node, bindings), bindings)
            if not node.holds_value:
                return None if self.is_hollow(node, bindings) else self.container(node, head, bindings)
            pattern = self.exemplar.values.get(node)
            if pattern is None:
                return head + self.own(node.body_start, node.end)
            value = self.spelled(pattern, node, bindings)
            literal = self.literal(value, node, bindings)
            return head + literal + self.own(node.body_end, node.end)
        except Missing as missing:
            parent = self.exemplar.parents.get(node)
            if node.holds_value and self.document.format.empty is not None:
                return head + self.document.format.empty
            if node in self.exemplar.units or self.document.format.optional(node, parent):
                self.refuse_loss(node, str(missing), bindings)
                return None
            if parent is not None:
                raise  # the nearest node around it that can be left out, is
            raise self.document.error(f"the hole @{missing}@ has no value and no default", node.start) from None

    def refuse_loss(self, node: Node, missing: str, bindings: Bindings) -> None:
        """Raises IchnosError where something that is said would be left out with a hole that has no value."""
        sorts = {"category"} if LANGUAGE in bindings else set()
        names = [
            name
            for name in sorted(self.exemplar.names_below(node) - sorts)
            if not is_name(name) and self.is_said(name, node, bindings)
        ]
        if names:
            of = resolve("key", bindings)
            where = self.document.text.place(node.start)
            raise IchnosError(
                f"{of or 'the pack'} has no {missing}, and without it {where} cannot hold its {', '.join(names)}",
                place=bindings[SOUND].place if SOUND in bindings else Place("ichnos.toml"),
                cure=f"say its {missing}, or give the hole a default in the profile: @{missing}=...@",
            )

    def is_said(self, name: str, node: Node, bindings: Bindings) -> bool:
        """Has a hole a value of what is repeated here, or of something inside that?"""
        scope = self.exemplar.scopes[name]
        if scope in (PACK, LANGUAGE, GROUP):
            return False  # it is not this entry's own
        if scope in bindings or resolve(name, bindings) is not None:
            return resolve(name, bindings) is not None
        return any(self.exemplar.units.get(below) == scope for below in node.walk()) and any(
            resolve(name, inner) is not None for inner in repetitions(self.exemplar, scope, bindings)
        )

    def is_hollow(self, node: Node, bindings: Bindings) -> bool:
        """Is this something that can be left out, and none of its holes has a value or a default?"""
        names = self.exemplar.node_needs(node)
        return bool(names) and all(resolve(name, bindings) is None for name in names)

    def label(self, node: Node, bindings: Bindings) -> str:
        """The node's text up to its body. Raises Missing, or IchnosError where a value cannot be written here."""
        pattern = self.exemplar.labels.get(node)
        if pattern is None:
            return self.own(node.start, node.body_start)
        label = str(self.spelled(pattern, node, bindings))
        try:
            literal = self.document.format.write_label(label, node)
        except Unwritable as error:
            raise self.cannot(error, node, bindings) from None
        before, after = self.own(node.start, node.label_start), self.own(node.label_end, node.body_start)
        return before + literal + after

    def literal(self, value: Value, node: Node, bindings: Bindings) -> str:
        """The text that stands for a value here. Raises IchnosError where it cannot be written."""
        try:
            return self.document.format.write_value(value, node, self.content)
        except Unwritable as error:
            raise self.cannot(error, node, bindings) from None

    def cannot(self, error: Exception, node: Node, bindings: Bindings) -> IchnosError:
        key = resolve("key", bindings)
        return self.document.error(f"a value{f' of {key}' if key else ''} cannot be written here: {error}", node.start)

    def spelled(self, pattern: Pattern, node: Node, bindings: Bindings) -> Value:
        """What a pattern says with its holes filled. Raises Missing, or IchnosError where a value does not fit."""
        try:
            return pattern.fill(lambda name: resolve(name, bindings))
        except (Unreadable, Unwritable) as error:
            raise self.cannot(error, node, bindings) from None

    def container(self, node: Node, head: str, bindings: Bindings) -> str | None:
        """Its text; ``None`` where an entry has nothing of what is repeated in it, and can do without."""
        children = node.children
        if not children:
            return head + self.own(node.body_start, node.end)
        written: list[tuple[str, Node, bool]] = []  # text, its exemplar, is it the first for that exemplar
        done: set[str] = set()
        had: set[Node] = set()
        for child in children:
            scope = self.exemplar.units.get(child)
            if scope is None:
                text = self.node(child, bindings)
                if text is not None:
                    written.append((text, child, True))
                continue
            if scope in done:
                continue  # another alternative of the same unit, or another piece
            done.add(scope)
            for inner in repetitions(self.exemplar, scope, bindings):
                for piece in self.exemplar.pieces(node, scope):
                    text = self.entry(piece, scope, inner)
                    if text is not None:
                        written.append((text, piece[0], piece[0] not in had))
                        had.add(piece[0])
        opening, closing = self.own(node.body_start, children[0].start), self.own(children[-1].end, node.end)
        if not written:
            of_entry = any(scope not in AROUND for scope in bindings) and set(children) <= set(self.exemplar.units)
            if of_entry and self.document.format.optional(node, self.exemplar.parents.get(node)):
                return None
            return head + opening.rstrip() + closing.lstrip()
        pieces = [head, opening]
        for position, (text, child, first) in enumerate(written):
            if position:
                pieces.append(self.gap(node, child, fresh=first and written[position - 1][1] is not child))
            pieces.append(text)
        return "".join([*pieces, closing])

    def listed(self, node: Node, values: Value, bindings: Bindings) -> str:
        """The text of what holds a list, behind its label: its one item, for each value."""
        first, last = node.children[0], node.children[-1]
        opening, closing = self.own(node.body_start, first.start), self.own(last.end, node.end)
        return opening + self.items(node, values, bindings) + closing

    def relisted(self, node: Node, real: Node, new: Value, bindings: Bindings, content: str) -> tuple[int, int, str]:
        """Other values for a real list: from where to where, and the text; joined as they are there."""
        if not real.children:
            try:
                return real.body_start, real.body_end, self.document.format.write_value(new, real, content)
            except Unwritable:
                return real.body_start, real.end, self.listed(node, new, bindings)
        between = content[real.children[0].end : real.children[1].start] if len(real.children) > 1 else None
        return real.children[0].start, real.children[-1].end, self.items(node, new, bindings, between)

    def items(self, node: Node, values: Value, bindings: Bindings, between: str | None = None) -> str:
        """The text of a list's item for each value, with ``between`` between them, or what the exemplar has there."""
        item = self.exemplar.items[node]
        between = item.between if between is None else between
        between = self.gap(node, node.children[0], fresh=False) if between is None else between
        each = values if isinstance(values, list) else [values]
        return between.join(item.before + self.literal(value, item.place, bindings) + item.after for value in each)

    def entry(self, piece: list[Node], scope: str, bindings: Bindings) -> str | None:
        """The text of one piece of an entry; ``None`` where it would say nothing."""
        alternatives = self.alternatives(piece, scope, bindings)
        if not alternatives:
            return None  # here stand sounds of another kind
        names = self.exemplar.entry_needs(alternatives, scope)
        below = self.exemplar.names_below(alternatives[0]) if scope == LANGUAGE else ()
        read = [name for name in below if is_spoken(name)]
        if read and bindings.keys() - {*AROUND} and all(resolve(name, bindings) is None for name in read):
            return None  # a title and a text have a list of languages each
        is_read = LANGUAGE in bindings and any(map(is_spoken, names))
        if is_read and all(resolve(name, bindings) is None for name in names):
            return None  # also where it is like another one: it is not called like that
        text = self.like(scope, bindings, alternatives) if self.like else None
        if text is not None:
            return text
        return self.node(self.alternative(alternatives, bindings), bindings)

    def alternatives(self, piece: list[Node], scope: str, bindings: Bindings) -> list[Node]:
        """The ways to write a piece of an entry; for a sound, those that its kind has."""
        if scope != SOUND or not self.exemplar.entry_kinds:
            return piece
        kind = resolve("kind", bindings)
        return [node for node in piece if self.exemplar.entry_kinds.get(node) == kind]

    def alternative(self, alternatives: list[Node], bindings: Bindings) -> Node:
        """The first that can carry every value that is set."""
        if len(alternatives) == 1:
            return alternatives[0]
        names = [self.exemplar.names_below(node) for node in alternatives]
        needed = {name for name in set().union(*names) if resolve(name, bindings) is not None}
        able = [node for node in alternatives if self.can_spell(node, bindings)] or alternatives
        for node in able:
            if needed <= self.exemplar.names_below(node):
                return node
        return max(able, key=lambda node: len(needed & self.exemplar.names_below(node)))

    def can_spell(self, node: Node, bindings: Bindings) -> bool:
        """Can each hole of a node that has a value be written there, as a file that lies below a folder?"""
        for inner in node.walk():
            for hole in self.exemplar.holes_at(inner):
                value = resolve(hole.word.name, bindings)
                if value is not None:
                    try:
                        hole.carried(value)
                    except (Unreadable, Unwritable):
                        return False
        return True

    def gap(self, parent: Node, child: Node, *, fresh: bool) -> str:
        """What stands between a written child and the one before it.

        ``fresh``: it is the first one written for its exemplar, so the exemplar's own text before
        it is used as it stands, comments included.
        """
        index = parent.children.index(child)
        before = parent.children[index - 1].end if index else parent.body_start
        own = self.own(before, child.start)
        if index == 0:
            own = own[len(own.rstrip()) :] if "\n" in own else ""
        elif fresh:
            return own
        joint = self.document.format.joint(child)
        if joint is not None:
            return joint
        if self.document.format.is_indented(parent):
            return self.newline + margin(self.content, child)
        separator = self.document.format.separator(parent)
        space = own[len(own.rstrip()) :]
        if not space:
            return self.document.format.gap(child).replace("\n", self.newline)
        return separator + space
