"""Checking a pack: it is read back from disk through the profile, and every sound in it decoded."""

from __future__ import annotations

import fnmatch
import os
import re
import uuid
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath

from rapidfuzz import process
from rapidfuzz.distance import DamerauLevenshtein

from ichnos.audio.files import clips, loops
from ichnos.audio.files.clips import Facts
from ichnos.audio.process.conversion import Target
from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files, Inside, files_at
from ichnos.games.catalogues.catalogue import Catalogue, nearest
from ichnos.games.entries.packs import PackRead, SoundFiles, read_pack
from ichnos.games.profiles.profile import SOUND_SUFFIXES, Profile
from ichnos.games.profiles.vocabulary import ID_PREFIX
from ichnos.games.targets import target
from ichnos.pack.plan.plan import windows_refuses
from ichnos.pack.workspace import credit
from ichnos.pack.workspace.pack_file import PackFile, Waiver
from ichnos.pack.workspace.workspace import Workspace
from ichnos.review import naming
from ichnos.review.findings import Finding, finding

_SILENT = 1e-3  # of full scale
_SLIPS = 2  # letters in which a key that is one of the game's by mistake differs from it
_SLIP = 0.8  # of likeness: a text nearer to a key than this, and not the same, is a slip
_SCRIPTS = (".lua",)


@dataclass(frozen=True)
class Checked:
    """What was read, and what was found. ``seconds`` of sound were decoded, in all.

    ``closed``: sounds in the game's own codec, which only it can decode.
    """

    findings: tuple[Finding, ...]
    waived: tuple[tuple[Finding, str], ...]  # each with the reason that the pack file gives
    documents: int
    keys: int
    sounds: int
    seconds: float
    closed: int = 0

    @property
    def passed(self) -> bool:
        return not any(found.kind.grave for found in self.findings)


@dataclass(frozen=True)
class Context:
    """What a pack is checked against. ``new_keys`` are the modder's own, known from the workspace."""

    profile: Profile
    catalogue: Catalogue | None = None
    new_keys: Collection[str] | None = None  # None: nobody says which keys are meant to be new
    silent_keys: Collection[str] = ()
    pack_file: PackFile | None = None
    place: Callable[..., Place] | None = None  # of a field of the pack file


def opened(profile: Profile, path: Path) -> Files:
    """A pack as found on disk; where packs are folders, and this one is sent as an archive, the folder in it."""
    files = files_at(path)
    names = files.names()
    top = names[0].partition("/")[0] if names else ""
    known = [exemplar.path for exemplar in profile.documents] or profile.sound_paths
    if (
        profile.rules.packaging.kind != "folder"
        or path.is_dir()
        or top in ("", ".", "..")
        or windows_refuses(top)
        or not all(name.startswith(f"{top}/") for name in names)
        or any(own.match(name) is not None for own in known for name in names)
    ):
        return files
    return Inside(files, top)


def sound_names(profile: Profile, files: Files) -> list[str]:
    """The names of a pack's sound files."""
    known = (*SOUND_SUFFIXES, profile.rules.closed.ending) if profile.rules.closed else SOUND_SUFFIXES
    return [name for name in files.names() if PurePosixPath(name).suffix.lower() in known]


def check(context: Context, files: Files, advance: Callable[[str], None]) -> Checked:
    """Check a pack.

    Args:
        advance: called with the name of each sound file when it has been decoded.
    """
    names = files.names()
    pack = read_pack(context.profile, files)
    sounds = sound_names(context.profile, files)
    known = SoundFiles(sounds)
    found = [*_names(files, names, pack), *_documents(files, pack), *_ids(pack), *_keys(context, pack)]
    found += naming.findings(context.profile, context.catalogue, files, names, sounds)
    found += _paths(context, files, sounds)
    found += _references(context, pack, known)
    found += [
        *_played(context, pack),
        *_scripts(context, files, names, pack),
        *_titles(pack),
        *_versions(context, pack),
    ]
    found += licences(context)
    wanted = _targets(context, pack, known)
    found += _unused(files, pack, [name for name in sounds if name not in wanted])
    on_purpose = {
        known.resolve(take.reference)
        for sound in pack.defined()
        if sound.key in context.silent_keys
        for take in sound.takes
    }

    def one(name: str) -> tuple[list[Finding], float]:
        want = wanted.get(name) or target(context.profile)
        result = _sound(context.profile, want, files, name, silent=name in on_purpose)
        advance(name)
        return result

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        decoded = list(pool.map(one, sounds))
    found += [each for findings, _ in decoded for each in findings]
    keys = len({sound.key for sound in pack.defined()})
    left, waived = _waived(context, found)
    closed = sum(_is_closed(context.profile, name) for name in sounds)
    seconds = sum(seconds for _, seconds in decoded)
    return Checked(tuple(left), tuple(waived), len(pack.documents), keys, len(sounds) - closed, seconds, closed)


def _unused(files: Files, pack: PackRead, unnamed: Sequence[str]) -> Iterator[Finding]:
    """Sounds that no definition names, where all of the definitions could be read."""
    if pack.documents and not (pack.broken or pack.absent or pack.strange):
        for name in unnamed:
            yield finding("file-unused", Place(files.label(name)), "no definition names this sound")


def _is_closed(profile: Profile, name: str) -> bool:
    closed = profile.rules.closed
    return closed is not None and PurePosixPath(name).suffix.lower() == closed.ending


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
    for place, what in pack.differing:
        yield finding("name-differs", place, what)


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
            if known is not None and sound.key not in known and not _meant_as_new(context, known, sound.key):
                nearest = " or ".join(known.nearest(sound.key))
                title = context.profile.rules.game.title
                cure = f"did you mean {nearest}?"
                cure += " A key of your own needs new = true in the workspace" if context.new_keys is not None else ""
                yield finding("key-unknown", sound.place, f'{title} has no key "{sound.key}"', cure)


def _paths(context: Context, files: Files, sounds: Sequence[str]) -> Iterator[Finding]:
    """Sound files under names that the game does not have, where names are all that it goes by."""
    known, profile = context.catalogue, context.profile
    if known is None or not profile.by_path_alone or profile.rules.modes.new:
        return
    own = known.all_files()
    for name in sounds:
        if name not in own:
            cure = f"did you mean {nearest(own, name, 1)[0]}?"
            yield finding("key-unknown", Place(files.label(name)), f"{profile.rules.game.title} has no {name}", cure)


def _meant_as_new(context: Context, known: Catalogue, key: str) -> bool:
    """Is a key that the game does not have the pack's own? Where nobody says so, it is unless it is nearly one."""
    if context.new_keys is not None:
        return key in context.new_keys
    if not context.profile.rules.modes.new:
        return False
    near = process.extractOne(
        key, known.keys, scorer=DamerauLevenshtein.distance, processor=str.casefold, score_cutoff=_SLIPS
    )
    return near is None


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


def _played(context: Context, pack: PackRead) -> Iterator[Finding]:
    """Keys that triggers, carriers and rotations play, and nothing has."""
    defined = {sound.key for sound in pack.defined()}
    for key, place in pack.played:
        known = context.catalogue
        if key in defined or (known is None and not defined) or (known is not None and key in known):
            continue
        near = " or ".join(nearest([*defined, *(known.keys if known else ())], key, 2))
        if known is not None or _alike(key, defined):
            yield finding("play-unknown", place, f'nothing has the key "{key}"', f"did you mean {near}?")


def _alike(text: str, keys: Collection[str]) -> str | None:
    """The key that a text most likely means, where it is not spelled as that."""
    best = process.extractOne(text, list(keys), scorer=DamerauLevenshtein.normalized_similarity, score_cutoff=_SLIP)
    return best[0] if best and best[0] != text else None


_QUOTED = re.compile(r"""(["'])((?:(?!\1)[^\\\n])*)\1""")


def _scripts(context: Context, files: Files, names: list[str], pack: PackRead) -> Iterator[Finding]:
    """Texts in scripts that are nearly a key of the pack: a slip that no game tells."""
    defined = {sound.key for sound in pack.defined()}
    scripts = {script.path for script in context.profile.scripts}
    for name in names:
        if name not in scripts and not name.endswith(_SCRIPTS):
            continue
        try:
            text = from_bytes(files.read(name), files.label(name))
        except IchnosError:
            continue
        for match in _QUOTED.finditer(text.content):
            said = match[2]
            known = said in defined or (context.catalogue is not None and said in context.catalogue)
            if not known and (meant := _alike(said, defined)):
                place = text.place(match.start(2))
                yield finding("script-key", place, f'"{said}" is no key, and {meant} is', f"did you mean {meant}?")


def _titles(pack: PackRead) -> Iterator[Finding]:
    for titled in pack.titled.values():
        languages = {language for titles in titled.values() for language in titles}
        for key, titles in titled.items():
            for language in sorted(languages - set(titles)):
                place = next(iter(titles.values()))
                yield finding("title-missing", place, f'"{key}" has no title in {language}')


def _versions(context: Context, pack: PackRead) -> Iterator[Finding]:
    known = context.profile.rules.game.versions
    for name, value, place in pack.values:
        if name == "game.version" and str(value) not in known:
            title = context.profile.rules.game.title
            yield finding("version-other", place, f"it is for {title} {value}; known are {', '.join(known)}")


_OF_DOUBT = {
    "missing": "licence-missing",
    "unknown": "licence-unknown",
    "no-derivatives": "licence-forbids",
    "no-commerce": "licence-forbids",
    "no-words": "licence-words",
}


def licences(context: Context) -> Iterator[Finding]:
    """What is to be said of the licences of the workspace's clips."""
    if context.pack_file is None or context.place is None:
        return
    for doubt in credit.doubts(context.pack_file):
        place = context.place("pack") if doubt.credit is None else context.place("credit", doubt.credit)
        yield finding(_OF_DOUBT[doubt.kind], place, doubt.reason)


def _waived(context: Context, found: list[Finding]) -> tuple[list[Finding], list[tuple[Finding, str]]]:
    left, waived = [], []
    for one in found:
        waiver = next((waiver for waiver in _waivers(context) if _covers(waiver, one)), None)
        if waiver is None:
            left.append(one)
        else:
            waived.append((one, waiver.reason))
    return left, waived


def _waivers(context: Context) -> tuple[Waiver, ...]:
    return context.pack_file.waive if context.pack_file else ()


def _covers(waiver: Waiver, one: Finding) -> bool:
    if waiver.id != one.kind.id:
        return False
    return any(fnmatch.fnmatchcase(text, f"*{waiver.where}*") for text in (one.place.path, one.reason))


def _sound(profile: Profile, target: Target, files: Files, name: str, *, silent: bool) -> tuple[list[Finding], float]:
    place = Place(files.label(name))
    try:
        opened = files.open(name)
    except (IchnosError, OSError) as error:
        return [finding("archive-damaged", place, getattr(error, "what", str(error)))], 0.0
    if _is_closed(profile, name):
        with opened as stream:
            empty = not stream.read(1)
        return [finding("take-damaged", place, "this file is empty")] if empty else [], 0.0
    try:
        with opened as stream:
            facts, blocks = clips.decoded(stream, Path(name))
            frames, peak = 0, 0.0
            for block in blocks:
                frames += len(block)
                peak = max(peak, float(block.max()), -float(block.min()))
            looped = not target.loop or loops.read(stream, target.loop) is not None
    except IchnosError as error:
        seconds = error.place.seconds if error.place else None
        return [finding("take-damaged", replace(place, seconds=seconds), error.what)], 0.0
    found = list(_format(target, facts, place))
    if peak < _SILENT and not silent:
        found.append(finding("take-silent", place, "it is silent from beginning to end"))
    longest = profile.rules.limits.seconds
    if longest is not None and frames / facts.rate > longest:
        found.append(finding("take-long", place, f"it lasts {frames / facts.rate:.1f} s, {longest:g} s are allowed"))
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


def of_workspace(workspace: Workspace) -> Context:
    """What the pack of a workspace is checked against."""
    pack_file = workspace.pack_file
    return Context(
        workspace.profile,
        workspace.catalogue,
        [sound.key for sound in pack_file.sound if sound.new],
        [sound.key for sound in pack_file.sound if sound.silent],
        pack_file,
        workspace.file.place,
    )
