"""What a workspace is told of one machine alone: where games are installed. It stays behind when the workspace goes."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import tomlkit
from pydantic import AfterValidator, Field

from ichnos.documents.checked import TomlTable, checked
from ichnos.documents.toml import TomlFile
from ichnos.files import disk
from ichnos.pack.workspace.folder import LOCAL_NAME

_HEAD = "# Of this machine alone: leave this file out when you hand the workspace on.\n"

FolderName = Annotated[str, AfterValidator(disk.from_home)]


class LocalGame(TomlTable):
    installation: FolderName | None = Field(default=None, description="where that game is installed")
    roots: dict[str, FolderName] = Field(default={}, description="where the folders are that its profile has besides")


class Local(TomlTable):
    """What ``ichnos.local.toml`` says."""

    installation: FolderName | None = Field(
        default=None, description="where the game is installed: keys are checked against its own"
    )
    roots: dict[str, FolderName] = Field(
        default={}, description="[roots]: where the folders are that its profile has besides, such as the player's own"
    )
    games: dict[str, LocalGame] = Field(default={}, description="[games.NAME]: the same of the workspace's other games")


def load(folder: Path) -> tuple[Local, TomlFile | None]:
    """What is said of this machine, and the file that says it; nothing without one.

    Raises:
        IchnosError: with line and column, whatever is not as it must be.
    """
    path = folder / LOCAL_NAME
    if not disk.is_file(path):
        return Local(), None
    file = TomlFile(disk.read(path, LOCAL_NAME), LOCAL_NAME)
    return checked(Local, file), file


def text_of(installation: str) -> str:
    """The text of a new file."""
    return f"{_HEAD}installation = {tomlkit.string(installation).as_string()}\n"
