"""Findings about keys: unknown to the game, there twice, or played and defined nowhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator

from rapidfuzz import process
from rapidfuzz.distance import DamerauLevenshtein

from ichnos.errors import Place
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.profiles.profile import without_extension
from ichnos.likeness import did_you_mean, nearest
from ichnos.review.context import Context
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

_SLIPS = 2  # letters in which a key that is one of the game's by mistake differs from it
_SLIP = 0.8  # of likeness: a text nearer to a key than this, and not the same, is a slip


def findings(subject: Subject) -> Iterator[Finding]:
    """Keys of the definitions, and of files where names are all that a game goes by."""
    context = subject.context
    for name, definitions in subject.pack.by_document.items():
        first: dict[tuple[str, str | None], Place] = {}
        of_game = subject.pack.of_game.get(name, Counter())
        for sound in definitions.sounds:
            entry = (sound.key, sound.text_of("language"))
            if entry in first:
                if of_game[sound.key] > 1:
                    continue  # so it is in the game's own file
                line = first[entry].line
                yield finding("key-twice", sound.place, f'the key "{sound.key}" stands in line {line} already')
                continue
            first[entry] = sound.place
            catalogue = context.catalogue
            if (
                catalogue is not None
                and sound.key not in catalogue
                and not _is_meant_as_new(context, catalogue, sound.key)
            ):
                if sound.key in subject.own_entries(name):
                    continue  # one of the game's that names no file: a channel, or whatever it may be
                cure = catalogue.did_you_mean(sound.key)
                can_be_new = any(kind.new for kind in context.profile.kinds.values()) and context.new_keys is not None
                cure += " A key of your own needs new = true in the workspace" if can_be_new else ""
                yield finding("key-unknown", sound.place, f'{context.title} has no key "{sound.key}"', cure)
    yield from _paths(subject)
    yield from _names(subject)
    yield from _still_played(subject)


def _still_played(subject: Subject) -> Iterator[Finding]:
    """Keys of which some of the game's own files are replaced, and others still play."""
    catalogue, pack_file = subject.context.catalogue, subject.context.pack_file
    if catalogue is None or not subject.in_place:
        return
    there = {without_extension(name) for name in subject.in_place}
    sounds = {sound.key: sound for sound in pack_file.sound} if pack_file else None
    meant: dict[str, str] = {}
    for name, keys in subject.in_place.items():
        # A file of several keys is there for those that the workspace speaks of; else it cannot be told for which.
        for key in keys if len(keys) == 1 or sounds is not None else ():
            if sounds is None or key in sounds:
                meant.setdefault(key, name)
    for key, name in meant.items():
        files = catalogue.entry(key).files
        kept = {number for number, take in enumerate(sounds[key].takes) if take.kept} if sounds else set()
        left = [
            file for number, file in enumerate(files) if subject.profile.bare(file) not in there and number not in kept
        ]
        if left:
            named = ", ".join(left[:5]) + (", ..." if len(left) > 5 else "")
            reason = f'"{key}" has {len(files)} files in {subject.context.title}, and its own still play: {named}'
            yield finding("files-left", subject.label(name), reason)


def _paths(subject: Subject) -> Iterator[Finding]:
    """Sound files under names that the game does not have, where names are all that it goes by."""
    catalogue, profile = subject.context.catalogue, subject.profile
    if catalogue is None or not profile.by_path:
        return
    own = {profile.bare(file): file for file in catalogue.all_files()}
    for name in subject.sounds if own else ():
        if name not in subject.targets and subject.needs_no_definition(name):
            near = own[nearest(own, without_extension(name), 1)[0]]
            kind = "key-unknown" if profile.by_path_alone else "path-unknown"
            reason = f"{subject.context.title} has no {name}"
            yield finding(kind, subject.label(name), reason, f"did you mean {near}?")


def _names(subject: Subject) -> Iterator[Finding]:
    """Files whose names spell a key that is nearly one of the game's, where names are all that it goes by."""
    catalogue = subject.context.catalogue
    for name, key in subject.view.by_name.items() if catalogue is not None else ():
        if catalogue is not None and key not in catalogue and not _is_meant_as_new(subject.context, catalogue, key):
            reason = f'{subject.context.title} has no key "{key}"'
            yield finding("key-unknown", subject.label(name), reason, did_you_mean(catalogue.keys, key, 1))


def _is_meant_as_new(context: Context, catalogue: Catalogue, key: str) -> bool:
    """Is a key that the game does not have the pack's own? Where nobody says so, it is unless it is nearly one."""
    if context.new_keys is not None:
        return key in context.new_keys
    if not any(kind.new for kind in context.profile.kinds.values()):
        return False
    near = process.extractOne(
        key, catalogue.keys, scorer=DamerauLevenshtein.distance, processor=str.casefold, score_cutoff=_SLIPS
    )
    return near is None


def played(subject: Subject) -> Iterator[Finding]:
    """Keys that triggers, props and schedules play, and nothing has."""
    defined = subject.keys
    catalogue = subject.context.catalogue
    for definitions in subject.pack.by_document.values():
        for key, place in definitions.played():
            if key in defined or (catalogue is None and not defined) or (catalogue is not None and key in catalogue):
                continue
            if catalogue is not None or alike(key, defined):
                cure = did_you_mean([*defined, *(catalogue.keys if catalogue else ())], key, 2)
                yield finding("play-unknown", place, f'nothing has the key "{key}"', cure)


def alike(text: str, keys: Collection[str]) -> str | None:
    """The key that a text most likely means, where it is not spelled as that."""
    near = nearest(keys, text, 1, _SLIP, capitals=True)  # "Reed" may be the title of "reed"
    return near[0] if near and near[0] != text else None
