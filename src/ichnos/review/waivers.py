"""Findings that the workspace says are no slip, each with the reason."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence

from ichnos.pack.workspace.pack_file import Waiver
from ichnos.review.context import Context
from ichnos.review.findings import Finding


def sort_out(context: Context, findings: Sequence[Finding]) -> tuple[list[Finding], list[tuple[Finding, str]]]:
    """The findings that stay, and those that are waived with the reason."""
    waivers = context.pack_file.waive if context.pack_file else ()
    left, waived = [], []
    for finding in findings:
        waiver = next((waiver for waiver in waivers if _covers(waiver, finding)), None)
        if waiver is None:
            left.append(finding)
        else:
            waived.append((finding, waiver.reason))
    return left, waived


def _covers(waiver: Waiver, finding: Finding) -> bool:
    if waiver.id != finding.kind.id:
        return False
    return any(fnmatch.fnmatchcase(text, f"*{waiver.where}*") for text in (finding.place.path, finding.reason))
