"""Where the sound keys stand: the text beside each file's name that is there once for each sound."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

from ichnos.documents.tree import LISTED, Node
from ichnos.games.learning import lexicon
from ichnos.games.learning.evidence import Pack, Reference, References, TextFile
from ichnos.games.learning.grouping import Group

_COVERED = 0.8  # of the files that a definition names: for so many there must be a key
_LONGEST = 120  # letters of a key
_WIDEST = 300  # things in one entry: what has more is a list of entries

# Where a text stands, as seen from the thing that it names: what it is ("label", "value", "path" or "file"), and which.
Spot = tuple[str, str]
FILE = "file"  # it is what the sound file is called; which extension stands behind it


@dataclass(eq=False)
class Anchor:
    """A place where a text names a sound file. ``chain``: the nodes from the root down to it.

    ``by_label``: what the node is called names the file, and its value says something of it.
    """

    text: TextFile
    chain: list[Node]
    file: str
    ways: list[Reference]
    key: str = ""
    by_label: bool = False

    @property
    def node(self) -> Node:
        return self.chain[-1]

    @property
    def said(self) -> str:
        """What names the file."""
        return str(self.node.label if self.by_label else self.node.value)


@dataclass(frozen=True)
class KeySpot:
    """Where the keys of a document stand: beside which depth of its nodes, and where there.

    Depth 0 with the spot "path": the file is for one key.
    """

    depth: int
    spot: Spot
    score: float
    related: float  # of the files: how many have the key in their name


@dataclass
class Named:
    """What a document names. ``spot``: where the keys of its sounds stand; None where none are found."""

    group: Group
    anchors: list[Anchor] = field(default_factory=list)
    spot: KeySpot | None = None
    known: bool = False  # it is the game's own, and no pack has it
    others: list[KeySpot] = field(default_factory=list)  # what else it might be, the likelier first


def anchors(group: Group, packs: list[Pack], found: list[References]) -> list[Anchor]:
    """Every place in a document that names a sound file."""
    result = []
    for text in group.texts:
        references, sounds = found[text.pack], packs[text.pack].sounds
        for chain in chains(text.document.root):
            node = chain[-1]
            for said in (node.value, node.label) if node.holds_value else ():
                by_label = said is node.label
                if not said or (by_label and node.label_start < 0):
                    continue
                ways = [(name, way) for name, way in references.find(said, text.name) if name in sounds]
                if by_label:  # many a word is also what a file is called: the whole name is none by chance
                    ways = [(name, way) for name, way in ways if name.endswith(said.replace("\\", "/"))]
                if ways:
                    file = _most_likely(ways)
                    result.append(
                        Anchor(text, chain, file, [way for name, way in ways if name == file], by_label=by_label)
                    )
                    break
    together: dict[Node, list[Anchor]] = defaultdict(list)  # by what they stand in
    for one in result:
        together[one.chain[-2] if len(one.chain) > 1 else one.node].append(one)
    full: dict[int, list[Anchor]] = defaultdict(list)  # by each node around them: the anchors that name files in full
    for one in result:
        if not is_bare(one):
            for node in one.chain[:-1]:
                full[id(node)].append(one)
    for near in together.values():
        near[:] = [one for one in near if not _is_only_like(one, full)]
        near[:] = [one for one in near if not any(_is_said_twice(one, other) for other in near)]
    kept = {anchor for near in together.values() for anchor in near}
    return [one for one in result if one in kept]


def is_bare(anchor: Anchor) -> bool:
    """Is it a name alone, without a folder and an extension? Many a word is one by chance."""
    is_path = "/" in anchor.said or "\\" in anchor.said
    return not is_path and any(way.converters[:1] == ("no-extension",) for way in anchor.ways)


def _is_only_like(anchor: Anchor, full: Mapping[int, list[Anchor]]) -> bool:
    """Is it a bare name that a file happens to be called by, where that file is named in full beside it?"""
    if not is_bare(anchor):
        return False
    beside = next((full[id(node)] for node in reversed(anchor.chain[:-1]) if id(node) in full), [])
    return any(PurePosixPath(other.file).stem == anchor.said for other in beside)


def _is_said_twice(anchor: Anchor, other: Anchor) -> bool:
    """Does the same stand beside it under a name that speaks more of a file? Then this may be the key."""
    if other is anchor or other.said != anchor.said:
        return False
    mine, its = (set(lexicon.words(one.node.label or "")) for one in (anchor, other))
    files, keys = ([bool(words & set(known)) for words in (mine, its)] for known in (lexicon.FILE, lexicon.KEY))
    if files != [False, False] and files[0] != files[1]:
        return files[1]
    if keys[0] != keys[1]:
        return keys[0]
    around = anchor.chain[-2] if len(anchor.chain) > 2 else None  # the root holds entries, and is none itself
    is_entry = around is not None and (around.label is None or is_inner(around))
    return is_entry and anchor.node.start < other.node.start


def _most_likely(ways: list[tuple[str, Reference]]) -> str:
    """The file that a value names, where it could be several: the one that is spelled most fully."""
    return min(ways, key=lambda one: (len(one[1].folder), one[0]))[0]


def chains(root: Node) -> Iterator[list[Node]]:
    """Each node with all around it, the root first."""
    stack: list[list[Node]] = [[root]]
    while stack:
        chain = stack.pop()
        yield chain
        stack.extend([*chain, child] for child in reversed(chain[-1].children))


def plainly(text: str) -> str:
    """A text's letters and digits alone, in small letters: how file names and keys are compared.

    >>> plainly("Shore_gull.Far-2")
    'shoregullfar2'
    """
    from anyascii import anyascii

    return re.sub(r"[^a-z0-9]+", "", anyascii(text).lower())


def beside(node: Node, way: Collection[Node] = (), depth: int = 3) -> Iterator[tuple[Spot, str]]:
    """The texts of a node itself: its label's words, and values in it that stand there once.

    Args:
        way: the nodes on the way down, of which nothing is taken; but an element's attributes are its own.
    """
    if node.label is not None and node.label_start >= 0:
        tokens = tokens_of(node.label)
        if len(tokens) > 1:
            yield from ((("label", str(at)), token) for at, token in enumerate(tokens))
        yield ("label", ""), node.label
    yield from _values(node, way, "", depth)


def tokens_of(label: str) -> list[str]:
    """The words of a label, without quotation marks around them; what a heading has in such stands behind a dot.

    >>> tokens_of('noise "gull far"'), tokens_of('noises."gull"'), tokens_of("bell.low")
    (['noise', 'gull far'], ['noises', 'gull'], ['bell.low'])
    """
    return [token[1] or token[2] for token in _LABEL.finditer(label)] if '"' in label else label.split(" ")


_LABEL = re.compile(r'"([^"]*)"\.?|([^\s".]+(?:\.[^\s".]+)*)\.?')


def _values(node: Node, way: Collection[Node], path: str, depth: int) -> Iterator[tuple[Spot, str]]:
    if len(node.children) > _WIDEST:
        return
    labels = Counter(child.label for child in node.children)
    for index, child in enumerate(node.children):
        if child in way and not is_inner(child):
            continue
        if child.label is None:
            name = f"{path}#{index}" if node.kind == LISTED or child.holds_value else ""
        else:
            name = f"{path}{child.label}" if labels[child.label] == 1 else ""
        if not name:
            continue
        if child.holds_value and child.value is not None:
            yield ("value", name), child.value
        elif (text := _text_of_element(child)) is not None:
            yield ("value", name), text
        elif (depth > 1 and child.label is not None and child.label_start < 0) or (
            depth > 1 and len(child.children) == 1
        ):
            yield from _values(child, way, f"{name}/", depth - 1)


def _text_of_element(node: Node) -> str | None:
    """What an element says that has nothing but a text in it."""
    parts = [part for child in node.children if is_inner(child) for part in child.children]
    return parts[0].value if len(parts) == 1 and parts[0].holds_value and parts[0].label is None else None


def is_inner(node: Node) -> bool:
    """Is it a part of an element: its attributes, or its content?"""
    return node.label is not None and node.label.startswith("(") and node.label_start < 0


_Seen = dict[tuple[int, Spot], dict[int, tuple[Node | TextFile, str]]]


def _seen(named: Named) -> _Seen:
    """What stands beside each anchor, at each depth: by its number."""
    seen: _Seen = defaultdict(dict)
    is_fixed = named.group.first.document.format.names_are_fixed
    for number, anchor in enumerate(named.anchors):
        way = set(anchor.chain)
        for depth, node in enumerate(anchor.chain[:-1]):
            if is_inner(node):
                continue
            for spot, value in beside(node, way):
                if spot[0] != "label" or not is_fixed:
                    seen[depth, spot].setdefault(number, (node, value))
        own = anchor.node
        if (
            not (anchor.by_label or is_fixed)
            and own.label is not None
            and own.label_start >= 0
            and not set(lexicon.words(own.label)) & set(lexicon.FILE)
        ):
            seen[len(anchor.chain) - 1, _OWN][number] = (own, own.label)
        stem = PurePosixPath(anchor.text.name).stem
        if named.group.several and not named.group.in_languages:
            seen[0, ("path", "")][number] = (anchor.text, stem)
    return seen


def find_keys(named: Named, elsewhere: Counter[str], chosen: str | None = None) -> None:
    """Find where the keys of a document stand, and give each anchor its own.

    Args:
        elsewhere: in how many other documents each text stands.
        chosen: where somebody has said that they stand, as ``described`` does.
    """
    seen = _seen(named)
    tried = (_scored(named, depth, where, found, elsewhere) for (depth, where), found in seen.items())
    scored = [one for one in tried if one is not None]
    scored.sort(key=lambda one: (-one.score, -one.depth))
    if chosen is not None:
        scored.sort(key=lambda one: described(one) != chosen)
    by_name = _called_by_file(named)
    is_chosen = by_name is not None and chosen == described(by_name)
    if by_name is not None and (is_chosen or not scored or _says_nothing(scored[0], seen, named)):
        scored.insert(0, by_name)
    if not scored:
        return
    named.spot, named.others = scored[0], scored[1:4]
    if named.spot is by_name:
        for anchor in named.anchors:
            anchor.key = anchor.said[: len(anchor.said) - len(named.spot.spot[1])]
        return
    values = seen[named.spot.depth, named.spot.spot]
    for number, anchor in enumerate(named.anchors):
        anchor.key = values[number][1] if number in values else ""


def _called_by_file(named: Named) -> KeySpot | None:
    """Keys that are the names of the files themselves: the spot says which extension stands behind them."""
    if any(anchor.by_label or "\\" in anchor.said or anchor.ways[0].line for anchor in named.anchors):
        return None
    ends = {PurePosixPath(anchor.said).suffix for anchor in named.anchors}
    end = ends.pop() if len(ends) == 1 else ""
    if ends or any(anchor.said != anchor.said.strip() for anchor in named.anchors):
        return None
    depths = {len(anchor.chain) for anchor in named.anchors}
    depth = min(depths) - 1
    leaf_is_unit = all(anchor.node.label is None for anchor in named.anchors)
    while depth > 0 and not leaf_is_unit:
        depth -= 1
        if not any(is_inner(anchor.chain[depth]) for anchor in named.anchors):
            break
    units = {id(anchor.chain[depth]) for anchor in named.anchors}
    if len(depths) > 1 or len(units) < len(named.anchors) or depth == 0:
        return None
    return KeySpot(depth, (FILE, end), 0.0, 1.0)


def _says_nothing(spot: KeySpot, seen: Mapping[tuple[int, Spot], dict[int, Any]], named: Named) -> bool:
    """Is the best that was found for a key one word for several files, and none that is in their names?"""
    if spot.related > 0:
        return False
    texts = {value for _, value in seen[spot.depth, spot.spot].values()}
    return len(texts) < len({anchor.file for anchor in named.anchors})


def described(spot: KeySpot) -> str:
    """Where keys stand, in a few words."""
    kind, name = spot.spot
    if kind == FILE:
        return "what the sound file is called"
    if spot.spot == _OWN:
        return "what the file stands under"
    if kind == "path":
        return "the file's name"
    if kind == "label":
        return f"word {int(name) + 1} of the heading" if name else "the heading"
    return name.rpartition("/")[2] or name


_NUMBER = re.compile(r"[-+]?\d+(\.\d+)?%?")


def _may_be_keys(texts: list[str]) -> bool:
    if any(not text.strip() or len(text) > _LONGEST or "\n" in text for text in texts):
        return False
    return not all(_NUMBER.fullmatch(text) or text in ("true", "false", "yes", "no", "on", "off") for text in texts)


def _scored(
    named: Named,
    depth: int,
    spot: Spot,
    found: dict[int, tuple[Node | TextFile, str]],
    elsewhere: Counter[str],
) -> KeySpot | None:
    """How likely it is that the keys stand at a spot; None where they cannot."""
    if len(found) < _COVERED * len(named.anchors):
        return None
    texts = [value for _, value in found.values()]
    if not _may_be_keys(texts):
        return None
    files = {number: named.anchors[number].file for number in found}
    if any(plainly(PurePosixPath(files[number]).name) == plainly(text) for number, (_, text) in found.items()):
        return None  # it is a file's name itself
    by_node: dict[int, set[str]] = defaultdict(set)
    for node, value in found.values():
        by_node[id(node)].add(value)
    distinct = len(set(texts))
    if distinct == 1 and len({anchor.file for anchor in named.anchors}) > _FEW and spot[0] != "path":
        return None
    stem = PurePosixPath(files[next(iter(found))]).stem
    if spot == _OWN and (distinct < len(found) or (distinct == 1 and not _is_in(texts[0], stem))):
        return None
    related = sum(_is_in(text, files[number]) for number, (_, text) in found.items()) / len(found)
    holds = sum(_is_in(PurePosixPath(files[number]).stem, text) for number, (_, text) in found.items()) / len(found)
    there = sum(elsewhere[text] > 1 for text in set(texts)) / distinct
    last = spot[1].rpartition("/")[2]
    is_known = any(word in lexicon.KEY for word in lexicon.words(last))
    prose = sum(" " in text or text[:1].isupper() for text in set(texts)) / distinct
    whole_label = 0.3 if spot == ("label", "") and any(" " in text for text in texts) else 0
    score = (
        3 * related
        + (0.5 * holds if not related else 0)
        + 2 * there
        + is_known
        + 2 * distinct / len(by_node)
        - 1.5 * prose
        - whole_label
    )
    score += 2 * distinct / max(1, len({anchor.file for anchor in named.anchors}))
    if spot[0] == "path":
        score -= 0.4  # where the same stands inside, that is what it means
    return KeySpot(depth, spot, score, related)


_FEW = 4  # files: of so many one key may have all
_OWN: Spot = ("label", "own")  # what a file's own place is called


def _is_in(text: str, file: str) -> bool:
    plain = plainly(text)
    return plain == plainly(PurePosixPath(file).stem) or (len(plain) > 1 and plain in plainly(file))


def headings(one: Named) -> set[Node]:
    """The first row of each table that names no file, where all others do: it says more of the columns."""
    if one.group.first.format not in ("csv", "tsv"):
        return set()
    rows = {node for anchor in one.anchors for node in anchor.chain}
    tables = [text.document.root.children for text in one.group.texts]
    return {table[0] for table in tables if len(table) > 2 and [row in rows for row in table].count(False) == 1} - rows
