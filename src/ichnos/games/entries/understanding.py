"""How much of finished files a profile understands, and what it does not."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field

from ichnos.documents.facts import Fact, facts
from ichnos.documents.formats import named, parse
from ichnos.documents.recognition import recognise
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Node
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.entries.found import every
from ichnos.games.entries.packs import SoundFiles, read_pack
from ichnos.games.entries.read import DocumentReading, read
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import part_in

_PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".bmp")


@dataclass
class Understood:
    """One file, by its name. ``values``: how many it has, and ``known`` how many of those the profile understands.

    ``odd``: the places of the others, with what stands there.
    """

    name: str
    values: int = 0
    known: int = 0
    odd: list[tuple[Place, str]] = field(default_factory=list)


@dataclass
class Understanding:
    """``documents`` that the profile has; ``others``: files that it does not speak of, and that are no sounds.

    ``sounds``: of how many a definition or the path says what they are; ``unnamed`` are the others.
    """

    documents: list[Understood] = field(default_factory=list)
    others: list[Understood] = field(default_factory=list)
    sounds: int = 0
    unnamed: list[str] = field(default_factory=list)

    @property
    def share(self) -> float:
        """Of all values in texts, and of all sounds, how many are understood; from 0 to 1."""
        all_of = [*self.documents, *self.others]
        total = sum(understood.values for understood in all_of) + self.sounds + len(self.unnamed)
        understood_count = sum(understood.known for understood in all_of) + self.sounds
        return understood_count / total if total else 0.0


def understanding(profile: Profile, files: Files, *, game: bool = False) -> Understanding:
    """Hold a finished pack against a profile, or a game's own files.

    Args:
        game: they are the game's, which has much besides: only the profile's documents count.
    """
    result = Understanding()
    references: set[str] = set()
    sounds = [name for name in files.names() if name.lower().endswith(profile.sound_suffixes)]
    for name in files.names():
        if name.endswith("/") or name in sounds:
            continue
        exemplar = next((document for document in profile.documents if document.path.match(name) is not None), None)
        if exemplar is not None:
            understood, named = _document(exemplar, files, name)
            result.documents.append(understood)
            references |= named
        elif not game and not _is_known(profile, name):
            result.others.append(_other(files, name))
    if game:
        return result
    by_label = {files.label(document.name): document for document in result.documents}
    for place, what in read_pack(profile, files).disagreeing:
        if place.path in by_label:
            by_label[place.path].known -= 1
            by_label[place.path].odd.append((place, what))
    there = SoundFiles(sounds)
    of_definitions = {there.file_of(reference) for reference in references}
    for name in sounds:
        by_path = any(
            path.match(name) is not None for path in (*profile.take_paths.values(), *profile.part_paths.values())
        )
        if name in of_definitions or (by_path and profile.by_path):
            result.sounds += 1
        else:
            result.unnamed.append(name)
    return result


def _is_known(profile: Profile, name: str) -> bool:
    """Is it a file that a build writes without a document: a script, the icon, credits, a picture?"""
    rules = profile.rules
    icon = rules.icon.path if rules.icon else None
    names_known = {*(script.path for script in profile.scripts), *profile.plain_files, icon, rules.credits.path}
    return name in names_known or any(path.match(name) is not None for path in profile.picture_paths)


def _document(exemplar: Exemplar, files: Files, name: str) -> tuple[Understood, set[str]]:
    understood, references = Understood(name), set()
    try:
        document = exemplar.parse(files.read(name), files.label(name))
    except IchnosError as error:
        understood.values = 1
        understood.odd.append((error.place or Place(files.label(name)), error.what))
        return understood, set()
    understood.values = sum(1 for _ in facts(document))
    reading = read(exemplar, document, exemplar.path.match(name))
    if reading is None:
        understood.odd.append((document.text.place(0), "the whole file has another structure than the profile's"))
        return understood, set()
    for part in every(reading.pack):
        for hole in ("file", "part.file"):
            if part.values.get(hole) is not None:
                references.add(str(part.values[hole]))
        references |= {str(value) for key, value in part.values.items() if part_in(key) is not None}
    for fact, always in _odd_facts(exemplar, reading):
        understood.odd.append((fact.place, str(fact) + (f" (the profile always writes {always})" if always else "")))
    understood.known = understood.values - len(understood.odd)
    return understood, references


def _odd_facts(exemplar: Exemplar, reading: DocumentReading) -> Iterator[tuple[Fact, str | None]]:
    """What a document says that the profile does not understand; with what it always writes there, if anything."""
    understood: set[Node] = set()
    constant: dict[Place, str] = {}
    place = reading.document.text.place
    for part in every(reading.pack):
        for pattern, real in part.pairs:
            if pattern in exemplar.values:
                understood |= {real, *real.children}  # a list of numbers is one value
            elif (not real.children and pattern.value == real.value) or not (real.holds_value or real.children):
                understood.add(real)  # a container with nothing in it is as good as none
            elif real.holds_value:
                constant[place(real.start)] = str(pattern.value)
    places = {place(node.start) for node in understood if node.holds_value or not node.children}
    return ((fact, constant.get(fact.place)) for fact in facts(reading.document) if fact.place not in places)


def not_understood(profile: Profile, files: Files) -> Iterator[tuple[str, Fact]]:
    """The values in a pack's documents that the profile does not understand, each with the name of its document.

    A document that cannot be read has none.
    """
    for name in files.names():
        exemplar = next((one for one in profile.documents if one.path.match(name) is not None), None)
        if exemplar is None:
            continue
        with suppress(IchnosError):  # which is told where it is read
            document = exemplar.parse(files.read(name), files.label(name))
            reading = read(exemplar, document, exemplar.path.match(name))
            if reading is not None:
                yield from ((name, fact) for fact, _ in _odd_facts(exemplar, reading))


def _other(files: Files, name: str) -> Understood:
    """A file that the profile does not speak of; its values, where it is a text in a format of ours."""
    understood = Understood(name, 1)
    if not name.lower().endswith(_PICTURES):
        with suppress(IchnosError):
            data, label = files.read(name), files.label(name)
            if (form := recognise(name, from_bytes(data, label).content)) is not None:
                understood.values = max(1, sum(1 for _ in facts(parse(data, label, named(form)))))
    understood.odd.append((Place(files.label(name)), "the profile does not speak of this file"))
    return understood
