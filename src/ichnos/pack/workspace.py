"""The workspace: a folder with ``ichnos.toml``, the modder's clips, and what is built."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_validator

from ichnos.audio import treatments
from ichnos.audio.forms import Choice
from ichnos.audio.treatments import Step
from ichnos.documents.checked import Table, checked
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, WrongCall, raise_all
from ichnos.games import kept, profile
from ichnos.games.catalogue import Catalogue, nearest
from ichnos.games.files import Folder
from ichnos.games.harvest import harvest
from ichnos.games.originals import Originals

FILE_NAME = "ichnos.toml"


def _as_take(value: Any) -> Any:
    return {"clip": value} if isinstance(value, str) else value


def _as_slot(value: Any) -> Any:
    return {"key": value} if isinstance(value, str) else value


def _as_titles(value: Any) -> Any:
    return {"": value} if isinstance(value, str) else value


def _uuid(value: Any) -> str:
    try:
        return str(uuid.UUID(str(value)))
    except ValueError:
        raise ValueError("an id such as 123e4567-e89b-42d3-a456-426614174000 is expected") from None


class Take(Table):
    clip: str = Field(min_length=1, description="the clip's file, as seen from the workspace")
    weight: float | None = Field(default=None, gt=0, description="how often it is picked against the others")


class Sound(Table):
    key: str = Field(min_length=1, description="the game's sound key, or one of your own")
    takes: tuple[Annotated[Take, BeforeValidator(_as_take)], ...] = Field(
        default=(), description="your clips for it: file names, or tables with a weight; one is picked at random"
    )
    parts: dict[str, str] = Field(default={}, description="a clip for each named part, such as intro and body")
    new: bool = Field(default=False, description="the key is your own: the game does not have it")
    like: str | None = Field(
        default=None, description="a key of the game: the new entry starts as a copy of that one's text"
    )
    title: Annotated[dict[str, str], BeforeValidator(_as_titles)] = Field(
        default={}, description='what players read: a text, or one for each language: {en = "...", de = "..."}'
    )
    category: str | None = Field(default=None, description="the sound's category; else the one that the game gives it")
    volume: float | None = Field(default=None, ge=0, description="1 is as it is")
    pitch: float | None = Field(default=None, gt=0, description="1 is as it is, 2 an octave up")
    near: float | None = Field(default=None, ge=0, description="up to this distance it is at full level")
    far: float | None = Field(default=None, ge=0, description="from this distance on it is not heard")
    nearby: bool | None = Field(default=None, description="is it heard at its place in the world, and not everywhere?")
    priority: float | None = Field(default=None, description="which sounds are kept when too many play")
    loop: bool | None = Field(default=None, description="does it play again and again?")
    fade: float | None = Field(default=None, ge=0, description="how long it fades out, in seconds")
    voices: int | None = Field(default=None, ge=1, description="how many of it may play at once")
    treatment: str | None = Field(default=None, description="what is done to its clips: of your own, or a bundled one")
    mono: Choice = Field(
        default="auto",
        description="of a stereo clip that becomes mono: mix, left, right, or auto: the mix unless its sides cancel",
    )

    @model_validator(mode="after")
    def _has_clips(self) -> Sound:
        if not self.takes and not self.parts:
            raise ValueError('a sound needs takes = ["a clip"], or parts')
        return self

    def clips(self) -> list[tuple[str, tuple[str | int, ...]]]:
        """Each clip of the sound, with its path inside the sound's table."""
        takes = [(take.clip, ("takes", number)) for number, take in enumerate(self.takes)]
        return [*takes, *((clip, ("parts", name)) for name, clip in self.parts.items())]


class Trigger(Table):
    name: str = Field(min_length=1, description="the trigger's own name")
    event: str = Field(min_length=1, description="what has to happen, in the game's own words")
    key: str = Field(description="the key that it plays, of this pack or of the game")
    where: str | None = Field(default=None, description="the area or thing that it happens at")
    once: bool = Field(default=False, description="only the first time?")


class Carrier(Table):
    name: str = Field(min_length=1, description="the carrier's own name")
    title: str = Field(description="what players call it")
    key: str = Field(description="the key that it plays, of this pack or of the game")
    text: str | None = Field(default=None, description="what players read of it")
    picture: str | None = Field(default=None, description="its picture's file, copied as it is")


class Slot(Table):
    key: str = Field(description="the key that it plays, of this pack or of the game")
    kind: Literal["track", "announcement"] = Field(default="track", description="what the slot is")


class Rotation(Table):
    name: str = Field(min_length=1, description="the rotation's own name")
    slots: tuple[Annotated[Slot, BeforeValidator(_as_slot)], ...] = Field(
        min_length=1, description="what it plays: keys, or tables with a kind"
    )
    after: int | None = Field(default=None, ge=1, description="an announcement only after so many tracks")
    apart: int | None = Field(default=None, ge=0, description="no announcement again until so many others were heard")


class Pack(Table):
    title: str = Field(min_length=1, description="the pack's title, as players see it")
    name: str = Field(
        pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$",
        description="short, in small letters; used in file names so that none collide",
    )
    version: str = Field(pattern=r"^\d+\.\d+\.\d+$", description="three numbers (SemVer)")
    game_version: str = Field(description="the version of the game that the pack is for")
    summary: str | None = Field(default=None, description="what the pack is, in a sentence")
    author: str | None = Field(default=None, description="who made it")
    licence: str | None = Field(default=None, description="an SPDX expression")
    icon: str | None = Field(
        default=None, description="a picture's file; without it, one is drawn where the game shows one"
    )
    language: str = Field(
        default="en",
        pattern=r"^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$",
        description="of titles that do not say theirs, a BCP 47 tag",
    )


class PackFile(Table):
    """What ``ichnos.toml`` says."""

    format: Literal[1] = Field(description="the edition of this file's format")
    game: str = Field(description="a bundled game, or a profile's folder as seen from the workspace")
    installation: str | None = Field(
        default=None, description="where the game is installed: keys are checked against its own"
    )
    pack: Pack = Field(description="what the pack is")
    ids: dict[str, Annotated[str, BeforeValidator(_uuid)]] = Field(
        default={}, description="[ids]: minted once for the pack, never shared with another"
    )
    treatment: dict[str, tuple[Step, ...]] = Field(
        default={}, description='[treatment]: NAME = [{step = "gain", db = -6}, ...]; what is done to clips, in order'
    )
    sound: tuple[Sound, ...] = Field(default=(), description="[[sound]]: one for each key")
    trigger: tuple[Trigger, ...] = Field(default=(), description="[[trigger]]: what plays a sound when")
    carrier: tuple[Carrier, ...] = Field(default=(), description="[[carrier]]: a thing in the game that plays a sound")
    rotation: tuple[Rotation, ...] = Field(
        default=(), description="[[rotation]]: a schedule of tracks with announcements between them"
    )

    def steps(self, name: str | None) -> tuple[Step, ...]:
        """The steps of a treatment, of the pack's own or bundled; none without a name.

        Raises:
            KeyError: there is no such treatment.
        """
        if name is None:
            return ()
        return self.treatment[name] if name in self.treatment else treatments.BUNDLED[name][1]

    def played(self) -> list[tuple[str, tuple[str | int, ...]]]:
        """Each key that something plays, with the path of the field that names it."""
        return [
            *((one.key, ("trigger", index, "key")) for index, one in enumerate(self.trigger)),
            *((one.key, ("carrier", index, "key")) for index, one in enumerate(self.carrier)),
            *(
                (slot.key, ("rotation", index, "slots", number))
                for index, one in enumerate(self.rotation)
                for number, slot in enumerate(one.slots)
            ),
        ]


@dataclass(frozen=True)
class Workspace:
    """A workspace, read: its file, its game's profile, and the game's catalogue where one is known."""

    folder: Path
    file: TomlFile
    pack_file: PackFile
    profile: profile.Profile
    catalogue: Catalogue | None

    def originals(self) -> Originals:
        """The game's own documents."""
        rules = self.profile.rules
        installation = self.pack_file.installation
        folder = self.folder / installation / rules.catalogue.folder if installation else None
        return Originals(Folder(folder) if folder else None, rules.names.separator)

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
    known = kept.load(game_profile.rules.game.name)
    if pack_file.installation:
        try:
            known = _of_installation(game_profile, folder / pack_file.installation, known)
        except IchnosError as error:
            raise IchnosError(error.what, place=file.place("installation"), cure=error.cure) from None
    workspace = Workspace(folder, file, pack_file, game_profile, known)
    raise_all(list(_slips(workspace)))
    return workspace


def _of_installation(game_profile: profile.Profile, installation: Path, known: Catalogue | None) -> Catalogue:
    """The keys of one installation: as kept, where they are its own and it has not changed."""
    if known is not None and known.source == str(installation.resolve()) and kept.is_fresh(known):
        return known
    return harvest(game_profile, installation)


def _slips(workspace: Workspace) -> Iterator[IchnosError]:
    """What the model cannot see: keys given twice, keys that the game does not have, what it cannot do."""
    seen: dict[str, int] = {}
    known = workspace.catalogue
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
        yield from key_slips(workspace.profile, known, sound.key, sound.new, place)
        if sound.treatment is not None:
            yield from _no_treatment(workspace, sound.treatment, workspace.file.place("sound", index, "treatment"))
        yield from _impossible(workspace, index, sound)
    for key, path in workspace.pack_file.played():
        if key not in seen and known is not None and key not in known:
            yield IchnosError(
                f'there is no sound "{key}" to play, neither in this pack nor in the game',
                place=workspace.file.place(*path),
                cure=f"did you mean {' or '.join(nearest([*seen, *known.keys], key))}?",
            )


def _no_treatment(workspace: Workspace, name: str, place: Place | None) -> Iterator[IchnosError]:
    names = [*workspace.pack_file.treatment, *treatments.BUNDLED]
    if name not in names:
        near = " or ".join(nearest(names, name))
        yield IchnosError(f'there is no treatment "{name}"', place=place, cure=f"did you mean {near}?")


def too_many_takes(game_profile: profile.Profile, key: str, count: int, place: Place | None) -> Iterator[IchnosError]:
    """What is wrong with so many takes of one key, in this game: at most one thing."""
    if count > 1 and not game_profile.rules.takes.several:
        yield IchnosError(
            f"{game_profile.rules.game.title} has one take for each key, and {key} would have {count}",
            place=place,
            cure="keep one of the clips",
        )


def _impossible(workspace: Workspace, index: int, sound: Sound) -> Iterator[IchnosError]:
    """What this game cannot do with a sound."""
    rules, file = workspace.profile.rules, workspace.file
    title = rules.game.title
    yield from too_many_takes(workspace.profile, sound.key, len(sound.takes), file.place("sound", index, "takes"))
    for name in sound.parts:
        if name not in rules.parts.names:
            yield IchnosError(
                f"{title} knows no part {name!r}",
                place=file.place("sound", index, "parts", name),
                cure=f"its parts are: {', '.join(rules.parts.names)}" if rules.parts.names else "give the sound takes",
            )
    if sound.like is None:
        return
    place, known = file.place("sound", index, "like"), workspace.catalogue
    if known is None or workspace.pack_file.installation is None:
        what = f'{sound.key} is to be like "{sound.like}", and the text of that is in {title}\'s own files'
        yield IchnosError(what, place=place, cure='say where the game is installed: installation = "..."')
    elif sound.like not in known:
        what = f'{sound.key} is to be like "{sound.like}", and {title} has no such key'
        yield IchnosError(what, place=place, cure=f"did you mean {' or '.join(known.nearest(sound.like))}?")


def key_slips(
    game_profile: profile.Profile, known: Catalogue | None, key: str, new: bool, place: Place | None
) -> Iterator[IchnosError]:
    """What is wrong with a key, in this game: at most one thing."""
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
