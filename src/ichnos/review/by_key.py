"""What is heard under each key of a pack or of a game: its takes and parts, each with its file."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import IO

from ichnos.documents.tree import Value
from ichnos.files.sources import Files
from ichnos.games.entries.packs import PackReading, SoundFiles, read_pack
from ichnos.games.facts import free_name
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles.vocabulary import PACK, TAKE
from ichnos.games.things import PackThing, SoundThing, TakeThing, sound_of
from ichnos.review.doubles import kept_apart
from ichnos.review.subject import Subject

_NUMBERED = re.compile(r" \(\d+\)$")


@dataclass(frozen=True)
class KeyFile:
    """A take or a part. ``reference``: the file as it is named; ``name``: the one that is meant, None without one.

    ``of_game``: the file is not the pack's, but the game's own.
    """

    role: str  # "take 1", "part intro"
    reference: str
    files: Files
    name: str | None
    weight: float = 1.0
    volume: float = 1.0
    pitch: float = 1.0
    of_game: bool = False

    @property
    def label(self) -> str:
        return self.files.label(self.name) if self.name is not None else self.reference

    def stream(self) -> IO[bytes]:
        assert self.name is not None
        return self.files.stream(self.name)


@dataclass(frozen=True)
class KeySounds:
    """A key, or a file that no key names. ``loose``: it is such a file."""

    key: str
    definition: SoundThing
    pieces: tuple[KeyFile, ...]
    loose: bool = False


def roles(sound: SoundThing) -> Iterator[tuple[str, str | None, TakeThing | None]]:
    """What the files of a sound are there for, each with the file as it is named; no two are called the same."""
    taken: dict[str, int] = {}
    named = [(f"take {number}", take.file, take) for number, take in enumerate(sound.takes, 1)]
    parts = [(f"part {part.name or number}", part.file, None) for number, part in enumerate(sound.parts, 1)]
    for role, file, take in (*named, *parts):
        taken[role] = taken.get(role, 0) + 1
        yield (role if taken[role] == 1 else f"{role} ({taken[role]})"), file, take


class PackByKey:
    """A pack, or a game, by its keys.

    Args:
        view: which of its files is there for which key.
        behind: the game's own files, which a pack's references may lead to; None for a game, or where it is not there.
    """

    def __init__(self, view: PackSounds, behind: Files | None = None, *, is_game: bool = False) -> None:
        self.is_game = is_game
        self.view, self.profile, self.files, self.reading, self.known = (
            view, view.profile, view.files, view.reading, view.known
        )  # fmt: skip
        self.behind = behind
        self.definitions: PackThing = kept_apart(view.reading.by_document.values())
        by_path = view.profile.by_path and view.known is not None
        self._over = {view.profile.bare(name): name for name in view.names} if by_path else {}
        theirs = behind.names() if behind is not None else []
        self._theirs = SoundFiles([name for name in theirs if name.lower().endswith(view.profile.sound_suffixes)])
        self.left_out = 0  # entries of the game's own in a pack's copy of the game's document

    def piece(self, role: str, reference: str, take: TakeThing | None = None) -> KeyFile:
        """A take or a part, with the file that its reference leads to."""
        name = self.view.by_reference.file_of(reference) or self._over.get(self.profile.bare(reference))
        files, of_game = self.files, False
        if name is None and self.behind is not None and (name := self._theirs.file_of(reference)) is not None:
            files, of_game = self.behind, True
        values = take.values if take is not None else {}
        weight = take.weight if take is not None else None
        return KeyFile(
            role, reference, files, name, number(weight), number(values.get("take.volume")),
            number(values.get("take.pitch")), of_game,
        )  # fmt: skip

    def pieces(self, sound: SoundThing) -> tuple[KeyFile, ...]:
        """The takes and parts of a sound."""
        return tuple(self.piece(role, file, take) for role, file, take in roles(sound) if file is not None)

    @cached_property
    def sounds(self) -> dict[str, KeySounds]:
        """All that is heard, by key: what is defined, what stands in the place of the game's own, and loose files."""
        by_key = {}
        for sound in self._own():
            plain = _NUMBERED.sub("", sound.key)  # of two entries of one key, the second has a number
            key = sound.key if sound.key in self._keys else plain
            by_key[sound.key] = KeySounds(
                sound.key, replace(sound, values={**sound.values, "key": key}), self.pieces(self._with_game_s(sound))
            )
        for key, sound in self._in_place().items():
            if key not in by_key or not by_key[key].pieces:
                definition = by_key[key].definition if key in by_key else None
                whole = replace(sound, texts=definition.texts, place=definition.place) if definition else sound
                by_key[key] = KeySounds(key, whole, self.pieces(whole))
        named = {piece.name for one in by_key.values() for piece in one.pieces if not piece.of_game}
        for name in self.view.names:
            if name not in named:
                alone = sound_of(name, files=(name,))
                by_key[free_name(name, by_key)] = KeySounds(name, alone, (self.piece("file", name),), loose=True)
        return by_key

    def _with_game_s(self, sound: SoundThing) -> SoundThing:
        """A sound with the takes that the game has under its key, where those are heard, too."""
        if self.is_game or not self.profile.adds(sound.values.get("adds")):
            return sound
        own = self._game_s.get(sound.key)
        if own is None and self.known is not None and sound.key in self.known:
            own = sound_of(sound.key, files=self.known.entry(sound.key).files)
        takes = (*own.takes, *sound.takes) if own is not None else sound.takes
        return replace(sound, inside={**sound.inside, TAKE: takes})

    @cached_property
    def _game_s(self) -> dict[str, SoundThing]:
        """The game's sounds, by key."""
        return {sound.key: sound for sound in self._of_game.sounds} if self.behind is not None else {}

    def _own(self) -> Iterator[SoundThing]:
        """What its documents say, but for entries of the game's own in a pack's copy of the game's document."""
        reading = self.reading
        merged = {sound.key for name in reading.merged for sound in _of(reading, name).sounds}
        for sound in self.definitions.sounds:
            own = any(self.view.by_reference.file_of(file) for file, _, _ in sound.files())
            if self.behind is not None and not own and _NUMBERED.sub("", sound.key) in merged:
                self.left_out += 1
                continue
            yield sound

    def _in_place(self) -> dict[str, SoundThing]:
        """The game's sounds of which a file stands here, by its path."""
        if self.known is None or not self._over:
            return {}
        theirs = self._game_s
        by_name = {}
        for bare, keys in self.known.players(self.profile.bare).items():
            for key in keys if bare in self._over else ():
                entry = self.known.entry(key)
                named = sound_of(key, entry.category, entry.files)
                by_name[key] = theirs[key] if key in theirs and theirs[key].names_files else named
        return by_name

    @cached_property
    def _keys(self) -> set[str]:
        """The keys as the documents have them."""
        return {sound.key for pack in self.reading.by_document.values() for sound in pack.sounds}

    @cached_property
    def _of_game(self) -> PackThing:
        assert self.behind is not None
        return read_pack(self.profile, self.behind).definitions

    def of_key(self, key: str) -> KeySounds | None:
        """What a game has under a key, by its definitions or by what is known of it."""
        sound = self._by_key.get(key)
        if sound is None and self.known is not None and key in self.known:
            entry = self.known.entry(key)
            sound = sound_of(key, entry.category, entry.files)
        return KeySounds(key, sound, self.pieces(sound)) if sound is not None else None

    @cached_property
    def _by_key(self) -> dict[str, SoundThing]:
        return {sound.key: sound for sound in self.definitions.sounds}


def of_subject(subject: Subject) -> PackByKey:
    """A pack that is being checked, by its keys."""
    return PackByKey(subject.view, subject.context.own)


def number(value: Value, otherwise: float = 1.0) -> float:
    """A number of a definition, as far as it can be meant."""
    if not isinstance(value, int | float) or isinstance(value, bool) or not 0 <= value <= 1e6:
        return otherwise
    return float(value)


def _of(reading: PackReading, name: str) -> PackThing:
    return reading.by_document.get(name, PackThing(PACK))
