"""The workspace: a folder with ``ichnos.toml``, the modder's clips, and what is built."""

from __future__ import annotations

import re
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from ichnos.documents.checked import Table, checked
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, WrongCall, raise_all
from ichnos.games import catalogue, profile

FILE_NAME = "ichnos.toml"


def _as_take(value: Any) -> Any:
    return {"clip": value} if isinstance(value, str) else value


def _as_titles(value: Any) -> Any:
    return {"": value} if isinstance(value, str) else value


def _uuid(value: str) -> str:
    try:
        return str(uuid.UUID(value))
    except ValueError:
        raise ValueError("an id such as 123e4567-e89b-42d3-a456-426614174000 is expected") from None


class Take(Table):
    clip: str = Field(min_length=1)
    weight: float | None = Field(default=None, gt=0)


class Sound(Table):
    key: str = Field(min_length=1)
    takes: tuple[Annotated[Take, BeforeValidator(_as_take)], ...] = Field(min_length=1)
    new: bool = False
    title: Annotated[dict[str, str], BeforeValidator(_as_titles)] = {}
    category: str | None = None
    volume: float | None = Field(default=None, ge=0)


class Pack(Table):
    title: str = Field(min_length=1)
    name: str = Field(pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$")
    version: str = Field(pattern=r"^\d+\.\d+\.\d+$")
    game_version: str
    summary: str | None = None
    author: str | None = None
    licence: str | None = None
    language: str = Field(default="en", pattern=r"^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$")


class PackFile(Table):
    """What ``ichnos.toml`` says."""

    format: Literal[1]
    game: str
    installation: str | None = None
    pack: Pack
    ids: dict[str, Annotated[str, BeforeValidator(_uuid)]] = {}
    sound: tuple[Sound, ...] = ()


@dataclass(frozen=True)
class Workspace:
    """A workspace, read: its file, its game's profile, and the game's catalogue where one is known."""

    folder: Path
    file: TomlFile
    pack_file: PackFile
    profile: profile.Profile
    catalogue: catalogue.Catalogue | None

    def clip_path(self, clip: str) -> Path:
        return self.folder / clip

    def shown(self, path: Path) -> str:
        """A path as messages call it: relative to the workspace where it lies inside."""
        return path.relative_to(self.folder).as_posix() if path.is_relative_to(self.folder) else str(path)


def find_folder(start: Path) -> Path:
    """The workspace that ``start`` is, or lies in.

    Raises:
        WrongCall: there is none.
    """
    for folder in (start.absolute(), *start.absolute().parents):
        if (folder / FILE_NAME).is_file():
            return folder
    raise WrongCall(
        f"{start.absolute()} is not in a workspace: there is no {FILE_NAME} here or above",
        cure="go into a workspace, or make one: ichnos start FOLDER --game GAME",
    )


def load(folder: Path) -> Workspace:
    """Read a workspace.

    Raises:
        IchnosError: with line and column, whatever in the file is not as it must be.
    """
    path = folder / FILE_NAME
    file = TomlFile(path.read_bytes(), FILE_NAME)
    pack_file = checked(PackFile, file)
    try:
        game_profile = profile.load(profile.find(pack_file.game, folder))
    except WrongCall as error:
        raise IchnosError(error.what, place=file.place("game"), cure=error.cure) from None
    known = None
    if pack_file.installation:
        try:
            known = catalogue.harvest(game_profile, folder / pack_file.installation)
        except IchnosError as error:
            raise IchnosError(error.what, place=file.place("installation"), cure=error.cure) from None
    workspace = Workspace(folder, file, pack_file, game_profile, known)
    raise_all(list(_slips(workspace)))
    return workspace


def _slips(workspace: Workspace) -> Any:
    """What the model cannot see: keys given twice, and keys that the game does not have."""
    seen: dict[str, int] = {}
    for index, sound in enumerate(workspace.pack_file.sound):
        place = workspace.file.place("sound", index, "key")
        if sound.key in seen:
            first = workspace.file.place("sound", seen[sound.key], "key").line
            yield IchnosError(
                f'the key "{sound.key}" is already given in line {first}',
                place=place,
                cure="put all its clips into one list: takes = [...]",
            )
            continue
        seen[sound.key] = index
        yield from key_slips(workspace.profile, workspace.catalogue, sound.key, sound.new, place)


def key_slips(
    game_profile: profile.Profile, known: catalogue.Catalogue | None, key: str, new: bool, place: Place | None
) -> Any:
    """What is wrong with a key, in this game: yields at most one IchnosError."""
    title = game_profile.rules.game.title
    modes = game_profile.rules.modes
    if new and not modes.new:
        yield IchnosError(f"{title} cannot take new keys", place=place, cure="replace a key that the game has")
    elif not new and modes.replace == "no":
        yield IchnosError(f"{title} cannot have its own keys replaced", place=place, cure="say new = true")
    elif known is not None and new and key in known:
        yield IchnosError(
            f'"{key}" is not new: {title} has that key', place=place, cure="replace it (new = false), or choose another"
        )
    elif known is not None and not new and key not in known:
        nearest = " or ".join(known.nearest(key))
        yield IchnosError(
            f'{title} has no key "{key}"',
            place=place,
            cure=f"did you mean {nearest}? For a key of your own, say --new, or new = true in the file",
        )


def short_name(title: str) -> str:
    """A pack's short name from its title: small ASCII letters, digits and hyphens."""
    from anyascii import anyascii

    return re.sub(r"[^a-z0-9]+", "-", anyascii(title).lower()).strip("-") or "pack"
