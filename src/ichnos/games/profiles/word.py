"""A row of the vocabulary: a field of what packs have."""

from __future__ import annotations

import keyword
from dataclasses import dataclass
from typing import Literal

Kind = Literal["text", "number", "whole", "yes-no", "list", "path", "version", "id"]


@dataclass(frozen=True)
class Word:
    """A field of a scope.

    ``meaning``: what it is, for references, help and messages. ``is_name``: what a thing is called by: with that alone
    it says nothing. ``is_key``: it names a sound key. ``is_spoken``: players read it, in a language each.
    ``is_number``: a number that nothing else has, and that is counted up.
    ``in_languages``: it may be said in several, and is in the pack's own where nothing tells which.
    ``is_made``: nobody says it; it is worked out; ``is_built``: of the finished sound files. ``least``, ``above``,
    ``most``: the numbers that it may be. ``choices``: the texts; the first stands for what nobody says.
    ``default``: what its holes write where nobody says it. ``needed``: somebody has to say it. ``said``: what it is
    where a modder says it, if that is something else than in the game's files.
    """

    name: str
    scope: str
    kind: Kind
    meaning: str
    is_name: bool = False
    is_key: bool = False
    is_number: bool = False
    is_spoken: bool = False
    in_languages: bool = False
    is_made: bool = False
    is_built: bool = False
    least: float | None = None
    above: float | None = None
    most: float | None = None
    choices: tuple[str, ...] = ()
    needed: bool = False
    default: str | bool | int | float | None = None
    said: str = ""

    @property
    def about(self) -> str:
        """What it is where a modder says it."""
        return self.said or self.meaning

    @property
    def field(self) -> str:
        """What it is called in the workspace's file: ``piece-volume`` of ``schedule.piece-volume``."""
        return self.name.rpartition(".")[2]

    @property
    def attribute(self) -> str:
        """What it is called in code, which has a word of its own for ``from``."""
        name = attribute(self.name)
        return f"{name}_" if keyword.iskeyword(name) else name


def attribute(name: str) -> str:
    """What a field's value is called where names have no hyphen: ``piece_volume`` of ``schedule.piece-volume``."""
    return name.rpartition(".")[2].replace("-", "_")
