"""Scripts: Jinja2 templates from a profile's folder, run in its sandbox; written, and never read back."""

from __future__ import annotations

import traceback
from pathlib import Path
from typing import Any

from ichnos.documents.tree import spelled
from ichnos.errors import IchnosError, Place


def quoted(value: Any) -> str:
    """A value as text in quotation marks with backslash escapes, as Lua, JSON and most scripts read it."""
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
