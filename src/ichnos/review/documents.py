"""Findings about a pack's documents: missing, broken, or not like this game's."""

from __future__ import annotations

from collections.abc import Iterator

from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject


def findings(subject: Subject) -> Iterator[Finding]:
    """What could not be read, or was not understood."""
    pack, files = subject.pack, subject.files
    for name in pack.absent:
        yield finding("document-missing", files.place, f"there is no {name}")
    for error in pack.broken:
        damaged = error.place is None or error.place.line is None
        kind = "archive-damaged" if damaged else "document-broken"
        yield finding(kind, error.place or files.place, error.what, error.cure)
    for place, what in pack.strange:
        yield finding("entry-strange", place, what)
    for place, what in pack.differing:
        yield finding("name-differs", place, what)
