"""Where game profiles are, and what each is known by. Light to import."""

from __future__ import annotations

from pathlib import Path

from ichnos.errors import UsageError
from ichnos.files import disk
from ichnos.files.user import data_folder
from ichnos.likeness import NEAR, did_you_mean

BUNDLED = Path(__file__).parent.parent / "bundled"  # made up
SYSTEMS = Path(__file__).parent.parent / "systems"  # real ones, which Ichnos is tried on


def bundled_names() -> list[str]:
    """The made-up games that ship with Ichnos."""
    return _names_in(BUNDLED)


def system_names() -> list[str]:
    """The real games and systems whose profiles ship with Ichnos."""
    return _names_in(SYSTEMS)


def shipped() -> list[Path]:
    """The folders of all profiles that ship with Ichnos."""
    return [*(BUNDLED / name for name in bundled_names()), *(SYSTEMS / name for name in system_names())]


def _names_in(folder: Path) -> list[str]:
    return [name for name in disk.names(folder) if disk.is_file(folder / name / "game.toml")]


def kept_folder() -> Path:
    """Where the profiles lie that are kept for the user."""
    return data_folder() / "games"


def kept_names() -> list[str]:
    """The games whose profiles are kept for the user."""
    folder = kept_folder()
    names = disk.names(folder) if disk.is_folder(folder) else []
    return [name for name in names if not name.startswith(".") and disk.is_file(folder / name / "game.toml")]


def known() -> list[Path]:
    """The folders of all profiles that are found by their names: those that ship with Ichnos, and the kept ones."""
    return [*shipped(), *(kept_folder() / name for name in kept_names())]


def find(game: str, beside: Path | None = None) -> Path:
    """The folder of a profile: of a bundled game, a folder (relative to ``beside``), or one that is kept for the user.

    A folder comes before a kept one, so that a workspace means the same whatever is kept.

    Raises:
        UsageError: none of them; with the nearest name.
    """
    for shipped_in in (BUNDLED, SYSTEMS) if "/" not in game and "\\" not in game else ():
        if disk.is_file(shipped_in / game / "game.toml"):
            return shipped_in / game
    folder = (beside or Path()) / game
    if disk.is_file(folder / "game.toml"):
        return folder
    kept = kept_names()
    if game in kept:
        return kept_folder() / game
    names = [*bundled_names(), *system_names(), *kept]
    also = ", nor one that is kept for you" if kept else ""
    raise UsageError(
        f'there is no game profile "{game}": it is neither a bundled game nor a folder with a game.toml{also}',
        cure=did_you_mean(names, game, 1, least=NEAR, otherwise=f"games: {', '.join(names)}"),
    )


def identity(folder: Path) -> str:
    """What a profile is known by: a bundled one by its name, any other by its folder, whatever it calls itself."""
    return f"bundled:{folder.name}" if folder.parent in (BUNDLED, SYSTEMS) else str(disk.resolved(folder))
