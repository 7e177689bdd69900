"""What a document of line patterns is made of: the lines of an exemplar, with their holes, as patterns.

An entry begins with the line that has its own name. Lines behind it that have other holes of it belong to it, and
what stands between them. A fixed line before entries is a heading, where one ends them or they are indented below it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ichnos.documents.line_patterns import LinePatterns
from ichnos.documents.patterns import COMMENTS, AnyPattern, Block, Group, LinePattern, Slot
from ichnos.games.profiles.declared import NO_DECLARATIONS, Declarations
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.hole import HoleError
from ichnos.games.profiles.holes import HOLE
from ichnos.games.profiles.vocabulary import (
    AROUND,
    LANGUAGE,
    PACK,
    SCOPES,
    TAKE,
    all_entry_scopes,
    entry_scopes,
    inner_scopes,
    scope_of,
    scope_row,
)

_TOKEN = re.compile(rf"\"[^\"\n]*\"|'[^'\n]*'|{HOLE.pattern.replace('?P<', '?P<h_')}|[\w./\\+-]+|[ \t]+|.")
_WORD = re.compile(r"[\w./\\+-]+")
_CLOSES = re.compile(r"[)\]}>]+")
_NAMED = re.compile(r"\w")


def line_patterns(
    text: str, rules: DocumentRules, declared: Declarations = NO_DECLARATIONS, *, several_takes: bool = True
) -> LinePatterns:
    """The format of a document from its exemplar's text.

    Args:
        declared: the things and fields that the profile declares.
        several_takes: takes repeat within a line.

    Raises:
        HoleError: a line that cannot be meant.
    """
    signs = COMMENTS if rules.comments is None else rules.comments
    in_lines = declared, several_takes and rules.entry_for != "take"
    lines = list(_lines(text, signs, *in_lines))
    return LinePatterns(tuple(_Nesting(lines).patterns()), rules.escapes or "none", signs, rules.disabled)


@dataclass(frozen=True)
class _Line:
    pattern: LinePattern
    names: tuple[str, ...]  # of its holes
    indent: int

    @property
    def scopes(self) -> set[str]:
        return {scope_of(name) for name in self.names}

    @property
    def around(self) -> str | None:
        """The scope that it opens around entries."""
        inside = self.scopes - {PACK}
        return next((scope for scope in AROUND if scope in inside), None) if inside and inside <= {*AROUND} else None

    @property
    def entry(self) -> str | None:
        """The scope of entries that it belongs to, at any depth."""
        scopes = all_entry_scopes(self.scopes)
        return next((scope for scope in scopes if self.scopes & {scope, *inner_scopes(scope)}), None)

    @property
    def naming(self) -> set[str]:
        """What of an entry's declared names stands in it."""
        return {name for name in self.names if self.entry and name in scope_row(self.entry).principal}


def _lines(text: str, comments: tuple[str, ...], declared: Declarations, several_takes: bool) -> Iterator[_Line]:
    signs = tuple(sign.partition(" ")[0] for sign in comments)
    for number, whole in enumerate(text.splitlines(), 1):
        content = whole.strip()
        names = tuple(_names(content, declared))
        if not content or (content.startswith(signs) and not names):
            continue
        indent = len(whole) - len(whole.lstrip())
        try:
            pattern = _pattern(str(number), content, comments, declared, several_takes)
        except HoleError as error:
            raise HoleError(f"line {number}: {error.what}", 0, error.cure) from None
        line = _Line(pattern, names, indent)
        yield replace(line, pattern=replace(line.pattern, label=_label(line, number, content)))


def _label(line: _Line, number: int, content: str) -> str:
    """What lines are called that are ways to write one entry: by its scope, and by the first word."""
    scopes = (*SCOPES, *all_entry_scopes(line.scopes))
    scope = next((scope for scope in scopes if set(line.names) & set(scope_row(scope).principal)), None)
    if scope is None or line.entry is None:
        return f"{number}: {HOLE.sub('...', content)}"
    words = re.findall(r"\w+", HOLE.sub(" ", content))
    return f"{scope} {line.pattern.first_word or next(iter(words), '')}"


def _names(text: str, declared: Declarations) -> Iterator[str]:
    """The names of the holes in a text, as code calls them."""
    for match in HOLE.finditer(text):
        if match["name"] is not None:
            word = declared.word(match["name"])
            yield word.name if word else match["name"]


def _pattern(
    number: str, content: str, comments: tuple[str, ...], declared: Declarations, several_takes: bool
) -> LinePattern:
    """One line of an exemplar as a pattern."""
    pieces = list(_pieces(content))
    texts, slots = pieces[::2], pieces[1::2]
    if any("@@" in text for text in texts):
        raise HoleError("@@ stands in a line's fixed text, where nothing is filled in", 0, "write a plain @ alone here")
    if not slots:
        return LinePattern("", content)
    parts: list[Slot] = []
    tail = ""
    for index, written in enumerate(slots):
        between = texts[index][len(tail) :] if index else ""
        following = texts[index + 1]
        closes = _CLOSES.match(following)
        tail = closes[0] if closes and index + 1 < len(slots) and following != closes[0] else ""
        inner = written[1:-1] if written[0] in "\"'" else written
        found = [match for match in HOLE.finditer(inner) if match["name"] is not None]
        is_last, is_named = index + 1 == len(slots), bool(_NAMED.search(between))
        is_followed = is_last or bool(_NAMED.search(following[len(tail) :]))  # else those behind it would move up
        is_optional = index > 0 and is_followed and (is_named or (is_last and between[:1] in " \t,"))
        parts.append(
            Slot(
                f"{number}.{index + 1}", written, between, tail, inner[: found[0].start()], inner[found[-1].end() :],
                is_optional,
            )
        )  # fmt: skip
    closing = texts[-1]
    for sign in comments:  # a comment behind the exemplar's line is not part of what a line is like
        closing = re.split(rf"(?:^|[ \t]){re.escape(sign.partition(' ')[0])}", closing, maxsplit=1)[0]
    return LinePattern("", texts[0], tuple(_grouped(parts, declared, several_takes)), closing.rstrip())


def _pieces(content: str) -> Iterator[str]:
    """Fixed text and slots in turn, beginning and ending with fixed text: a slot is a hole with the word around it."""
    plain, slot = "", ""
    for token in _TOKEN.finditer(content):
        piece = token[0]
        is_quoted = piece[0] in "\"'" and len(piece) > 1
        has_hole = any(match["name"] is not None for match in HOLE.finditer(piece))
        if is_quoted or not (has_hole or _WORD.fullmatch(piece)):
            if slot:
                yield from (plain, slot)
                plain, slot = "", ""
            if is_quoted and has_hole:
                yield from (plain, piece)
                plain = ""
            else:
                plain += piece
        elif has_hole or slot:
            if not slot and (word := re.search(r"[\w./\\+-]+$", plain)):
                plain, slot = plain[: word.start()], word[0]
            slot += piece
        else:
            plain += piece
    if slot:
        yield from (plain, slot)
        plain = ""
    yield plain


def _grouped(slots: list[Slot], declared: Declarations, several_takes: bool) -> Iterator[Slot | Group]:
    """The slots with those of one inner scope together; shown twice, what stands between the two is their joint."""
    index = 0
    while index < len(slots):
        scope = _scope(slots[index], declared)
        run = 1
        while index + run < len(slots) and scope is not None and _scope(slots[index + run], declared) == scope:
            run += 1
        members = slots[index : index + run]
        index += run
        names = [list(_names(slot.written, declared)) for slot in members]
        half = run // 2
        is_twice = run % 2 == 0 and names[:half] == names[half:]
        if scope is None or (scope == TAKE and not several_takes) or not (is_twice or _NAMED.search(members[0].lead)):
            yield from members
            continue
        shown = members[:half] if is_twice else members
        joint = members[half].lead if is_twice else None
        firm = [replace(slot, optional=slot.optional and bool(_NAMED.search(slot.lead))) for slot in shown]
        yield Group(f"{shown[0].name}-", (replace(firm[0], optional=False), *firm[1:]), joint)


def _scope(slot: Slot, declared: Declarations) -> str | None:
    """The scope inside an entry that a slot belongs to."""
    scopes = set(map(scope_of, _names(slot.written, declared)))
    inner = [scope for entry in entry_scopes() for scope in inner_scopes(entry)]
    return next((scope for scope in inner if scope in scopes), None)


class _Nesting:
    """Which lines belong together."""

    def __init__(self, lines: list[_Line]) -> None:
        self.lines = lines
        self.at = 0

    def patterns(self) -> Iterator[AnyPattern]:
        """All of the document's."""
        while self.at < len(self.lines):
            yield self.one(inside=False)

    def one(self, *, inside: bool) -> AnyPattern:
        line = self.lines[self.at]
        if line.entry is not None:
            return self.entry(inside=inside)
        if line.around is not None or (not line.names and self.opens()):
            return self.around()
        self.at += 1
        return line.pattern

    def peek(self, ahead: int = 0) -> _Line | None:
        return self.lines[self.at + ahead] if self.at + ahead < len(self.lines) else None

    def entry(self, *, inside: bool) -> AnyPattern:
        """An entry: its first line, and those that follow with more of it."""
        head = self.lines[self.at]
        named, body = set(head.naming), []
        self.at += 1
        while (count := self.belonging(head, named)) > 0:
            for line in self.lines[self.at : self.at + count]:
                body.append(line.pattern)
                named |= line.naming
            self.at += count
        if not body:
            return head.pattern
        is_indented = self.lines[self.at - 1].indent > head.indent
        return Block(head.pattern, tuple(body), self.closing(head, is_indented=is_indented, inside=inside))

    def belonging(self, head: _Line, named: set[str]) -> int:
        """How many of the next lines belong to an entry: fixed ones do where a line of it follows."""
        ahead = 0
        while (line := self.peek(ahead)) is not None and not line.names:
            ahead += 1
        if line is None or line.entry != head.entry or line.naming & named:
            return 0
        return ahead + 1

    def closing(self, head: _Line, *, is_indented: bool, inside: bool) -> LinePattern | None:
        """The fixed line that ends an entry of several lines."""
        line, other = self.peek(), self.peek(1)
        if line is None or line.names:
            return None
        has_two = other is not None and not other.names
        if (is_indented and line.indent == head.indent) or not inside or has_two:
            self.at += 1
            return line.pattern
        return None

    def opens(self) -> bool:
        """Does a fixed line open a part with entries in it?"""
        line, following = self.lines[self.at], self.peek(1)
        if following is None or following.entry is None:
            return False
        ahead = 1
        while (other := self.peek(ahead)) is not None and (other.names or other.indent > line.indent):
            ahead += 1
        looks = line.pattern.opening.startswith("[") or line.pattern.opening.endswith((":", "{", "(", "[", "<"))
        return looks or following.indent > line.indent or other is not None

    def around(self) -> AnyPattern:
        """A line with the entries under it, up to the next one like it, or the fixed line that ends them."""
        head = self.lines[self.at]
        self.at += 1
        body: list[AnyPattern] = []
        while (line := self.peek()) is not None and (self.may_hold(head, line) or self.is_inner(head, line)):
            body.append(self.one(inside=True))
        if not body:
            return head.pattern
        line = self.peek()
        last = None
        if line is not None and not line.names and not self.opens():
            last = line.pattern
            self.at += 1
        return Block(head.pattern, tuple(body), last)

    def may_hold(self, head: _Line, line: _Line) -> bool:
        """May an entry stand under a heading?"""
        return line.entry is not None and (head.around is None or head.around in scope_row(line.entry).around)

    def is_inner(self, head: _Line, line: _Line) -> bool:
        """Is it a line of another group, inside the one that is open?"""
        if line.around is None or line.around == head.around:
            return False
        return head.around is None or AROUND.index(line.around) > AROUND.index(head.around) or head.around == LANGUAGE
