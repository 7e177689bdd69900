"""The names of a pack's files: paths with holes, filled as the game spells names."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import PurePosixPath

from ichnos.audio.process.target import Target
from ichnos.documents.tree import Unwritable, Value
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.converter import Unreadable
from ichnos.games.profiles.hole import Missing
from ichnos.games.profiles.hole_patterns import Pattern
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.name_rules import FilesNamed, NameRules
from ichnos.games.profiles.profile import goes_with, without_extension
from ichnos.games.profiles.references import NO_PLACE
from ichnos.games.profiles.vocabulary import FIELD_PREFIX, SOUND, goes_round, said_of
from ichnos.games.targets import target
from ichnos.games.things import AnyThing
from ichnos.pack.plan.plan import ClipUse
from ichnos.pack.workspace.pack_file import Prop, Sound
from ichnos.pack.workspace.sounds import PlacedSound, takes_of
from ichnos.pack.workspace.workspace import Workspace


class ClipUses:
    """Names the files of a workspace's takes, parts and pictures, and says what each clip is to become."""

    def __init__(self, workspace: Workspace, own: Mapping[str, Value]) -> None:
        """``own``: the pack's own values, by the names of holes."""
        self.workspace = workspace
        self.profile = workspace.profile
        self.rules = workspace.profile.rules
        self._own = own
        self._stored: dict[tuple[str, Target], str] = {}
        catalogue = workspace.catalogue
        self._players = catalogue.players(self.profile.bare) if catalogue and self.profile.by_path else {}
        self._uses: dict[str, tuple[ClipUse, ...]] = {}  # by key
        self.files: dict[str, tuple[str, Place]] = {}  # by path in the pack: other files of the workspace's

    def of(self, placed: PlacedSound) -> tuple[ClipUse, ...]:
        """Each clip of a sound at its work, its takes first.

        Where the game allows it, a clip that is converted alike for several keys is stored once,
        under the name that the first of them gives it.
        """
        key = placed.sound.key
        if key not in self._uses:
            uses = tuple(self._take_uses(placed)) + tuple(self._part_uses(placed))
            if self.rules.takes.shared and self.workspace.kind_of(placed.sound).replace != "by-path":
                uses = self._shared(uses)
            self._uses[key] = uses
        return self._uses[key]

    def _shared(self, uses: tuple[ClipUse, ...]) -> tuple[ClipUse, ...]:
        """The uses of one key, each with a file of its own: a game may know a key's takes by their files."""
        paths: list[str] = []
        for use in uses:
            path = self._stored.setdefault((use.clip, use.target), use.path)
            paths.append(use.path if path in paths else path)
        return tuple(replace(use, path=path) for use, path in zip(uses, paths, strict=True))

    def _take_uses(self, placed: PlacedSound) -> list[ClipUse]:
        sound, uses = placed.sound, []
        kind = self.workspace.kind_of(sound)
        pattern = self.profile.take_paths.get(kind.name)
        if pattern is None and sound.take_clips():
            what = f"{self.rules.game.title} has no place for takes of {kind.name or 'such'} sounds"
            raise IchnosError(what, place=placed.place("takes"), cure="give the sound parts")
        for number, clip, at in sound.take_clips():
            assert pattern is not None
            path = self._game_path(placed, number, kind)
            takes = takes_of(sound)
            numbering = {"take.number": number, "take.alone": len(takes) == 1}
            path = path or self._filled(pattern, {**self._naming(sound), **numbering})
            if (said := takes[number - 1].path) is not None:
                path = self._said_path(said, pattern, placed, placed.place(*at, "path"))
            wanted = self._like_its_own(sound, number, self._target(sound, kind, clip))
            uses.append(ClipUse("take", clip, path, wanted, placed.place(*at)))
        return uses

    def others(self, key: str, path: str) -> list[str]:
        """The game's other keys that play the file that is replaced under a path."""
        return [other for other in self._players.get(without_extension(path), ()) if other != key]

    def kept(self, placed: PlacedSound, number: int) -> str:
        """The game's own file for a take that is kept, as the game's definitions name it.

        Raises:
            IchnosError: the game has none in that place, or it is not known.
        """
        sound = placed.sound
        own = self.workspace.own_entry(sound.key) or (self.workspace.own_entry(sound.like) if sound.like else None)
        files = own.files if own is not None else ()
        if number > len(files):
            unknown = own is None and self.workspace.catalogue is None
            has = "it is not known where the game is installed" if unknown else f"the game has {len(files)}"
            what = f"take {number} of {sound.key} is to be the game's own, and {has}"
            raise IchnosError(what, place=placed.place("takes", number - 1), cure="leave this take out")
        return files[number - 1]

    def _part_uses(self, placed: PlacedSound) -> list[ClipUse]:
        sound, uses = placed.sound, []
        if not sound.parts:
            return []
        kind = self.workspace.kind_of(sound)
        if kind.replace == "by-path" and not sound.new:
            own = self.workspace.own_entry(sound.key)
            files = ", ".join(own.files) if own is not None else "not known"
            raise IchnosError(
                f"{sound.key} is replaced file by file, and parts have no names there: the game's files are {files}",
                place=placed.place("parts"),
                cure="give it takes in that order, with {kept = true} for each file that stays",
            )
        pattern = self.profile.part_paths[kind.name]
        for name, clip in sound.parts.items():
            wanted = self._target(sound, kind, clip, loops=goes_round(name, sound.parts))
            path = self._filled(pattern, {**self._naming(sound), "part.name": name})
            if name in sound.part_paths:
                path = self._said_path(sound.part_paths[name], pattern, placed, placed.place("part-paths", name))
            uses.append(ClipUse("part", clip, path, wanted, placed.place("parts", name), name))
        return uses

    def _said_path(self, path: str, pattern: Pattern, placed: PlacedSound, place: Place) -> str:
        """A path that a modder gives to a file. Raises IchnosError where the game would not find it there."""
        sound, suffix = placed.sound, f".{str(pattern.parts[-1]).rpartition('.')[2]}"
        if self.workspace.kind_of(sound).replace == "by-path" and not sound.new:
            what = f"{sound.key} is replaced by a file of the game's own name, and path = says another"
            raise IchnosError(what, place=place, cure="leave path out")
        if PurePosixPath(path).suffix.lower() != suffix.lower():
            path += suffix
        if self.profile.list_of_keys is not None and pattern.match(path) is None:
            what = f"{self.rules.game.title} finds a sound's file by its name, and would not find {path}"
            raise IchnosError(what, place=place, cure="leave path out")
        return path

    def _like_its_own(self, sound: Sound, number: int, target: Target) -> Target:
        """What a take is converted to, in the form of the game's own file of that number, or the first."""
        forms = () if sound.new else self.workspace.forms_of(sound.key)
        form = forms[number - 1] if number <= len(forms) else forms[0] if forms else None
        return target if form is None else target.like(form)

    def _target(self, sound: Sound, kind: Kind, clip: str, *, loops: bool = True) -> Target:
        """What a clip of a sound is converted to."""
        return target(
            self.profile,
            kind,
            loop=bool(sound.loop) and loops,
            mono=sound.mono or "auto",
            treatment=self.workspace.pack_file.steps(sound.treatment),
            finished=self.workspace.pack_file.is_finished(clip),
        )

    def _naming(self, sound: Sound) -> dict[str, Value]:
        """The values that a file's name can be made of."""
        group, _, own = sound.key.rpartition(self.rules.names.separator)
        category = self.workspace.category_of(sound)
        return {
            "key": sound.file or sound.key,
            **{word.name: getattr(sound, word.attribute) for word in said_of(SOUND) if not word.is_spoken},
            "category": category,
            "key.group": group or None,
            "key.own": sound.file or own,
            **{f"{FIELD_PREFIX}{name}": value for name, value in sound.fields.items() if not isinstance(value, dict)},
        }

    def _game_path(self, placed: PlacedSound, number: int, kind: Kind) -> str | None:
        """The path of the game's own file, where that is how it is replaced."""
        sound = placed.sound
        if kind.replace != "by-path" or sound.new:
            return None
        if sound.file is not None:
            raise IchnosError(
                f"{sound.key} is replaced by a file of the game's own name, and file = says another",
                place=placed.place("file"),
                cure="leave file out",
            )
        own = self.workspace.own_entry(sound.key)
        takes = own.files if own is not None else ()
        if number > len(takes):
            raise IchnosError(
                f"{sound.key} is replaced file by file, and of the game's own files {len(takes)} can be, not {number}",
                place=placed.place("takes", number - 1),
                cure="say where the game is installed" if own is None else "give it no more takes than the game has",
            )
        reference = takes[number - 1]
        if reference.startswith(NO_PLACE):
            raise IchnosError(
                f"the game's own file of {sound.key} is {reference.removeprefix(NO_PLACE)}, and no line of [references]"
                " says where that lies",
                place=placed.place("takes", number - 1),
                cure="add a line to the profile; or keep that file: {kept = true}",
            )
        return self._in_place(reference, placed, number, kind)

    def _in_place(self, reference: str, placed: PlacedSound, number: int, kind: Kind) -> str:
        """The path under which a file of the game's own is replaced, whatever the extension of a locked one."""
        suffix = str(self.profile.take_paths[kind.name].parts[-1]).rpartition(".")[2]
        stem, dot, extension = reference.rpartition(".")
        is_bare = self.profile.bare(reference) == reference
        if is_bare or not dot or "/" in extension:
            return f"{reference}.{suffix}"
        if goes_with(reference, kind.container, self.rules.audio.extensions):
            return reference
        if f".{extension.lower()}" in self.profile.sound_suffixes and extension.lower() != suffix.lower():
            raise IchnosError(
                f"the game's own file of {placed.sound.key} is {reference}, and the profile makes .{suffix} of clips",
                place=placed.place("takes", number - 1),
                cure=f"say in the profile which kind of sound is .{extension}: [[kind]], container = ...",
            )
        return f"{stem}.{suffix}" if extension.lower() != suffix.lower() else reference

    def _filled(self, pattern: Pattern, values: Mapping[str, Value]) -> str:
        return named_path(self.rules.names, pattern, {**self._own, **values}.get)

    def with_files(self, thing: AnyThing, around: Mapping[str, Value] | None = None) -> AnyThing:
        """A thing whose fields name files by their paths in the pack, and no more as the workspace has them.

        Args:
            around: the values of what it lies in.

        Raises:
            IchnosError: two files would have one path.
        """
        if not self.profile.file_paths:
            return thing
        paths = {name: pattern for name, pattern in self.profile.file_paths.items() if thing.values.get(name)}
        values = dict(thing.values)
        here = {**(around or {}), **values}
        inside = {
            scope: tuple(self.with_files(inner, here) for inner in things) for scope, things in thing.inside.items()
        }
        for name, pattern in paths.items():
            file, place = str(thing.values[name]), thing.place_of(name)
            path = named_path(self.rules.names, pattern, {**self._own, **here}.get, "pictures")
            path += "" if PurePosixPath(path).suffix else PurePosixPath(file).suffix.lower()
            if self.files.setdefault(path, (file, place))[0] != file:
                what = f"{file} and {self.files[path][0]} would both be {path} in the pack"
                raise IchnosError(what, place=place, cure="correct the path of the field in the game's profile")
            values[name] = path
        return replace(thing, values=values, inside=inside)

    def picture_path(self, prop: Prop) -> str | None:
        """Where a prop's picture goes; ``None`` where it has none, or the game takes none."""
        if prop.picture is None or not self.profile.picture_paths:
            return None
        path, values = self.profile.picture_paths[0], {**self._own, "prop.name": prop.name}
        return named_path(self.rules.names, path, values.get, "pictures")


_NAMED = ("key", "key.own", "part.name", "prop.name", "schedule.name")  # what is cut where a name is too long


def named_path(names: NameRules, pattern: Pattern, value: Callable[[str], Value], of: FilesNamed = "sounds") -> str:
    """A path with its holes filled as the game spells the names of files. Raises IchnosError, as spelled_path does."""
    if of not in names.holds_for:
        return spelled_path(pattern, value)

    def spelled(name: str) -> Value:
        text = value(name)
        if not isinstance(text, str) or name == "language":
            return text
        written = names.spelled(text)
        if not written.strip(" ._"):
            raise IchnosError(
                f'of the {name} "{text}" nothing is left in a file name, as the game spells those',
                place=Place("ichnos.toml"),
                cure='give the sound a name for its files: file = "..."',
            )
        return written

    path = spelled_path(pattern, spelled)
    excess = len(PurePosixPath(path).stem) - names.longest if names.longest else 0
    if excess <= 0:
        return path
    hole = next((name for name in _NAMED if any(hole.word.name == name for hole in pattern.holes)), None)
    whole = str(value(hole)) if hole else ""
    short = names.cut(whole, len(names.spelled(whole)) - excess)
    if short is None:
        raise IchnosError(
            f'"{path}" is {excess} letters longer than the game takes',
            place=Place("ichnos.toml"),
            cure="give the pack or the sound a shorter name",
        )
    return spelled_path(pattern, lambda name: short if name == hole else spelled(name))


def spelled_path(pattern: Pattern, value: Callable[[str], Value]) -> str:
    """A path with its holes filled. Raises IchnosError where one has no value, or cannot have it."""
    try:
        return str(pattern.fill(value))
    except Missing as missing:
        of = value("key") or "the pack"
        raise IchnosError(
            f"{of} has no {missing}, which the game's file names need",
            place=Place("ichnos.toml"),
            cure=f"give it one: {str(missing).removeprefix('pack.')} = ...",
        ) from None
    except (Unreadable, Unwritable) as error:
        raise IchnosError(f"a file's name cannot be spelled: {error}", place=Place("ichnos.toml")) from None
