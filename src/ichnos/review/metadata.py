"""Findings about what a pack says of itself: ids, versions, titles."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping

from ichnos.errors import Place
from ichnos.games.profiles.converters import is_like
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.profile import path_of
from ichnos.games.profiles.vocabulary import ID_PREFIX, PROP, SOUND, TAKE
from ichnos.games.things import NOWHERE
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def names_of(exemplar: Exemplar) -> set[str]:
    """The names of all holes of a document, those in its path too."""
    return set(exemplar.scopes) | {hole.word.name for hole in exemplar.path.holes}


def values(subject: Subject) -> Iterator[tuple[str, object, Place]]:
    """Each value of the pack itself, by its hole's name, wherever a document has it."""
    for pack in subject.pack.by_document.values():
        for name, value in pack.values.items():
            yield name, value, pack.places.get(name, NOWHERE)


def ids(subject: Subject) -> Iterator[Finding]:
    """Ids that are none, or stand for two things."""
    seen: dict[str, str] = {}
    for name, value, place in values(subject):
        if not name.startswith(ID_PREFIX):
            continue
        try:
            identity = str(uuid.UUID(str(value)))
        except ValueError:
            yield finding("id-malformed", place, f"{value!r} is not an id")
            continue
        if seen.setdefault(identity, name) != name:
            yield finding("id-shared", place, f"this id is also that of {seen[identity].removeprefix(ID_PREFIX)!r}")


_VERSIONS = ("game.version", "game.versions", "game.first-version", "game.last-version")


def versions(subject: Subject) -> Iterator[Finding]:
    """Versions of the game that the profile does not know."""
    known = subject.profile.rules.game.versions
    for name, value, place in values(subject):
        said = value if isinstance(value, list) else [value]
        for version in map(str, said if name in _VERSIONS else ()):
            if not any(one == version or is_like(one, version) for one in known):
                reason = f"it is for {subject.context.title} {version}; known are {', '.join(known)}"
                yield finding("version-other", place, reason)


def icon(subject: Subject) -> Iterator[Finding]:
    """A picture of the pack that the game looks for, and that is not there."""
    rules = subject.profile.rules.icon
    if rules is not None and rules.path not in subject.names:
        yield finding("icon-missing", subject.files.place, f"there is no {rules.path}")


def titles(subject: Subject) -> Iterator[Finding]:
    """Titles that stand in one language and not in another, of the pack's own or the game's."""
    context = subject.context
    own = None
    if context.pack_file:
        own = {(SOUND, sound.key) for sound in context.pack_file.sound if sound.title}
        own |= {(PROP, prop.name) for prop in context.pack_file.prop}
    of_game = set(context.catalogue.languages) if context.catalogue else set()
    for exemplar in subject.profile.written:
        titled = subject.pack.titled.get(path_of(exemplar.path), {})
        if own is not None:  # the others stand there as in the game's own
            titled = {identity: titles for identity, titles in titled.items() if identity in own}
        elif subject.profile.document_rules(exemplar).mode == "merge":
            continue  # nobody can tell which of these the pack has brought
        elif TAKE in exemplar.scopes.values():
            kept = _kept(subject, exemplar, titled)
            titled = {identity: titles for identity, titles in titled.items() if identity not in kept}
        every = _with_own(subject, exemplar, titled)
        languages = {language for titles in every.values() for language in titles} | of_game
        for (scope, key), titles in every.items() if "language" in names_of(exemplar) else ():
            for language in sorted(languages - set(titles)):
                place = next(iter(titles.values()), subject.files.place)
                called = f'the prop "{key}"' if scope == PROP else f'"{key}"'
                yield finding("title-missing", place, f"{called} has no title in {language}")


def _kept(
    subject: Subject, exemplar: Exemplar, titled: Mapping[tuple[str, str], Mapping[str, Place]]
) -> set[tuple[str, str]]:
    """The sounds that have their titles from the game's own entries, or can have: the pack says nothing of those."""
    catalogue = subject.context.catalogue
    sounds = {
        identity for identity in titled if identity[0] == SOUND and (catalogue is None or identity[1] in catalogue)
    }
    if catalogue is None:
        return sounds
    if subject.context.own is None:
        return {identity for identity in sounds if set(titled[identity]) <= set(catalogue.languages)}
    said = {sound.key: sound.titles for sound in subject.pack.definitions.sounds}
    own = subject.own_titles(exemplar) if sounds else {}
    return {(scope, key) for scope, key in sounds if said[key] == own.get(key)}


def _with_own(
    subject: Subject, exemplar: Exemplar, titled: Mapping[tuple[str, str], Mapping[str, Place]]
) -> dict[tuple[str, str], Mapping[str, Place]]:
    """The titles of a document, and none of those that the workspace says and that do not stand there."""
    found = dict(titled)
    pack_file = subject.context.pack_file
    if pack_file is not None and "title" in exemplar.scopes and exemplar.in_languages("title"):
        for sound in pack_file.sound if not exemplar.how.kinds else ():
            if sound.title:
                found.setdefault((SOUND, sound.key), {})
    return found
