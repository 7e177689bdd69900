"""A game profile: a folder that looks like a finished pack, with holes, and ``game.toml``."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path, PurePosixPath

from ichnos.documents.checked import checked
from ichnos.documents.formats import format_of, named, parse
from ichnos.documents.toml import TomlFile
from ichnos.documents.tree import Format
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles import holes
from ichnos.games.profiles.converters import Tables
from ichnos.games.profiles.exemplar import Exemplar, ExemplarRules, understand
from ichnos.games.profiles.places import BUNDLED, bundled_names, find, identity
from ichnos.games.profiles.rules import DocumentRules, Rules
from ichnos.games.profiles.vocabulary import FIELD_PREFIX, ID_PREFIX, PACK, PART, PROP, SOUND, TAKE

__all__ = ["BUNDLED", "Profile", "Script", "bundled_names", "find", "fits", "load"]

SOUND_SUFFIXES = (".ogg", ".wav", ".flac", ".opus")
PICTURE_SUFFIXES = (".png", ".jpg", ".webp", ".bmp")


@dataclass(frozen=True)
class Script:
    """A template in scripts/, and the path of what it writes. ``region`` begins a comment, or is None."""

    template: str
    path: str
    region: str | None


@dataclass(frozen=True)
class Profile:
    """A profile, understood. ``documents`` are filled and read; ``sound_paths`` name the files of takes,
    ``part_paths`` those of parts, ``picture_paths`` those of props' pictures."""

    folder: Path
    rules: Rules
    documents: tuple[Exemplar, ...]
    sound_paths: tuple[holes.Pattern, ...]
    part_paths: tuple[holes.Pattern, ...]
    picture_paths: tuple[holes.Pattern, ...]
    package_name: holes.Pattern
    scripts: tuple[Script, ...]
    plain_files: tuple[str, ...]  # copied as they stand

    @property
    def tree(self) -> Path:
        return self.folder / "tree"

    def document_rules(self, exemplar: Exemplar) -> DocumentRules:
        """What game.toml says of one of the documents."""
        return self.rules.document_rules(self.document_name(exemplar))

    def document_name(self, exemplar: Exemplar) -> str:
        """A document's path in tree/, holes and all."""
        return Path(exemplar.document.text.path).relative_to(self.tree).as_posix()

    @cached_property
    def identity(self) -> str:
        """What the profile is known by."""
        return identity(self.folder)

    @cached_property
    def by_path_alone(self) -> bool:
        """Are sounds replaced by their files' names, with no definition anywhere?"""
        named = {scope for exemplar in self.documents for scope in exemplar.scopes.values()}
        return self.rules.modes.replace == "by-path" and not named & {TAKE, PART}

    @cached_property
    def field_names(self) -> tuple[str, ...]:
        """The names of the fields that this profile asks for besides the vocabulary."""
        names = {
            name.removeprefix(FIELD_PREFIX)
            for exemplar in self.documents
            for name in exemplar.scopes
            if name.startswith(FIELD_PREFIX)
        }
        return tuple(sorted(names))

    @cached_property
    def digest(self) -> str:
        """A name for the profile as it stands: equal names, equal files."""
        lines = [
            f"{path.relative_to(self.folder).as_posix()} {hashlib.sha256(path.read_bytes()).hexdigest()}"
            for path in sorted(self.folder.rglob("*"))
            if path.is_file()
        ]
        return hashlib.sha256("\n".join(lines).encode()).hexdigest()

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


def load(folder: Path) -> Profile:
    """Load and understand a profile.

    Raises:
        IchnosError: with file, line and reason, where anything in it cannot be understood.
    """
    return _Loader(folder).profile()


class _Loader:
    def __init__(self, folder: Path) -> None:
        self.folder = folder
        path = folder / "game.toml"
        if not path.is_file():
            raise IchnosError("there is no game.toml here", place=Place(str(folder)), cure="a profile needs one")
        self.file = TomlFile(path.read_bytes(), str(path))
        self.rules = checked(Rules, self.file)
        self.tables: Tables = self.rules.tables
        self.documents: list[Exemplar] = []
        self.sounds: list[holes.Pattern] = []
        self.parts: list[holes.Pattern] = []
        self.pictures: list[holes.Pattern] = []
        self.plain: list[str] = []

    def profile(self) -> Profile:
        tree = self.folder / "tree"
        if not tree.is_dir():
            raise IchnosError(
                "there is no tree/ here", place=Place(str(self.folder)), cure="it shows what a pack is like"
            )
        names = []
        for found in sorted(tree.rglob("*")):
            if found.is_symlink():
                raise IchnosError(
                    "a profile cannot hold links", place=Place(str(found)), cure="put the file itself here"
                )
            if found.is_file():
                names.append(found.relative_to(tree).as_posix())
                self.take(found, names[-1])
        for index, rules in enumerate(self.rules.document):
            if rules.path not in names:
                raise self.error(
                    f'tree/ has no file "{rules.path}"', "write its path as it stands", "document", index, "path"
                )
        self.need_sound_path(tree)
        name = self.pattern(self.rules.packaging.name, self.file.place("packaging", "name"))
        if any(hole.word.scope != PACK for hole in name.holes):
            raise self.error(
                "a package's name can only have holes of the pack", "such as @pack.name@", "packaging", "name"
            )
        return Profile(
            self.folder,
            self.rules,
            tuple(self.documents),
            tuple(self.sounds),
            tuple(self.parts),
            tuple(self.pictures),
            name,
            tuple(self.scripts()),
            tuple(self.plain),
        )

    def error(self, what: str, cure: str, *at: str | int) -> IchnosError:
        return IchnosError(what, place=self.file.place(*at), cure=cure)

    def pattern(self, text: str, place: Place) -> holes.Pattern:
        try:
            return holes.parse(text, self.tables)
        except holes.HoleError as error:
            raise IchnosError(error.what, place=place, cure=error.cure) from None

    def take(self, found: Path, name: str) -> None:
        """One file of tree/: a document with holes, the place of sounds or pictures, or a plain file."""
        rules = self.rules.document_rules(name)
        pattern = self.pattern(name, Place(str(found)))
        scopes = {hole.word.scope for hole in pattern.holes}
        document_format = self.format_of(name, rules)
        suffix = PurePosixPath(name).suffix.lower()
        encoder = self.rules.own_encoder
        if pattern.holes and (suffix in SOUND_SUFFIXES or (encoder is not None and suffix == encoder.extension)):
            (self.parts if PART in scopes else self.sounds).append(pattern)
        elif suffix in PICTURE_SUFFIXES and PROP in scopes:
            self.pictures.append(pattern)
        elif document_format is not None:
            document = parse(found.read_bytes(), str(found), document_format, rules.encoding)
            how = ExemplarRules(self.rules.takes.several, rules.repeat, self.tables)
            self.documents.append(understand(pattern, document, how))
        else:
            self.plain.append(name)

    def format_of(self, name: str, rules: DocumentRules) -> Format | None:
        if rules.format is not None:
            return named(rules.format, rules.escapes)
        guessed = format_of(name)
        return named(guessed.name.lower(), rules.escapes) if guessed else None

    def need_sound_path(self, tree: Path) -> None:
        wanted = {self.rules.audio.container} | {only.container for only in self.rules.audio.only if not only.parts}
        for patterns, scopes in ((self.sounds, {SOUND, TAKE}), (self.parts, {SOUND, PART})):
            for pattern in patterns:
                if not scopes & {hole.word.scope for hole in pattern.holes}:
                    raise IchnosError(
                        "this sound file's name would be the same for every sound",
                        place=Place(f"{tree}/{_spelled(pattern)}"),
                        cure="put @key@ into it",
                    )
                own = "".join(part for part in pattern.parts if isinstance(part, str)).rpartition(".")[0]
                if self.rules.names.spelled(own) != own:
                    raise IchnosError(
                        "[names] in game.toml does not allow what this sound file's name has itself",
                        place=Place(f"{tree}/{_spelled(pattern)}"),
                        cure="allow its characters, or write it otherwise",
                    )
        for container in filter(None, wanted):
            if self.rules.own_encoder is not None and self.sounds:
                continue
            if not any(fits(pattern, container) for pattern in self.sounds):
                raise IchnosError(
                    f"tree/ has no sound file with holes in its name for {container}",
                    place=Place(str(tree)),
                    cure=f"lay down an empty file such as sounds/@key@-@take.number@.{container.lower()}",
                )
        if self.rules.parts.names and not self.parts:
            raise IchnosError(
                "tree/ has no sound file for parts",
                place=Place(str(tree)),
                cure="lay down an empty file such as music/@key@-@part.name@.ogg",
            )

    def scripts(self) -> list[Script]:
        scripts = []
        for index, rules in enumerate(self.rules.script):
            template = f"{rules.path}.j2"
            if not (self.folder / "scripts" / template).is_file():
                raise self.error(
                    f"there is no scripts/{template}", "write the script's template there", "script", index
                )
            scripts.append(Script(template, rules.path, rules.region))
        return scripts


def fits(pattern: holes.Pattern, container: str) -> bool:
    """Has a sound file's path the extension that goes with this container?"""
    return str(pattern.parts[-1]).lower().endswith(f".{container.lower()}")


def _spelled(pattern: holes.Pattern) -> str:
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in pattern.parts)
