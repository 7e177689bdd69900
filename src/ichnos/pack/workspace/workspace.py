"""The workspace: a folder with ``ichnos.toml``, the modder's clips, and what is built."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

from ichnos.audio.files.forms import SoundForm
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.journal import InstalledPack
from ichnos.files.paths import shown
from ichnos.files.sources import Files
from ichnos.games import neighbours
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.entries.originals import Originals
from ichnos.games.own_forms import OwnForms
from ichnos.games.pristine import game_tree
from ichnos.games.profiles import profile
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.vocabulary import OWN
from ichnos.pack.workspace import players
from ichnos.pack.workspace.declared import tables_of
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME, clip_path
from ichnos.pack.workspace.lockfile import Given
from ichnos.pack.workspace.pack_file import PLAYERS, PackFile, Sound
from ichnos.pack.workspace.sounds import PlacedSound


@dataclass(frozen=True)
class Workspace:
    """A workspace, read: its file, its game's profile, and the game's catalogue where one is known.

    ``sounds`` (those of ``pack_file`` are the same) are those of the file and of the table, as they are
    in this game, with what holds for all of a kind. ``game``: the other game that is built for, or None.
    """

    folder: Path
    file: TomlFile
    pack_file: PackFile
    profile: profile.Profile
    catalogue: Catalogue | None
    sounds: tuple[PlacedSound, ...] = ()
    game: str | None = None
    left_out: tuple[str, ...] = ()  # keys that have nothing to do in the other game
    files: tuple[str, ...] = field(default=(FILE_NAME,))  # what was read, below the folder
    installation: str | None = None  # where the game is, as seen from the folder
    roots: Mapping[str, str] = field(default_factory=dict)  # the profile's [roots], where this machine has them
    given: Mapping[str, Given] = field(default_factory=dict)  # what the game gave, where it is not known where that is
    numbers: Mapping[str, Mapping[str, int]] = field(
        default_factory=dict
    )  # by scope and name, as builds have given them
    played_by: players.Places = field(default_factory=dict)  # where what has a name of its own stands

    def sound_place(self, index: int, *path: str | int) -> Place:
        """Where a field of a sound stands: in the file, or in the table."""
        return self.sounds[index].place(*path)

    def place(self, *path: str | int) -> Place:
        """Where a field stands that is no sound's: in the file, or in a table of its own."""
        kind = str(path[0])
        tables = tables_of(self.pack_file, kind if kind in PLAYERS else OWN + kind)
        if tables and len(path) > 1:
            at = self.played_by.get((kind, tables[int(path[1])].name))
            if at is not None:
                return at(*path[2:])
        return self.file.place(*path)

    def category_of(self, sound: Sound) -> str | None:
        """The sound's category: as given, or as the game's own definition has it."""
        if sound.category is not None:
            return sound.category
        for key in (sound.key, sound.like):
            if key is not None and (given := self.own_entry(key)) is not None:
                return given.category
        return None

    def own_entry(self, key: str) -> Given | None:
        """What the game has under a key, as far as that is known: by its own definitions, or as it once was."""
        if key in self.given:
            return self.given[key]
        if self.catalogue is None or key not in self.catalogue:
            return None
        entry = self.catalogue.entry(key)
        return Given(entry.category, entry.files)

    @property
    def sounds_read(self) -> list[str]:
        """The paths of the game's own sounds whose form was looked at."""
        return self._own_forms.read if self.profile.rules.audio.like is not None else []

    @cached_property
    def _own_forms(self) -> OwnForms:
        return OwnForms(self.game_files(), self.profile.sound_suffixes)

    def forms_of(self, key: str) -> tuple[SoundForm | None, ...]:
        """The forms of the game's own files of a key, as far as they are known; ``None`` of one that cannot be read."""
        if self.profile.rules.audio.like is None or (own := self.own_entry(key)) is None:
            return ()
        return own.forms if key in self.given else tuple(map(self._own_forms.of, own.files))

    def kind_of(self, sound: Sound) -> Kind:
        """The kind that the sound is of in this game."""
        known = self.catalogue.kind(sound.key) if self.catalogue is not None and not sound.new else None
        said = sound.kind or (known if known in self.profile.kinds else None)
        return self.profile.kind_of(sound.key, self.category_of(sound), parts=bool(sound.parts), said=said)

    def files_in_place(self, sound: Sound) -> tuple[str, ...]:
        """The game's own files of a key that is replaced file by file, where they are known; none of any other."""
        own = None if sound.new else self.own_entry(sound.key)
        return own.files if own is not None and self.kind_of(sound).replace == "by-path" else ()

    def changes_entry(self, sound: Sound) -> bool:
        """Is it written as a change of the game's own entry of its key?"""
        is_known = self.installation is not None and self.catalogue is not None and sound.key in self.catalogue
        return is_known and not sound.new and not sound.fresh and self.kind_of(sound).replace == "by-definition"

    def is_installed(self, sound: Sound) -> bool:
        """Is what the game has under a sound's key this pack's own, which is installed already?"""
        if self.catalogue is None or sound.key not in self.catalogue:
            return False
        files, kind = self.catalogue.entry(sound.key).files, self.kind_of(sound)
        return bool(files) and all(self.is_own_file(file, kind) for file in files)

    def is_own_file(self, file: str, kind: Kind) -> bool:
        """Is a file that the game's definitions name one of this pack's, by its path and the pack's ids?"""
        of_game = set(self.catalogue.ids) if self.catalogue else set()
        installed = not of_game.isdisjoint(self.pack_file.ids.values())
        return self.profile.is_of_pack(file, kind, self.pack_file.pack.name, installed=installed)

    def game_files(self) -> Files | None:
        """The game's own files, as the tree of a pack has them; ``None`` where it is not known where the game is."""
        if not self.installation:
            return None
        return game_tree(self.folder / self.installation, self.profile)

    @property
    def goes_into(self) -> Path | None:
        """Where packs are put: the game's folder, or one of [roots]; ``None`` where nobody knows where it is."""
        root = self.profile.rules.install.root
        said = self.installation if root is None else self.roots.get(root)
        return None if said is None else self.folder / said

    def need_goes_into(self) -> Path:
        """The same. Raises UsageError where nobody knows where it is."""
        if self.goes_into is not None:
            return self.goes_into
        rules = self.profile.rules
        if rules.install.root is None:
            raise UsageError("where is the game?", cure=f'say --to FOLDER, or installation = "..." in {LOCAL_NAME}')
        what = f"where is {rules.roots[rules.install.root]}?"
        raise UsageError(what, cure=f'say --to FOLDER, or {rules.install.root} = "..." under [roots] in {LOCAL_NAME}')

    def neighbours(self) -> list[InstalledPack]:
        """The packs of others in the game."""
        if self.goes_into is None:
            return []
        return [pack for pack in neighbours.in_game(self.goes_into) if not pack.is_of(*self.known_by)]

    @property
    def known_by(self) -> tuple[str, list[str], list[str]]:
        """What its pack is known by where it is installed: the game's profile, the pack's names, its ids."""
        pack, rules = self.pack_file.pack, self.profile.rules
        names = dict.fromkeys(filter(None, (pack.name, rules.names.spelled(pack.name), pack.id)))
        return rules.game.name, [*names], [*self.pack_file.ids.values()]

    def to_lock(self) -> dict[str, Given] | None:
        """What the game gives to each key of the pack; ``None`` where it is not known where the game is."""
        if self.installation is None or self.catalogue is None:
            return None
        keys = dict.fromkeys(key for sound in self.pack_file.sound for key in (sound.key, sound.like) if key)
        changed = {sound.key for sound in self.pack_file.sound if self.changes_entry(sound)}
        found = {key: own for key in keys if (own := self.own_entry(key)) is not None}
        return {key: replace(own, changed=key in changed, forms=self.forms_of(key)) for key, own in found.items()}

    def originals(self) -> Originals:
        """The game's own documents."""
        return Originals(self.game_files(), self.profile.rules.names.separator)

    @property
    def is_copy(self) -> bool:
        """Was it copied from another pack's, and given a name of its own?"""
        return self.pack_file.minted_for not in (None, self.pack_file.pack.name)

    def ids_to_mint(self) -> list[str]:
        """The ids that the game needs and that are not there, or are another pack's."""
        return [name for name in self.profile.id_names if self.is_copy or name not in self.pack_file.ids]

    def clip_path(self, clip: str) -> Path:
        return clip_path(self.folder, clip)

    def shown(self, path: Path) -> str:
        """A path as messages call it: relative to the workspace where it lies inside."""
        return shown(self.folder, path)


def short_name(title: str) -> str:
    """A pack's short name from its title: small ASCII letters, digits and hyphens."""
    from anyascii import anyascii

    return re.sub(r"[^a-z0-9]+", "-", anyascii(title).lower()).strip("-") or "pack"


def called(folder: Path) -> tuple[list[str], list[str]]:
    """A pack's names and its ids, of a workspace that may not be readable otherwise."""
    try:
        values = TomlFile(disk.read(folder / FILE_NAME, FILE_NAME), FILE_NAME).values
    except IchnosError:
        return [], []
    pack, ids = values.get("pack"), values.get("ids")
    names = [pack.get("name"), pack.get("id")] if isinstance(pack, dict) else []
    return [name for name in names if isinstance(name, str)], [*map(str, ids.values())] if isinstance(ids, dict) else []
