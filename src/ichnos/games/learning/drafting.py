"""Writing a draft's documents: one entry's own text for all of them, with holes where they differ."""

from __future__ import annotations

from dataclasses import replace
from itertools import accumulate, pairwise
from pathlib import PurePosixPath

from ichnos.documents.formats import named
from ichnos.documents.lines import Lines, shows_quotes
from ichnos.documents.text import Text, from_bytes
from ichnos.documents.tree import Format, Node
from ichnos.games.learning.decisions import Decisions
from ichnos.games.learning.evidence import TextFile
from ichnos.games.learning.shapes import Real, Shape
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.nesting import line_patterns


def document(made: Decisions) -> bytes:
    """A document with its holes, spelled in bytes as the packs' own."""
    writer = _Writer(made)
    real = writer.example(made.shape)
    text = real.text.document.text
    root = real.node
    content = _raw(text, 0, root.start) + writer.write(made.shape) + _raw(text, root.end, len(text.content))
    made.disabled = waiting(made)
    if made.disabled is not None:
        content = _without(content, form_of(made, text.to_bytes(content), several=True), text.path)
    return text.to_bytes(content)


_BEFORE = ("#", ";", "//")  # an entry that waits in a comment


def waiting(made: Decisions) -> str | None:
    """What stands before entries that wait in comments: each for a key of the game, with a sound file or without one.

    A comment that only looks like an entry, as "loud = 3 was too much" does, is none, and where one is, none are.
    """
    by_label = any(label == "@key@" and shape.holds_value for shape, label in made.labels.items())
    if made.group.first.format not in ("ini", "lines") or made.named is None or not by_label:
        return None
    ends = {PurePosixPath(anchor.said).suffix for anchor in made.named.anchors}
    for sign in _BEFORE:
        found = [node for text in made.group.texts for node in _waiting(text, sign)]
        if found and all(_is_slot(node, ends) for node in found):
            return sign
    return None


def _waiting(text: TextFile, sign: str) -> list[Node]:
    form = text.document.format
    assert isinstance(form, Lines)
    return [node for node in replace(form, disabled=sign).parse(text.document.text).walk() if node.is_disabled]


def _is_slot(node: Node, ends: set[str]) -> bool:
    value = (node.value or "").strip("\"'")
    is_file = " " not in value and PurePosixPath(value).suffix in ends
    return " " not in (node.label or " ") and (not value or is_file)


def _without(content: str, form: Format, path: str) -> str:
    """A text without the lines of entries that wait."""
    starts = {node.start for node in form.parse(Text(path, content)).walk() if node.is_disabled}
    lines = content.splitlines(keepends=True)
    ends = accumulate(map(len, lines))
    return "".join(line for line, end in zip(lines, ends, strict=True) if not starts & {*range(end - len(line), end)})


def form_of(made: Decisions, data: bytes, *, several: bool) -> Format:
    """The format of a draft's document.

    Args:
        several: a sound may have several takes.
    """
    first = made.group.first
    content = from_bytes(data, made.path, first.encoding or "utf-8").content
    if first.format == "line-patterns":
        rules = DocumentRules(path=made.path, entry_for="take" if made.entry_for_takes else "sound")
        return line_patterns(content, rules, several_takes=several)
    form = named(first.format, first.escapes, made.disabled)
    return replace(form, quoted=shows_quotes(content)) if isinstance(form, Lines) else form


_ALWAYS = 0.9  # of all alike things: what so many have is a part of them


class _Writer:
    def __init__(self, made: Decisions) -> None:
        self.made = made
        self._holds: dict[Shape, bool] = {}
        self._of: dict[Shape, dict[Node, Shape]] = {}
        self._gaps: dict[Shape, dict[tuple[Shape | None, Shape | None], str]] = {}

    def holds(self, shape: Shape) -> bool:
        """Are there holes in it, or below?"""
        if shape not in self._holds:
            own = shape in self.made.holes or shape in self.made.labels
            self._holds[shape] = own or any(map(self.holds, shape.children))
        return self._holds[shape]

    def of(self, shape: Shape) -> dict[Node, Shape]:
        """The shape of each node in its nodes."""
        if shape not in self._of:
            self._of[shape] = {real.node: child for child in shape.children for real in child.reals}
        return self._of[shape]

    def example(self, shape: Shape, first: Shape | None = None, last: Shape | None = None) -> Real:
        """The node of which the text is taken: the one with most in it, and with these at its ends."""
        of = self.of(shape)

        def worth(real: Real) -> tuple[int, int, int]:
            children = [of.get(child) for child in real.node.children]
            begins = bool(first and children and children[0] is first)
            ends = bool(last and children and children[-1] is last)
            return int(begins), int(ends), len(set(children) - {None})

        return max(shape.reals, key=worth)

    def write(self, shape: Shape) -> str:
        if shape in self.made.holes:
            return self.value(shape)
        if not self.holds(shape):
            real = self.example(shape)
            return _raw(real.text.document.text, real.node.start, real.node.end)
        children = self.kept(shape)
        if not children:
            real = shape.reals[0]
            return self.head(shape, real) + _raw(real.text.document.text, real.node.body_start, real.node.end)
        front, back = self.example(shape, children[0]), self.example(shape, None, children[-1])
        text = self.head(shape, front)
        inner = front.node.children
        text += _raw(front.text.document.text, front.node.body_start, inner[0].start) if inner else ""
        for before, child in zip([None, *children], children, strict=False):
            text += self.between(shape, before, child) if before is not None else ""
            text += self.write(child)
        inner = back.node.children
        return text + _raw(back.text.document.text, inner[-1].end if inner else back.node.body_end, back.node.end)

    def kept(self, shape: Shape) -> list[Shape]:
        """What of a shape is written: all that has holes, and what stands in the example besides."""
        there = set(self.example(shape).node.children)
        kept_nodes = []
        for child in shape.children:
            always = len(child.reals) >= _ALWAYS * len(shape.reals)
            constant = not child.several and always and any(real.node in there for real in child.reals)
            if self.holds(child) or constant:
                kept_nodes.append(child)
        return kept_nodes

    def head(self, shape: Shape, real: Real) -> str:
        """Its beginning, up to its value or what it holds, with its label."""
        node, text = real.node, real.text.document.text
        if node.label_start < 0:
            return _raw(text, node.start, node.body_start)
        literal = text.content[node.label_start : node.label_end]
        label = self.made.labels.get(shape)
        if label is not None:
            quote = literal[:1] if literal[:1] in ('"', "'") else ""
            form = real.text.document.format
            literal = f"{quote}{label}{quote}" if quote else form.hole_as_label(label, node)
        else:
            literal = literal.replace("@", "@@")
        return text.content[node.start : node.label_start] + literal + text.content[node.label_end : node.body_start]

    def value(self, shape: Shape) -> str:
        real = self.example(shape) if not shape.holds_value else shape.reals[0]
        node, text = real.node, real.text.document.text
        literal, hole = text.content[node.body_start : node.body_end], self.made.holes[shape]
        form = real.text.document.format
        if literal[:1] in ('"', "'"):
            written = f"{literal[0]}{hole}{literal[0]}"
        elif not form.is_bare:
            written = f'"{hole}"'
        elif form.name == "CSV" and ("," in hole or '"' in hole):
            written = '"' + hole.replace('"', '""') + '"'
        else:
            written = hole
        return self.head(shape, real) + written + text.content[node.body_end : node.end]

    def between(self, shape: Shape, one: Shape, other: Shape) -> str:
        """What stands between two of its children: where they follow each other, or any two do."""
        if shape not in self._gaps:
            self._gaps[shape] = self.gaps(shape)
        gaps = self._gaps[shape]
        gap = next((gaps[pair] for pair in ((one, other), (None, other), (None, None)) if pair in gaps), None)
        if gap is not None:
            return gap
        form = one.reals[0].text.document.format
        return form.separator(shape.reals[0].node) + form.gap(one.reals[0].node)

    def gaps(self, shape: Shape) -> dict[tuple[Shape | None, Shape | None], str]:
        """The texts between children that follow each other; under None what stands before one, or between any."""
        of = self.of(shape)
        found: dict[tuple[Shape | None, Shape | None], str] = {}
        for real in shape.reals:
            for before, after in pairwise(real.node.children):
                gap, follows = _raw(real.text.document.text, before.end, after.start), of.get(after)
                for pair in ((of.get(before), follows), (None, follows), (None, None)):
                    found.setdefault(pair, gap)
        return found


def _raw(text: Text, start: int, end: int) -> str:
    """A part of a text as it stands, with signs that would begin a hole doubled."""
    return text.content[start:end].replace("@", "@@")
