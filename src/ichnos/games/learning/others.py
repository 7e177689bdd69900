"""The documents that name keys and no files: titles, lists, triggers, props and schedules."""

from __future__ import annotations

from collections import Counter
from pathlib import PurePosixPath

from ichnos.documents.tree import Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.decisions import (
    GUESS,
    Decisions,
    Learned,
    in_path,
    is_number,
    is_uuid,
    texts_of,
)
from ichnos.games.learning.evidence import References
from ichnos.games.learning.grouping import is_language
from ichnos.games.learning.placing import place_all
from ichnos.games.learning.roles import around_sounds
from ichnos.games.learning.shapes import ANY, EVENT, KEY, LANGUAGE, NUMBER, Shape
from ichnos.games.profiles.vocabulary import CATEGORY, ENTRY, PROP, SCHEDULE, SOUND, TRIGGER
from ichnos.games.profiles.vocabulary import LANGUAGE as TONGUE

_TRIGGERS = {
    "trigger", "triggers", "event", "events", "upon", "when", "happening", "happens", "once", "delay", "wait", "waits",
    "where", "cue", "listen", "occasion",
}  # fmt: skip
_SCHEDULES = {"schedule", "schedules", "between", "piece", "pieces", "entry", "entries", "rotation", "apart"}
_MOST = 40  # lists of things that name keys, in one document
_KINDS = {"piece", "between"}


class OtherRoles:
    """The holes of a document that names keys, and no files."""

    def __init__(self, made: Decisions, learned: Learned, pictures: list[References]) -> None:
        """``made``: the decisions so far: what is in the entries of a document's sounds is settled."""
        self.known, self.pictures = learned, pictures
        self.made = made
        group, shape = made.group, made.shape
        self.settled = {node for unit in made.scopes for node in unit.walk()}
        self.by_node = {real.node: node for node in shape.walk() for real in node.reals}
        self.by_stem = [PurePosixPath(text.name).stem for text in group.texts]
        self.in_language = group.in_languages is not None

    def decide(self) -> Decisions:
        made = self.made
        mentions = self.mentions()
        if made.group.in_languages and "language" not in made.says:
            made.path = made.group.in_languages
            made.says.add("language")
        units = self.units(mentions)
        for unit in units if len(units) <= _MOST else ():  # no document has so many lists: its names are keys by chance
            self.decide_one([unit], mentions)
        return made

    def decide_one(self, units: list[Shape], mentions: dict[Shape, set[Node]]) -> None:
        made, group = self.made, self.made.group
        role = self.role(units, mentions)
        if role == SOUND and all(stem in self.known.keys for stem in self.by_stem) and group.several:
            made.path = in_path(made.path, self.by_stem[0], "@key@")
        elif role in (PROP, SCHEDULE, TRIGGER) and self.file_is_unit(units):
            made.path = in_path(made.path, self.by_stem[0], f"@{role}.name@")
            made.says.add(f"{role}.name")
        if role == SOUND:
            self.sounds(units, mentions)
        elif role == SCHEDULE:
            self.schedules(units, mentions)
        else:
            self.players(role, units, mentions)

    def mentions(self) -> dict[Shape, set[Node]]:
        """The shapes that hold keys: in their values, or in their labels."""
        found: dict[Shape, set[Node]] = {}
        for shape in self.made.shape.walk():
            if shape in self.settled or any(around in self.made.scopes for around in shape.lineage()):
                continue
            if shape.label is not None and KEY in shape.label:
                found[shape] = {real.node for real in shape.reals}
            elif shape.holds_value and not (self.made.has_files and self.stands_alone(shape)):
                nodes = {real.node for real in shape.reals if real.node.value in self.known.keys}
                if nodes and 2 * len(nodes) >= len(shape.reals):
                    found[shape] = nodes
        return found

    def stands_alone(self, shape: Shape) -> bool:
        """Is it said once in each pack, as its name or a key that it begins with is?"""
        return not any(outer.several or outer.varies for outer in shape.lineage())

    def repeats(self, shape: Shape) -> bool:
        parent = shape.parent
        if parent is None:
            return False
        form = shape.reals[0].text.document.format
        return shape.several or bool(form.repeatable(shape.reals[0].node, parent.reals[0].node))

    def units(self, mentions: dict[Shape, set[Node]]) -> list[Shape]:
        """What repeats around each mention: a row, an item, an element; the whole where the file is one."""
        nones: dict[Shape, None] = {}
        for shape in mentions:
            if shape.label is not None and (KEY in shape.label or EVENT in shape.label):
                nones[shape] = None
                continue
            around = [
                around_it for around_it in shape.lineage() if not around_it.holds_value or around_it.label is None
            ]
            unit = next((outer for outer in around if self.repeats(outer)), None)
            several = self.file_is_unit([])
            if unit is not None and several and not unit.several and not unit.varies:
                unit = None  # a part of a file that is the entry itself
            nones[unit or self.made.shape] = None
        return list(nones)

    def file_is_unit(self, units: list[Shape]) -> bool:
        if self.in_language or self.made.has_files:
            return False
        texts = self.made.group.texts
        stems = dict(zip(texts, self.by_stem, strict=True))
        values = {text: {node.value for node in text.document.root.walk() if node.holds_value} for text in texts}
        named_inside = all(stem in values[text] for text, stem in stems.items())
        return self.made.group.several or len(set(self.by_stem)) > 1 or named_inside

    def labels(self, units: list[Shape]) -> set[str]:
        """All words by which a document calls what is in it."""
        found: set[str] = set()
        for unit in units:
            for node in (*unit.walk(), *unit.lineage()):
                found.update(lexicon.words(node.label or ""))
        path = PurePosixPath(self.made.group.first.name)
        own = [] if self.file_is_unit(units) or self.made.has_files else [path.stem]
        for piece in (*path.parts[:-1], *own):
            found.update(lexicon.words(piece))
        return found

    def role(self, units: list[Shape], mentions: dict[Shape, set[Node]]) -> str:
        words = self.labels(units)
        scalars = [node for unit in units for node in unit.walk() if node.holds_value and node not in mentions]
        if self.in_language or any(shape.label == LANGUAGE for unit in units for shape in unit.lineage()):
            return SOUND
        if any(set(texts_of(scalar)) <= _KINDS for scalar in scalars) or len(words & _SCHEDULES) > 1:
            return SCHEDULE
        if self.file_is_unit(units) and not all(stem in self.known.keys for stem in self.by_stem):
            return PROP if self.picture_in(scalars) or any(map(self.is_spoken, units)) else TRIGGER
        if any(EVENT in (unit.label or "") for unit in units):
            return PROP if self.picture_in(scalars) else TRIGGER
        hits = len(words & _TRIGGERS)
        if hits and len(scalars) > 1:
            return TRIGGER
        if self.picture_in(scalars):
            return PROP
        counts = Counter(
            (id(real.text), real.node.value) for mention in mentions for real in mention.reals if mention.holds_value
        )
        once = all(count == 1 for count in counts.values())
        return SOUND if once else TRIGGER

    def is_spoken(self, unit: Shape) -> bool:
        return any(node.label == LANGUAGE for node in unit.walk())

    def picture_in(self, scalars: list[Shape]) -> bool:
        return any(self.is_picture(scalar) for scalar in scalars)

    def is_picture(self, shape: Shape) -> bool:
        named = [self.pictures[real.text.pack].find(real.node.value or "", real.text.name) for real in shape.reals]
        return bool(named) and all(named)

    def sounds(self, units: list[Shape], mentions: dict[Shape, set[Node]]) -> None:
        """Titles, or a list, or further settings of sounds."""
        made = self.made
        for unit in units:
            made.scopes[unit] = SOUND
            if unit.label is not None and KEY in unit.label:
                made.labels[unit] = unit.label.replace(KEY, "@key@")
                made.says.add("key")
            for node in unit.walk():
                if node in mentions and node.holds_value and node.label != LANGUAGE and KEY not in (node.label or ""):
                    made.put(node, "key")
                if node.label == LANGUAGE:
                    made.labels[node] = "@language@"
                    made.says.add("language")
            texts = [inner for inner in unit.walk() if inner.holds_value and inner not in made.holes]
            spoken = self.in_language or any(shape.label == LANGUAGE for shape in (*unit.walk(), *unit.lineage()))
            spoken = spoken or any(all(map(is_language, texts_of(text))) for text in texts)
            for node in texts:
                if all(map(is_language, texts_of(node))):
                    made.put(node, "language")
            texts = [text for text in texts if text not in made.holes]
            words = [text for text in texts if not all(map(is_number, texts_of(text)))]
            if spoken and words:
                best = min(words, key=lambda one: (one is not unit and _title_rank(one), -_length(one)))
                made.put(best, "title")
                texts.remove(best)
            place_all(made, SOUND, texts, unit, {"title"} if spoken else set(), self.known)
        around_sounds(made, units, self.known)
        for unit in units:
            for around in unit.lineage():
                if around.label == LANGUAGE and around is not unit:
                    made.labels[around] = "@language@"
                    made.scopes[around] = TONGUE
                if around is not unit and around.label == ANY:
                    made.labels[around] = "@category@"
                    made.scopes[around] = CATEGORY
                    made.says.add("category")

    def players(self, role: str, units: list[Shape], mentions: dict[Shape, set[Node]]) -> None:
        """Triggers and props: each plays a key."""
        made = self.made
        for unit in units:
            made.scopes[unit] = role
            taken = {f"{role}.key"}
            if self.file_is_unit(units):
                taken.add(f"{role}.name")
            if unit.label is not None and KEY in unit.label:
                made.labels[unit] = unit.label.replace(KEY, f"@{role}.key@")
                made.says.add(f"{role}.key")
            if unit.label is not None and EVENT in unit.label:
                self.called(role, unit)
            rest = []
            names = dict(zip((text.name for text in made.group.texts), self.by_stem, strict=True))
            spoken = [inner for inner in unit.walk() if inner.label == LANGUAGE]
            for node in unit.walk():
                if node in mentions and node.holds_value:
                    made.put(node, f"{role}.key")
                elif node.label == LANGUAGE:
                    self.spoken(node, spoken)
                elif not node.holds_value:
                    continue
                elif self.file_is_unit(units) and all(real.node.value == names[real.text.name] for real in node.reals):
                    made.put(node, f"{role}.name")
                elif role == PROP and self.is_picture(node):
                    self.picture(node)
                elif role == PROP and all(map(is_uuid, texts_of(node))):
                    made.put(node, "prop.id")
                else:
                    rest.append(node)
            place_all(
                made, role, rest, unit, taken | {name for name in made.says if name.startswith(f"{role}.")}, self.known
            )
            if role == TRIGGER and "trigger.event" not in made.says:
                self.guess_event(unit, rest)
            if role == TRIGGER:
                self.guess_texts(unit, rest)

    def called(self, role: str, unit: Shape) -> None:
        """What a thing that plays a key is called by: when it is heard, or its own name."""
        made = self.made
        names = ("trigger.event", "trigger.name", "trigger.where") if role == TRIGGER else ("prop.name", "prop.id")
        hole = self.known.answers.get(made.identity(unit), names[0])
        made.labels[unit] = (unit.label or "").replace(EVENT, f"@{hole}@")
        made.says.add(hole)
        others = [name for name in names if name != hole]
        made.doubt(unit, unit.reals[0].said[0], hole, "what plays the sound is called by it", GUESS, others, 5)

    def spoken(self, shape: Shape, all_of: list[Shape]) -> None:
        """A prop's text in a language: the shorter ones are what it is called."""
        made = self.made
        made.labels[shape] = "@language@"
        made.says.add("language")
        if not shape.holds_value:
            return
        lengths = sorted(all_of, key=_length)
        called = [word for outer in list(shape.lineage())[1:] for word in lexicon.words(outer.label or "")]
        by_word = next(
            (hole for hole in ("prop.title", "prop.text") if set(called) & set(lexicon.WORDS[PROP][hole])), None
        )
        hole = by_word or ("prop.title" if shape is lengths[0] else "prop.text")
        if hole in made.says and by_word is None:
            hole = "prop.text"
        made.put(shape, hole)

    def picture(self, shape: Shape) -> None:
        ways = [
            way
            for real in shape.reals[:1]
            for _, way in self.pictures[real.text.pack].find(real.node.value or "", real.text.name)
        ]
        self.made.put(shape, "prop.picture", str(min(ways, key=lambda way: len(way.folder))))

    def guess_event(self, unit: Shape, rest: list[Shape]) -> None:
        """A trigger needs an event: of the texts that are left, the one that differs most."""
        made = self.made
        texts = [
            shape
            for shape in rest
            if not all(map(is_number, texts_of(shape))) and "field" in made.holes.get(shape, "field")
        ]
        if not texts:
            return
        best = max(texts, key=lambda one: len(set(texts_of(one))))
        old = made.holes.pop(best, None)
        if old:
            made.says.discard(old.strip("@").partition("~")[0])
        made.put(best, "trigger.event")
        others = [f"trigger.{name}" for name in ("where", "name", "from", "state")]
        made.doubt(best, texts_of(best)[0], "trigger.event", "the text that differs most", GUESS, others, 5)

    def guess_texts(self, unit: Shape, rest: list[Shape]) -> None:
        """The other texts of a trigger: where it happens, what it is called, from where it is heard."""
        made = self.made
        for shape in rest:
            values = texts_of(shape)
            old = made.holes.get(shape, "")
            if not old.startswith("@trigger.field.") or "~" in old or any(" " in value for value in values):
                continue
            always = len(values) == len(unit.reals) and all(values)
            unique = len(set(values)) == len(values) and len(values) > 1
            wanted = (
                ("trigger.name", always and unique and shape is rest[0], "each trigger has its own"),
                ("trigger.where", always, "every trigger has one"),
                ("trigger.from", not always, "not every trigger has one"),
            )
            for hole, fits, why in wanted:
                if fits and hole not in made.says:
                    made.doubts = [doubt for doubt in made.doubts if doubt.taken != old.strip("@")]
                    made.says.discard(old.strip("@"))
                    made.put(shape, hole)
                    others = [name for name, _, _ in wanted if name != hole] + ["trigger.event", old.strip("@")]
                    made.doubt(shape, values[0], hole, why, GUESS, others, 4)
                    break

    def schedules(self, units: list[Shape], mentions: dict[Shape, set[Node]]) -> None:
        made = self.made
        for unit in units:
            made.scopes[unit] = ENTRY
            if NUMBER in (unit.label or ""):
                made.labels[unit] = (unit.label or "").replace(NUMBER, "@entry.number@")
                made.says.add("entry.number")
            rest = []
            for node in unit.walk():
                if node in mentions and node.holds_value:
                    made.put(node, "entry.key")
                elif node.holds_value and set(texts_of(node)) <= _KINDS:
                    made.put(node, "entry.kind")
                elif node.holds_value:
                    rest.append(node)
            place_all(made, ENTRY, rest, unit, {"entry.key", "entry.kind"}, self.known)
        inside = {inner for unit in units for inner in unit.walk()}
        names = dict(zip((text.name for text in made.group.texts), self.by_stem, strict=True))
        around = [shape for shape in self.made.shape.walk() if shape.holds_value and shape not in inside]
        rest = []
        for node in around:
            if self.file_is_unit(units) and all(real.node.value == names[real.text.name] for real in node.reals):
                made.put(node, "schedule.name")
            else:
                rest.append(node)
        place_all(
            made,
            SCHEDULE,
            rest,
            self.made.shape,
            {"schedule.name"} if "schedule.name" in made.says else set(),
            self.known,
        )


def _length(shape: Shape) -> float:
    texts = texts_of(shape)
    return sum(map(len, texts)) / len(texts)


def _title_rank(shape: Shape) -> int:
    ranked = lexicon.WORDS[SOUND]["title"]
    return min(
        (ranked.index(word) for label in shape.labels[:1] for word in lexicon.words(label) if word in ranked),
        default=99,
    )
