"""What each thing in packs' documents stands for: the holes of a draft, and how sure that is."""

from __future__ import annotations

import re
import uuid
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from ichnos.documents.tree import Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.evidence import Pack, Reference, TextFile
from ichnos.games.learning.grouping import Group, is_language
from ichnos.games.learning.keys import Anchor, KeySpot, Named, described
from ichnos.games.learning.shapes import ANY, KEY, LANGUAGE, NUMBER, Real, Shape
from ichnos.games.profiles.vocabulary import (
    CATEGORY,
    ENTRY,
    PACK,
    PART,
    PROP,
    SCHEDULE,
    SOUND,
    TAKE,
    TRIGGER,
    WORDS,
)

PART_WORDS = ("intro", "body", "layer", "outro", "verse", "bridge", "start", "middle", "end", "tail", "head", "loop")
_FIELDS = {SOUND: "field", TRIGGER: "trigger.field", PROP: "prop.field"}
_FEW = 3  # things: of fewer nobody knows what is usual
_COMMON = 0.4  # of all values: what so many have is what stands there by itself

SURE, LIKELY, GUESS = "sure", "likely", "a guess"


@dataclass(frozen=True)
class Doubt:
    """A decision that could be another. ``taken``: what it is now; ``others``: what else it may be, by hole.

    ``id``: by which an answer is given. ``text``: what it is about, as it stands in the pack.
    """

    id: str
    place: str
    text: str
    taken: str
    why: str
    sure: str
    others: tuple[str, ...] = ()
    weight: int = 1  # how much hangs on it


@dataclass
class Decisions:
    """The holes of one document: of values, and of labels; which shapes repeat, and for what.

    ``path``: the document's, with its holes. ``several_takes``, ``entry_for_takes``: as game.toml says it.
    ``parts``: the names of parts. ``mode``: whole or fragment.
    """

    group: Group
    shape: Shape
    path: str
    holes: dict[Shape, str] = field(default_factory=dict)
    labels: dict[Shape, str] = field(default_factory=dict)
    scopes: dict[Shape, str] = field(default_factory=dict)
    says: set[str] = field(default_factory=set)  # the names of its holes
    doubts: list[Doubt] = field(default_factory=list)
    several_takes: bool | None = None
    entry_for_takes: bool = False
    parts: tuple[str, ...] = ()
    unmapped: list[Shape] = field(default_factory=list)  # they vary, and there is no hole for them
    values: dict[str, dict[str, str]] = field(default_factory=dict)  # of sounds: by hole, then by key
    named: Named | None = None
    has_files: bool = False
    tables: dict[str, dict[str, str]] = field(default_factory=dict)  # of words
    merged: bool = False  # it is the game's own, with the pack's entries in it
    known: bool = False  # it is the game's own, and no pack has it

    def put(self, shape: Shape, name: str, more: str = "") -> None:
        self.holes[shape] = f"@{name}{more}@"
        self.says.add(name)


@dataclass
class Known:
    """What has been found out in all documents so far."""

    packs: list[Pack]
    names: list[str]  # the packs' short names
    keys: set[str]
    answers: dict[str, str]  # to doubts, by their ids
    separator: str = "."
    categories: set[str] = field(default_factory=set)


def texts_of(shape: Shape) -> list[str]:
    return [real.node.value or "" for real in shape.reals]


def is_number(text: str) -> bool:
    return re.fullmatch(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?", text.strip()) is not None


def _prose(text: str) -> bool:
    return " " in text.strip() or text[:1].isupper()


def literal(shape: Shape) -> str:
    """Where a shape stands, for people: its labels from the outside in."""
    names = [one.label.translate({1: "KEY", 2: "LANGUAGE", 3: "N", 4: "..."}) for one in shape.lineage() if one.label]
    return "/".join(reversed([name for name in names if not name.startswith("(")])) or "the text"


class Hole:
    """A hole for some values: its converters, and its default."""

    def __init__(self, name: str, values: Sequence[str], instances: int) -> None:
        self.name = name
        self.values = list(values)
        self.instances = instances
        self.converters = self._converters()
        self.default = self._default()

    def __str__(self) -> str:
        more = "".join(f"~{one}" for one in self.converters)
        return f"{more}={self.default}" if self.default is not None else more

    @property
    def kind(self) -> str:
        known = WORDS.get(self.name)
        return known.kind if known else "text"

    def _converters(self) -> list[str]:
        if self.kind == "yes-no":
            pair = yes_no(self.values)
            return [] if pair in (None, ("true", "false")) else [f"yes-no({pair[0]},{pair[1]})"]
        if self.kind != "number":
            return []
        numbers = [float(value) for value in self.values]
        own = self.name.rpartition(".")[2]
        if own in ("volume", "mains", "interludes", "odds", "weight"):
            if own == "volume" and any(number < 0 for number in numbers):
                places = {len(value.partition(".")[2]) for value in self.values}
                exact = places.pop() if len(places) == 1 else 0
                return ["decibel", *([f"decimals({exact})"] if exact else [])]
            if max(numbers) > 10 and own != "weight":
                return ["percent"]
        if own in ("fade", "delay") and max(numbers) >= 50:
            return ["milliseconds"]
        return []

    def _default(self) -> str | None:
        """What stands there where nobody has said anything: what most have, or what says nothing."""
        if len(self.values) < self.instances:
            return None  # it may be missing
        count = Counter(self.values)
        most, times = count.most_common(1)[0]
        neutral = self._neutral()
        stands = next((value for value in count if neutral is not None and self._read(value) == neutral), None)
        if stands is not None:
            return stands
        if self.kind == "yes-no":
            return most if self.instances >= _FEW or most == "false" else None
        if self.kind not in ("number", "whole") or self.instances < _FEW:
            return None
        return most if times >= _COMMON * self.instances else None

    def _neutral(self) -> float | None:
        return lexicon.NEUTRAL.get(self.name)

    def _read(self, value: str) -> float | None:
        if not is_number(value):
            return None
        number = float(value)
        if self.converters[:1] == ["percent"]:
            return number / 100
        if self.converters[:1] == ["decibel"]:
            return 1.0 if number == 0 else 10 ** (number / 20)
        return number / 1000 if self.converters[:1] == ["milliseconds"] else number


def yes_no(values: Iterable[str]) -> tuple[str, str] | None:
    """The words for yes and for no that values are; None where they are no such."""
    found = set(values)
    if not found or len(found) > 2:
        return None
    for yes, no in lexicon.YES_NO.items():
        if found <= {yes, no}:
            return yes, no
    return None


class DefinitionRoles:
    """The holes of a document that names sound files."""

    def __init__(self, named: Named, shape: Shape, known: Known, *, merged: bool) -> None:
        self.named, self.known = named, known
        path = named.group.first.name
        self.made = Decisions(named.group, shape, path, named=named, has_files=True, merged=merged)
        self.by_node = {real.node: one for one in shape.walk() for real in one.reals}
        self.spot: KeySpot | None = named.spot
        self.units: dict[Node, str] = {}
        for anchor in named.anchors:
            self.units[anchor.chain[named.spot.depth if named.spot else 0]] = anchor.key
        self.unit_shapes = list(dict.fromkeys(self.by_node[node] for node in self.units))
        self.taken: set[str] = set()

    def decide(self) -> Decisions:
        made = self.made
        if self.spot is None:
            return made
        if self.spot.spot[0] == "path":
            made.path = _in_path(made.path, self.named.anchors[0].key, "@key@")
            made.says.add("key")
        for unit in self.unit_shapes:
            made.scopes[unit] = SOUND
            self.unit(unit)
        _around(made, self.unit_shapes, self.known)
        self.doubt_key()
        made.entry_for_takes = self.rows_for_takes()
        return made

    def doubt_key(self) -> None:
        spot = self.spot
        assert spot is not None
        rival = next(iter(self.named.others), None)
        if spot.related >= 0.6 and (rival is None or rival.score < spot.score - 1.5):
            return
        others = tuple(described(one) for one in self.named.others)
        anchor = self.named.anchors[0]
        text = _line(anchor.text, anchor.node)
        why = "it is there once for each sound" + (", and in the files' names" if spot.related > 0.3 else "")
        sure = LIKELY if spot.related > 0.3 or not others else GUESS
        self.made.doubts.append(
            Doubt(
                f"key {self.made.group.first.name}",
                text,
                anchor.key,
                f"the key is {described(spot)}",
                why,
                sure,
                others,
                9,
            )
        )

    def rows_for_takes(self) -> bool:
        """Has each take an entry of its own?"""
        pack_of = (
            {anchor.chain[self.spot.depth]: anchor.text.pack for anchor in self.named.anchors} if self.spot else {}
        )
        counts = Counter((pack_of.get(node), key) for node, key in self.units.items())
        return self.spot is not None and self.spot.spot[0] != "path" and any(count > 1 for count in counts.values())

    def unit(self, unit: Shape) -> None:
        made = self.made
        anchored: dict[Shape, list[Anchor]] = {}
        for anchor in self.named.anchors:
            shape = self.by_node[anchor.node]
            if unit in shape.lineage():
                anchored.setdefault(shape, []).append(anchor)
        part_shapes = self.parts(unit, anchored)
        inner: dict[Shape, str] = {}
        for shape, there in anchored.items():
            between = [one for one in shape.lineage() if unit in one.lineage() and one is not unit]
            repeating = next((one for one in reversed(between) if self.repeats(one)), None)
            scope = PART if shape in part_shapes else TAKE
            if repeating is not None and part_shapes.get(shape, "") == "":
                made.scopes[repeating] = scope
                inner[repeating] = scope
            name = (
                f"part.{part_shapes[shape]}.file"
                if part_shapes.get(shape)
                else ("part.file" if scope == PART else "file")
            )
            made.put(shape, name, str(self.way(shape, there)))
            if scope == TAKE:
                several = repeating is not None
                made.several_takes = several if made.several_takes is None else made.several_takes or several
        self.key_in(unit)
        for repeating, scope in inner.items():
            self.inside(repeating, scope, unit)
        others = [
            one
            for one in self.scalars(unit)
            if not any(around in inner for around in one.lineage()) and one not in made.holes
        ]
        languages = [one for one in unit.walk() if one.label == LANGUAGE or self.says_language(one)]
        for one in others:
            if self.says_language(one):
                made.put(one, "language")
        titles = [
            one for one in others if any(around in languages for around in one.lineage()) or self.in_tongue(one, unit)
        ]
        for one in titles:
            if one not in made.holes:
                made.put(one, "title")
                self.taken.add("title")
        for one in languages:
            if one.label == LANGUAGE:
                made.labels[one] = "@language@"
                made.says.add("language")
                if one.holds_value and one not in made.holes:
                    made.put(one, "title")
        place_all(made, SOUND, [one for one in others if one not in made.holes], unit, self.taken, self.known)

    def says_language(self, shape: Shape) -> bool:
        return shape.holds_value and bool(shape.reals) and all(is_language(text) for text in texts_of(shape))

    def in_tongue(self, shape: Shape, unit: Shape) -> bool:
        """Does a text stand beside a language that is said?"""
        around = next((one for one in shape.lineage() if one.several and one is not unit), None)
        return (
            around is not None
            and unit in around.lineage()
            and any(self.says_language(one) for one in around.walk())
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

    def parts(self, unit: Shape, anchored: dict[Shape, list[Anchor]]) -> dict[Shape, str]:
        """Which of them name parts: "" where each says its own name, else the part that it is for."""
        found: dict[Shape, str] = {}
        for shape in anchored:
            around = next((one for one in shape.lineage() if self.repeats(one)), None)
            if around is None or around is unit or unit not in around.lineage():
                continue
            for one in around.walk():
                if one.holds_value and one is not shape and set(texts_of(one)) <= set(PART_WORDS):
                    found[shape] = ""
                    self.made.put(one, "part.name")
        single = [
            shape
            for shape in anchored
            if shape not in found and not any(self.repeats(one) for one in self.inside_of(shape, unit))
        ]
        if len(single) > 1:
            for shape in single:
                name = _part_name(anchored[shape]) or lexicon.words(shape.label or "part")[-1]
                found[shape] = name
        names = [name for name in found.values() if name]
        if "" in found.values():
            said = [one for one, text in self.made.holes.items() if text == "@part.name@"]
            names += [text for one in said for text in texts_of(one)]
        self.made.parts = tuple(dict.fromkeys([*self.made.parts, *sorted(set(names), key=_part_order)]))
        return found

    def inside_of(self, shape: Shape, unit: Shape) -> Iterator[Shape]:
        for one in shape.lineage():
            if one is unit:
                return
            yield one

    def way(self, shape: Shape, there: list[Anchor]) -> Reference:
        """How a document names files: in one way that fits all of them."""
        if self.named.known:  # of the game's own files any extension will do
            for anchor in there:
                anchor.ways = [
                    Reference(way.folder, tuple(one for one in way.converters if not one.startswith("extension")))
                    for way in anchor.ways
                ]
        common = set(there[0].ways)
        for anchor in there[1:]:
            common &= set(anchor.ways)
        own = [name for name in self.known.names if name]
        fitting = [way for way in common if not any(name in way.folder.split("/") for name in own)]
        if fitting:
            return min(fitting, key=lambda way: (len(way.folder), len(way.converters)))
        value = str(there[0].node.value)
        text = "file-name" if "/" not in value.replace("\\", "/") else f"relative({there[0].ways[0].folder})"
        bare = tuple(one for one in there[0].ways[0].converters if one != "backslash")
        self.made.doubts.append(
            Doubt(
                f"reference {self.made.group.first.name}", _line(there[0].text, there[0].node), value,
                f"files are named by ~{text}", "the folder is not the same everywhere", GUESS,
            )
        )  # fmt: skip
        return Reference("", (text, *bare))

    def key_in(self, unit: Shape) -> None:
        """Punch the key wherever it stands in the unit."""
        made = self.made
        if unit.label is not None and self.spot is not None and self.spot.spot[0] == "label":
            at = self.spot.spot[1]
            said = _with_key(unit, at)
            if said:
                made.labels[unit] = said
                made.says.add("key")
        for one in unit.walk():
            if one.label and KEY in one.label and one not in made.labels and one is not unit:
                made.labels[one] = one.label.replace(KEY, "@key@")
            if one.holds_value and one not in made.holes and self.is_key(one, unit):
                made.put(one, "key")

    def is_key(self, shape: Shape, unit: Shape) -> bool:
        """Is it the key in every entry that names a file of the packs?"""
        keys = self.keys_of(unit)
        said = [(keys[node], real.node.value) for real in shape.reals if (node := self.unit_node(real, unit)) in keys]
        return bool(said) and all(key == value for key, value in said)

    def keys_of(self, unit: Shape) -> dict[Node, str]:
        return {real.node: self.units[real.node] for real in unit.reals if real.node in self.units}

    def unit_node(self, real: Real, unit: Shape) -> Node | None:
        """The entry that a real node lies in."""
        for candidate in unit.reals:
            if (
                candidate.text is real.text
                and candidate.node.start <= real.node.start
                and real.node.end <= candidate.node.end
            ):
                return candidate.node
        return None

    def inside(self, repeating: Shape, scope: str, unit: Shape) -> None:
        made = self.made
        label = repeating.label or ""
        if NUMBER in label:
            made.labels[repeating] = label.replace(NUMBER, "@take.number@")
            made.says.add("take.number")
        scalars = [one for one in repeating.walk() if one.holds_value and one not in made.holes]
        place_all(made, scope, scalars, repeating, set(), self.known)
        by_place = [one for one in repeating.walk() if one.index is not None]
        if by_place and sum(one in made.holes for one in by_place) == 1 and scope == TAKE:
            self.number_beside(by_place)

    def number_beside(self, by_place: list[Shape]) -> None:
        """A number beside a file that is told by its place alone: how loud that is, most likely."""
        made = self.made
        for shape in by_place:
            values = texts_of(shape)
            if shape not in made.holes and all(map(is_number, values)) and "take.volume" not in made.says:
                most = Counter(values).most_common(1)[0][0]
                made.put(shape, "take.volume", f"={most}")
                name, where = (
                    f"{made.group.first.name} {literal(shape)}",
                    _line(shape.reals[0].text, shape.reals[0].node),
                )
                why = "it stands beside the file, and nothing says what it is"
                others = ("take.pitch", "weight")
                made.doubts.append(Doubt(name, where, f"the number {most}", "take.volume", why, GUESS, others, 3))
                return

    def scalars(self, unit: Shape) -> list[Shape]:
        return [one for one in unit.walk() if one.holds_value]


def _part_order(name: str) -> tuple[int, str]:
    return (PART_WORDS.index(name) if name in PART_WORDS else len(PART_WORDS)), name


def _part_name(there: list[Anchor]) -> str:
    """The part that files are for: a word that all their names have in common, behind the key."""
    common: set[str] | None = None
    for anchor in there:
        rest = PurePosixPath(anchor.file).stem.lower()
        tokens = set(re.findall(r"[a-z]+", rest.replace(anchor.key.lower(), " ")))
        common = tokens if common is None else common & tokens
    return min((name for name in common or () if name in PART_WORDS), key=_part_order, default="")


def _with_key(unit: Shape, at: str) -> str | None:
    """A label with the key in it as a hole."""
    label = unit.label or ""
    if KEY in label:
        return label.replace(KEY, "@key@")
    if at == "":
        return "@key@"
    tokens = label.split(" ")
    tokens[int(at)] = "@key@"
    return " ".join(tokens)


def _in_path(path: str, name: str, hole: str) -> str:
    """A path with a hole in place of a name in its last piece."""
    folder, _, last = path.rpartition("/")
    stem, dot, suffix = last.partition(name)
    return f"{folder}{'/' if folder else ''}{stem}{hole if dot else ''}{suffix}" if dot else path


def _line(text: TextFile, node: Node) -> str:
    place = text.document.text.place(node.start)
    return f"{text.name}:{place.line}"


def _around(made: Decisions, units: list[Shape], known: Known) -> None:
    """What stands around the sounds and is otherwise for some of them: their category."""
    for unit in units:
        label = unit.label or ""
        if ANY in label and "category" not in made.says:
            base = made.labels.get(unit, label)
            made.labels[unit] = base.replace(ANY, "@category@")
            made.says.add("category")
            for real in unit.reals:
                known.categories.update(real.said[1:2])
        for around in unit.lineage():
            if around is unit or not around.several:
                continue
            if around.label == LANGUAGE:
                made.labels[around] = "@language@"
                made.says.add("language")
                continue
            scalars = [
                one
                for one in around.walk()
                if one.holds_value and not any(x in units for x in one.lineage()) and one not in made.holes
            ]
            words = [one for one in scalars if not all(map(is_number, texts_of(one)))]
            if words and "category" not in made.says:
                made.put(words[0], "category")
                made.scopes[around] = CATEGORY
                known.categories.update(texts_of(words[0]))


def place_all(made: Decisions, scope: str, shapes: list[Shape], unit: Shape, taken: set[str], known: Known) -> None:
    """Find a hole for each of an entry's values."""
    pairs = _near_and_far(shapes) if scope == SOUND else {}
    if scope == SOUND:
        shapes = [one for one in shapes if not _two_in_one(made, one)]
    proposals: list[tuple[int, Shape, str]] = []
    for shape in shapes:
        values = texts_of(shape)
        if shape in pairs:
            proposals.append((0, shape, pairs[shape]))
            continue
        fits = fitting(scope, values)
        answer = known.answers.get(f"{made.group.first.name} {literal(shape)}")
        if answer is not None:
            proposals.append((-1, shape, answer))
            continue
        found = lexicon.hole_for(scope, shape.labels, taken, fits)
        if found is not None:
            proposals.append((found[1], shape, found[0]))
    decided: dict[Shape, str] = {}
    for _, shape, hole in sorted(proposals, key=lambda one: one[0]):
        if hole not in taken and shape not in decided and hole != "constant":
            decided[shape] = hole
            taken.add(hole)
    if scope == SOUND and "title" not in taken and "title" not in made.says:
        _guess_title(made, shapes, decided, taken)
    if scope == SOUND and "category" not in taken and "category" not in made.says:
        _guess_category(made, shapes, decided, taken)
    for shape in shapes:
        _place(made, scope, shape, unit, decided.get(shape), known)


def fitting(scope: str, values: Sequence[str]) -> set[str]:
    """The holes of a scope that such values can stand in."""
    numeric = all(map(is_number, values))
    pair = yes_no(values)
    found = set()
    for hole in lexicon.WORDS.get(scope, {}):
        word = WORDS.get(hole)
        kind = word.kind if word else "text"
        if kind in ("number", "whole"):
            ok = numeric
        elif kind == "yes-no":
            ok = pair is not None
        else:
            ok = not numeric and pair in (None, ("y", "n"), ("local", "global"), ("here", "everywhere"))
            ok = ok or (hole in ("prop.id", "trigger.reaches", "game.version"))
        if ok:
            found.add(hole)
    return found


def _near_and_far(shapes: list[Shape]) -> dict[Shape, str]:
    """Two numbers side by side of which the first is never more: from where to where it is heard."""
    found: dict[Shape, str] = {}
    for shape in shapes:
        parent = shape.parent
        if parent is None or shape.index != 0 or len(parent.children) != 2 or not all(map(is_number, texts_of(shape))):
            continue
        other = parent.children[1]
        if other in shapes and all(map(is_number, texts_of(other))):
            pairs = zip(map(float, texts_of(shape)), map(float, texts_of(other)), strict=False)
            if all(near <= far for near, far in pairs):
                found |= {shape: "near", other: "far"}
    return found


_TWO = re.compile(r"(-?\d+\.?\d*)([ ,;/x-]+)(-?\d+\.?\d*)")


def _two_in_one(made: Decisions, shape: Shape) -> bool:
    """Are its values two numbers each, from where to where a sound is heard? Then that is said of it."""
    found = [_TWO.fullmatch(text.strip()) for text in texts_of(shape)]
    signs = {one[2] for one in found if one}
    if not all(found) or len(signs) != 1 or "near" in made.says:
        return False
    if not all(one and float(one[1]) <= float(one[3]) for one in found):
        return False
    made.holes[shape] = f"@near@{signs.pop()}@far@"
    made.says |= {"near", "far"}
    return True


def _guess_category(made: Decisions, shapes: list[Shape], decided: dict[Shape, str], taken: set[str]) -> None:
    """A word that a few sounds have in common each, where nothing calls it a category."""
    for shape in shapes:
        values = texts_of(shape)
        if shape in decided or all(map(is_number, values)) or yes_no(values) or any(map(_prose, values)):
            continue
        if 1 < len(set(values)) < len(values):
            decided[shape] = "category"
            taken.add("category")
            made.doubts.append(
                Doubt(
                    f"{made.group.first.name} {literal(shape)}", _line(shape.reals[0].text, shape.reals[0].node),
                    f"{shape.label}: {', '.join(sorted(set(values))[:3])}", "category",
                    "a few sounds have the same word", GUESS, (f"field.{_slug(shape)}", "constant"), 4,
                )
            )  # fmt: skip
            return


def _guess_title(made: Decisions, shapes: list[Shape], decided: dict[Shape, str], taken: set[str]) -> None:
    """A text that people read, of each sound its own, where nothing calls it a title."""
    for shape in shapes:
        values = texts_of(shape)
        if shape in decided or len(set(values)) < len(values) or not all(map(_prose, values)):
            continue
        decided[shape] = "title"
        taken.add("title")
        name, where = f"{made.group.first.name} {literal(shape)}", _line(shape.reals[0].text, shape.reals[0].node)
        why, others = "each sound has its own, and people read it", (f"field.{_slug(shape)}",)
        made.doubts.append(Doubt(name, where, values[0], "title", why, LIKELY, others, 3))
        return


def _slug(shape: Shape) -> str:
    label = next((one for one in shape.labels if lexicon.words(one)), "value")
    return "-".join(lexicon.words(label)) + (f"-{shape.index}" if shape.index is not None else "")


def _place(made: Decisions, scope: str, shape: Shape, unit: Shape, hole: str | None, known: Known) -> None:
    values = texts_of(shape)
    instances = len(unit.reals)
    if hole == "trigger.does":
        _deeds(made, shape, values)
        return
    if hole is not None:
        built = Hole(hole, values, instances) if not hole.startswith("field") else None
        made.put(shape, hole, str(built) if built else _field_more(shape, values))
        if hole == "category":
            known.categories.update(values)
        return
    if len(set(values)) == 1 and (len(values) == instances or not _alternating(shape, unit)):
        return  # a constant
    if made.merged:
        return  # the game's own entries have it, and keep it
    if scope in _FIELDS:
        name = f"{_FIELDS[scope]}.{_slug(shape)}"
        while name in made.says:
            name += "-2"
        made.put(shape, name, _field_more(shape, values))
        made.doubts.append(
            Doubt(
                f"{made.group.first.name} {literal(shape)}", _line(shape.reals[0].text, shape.reals[0].node),
                f"{shape.label or 'value'}: {', '.join(list(dict.fromkeys(values))[:3])}", name,
                "it is not known what it means: a free field", LIKELY, tuple(sorted(fitting(scope, values))), 1,
            )
        )  # fmt: skip
    else:
        made.unmapped.append(shape)


_STOPS = ("stop", "hush", "silence", "end", "halt", "off", "mute", "quiet", "cease", "still")
_FADES = ("fade", "drift", "fading", "out")


def _deeds(made: Decisions, shape: Shape, values: Sequence[str]) -> None:
    """What triggers do, in the game's own words: most of them play."""
    count = Counter(values)
    play = next((word for word in count if word == "play"), count.most_common(1)[0][0])
    table = {"play": play}
    for word in count:
        known = set(lexicon.words(word))
        ours = "fade-out" if known & set(_FADES) else "stop" if known & set(_STOPS) else ""
        if word != play and ours and ours not in table:
            table[ours] = word
    if set(table.values()) != set(count):
        made.unmapped.append(shape)
        return
    if len(table) == 1 and play != "play":
        return  # nobody can know what else there is: it stays as it is
    plain = all(ours == theirs for ours, theirs in table.items())
    if not plain:
        made.tables["does"] = table
        where = _line(shape.reals[0].text, shape.reals[0].node)
        shown = ", ".join(f"{theirs} is {ours}" for ours, theirs in table.items())
        name = f"{made.group.first.name} {literal(shape)}"
        made.doubts.append(Doubt(name, where, shown, "trigger.does", "most triggers play", LIKELY))
    made.put(shape, "trigger.does", f"{'' if plain else '~table(does)'}={play}")


def _alternating(shape: Shape, unit: Shape) -> bool:
    return len(shape.reals) < len(unit.reals)


def _field_more(shape: Shape, values: Sequence[str]) -> str:
    """How a free field is spelled where it is no text."""
    node = shape.reals[0].node
    quoted = shape.reals[0].text.document.text.content[node.body_start : node.body_start + 1] in ('"', "'")
    if all(map(is_number, values)) and not quoted:
        return "~number"
    if set(values) <= {"true", "false"} and (not quoted or shape.reals[0].text.document.format.name == "XML"):
        return "~true-false"
    return ""


def is_uuid(text: str) -> bool:
    """Is it an id (RFC 9562)?"""
    try:
        return str(uuid.UUID(text)) == text.strip().lower().strip("{}")
    except ValueError:
        return False


_ = (ENTRY, PACK, SCHEDULE)
