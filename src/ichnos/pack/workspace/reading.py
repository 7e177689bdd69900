"""Reading a workspace: its file and its tables, its game's profile and catalogue, and what is wrong with all that."""

from __future__ import annotations

import unicodedata
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

from ichnos.documents.checked import checked
from ichnos.documents.text import from_bytes
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, UsageError, raise_all
from ichnos.files import disk
from ichnos.files.paths import misread
from ichnos.files.signatures import are_same
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.profiles import loading, profile
from ichnos.games.profiles.profile import Profile
from ichnos.likeness import did_you_mean
from ichnos.pack.workspace import declared, local, lockfile, players, slips, sound_slips, sounds
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME, LOCK_NAME, TABLE_NAME, find_folder, lock
from ichnos.pack.workspace.local import LocalGame
from ichnos.pack.workspace.pack_file import PackFile
from ichnos.pack.workspace.sounds import PlacedSound
from ichnos.pack.workspace.workspace import Workspace, called, short_name

__all__ = ["FILE_NAME", "Workspace", "called", "find_folder", "load", "lock", "short_name"]


def load(folder: Path, game: str | None = None, profile_folder: Path | None = None) -> Workspace:
    """Read a workspace.

    Args:
        game: another game of the workspace's ``[games]``, or the one that it is for.
        profile_folder: another edition of the game's profile than the one that the workspace names.

    Raises:
        IchnosError: with line and column, whatever in the file is not as it must be.
        UsageError: the workspace knows no such game.
    """
    file = TomlFile(disk.read(folder / FILE_NAME, FILE_NAME), FILE_NAME)
    rows = declared.of_games(file, folder)
    pack_file = checked(declared.pack_file_for(rows), file)
    game = None if game == pack_file.game else game
    given = sounds.of_file(pack_file, file.place)
    table = _table(folder, file, pack_file)
    if table is not None:
        given += sounds.of_table(from_bytes(disk.read(folder / table, table), table), rows)
    pack_file, played_by = players.with_tables(folder, pack_file, file.place, rows)
    pack_file, given, left_out = _elsewhere(pack_file, given, game) if game is not None else (pack_file, given, [])
    try:
        game_profile = loading.load(profile_folder or profile.find(pack_file.game, folder))
    except UsageError as error:
        at = file.place("game") if game is None else file.place("games", game)
        raise IchnosError(error.what, place=at, cure=error.cure) from None
    installation, place, roots = _of_machine(folder, game, game_profile)
    catalogue = _catalogue(folder, game_profile, installation, place)
    given = [_as_spelled(one, catalogue) for one in given] if catalogue is not None else given
    kept = lockfile.load(folder)
    workspace = Workspace(
        folder, file, pack_file, game_profile, catalogue, game=game, installation=installation, roots=roots,
        given={} if installation else kept.of_game(game), numbers=kept.numbers_of(game), played_by=played_by,
    )  # fmt: skip
    filled = sounds.with_defaults(given, pack_file.defaults, workspace.category_of)
    given = [_for_every_file(workspace, placed) for placed in filled]
    workspace = replace(
        workspace,
        pack_file=pack_file.model_copy(update={"sound": tuple(one.sound for one in given)}),
        sounds=tuple(given),
        left_out=tuple(left_out),
        files=tuple(name for name in (FILE_NAME, table, None if installation else LOCK_NAME) if name),
    )
    raise_all([*sound_slips.findings(workspace), *slips.findings(workspace)])
    return workspace


def _of_machine(
    folder: Path, game: str | None, game_profile: Profile
) -> tuple[str | None, Place | None, Mapping[str, str]]:
    """Where the game is installed on this machine, where that is said, and where its other folders are."""
    everything, file = local.load(folder)
    said = everything if game is None else everything.games.get(game, LocalGame())
    if file is None:
        return None, None, {}
    at = () if game is None else ("games", game)
    known = game_profile.rules.roots
    for name in said.roots:
        if name not in known:
            what = f"{game_profile.rules.game.title} has no folder {name} besides its own"
            cure = did_you_mean(known, name, otherwise="leave it out")
            raise IchnosError(what, place=file.place(*at, "roots", name), cure=cure)
    return said.installation, file.place(*at, "installation"), said.roots


def _as_spelled(placed: PlacedSound, catalogue: Catalogue) -> PlacedSound:
    """A sound whose key the game has with its accents spelled in the other way (Unicode, UAX 15)."""
    key = placed.sound.key
    if key.isascii() or key in catalogue:
        return placed
    other = next((name for form in ("NFC", "NFD") if (name := unicodedata.normalize(form, key)) in catalogue), key)
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
    renamed = {placed.sound.key: now.sound.key for placed, now in zip(_named(given, name), found, strict=True)}
    pack = pack_file.pack
    if other.game_version is not None:
        pack = pack.model_copy(update={"game_version": other.game_version})
    changed = {"game": other.game or name, "pack": pack, **pack_file.playing(renamed)}
    return pack_file.model_copy(update=changed), found, left_out


def _named(given: list[PlacedSound], game: str) -> list[PlacedSound]:
    return [placed for placed in given if game in placed.sound.games]


def _catalogue(folder: Path, game_profile: Profile, installation: str | None, place: Place | None) -> Catalogue | None:
    """The game's keys: its installation's, where that is known, else those that are kept."""
    catalogue = library.load(game_profile.identity)
    if not installation:
        return catalogue
    try:
        return _of_installation(game_profile, disk.spelled(folder / installation), catalogue)
    except IchnosError as error:
        cure = misread(installation) or f"{error.cure}; where the game is on this machine stands in {LOCAL_NAME}"
        raise IchnosError(f'installation "{installation}": {error.what}', place=place, cure=cure) from None


def _of_installation(
    game_profile: profile.Profile, installation: Path, catalogue: Catalogue | None
) -> Catalogue | None:
    """The keys of one installation: as kept, where they are its own and it has not changed.

    Where the game's own cannot be read, a list that was harvested counts.
    """
    if not game_profile.rules.catalogue.readable:
        return catalogue
    if catalogue is not None and catalogue.source == str(disk.resolved(installation)) and are_same(catalogue.seen):
        return catalogue
    return harvest(game_profile, installation)
