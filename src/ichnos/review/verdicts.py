"""Findings of those who listened, and what stands for the sound that they heard."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from contextlib import suppress

from ichnos.errors import IchnosError
from ichnos.files import disk
from ichnos.pack.workspace.verdicts import LENGTH, REDO, Verdict
from ichnos.review.by_key import KeySounds, of_subject
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def heard_as(digests: Mapping[str, str]) -> str:
    """What stands for a sound: made of the SHA-256 of each of its takes and parts, by their roles."""
    whole = "".join(f"{role}\0{digest}\n" for role, digest in sorted(digests.items()))
    return hashlib.sha256(whole.encode()).hexdigest()[:LENGTH]


def digests(heard: KeySounds) -> dict[str, str]:
    """The SHA-256 of each of the pack's own takes and parts of a sound that can be read."""
    by_name = {}
    for piece in heard.pieces:
        if piece.name is not None and not piece.of_game:
            with suppress(IchnosError), piece.stream() as stream:  # a damaged one is a finding of its own
                by_name[piece.role] = disk.digest_of(stream)
    return by_name


def _is_over(verdict: Verdict, heard: KeySounds) -> bool:
    """Was it another sound that was judged?"""
    return bool(verdict.heard) and verdict.heard != heard_as(digests(heard))


def findings(subject: Subject) -> Iterator[Finding]:
    """The sounds that are to be made again, and still are what was heard."""
    redo = {one.key: one for one in subject.context.verdicts if one.verdict == REDO}
    for key, heard in of_subject(subject).sounds.items() if redo else ():
        verdict = redo.get(key)
        if verdict is None or _is_over(verdict, heard):
            continue
        note = f": {' '.join(verdict.note.split())}" if verdict.note else ""
        file = next((piece.name for piece in heard.pieces if piece.name and not piece.of_game), None)
        place = subject.label(file) if file else heard.definition.place
        yield finding("verdict-redo", place, f"{key} is to be made again{note}")


def over(subject: Subject) -> list[str]:
    """The keys whose verdict is of another sound than the pack now has."""
    verdicts = {verdict.key: verdict for verdict in subject.context.verdicts}
    sounds = of_subject(subject).sounds if verdicts else {}
    return [key for key, heard in sounds.items() if key in verdicts and _is_over(verdicts[key], heard)]
