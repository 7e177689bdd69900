"""Findings about what documents say of finished sound files: their length, size, digests."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import suppress

from ichnos.documents.tree import Unwritable, Value, spelled
from ichnos.errors import IchnosError
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.vocabulary import PART, TAKE, built
from ichnos.games.things import Thing
from ichnos.pack.build.finished import facts_of
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def findings(subject: Subject) -> Iterator[Finding]:
    """Values of a file that are not so."""
    if built().isdisjoint(name for exemplar in subject.profile.written for name in exemplar.scopes):
        return
    for sound in subject.pack.defined():
        for thing in (*sound.of(TAKE), *sound.of(PART)):
            yield from _of_file(subject, thing)


def _of_file(subject: Subject, thing: Thing) -> Iterator[Finding]:
    """What is said otherwise of one file; that it cannot be read, or decoded, is told elsewhere."""
    file = thing.text_of("file" if thing.scope == TAKE else "part.file")
    name = subject.sound_files.file_of(file) if file else None
    if name is None or subject.is_own_codec(name) or built().isdisjoint(thing.values):
        return
    with suppress(IchnosError):
        for field, so in facts_of(subject.files.read(name), name).items():
            hole = f"{thing.scope}.{field}"
            said = thing.values.get(hole)
            if said is not None and not any(_same(said, value) for value in _readings(subject, hole, so)):
                reason = f"the {field} of {name}: {spelled(said)} is said here, and it is {spelled(so)}"
                yield finding("file-otherwise", thing.place_of(hole), reason)


def _readings(subject: Subject, hole: str, value: Value) -> Iterator[Value]:
    """A value, and what is read of it where a document rounds it, or spells it otherwise."""
    yield value
    for exemplar in subject.profile.written:
        for written in exemplar.holes_named(hole):
            with suppress(Unreadable, Unwritable):
                yield written.carried(value)


def _same(said: Value, so: Value) -> bool:
    if isinstance(so, int | float) and isinstance(said, int | float):
        return math.isclose(float(said), float(so), rel_tol=1e-4, abs_tol=1e-6)
    return str(said).casefold() == str(so).casefold()
