"""Tasks and the programs in them. IEC 61131-3:2013, 6.8."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.types import TypeChecker
from upright_block.language.findings import Finding, Findings
from upright_block.language.types import TIME


def check_configuration(at: syntax.Configuration, checker: TypeChecker) -> None:
    """Tasks have a time or a trigger; programs name what there is (6.8)."""
    tasks = {task.name.upper() for task in at.tasks}
    for task in at.tasks:
        if task.interval is None and task.single is None:
            checker.report("missing-interval", task, f"The task {task.name} never runs: it has neither INTERVAL nor SINGLE.",
                           "Write INTERVAL := T#10ms.")  # fmt: skip
        elif task.interval is not None:
            with suppress(Problem):
                if int(checker.constant(task.interval, TIME, "INTERVAL")) <= 0:
                    checker.report("out-of-range", task.interval, "An interval is longer than nothing.", "Write one such as T#10ms.")  # fmt: skip
    for program in at.programs:
        if program.task is None:
            checker.report("no-task", program, f"The program {program.name} is in no task.",
                           f"Write PROGRAM {program.name} WITH {at.tasks[0].name if at.tasks else 'task'} : {program.type.name};",
                           severity="warning")  # fmt: skip
        elif program.task.name.upper() not in tasks:
            checker.unknown(program.task.name, program.task, f"There is no task {program.task.name}.",
                            [task.name for task in at.tasks], "Declare it: TASK name (INTERVAL := T#10ms);")  # fmt: skip
        unit = checker.find_unit(program.type.name.upper())
        if unit is None or unit.kind != "PROGRAM":
            known = [u.name for u in checker.scope.units.values() if u.kind == "PROGRAM"]
            what = (
                f"There is no program {program.type.name}."
                if unit is None
                else f"{unit.name} is a {unit.kind} and no program."
            )
            checker.unknown(program.type.name, program.type, what, known, "Write PROGRAM ... END_PROGRAM.")


def find_idle(
    units: Iterable[typed.Unit], configurations: Iterable[syntax.Configuration], findings: Findings
) -> None:
    """Report programs that no configuration runs."""
    configurations = list(configurations)
    run = {program.type.name.upper().rpartition(".")[2] for at in configurations for program in at.programs}
    found = next(((at, task) for at in configurations for task in at.tasks), None)
    for unit in units:
        if unit.kind == "PROGRAM" and unit.name.upper() not in run:
            findings.add(
                Finding(
                    "no-task",
                    unit.source,
                    unit.syntax.start,
                    unit.syntax.end,
                    f"The program {unit.name} is in no task, so it never runs.",
                    _task_for(unit, found),
                    "warning",
                )
            )


def _task_for(unit: typed.Unit, found: tuple[syntax.Configuration, syntax.Task] | None) -> str:
    """What to write so that a program runs: in a task that there is, or with one of its own."""
    instance = f"{unit.name.lower()}_1"
    if found is not None:
        configuration, task = found
        return (
            f"Write PROGRAM {instance} WITH {task.name} : {unit.name}; in CONFIGURATION {configuration.name}."
        )
    return (
        f"Write, in a file of its own: CONFIGURATION Plant TASK main (INTERVAL := T#100ms, PRIORITY := 1); "
        f"PROGRAM {instance} WITH main : {unit.name}; END_CONFIGURATION"
    )
