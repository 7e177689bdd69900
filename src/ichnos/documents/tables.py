"""Tables that people fill in: CSV (RFC 4180), also with semicolons or tabs; each cell with its place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ichnos.documents.rows import CsvTable
from ichnos.documents.text import Text
from ichnos.documents.tree import Node
from ichnos.errors import IchnosError, Place
from ichnos.likeness import did_you_mean

COMMENTS = ("#", "//")


@dataclass(frozen=True)
class Row:
    """One row. ``cells``: by column, without white space around them; empty ones are left out."""

    text: Text
    node: Node
    cells: dict[str, str]
    columns: Sequence[str]

    def place(self, column: str = "") -> Place:
        """Where a cell stands; of one that is not there, or without a column, the row itself."""
        index = self.columns.index(column) if column in self.columns else len(self.node.children)
        cells = self.node.children
        return self.text.place((cells[index] if index < len(cells) else self.node).start)

    def wrong(self, column: str, what: str, cure: str) -> IchnosError:
        """An error of a cell."""
        return IchnosError(f'column "{column}": {what}', place=self.place(column), cure=cure)


def first_line(text: Text, *, comments: bool) -> str:
    """The first line that says something; ``comments``: there may be some before it."""
    skipped = COMMENTS if comments else ()
    return next((line for line in text.content.splitlines() if line.strip() and not line.startswith(skipped)), "")


def rows(
    text: Text,
    known_columns: Sequence[str],
    prefixes: tuple[str, ...] = (),
    needed: Sequence[str] = ("key",),
    *,
    loose: bool = False,
) -> list[Row]:
    """The rows of a table under its header, those without a cell left out.

    Args:
        known: the columns that there can be; prefixes: what others may begin with.
        needed: the columns that there must be.
        loose: capitals do not count in the names of columns, and rows that begin with # or // are comments.

    Raises:
        IchnosError: another column, one that is there twice or not at all, or a row that is not understood.
    """
    comma = max(",;\t", key=first_line(text, comments=loose).count)
    given = CsvTable(comma=comma, quoted=True, header=False).parse(text).children
    if loose:
        given = [row for row in given if not (row.children[0].value or "").startswith(COMMENTS)]
    header = given[0].children if given else []
    columns = [(cell.value or "").strip() for cell in header]
    columns = [name.lower() for name in columns] if loose else columns
    for index, (name, cell) in enumerate(zip(columns, header, strict=True)):
        place = text.place(cell.start)
        if columns.index(name) != index:
            raise IchnosError(f'there are two columns "{name}"', place=place, cure="name one of them otherwise")
        if name not in known_columns and not (prefixes and name.startswith(prefixes)):
            raise IchnosError(f'there is no column "{name}"', place=place, cure=did_you_mean(known_columns, name, 1))
    for name in needed:
        if name not in columns:
            what, cure = f'there is no column "{name}"', "the first line names the columns"
            raise IchnosError(what, place=text.place(header[0].start if header else 0), cure=cure)
    read_rows = [_row(text, row, columns) for row in given[1:]]
    return [row for row in read_rows if row.cells]


def _row(text: Text, node: Node, columns: Sequence[str]) -> Row:
    values = [(cell.value or "").strip() for cell in node.children]
    if any(values[len(columns) :]):
        what = f"this row has {len(values)} cells, and there are {len(columns)} columns"
        place = text.place(node.children[len(columns)].start)
        raise IchnosError(what, place=place, cure="put text with a comma into quotation marks")
    return Row(text, node, {name: value for name, value in zip(columns, values, strict=False) if value}, columns)
