"""Every hole that a profile may use: what it stands for, and what is repeated for it.

Scopes nest: a pack has languages, categories, groups of keys and sounds; a sound has takes and parts;
beside the sounds stand triggers, props (they have languages, too) and schedules with their entries. A hole
belongs to one scope, and the unit that repeats for that scope is found from where its holes stand
(:mod:`ichnos.games.exemplar`).
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass

PACK, LANGUAGE, CATEGORY, GROUP, SOUND = "pack", "language", "category", "group", "sound"
AROUND = (PACK, LANGUAGE, CATEGORY, GROUP)  # what entries are sorted by; all else is an entry, or inside one
TAKE, PART, TRIGGER, PROP, SCHEDULE, ENTRY = "take", "part", "trigger", "prop", "schedule", "entry"

# Which scopes lie inside which.
INSIDE: dict[str, tuple[str, ...]] = {
    PACK: (LANGUAGE, CATEGORY, GROUP, SOUND, TRIGGER, PROP, SCHEDULE),
    LANGUAGE: (CATEGORY, GROUP, SOUND, PROP),
    CATEGORY: (GROUP, SOUND),
    GROUP: (SOUND,),
    SOUND: (TAKE, PART, LANGUAGE),
    TAKE: (),
    PART: (),
    TRIGGER: (),
    PROP: (LANGUAGE,),
    SCHEDULE: (ENTRY,),
    ENTRY: (),
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
        Word("root", PACK, "path", "the folder that this file's references are below; its default is what is written"),
        Word("language", LANGUAGE, "text", "a language of titles and texts, a BCP 47 tag"),
        Word("category", CATEGORY, "text", "the sound's category; around the sounds, it groups them"),
        Word("key.group", GROUP, "text", "the sound key up to its last separator; around the sounds, it groups them"),
        Word("key", SOUND, "text", "the sound key, whole"),
        Word("key.own", SOUND, "text", "the sound key after its last separator"),
        Word("title", SOUND, "text", "the sound's title in the language at hand"),
        Word("volume", SOUND, "number", "how loud the game plays it; 1 is as it is"),
        Word("pitch", SOUND, "number", "how high the game plays it; 1 is as it is, 2 an octave up"),
        Word("near", SOUND, "number", "up to this distance it is at full level"),
        Word("far", SOUND, "number", "from this distance on it is not heard"),
        Word("positional", SOUND, "yes-no", "is it heard at its place in the world, and not everywhere?"),
        Word("priority", SOUND, "number", "which sounds are kept when too many play"),
        Word("loop", SOUND, "yes-no", "does it play again and again?"),
        Word("fade", SOUND, "number", "how long it fades out, in seconds"),
        Word("voices", SOUND, "whole", "how many of it may play at once"),
        Word("file", TAKE, "path", "the take's sound file, from the pack's root, with slashes"),
        Word("weight", TAKE, "number", "how often this take is picked against the others"),
        Word("take.volume", TAKE, "number", "how loud the game plays this take; 1 is as it is"),
        Word("take.pitch", TAKE, "number", "how high the game plays this take; 1 is as it is, 2 an octave up"),
        Word("take.from-disk", TAKE, "yes-no", "does the game play it from the disk, and not load it whole?"),
        Word("take.number", TAKE, "whole", "1 for the key's first take, 2 for its second"),
        Word("part.name", PART, "text", "which part of the sound it is: intro, body or layer"),
        Word("part.file", PART, "path", "the part's sound file, from the pack's root, with slashes"),
        Word("trigger.name", TRIGGER, "text", "the trigger's own name"),
        Word("trigger.event", TRIGGER, "text", "what has to happen in the game"),
        Word("trigger.where", TRIGGER, "text", "the area or thing that it happens at"),
        Word("trigger.key", TRIGGER, "text", "the sound key that it plays"),
        Word("trigger.does", TRIGGER, "text", "what it does with the sound: play, stop or fade-out"),
        Word("trigger.from", TRIGGER, "text", "the object that it is heard from; of none: everybody hears it"),
        Word("trigger.state", TRIGGER, "text", "whose state decides, such as lamp.lit"),
        Word("trigger.reaches", TRIGGER, "text", "the value that the state has to reach"),
        Word("trigger.once", TRIGGER, "yes-no", "only the first time?"),
        Word("trigger.delay", TRIGGER, "number", "how long after the event, in seconds"),
        Word("trigger.fade", TRIGGER, "number", "how long it fades in, or out, in seconds"),
        Word("trigger.volume", TRIGGER, "number", "how loud it plays from here; 1 is as it is"),
        Word("trigger.odds", TRIGGER, "number", "how likely it does anything, from 0 to 1"),
        Word("prop.id", PROP, "text", "the prop's own id (RFC 9562), made from the pack's and its name"),
        Word("prop.name", PROP, "text", "the prop's own name"),
        Word("prop.title", PROP, "text", "what players call it, in the language at hand"),
        Word("prop.text", PROP, "text", "what players read of it, in the language at hand"),
        Word("prop.key", PROP, "text", "the sound key that it plays"),
        Word("prop.picture", PROP, "path", "its picture, from the pack's root, with slashes"),
        Word("schedule.name", SCHEDULE, "text", "the schedule's own name"),
        Word("schedule.after", SCHEDULE, "whole", "an in-between only after so many pieces"),
        Word("schedule.odds", SCHEDULE, "number", "how likely an in-between is after that many, from 0 to 1"),
        Word("schedule.apart", SCHEDULE, "whole", "no in-between again until so many others were heard"),
        Word("schedule.twice", SCHEDULE, "yes-no", "may a piece come twice in a row?"),
        Word("schedule.piece-volume", SCHEDULE, "number", "how loud its pieces are; 1 is as they are"),
        Word("schedule.between-volume", SCHEDULE, "number", "how loud its in-betweens are; 1 is as they are"),
        Word("entry.number", ENTRY, "whole", "1 for the schedule's first entry"),
        Word("entry.kind", ENTRY, "text", "piece or between"),
        Word("entry.key", ENTRY, "text", "the sound key that it plays"),
    )
}

# What players read: a text for each language.
IN_LANGUAGES = ("title", "prop.title", "prop.text")

# What can be said of a sound besides its key, category, title and files: the fields of the same names in a pack file.
_NO_SETTINGS = ("key", "key.own", "title")
SETTINGS = tuple(word.name for word in WORDS.values() if word.scope == SOUND and word.name not in _NO_SETTINGS)

# What can be said of a take besides its file and its weight.
TAKE_SETTINGS = tuple(name for name in WORDS if name.startswith("take.") and name != "take.number")

# An instance is recognised by one of its scope's principal holes; without one there is nothing to repeat.
PRINCIPAL: dict[str, tuple[str, ...]] = {
    LANGUAGE: ("language",),
    CATEGORY: ("category",),
    GROUP: ("key.group",),
    SOUND: ("key", "key.own"),
    TAKE: ("file",),
    PART: ("part.name", "part.file"),
    TRIGGER: ("trigger.name", "trigger.event", "trigger.key"),
    PROP: ("prop.name",),
    SCHEDULE: ("schedule.name",),
    ENTRY: ("entry.key",),
}

# What an entry is called by, and does not carry: with these alone it says nothing.
NAMING = frozenset(
    (
        "key", "key.own", "key.group", "language", "take.number", "part.name", "trigger.name", "prop.name",
        "schedule.name", "entry.number",
    )
)  # fmt: skip


def attribute(name: str) -> str:
    """What a hole's value is called where names have no hyphen: ``piece_volume`` of ``schedule.piece-volume``."""
    return name.rpartition(".")[2].replace("-", "_")


ID_PREFIX = "uuid."  # uuid.NAME: an id (RFC 9562) minted once for each pack, under that name

_OF_PART = re.compile(r"part\.([a-z0-9-]+)\.file")  # part.NAME.file: one part's file, in a place of its own

INTRO, BODY = "intro", "body"  # the parts that a game plays once, and then round and round


def goes_round(part: str | None, parts: Collection[str | None]) -> bool:
    """Is a part of a sound that loops one that loops itself? Not an intro that leads into a body."""
    return part != INTRO or BODY not in parts


FIELD_PREFIX = "field."  # field.NAME: what a profile asks for that this vocabulary does not know


def word(name: str) -> Word | None:
    """The vocabulary's entry for a hole's name, or ``None`` where there is none."""
    if name.startswith(ID_PREFIX):
        return Word(name, PACK, "id", "an id minted once for the pack")
    if name.startswith(FIELD_PREFIX):
        return Word(name, SOUND, "text", "what the pack file says under fields")
    for scope in (TRIGGER, PROP):
        if name.startswith(f"{scope}.{FIELD_PREFIX}"):
            return Word(name, scope, "text", f"what the pack file says under fields of a {scope}")
    if part_in(name) is not None:
        return Word(name, SOUND, "path", "the file of the part of that name")
    return WORDS.get(name)


def part_in(name: str) -> str | None:
    """The part whose own place a hole is: ``intro`` of ``part.intro.file``; ``None`` of any other."""
    found = _OF_PART.fullmatch(name)
    return found[1] if found else None
