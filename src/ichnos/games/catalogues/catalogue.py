"""The catalogue: the keys that a game has, as columns. Light to import, for it is searched often."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

from ichnos.files.signatures import Signatures
from ichnos.likeness import did_you_mean

JOINT = "\0"  # no file's name can hold it


@dataclass(frozen=True)
class Entry:
    """What a game's definitions say of one key, and what its original is where that can be read.

    ``mentions``: how often the game's other texts name the key. ``seconds`` and ``peak`` (dBFS) are
    the first file's; ``None`` where it lies in a container that nobody can open, or was not looked at.
    """

    key: str
    category: str | None
    files: tuple[str, ...]
    mentions: int | None = None
    sound: str | None = None
    seconds: float | None = None
    peak: float | None = None
    document: str | None = None  # where the key stands, or how its file's name is spelled
    kind: str | None = None  # of sound, where the document tells


@dataclass
class Catalogue:
    """The keys of a game as columns of one length, in the order of its definitions.

    ``source`` is the installation's folder or archive, ``seen`` the signature of each file read.
    """

    source: str = ""
    seen: Signatures = field(default_factory=dict)
    strays: int = 0  # entries that fit no exemplar
    notes: list[str] = field(default_factory=list)  # what was not understood, in sentences
    languages: list[str] = field(default_factory=list)  # of the game's own titles
    ids: list[str] = field(default_factory=list)  # of packs that are installed
    names: dict[str, list[str]] = field(default_factory=dict)  # of events, areas, states: by the triggers' fields
    numbers: dict[str, dict[str, int]] = field(default_factory=dict)  # of entries: by field, and by what has each
    keys: list[str] = field(default_factory=list)
    categories: list[str | None] = field(default_factory=list)
    files: list[str] = field(default_factory=list)  # of each key, joined by JOINT
    mentions: list[int | None] = field(default_factory=list)
    sounds: list[str | None] = field(default_factory=list)
    seconds: list[float | None] = field(default_factory=list)
    peaks: list[float | None] = field(default_factory=list)
    documents: list[str | None] = field(default_factory=list)
    kinds: list[str | None] = field(default_factory=list)

    def add(self, key: str, category: str | None, files: str, document: str | None = None, kind: str = "") -> None:
        """One more key, of which nothing else is known yet."""
        self.keys.append(key)
        self.categories.append(category)
        self.files.append(files)
        self.documents.append(document)
        self.kinds.append(kind or None)
        for column in (self.mentions, self.sounds, self.seconds, self.peaks):
            column.append(None)

    @cached_property
    def _index(self) -> dict[str, int]:
        return {key: index for index, key in enumerate(self.keys)}

    def __contains__(self, key: str) -> bool:
        return key in self._index

    def entry(self, key: str) -> Entry:
        """What is known of a key, which must be in the catalogue."""
        return self.at(self._index[key])

    def at(self, index: int) -> Entry:
        """The entry at a place in the order of the definitions."""
        return Entry(
            self.keys[index], self.categories[index], several(self.files[index]), self.mentions[index],
            self.sounds[index], self.seconds[index], self.peaks[index], self.documents[index], self.kinds[index],
        )  # fmt: skip

    def category(self, key: str) -> str | None:
        """A key's category; ``None`` too where the game does not have the key."""
        return self.categories[self._index[key]] if key in self else None

    def kind(self, key: str) -> str | None:
        """The kind of sound that a key is of, where the document that it stands in tells."""
        return self.kinds[self._index[key]] if key in self else None

    def all_files(self) -> set[str]:
        """Every file that the game's definitions name."""
        return {file for files in self.files for file in several(files)}

    def players(self, bare: Callable[[str], str]) -> dict[str, list[str]]:
        """The keys that play each file, by the file's name as ``bare`` leaves it: without its extension."""
        players_of: dict[str, list[str]] = {}
        for key, files in zip(self.keys, self.files, strict=True):
            for file in dict.fromkeys(map(bare, several(files))):
                players_of.setdefault(file, []).append(key)
        return players_of

    def did_you_mean(self, key: str) -> str:
        """The cure for a key that is not known: those that are spelled most like it."""
        return did_you_mean(self.keys, key)


def several(files: str) -> tuple[str, ...]:
    """The files of a key, as they are kept."""
    return tuple(files.split(JOINT)) if files else ()
