"""What ``game.toml`` says: the rules of a game that a file cannot show."""

from __future__ import annotations

import fnmatch
import re
from functools import cached_property
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from ichnos.audio.files.forms import Container
from ichnos.documents.checked import TomlTable
from ichnos.games.profiles.audio_rules import AudioRules, Channels, Codecs, Rates
from ichnos.games.profiles.calls import parse_call
from ichnos.games.profiles.catalogue_rules import CatalogueRules
from ichnos.games.profiles.converter import SOUND_SUFFIXES
from ichnos.games.profiles.declared import Declarations, DeclaredField, DeclaredThing
from ichnos.games.profiles.document_rules import DocumentRules, ScriptRules
from ichnos.games.profiles.name_rules import NameRules
from ichnos.games.profiles.path_pairs import PathPairs, told_apart
from ichnos.games.profiles.types import (
    InsideFile,
    InsidePath,
    Line,
    one_name,
    short_names,
)


class Game(TomlTable):
    name: str = Field(
        pattern=r"^[a-z][a-z0-9-]*$", examples=["my-game"], description="the profile's own name, as --game takes it"
    )
    title: str = Field(min_length=1, description="what the game is called")
    summary: str = Field(description="the game in a sentence")
    versions: tuple[str, ...] = Field(min_length=1, description="the game's versions, the newest first")


class ProfileRules(TomlTable):
    version: str | None = Field(
        default=None, pattern=r"^\d+\.\d+\.\d+$", examples=["1.0.0"], description="of this description, not of the game"
    )
    author: str | None = Field(default=None, min_length=1, description="who described the game")
    licence: str | None = Field(default=None, min_length=1, description="of this description, an SPDX expression")


class LearnedRules(TomlTable):
    of: str | None = Field(
        default=None, min_length=1, description="the short name of the pack that it was learned from"
    )
    theirs: tuple[Annotated[str, Field(min_length=3)], ...] = Field(
        default=(),
        examples=[["9f2c1a04-0b1d-4d64-8f6e-2f6f3a1c7e55"]],
        description="ids and names that stood in the pack that this was learned from, and still stand in tree/ or"
        " scripts/: no pack of another name is built with them. Take out of here what is the game's own",
    )


class TakeRules(TomlTable):
    several: bool = Field(default=True, description="may a key have several takes, picked at random?")
    added: bool = Field(
        default=False,
        description="does a definition that has no mark of @adds@ add its takes to the game's? Else it replaces them",
    )
    shared: bool = Field(default=False, description="may several keys name one file? Then it is stored once")


class PartRules(TomlTable):
    names: tuple[str, ...] = Field(default=(), description="the parts that a sound may have; none without it")


Replacing = Literal["by-definition", "by-path", "no"]


class Modes(TomlTable):
    replace: Replacing = Field(
        default="by-definition",
        description="how the game's own sounds are replaced: by an entry of the same key, or by a file of the same path"
        " (where nothing defines sounds, the files' names have the keys)",
    )
    new: bool = Field(default=True, description="can keys be added that the game does not have?")


class LoopRules(TomlTable):
    kind: Literal["field", "wav-markers", "vorbis-comments"] = Field(
        default="field",
        description="how the game knows that a sound loops: by @loop@ in a definition, or by marks in the file too",
    )
    chunk: Literal["smpl", "cue", "both"] = Field(default="smpl", description="the chunks of a WAV that mark a loop")
    start: str | None = Field(default=None, description="the Vorbis comment that holds the loop's first sample")
    end: str | None = Field(default=None, description="the comment that holds the sample behind its last")
    length: str | None = Field(default=None, description="the comment that holds its number of samples")

    @model_validator(mode="after")
    def _named(self) -> LoopRules:
        if self.kind == "vorbis-comments" and not (self.start and (self.end or self.length)):
            raise ValueError("loops in comments need the names of two: start, and end or length")
        for name in (self.start, self.end, self.length):
            if name is not None and not re.fullmatch(r"[ -<>-}]+", name):
                raise ValueError(f"{name!r} cannot be a comment's name (Vorbis I, section 5.2.2)")
        return self


class CreditRules(TomlTable):
    path: InsidePath | None = Field(default="CREDITS.txt", description="the credits' path in the pack; empty: nowhere")


class PictureRules(TomlTable):
    width: int = Field(ge=8, le=4096, description="in pixels; a picture of another shape is padded with nothing")
    height: int = Field(ge=8, le=4096, description="the same")


class IconRules(TomlTable):
    path: InsidePath = Field(
        pattern=r"(?i)\.(png|jpg|jpeg|webp|bmp)$",
        examples=["icon.png"],
        description="the icon's path in the pack; its extension says which format it has",
    )
    width: int | None = Field(
        default=None, ge=8, le=4096, description="in pixels; without width and height, an icon stays as large as it is"
    )
    height: int | None = Field(default=None, ge=8, le=4096, description="the same")

    @property
    def size(self) -> tuple[int, int] | None:
        """Width and height in pixels; ``None``: as it is."""
        return None if self.width is None or self.height is None else (self.width, self.height)

    @model_validator(mode="after")
    def _both_or_none(self) -> IconRules:
        if (self.width is None) != (self.height is None):
            raise ValueError("say both the width and the height, or neither")
        return self


class OwnEncoderRules(TomlTable):
    extension: str = Field(
        pattern=r"^\.[a-z0-9]+$", examples=[".own"], description="of the files that the game's own encoder writes"
    )


class Limits(TomlTable):
    seconds: float | None = Field(default=None, gt=0, description="the longest that a sound may be")
    megabytes: float | None = Field(default=None, gt=0, description="the largest that a whole pack may be")


class KindRules(TomlTable):
    """A kind of sound that a game has: effects, songs, voices. What is not said here is as for all sounds."""

    name: str = Field(pattern=r"^[a-z][a-z0-9-]*$", examples=["song"], description="the kind's name, as packs say it")
    categories: tuple[str, ...] = Field(default=(), description="sounds of these categories are of this kind")
    keys: tuple[str, ...] = Field(default=(), description="so are keys like these; * stands for anything")
    container: Container | None = Field(default=None, description="as under [audio]")
    codec: Codecs | None = Field(default=None, description="as under [audio]")
    rate: Rates | None = Field(default=None, description="as under [audio]")
    channels: Channels | None = Field(default=None, description="as under [audio]")
    quality: float | None = Field(default=None, ge=0, le=10, description="as under [audio]")
    several: bool | None = Field(default=None, description="as under [takes]")
    parts: tuple[str, ...] | None = Field(default=None, description="the parts that such a sound may have")
    replace: Replacing | None = Field(default=None, description="as under [modes]")
    new: bool | None = Field(default=None, description="as under [modes]")
    seconds: float | None = Field(default=None, gt=0, description="as under [limits]")
    files: str | None = Field(
        default=None,
        examples=["songs/@key@.ogg"],
        description="the path of a take in the pack, holes and all; then tree/ needs no empty file for it",
    )
    part_files: str | None = Field(default=None, description="the same of a part")

    def fits(self, key: str, category: str | None) -> bool:
        """Do its categories or its keys say that such a sound is of this kind?"""
        return category in self.categories or any(fnmatch.fnmatchcase(key, pattern) for pattern in self.keys)


class Packaging(TomlTable):
    kind: Literal["archive", "folder"] = Field(description="a zip archive, or a plain folder")
    name: Annotated[str, AfterValidator(one_name)] = Field(
        description="the archive's or folder's name, holes and extension and all"
    )
    last: tuple[str, ...] = Field(
        default=(), examples=[["index.txt"]], description="files that stand at the archive's end; * stands for anything"
    )


def _calls(functions: dict[str, str]) -> dict[str, str]:
    for means, text in functions.items():
        try:
            parse_call(means, text)
        except ValueError as error:
            raise ValueError(f"{means}: {error}") from None
    return functions


class LoadList(TomlTable):
    path: InsideFile = Field(description="the list, below the game's folder")
    line: Line = Field(description="the line to put in, holes and all")
    before: Line | None = Field(default=None, description="the line that it must stand above")
    after: Line | None = Field(default=None, description="the line that it must stand below; neither: at the end")

    @model_validator(mode="after")
    def _stands_once(self) -> LoadList:
        if self.before is not None and self.after is not None:
            raise ValueError("a line stands before another or after one: leave one of the two out")
        return self


class Install(TomlTable):
    folder: InsidePath | None = Field(
        default=None,
        description="where a pack goes, below the game's folder; empty: that folder itself; without it, nobody knows",
    )
    root: str | None = Field(
        default=None,
        examples=["player"],
        description="one of [roots], where packs go into a folder outside of the game's: folder, lists and caches are"
        " below that; what is merged goes with the pack, whole",
    )
    lay: Literal["whole", "over"] = Field(
        default="whole",
        description="whole: the archive or the folder goes there as it is; over: its files are laid over the game's own"
        " below that folder. Documents that are merged go into the game's own either way, but for those in an archive",
    )
    wins: Literal["last", "first"] = Field(
        default="last",
        description="of two packs that both have a key or a file: which one the game takes, by load order",
    )
    lists: tuple[LoadList, ...] = Field(default=(), description="lists of what the game loads: [[install.lists]]")
    caches: tuple[InsideFile, ...] = Field(
        default=(), description="files, or folders of files, that the game makes anew: deleted whenever a pack goes in"
    )


class PlayRules(TomlTable):
    near: float = Field(
        default=2, ge=0, description="up to this distance a sound that does not say it is at full level"
    )
    far: float = Field(default=30, gt=0, description="from this distance on such a sound is not heard")
    curve: Literal["straight", "halving"] = Field(
        default="straight",
        description="how it fades between the two: straight: the level as a number goes evenly to nothing; halving:"
        " half of it at twice the near distance, and so on",
    )
    positional: bool = Field(default=False, description="are sounds that do not say it heard at their place?")
    stereo: Literal["everywhere", "mixed"] = Field(
        default="everywhere",
        description="a stereo sound that has a place: everywhere: heard at one level all over; mixed: as mono, there",
    )
    voices: int = Field(default=32, ge=1, le=4096, description="how many sounds can be heard at once")
    functions: Annotated[dict[Literal["play", "stop", "listen"], str], AfterValidator(_calls)] = Field(
        default={},
        description="[play.functions]: which functions of its scripts play, stop and listen to events, as they are"
        ' called there: play = "ring(key, {volume = gain, from = at})"',
    )

    @model_validator(mode="after")
    def _far_is_farther(self) -> PlayRules:
        if self.far <= self.near:
            raise ValueError("far must be more than near")
        return self


class Rules(TomlTable):
    """What ``game.toml`` says."""

    format: Literal[1] = Field(description="the edition of this file's format")
    game: Game
    profile: ProfileRules = Field(
        default=ProfileRules(), description="[profile]: this description itself, for those who get it from you"
    )
    learned: LearnedRules = Field(default=LearnedRules(), description="[learned]: of a profile that was learned")
    audio: AudioRules
    takes: TakeRules = TakeRules()
    parts: PartRules = PartRules()
    modes: Modes = Modes()
    names: NameRules = NameRules()
    loops: LoopRules = LoopRules()
    limits: Limits = Limits()
    kind: tuple[KindRules, ...] = Field(
        default=(), description="[[kind]]: kinds of sound that differ; the first that fits counts"
    )
    catalogue: CatalogueRules = CatalogueRules()
    credits: CreditRules = CreditRules()
    own_encoder: OwnEncoderRules | None = Field(
        default=None,
        description="the game reads only what its own encoder writes; [audio] is then what that encoder wants",
    )
    icon: IconRules | None = Field(default=None, description="the pack's icon; none without it")
    pictures: PictureRules | None = Field(
        default=None, description="the size of props' pictures; without it they keep their own"
    )
    needs: tuple[str, ...] = Field(
        default=(),
        examples=["trigger.where"],
        description="holes that always need a value: what a sound, a trigger ... must say for this game",
    )
    packaging: Packaging
    afterwards: tuple[str, ...] = Field(
        default=(), description="what no tool can do, in the order of the steps; told after building and installing"
    )
    install: Install = Install()
    play: PlayRules = Field(default=PlayRules(), description="[play]: how it plays sounds, for a rehearsal")
    document: tuple[DocumentRules, ...] = Field(default=(), description="[[document]]: one for each that needs it")
    script: tuple[ScriptRules, ...] = Field(default=(), description="[[script]]: one for each template in scripts/")
    references: dict[str, str] = Field(
        default={},
        examples=[{"@owner@!@path@": "stock/@owner@/noises/@path@.ogg"}],
        description="[references]: how the game names a file = where that lies in the pack, tried in turn; holes with"
        " names of your own stand in both",
    )
    roots: Annotated[dict[str, Line], AfterValidator(short_names)] = Field(
        default={},
        examples=[{"player": "the player's own folder, such as ~/.local/share/millrace"}],
        description="[roots]: folders outside of the game's = what each is; where it is on a machine, ichnos.local.toml"
        " says",
    )
    copies: Annotated[dict[str, str], AfterValidator(told_apart)] = Field(
        default={},
        examples=[{"noises/@path@.ogg": "noises-small/@path@.ogg"}],
        description="[copies]: files of the pack = where each stands once more; holes have names of your own",
    )
    thing: tuple[DeclaredThing, ...] = Field(
        default=(),
        description="[[thing]]: what packs for this game have besides sounds, such as mixer channels",
    )
    field: tuple[DeclaredField, ...] = Field(
        default=(), description="[[field]]: what a sound, a take, the pack, a thing ... has besides"
    )
    tables: dict[str, dict[str, str]] = Field(
        default={}, description="[tables.NAME]: our word = the game's; * stands for anything"
    )

    @cached_property
    def _copies(self) -> PathPairs:
        return PathPairs(self.copies)

    def copy_of(self, path: str) -> str | None:
        """Where a file of a pack stands once more; ``None`` where it stands once."""
        copy = self._copies.of(path)
        return None if copy == path else copy

    def without_copies(self, names: list[str]) -> list[str]:
        """The files of a pack, each once."""
        copies = set(map(self.copy_of, names)) if self.copies else ()
        return [name for name in names if name not in copies]

    @cached_property
    def sound_suffixes(self) -> tuple[str, ...]:
        """The extensions of sound files: the usual ones, the game's, and that of its own encoder."""
        encoder = (self.own_encoder.extension,) if self.own_encoder else ()
        return (*SOUND_SUFFIXES, *self.audio.extensions, *encoder)

    @cached_property
    def declared(self) -> Declarations:
        """The things and fields that the profile declares."""
        return Declarations(self.thing, self.field)

    @property
    def needed(self) -> tuple[str, ...]:
        """The fields that always need a value, as code calls them."""
        said = [word.name for name in self.needs if (word := self.declared.word(name)) is not None]
        return tuple(dict.fromkeys((*said, *(one.word.name for one in self.field if one.needed))))

    def document_rules(self, path: str) -> DocumentRules:
        """The rules for a document of tree/."""
        return next((rules for rules in self.document if rules.path == path), DocumentRules(path=path))
