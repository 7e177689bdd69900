"""Writing a draft's documents: one entry's own text for all of them, with holes where they differ."""

from __future__ import annotations

from itertools import pairwise

from ichnos.documents.text import Text
from ichnos.games.learning.decisions import Decisions
from ichnos.games.learning.shapes import Real, Shape


def document(made: Decisions) -> bytes:
    """A document with its holes, spelled in bytes as the packs' own."""
    writer = _Writer(made)
    real = writer.example(made.shape)
    text = real.text.document.text
    root = real.node
    content = text.content[: root.start] + writer.write(made.shape) + text.content[root.end :]
    return text.to_bytes(content)


_ALWAYS = 0.9  # of all alike things: what so many have is a part of them


class _Writer:
    def __init__(self, made: Decisions) -> None:
        self.made = made
        self._holds: dict[Shape, bool] = {}

    def holds(self, shape: Shape) -> bool:
        """Are there holes in it, or below?"""
        if shape not in self._holds:
            own = shape in self.made.holes or shape in self.made.labels
            self._holds[shape] = own or any(map(self.holds, shape.children))
        return self._holds[shape]

    def example(self, shape: Shape, first: Shape | None = None, last: Shape | None = None) -> Real:
        """The node of which the text is taken: the one with most in it, and with these at its ends."""
        below = {child: {real.node for real in child.reals} for child in shape.children}

        def worth(real: Real) -> tuple[int, int, int]:
            children = real.node.children
            begins = bool(first and children and children[0] in below[first])
            ends = bool(last and children and children[-1] in below[last])
            there = sum(any(child in nodes for child in children) for nodes in below.values())
            return int(begins), int(ends), there

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
        content = front.text.document.text.content
        inner = front.node.children
        text += content[front.node.body_start : inner[0].start] if inner else ""
        for before, child in zip([None, *children], children, strict=False):
            text += self.between(shape, before, child) if before is not None else ""
            text += self.write(child)
        inner = back.node.children
        return text + back.text.document.text.content[inner[-1].end if inner else back.node.body_end : back.node.end]

    def kept(self, shape: Shape) -> list[Shape]:
        """What of a shape is written: all that has holes, and what stands in the example besides."""
        example = self.example(shape)
        found = []
        for child in shape.children:
            there = {real.node for real in child.reals}
            always = len(child.reals) >= _ALWAYS * len(shape.reals)
            if self.holds(child) or (
                not child.several and always and any(node in there for node in example.node.children)
            ):
                found.append(child)
        return found

    def head(self, shape: Shape, real: Real) -> str:
        """Its beginning, up to its value or what it holds, with its label."""
        node, text = real.node, real.text.document.text
        if node.label_start < 0:
            return _raw(text, node.start, node.body_start)
        literal = text.content[node.label_start : node.label_end]
        label = self.made.labels.get(shape)
        if label is not None:
            quote = literal[:1] if literal[:1] in ('"', "'") else ""
            literal = f"{quote}{label}{quote}"
        else:
            literal = literal.replace("@", "@@")
        return text.content[node.start : node.label_start] + literal + text.content[node.label_end : node.body_start]

    def value(self, shape: Shape) -> str:
        real = self.example(shape) if not shape.holds_value else shape.reals[0]
        node, text = real.node, real.text.document.text
        literal, hole = text.content[node.body_start : node.body_end], self.made.holes[shape]
        form = real.text.document.format.name
        if literal[:1] in ('"', "'"):
            written = f"{literal[0]}{hole}{literal[0]}"
        elif form == "JSON":
            written = f'"{hole}"'
        elif form == "CSV" and ("," in hole or '"' in hole):
            written = '"' + hole.replace('"', '""') + '"'
        else:
            written = hole
        return self.head(shape, real) + written + text.content[node.body_end : node.end]

    def between(self, shape: Shape, one: Shape, other: Shape) -> str:
        """What stands between two of its children: where they follow each other, or any two do."""
        first, second = {real.node for real in one.reals}, {real.node for real in other.reals}
        alike = ""
        for real in shape.reals:
            children, content = real.node.children, real.text.document.text.content
            for before, after in pairwise(children):
                gap = content[before.end : after.start]
                if before in first and after in second:
                    return gap
                if not alike or (after in second):
                    alike = gap
        if alike:
            return alike
        real = one.reals[0]
        form = real.text.document.format
        parent = shape.reals[0].node
        return form.separator(parent) + form.gap(real.node)


def _raw(text: Text, start: int, end: int) -> str:
    """A part of a text as it stands, with signs that would begin a hole doubled."""
    return text.content[start:end].replace("@", "@@")
