"""Adopting a finished pack: a workspace that builds it again."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import Any

import tomlkit

from ichnos.documents.regions import region_of
from ichnos.documents.text import from_bytes
from ichnos.documents.tree import Scalar, Value
from ichnos.errors import IchnosError, Place, UsageError
from ichnos.files import disk
from ichnos.files.paths import is_plain, seen_from, windows_refuses
from ichnos.files.writing import fresh_folder
from ichnos.games.catalogues import library
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.catalogues.harvest import harvest
from ichnos.games.opening import Opened
from ichnos.games.profiles import places
from ichnos.games.profiles.converters import is_like
from ichnos.games.profiles.declared import by_declaration
from ichnos.games.profiles.profile import Profile, path_of
from ichnos.games.profiles.vocabulary import ID_PREFIX, OWN, PACK, TRIGGER, player_scopes
from ichnos.games.things import AnyThing, Thing
from ichnos.pack.adopting.notes import Notes, Usual, whole
from ichnos.pack.adopting.players import Players
from ichnos.pack.adopting.sounds import FOLDER, AdoptedSounds, own_texts
from ichnos.pack.workspace import local
from ichnos.pack.workspace.about_pack import is_semver
from ichnos.pack.workspace.folder import FILE_NAME, LOCAL_NAME
from ichnos.pack.workspace.workspace import short_name

_OTHERS = "files"  # where files go that are neither sounds nor pictures of props
_OWN = "own"  # where the build looks for scripts of the modder's own

ReadTriggers = Callable[[Profile, str, str], list[Thing] | None]


@dataclass
class Adopted:
    """A workspace that is still to be written.

    ``text``: its ``ichnos.toml``. ``files``: the pack's file for each path in the workspace. ``written``: what else
    is to stand there. ``notes``: what could not be taken over, and what else is to be known.
    """

    opened: Opened
    name: str
    text: str = ""
    files: dict[str, str] = field(default_factory=dict)
    written: dict[str, bytes] = field(default_factory=dict)
    notes: Notes = field(default_factory=Notes)
    sounds: int = 0

    def write(self, to: Path, on_progress: Callable[[float], None] = lambda _: None) -> None:
        """Write the workspace, whole or not at all.

        Args:
            on_progress: called for each file of the pack, with 1.

        Raises:
            IchnosError: a file of the pack is damaged, or the disk is full.
            UsageError: there is something already.
        """
        refuse_taken(to)
        with fresh_folder(to) as beside:
            for path, name in self.files.items():
                disk.make_folder((beside / path).parent)
                with self.opened.files.stream(name) as source, disk.written(beside / path) as out:
                    while piece := source.read(1 << 18):
                        out.write(piece)
                disk.sync(beside / path)
                on_progress(1)
            for path, data in {**self.written, FILE_NAME: self.text.encode()}.items():
                disk.make_folder((beside / path).parent)
                disk.write(beside / path, data)


def refuse_taken(to: Path) -> None:
    """Raises UsageError where a workspace cannot be made, as something is there."""
    if disk.exists(to) and not (disk.is_folder(to) and not disk.names(to)):
        raise UsageError(f"{to} is there already", cure="choose another folder: --to FOLDER")


def adopt(
    opened: Opened,
    installation: Path | None,
    read_triggers: ReadTriggers,
    to: Path | None = None,
    *,
    keep_names: bool = False,
) -> Adopted:
    """Say a finished pack as a workspace. Nothing is written.

    Args:
        installation: where the game is installed, so that it is known which keys are new, and whose files are whose.
        read_triggers: what a script of the pack waits for, from the profile, a label and its text; None where that
            cannot be said.
        keep_names: sound files keep the names that they have, also where the profile makes others.
        to: the folder that it will be in, from which the game's own is seen; without it one of the pack's name here.

    Raises:
        IchnosError: there is nothing in it that the profile understands, or the installation is not one of the game.
    """
    profile, reading = opened.profile, opened.reading
    if not opened.understood and not profile.by_path:
        place = reading.broken[0].place if reading.broken else Place(str(opened.path))
        what = reading.broken[0].what if reading.broken else "nothing in it is understood"
        raise IchnosError(
            f"this is no pack for {profile.rules.game.title}: {what}", place=place, cure="say which game: --game NAME"
        )
    catalogue = None
    if installation is not None and profile.rules.catalogue.readable:
        catalogue = harvest(profile, installation)
    catalogue = catalogue or library.load(profile.identity)
    adopted = _Adopting(opened, catalogue, installation, read_triggers, to, keep_names=keep_names).adopted
    if not adopted.sounds:
        _refuse_unheard(opened)
    return adopted


def _refuse_unheard(opened: Opened) -> None:
    """Raises IchnosError where a pack has sounds, and none of them is of any key: it is made for something else."""
    profile, names = opened.profile, opened.files.names()
    count = sum(name.lower().endswith(profile.sound_suffixes) for name in names)
    if count:
        of_keys = (one for one in profile.documents if {"key", "key.own"} & {*one.scopes})
        here = [path_of(one.path) for one in of_keys if all(one.path.match(name) is None for name in names)]
        lacks = f"; {profile.rules.game.title} reads {', '.join(here[:3])}, and that is not there" if here else ""
        files = (
            "1 sound file, and no key plays it" if count == 1 else f"{count} sound files, and no key plays one of them"
        )
        raise IchnosError(
            f"this pack has {files}{lacks}", place=Place(str(opened.path)),
            cure="it may be for another edition of the game: say which, --game NAME, or draft a profile: ichnos learn",
        )  # fmt: skip


def game_name(profile: Profile, folder: Path) -> str:
    """How a workspace in a folder calls its game: by name, or by where its profile is."""
    own = profile.folder
    named = own.parent in (places.BUNDLED, places.SYSTEMS, places.kept_folder())
    return own.name if named else seen_from(folder, disk.resolved(own))


class _Adopting:
    def __init__(
        self,
        opened: Opened,
        catalogue: Catalogue | None,
        installation: Path | None,
        read_triggers: ReadTriggers,
        to: Path | None,
        *,
        keep_names: bool,
    ) -> None:
        self.opened, self.profile, self.known = opened, opened.profile, catalogue
        self.usual, self.notes = Usual(self.profile), Notes()
        self.taken: set[str] = set()  # the pack's files that have their place in the workspace
        self.own_files: dict[str, str] = {}  # by their names in the workspace
        self.said = self._with_own_files(opened.reading.definitions)
        self.values: dict[str, Value] = dict(self.said.values)
        name = self._name()
        self.adopted = Adopted(opened, name, notes=self.notes)
        self.adopted.files |= self.own_files
        self.values |= {"pack.name": name, "pack.title": self.values.get("pack.title") or name}
        self.values |= {"pack.version": self._version(), "game.version": self._game_version()}
        languages = list(self.said.tags)
        self.language = "en" if "en" in languages or not languages else languages[0]
        sounds = AdoptedSounds(
            opened, self.said.sounds, catalogue, self.values, self.language, self.notes, keep_names=keep_names
        )
        self.adopted.files |= sounds.clips
        self.adopted.sounds = len(sounds.tables)
        self.taken |= {*sounds.clips.values(), *opened.reading.documents, *self.profile.plain_files}
        scripted = [*self._scripts(read_triggers)]
        players = Players(
            self.usual, self.said.ids, self.language, self._picture, self.notes, self.profile.rules.declared
        )
        tables = {
            scope: players.tables(scope, (*self.said.of(scope), *(scripted if scope == TRIGGER else ())))
            for scope in (*player_scopes(), *self.profile.rules.declared.scopes)
        }
        icon, others = self._icon(), list(self._others(sounds.loose))
        self._tell_unread()
        folder = disk.resolved(to or Path(name))
        of_scopes = {"sound": sounds.tables, **tables}
        self.adopted.text = "".join(self._text(game_name(self.profile, folder), icon, others, of_scopes))
        if installation:
            seen = seen_from(folder, disk.resolved(installation))
            self.adopted.written[LOCAL_NAME] = local.text_of(seen).encode()

    def _name(self) -> str:
        """The pack's short name: as it stands in the names of its files, or made from its title."""
        names: Counter[str] = Counter()
        patterns = (*self.profile.take_paths.values(), *self.profile.part_paths.values())
        for name in self.opened.files.names():
            for pattern in patterns:
                matched = pattern.match(name)
                if matched and "pack.name" in matched:
                    names[str(matched["pack.name"])] += 1
        package = self.profile.package_name.match(self.opened.path.name) or {}
        said = [self.values.get("pack.name"), *(name for name, _ in names.most_common(1)), package.get("pack.name")]
        wanted = next((str(one) for one in said if one), None)
        title = self.values.get("pack.title")
        name = short_name(wanted or str(title or self.opened.path.stem))
        if wanted and name != wanted:
            self.notes.told.append(f'its short name "{wanted}" is written {name}: small letters, digits, hyphens')
        return name

    def _own(self, name: str) -> Any:
        """A value of the pack's own: by language, where it is not the same in all."""
        texts = self.said.texts.get(name, {})
        if len(set(texts.values())) > 1:
            return {self.language: str(self.values[name]), **{str(tag): text for tag, text in texts.items()}}
        return None if self.values.get(name) is None else str(self.values[name])

    def _game_version(self) -> str | list[Scalar]:
        """The version of the game that it is for, as the profile has it; or several."""
        known = self.profile.rules.game.versions
        names = ("game.first-version", "game.last-version")
        listed, ends = self.values.get("game.versions"), [self.values.get(name) for name in names]
        said = listed if isinstance(listed, list) else ends if all(ends) else [self.values.get("game.version") or "*"]
        found = [next((one for one in known if is_like(one, str(version))), str(version)) for version in said]
        return found[0] if len(set(found)) == 1 else [*dict.fromkeys(found)]

    def _version(self) -> str:
        said = self.values.get("pack.version")
        if said is None:
            return "1.0.0"
        text = str(said)
        if is_semver(text):
            return text
        numbers = re.findall(r"\d+", text)[:3]
        version = ".".join([*(str(int(number)) for number in numbers), "0", "0", "0"][:3])
        self.notes.lose(
            self.said.places.get("pack.version"), f'its version "{text}" is written as {version} (SemVer 2.0.0)'
        )
        return version

    def _scripts(self, read_triggers: ReadTriggers) -> Iterator[Thing]:
        names = self.opened.files.names()
        for script in self.profile.scripts:
            if script.path not in names:
                continue
            self.taken.add(script.path)
            own, made = self._in_region(script.path, script.region)
            label = self.opened.files.label(script.path)
            things = read_triggers(self.profile, label, made) if made.strip() else []
            if things is None:
                things = []
                own = f"{own}{made.lstrip()}" if script.region is not None else ""
            yield from things
            self._keep_own(script.path, own)
        self._keep_own_around_documents()

    def _in_region(self, path: str, comment: str | None, encoding: str = "utf-8") -> tuple[str, str]:
        """What of a file is the modder's own, and what was made."""
        text = from_bytes(self.opened.files.read(path), self.opened.files.label(path), encoding).content
        return region_of(text, comment) if comment is not None else ("", text)

    def _keep_own(self, path: str, text: str, encoding: str = "utf-8") -> None:
        """A file that the build puts its region into again."""
        if text.strip():
            self.adopted.written[f"{_OWN}/{path}"] = text.encode(encoding)

    def _keep_own_around_documents(self) -> None:
        for name in self.opened.reading.documents:
            exemplar = next(one for one in self.profile.documents if one.path.match(name) is not None)
            if exemplar.how.region is not None:
                encoding = exemplar.how.encoding or "utf-8"
                own, made = self._in_region(name, exemplar.how.region, encoding)
                self._keep_own(name, own if made else "", encoding)

    def _picture(self, path: str) -> str | None:
        if path not in self.opened.files.names() or not self._can_be(path):
            return None
        self.taken.add(path)
        clip = f"pictures/{path.rpartition('/')[2]}"
        number = 1
        while self.adopted.files.get(clip, path) != path:
            number += 1
            clip = f"pictures/{number}-{path.rpartition('/')[2]}"
        self.adopted.files[clip] = path
        return clip

    def _with_own_files(self, thing: AnyThing) -> AnyThing:
        """A thing whose fields of the profile's own name files of the workspace, and no more of the pack."""
        if not self.profile.file_paths:
            return thing
        values = dict(thing.values)
        for row in self.profile.rules.declared.of_files():
            path = str(values.pop(row.name, None) or "")
            if path not in self.opened.files.names() or not self._can_be(path):
                continue  # the game's own; else it is told when what was built is compared
            self.taken.add(path)
            self.own_files[f"{_OTHERS}/{path}"] = path
            values[row.name] = f"{_OTHERS}/{path}"
        inside = {scope: tuple(map(self._with_own_files, things)) for scope, things in thing.inside.items()}
        return replace(thing, values=values, inside=inside)

    def _icon(self) -> str | None:
        rules = self.profile.rules.icon
        if rules is None or rules.path not in self.opened.files.names():
            return None
        self.taken.add(rules.path)
        name = f"icon{PurePosixPath(rules.path).suffix}"
        self.adopted.files[name] = rules.path
        return name

    def _can_be(self, name: str) -> bool:
        return is_plain(name) and not any(map(windows_refuses, name.split("/")))

    def _others(self, loose: Iterable[str]) -> Iterator[tuple[str, str]]:
        """Every other file of the pack: in the workspace, and in the pack."""
        broken = {str(error.place.path) for error in self.opened.reading.broken if error.place}
        files, rules = self.opened.files, self.profile.rules
        copies = {copy: name for name in files.names() if (copy := rules.copy_of(name)) is not None}
        same = {copy for copy, name in copies.items() if copy in files.names() and files.read(copy) == files.read(name)}
        left = set(files.names()) - self.taken - same
        for name in sorted({*left, *loose}):
            if name.endswith("/") or self.opened.files.label(name) in broken:
                continue
            if not self._can_be(name):
                self.notes.lose(Place(self.opened.files.label(name)), "no system takes such a name for a file")
                continue
            self.adopted.files[f"{_OTHERS}/{name}"] = name
            yield f"{_OTHERS}/{name}", name

    def _tell_unread(self) -> None:
        reading = self.opened.reading
        for error in reading.broken:
            self.notes.lose(error.place, f"this document is not taken over: {error.what}")
        for place, what in (*reading.strange, *reading.differing):
            self.notes.lose(place, f"this is not understood: {what}")

    def _text(
        self,
        game: str,
        icon: str | None,
        others: list[tuple[str, str]],
        tables: Mapping[str, list[dict[str, Any]]],
    ) -> Iterator[str]:
        said, title = self.values, self.profile.rules.game.title
        yield f"# Adopted from {self.opened.path.name}, a pack for {title}: `ichnos build` makes it again.\n"
        yield f"format = 1\n\ngame = {toml(game)}\n"
        yield f"\nminted-for = {toml(said['pack.name'])}  # the ids below are this pack's: a copy gets fresh ones\n"
        if any(path.startswith(f"{FOLDER}/") for path in self.adopted.files):
            yield "\n# These were finished: where nothing is done to them, they go into the pack byte for byte.\n"
            yield f'finished = ["{FOLDER}/*"]\n'
        yield "\n[pack]\n"
        for name in ("title", "name", "version"):
            yield f"{name} = {toml(self._own(f'pack.{name}'))}\n"
        yield f"game-version = {toml(said['game.version'])}\nlanguage = {toml(self.language)}\n"
        for name in ("id", "summary", "text", "author", "licence"):
            value = self._own(f"pack.{name}")
            if value is not None and (name, value) != ("id", said["pack.name"]):
                yield f"{name} = {toml(value)}\n"
        free = {name: whole(value) for name, value in self.said.free.items() if value not in (None, "")}
        free |= own_texts(self.said, self.language)
        for name, value in by_declaration(self.profile.rules.declared, PACK, free).items():
            yield f"{name} = {toml(value)}\n"
        if icon:
            yield f"icon = {toml(icon)}\n"
        ids = {name: value for name, value in said.items() if name.startswith(ID_PREFIX)}
        if ids:
            yield "\n[ids]\n"
        for name, value in ids.items():
            yield f"{toml_key(name.removeprefix(ID_PREFIX))} = {toml(str(value))}\n"
        if others:
            yield "\n# What else was in the pack. Credits among it stay as they are: say new ones with [[credit]].\n"
        for file, path in others:
            yield f"\n[[file]]\nfile = {toml(file)}\npath = {toml(path)}\n"
        for kind, found in tables.items():
            for table in found:
                yield f"\n[[{kind.removeprefix(OWN)}]]\n"
                yield from (f"{toml_key(name)} = {toml(value)}\n" for name, value in table.items())


def toml(value: Any) -> str:
    """A value as TOML writes it on one line."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{toml_key(name)} = {toml(one)}" for name, one in value.items()) + "}"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(map(toml, value)) + "]"
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(tomlkit.item(value).as_string())


def toml_key(name: str) -> str:
    """A field's name, in quotation marks where it needs them."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else toml(name)
