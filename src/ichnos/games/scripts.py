"""Scripts: Jinja2 templates from a profile's folder, run in its sandbox; written, and never read back."""

from __future__ import annotations

import traceback
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ichnos.documents.tree import Value, spelled
from ichnos.errors import IchnosError, Place
from ichnos.games.definitions import Definitions
from ichnos.games.profiles.vocabulary import (
    ENTRY,
    FIELD_PREFIX,
    PACK,
    PROP,
    SCHEDULE,
    SETTINGS,
    TAKE_SETTINGS,
    TRIGGER,
    WORDS,
)


def script_values(definitions: Definitions) -> dict[str, Any]:
    """What a pack says, as plain values for a script's template: the same that documents are filled with.

    ``pack``: title, name, version ...; ``sounds``: key, category, takes (file, weight, number), parts
    (name, file), titles, fields, and every setting; ``triggers``, ``props``, ``schedules`` with their
    entries. A value that is not said is None.
    """
    return {
        "pack": _plain(PACK, definitions.pack.values) | {"ids": definitions.pack.ids},
        "sounds": [
            {
                "key": sound.key,
                "category": sound.category,
                "takes": [
                    {
                        "file": take.file,
                        "weight": take.weight,
                        "number": number,
                        **{name.removeprefix("take."): take.values.get(name) for name in TAKE_SETTINGS},
                    }
                    for number, take in enumerate(sound.takes, 1)
                ],
                "parts": [{"name": part.name, "file": part.file} for part in sound.parts],
                "titles": {tag or "": title for tag, title in sound.titles.items()},
                "fields": {name.removeprefix(FIELD_PREFIX): value for name, value in sound.fields.items()},
                **{name: sound.settings.get(name) for name in SETTINGS},
            }
            for sound in definitions.sounds
        ],
        "triggers": [_plain(TRIGGER, trigger.values) for trigger in definitions.triggers],
        "props": [_plain(PROP, prop.values) for prop in definitions.props],
        "schedules": [
            {
                **_plain(SCHEDULE, schedule.values),
                "entries": [_plain(ENTRY, entry.values) for entry in schedule.entries],
            }
            for schedule in definitions.schedules
        ],
    }


def _plain(scope: str, values: Mapping[str, Value]) -> dict[str, Any]:
    """Each hole of a scope under its name there."""
    return {name.rpartition(".")[2]: values.get(name) for name, word in WORDS.items() if word.scope == scope}


def quoted(value: Any) -> str:
    """A value as text in quotation marks with backslash escapes, as Lua, JSON and most scripts read it.

    >>> print(quoted('The "old" bell'))
    "The \\"old\\" bell"
    """
    marks = {"\\": "\\\\", '"': '\\"', "\n": "\\n", "\r": "\\r", "\t": "\\t"}
    return '"' + "".join(marks.get(sign, sign) for sign in spelled(value)) + '"'


def render(folder: Path, template: str, values: dict[str, Any]) -> str:
    """Fill a script's template.

    Args:
        folder: the profile's ``scripts/``; nothing outside it can be included.
        values: plain values only; a template cannot reach anything else.

    Raises:
        IchnosError: with the template's file and line.
    """
    from jinja2 import FileSystemLoader, StrictUndefined, TemplateError, TemplateSyntaxError
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    environment = ImmutableSandboxedEnvironment(
        loader=FileSystemLoader(folder), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
        keep_trailing_newline=True, autoescape=False,
    )  # fmt: skip
    environment.filters["quoted"] = quoted
    try:
        return environment.get_template(template).render(values)
    except TemplateSyntaxError as error:
        raise _refused(folder / (error.name or template), error.lineno, str(error.message)) from None
    except (TemplateError, TypeError, ValueError, ArithmeticError, LookupError, AttributeError) as error:
        lines = [
            frame.lineno for frame in traceback.extract_tb(error.__traceback__) if frame.filename.endswith(template)
        ]
        raise _refused(folder / template, lines[-1] if lines else None, str(error)) from None


def _refused(path: Path, line: int | None, reason: str) -> IchnosError:
    return IchnosError(
        f"this script's template cannot be filled: {reason}",
        place=Place(str(path), line, 1 if line else None),
        cure="correct the template",
    )


def with_region(text: str, body: str, comment: str) -> str:
    """A text with ``body`` in its marked region; the region is added at the end where there is none.

    The rest of the text is untouched, and doing it twice is doing it once.
    """
    begin, end = f"{comment} ichnos: from here", f"{comment} ichnos: to here"
    newline = "\r\n" if "\r\n" in text else "\n"
    lines = [begin, *body.rstrip("\n").splitlines(), end]
    region = newline.join(lines)
    start = text.find(begin)
    stop = text.find(end, start)
    if start >= 0 and stop >= 0:
        return text[:start] + region + text[stop + len(end) :]
    before = text if not text or text.endswith("\n") else text + newline
    return f"{before}{region}{newline}"
