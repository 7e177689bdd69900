"""A game profile: a folder that looks like a finished pack, with holes, and ``game.toml``."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Literal

from pydantic import Field
from rapidfuzz import process

from ichnos.documents.checked import Table, checked
from ichnos.documents.formats import format_of, parse
from ichnos.documents.toml import TomlFile
from ichnos.errors import IchnosError, Place, WrongCall
from ichnos.games import holes
from ichnos.games.exemplar import Exemplar, understand
from ichnos.games.vocabulary import ID_PREFIX

BUNDLED = Path(__file__).parent / "bundled"
SOUND_SUFFIXES = (".ogg", ".wav", ".flac", ".opus")


class Game(Table):
    name: str = Field(pattern=r"^[a-z][a-z0-9-]*$")
    title: str
    summary: str
    versions: tuple[str, ...] = Field(min_length=1, description="the newest first")


class AudioRules(Table):
    container: Literal["Ogg", "WAV"]
    codec: Literal["Vorbis", "PCM 16"]
    rate: int = Field(ge=8000, le=192000, description="frames a second")
    channels: Literal[1, 2]
    quality: float = Field(default=5.0, ge=0, le=10, description="Vorbis quality")


class TakeRules(Table):
    several: bool = True


class Modes(Table):
    replace: Literal["by-definition", "no"] = "by-definition"
    new: bool = True


class CatalogueRules(Table):
    folder: str = Field(default="", description="where an installation keeps what looks like tree/")


class Packaging(Table):
    kind: Literal["archive"]
    name: str


class Rules(Table):
    """What ``game.toml`` says."""

    format: Literal[1]
    game: Game
    audio: AudioRules
    takes: TakeRules = TakeRules()
    modes: Modes = Modes()
    catalogue: CatalogueRules = CatalogueRules()
    packaging: Packaging


@dataclass(frozen=True)
class Profile:
    """A profile, understood. ``documents`` are filled and read; ``sound_path`` names each take's file."""

    folder: Path
    rules: Rules
    documents: tuple[Exemplar, ...]
    sound_path: holes.Pattern
    package_name: holes.Pattern
    plain_files: tuple[str, ...]  # copied as they stand

    @property
    def tree(self) -> Path:
        return self.folder / "tree"

    @cached_property
    def id_names(self) -> tuple[str, ...]:
        """The names of the ids that a pack for this game needs."""
        names = {
            hole.word.name.removeprefix(ID_PREFIX)
            for exemplar in self.documents
            for pattern in (*exemplar.values.values(), *exemplar.labels.values(), exemplar.path)
            for hole in pattern.holes
            if hole.word.kind == "id"
        }
        return tuple(sorted(names))


def bundled_names() -> list[str]:
    """The games that ship with Ichnos."""
    return sorted(path.name for path in BUNDLED.iterdir() if (path / "game.toml").is_file())


def find(game: str, beside: Path | None = None) -> Path:
    """The folder of a profile, from a bundled game's name or a folder (relative to ``beside``).

    Raises:
        WrongCall: neither; with the nearest bundled name.
    """
    if game in bundled_names():
        return BUNDLED / game
    folder = (beside or Path()) / game
    if (folder / "game.toml").is_file():
        return folder
    near = process.extractOne(game, bundled_names(), score_cutoff=60)
    raise WrongCall(
        f'there is no game profile "{game}": it is neither a bundled game nor a folder with a game.toml',
        cure=f"did you mean {near[0]}?" if near else f"bundled games: {', '.join(bundled_names())}",
    )


def load(folder: Path) -> Profile:
    """Load and understand a profile.

    Raises:
        IchnosError: with file, line and reason, where anything in it cannot be understood.
    """
    path = folder / "game.toml"
    file = TomlFile(path.read_bytes(), str(path))
    rules = checked(Rules, file)
    documents, sound_paths, plain = [], [], []
    tree = folder / "tree"
    for found in sorted(tree.rglob("*")):
        if not found.is_file():
            continue
        name = found.relative_to(tree).as_posix()
        pattern = _pattern(name, Place(str(found)))
        document_format = format_of(name)
        if found.suffix in SOUND_SUFFIXES and pattern.holes:
            sound_paths.append(pattern)
        elif document_format is not None:
            document = parse(found.read_bytes(), str(found), document_format)
            documents.append(understand(pattern, document, one_take=not rules.takes.several))
        else:
            plain.append(name)
    if len(sound_paths) != 1:
        raise IchnosError(
            f"tree/ needs one sound file with holes in its name, and has {len(sound_paths)}",
            place=Place(str(tree)),
            cure="lay down an empty file such as sounds/@key@-@take.number@.ogg",
        )
    package_name = _pattern(rules.packaging.name, file.place("packaging", "name"))
    return Profile(folder, rules, tuple(documents), sound_paths[0], package_name, tuple(plain))


def _pattern(text: str, place: Place) -> holes.Pattern:
    try:
        return holes.parse(text)
    except holes.HoleError as error:
        raise IchnosError(error.what, place=place, cure=error.cure) from None
