"""Findings as SARIF 2.1.0 (OASIS), as code hosts read them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any
from urllib.parse import quote

from ichnos import __version__
from ichnos.review.findings import KINDS, Finding

_BASE = "HERE"  # names the folder that files are named from
_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif(
    findings: Sequence[Finding],
    waived: Sequence[tuple[Finding, str]] = (),
    *,
    base: Path,
    folders: Mapping[str, Path] = MappingProxyType({}),
) -> dict[str, Any]:
    """A log of one run. Waived findings are in it too, as suppressed, with the reason.

    Args:
        base: files below it are named from there, which is how a code host finds them; others by where they are.
        folders: where files lie that are named otherwise than from ``base``.
    """
    kinds = list(KINDS)
    rules = [
        {
            "id": kind.id,
            "shortDescription": {"text": kind.effect},
            "help": {"text": kind.cure},
            "defaultConfiguration": {"level": kind.severity},
        }
        for kind in KINDS.values()
    ]

    def result(finding: Finding) -> dict[str, Any]:
        path = folders.get(finding.place.path, base) / finding.place.path
        return _result(finding, kinds, _location(path, base))

    results = [result(one) for one in findings]
    for finding, reason in waived:
        results.append({**result(finding), "suppressions": [{"kind": "external", "justification": reason}]})
    run = {
        "tool": {"driver": {"name": "Ichnos", "version": __version__, "rules": rules}},
        "originalUriBaseIds": {_BASE: {"uri": f"{base.as_uri()}/"}},
        "columnKind": "unicodeCodePoints",
        "results": results,
    }
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}


def _result(finding: Finding, kinds: list[str], location: dict[str, str]) -> dict[str, Any]:
    place = finding.place
    at: dict[str, Any] = {"artifactLocation": location}
    if place.line is not None:
        at["region"] = {"startLine": place.line, **({"startColumn": place.column} if place.column else {})}
    reason = finding.reason if place.seconds is None else f"{finding.reason} (at {place.seconds:.2f} s)"
    return {
        "ruleId": finding.kind.id,
        "ruleIndex": kinds.index(finding.kind.id),
        "level": finding.kind.severity,
        "message": {"text": f"{reason}. In the game: {finding.kind.effect}. To do: {finding.cure}."},
        "locations": [{"physicalLocation": at}],
    }


def _location(path: Path, base: Path) -> dict[str, str]:
    """A file as an RFC 3986 reference: from the base where it lies below it (SARIF 2.1.0, 3.4.4)."""
    if not path.is_relative_to(base):
        return {"uri": path.as_uri()}
    return {"uri": quote(path.relative_to(base).as_posix(), safe="/@!$&'()*+,;=~-._"), "uriBaseId": _BASE}
