"""Where game profiles are, and what each is known by. Light to import."""

from __future__ import annotations

from pathlib import Path

from ichnos.errors import UsageError
from ichnos.files import disk

BUNDLED = Path(__file__).parent.parent / "bundled"


def bundled_names() -> list[str]:
    """The games that ship with Ichnos."""
    return [name for name in disk.names(BUNDLED) if disk.is_file(BUNDLED / name / "game.toml")]


def find(game: str, beside: Path | None = None) -> Path:
    """The folder of a profile, from a bundled game's name or a folder (relative to ``beside``).

    Raises:
        UsageError: neither; with the nearest bundled name.
    """
    if "/" not in game and "\\" not in game and disk.is_file(BUNDLED / game / "game.toml"):
        return BUNDLED / game
    folder = (beside or Path()) / game
    if disk.is_file(folder / "game.toml"):
        return folder
    from rapidfuzz import process

    near = process.extractOne(game, bundled_names(), score_cutoff=60)
    raise UsageError(
        f'there is no game profile "{game}": it is neither a bundled game nor a folder with a game.toml',
        cure=f"did you mean {near[0]}?" if near else f"bundled games: {', '.join(bundled_names())}",
    )


def identity(folder: Path) -> str:
    """What a profile is known by: a bundled one by its name, any other by its folder, whatever it calls itself."""
    return f"bundled:{folder.name}" if folder.parent == BUNDLED else str(disk.resolved(folder))
