"""Which format a text is in, as its own content shows; a file's extension is a hint."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ichnos.documents import formats
from ichnos.documents.text import Text
from ichnos.documents.tree import Format, many_nodes
from ichnos.errors import IchnosError

_MOST = 0.7  # of a text's lines: what so many of them are like, the text is like
_WEAK = ("lines", "ini", "list")  # extensions for these are given to anything
_EVIDENT = ("xml", "json")  # what begins so, and can be read so, is so
_COMMENTS = ("#", ";", "//", "--", "<!--")
_HOLE = re.compile(r"@[A-Za-z][^@\n]*@")
_HEADING = re.compile(r"\[[^\[\]]+\].*")
_CLOSING = re.compile(r"\[/[^\[\]]+\]")
_MEMBER = re.compile(r"""(?:- +)?(?:[\w.-]+|"[^"]*"|'[^']*')\s*:(?:\s.*|$)""")
_TABLE = re.compile(r"(?:return\b|(?:local )?[\w.]+ *=|[\w.:]+) *[({]")
_WORDS = re.compile(r"""(?:[\w./\\+-]+|"[^"]*"|'[^']*'|`[^`]*`)(?:[ \t]+(?:[\w./\\+-]+|"[^"]*"|'[^']*'|`[^`]*`))*""")


def recognise(name: str, text: str) -> str | None:
    """The name of the format that a text is in; ``None`` where it is like none of those that have a grammar.

    Args:
        name: the file's; an extension counts for more than a likeness, and for less than what is evident.
        text: what stands in it, with or without holes.
    """
    possible = list(candidates(name, text))
    for candidate in possible:
        if _can_be(formats.named(candidate), text):
            return candidate
    return possible[0] if possible else None  # what is wrong in it is said where it is read


def candidates(name: str, text: str) -> Iterator[str]:
    """The names of the formats that a text may be in, the likeliest first."""
    by_extension = formats.format_of(name)
    hint = by_extension.name.lower() if by_extension is not None else None
    likely = list(dict.fromkeys(_likely(_HOLE.sub("x", text))))
    evident = [one for one in likely if one in _EVIDENT]
    if hint is None or likely == ["json"]:
        yield from likely
    elif hint in _WEAK:
        is_so = hint in likely or (hint == "ini" and "lines" in likely)
        yield from dict.fromkeys((*evident, *([hint] if is_so else []), *likely, *([hint] if hint != "lines" else [])))
    else:
        yield from dict.fromkeys((hint, *evident))


def _can_be(form: Format, text: str) -> bool:
    try:
        with many_nodes():
            root = form.parse_with_holes(Text("", text))
    except IchnosError:
        return False
    return bool(root.children)


def _likely(text: str) -> Iterator[str]:
    """What a text looks like."""
    whole = [line.rstrip() for line in text.splitlines() if line.strip()]
    whole = [line for line in whole if not line.lstrip().startswith(_COMMENTS)]
    lines = [line.strip() for line in whole]
    if not lines:
        return
    start, most = lines[0], _MOST * len(lines)
    headings = sum(bool(_HEADING.fullmatch(line)) for line in lines)
    statements = sum("=" in line or ": " in line for line in lines)
    members = sum(bool(_MEMBER.fullmatch(line)) or line.startswith("- ") for line in lines)
    is_deep = any(line.startswith("- ") for line in lines) or any(line != line.lstrip() for line in whole)
    if re.match(r"<[?!\w]", start):
        yield "xml"
        return
    if start.startswith(("{", "[")) and not headings:
        yield from ("toml",) if start.startswith("[[") else ("json",)
        return
    if "{" in text:
        has_commas = any(line.endswith(",") for line in lines) or start.startswith(("return", "local "))
        tables = ("lua", "braces") if has_commas else ("braces", "lua")
        yield from tables if _TABLE.match(start) else ("braces",)
    if headings and any(_CLOSING.fullmatch(line) for line in lines):
        yield "bracketed"
    if any(line.startswith("[[") for line in lines):
        yield "toml"
    if headings and statements + headings >= most and "{" not in text:
        yield "ini"
    if members >= most and is_deep and "{" not in text:
        yield "yaml"
    if statements >= most and "{" not in text:
        yield "lines"
    if _is_indented(whole):
        yield "indented"
    for sign, kind in (("\t", "tsv"), (",", "csv")):
        counts = {line.count(sign) for line in lines}
        if len(lines) > 1 and len(counts) == 1 and counts != {0}:
            yield kind
    if not statements and all(re.fullmatch(r"[\w./:\\-]+", line) for line in lines):
        yield "list"


def _is_indented(lines: list[str]) -> bool:
    """Are these words in lines, of which some are indented below others, and no line only closes?"""
    depths = [len(line) - len(line.lstrip()) for line in lines]
    if max(depths) == 0 or depths[0] or not all(_WORDS.fullmatch(line.strip()) for line in lines):
        return False
    followed = [*depths[1:], 0]
    return not any(
        depth < before and after <= depth and " " not in line.strip()
        for line, depth, before, after in zip(lines[1:], depths[1:], depths, followed[1:], strict=False)
    )
