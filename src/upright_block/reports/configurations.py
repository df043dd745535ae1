"""A configuration as a list of its tasks and their programs, and where a program runs."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from upright_block.language.literals import shown_duration
from upright_block.language.printing import expression_text
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Task, Unit, Variable
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line, Role

_HEADS = ("task", "due", "priority", "program", "type")
_ROLES: tuple[Role, ...] = ("name", "", "", "name", "strong")
_SHOWN_MOMENTS = 6


def configuration_lines(unit: Unit, timebase: Timebase, width: int) -> list[Line]:
    """The programs of a configuration in the order in which they run; one that nobody wrote also as its text."""
    lines: list[Line] = []
    if unit.is_written:
        at = unit.source.shown_line(unit.syntax.start)
        lines += [[(unit.name, "strong"), (f"   configuration, {at}", "dim")], []]
        rows = [
            (
                task.name if task and is_first else "",
                _due(task) if is_first else "",
                str(task.priority) if task and is_first and task.written.priority else "",
                program.name,
                program.type.name,
            )
            for task, programs in _tasks(unit)
            for is_first, program in ((program is programs[0], program) for program in programs)
        ]
        lines += column_lines(_HEADS, rows, width, _ROLES)
        lines += [[], [(_moments(timebase), "dim")]]
        return lines
    lines += [
        [(unit.name, "strong"), ("   no configuration is written, so all programs run, one after the other", "dim")],
        [],
    ]
    return lines + [[(line, "")] for line in _text(unit, timebase)]


def configuration_data(unit: Unit, timebase: Timebase) -> dict[str, Any]:
    """The tasks and programs of a configuration as plain data for JSON; times are in ns."""
    return {
        "name": unit.name,
        "kind": unit.kind,
        "is_written": unit.is_written,
        "scan_ns": timebase.period if timebase.is_even else None,
        "tasks": [
            {
                "name": task.name if task else None,
                "interval_ns": task.interval if task else None,
                "single": expression_text(task.written.single) if task and task.written.single else None,
                "priority": task.priority if task and task.written.priority else None,
                "programs": [{"name": program.name, "type": program.type.name} for program in programs],
            }
            for task, programs in _tasks(unit)
        ],
    }


def run_lines(program: Unit, configurations: Iterable[Unit], width: int) -> list[Line]:
    """Where a program runs: its instances with their tasks."""
    rows = [
        (found.name, _due(task), task.name if task else "", configuration.name)
        for configuration in configurations
        for task, programs in _tasks(configuration)
        for found in programs
        if found.type is program
    ]
    return column_lines(("runs as", "due", "task", "configuration"), rows, width, ("name", "", "name", "strong"))


def _tasks(unit: Unit) -> Iterator[tuple[Task | None, tuple[Variable, ...]]]:
    """The tasks of a configuration with their programs, in the order in which they run; last what is in none."""
    inside = {program.key for task in unit.tasks for program in task.programs}
    for task in unit.tasks:
        yield task, task.programs
    loose = tuple(
        v for k, v in unit.variables.items() if k not in inside and isinstance(v.type, Unit) and not v.is_hidden
    )
    if loose:
        yield None, loose


def _due(task: Task | None) -> str:
    if task is None:
        return "at every moment"
    if task.interval is not None:
        return f"every {shown_duration(task.interval)}"
    assert task.written.single is not None
    return f"when {expression_text(task.written.single)} rises"


def _moments(timebase: Timebase) -> str:
    if timebase.is_even:
        return f"A scan is {shown_duration(timebase.period)}."
    first = ", ".join(shown_duration(timebase.time(scan)) for scan in range(_SHOWN_MOMENTS))
    count, period = len(timebase.starts), shown_duration(timebase.period)
    return f"Scans start at {first}, ...: {count:,} in each {period}."


def _text(unit: Unit, timebase: Timebase) -> Iterator[str]:
    """A configuration that does the same."""
    programs = [v for v in unit.variables.values() if not v.is_hidden]
    width = max((len(program.name) for program in programs), default=0)
    yield f"CONFIGURATION {unit.name}"
    yield f"    TASK every_scan (INTERVAL := T#{shown_duration(timebase.period)});"
    for program in programs:
        yield f"    PROGRAM {program.name:<{width}} WITH every_scan : {program.type.name};"
    yield "END_CONFIGURATION"
