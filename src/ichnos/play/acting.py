"""What the stand-in game plays in a scene, and when: decided before a sample of it is made."""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ichnos.documents.tree import Value
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.vocabulary import BODY, INTRO
from ichnos.games.things import Thing
from ichnos.likeness import did_you_mean
from ichnos.play.decoding import Sounds
from ichnos.play.picking import Picking
from ichnos.play.scene import Happening, Scene
from ichnos.play.turns import Turns, chance
from ichnos.play.world import PlayedSound, SoundFile, World, number

CLICKLESS = 0.005  # seconds in which a sound is taken away that is cut off
_MOST = 100_000  # sounds in one scene
_ROUND = 30.0  # seconds that an entry of a schedule goes round which has no end
_LONGEST, _LOUDEST = 3600.0, 100.0  # of a time and a level: what is said beyond these, nobody means


@dataclass
class Voice:
    """One sound as it is played. Times in frames of the mix; ``end`` is behind its last frame.

    ``pieces``: its files, each with how often it goes round (0: without end, 1: once).
    """

    number: int
    key: str
    what: str  # which take, or which part
    cause: str
    kind: str  # piece, between or "": of no schedule
    start: int
    end: int
    pieces: tuple[tuple[SoundFile, int], ...]
    gain: float
    pitch: float
    thing: str | None  # that it is heard from
    near: float
    far: float
    priority: float
    fade_in: int = 0
    fade_out: int = 0  # frames before its end
    cut: str = ""  # why it ends before its time


@dataclass(frozen=True)
class Mark:
    """Something that happened. Times in frames."""

    at: int
    text: str
    key: str = ""  # whose lane it belongs to
    trigger: str = ""


@dataclass
class Played:
    """All that was played. ``fired``: how often each trigger did something, by its name."""

    rate: int
    frames: int
    voices: list[Voice] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)
    fired: dict[str, int] = field(default_factory=dict)
    met: set[int] = field(default_factory=set)  # triggers whose event came, with all that they ask for: their place
    unknown: list[tuple[str, str, Place]] = field(default_factory=list)  # a key that nothing has, who plays it, where
    everywhere: set[str] = field(default_factory=set)  # keys that the scene plays from a thing, and that have no place
    passed_over: set[str] = field(default_factory=set)  # what a pack has, and nothing says when it plays
    late: int = 0  # happenings behind the end
    stuck: dict[str, Place] = field(default_factory=dict)  # keys whose intro goes round, so that no body comes
    at_a_place: dict[str, str] = field(default_factory=dict)  # stereo files that have one, and who says so
    without: set[str] = field(default_factory=set)  # keys of which a file was to be played that is not there
    unplaced: set[str] = field(default_factory=set)  # things that nobody has said the place of


# What a script has asked for: play or stop, with our words for what it said.
Asked = tuple[str, Mapping[str, Any]]


class Acting:
    """The game's side of a scene."""

    def __init__(self, world: World, scene: Scene, sounds: Sounds, rate: int, seed: int, *, sure: bool = False) -> None:
        """``sure``: whatever odds a trigger has, it does its work."""
        self.sure = sure
        self.world, self.scene, self.sounds, self.rate, self.seed = world, scene, sounds, rate, seed
        self.played = Played(rate, round(scene.seconds * rate))
        self.picking = Picking(world, sounds, seed, self.played.stuck)
        self.odds = chance(seed, "odds")
        self.states: dict[str, Value] = {}
        self.once: set[int] = set()
        self._order = itertools.count()
        self._alive: list[Voice] = []
        self._seen = 0  # of the voices: how many have been looked at
        self._waiting: list[tuple[int, int, Callable[[int], None]]] = []
        self._triggers = [(one, _of_table(one)) for _, one in world.triggers]

    def run(self, listeners: list[tuple[Thing, Callable[[], list[Asked]]]], asked: list[Asked]) -> Played:
        """Play the scene.

        Args:
            listeners: what scripts wait for, and what then is to be called.
            asked: what they asked for when they were loaded.
        """
        self._triggers += listeners
        self.played.late = sum(happening.at >= self.scene.seconds for happening in self.scene.happening)
        for one in self.scene.happening:
            self._at(round(one.at * self.rate), self._happening(one))
        self.ask(0, asked, "script")
        while self._waiting and self._waiting[0][0] < self.played.frames:
            at, _, act = heapq.heappop(self._waiting)
            act(at)
        for voice in self.played.voices:
            voice.end = min(voice.end, self.played.frames)
            voice.fade_out = min(voice.fade_out, voice.end - voice.start)
        return self.played

    def _at(self, at: int, act: Callable[[int], None]) -> None:
        heapq.heappush(self._waiting, (at, next(self._order), act))

    def _happening(self, happening: Happening) -> Callable[[int], None]:
        def act(at: int) -> None:
            if happening.event is not None:
                self.event(at, happening.event, happening.where)
            elif happening.state is not None:
                self.states[happening.state] = happening.value
                self._mark(at, f"{happening.state} is {_said(happening.value)}")
            elif happening.play is not None:
                self.play(at, happening.play, "scene", thing=happening.from_)
            elif happening.stop is not None:
                self.stop(at, happening.stop, happening.fade)
            elif happening.use is not None:
                self._use(at, happening.use)
            elif happening.schedule is not None:
                self._schedule(at, happening)

        return act

    def event(self, at: int, event: str, where: str | None) -> None:
        """Something happens: every trigger that waits for it does its work."""
        self._mark(at, f"{event}{f' at {where}' if where else ''}")
        for index, (trigger, act) in enumerate(self._triggers):
            values = trigger.values
            if values.get("trigger.event") != event or (values.get("trigger.where") or None) not in (None, where):
                continue
            state = values.get("trigger.state")
            if state and _said(self.states.get(str(state))) != _said(values.get("trigger.reaches")):
                continue
            if values.get("trigger.once") is True and index in self.once:
                continue
            name = called(trigger)
            self.played.met.add(index)
            odds = 1 if self.sure else values.get("trigger.odds")
            if isinstance(odds, int | float) and odds < 1 and self.odds.random() >= odds:
                continue
            self.once.add(index)
            self.played.fired[name] = self.played.fired.get(name, 0) + 1
            later = at + round(number(values.get("trigger.delay"), most=_LONGEST) * self.rate)

            def fire(
                now: int, act: Callable[[], list[Asked]] = act, name: str = name, place: Place = trigger.place
            ) -> None:
                self.ask(now, act(), name, place)

            self._at(later, fire)

    def ask(self, at: int, asked: list[Asked], who: str, place: Place | None = None) -> None:
        """Do what a trigger, or a script, asks for."""
        for does, said in asked:
            key, fade = str(said.get("key")), number(said.get("fade"), most=_LONGEST)
            if "place" in said:  # a script says where it asks
                place = Place(str(said["place"][0]), int(said["place"][1]) or None)
            if does == "play":
                thing = said.get("from")
                gain = number(said.get("volume"), 1, most=_LOUDEST)
                self.play(
                    at, key, f"trigger {who}", thing=str(thing) if thing else None, gain=gain, fade_in=fade,
                    trigger=who, place=place,
                )  # fmt: skip
            else:
                self.stop(at, key, fade if does == "stop" or fade else 1.0, f"trigger {who}", place)

    def _use(self, at: int, name: str) -> None:
        prop = next((other for other in self.world.props if other.name == name), None)
        if prop is None:
            cure = did_you_mean(
                [str(thing.name) for thing in self.world.props], name, otherwise="there are no props at all"
            )
            raise IchnosError(f'there is no prop "{name}" to use', cure=cure)
        self._mark(at, f"{name} is used")
        if prop.key is not None:
            self.play(at, prop.key, f"prop {name}", thing=name, place=prop.place)

    def _schedule(self, at: int, happening: Happening) -> None:
        names = {str(said.values.get("schedule.name")): said for said in self.world.schedules}
        if happening.schedule not in names:
            cure = did_you_mean(names, str(happening.schedule), otherwise="there are no schedules at all")
            raise IchnosError(f'there is no schedule "{happening.schedule}"', cure=cure)
        schedule = names[happening.schedule]
        turns = Turns(schedule, self.seed)
        last = at + round(happening.lasting / happening.faster * self.rate) if happening.lasting else self.played.frames

        def entry(now: int) -> None:
            if now >= min(last, self.played.frames):
                return
            key, kind = turns.next()
            first = len(self.played.voices)
            voice = self.play(
                now, key, f"schedule {happening.schedule}", gain=turns.levels[kind], kind=kind, place=schedule.place
            )
            length = self.rate // 2
            if voice is not None:
                natural = self.length(voice)
                lasts = natural or round(_ROUND * self.rate)
                length = max(self.rate // 20, round(lasts / happening.faster))
                for each in self.played.voices[first:] if length < lasts or natural is None else ():
                    each.end = max(each.start, min(each.end, now + length))
                    each.fade_out = min(length, round(0.02 * self.rate))
            self._at(now + length, entry)

        self._mark(at, f"schedule {happening.schedule} begins")
        self._at(at, entry)

    def play(
        self,
        at: int,
        key: str,
        cause: str,
        *,
        thing: str | None = None,
        gain: float = 1.0,
        fade_in: float = 0.0,
        kind: str = "",
        trigger: str = "",
        place: Place | None = None,
        turns: int = 0,
    ) -> Voice | None:
        """Play a key. ``turns``: how often a loop goes round; 0: until it is stopped."""
        sound = self.world.sounds.get(key)
        if trigger:
            self._mark(at, trigger, key, trigger)
        if sound is None:
            self.played.unknown.append((key, f"{cause} plays", place or Place("the scene")))
            return None
        what, pieces, gain_of, pitch = self.picking.picked(sound, turns)
        if not pieces:
            self.played.without.add(key)
            self._mark(at, f"{key} has no file that can be played")
            return None
        if len(self.played.voices) >= _MOST:
            raise IchnosError(f"more than {_MOST:,} sounds play in this scene", cure="make it shorter")
        heard_from = self._place(sound, pieces, thing, cause)
        voice = Voice(
            len(self.played.voices), key, what, cause, kind, at, 0, pieces, gain * gain_of * sound.volume,
            pitch * sound.pitch, heard_from, sound.near, max(sound.far, sound.near), sound.priority,
            round(fade_in * self.rate),
        )  # fmt: skip
        length = self.length(voice)
        voice.end = at + length if length is not None else self.played.frames
        if not self._has_room(voice, sound):
            return None
        self.played.voices.append(voice)
        self._layers(voice, sound)
        return voice

    def _layers(self, voice: Voice, sound: PlayedSound) -> None:
        """The parts that sound along with the body, from where that begins."""
        if sound.takes and sound.parts:
            self.played.passed_over.add(f"the takes of {sound.key}, which has parts, too")
        if BODY not in sound.parts or sound.key in self.played.stuck:
            rest = [name for name in sound.parts if name != voice.what and sound.key not in self.played.stuck]
            self.played.passed_over |= {f"the part {name} of {sound.key}" for name in rest}
            return
        ahead = self.length(replace(voice, pieces=voice.pieces[:-1])) or 0
        for name, file in sound.parts.items():
            if name not in (INTRO, BODY):
                layer = replace(
                    voice, number=len(self.played.voices), what=name, pieces=((file, voice.pieces[-1][1]),),
                    start=voice.start + ahead,
                )  # fmt: skip
                length = self.length(layer)
                layer.end = layer.start + length if length is not None else self.played.frames
                self.played.voices.append(layer)

    def _place(
        self, sound: PlayedSound, pieces: tuple[tuple[SoundFile, int], ...], thing: str | None, cause: str
    ) -> str | None:
        """The thing that a sound is heard from; None where it is heard everywhere."""
        if thing is None:
            return None
        if not sound.positional and not cause.startswith(("trigger", "prop")):
            self.played.everywhere.add(sound.key)
            return None
        for file, _ in pieces:
            if self.sounds.channels(file) > 1:
                self.played.at_a_place[file.label] = sound.key
                if self.world.profile.rules.play.stereo == "everywhere":
                    return None
        if self.scene.place_of(thing) is None:
            self.played.unplaced.add(thing)
        return thing

    def length(self, voice: Voice) -> int | None:
        """The frames that a voice lasts by itself; None where it goes on until it is stopped."""
        total = 0
        for file, turns in voice.pieces:
            frames, rate = self.sounds.frames(file, turns)
            if frames is None:
                return None
            total += round(frames / rate / voice.pitch * self.rate)
        return total

    def _has_room(self, voice: Voice, sound: PlayedSound) -> bool:
        """Make room for one more, as the game would; False where it is this one that is left out."""
        at = voice.start
        active = self._active(at)
        same = [other for other in active if other.key == voice.key]
        if sound.voices is not None and len(same) >= sound.voices:
            self._cut(same[0], at, f"{sound.voices} of it may be heard at once")
            active.remove(same[0])
        most = self.world.profile.rules.play.voices
        if len(active) >= most:
            least = min(active, key=lambda one: (one.priority, one.start, one.number))
            if least.priority > voice.priority:
                voice.end, voice.cut = voice.start, f"{most} others are heard, with a higher priority"
                self.played.voices.append(voice)
                return False
            self._cut(least, at, f"more than {most} sounds at once")
        return True

    def _active(self, at: int) -> list[Voice]:
        """Those that are heard, or will be. Most of what has been played is over, and is not looked at again."""
        self._alive = [voice for voice in (*self._alive, *self.played.voices[self._seen :]) if voice.end > at]
        self._seen = len(self.played.voices)
        return list(self._alive)

    def _cut(self, voice: Voice, at: int, why: str) -> None:
        voice.end, voice.cut = max(voice.start, min(voice.end, at + round(CLICKLESS * self.rate))), why
        voice.fade_out = min(voice.end - voice.start, round(CLICKLESS * self.rate))

    def stop(self, at: int, key: str, fade: float, cause: str = "scene", place: Place | None = None) -> None:
        """Stop all that plays under a key, in so many seconds, or in those that its definition says."""
        sound = self.world.sounds.get(key)
        if sound is None:
            self.played.unknown.append((key, f"{cause} stops", place or Place("the scene")))
        seconds = max(fade, sound.fade if sound and not fade else 0.0, CLICKLESS)
        for voice in self._active(at):
            if voice.key == key and voice.end > at + round(seconds * self.rate):
                voice.end = max(voice.start, at + round(seconds * self.rate))
                voice.fade_out = min(voice.end - voice.start, round(seconds * self.rate))

    def _mark(self, at: int, text: str, key: str = "", trigger: str = "") -> None:
        self.played.marks.append(Mark(at, text, key, trigger))


def called(trigger: Thing) -> str:
    """What a trigger is called by: its name, else its event."""
    return str(trigger.values.get("trigger.name") or trigger.values.get("trigger.event") or "without a name")


def _of_table(trigger: Thing) -> Callable[[], list[Asked]]:
    """What a trigger of a table does."""
    said = {name.removeprefix("trigger."): value for name, value in trigger.values.items()}
    does = str(said.get("does") or "play")
    return lambda: [(does, said)]


def _said(value: Any) -> str:
    """A state's value as it is compared: what a file says is text, what a script says may be a yes or a number."""
    text = str(value).lower()
    return {"true": "yes", "false": "no"}.get(text, text.removesuffix(".0"))
