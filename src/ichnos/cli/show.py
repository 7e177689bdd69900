"""How results look: on a terminal and in a pipe."""

from __future__ import annotations

import json
import os
import re
import shutil
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import typer

from ichnos.files.paths import UNSEEN, plain

if TYPE_CHECKING:
    from collections.abc import Callable

    from rich.console import Console

_DONE, _REST = "#2f9e8a", "#8d8b84"  # of a progress bar: seen on dark and on light
_ENDLESS = 1000  # columns: text in a pipe is not folded


def say(
    text: object = "", *, lead: str = "", err: bool = False, end: str = "\n", flush: bool = False, **style: Any
) -> None:
    """Print a line; all of it made safe to show.

    Args:
        lead: what stands before it; with one, the style is the lead's alone.
        err: on stderr.
    """
    shown = plain(str(text))
    if style:
        lead, shown = (_styled(plain(lead), **style), shown) if lead else ("", _styled(shown, **style))
    typer.echo(f"{lead} {shown}{end}" if lead else f"{shown}{end}", nl=False, err=err)
    if flush:
        sys.stdout.flush()


def console(*, err: bool = False, tables: bool = False) -> Console:
    """A console that folds lines on a terminal only; rich itself obeys NO_COLOR.

    ``tables`` fit their columns to the terminal instead of running over its edge.
    """
    from rich.console import Console, ConsoleOptions, RenderableType
    from rich.segment import Segment

    class Plain(Console):
        """Whatever is printed is made safe to show, at the one place that all of it passes; no text is markup."""

        def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterator[Segment]:
            for segment in super().render(renderable, options):
                yield segment if segment.control else segment._replace(text=plain(segment.text))

    stream = sys.stderr if err else sys.stdout
    width = None if stream.isatty() else _ENDLESS
    return Plain(stderr=err, highlight=False, width=width, soft_wrap=not tables, emoji=False, markup=False)


def is_answered() -> bool:
    """Is somebody there who can answer a question?"""
    return sys.stdin.isatty()


def _styled(text: str, **style: Any) -> str:
    """Text with a style, unless NO_COLOR forbids it. Printed with ``typer.echo``, a pipe gets it plain."""
    return text if os.environ.get("NO_COLOR") else typer.style(text, **style)


def as_json(value: Any) -> None:
    """Print a value for programs. What is not seen stands as JSON's own escapes."""
    from ichnos.cli.encoding import encoded

    text = json.dumps(encoded(value), indent=2, ensure_ascii=False, allow_nan=False)
    # Outside its strings JSON has none of these but line ends.
    typer.echo(UNSEEN.sub(lambda match: f"\\u{ord(match[0]):04x}", text))


def size(count: float) -> str:
    """A size in bytes, in words: 1.4 MB."""
    if count < 1000:
        return f"{count:.0f} bytes"
    for unit in ("kB", "MB"):
        count /= 1000
        if count < 1000:
            return f"{count:.1f} {unit}"
    return f"{count / 1000:.1f} GB"


def waiting() -> None:
    """Say that another process has the workspace."""
    say("Another ichnos works in this workspace: waiting for it.", err=True)


def keys_unchecked(title: str) -> None:
    """Say that a misspelt key would go unnoticed."""
    say(
        f"The keys are not checked against {title}'s own: say where the game is installed, or: ichnos keys harvest.",
        err=True,
    )


def columns(names: list[str], rows: list[list[str]]) -> None:
    """Print a plain table, far faster than a library would. A name that ends in > heads a column of numbers.

    On a terminal the last column is cut where it would run over the edge.
    """
    right = [name.endswith(">") for name in names]
    heads = [name.rstrip(">") for name in names]
    rows = [[plain(cell).replace("\n", "\\n") for cell in row] for row in rows]
    widths = [max(map(len, column)) for column in zip(heads, *rows, strict=True)]

    def line(cells: list[str]) -> str:
        spelled = [
            cell.rjust(width) if to_right else cell.ljust(width)
            for cell, width, to_right in zip(cells, widths, right, strict=True)
        ]
        whole = "  ".join(spelled).rstrip()
        return whole if len(whole) <= most else f"{whole[: most - 1]}…"

    most = shutil.get_terminal_size().columns if sys.stdout.isatty() else _ENDLESS
    say(line(heads), bold=True)
    say("\n".join(line(row) for row in rows), end="\n" if rows else "")


@dataclass(frozen=True)
class PlanLine:
    """A line of a plan: what becomes of a file, its name, how deep it lies in folders, and why.

    ``sign``: one of SIGNS, or empty for a folder. ``below``: further lines of it, each with its style.
    """

    sign: str
    name: str
    reason: str = ""
    depth: int = 0
    below: tuple[tuple[str, dict[str, Any]], ...] = ()


DIM: dict[str, Any] = {"dim": True}
RED: dict[str, Any] = {"fg": "red"}
GREEN: dict[str, Any] = {"fg": "green"}
SIGNS = {"+": ("new", GREEN), "~": ("changed", {"fg": "yellow"}), "=": ("same", DIM), "-": ("gone", RED)}
_NARROW = 24  # columns: a reason that has fewer goes below its name


def plan(title: str, lines: Sequence[PlanLine]) -> None:
    """Print a plan: the signs stand in a gutter on the left; on a terminal, reasons are folded beside their names."""
    from rich.cells import cell_len

    width = shutil.get_terminal_size().columns if sys.stdout.isatty() else _ENDLESS
    used = [sign for sign in SIGNS if any(line.sign == sign for line in lines)]
    legend = "".join(_styled(f"  {sign} {SIGNS[sign][0]}", **SIGNS[sign][1]) for sign in used)
    shown = [f"{_styled(plain(title), bold=True)}   {legend}"]
    for line in lines:
        indent = "  " * line.depth
        name = f" {indent}{plain(line.name)}"
        sign = _styled(line.sign, bold=True, **SIGNS[line.sign][1]) if line.sign else " "
        start = 1 + cell_len(name) + 2
        first, *rest = _folded(plain(line.reason), width - start) or [""]
        if width - start < min(_NARROW, cell_len(line.reason)):  # below the name there is more room
            start = 6 + len(indent)
            first, rest = "", _folded(plain(line.reason), width - start)
        shown.append(f"{sign}{name}  {_styled(first, dim=True)}" if first else f"{sign}{name}")
        shown += [" " * start + _styled(part, dim=True) for part in rest]
        shown += [" " * (4 + len(indent)) + _styled(plain(text), **how) for text, how in line.below]
    typer.echo("\n".join(shown))


def _folded(text: str, width: int) -> list[str]:
    """A text in lines of at most so many columns; nothing of it is lost, and no unit leaves its number."""
    import textwrap

    glued = re.sub(r"(?<=\d) (?=[A-Za-z]{1,5}\b)", "\0", text)
    lines = textwrap.wrap(glued, max(8, width), break_long_words=True, break_on_hyphens=False)
    return [line.replace("\0", " ") for line in lines]


def counted(count: int, noun: str) -> str:
    """``1 sound``, ``2 sounds``."""
    return f"{count} {noun}{'' if count == 1 else 's'}"


@contextmanager
def progress(what: str, total: float | None) -> Iterator[Callable[[float], None]]:
    """A progress bar on stderr, where that is a terminal; gives what to call after each step, with its size.

    A total of ``None``: nobody knows how much there is; the bar only shows that work goes on.
    """
    from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn
    from rich.theme import Theme

    err = console(err=True)
    if not err.is_terminal or total == 0:
        yield lambda step: None
        return
    bar_column = BarColumn(style=_REST, complete_style=_DONE, finished_style=_DONE, pulse_style=_DONE)
    columns = (TextColumn(what), bar_column, TaskProgressColumn(), TimeRemainingColumn())
    err.push_theme(Theme({"progress.percentage": _DONE, "progress.remaining": _REST}))
    with Progress(*columns, console=err, transient=True) as bar:
        task = bar.add_task(what, total=total)
        yield lambda step: bar.advance(task, step)
