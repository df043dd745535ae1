"""Values over time as a table of text."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.language.literals import shown_duration
from upright_block.language.signals import Signal
from upright_block.reports.styled import Line, Role, Span


def grid_lines(
    plan: Plan,
    rows: Sequence[int],
    pins: Sequence[Signal | Slot],
    cells: Sequence[Sequence[tuple[str, Role]]],
    width: int,
    marked: int | None = None,
    shows_gaps: bool = True,
    names: Sequence[str] = (),
) -> list[Line]:
    """Rows of cells below the names of their pins, a row a scan; names that begin alike stand below what they share.

    ``marked`` is the scan that is pointed at; scans that are left out between two rows show as such where
    ``shows_gaps`` is true. ``names`` are what the pins are called, by default their paths.
    """
    groups, heads = grouped(names or [pin.path for pin in pins])
    widths = [max(len(h), *(len(line[i][0]) for line in cells)) for i, h in enumerate(heads)]
    times = [shown_duration(plan.timebase.time(row_scan)) for row_scan in rows]
    time_head = "time"
    if plan.power:
        times = [f"{time}  {plan.power_at(row_scan):<5}" for time, row_scan in zip(times, rows, strict=True)]
        time_head = "time  power"
    time_width = max(len(time_head), *map(len, times))
    scan_width = max(4, len(str(rows[-1])))
    marks = set(plan.row_scans)
    driven = sum(pin.is_driven for pin in pins)
    lines: list[Line] = []
    for part in _fold(widths, width - (4 + scan_width + 2 + time_width) - 6):
        gaps = {i: " │ " if i in (0, driven) or i == part[0] else "  " for i in part}
        if lines:
            lines.append([])
        lead = f"    {'scan':>{scan_width}}  {time_head:>{time_width}}"
        if any(groups[i] for i in part):
            lines.append(_group_line(" " * len(lead), part, groups, widths, gaps))
        head: Line = [(lead, "dim")]
        for i in part:
            head += [(gaps[i], "dim"), (f"{heads[i]:>{widths[i]}}", "strong")]
        lines.append(head)
        previous = rows[0] - 1 if rows[0] == 0 else rows[0]
        for line, row_scan in enumerate(rows):
            if shows_gaps and (row_scan - previous > 1 or (line == 0 and row_scan > 0)):
                lines.append([(f"    {'⋮':>{scan_width}}", "dim")])
            previous = row_scan
            mark: Span = ("  ▶ ", "bad") if row_scan == marked else ("    ", "")
            role: Role = "strong" if row_scan in marks else "dim"
            made: Line = [mark, (f"{row_scan:>{scan_width}}  {times[line]:>{time_width}}", role)]
            for i in part:
                text, role = cells[line][i]
                made += [(gaps[i], "dim"), (f"{text:>{widths[i]}}", role)]
            lines.append(made)
    return lines


def grouped(paths: Sequence[str]) -> tuple[list[str], list[str]]:
    """What neighbours among paths share up to a dot or a bracket, and what is left of each."""
    groups, heads = [""] * len(paths), list(paths)
    for shared, members in groupby(range(len(paths)), key=lambda i: owner_of(paths[i])):
        found = list(members)
        if shared and len(found) > 1:
            for i in found:
                groups[i], heads[i] = shared, paths[i][len(shared) :].removeprefix(".")
    return groups, heads


def owner_of(path: str) -> str:
    """The path of what a path leads into; a second name, with the path behind it in parentheses, stands alone."""
    return "" if " (" in path else path[: max(path.rfind("."), path.rfind("["), 0)]


def _group_line(lead: str, part: Sequence[int], groups: Sequence[str], widths: list[int], gaps: dict[int, str]) -> Line:
    """The line above the heads with the names of groups; a group that is too narrow for its name grows."""
    line: Line = [(lead, "")]
    for group, members in groupby(part, key=lambda i: groups[i]):
        found = list(members)
        room = sum(widths[i] + len(gaps[i]) for i in found) - len(gaps[found[0]])
        if len(group) > room:
            widths[found[-1]] += len(group) - room
            room = len(group)
        line += [(gaps[found[0]], "dim"), (f"{group:─^{room}}" if group else " " * room, "strong" if group else "")]
    return line


def _fold(widths: Sequence[int], width: int) -> list[list[int]]:
    """Columns in groups that each fit ``width`` characters."""
    parts: list[list[int]] = [[]]
    used = 0
    for index, own in enumerate(widths):
        if parts[-1] and used + own + 3 > width:
            parts.append([])
            used = 0
        parts[-1].append(index)
        used += own + 3
    return [part for part in parts if part]
