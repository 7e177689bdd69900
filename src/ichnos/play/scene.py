"""A scene: where the listener walks, where things stand, what happens when. Written by hand, or made up from a pack."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Any, Literal

import tomlkit
from pydantic import Field, model_validator

from ichnos.documents.checked import TomlTable, checked
from ichnos.documents.toml import TomlFile
from ichnos.games.things import Thing
from ichnos.play.world import PlayedSound, World, number

Spot = tuple[float, float]  # metres to the east and to the north

_APART = 0.5  # seconds between two sounds of a scene that is made up
_LONGEST = 4.0  # seconds that each is heard there
_SPED_UP, _FOR = 10.0, 600.0  # a schedule in it: so many times faster, for so long


class ListenerPlace(TomlTable):
    at: float = Field(ge=0, description="when, in seconds from the scene's beginning")
    place: Spot = Field(description="where the listener is then, in metres to the east and to the north")
    facing: float | None = Field(
        default=None, description="where the listener looks, in degrees: 0 to the north, 90 to the east; else as before"
    )


class SceneThing(TomlTable):
    name: str = Field(min_length=1, description="a thing that sounds come from")
    place: Spot = Field(description="where it stands")


class Happening(TomlTable):
    at: float = Field(ge=0, description="when, in seconds")
    event: str | None = Field(default=None, description="an event, in the game's own words: triggers may wait for it")
    where: str | None = Field(default=None, description="where the event is: an area, or a thing")
    state: str | None = Field(default=None, description="a state of a thing changes ...")
    value: str | bool | int | float | None = Field(default=None, description="... to this")
    play: str | None = Field(default=None, description="the game plays this key by itself")
    stop: str | None = Field(default=None, description="the game stops this key by itself")
    from_: str | None = Field(default=None, alias="from", description="from this thing; else everybody hears it")
    fade: float = Field(default=0, ge=0, description="in how many seconds it stops")
    use: str | None = Field(default=None, description="somebody uses this prop")
    schedule: str | None = Field(default=None, description="this schedule begins")
    lasting: float | None = Field(default=None, gt=0, description="for how many of its own seconds; else to the end")
    faster: float = Field(default=1, ge=1, description="each of its entries is cut to this part: 10 is a tenth")

    @model_validator(mode="after")
    def _is_one(self) -> Happening:
        if sum(one is not None for one in (self.event, self.state, self.play, self.stop, self.use, self.schedule)) != 1:
            raise ValueError("one thing happens at a time: event, state, play, stop, use or schedule")
        if (self.state is None) is not (self.value is None):
            raise ValueError('a state and its value go together: state = "...", value = "..."')
        return self


class Scene(TomlTable):
    """What a scene's file says."""

    format: Literal[1] = Field(description="the edition of this file's format")
    seconds: float = Field(gt=0, le=86_400, description="how long it is")
    bed: str | None = Field(default=None, description="a recording of the game's own mix, as seen from this file")
    bed_volume: float = Field(default=1, ge=0, le=10, description="how loud that is")
    listener: tuple[ListenerPlace, ...] = Field(
        default=(), description="[[listener]]: where the listener walks, straight on"
    )
    thing: tuple[SceneThing, ...] = Field(default=(), description="[[thing]]: what stands where")
    happening: tuple[Happening, ...] = Field(default=(), description="[[happening]]: what happens when")

    @cached_property
    def walk(self) -> tuple[list[float], list[ListenerPlace], list[float]]:
        """The listener's steps in the order of time: when, where, and looking where to."""
        steps = sorted(self.listener, key=lambda one: one.at)
        return [step.at for step in steps], steps, _facings(steps)

    def listener_at(self, second: float) -> tuple[Spot, float]:
        """Where the listener is, and looks to in degrees."""
        times, steps, facings = self.walk
        if not steps:
            return (0.0, 0.0), 0.0
        at = bisect_right(times, second) - 1
        if at < 0 or at + 1 >= len(steps):
            at = max(0, min(at, len(steps) - 1))
            return steps[at].place, facings[at]
        one, other = steps[at], steps[at + 1]
        share = (second - one.at) / (other.at - one.at) if other.at > one.at else 1.0
        place = tuple(a + share * (b - a) for a, b in zip(one.place, other.place, strict=True))
        turn = (facings[at + 1] - facings[at] + 180) % 360 - 180
        return (place[0], place[1]), facings[at] + share * turn

    def place_of(self, thing: str | None) -> Spot | None:
        """Where a thing stands; None where nobody says it."""
        return next((one.place for one in self.thing if one.name == thing), None)

    @property
    def stands_still(self) -> bool:
        return len({(step.place, step.facing) for step in self.listener}) <= 1


def _facings(steps: list[ListenerPlace]) -> list[float]:
    facings, now = [], 0.0
    for step in steps:
        now = now if step.facing is None else step.facing
        facings.append(now)
    return facings


def read(data: bytes, path: str) -> Scene:
    """A scene's file. Raises IchnosError with line and column, whatever in it is not as it must be."""
    return checked(Scene, TomlFile(data, path))


def written(scene: Scene) -> str:
    """A scene as a file that can be edited."""
    document = tomlkit.document()
    document.add(tomlkit.comment("A scene for ichnos rehearse: docs/rehearse.md says what can stand here."))
    values = scene.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    for name in ("format", "seconds", "bed", "bed-volume"):
        if name in values or name == "format":
            document[name] = values.get(name, 1)
    for name in ("listener", "thing", "happening"):
        tables = tomlkit.aot()
        for text in values.get(name, ()):
            table = tomlkit.table()
            table.update(text)
            table.trivia.indent = "\n"
            tables.append(table)
        if len(tables):
            document[name] = tables
    return tomlkit.dumps(document)


def _spots(sound: PlayedSound) -> list[tuple[str, Spot]]:
    """From where a sound is heard: near and far, with the names of these; where it has no place, once."""
    if not sound.positional:
        return [("", (0, 0))]
    half_way = (sound.near + sound.far) / 2
    return [(f"near {sound.near:g} m", (0, max(0.5, sound.near))), (f"far {half_way:g} m", (half_way, 0))]


def made_up(world: World, triggers: Sequence[Thing], lengths: dict[str, float]) -> Scene:
    """A scene in which each sound of the packs is heard: near and far, by each trigger, in each schedule.

    Args:
        triggers: those of tables, and those that scripts wait for.
        lengths: of each key, in seconds, as far as one of its takes can be read.
    """
    happenings: list[dict[str, Any]] = []
    things: dict[str, Spot] = {}
    now = 0.0

    def lasts(key: str | None) -> float:
        return min(lengths.get(key or "", 0.0), _LONGEST) + _APART

    for sound in world.own():
        for name, spot in _spots(sound):
            if name:
                things[name] = spot
            happenings.append({"at": now, "play": sound.key, **({"from": name} if name else {})})
            happenings.append({"at": now + lasts(sound.key) - _APART, "stop": sound.key, "fade": 0.2})
            now += lasts(sound.key)
    for trigger in triggers:
        happenings += _of_trigger(trigger, now, things)
        unknown = _LONGEST + _APART  # what a script will play, nobody can tell
        now += (lasts(trigger.key) if trigger.key else unknown) + number(trigger.values.get("trigger.delay"), most=60)
        if trigger.key is not None and trigger.values.get("trigger.does") in (None, "play"):
            happenings.append({"at": now - _APART / 2, "stop": trigger.key, "fade": 0.2})
    for prop in world.props:
        things.setdefault(str(prop.name), (2, 2))
        happenings.append({"at": now, "use": str(prop.name)})
        now += lasts(prop.key)
    for schedule in world.schedules:
        name = str(schedule.values.get("schedule.name") or "")
        happenings.append({"at": now, "schedule": name, "lasting": _FOR, "faster": _SPED_UP})
        now += _FOR / _SPED_UP
    members: dict[str, Any] = {
        "format": 1,
        "seconds": round(max(1.0, now + _APART), 3),
        "thing": [{"name": name, "place": spot} for name, spot in things.items()],
        "happening": [
            {**happening, "at": round(happening["at"], 3)}
            for happening in sorted(happenings, key=lambda one: one["at"])
        ],
    }
    return Scene.model_validate(members)


def _of_trigger(trigger: Thing, now: float, things: dict[str, Spot]) -> Iterator[dict[str, Any]]:
    values = trigger.values
    if values.get("trigger.from"):
        things.setdefault(str(values["trigger.from"]), (3, 4))
    if values.get("trigger.state"):
        yield {"at": now, "state": str(values["trigger.state"]), "value": str(values.get("trigger.reaches"))}
    where = values.get("trigger.where")
    yield {"at": now, "event": str(values.get("trigger.event")), **({"where": str(where)} if where else {})}


def distance_at(scene: Scene, thing: str | None, second: float) -> float:
    """How far a thing is from the listener; nothing where a sound is heard everywhere, or nobody has placed it."""
    place = scene.place_of(thing) if thing is not None else None
    return 0.0 if place is None else distance(place, scene.listener_at(second)[0])


def distance(one: Spot, other: Spot) -> float:
    """Metres between two places."""
    return math.hypot(one[0] - other[0], one[1] - other[1])
