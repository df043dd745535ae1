"""Wiring tables put in the order of their values: each row behind those that it reads."""

from __future__ import annotations

from upright_block.language.parsing.wiring import WiringTable
from upright_block.language.telling.edits import Edit
from upright_block.language.telling.findings import Findings
from upright_block.language.typed import Unit
from upright_block.language.views.graphs import circles
from upright_block.language.views.wires import Root, boxes
from upright_block.library.table import spans, table_of
from upright_block.library.wiringtable import wiring_table


def reordered(unit: Unit) -> list[Edit]:
    """What puts each row of the table of a program behind those that it reads, as far as that goes.

    Where there is a column ``order`` its numbers change, else the rows move. Rows that have a choice stay as they are.
    """
    table = wiring_table(unit.source, Findings())
    if table is None:
        return []
    rows = _sequence(unit, table)
    if rows == sorted(rows, key=lambda row: _order(table, row)):
        return []
    return _renumbered(table, rows) if "order" in table.rows[0] else [_moved(table, rows)]


def _order(table: WiringTable, row: int) -> tuple[float, int]:
    cell = table.rows[row].get("order")
    return float(cell.text) if cell else 0, row


def _sequence(unit: Unit, table: WiringTable) -> list[int]:
    """The rows, as numbers from 0, each behind those that it reads."""
    starts = {row["instance"].start: number for number, row in enumerate(table.rows) if "instance" in row}
    found = boxes(unit)
    row_of: dict[Root, int] = {box.root: starts[box.origin.start] for box in found}
    needs: dict[int, dict[int, None]] = {}
    for box in found:
        row = row_of[box.root]
        reads = (row_of[read.root] for pin in box.inputs for read in pin.reads if read.is_made)
        needs.setdefault(row, {}).update((other, None) for other in reads if other != row)
    now = sorted(range(len(table.rows)), key=lambda row: _order(table, row))
    place = {row: number for number, row in enumerate(now)}
    return [row for group in circles(now, needs) for row in sorted(group, key=place.__getitem__)]


def _renumbered(table: WiringTable, rows: list[int]) -> list[Edit]:
    """Other numbers in the column ``order``: the ones that are there, or tens where some stand twice."""
    numbers = sorted((row["order"].text for row in table.rows), key=float)
    if len({float(number) for number in numbers}) < len(numbers):
        numbers = [str(10 * place) for place in range(1, len(numbers) + 1)]
    cells = [(table.rows[row]["order"], number) for row, number in zip(rows, numbers, strict=True)]
    return [Edit(table.source, cell.start, cell.end, number) for cell, number in cells if cell.text != number]


def _moved(table: WiringTable, rows: list[int]) -> Edit:
    """The lines in another order, each with the remarks above it."""
    text = table.source.text
    found = spans(table_of(table.source, skips_blank=True))
    lines = [text[start:end].rstrip("\n") for start, end in found]
    start, end = found[0][0], found[-1][1]
    return Edit(table.source, start, end, "".join(f"{lines[row]}\n" for row in rows))
