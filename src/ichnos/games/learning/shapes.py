"""What many alike things have in common: one shape for all entries of a list, with each label and each place once."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from ichnos.documents.indented import Indented
from ichnos.documents.tree import LISTED, Format, Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.evidence import TextFile
from ichnos.games.learning.grouping import is_language

_MANY = 300  # of what is told apart by its place, or has a place of its own among others

# What stands in a label for what differs from one to the next.
KEY, LANGUAGE, NUMBER, ANY, FILE, EVENT = "\x01", "\x02", "\x03", "\x04", "\x05", "\x06"
_IN_QUOTES = re.compile(r'(.*")([^"]+)(")')
_KNOWN = {*lexicon.KEY, *lexicon.FILE}  # a field that holds a key, and no name for when it is heard
_SIGN = re.compile(r"[\x01-\x06]")


@dataclass(frozen=True, eq=False)
class Real:
    """A node of a pack's text, and the label's words that differ in its shape."""

    text: TextFile
    node: Node
    said: tuple[str, ...] = ()


@dataclass(eq=False)
class Shape:
    """Nodes that are alike. ``label``: theirs, with signs for what differs; ``several``: one may stand beside another.

    ``index``: their place, where they are told apart by that.
    """

    label: str | None
    reals: list[Real]
    several: bool = False
    index: int | None = None
    children: list[Shape] = field(default_factory=list)
    parent: Shape | None = None

    @property
    def holds_value(self) -> bool:
        return self.reals[0].node.holds_value

    @property
    def varies(self) -> bool:
        """Does its label say something?"""
        return self.label is not None and _SIGN.search(self.label) is not None

    def walk(self) -> Iterator[Shape]:
        yield self
        for child in self.children:
            yield from child.walk()

    def lineage(self) -> Iterator[Shape]:
        """It, and all around it."""
        shape: Shape | None = self
        while shape is not None:
            yield shape
            shape = shape.parent

    @property
    def labels(self) -> list[str]:
        """Its own label and those around it, the nearest first, for what they may mean."""
        return [outer.label for outer in self.lineage() if outer.label and not outer.label.startswith("(")]


@dataclass
class Lore:
    """What is known when shapes are looked for."""

    keys: set[str]
    names: set[str] = field(default_factory=set)  # of anything else that labels are made of: categories, props ...
    called_by_file: set[Node] = field(default_factory=set)  # nodes whose labels name sound files
    headings: set[Node] = field(default_factory=set)  # rows that say what stands in the others


def shape_of(texts: Sequence[TextFile], lore: Lore, anchors: Mapping[Node, str], skip: Collection[Node] = ()) -> Shape:
    """The shape of a document, from all the texts that are one.

    Args:
        anchors: nodes that name sound files, each with its key. skip: nodes that are left out: the game's own.
    """
    form = texts[0].document.format
    return _Builder(lore, anchors, skip, form).build([Real(text, text.document.root) for text in texts], None, False)


# What is alike: the label with its signs, whether it holds a value, and its place where that tells.
_Class = tuple[str | None, bool, int | None]


def _alike(nodes: Sequence[Node], keys: set[str]) -> bool:
    """Have containers the same in them, all in all, but for the keys?"""
    inner = [{inmost.label for child in node.children for inmost in (child, *child.children)} - keys for node in nodes]
    common, every = set.intersection(*inner) - {None}, set.union(*inner) - {None}
    return 2 * len(common) >= len(every)


class _Builder:
    def __init__(self, lore: Lore, anchors: Mapping[Node, str], skip: Collection[Node], form: Format) -> None:
        self.lore, self.anchors, self.skip = lore, anchors, skip
        self.form = form
        self._below: dict[Node, frozenset[str]] = {}

    def keys_below(self, node: Node) -> frozenset[str]:
        """The keys of what is in a node: of the files that are named there, or those that stand there."""
        if node not in self._below:
            own = {self.anchors[node]} if node in self.anchors else set()
            if not self.anchors:
                own = {text for text in (node.value, node.label) if text in self.lore.keys and text is not None}
            self._below[node] = frozenset(own).union(*map(self.keys_below, node.children))
        return self._below[node]

    def is_sorted(self, parent: Node) -> bool:
        """Are the things in a container alike, each with keys of its own, and called by what their keys share?"""
        children = [child for child in parent.children if not child.holds_value and self.keys_below(child)]
        if self.form.names_are_fixed or len(children) < 2 or any(child.label_start < 0 for child in children):
            return False
        labels = [child.label for child in children]
        if len(set(labels)) < len(labels) or any(label in self.lore.keys or " " in (label or "") for label in labels):
            return False
        count = sum(len(self.keys_below(child)) for child in children)
        apart = count == len(frozenset().union(*map(self.keys_below, children)))
        return apart and len({child.kind for child in children}) == 1 and _alike(children, self.lore.keys)

    def called(self, parent: Real, beside: list[Real]) -> dict[Node, tuple[str, str]]:
        """What plays a key each, and is called by when that happens: a label for all, and the word of each.

        Not what several things have alike: that is a field of theirs.
        """
        if self.anchors or self.form.names_are_fixed or sum(real.text is parent.text for real in beside) > 1:
            return {}
        found = [child for child in parent.node.children if child not in self.skip and self.plays(child, parent.node)]
        labels = [child.label or "" for child in found]
        quoted = [match for label in labels if (match := _IN_QUOTES.fullmatch(label))]
        heads = {(match[1], match[3]) for match in quoted}
        is_headed = len(quoted) == len(labels) and len(heads) == 1 and heads != {('"', '"')}
        if len(set(labels)) < len(labels) or len(found) < (1 if is_headed else 2):
            return {}
        if any(child.holds_value for child in found):
            if len(found) < len(parent.node.children) or not all(child.holds_value for child in found):
                return {}
        elif len(found) > 1 and not _alike(found, self.lore.keys):
            return {}
        if not is_headed:
            return {child: (EVENT, label) for child, label in zip(found, labels, strict=True)}
        return {child: (f"{at[1]}{EVENT}{at[3]}", at[2]) for child, at in zip(found, quoted, strict=True)}

    def plays(self, node: Node, parent: Node) -> bool:
        """Is it a thing that names one key, and is called otherwise itself?"""
        label = (node.label or "").lower()
        if node.label_start < 0 or label in _KNOWN or self.template(node, parent)[1]:
            return False
        values = [inner.value for inner in node.walk() if inner.holds_value and inner.value in self.lore.keys]
        return len(values) == 1 and not any(child.kind == LISTED for child in (node, *node.children))

    def build(self, reals: list[Real], label: str | None, several: bool, index: int | None = None) -> Shape:
        shape = Shape(label, reals, several, index)
        if shape.holds_value:
            return shape
        order: list[_Class] = []
        found: dict[_Class, list[Real]] = {}
        repeated: set[_Class] = set()
        fixed = self.is_fixed([real.node for real in reals])
        for real in reals:
            called = self.called(real, reals)
            sorted_here = not called and self.is_sorted(real.node)
            before: _Class | None = None
            here: set[_Class] = set()
            for at, child in enumerate(real.node.children):
                if child in self.skip:
                    continue
                kind, texts = self.kind(real, child, at, fixed)
                if sorted_here and child.label == kind[0] and self.keys_below(child):
                    kind, texts = (ANY, False, None), (child.label or "",)
                if child in called:
                    kind, texts = (called[child][0], child.holds_value, None), (called[child][1],)
                if kind in here:
                    repeated.add(kind)
                here.add(kind)
                if kind not in found:
                    found[kind] = []
                    behind = 0 if before is None else order.index(before) + 1 if len(order) <= _MANY else len(order)
                    order.insert(behind, kind)
                found[kind].append(Real(real.text, child, texts))
                before = kind
        self.merge(order, found, repeated)
        for kind in order:
            name, _, place = kind
            varies = name is not None and _SIGN.search(name) is not None
            again = kind in repeated or (name is None and place is None) or varies
            child_shape = self.build(found[kind], name, again, place)
            child_shape.parent = shape
            shape.children.append(child_shape)
        return shape

    def is_fixed(self, nodes: list[Node]) -> bool:
        """Do the items of lists mean something by their place?"""
        if any(node.kind != LISTED and any(child.label is not None for child in node.children) for node in nodes):
            return False
        lengths = {len(node.children) for node in nodes}
        children = [child for node in nodes for child in node.children]
        if len(lengths) != 1 or not children or not all(child.holds_value for child in children):
            return False
        if max(lengths) > _MANY:
            return False
        named = [child for child in children if child in self.anchors or child.value in self.lore.keys]
        return len(named) < len(children) and lengths != {1}

    def kind(
        self, real: Real, child: Node, at: int, fixed: bool
    ) -> tuple[tuple[str | None, bool, int | None], tuple[str, ...]]:
        if child in self.lore.headings:
            return (None, False, -1), ()
        if child.label is None:
            text_of_element = child.holds_value and (real.node.label or "").startswith("(")
            return (None, child.holds_value, at if fixed else 0 if text_of_element else None), ()
        template, texts = self.template(child, real.node)
        return (template, child.holds_value, None), texts

    def in_languages(self, parent: Node) -> bool:
        """Are all names in a container languages' tags? Many a short word is one by chance."""
        labels = [child.label for child in parent.children]
        is_attribute = parent.label is not None and parent.label.startswith("(") and parent.label_start < 0
        if is_attribute or set(labels) & set(lexicon.KEY):
            return False  # "id" is Indonesian, too
        return all(label is not None and is_language(label) for label in labels)

    def template(self, node: Node, parent: Node) -> tuple[str, tuple[str, ...]]:
        """A label with signs for what differs, and what stands there."""
        label = node.label or ""
        keys = self.lore.keys
        if node.label_start < 0 or label.startswith("(") or self.form.names_are_fixed:
            return label, ()
        if node in self.lore.called_by_file:
            return FILE, (label,)
        if label in keys:
            return KEY, (label,)
        if is_language(label) and self.in_languages(parent):
            return LANGUAGE, (label,)
        quoted = _IN_QUOTES.fullmatch(label)
        if quoted and quoted[2] in keys:
            return f"{quoted[1]}{KEY}{quoted[3]}", (quoted[2],)
        tokens = label.split(" ")
        if len(tokens) == 2 and tokens[1] in keys and isinstance(self.form, Indented):
            return f'{tokens[0]} "{KEY}"', (tokens[1],)  # there quotation marks may stand or not
        for at, token in enumerate(tokens):
            if len(tokens) > 1 and token in keys:
                return " ".join([*tokens[:at], KEY, *tokens[at + 1 :]]), (token,)
        for at in (match.start() for match in re.finditer(r"[^\w]|_", label)):
            if label[:at] in keys:
                longest = max(end for end in (m.start() for m in re.finditer(r"[^\w]|_", label)) if label[:end] in keys)
                return KEY + label[longest:], (label[:longest],)
            if label[at + 1 :] in keys:
                return label[: at + 1] + KEY, (label[at + 1 :],)
        number = re.fullmatch(r"(.*?)(\d+)", label)
        if number and not node.holds_value and (not number[1] or not number[1][-1].isalnum()):
            return f"{number[1]}{NUMBER}", (number[2],)
        if label in self.lore.names:
            return ANY, (label,)
        return label, ()

    def merge(self, order: list[_Class], found: dict[_Class, list[Real]], repeated: set[_Class]) -> None:
        """Labels of several words that hold a key and differ in one word more are one: that word says something."""
        alike: dict[tuple[int, int, bool], list[_Class]] = {}
        for kind in order:
            tokens = (kind[0] or "").split(" ")
            if KEY in tokens and len(tokens) > 1:
                alike.setdefault((len(tokens), tokens.index(KEY), kind[1]), []).append(kind)
        for kinds in alike.values():
            columns = list(zip(*((kind[0] or "").split(" ") for kind in kinds), strict=True))
            apart = [at for at, words in enumerate(columns) if len(set(words)) > 1]
            if len(apart) != 1:
                continue
            at = apart[0]
            name = " ".join(ANY if column == at else words[0] for column, words in enumerate(columns))
            merged: _Class = (name, kinds[0][1], None)
            order.insert(order.index(kinds[0]), merged)
            reals = [
                Real(real.text, real.node, (*real.said, word))
                for kind, word in zip(kinds, columns[at], strict=True)
                for real in found.pop(kind)
            ]
            order[:] = [kind for kind in order if kind not in kinds]
            found[merged] = sorted(reals, key=lambda real: (real.text.pack, real.text.name, real.node.start))
            repeated.add(merged)
