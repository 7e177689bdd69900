"""Patches: the entries that a pack has in a copy of the game's own file, taken from there and set into another copy.

A patch holds entries as texts, so that all that stands in them is kept, whatever the exemplar knows of it. Set
into the file as it is now, one pack's entries leave another's alone, and can be taken out again.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from ichnos.documents.tree import Document, Node, Value
from ichnos.games.entries import names
from ichnos.games.entries.edit import GROUPS, Editor
from ichnos.games.entries.edits import Edit, removals, with_edits
from ichnos.games.entries.found import Found
from ichnos.games.entries.read import read
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.vocabulary import part_in

# What tells an entry from all others of a document: of each group around it and of itself, the scope, which of the
# exemplar's pieces it is like, and the values that name it.
Identity = tuple[Value | int, ...]


@dataclass(frozen=True)
class EntryPatch:
    """Entries by their identity, with their texts, and the texts of whole groups that only the pack has."""

    entries: Mapping[Identity, str]
    groups: Mapping[Identity, str]

    def to_json(self) -> bytes:
        """As it is kept."""
        members = {
            "entries": [[*entry] for entry in self.entries.items()],
            "groups": [[*group] for group in self.groups.items()],
        }
        return json.dumps(members).encode()

    @staticmethod
    def from_json(data: bytes) -> EntryPatch:
        """The same again."""
        members = json.loads(data)
        return EntryPatch(
            *({tuple(identity): text for identity, text in members[name]} for name in ("entries", "groups"))
        )


@dataclass(frozen=True)
class _Entry:
    found: Found
    pattern: Node  # the exemplar's node that it stands below
    parent: Node  # the document's


class Patching:
    """One of a game's own documents, of which packs change entries."""

    def __init__(self, exemplar: Exemplar) -> None:
        self.exemplar = exemplar

    def _entries(self, document: Document) -> tuple[dict[Identity, _Entry], dict[Identity, _Entry]]:
        """The document's entries, and the groups that they are in.

        Raises:
            IchnosError: it has another structure.
        """
        reading = read(self.exemplar, document)
        if reading is None:
            what = "this file has another structure than the profile says"
            raise document.error(what, document.root.start, "is it this game's?")
        editor = Editor(self.exemplar, document)
        entries: dict[Identity, _Entry] = {}
        groups: dict[Identity, _Entry] = {}

        def walk(part: Found, prefix: Identity) -> None:
            for pattern, real in part.pairs:
                here = {id(node) for node in real.children}
                for scope in dict.fromkeys(self.exemplar.units.get(child) for child in pattern.children):
                    if scope is None:
                        continue
                    naming, pieces = editor.naming(scope), self.exemplar.pieces(pattern, scope)
                    for one in (one for one in part.inside.get(scope, ()) if id(one.node) in here):
                        piece = next((n for n, piece in enumerate(pieces) if one.alternative in piece), None)
                        if piece is None:
                            continue
                        identity = (*prefix, scope, piece, *(one.values.get(name) for name in naming))
                        if one.node.is_disabled and identity in entries:
                            continue
                        (groups if scope in GROUPS else entries)[identity] = _Entry(one, pattern, real)
                        if scope in GROUPS:
                            walk(one, identity)

        walk(reading.pack, ())
        return entries, groups

    def _text(self, document: Document, entry: _Entry) -> str:
        """An entry's text, with line ends of one sign; of one with several names, as it would be for this one alone."""
        return names.text_of(self.exemplar, document, entry.found).replace("\r\n", "\n")

    def _texts(self, document: Document) -> tuple[dict[Identity, str], Collection[Identity]]:
        """The texts of a document's entries, and the groups that they are in."""
        entries, groups = self._entries(document)
        return {identity: self._text(document, one) for identity, one in entries.items()}, groups

    def identities(self, document: Document) -> set[Identity]:
        """Those of its entries. Raises IchnosError where it has another structure."""
        return set(self._entries(document)[0])

    def difference(
        self, theirs: Document, own: Document, is_of_pack: Callable[[str], bool]
    ) -> tuple[EntryPatch, list[Identity]]:
        """What a pack's copy has otherwise than the game's own file.

        Args:
            is_of_pack: is a file that an entry names one of the pack's?

        Returns:
            Its entries; and others that differ, and name no file of the pack: of another edition of the game, perhaps.

        Raises:
            IchnosError: one of the two has another structure.
        """
        entries, groups = self._entries(theirs)
        own_entries, their_groups = self._entries(own)
        changed, left = {}, []
        for identity, one in entries.items():
            text = self._text(theirs, one)
            if identity in own_entries and self._text(own, own_entries[identity]) == text:
                continue
            files = [str(value) for name, value in _values(one.found) if name in ("file", "part.file") or part_in(name)]
            if files and not any(map(is_of_pack, files)):
                left.append(identity)
            else:
                changed[identity] = text
        new = {
            identity: _text(theirs, one.found.node)
            for identity, one in groups.items()
            if identity not in their_groups and any(entry[: len(identity)] == identity for entry in changed)
        }
        return EntryPatch(changed, new), left

    def set_in(self, patch: EntryPatch, document: Document) -> str:
        """The document's text with a patch's entries in it. Raises IchnosError where it has another structure."""
        entries, groups = self._entries(document)
        editor = Editor(self.exemplar, document)
        edits: list[Edit] = []
        added: dict[Node, tuple[Node, list[str]]] = {}
        changed: dict[Node, list[tuple[Found, str]]] = {}
        new_groups: list[Identity] = []
        for identity, text in (*patch.groups.items(), *patch.entries.items()):
            if any(identity[: len(group)] == group for group in new_groups):
                continue  # it stands in the group's own text
            spelled = _with_ends(text, document)
            there = entries.get(identity)
            if there is not None:
                added.setdefault(there.parent, (there.pattern, []))
                changed.setdefault(there.parent, []).append((there.found, spelled))
            elif identity not in groups:
                pattern, parent = self._home(identity, document, entries, groups)
                added.setdefault(parent, (pattern, []))[1].append(spelled)
                new_groups += [identity] if identity in patch.groups else []
        for parent, parts in changed.items():
            of_parts, texts = names.rewrite(self.exemplar, document, parts)
            edits += of_parts
            added[parent][1].extend(texts)
        for parent, (pattern, texts) in ((parent, home) for parent, home in added.items() if home[1]):
            after = [entry.found.node for entry in (*entries.values(), *groups.values()) if entry.parent is parent]
            edits += editor.insert(texts, pattern, parent, sorted(after, key=lambda node: node.start), of_file=True)
        return with_edits(document.text.content, edits)

    def _home(
        self,
        identity: Identity,
        document: Document,
        entries: Mapping[Identity, _Entry],
        groups: Mapping[Identity, _Entry],
    ) -> tuple[Node, Node]:
        """Where an entry belongs that the document does not have: the exemplar's node, and the document's."""
        around = max((group for group in groups if identity[: len(group)] == group), key=len, default=())
        for other, entry in (*entries.items(), *groups.items()):
            if len(other) == len(identity) and other[: len(around) + 2] == identity[: len(around) + 2]:
                return entry.pattern, entry.parent
        reading = read(self.exemplar, document)
        pairs = groups[around].found.pairs if around else reading.pack.pairs if reading else []
        for pattern, real in pairs:
            if identity[len(around)] in {self.exemplar.units.get(child) for child in pattern.children}:
                return pattern, real
        raise document.error("there is no place here for the pack's entries", document.root.start, "is it this game's?")

    def taken_out(
        self, ours: Iterable[Identity], now: Document, left: Document, base: Document, *, keep: bool = False
    ) -> tuple[str, list[Identity]]:
        """A document that somebody has changed (``now``), without our entries.

        Args:
            left: as we left it.
            base: as it was before us.
            keep: entries of ours that somebody has changed stay as they are now.

        Returns:
            Its text, and the entries that are neither ours nor as they were: somebody has changed those as well.

        Raises:
            IchnosError: one of the three has another structure.
        """
        entries, groups = self._entries(now)
        (as_left, _), (before, groups_before) = self._texts(left), self._texts(base)
        edits: list[Edit] = []
        gone: dict[Node, list[Node]] = {}
        changed = []
        for identity in dict.fromkeys(ours):
            if identity not in entries:
                continue
            entry = entries[identity]
            text, old = self._text(now, entry), before.get(identity)
            if text == old:
                continue
            if text != as_left.get(identity):
                changed.append(identity)
                if keep:
                    continue
            if len(entry.found.names) > 1:  # somebody has put others to it
                edits += names.without(self.exemplar, now, [entry.found])
            elif old is None:
                gone.setdefault(entry.parent, []).append(entry.found.node)
            else:
                edits.append(Edit(entry.found.node.start, entry.found.node.end, _with_ends(old, now)))
        for identity, group in sorted(groups.items(), key=lambda item: -len(item[0])):  # the inner ones first
            if identity not in groups_before:
                inside = [one.found.node for name, one in entries.items() if name[: len(identity)] == identity]
                _with_its_group(gone, group, inside)
        for parent, nodes in gone.items():
            edits += removals(now, parent, nodes) if nodes else ()
        return with_edits(now.text.content, edits), changed


def _with_its_group(gone: dict[Node, list[Node]], group: _Entry, inside: list[Node]) -> None:
    """Where all entries of a group are taken out, the group is, in their place."""
    removed = {node for nodes in gone.values() for node in nodes}
    if inside and removed.issuperset(inside):
        for parent in [*gone]:
            gone[parent] = [node for node in gone[parent] if node not in inside]
        gone.setdefault(group.parent, []).append(group.found.node)


def _text(document: Document, node: Node) -> str:
    """A node's text, with line ends of one sign."""
    return document.text.content[node.start : node.end].replace("\r\n", "\n")


def _with_ends(text: str, document: Document) -> str:
    return text.replace("\n", "\r\n") if "\r\n" in document.text.content else text


def _values(found: Found) -> Iterator[tuple[str, Value]]:
    yield from found.values.items()
    for inner in found.inside.values():
        for part in inner:
            yield from _values(part)


def named(identities: Iterable[Identity]) -> list[str]:
    """What people call entries: the last of the values that name them."""
    return [str(identity[-1]) for identity in identities]
