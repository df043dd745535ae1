"""Tasks and the programs in them. IEC 61131-3:2013, 6.8."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress

from upright_block.language import syntax, typed
from upright_block.language.checking.places import edge_place
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.uses import note_accesses
from upright_block.language.checking.words import configurations as words
from upright_block.language.checking.words.program import declared_twice
from upright_block.language.copying import call, copiers
from upright_block.language.findings import Findings, first_declared
from upright_block.language.scope import Scope
from upright_block.language.types import BOOL, LINT, TIME, UINT

_LOWEST = 1 << 16


def check_configuration(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """Fill in ``unit``, the configuration: its programs, its tasks, and a body that runs what is due (6.8)."""
    _check_programs(node, unit, checker)
    _check_tasks(node, unit, checker)
    found = [task for task_at in node.tasks if (task := _task(task_at, node, unit, checker)) is not None]
    loose = [unit.variables[p.name.upper()] for p in node.programs if p.task is None and _is_in(p, unit)]
    unit.tasks = tuple(sorted(found, key=lambda task: task.priority))
    triggers = list(_triggers(unit, checker))
    runs = [_run(task, unit, checker.scope) for task in unit.tasks]
    rest = _with_points(loose, "loose", unit, checker.scope) if loose else ()
    body = (*triggers, *runs, *rest)
    note_accesses(unit, body, checker.scope.globals)
    if not unit.is_broken:
        unit.body = body


def make_configuration(name: str, programs: Sequence[typed.Unit], checker: TypeChecker) -> None:
    """Fill in the unit at hand as the configuration of a library that has none: all programs, one after the other."""
    unit = checker.unit
    for program in programs:
        if program.section("in_out"):
            checker.unit.is_broken = True  # told where the program is
            continue
        unit.variables[program.key] = typed.Variable(program.name, "private", program, False, None, "", 0, 0)
        unit.use(program, syntax.NO_PLACE, 0)
    body = _with_points(list(unit.variables.values()), name, unit, checker.scope)
    note_accesses(unit, body, checker.scope.globals)
    unit.body = body


def _check_programs(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """Declare the instances of programs; they name what there is."""
    tasks = {task.name.upper() for task in node.tasks}
    for program in node.programs:
        if program.task is None:
            checker.report(program, words.program_in_no_task(program, node.tasks[0].name if node.tasks else "task"))
        elif program.task.name.upper() not in tasks:
            checker.unknown(
                program.task.name,
                program.task,
                words.unknown_task(program.task.name),
                [task.name for task in node.tasks],
            )
        kind = checker.find_unit(program.type.name.upper())
        if kind is None or kind.kind != "PROGRAM":
            known = checker.unit_names("PROGRAM")
            refused = words.no_program(kind) if kind else words.unknown_program(program.type.name)
            checker.unknown(program.type.name, program.type, refused, known)
        elif kind.section("in_out"):
            pin = kind.section("in_out")[0]
            checker.report(program.type, words.pin_without_caller(kind, pin))
        elif program.name.upper() in unit.variables:
            first = unit.variables[program.name.upper()]
            related = first_declared(unit.source, first, first.name)
            checker.report(program, declared_twice(program.name, unit), related)
        else:
            unit.variables[program.name.upper()] = typed.Variable(
                program.name, "private", kind, False, None, "", program.start, program.end
            )
            unit.use(kind, program.type, 0)


def _check_tasks(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """Two tasks of a configuration have two names."""
    seen: dict[str, syntax.Task] = {}
    for task in node.tasks:
        first = seen.setdefault(task.name.upper(), task)
        if first is not task:
            related = first_declared(unit.source, first, first.name)
            checker.report(task, words.task_twice(unit, task.name), related)


def _is_in(program: syntax.ProgramInstance, unit: typed.Unit) -> bool:
    return program.name.upper() in unit.variables


def _task(task: syntax.Task, node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> typed.Task | None:
    """A task; None, with a finding, when it never runs."""
    interval: int | None = None
    single: typed.Expression | None = None
    priority = _LOWEST
    if task.priority is not None:
        with suppress(Problem):
            priority = int(checker.constant(task.priority, UINT, "PRIORITY"))
    with suppress(Problem):
        if task.interval is not None:
            interval = int(checker.constant(task.interval, TIME, "INTERVAL"))
            if interval <= 0:
                checker.report(task.interval, words.interval_of_nothing())
                interval = None
        elif task.single is not None:
            single = checker.condition(task.single, "SINGLE")
        else:
            checker.report(task, words.missing_interval(task.name))
    programs = tuple(
        unit.variables[p.name.upper()]
        for p in node.programs
        if p.task is not None and p.task.name.upper() == task.name.upper() and _is_in(p, unit)
    )
    if interval is None and single is None:
        return None
    return typed.Task(task.name, interval, single, priority, programs)


def _triggers(unit: typed.Unit, checker: TypeChecker) -> Iterator[typed.Statement]:
    """The edge detectors of the tasks that wait for a rise, called before any task runs."""
    for task in unit.tasks:
        if task.single is not None:
            block = checker.find_unit("R_TRIG")
            assert block is not None
            key = f"{task.name}:trigger".upper()
            detector = typed.Variable(key, "private", block, False, None, "", 0, 0)
            unit.variables[key] = detector
            unit.use(block, syntax.NO_PLACE, 0)
            inputs = ((block.variables["CLK"], task.single),)
            yield typed.CallInstance(syntax.NO_PLACE, typed.whole(detector), block, inputs, (), ())


def _run(task: typed.Task, unit: typed.Unit, scope: Scope) -> typed.Statement:
    """The programs of a task, where it is due."""
    body = _with_points(task.programs, task.name, unit, scope)
    return typed.If(syntax.NO_PLACE, (typed.Branch(syntax.NO_PLACE, _due(task, unit), body),), ())


def _with_points(
    programs: Sequence[typed.Variable], name: str, unit: typed.Unit, scope: Scope
) -> tuple[typed.Statement, ...]:
    """Programs one after the other; before the first the inputs that they read are taken, after the last the outputs given."""
    kinds = [program.type for program in programs if isinstance(program.type, typed.Unit)]
    ways: list[list[typed.Statement]] = []
    for way in ("in", "out"):
        made = copiers(kinds, way, f"{unit.name}:{name}:{way}", scope.points, scope.tags.values())
        for copier in made:
            unit.use(copier, syntax.NO_PLACE, 1)
        ways.append([call(copier) for copier in made])
    return (*ways[0], *map(_call, programs), *ways[1])


def _due(task: typed.Task, unit: typed.Unit) -> typed.Expression:
    if task.interval is None:
        detector = unit.variables[f"{task.name}:trigger".upper()]
        return typed.Load(BOOL, edge_place(detector, syntax.NO_PLACE))
    if task.interval == unit.interval:
        return typed.Constant(BOOL, True)
    now = typed.Convert(LINT, typed.CallStandard(TIME, "SCAN_START", (), 0), 0)
    since = typed.Binary(LINT, "MOD", now, typed.Constant(LINT, task.interval), 0)
    return typed.Binary(BOOL, "=", since, typed.Constant(LINT, 0), 0)


def _call(program: typed.Variable) -> typed.Statement:
    kind = program.type
    assert isinstance(kind, typed.Unit)
    return typed.CallInstance(syntax.NO_PLACE, typed.whole(program), kind, (), (), ())


def find_idle(units: Iterable[typed.Unit], configurations: Iterable[syntax.Configuration], findings: Findings) -> None:
    """Report programs that no configuration runs; where there is none, all run."""
    configurations = list(configurations)
    if not configurations:
        return
    run = {program.type.name.upper().rpartition(".")[2] for written in configurations for program in written.programs}
    found = next(((written, task) for written in configurations for task in written.tasks), None)
    for unit in units:
        if unit.kind == "PROGRAM" and unit.name.upper() not in run:
            findings.add(words.program_never_runs(unit, found).told(unit.source, unit.syntax.start, unit.syntax.end))
