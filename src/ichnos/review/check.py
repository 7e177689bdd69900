"""Checking a pack: it is read back from disk through the profile, and every sound in it decoded."""

from __future__ import annotations

import os
import uuid
from collections import Counter
from collections.abc import Callable, Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ichnos.audio import clips, loops
from ichnos.audio.clips import Facts
from ichnos.audio.conversion import Target
from ichnos.errors import IchnosError, Place
from ichnos.games.catalogue import Catalogue
from ichnos.games.files import Files
from ichnos.games.packs import PackRead, SoundFiles, read_pack
from ichnos.games.profile import SOUND_SUFFIXES, Profile
from ichnos.games.vocabulary import ID_PREFIX
from ichnos.pack.targets import target
from ichnos.review.findings import Finding, finding


@dataclass(frozen=True)
class Checked:
    """What was read, and what was found. ``seconds`` of sound were decoded, in all."""

    findings: tuple[Finding, ...]
    documents: int
    keys: int
    sounds: int
    seconds: float

    @property
    def passed(self) -> bool:
        return not any(found.kind.grave for found in self.findings)


@dataclass(frozen=True)
class Context:
    """What a pack is checked against. ``new_keys`` are the modder's own, known from the workspace."""

    profile: Profile
    catalogue: Catalogue | None = None
    new_keys: Collection[str] = ()


def sound_names(files: Files) -> list[str]:
    """The names of a pack's sound files."""
    return [name for name in files.names() if PurePosixPath(name).suffix.lower() in SOUND_SUFFIXES]


def check(context: Context, files: Files, advance: Callable[[str], None]) -> Checked:
    """Check a pack.

    Args:
        advance: called with the name of each sound file when it has been decoded.
    """
    names = files.names()
    pack = read_pack(context.profile, files)
    sounds = sound_names(files)
    known = SoundFiles(sounds)
    found = [*_names(files, names, pack), *_documents(files, pack), *_ids(pack), *_keys(context, pack)]
    found += _references(context, pack, known)
    wanted = _targets(context, pack, known)
    found += [
        finding("file-unused", Place(files.label(name)), "no definition names this sound")
        for name in sounds
        if name not in wanted and pack.documents
    ]

    def one(name: str) -> tuple[list[Finding], float]:
        result = _sound(wanted.get(name) or target(context.profile), files, name)
        advance(name)
        return result

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        decoded = list(pool.map(one, sounds))
    found += [each for findings, _ in decoded for each in findings]
    keys = len({sound.key for sound in pack.defined()})
    return Checked(tuple(found), len(pack.documents), keys, len(sounds), sum(seconds for _, seconds in decoded))


def _targets(context: Context, pack: PackRead, known: SoundFiles) -> dict[str, Target]:
    """What each sound file that a definition names should be."""
    wanted = {}
    categories = pack.categories()
    for sound in pack.defined():
        category = categories.get(sound.key)
        if category is None and context.catalogue is not None:
            category = context.catalogue.category(sound.key)
        for take in sound.takes:
            name = known.resolve(take.reference)
            if name is not None:
                wanted[name] = target(context.profile, sound.key, category, part=take.part, loop=sound.loop)
    return wanted


def _names(files: Files, names: list[str], pack: PackRead) -> Iterator[Finding]:
    for name, count in Counter(names).items():
        if count > 1:
            yield finding("name-twice", Place(files.label(name)), f"this name stands {count} times in the archive")
        pieces = name.replace("\\", "/").split("/")
        if ".." in pieces or pieces[0] == "" or ":" in pieces[0]:
            yield finding("name-unsafe", Place(files.place), f"the name {name!r} leads out of the pack")
    tops = {name.split("/")[0] for name in names}
    if len(tops) == 1 and all("/" in name for name in names):
        (top,) = tops
        if any(name[len(top) + 1 :] in pack.absent for name in names):
            yield finding("wrapped-folder", Place(files.place), f"everything lies inside a folder, {top}/")


def _documents(files: Files, pack: PackRead) -> Iterator[Finding]:
    for name in pack.absent:
        yield finding("document-missing", Place(files.place), f"there is no {name}")
    for error in pack.broken:
        damaged = error.place is None or error.place.line is None
        kind = "archive-damaged" if damaged else "document-broken"
        yield finding(kind, error.place or Place(files.place), error.what, error.cure)
    for place, excerpt in pack.strange:
        yield finding("entry-strange", place, f"this is not like any entry of this game: {excerpt}")


def _ids(pack: PackRead) -> Iterator[Finding]:
    seen: dict[str, str] = {}
    for name, value, place in pack.values:
        if not name.startswith(ID_PREFIX):
            continue
        try:
            identity = str(uuid.UUID(str(value)))
        except ValueError:
            yield finding("id-malformed", place, f"{value!r} is not an id")
            continue
        if seen.setdefault(identity, name) != name:
            yield finding("id-shared", place, f"this id is also that of {seen[identity].removeprefix(ID_PREFIX)!r}")


def _keys(context: Context, pack: PackRead) -> Iterator[Finding]:
    for sounds in pack.sounds.values():
        first: dict[tuple[str, str | None], Place] = {}
        for sound in sounds:
            entry = (sound.key, sound.language)
            if entry in first:
                line = first[entry].line
                yield finding("key-twice", sound.place, f'the key "{sound.key}" stands in line {line} already')
                continue
            first[entry] = sound.place
            known = context.catalogue
            if known is not None and sound.key not in known and sound.key not in context.new_keys:
                nearest = " or ".join(known.nearest(sound.key))
                title = context.profile.rules.game.title
                yield finding(
                    "key-unknown",
                    sound.place,
                    f'{title} has no key "{sound.key}"',
                    f"did you mean {nearest}? A key of your own needs new = true in the workspace",
                )


def _references(context: Context, pack: PackRead, known: SoundFiles) -> Iterator[Finding]:
    """References to files that are neither in the pack nor the game's own, as far as that is known."""
    own = context.catalogue.all_files() if context.catalogue else set()
    for document, sounds in pack.sounds.items():
        if document in pack.merged and context.catalogue is None:
            continue  # it names the game's own files too, and those are not known here
        for sound in sounds:
            for take in sound.takes:
                if known.resolve(take.reference) is None and take.reference not in own:
                    reason = f'"{sound.key}" needs {take.reference}, which is not here'
                    yield finding("take-missing", take.place, reason)


def _sound(target: Target, files: Files, name: str) -> tuple[list[Finding], float]:
    place = Place(files.label(name))
    try:
        opened = files.open(name)
    except (IchnosError, OSError) as error:
        return [finding("archive-damaged", place, getattr(error, "what", str(error)))], 0.0
    try:
        with opened as stream:
            facts = clips.facts(stream, Path(name))
            frames = sum(len(block) for block in clips.blocks(stream, facts, place))
            looped = not target.loop or loops.read(stream, target.loop) is not None
    except IchnosError as error:
        return [finding("take-damaged", place, error.what)], 0.0
    found = list(_format(target, facts, place))
    if not looped:
        found.append(finding("loop-missing", place, "its definition says that it loops, and no marker in it does"))
    return found, frames / facts.rate


def _format(target: Target, facts: Facts, place: Place) -> Iterator[Finding]:
    if facts.disguised:
        yield finding("take-disguised", place, f"the extension says {facts.claimed}, but it holds {facts.container}")
        return
    wrong = target.differs(facts)
    if wrong:
        yield finding("take-format", place, "; ".join(wrong))
