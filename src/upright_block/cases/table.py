"""Tables of cells with their places, from inline text or CSV."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

from upright_block.language.nodes import node
from upright_block.language.source import Source

_CELL = re.compile(r"""'(?:[^'$\n]|\$.)*'|"(?:[^"$\n]|\$.)*"|[^\s|]+""")
_PREFIXES = frozenset({"set", "force"})


@node
class Cell:
    """The text of a cell and its offsets in the source of the table. An empty text says nothing."""

    text: str
    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Table:
    """Column heads, and rows that each have as many cells as there are heads, or else stand in ``uneven``."""

    source: Source
    heads: tuple[Cell, ...]
    rows: tuple[tuple[Cell, ...], ...]
    uneven: tuple[tuple[Cell, ...], ...]


def inline_table(source: Source, text: str, offset: int) -> Table:
    """A table in the text of a case file, which begins at ``offset`` of ``source``.

    White space separates cells, ``|`` is a ruler, ``.`` is an empty cell; a line that begins with
    ``#`` is a comment. ``set`` and ``force`` belong to the name that follows them.
    """
    lines: list[tuple[Cell, ...]] = []
    at = offset
    for line in text.split("\n"):
        if not line.lstrip().startswith("#"):
            cells = [Cell(m[0], at + m.start(), at + m.end()) for m in _CELL.finditer(line)]
            if cells:
                lines.append(tuple(cells))
        at += len(line) + 1
    if not lines:
        return Table(source, (), (), ())
    heads: list[Cell] = []
    for cell in lines[0]:
        if heads and heads[-1].text.lower() in _PREFIXES:
            first = heads.pop()
            cell = Cell(f"{first.text.lower()} {cell.text}", first.start, cell.end)
        heads.append(cell)
    body = [tuple(Cell("", c.start, c.end) if c.text == "." else c for c in line) for line in lines[1:]]
    return _table(source, tuple(heads), body)


def csv_table(source: Source) -> Table:
    """A table from CSV text (RFC 4180) with commas, semicolons or tabs; blank lines are passed over."""
    first = source.text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(source.text, newline=""), delimiter=delimiter)
    lines: list[tuple[Cell, ...]] = []
    line = 1
    for texts in reader:
        cells = _csv_cells(source, line, texts, delimiter)
        line = reader.line_num + 1
        if any(cell.text for cell in cells):
            lines.append(cells)
    if not lines:
        return Table(source, (), (), ())
    heads = list(lines[0])
    while heads and not heads[-1].text:
        heads.pop()
    heads = [Cell(" ".join(h.text.split()), h.start, h.end) for h in heads]
    body: list[tuple[Cell, ...]] = []
    for cells in lines[1:]:
        while len(cells) > len(heads) and not cells[-1].text:
            cells = cells[:-1]
        if len(cells) < len(heads):
            end = cells[-1].end if cells else 0
            cells = (*cells, *(Cell("", end, end) for _ in range(len(heads) - len(cells))))
        body.append(cells)
    return _table(source, tuple(heads), body)


def _csv_cells(source: Source, line: int, texts: list[str], delimiter: str) -> tuple[Cell, ...]:
    start = source.line_start(line)
    written = source.line_text(line)
    if '"' in written:
        return tuple(Cell(text.strip(), start, start + len(written)) for text in texts)
    cells: list[Cell] = []
    for text in texts:
        lead = len(text) - len(text.lstrip())
        stripped = text.strip()
        cells.append(Cell("" if stripped == "." else stripped, start + lead, start + lead + len(stripped)))
        start += len(text) + len(delimiter)
    return tuple(cells)


def _table(source: Source, heads: tuple[Cell, ...], body: list[tuple[Cell, ...]]) -> Table:
    even = tuple(row for row in body if len(row) == len(heads))
    uneven = tuple(row for row in body if len(row) != len(heads))
    return Table(source, heads, even, uneven)
