"""Credits: where clips are from, and whether their licences allow what the pack does."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING

from ichnos.pack.workspace.folder import SILENT_CLIP
from ichnos.pack.workspace.pack_file import Credit, PackFile

if TYPE_CHECKING:
    from license_expression import Licensing


@dataclass(frozen=True)
class Doubt:
    """Something about a licence. ``kind``: missing, unknown, no-derivatives, no-commerce or no-words."""

    kind: str
    clip: str
    reason: str
    credit: int | None = None  # the number of the [[credit]] that it is about


def of_clip(pack_file: PackFile, clip: str) -> tuple[int, Credit] | None:
    """The first credit that names a clip."""
    return next(
        (
            (number, credit)
            for number, credit in enumerate(pack_file.credit)
            if any(fnmatch.fnmatchcase(clip, pattern) for pattern in credit.clips)
        ),
        None,
    )


def used_clips(pack_file: PackFile) -> list[str]:
    """Every clip of the pack, once."""
    clips = (clip for sound in pack_file.sound for clip, _ in sound.clips() if clip != SILENT_CLIP)
    return list(dict.fromkeys(clips))


def text(pack_file: PackFile) -> str:
    """The credits file: each credit that a clip of the pack needs; empty without one."""
    lines: list[str] = []
    for credit, named in _used(pack_file):
        lines.append(credit.wording or " ".join(_sentence(credit)))
        lines += [f"  {name}: {value}" for name, value in (("link", credit.link), ("licence", credit.licence)) if value]
        lines += [f"  {clip.rpartition('/')[2]}" for clip in named]
        lines.append("")
    if not lines:
        return ""
    return "\n".join([f"{pack_file.pack.title}: credits", "", *lines]).rstrip() + "\n"


def in_brief(pack_file: PackFile) -> list[str]:
    """The same with a line for each credit, and its clips counted."""
    return [
        ", ".join(
            filter(
                None,
                (
                    credit.wording or " ".join(_sentence(credit)).rstrip("."),
                    credit.licence,
                    credit.link,
                    f"{len(named)} clip{'' if len(named) == 1 else 's'}",
                ),
            )
        )
        for credit, named in _used(pack_file)
    ]


def _used(pack_file: PackFile) -> list[tuple[Credit, list[str]]]:
    """Each credit that a clip of the pack needs, with those clips."""
    used: dict[int, list[str]] = {}
    for clip in used_clips(pack_file):
        if found := of_clip(pack_file, clip):
            used.setdefault(found[0], []).append(clip)
    return [(pack_file.credit[number], named) for number, named in sorted(used.items())]


def _sentence(credit: Credit) -> Iterator[str]:
    yield f"By {credit.author}." if credit.author else "By an author who is not named."
    if credit.source:
        yield f"From {credit.source}."


def doubts(pack_file: PackFile) -> Iterator[Doubt]:
    """What is to be said of the licences: of the clips that have none, and of those that forbid what is done.

    Every clip is changed (converted, often treated), so a licence against derivatives forbids it.
    """
    told: set[tuple[int, str]] = set()
    for clip in used_clips(pack_file):
        credits_of = of_clip(pack_file, clip)
        if credits_of is None or not credits_of[1].licence:
            yield Doubt(
                "missing", clip, f"nothing says under which licence {clip} may be used", credits_of and credits_of[0]
            )
            continue
        number, credit = credits_of
        for kind, reason in _of_licence(credit, commercial=pack_file.pack.commercial):
            if (number, kind) not in told:
                told.add((number, kind))
                yield Doubt(kind, clip, f"{reason} ({clip})", number)


@cache
def _spdx() -> Licensing:
    """SPDX's list of licences: reading it takes 0.1 s."""
    from license_expression import get_spdx_licensing

    return get_spdx_licensing()


@cache
def _choices_of(licence: str) -> tuple[list[set[str]], list[str]]:
    """The sets of licences of which an expression asks one, and what in it SPDX does not know."""
    from license_expression import ExpressionError

    try:
        parsed = _spdx().parse(licence, validate=False)
        licences = _spdx().validate(licence)
    except ExpressionError:
        return [], [licence]
    return _choices(parsed), [symbol for symbol in licences.invalid_symbols if not symbol.startswith("LicenseRef-")]


def _of_licence(credit: Credit, *, commercial: bool) -> Iterator[tuple[str, str]]:
    licence = credit.licence or ""
    choices, unknown = _choices_of(licence)
    if unknown:
        yield "unknown", f"{', '.join(unknown)} is no licence that SPDX knows"
        return
    if all(any("-ND" in name for name in choice) for choice in choices):
        yield "no-derivatives", f"{licence} forbids changed versions, and converting is a change"
    if commercial and all(any("-NC" in name for name in choice) for choice in choices):
        yield "no-commerce", f"{licence} forbids commercial use, and the pack is marked commercial"
    if all(any(name.startswith("CC-BY") for name in choice) for choice in choices) and not (
        credit.author or credit.wording
    ):
        yield "no-words", f"{licence} asks for the author's name, and none is given"


def _choices(parsed: object) -> list[set[str]]:
    """The sets of licences of which one must be kept: OR offers several, AND demands all."""
    name = type(parsed).__name__
    args = getattr(parsed, "args", ())
    if name == "OR":
        return [choice for arg in args for choice in _choices(arg)]
    if name == "AND":
        together: list[set[str]] = [set()]
        for arg in args:
            together = [one | other for one in together for other in _choices(arg)]
        return together
    return [{str(parsed)}]
