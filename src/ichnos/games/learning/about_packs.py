"""What a pack says of itself, wherever it stands: ids, versions, titles."""

from __future__ import annotations

import re
from collections.abc import Mapping

from ichnos.documents.tree import LISTED
from ichnos.games.learning import lexicon
from ichnos.games.learning.decisions import (
    GUESS,
    LIKELY,
    Decisions,
    Learned,
    Readable,
    is_number,
    is_uuid,
    slug,
    texts_of,
)
from ichnos.games.learning.evidence import Pack
from ichnos.games.learning.shapes import Shape
from ichnos.games.profiles.vocabulary import PACK

_VERSION = re.compile(r"v?\d+(\.\d+){1,3}([-+][0-9A-Za-z.-]+)?")
_SHORT = re.compile(r"[a-z0-9]+(-[a-z0-9]+)*")
_SENTENCE = 30  # letters: what is longer is no title
_PERSON = re.compile(r"[A-Z]\w+( [A-Z]\.?\w*){1,2}")
_NUMBERS = re.compile(r"\d+([ ,._-]\d+){1,3}")


class PackRoles:
    """What a pack says of itself, wherever it stands: ids, versions, titles."""

    def __init__(self, decisions: list[Decisions], learned: Learned) -> None:
        self.decisions, self.known = decisions, learned

    def free(self) -> list[tuple[Decisions, Shape]]:
        """Values that stand once in each pack, outside of all entries."""
        free_nodes = []
        for made in self.decisions:
            if made.group.several and not made.has_files and made.says:
                continue
            repeating = {node for unit in made.scopes for node in unit.walk()}
            for shape in made.shape.walk():
                plain = shape.holds_value and shape not in made.holes and shape not in repeating
                if plain and not any(one.several or one.varies for one in shape.lineage()):
                    free_nodes.append((made, shape))
        return free_nodes

    def decide(self) -> None:
        rest: list[tuple[Decisions, Shape]] = []
        ids: list[tuple[Decisions, Shape]] = []
        for made, shape in self.free():
            values = texts_of(shape)
            if all(map(is_uuid, values)):
                ids.append((made, shape))
            else:
                rest.append((made, shape))
        self.ids(ids)
        lists = self.number_lists()
        versions = [(made, shape) for made, shape in rest if all(map(self.is_version, texts_of(shape)))]
        self.versions([*versions, *lists])
        self.within()
        self.texts([one for one in rest if one not in versions and one[1] not in one[0].holes])
        self.differing()
        self.again(ids)

    def again(self, ids: list[tuple[Decisions, Shape]]) -> None:
        """The pack's own ids wherever else they stand, but in what repeats: of that one alone would be written."""
        known: dict[tuple[int, str | None], str] = {}
        for made, shape in ids:
            known |= {
                (real.text.pack, real.node.value): made.holes[shape] for real in shape.reals if shape in made.holes
            }
        for made in self.decisions:
            for shape in made.shape.walk():
                alone = not any(one.several for one in shape.lineage()) or len(shape.reals) == len(made.group.texts)
                if shape.holds_value and shape not in made.holes and alone:
                    holes = {known.get((real.text.pack, real.node.value)) for real in shape.reals}
                    if len(holes) == 1 and (hole := holes.pop()) is not None:
                        made.holes[shape] = hole

    def within(self) -> None:
        """The pack's own name inside of other texts."""
        names = self.known.names
        for made, shape in self.free():
            own = [names[real.text.pack] for real in shape.reals]
            texts = texts_of(shape)
            left = {
                re.sub(rf"(?<![A-Za-z0-9]){re.escape(name)}(?![A-Za-z0-9])", "\0", text)
                for name, text in zip(own, texts, strict=True)
                if len(name) > 2
            }
            if len(left) == 1 and "\0" in (text := left.pop()) and len(own) == len(shape.reals):
                before, _, behind = text.partition("\0")
                if "\0" not in behind:
                    made.holes[shape] = f"{before.replace('@', '@@')}@pack.name@{behind.replace('@', '@@')}"
                    made.says.add("pack.name")
                    made.unmapped = [one for one in made.unmapped if one is not shape]

    def differing(self) -> None:
        """What is otherwise in each pack, whatever it is, is none of the game's: a field of the pack."""
        for made, shape in self.free() if len(self.known.packs) > 1 else ():
            values = texts_of(shape)
            if len(set(values)) > 1 and len(shape.reals) == len(self.known.packs):
                name = f"pack.field.{slug(shape)}"
                if name not in made.says:
                    made.put(shape, name, "~number" if all(map(is_number, values)) else "")
                    made.unmapped = [one for one in made.unmapped if one is not shape]
                    why = "it differs, and it is not known what it means: a free field of the pack"
                    made.doubt(shape, ", ".join(dict.fromkeys(values)), name, why, LIKELY, ("pack.text",), 4)

    def ids(self, found: list[tuple[Decisions, Shape]]) -> None:
        distinct = list(dict.fromkeys(tuple(texts_of(shape)) for _, shape in found))
        names: dict[tuple[str, ...], str] = {}
        for made, shape in found:
            values = tuple(texts_of(shape))
            if values not in names:
                own = "-".join(lexicon.words(shape.label or "")) or f"id-{len(names) + 1}"
                own = own if own not in names.values() else f"{own}-{len(names) + 1}"
                names[values] = own if len(distinct) > 1 else "pack"
            made.put(shape, f"uuid.{names[values]}")

    def number_lists(self) -> list[tuple[Decisions, Shape]]:
        """Lists of a few whole numbers that stand once in a pack."""
        lists = []
        for made in self.decisions:
            repeating = {inner for unit in made.scopes for inner in unit.walk()}
            for shape in made.shape.walk():
                nodes = [real.node for real in shape.reals]
                if (
                    shape in repeating
                    or shape.several
                    or not all(node.kind == LISTED and 2 <= len(node.children) <= 4 for node in nodes)
                ):
                    continue
                if all((child.value or "").isdecimal() for node in nodes for child in node.children):
                    lists.append((made, shape))
        return lists

    def is_version(self, text: str) -> bool:
        return _VERSION.fullmatch(text) is not None or (_NUMBERS.fullmatch(text) is not None and not is_number(text))

    def said(self, shape: Shape) -> list[str]:
        if shape.holds_value:
            return texts_of(shape)
        return [".".join(child.value or "" for child in real.node.children) for real in shape.reals]

    def versions(self, found: list[tuple[Decisions, Shape]]) -> None:
        """The pack's version, and that of the game that it is for."""
        plain = {shape: [re.sub(r"[ ,_/-]", ".", text) for text in self.said(shape)] for _, shape in found}
        choices: dict[Shape, str] = {}
        for made, shape in found:
            hole = self.version(made, shape, plain[shape])
            if hole is not None:
                choices[shape] = hole
        left = [(made, shape) for made, shape in found if shape not in choices]
        is_said = "pack.version" in choices.values()
        for made, shape in left:
            differs = len(set(plain[shape])) > 1
            same = next((hole for other, hole in choices.items() if differs and plain[other] == plain[shape]), None)
            choices[shape] = same or ("game.version" if is_said else "pack.version")
            if not is_said and same is None:
                sure = GUESS if len(left) > 1 else LIKELY
                made.doubt(shape, self.said(shape)[0], choices[shape], "it stands first", sure, ("game.version",), 7)
            is_said = True
        for made, shape in found:
            made.put(shape, choices[shape], self.spelled(shape))

    def version(self, made: Decisions, shape: Shape, plain: list[str]) -> str | None:
        """Which version it is, as somebody has said, or the pack's file, or its name; None where nothing tells."""
        answer = self.known.answers.get(made.identity(shape))
        if answer in ("pack.version", "game.version"):
            return answer
        called = [self.known.packs[real.text.pack].called for real in shape.reals]
        if all(text in name for text, name in zip(plain, called, strict=True)):
            return "pack.version"
        by_word = lexicon.hole_for(PACK, shape.labels[:1], set(), {"pack.version", "game.version"})
        if by_word is not None:
            return by_word[0]
        return "game.version" if len(self.known.packs) > 1 and len(set(plain)) == 1 else None

    def spelled(self, shape: Shape) -> str:
        """How a version is spelled, where that is no text with dots."""
        if not shape.holds_value:
            return "~numbers"
        separators = {re.sub(r"[\dA-Za-z]", "", text)[:1] for text in texts_of(shape)}
        separator = separators.pop() if len(separators) == 1 else "."
        return f"~separated({separator})" if separator not in (".", "") else ""

    def texts(self, drafts: list[tuple[Decisions, Shape]]) -> None:
        """Title, summary, author, licence: by what they are called, or else by what they look like."""
        taken: dict[str, tuple[str, ...]] = {}
        candidates = [candidate for candidate in drafts if self.may_be_text(texts_of(candidate[1]))]
        ranked = [(rank, made, shape) for made, shape in candidates if (rank := self.rank(made, shape)) is not None]
        placed: set[Shape] = set()
        for (_, hole), made, shape in sorted(ranked, key=lambda one: one[0][0]):
            values = tuple(texts_of(shape))
            if hole == "constant":
                placed.add(shape)
            elif taken.setdefault(hole, values) == values:
                made.put(shape, hole)
                placed.add(shape)
        for made, shape in candidates:
            if shape not in placed:
                self.guess(made, shape, taken)

    def may_be_text(self, values: list[str]) -> bool:
        """May it be what people read of a pack, and not the same in every pack?"""
        if len(self.known.packs) > 1 and len(values) > 1 and len(set(values)) == 1:
            return False
        if any('"' in value for value in values):
            return False  # something has been taken for a value that is more
        return not all(map(is_number, values)) and not set(values) <= {"true", "false", "yes", "no"}

    def rank(self, made: Decisions, shape: Shape) -> tuple[int, str] | None:
        """What a text is, and how sure that is: less is surer; None where nothing tells."""
        values, names = texts_of(shape), {name for name in self.known.names if name}
        answer = self.known.answers.get(made.identity(shape))
        if answer:
            return -2, answer
        slugs = {re.sub(r"[^a-z0-9]+", "-", value.lower()).strip("-") for value in values}
        if slugs & names and all(" " in value or value[:1].isupper() for value in values):
            return -1, "pack.title"
        if set(values) <= names:
            return -1, "pack.name"
        called = [self.known.packs[real.text.pack].stem for real in shape.reals]
        if values == called and not all(map(_SHORT.fullmatch, values)):
            return -1, "pack.id"  # in the game's own spelling
        fits = {"pack.title", "pack.summary", "pack.author", "pack.licence"}
        by_word = lexicon.hole_for(PACK, shape.labels[:1], set(), fits)
        return (by_word[1], by_word[0]) if by_word is not None else None

    def guess(self, made: Decisions, shape: Shape, taken: dict[str, tuple[str, ...]]) -> None:
        """A text that nothing names: by what it looks like."""
        values, differ = tuple(texts_of(shape)), len(self.known.packs) > 1
        same = next((hole for hole, known in taken.items() if known == values), None)
        if same is not None:
            made.put(shape, same)
            return
        free = [hole for hole in ("pack.title", "pack.summary", "pack.author") if hole not in taken]
        if not free or not (differ or any(" " in value for value in values)):
            made.unmapped += [shape] if differ else []
            return
        hole = next((hole for hole in free if all(_looks_like(hole, value) for value in values)), free[0])
        taken[hole] = values
        made.put(shape, hole)
        others = [one for one in ("pack.title", "pack.summary", "pack.author", "constant") if one != hole]
        made.doubt(shape, values[0], hole, "it is text that people read", GUESS, others, 3)


_ID = re.compile(r"\b[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}\b|[\w.+-]+@[\w-]+\.[\w.-]+\w")


def theirs(packs: list[Pack], readable: list[Readable], names: list[str], files: Mapping[str, bytes]) -> list[str]:
    """What still stands in a draft, and may be of the pack alone that it was learned from: ids, what it is called."""
    said = [thing.values for one in readable for several in one.said.values() for thing in several]
    called = {str(values.get(name) or "") for values in said for name in ("pack.author", "pack.title", "pack.name")}
    own = [text for text in (*called, *names) if len(text) > 3 and re.search(r"[^A-Za-z0-9]", text)]
    found: dict[str, None] = {}
    for path, data in files.items():
        encoding = "utf-16" if data.startswith((b"\xff\xfe", b"\xfe\xff")) else "utf-8"
        content = data.decode(encoding, "replace").replace("@@", "@") if path.startswith(("tree/", "scripts/")) else ""
        found |= dict.fromkeys(_ID.findall(content))
        found |= {text: None for text in own if re.search(rf"(?<!\w){re.escape(text)}(?!\w)", content)}
    return list(found)


def _looks_like(hole: str, text: str) -> bool:
    if hole == "pack.author":
        return _PERSON.fullmatch(text) is not None
    return hole == "pack.summary" and (len(text) > _SENTENCE or text.endswith("."))
