"""Tag tables from and for other programs: their columns, and text pasted from a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping
from pathlib import Path

from upright_block.errors import BadValue
from upright_block.language.findings import Findings
from upright_block.language.source import Cell
from upright_block.language.tags import COLUMNS


def columns_of(rows: Iterable[Mapping[str, Cell]]) -> list[str]:
    """The columns of some rows: those of a tag table in its order, then others as they come."""
    used = dict.fromkeys(column for row in rows for column in row)
    return [*(column for column in COLUMNS if column in used), *(column for column in used if column not in COLUMNS)]


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


def table_from(file: Path | None, text: str) -> str:
    """A tag table as CSV from a file of another kind or place, or from a text with tabs or commas between its cells.

    Raises:
        BadValue: it is no tag table.
    """
    from upright_block.library.sheets import Rows

    try:
        columns, rows = pasted_rows(text if file is None else _text_of(file))
    except BadValue:
        raise
    except (OSError, ValueError) as problem:
        reason = problem.strerror if isinstance(problem, OSError) else str(problem)
        raise BadValue(f"This is no tag table: {reason}.", "Give one whose first line names its columns.") from None
    return Rows("tags", columns, rows).csv()


def _text_of(file: Path) -> str:
    """The text of a CSV file, or of the only sheet of a workbook."""
    if file.suffix.lower() != ".xlsx":
        return file.read_bytes().decode("utf-8-sig")
    from upright_block.library.workbook import NoWorkbook, read_book

    findings = Findings()
    try:
        book = read_book(file.name, file.read_bytes(), True, findings)
    except NoWorkbook as problem:
        raise BadValue(str(problem), problem.way_out) from None
    if findings.items:
        raise BadValue(str(findings.items[0]), findings.items[0].way_out)
    if len(book.sheets) != 1:
        raise BadValue(f"{file.name} has {len(book.sheets)} sheets.", "Save the one that is meant by itself.")
    return next(iter(book.sheets.values())).text
