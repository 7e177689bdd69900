"""Learning a game's profile from finished packs: a draft, with what is sure of it and what is not."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from ichnos.documents.formats import parse
from ichnos.documents.tree import Node
from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.files.paths import is_plain
from ichnos.files.sources import Files, files_at
from ichnos.files.writing import fresh_folder
from ichnos.games.entries.contents import contents
from ichnos.games.entries.packs import SoundFiles
from ichnos.games.entries.read import read
from ichnos.games.learning import drafting, evidence, grouping, keys, rules, shapes, sounds
from ichnos.games.learning.about_packs import PackRoles
from ichnos.games.learning.called import STEMS, game_folder, pack_names, without_mentions
from ichnos.games.learning.decisions import LIKELY, Decisions, Doubt, Learned, Readable, line_of, texts_of
from ichnos.games.learning.evidence import Pack, References
from ichnos.games.learning.keys import Named
from ichnos.games.learning.others import OtherRoles
from ichnos.games.learning.roles import DefinitionRoles
from ichnos.games.learning.shapes import Lore
from ichnos.games.profiles import holes
from ichnos.games.profiles.exemplar import ExemplarRules
from ichnos.games.profiles.hole import HoleError
from ichnos.games.profiles.units import understand
from ichnos.games.things import combine

Say = Callable[[str], None]


@dataclass
class Draft:
    """A profile that is still to be written. ``files``: by their paths in its folder.

    ``doubts``: what could be otherwise, what most hangs on first. ``told``: what else is to be known.
    """

    name: str
    files: dict[str, bytes]
    doubts: list[Doubt]
    told: list[str]
    packs: list[Pack]
    faults: list[str] = field(default_factory=list)  # what is known to be wrong of it

    def write(self, to: Path) -> None:
        """Write the profile, whole or not at all. Raises IchnosError where that fails."""
        with fresh_folder(to) as beside:
            for path, data in self.files.items():
                assert is_plain(path), path  # whatever the packs hold
                disk.make_folder((beside / path).parent)
                disk.write(beside / path, data)


def learn(
    paths: list[Path],
    installation: Path | None,
    name: str | None,
    answers: Mapping[str, str] | None = None,
    on_progress: Say = lambda _: None,
) -> Draft:
    """Draft a profile from finished packs for one game.

    Args:
        installation: where the game is installed: which documents are its own.
        name: of the profile; without it, one is made from what the packs are called.
        answers: to doubts, by their ids: what they were given as another hole, or another place of the key.
        on_progress: called with the name of each file.

    Raises:
        IchnosError: there is nothing to learn from, and why.
    """
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") if name else None
    return _Learning(paths, installation, plain, dict(answers or {}), on_progress).draft()


class _Learning:
    def __init__(
        self, paths: list[Path], installation: Path | None, name: str | None, answers: dict[str, str], on_progress: Say
    ) -> None:
        self.packs = evidence.gather(paths, on_progress)
        self.game: Files | None = files_at(installation) if installation is not None else None
        self.name = name
        self.told: list[str] = []
        self.names = pack_names(self.packs)
        self.known = Learned(self.packs, self.names, set(), answers)
        self.groups = grouping.groups(self.packs, self.names)
        self.references = [References(list(pack.sounds)) for pack in self.packs]
        self.pictures = [References(pack.pictures) for pack in self.packs]
        self.folder = game_folder(self.packs, self.game)  # below which the game has what looks like a pack

    def draft(self) -> Draft:
        named = self.find_keys()
        if self.names_few(named):
            self.known.keys = {use.key for use in sounds.by_paths(self.packs)}
            named = []
        if not named and self.game is not None:
            named = self.in_the_game(self.game)
        self.known.keys |= self.more_keys(named)
        by_name = [entry for entry in named if entry.spot is not None and entry.spot.spot[0] == keys.FILE]
        in_folders = any("/" in anchor.key for entry in by_name for anchor in entry.anchors)
        self.known.separator = "/" if in_folders else sounds.separator_of(self.known.keys)
        decisions = [*self.definitions(named), *self.others(named)]
        PackRoles([made for made in decisions if not made.known], self.known).decide()
        self.more_names(decisions, named)
        self.known.complete_references(hole for made in decisions for hole in made.holes.values())
        readable = [document for made in decisions if (document := self.readable(made)) is not None]
        if not named and any("/" in use.key for use in sounds.by_paths(self.packs)):
            self.known.separator = "/"
        uses = self.uses(readable) + [
            sounds.Use(anchor.text.pack, anchor.file, anchor.key)
            for entry in by_name
            if not entry.known
            for anchor in entry.anchors
        ]
        known_uses = [
            sounds.Use(0, anchor.file, anchor.key) for entry in named if entry.known for anchor in entry.anchors
        ]
        drafted = rules.Rules(
            self.packs, self.names, self.known, readable, uses or known_uses, self.folder, self.told, by_path=not uses
        )  # fmt: skip
        written = drafted.profile(self.name)
        doubts = [doubt for one in readable for doubt in one.made.doubts] + drafted.doubts
        doubts.sort(key=lambda one: (-one.weight, one.id))
        self.tell(decisions)
        return Draft(drafted.name, written, doubts, self.told, self.packs, self.not_understood(readable))

    def not_understood(self, readable: list[Readable]) -> list[str]:
        """Texts that hold the names of sound files, and of which the draft has nothing that names any."""
        done = {text.name for document in readable if document.made.has_files for text in document.made.group.texts}
        notes = []
        for pack in self.packs:
            stems = {PurePosixPath(name).name for name in pack.sounds}
            texts = {text.name: text.document.text.content for text in pack.texts} | pack.scripts
            for name, content in texts.items():
                if name not in done and any(stem in content for stem in list(stems)[:STEMS]):
                    notes.append(f"{pack.files.label(name)}: it names sound files in a way that is not understood")
        return notes

    def names_few(self, named: list[Named]) -> bool:
        """Do documents name few of the sound files, and only by what those are called? Then that is what keys are."""
        anchors = [anchor for one in named for anchor in one.anchors]
        files = {(anchor.text.pack, anchor.file) for anchor in anchors}
        bare = all(any(way.converters[:1] == ("no-extension",) for way in anchor.ways) for anchor in anchors)
        return bool(anchors) and bare and 2 * len(files) < sum(len(pack.sounds) for pack in self.packs)

    def in_the_game(self, game: Files) -> list[Named]:
        """The game's own documents that name files as those of the packs are called: packs go by their paths."""
        names = [name for pack in self.packs for name in pack.sounds]
        stems = [PurePosixPath(name).stem.encode() for name in names[:: max(1, len(names) // STEMS)]]
        theirs = evidence.texts_with(game, len(self.packs), stems)
        theirs.sounds = {name: facts for pack in self.packs for name, facts in pack.sounds.items()}
        references = References(names)
        found = []
        for text in theirs.texts:
            group = grouping.Group([text])
            one = Named(group, keys.anchors(group, [*self.packs, theirs], [*self.references, references]))
            if one.anchors:
                keys.find_keys(one, Counter(), self.known.answers.get(f"key {text.name}"))
            if one.spot is not None:
                one.known = True
                found.append(one)
                self.known.keys.update(anchor.key for anchor in one.anchors if anchor.key)
        return found

    def find_keys(self) -> list[Named]:
        """The documents that name sound files, with their keys."""
        elsewhere: Counter[str] = Counter()
        for group in self.groups:
            stems: set[str] = {PurePosixPath(text.name).stem for text in group.texts}
            for text in group.texts:
                for node in text.document.root.walk():
                    if node.holds_value and node.value and len(node.value) < 200:
                        stems.add(node.value)
                    if node.label:
                        stems |= {node.label, *node.label.split(" ")}
            elsewhere.update(stems)
        found = []
        for group in self.groups:
            one = Named(group, keys.anchors(group, self.packs, self.references))
            if one.anchors:
                keys.find_keys(one, elsewhere, self.known.answers.get(f"key {group.first.name}"))
                if one.spot is not None:
                    found.append(one)
        found = without_mentions(found)
        self.known.keys |= {anchor.key for one in found for anchor in one.anchors if anchor.key}
        return found

    def more_keys(self, named: list[Named]) -> set[str]:
        """Keys of entries whose files are not in the pack: the game's own, in the pack's copy of its file."""
        return {key for entry in named if entry.spot is not None for key in self.strangers(entry).values()}

    def strangers(self, one: Named) -> dict[Node, str]:
        """Entries at the keys' depth that name no file of the pack, each with its key."""
        spot = one.spot
        if spot is None or spot.spot[0] == "path":
            return {}
        own = {anchor.chain[spot.depth] for anchor in one.anchors}
        parents = {anchor.chain[spot.depth - 1]: anchor.text for anchor in one.anchors if spot.depth > 0}
        found = {}
        first = keys.headings(one)
        for parent in parents:
            for node in parent.children:
                if node not in own and node not in first and not node.holds_value:
                    value = next((text for where, text in keys.beside(node) if where == spot.spot), None)
                    if value is not None:
                        found[node] = value
        return found

    def definitions(self, named: list[Named]) -> list[Decisions]:
        found = []
        for one in named:
            strangers = {} if one.known else self.strangers(one)
            merged = not one.known and self.is_merged(one, strangers)
            skip: set[Node] = set()
            if merged and one.spot is not None:
                own = {anchor.chain[one.spot.depth] for anchor in one.anchors}
                parents = {anchor.chain[one.spot.depth - 1] for anchor in one.anchors}
                skip = {node for parent in parents for node in parent.children if node not in own}
            anchors = {anchor.node: anchor.key for anchor in one.anchors}
            by_label = {anchor.node for anchor in one.anchors if anchor.by_label}
            lore = Lore(self.known.keys, called_by_file=by_label, headings=keys.headings(one))
            shape = shapes.shape_of(one.group.texts, lore, anchors, skip)
            made = DefinitionRoles(one, shape, self.known, merged=merged).decide()
            if one.known:
                made.known = True
                made.path = self.in_tree(one)
            else:
                made = OtherRoles(made, self.known, self.pictures).decide()
            if merged and self.game is None:
                name = one.group.first.name
                text, taken = f"{len(strangers)} entries name files that are not in the pack", "the game's own file"
                why = "those entries are taken for the game's, with the pack's among them"
                made.doubts.append(Doubt(f"merged {name}", name, text, taken, why, LIKELY, (), 2))
            if one.group.first.format == "line-patterns":
                name, taken = one.group.first.name, "a document that the game reads"
                why = "it is in no format, and its lines name sound files"
                made.doubts.append(Doubt(f"lines {name}", name, name, taken, why, LIKELY, (), 8))
            if strangers and not merged:
                shown = ", ".join(list(dict.fromkeys(strangers.values()))[:3])
                self.told.append(f"{one.group.first.name}: entries that name no file of the pack, such as {shown}")
            found.append(made)
        return found

    def in_tree(self, one: Named) -> str:
        """The path of a document of the game's own as a pack would have it."""
        name = one.group.first.name
        folder = self.folder
        if folder is None:
            way = one.anchors[0].ways[0].folder
            around = str(PurePosixPath(name).parent)
            folder = around[: -len(way)].strip("/") if way and f"/{around}".endswith(f"/{way}") else ""
            self.folder = folder
        return name[len(folder) + 1 :] if folder and name.startswith(f"{folder}/") else name

    def is_merged(self, one: Named, strangers: dict[Node, str]) -> bool:
        """Is it the game's own file, with the pack's entries in it?"""
        if self.in_game(one.group.first.name) and strangers:
            return True
        return len(strangers) > max(3, len({anchor.key for anchor in one.anchors}))

    def in_game(self, name: str) -> bool:
        """Has the game a document of that name?"""
        return self.game is not None and (f"{self.folder}/{name}" if self.folder else name) in self.game.names()

    def others(self, named: list[Named]) -> list[Decisions]:
        done = {entry.group for entry in named}
        names = self.known.categories
        found = []
        for group in self.groups:
            if group not in done:
                shape = shapes.shape_of(group.texts, Lore(self.known.keys, names), {})
                made = Decisions(group, shape, group.first.name.replace("@", "@@"))
                found.append(OtherRoles(made, self.known, self.pictures).decide())
        return found

    def more_names(self, decisions: list[Decisions], named: list[Named]) -> None:
        """The pack's own name in the paths of documents."""
        for made in decisions:
            own = "" if made.known else self.names[made.group.first.pack]
            if own:
                made.path = re.sub(rf"(?<![a-z0-9@.]){re.escape(own)}(?![a-z0-9])", "@pack.name@", made.path)

    def readable(self, made: Decisions) -> Readable | None:
        """A document of the draft as it would be understood; None for one without holes."""
        if not made.holes and not made.labels:
            return None
        first = made.group.first
        widest = max(len(shape.children) for shape in made.shape.walk())
        if widest > _WIDEST:
            self.told.append(f"{first.name}: {widest:,} different names stand in one place there; it is left out")
            return None
        try:
            data = drafting.document(made)
            if made.disabled is not None:
                self.told.append(f"{first.name}: entries in comments there are taken for keys of the game")
            several = made.several_takes is not False
            form = drafting.form_of(made, data, several=several)
            document = parse(data, made.path, form, first.encoding, has_holes=True)
            how = ExemplarRules(several, tables=self.known.tables(made.tables), entry_for_takes=made.entry_for_takes)
            exemplar = understand(holes.parse(made.path, how.tables), document, how)
        except IchnosError as error:
            self.told.append(f"{first.name}: a draft of it is not understood ({error}); it is left out")
            return None
        except HoleError as error:
            self.told.append(f"{first.name}: a draft of its name is not understood ({error}); it is left out")
            return None
        one = Readable(made, data, exemplar)
        for text in made.group.texts:
            in_path = exemplar.path.match(text.name)
            if in_path is None:
                continue
            reading = read(exemplar, evidence.read_as(exemplar, text), in_path)
            if reading is not None:
                pack = contents(reading, self.known.separator, in_path)
                one.said.setdefault(text.pack, []).append(pack)
                one.files.setdefault(text.pack, []).append(text.name)
        return one

    def uses(self, readable: list[Readable]) -> list[sounds.Use]:
        """Each sound file at its work, as the draft reads it."""
        found: list[tuple[int, str, str, str | None, str | None]] = []
        for pack in self.packs:
            there = SoundFiles(list(pack.sounds))
            pack_said = combine([thing for document in readable for thing in document.said.get(pack.index, ())])
            for sound in pack_said.sounds:
                for take in sound.takes:
                    name = there.file_of(take.file) if take.file else None
                    found.append((pack.index, name or "", sound.key, None, sound.category))
                for part in sound.parts:
                    name = there.file_of(part.file) if part.file else None
                    found.append((pack.index, name or "", sound.key, part.name or "part", sound.category))
        return [use for use in sounds.numbered(found) if use.file]

    def constants(self, made: Decisions) -> list[str]:
        """Texts that the draft has as they are, in every pack from now on."""
        if made.merged or made.known or len(self.packs) > 1:
            return []
        found = []
        for shape in made.shape.walk():
            if shape.holds_value and shape not in made.holes and not shape.several:
                values = set(texts_of(shape))
                text = next(iter(values))
                if len(values) == 1 and re.search(r"[^\W\d]{2}", text) and text not in ("true", "false", "yes", "no"):
                    place = line_of(shape.reals[0].text, shape.reals[0].node)
                    found.append(f"{place}: {shape.label} = {text}" if shape.label else f"{place}: {text}")
        return found

    def doubt_constants(self, made: Decisions) -> None:
        """Lists that are the same in every pack from now on: with one pack nobody knows whether they are."""
        holed = {around for hole in (*made.holes, *made.labels) for around in hole.lineage()}
        for shape in made.shape.walk():
            if shape.parent is None or not shape.several or shape in holed or shape.parent not in holed:
                continue
            if made.merged or any(around in made.scopes for around in shape.lineage()):
                continue
            real = shape.reals[0]
            place, count = real.text.document.text.place(real.node.start), len(shape.reals)
            if len({other.text.pack for other in shape.reals}) < len(self.packs) or len(self.packs) == 1:
                self.told.append(f"{place}: {count} of these would stand in every pack, as nothing says what they are")

    def tell(self, decisions: list[Decisions]) -> None:
        with_texts = {pack.index for pack in self.packs if pack.texts}
        if len(with_texts) > 1 and all(len({text.pack for text in group.texts}) == 1 for group in self.groups):
            self.told.insert(0, "no document of one pack is like one of another, as if they were for different games")
        for made in decisions:
            self.doubt_constants(made)
            constants = self.constants(made)
            if constants and (made.holes or made.labels):
                self.told += [f"{constant}  would be the same in every pack" for constant in constants[:_SHOWN]]
                if len(constants) > _SHOWN:
                    self.told.append(f"{made.group.first.name}: and {len(constants) - _SHOWN} more of these")
            for shape in made.unmapped:
                real = shape.reals[0]
                place = real.text.document.text.place(real.node.start)
                self.told.append(f"{place}: {shape.label or real.node.value} differs, and there is no hole for it")
        for pack in self.packs:
            if not pack.archive and not disk.is_folder(pack.path):
                what = (
                    f"{pack.path.name}: all of it is in {pack.called}/, so it is taken for that folder, sent as a zip"
                )
                self.told.append(what)
            self.told += [f"{error.place}: cannot be read: {error.what}" for error in pack.broken]


_SHOWN = 6
_WIDEST = 2000  # names in one place: what has more is no document with a few holes
