"""Which file of a pack, or of a game, is there for which key, and of which kind of sound: worked out once, for all."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from ichnos.files.sources import Files
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.entries.packs import PackReading, SoundFiles
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile, without_extension
from ichnos.games.things import SoundThing, sound_of


class PackSounds:
    """The sounds of a pack, or of a game.

    Args:
        reading: what it says.
        known: the game's keys, where they are known.
        said_kinds: the kinds that its workspace says, by key.
    """

    def __init__(
        self,
        profile: Profile,
        files: Files,
        reading: PackReading,
        catalogue: Catalogue | None = None,
        said_kinds: Mapping[str, str] | None = None,
    ) -> None:
        self.profile, self.files, self.reading, self.known = profile, files, reading, catalogue
        self._said_kinds = said_kinds or {}

    @cached_property
    def names(self) -> list[str]:
        """The names of all sound files."""
        names = self.profile.rules.without_copies(self.files.names())
        return [name for name in names if name.lower().endswith(self.profile.sound_suffixes)]

    @cached_property
    def by_reference(self) -> SoundFiles:
        """The same, to be found by what definitions call them."""
        return SoundFiles(self.names)

    def files_of(self, sound: SoundThing) -> list[str]:
        """The sound's files that are there."""
        return [name for file, _, _ in sound.files() if (name := self.by_reference.file_of(file)) is not None]

    def category_of(self, sound: SoundThing) -> str | None:
        """Its category: as it says, or as the game has it."""
        return sound.category or (self.known.category(sound.key) if self.known else None)

    def kind_of(self, sound: SoundThing) -> Kind:
        """The kind that a sound is of: as said, as its entry is, by key or category, or else by where its files are."""
        profile, kind_name = self.profile, self._said_kinds.get(sound.key) or sound.kind or None
        known = self.known.kind(sound.key) if self.known is not None and kind_name is None else None
        found = profile.kind_of(
            sound.key,
            self.category_of(sound),
            parts=bool(sound.parts),
            said=kind_name or (known if known in profile.kinds else None),
        )
        if found.name:
            return found
        paths = profile.part_paths if sound.parts and not sound.takes else profile.take_paths
        names = self.files_of(sound)
        fitting = [
            kind for kind, path in paths.items() if names and all(path.match(name) is not None for name in names)
        ]
        return profile.kinds[fitting[0]] if len(fitting) == 1 else found

    @cached_property
    def in_place(self) -> dict[str, list[str]]:
        """The sound files that stand in the place of the game's own, where those can be, each with its keys there."""
        if self.known is None or not self.profile.by_path:
            return {}
        players = self.known.players(self.profile.bare)
        return {name: players[bare] for name in self.names if (bare := without_extension(name)) in players}

    @cached_property
    def by_name(self) -> dict[str, str]:
        """The other sound files of a game that goes by names alone and takes new ones: each with the key it spells."""
        if not self.profile.by_path_alone:
            return {}
        named = {name: spelled[0] for name in self.names if (spelled := self.profile.key_of_path(name)) is not None}
        kinds = {name: self.kind_of(sound_of(key, files=(name,))) for name, key in named.items()}
        return {name: key for name, key in named.items() if name not in self.in_place and kinds[name].new}

    @cached_property
    def kinds(self) -> dict[str, Kind]:
        """The kind of each file that a definition names, or that is in the place of one of the game's."""
        found: dict[str, Kind] = {}
        categories = {sound.key: sound.category for sound in self.reading.definitions.sounds}
        for sound in self.reading.defined():
            kind = self.kind_of(sound if sound.category else _with_category(sound, categories.get(sound.key)))
            found |= dict.fromkeys(self.files_of(sound), kind)
        for name, keys in self.in_place.items():
            if name not in found:
                found[name] = self.kind_of(sound_of(keys[0], files=(name,)))
        return found | {name: self.kind_of(sound_of(key, files=(name,))) for name, key in self.by_name.items()}


def _with_category(sound: SoundThing, category: str | None) -> SoundThing:
    return SoundThing(sound.scope, {**sound.values, "category": category}, sound.inside)
