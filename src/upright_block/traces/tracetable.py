"""Traces that are tables: CSV with a column ``at``, and one for each signal."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from io import StringIO
from itertools import chain, compress
from math import inf
from operator import ne
from typing import cast

from upright_block.cases.cells import parse_span, parse_value
from upright_block.errors import BadValue
from upright_block.language.literals import LiteralProblem, Value, round_real
from upright_block.language.nodes import record
from upright_block.language.types import BOOL, LINT, LREAL, LTIME, Elementary, Type
from upright_block.traces import words
from upright_block.traces.tracks import Track

_NO_NUMBERS = ("nan", "inf", "-inf")
_PLAIN_TEXT = re.compile(r"[-0-9A-Za-z.,:\n]*")
_ODD_NUMBERS = (",.", "\n.", "-.", ".,", ".\n")
"""Signs of numbers that Python reads and the language does not."""
_TRUTHS: dict[str, Value] = {"0": False, "1": True, "FALSE": False, "TRUE": True}
_LONGEST = 3.4e38
"""What is less fits a REAL, whatever is rounded."""


def read_table(text: str, known: Mapping[str, tuple[str, Type]], name: str) -> list[Track]:
    """The tracks of a table; ``known`` has paths and types by paths in upper case.

    Raises:
        BadValue: it is no table, its times do not go forward, or a value does not fit its signal.
    """
    try:
        rows = _rows(text)
        heads = next(rows, [])
        if heads[:1] != ["at"]:
            raise BadValue(*words.no_first_column(name))
        keys = [head.upper() for head in heads]
        first = {key: number for number, key in reversed(list(enumerate(keys)))}
        twice = next((heads[number] for number, key in enumerate(keys) if first[key] != number), None)
        if twice is not None:
            raise BadValue(*words.column_twice(name, twice))
        moments, columns = _changes(rows, len(heads), name)
    except csv.Error as problem:
        raise BadValue(*words.no_csv(name, problem)) from None
    is_plain = not any(odd in text for odd in _ODD_NUMBERS) and bool(_PLAIN_TEXT.fullmatch(text, text.find("\n") + 1))
    return [
        _track(head, column, moments, known, name, is_plain) for head, column in zip(heads[1:], columns, strict=True)
    ]


def _rows(text: str) -> Iterator[list[str]]:
    """The rows of a table; what has no quotes is cut at its commas."""
    if '"' in text or "\r" in text:
        yield from csv.reader(StringIO(text, newline=""))
    else:
        yield from (line.split(",") for line in text.removesuffix("\n").split("\n"))


@record
class _Column:
    """The cells of a column that say something else than the one above them, and the rows that they are in, from 0."""

    rows: list[int]
    cells: list[str]


def _drop(_: object) -> None:
    """The column of the time keeps nothing."""


def _changes(rows: Iterator[list[str]], count: int, name: str) -> tuple[list[int], list[_Column]]:
    """The times of the rows, and what changes in each column: row by row, since a table is long and not wide."""
    moments: list[int] = []
    columns = [_Column([], []) for _ in range(count - 1)]
    keep_row = [_drop, *(column.rows.append for column in columns)]
    keep_cell = [_drop, *(column.cells.append for column in columns)]
    before = [""] * count
    numbers = range(count)
    for row_number, row in enumerate(rows):
        cells = row if len(row) == count else [*row, *[""] * count][:count]
        try:
            moment = parse_span(cells[0])
        except LiteralProblem as problem:
            raise BadValue(f"{name}:{row_number + 2}, at: {problem}", problem.way_out) from None
        if moments and moment <= moments[-1]:
            raise BadValue(*words.not_later(name, row_number + 2, cells[0]))
        moments.append(moment)
        for number in compress(numbers, map(ne, cells, before)):
            cell = cells[number]
            if cell != "" and cell != ".":
                keep_row[number](row_number)
                keep_cell[number](cell)
        before = cells
    return moments, columns


def _track(
    head: str, column: _Column, moments: Sequence[int], known: Mapping[str, tuple[str, Type]], name: str, is_plain: bool
) -> Track:
    """The signal of a column."""
    path, type_ = known.get(head.upper()) or (head, None)
    found: list[Value] | None
    if head.upper() in known:
        found = _plain(column.cells, type_, is_plain)
    else:
        type_, found = looks_like(column.cells, is_plain)
    if found is None:
        found = []
        for row, cell in zip(column.rows, column.cells, strict=True):
            try:
                found.append(read_cell(cell, type_))
            except LiteralProblem as problem:
                raise BadValue(f"{name}:{row + 2}, {head}: {problem}", problem.way_out) from None
    compared: Sequence[object] = found
    if 0.0 in found or any(map(ne, found, found)):  # zeros of two kinds, and what is no number
        compared = [repr(value) for value in found]
    kept = list(compress(range(len(found)), map(ne, compared, chain((None,), compared))))
    return Track(path, type_, [moments[column.rows[n]] for n in kept], [found[n] for n in kept])


def _plain(cells: Sequence[str], type_: Type | None, is_plain: bool) -> list[Value] | None:
    """The values of cells of a text that ``is_plain``, as those of a long trace are; None where they are none of the
    type, or each must be read with care.
    """
    if type_ is None:
        return list(cells)
    if type_ is BOOL:
        if cells and cells[0] not in _TRUTHS:
            return None
        found = [_TRUTHS.get(cell) for cell in cells]
        return None if None in found else cast("list[Value]", found)
    if not is_plain or not cells or not isinstance(type_, Elementary):
        return None
    with suppress(ValueError):  # a word, or a fraction where there is none
        if type_.family in ("signed", "unsigned"):
            numbers = list(map(int, cells))
            return list(numbers) if type_.low <= min(numbers) and max(numbers) <= type_.high else None
        if type_.family == "real":
            reals = list(map(float, cells))
            most = inf if any(map(ne, reals, reals)) else max(map(abs, reals))
            if type_.bits == 64:
                return list(reals) if most < inf else None
            return list(map(round_real, reals)) if most < _LONGEST else None
    return None


def read_cell(cell: str, type_: Type | None) -> Value:
    """The value of a cell; a word where no type is known. A REAL may be infinite, or no number."""
    if type_ is None:
        return cell
    is_real = isinstance(type_, Elementary) and type_.family == "real"
    return float(cell) if is_real and cell.lower() in _NO_NUMBERS else parse_value(cell, type_)


def looks_like(cells: Sequence[str], is_plain: bool) -> tuple[Type | None, list[Value] | None]:
    """The type that texts of values look like, None for words; and the values."""
    for type_ in (BOOL, LINT, LREAL, LTIME):
        found = _plain(cells, type_, is_plain)
        if found is not None:
            return type_, found
        if type_ is not BOOL:
            with suppress(LiteralProblem):
                return type_, [read_cell(cell, type_) for cell in cells]
    return None, list(cells)
