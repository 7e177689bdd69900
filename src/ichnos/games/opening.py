"""A pack or a game as it lies on the disk, and through which profile it is read."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.files.paths import windows_refuses
from ichnos.files.sources import Files, Inside, files_at
from ichnos.games.entries.packs import PackReading, read_pack
from ichnos.games.pristine import game_tree
from ichnos.games.profiles import loading, places
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import all_entry_scopes


@dataclass(frozen=True)
class Opened:
    """A finished pack, or an installed game, and the profile that it is read through."""

    path: Path
    profile: Profile
    files: Files
    is_game: bool = False

    @cached_property
    def reading(self) -> PackReading:
        """What it says."""
        return read_pack(self.profile, self.files)

    @property
    def understood(self) -> int:
        """How many of its documents say something through the profile."""
        by_document = self.reading.by_document.values()
        return sum(
            bool(one.values or any(one.of(scope) for scope in all_entry_scopes(one.inside))) for one in by_document
        )


def opened(profile: Profile, path: Path) -> Files:
    """A pack as found on disk; where packs are folders, and this one is sent as an archive, the folder in it.

    Raises:
        IchnosError: there is nothing there, or it is neither a folder nor a zip archive.
    """
    files = files_at(path)
    names = files.names()
    top = names[0].partition("/")[0] if names else ""
    patterns = [exemplar.path for exemplar in profile.documents] or profile.sound_paths
    if (
        profile.rules.packaging.kind != "folder"
        or disk.is_folder(path)
        or top in ("", ".", "..")
        or windows_refuses(top)
        or not all(name.startswith(f"{top}/") for name in names)
        or any(own.match(name) is not None for own in patterns for name in names)
    ):
        return files
    return Inside(files, top)


def through(profile: Profile, path: Path) -> Opened:
    """A pack, or an installed game, through a profile: whichever it is.

    Raises:
        IchnosError: there is nothing there, or it is neither a folder nor a zip archive.
    """
    as_pack = Opened(path, profile, opened(profile, path))
    catalogue = profile.rules.catalogue
    is_elsewhere = catalogue.folder or catalogue.paths
    names = as_pack.files.names()
    may_be_game = catalogue.archives or (is_elsewhere and any(name.startswith(catalogue.prefix) for name in names))
    if as_pack.understood or not may_be_game:
        return as_pack
    as_game = Opened(path, profile, game_tree(path, profile), is_game=True)
    if as_game.understood or profile.by_path_alone:
        as_pack.files.close()
        return as_game
    return as_pack


def recognised(path: Path, game: str | None = None) -> Opened:
    """A pack or an installed game, through the profile that is named, or through the known one that understands it.

    Raises:
        IchnosError: no known profile understands it, or several do.
        UsageError: there is no profile of that name.
    """
    if game is not None:
        return through(loading.load(places.find(game)), path)
    openeds: list[Opened] = []
    broken: list[str] = []
    for folder in places.known():
        try:
            one = through(loading.load(folder), path)
        except IchnosError as error:
            if error.place is None or not error.place.path.startswith(str(folder)):
                raise
            broken.append(folder.name)  # no reason not to read a pack of another game
            continue
        if one.understood:
            openeds.append(one)
        else:
            one.files.close()
    openeds.sort(key=_rank, reverse=True)
    place = Place(str(path))
    if not openeds:
        names = ", ".join(folder.name for folder in places.known())
        also = f"; the profile of {' and '.join(broken)} cannot be read" if broken else ""
        raise IchnosError(
            f"no game that is known has such packs ({names}{also})",
            place=place,
            cure="name the game's profile: --game FOLDER; or have one drafted from this pack: ichnos learn",
        )
    if len(openeds) > 1 and _rank(openeds[0]) == _rank(openeds[1]):
        both = " and ".join(one.profile.rules.game.name for one in openeds[:2])
        raise IchnosError(f"this could be a pack for {both}", place=place, cure="say which: --game NAME")
    for other in openeds[1:]:
        other.files.close()
    return openeds[0]


def _rank(one: Opened) -> tuple[int, int, int]:
    """How well a profile understands a pack."""
    reading = one.reading
    odd = len(reading.strange) + len(reading.broken) + len(reading.absent)
    return one.understood - odd, -odd, -sum(reading.unknown.values())
