"""Which hole each value of an entry is: by what it is called, by its values, or a guess that is told."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import chain, count

from ichnos.games.learning import lexicon
from ichnos.games.learning.decisions import (
    GUESS,
    LIKELY,
    Decisions,
    Learned,
    is_number,
    is_prose,
    slug,
    texts_of,
)
from ichnos.games.learning.shapes import Shape
from ichnos.games.profiles.vocabulary import PROP, SOUND, TRIGGER, WORDS

_FIELDS = {SOUND: "field", TRIGGER: "trigger.field", PROP: "prop.field"}
FEW = 3  # things: of fewer nobody knows what is usual
_COMMON = 0.4  # of all values: what so many have is what stands there by itself


class Hole:
    """A hole for some values: its converters, and its default."""

    def __init__(self, name: str, values: Sequence[str], instances: int) -> None:
        self.name = name
        self.values = list(values)
        self.instances = instances
        self.converters = self._converters()
        self.default = self._default()

    def __str__(self) -> str:
        more = "".join(f"~{converter}" for converter in self.converters)
        return f"{more}={self.default}" if self.default is not None else more

    @property
    def kind(self) -> str:
        words = WORDS.get(self.name)
        return words.kind if words else "text"

    def _converters(self) -> list[str]:
        if self.kind == "yes-no":
            pair = yes_no(self.values)
            return [] if pair in (None, ("true", "false")) else [f"yes-no({pair[0]},{pair[1]})"]
        if self.kind != "number":
            return []
        numbers = [float(value) for value in self.values]
        own = self.name.rpartition(".")[2]
        if own in ("volume", "piece-volume", "between-volume", "odds", "weight"):
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
        tally = Counter(self.values)
        most, times = tally.most_common(1)[0]
        neutral = self._neutral()
        stands = next((value for value in tally if neutral is not None and self._read(value) == neutral), None)
        if stands is not None:
            return stands
        if self.kind == "yes-no":
            return most if self.instances >= FEW or most == "false" else None
        if self.kind not in ("number", "whole") or self.instances < FEW:
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
    distinct = set(values)
    if not distinct or len(distinct) > 2:
        return None
    for yes, no in lexicon.YES_NO.items():
        if distinct <= {yes, no}:
            return yes, no
    return None


def place_all(made: Decisions, scope: str, shapes: list[Shape], unit: Shape, taken: set[str], learned: Learned) -> None:
    """Find a hole for each of an entry's values."""
    pairs = _near_and_far(shapes) if scope == SOUND else {}
    if scope == SOUND:
        shapes = [candidate for candidate in shapes if not _two_in_one(made, candidate)]
    proposals: list[tuple[int, Shape, str]] = []
    for shape in shapes:
        values = texts_of(shape)
        if shape in pairs:
            proposals.append((0, shape, pairs[shape]))
            continue
        fits = fitting(scope, values)
        answer = learned.answers.get(made.identity(shape))
        if answer is not None:
            proposals.append((-1, shape, answer))
            continue
        hole_for = lexicon.hole_for(scope, shape.labels, taken, fits)
        if hole_for is not None:
            proposals.append((hole_for[1], shape, hole_for[0]))
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
        _settle(made, scope, shape, unit, decided.get(shape), learned)


def fitting(scope: str, values: Sequence[str]) -> set[str]:
    """The holes of a scope that such values can stand in."""
    numeric = all(map(is_number, values))
    pair = yes_no(values)
    holes = set()
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
            holes.add(hole)
    return holes


def _near_and_far(shapes: list[Shape]) -> dict[Shape, str]:
    """Two numbers side by side of which the first is never more: from where to where it is heard."""
    holes: dict[Shape, str] = {}
    for shape in shapes:
        parent = shape.parent
        if parent is None or shape.index != 0 or len(parent.children) != 2 or not all(map(is_number, texts_of(shape))):
            continue
        other = parent.children[1]
        if other in shapes and all(map(is_number, texts_of(other))):
            pairs = zip(map(float, texts_of(shape)), map(float, texts_of(other)), strict=False)
            if all(near <= far for near, far in pairs):
                holes |= {shape: "near", other: "far"}
    return holes


_TWO = re.compile(r"(-?\d+\.?\d*)([ ,;/x-]+)(-?\d+\.?\d*)")


def _two_in_one(made: Decisions, shape: Shape) -> bool:
    """Are its values two numbers each, from where to where a sound is heard? Then that is said of it."""
    matches = [_TWO.fullmatch(text.strip()) for text in texts_of(shape)]
    signs = {match[2] for match in matches if match}
    if not all(matches) or len(signs) != 1 or "near" in made.says:
        return False
    if not all(match and float(match[1]) <= float(match[3]) for match in matches):
        return False
    made.holes[shape] = f"@near@{signs.pop()}@far@"
    made.says |= {"near", "far"}
    return True


def _guess_category(made: Decisions, shapes: list[Shape], decided: dict[Shape, str], taken: set[str]) -> None:
    """A word that a few sounds have in common each, where nothing calls it a category."""
    for shape in shapes:
        values = texts_of(shape)
        if shape in decided or all(map(is_number, values)) or yes_no(values) or any(map(is_prose, values)):
            continue
        if 1 < len(set(values)) < len(values):
            decided[shape] = "category"
            taken.add("category")
            shown, others = ", ".join(sorted(set(values))[:3]), (f"field.{slug(shape)}", "constant")
            made.doubt(shape, shown, "category", "a few sounds have the same word", GUESS, others, 4)
            return


def _guess_title(made: Decisions, shapes: list[Shape], decided: dict[Shape, str], taken: set[str]) -> None:
    """A text that people read, of each sound its own, where nothing calls it a title."""
    for shape in shapes:
        values = texts_of(shape)
        if shape in decided or len(set(values)) < len(values) or not all(map(is_prose, values)):
            continue
        decided[shape] = "title"
        taken.add("title")
        why = "each sound has its own, and people read it"
        made.doubt(shape, values[0], "title", why, LIKELY, (f"field.{slug(shape)}",), 3)
        return


def _settle(made: Decisions, scope: str, shape: Shape, unit: Shape, hole: str | None, learned: Learned) -> None:
    values = texts_of(shape)
    instances = len(unit.reals)
    if hole == "trigger.does":
        _deeds(made, shape, values)
        return
    if hole is not None:
        built = Hole(hole, values, instances) if not hole.startswith("field") else None
        made.put(shape, hole, str(built) if built else _field_more(shape, values))
        if hole == "category":
            learned.categories.update(values)
        return
    if len(set(values)) == 1 and (len(values) == instances or not _alternating(shape, unit)):
        return  # a constant
    if made.merged:
        return  # the game's own entries have it, and keep it
    if scope in _FIELDS:
        plain = f"{_FIELDS[scope]}.{slug(shape)}"
        name = next(one for one in chain([plain], (f"{plain}-{at}" for at in count(2))) if one not in made.says)
        made.put(shape, name, _field_more(shape, values))
        shown, others = ", ".join(list(dict.fromkeys(values))[:3]), sorted(fitting(scope, values))
        made.doubt(shape, shown, name, "it is not known what it means: a free field", LIKELY, others)
    else:
        made.unmapped.append(shape)


_STOPS = ("stop", "hush", "silence", "end", "halt", "off", "mute", "quiet", "cease", "still")
_FADES = ("fade", "drift", "fading", "out")


def _deeds(made: Decisions, shape: Shape, values: Sequence[str]) -> None:
    """What triggers do, in the game's own words: most of them play."""
    tally = Counter(values)
    play = next((word for word in tally if word == "play"), tally.most_common(1)[0][0])
    table = {"play": play}
    for word in tally:
        known = set(lexicon.words(word))
        ours = "fade-out" if known & set(_FADES) else "stop" if known & set(_STOPS) else ""
        if word != play and ours and ours not in table:
            table[ours] = word
    if set(table.values()) != set(tally):
        made.unmapped.append(shape)
        return
    if len(table) == 1 and play != "play":
        return  # nobody can know what else there is: it stays as it is
    plain = all(ours == theirs for ours, theirs in table.items())
    if not plain:
        made.tables["does"] = table
        shown = ", ".join(f"{theirs} is {ours}" for ours, theirs in table.items())
        made.doubt(shape, shown, "trigger.does", "most triggers play", LIKELY)
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
