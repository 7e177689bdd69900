"""Findings that the workspace says are no slip, each with the reason."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence

from ichnos.pack.workspace.pack_file import Waiver
from ichnos.review.context import Context
from ichnos.review.findings import Finding


def sort_out(context: Context, found: Sequence[Finding]) -> tuple[list[Finding], list[tuple[Finding, str]]]:
    """The findings that stay, and those that are waived with the reason."""
    waivers = context.pack_file.waive if context.pack_file else ()
    left, waived = [], []
    for one in found:
        waiver = next((waiver for waiver in waivers if _covers(waiver, one)), None)
        if waiver is None:
            left.append(one)
        else:
            waived.append((one, waiver.reason))
    return left, waived


def _covers(waiver: Waiver, one: Finding) -> bool:
    if waiver.id != one.kind.id:
        return False
    return any(fnmatch.fnmatchcase(text, f"*{waiver.where}*") for text in (one.place.path, one.reason))
