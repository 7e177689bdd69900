"""The contact sheet: every sound of a pack on one level scale, for the page where it is published."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import groupby
from pathlib import Path
from typing import Any

from ichnos.audio.drawing import style
from ichnos.audio.drawing.style import FAULT, GRAPHITE, GREEN, INK, SHADE, SMALL, SOFT
from ichnos.errors import UsageError
from ichnos.files.paths import plain
from ichnos.files.writing import fresh
from ichnos.page.gathering import Entry, PageModel, Shown

KINDS = (".png", ".pdf")
_WIDE, _TALLEST = 12.8, 16.0  # inches, at 100 dots each: a page stands upright
_MARGIN, _HEAD, _FOOT, _LINE = 0.35, 1.35, 0.35, 0.55  # inches: around it, its head and foot, a heading
_TALL = {1: 2.3, 2: 2.0, 3: 1.7, 4: 1.35}  # inches of a row of cells, by how many stand side by side
_GAP = 0.12  # inches between two of them
_BAR = 0.08  # inches: a bar's height
_TITLE = 34  # signs of a cell's name, where four stand side by side
_CREDIT, _MOST_CREDITS = 0.2, 8  # inches of a line, and how many of them


@dataclass(frozen=True)
class _Heading:
    """A category, and the middle of its loudness in LUFS, where it has one."""

    name: str
    middle: float | None
    count: int


@dataclass(frozen=True)
class _Cell:
    entry: Entry
    shown: Shown | None  # its first take or part that can be seen
    more: int  # other takes and parts


def draw(book: PageModel, to: Path, thanks: Sequence[str] = ()) -> list[Path]:
    """Draw the sheet.

    Args:
        to: a PDF, which gets all pages; or a PNG: of several pages each is a file of its own, NAME-1.png and so on.
        thanks: lines below the last page.

    Returns:
        The files that were written.

    Raises:
        UsageError: it is neither.
    """
    if to.suffix.lower() not in KINDS:
        raise UsageError(f"{to} is neither a PNG nor a PDF", cure="end its name in .png or .pdf")
    pages = list(_pages(book))
    if to.suffix.lower() == ".pdf":
        from matplotlib.backends.backend_pdf import PdfPages

        about = {"Title": plain(book.title), "Creator": "Ichnos", "Producer": None, "CreationDate": None}
        with fresh(to) as beside, PdfPages(beside, metadata=about) as out:
            for number, page in enumerate(pages, 1):
                _page(partial(out.savefig, facecolor=style.PAPER), book, page, number, len(pages), thanks)
        return [to]
    written = names(to, len(pages))
    for number, (page, path) in enumerate(zip(pages, written, strict=True), 1):
        with fresh(path) as beside:
            _page(partial(style.save, to=beside), book, page, number, len(pages), thanks)
    return written


def count(book: PageModel) -> int:
    """How many pages it takes."""
    return len(list(_pages(book)))


def names(to: Path, pages: int) -> list[Path]:
    """What the pages are called, as pictures."""
    if pages == 1 or to.suffix.lower() == ".pdf":
        return [to]
    return [to.with_name(f"{to.stem}-{number}{to.suffix}") for number in range(1, pages + 1)]


def _rows(book: PageModel) -> Iterator[tuple[str, list[Entry]]]:
    """The entries by category, in the order of the categories' names; those without one at the end."""

    def place(entry: Entry) -> tuple[bool, str]:
        name = entry.category or entry.kind
        return not name, name

    for (_, name), entries in groupby(sorted(book.entries, key=place), key=place):
        yield name, list(entries)


def _columns(book: PageModel) -> int:
    """How many cells stand side by side: few sounds are drawn large."""
    number = len(book.entries)
    return 1 if number <= 2 else 2 if number <= 8 else 3 if number <= 24 else 4


def _has_headings(book: PageModel) -> bool:
    """Do categories fill rows of their own? Else each cell says its own."""
    return len(list(_rows(book))) * _columns(book) <= 1.5 * len(book.entries)


_Row = _Heading | list[_Cell]


def _pages(book: PageModel) -> Iterator[list[_Row]]:
    """What stands on each page, row by row: a heading, or cells side by side. No heading stands alone at the foot."""
    columns, tall = _columns(book), _TALL[_columns(book)]
    room = _TALLEST - _HEAD - _FOOT - _CREDIT * _MOST_CREDITS
    groups = list(_rows(book))
    headings = _has_headings(book)
    if not headings:
        groups = [("", [entry for _, entries in groups for entry in entries])]
    page: list[_Row] = []
    used = 0.0
    for name, entries in groups:
        cells = [_cell(entry) for entry in entries]
        for at in range(0, len(cells), columns):
            if page and used + tall + (_LINE if headings and at == 0 else 0) > room:
                yield page
                page, used = [], 0.0
            if headings and (at == 0 or not page):
                page.append(_Heading(name, book.middles.get(name), len(entries)))
                used += _LINE
            page.append(cells[at : at + columns])
            used += tall
    yield page


def _cell(entry: Entry) -> _Cell:
    seen = [shown for shown in entry.new if shown.content is not None and shown.content.glance is not None]
    return _Cell(entry, seen[0] if seen else None, max(0, len(entry.new) - 1))


class _Sheet:
    """A page being drawn, in inches from its top left corner; in one system of axes, for each takes its time."""

    def __init__(self, figure: Any, book: PageModel, tall: float) -> None:
        self.book, self.columns, self.headed = book, _columns(book), _has_headings(book)
        figure.set_layout_engine("none")
        self.axes = figure.add_axes((0, 0, 1, 1))
        self.axes.set_axis_off()
        self.axes.set_xlim(0, _WIDE)
        self.axes.set_ylim(tall, 0)

    def text(self, x: float, y: float, text: str, **how: Any) -> None:
        self.axes.text(x, y, plain(text), **how)

    def line(self, y: float) -> None:
        self.axes.plot([_MARGIN, _WIDE - _MARGIN], [y, y], color=style.RULE, linewidth=1)

    def bar(self, x: float, y: float, wide: float, colour: str) -> None:
        self.axes.fill([x, x + wide, x + wide, x], [y, y, y + _BAR, y + _BAR], color=colour, linewidth=0)


def _page(to: Any, book: PageModel, rows: Sequence[_Row], number: int, pages: int, thanks: Sequence[str]) -> None:
    """Draw a page: as tall as what stands on it."""
    lines = list(thanks[:_MOST_CREDITS]) if number == pages else []
    if lines and len(thanks) > _MOST_CREDITS:
        lines[-1] = f"and {len(thanks) - _MOST_CREDITS + 1} more: see the pack's credits"
    tall = _TALL[_columns(book)]
    needed = sum(_LINE if isinstance(row, _Heading) else tall for row in rows)
    whole = _HEAD + max(needed, tall) + _FOOT + _CREDIT * len(lines)
    with style.paper((_WIDE, whole)) as figure:
        sheet = _Sheet(figure, book, whole)
        sheet.text(_MARGIN, 0.45, _short(book.title, 60), fontsize=26, style="italic", va="center")
        sheet.text(_MARGIN, 0.83, _short(_about(book), 150), fontsize=11, color=SOFT, va="center")
        if pages > 1:
            sheet.text(_WIDE - _MARGIN, 0.45, f"{number} of {pages}", fontsize=11, color=SOFT, ha="right", va="center")
        sheet.text(_MARGIN, 1.07, _KEY, fontsize=9, color=SOFT, va="center")
        sheet.line(_HEAD - 0.1)
        y = _HEAD
        for row in rows:
            if isinstance(row, _Heading):
                _heading(sheet, row, y)
                y += _LINE
                continue
            for column, cell in enumerate(row):
                wide = (_WIDE - 2 * _MARGIN + _GAP) / sheet.columns
                _draw_cell(sheet, cell, _MARGIN + column * wide, y, wide - _GAP)
            y += tall
        if not rows:
            sheet.text(_MARGIN, y, "This pack has no sounds.", color=SOFT, va="top")
        for at, line in enumerate(lines):
            sheet.text(
                _MARGIN, whole - _FOOT - _CREDIT * (len(lines) - at - 0.5), _short(line, 170), fontsize=9, color=SOFT
            )
        to(figure)


def _short(text: str, most: int) -> str:
    """A text that ends in … where it has no room."""
    shown = plain(text)
    return shown if len(shown) <= most else f"{shown[: max(1, most - 1)]}…"


def _about(book: PageModel) -> str:
    shown = [one.content for entry in book.entries for one in entry.new if one.content is not None]
    files = {
        content.digest: content.glance.facts.seconds for content in shown if content.glance is not None
    }  # each counts once
    seconds = sum(files.values())
    length = f"{seconds:.1f} s" if seconds < 60 else f"{int(seconds // 60)} min {int(seconds % 60)} s"
    version, author = book.said("pack.version"), book.said("pack.author")
    number = len(book.entries)
    said = [book.profile.rules.game.title, f"version {version}" if version else "", f"by {author}" if author else ""]
    said += [
        f"{number} sound{'' if number == 1 else 's'}, {len(files)} file{'' if len(files) == 1 else 's'}",
        f"{length} in all",
    ]
    return "   ".join(text for text in said if text)


_KEY = "height: −60 to 0 dBFS, peaks around RMS      bar: loudness, −60 to 0 LUFS; green: the middle of its category"


def _heading(sheet: _Sheet, heading: _Heading, y: float) -> None:
    middle = f", their middle {heading.middle:z.1f} LUFS" if heading.middle is not None else ""
    many = f"{heading.count} sound{'' if heading.count == 1 else 's'}"
    sheet.text(_MARGIN, y + 0.32, heading.name or "no category", fontsize=13, style="italic", va="bottom")
    sheet.text(_WIDE - _MARGIN, y + 0.32, f"{many}{middle}", fontsize=9, color=SOFT, ha="right", va="bottom")
    sheet.line(y + 0.4)


def _draw_cell(sheet: _Sheet, cell: _Cell, x: float, y: float, wide: float) -> None:
    entry, tall = cell.entry, _TALL[sheet.columns]
    most = round(_TITLE * 4 / sheet.columns)
    said = entry.key
    if not sheet.headed:
        category = entry.category or "no category"
        sheet.text(x + wide, y + 0.22, category, fontsize=9, style="italic", color=SOFT, ha="right", va="bottom")
        most -= len(category)
    sheet.text(x, y + 0.22, _short(said, most), fontsize=9, family="DejaVu Sans Mono", va="bottom")
    middle, half = y + 0.3 + (tall - 0.78) / 2, (tall - 0.78) / 2
    content = cell.shown.content if cell.shown else None
    if content is None or content.glance is None:
        trouble = next((shown.content.trouble for shown in entry.new if shown.content), "there is no file")
        sheet.text(x, middle, trouble if entry.new else "no sound", fontsize=SMALL, color=SOFT, va="center")
        return
    glance, level = content.glance, entry.level
    _envelope(sheet.axes, glance, x, middle, wide, half)
    others = f", the first of {cell.more + 1} {'takes' if entry.definition.takes else 'parts'}" if cell.more else ""
    foot = y + tall - 0.36
    sheet.text(x, foot, f"{glance.facts.seconds:.2f} s{others}", fontsize=SMALL, color=SOFT, va="center")
    loud = f"{level:z.1f} LUFS" if level is not None else "silent"
    jump = f"  {'▲' if entry.jump > 0 else '▼'} {abs(entry.jump):z.0f} LU" if entry.jump is not None else ""
    sheet.text(
        x + wide, foot, loud + jump, fontsize=SMALL, ha="right", va="center",
        color=INK if jump else SOFT, weight="bold" if jump else "normal", family="DejaVu Sans",
    )  # fmt: skip
    sheet.bar(x, foot + 0.1, wide, style.RULE)
    if level is not None:
        sheet.bar(x, foot + 0.1, wide * _share(level), INK)
    usual = sheet.book.middles.get(entry.category or entry.kind)
    if usual is not None:
        at = x + wide * _share(usual)
        sheet.axes.plot([at, at], [foot + 0.07, foot + 0.13 + _BAR], color=GREEN, linewidth=1.6)
    if any(finding.kind.is_error for finding in entry.findings):
        sheet.text(
            x + wide, y + 0.32, "✗ finding", fontsize=SMALL, color=FAULT, ha="right", va="top", family="DejaVu Sans"
        )


def _share(level: float) -> float:
    """Where a level lies between the floor, 0, and full scale, 1."""
    return max(0.0, min(1.0, 1 - level / style.FLOOR))


def _envelope(axes: Any, glance: Any, x: float, middle: float, wide: float, half: float) -> None:
    """Peaks and RMS, mirrored, on the one scale from -60 to 0 dBFS."""
    import numpy as np

    wave = glance.waveform

    def scaled(level: Any) -> Any:
        return half * np.clip(1 - 20 * np.log10(np.maximum(level, 1e-9)) / style.FLOOR, 0, 1)

    edges = x + wide * np.linspace(0, 1, len(wave.low) + 1)
    axes.plot([x, x + wide], [middle, middle], color=GRAPHITE, linewidth=0.6)
    for level, colour in ((np.maximum(np.abs(wave.low), np.abs(wave.high)), SHADE), (wave.rms, INK)):
        tall = scaled(level.max(axis=1))
        style.band(axes, middle + tall, middle - tall, edges, colour)
