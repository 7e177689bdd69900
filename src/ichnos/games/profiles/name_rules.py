"""How a game spells the names of files: which characters, how they are made of others, how long."""

from __future__ import annotations

import fnmatch
import hashlib
import re
from functools import cache
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from ichnos.documents.checked import TomlTable

_MARK = 4  # letters


def _sign(text: str) -> str:
    if text not in ("", ".", "_", "-") and not re.fullmatch(r"\w+", text):
        raise ValueError("letters, digits, a dot, a hyphen or an underscore are expected")
    return text


def _signs(allowed: str) -> str:
    for first, last in re.findall(r"(.)-(.)", allowed):
        if first > last:
            raise ValueError(f"{first}-{last} is no range of characters")
    return allowed


@cache
def _not_allowed(allowed: str) -> re.Pattern[str]:
    inner = re.sub(r"(.)-(.)|(.)", lambda one: "-".join(map(re.escape, one[0] if one[3] else one.group(1, 2))), allowed)
    return re.compile(f"[^/{inner}]")


FilesNamed = Literal["sounds", "documents", "pictures"]


class NameRules(TomlTable):
    separator: str = Field(default=".", min_length=1, description="what stands between the pieces of a key")
    ascii: bool = Field(default=False, description="file names are spelled in ASCII; é becomes e")
    case: Literal["kept", "lower", "upper"] = Field(default="kept", description="of file names")
    spaces: Annotated[str, AfterValidator(_sign)] | None = Field(
        default=None, description="what stands for a space in file names; without it they stay"
    )
    allowed: Annotated[str, AfterValidator(_signs)] | None = Field(
        default=None, description="the characters allowed in file names, as in a-z0-9_"
    )
    longest: int | None = Field(default=None, ge=8, description="the longest file name, without its extension")
    taken: tuple[str, ...] = Field(
        default=(),
        examples=[["base", "core-*"]],
        description="names that no pack may have, as its name or its id, in whatever capitals; * stands for anything",
    )
    id_allowed: Annotated[str, AfterValidator(_signs)] | None = Field(
        default=None, description="the characters allowed in a pack's id, as in A-Za-z0-9_"
    )
    holds_for: tuple[FilesNamed, ...] = Field(
        default=("sounds",),
        description="which of the pack's files these rules are for: sounds, documents (one for each sound), pictures",
    )

    def spelled(self, text: str) -> str:
        """A name as this game's files allow it, but for its length.

        >>> NameRules(ascii=True, case="lower", spaces="-", allowed="a-z0-9-").spelled("Fjärd um 4!")
        'fjard-um-4_'
        """
        if self.ascii:
            from anyascii import anyascii

            text = anyascii(text)
        if self.spaces is not None:
            stand_in = self.spaces
            text = re.sub(r"\s+", lambda _: stand_in, text)
        text = {"lower": text.lower(), "upper": text.upper()}.get(self.case, text)
        if self.allowed is not None:
            text = _not_allowed(self.allowed).sub("_", text)
        return text

    def is_taken(self, name: str) -> bool:
        """Is it one that no pack may have?"""
        return any(fnmatch.fnmatchcase(name.casefold(), pattern.casefold()) for pattern in self.taken)

    def not_in_id(self, name: str) -> str | None:
        """The first sign of an id that is not allowed there."""
        found = _not_allowed(self.id_allowed).search(name) if self.id_allowed is not None else None
        return found[0] if found else None

    def cut(self, text: str, room: int) -> str | None:
        """The same, cut to so many letters, with a mark of the whole name so that no two become one.

        ``None`` where that is not room enough.

        >>> NameRules(longest=12).cut("foghorn.very.distant", 12)
        'foghorn_b492'
        """
        folder, slash, name = self.spelled(text).rpartition("/")
        mark = "_" + self.spelled(hashlib.sha256(text.encode()).hexdigest()[:_MARK])
        kept = room - len(folder + slash + mark)
        return f"{folder}{slash}{name[:kept]}{mark}" if kept > 0 else None

    def is_of(self, name: str, text: str) -> bool:
        """Is this how the name is spelled, whole or cut?"""
        return name == self.spelled(text) or (self.longest is not None and name == self.cut(text, len(name)))
