"""Harvest: a game's own definitions, read through its profile, give its catalogue."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

from ichnos.documents.tree import many_nodes
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.signatures import sign_all
from ichnos.files.sources import Files
from ichnos.files.views import Renamed, Unfolded
from ichnos.games.catalogues.catalogue import JOINT, Catalogue, several
from ichnos.games.catalogues.listed import is_list, read_list
from ichnos.games.entries.packs import PackReading, SoundFiles, read_pack
from ichnos.games.neighbours import numbered
from ichnos.games.pristine import as_tree, game_files
from ichnos.games.profiles.profile import Profile, path_of
from ichnos.games.profiles.vocabulary import PART, TAKE, entry_scopes, number_field
from ichnos.games.things import SoundThing

_NO_KEYS = (
    "give the folder that the game is installed in, or correct the profile; where nobody can read them"
    " (readable = false under [catalogue]), a list does as well: ichnos keys harvest KEYS.csv"
)


def harvest(profile: Profile, source: Path, on_progress: Callable[[str], None] | None = None) -> Catalogue:
    """Read a game's own definitions from its installation, a folder or a zip archive.

    Args:
        listen: with it, mentions are counted and readable originals are decoded; it is called with
            the name of each of them.

    Raises:
        IchnosError: these are no files of this game, or nothing that can be read.
    """
    source = disk.resolved(source)
    if disk.is_file(source) and is_list(source):
        return read_list(source)
    whole = game_files(source, profile)
    files = as_tree(whole, profile)
    with many_nodes():
        pack = read_pack(profile, files)
    catalogue = Catalogue(source=str(source), strays=len(pack.strange))
    _take_in(catalogue, pack)
    sounds: list[str] = []
    left_out: list[str] = []
    if profile.by_path_alone:
        sounds = [name for name in files.names() if name.lower().endswith(profile.sound_suffixes)]
        left_out = list(_take_in_paths(catalogue, profile, sounds))
    catalogue.notes = [*_of_files(whole, files), *_notes(pack), *_left_out(profile, left_out, len(sounds))]
    catalogue.names = {field: list(names) for field, names in pack.names.items()}
    catalogue.numbers = dict(_numbers(pack))
    catalogue.ids = sorted(
        {value.lower() for pack_thing in pack.by_document.values() for value in pack_thing.ids.values()}
    )
    titled = (tag for sound in pack.definitions.sounds for tag in sound.titles if tag is not None)
    catalogue.languages = sorted({*pack.definitions.tags, *titled})
    if not catalogue.keys:
        what = f"no sound keys of {profile.rules.game.title} are found here: "
        raise IchnosError(what + "; ".join(_looked_for(profile, whole, pack)), place=Place(str(source)), cure=_NO_KEYS)
    folders = sorted({str(Path(files.label(name)).parent) for name in sounds})
    read = [*(files.label(name) for name in sorted(pack.documents)), *folders]
    archives = [whole.label(name) for name in whole.names() if profile.rules.catalogue.is_archive(name)]
    free = [path for path in read if not any(f"{path}/".startswith(f"{archive}/") for archive in archives)]
    catalogue.seen = sign_all([str(source)] if disk.is_file(source) else [*free, *archives])
    if on_progress is not None:
        catalogue.mentions = list(_mentions(profile, catalogue.keys, whole))
        _listen(catalogue, files, profile.sound_suffixes, on_progress)
    return catalogue


def _of_files(whole: Files, files: Files) -> Iterator[str]:
    """What is to be said of the game's files before any is read."""
    if isinstance(whole, Unfolded):
        yield from (f"{name}: {reason}" for name, reason in whole.damaged.items())
    for name, paths in files.hidden() if isinstance(files, Renamed) else ():
        others = ", ".join(paths[1:4]) + (" ..." if len(paths) > 4 else "")
        yield f"[catalogue.paths] calls {len(paths)} files {name}: {paths[0]} counts, and not {others}"


def _numbers(pack: PackReading) -> Iterator[tuple[str, dict[str, int]]]:
    """The numbers that the game tells its entries apart by: of each field, by what has each."""
    for scope in entry_scopes():
        entries = filter(None, (numbered(thing) for thing in pack.definitions.of(scope)))
        if by_name := {entry.name: entry.number for entry in entries}:
            yield number_field(scope), by_name


def _looked_for(profile: Profile, whole: Files, pack: PackReading) -> Iterator[str]:
    """Which files were looked for, where, and how far each matched."""
    folder, names = profile.rules.catalogue.folder, whole.names()
    where = f"below {folder}/" if folder else "here"
    if folder and not any(name.startswith(f"{folder}/") for name in names):
        yield f"there is no folder {folder}/"
        if Path(whole.place.path).name == folder.rpartition("/")[2]:
            yield f"this may be {folder}/ itself, and the game's folder is the one around it"
    for exemplar in profile.documents:
        if {"key", "key.own"} & ({*exemplar.scopes} | {hole.word.name for hole in exemplar.path.holes}):
            read = [name for name in pack.documents if exemplar.path.match(name) is not None]
            yield _how_far(pack, read) if read else _not_there(path_of(exemplar.path), where, names)
    if not profile.by_path and not any({"key", "key.own"} & {*exemplar.scopes} for exemplar in profile.documents):
        what = "no document of the profile has keys; where they are the names of the game's sound files,"
        yield f'{what} say replace = "by-path" under [modes]'
    if profile.by_path_alone:
        paths = " or ".join(path_of(path) for path in profile.sound_paths)
        count = sum(name.lower().endswith(profile.sound_suffixes) for name in names)
        yield f"of {count} sound files none has a name like {paths} {where}"


def _not_there(wanted: str, where: str, names: list[str]) -> str:
    """Of a document that was not found: where one of its name is."""
    near = next((name for name in names if name.endswith(f"/{wanted}") or name == wanted), None)
    return f"{wanted} is not {where}" + (f" (it is at {near})" if near else "")


def _how_far(pack: PackReading, read: list[str]) -> str:
    """Of the documents of one kind that were found: why they give no keys."""
    first = read[0]
    broken = next((error for error in pack.broken if error.place and error.place.path.endswith(first)), None)
    strange = next((place for place, _ in pack.strange if place.path.endswith(first)), None)
    if broken is not None:
        return f"{first} cannot be read ({broken})"
    if strange is not None:
        return f"{first} is there, and nothing in it is like the profile's; the first is line {strange.line}"
    if any(pack.by_document[name].sounds for name in read if name in pack.by_document):
        return f"{first} has keys, and no entry of them names a file"
    return f"{first} is there, and no entry is in it"


def _notes(pack: PackReading) -> Iterator[str]:
    for error in pack.broken:
        yield f"{error}"
    if pack.strange:
        place, excerpt = pack.strange[0]
        count = len(pack.strange)
        many = f"{count} entries fit" if count != 1 else "1 entry fits"
        yield f"{many} no exemplar; the first is {place}: {excerpt}"
    if pack.disagreeing:
        place, what = pack.disagreeing[0]
        count = len(pack.disagreeing)
        many = f"{count} values differ" if count != 1 else "1 value differs"
        yield (
            f"{many} from what stands elsewhere in the entry; the first is {place}: {what}"
            " (where one entry names several keys, the profile needs an alternative for each)"
        )
    if pack.unknown:
        common = pack.unknown.most_common(12)
        named = ", ".join(f"{label} ({f'{count} times' if count > 1 else 'once'})" for label, count in common)
        yield f"not known to the profile, and kept as it stands: {named}"


def _take_in(catalogue: Catalogue, pack: PackReading) -> None:
    categories = {sound.key: sound.category for sound in pack.definitions.sounds}
    sounds: dict[str, SoundThing] = {}
    where: dict[str, str] = {}
    for name, said in pack.by_document.items():
        for sound in said.defined():
            sounds.setdefault(sound.key, sound)
            where.setdefault(sound.key, name)
    for key, sound in sounds.items():
        files = JOINT.join(reference for reference, _, _ in sound.files())
        catalogue.add(key, sound.category or categories.get(key), files, where[key], sound.kind)
    for key, document in pack.waiting.items():
        if key not in sounds:
            catalogue.add(key, categories.get(key), "", document)


def _left_out(profile: Profile, names: list[str], count: int) -> Iterator[str]:
    if names:
        paths = " or ".join(path_of(path) for path in profile.sound_paths)
        yield (
            f"of {count:,} sound files {len(names):,} are left out, as their names are not like {paths}; the first is"
            f" {names[0]}"
        )


def _take_in_paths(catalogue: Catalogue, profile: Profile, names: list[str]) -> Iterator[str]:
    """The keys of a game without definitions, as its sound files' own names spell them; gives the names left out."""
    takes: dict[str, list[tuple[int, str]]] = {}
    for name in sorted(names):
        spelled = profile.key_of_path(name)
        if spelled is None:
            yield name
        else:
            key, number = spelled
            takes.setdefault(key, []).append((number, name))
    for key, files_of_key in takes.items():
        first = min(files_of_key)[1]
        paths = ((kind, path) for kind, path in profile.take_paths.items() if path.match(first) is not None)
        kind, path = next(paths, ("", None))
        files = JOINT.join(name for _, name in sorted(files_of_key))
        catalogue.add(key, None, files, path_of(path) if path else None, kind)


_WORD = re.compile(r"""[^\s"'<>=,;{}\[\]()]+""")
_LARGEST_TEXT = 64 * 2**20  # bytes


def _mentions(profile: Profile, keys: list[str], files: Files) -> Iterator[int]:
    """How often texts other than the definitions name each key."""
    catalogue = profile.rules.catalogue
    definitions = [exemplar.path for exemplar in profile.documents if {TAKE, PART} & set(exemplar.scopes.values())]
    words: Counter[str] = Counter()
    spaced = [key for key in keys if not _WORD.fullmatch(key)]
    for name in files.names():
        if any(path.match(catalogue.name_of(name)) is not None for path in definitions):
            continue
        text = "" if name.lower().endswith(profile.sound_suffixes) else _text(files, name)
        words.update(_WORD.findall(text))
        words.update({key: text.count(key) for key in spaced})
    yield from (words[key] for key in keys)


def _text(files: Files, name: str) -> str:
    """A file's text; empty where it is none."""
    with files.stream(name) as stream:
        data = stream.read(_LARGEST_TEXT)
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace")
    return "" if b"\0" in data[:8192] else data.decode("utf-8", "replace")


def _listen(catalogue: Catalogue, files: Files, suffixes: tuple[str, ...], on_progress: Callable[[str], None]) -> None:
    """Decode the first file of each key, where there is one that can be."""
    import numpy as np

    from ichnos.audio.files import clips

    names = SoundFiles([name for name in files.names() if name.lower().endswith(suffixes)])
    for index, references in enumerate(catalogue.files):
        name = names.file_of(several(references)[0]) if references else None
        if name is None:
            continue
        on_progress(name)
        try:
            with files.stream(name) as stream:
                sound = clips.OpenSound(stream, name, Place(files.label(name)))
                facts = sound.facts
                top = max((float(np.abs(block).max()) for block in sound.blocks()), default=0.0)
        except IchnosError:
            continue  # the name is right, even where the contents cannot be heard
        catalogue.sounds[index] = f"{facts.container} {facts.codec}, {'mono' if facts.channels == 1 else 'stereo'}"
        catalogue.seconds[index] = round(facts.seconds, 3)
        catalogue.peaks[index] = round(20 * float(np.log10(top)), 1) if top else None
