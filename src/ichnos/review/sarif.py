"""Findings as SARIF 2.1.0 (OASIS), as code hosts read them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ichnos import __version__
from ichnos.review.findings import KINDS, Finding

_SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif(findings: Sequence[Finding], waived: Sequence[tuple[Finding, str]] = ()) -> dict[str, Any]:
    """A log of one run. Waived findings are in it too, as suppressed, with the reason."""
    kinds = list(KINDS)
    rules = [
        {
            "id": kind.id,
            "shortDescription": {"text": kind.effect},
            "help": {"text": kind.cure},
            "defaultConfiguration": {"level": "error" if kind.grave else "warning"},
        }
        for kind in KINDS.values()
    ]
    results = [_result(one, kinds) for one in findings]
    for one, reason in waived:
        results.append({**_result(one, kinds), "suppressions": [{"kind": "external", "justification": reason}]})
    driver = {"name": "Ichnos", "version": __version__, "rules": rules}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}


def _result(one: Finding, kinds: list[str]) -> dict[str, Any]:
    place = one.place
    at: dict[str, Any] = {"artifactLocation": {"uri": _uri(place.path)}}
    if place.line is not None:
        at["region"] = {"startLine": place.line, **({"startColumn": place.column} if place.column else {})}
    reason = one.reason if place.seconds is None else f"{one.reason} (at {place.seconds:.2f} s)"
    return {
        "ruleId": one.kind.id,
        "ruleIndex": kinds.index(one.kind.id),
        "level": "error" if one.kind.grave else "warning",
        "message": {"text": f"{reason}. In the game: {one.kind.effect}. To do: {one.cure}."},
        "locations": [{"physicalLocation": at}],
    }


def _uri(path: str) -> str:
    """A path as an RFC 3986 reference: relative where it is."""
    from urllib.parse import quote

    quoted = quote(path.replace("\\", "/"), safe="/:@!$&'()*+,;=~-._")
    return f"file://{quoted}" if quoted.startswith("/") else quoted
