"""Findings about scripts: texts that are nearly a key of the pack, or a file of it that is not there."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import PurePosixPath

from ichnos.documents.text import Text, from_bytes
from ichnos.errors import IchnosError, Place
from ichnos.games.profiles.calls import Call, parse_call
from ichnos.likeness import did_you_mean, nearest
from ichnos.review.findings import Finding, finding
from ichnos.review.keys import alike
from ichnos.review.subject import Subject

_SCRIPTS = (".lua",)
_MEMORY = 64 << 20  # bytes
_AT_LINE = re.compile(r"(?:error loading code: )?\[string .*?\]:(\d+): (.*)", re.DOTALL)
_CONSTANT = re.compile(r"""^(?:local[ \t]+)?([A-Za-z_][\w.]*)[ \t]*=[ \t]*(["'])([^"'\n]*)\2""", re.MULTILINE)
_QUOTED = re.compile(r"""(["'])((?:(?!\1)[^\\\n])*)\1""")


def findings(subject: Subject) -> Iterator[Finding]:
    """Texts in scripts that are no key, and nearly one; and paths in the pack's folders that lead to no file."""
    scripts = {script.path for script in subject.profile.scripts}
    there = [name for name in subject.names if name in scripts or name.endswith(_SCRIPTS)]
    if not there:
        return
    defined, files, catalogue = subject.keys, _Files(subject), subject.context.catalogue
    functions = subject.profile.rules.play.functions
    calls = [parse_call(means, text) for means, text in functions.items() if means != "listen"]
    for name in there:
        try:
            text = from_bytes(subject.files.read(name), subject.files.label(name))
        except IchnosError:
            continue
        if name.endswith(_SCRIPTS):
            yield from _broken(text)
        yield from _twice(text)
        asked = dict(_asked(text.content, calls))
        for match in _QUOTED.finditer(text.content):
            text_said, place = match[2], text.place(match.start(2))
            if text_said in defined or (catalogue is not None and text_said in catalogue):
                continue
            if match.start(2) in asked and (catalogue is not None or defined):
                reason = f'{asked[match.start(2)]} asks for "{text_said}", and nothing has that key'
                known = [*defined, *(catalogue.keys if catalogue else ())]
                yield finding("script-key", place, reason, did_you_mean(known, text_said, 2))
                continue
            if meant := alike(text_said, defined):
                yield finding("script-key", place, f'"{text_said}" is no key, and {meant} is', f"did you mean {meant}?")
            elif files.is_missing(text_said):
                near = files.nearest(text_said)
                yield finding("script-file", place, f'there is no "{text_said}" in the pack', f"did you mean {near}?")


def _broken(text: Text) -> Iterator[Finding]:
    """What Lua itself does not understand; the script is not run for that."""
    try:
        from lupa.lua54 import LuaError, LuaRuntime
    except ImportError:
        from lupa import LuaError, LuaRuntime

    lua = LuaRuntime(register_eval=False, register_builtins=False, max_memory=_MEMORY)
    try:
        lua.compile(text.content.encode())
    except LuaError as error:
        match = _AT_LINE.match(str(error).partition("\nstack traceback")[0])
        line, what = (int(match[1]), match[2]) if match else (None, str(error))
        yield finding("script-broken", Place(text.path, line), f"Lua does not understand this: {what}")


def _twice(text: Text) -> Iterator[Finding]:
    """Names at the top of a script that stand for two different texts."""
    first: dict[str, re.Match[str]] = {}
    for match in _CONSTANT.finditer(text.content):
        known = first.setdefault(match[1], match)
        if known[3] != match[3]:
            line = text.place(known.start(1)).line
            reason = f'{match[1]} is "{match[3]}" here, and "{known[3]}" in line {line}'
            yield finding("script-twice", text.place(match.start(1)), reason)


def _asked(text: str, calls: Sequence[Call]) -> Iterator[tuple[int, str]]:
    """Where a key stands that one of the game's functions is asked for, and the function; those written out alone."""
    for call in calls:
        if "key" not in call.arguments:
            continue  # it stands in a table
        before = call.arguments.index("key")
        name = r"\s*".join(map(re.escape, re.split(r"([.:])", call.function)))
        for match in re.finditer(rf"(?<![\w.:]){name}\s*\(", text):
            at = match.end()
            if "--" in text[text.rfind("\n", 0, at) + 1 : match.start()]:
                continue  # a comment in Lua
            for _ in range(before):
                comma = re.compile(r"[^,(){}]*,").match(text, at)
                if comma is None:
                    break
                at = comma.end()
            else:
                key = re.compile(r"\s*[\"']").match(text, at)
                if key is not None:
                    yield key.end(), call.function


class _Files:
    """The pack's sounds, to be found as a script may name them: whole, from a folder on, or without extension."""

    def __init__(self, subject: Subject) -> None:
        catalogue = subject.context.catalogue
        own = catalogue.all_files() if catalogue else set()
        self.names = subject.sounds
        self.tails = {tail for name in (*subject.sounds, *own) for tail in _tails(name)}
        self.folders = {tail for name in subject.sounds for tail in _tails(str(PurePosixPath(name).parent))}

    def is_missing(self, said: str) -> bool:
        """Does a text name a folder of sounds, and no file that is in it?"""
        path = said.replace("\\", "/")
        folder, slash, last = path.rpartition("/")
        if not slash or not last or folder not in self.folders or path in self.folders or re.search(r"[*%{}$<>]", path):
            return False
        return path not in self.tails and str(PurePosixPath(path).with_suffix("")) not in self.tails

    def nearest(self, said: str) -> str:
        """The file that a text most likely means."""
        return nearest(self.names, said, 1)[0]


def _tails(path: str) -> Iterator[str]:
    """A path as seen from each of the folders around it, with and without its extension."""
    pieces = path.split("/")
    for start in range(len(pieces)):
        tail = "/".join(pieces[start:])
        yield tail
        yield str(PurePosixPath(tail).with_suffix("")) if PurePosixPath(tail).suffix else tail
