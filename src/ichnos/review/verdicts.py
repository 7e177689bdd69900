"""Findings of those who listened, and what stands for the sound that they heard."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from contextlib import suppress

from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.pack.workspace.verdicts import LENGTH, REDO
from ichnos.review.findings import Finding, finding
from ichnos.review.pieces import Heard, of_subject
from ichnos.review.subject import Subject


def heard_as(digests: Mapping[str, str]) -> str:
    """What stands for a sound: made of the SHA-256 of each of its takes and parts, by their roles."""
    whole = "".join(f"{role}\0{digest}\n" for role, digest in sorted(digests.items()))
    return hashlib.sha256(whole.encode()).hexdigest()[:LENGTH]


def digests(heard: Heard) -> dict[str, str]:
    """The SHA-256 of each take and part of a sound that can be read."""
    found = {}
    for piece in heard.pieces:
        if piece.name is not None:
            with suppress(IchnosError), piece.stream() as stream:  # a damaged one is a finding of its own
                found[piece.role] = disk.digest_of(stream)
    return found


def findings(subject: Subject) -> Iterator[Finding]:
    """The sounds that are to be made again, and still are what was heard."""
    redo = {one.key: one for one in subject.context.verdicts if one.verdict == REDO}
    if not redo:
        return
    for key, heard in of_subject(subject).sounds.items():
        verdict = redo.get(key)
        if verdict is None or (verdict.heard and verdict.heard != heard_as(digests(heard))):
            continue
        note = f": {verdict.note}" if verdict.note else ""
        file = next((piece.name for piece in heard.pieces if piece.name and not piece.of_game), None)
        place = subject.label(file) if file else heard.definition.place
        yield finding("verdict-redo", place, f"{key} is to be made again{note}")
