"""Scripts of packs in the stand-in game: run in a process of their own, which is ended where it does not answer."""

from __future__ import annotations

import json
import queue
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ichnos.errors import IchnosError, Place
from ichnos.games.definitions import TriggerDefinition
from ichnos.games.profiles.calls import parse_call
from ichnos.play.acting import Asked
from ichnos.play.world import LUA, World

_PATIENCE = 1.5  # seconds for an answer
_TO_BEGIN = 20.0  # seconds for Python and Lua to start


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
        self.listeners: list[tuple[TriggerDefinition, Callable[[], list[Asked]]]] = []
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
        found: dict[str, Any] | None = json.loads(line) if line else None
        return found

    def _ask(self, what: dict[str, Any], label: str) -> dict[str, Any]:
        """Have something run of a script, of which the label is for messages."""
        if self._process is None:
            return {}
        self._say(what)
        said = self._answer(_PATIENCE)
        if said is None:
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


def _trigger(said: dict[str, Any]) -> TriggerDefinition:
    """What a script waits for, as a trigger."""
    place = Place(str(said["place"][0]), int(said["place"][1]) or None)
    words = {f"trigger.{name}": value for name, value in said.items() if name not in ("number", "place")}
    return TriggerDefinition(None, words, place)
