"""Runs the scripts of packs in a real Lua, in a process of its own that can be killed: no files, no system.

Spoken to in lines of JSON: ``{"load": [label, text]}`` and ``{"call": number}``; each is answered in one line.
A script reaches nothing but Lua's own plain functions and the game's, of which each does nothing but note what it was
asked. What it takes is bounded here: steps, memory, and processor time, which does not depend on what else the machine
is doing. Where a script takes too much time, ``{"stopped": true}`` is the last line.
"""

from __future__ import annotations

import json
import os
import random
import re
import sys
import threading
import time
from typing import Any

MEMORY = 64 << 20  # bytes
_MOST = 10_000  # calls of the game's functions, for each answer
STEPS = 20_000_000  # of the Lua machine, for each answer
SECONDS = 1.5  # of processor time, for each answer: one step can take very long, as of a search in a long text
_LINE = re.compile(r"^(.*?):(\d+): (.*)$", re.DOTALL)

# Everything that could reach out of a script is taken from it before it begins.
_PRELUDE = """
local draw, steps = ...
local getinfo, sethook, floor, select, error = debug.getinfo, debug.sethook, math.floor, select, error
math.random = function(m, n)
  local drawn = draw()
  if m == nil then return drawn end
  if n == nil then m, n = 1, m end
  return m + floor(drawn * (n - m + 1))
end
math.randomseed = function() end
string.dump = nil
local load = load
for _, name in ipairs({"os", "io", "package", "require", "dofile", "loadfile", "load", "debug", "python",
                       "collectgarbage", "warn", "print"}) do _G[name] = nil end
print = function() end
return {
  noting = function(note, skip)
    return function(...)
      local at = getinfo(2, "Sl")
      note(at and at.short_src or "", at and at.currentline or 0, select(skip + 1, ...))
    end
  end,
  begin = function()
    sethook(function() error("it takes too many steps: it never ends", 2) end, "", steps)
  end,
  done = function() sethook() end,
  load = function(text, label)
    local chunk, wrong = load(text, "=" .. label, "t")
    if chunk == nil then error(wrong, 0) end
    return chunk
  end,
}
"""


class Box:
    """A Lua with the game's functions in it."""

    def __init__(self, calls: list[dict[str, Any]], seed: int) -> None:
        self.asked: list[list[Any]] = []
        self.listeners: list[dict[str, Any]] = []
        self._do: list[Any] = []
        self._labels: dict[str, str] = {}
        try:
            from lupa.lua54 import LuaRuntime
        except ImportError:
            from lupa import LuaRuntime
        self._lua = LuaRuntime(
            unpack_returned_tuples=True, register_eval=False, register_builtins=False, max_memory=MEMORY,
            attribute_filter=_nothing,
        )  # fmt: skip
        self._tools = self._lua.execute(_PRELUDE, random.Random(f"{seed} scripts").random, STEPS)
        for call in calls:
            self._offer(call)

    def _offer(self, call: dict[str, Any]) -> None:
        """Put one of the game's functions where scripts look for it."""
        *around, name = re.split(r"[.:]", call["function"])
        table = self._lua.globals()
        for one in around:
            if table[one] is None:
                table[one] = self._lua.table()
            table = table[one]
        skip = 1 if ":" in call["function"] else 0

        def note(source: str, line: int, *given: Any) -> None:
            said = _told(call["arguments"], given)
            said["place"] = [self._labels.get(source, source), line]
            if call["means"] == "listen":
                do = said.pop("do", None)
                self._do.append(do)
                self.listeners.append({**said, "number": len(self._do) - 1})
            else:
                self.asked.append([call["means"], said])
            if len(self.asked) + len(self.listeners) > _MOST:
                raise ValueError(f"it calls the game's functions more than {_MOST:,} times")

        table[name] = self._tools["noting"](note, skip)

    def load(self, label: str, text: str) -> None:
        """Run a script's own lines, which mostly say what it waits for."""
        name = f"script-{len(self._labels)}"  # which Lua shows whole, whatever the label is
        self._labels[name] = label
        self._run(lambda: self._tools["load"](text, name)())

    def call(self, number: int) -> None:
        """Run what a script wants done at an event."""
        if self._do[number] is not None:
            self._run(self._do[number])

    def _run(self, what: Any) -> None:
        self._tools["begin"]()
        try:
            what()
        finally:
            self._tools["done"]()

    def wrong(self, error: BaseException) -> list[Any]:
        """An error as file, line and what."""
        text = str(error) or "it takes too much memory"
        match = _LINE.match(text.partition("\nstack traceback")[0])
        if not match:
            return ["", 0, text]
        return [self._labels.get(match[1].rpartition(" ")[2], match[1]), int(match[2]), match[3]]


def _nothing(_: Any, name: Any, __: bool) -> str:
    raise AttributeError(f"nothing is called {name} here")


def _told(arguments: list[Any], given: tuple[Any, ...]) -> dict[str, Any]:
    """What a function was called with, by our words."""
    members: dict[str, Any] = {}
    for word, value in zip(arguments, given, strict=False):
        if isinstance(word, str):
            members[word] = value if word == "do" else _plain(value)
        elif value is not None and hasattr(type(value), "keys"):
            fields = dict(value.items())
            for ours, theirs in word.items():
                members[ours] = fields.get(theirs) if ours == "do" else _plain(fields.get(theirs))
    return members


def _plain(value: Any) -> Any:
    return value if value is None or isinstance(value, str | bool | int | float) else str(value)


class Clock:
    """Ends the process where an answer takes too much of the processor's time; Lua does not hold the interpreter."""

    def __init__(self) -> None:
        self.began: float | None = None
        threading.Thread(target=self._watch, daemon=True).start()

    def _watch(self) -> None:
        while True:
            time.sleep(0.05)
            began = self.began
            if began is not None and time.process_time() - began > SECONDS:
                print(json.dumps({"stopped": True}), flush=True)
                os._exit(1)


def main() -> None:
    """Answer, line by line, until there is nothing more to read."""
    first = json.loads(sys.stdin.readline())
    box, clock = Box(first["calls"], first["seed"]), Clock()
    out = sys.stdout
    for line in sys.stdin:
        order, errors = json.loads(line), []
        clock.began = time.process_time()
        try:
            if "load" in order:
                box.load(*order["load"])
            else:
                box.call(order["call"])
        except Exception as error:  # whatever a script does, it is told where
            errors.append(box.wrong(error))
        clock.began = None
        print(json.dumps({"asked": box.asked, "listeners": box.listeners, "errors": errors}), file=out, flush=True)
        box.asked, box.listeners = [], []
