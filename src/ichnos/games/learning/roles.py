"""The documents that name sound files: where their entries, takes and parts are, and what is said of each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import PurePosixPath

from ichnos.documents.tree import Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.decisions import (
    GUESS,
    LIKELY,
    Decisions,
    Doubt,
    Learned,
    in_path,
    is_number,
    line_of,
    texts_of,
)
from ichnos.games.learning.evidence import Reference, TextFile
from ichnos.games.learning.grouping import is_language
from ichnos.games.learning.keys import FILE, Anchor, KeySpot, Named, described
from ichnos.games.learning.parts import PART_WORDS, part_name, part_order
from ichnos.games.learning.placing import place_all
from ichnos.games.learning.shapes import ANY, KEY, LANGUAGE, NUMBER, Real, Shape
from ichnos.games.profiles.vocabulary import CATEGORY, PART, SOUND, TAKE


class DefinitionRoles:
    """The holes of a document that names sound files."""

    def __init__(self, named: Named, shape: Shape, learned: Learned, *, merged: bool) -> None:
        self.named, self.known = named, learned
        path = named.group.first.name.replace("@", "@@")
        self.made = Decisions(named.group, shape, path, named=named, has_files=True, merged=merged)
        self.by_node = {real.node: inner for inner in shape.walk() for real in inner.reals}
        self.spot: KeySpot | None = named.spot
        self.units: dict[Node, str] = {}
        for anchor in named.anchors:
            self.units[anchor.chain[named.spot.depth if named.spot else 0]] = anchor.key
        self.unit_shapes = list(dict.fromkeys(self.by_node[node] for node in self.units))
        self.taken: set[str] = set()
        self._entries: dict[Shape, dict[Node, Node]] = {}

    def decide(self) -> Decisions:
        made = self.made
        if self.spot is None:
            return made
        if self.spot.spot[0] == "path":
            made.path = in_path(made.path, self.named.anchors[0].key, "@key@")
            made.says.add("key")
        elif made.group.in_languages:
            made.path = made.group.in_languages
            made.says.add("language")
        elif made.group.several:
            made.path = in_path(made.path, PurePosixPath(made.path).stem, "@category@")
            made.says.add("category")
            self.known.categories.update(PurePosixPath(text.name).stem for text in made.group.texts)
        made.entry_for_takes = self.rows_for_takes()
        for unit in self.unit_shapes:
            made.scopes[unit] = SOUND
            self.unit(unit)
        around_sounds(made, self.unit_shapes, self.known)
        self.doubt_key()
        return made

    def doubt_key(self) -> None:
        spot = self.spot
        assert spot is not None
        rival = next(iter(self.named.others), None)
        if spot.related >= 0.6 and (rival is None or rival.score < spot.score - 1.5):
            return
        others = tuple(described(one) for one in self.named.others)
        anchor = self.named.anchors[0]
        text = line_of(anchor.text, anchor.node)
        why = "it is there once for each sound" + (", and in the files' names" if spot.related > 0.3 else "")
        sure = LIKELY if spot.related > 0.3 or not others else GUESS
        taken = f"the key: {described(spot)}"
        self.made.doubts.append(
            Doubt(f"key {self.made.group.first.name}", text, anchor.key, taken, why, sure, others, 9)
        )

    def rows_for_takes(self) -> bool:
        """Has each take an entry of its own?"""
        if self.spot is None or self.spot.spot[0] == "path":
            return False
        pack_of = {anchor.chain[self.spot.depth]: anchor.text.pack for anchor in self.named.anchors}
        counts = Counter((pack_of[node], key) for node, key in self.units.items())
        return any(count > 1 for count in counts.values())

    def unit(self, unit: Shape) -> None:
        """What stands in the entry of a sound: its files, its key, its texts, and what else is said of it."""
        made = self.made
        inner = self.files(unit)
        self.key_in(unit)
        for repeating, scope in inner.items():
            self.inside(repeating, scope, unit)
        others = [
            node
            for node in unit.walk()
            if node.holds_value and node not in made.holes and not any(around in inner for around in node.lineage())
        ]
        self.spoken(unit, others)
        left = [one for one in others if one not in made.holes]
        if made.entry_for_takes:
            of_takes = [one for one in left if self.differs_by_take(one, unit)]
            place_all(made, TAKE, of_takes, unit, set(), self.known)
            left = [one for one in left if one not in of_takes]
        place_all(made, SOUND, left, unit, self.taken, self.known)

    def files(self, unit: Shape) -> dict[Shape, str]:
        """Punch the files of an entry; gives what repeats for takes and for parts in it."""
        made = self.made
        anchored: dict[Shape, list[Anchor]] = {}
        for anchor in self.named.anchors:
            shape = self.by_node[anchor.node]
            if unit in shape.lineage():
                anchored.setdefault(shape, []).append(anchor)
        for shape in self.said_again(unit, anchored):
            del anchored[shape]
        parts = self.parts(unit, anchored)
        inner: dict[Shape, str] = {}
        if self.spot is not None and self.spot.spot[0] == FILE:
            for shape in anchored:
                made.holes[shape] = f"@key@{self.spot.spot[1]}"
                made.says.add("key")
            made.several_takes = False
            return inner
        for shape, there in anchored.items():
            between = list(self.inside_of(shape, unit))
            repeating = next((outer for outer in reversed(between) if self.repeats(outer)), None)
            scope, part = (PART, parts[shape]) if shape in parts else (TAKE, "")
            if repeating is not None and not part:
                made.scopes[repeating] = inner[repeating] = scope
            name = f"part.{part}.file" if part else "part.file" if scope == PART else "file"
            way = str(self.way(shape, there))
            if there[0].by_label:
                made.labels[shape] = f"@{name}{way}@"
                made.says.add(name)
            else:
                made.put(shape, name, way)
            if scope == TAKE:
                made.several_takes = bool(made.several_takes) or repeating is not None
        return inner

    def said_again(self, unit: Shape, anchored: dict[Shape, list[Anchor]]) -> list[Shape]:
        """Those that name no file but one that the entry's list names as well: a free text."""
        depth = self.spot.depth if self.spot else 0
        lists = [shape for shape in anchored if any(map(self.repeats, self.inside_of(shape, unit)))]
        listed = {(id(anchor.chain[depth]), anchor.file) for shape in lists for anchor in anchored[shape]}
        return [
            shape
            for shape, there in anchored.items()
            if shape not in lists and all((id(anchor.chain[depth]), anchor.file) in listed for anchor in there)
        ]

    def spoken(self, unit: Shape, others: list[Shape]) -> None:
        """Punch languages, and the titles in them."""
        made = self.made
        languages = [node for node in unit.walk() if node.label == LANGUAGE or self.says_language(node)]
        for language in others:
            if self.says_language(language):
                made.put(language, "language")
        for language in others:
            inside = any(around in languages for around in language.lineage()) or self.in_tongue(language, unit)
            if inside and language not in made.holes:
                made.put(language, "title")
                self.taken.add("title")
        for language in languages:
            if language.label == LANGUAGE:
                made.labels[language] = "@language@"
                made.says.add("language")

    def differs_by_take(self, shape: Shape, unit: Shape) -> bool:
        """Is a value otherwise in two rows of one key?"""
        keys = self.keys_of(unit)
        texts: dict[tuple[TextFile, str], str | None] = {}
        for real in shape.reals:
            node = self.unit_node(real, unit)
            if node in keys and texts.setdefault((real.text, keys[node]), real.node.value) != real.node.value:
                return True
        return False

    def says_language(self, shape: Shape) -> bool:
        return shape.holds_value and bool(shape.reals) and all(is_language(text) for text in texts_of(shape))

    def in_tongue(self, shape: Shape, unit: Shape) -> bool:
        """Does a text stand beside a language that is said?"""
        around = next((outer for outer in shape.lineage() if outer.several and outer is not unit), None)
        return (
            around is not None
            and unit in around.lineage()
            and any(self.says_language(node) for node in around.walk())
            and not self.says_language(shape)
        )

    def repeats(self, shape: Shape) -> bool:
        """Can there be another one of it beside it?"""
        node, parent = shape.reals[0].node, shape.parent
        if shape.label == NUMBER or (shape.label or "").endswith(NUMBER):
            return True
        if shape.several:
            return True
        form = shape.reals[0].text.document.format
        is_xml = form.name == "XML"
        return bool(is_xml and parent is not None and form.repeatable(node, parent.reals[0].node))

    def is_one_of_many(self, shape: Shape, unit: Shape) -> bool:
        """Does it stand beside others like it in some entry?"""
        return shape.several or NUMBER in (shape.label or "")

    def parts(self, unit: Shape, anchored: dict[Shape, list[Anchor]]) -> dict[Shape, str]:
        """Which of them name parts: "" where each says its own name, else the part that it is for."""
        found: dict[Shape, str] = {}
        for shape in anchored:
            inside = list(self.inside_of(shape, unit))
            around = next((outer for outer in reversed(inside) if self.repeats(outer)), None)
            if around is None or around is unit or unit not in around.lineage():
                continue
            for node in around.walk():
                if node.holds_value and node is not shape and set(texts_of(node)) <= set(PART_WORDS):
                    found[shape] = ""
                    self.made.put(node, "part.name")
        single = [
            shape
            for shape in anchored
            if shape not in found and not any(self.is_one_of_many(outer, unit) for outer in self.inside_of(shape, unit))
        ]
        if len(single) > 1 or (single and len(anchored) > 1):
            for shape in single:
                called = [word for label in shape.labels[:1] for word in lexicon.words(label)]
                name = part_name(anchored[shape]) or (called or ["part"])[-1]
                same = sum(other == name or other.startswith(f"{name}-") for other in found.values())
                found[shape] = f"{name}-{same + 1}" if same else name
        names = [name for name in found.values() if name]
        if "" in found.values():
            shapes = [inner for inner, text in self.made.holes.items() if text == "@part.name@"]
            names += [text for inner in shapes for text in texts_of(inner)]
        self.made.parts = tuple(dict.fromkeys([*self.made.parts, *sorted(set(names), key=part_order)]))
        return found

    def inside_of(self, shape: Shape, unit: Shape) -> Iterator[Shape]:
        """It, and what is around it in an entry."""
        for outer in shape.lineage():
            if outer is unit:
                return
            yield outer

    def way(self, shape: Shape, there: list[Anchor]) -> Reference:
        """How a document names files: in one way that fits all of them."""
        if self.named.known:  # of the game's own files any extension will do
            for anchor in there:
                anchor.ways = [
                    Reference(
                        way.folder,
                        tuple(converter for converter in way.converters if not converter.startswith("extension")),
                    )
                    for way in anchor.ways
                ]
        common = set(there[0].ways)
        for anchor in there[1:]:
            common &= set(anchor.ways)
        own = [name for name in self.known.names if name]
        fitting = [way for way in common if not any(name in way.folder.split("/") for name in own)]
        if not fitting and any(way.line for anchor in there for way in anchor.ways):
            return self.by_lines(there)
        if fitting:
            way = min(fitting, key=lambda way: (len(way.folder), len(way.converters)))
            return self.by_lines(there[:1], way) if way.line else way
        value = there[0].said
        text = "file-name" if "/" not in value.replace("\\", "/") else f"relative({there[0].ways[0].folder})"
        bare = tuple(converter for converter in there[0].ways[0].converters if converter != "backslash")
        why = "the folder is not the same everywhere"
        self.made.doubt(shape, value, f"files are named by ~{text}", why, GUESS)
        return Reference("", (text, *bare))

    def by_lines(self, there: list[Anchor], way: Reference | None = None) -> Reference:
        """Where no converters say how files are named, lines of [references] do."""
        for anchor in there:
            one = way or next((way for way in anchor.ways if way.line), anchor.ways[0])
            end = PurePosixPath(anchor.file).suffix if "no-extension" in one.converters else ""
            folder = f"{one.folder}/".removeprefix("/").replace("@", "@@")
            left, right = one.line or ("@path@", f"{folder}@path@{end}")
            self.known.references.setdefault(left, right)
        return Reference("", ())

    def key_in(self, unit: Shape) -> None:
        """Punch the key wherever it stands in the unit."""
        made = self.made
        if unit.label is not None and self.spot is not None and self.spot.spot[0] == "label":
            at = self.spot.spot[1]
            with_key = _with_key(unit, at)
            if with_key:
                made.labels[unit] = with_key
                made.says.add("key")
        for node in unit.walk():
            if node.label and KEY in node.label and node not in made.labels and node is not unit:
                made.labels[node] = node.label.replace(KEY, "@key@")
            if node.holds_value and node not in made.holes and self.is_key(node, unit):
                made.put(node, "key")

    def is_key(self, shape: Shape, unit: Shape) -> bool:
        """Is it the key in every entry that names a file of the packs?"""
        keys = self.keys_of(unit)
        pairs = [(keys[node], real.node.value) for real in shape.reals if (node := self.unit_node(real, unit)) in keys]
        return bool(pairs) and all(key == value for key, value in pairs)

    def keys_of(self, unit: Shape) -> dict[Node, str]:
        return {real.node: self.units[real.node] for real in unit.reals if real.node in self.units}

    def unit_node(self, real: Real, unit: Shape) -> Node | None:
        """The entry that a real node lies in."""
        if unit not in self._entries:
            self._entries[unit] = {node: entry.node for entry in unit.reals for node in entry.node.walk()}
        return self._entries[unit].get(real.node)

    def inside(self, repeating: Shape, scope: str, unit: Shape) -> None:
        made = self.made
        label = repeating.label or ""
        if NUMBER in label:
            made.labels[repeating] = label.replace(NUMBER, "@take.number@")
            made.says.add("take.number")
        scalars = [node for node in repeating.walk() if node.holds_value and node not in made.holes]
        place_all(made, scope, scalars, repeating, set(), self.known)
        by_place = [node for node in repeating.walk() if node.index is not None]
        if by_place and sum(shape in made.holes for shape in by_place) == 1 and scope == TAKE:
            self.number_beside(by_place)

    def number_beside(self, by_place: list[Shape]) -> None:
        """A number beside a file that is told by its place alone: how loud that is, most likely."""
        made = self.made
        for shape in by_place:
            values = texts_of(shape)
            if shape not in made.holes and all(map(is_number, values)) and "take.volume" not in made.says:
                most = Counter(values).most_common(1)[0][0]
                made.put(shape, "take.volume", f"={most}")
                why = "it stands beside the file, and nothing says what it is"
                made.doubt(shape, f"the number {most}", "take.volume", why, GUESS, ("take.pitch", "weight"), 3)
                return


def _with_key(unit: Shape, at: str) -> str | None:
    """A label with the key in it as a hole."""
    label = unit.label or ""
    if KEY in label:
        return label.replace(KEY, "@key@")
    if at in ("", "own"):
        return "@key@"
    tokens = label.split(" ")
    tokens[int(at)] = "@key@"
    return " ".join(tokens)


def around_sounds(made: Decisions, units: list[Shape], learned: Learned) -> None:
    """What stands around the sounds and is otherwise for some of them: their category."""
    for unit in units:
        label = unit.label or ""
        if ANY in label and "category" not in made.says:
            base = made.labels.get(unit, label)
            made.labels[unit] = base.replace(ANY, "@category@")
            made.says.add("category")
            for real in unit.reals:
                learned.categories.update(real.said[1:2])
        for around in unit.lineage():
            if around is unit or not around.several:
                continue
            if around.label == LANGUAGE:
                made.labels[around] = "@language@"
                made.says.add("language")
                continue
            if around.label == ANY and "category" not in made.says:
                made.labels[around] = "@category@"
                made.scopes[around] = CATEGORY
                made.says.add("category")
                learned.categories.update(word for real in around.reals for word in real.said)
                continue
            scalars = [
                node
                for node in around.walk()
                if node.holds_value and not any(x in units for x in node.lineage()) and node not in made.holes
            ]
            words = [scalar for scalar in scalars if not all(map(is_number, texts_of(scalar)))]
            if words and "category" not in made.says:
                made.put(words[0], "category")
                made.scopes[around] = CATEGORY
                learned.categories.update(texts_of(words[0]))
