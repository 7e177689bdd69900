"""Documents in no known format, described by lines of their own: ``audio "FILE" near 30 /*KEY*/``.

A pattern of a line has fixed texts and slots. Runs of blanks match any run, quotation marks around a slot may be
there or not, and a comment behind the line is left alone. An entry is one line or a block of a few, which begins
with a line and may end with a fixed one. A slot with a word before it, and the last one of a line, may be missing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from ichnos.documents.patterns import (
    COMMENTS,
    AnyPattern,
    Block,
    Group,
    LinePattern,
    Matcher,
    Slot,
    fixed,
    head_of,
)
from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, TEXT, WORD, Format, Node, Unwritable, Value, spelled
from ichnos.likeness import nearest

_LONGEST = 4_000  # of a line that is an entry
_SLIP = 0.79  # of likeness, one letter in five: a line that begins so like an entry is meant as one
_LINE = re.compile(r"[^\r\n]*")
_ESCAPE = re.compile(r"\\(.)")
_DECODED = {"n": "\n", "r": "\r", "t": "\t"}


@dataclass(frozen=True)
class LinePatterns(Format):
    """A format that is made of one document's own lines; see :class:`ichnos.documents.tree.Format`."""

    patterns: tuple[AnyPattern, ...] = ()
    escapes: str = "none"
    comments: tuple[str, ...] = COMMENTS
    disabled: str | None = None
    name: str = "line-patterns"
    by_lines = True

    def parse(self, text: Text) -> Node:
        return _Parser(self, text.content).document()

    @cached_property
    def groups(self) -> dict[str, Group]:
        parts = (part for line in self.lines for part in line.parts)
        return {part.name: part for part in parts if isinstance(part, Group)}

    @cached_property
    def slots(self) -> dict[str, Slot]:
        parts = [part for line in self.lines for part in line.parts]
        slots = [slot for part in parts for slot in (part.slots if isinstance(part, Group) else (part,))]
        return {slot.name: slot for slot in slots}

    @cached_property
    def lines(self) -> tuple[LinePattern, ...]:
        """Every pattern of a line."""

        def below(patterns: Sequence[AnyPattern]) -> Iterator[LinePattern]:
            for pattern in patterns:
                yield head_of(pattern)
                if isinstance(pattern, Block):
                    yield from below(pattern.body)
                    yield from (pattern.last,) if pattern.last else ()

        return tuple(below(self.patterns))

    @cached_property
    def matchers(self) -> dict[int, Matcher]:
        """How each pattern of a line is matched, by its identity."""
        return {id(line): Matcher(line, self.escapes, self.comments) for line in self.lines}

    @cached_property
    def bare(self) -> dict[str, re.Pattern[str]]:
        """What each slot may hold without quotation marks."""
        return {name: bare for matcher in self.matchers.values() for name, bare in matcher.bare.items()}

    def gap(self, node: Node) -> str:
        joint = self.joint(node)
        return "\n" if joint is None else joint

    def joint(self, node: Node) -> str | None:
        """What stands between a node within a line and one like it; ``None`` for whole lines."""
        if node.label in self.groups:
            return self.groups[node.label].joint or ""
        return "" if node.label in self.slots else None

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if ("\n" in content or "\r" in content) and self.escapes != "backslash":
            raise Unwritable("it has a line break, and an entry here is one line")
        mark = text[node.body_start : node.body_start + 1]
        if mark in ('"', "'"):
            if self.escapes == "backslash":
                marks = {"\\": "\\\\", mark: f"\\{mark}", "\n": "\\n", "\r": "\\r"}
                return mark + "".join(marks.get(sign, sign) for sign in content) + mark
            if mark in content:
                raise Unwritable(f"it has the quotation mark {mark} that it stands in")
            return f"{mark}{content}{mark}"
        bare = self.bare.get(node.label or "")
        if content != content.strip() or bare is None or not bare.fullmatch(content):
            raise Unwritable(
                f"{content!r} cannot stand here without quotation marks: it would be read as something else"
            )
        return content

    def write_label(self, label: str, node: Node) -> str:
        raise Unwritable("lines have no labels")

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return parent is not None and node.label not in self.slots

    def optional(self, node: Node, parent: Node | None) -> bool:
        slot = self.slots.get(node.label or "")
        return parent is not None and (slot is None or slot.optional)


@dataclass(frozen=True)
class _RealLine:
    start: int  # of its first sign
    end: int  # without the blanks at its end
    indent: int
    is_comment: bool  # unless it is a disabled entry


class _Parser:
    """Reads a text's lines by the patterns, the innermost that are open first."""

    def __init__(self, form: LinePatterns, content: str) -> None:
        self.form = form
        self.content = content
        self.begins_as_comment = any(pattern.opening.lstrip().startswith(self.signs) for pattern in form.lines)
        self.lines = list(self._lines())
        self.orders: dict[int, list[AnyPattern]] = {}
        self.at = 0

    @property
    def signs(self) -> tuple[str, ...]:
        return tuple(sign.partition(" ")[0] for sign in self.form.comments)

    def _lines(self) -> Iterator[_RealLine]:
        """The lines that are neither empty nor comments."""
        inside = ""
        for match in _LINE.finditer(self.content):
            text = match[0].strip(" \t")
            if not text:
                continue
            if inside:
                inside = "" if inside in text else inside
                continue
            start = match.start() + match[0].index(text)
            is_disabled = self.form.disabled is not None and text.startswith(self.form.disabled)
            is_comment = text.startswith(self.signs) and not self.begins_as_comment
            for sign in self.form.comments if is_comment else ():
                opening, _, closing = sign.partition(" ")
                if closing and text.startswith(opening) and closing not in text[len(opening) :]:
                    inside = closing
            if is_disabled or not is_comment:
                yield _RealLine(start, start + len(text), start - match.start(), is_comment or is_disabled)

    def document(self) -> Node:
        root = Node(KEYED, 0, 0, 0, 0)
        self.read_into(root, self.form.patterns, ())
        if root.children:
            root.start = root.body_start = root.children[0].start
            root.end = root.body_end = root.children[-1].end
        else:
            root.start = root.end = root.body_start = root.body_end = len(self.content)
        return root

    def read_into(self, parent: Node, patterns: Sequence[AnyPattern], around: tuple[Block, ...]) -> None:
        """Take all lines that belong to a node; the one that it ends with, or that is another's, stays."""
        within = self.lines[self.at - 1].indent if around else -1
        while self.at < len(self.lines):
            line = self.lines[self.at]
            if around and self.ends(line, around):
                return
            node = self.first_of(patterns, line, around)
            if node is None and line.is_comment:
                self.at += 1
                continue
            if node is None:
                if around and around[-1].last is None and line.indent <= within:
                    return
                if around and around[-1].last is None and self.is_of_outer(line, around):
                    return
                self.at += 1
                node = self.stray(line, patterns)
            parent.children.append(node)
            parent.end = parent.body_end = max(parent.end, node.end)

    def ends(self, line: _RealLine, around: tuple[Block, ...]) -> bool:
        """Does a line end an open block, or begin the next one like it?"""
        for block in around:
            if block.last is not None and self.matched(block.last, line):
                return True
        return self.matched(around[-1].head, line) is not None

    def is_of_outer(self, line: _RealLine, around: tuple[Block, ...]) -> bool:
        outer = [self.form.patterns, *(block.body for block in around[:-1])]
        return any(self.matched(head_of(pattern), line) for patterns in outer for pattern in patterns)

    def first_of(self, patterns: Sequence[AnyPattern], line: _RealLine, around: tuple[Block, ...]) -> Node | None:
        """The node of the pattern that a line fits, and says most of."""
        for pattern in self.ordered(patterns):
            match = self.matched(head_of(pattern), line)
            if match is None:
                continue
            self.at += 1
            node = self.line(head_of(pattern), match, line)
            return self.block(pattern, node, around) if isinstance(pattern, Block) else node
        return None

    def ordered(self, patterns: Sequence[AnyPattern]) -> list[AnyPattern]:
        """Patterns in the order in which they are tried: those with the most fixed text first."""
        if id(patterns) not in self.orders:
            self.orders[id(patterns)] = sorted(patterns, key=lambda one: -head_of(one).weight)
        return self.orders[id(patterns)]

    def block(self, pattern: Block, head: Node, around: tuple[Block, ...]) -> Node:
        node = Node(KEYED, head.start, head.end, head.start, head.end, label=pattern.label, children=[head])
        node.is_disabled = head.is_disabled
        self.read_into(node, pattern.body, (*around, pattern))
        line = self.lines[self.at] if self.at < len(self.lines) else None
        if pattern.last is not None and line is not None and self.matched(pattern.last, line):
            self.at += 1
            node.end = line.end
        return node

    def matched(self, pattern: LinePattern, line: _RealLine) -> re.Match[str] | None:
        if line.end - line.start > _LONGEST:
            return None
        start, disabled = line.start, self.form.disabled
        if disabled is not None and pattern.parts and self.content.startswith(disabled, start):
            start += len(disabled)
        match = self.form.matchers[id(pattern)].whole.fullmatch(self.content, start, line.end)
        return match if match is not None and self.fits(pattern, match) else None

    def fits(self, pattern: LinePattern, match: re.Match[str]) -> bool:
        """Do the fixed signs inside the slots' words stand there?"""
        for index, part in enumerate(pattern.parts):
            if isinstance(part, Slot) and (value := match[f"s{index}"]) is not None:
                inner = value[1:-1] if value[:1] in ('"', "'") else value
                if not (inner.startswith(part.begins) and inner.endswith(part.ends)):
                    return False
        return True

    def line(self, pattern: LinePattern, match: re.Match[str], line: _RealLine) -> Node:
        """A line's node, with one for each slot and each repetition of a group."""
        end = match.end("closing")
        node = Node(KEYED, line.start, end, line.start, end, label=pattern.label)
        node.is_disabled = match.start() > line.start
        before = 0
        for index, part in enumerate(pattern.parts):
            start, stop = match.span(f"s{index}")
            if start < 0 or start == stop:
                continue
            if isinstance(part, Slot):
                node.children.append(self.slot(part, start, stop, before or start))
                before = node.children[-1].end
            else:
                for one in self.group(part, pattern, start, stop):
                    node.children.append(one)
                    before = one.end
        return node

    def slot(self, slot: Slot, start: int, stop: int, before: int) -> Node:
        literal = self.content[start:stop]
        tail = re.compile(fixed(slot.tail, before=True, behind=False)).match(self.content, stop) if slot.tail else None
        return Node(TEXT, before, tail.end() if tail else stop, start, stop, self.decoded(literal), slot.name)

    def group(self, group: Group, pattern: LinePattern, start: int, stop: int) -> Iterator[Node]:
        """Each repetition of a group within a line."""
        item = self.form.matchers[id(pattern)].items[group.name]
        lead = re.compile(fixed(group.slots[0].lead, before=True, behind=True))
        joint = lead if group.joint is None else re.compile(fixed(group.joint, before=True, behind=True))
        between, before = lead, start
        while before < stop:
            opening = between.match(self.content, before, stop)
            match = item.match(self.content, opening.end(), stop) if opening else None
            if match is None or opening is None:
                return
            begins = before if group.joint is None else match.start()
            node = Node(KEYED, begins, match.end(), begins, match.end(), label=group.name)
            last = 0
            for at, slot in enumerate(group.slots):
                if match.start(f"i{at}") >= 0:
                    node.children.append(self.slot(slot, *match.span(f"i{at}"), last or match.start(f"i{at}")))
                    last = node.children[-1].end
            yield node
            between, before = joint, match.end()

    def decoded(self, literal: str) -> str:
        if literal[:1] not in ('"', "'") or len(literal) < 2:
            return literal
        inner = literal[1:-1]
        return _ESCAPE.sub(lambda m: _DECODED.get(m[1], m[1]), inner) if self.form.escapes == "backslash" else inner

    def stray(self, line: _RealLine, patterns: Sequence[AnyPattern]) -> Node:
        """A line that fits nothing: one that begins like an entry, or nearly so, is called as that is."""
        text = self.content[line.start : line.end]
        words = {head_of(pattern).first_word: pattern for pattern in reversed(patterns) if head_of(pattern).parts}
        words.pop("", None)
        word = next(iter(re.findall(r"\w+", text)), "")
        near = nearest(words, word, 1, _SLIP)
        if near and (near[0] == word or not (near[0].startswith(word) or word.startswith(near[0]))):
            return Node(KEYED, line.start, line.end, line.start, line.end, label=words[near[0]].label)
        return Node(WORD, line.start, line.end, line.start, line.end, text)
