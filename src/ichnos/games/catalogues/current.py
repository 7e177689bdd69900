"""A game's catalogue as it is now: the kept one, or read again where the game has changed. Light to import."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ichnos.errors import UsageError
from ichnos.files import disk
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.profiles import places

Say = Callable[[str], None]


def find(game: str) -> Path:
    """The folder of a profile: a bundled game's name, a folder, or the name of a game whose keys are kept.

    Raises:
        UsageError: none of them, or two profiles with that name.
    """
    try:
        return places.find(game)
    except UsageError:
        kept = [catalogue for catalogue in library.all_kept() if catalogue.game == game]
        if not kept:
            raise
        if len(kept) > 1:
            named = " or ".join(catalogue.profile for catalogue in kept)
            raise UsageError(f'two profiles call themselves "{game}"', cure=f"name the folder: {named}") from None
        return places.find(kept[0].profile)


def ensure(folder: Path, installation: Path | None, say: Say, on_progress: Say = lambda _: None) -> str:
    """See to it that the catalogue of a profile is kept, and is as the game is now.

    Args:
        folder: the profile's.
        installation: where to read it from, where none is kept.
        say: called with what is done, in a sentence.
        on_progress: called with each readable original.

    Returns:
        What the profile is known by.

    Raises:
        UsageError: no catalogue is kept, and nobody says where the game is.
        IchnosError: the game cannot be read.
    """
    profile = places.identity(folder)
    kept = library.about(profile)
    if kept is None and installation is None:
        raise UsageError(
            f"the keys of {folder.name} are not known yet",
            cure=f"read them from the game: ichnos keys harvest FOLDER --game {folder.name}",
        )
    if kept is not None and kept.is_fresh:
        return profile
    source = kept.source if kept is not None else installation
    assert source is not None
    if kept is not None and not disk.exists(source):
        say(f"{source} is gone: these are the keys that it had.")
        return profile
    say("The game has changed: its keys are read again." if kept else f"Reading {source}.")
    read(folder, source, on_progress)
    return profile


def read(folder: Path, source: Path, on_progress: Say, *, keep: bool = True) -> Catalogue:
    """Read a game's keys through a profile, and keep them. Raises IchnosError where that is no such game."""
    from ichnos.games.catalogues.harvest import harvest
    from ichnos.games.profiles import loading

    profile = loading.load(folder)
    catalogue = harvest(profile, source, on_progress)
    if keep:
        library.save(profile.identity, profile.rules.game.name, catalogue)
    return catalogue
