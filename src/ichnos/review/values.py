"""Findings about values: of no use to the game, or said twice and otherwise."""

from __future__ import annotations

from collections.abc import Iterator

from ichnos.documents.facts import Fact
from ichnos.games.facts import called, name_of, own_facts
from ichnos.games.profiles.vocabulary import SOUND, all_entry_scopes, is_spoken, scope_row, spelled
from ichnos.games.things import PackThing, SoundThing
from ichnos.likeness import did_you_mean
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def findings(subject: Subject) -> Iterator[Finding]:
    """Categories that the game has not, weights of nothing, and what two places say otherwise."""
    catalogue = subject.context.catalogue
    categories = {category for category in catalogue.categories if category} if catalogue is not None else set()
    usual = {hole.usual for exemplar in subject.profile.documents for hole in exemplar.holes_named("category")}
    for name, document in subject.pack.by_document.items():
        for sound in document.sounds:
            if not _is_own(subject, name, sound):
                continue
            if categories and sound.category is not None and sound.category not in {*categories, *usual}:
                place = sound.place_of("category")
                reason = f'{subject.context.title} has no category "{sound.category}", which "{sound.key}" is to have'
                yield finding("category-unknown", place, reason, did_you_mean(categories, sound.category, 2))
            for number, take in enumerate(sound.takes, 1):
                if take.weight is not None and take.weight <= 0 and len(sound.takes) > 1:
                    yield finding("weight-zero", take.place, f'take {number} of "{sound.key}" has the weight 0')
    for place, what in subject.pack.disagreeing:
        yield finding("said-otherwise", place, what)
    yield from _otherwise(subject)


def _is_own(subject: Subject, document: str, sound: SoundThing) -> bool:
    """Is an entry the pack's, and not one of the game's in its own document?"""
    if document not in subject.pack.merged:
        return True
    return any(subject.sound_files.file_of(file) for file, _, _ in sound.files())


def _otherwise(subject: Subject) -> Iterator[Finding]:
    """Values of one thing that two documents have otherwise."""
    before: dict[object, Fact] = {}
    for name, document in subject.pack.by_document.items():
        here: dict[object, Fact] = {}
        for fact in _joined(document) if name not in subject.pack.merged else ():
            if is_spoken(fact.field) and fact.language is None:
                continue  # a title that does not say its language may be in any
            here.setdefault(fact.identity, fact)
            known = before.get(fact.identity, fact)
            if not _alike(known.value, fact.value):
                scope, whose = fact.of[0][0], f'"{fact.of[0][1]}"'
                whose = whose if scope == SOUND else f"the {spelled(scope)} {whose}"
                reason = f"the {name_of(fact)} of {whose} is {fact.value} here, and {known.value} in {known.place}"
                yield finding("said-otherwise", fact.place, reason)
        before = {**here, **before}


def _joined(document: PackThing) -> Iterator[Fact]:
    """What is said of the things that several documents may speak of, by what they are called."""
    for scope in (scope for scope in all_entry_scopes(document.inside) if scope_row(scope).is_joined):
        for thing in document.of(scope):
            yield from own_facts(thing, ((scope, called(thing)),))


def _alike(one: object, other: object) -> bool:
    """Are two readings of one value? Spelled otherwise, one of them may be rounded."""
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= 0.01 * max(abs(one), abs(other))
    return str(one).casefold() == str(other).casefold()
