"""A workspace's folder: where it is, and where its clips and what is kept in it are. Light to import."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.locks import locked
from ichnos.files.writing import sweep
from ichnos.games.profiles.vocabulary import OWN, player_scopes
from ichnos.likeness import NEAR, nearest

FILE_NAME = "ichnos.toml"
LOCAL_NAME = "ichnos.local.toml"  # of this machine alone
LOCK_NAME = "ichnos.lock"  # what the game's own definitions gave to the pack
TABLE_NAME = "sounds.csv"
SILENT_CLIP = ":silence"  # stands for a clip that ships with Ichnos; no file's name begins with a colon everywhere
PRIVATE = ".ichnos"  # what Ichnos keeps for itself, all of which can be made anew

_SILENCE = Path(__file__).parent / "silence.wav"  # a tenth of a second of it


def find_folder(start: Path) -> Path:
    """The workspace that ``start`` is, or lies in.

    Raises:
        UsageError: there is none, or no such folder.
    """
    if not disk.is_folder(start):
        raise UsageError(f"there is no folder {start}", cure="correct the name")
    for folder in (start.absolute(), *start.absolute().parents):
        if disk.is_file(folder / FILE_NAME):
            if disk.exists(private_path(folder, "release.json")):
                with lock(folder):
                    pass
            return folder
    raise UsageError(
        f"{start.absolute()} is not in a workspace: there is no {FILE_NAME} here or above",
        cure="go into a workspace, or make one: ichnos start FOLDER --game GAME",
    )


def usual_output(folder: Path, game: str | None) -> Path:
    """Where packs go: build/ in the workspace, and a folder in it for each other game."""
    return folder / "build" / game if game else folder / "build"


def table_names(own: Iterable[str] = ()) -> dict[str, str]:
    """The tables that are read without being named, by the scope of what is in them.

    Args:
        own: the scopes that the game's profile declares.
    """
    return {scope: f"{scope.removeprefix(OWN)}s.csv" for scope in (*player_scopes(), *own)}


def clip_path(folder: Path, clip: str) -> Path:
    """Where a clip of a workspace is."""
    if clip == SILENT_CLIP:
        return _SILENCE
    return disk.spelled(folder / clip)


def private_path(folder: Path, *names: str) -> Path:
    """Where something is kept in a workspace. Raises IchnosError where a link would lead out of it."""
    path = folder / PRIVATE
    for name in ("", *names):
        path = path / name if name else path
        if disk.is_link(path):
            raise IchnosError("this must be a file or a folder, not a link", place=Place(str(path)), cure="delete it")
    return path


@contextmanager
def lock(folder: Path, on_wait: Callable[[], None] = lambda: None) -> Iterator[None]:
    """Held by whoever changes a workspace or builds it. ``on_wait``: called where another process has it.

    A release that was cut short is finished first, and what killed processes left is swept away.
    """
    with locked(private_path(folder, "lock"), on_wait):
        _finish_release(folder)
        sweep(private_path(folder))
        sweep(folder, (FILE_NAME, LOCK_NAME, "CHANGES.md"))  # anything else here could be somebody's who holds no lock
        yield


def _finish_release(folder: Path) -> None:
    if disk.exists(private_path(folder, "release.json")):
        from ichnos.pack.workspace import unfinished

        unfinished.finish(folder, private_path(folder))


def nearest_file(folder: Path, missing: Path) -> str | None:
    """The file whose name is most like a missing one's: beside it, or anywhere in its folder."""
    beside = missing.parent if disk.is_folder(missing.parent) else folder
    paths = [beside / name for name in disk.names(beside) if not name.startswith(".")]
    names = {path.name: path for path in paths if disk.is_file(path)}
    near = nearest(names, missing.name, 1, NEAR)
    if not near:
        return None
    path = names[near[0]]
    return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else str(path)
