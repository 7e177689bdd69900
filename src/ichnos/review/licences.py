"""Findings about the licences of a workspace's clips."""

from __future__ import annotations

from collections.abc import Iterator

from ichnos.pack.workspace import credit
from ichnos.review.context import Context
from ichnos.review.findings import Finding, finding
from ichnos.review.subject import Subject

_OF_DOUBT = {
    "missing": "licence-missing",
    "unknown": "licence-unknown",
    "no-derivatives": "licence-forbids",
    "no-commerce": "licence-forbids",
    "no-words": "licence-words",
}


def findings(context: Context) -> Iterator[Finding]:
    """What is missing in the licences of the workspace's clips, and what they forbid."""
    if context.pack_file is None or context.place is None:
        return
    for doubt in credit.doubts(context.pack_file):
        place = context.place("pack") if doubt.credit is None else context.place("credit", doubt.credit)
        yield finding(_OF_DOUBT[doubt.kind], place, doubt.reason)


def of_subject(subject: Subject) -> Iterator[Finding]:
    """The same, for the workspace that a pack is of."""
    return findings(subject.context)
