"""A large JSON file read for its keys and files alone, without places: many times as fast as with them.

The standard library parses it, and an exemplar is turned into functions that walk what it gives.
Whatever is not as plain as that, or fits no exemplar, is left to ``read``, which says where.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from ichnos.documents.text import from_bytes
from ichnos.documents.tree import KEYED, LISTED, Node, Value, many_nodes
from ichnos.errors import IchnosError
from ichnos.games.profiles.exemplar import Exemplar
from ichnos.games.profiles.holes import Pattern
from ichnos.games.profiles.vocabulary import CATEGORY, GROUP, ID_PREFIX, PART, SCOPES, SOUND, TAKE, part_in

_STRING = r'("(?:[^"\\]|\\.)*")'
_COMMENTS = re.compile(rf"{_STRING}|//[^\n]*|/\*.*?\*/", re.DOTALL)
_LAST_COMMAS = re.compile(rf"{_STRING}|,(?=\s*[}}\]])")
_FILES = {TAKE: "file", PART: "part.file"}
_AROUND = {CATEGORY: "category", GROUP: "key.group"}  # what sounds may be sorted by
_KEYS = ("key", "key.group", "key.own", "category")


@dataclass
class QuickReading:
    """``sounds``: key, category and files of each, in order. ``unknown``: labels that the exemplar does not have.

    ``ids``: those of the file itself. ``languages``: of its titles.
    """

    sounds: list[tuple[str, str | None, list[str]]] = field(default_factory=list)
    unknown: Counter[str] = field(default_factory=Counter)
    ids: list[str] = field(default_factory=list)
    languages: set[str] = field(default_factory=set)


class _TooOdd(Exception):
    """It is not so plain that it can be read without places."""


_Values = dict[str, Value]
_Check = Callable[[Any, _Values], None]  # takes what a node holds, and keeps what is needed of it; raises _TooOdd


def read_quickly(exemplar: Exemplar, data: bytes, separator: str, encoding: str | None = None) -> QuickReading | None:
    """The keys and files of a JSON file, or ``None`` where it must be read with places.

    Args:
        separator: what stands between the pieces of a key.
        encoding: as for ``formats.parse``.
    """
    if exemplar.document.format.name != "JSON" or exemplar.file_scopes or exemplar.together or exemplar.root:
        return None
    reader = _QuickReader(exemplar, separator)
    try:
        walk = reader.walker(exemplar.document.root, None)
        found: _Values = {}
        with many_nodes():
            walk(_parsed(from_bytes(data, "", encoding or "utf-8").content), found)
    except (_TooOdd, IchnosError):
        return None
    reader.result.ids = [str(value) for name, value in found.items() if name.startswith(ID_PREFIX)]
    return reader.result


def _parsed(text: str) -> Any:
    """The standard library's values, numbers as they are spelled; comments and last commas are tolerated."""
    for attempt in range(2):
        try:
            return json.loads(text, object_pairs_hook=_members, parse_float=str, parse_int=str, parse_constant=_refuse)
        except (ValueError, RecursionError):
            if attempt:
                raise _TooOdd from None
            text = _LAST_COMMAS.sub(r"\1", _COMMENTS.sub(r"\1", text))
    raise _TooOdd


def _members(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        raise _TooOdd  # a name that stands there twice
    return found


def _refuse(word: str) -> Any:
    raise _TooOdd


class _QuickReader:
    """Turns an exemplar's nodes into functions."""

    def __init__(self, exemplar: Exemplar, separator: str) -> None:
        self.exemplar = exemplar
        self.separator = separator
        self.result = QuickReading()

    def walker(self, node: Node, scope: str | None) -> _Check:
        """What to do with a value that should be like a node of the exemplar."""
        if node in self.exemplar.labels:
            raise _TooOdd
        if node.kind == KEYED:
            return self.members(node, scope)
        if node.kind == LISTED:
            return self.items(node)
        pattern = self.exemplar.values.get(node)
        return _no_container if pattern is None else self.value(pattern)

    def value(self, pattern: Pattern) -> _Check:
        hole = pattern.only_hole
        if any(part_in(one.word.name) for one in pattern.holes):
            raise _TooOdd
        if hole is not None and not hole.converters and hole.word.kind == "text":
            return _text(hole.word.name, kept=hole.word.name in _KEYS)
        if hole is not None and not hole.converters and hole.word.kind in ("number", "whole"):
            return _number
        names = {one.word.name for one in pattern.holes} & {*_KEYS, *_FILES.values()}
        names |= {one.word.name for one in pattern.holes if one.word.kind == "id"}
        relative = (
            hole.converters[0].argument if hole and [one.name for one in hole.converters] == ["relative"] else None
        )
        if hole is not None and relative is not None:
            return _relative(hole.word.name, relative, pattern)
        return _matched(pattern, names)

    def members(self, node: Node, scope: str | None) -> _Check:
        if len(node.children) == 1 and node.children[0] in self.exemplar.units:
            return self.called(node.children[0])
        fixed: dict[str, _Check] = {}
        needed = []
        principal = set(SCOPES[scope].principal) if scope else set()
        for child in node.children:
            if child in self.exemplar.units or child.label is None or child.label in fixed:
                raise _TooOdd
            fixed[child.label] = self.walker(child, scope)
            if self.exemplar.names_below(child) & principal and not any(
                below in self.exemplar.units for below in child.walk()
            ):
                needed.append(child.label)
        unknown = self.result.unknown

        def walk(value: Any, values: _Values) -> None:
            if type(value) is not dict:
                raise _TooOdd
            for label, inner in value.items():
                check = fixed.get(label)
                if check is None:
                    if inner != {} and inner != []:
                        unknown[label] += 1
                else:
                    check(inner, values)
            for label in needed:
                if label not in value:
                    raise _TooOdd

        return walk

    def called(self, child: Node) -> _Check:
        """What repeats under names that say something: titles by their language, takes by their file."""
        label, said = self.exemplar.labels.get(child), self.exemplar.values.get(child)
        hole = label.only_hole if label is not None else None
        if label is None or hole is None or said is None:
            raise _TooOdd
        if hole.word.name == "language" and not hole.converters:
            return _titles(self.result.languages)
        if hole.word.name in _FILES.values():
            return _files_by_label(self.value(label), self.value(said), hole.word.name)
        raise _TooOdd

    def items(self, node: Node) -> _Check:
        scopes = {self.exemplar.units.get(child) for child in node.children}
        (scope,) = scopes if len(scopes) == 1 else (None,)
        if scope is None or len(node.children) != 1:
            raise _TooOdd
        (child,) = node.children
        inner = self.walker(child, scope)
        if scope == SOUND:
            return self.sounds(inner)
        if scope in _FILES:
            return _files(inner, _FILES[scope])
        return _each(inner)

    def sounds(self, inner: _Check) -> _Check:
        found, separator = self.result.sounds, self.separator
        above = [name for scope, name in _AROUND.items() if scope in self.exemplar.units.values()]

        def walk(value: Any, values: _Values) -> None:
            if type(value) is not list:
                raise _TooOdd
            if any(name not in values for name in above):
                raise _TooOdd  # it stands behind its sounds, or nowhere
            for one in value:
                said: dict[str, Any] = {"files": [], **{name: values[name] for name in above}}
                inner(one, said)
                key = said.get("key")
                if key is None:
                    key = separator.join(str(said[name]) for name in ("key.group", "key.own") if said.get(name))
                files = said["files"] or [said[name] for name in _FILES.values() if name in said]
                if files:
                    found.append((str(key), said.get("category"), files))

        return walk


def _each(inner: _Check) -> _Check:
    def walk(value: Any, values: _Values) -> None:
        if type(value) is not list:
            raise _TooOdd
        for one in value:
            inner(one, {"files": []})

    return walk


def _titles(languages: set[str]) -> _Check:
    def check(value: Any, values: _Values) -> None:
        if type(value) is not dict or not all(type(title) is str for title in value.values()):
            raise _TooOdd
        languages.update(value)

    return check


def _no_container(value: Any, values: _Values) -> None:
    if type(value) in (dict, list):
        raise _TooOdd


def _text(name: str, *, kept: bool) -> _Check:
    def check(value: Any, values: _Values) -> None:
        if type(value) is not str:
            raise _TooOdd
        if kept:
            values[name] = value

    return check


def _number(value: Any, values: _Values) -> None:
    try:
        float(value)
    except (TypeError, ValueError):
        raise _TooOdd from None


def _relative(name: str, folder: str, pattern: Pattern) -> _Check:
    """A file as seen from a folder; nearly all are plain names below it."""
    whole = _matched(pattern, {name})
    before = f"{folder.strip('/')}/"

    def check(value: Any, values: _Values) -> None:
        if (
            type(value) is str
            and value
            and value[0] != "."
            and "/." not in value
            and "//" not in value
            and value[0] != "/"
        ):
            values[name] = before + value
        else:
            whole(value, values)

    return check


def _matched(pattern: Pattern, names: set[str]) -> _Check:
    """By the pattern itself, which reads texts and lists of them."""

    def check(value: Any, values: _Values) -> None:
        if type(value) is dict:
            raise _TooOdd
        found = pattern.match(("true" if value else "false") if type(value) is bool else value)
        if found is None:
            raise _TooOdd
        for name in names:
            values[name] = found[name]

    return check


def _files_by_label(label: _Check, inner: _Check, name: str) -> _Check:
    def walk(value: Any, values: _Values) -> None:
        if type(value) is not dict:
            raise _TooOdd
        files: Any = values["files"]
        for called, one in value.items():
            said: _Values = {}
            label(called, said)
            inner(one, said)
            files.append(said[name])

    return walk


def _files(inner: _Check, name: str) -> _Check:
    def walk(value: Any, values: _Values) -> None:
        if type(value) is not list:
            raise _TooOdd
        files: Any = values["files"]
        for one in value:
            said: _Values = {}
            inner(one, said)
            files.append(said[name])

    return walk
