"""What a person writes: the models of ``ichnos.toml``."""

from __future__ import annotations

import fnmatch
import uuid
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import AfterValidator, BeforeValidator, Field, create_model, model_validator

from ichnos.audio.files.forms import Choice
from ichnos.audio.process import treatments
from ichnos.audio.process.treatments import Step
from ichnos.documents.checked import TomlTable
from ichnos.files.paths import is_plain, windows_refuses
from ichnos.games.profiles import vocabulary
from ichnos.games.profiles.vocabulary import ENTRY, PROP, SCHEDULE, SOUND, TAKE, TRIGGER
from ichnos.pack.workspace.about_pack import Fields, FileName, Pack, Versions
from ichnos.pack.workspace.folder import LOCAL_NAME, SILENT_CLIP


def as_take(value: Any) -> Any:
    """A take said by its clip alone, as a table."""
    return {"clip": value} if isinstance(value, str) else value


def as_entry(value: Any) -> Any:
    """A schedule's entry said by its key alone, as a table."""
    return {"key": value} if isinstance(value, str) else value


def _as_titles(value: Any) -> Any:
    return {"": value} if isinstance(value, str) else value


def _uuid(value: Any) -> str:
    try:
        return str(uuid.UUID(str(value)))
    except ValueError:
        raise ValueError("an id such as 123e4567-e89b-42d3-a456-426614174000 is expected") from None


Spoken = Annotated[dict[str, str], BeforeValidator(_as_titles, json_schema_input_type=str | dict[str, str])]


def _with_fields_of(scope: str) -> Any:
    """A table with the fields that the vocabulary has for a scope; all but those that are needed may be left out."""
    fields: dict[str, Any] = {}
    for word in vocabulary.said_of(scope):
        if word.is_spoken and scope == SOUND:
            continue  # a sound's own, and not said of all like it
        kind: Any = _KINDS[word.kind]
        if word.is_spoken:
            kind = Spoken
        elif word.choices:
            kind = Literal[word.choices]
        default: Any = ... if word.needed else {} if word.is_spoken else word.choices[0] if word.choices else None
        bounds = {"ge": word.least, "gt": word.above, "le": word.most}
        options: dict[str, Any] = {bound: limit for bound, limit in bounds.items() if limit is not None}
        if word.kind == "text" and not (word.choices or word.is_key or (word.is_spoken and not word.needed)):
            options["min_length"] = 1  # it says something, or is left out
        about = Field(default, alias=word.field, description=word.about, **options)
        fields[word.attribute] = kind | None if default is None else kind, about
    return create_model(f"FieldsOf{scope.capitalize()}", __base__=TomlTable, **fields)


_KINDS: dict[str, Any] = {
    "text": str,
    "number": float,
    "whole": int,
    "yes-no": bool,
    "path": FileName,
    "id": Annotated[str, BeforeValidator(_uuid, json_schema_input_type=str)],
}


class Take(_with_fields_of(TAKE)):  # type: ignore[misc]
    clip: FileName | None = Field(default=None, min_length=1, description="the clip's file, as seen from the workspace")
    path: FileName | None = Field(
        default=None,
        min_length=1,
        description="its file's path in the pack, in place of what the profile makes of the key",
    )
    kept: bool = Field(default=False, description="instead of a clip: the game's own file in this place stays")
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @take.field.NAME@")

    @model_validator(mode="after")
    def _is_one(self) -> Take:
        if [self.clip is not None, self.kept, self.key is not None].count(True) != 1:
            raise ValueError(
                "a take is a clip; or {kept = true}, the game's own file in that place; or another sound,"
                ' {key = "..."}'
            )
        return self


class Settings(_with_fields_of(SOUND)):  # type: ignore[misc]
    """What can be said of a sound, of all sounds like it, and of it in another game."""

    category: str | None = Field(default=None, description="the sound's category; else the one that the game gives it")
    kind: str | None = Field(
        default=None, description="which kind of the game's sounds it is, where neither category nor key says it"
    )
    treatment: str | None = Field(default=None, description="what is done to its clips: of your own, or a bundled one")
    mono: Choice | None = Field(
        default=None,
        description="of a stereo clip that becomes mono: mix, left, right, or auto: the mix unless out of phase",
    )
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @field.NAME@")


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
    takes: tuple[Annotated[Take, BeforeValidator(as_take, json_schema_input_type=str | Take)], ...] = Field(
        default=(), description="your clips for it: file names, or tables with a weight; one is picked at random"
    )
    parts: dict[str, FileName] = Field(default={}, description="a clip for each named part, such as intro and body")
    part_paths: dict[str, FileName] = Field(
        default={}, description="the path in the pack of a part's file, in place of what the profile makes of the key"
    )
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


class Trigger(_with_fields_of(TRIGGER)):  # type: ignore[misc]
    reaches: str | bool | int | float | None = Field(default=None, description="the value that the state has to reach")
    once: bool = Field(default=False, description="only the first time?")
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @trigger.field.NAME@")

    @model_validator(mode="after")
    def _is_whole(self) -> Trigger:
        if (self.state is None) is not (self.reaches is None):
            raise ValueError('a state and the value that it reaches go together: state = "...", reaches = "..."')
        return self


class Prop(_with_fields_of(PROP)):  # type: ignore[misc]
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @prop.field.NAME@")


class ScheduleEntry(_with_fields_of(ENTRY)):  # type: ignore[misc]
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @entry.field.NAME@")


class Schedule(_with_fields_of(SCHEDULE)):  # type: ignore[misc]
    entries: tuple[
        Annotated[ScheduleEntry, BeforeValidator(as_entry, json_schema_input_type=str | ScheduleEntry)], ...
    ] = Field(min_length=1, description="what it plays: keys, or tables with a kind")
    fields: Fields = Field(default={}, description="what this game's profile asks for besides: @schedule.field.NAME@")

    @model_validator(mode="after")
    def _can_be_kept(self) -> Schedule:
        pieces = {entry.key for entry in self.entries if entry.kind == "piece"}
        if self.twice is False and len(pieces) == 1:
            raise ValueError("with one piece, none can come but twice in a row")
        return self


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


class Insert(TomlTable):
    """Lines for sounds in a source file of the modder's own."""

    file: FileName = Field(min_length=1, description="the source file, as seen from the workspace")
    line: str = Field(
        min_length=1,
        examples=['{"@key@", "@file@"},'],
        description="the line for each sound, with holes as profiles have",
    )
    after: str | None = Field(default=None, description="the line that they stand below, among those that follow it")
    inside: str | None = Field(default=None, description="the line that begins the block in which they stand")
    region: str | None = Field(
        default=None, description="what begins a comment there: they stand in a marked region, which is put at the end"
    )
    sorted: bool = Field(default=False, description="do they stand in the order of the alphabet among the others?")
    keys: tuple[str, ...] = Field(
        default=(), description="for keys like these; * stands for anything; without it, for those that are new"
    )

    @model_validator(mode="after")
    def _has_one_place(self) -> Insert:
        if [self.after, self.inside, self.region].count(None) != 2:
            raise ValueError("say one of three: after, inside or region")
        return self


class OtherGame(TomlTable):
    game: str | None = Field(default=None, description="a bundled game or a profile's folder; else the name")
    game_version: Versions | None = Field(
        default=None, min_length=1, description="the version of that game that the pack is for, or a list of several"
    )


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
    insert: tuple[Insert, ...] = Field(
        default=(), description="[[insert]]: lines for sounds in a source file of your own, put in by ichnos insert"
    )
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

    def players(self) -> Iterator[tuple[str, int, Any]]:
        """All that plays sounds: its scope, its place among those, and its table."""
        for scope in vocabulary.player_scopes():
            yield from ((scope, index, player) for index, player in enumerate(getattr(self, scope)))

    def played(self) -> list[tuple[str, tuple[str | int, ...]]]:
        """Each key that something plays, with the path of the field that names it."""
        found: list[tuple[str, tuple[str | int, ...]]] = [
            (take.key, (SOUND, index, "takes", at, "key"))
            for index, sound in enumerate(self.sound)
            for at, take in enumerate(sound.takes)
            if take.key is not None
        ]
        for scope, index, player in self.players():
            if isinstance(player, Schedule):
                found += ((entry.key, (scope, index, "entries", at)) for at, entry in enumerate(player.entries))
            else:
                found.append((player.key, (scope, index, "key")))
        return found

    def playing(self, keys: Mapping[str, str]) -> dict[str, Any]:
        """What plays some keys alone, each under another name, by its scope."""
        by_scope: dict[str, list[Any]] = {scope: [] for scope in vocabulary.player_scopes()}
        for scope, _, player in self.players():
            if isinstance(player, Schedule):
                entries = (entry for entry in player.entries if entry.key in keys)
                kept = tuple(entry.model_copy(update={"key": keys[entry.key]}) for entry in entries)
                by_scope[scope].append(player.model_copy(update={"entries": kept}))
            elif player.key in keys:
                by_scope[scope].append(player.model_copy(update={"key": keys[player.key]}))
        return {scope: tuple(tables) for scope, tables in by_scope.items()}


def in_order(values: Mapping[str, Any], model: type[TomlTable]) -> dict[str, Any]:
    """A table's fields as people write them: first those that it needs."""
    fields = sorted(model.model_fields.items(), key=lambda one: not one[1].is_required())
    return {said: values[said] for name, info in fields if (said := info.alias or name) in values}


# The model of each of what plays sounds.
PLAYERS: Mapping[str, type[TomlTable]] = {
    scope: get_args(PackFile.model_fields[scope].annotation)[0] for scope in vocabulary.player_scopes()
}
