"""What the parts of sounds are called."""

from __future__ import annotations

import re
from pathlib import PurePosixPath

from ichnos.games.learning.keys import Anchor

PART_WORDS = ("intro", "body", "layer", "outro", "verse", "bridge", "start", "middle", "end", "tail", "head", "loop")


def part_order(name: str) -> tuple[int, str]:
    return (PART_WORDS.index(name) if name in PART_WORDS else len(PART_WORDS)), name


def part_name(there: list[Anchor]) -> str:
    """The part that files are for: a word that all their names have in common, behind the key."""
    common: set[str] | None = None
    for anchor in there:
        rest = PurePosixPath(anchor.file).stem.lower()
        tokens = set(re.findall(r"[a-z]+", rest.replace(anchor.key.lower(), " ")))
        common = tokens if common is None else common & tokens
    return min((name for name in common or () if name in PART_WORDS), key=part_order, default="")
