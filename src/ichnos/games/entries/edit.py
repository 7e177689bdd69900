"""Edit: entries of a file that is there already, changed, copied or added by splicing its own text.

``like`` takes an existing entry's text and changes only the holes; ``merge`` does so for entries that
a file has, and adds the others after the last. Every byte outside the edited entries stays as it is.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from dataclasses import replace

from ichnos.documents.tree import Document, Node, Unwritable, Value, margin
from ichnos.errors import IchnosError
from ichnos.games.entries import names
from ichnos.games.entries.edits import Edit, EntryChange, behind_line, change_of, removals, with_edits
from ichnos.games.entries.fill import Bindings, Filler, Like, repetitions, resolve
from ichnos.games.entries.found import Found
from ichnos.games.entries.read import read
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole import Missing
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.vocabulary import CATEGORY, GROUP, LANGUAGE, PART, SOUND, TAKE, part_in, scope_row

_BY_NAME = {LANGUAGE: "language", PART: "part.name"}  # what of an entry is known by a name, and stays if not said
GROUPS = (CATEGORY, GROUP, LANGUAGE)  # an entry of these is gone into, never replaced
_BRACKETS = ("{", "[")
_INDENTED = re.compile(r"(?<=\n)[ \t]")
_CLOSING = re.compile(r"\s*([\])}];?|</[^<>]*>)$")  # what ends a container, and the white space before it


def merge(
    exemplar: Exemplar, document: Document, bindings: Bindings, like: Like | None = None
) -> tuple[str, list[EntryChange]]:
    """The file's text with the pack's entries in it, and what was changed.

    Args:
        like: gives the text of an added entry that is to start as an existing one's, or ``None``.

    Raises:
        IchnosError: the file has another structure than the exemplar.
    """
    reading = read(exemplar, document)
    if reading is None:
        raise document.error(
            "this file has another structure than the profile says", document.root.start, "correct the profile's tree/"
        )
    editor = Editor(exemplar, document, like)
    one_entry = any(scope not in GROUPS for scope in exemplar.file_scopes)  # the file itself is the entry
    edits = list(editor.change(reading.pack, bindings) if one_entry else editor.merge_entries(reading.pack, bindings))
    text = document.text.content
    edits = [edit for edit in edits if text[edit.start : edit.end] != edit.text]  # rounded to what stands there
    return with_edits(text, edits), [change_of(document, edit) for edit in edits]


class Editor:
    """Makes edits to one real document, with an exemplar to know what is what in it."""

    def __init__(self, exemplar: Exemplar, document: Document, like: Like | None = None) -> None:
        self.exemplar = exemplar
        self.document = document
        self.text = document.text.content
        self.filler = Filler(exemplar, like, document)

    def merge_entries(self, part: Found, bindings: Bindings) -> Iterator[Edit]:
        """The edits that bring the pack's entries into what was found."""
        for pattern, real in dict(part.pairs).items():  # new entries go into the last of several parts that are alike
            for scope in dict.fromkeys(self.exemplar.units.get(child) for child in pattern.children):
                if scope is not None:
                    yield from self.merge_scope(scope, pattern, real, part, bindings)

    def merge_scope(self, scope: str, pattern: Node, real: Node, found: Found, bindings: Bindings) -> Iterator[Edit]:
        naming = self.naming(scope)
        here = [part_here for part_here in found.inside.get(scope, ()) if part_here.alternative in pattern.children]
        by_state = sorted(here, key=lambda one: not one.node.is_disabled)  # what is there counts, and not its comment
        pieces = self.exemplar.pieces(pattern, scope)
        existing = [
            {tuple(map(one.values.get, naming)): one for one in by_state if one.alternative in piece}
            for piece in pieces
        ]
        added: list[str] = []
        changed: list[tuple[Found, str]] = []
        for inner in repetitions(self.exemplar, scope, bindings):
            named = tuple(resolve(name, inner) for name in naming)
            for piece, there in zip(pieces, existing, strict=True):
                part = there.get(named)
                if part is None:
                    text = self.filler.entry(piece, scope, inner)
                    if text is not None:
                        added.append(text)
                elif scope in GROUPS:
                    yield from self.merge_entries(part, inner)
                elif roles := names.roles_of(part, here):
                    yield from (edit for one in roles for edit in self.change(one, inner))
                else:
                    anew = resolve("fresh", inner) is True and scope == SOUND
                    text = (self.filler.entry(piece, scope, inner) if anew else None) or self.refill(part, inner)
                    if text != names.text_of(self.exemplar, self.document, part):
                        changed.append((part, text))
        edits, apart = names.rewrite(self.exemplar, self.document, changed)
        yield from edits
        if added := apart + added:
            own = {id(node) for node in real.children}
            yield from self.insert(added, pattern, real, [one.node for one in here if id(one.node) in own])

    def naming(self, scope: str) -> list[str]:
        """The holes that tell entries of a scope apart, in this exemplar."""
        names = {
            name for node, of in self.exemplar.units.items() if of == scope for name in self.exemplar.names_below(node)
        }
        other = self.exemplar.together.get(scope)
        principal = (*scope_row(scope).principal, *(scope_row(other).principal if other else ()))
        return [name for name in principal if name in names]

    def refill(self, part: Found, bindings: Bindings, *, copied: bool = False) -> str:
        """An entry's own text with only the holes changed that have a value.

        Args:
            copied: it is the text of another sound's entry, whose titles are not this one's.
        """
        edits = [*self.change(part, bindings, copied=copied), *names.without_others(self.document, part)]
        text = with_edits(self.text, edits, part.node.start, part.node.end)
        return text.removeprefix(self.document.format.disabled or "") if part.node.is_disabled else text

    def with_weight(self, bindings: Bindings, model: Found) -> Bindings:
        """A take that says no weight, among others that do: it has the usual one, not that of the file before it."""
        is_kept = resolve("file", bindings) == model.values.get("file")
        usual = next((hole.usual for hole in self.exemplar.holes_named("weight")), None)
        if is_kept or usual is None or resolve("weight", bindings) is not None:
            return bindings
        return {**bindings, TAKE: replace(bindings[TAKE], values={**bindings[TAKE].values, "weight": usual})}

    def change(self, part: Found, bindings: Bindings, *, copied: bool = False) -> Iterator[Edit]:
        matched = dict(part.pairs)
        theirs = {child for child in matched if copied and self.is_theirs(child, bindings)}
        gone = {
            node
            for child in theirs
            if self.document.format.optional(child, self.exemplar.parents.get(child))
            for node in child.walk()
        }
        for pattern, real in part.pairs:
            yield from self.respell(pattern, real, part, bindings)
            if pattern.holds_value:
                continue
            yield from self.add(pattern, real, matched, bindings)
            if copied and pattern not in gone:
                yield from self.without_theirs(pattern, real, matched, theirs)
            for scope in dict.fromkeys(self.exemplar.units.get(child) for child in pattern.children):
                name = _BY_NAME.get(scope or "")
                if name in self.exemplar.scopes and scope is not None and not copied:
                    yield from self.by_name(scope, str(name), pattern, real, part, bindings)
                elif scope is not None:
                    yield from self.repeat(scope, pattern, real, part, bindings, copied=copied)

    def add(self, pattern: Node, real: Node, matched: Collection[Node], bindings: Bindings) -> Iterator[Edit]:
        """Put into a node what is set, and stands in the pattern alone."""
        absent = [
            (child, text)
            for child in pattern.children
            if child not in matched and child not in self.exemplar.units and self.is_set(child, bindings)
            if (text := self.filler.node(child, bindings)) is not None
        ]
        yield from (self.into_line([text], child, pattern, real) for child, text in absent if self.in_line(child))
        missing = [text for child, text in absent if not self.in_line(child)]
        reopened = self.document.format.reopened(real, self.text) if missing else None
        if reopened is not None and any(child not in matched and not child.holds_value for child in pattern.children):
            at, closing = reopened
            yield Edit(at, real.end, f">{''.join(text.strip() for text in missing)}{closing}")
        elif missing:
            yield from self.insert(missing, pattern, real, real.children)

    def in_line(self, pattern: Node) -> bool:
        """Has it a place of its own within a line?"""
        return self.exemplar.document.format.joint(pattern) is not None

    def into_line(self, texts: list[str], child: Node, pattern: Node, real: Node) -> Edit:
        """Something new within a line, behind what stands before it."""
        before = {one.label for one in pattern.children[: pattern.children.index(child)]}
        at = max((one.end for one in real.children if one.label in before), default=real.body_start)
        return Edit(at, at, (self.exemplar.document.format.joint(child) or "").join(texts))

    def without_theirs(self, pattern: Node, real: Node, matched: dict[Node, Node], theirs: set[Node]) -> Iterator[Edit]:
        """Take out what is only called or played by the sound whose entry was copied."""
        form = self.document.format
        here = [child for child in pattern.children if child in theirs]
        yield from removals(self.document, real, [matched[part] for part in here if form.optional(part, pattern)])
        for child in here:
            there = matched[child]
            if not form.optional(child, pattern) and there.holds_value and form.empty is not None:  # it keeps its place
                yield Edit(there.body_start, there.body_end, form.empty)

    def is_theirs(self, pattern: Node, bindings: Bindings) -> bool:
        """Does this say nothing but what the copied sound is called or plays, and the new one does not?"""
        names = self.exemplar.names_below(pattern)
        own = all(name in ("title", "file") or part_in(name) for name in names)
        unsaid = all(resolve(name, bindings) is None for name in names)
        return pattern not in self.exemplar.units and bool(names) and own and unsaid and not self.repeats_below(pattern)

    def repeats_below(self, pattern: Node) -> bool:
        return any(node in self.exemplar.units for node in pattern.walk())

    def is_set(self, pattern: Node, bindings: Bindings) -> bool:
        if any(resolve(name, bindings) is not None for name in self.exemplar.names_below(pattern)):
            return True
        inside = {self.exemplar.units[node] for node in pattern.walk() if node in self.exemplar.units}
        return any(next(repetitions(self.exemplar, scope, bindings), None) is not None for scope in inside)

    def respell(self, pattern: Node, real: Node, part: Found, bindings: Bindings) -> Iterator[Edit]:
        """New literals for a matched node's label and value, where what they say has changed.

        Raises:
            IchnosError: a value cannot be written at that place.
        """
        label = self.exemplar.labels.get(pattern)
        value = self.exemplar.values.get(pattern)
        form = self.document.format
        try:
            if label is not None and (new := self.new_value(label, real.label, real, part, bindings)) is not None:
                yield Edit(real.label_start, real.label_end, form.write_label(str(new), real))
            if value is None:
                return
            new = self.new_value(value, self.exemplar.said_by(real, pattern), real, part, bindings)
            if new is not None and pattern in self.exemplar.items:
                yield Edit(*self.filler.relisted(pattern, real, new, bindings, self.text))
            elif new is not None:
                yield Edit(real.body_start, real.body_end, form.write_value(new, real, self.text))
        except Unwritable as error:
            raise self.cannot(error, real) from None

    def cannot(self, error: Exception, node: Node) -> IchnosError:
        return self.document.error(f"a value cannot be written here: {error}", node.start)

    def new_value(self, pattern: Pattern, old: Value, node: Node, part: Found, bindings: Bindings) -> Value:
        """What a pattern's holes now say, or ``None`` where that is what stands there.

        Raises:
            IchnosError: a value cannot be written at that place.
        """
        before = pattern.match(old) or {}

        def value_of(name: str) -> Value:
            value = resolve(name, bindings)
            return part.values.get(name) if value is None else value

        if all(value_of(name) == value for name, value in before.items()):
            return None
        try:
            return pattern.fill_over(old, value_of)
        except Missing:
            return None
        except (Unreadable, Unwritable) as error:
            raise self.cannot(error, node) from None

    def repeat(
        self, scope: str, pattern: Node, real: Node, part: Found, bindings: Bindings, *, copied: bool
    ) -> Iterator[Edit]:
        """The takes (or parts ...) of an entry, each made from the one that stood in its place."""
        new = list(repetitions(self.exemplar, scope, bindings))
        old = part.inside.get(scope, [])
        if not new:
            if copied and old:  # what the copied entry plays, and what it is called, is its own
                yield from removals(self.document, real, [one.node for one in old])
            return
        texts = []
        are_weighed = scope == TAKE and any(resolve("weight", inner) is not None for inner in new)
        for index, inner in enumerate(new):
            model = old[min(index, len(old) - 1)] if old else None
            if model is not None and self.carries(model, pattern, scope, inner):
                texts.append(self.refill(model, self.with_weight(inner, model) if are_weighed else inner))
            else:
                texts.append(self.indented(self.new_entry(pattern, scope, inner), pattern, real))
        if len(new) == len(old):
            for one, text in zip(old, texts, strict=True):
                if text != self.text[one.node.start : one.node.end]:
                    yield Edit(one.node.start, one.node.end, text)
        elif old:
            gap = self.gap(pattern, real, [one.node for one in old])
            yield Edit(old[0].node.start, old[-1].node.end, gap.join(texts))
        elif self.in_line(child := next(one for one in pattern.children if self.exemplar.units.get(one) == scope)):
            lead = self.filler.gap(pattern, child, fresh=True)
            yield self.into_line([lead + texts[0], *texts[1:]], child, pattern, real)
        else:
            yield from self.insert([self.new_entry(pattern, scope, inner) for inner in new], pattern, real, [])

    def by_name(
        self, scope: str, name: str, pattern: Node, real: Node, found: Found, bindings: Bindings
    ) -> Iterator[Edit]:
        """An entry's titles by language, or its parts by name: those it has are changed, others added, none is lost."""
        old = found.inside.get(scope, [])
        there = {one.values.get(name): one for one in old}
        added = []
        for inner in repetitions(self.exemplar, scope, bindings):
            part = there.get(resolve(name, inner))
            if part is None:
                added.append(self.new_entry(pattern, scope, inner))
            elif (text := self.refill(part, inner)) != self.text[part.node.start : part.node.end]:
                yield Edit(part.node.start, part.node.end, text)
        if added:
            yield from self.insert(added, pattern, real, [one.node for one in old])

    def new_entry(self, pattern: Node, scope: str, bindings: Bindings) -> str:
        """The text of an entry inside another, such as one more take."""
        (piece,) = self.exemplar.pieces(pattern, scope)
        return self.filler.entry(piece, scope, bindings) or ""

    def carries(self, model: Found, pattern: Node, scope: str, bindings: Bindings) -> bool:
        """Has an existing entry room for all that is set?"""
        alternatives = [child for child in pattern.children if self.exemplar.units.get(child) == scope]
        names: set[str] = set().union(*(self.exemplar.names_below(node) for node in alternatives))
        needed = {name for name in names if resolve(name, bindings) is not None}
        return model.alternative is not None and needed <= self.exemplar.names_below(model.alternative)

    def insert(
        self, texts: list[str], pattern: Node, real: Node, after: list[Node], *, of_file: bool = False
    ) -> Iterator[Edit]:
        """New entries after the last of ``after``, or as the first in an empty container.

        At the end of a container they stand below the comments there, which may be about one of them.

        Args:
            of_file: they were taken from such a file, and not made from the exemplar.

        Raises:
            IchnosError: there is no place for them that this format has.
        """
        texts = texts if of_file else [self.indented(text, pattern, real) for text in texts]
        if real.children:
            last = (after or real.children)[-1]
            gap = self.gap(pattern, real, after or real.children)
            behind = self.text[last.end : real.body_end] if last is real.children[-1] else ""
            rest = _CLOSING.sub("", behind).rstrip()
            separator = self.document.format.separator(real)
            is_separated = bool(separator) and (rest.lstrip().startswith(separator) or rest.endswith(separator))
            if rest and "\n" in gap and not is_separated:
                end, space = last.end + len(rest), gap.replace(separator, "", 1)
                yield Edit(last.end, last.end, separator)
                yield Edit(end, end, space + gap.join(texts))
                return
            end = last.end + behind_line(self.document, last, real)
            if end > last.end and separator and "\n" in gap:
                yield Edit(end, end, gap.replace(separator, "", 1) + gap.join(texts) + separator)
            else:
                yield Edit(end, end, "".join(gap + text for text in texts))
            return
        gap = self.filler.gap(pattern, pattern.children[0], fresh=False)
        opening = self.filler.own(pattern.body_start, pattern.children[0].start)
        closing = self.filler.own(pattern.children[-1].end, pattern.body_end)
        body = self.text[real.body_start : real.body_end]
        if body[:1] in _BRACKETS and body[1:-1].strip():  # a comment stands there alone
            space = opening[len(opening.rstrip()) :]
            opening = body[:-1].rstrip() + (space if "\n" in space else "\n")
        yield Edit(real.body_start, real.body_end, opening + gap.join(texts) + closing)

    def indented(self, text: str, pattern: Node, real: Node) -> str:
        """A new entry's text, as far from the left as those that it goes among.

        Raises:
            IchnosError: they are written in another way than the profile's.
        """
        form = self.document.format
        if form.is_indented(pattern) != form.is_indented(real):
            what = "these entries are written in another way than the profile's: in brackets, or not"
            raise self.document.error(what, real.start, "write the profile's tree/ as the game has them")
        if not form.is_indented(real):
            return text
        if not real.children:
            what = "there is no entry here to put another one beside"
            raise self.document.error(what, real.start, "is this the game's file, as it is?")
        here, there = margin(self.text, real.children[0]), margin(self.filler.content, pattern.children[0])
        first, *lines = text.split("\n")
        signs = {*here, *there, *_INDENTED.findall(text), *_INDENTED.findall(self.text)[:1]}
        if len(signs) > 1:
            what = "these entries are indented by tabs, or the profile's are, and the others by blanks"
            raise self.document.error(what, real.start, "write the profile's tree/ as the game has them")
        sign, more = next(iter(signs), " "), len(here) - len(there)
        depths = [len(line) - len(line.lstrip(sign)) + more for line in lines]
        moved = [sign * depth + line.lstrip(sign) if line else "" for line, depth in zip(lines, depths, strict=True)]
        return "\n".join([first, *moved])

    def gap(self, pattern: Node, real: Node, nodes: list[Node]) -> str:
        """What stands between two entries in this file; else what the entry's own indentation suggests."""
        joint = self.document.format.joint(nodes[-1]) if nodes else None
        if joint is not None:
            return joint
        if self.document.format.is_indented(real):
            return self.filler.newline + margin(self.text, real.children[0])
        separator = self.document.format.separator(real)
        last = real.children.index(nodes[-1]) if nodes else 0
        for index in range(last, max(0, last - len(nodes)), -1):
            between = self.text[real.children[index - 1].end : real.children[index].start]
            if between.strip() == separator:
                return between
        before = real.children[last - 1].end if last else real.body_start
        space = self.text[before : real.children[last].start]
        space = space[len(space.rstrip()) :]
        if space or not pattern.children:
            return separator + space
        return self.filler.gap(pattern, pattern.children[0], fresh=False)
