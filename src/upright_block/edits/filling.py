"""Cells of a column that are filled in a table, which gets the column where it lacks it."""

from __future__ import annotations

from collections.abc import Mapping

from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.library.sheets import csv_lines
from upright_block.library.table import delimiter, whole_table


def filled(source: Source, column: str, texts: Mapping[int, str]) -> list[Edit]:
    """What fills a column of a CSV table; ``texts`` are by the place of the cell ``tag`` of a row.

    A column that is not there comes behind the last.

    Raises:
        BadValue: a row does not fit the columns.
    """
    table = whole_table(source)
    heads = [head.text.lower() for head in table.heads]
    separator = delimiter(table)
    named = heads.index("tag")
    there = heads.index(column) if column in heads else -1

    def cell(text: str) -> str:
        return csv_lines([[text]], separator, "") if text else ""

    edits: list[Edit] = []
    if there < 0:
        edits.append(Edit(source, table.heads[-1].end, table.heads[-1].end, separator + column))
    for start in table.starts:
        cells = table.split(start)
        text = texts.get(cells[named].start, "")
        if there < 0:
            end = cells[len(heads) - 1].end
            edits.append(Edit(source, end, end, separator + cell(text)))
        elif text:
            edits.append(Edit(source, cells[there].start, cells[there].end, cell(text)))
    return edits
