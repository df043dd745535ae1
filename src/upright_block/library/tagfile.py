"""Tags to and from files: CSV (RFC 4180), text pasted from a spreadsheet, and workbooks."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence

from upright_block.language.source import Cell
from upright_block.language.tags import COLUMNS

FORMULA_SIGNS = frozenset("=+-@")
"""A cell that begins with one of these and is no number would be read as a formula by a spreadsheet."""


def columns_of(rows: Iterable[Mapping[str, Cell]]) -> list[str]:
    """The columns of some rows: those of a tag table in its order, then others as they come."""
    used = dict.fromkeys(column for row in rows for column in row)
    return [*(column for column in COLUMNS if column in used), *(column for column in used if column not in COLUMNS)]


def csv_text(columns: Sequence[str], rows: Iterable[Mapping[str, str]]) -> str:
    """Rows as CSV. A text that a spreadsheet would take for a formula has a quote before it."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    for row in rows:
        writer.writerow([_guarded(row.get(column, "")) for column in columns])
    return out.getvalue()


def _guarded(text: str) -> str:
    return f"'{text}" if text[:1] in FORMULA_SIGNS and not is_number(text) else text


def is_number(text: str) -> bool:
    """Whether a text is a number as a spreadsheet writes one."""
    try:
        float(text)
    except ValueError:
        return False
    return "_" not in text


def workbook_bytes(title: str, columns: Sequence[str], rows: Iterable[Mapping[str, str]]) -> bytes:
    """Rows as a workbook of one sheet. All cells are texts, so that no zero is lost and none becomes a formula."""
    from openpyxl import Workbook
    from openpyxl.styles import Font

    book = Workbook()
    sheet = book.worksheets[0]
    sheet.title = title[:31]
    for number, row in enumerate([dict(zip(columns, columns, strict=True)), *rows], start=1):
        for column, name in enumerate(columns, start=1):
            text = row.get(name, "")
            if text:
                cell = sheet.cell(number, column)
                cell.value = text
                cell.data_type = "s"
                cell.number_format = "@"
                if number == 1:
                    cell.font = Font(bold=True)
    sheet.freeze_panes = "B2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def pasted_rows(text: str) -> tuple[list[str], list[dict[str, str]]]:
    """The columns and rows of a text: CSV with commas or semicolons, or cells with tabs between as a spreadsheet copies them.

    Raises:
        ValueError: there is no column ``tag``, or a row has more cells than there are columns.
    """
    lines = text.lstrip("\ufeff").strip("\r\n")
    first = lines.split("\n", 1)[0]
    delimiter = max("\t;,", key=first.count)
    read = [row for row in csv.reader(io.StringIO(lines), delimiter=delimiter) if any(cell.strip() for cell in row)]
    columns = [cell.strip() for cell in read[0]] if read else []
    columns = [column.lower() if column.lower() in COLUMNS else column for column in columns]
    if "tag" not in columns:
        raise ValueError("the first line has no column tag")
    rows: list[dict[str, str]] = []
    for number, row in enumerate(read[1:], start=2):
        if len(row) > len(columns) and any(cell.strip() for cell in row[len(columns) :]):
            raise ValueError(f"row {number} has {len(row)} cells, and there are {len(columns)} columns")
        rows.append({c: cell.strip() for c, cell in zip(columns, row, strict=False) if cell.strip()})
    return columns, rows
