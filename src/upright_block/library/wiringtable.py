"""Wiring tables on disk: the rows of CSV files, with the place of each cell."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import PurePosixPath

from upright_block.language import syntax
from upright_block.language.checking.siblings import check_siblings
from upright_block.language.forms import IsFunction
from upright_block.language.parsing.wiring import OWN_COLUMNS, WiringTable, wire
from upright_block.language.source import Cell, Sheet, Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.library.table import table_of


def read_wiring(source: Source, findings: Findings, is_function: IsFunction) -> syntax.File:
    """A wiring table as the program that it is."""
    table = wiring_table(source, findings)
    if table is None:
        return syntax.File(())
    found = wire(table, is_function, findings)
    check_siblings(table, findings)
    return found


def wiring_table(source: Source, findings: Findings) -> WiringTable | None:
    """The rows of a wiring table; None where it has no instances."""
    table = table_of(source, skips_blank=True)
    for flaw in table.flaws:
        findings.add(flaw.words.told(source, flaw.start, flaw.end))
    columns = [head.text.lower() for head in table.heads]
    for number, head in enumerate(table.heads):
        if not head.text or head.text.lower() in columns[:number]:
            said = _no_name() if not head.text else _column_twice(head.text)
            findings.add(said.told(source, head.start, max(head.end, head.start + 1)))
    missing = next((column for column in ("instance", "block") if column not in columns), None)
    if missing is not None:
        end = max(source.text.find("\n"), 1)
        findings.add(_missing_column(missing, bool(columns)).told(source, 0, end))
        return None
    heads = {column: head for column, head in zip(columns, table.heads, strict=True) if column not in OWN_COLUMNS}
    rows: list[Mapping[str, Cell]] = []
    for start in table.starts:
        row = {column: cell for column, cell in zip(columns, table.split(start), strict=False) if cell.text}
        if row:
            rows.append(row)
    name = source.sheet if isinstance(source, Sheet) and not source.is_only else PurePosixPath(source.path).stem
    return WiringTable(name, source, heads, tuple(rows))


def _no_name() -> Words:
    return Words("missing-name", "A column has no name.", "Write the name of a pin above it, or remove it.")


def _column_twice(text: str) -> Words:
    return Words("column-twice", f"Two columns are called {text}.", "Remove one of the two.")


def _missing_column(name: str, has_columns: bool) -> Words:
    if not has_columns:
        return Words(
            "empty-table", "The table is empty.", "Write a line of column names, then a line for each instance."
        )
    return Words(
        "missing-column",
        f"The table has no column {name}.",
        "A wiring table has the columns instance and block, and one for each pin.",
    )
