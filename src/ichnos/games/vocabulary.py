"""Every hole that a profile may use: what it stands for, and what is repeated for it.

Scopes nest: a pack has languages, categories and sounds; a sound has takes. A hole belongs to one
scope, and the unit that repeats for that scope is found from where its holes stand
(:mod:`ichnos.games.exemplar`).
"""

from __future__ import annotations

from dataclasses import dataclass

PACK, LANGUAGE, CATEGORY, SOUND, TAKE = "pack", "language", "category", "sound", "take"

# Which scopes lie inside which.
INSIDE: dict[str, tuple[str, ...]] = {
    PACK: (LANGUAGE, CATEGORY, SOUND),
    LANGUAGE: (CATEGORY, SOUND),
    CATEGORY: (SOUND,),
    SOUND: (TAKE, LANGUAGE),
    TAKE: (),
}


@dataclass(frozen=True)
class Word:
    """One entry of the vocabulary. ``kind`` is text, number, whole, yes-no, path, version or id."""

    name: str
    scope: str
    kind: str
    meaning: str


WORDS: dict[str, Word] = {
    word.name: word
    for word in (
        Word("pack.title", PACK, "text", "the pack's title, as players see it"),
        Word("pack.name", PACK, "text", "the pack's short name, used in file names"),
        Word("pack.summary", PACK, "text", "what the pack is, in a sentence"),
        Word("pack.author", PACK, "text", "who made the pack"),
        Word("pack.version", PACK, "version", "the pack's version"),
        Word("pack.licence", PACK, "text", "the pack's licence, an SPDX expression"),
        Word("game.version", PACK, "version", "the version of the game that the pack is for"),
        Word("language", LANGUAGE, "text", "a language of the pack's titles, a BCP 47 tag"),
        Word("category", CATEGORY, "text", "the sound's category"),
        Word("key", SOUND, "text", "the sound key"),
        Word("title", SOUND, "text", "the sound's title in the language at hand"),
        Word("volume", SOUND, "number", "how loud the game plays it; 1 is as it is"),
        Word("file", TAKE, "path", "the take's audio file, from the pack's root, with slashes"),
        Word("weight", TAKE, "number", "how often this take is picked against the others"),
        Word("take.number", TAKE, "whole", "1 for the key's first take, 2 for its second"),
    )
}

# An entry is recognised by its scope's principal hole; without it there is nothing to repeat.
PRINCIPAL = {LANGUAGE: "language", CATEGORY: "category", SOUND: "key", TAKE: "file"}

ID_PREFIX = "uuid."  # uuid.NAME: an id (RFC 9562) minted once for each pack, under that name


def word(name: str) -> Word | None:
    """The vocabulary's entry for a hole's name, or ``None`` where there is none."""
    if name.startswith(ID_PREFIX):
        return Word(name, PACK, "id", "an id minted once for the pack")
    return WORDS.get(name)
