"""The catalogue: the keys that a game has, read from its own definitions."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from rapidfuzz import process
from rapidfuzz.distance import DamerauLevenshtein

from ichnos.errors import IchnosError, Place
from ichnos.games.files import Folder
from ichnos.games.packs import SoundRead, read_pack
from ichnos.games.profile import Profile


@dataclass(frozen=True)
class Catalogue:
    """Every key of a game, with what its definitions say of it."""

    sounds: dict[str, SoundRead]

    def __contains__(self, key: str) -> bool:
        return key in self.sounds

    def nearest(self, key: str, count: int = 3) -> list[str]:
        """The known keys that are spelled most like ``key``, the nearest first."""
        return nearest(self.sounds, key, count)


def nearest(keys: Iterable[str], key: str, count: int = 3) -> list[str]:
    """The keys that are spelled most like ``key``, the nearest first."""
    found = process.extract(
        key, list(keys), scorer=DamerauLevenshtein.normalized_similarity, processor=str.lower, limit=count
    )
    return [name for name, _, _ in found]


def harvest(profile: Profile, installation: Path) -> Catalogue:
    """Read a game's own definitions.

    Raises:
        IchnosError: the folder is not an installation of this game.
    """
    folder = installation / profile.rules.catalogue.folder
    sounds: dict[str, SoundRead] = {}
    if folder.is_dir():
        pack = read_pack(profile, Folder(folder))
        categories = pack.categories()
        for sound in pack.defined():
            sounds.setdefault(sound.key, replace(sound, category=sound.category or categories.get(sound.key)))
    if not sounds:
        raise IchnosError(
            f"no sound keys of {profile.rules.game.title} are found in this folder",
            place=Place(str(installation)),
            cure="give the folder that the game is installed in",
        )
    return Catalogue(sounds)
