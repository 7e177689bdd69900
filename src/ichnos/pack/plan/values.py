"""The workspace as values for a profile's holes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import PurePosixPath
from typing import Any

from ichnos.audio.process.conversion import Target
from ichnos.documents.tree import Unwritable, Value
from ichnos.errors import IchnosError, Place
from ichnos.games.entries.fill import Instance
from ichnos.games.profiles.converters import Unreadable
from ichnos.games.profiles.holes import Missing, Pattern
from ichnos.games.profiles.profile import fits
from ichnos.games.profiles.rules import NameRules
from ichnos.games.profiles.vocabulary import (
    CARRIER,
    CATEGORY,
    FIELD_PREFIX,
    GROUP,
    ID_PREFIX,
    LANGUAGE,
    PART,
    ROTATION,
    SLOT,
    SOUND,
    TAKE,
    TRIGGER,
)
from ichnos.games.targets import target
from ichnos.pack.workspace.pack_file import Carrier, PackFile, Sound
from ichnos.pack.workspace.sounds import takes_of
from ichnos.pack.workspace.workspace import Workspace

# The fields of a sound that a profile has holes for under the same name.
HOLES_OF_A_SOUND = ("volume", "pitch", "near", "far", "nearby", "priority", "loop", "fade", "voices")


class PackValues:
    """Turns a workspace into instances, and names the files of its takes, parts and pictures."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.profile = workspace.profile
        self.rules = workspace.profile.rules
        self.own = self._own()
        self._stored: dict[tuple[str, Target], str] = {}
        self._paths: dict[str, list[str]] = {}  # by key
        self._needs_category = any(
            CATEGORY in (*exemplar.units.values(), *exemplar.file_scopes) for exemplar in self.profile.documents
        )

    def _own(self) -> dict[str, Value]:
        pack = self.workspace.pack_file.pack
        return {
            "pack.title": pack.title,
            "pack.name": pack.name,
            "pack.version": pack.version,
            "pack.summary": pack.summary,
            "pack.author": pack.author,
            "pack.licence": pack.licence,
            "game.version": pack.game_version,
            **{f"{ID_PREFIX}{name}": value for name, value in self.workspace.pack_file.ids.items()},
        }

    def pack(self) -> Instance:
        """The pack, with all that lies inside it."""
        file = self.workspace.pack_file
        language = file.pack.language
        languages = dict.fromkeys(tag or language for sound in file.sound for tag in sound.title)
        sounds = [self.sound(sound) for sound in file.sound]
        triggers = [
            {"trigger.name": t.name, "trigger.event": t.event, "trigger.where": t.where, "trigger.key": t.key,
             "trigger.once": t.once}
            for t in file.trigger
        ]  # fmt: skip
        carriers = [
            {"carrier.name": c.name, "carrier.title": c.title, "carrier.text": c.text, "carrier.key": c.key,
             "carrier.picture": self.picture_path(c)}
            for c in file.carrier
        ]  # fmt: skip
        rotations = tuple(
            Instance(
                {"rotation.name": r.name, "rotation.after": r.after, "rotation.apart": r.apart},
                {
                    SLOT: tuple(
                        Instance({"slot.number": number, "slot.kind": slot.kind, "slot.key": slot.key})
                        for number, slot in enumerate(r.slots, 1)
                    )
                },
            )
            for r in file.rotation
        )
        return Instance(
            self.own,
            {
                LANGUAGE: tuple(Instance({"language": tag}) for tag in languages),
                **_grouped(sounds),
                CATEGORY: tuple(
                    Instance({"category": name}, _grouped(inner)) for name, inner in _by(sounds, "category").items()
                ),
                TRIGGER: tuple(map(Instance, triggers)),
                CARRIER: tuple(map(Instance, carriers)),
                ROTATION: rotations,
            },
        )

    def category(self, sound: Sound) -> str | None:
        """The sound's category: as given, or as the game's own definition has it."""
        return self.workspace.category_of(sound)

    def sound(self, sound: Sound) -> Instance:
        """A sound with its takes and parts."""
        separator = self.rules.names.separator
        group, _, own = sound.key.rpartition(separator)
        category = self.category(sound)
        if category is None and self._needs_category:
            raise IchnosError(
                f"{sound.key} needs a category, as {self.rules.game.title} sorts its sounds by them",
                place=self.workspace.sound_place(self.workspace.pack_file.sound.index(sound)),
                cure='say category = "..."',
            )
        values: dict[str, Value] = {"key": sound.key, "key.group": group or None, "key.own": own, "category": category}
        values |= {name: getattr(sound, name) for name in (*HOLES_OF_A_SOUND, "like")}
        values |= {f"{FIELD_PREFIX}{name}": text for name, text in sound.fields.items()}
        paths = self.paths(sound)
        takes = tuple(
            Instance({"weight": take.weight, "take.number": number, "file": path})
            for number, (take, path) in enumerate(zip(takes_of(sound), paths, strict=False), 1)
        )
        parts = tuple(
            Instance({"part.name": name, "part.file": path})
            for name, path in zip(sound.parts, paths[len(takes) :], strict=True)
        )
        if takes and not self.rules.takes.several:
            values |= takes[0].values
        language = self.workspace.pack_file.pack.language
        titles: dict[str | None, str] = {tag or language: title for tag, title in sound.title.items()}
        if language in titles:
            titles[None] = titles[language]
        return Instance(values, {TAKE: takes, PART: parts, LANGUAGE: self._languages(titles)}, titles)

    def _languages(self, titles: dict[str | None, str]) -> tuple[Instance, ...]:
        return tuple(Instance({"language": tag}) for tag in titles if tag is not None)

    def target(self, sound: Sound, *, part: bool) -> Target:
        """What the clips of a sound are converted to."""
        return target(
            self.profile,
            sound.key,
            self.category(sound),
            part=part,
            loop=bool(sound.loop),
            mono=sound.mono or "auto",
            treatment=self.workspace.pack_file.steps(sound.treatment),
        )

    def paths(self, sound: Sound) -> list[str]:
        """The file of each take, then of each part, from the pack's root.

        Where the game allows it, a clip that is converted alike for several keys is stored once,
        under the name that the first of them gives it.
        """
        if sound.key not in self._paths:
            paths = self._own_paths(sound)
            if self.rules.takes.shared and self.rules.modes.replace != "by-path":
                paths = [
                    self._stored.setdefault((clip, self.target(sound, part=at[0] == "parts")), path)
                    for path, (clip, at) in zip(paths, sound.clips(), strict=True)
                ]
            self._paths[sound.key] = paths
        return self._paths[sound.key]

    def _own_paths(self, sound: Sound) -> list[str]:
        category = self.category(sound)
        paths = []
        for number, _ in enumerate(takes_of(sound), 1):
            own = self._game_path(sound, number)
            pattern = self._pattern(self.profile.sound_paths, sound, category, part=False)
            values = {"key": sound.key, "category": category, "take.number": number}
            paths.append(own or self._filled(pattern, {**values, **self._pieces(sound)}))
        for name in sound.parts:
            pattern = self._pattern(self.profile.part_paths, sound, category, part=True)
            values = {"key": sound.key, "category": category, "part.name": name}
            paths.append(self._filled(pattern, {**values, **self._pieces(sound)}))
        return paths

    def _pieces(self, sound: Sound) -> dict[str, Value]:
        group, _, own = sound.key.rpartition(self.rules.names.separator)
        return {"key.group": group or None, "key.own": own}

    def _game_path(self, sound: Sound, number: int) -> str | None:
        """The path of the game's own file, where that is how it is replaced."""
        known = self.workspace.catalogue
        if self.rules.modes.replace != "by-path" or sound.new:
            return None
        takes = known.entry(sound.key).files if known and sound.key in known else ()
        if number > len(takes):
            raise IchnosError(
                f"{sound.key} is replaced file by file, and of the game's own files {len(takes)} can be, not {number}",
                place=self.workspace.sound_place(self.workspace.pack_file.sound.index(sound), "takes", number - 1),
                cure="say where the game is installed" if known is None else "give it no more takes than the game has",
            )
        pattern = self._pattern(self.profile.sound_paths, sound, self.category(sound), part=False)
        suffix = str(pattern.parts[-1]).rpartition(".")[2]
        reference = takes[number - 1]
        return reference if reference.endswith(f".{suffix}") else f"{reference}.{suffix}"

    def _pattern(self, patterns: Sequence[Pattern], sound: Sound, category: str | None, *, part: bool) -> Pattern:
        container = target(self.profile, sound.key, category, part=part).container
        return next((pattern for pattern in patterns if fits(pattern, container)), patterns[0])

    def _filled(self, pattern: Pattern, values: dict[str, Any]) -> str:
        return named_path(self.rules.names, pattern, {**self.own, **values}.get)

    def picture_path(self, carrier: Carrier) -> str | None:
        """Where a carrier's picture goes; ``None`` where it has none, or the game takes none."""
        if carrier.picture is None or not self.profile.picture_paths:
            return None
        return self._filled(self.profile.picture_paths[0], {"carrier.name": carrier.name})


_NAMED = ("key", "key.own", "part.name", "carrier.name", "rotation.name")  # what is cut where a name is too long


def named_path(names: NameRules, pattern: Pattern, value: Callable[[str], Value]) -> str:
    """A path with its holes filled as the game spells the names of files. Raises IchnosError, as spelled_path does."""

    def spelled(name: str) -> Value:
        found = value(name)
        return names.spelled(found) if isinstance(found, str) and name != "language" else found

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


def _by(sounds: Sequence[Instance], name: str) -> dict[Value, list[Instance]]:
    found: dict[Any, list[Instance]] = {}
    for sound in sounds:
        found.setdefault(sound.values.get(name), []).append(sound)
    return found


def _grouped(sounds: Sequence[Instance]) -> dict[str, tuple[Instance, ...]]:
    """The sounds, and the same by the group of their keys."""
    groups = _by(sounds, "key.group")
    return {
        SOUND: tuple(sounds),
        GROUP: tuple(Instance({"key.group": name}, {SOUND: tuple(inner)}) for name, inner in groups.items()),
    }


def script_values(file: PackFile) -> dict[str, Any]:
    """The workspace as plain values for a script's template."""
    return {
        "pack": file.pack.model_dump(),
        "sounds": [sound.model_dump() for sound in file.sound],
        "triggers": [trigger.model_dump() for trigger in file.trigger],
        "carriers": [carrier.model_dump() for carrier in file.carrier],
        "rotations": [rotation.model_dump() for rotation in file.rotation],
    }
