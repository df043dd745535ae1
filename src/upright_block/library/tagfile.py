"""Tag tables from and for other programs: their columns, and text pasted from a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping

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
