"""What a person writes: the models of ``ichnos.toml``."""

from __future__ import annotations

import fnmatch
import re
import uuid
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from ichnos.audio.files.forms import Choice
from ichnos.audio.process import treatments
from ichnos.audio.process.treatments import Step
from ichnos.documents.checked import TomlTable
from ichnos.files.paths import is_plain, windows_refuses
from ichnos.pack.workspace.folder import LOCAL_NAME, SILENT_CLIP


def _as_take(value: Any) -> Any:
    return {"clip": value} if isinstance(value, str) else value


def _as_entry(value: Any) -> Any:
    return {"key": value} if isinstance(value, str) else value


def _as_titles(value: Any) -> Any:
    return {"": value} if isinstance(value, str) else value


def _with_slashes(path: str) -> str:
    return path.replace("\\", "/")


def _uuid(value: Any) -> str:
    try:
        return str(uuid.UUID(str(value)))
    except ValueError:
        raise ValueError("an id such as 123e4567-e89b-42d3-a456-426614174000 is expected") from None


Spoken = Annotated[dict[str, str], BeforeValidator(_as_titles, json_schema_input_type=str | dict[str, str])]
Fields = dict[str, str | bool | int | float]
FileName = Annotated[str, AfterValidator(_with_slashes)]  # a file's, as seen from the workspace; either slash will do


class Take(TomlTable):
    clip: FileName | None = Field(default=None, min_length=1, description="the clip's file, as seen from the workspace")
    volume: float | None = Field(default=None, ge=0, le=10, description="of this take; 1 is as it is")
    pitch: float | None = Field(default=None, gt=0, description="of this take; 1 is as it is, 2 an octave up")
    from_disk: bool | None = Field(
        default=None, description="does the game play it from the disk, and not load it whole?"
    )
    kept: bool = Field(default=False, description="instead of a clip: the game's own file in this place stays")
    weight: float | None = Field(default=None, gt=0, description="how often it is picked against the others")

    @model_validator(mode="after")
    def _is_one(self) -> Take:
        if (self.clip is None) is not self.kept:
            raise ValueError("a take is a clip, or {kept = true} for the game's own file in that place")
        return self


class Settings(TomlTable):
    """What can be said of a sound, of all sounds like it, and of it in another game."""

    category: str | None = Field(default=None, description="the sound's category; else the one that the game gives it")
    kind: str | None = Field(
        default=None, description="which kind of the game's sounds it is, where neither category nor key says it"
    )
    volume: float | None = Field(default=None, ge=0, le=10, description="1 is as it is, 0.5 is half of it")
    pitch: float | None = Field(default=None, gt=0, description="1 is as it is, 2 an octave up")
    near: float | None = Field(default=None, ge=0, description="up to this distance it is at full level")
    far: float | None = Field(default=None, ge=0, description="from this distance on it is not heard")
    positional: bool | None = Field(
        default=None, description="is it heard at its place in the world, and not everywhere?"
    )
    priority: float | None = Field(default=None, description="which sounds are kept when too many play")
    loop: bool | None = Field(default=None, description="does it play again and again?")
    fade: float | None = Field(default=None, ge=0, description="how long it fades out, in seconds")
    voices: int | None = Field(default=None, ge=1, description="how many of it may play at once")
    treatment: str | None = Field(default=None, description="what is done to its clips: of your own, or a bundled one")
    mono: Choice | None = Field(
        default=None,
        description="of a stereo clip that becomes mono: mix, left, right, or auto: the mix unless out of phase",
    )
    fields: dict[str, str | bool | int | float] = Field(
        default={}, description="what this game's profile asks for besides: @field.NAME@"
    )


def _folder_names(games: dict[str, Any]) -> dict[str, Any]:
    for name in games:
        if "/" in name or not is_plain(name) or windows_refuses(name):
            raise ValueError(f"{name!r} cannot be a folder's name, and packs for that game go into one")
    return games


class Defaults(Settings):
    keys: tuple[str, ...] = Field(default=(), description="for keys like these; * stands for anything")
    categories: tuple[str, ...] = Field(default=(), description="for sounds of these categories; neither: for all")

    def fits(self, key: str, category: str | None) -> bool:
        """Are they for such a sound?"""
        everything = not self.keys and not self.categories
        by_key = any(fnmatch.fnmatchcase(key, pattern) for pattern in self.keys)
        return everything or by_key or category in self.categories


class Elsewhere(Settings):
    key: str | None = Field(default=None, min_length=1, description="its key there; without it, the same")
    new: bool | None = Field(default=None, description="is the key your own there?")
    like: str | None = Field(default=None, description="a key of that game to start from")


class Sound(Settings):
    key: str = Field(min_length=1, description="the game's sound key, or one of your own")
    takes: tuple[Annotated[Take, BeforeValidator(_as_take, json_schema_input_type=str | Take)], ...] = Field(
        default=(), description="your clips for it: file names, or tables with a weight; one is picked at random"
    )
    parts: dict[str, FileName] = Field(default={}, description="a clip for each named part, such as intro and body")
    silent: bool = Field(default=False, description="the key is silenced on purpose: it needs no clip")
    new: bool = Field(default=False, description="the key is your own: the game does not have it")
    like: str | None = Field(
        default=None, description="a key of the game: the new entry starts as a copy of that one's text"
    )
    fresh: bool = Field(
        default=False,
        description="the key's entry starts from nothing: what the game's own says, and you do not, is left out",
    )
    every_file: bool = Field(
        default=False,
        description="where a key is replaced file by file: its clips, in turn, stand in the place of all of its files",
    )
    file: str | None = Field(
        default=None,
        min_length=1,
        description="what its files are called, without folder and extension; else the game's profile names them",
    )
    title: Spoken = Field(
        default={}, description='what players read: a text, or one for each language: {en = "...", de = "..."}'
    )
    note: str | None = Field(default=None, description="for yourself; it goes nowhere")
    games: dict[str, Elsewhere] = Field(
        default={}, description='what is otherwise in another game: {quillmarsh = {key = "..."}}; {} if nothing is'
    )

    @model_validator(mode="after")
    def _has_clips(self) -> Sound:
        if self.silent and (self.takes or self.parts):
            raise ValueError("a silent sound has no takes and no parts")
        if not self.takes and not self.parts and not self.silent and (self.new or not self.title):
            raise ValueError('a sound needs takes = ["a clip"], or parts, or silent = true (or a new title alone)')
        if self.takes and all(take.kept for take in self.takes) and not self.parts:
            raise ValueError("all of its files are the game's own: leave the sound out")
        return self

    def take_clips(self) -> list[tuple[int, str, tuple[str | int, ...]]]:
        """The number (from 1) and the clip of each take that has one, with its path inside the sound's table.

        A silent sound has one, of silence, or as many as it has files in the game.
        """
        if self.silent and not self.takes:
            return [(1, SILENT_CLIP, ("silent",))]
        return [
            (number, take.clip, ("takes", number - 1))
            for number, take in enumerate(self.takes, 1)
            if take.clip is not None
        ]

    def clips(self) -> list[tuple[str, tuple[str | int, ...]]]:
        """Each clip of the sound, with its path inside the sound's table."""
        return [
            *((clip, at) for _, clip, at in self.take_clips()),
            *((clip, ("parts", name)) for name, clip in self.parts.items()),
        ]


class Trigger(TomlTable):
    name: str = Field(min_length=1, description="the trigger's own name")
    event: str = Field(min_length=1, description="what has to happen, in the game's own words")
    key: str = Field(description="the key that it plays, of this pack or of the game")
    where: str | None = Field(default=None, description="the area or thing that it happens at")
    does: Literal["play", "stop", "fade-out"] = Field(default="play", description="what it does with the sound")
    from_: str | None = Field(
        default=None,
        alias="from",
        min_length=1,
        description="the object that it is heard from, fainter with distance; without one everybody hears it",
    )
    state: str | None = Field(
        default=None, min_length=1, description="only where this state of a thing reaches a value"
    )
    reaches: str | bool | int | float | None = Field(default=None, description="the value")
    once: bool = Field(default=False, description="only the first time?")
    delay: float | None = Field(default=None, ge=0, description="how long after the event, in seconds")
    fade: float | None = Field(default=None, ge=0, description="how long it fades in, or out, in seconds")
    volume: float | None = Field(default=None, ge=0, le=10, description="how loud it plays from here; 1 is as it is")
    odds: float | None = Field(default=None, gt=0, le=1, description="how likely it does anything, from 0 to 1")
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @trigger.field.NAME@")

    @model_validator(mode="after")
    def _is_whole(self) -> Trigger:
        if (self.state is None) is not (self.reaches is None):
            raise ValueError('a state and the value that it reaches go together: state = "...", reaches = "..."')
        return self


class Prop(TomlTable):
    name: str = Field(min_length=1, description="the prop's own name")
    title: Spoken = Field(
        min_length=1, description='what players call it: a text, or one for each language: {en = "...", de = "..."}'
    )
    key: str = Field(description="the key that it plays, of this pack or of the game")
    text: Spoken = Field(default={}, description="what players read of it: a text, or one for each language")
    id: Annotated[str, BeforeValidator(_uuid, json_schema_input_type=str)] | None = Field(
        default=None, description="its own id; without it, one made from the pack's and its name"
    )
    picture: FileName | None = Field(default=None, description="its picture's file")
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @prop.field.NAME@")


class ScheduleEntry(TomlTable):
    key: str = Field(description="the key that it plays, of this pack or of the game")
    kind: Literal["piece", "between"] = Field(default="piece", description="what the entry is")


class Schedule(TomlTable):
    name: str = Field(min_length=1, description="the schedule's own name")
    entries: tuple[
        Annotated[ScheduleEntry, BeforeValidator(_as_entry, json_schema_input_type=str | ScheduleEntry)], ...
    ] = Field(min_length=1, description="what it plays: keys, or tables with a kind")
    after: int | None = Field(default=None, ge=1, description="an in-between only after so many pieces")
    odds: float | None = Field(default=None, gt=0, le=1, description="how likely one is then, each time")
    apart: int | None = Field(default=None, ge=0, description="no in-between again until so many others were heard")
    twice: bool | None = Field(default=None, description="may a piece come twice in a row?")
    piece_volume: float | None = Field(default=None, ge=0, le=10, description="how loud its pieces are")
    between_volume: float | None = Field(default=None, ge=0, le=10, description="how loud its in-betweens are")

    @model_validator(mode="after")
    def _can_be_kept(self) -> Schedule:
        pieces = {one.key for one in self.entries if one.kind == "piece"}
        if self.twice is False and len(pieces) == 1:
            raise ValueError("with one piece, none can come but twice in a row")
        return self


_NUMBER, _WORD = r"(0|[1-9]\d*)", r"(0|[1-9]\d*|\d*[A-Za-z-][0-9A-Za-z-]*)"
_SEMVER = rf"^{_NUMBER}\.{_NUMBER}\.{_NUMBER}(-{_WORD}(\.{_WORD})*)?(\+[0-9A-Za-z-]+(\.[0-9A-Za-z-]+)*)?$"


def is_semver(version: str) -> bool:
    """Is it a version after SemVer 2.0.0?"""
    return re.match(_SEMVER, version) is not None


class Pack(TomlTable):
    title: str = Field(min_length=1, description="the pack's title, as players see it")
    name: str = Field(
        pattern=r"^[a-z0-9]+(-[a-z0-9]+)*$",
        examples=["storm-watch"],
        description="short, in small letters; used in file names so that none collide",
    )
    version: str = Field(pattern=_SEMVER, examples=["1.0.0", "1.0.0-beta.1"], description="SemVer 2.0.0")
    game_version: str = Field(description="the version of the game that the pack is for")
    summary: str | None = Field(default=None, description="what the pack is, in a sentence")
    author: str | None = Field(default=None, description="who made it")
    licence: str | None = Field(default=None, description="the pack's own, an SPDX expression")
    commercial: bool = Field(
        default=False, description="is the pack sold? Clips whose licence forbids that are reported"
    )
    icon: FileName | None = Field(
        default=None, description="a picture's file; without it, one is drawn where the game shows one"
    )
    icon_shape: Literal["padded", "cropped"] = Field(
        default="padded", description="how a picture of another shape is made to fit the game's"
    )
    language: str = Field(
        default="en",
        pattern=r"^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$",
        examples=["en", "pt-BR"],
        description="of titles that do not say theirs, a BCP 47 tag",
    )


class Credit(TomlTable):
    clips: tuple[FileName, ...] = Field(
        min_length=1, description="the clips' files, as under takes; * stands for anything"
    )
    author: str | None = Field(default=None, description="who made them")
    source: str | None = Field(default=None, description="where they are from")
    link: str | None = Field(default=None, description="its address")
    licence: str | None = Field(default=None, description="an SPDX expression; LicenseRef-NAME for one of its own")
    wording: str | None = Field(default=None, description="the words that the licence demands, as they are to stand")


class Waiver(TomlTable):
    id: str = Field(description="the finding's id, as ichnos check reports it")
    where: str = Field(default="*", description="the file it is about, or a part of its reason; * stands for anything")
    reason: str = Field(min_length=1, description="why it is no slip here")


class OtherFile(TomlTable):
    file: FileName = Field(min_length=1, description="the file, as seen from the workspace: a picture, a text")
    path: FileName = Field(min_length=1, description="its path in the pack, with slashes")


class OtherGame(TomlTable):
    game: str | None = Field(default=None, description="a bundled game or a profile's folder; else the name")
    game_version: str | None = Field(default=None, description="the version of that game that the pack is for")


class PackFile(TomlTable):
    """What ``ichnos.toml`` says."""

    elsewhere: ClassVar[dict[str, str]] = {
        "installation": f'say it in {LOCAL_NAME}, which stays on this machine: installation = "..."',
        "stream": "it is called from-disk",
        "mains": "it is called piece-volume",
        "interludes": "it is called between-volume",
    }
    format: Literal[1] = Field(description="the edition of this file's format")
    game: str = Field(description="a bundled game, or a profile's folder as seen from the workspace")
    pack: Pack = Field(description="what the pack is")
    ids: dict[str, Annotated[str, BeforeValidator(_uuid, json_schema_input_type=str)]] = Field(
        default={}, description="[ids]: minted once for the pack, never shared with another"
    )
    minted_for: str | None = Field(
        default=None, description="the pack's name when the ids were minted: a copy under another name gets fresh ones"
    )
    table: FileName | None = Field(
        default=None, description="a CSV file with further sounds; sounds.csv is read without being named"
    )
    games: Annotated[dict[str, OtherGame], AfterValidator(_folder_names)] = Field(
        default={}, description="[games.NAME]: other games that the pack is built for, with build --game NAME"
    )
    defaults: tuple[Defaults, ...] = Field(
        default=(), description="[[defaults]]: what sounds have that do not say it; the first that fits counts"
    )
    file: tuple[OtherFile, ...] = Field(default=(), description="[[file]]: other files of the pack, copied as they are")
    finished: tuple[FileName, ...] = Field(
        default=(),
        description="clips that are finished sounds of a pack, as from ichnos adopt; * stands for anything: where they"
        " are what the game wants, and nothing is done to them, their bytes are taken over",
    )
    credit: tuple[Credit, ...] = Field(default=(), description="[[credit]]: where clips are from, and their licence")
    waive: tuple[Waiver, ...] = Field(default=(), description="[[waive]]: findings that are no slip here")
    treatment: dict[str, tuple[Step, ...]] = Field(
        default={}, description='[treatment]: NAME = [{step = "gain", db = -6}, ...]; what is done to clips, in order'
    )
    sound: tuple[Sound, ...] = Field(default=(), description="[[sound]]: one for each key")
    trigger: tuple[Trigger, ...] = Field(default=(), description="[[trigger]]: what plays a sound when")
    prop: tuple[Prop, ...] = Field(default=(), description="[[prop]]: a thing in the game that plays a sound")
    schedule: tuple[Schedule, ...] = Field(default=(), description="[[schedule]]: pieces with others between them")

    def is_finished(self, clip: str) -> bool:
        """Is a clip a finished sound of a pack?"""
        return any(fnmatch.fnmatchcase(clip, pattern) for pattern in self.finished)

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
            *((one.key, ("prop", index, "key")) for index, one in enumerate(self.prop)),
            *(
                (entry.key, ("schedule", index, "entries", number))
                for index, one in enumerate(self.schedule)
                for number, entry in enumerate(one.entries)
            ),
        ]
