"""Expected values taken from a run: empty cells are filled in, and the text of the table stays as it is otherwise."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence

from upright_block.cases.cells import parse_check
from upright_block.cases.plan import BoundCase
from upright_block.edits.words import recording as words
from upright_block.language.literals import LiteralProblem, Value, shown, shown_duration
from upright_block.language.nodes import record
from upright_block.language.source import Cell, Sheet, Source
from upright_block.language.telling.findings import Finding, Words
from upright_block.language.types import Type
from upright_block.library.table import ROLES, Table, aligned
from upright_block.runs.runner import values_after

_TOKEN = re.compile(r"""'(?:[^'$\n]|\$.)*'|"(?:[^"$\n]|\$.)*"|\||[^\s|]+""")


@record
class Recorded:
    """``texts`` are the new texts of the sources that change, ``cells`` how many cells were filled in.

    ``left`` are findings on cells that no value was put into, each with its reason.
    """

    texts: Mapping[Source, str]
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
    by_source: dict[str, list[_Filled]] = {}  # two cases may have one file, each as a source of its own
    for found in filled.values():
        if len(found.texts) > 1:
            values = " and ".join(sorted(found.texts)[:3])
            left.append(_told(found, words.several(values)))
        elif isinstance(found.table.source, Sheet):
            left.append(_told(found, words.in_workbook()))
        else:
            by_source.setdefault(found.table.source.path, []).append(found)
    texts = {found[0].table.source: _written(found[0].table.source, found) for found in by_source.values()}
    return Recorded(texts, sum(map(len, by_source.values())), tuple(left))


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


def _written(source: Source, filled: Sequence[_Filled]) -> str:
    """The text of a source with cells filled in; the columns of a table in a case file stand in line again."""
    is_file = source.path.lower().endswith(".csv")
    parts: list[str] = []
    first: dict[int, int] = {}  # where each table has its first new cell, in the new text
    done = length = 0
    for found in sorted(filled, key=lambda found: found.cell.start):
        (value,) = found.texts
        before = source.text[done : found.cell.start]
        first.setdefault(id(found.table.split), length + len(before))
        made = _quoted(value) if is_file else _escaped(value, source.text, found.cell.start)
        parts += [before, made]
        length += len(before) + len(made)
        done = found.cell.end
    text = "".join([*parts, source.text[done:]])
    table = len(text)
    for start in () if is_file else sorted(first.values(), reverse=True):
        if start < table:  # else it is in the table that was seen last
            text, table = _in_line(text, start)
    return text


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


def _in_line(text: str, inside: int) -> tuple[str, int]:
    """A text with the columns of the table around an offset in line, and where that table begins."""
    begin = max(text.rfind(quotes, 0, inside) for quotes in ('"""', "'''")) + 3
    begin = text.index("\n", begin) + 1
    end = min(found for quotes in ('"""', "'''") if (found := text.find(quotes, inside)) >= 0)
    lines = text[begin:end].split("\n")
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
    return text[:begin] + "\n".join(lines) + text[end:], begin


def _tokens(line: str) -> list[str]:
    """The cells and rulers of a line; a word that says a role goes with the name after it."""
    found: list[str] = []
    for token in _TOKEN.findall(line):
        if found and found[-1].lower() in ROLES and token != "|":
            found[-1] = f"{found[-1]} {token}"
        else:
            found.append(token)
    return found
