"""A game profile: a folder that looks like a finished pack, with holes, and ``game.toml``."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path, PurePosixPath

from ichnos.audio.files.containers import claimed
from ichnos.documents.tree import Value
from ichnos.errors import UsageError
from ichnos.files import disk
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.document_rules import DocumentRules
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.kinds import Kind, choose
from ichnos.games.profiles.places import BUNDLED, bundled_names, find, identity
from ichnos.games.profiles.rules import Rules
from ichnos.games.profiles.vocabulary import FIELD_PREFIX, ID_PREFIX, LANGUAGE, PART, SOUND, TAKE, number_field, part_in

__all__ = ["BUNDLED", "Profile", "Script", "bundled_names", "find", "goes_with"]

_EXTENSIONS = 3  # that a game's files have at most; more of them are pieces of names


@dataclass(frozen=True)
class Script:
    """A template in scripts/, and the path of what it writes. ``region`` begins a comment, or is None."""

    template: str
    path: str
    region: str | None


@dataclass(frozen=True)
class Profile:
    """A profile, understood. ``documents`` are filled and read; ``take_paths`` name the files of takes by kind,
    ``part_paths`` those of parts, ``picture_paths`` those of props' pictures. ``kinds``: by name."""

    folder: Path
    rules: Rules
    documents: tuple[Exemplar, ...]
    kinds: Mapping[str, Kind]
    take_paths: Mapping[str, Pattern]
    part_paths: Mapping[str, Pattern]
    picture_paths: tuple[Pattern, ...]
    package_name: Pattern
    scripts: tuple[Script, ...]
    plain_files: tuple[str, ...]  # copied as they stand
    tables: Tables
    load_lines: tuple[Pattern, ...] = ()  # of the lists of what the game loads
    file_paths: Mapping[str, Pattern] = field(default_factory=dict)  # of the fields that hold a file

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
        return self.by_path and not named & {TAKE, PART}

    @cached_property
    def list_of_keys(self) -> Exemplar | None:
        """The document that lists sounds by their keys, where none names a file: the game finds those by name."""
        named = {name for exemplar in self.documents for name in exemplar.scopes}
        if self.by_path or self.scripts or named & {"file", "part.file"} or any(map(part_in, named)):
            return None
        paths = (*self.take_paths.values(), *self.part_paths.values())
        if any({"key", "key.own"}.isdisjoint(hole.word.name for hole in path.holes) for path in paths):
            return None  # the name of a file does not say whose it is
        lists = (exemplar for exemplar in self.documents if SOUND in exemplar.units.values())
        return next((one for one in lists if LANGUAGE not in {*one.units.values(), *one.file_scopes}), None)

    def key_of_path(self, name: str) -> tuple[str, int] | None:
        """The key that a sound file's own name spells, and the number of the take; ``None`` where it spells none."""
        values = next((match for path in self.sound_paths if (match := path.match(name)) is not None), None)
        if values is None:
            return None
        pieces = [str(values[piece]) for piece in ("key.group", "key.own") if values.get(piece)]
        key = str(values.get("key") or self.rules.names.separator.join(pieces))
        return key, int(float(str(values.get("take.number") or 1)))

    @cached_property
    def by_path(self) -> bool:
        """Is there a kind of sound that is replaced by a file of the same path?"""
        return any(kind.replace == "by-path" for kind in self.kinds.values())

    @property
    def sound_suffixes(self) -> tuple[str, ...]:
        """The extensions of sound files."""
        return self.rules.sound_suffixes

    @cached_property
    def written(self) -> tuple[Exemplar, ...]:
        """The documents that a pack has; the others are the game's own, and only read."""
        return tuple(document for document in self.documents if self.document_rules(document).mode != "known")

    @cached_property
    def sound_paths(self) -> tuple[Pattern, ...]:
        """Every path that a take may have."""
        return tuple(dict.fromkeys(self.take_paths.values()))

    def adds(self, said: Value) -> bool:
        """Do a sound's takes come besides those that its key has already? ``said``: the mark in its definition."""
        return self.rules.takes.added if said is None else said is True

    @cached_property
    def can_say_adds(self) -> bool:
        """Has a definition a mark that says so?"""
        return any("adds" in exemplar.scopes for exemplar in self.written)

    def first_number(self, scope: str) -> int | None:
        """The first of the numbers that packs give to entries of a scope; ``None`` where the game has no such."""
        field = number_field(scope)
        holes = [hole for exemplar in self.written for hole in exemplar.holes_named(field)]
        if not holes and not any(f"{scope}.number" in text for text in self.script_texts):
            return None
        return next((int(float(str(hole.usual))) for hole in holes if hole.usual is not None), 1)

    @cached_property
    def script_texts(self) -> tuple[str, ...]:
        """The templates of its scripts."""
        paths = (self.folder / "scripts" / script.template for script in self.scripts)
        return tuple(disk.read(path).decode("utf-8", "replace") for path in paths)

    def kind_of(self, key: str, category: str | None, *, parts: bool = False, said: str | None = None) -> Kind:
        """The kind that a sound is of; see :func:`ichnos.games.profiles.kinds.choose`."""
        return self.kinds[choose(self.rules, key, category, parts=parts, said=said)]

    def need_kind(self, name: str | None) -> None:
        """Raises UsageError for a kind that the game does not have."""
        if name is not None and name not in self.kinds:
            known = ", ".join(filter(None, self.kinds))
            cure = f"it has: {known}" if known else "its sounds are all of one kind"
            raise UsageError(f'{self.rules.game.title} has no kind "{name}"', cure=cure)

    def has_files(self, kind: Kind) -> bool:
        """Is there a place in a pack for sounds of a kind?"""
        return kind.name in self.take_paths or kind.name in self.part_paths

    @cached_property
    def references_are_bare(self) -> bool:
        """Do all of the game's definitions name files without their extension?"""
        return self._bare == {True}

    @cached_property
    def _bare(self) -> set[bool]:
        """Of each document that names files: does it name them without their extension?"""
        return {is_bare for exemplar in self.documents if (is_bare := drops_extensions(exemplar)) is not None}

    @cached_property
    def references_are_mixed(self) -> bool:
        """Do some of the documents name files with their extension, and others without?"""
        return len(self._bare) > 1

    @cached_property
    def field_names(self) -> tuple[str, ...]:
        """The names of the fields that this profile asks for besides the vocabulary."""
        names = (name for name in self.hole_names if name.startswith(FIELD_PREFIX))
        return tuple(sorted(name.removeprefix(FIELD_PREFIX) for name in names))

    @cached_property
    def hole_names(self) -> frozenset[str]:
        """The names of all holes that a pack has, in its files and in their paths."""
        patterns = (
            *self.take_paths.values(), *self.part_paths.values(), *self.file_paths.values(), *self.picture_paths,
            *self.load_lines, self.package_name, *(document.path for document in self.written),
        )  # fmt: skip
        in_paths = {hole.word.name for pattern in patterns for hole in pattern.holes}
        return frozenset(in_paths.union(*(document.scopes for document in self.written)))

    def is_of_pack(self, reference: str, kind: Kind, pack: str, *, installed: bool) -> bool:
        """Is a file of the game's definitions one of this pack's, which is installed there?

        Args:
            pack: the pack's short name, which may stand in the path.
            installed: an id of the pack was found in the game: then a path like the pack's is enough.
        """
        path = self.take_paths.get(kind.name)
        if path is None or (all(hole.word.name != "pack.name" for hole in path.holes) and not installed):
            return False
        whole = f"{reference}.{str(path.parts[-1]).rpartition('.')[2]}" if self.references_are_bare else reference
        match = path.match(whole)
        return match is not None and match.get("pack.name", pack) in (pack, self.rules.names.spelled(pack))

    def unlike(self, exemplar: Exemplar, references: Collection[str]) -> str | None:
        """How the game's own references differ from those that a pack would have, in a sentence; ``None``: they do not.

        Args:
            exemplar: the document that names files.
            references: those of the game's own document, as they were read.
        """
        suffixes = {PurePosixPath(reference).suffix.lower() for reference in references}
        known = suffixes & set(self.tables.suffixes)
        is_bare = drops_extensions(exemplar)
        if not references or is_bare is None:
            return None
        example = sorted(references)[0]
        if not is_bare and not known and (suffixes == {""} or len(suffixes) > _EXTENSIONS):
            what = "names files without an extension, and the profile writes them with one"
            return f'the game {what} ("{example}"): write @file~no-extension@'
        if is_bare and known == suffixes:
            what = "names files with their extension, and the profile writes them without"
            return f'the game {what} ("{example}"): leave ~no-extension out'
        return None

    @cached_property
    def usual(self) -> dict[str, Value]:
        """What a sound or a take without a value has: the default of its holes, where they have one and the same."""
        found: dict[str, list[Value]] = {}
        for exemplar in self.documents:
            for name, scope in exemplar.scopes.items():
                for hole in exemplar.holes_named(name) if scope in (SOUND, TAKE) else ():
                    values = found.setdefault(name, [])
                    values += [hole.usual] if hole.usual not in values else []
        return {name: value for name, (value, *others) in found.items() if value is not None and not others}

    def bare(self, reference: str) -> str:
        """A file of the game's own as its definitions name it, without the extension: a locked one has another."""
        if self.references_are_mixed and PurePosixPath(reference).suffix.lower() not in self.tables.suffixes:
            return reference
        return reference if self.references_are_bare else without_extension(reference)

    @cached_property
    def digest(self) -> str:
        """A name for the profile as it stands: equal names, equal files."""
        lines = [
            f"{path.relative_to(self.folder).as_posix()} {disk.digest(path)}"
            for path in disk.below(self.folder)
            if disk.is_file(path)
        ]
        return hashlib.sha256("\n".join(lines).encode()).hexdigest()

    @cached_property
    def id_names(self) -> tuple[str, ...]:
        """The names of the ids that a pack for this game needs."""
        names = {
            hole.word.name.removeprefix(ID_PREFIX)
            for exemplar in self.written
            for pattern in (*exemplar.values.values(), *exemplar.labels.values(), exemplar.path)
            for hole in pattern.holes
            if hole.word.name.startswith(ID_PREFIX)
        }
        return tuple(sorted(names))


def drops_extensions(exemplar: Exemplar) -> bool | None:
    """Does a document name files without their extension? ``None`` where it names none."""
    named = exemplar.holes_named("file")
    return all(any(converter.drops_extension for converter in hole.converters) for hole in named) if named else None


def goes_with(name: str, container: str, others: Collection[str]) -> bool:
    """Has a sound file's name the extension that goes with a container, or one of the game's own (``others``)?"""
    suffix = PurePosixPath(f"x{name.lower()}").suffix
    return suffix == f".{container.lower()}" or (suffix in others and claimed(Path(f"x{suffix}")) in (None, container))


def without_extension(file: str) -> str:
    """A file's path without its extension.

    >>> without_extension("horn.far/low.lck")
    'horn.far/low'
    """
    return str(PurePosixPath(file).with_suffix(""))


def path_of(pattern: Pattern) -> str:
    """A path with its holes, as it stands in tree/."""
    return "".join(part if isinstance(part, str) else f"@{part.word.name}@" for part in pattern.parts)
