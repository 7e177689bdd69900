"""Scripts of packs in the stand-in game: run in a process of their own, which is ended where it does not answer."""

from __future__ import annotations

import json
import queue
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from typing import Any

from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.calls import parse_call
from ichnos.games.profiles.profile import Profile
from ichnos.games.profiles.vocabulary import TRIGGER
from ichnos.games.things import Thing
from ichnos.play.acting import Asked
from ichnos.play.world import LUA, Script, World

_PATIENCE = 120.0  # seconds for an answer, by the clock: the process itself ends what takes too much of its time
# What a script may say as well as not: nothing comes of it.
_NEUTRAL = {"trigger.fade": 0, "trigger.delay": 0, "trigger.volume": 1, "trigger.odds": 1, "trigger.once": False}
_TO_BEGIN = 60.0  # seconds for Python and Lua to start


@dataclass(frozen=True)
class Wrong:
    """What is wrong with a script, and where."""

    place: Place
    what: str
    stopped: bool = False  # it was ended from outside


class Scripts:
    """The scripts of a world. Close it when the scene is over."""

    def __init__(self, world: World, seed: int) -> None:
        self.wrong: list[Wrong] = []
        self.notes: list[str] = []
        self.listeners: list[tuple[Thing, Callable[[], list[Asked]]]] = []
        self.asked: list[Asked] = []
        self._process: subprocess.Popen[str] | None = None
        self._answers: queue.Queue[str] = queue.Queue()
        functions = world.profile.rules.play.functions
        lua = [script for script in world.scripts if script.label.endswith(LUA)]
        others = [script.label for script in world.scripts if not script.label.endswith(LUA)]
        if others:
            self.notes.append(f"only scripts in Lua are run, and not {', '.join(others)}")
        if lua and not functions:
            self.notes.append(
                f"the scripts are not run: the profile of {world.profile.rules.game.title} does not say which functions"
                " mean what ([play.functions])"
            )
        elif lua:
            calls = [vars(parse_call(means, text)) for means, text in functions.items()]
            self._begin(calls, seed)
            for script in lua:
                said = self._ask({"load": [script.label, script.text]}, script.label)
                for one in said.get("listeners", ()):
                    self.listeners.append((_trigger(one), self._caller(one["number"], script.label)))
                self.asked += [(does, words) for does, words in said.get("asked", ())]

    def _begin(self, calls: list[dict[str, Any]], seed: int) -> None:
        code = "from ichnos.play.lua_box import main; main()"
        cure = 'install it again: pip install "lupa>=2.2"'
        try:
            self._process = subprocess.Popen(
                [sys.executable, "-P", "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL, text=True, encoding="utf-8",
            )  # fmt: skip
        except OSError as error:
            raise IchnosError(f"Lua does not start here ({error.strerror})", cure=cure) from None
        threading.Thread(target=self._listen, args=(self._process,), daemon=True).start()
        self._say({"calls": calls, "seed": seed})
        self._say({"load": ["", ""]})
        if self._answer(_TO_BEGIN) is None:
            self.close()
            raise IchnosError("Lua does not start here", cure=cure)

    def _listen(self, process: subprocess.Popen[str]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            self._answers.put(line)
        self._answers.put("")

    def _say(self, what: dict[str, Any]) -> None:
        if self._process is not None and self._process.stdin is not None:
            try:
                self._process.stdin.write(json.dumps(what) + "\n")
                self._process.stdin.flush()
            except OSError:
                pass  # it has ended: no answer will come

    def _answer(self, seconds: float) -> dict[str, Any] | None:
        try:
            line = self._answers.get(timeout=seconds)
        except queue.Empty:
            return None
        answer: dict[str, Any] | None = json.loads(line) if line else None
        return answer

    def _ask(self, what: dict[str, Any], label: str) -> dict[str, Any]:
        """Have something run of a script, of which the label is for messages."""
        if self._process is None:
            return {}
        self._say(what)
        said = self._answer(_PATIENCE)
        if said is None or "stopped" in said:
            self.wrong.append(Wrong(Place(label), "it does not come to an end, and was stopped", stopped=True))
            self.close()
            return {}
        for file, line, text in said["errors"]:
            place = Place(str(file) or label, int(line) or None)
            self.wrong.append(Wrong(place, str(text)))
        return said

    def _caller(self, number: int, label: str) -> Callable[[], list[Asked]]:
        return lambda: [(does, words) for does, words in self._ask({"call": number}, label).get("asked", ())]

    def close(self) -> None:
        """End the process."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for stream in (self._process.stdin, self._process.stdout):
                if stream is not None:
                    stream.close()
            self._process = None


def triggers_of(profile: Profile, label: str, text: str) -> list[Thing] | None:
    """What a script waits for, and which sound each of it plays or stops.

    None where that cannot be said: it is not in Lua, the profile does not say what its functions mean, it breaks off,
    it does something without an event, or more than one thing at one.
    """
    if not label.endswith(LUA) or not profile.rules.play.functions:
        return None
    world = World(profile, scripts=[Script("", label, text)])
    with closing(Scripts(world, 0)) as scripts:
        triggers = [_with_deed(trigger, do()) for trigger, do in scripts.listeners]
        if scripts.wrong or scripts.asked:
            return None
    return None if None in triggers else [one for one in triggers if one is not None]


def _with_deed(trigger: Thing, asked: list[Asked]) -> Thing | None:
    """A trigger with the one thing that it does; None where that is another number of them."""
    if len(asked) != 1:
        return None
    does, words = asked[0]
    said = {f"trigger.{name}": value for name, value in words.items() if name not in ("place", "key")}
    fades = does == "stop" and bool(words.get("fade"))
    key = str(words["key"])
    values = {**trigger.values, **said, "trigger.key": key, "trigger.does": "fade-out" if fades else does}
    values = {name: value for name, value in values.items() if value not in (None, "", _NEUTRAL.get(name))}
    return Thing(TRIGGER, values, place=trigger.place)


def _trigger(said: dict[str, Any]) -> Thing:
    """What a script waits for, as a trigger."""
    place = Place(str(said["place"][0]), int(said["place"][1]) or None)
    words = {f"trigger.{name}": value for name, value in said.items() if name not in ("number", "place")}
    return Thing(TRIGGER, words, place=place)
