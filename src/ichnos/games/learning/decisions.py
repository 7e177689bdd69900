"""What is decided of a document, and what is in doubt."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ichnos.documents.tree import Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.evidence import Pack, TextFile
from ichnos.games.learning.grouping import Group
from ichnos.games.learning.keys import Named
from ichnos.games.learning.shapes import Shape
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.references import references
from ichnos.games.things import PackThing

LIKELY, GUESS = "likely", "a guess"


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
    ``parts``: the names of parts.
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
    named: Named | None = None
    has_files: bool = False
    tables: dict[str, dict[str, str]] = field(default_factory=dict)  # of words
    merged: bool = False  # it is the game's own, with the pack's entries in it
    known: bool = False  # it is the game's own, and no pack has it
    disabled: str | None = None  # what stands before entries that wait in comments

    def put(self, shape: Shape, name: str, more: str = "") -> None:
        """Punch a hole; ``more``: its converters and its default."""
        self.holes[shape] = f"@{name}{more}@"
        self.says.add(name)

    def identity(self, shape: Shape) -> str:
        """By what a doubt about a value is known."""
        return f"{self.group.first.name} {literal(shape)}"

    def doubt(
        self, shape: Shape, text: str, taken: str, why: str, sure: str, others: Sequence[str] = (), weight: int = 1
    ) -> None:
        """Note that a value may stand for something else than what it is taken for."""
        real = shape.reals[0]
        text = f"{shape.label}: {text}" if shape.label and not shape.varies else text
        place = line_of(real.text, real.node)
        self.doubts.append(Doubt(self.identity(shape), place, text, taken, why, sure, tuple(others), weight))


@dataclass
class Readable:
    """A document of the draft, and what it says in each pack."""

    made: Decisions
    data: bytes
    exemplar: Exemplar
    said: dict[int, list[PackThing]] = field(default_factory=dict)
    files: dict[int, list[str]] = field(default_factory=dict)


@dataclass
class Learned:
    """What has been found out in all documents so far."""

    packs: list[Pack]
    names: list[str]  # the packs' short names
    keys: set[str]
    answers: dict[str, str]  # to doubts, by their ids
    separator: str = "."
    categories: set[str] = field(default_factory=set)
    references: dict[str, str] = field(default_factory=dict)  # the lines of [references]

    def complete_references(self, holes: Iterable[str]) -> None:
        """Where some files are named behind their owners, others may be named by their paths."""
        names = list(holes)
        count = sum(hole in ("@file@", "@part.file@") for hole in names)
        if self.references and (count > 1 or "@prop.picture@" in names):
            self.references.setdefault("@path@", "@path@")

    def tables(self, words: Mapping[str, Mapping[str, str]]) -> Tables:
        """What converters need of the game, and of the word tables of one document."""
        lines = dict(sorted(self.references.items(), key=lambda line: line[0] == "@path@"))
        return Tables(words, references=references(lines) if lines else None)


def texts_of(shape: Shape) -> list[str]:
    return [real.node.value or "" for real in shape.reals]


def is_number(text: str) -> bool:
    return re.fullmatch(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?", text.strip()) is not None


def is_prose(text: str) -> bool:
    return " " in text.strip() or text[:1].isupper()


def is_uuid(text: str) -> bool:
    """Is it an id (RFC 9562)?"""
    try:
        return str(uuid.UUID(text)) == text.strip().lower().strip("{}")
    except ValueError:
        return False


def literal(shape: Shape) -> str:
    """Where a shape stands, for people: its labels from the outside in."""
    names = [
        one.label.translate({1: "KEY", 2: "LANGUAGE", 3: "N", 4: "...", 5: "FILE", 6: "EVENT"})
        for one in shape.lineage()
        if one.label
    ]
    return "/".join(reversed([name for name in names if not name.startswith("(")])) or "the text"


def slug(shape: Shape) -> str:
    label = next((one for one in shape.labels if lexicon.words(one)), "value")
    split = re.sub(r"(?<=[a-z])(?=[A-Z])", "-", label).lower()
    plain = "-".join(re.findall(r"[a-z0-9]+", split))
    plain = plain if plain[:1].isalpha() else f"value-{plain}"
    return plain + (f"-{shape.index}" if shape.index is not None else "")


def line_of(text: TextFile, node: Node) -> str:
    place = text.document.text.place(node.start)
    return f"{text.name}:{place.line}"


def in_path(path: str, name: str, hole: str) -> str:
    """A path with a hole in place of a name in its last piece."""
    folder, _, last = path.rpartition("/")
    stem, dot, suffix = last.partition(name)
    return f"{folder}{'/' if folder else ''}{stem}{hole if dot else ''}{suffix}" if dot else path
