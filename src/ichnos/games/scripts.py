"""Scripts: Jinja2 templates from a profile's folder, run in its sandbox; written, and never read back."""

from __future__ import annotations

import re
import traceback
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from ichnos.documents.tree import spelled
from ichnos.errors import IchnosError, Place
from ichnos.files import disk
from ichnos.games.profiles.converter import Tables
from ichnos.games.profiles.converters import CONVERTERS, make
from ichnos.games.profiles.name_rules import NameRules
from ichnos.games.profiles.vocabulary import (
    OWN,
    SOUND,
    TAKE,
    inner_scopes,
    is_declared,
    is_spoken,
    of_scope,
    player_scopes,
    plural,
    settings,
    spoken,
)
from ichnos.games.profiles.word import attribute
from ichnos.games.things import PackThing, SoundThing, Thing
from ichnos.likeness import NEAR, did_you_mean


def script_values(pack: PackThing, names: NameRules) -> dict[str, Any]:
    """What a pack says, as plain values for a script's template: the same that documents are filled with.

    ``pack``: title, name, version ...; ``game``: version; ``sounds``: key, category, kind, takes, parts,
    titles, fields, and every setting; ``triggers``, ``props``, ``schedules`` with their entries. A value
    that is not said is None. docs/profile-reference.md lists them all.
    """
    collections = {
        "pack": _plain(pack) | _translated(pack) | {"fields": pack.free, "ids": pack.ids, "languages": pack.tags},
        "game": _plain(pack, [name for name in pack.values if name.startswith("game.")]),
        "sounds": [_sound(sound, names) for sound in pack.sounds],
        **{f"{scope}s": [_player(thing) for thing in pack.of(scope)] for scope in player_scopes()},
        **{
            plural(scope.removeprefix(OWN).replace("-", "_")): [
                {"name": thing.name, "fields": thing.free, **_read(thing)} for thing in things
            ]
            for scope, things in pack.inside.items()
            if is_declared(scope)
        },
    }
    return {name: _plainly(value) for name, value in collections.items()}


def _plainly(value: Any) -> Any:
    """A value with its numbers as documents have them: without decimals where they have none."""
    if isinstance(value, dict):
        return {name: _plainly(inner) for name, inner in value.items()}
    if isinstance(value, list):
        return [_plainly(inner) for inner in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _sound(sound: SoundThing, names: NameRules) -> dict[str, Any]:
    group, _, own = sound.key.rpartition(names.separator)
    return {
        "key": sound.key,
        "group": group,
        "own": own,
        "spelled": names.spelled(sound.key),
        "category": sound.category,
        "kind": sound.kind,
        "like": None if sound.is_changed else sound.like,
        "takes": [_plain(take) | {"number": number, "fields": take.free} for number, take in enumerate(sound.takes, 1)],
        "parts": [_plain(part) for part in sound.parts],
        "fields": sound.free,
        **_plain(sound, settings(SOUND)),
        **_read(sound),
    }


def _player(thing: Thing) -> dict[str, Any]:
    inside = {
        plural(scope): [_plain(inner) | {"fields": inner.free} for inner in thing.of(scope)]
        for scope in inner_scopes(thing.scope)
    }
    return {**_plain(thing), **_read(thing), "fields": thing.free, **inside}


def _translated(pack: Thing) -> dict[str, Any]:
    """What is said of the pack in several languages, each by language."""
    texts = {attribute(name): by_language.items() for name, by_language in pack.texts.items()}
    return {"translated": {name: {tag: text for tag, text in said if tag} for name, said in texts.items()}}


def _read(thing: Thing) -> dict[str, Any]:
    """What players read of a thing, in the pack's own language and in each."""
    values: dict[str, Any] = {}
    for name in dict.fromkeys((*spoken(thing.scope), *thing.texts)):
        texts = thing.texts.get(name, {})
        values[attribute(name)] = texts.get(None)
        values[f"{attribute(name)}s"] = {tag: text for tag, text in texts.items() if tag is not None}
    return values


def _plain(thing: Thing, names: Iterable[str] | None = None) -> dict[str, Any]:
    """Each value of a thing under its name there; of all fields of its scope where none are named."""
    named = (
        word.name for word in of_scope(thing.scope) if word.name.startswith(f"{thing.scope}.") or thing.scope == TAKE
    )
    wanted = names if names is not None else named
    return {attribute(name): thing.values.get(name) for name in wanted if not is_spoken(name)}


def quoted(value: Any) -> str:
    """A value as text in quotation marks with backslash escapes, as Lua, JSON and most scripts read it.

    >>> print(quoted('The "old" bell'))
    "The \\"old\\" bell"
    """
    marks = {"\\": "\\\\", '"': '\\"', "\n": "\\n", "\r": "\\r", "\t": "\\t"}
    return '"' + "".join(marks.get(sign, sign) for sign in spelled(value)) + '"'


def constant(value: Any) -> str:
    """A text as the name of a constant: ASCII capitals with underscores.

    >>> constant("höhe.gull-calls 2")
    'HOHE_GULL_CALLS_2'
    """
    return "_".join(words(value).split()).upper()


def words(value: Any) -> str:
    """A text as its words in ASCII, in small letters, with spaces between them.

    >>> words("shore.gullCalling")
    'shore gull calling'
    """
    from anyascii import anyascii

    split = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", anyascii(spelled(value)))
    return " ".join(re.findall(r"[a-z]+|\d+", split.lower()))


# What a template can do with a value, besides every converter of documents (a hyphen becomes an underscore).
FILTERS: dict[str, Callable[[Any], str]] = {"quoted": quoted, "constant": constant, "words": words}


def _filters(tables: Tables) -> dict[str, Callable[..., Any]]:
    def of(name: str) -> Callable[..., Any]:
        def convert(value: Any, argument: str | None = None) -> Any:
            needed = CONVERTERS[name].argument
            if (argument is None) != (needed is None):
                usage = f'{name}("...") with {needed}' if needed else f"{name} without parentheses"
                raise ValueError(f"write {usage}")
            return make(name, argument, tables).write(value)

        return convert

    return {**{name.replace("-", "_"): of(name) for name in CONVERTERS}, **FILTERS}


def render(folder: Path, template: str, values: dict[str, Any], tables: Tables | None = None) -> str:
    """Fill a script's template.

    Args:
        folder: the profile's ``scripts/``; nothing outside it can be included.
        values: plain values only; a template cannot reach anything else.
        tables: what the converters of the profile need.

    Raises:
        IchnosError: with the template's file, line and column.
    """
    from jinja2 import TemplateError, TemplateSyntaxError, UndefinedError

    from ichnos.games.sandbox import Sandbox

    environment = Sandbox(folder, _filters(tables or Tables()))
    try:
        return environment.get_template(template).render(values)
    except TemplateSyntaxError as error:
        filters = [*environment.filters] if "filter" in str(error.message) else []
        raise _refused(folder / (error.name or template), error.lineno, str(error.message), filters) from None
    except (
        TemplateError,
        TypeError,
        ValueError,
        ArithmeticError,
        LookupError,
        AttributeError,
        RecursionError,
    ) as error:
        lines = [
            frame.lineno for frame in traceback.extract_tb(error.__traceback__) if frame.filename.endswith(template)
        ]
        filters = list(_names(values)) if isinstance(error, UndefinedError) else []
        raise _refused(folder / template, lines[-1] if lines else None, str(error), filters) from None


def _names(values: Any) -> Iterator[str]:
    """Every name that a template can use."""
    if isinstance(values, dict):
        for name, inner in values.items():
            yield str(name)
            yield from _names(inner)
    elif isinstance(values, list):
        for inner in values:
            yield from _names(inner)


_PLAIN_WORDS = (
    (r"^'[\w ]+' (?:object )?has no attribute '(\w+)'$|^'(\w+)' is undefined$", r'nothing is called "\1\2" here'),
    (r"^No (?:filter|test) named '(\w+)'\.?$", r'there is no filter named "\1"'),
    (r"^expected token '(.+)', got '(.+)'$", r'found "\2" where "\1" should stand'),
    (r"^Encountered unknown tag '(\w+)'\..*$", r'there is no tag named "\1"'),
    (r"^unexpected '(.+)'$", r'found "\1", which cannot stand here'),
    (
        r"^Unexpected end of template\..*$",
        "a block is not closed: {% endfor %} or {% endif %} is missing",
    ),
    (r"^maximum recursion depth.*$", "a macro or a template calls itself without end"),
    (r"^unsupported operand.*$|^can only concatenate.*$|^must be .*$", "two values that do not go together are joined"),
)


def _refused(path: Path, line: int | None, reason: str, known: Sequence[str] = ()) -> IchnosError:
    """An error of a template in plain words, at the word that it is about."""
    plain = next(
        (re.sub(was, now, reason, flags=re.DOTALL) for was, now in _PLAIN_WORDS if re.match(was, reason, re.DOTALL)),
        reason.replace("'None'", "a value that nobody has said"),
    )
    match = re.search(r'"([^"]+)"', plain)
    cure = "correct the template"
    if match and known:
        listed = "docs/profile-reference.md lists what there is, under Scripts"
        cure = did_you_mean(known, match[1], 1, least=NEAR, otherwise=listed)
    return IchnosError(
        f"this script's template cannot be filled: {plain}",
        place=Place(str(path), line, _column(path, line, match[1] if match else None) if line else None),
        cure=cure,
    )


def _column(path: Path, line: int, about: str | None) -> int:
    """Where in a line of a template a word stands; else where the first of what is filled begins."""
    lines = disk.read(path).decode("utf-8", "replace").splitlines()
    text = lines[line - 1] if line <= len(lines) else ""
    at = text.find(about) if about else -1
    if at < 0:
        at = min((found for mark in ("{{", "{%") if (found := text.find(mark)) >= 0), default=0)
    return at + 1
