"""Plain lists, one entry a line, and tables with a header: CSV (RFC 4180) and tab-separated values."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ichnos.documents.text import Text
from ichnos.documents.tree import KEYED, LISTED, TEXT, Format, Node, Unwritable, Value, spelled
from ichnos.errors import IchnosError

_ENTRY = re.compile(r"^[ \t]*(?!\#|//)([^ \t\r\n][^\r\n]*?)(?=[ \t]*\r?$)", re.MULTILINE)


@dataclass(frozen=True)
class PlainList(Format):
    """One entry a line; lines that begin with # or // are comments."""

    name: str = "list"
    suffixes: tuple[str, ...] = (".list",)

    def parse(self, text: Text) -> Node:
        root = Node(LISTED, 0, 0, 0, 0)
        for match in _ENTRY.finditer(text.content):
            start, end = match.span(1)
            root.children.append(Node(TEXT, start, end, start, end, match[1]))
        if root.children:
            root.start = root.body_start = root.children[0].start
            root.end = root.body_end = root.children[-1].end
        return root

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if "\n" in content or "\r" in content or content != content.strip():
            raise Unwritable("it has a line break, or white space at its ends, which a list cannot keep")
        if not content or content.startswith(("#", "//", "\ufeff")):
            raise Unwritable("it is empty, or would be taken for a comment or a byte-order mark")
        return content

    def write_label(self, label: str, node: Node) -> str:
        raise Unwritable("a list has no labels")


@dataclass(frozen=True)
class CsvTable(Format):
    """Rows of cells under a header. A cell's label is its column's name; a missing value is an empty cell.

    Without a header a cell's label is its column's number, from 1.
    """

    name: str = "CSV"
    suffixes: tuple[str, ...] = (".csv",)
    comma: str = ","
    quoted: bool = True  # may a cell stand in quotation marks?
    empty: str | None = ""
    header: bool = True

    def parse(self, text: Text) -> Node:
        rows = list(self._rows(text))
        if not self.header:
            for row in rows:
                for number, cell in enumerate(row.children, 1):
                    cell.label = str(number)
            start, end = (rows[0].start, rows[-1].end) if rows else (0, 0)
            return Node(LISTED, start, end, start, end, children=rows)
        if not rows:
            raise IchnosError("a table needs a header", place=text.place(0), cure="name the columns in the first line")
        header, *rest = rows
        columns = [cell.value or "" for cell in header.children]
        for index, name in enumerate(columns):
            if name in columns[:index]:
                raise IchnosError(
                    f"the column {name!r} is there twice",
                    place=text.place(header.children[index].start),
                    cure="rename one",
                )
        for row in rest:
            if len(row.children) > len(columns):
                raise IchnosError(
                    f"this row has {len(row.children)} cells under {len(columns)} columns",
                    place=text.place(row.children[len(columns)].start),
                    cure=f"put a cell that holds {self.comma!r} into quotation marks",
                )
            for cell, column in zip(row.children, columns, strict=False):
                cell.label = column
        start, end = header.start, rows[-1].end
        return Node(LISTED, start, end, start, end, children=rest)

    def _rows(self, text: Text) -> list[Node]:
        content, comma = text.content, re.escape(self.comma)
        plain = "(?P<plain>[^\r\n" + comma + "]*)"
        quoted = r'"(?P<quoted>(?:[^"]|"")*)"(?=' + comma + r"|\r?\n|\r?\Z)" if self.quoted else r"(?P<quoted>(?!))"
        cell_pattern = re.compile(quoted + "|" + plain)
        rows: list[Node] = []
        position = 0
        while position < len(content):
            row = Node(KEYED, position, position, position, position)
            while True:
                match = cell_pattern.match(content, position)
                assert match is not None  # the plain cell matches anything
                if self.quoted and content.startswith('"', position) and match["quoted"] is None:
                    raise IchnosError(
                        "this quotation mark is never closed",
                        place=text.place(position),
                        cure="put a \" at the cell's end",
                    )
                value = match["plain"] if match["quoted"] is None else match["quoted"].replace('""', '"')
                start, position = match.span()
                row.children.append(Node(TEXT, start, position, start, position, value))
                if not content.startswith(self.comma, position):
                    break
                position += 1
            row.end = row.body_end = position
            ended = re.compile(r"\r?\n|\r?\Z").match(content, position)
            position = ended.end() if ended else position + 1
            if len(row.children) > 1 or row.children[0].end > row.children[0].start:
                rows.append(row)
        return rows

    def gap(self, node: Node) -> str:
        return "\n" if node.kind == KEYED else self.comma

    def write_value(self, value: Value, node: Node, text: str) -> str:
        content = spelled(value)
        if self.quoted:
            quote = any(sign in content for sign in (self.comma, '"', "\r", "\n")) or content != content.strip()
            return '"' + content.replace('"', '""') + '"' if quote else content
        if any(sign in content for sign in "\t\r\n"):
            raise Unwritable("it has a tab or a line break, which a table with tabs cannot keep")
        return content

    def write_label(self, label: str, node: Node) -> str:
        raise Unwritable("a hole cannot be a column's name")

    def repeatable(self, node: Node, parent: Node | None) -> bool:
        return node.kind == KEYED

    def optional(self, node: Node, parent: Node | None) -> bool:
        return False


TAB_TABLE = CsvTable("TSV", (".tsv",), "\t", quoted=False)
