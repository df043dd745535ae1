"""Tag tables from and for other programs: their columns, and text pasted from a spreadsheet."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from upright_block.errors import BadValue
from upright_block.language.field.tags import COLUMNS
from upright_block.language.source import Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Findings
from upright_block.library import words
from upright_block.library.table import delimiter_of, table_of


def columns_of(sources: Iterable[Source], has_others: bool) -> list[str]:
    """The columns of some tag tables as they stand there, empty ones too; ``has_others`` says that tags of no table
    come with them.

    Raises:
        BadValue: a row of a table does not fit its columns.
    """
    used: dict[str, None] = {}
    for source in sources:
        table = table_of(source, skips_blank=True)
        if table.flaws:
            said, where = table.flaws[0].words, source.shown_line(table.flaws[0].start)
            raise BadValue(f"{where}: {said.message}", said.way_out)
        used |= dict.fromkeys(_key(head.text) for head in table.heads)
    if has_others or not used:
        used |= dict.fromkeys(("tag", "point", "type"))
    return list(used)


def _key(head: str) -> str:
    return head.lower() if head.lower() in COLUMNS else head


def appended(source: Source, rows: Sequence[Mapping[str, str]]) -> Edit:
    """A tag table with more rows, in its own columns and with its own separators and ends of lines; an empty one gets
    the columns that they need.

    Raises:
        BadValue: it lacks a column that they need.
    """
    from upright_block.library.sheets import Rows, csv_lines

    before = source.text
    if not before.strip():
        return Edit(source, 0, len(before), Rows("tags", ("tag", "point", "type"), rows).csv())
    table = table_of(source, skips_blank=True)
    heads = [_key(head.text) for head in table.heads]
    missing = next((column for row in rows for column in row if column not in heads), None)
    if missing is not None:
        raise BadValue(*words.missing_column(missing))
    end = "\r\n" if "\r\n" in before else "\n"
    first = before.lstrip().split("\n", 1)[0]
    lines = csv_lines([[row.get(head, "") for head in heads] for row in rows], delimiter_of(first), end)
    return Edit(source, len(before), len(before), ("" if before.endswith("\n") else end) + lines)


def pasted_rows(text: str) -> tuple[list[str], list[dict[str, str]]]:
    """The columns and rows of a text: CSV with commas or semicolons, or cells with tabs between as a spreadsheet copies
    them.

    Raises:
        ValueError: there is no column ``tag``, or a row has more cells than there are columns.
    """
    lines = text.lstrip("\ufeff").strip("\r\n")
    first = lines.split("\n", 1)[0]
    delimiter = max("\t;,", key=first.count)
    try:
        read = [row for row in csv.reader(io.StringIO(lines), delimiter=delimiter) if any(map(str.strip, row))]
    except csv.Error as problem:
        raise ValueError(str(problem)) from None
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
        read = [pasted_rows(each) for each in ([text] if file is None else _texts_of(file))]
    except BadValue:
        raise
    except (OSError, ValueError) as problem:
        reason = problem.strerror if isinstance(problem, OSError) else str(problem)
        raise BadValue(*words.no_tag_table(reason)) from None
    columns = list(dict.fromkeys(column for own, _ in read for column in own))
    return Rows("tags", columns, [row for _, rows in read for row in rows]).csv()


def _texts_of(file: Path) -> list[str]:
    """The text of a CSV file, or those of the sheets of a workbook."""
    if file.suffix.lower() != ".xlsx":
        return [file.read_bytes().decode("utf-8-sig")]
    from upright_block.library.workbook import NoWorkbook, read_book

    findings = Findings()
    try:
        book = read_book(file.name, file.read_bytes(), names=True, findings=findings)
    except NoWorkbook as problem:
        raise BadValue(str(problem), problem.way_out) from None
    wrong = next((finding for finding in findings.items if stops(finding.name)), None)
    if wrong is not None:
        raise BadValue(str(wrong), wrong.way_out)
    return [sheet.text for sheet in book.sheets.values()]
