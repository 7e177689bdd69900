"""Marked regions: in a file that is somebody's own, Ichnos writes what stands between two lines, and nothing else."""

from __future__ import annotations

import re

_OPENING = " ichnos: from here"
_CHARACTER = re.compile(r"[^\r\n]")


def opening(comment: str) -> str:
    """The line that a marked region begins with."""
    return f"{comment}{_OPENING}"


def sign_of(line: str) -> str | None:
    """What begins a comment, where a line is one that a marked region begins with."""
    return line.removesuffix(_OPENING) if line.endswith(_OPENING) else None


def _closing(comment: str) -> str:
    return f"{comment} ichnos: to here"


def _cut(text: str, comment: str) -> tuple[str, str, str] | None:
    """What stands before a marked region's first line, between its two lines, and behind the last; or ``None``."""
    before, begin, rest = text.partition(opening(comment))
    inside, end, behind = rest.partition(_closing(comment))
    return (before, inside, behind) if begin and end else None


def region_of(text: str, comment: str) -> tuple[str, str]:
    """A text without its marked region, and what stands in that; all of it and nothing where there is none."""
    cut = _cut(text, comment)
    if cut is None:
        return text, ""
    before, inside, behind = cut
    return (before + behind if (before + behind).strip() else ""), inside


def without_region(text: str, comment: str) -> str:
    """A text without its marked region, and the line that it stands in."""
    cut = _cut(text, comment)
    if cut is None:
        return text
    before, _, behind = cut
    return before + behind[2 if behind.startswith("\r\n") else behind.startswith("\n") :]


def with_region(text: str, body: str, comment: str) -> str:
    """A text with ``body`` in its marked region; the region is added at the end where there is none.

    The rest of the text is untouched, and doing it twice is doing it once.
    """
    newline = "\r\n" if "\r\n" in text else "\n"
    region = newline.join([opening(comment), *body.rstrip("\n").splitlines(), _closing(comment)])
    if (cut := _cut(text, comment)) is not None:
        return cut[0] + region + cut[2]
    before = text if not text or text.endswith("\n") else text + newline
    return f"{before}{region}{newline}"


def mask(text: str, comment: str) -> str:
    """A text with blanks in the place of all that is not in its marked region; as it is where there is none.

    >>> mask("own()\\n-- ichnos: from here\\nring()\\n-- ichnos: to here\\n", "--").split()
    ['ring()']
    """
    cut = _cut(text, comment)
    if cut is None:
        return text
    before, inside, behind = cut
    return _CHARACTER.sub(" ", before + opening(comment)) + inside + _CHARACTER.sub(" ", _closing(comment) + behind)
