"""The one encoder of what ``--json`` prints: the same names for the same things, in every command."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

from ichnos.errors import IchnosError, Place
from ichnos.review.findings import FindingKind

_DIGITS = 9  # of a number that has more because it was calculated


def encoded(value: Any) -> Any:
    """A value as JSON has it.

    The fields of a dataclass have hyphens in their names. A place and a kind of finding are no object of
    their own: their fields stand in the object that has them, and so do those of an error. What JSON
    cannot say (no number, an endless one) is null.
    """
    if value is None or isinstance(value, str | bool | int):
        return value
    if isinstance(value, float):
        return float(f"{value:.{_DIGITS}g}") if math.isfinite(value) else None
    if isinstance(value, Mapping):
        return {str(name): encoded(inner) for name, inner in value.items()}
    if isinstance(value, list | tuple | set | frozenset):
        return [encoded(inner) for inner in value]
    if isinstance(value, Path):
        return str(value)
    if isinstance(value, Place):
        return {"file": value.path or None, "line": value.line, "column": value.column, "seconds": value.seconds}
    if isinstance(value, IchnosError):
        return remark(value.place, value.what) | {"cure": value.cure or None}
    if is_dataclass(value):
        return _members(value)
    return encoded(value.model_dump(mode="json", by_alias=True))


def _members(value: Any) -> dict[str, Any]:
    members: dict[str, Any] = {}
    effect: dict[str, str] = {}
    for field in fields(value):
        inner = getattr(value, field.name)
        if isinstance(inner, FindingKind):
            members |= {"id": inner.id, "severity": inner.severity}
            effect = {"effect": inner.effect}  # said last: first what it is, and where
        elif isinstance(inner, Place):
            members |= encoded(inner)
        else:
            members[field.name.replace("_", "-")] = encoded(inner)
    return {**members, **effect}


def remark(place: Place | None, reason: str) -> dict[str, Any]:
    """What there is to say of a place, with the names that findings have."""
    return {**encoded(place or Place("")), "reason": reason}
