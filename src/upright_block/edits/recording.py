"""Expected values taken from a run: empty cells are filled in, and the text of the table stays as it is otherwise."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable, Sequence

from upright_block.cases.cells import parse_check
from upright_block.cases.plan import BoundCase
from upright_block.edits.words import recording as words
from upright_block.language.literals import LiteralProblem, Value, shown, shown_duration
from upright_block.language.nodes import record
from upright_block.language.source import Cell, Sheet, Source
from upright_block.language.telling.edits import Edit, laid
from upright_block.language.telling.findings import Finding, Words
from upright_block.language.types import Type
from upright_block.library.table import ROLES, Table, aligned
from upright_block.runs.runner import values_after

_QUOTES = ('"""', "'''")
_Span = tuple[str, int, int]
"""A file, and from where to where a table goes in it."""
_TOKEN = re.compile(r"""'(?:[^'$\n]|\$.)*'|"(?:[^"$\n]|\$.)*"|\||[^\s|]+""")


@record
class Recorded:
    """``edits`` fill in the cells, of which there are ``cells``.

    ``left`` are findings on cells that no value was put into, each with its reason.
    """

    edits: tuple[Edit, ...]
    cells: int
    left: tuple[Finding, ...]


@record
class _Filled:
    """A cell of a table and the texts that the runs have for it."""

    table: Table
    cell: Cell
    texts: set[str]


def recorded(cases: Iterable[BoundCase], over: bool = False) -> Recorded:
    """Run some cases and fill in what they expect and do not say; with ``over`` also where they expect something
    else.
    """
    filled: dict[tuple[str, int], _Filled] = {}
    left: list[Finding] = []
    for case in cases:
        _fill(case, over, filled, left)
    by_table: dict[_Span, list[_Filled]] = {}
    for found in filled.values():
        if len(found.texts) > 1:
            values = " and ".join(sorted(found.texts)[:3])
            left.append(_told(found, words.several(values)))
        elif isinstance(found.table.source, Sheet):
            left.append(_told(found, words.in_workbook()))
        else:
            by_table.setdefault(_span(found), []).append(found)
    edits = [edit for span, found in by_table.items() for edit in _edits(span, found)]
    return Recorded(tuple(edits), sum(map(len, by_table.values())), tuple(left))


def _fill(bound: BoundCase, over: bool, filled: dict[tuple[str, int], _Filled], left: list[Finding]) -> None:
    """The cells of one case that are to be filled in, with what its run has for them."""
    case = bound.case
    table = case.written.vectors
    if table is None or not case.columns:
        left.append(
            words.no_columns(case.name).told(case.file.source, case.written.place.start, case.written.place.end)
        )
        return
    scans = case.plan.row_scans
    reached, changes = values_after(bound, [column.path for column in case.columns], sorted(set(case.plan.row_scans)))
    if len(reached) < len(set(scans)):
        place = case.written.place
        at = shown_duration(case.plan.timebase.time(next(scan for scan in scans if scan not in reached)))
        left.append(words.stopped(case.name, at).told(case.file.source, place.start, place.end))
    for column in case.columns:
        checks = dict(zip(column.rows, column.checks, strict=True))
        signal = bound.signals[column.path]
        for row, scan in enumerate(scans):
            values = reached.get(scan)
            check = checks.get(row)
            if values is None or (check is not None and (not over or check.holds(values[column.path]))):
                continue
            text = _cell_text(values[column.path], signal.type)
            cell = table.cell(row, column.column)
            found = _Filled(table, cell, set())
            end = scans[row + 1] if row + 1 < len(scans) else case.plan.scans
            moved = bisect_right(changes[column.path], scan)
            if column.hold and changes[column.path][moved : moved + 1] and changes[column.path][moved] < end:
                at = shown_duration(case.plan.timebase.time(changes[column.path][moved]))
                left.append(_told(found, words.does_not_hold(column.path, at)))
            else:
                filled.setdefault((table.source.path, cell.start), found).texts.add(text)


def _cell_text(value: Value, type_: Type) -> str:
    """A value as a check that it passes."""
    for text in (shown(value, type_), repr(value)):
        try:
            if parse_check(text, type_).holds(value):
                return text
        except LiteralProblem:
            continue
    return shown(value, type_)


def _told(found: _Filled, said: Words) -> Finding:
    return said.told(found.table.source, found.cell.start, max(found.cell.end, found.cell.start + 1))


# --- the text ---


def _span(found: _Filled) -> _Span:
    """The table that a cell stands in, which several cases may share, each with a source of its own."""
    source = found.table.source
    if source.path.lower().endswith(".csv"):
        return source.path, 0, len(source.text)
    text, inside = source.text, found.cell.start
    begin = text.index("\n", max(text.rfind(quotes, 0, inside) for quotes in _QUOTES)) + 1
    return source.path, begin, min(end for quotes in _QUOTES if (end := text.find(quotes, inside)) >= 0)


def _edits(span: _Span, filled: Sequence[_Filled]) -> list[Edit]:
    """Cells of a table filled in; the columns of one in a case file stand in line again."""
    source, (path, begin, end) = filled[0].table.source, span
    cells = [(found.cell, text) for found in filled for text in found.texts]
    if path.lower().endswith(".csv"):
        return [Edit(source, cell.start, cell.end, _quoted(text)) for cell, text in cells]
    own = Source(path, source.text[begin:end])
    made = [
        Edit(own, cell.start - begin, cell.end - begin, _escaped(text, source.text, cell.start)) for cell, text in cells
    ]
    return [Edit(source, begin, end, _in_line(laid(made)[path].after))]


def _escaped(value: str, text: str, inside: int) -> str:
    """A value as it stands in the string of TOML around an offset; in one of double quotes a backslash escapes."""
    is_basic = text.rfind('"""', 0, inside) > text.rfind("'''", 0, inside)
    return escaped(value) if is_basic else value


def escaped(text: str) -> str:
    """A text as it stands between three double quotes in TOML."""
    made = text.replace("\\", "\\\\").replace('"""', '""\\"')
    return "".join(a if a in "\n\t" or a.isprintable() else f"\\U{ord(a):08X}" for a in made)


def _quoted(value: str) -> str:
    return '"' + value.replace('"', '""') + '"' if any(letter in value for letter in ',;"\t') else value


def _in_line(table: str) -> str:
    """A table with its columns in line."""
    lines = table.split("\n")
    rows = {
        number: _tokens(line)
        for number, line in enumerate(lines)
        if line.replace("|", " ").strip()[:1] not in ("", "#")
    }
    wanted = len(next(iter(rows.values())))
    even = {number: row for number, row in rows.items() if len(row) == wanted}
    for number, row in zip(even, aligned(list(even.values())), strict=True):
        indent = lines[number][: len(lines[number]) - len(lines[number].lstrip())]
        lines[number] = indent + row + "\r" * lines[number].endswith("\r")
    return "\n".join(lines)


def _tokens(line: str) -> list[str]:
    """The cells and rulers of a line; a word that says a role goes with the name after it."""
    found: list[str] = []
    for token in _TOKEN.findall(line):
        if found and found[-1].lower() in ROLES and token != "|":
            found[-1] = f"{found[-1]} {token}"
        else:
            found.append(token)
    return found
