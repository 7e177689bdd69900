"""The table of all that a pack can say: its scopes, and the fields of each.

A scope is a kind of thing: a pack has languages, categories, groups of keys and sounds; a sound has takes and parts;
beside the sounds stand triggers, props (they have languages, too) and schedules with their entries. A field of a
thing is a hole in a profile's documents, and where a modder says it, a field of the workspace's file, a column of its
tables, an option: all of them are made from its row here.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from functools import cache, cached_property

from ichnos.games.profiles.word import Kind, Word

PACK, LANGUAGE, CATEGORY, GROUP, SOUND = "pack", "language", "category", "group", "sound"
AROUND = (PACK, LANGUAGE, CATEGORY, GROUP)  # what entries are sorted by; all else is an entry, or inside one
TAKE, PART, TRIGGER, PROP, SCHEDULE, ENTRY = "take", "part", "trigger", "prop", "schedule", "entry"


@dataclass(frozen=True)
class Scope:
    """A kind of thing. ``around``: the scopes that it may lie inside.

    ``principal``: the fields by one of which a thing of it is recognised: without one there is nothing to repeat.
    ``place``: the field whose place in a document is the thing's own. ``is_joined``: what several documents say under
    one name is one thing.
    """

    name: str
    around: tuple[str, ...] = ()
    principal: tuple[str, ...] = ()
    place: str = ""
    is_joined: bool = False

    @cached_property
    def inside(self) -> tuple[str, ...]:
        """The scopes that lie inside it."""
        own = (LANGUAGE,) if is_declared(self.name) else ()
        return (*own, *(one.name for one in SCOPES.values() if self.name in one.around))


SCOPES: dict[str, Scope] = {
    scope.name: scope
    for scope in (
        Scope(PACK),
        Scope(LANGUAGE, (PACK, SOUND, PROP), ("language",)),
        Scope(CATEGORY, (PACK, LANGUAGE), ("category",)),
        Scope(GROUP, (PACK, LANGUAGE, CATEGORY), ("key.group",)),
        Scope(SOUND, (PACK, LANGUAGE, CATEGORY, GROUP), ("key", "key.own"), "key", is_joined=True),
        Scope(TAKE, (SOUND,), ("file", "take.key"), "file"),
        Scope(PART, (SOUND,), ("part.name", "part.file"), "part.file"),
        Scope(TRIGGER, (PACK,), ("trigger.name", "trigger.event", "trigger.key"), "trigger.key"),
        Scope(PROP, (PACK, LANGUAGE), ("prop.name",), "prop.key", is_joined=True),
        Scope(SCHEDULE, (PACK,), ("schedule.name",), "schedule.name"),
        Scope(ENTRY, (SCHEDULE,), ("entry.key",), "entry.key"),
    )
}

OWN = "own."  # own.NAME: the scope of things that a profile declares: see ``ichnos.games.profiles.declared``


def is_declared(name: str) -> bool:
    """Is it a scope that a profile declares, or a field of one?"""
    return name.startswith(OWN)


def scope_row(name: str) -> Scope:
    """The row of a scope: of the table, or one that a profile declares."""
    named = f"{name}.name"
    return SCOPES[name] if name in SCOPES else Scope(name, (PACK, LANGUAGE), (named,), named, is_joined=True)


def number_field(scope: str) -> str:
    """The field of a number that a game tells entries of a scope apart by."""
    return "number" if scope == SOUND else f"{scope}.number"


# What is known of a sound file when it is finished.
_BUILT: tuple[tuple[str, Kind, str], ...] = (
    ("seconds", "number", "the length in seconds"),
    ("frames", "whole", "the number of frames (samples of each channel)"),
    ("bytes", "whole", "the size in bytes"),
    ("crc32", "text", "the CRC-32, in eight hexadecimal digits,"),
    ("sha1", "text", "the SHA-1, in forty hexadecimal digits,"),
)

WORDS: dict[str, Word] = {
    word.name: word
    for word in (
        Word("pack.title", PACK, "text", "the pack's title, as players see it", in_languages=True),
        Word("pack.name", PACK, "text", "the pack's short name, used in file names"),
        Word("pack.id", PACK, "text", "the pack's id in the game's own spelling; where none is said, its short name"),
        Word("pack.summary", PACK, "text", "what the pack is, in a sentence", in_languages=True),
        Word("pack.text", PACK, "text", "what players read of the pack at length", in_languages=True),
        Word("pack.author", PACK, "text", "who made the pack"),
        Word("pack.version", PACK, "version", "the pack's version"),
        Word("pack.licence", PACK, "text", "the pack's licence, an SPDX expression"),
        Word("pack.sounds", PACK, "whole", "how many sound files the pack has", is_made=True, is_built=True),
        Word("game.version", PACK, "version", "the version of the game that the pack is for, or the last of several"),
        Word(
            "game.first-version", PACK, "version", "the first of the versions of the game that the pack is for",
            is_made=True,
        ),
        Word("game.last-version", PACK, "version", "the last of these versions", is_made=True),
        Word("game.versions", PACK, "list", "all these versions, in order", is_made=True),
        Word(
            "root", PACK, "path", "the folder that this file's references are below; its default is what is written",
            is_made=True,
        ),
        Word("language", LANGUAGE, "text", "a language of titles and texts, a BCP 47 tag", is_name=True),
        Word("category", CATEGORY, "text", "the sound's category; around the sounds, it groups them"),
        Word(
            "key.group", GROUP, "text", "the sound key up to its last separator; around the sounds, it groups them",
            is_name=True,
        ),
        Word("key", SOUND, "text", "the sound key, whole", is_name=True),
        Word("key.own", SOUND, "text", "the sound key after its last separator", is_name=True, is_made=True),
        Word("title", SOUND, "text", "the sound's title in the language at hand", is_spoken=True),
        Word("volume", SOUND, "number", "how loud the game plays it; 1 is as it is, 0.5 is half", least=0, most=10),
        Word("pitch", SOUND, "number", "how high the game plays it; 1 is as it is, 2 an octave up", above=0),
        *(
            Word(
                number_field(scope), scope, "whole", f"the {scope}'s number, which nothing else has", is_number=True,
                least=0,
                said=f"the {scope}'s number, where the game has such; it is counted up where nobody says it",
            )
            for scope in SCOPES[PACK].inside if scope not in AROUND
        ),
        Word("near", SOUND, "number", "up to this distance it is at full level", least=0),
        Word("far", SOUND, "number", "from this distance on it is not heard", least=0),
        Word("positional", SOUND, "yes-no", "is it heard at its place in the world, and not everywhere?"),
        Word("priority", SOUND, "number", "which sounds are kept when too many play"),
        Word("loop", SOUND, "yes-no", "does it play again and again?"),
        Word("fade", SOUND, "number", "how long it fades out, in seconds", least=0),
        Word("adds", SOUND, "yes-no", "do its takes come besides the game's own, and not in their place?"),
        Word("voices", SOUND, "whole", "how many of it may play at once", least=1),
        Word("file", TAKE, "path", "the take's sound file, from the pack's root, with slashes", is_made=True),
        Word(
            "take.key", TAKE, "text", "the sound key that is played in its place, of this pack or of the game",
            is_key=True, said="instead of a clip: another sound key, of this pack or the game, that is played here",
        ),
        Word("weight", TAKE, "number", "how often this take is picked against the others", above=0),
        Word("take.volume", TAKE, "number", "how loud the game plays this take; 1 is as it is", least=0, most=10),
        Word("take.pitch", TAKE, "number", "how high the game plays this take; 1 is as it is, 2 an octave up", above=0),
        Word("take.from-disk", TAKE, "yes-no", "does the game play it from the disk, and not load it whole?"),
        Word(
            "take.number", TAKE, "whole", "1 for the key's first take, 2 for its second", is_name=True, is_made=True
        ),
        Word("part.name", PART, "text", "which part of the sound it is: intro, body or layer", is_name=True),
        Word("part.file", PART, "path", "the part's sound file, from the pack's root, with slashes", is_made=True),
        *(
            Word(f"{scope}.{name}", scope, kind, f"{meaning} of the finished file", is_made=True, is_built=True)
            for scope in (TAKE, PART)
            for name, kind, meaning in _BUILT
        ),
        Word("trigger.name", TRIGGER, "text", "the trigger's own name", is_name=True, needed=True),
        Word("trigger.event", TRIGGER, "text", "what has to happen, in the game's own words", needed=True),
        Word(
            "trigger.key", TRIGGER, "text", "the sound key that it plays, of this pack or of the game", is_key=True,
            needed=True,
        ),
        Word("trigger.where", TRIGGER, "text", "the area or thing that it happens at"),
        Word(
            "trigger.does", TRIGGER, "text", "what it does with the sound: play, stop or fade-out",
            choices=("play", "stop", "fade-out"),
        ),
        Word(
            "trigger.from", TRIGGER, "text",
            "the object that it is heard from, fainter with distance; without one everybody hears it",
        ),
        Word("trigger.state", TRIGGER, "text", "only where this state of a thing, such as lamp.lit, reaches a value"),
        Word("trigger.reaches", TRIGGER, "text", "the value that the state has to reach"),
        Word("trigger.once", TRIGGER, "yes-no", "only the first time?"),
        Word("trigger.delay", TRIGGER, "number", "how long after the event, in seconds", least=0),
        Word("trigger.fade", TRIGGER, "number", "how long it fades in, or out, in seconds", least=0),
        Word("trigger.volume", TRIGGER, "number", "how loud it plays from here; 1 is as it is", least=0, most=10),
        Word("trigger.odds", TRIGGER, "number", "how likely it does anything, from 0 to 1", above=0, most=1),
        Word("prop.name", PROP, "text", "the prop's own name", is_name=True, needed=True),
        Word(
            "prop.title", PROP, "text", "what players call it, in the language at hand", is_spoken=True, needed=True,
            said="what players call it: a text, or one for each language",
        ),
        Word(
            "prop.key", PROP, "text", "the sound key that it plays, of this pack or of the game", is_key=True,
            needed=True,
        ),
        Word(
            "prop.text", PROP, "text", "what players read of it, in the language at hand", is_spoken=True,
            said="what players read of it: a text, or one for each language",
        ),
        Word("prop.id", PROP, "id", "its own id; without it, one made from the pack's and its name"),
        Word(
            "prop.picture", PROP, "path", "its picture, from the pack's root, with slashes",
            said="its picture's file; it is made as large as the game wants it",
        ),
        Word("schedule.name", SCHEDULE, "text", "the schedule's own name", is_name=True, needed=True),
        Word("schedule.after", SCHEDULE, "whole", "an in-between only after so many pieces", least=1),
        Word(
            "schedule.odds", SCHEDULE, "number", "how likely an in-between is after that many, from 0 to 1", above=0,
            most=1,
        ),
        Word("schedule.apart", SCHEDULE, "whole", "no in-between again until so many others were heard", least=0),
        Word("schedule.twice", SCHEDULE, "yes-no", "may a piece come twice in a row?"),
        Word(
            "schedule.piece-volume", SCHEDULE, "number", "how loud its pieces are; 1 is as they are", least=0, most=10
        ),
        Word(
            "schedule.between-volume", SCHEDULE, "number", "how loud its in-betweens are; 1 is as they are", least=0,
            most=10,
        ),
        Word("entry.number", ENTRY, "whole", "1 for the schedule's first entry", is_name=True, is_made=True),
        Word(
            "entry.key", ENTRY, "text", "the sound key that it plays, of this pack or of the game", is_key=True,
            needed=True,
        ),
        Word("entry.kind", ENTRY, "text", "what the entry is: piece or between", choices=("piece", "between")),
    )
}  # fmt: skip


def of_scope(scope: str) -> Iterator[Word]:
    """The fields of a scope."""
    return (word for word in WORDS.values() if word.scope == scope)


def said_of(scope: str) -> Iterator[Word]:
    """The fields of a scope that a modder says: neither worked out, nor what a thing is called in its own way."""
    return (field for field in of_scope(scope) if not field.is_made and field.name not in ("key", "part.name"))


@cache
def settings(scope: str) -> tuple[str, ...]:
    """What can be said of a sound or a take besides its files, its title and what it is called."""
    return tuple(field.name for field in said_of(scope) if not field.is_spoken)


def is_spoken(name: str) -> bool:
    """Is it what players read: a text for each language?"""
    field = WORDS.get(name)
    return field.is_spoken if field is not None else _IN_TEXTS in f".{name}" and not name.startswith(f"{PACK}.")


@cache
def translated() -> frozenset[str]:
    """The fields that may be said in several languages, and have a value in the pack's own."""
    return frozenset(field.name for field in WORDS.values() if field.in_languages)


def is_translated(name: str) -> bool:
    """Is it one of those?"""
    return name in translated() or name.startswith(f"{PACK}{_IN_TEXTS}")


@cache
def built() -> frozenset[str]:
    """The fields that are known when the sound files are finished."""
    return frozenset(field.name for field in WORDS.values() if field.is_built)


def is_name(name: str) -> bool:
    """Is it what a thing is called by, and does not carry?"""
    field = WORDS.get(name)
    return field.is_name if field is not None else is_declared(name) and name.count(".") == 2 and name.endswith(".name")


@cache
def spoken(scope: str) -> tuple[str, ...]:
    """The fields of a scope that players read."""
    return tuple(field.name for field in of_scope(scope) if field.is_spoken)


@cache
def key_field(scope: str) -> str | None:
    """The field of a scope that names a sound key."""
    return next((field.name for field in of_scope(scope) if field.is_key), None)


@cache
def entry_scopes() -> tuple[str, ...]:
    """What a pack holds besides what its entries are sorted by: sounds, and what plays them."""
    return tuple(scope for scope in SCOPES[PACK].inside if scope not in AROUND)


def all_entry_scopes(used: Iterable[str]) -> tuple[str, ...]:
    """The same, with the scopes of a profile's own among those that are used."""
    return (*entry_scopes(), *sorted({scope for scope in used if is_declared(scope)}))


@cache
def player_scopes() -> tuple[str, ...]:
    """The entries of a pack that play sounds: triggers, props, schedules."""
    return tuple(scope for scope in entry_scopes() if scope != SOUND)


@cache
def inner_scopes(scope: str) -> tuple[str, ...]:
    """The scopes inside an entry, but for what only tells its texts apart."""
    return tuple(inner for inner in scope_row(scope).inside if inner not in AROUND)


ID_PREFIX = "uuid."  # uuid.NAME: an id (RFC 9562) minted once for each pack, under that name

_OF_PART = re.compile(r"part\.([a-z0-9-]+)\.file")  # part.NAME.file: one part's file, in a place of its own

INTRO, BODY = "intro", "body"  # the parts that a game plays once, and then round and round


def goes_round(part: str | None, parts: Collection[str | None]) -> bool:
    """Is a part of a sound that loops one that loops itself? Not an intro that leads into a body."""
    return part != INTRO or BODY not in parts


FIELD_PREFIX = "field."  # field.NAME: what a profile asks for that this vocabulary does not know


def free_prefix(scope: str) -> str:
    """What the names of a scope's free fields begin with: what a profile asks for that this table does not know."""
    return FIELD_PREFIX if scope == SOUND else f"{scope}.{FIELD_PREFIX}"


_IN_TEXTS = ".spoken."


def spoken_prefix(scope: str) -> str:
    """What the names of a scope's declared texts in languages begin with."""
    return f"{'' if scope == SOUND else scope}{_IN_TEXTS}".removeprefix(".")


def names_of_free(scope: str, field: str) -> tuple[str, str]:
    """What a free field's hole may be called: that of a value, and that of a declared text in languages."""
    return f"{free_prefix(scope)}{field}", f"{spoken_prefix(scope)}{field}"


def has_texts(scope: str) -> bool:
    """Can a scope's entries have texts in languages?"""
    return is_declared(scope) or (scope != PACK and scope in SCOPES[LANGUAGE].around)


def word(name: str) -> Word | None:
    """The row of a field, or ``None`` where there is none."""
    if name in WORDS:
        return WORDS[name]
    if name.startswith(ID_PREFIX):
        return Word(name, PACK, "id", "an id minted once for the pack")
    if _IN_TEXTS in f".{name}":
        scope = name.partition(_IN_TEXTS)[0] if not name.startswith(_IN_TEXTS[1:]) else SOUND
        return Word(name, scope, "text", "a text in languages", is_spoken=scope != PACK, in_languages=scope == PACK)
    if is_declared(name):
        scope, _, field = name.removeprefix(OWN).partition(".")
        called = Word(name, OWN + scope, "text", f"the {scope}'s own name", is_name=True, needed=True)
        return called if field == "name" else Word(name, OWN + scope, "text", f"what the pack file says of a {scope}")
    for scope in (PACK, *entry_scopes(), TAKE, ENTRY):
        if name.startswith(free_prefix(scope)):
            return Word(name, scope, "text", f"what the pack file says under fields of a {scope}")
    if part_in(name) is not None:
        return Word(name, SOUND, "path", "the file of the part of that name")
    return None


def spelled(name: str) -> str:
    """A hole's name as profiles write it: the fields of a profile's own things are called like any other's.

    >>> spelled("own.channel.field.gain"), spelled("take.field.odd")
    ('channel.gain', 'take.field.odd')
    """
    return re.sub(r"\.(field|spoken)\.", ".", name.removeprefix(OWN)) if is_declared(name) else name


def plural(noun: str, count: int = 0) -> str:
    """What several are called; one as it is."""
    if count == 1:
        return noun
    if noun.endswith("y"):
        return f"{noun[:-1]}ies"
    return f"{noun}es" if noun.endswith(("s", "x", "ch", "sh")) else f"{noun}s"


def scope_of(name: str) -> str:
    """The scope of a field; empty where there is no such field."""
    field = word(name)
    return field.scope if field else ""


def part_in(name: str) -> str | None:
    """The part whose own place a hole is: ``intro`` of ``part.intro.file``; ``None`` of any other."""
    fullmatch = _OF_PART.fullmatch(name)
    return fullmatch[1] if fullmatch else None
