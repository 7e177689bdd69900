"""A draft proved: packs read through it, built again from what was read, and every value held against its own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from ichnos.documents.facts import Fact, difference, facts
from ichnos.documents.tree import Node
from ichnos.errors import IchnosError, Place
from ichnos.games.entries.arranged import arranged, said_in
from ichnos.games.entries.contents import contents
from ichnos.games.entries.edit import merge
from ichnos.games.entries.fill import Bindings, files_bound, fill, resolve
from ichnos.games.entries.packs import SoundFiles, read_pack
from ichnos.games.entries.read import read
from ichnos.games.facts import is_said, own_facts
from ichnos.games.learning.evidence import Pack, read_as
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole import Missing
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import PACK, is_spoken


@dataclass
class DraftProof:
    """How many values packs have in their documents, and which do not come back, or come too; the same of sounds.

    ``constant``: how many of the values come back only because they would stand so in every pack.
    ``unread``: documents of packs that the draft does not speak of, with how many values they have.
    """

    values: int = 0
    constant: int = 0
    lost: list[Fact] = field(default_factory=list)
    added: list[Fact] = field(default_factory=list)  # what no pack says, and would be there
    sounds: int = 0
    misplaced: list[str] = field(default_factory=list)  # no definition leads to them
    faults: list[str] = field(default_factory=list)
    unread: list[str] = field(default_factory=list)

    @property
    def back(self) -> int:
        """How many values come back."""
        return self.values - len(self.lost)


def prove(profile: Profile, packs: list[Pack]) -> DraftProof:
    """Read packs through a profile, fill its documents from what was read, and compare."""
    proof = DraftProof()
    for pack in packs:
        _one(profile, pack, proof)
    return proof


def _one(profile: Profile, pack: Pack, proof: DraftProof) -> None:
    reading = read_pack(profile, pack.files)
    proof.faults += [str(error) for error in (*pack.broken, *reading.broken)]
    proof.faults += [f"{place}: {what}" for place, what in (*reading.strange, *reading.differing)]
    filled = dict(_filled(profile, pack, proof))
    for text in pack.texts:
        exemplar = next((one for one in profile.documents if one.path.match(text.name) is not None), None)
        values = list(facts(text.document if exemplar is None else read_as(exemplar, text)))
        if exemplar is None:
            proof.values += len(values)
            proof.lost += values
            proof.unread.append(text.name)
            continue
        if profile.document_rules(exemplar).mode == "merge":
            _merged(profile, exemplar, pack, text.name, proof)
            continue
        proof.values += len(values)
        again = filled.get(text.name)
        if again is None:
            proof.lost += values
            continue
        proof.constant += _constants(exemplar, exemplar.document.root)
        document = exemplar.parse(again, text.name)
        for before, after in difference(values, facts(document)):
            proof.lost += [before] if before else []
            proof.added += [after] if after else []
    there = SoundFiles(list(pack.sounds))
    named = {there.file_of(file) for sound in reading.definitions.sounds for file, _, _ in sound.files()}
    listed = {sound.key for sound in reading.definitions.sounds if not [*sound.files()]}
    named |= {name for name in pack.sounds if (spelled := profile.key_of_path(name)) and spelled[0] in listed}
    proof.sounds += len(pack.sounds)
    if not profile.by_path:
        proof.misplaced += [pack.files.label(name) for name in pack.sounds if name not in named]


def _constants(exemplar: Exemplar, node: Node) -> int:
    """How many values in a node have no hole, and stand there once."""
    if node.holds_value:
        return int(bool(node.value) and not any(exemplar.holes_at(node)))
    return sum(_constants(exemplar, child) for child in node.children if child not in exemplar.units)


def _filled(profile: Profile, pack: Pack, proof: DraftProof) -> Iterator[tuple[str, bytes]]:
    """Each document as the profile fills it from what was read of the pack."""
    definitions = read_pack(profile, pack.files).definitions
    for exemplar in profile.written:
        rules = profile.document_rules(exemplar)
        if rules.mode == "merge":
            continue
        bindings: Bindings = {PACK: arranged(said_in(exemplar, definitions, merged=False), profile)}
        for bound in files_bound(exemplar, bindings):
            try:
                path = str(exemplar.path.fill(partial(resolve, bindings=bound)))
                yield path, exemplar.document.text.to_bytes(fill(exemplar, bound))
            except Missing as missing:
                proof.faults.append(f"{exemplar.document.text.path}: its name needs the {missing}, which nothing says")
            except IchnosError as error:
                proof.faults.append(str(error))


def _merged(profile: Profile, exemplar: Exemplar, pack: Pack, name: str, proof: DraftProof) -> None:
    """The game's own file with the pack's entries: put in once more, these change nothing."""
    document = next(text.document for text in pack.texts if text.name == name)
    reading = read(exemplar, document)
    if reading is None:
        proof.faults.append(f"{document.text.place(0)}: the whole file has another structure than the draft")
        return
    there = SoundFiles(list(pack.sounds))
    pack_said = contents(reading, profile.rules.names.separator)
    own = {one.key for one in pack_said.sounds if any(there.file_of(file) for file, _, _ in one.files())}
    ours = tuple(one for one in pack_said.sounds if one.key in own)
    count = sum(
        1 for sound in ours for _ in (sound.key, *sound.files(), sound.category, *own_facts(sound, (), _is_setting))
    )
    proof.values += count
    bindings: Bindings = {PACK: arranged(pack_said.with_sounds(ours), profile)}
    try:
        _, changes = merge(exemplar, document, bindings)
    except IchnosError as error:
        proof.faults.append(str(error))
        return
    for change in changes:
        place = Place(document.text.path, change.line)
        proof.lost.append(Fact((), "", None, " ".join(change.old.split()) or change.new, place))


def _is_setting(name: str) -> bool:
    return is_said(name) and name != "category" and not is_spoken(name)


def check(folder: Path) -> str | None:
    """What is wrong with a draft, or None where it is sound."""
    from ichnos.games.sharing import sound

    try:
        sound(folder)
        return None
    except IchnosError as error:
        return str(error)
