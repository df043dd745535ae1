"""The cells of a list as it comes: a text, or the sheets of a workbook."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from datetime import date, time, timedelta
from typing import TYPE_CHECKING, Literal

from upright_block.errors import BadValue
from upright_block.language.nodes import record
from upright_block.language.source import column_letters
from upright_block.library.sheets import unguarded
from upright_block.lists import words

if TYPE_CHECKING:
    from openpyxl.cell.cell import Cell as BookCell
    from openpyxl.cell.cell import MergedCell
    from openpyxl.worksheet.worksheet import Worksheet

_MOST_LINES = 40
"""Lines over which a cell in quotes may go on: beyond it a quote was forgotten."""
_ZEROS = re.compile("0+")

Kind = Literal["text", "number", "date", "formula", "error", "power"]


@record
class Entry:
    """A cell: what a person reads there, and what it is. A ``formula`` is one without a saved value."""

    text: str
    kind: Kind = "text"


BLANK = Entry("")


@record
class Row:
    """A row with its number as its program counts."""

    number: int
    entries: Sequence[Entry]

    def text(self, column: int) -> str:
        """What stands in a column, which counts from 0; empty beyond the last cell."""
        return self.entries[column].text if column < len(self.entries) else ""

    @property
    def filled(self) -> list[str]:
        """The texts that are not empty."""
        return [entry.text for entry in self.entries if entry.text]


@record
class Grid:
    """The rows of a sheet that hold something; ``title`` is empty for a text. ``hidden`` names what the sheet hides."""

    file: str
    title: str
    rows: Sequence[Row]
    hidden: str = ""

    @property
    def name(self) -> str:
        """The file and the sheet, for people."""
        return f"{self.file}, sheet {self.title}" if self.title else self.file

    def place(self, row: Row, column: int | None = None) -> str:
        """Where a row or a cell is, for people."""
        where = f"{self.name}, row {row.number}"
        return where if column is None else f"{where}, column {column_letters(column + 1)}"


def text_grids(file: str, text: str) -> list[Grid]:
    """What a text may be: a grid for each of the separators that it has, ``;``, tab and comma.

    Raises:
        BadValue: a quote is not closed with any of them.
    """
    found: list[Grid] = []
    problem: BadValue | None = None
    for delimiter in [d for d in "\t;," if d in text] or [","]:
        try:
            found.append(Grid(file, "", list(_split(file, text, delimiter))))
        except BadValue as wrong:
            problem = problem or wrong
    if not found and problem is not None:
        raise problem
    return found


def _split(file: str, text: str, delimiter: str) -> Iterator[Row]:
    reader = csv.reader(io.StringIO(text), delimiter=delimiter, strict=True, skipinitialspace=True)
    start = 1
    try:
        for cells in reader:
            entries = [Entry(unguarded(cell.strip())) for cell in cells]
            if reader.line_num - start >= _MOST_LINES:
                raise csv.Error
            if any(entry.text for entry in entries):
                yield Row(start, entries)
            start = reader.line_num + 1
    except csv.Error:
        raise BadValue(*words.open_quote(f"{file}, row {start}")) from None


def book_grids(file: str, content: bytes) -> list[Grid]:
    """The sheets of a workbook that hold something. What is merged downwards stands in each of its rows; what is merged
    to the right stands once.

    Raises:
        BadValue: it is no workbook that can be read.
    """
    from upright_block.library.workbook import NoWorkbook, opened

    try:
        shown, written = opened(content)
    except NoWorkbook as problem:
        raise BadValue(f"{file}: {problem}", problem.way_out) from None
    grids = [_sheet(file, sheet, written[sheet.title]) for sheet in shown.worksheets]
    return [grid for grid in grids if grid.rows]


def _sheet(file: str, shown: Worksheet, written: Worksheet) -> Grid:
    from upright_block.library.workbook import hidden_cells

    rows = [[_entry(cell) for cell in row] for row in shown.iter_rows()]
    if written is not shown:
        for number, row in enumerate(written.iter_rows()):
            for column, cell in enumerate(row):
                if cell.data_type == "f" and not rows[number][column].text:
                    rows[number][column] = Entry(str(cell.value), "formula")
    for area in shown.merged_cells.ranges:
        for below in rows[area.min_row : area.max_row]:
            below[area.min_col - 1] = rows[area.min_row - 1][area.min_col - 1]
    made = [Row(number, row) for number, row in enumerate(rows, start=1)]
    return Grid(file, shown.title, [row for row in made if row.filled], hidden_cells(shown))


def _entry(cell: BookCell | MergedCell) -> Entry:
    """A cell as its spreadsheet shows it, with the line ends inside of it."""
    from openpyxl.cell.cell import MergedCell

    from upright_block.library.workbook import cell_text

    value = cell.value
    if value is None or isinstance(cell, MergedCell):
        return BLANK
    if isinstance(value, str):
        text = "\n".join(line.strip() for line in value.replace("\r\n", "\n").replace("\r", "\n").split("\n")).strip()
        return Entry(unguarded(text.replace("\t", " ")), "error" if cell.data_type == "e" else "text")
    text = cell_text(cell, names=True)
    if isinstance(value, (date, time, timedelta)):
        return Entry(text, "date")
    form = str(cell.number_format)
    if isinstance(value, int) and not isinstance(value, bool) and _ZEROS.fullmatch(form):
        text = text.zfill(len(form))
    return Entry(text, "power" if "E+" in form.upper() else "number")
