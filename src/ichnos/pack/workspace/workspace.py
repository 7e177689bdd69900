"""The workspace: a folder with ``ichnos.toml``, the modder's clips, and what is built."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from ichnos.audio.process import treatments
from ichnos.documents.checked import checked
from ichnos.documents.text import from_bytes
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, UsageError, raise_all
from ichnos.files import disk
from ichnos.files.paths import misread, shown
from ichnos.files.signatures import are_same
from ichnos.files.sources import Files, Inside
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.entries.originals import Originals
from ichnos.games.pristine import game_files
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.kinds import Kind
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace import given as locks
from ichnos.pack.workspace import local, players, slips, sounds
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME, LOCK_NAME, TABLE_NAME, clip_path, find_folder, lock
from ichnos.pack.workspace.given import Given
from ichnos.pack.workspace.pack_file import PLAYERS, PackFile, Sound
from ichnos.pack.workspace.sounds import PlacedSound

__all__ = [
    "FILE_NAME",
    "TABLE_NAME",
    "Workspace",
    "find_folder",
    "key_slips",
    "load",
    "lock",
    "short_name",
    "too_many_takes",
]


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
    given: Mapping[str, Given] = field(default_factory=dict)  # what the game gave, where it is not known where that is
    played_by: players.Places = field(default_factory=dict)  # where triggers, props and schedules stand

    def sound_place(self, index: int, *path: str | int) -> Place:
        """Where a field of a sound stands: in the file, or in the table."""
        return self.sounds[index].place(*path)

    def place(self, *path: str | int) -> Place:
        """Where a field stands that is no sound's: in the file, or, of what plays sounds, in its table."""
        if path[0] in PLAYERS and len(path) > 1:
            one = getattr(self.pack_file, str(path[0]))[int(path[1])]
            at = self.played_by.get((str(path[0]), one.name))
            if at is not None:
                return at(*path[2:])
        return self.file.place(*path)

    def category_of(self, sound: Sound) -> str | None:
        """The sound's category: as given, or as the game's own definition has it."""
        if sound.category is not None:
            return sound.category
        for key in (sound.key, sound.like):
            if key is not None and (one := self.own_entry(key)) is not None:
                return one.category
        return None

    def own_entry(self, key: str) -> Given | None:
        """What the game has under a key, as far as that is known: by its own definitions, or as it once was."""
        if key in self.given:
            return self.given[key]
        if self.catalogue is None or key not in self.catalogue:
            return None
        entry = self.catalogue.entry(key)
        return Given(entry.category, entry.files)

    def kind_of(self, sound: Sound) -> Kind:
        """The kind that the sound is of in this game."""
        return self.profile.kind_of(sound.key, self.category_of(sound), parts=bool(sound.parts), said=sound.kind)

    def files_in_place(self, sound: Sound) -> tuple[str, ...]:
        """The game's own files of a key that is replaced file by file, where they are known; none of any other."""
        own = None if sound.new else self.own_entry(sound.key)
        return own.files if own is not None and self.kind_of(sound).replace == "by-path" else ()

    def changes_entry(self, sound: Sound) -> bool:
        """Is it written as a change of the game's own entry of its key?"""
        known = self.installation is not None and self.catalogue is not None and sound.key in self.catalogue
        return known and not sound.new and not sound.fresh and self.kind_of(sound).replace == "by-definition"

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
        return Inside(game_files(self.folder / self.installation, self.profile), self.profile.rules.catalogue.folder)

    def to_lock(self) -> dict[str, Given] | None:
        """What the game gives to each key of the pack; ``None`` where it is not known where the game is."""
        if self.installation is None or self.catalogue is None:
            return None
        keys = dict.fromkeys(key for sound in self.pack_file.sound for key in (sound.key, sound.like) if key)
        changed = {sound.key for sound in self.pack_file.sound if self.changes_entry(sound)}
        found = {key: own for key in keys if (own := self.own_entry(key)) is not None}
        return {key: replace(own, changed=key in changed) for key, own in found.items()}

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


def load(folder: Path, game: str | None = None, profile_folder: Path | None = None) -> Workspace:
    """Read a workspace.

    Args:
        game: another game of the workspace's ``[games]``, or the one that it is for.
        profile_folder: another edition of the game's profile than the one that the workspace names.

    Raises:
        IchnosError: with line and column, whatever in the file is not as it must be.
        WrongCall: the workspace knows no such game.
    """
    path = folder / FILE_NAME
    file = TomlFile(disk.read(path, FILE_NAME), FILE_NAME)
    pack_file = checked(PackFile, file)
    game = None if game == pack_file.game else game
    given = sounds.of_file(pack_file, file.place)
    table = _table(folder, file, pack_file)
    if table is not None:
        given += sounds.of_table(from_bytes(disk.read(folder / table, table), table))
    pack_file, played_by = players.with_tables(folder, pack_file, file.place)
    at: tuple[str | int, ...] = ("game",)
    left_out: list[str] = []
    if game is not None:
        pack_file, given, left_out = _elsewhere(pack_file, given, game)
        at = ("games", game)
    try:
        game_profile = loading.load(profile_folder or profile.find(pack_file.game, folder))
    except UsageError as error:
        raise IchnosError(error.what, place=file.place(*at), cure=error.cure) from None
    known = library.load(game_profile.identity)
    installation, place = _installation(folder, game)
    if installation:
        try:
            known = _of_installation(game_profile, disk.spelled(folder / installation), known)
        except IchnosError as error:
            cure = misread(installation) or f"{error.cure}; where the game is on this machine stands in {LOCAL_NAME}"
            raise IchnosError(f'installation "{installation}": {error.what}', place=place, cure=cure) from None
    given = [_as_spelled(one, known) for one in given] if known is not None else given
    locked = {} if installation else locks.load(folder).of_game(game)
    workspace = Workspace(
        folder, file, pack_file, game_profile, known, game=game, installation=installation, given=locked
    )
    given = sounds.with_defaults(given, pack_file.defaults, workspace.category_of)
    given = [_for_every_file(workspace, one) for one in given]
    workspace = replace(
        workspace,
        pack_file=pack_file.model_copy(update={"sound": tuple(one.sound for one in given)}),
        sounds=tuple(given),
        left_out=tuple(left_out),
        files=tuple(name for name in (FILE_NAME, table, None if installation else LOCK_NAME) if name),
        played_by=played_by,
    )
    raise_all([*_slips(workspace), *slips.findings(workspace)])
    return workspace


def called(folder: Path) -> tuple[str | None, list[str]]:
    """A pack's short name and its ids, of a workspace that may not be readable otherwise; ``None`` without a name."""
    try:
        said = TomlFile(disk.read(folder / FILE_NAME, FILE_NAME), FILE_NAME).values
    except IchnosError:
        return None, []
    pack, ids = said.get("pack"), said.get("ids")
    name = pack.get("name") if isinstance(pack, dict) else None
    return name if isinstance(name, str) else None, [*map(str, ids.values())] if isinstance(ids, dict) else []


def _installation(folder: Path, game: str | None) -> tuple[str | None, Place | None]:
    """Where the game is installed on this machine, and where that is said."""
    said, file = local.load(folder)
    if game is None:
        return said.installation, file.place("installation") if file else None
    other = said.games.get(game)
    return other.installation if other else None, file.place("games", game, "installation") if file else None


def _as_spelled(placed: PlacedSound, known: Catalogue) -> PlacedSound:
    """A sound whose key the game has with its accents spelled in the other way (Unicode, UAX 15)."""
    key = placed.sound.key
    if key.isascii() or key in known:
        return placed
    other = next((name for form in ("NFC", "NFD") if (name := unicodedata.normalize(form, key)) in known), key)
    return PlacedSound(placed.sound.model_copy(update={"key": other}), placed.place) if other != key else placed


def _for_every_file(workspace: Workspace, placed: PlacedSound) -> PlacedSound:
    """A sound that takes the place of all of the key's files, also where it has fewer clips; silence always does."""
    sound = placed.sound
    files = workspace.files_in_place(sound) if sound.silent or (sound.every_file and sound.takes) else ()
    return sounds.for_every_file(placed, len(files)) if files else placed


def _table(folder: Path, file: TomlFile, pack_file: PackFile) -> str | None:
    """The name of the table with further sounds, where there is one."""
    if pack_file.table is None:
        return TABLE_NAME if disk.is_file(folder / TABLE_NAME) else None
    if not disk.is_file(folder / pack_file.table):
        what = f'the table "{pack_file.table}" is not there'
        raise IchnosError(what, place=file.place("table"), cure="correct the name")
    return pack_file.table


def _elsewhere(
    pack_file: PackFile, given: list[PlacedSound], name: str
) -> tuple[PackFile, list[PlacedSound], list[str]]:
    """The pack as it is for another of its games."""
    if name not in pack_file.games:
        names = [pack_file.game, *pack_file.games]
        raise UsageError(
            f'this workspace knows no game "{name}"', cure=f"it has: {', '.join(names)}; add [games.{name}]"
        )
    other = pack_file.games[name]
    found, left_out = sounds.in_game(given, name)
    renamed = {one.sound.key: now.sound.key for one, now in zip(_named(given, name), found, strict=True)}
    pack = pack_file.pack
    if other.game_version is not None:
        pack = pack.model_copy(update={"game_version": other.game_version})
    changed = {"game": other.game or name, "pack": pack, **pack_file.playing(renamed)}
    return pack_file.model_copy(update=changed), found, left_out


def _named(given: list[PlacedSound], game: str) -> list[PlacedSound]:
    return [one for one in given if game in one.sound.games]


def _of_installation(game_profile: profile.Profile, installation: Path, known: Catalogue | None) -> Catalogue | None:
    """The keys of one installation: as kept, where they are its own and it has not changed.

    Where the game's own cannot be read, a list that was harvested counts.
    """
    if not game_profile.rules.catalogue.readable:
        return known
    if known is not None and known.source == str(disk.resolved(installation)) and are_same(known.seen):
        return known
    return harvest(game_profile, installation)


def _slips(workspace: Workspace) -> Iterator[IchnosError]:
    """What the model cannot see: keys given twice, keys that the game does not have, what it cannot do."""
    seen: dict[str, int] = {}
    known = workspace.catalogue
    for index, sound in enumerate(workspace.pack_file.sound):
        if sound.key in seen:
            place = workspace.sound_place(index, "key")
            first = workspace.sound_place(seen[sound.key], "key")
            where = f"line {first.line}" if first.path == (place.path if place else "") else str(first)
            yield IchnosError(
                f'the key "{sound.key}" is already given in {where}',
                place=place,
                cure="put all its clips into one list: takes = [...]",
            )
            continue
        seen[sound.key] = index
        if sound.kind is not None and sound.kind not in workspace.profile.kinds:
            names = ", ".join(filter(None, workspace.profile.kinds)) or "none"
            what = f'{workspace.profile.rules.game.title} has no kind "{sound.kind}"'
            yield IchnosError(what, place=workspace.sound_place(index, "kind"), cure=f"its kinds are: {names}")
            continue
        if not workspace.is_installed(sound):
            kind = workspace.kind_of(sound)
            if any(key_slips(workspace.profile, known, sound.key, sound.new, None, kind)):  # places are looked for then
                place = workspace.sound_place(index, "key")
                yield from key_slips(workspace.profile, known, sound.key, sound.new, place, kind)
        if sound.treatment is not None:
            yield from _no_treatment(workspace, sound.treatment, workspace.sound_place(index, "treatment"))
        yield from _impossible(workspace, index, sound)
        yield from _without_its_entry(workspace, index, sound)
    for key, path in workspace.pack_file.played():
        if key not in seen and known is not None and key not in known:
            yield IchnosError(
                f'there is no sound "{key}" to play, neither in this pack nor in the game',
                place=workspace.place(*path),
                cure=did_you_mean([*seen, *known.keys], key),
            )


def _without_its_entry(workspace: Workspace, index: int, sound: Sound) -> Iterator[IchnosError]:
    """A sound that is a change of the game's own entry, where that is not there: another pack would be built."""
    given = workspace.given.get(sound.key)
    if given is not None and given.changed and not sound.fresh and not sound.new:
        title = workspace.profile.rules.game.title
        what = f"{sound.key} keeps what {title} itself says of it, and it is not known where {title} is installed"
        cure = f'say it in {LOCAL_NAME}: installation = "..."; or fresh = true, and its entry starts from nothing'
        yield IchnosError(what, place=workspace.sound_place(index, "key"), cure=cure)


def _no_treatment(workspace: Workspace, name: str, place: Place | None) -> Iterator[IchnosError]:
    names = [*workspace.pack_file.treatment, *treatments.BUNDLED]
    if name not in names:
        yield IchnosError(f'there is no treatment "{name}"', place=place, cure=did_you_mean(names, name))


def too_many_takes(
    game_profile: profile.Profile, key: str, count: int, place: Place | None, kind: Kind
) -> Iterator[IchnosError]:
    """What is wrong with so many takes of one key, in this game: at most one thing."""
    if count > 1 and not kind.several:
        yield IchnosError(
            f"{game_profile.rules.game.title} has one take for each key, and {key} would have {count}",
            place=place,
            cure="keep one of the clips",
        )


def _impossible(workspace: Workspace, index: int, sound: Sound) -> Iterator[IchnosError]:
    """What this game cannot do with a sound."""
    title, place_of = workspace.profile.rules.game.title, workspace.sounds[index].place
    kind = workspace.kind_of(sound)
    if sound.every_file and kind.replace != "by-path":
        yield IchnosError(
            f"{sound.key} is not replaced file by file in {title}: its takes are all that it has",
            place=place_of("every_file"),
            cure="leave every-file out",
        )
    if len(sound.takes) > 1 and not sound.silent and not sound.every_file:
        yield from too_many_takes(workspace.profile, sound.key, len(sound.takes), place_of("takes"), kind)
    if not workspace.profile.has_files(kind):
        yield IchnosError(
            f"{title} has kinds of sound, and nothing says of which {sound.key} is",
            place=place_of("key"),
            cure=f'say kind = "..." ({", ".join(filter(None, workspace.profile.kinds))})',
        )
    for name in sound.parts:
        if name not in kind.parts:
            yield IchnosError(
                f"{title} knows no part {name!r}",
                place=place_of("parts", name),
                cure=f"its parts are: {', '.join(kind.parts)}" if kind.parts else "give the sound takes",
            )
    if sound.like is None:
        return
    place, known = place_of("like"), workspace.catalogue
    if known is None or workspace.installation is None:
        what = f'{sound.key} is to be like "{sound.like}", and the text of that is in {title}\'s own files'
        yield IchnosError(what, place=place, cure=f'say in {LOCAL_NAME} where: installation = "..."')
    elif sound.like not in known:
        what = f'{sound.key} is to be like "{sound.like}", and {title} has no such key'
        yield IchnosError(what, place=place, cure=known.did_you_mean(sound.like))


def key_slips(
    game_profile: profile.Profile, known: Catalogue | None, key: str, new: bool, place: Place | None, kind: Kind
) -> Iterator[IchnosError]:
    """What is wrong with a key, in this game: at most one thing."""
    title = game_profile.rules.game.title
    if new and not kind.new:
        yield IchnosError(f"{title} cannot take new keys", place=place, cure="replace a key that the game has")
    elif not new and kind.replace == "no":
        yield IchnosError(f"{title} cannot have its own keys replaced", place=place, cure="say new = true")
    elif known is not None and new and key in known:
        cure = "choose another" if kind.replace == "no" else "leave new out, and it is replaced; or choose another"
        yield IchnosError(f'"{key}" is not new: {title} has that key', place=place, cure=cure)
    elif known is not None and not new and key not in known:
        own = " For a key of your own, say --new, or new = true in the file" if kind.new else ""
        yield IchnosError(f'{title} has no key "{key}"', place=place, cure=f"{known.did_you_mean(key)}{own}")


def short_name(title: str) -> str:
    """A pack's short name from its title: small ASCII letters, digits and hyphens."""
    from anyascii import anyascii

    return re.sub(r"[^a-z0-9]+", "-", anyascii(title).lower()).strip("-") or "pack"
