"""What the stand-in game has loaded: the game's own and packs in load order, read through the profile."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import IO, Any

from ichnos.documents.text import from_bytes
from ichnos.errors import IchnosError, Place
from ichnos.files.sources import Files
from ichnos.games.catalogues.catalogue import Catalogue
from ichnos.games.entries.packs import read_pack
from ichnos.games.pack_sounds import PackSounds
from ichnos.games.profiles.kinds import Kind
from ichnos.games.profiles.profile import Profile
from ichnos.games.things import (
    SoundThing,
    Thing,
    sound_of,
)

GAME = "the game"  # whose the game's own sounds are
LUA = ".lua"
_LOUDEST = 100.0  # what a definition says beyond these, no game does
_LOWEST, _HIGHEST = 1 / 16, 16.0  # of a pitch


@dataclass(frozen=True)
class SoundFile:
    """A sound file, and whose it is: a pack's name, or the game."""

    files: Files
    name: str
    whose: str

    @property
    def label(self) -> str:
        return self.files.label(self.name)

    def stream(self) -> IO[bytes]:
        return self.files.stream(self.name)


@dataclass(frozen=True)
class PlayedTake:
    """One of the files under a key. ``file``: None where it leads nowhere. ``key``: what is played in its place."""

    file: SoundFile | None
    weight: float
    volume: float
    pitch: float
    key: str | None = None


@dataclass(frozen=True)
class PlayedSound:
    """A key as the game has it: the definition of the pack that wins, with its files found."""

    key: str
    whose: str
    kind: Kind
    place: Place
    takes: tuple[PlayedTake, ...]
    parts: Mapping[str, SoundFile]
    volume: float
    pitch: float
    near: float
    far: float
    positional: bool
    loop: bool | None  # None: nobody says it
    fade: float
    priority: float
    voices: int | None
    missing: tuple[str, ...] = ()  # takes and parts whose reference leads to no file

    @property
    def files(self) -> list[SoundFile]:
        return [*(take.file for take in self.takes if take.file is not None), *self.parts.values()]


@dataclass(frozen=True)
class Script:
    """A script of a pack."""

    whose: str
    label: str
    text: str


@dataclass
class World:
    """All that can be played. ``lost``: a key that two packs have, the loser, the winner, the loser's place."""

    profile: Profile
    sounds: dict[str, PlayedSound] = field(default_factory=dict)
    triggers: list[tuple[str, Thing]] = field(default_factory=list)
    props: list[Thing] = field(default_factory=list)
    schedules: list[Thing] = field(default_factory=list)
    scripts: list[Script] = field(default_factory=list)
    lost: list[tuple[str, str, str, Place]] = field(default_factory=list)
    packs: tuple[str, ...] = ()
    notes: list[str] = field(default_factory=list)

    def own(self) -> list[PlayedSound]:
        """The sounds that packs have brought."""
        return [sound for sound in self.sounds.values() if sound.whose != GAME]


@dataclass
class _Layer:
    whose: str
    view: PackSounds

    @property
    def files(self) -> Files:
        return self.view.files


def load(
    profile: Profile, packs: Sequence[tuple[str, Files]], game: Files | None, catalogue: Catalogue | None = None
) -> World:
    """Load the game's own sounds, and packs over them.

    Args:
        packs: by name, in load order.
        game: the game's own files, as the tree of a pack has them, without any pack; None where it is not there.
        known: the game's keys, where they are known.

    Raises:
        IchnosError: a document of a pack is broken.
    """
    return _Loading(profile, packs, game, catalogue).world


class _Loading:
    def __init__(
        self, profile: Profile, packs: Sequence[tuple[str, Files]], game: Files | None, catalogue: Catalogue | None
    ) -> None:
        self.profile = profile
        self.known = catalogue
        self.world = World(profile, packs=tuple(name for name, _ in packs))
        ordered = [*([(GAME, game)] if game is not None else []), *packs]
        if profile.rules.install.wins == "first":
            ordered = [*ordered[: len(ordered) - len(packs)], *reversed(packs)]
        self.layers = [
            _Layer(whose, PackSounds(profile, files, read_pack(profile, files), catalogue)) for whose, files in ordered
        ]
        self.over: dict[str, SoundFile] = {}  # by bare name, where a file takes another's place by its path
        self.under: dict[str, str] = {}  # whose file stood there before, of another pack
        if profile.by_path:
            for layer in self.layers:
                for name in layer.view.names:
                    bare = profile.bare(name)
                    before = self.over.get(bare)
                    if before is not None and before.whose not in (GAME, layer.whose):
                        self.under[bare] = before.whose
                    self.over[bare] = SoundFile(layer.files, name, layer.whose)
        for layer in self.layers:
            self.read(layer)
        self.by_path_alone()
        self.lost_by_path()

    def read(self, layer: _Layer) -> None:
        reading = layer.view.reading
        if reading.broken and layer.whose != GAME:
            raise reading.broken[0]
        if reading.broken:
            count = len(reading.broken)
            self.world.notes.append(
                f"{count} of the game's own documents cannot be read, and what is in them does not play:"
                f" {reading.broken[0].place}"
            )
        pack = reading.definitions
        merged = {one.key for name in reading.merged for one in reading.by_document.get(name, pack).sounds}
        for sound in pack.defined():
            self.take_in(layer, sound, is_copy=layer.whose != GAME and sound.key in merged)
        self.world.triggers += [(layer.whose, trigger) for trigger in pack.triggers]
        self.world.props += pack.props
        self.world.schedules += pack.schedules
        if layer.whose != GAME:
            scripts = {script.path for script in self.profile.scripts}
            for name in layer.files.names():
                if name in scripts or name.endswith(LUA):
                    label = layer.files.label(name)
                    text = from_bytes(layer.files.read(name), label).content
                    self.world.scripts.append(Script(layer.whose, label, text))

    def take_in(self, layer: _Layer, sound: SoundThing, *, is_copy: bool) -> None:
        made = self.made(layer, sound)
        before = self.world.sounds.get(sound.key)
        if is_copy and not any(file.whose == layer.whose for file in made.files):
            return  # an entry of the game's own, in the pack's copy of its file
        if before is not None and layer.whose != GAME and self.profile.adds(sound.values.get("adds")):
            takes, parts = (*before.takes, *made.takes), {**before.parts, **made.parts}
            missing = (*before.missing, *made.missing)
            made = replace(before, whose=layer.whose, takes=takes, parts=parts, missing=missing)
        elif before is not None and before.whose not in (GAME, layer.whose):
            self.world.lost.append((sound.key, before.whose, layer.whose, before.place))
        self.world.sounds[sound.key] = made

    def made(self, layer: _Layer, sound: SoundThing) -> PlayedSound:
        rules, said = self.profile.rules.play, sound.values
        kind = layer.view.kind_of(sound)
        takes = tuple(
            PlayedTake(
                self.file(layer, take.file) if take.file is not None else None,
                number(take.weight, 1),
                number(take.values.get("take.volume"), 1, most=_LOUDEST),
                number(take.values.get("take.pitch"), 1, _LOWEST, _HIGHEST),
                take.key if take.file is None else None,
            )
            for take in sound.takes
        )
        parts = {
            part.name: found
            for part in sound.parts
            if part.name and part.file and (found := self.file(layer, part.file)) is not None
        }
        voices = said.get("voices")
        positional, loop = said.get("positional"), said.get("loop")
        whose = layer.whose
        if whose == GAME:  # a pack's, whose file has taken the place of the game's
            files = [*(take.file for take in takes), *parts.values()]
            whose = next((file.whose for file in files if file is not None and file.whose != GAME), GAME)
        return PlayedSound(
            sound.key, whose, kind, sound.place, takes, parts,
            number(said.get("volume"), 1, most=_LOUDEST), number(said.get("pitch"), 1, _LOWEST, _HIGHEST),
            number(said.get("near"), rules.near), number(said.get("far"), rules.far),
            rules.positional if positional is None else positional is True, None if loop is None else loop is True,
            number(said.get("fade"), 0), number(said.get("priority"), 0, -1e6),
            round(number(voices, 1, 1)) if voices is not None else None,
            (
                *(f"take {at}" for at, take in enumerate(takes, 1) if take.file is None and take.key is None),
                *(f"the part {part.name}" for part in sound.parts if part.name not in parts),
            ),
        )  # fmt: skip

    def file(self, layer: _Layer, reference: str) -> SoundFile | None:
        """The file that a reference means: of the pack itself, else of the game, else of one before it."""
        at = self.layers.index(layer)
        for one in (layer, *self.layers[:1], *reversed(self.layers[:at])):
            name = one.view.by_reference.file_of(reference)
            if name is not None:
                found = SoundFile(one.files, name, one.whose)
                return self.over.get(self.profile.bare(name), found) if one.whose == GAME else found
        return self.over.get(self.profile.bare(reference))

    def lost_by_path(self) -> None:
        """Files of a pack in whose place another pack's stand."""
        for key, sound in self.world.sounds.items():
            for file in sound.files:
                loser = self.under.get(self.profile.bare(file.name))
                if loser is not None and file.whose not in (GAME, loser):
                    self.world.lost.append((key, loser, file.whose, Place(file.label)))

    def by_path_alone(self) -> None:
        """Keys of the game whose files a pack has, where the game's own definitions cannot be read."""
        if self.known is None or not self.profile.by_path:
            return
        for bare, keys in self.known.players(self.profile.bare).items():
            file = self.over.get(bare)
            for key in keys if file is not None and file.whose != GAME else ():
                if key not in self.world.sounds:
                    sound = sound_of(key, self.known.category(key), place=Place(file.label if file else ""))
                    layer = next(one for one in self.layers if file is not None and one.whose == file.whose)
                    made = self.made(layer, sound)
                    self.world.sounds[key] = PlayedSound(
                        **{
                            **vars(made),
                            "takes": (PlayedTake(file, 1.0, 1.0, 1.0),),
                            "whose": layer.whose,
                            "missing": (),
                        }
                    )


def number(value: Any, otherwise: float = 0.0, least: float = 0.0, most: float = 1e6) -> float:
    """A number of a definition or a script, as far as it can be meant: a stranger's may be anything."""
    if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value):
        return otherwise
    return min(max(float(value), least), most)


def refuse_unknown(world: World, key: str) -> PlayedSound:
    """The sound of a key. Raises IchnosError where nothing has it."""
    from ichnos.likeness import did_you_mean

    if key not in world.sounds:
        cure = did_you_mean(world.sounds, key, otherwise="there are no sounds in these packs")
        raise IchnosError(f'nothing has the key "{key}"', cure=cure)
    return world.sounds[key]
