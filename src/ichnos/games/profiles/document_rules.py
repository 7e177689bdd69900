"""``[[document]]`` and ``[[script]]``: how the documents and scripts of a profile are understood and written."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from ichnos.documents.checked import TomlTable
from ichnos.games.profiles.types import InsidePath, Line, encoding_name, format_name

_REGION = "what begins a comment: only a marked region of a file that the modder owns is written"


class DocumentRules(TomlTable):
    """How one document of tree/ is to be understood and written."""

    path: str = Field(description="the file's path in tree/, holes and all")
    mode: Literal["whole", "fragment", "merge", "known"] = Field(
        default="whole",
        description="whole: always written; fragment: only with entries; merge: into a copy of the game's own file;"
        " known: the game's own file is read for its keys and files, and never written",
    )
    entry_for: Literal["sound", "take"] = Field(
        default="sound", description="take: where a sound has several takes, each has an entry (a row) of its own"
    )
    kinds: tuple[str, ...] = Field(default=(), description="only sounds of these kinds stand in it; of all without it")
    order: Literal["said", "key", "file"] = Field(
        default="said", description="of its sounds: as the workspace says them; by their keys; by their files"
    )
    entries: dict[str, str | int] = Field(
        default={}, description="where each kind has an entry of its own: the kind = the entry's label or its line"
    )
    format: Annotated[str, AfterValidator(format_name)] | None = Field(
        default=None, description="where the file's extension does not say it"
    )
    encoding: Annotated[str, AfterValidator(encoding_name)] | None = Field(
        default=None, description="where it is not UTF-8 and has no byte-order mark"
    )
    escapes: Literal["backslash", "none"] | None = Field(
        default=None, description="whether the game reads \\n and \\\\ in values (lines, ini, braces)"
    )
    comments: tuple[Line, ...] | None = Field(
        default=None,
        examples=[["#", "/* */"]],
        description="line-patterns: the signs that begin a comment, with a blank and what ends it; # // ; -- and /* */"
        " without it",
    )
    disabled: str | None = Field(
        default=None,
        min_length=1,
        examples=[";"],
        description="lines, ini, line-patterns: what stands before an entry that is a comment: its key is one of the"
        " game's, and the entry goes into its place",
    )
    region: str | None = Field(default=None, min_length=1, examples=["--"], description=_REGION)
    match: tuple[str, ...] = Field(
        default=(),
        examples=[["type"]],
        description="names whose values tell entries apart: one that has another value is something else",
    )
    repeat: dict[str, str | int] = Field(
        default={}, description="what repeats for a scope, by its label or its line, where it cannot be found"
    )


class ScriptRules(TomlTable):
    path: InsidePath = Field(description="the script's path in the pack; its template is scripts/PATH.j2")
    region: str | None = Field(default=None, description=_REGION)
