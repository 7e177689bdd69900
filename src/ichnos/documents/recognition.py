"""Which format a text is in, as its own content shows; a file's extension is a hint."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from ichnos.documents import formats
from ichnos.documents.text import Text
from ichnos.documents.tree import Format, many_nodes
from ichnos.errors import IchnosError

_MOST = 0.7  # of a text's lines: what so many of them are like, the text is like
_WEAK = ("lines", "ini", "list")  # extensions for these are given to anything
_EVIDENT = ("xml", "json", "bracketed")  # what begins so, and can be read so, is so
_COMMENTS = ("#", ";", "//", "--", "<!--")
_HOLE = re.compile(r"@[A-Za-z][^@\n]*@")
_HEADING = re.compile(r"\[[^\[\]]+\].*")
_CLOSING = re.compile(r"\[/[^\[\]]+\]")
_MEMBER = re.compile(r"""(?:- +)?(?:[\w.-]+|"[^"]*"|'[^']*')\s*:(?:\s.*|$)""")
_NAME = re.compile(r"[\w./:\\-]+")
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


class _Looks:
    """What a text without its comments looks like."""

    def __init__(self, text: str) -> None:
        lines = [line.rstrip() for line in text.splitlines() if line.strip()]
        self.lines = [line for line in lines if not line.lstrip().startswith(_COMMENTS)]
        self.bare = [line.strip() for line in self.lines]
        self.start = self.bare[0] if self.bare else ""
        self.has_braces = any("{" in line for line in self.bare)
        self.headings = self.count(_HEADING.fullmatch)
        self.statements = self.count(lambda line: "=" in line or ": " in line)

    def count(self, is_so: Callable[[str], object]) -> int:
        """How many lines are so."""
        return sum(bool(is_so(line)) for line in self.bare)

    def mostly(self, count: int) -> bool:
        """Are so many lines nearly all?"""
        return count >= _MOST * len(self.bare)

    @property
    def is_tag(self) -> bool:
        return re.match(r"<[?!\w]", self.start) is not None

    @property
    def is_bracket(self) -> bool:
        return self.start.startswith(("{", "[")) and not self.headings

    @property
    def is_table(self) -> bool:
        """Does it begin as a table in Lua does, with commas between its fields?"""
        has_commas = self.start.startswith(("return", "local ")) or self.count(lambda line: line.endswith(","))
        return self.has_braces and bool(has_commas) and _TABLE.match(self.start) is not None

    @property
    def is_deep(self) -> bool:
        """Do some lines lie in others, as in YAML?"""
        return any(line != bare or bare.startswith("- ") for line, bare in zip(self.lines, self.bare, strict=True))

    @property
    def members(self) -> int:
        return self.count(lambda line: _MEMBER.fullmatch(line) or line.startswith("- "))

    def has_columns(self, separator: str) -> bool:
        """Do several lines have as many of a character each?"""
        counts = {line.count(separator) for line in self.bare}
        return len(self.bare) > 1 and len(counts) == 1 and counts != {0}


# In the order in which they are tried.
_LOOKS: tuple[tuple[str, Callable[[_Looks], bool]], ...] = (
    ("lua", lambda text: text.is_table),
    ("braces", lambda text: text.has_braces and not text.headings),
    ("lua", lambda text: text.has_braces and _TABLE.match(text.start) is not None),
    ("bracketed", lambda text: bool(text.headings and text.count(_CLOSING.fullmatch))),
    ("toml", lambda text: bool(text.count(lambda line: line.startswith("[[")))),
    ("ini", lambda text: bool(text.headings) and text.mostly(text.statements + text.headings) and not text.has_braces),
    ("yaml", lambda text: text.is_deep and text.mostly(text.members) and not text.has_braces),
    ("lines", lambda text: text.mostly(text.statements) and not text.has_braces),
    ("indented", lambda text: _is_indented(text.lines)),
    ("tsv", lambda text: text.has_columns("\t")),
    ("csv", lambda text: text.has_columns(",")),
    ("list", lambda text: not text.statements and text.count(_NAME.fullmatch) == len(text.bare)),
)


def _likely(text: str) -> Iterator[str]:
    """The names of the formats that a text looks like, the likeliest first."""
    looks = _Looks(text)
    if not looks.bare:
        return
    if looks.is_tag:
        yield "xml"
    elif looks.is_bracket:
        yield "toml" if looks.start.startswith("[[") else "json"
    else:
        yield from (name for name, is_so in _LOOKS if is_so(looks))


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
