"""Lines as they are written: fixed texts and slots, and how a line of a file is held against them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

COMMENTS = ("#", "//", ";", "--", "/* */")  # signs that begin one; with a blank, what ends it, too
_LOOSE = ",;:=()[]{}|<>*+"  # blanks may stand or not beside these
_BLANKS, _SOME = r"[ \t]*+", r"[ \t]++"
# A group is never possessive, as Python 3.11.0 to 3.11.4 match such wrongly; what may follow is never in it.
_QUOTED = r'"[^"\\]*+(?:\\.[^"\\]*+)*"|\'[^\'\\]*+(?:\\.[^\'\\]*+)*\''
_QUOTED_PLAINLY = r'"[^"]*+"|\'[^\']*+\''
_PIECE = re.compile(r"\w+|[ \t]+|[^\w \t]")


def fixed(text: str, *, before: bool, behind: bool) -> str:
    """The regular expression for a fixed text; ``before``, ``behind``: a slot stands there."""
    pieces = _PIECE.findall(text)
    expression = ""
    for index, piece in enumerate(pieces):
        is_first, is_last = index == 0, index == len(pieces) - 1
        left = pieces[index - 1] if index else "w" if before else " "
        right = " " if is_last and not behind else "w" if is_last else pieces[index + 1]
        if piece.isspace():
            loose = left in _LOOSE or right in _LOOSE or not (left.strip() and right.strip())
            expression += _BLANKS if loose else _SOME
            continue
        around = _BLANKS if piece in _LOOSE else ""
        expression += "" if is_first and not before else around
        expression += re.escape(piece)
        expression += "" if is_last and not behind else around
    return expression


@dataclass(frozen=True)
class Slot:
    """A place for a value in a line. ``name``: tells it from all others. ``written``: as it stands in the pattern.

    ``lead``: the fixed text before it, which goes where it goes; ``tail``: closing signs behind it. ``begins`` and
    ``ends``: fixed signs inside its word. ``optional``: the line can do without it.
    """

    name: str
    written: str
    lead: str = ""
    tail: str = ""
    begins: str = ""
    ends: str = ""
    optional: bool = False


@dataclass(frozen=True)
class Group:
    """Slots that repeat together. ``joint``: what stands between two of them; without one, the first slot's lead."""

    name: str
    slots: tuple[Slot, ...]
    joint: str | None = None


@dataclass(frozen=True)
class LinePattern:
    """A line: fixed text, slots, fixed text. ``label``: lines that are called alike are ways to write one thing."""

    label: str
    opening: str
    parts: tuple[Slot | Group, ...] = ()
    closing: str = ""

    @property
    def weight(self) -> int:
        """How much of it is fixed: the more, the earlier it is tried."""
        slots = [slot for part in self.parts for slot in (part.slots if isinstance(part, Group) else (part,))]
        own = "".join((slot.lead + slot.tail + slot.begins + slot.ends) for slot in slots)
        return len(re.sub(r"\s", "", self.opening + own + self.closing))

    @property
    def first_word(self) -> str:
        return next(iter(re.findall(r"\w+", self.opening)), "")


@dataclass(frozen=True)
class Block:
    """Lines that belong together: the first, those that may follow in any order, and the fixed one that ends it."""

    head: LinePattern
    body: tuple[LinePattern | Block, ...] = ()
    last: LinePattern | None = None

    @property
    def label(self) -> str:
        return f"{self.head.label} ..."


AnyPattern = LinePattern | Block


def head_of(pattern: AnyPattern) -> LinePattern:
    return pattern.head if isinstance(pattern, Block) else pattern


class Matcher:
    """One pattern of a line as regular expressions."""

    def __init__(self, pattern: LinePattern, escapes: str, comments: Sequence[str]) -> None:
        self.pattern = pattern
        self.quoted = _QUOTED if escapes == "backslash" else _QUOTED_PLAINLY
        comment = _comment(comments)
        self.end = fixed(pattern.closing, before=bool(pattern.parts), behind=False) + rf"(?:{_BLANKS}{comment})?"
        self.bare: dict[str, re.Pattern[str]] = {}
        self.items: dict[str, re.Pattern[str]] = {}
        expression = _BLANKS + fixed(pattern.opening, before=False, behind=bool(pattern.parts))
        for index, part in enumerate(pattern.parts):
            expression += self._part(index, part)
        self.whole = re.compile(f"{expression}(?P<closing>{fixed(pattern.closing, before=True, behind=False)})"
                                rf"{_BLANKS}{comment}")  # fmt: skip

    def _part(self, index: int, part: Slot | Group) -> str:
        if isinstance(part, Slot):
            stops = self._stops(index + 1)
            alone = self._slot(part, stops, name=f"s{index}")
            return f"(?:{alone})?" if part.optional else alone
        lead = fixed(part.slots[0].lead, before=True, behind=True)
        joint = lead if part.joint is None else fixed(part.joint, before=True, behind=True)
        item = ""
        for at, slot in enumerate(part.slots):
            following = [fixed(one.lead, before=True, behind=True) for one in part.slots[at + 1 :]]
            stops = [*following, joint, *self._stops(index + 1)]
            own = self._slot(slot, stops, name=f"i{at}", leads=at > 0)
            item += f"(?:{own})?" if slot.optional and at else own
        self.items[part.name] = re.compile(item)
        anonymous = re.sub(r"\(\?P<i\d+>", "(?:", item)
        return f"(?P<s{index}>(?:{lead}{anonymous}(?:{joint}{anonymous})*)?)"

    def _slot(self, slot: Slot, stops: list[str], *, name: str, leads: bool = True) -> str:
        stop = "|".join(dict.fromkeys(stops))
        tail = fixed(slot.tail, before=True, behind=False) if slot.tail else ""
        bare = rf"(?![\"'])(?:(?!{tail}(?:{stop})).)+"
        self.bare[slot.name] = re.compile(bare)
        lead = fixed(slot.lead, before=True, behind=True) if leads and slot.lead else ""
        return f"{lead}(?P<{name}>{re.escape(slot.written)}|{self.quoted}|{bare}){tail}"

    def _stops(self, index: int) -> list[str]:
        """What may stand behind a part: the leads of those that follow, up to one that must, or the line's end."""
        stops = []
        for part in self.pattern.parts[index:]:
            first = part.slots[0] if isinstance(part, Group) else part
            stops.append(fixed(first.lead, before=True, behind=True))
            if isinstance(part, Slot) and not part.optional:
                return stops
        return [*stops, self.end + r"\Z"]


def _comment(signs: Sequence[str]) -> str:
    """The regular expression for a comment behind a line, which may be missing."""
    comments = []
    for sign in signs:
        opening, _, closing = map(re.escape, sign.partition(" "))
        comments.append(rf"{opening}(?:(?!{closing}).)*(?:{closing}{_BLANKS})?" if closing else f"{opening}.*+")
    return rf"(?:(?<![^ \t;,)\]}}\"'])(?:{'|'.join(comments)}))?" if comments else ""
