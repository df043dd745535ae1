"""Tasks and the programs in them. IEC 61131-3:2013, 6.8."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress

from upright_block.language import syntax, typed
from upright_block.language.checking.members import followed
from upright_block.language.checking.objects import retain_of
from upright_block.language.checking.places import edge_place
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.tags import check_type
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.uses import note_accesses
from upright_block.language.checking.words import configurations as words
from upright_block.language.checking.words.program import declared_twice
from upright_block.language.checking.words.tags import point_too_far
from upright_block.language.configured import configured
from upright_block.language.field.addresses import NoAddress, parse_address
from upright_block.language.field.copying import Way, call, copiers, located
from upright_block.language.field.tags import Tag
from upright_block.language.nodes import replaced
from upright_block.language.paths import without_head
from upright_block.language.telling.findings import Findings, first_declared
from upright_block.language.timebase import Timebase, merged
from upright_block.language.types import BOOL, LINT, TIME, UINT

_LOWEST = 1 << 16


def check_configuration(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """Fill in ``unit``, the configuration: its tasks, and a body that runs what is due (6.8)."""
    _settle_instances(node, unit, checker)
    _check_tasks(node, unit, checker)
    found = [task for task_at in node.tasks if (task := _task(task_at, node, unit, checker)) is not None]
    loose = [unit.variables[p.name.upper()] for p in node.programs if p.task is None and _is_in(p, unit)]
    unit.tasks = tuple(sorted(found, key=lambda task: task.priority))
    unit.timebase = _timebase(node, unit, checker)
    triggers = list(_triggers(unit, checker))
    runs = [_run(task, unit, checker) for task in unit.tasks]
    rest = _with_points(loose, "loose", unit, checker) if loose else ()
    body = (*_copies(triggers, "in", "triggers", unit, checker), *triggers, *runs, *rest)
    note_accesses(unit, body, checker.scope.globals)
    if not unit.is_broken:
        unit.body = body


def make_programs(programs: Sequence[typed.Unit], checker: TypeChecker) -> None:
    """Declare an instance of each program in the unit at hand, the configuration of a library that has none."""
    unit = checker.unit
    for program in programs:
        if program.section("in_out"):
            checker.unit.is_broken = True  # told where the program is
            continue
        unit.variables[program.key] = typed.Variable(program.name, "private", program)
        unit.use(program, syntax.NO_PLACE, 0)


def make_configuration(checker: TypeChecker) -> None:
    """Give the unit at hand, the configuration of a library that has none, its body: one program after the other."""
    unit = checker.unit
    body = _with_points(list(unit.variables.values()), unit.name, unit, checker)
    note_accesses(unit, body, checker.scope.globals)
    unit.body = body


def declare_programs(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
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
                program.name, "private", kind, start=program.start, end=program.end, retain=retain_of((program.retain,))
            )
            unit.use(kind, program.type, 0)
    configured(unit).resources = {name.upper() for name in node.resources} - unit.variables.keys()


def _check_tasks(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """Two tasks of a configuration have two names, and each has a program."""
    seen: dict[str, syntax.Task] = {}
    for task in node.tasks:
        first = seen.setdefault(task.name.upper(), task)
        if first is not task:
            related = first_declared(unit.source, first, first.name)
            checker.report(task, words.task_twice(unit, task.name), related)
    named = {program.task.name.upper() for program in node.programs if program.task is not None}
    if node.is_whole and named <= seen.keys():
        for key in [key for key in seen if key not in named]:
            checker.report(seen[key], words.idle_task(seen[key].name))


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
        if task.interval is not None and task.single is not None:
            checker.report(task, words.interval_and_single(task.name))
        elif task.interval is not None:
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
    return typed.Task(task.name, interval, single, priority, programs, task)


def _timebase(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> Timebase | None:
    """The moments at which a task is due; None where no interval tells."""
    intervals = [task.interval for task in unit.tasks if task.interval]
    if intervals:
        try:
            return merged(intervals)
        except ValueError:
            checker.report(node.tasks[0], words.too_many_moments(unit))
    elif unit.tasks:
        checker.report(node.tasks[0], words.no_interval(unit))
    return None


def _triggers(unit: typed.Unit, checker: TypeChecker) -> Iterator[typed.Statement]:
    """The edge detectors of the tasks that wait for a rise, called before any task runs."""
    for task in unit.tasks:
        if task.single is not None:
            block = checker.find_unit("R_TRIG")
            assert block is not None
            key = f"{task.name}:trigger".upper()
            detector = typed.Variable(key, "private", block)
            unit.variables[key] = detector
            unit.use(block, syntax.NO_PLACE, 0)
            inputs = ((block.variables["CLK"], task.single),)
            yield typed.CallInstance(syntax.NO_PLACE, typed.whole(detector), block, inputs, (), ())


def _run(task: typed.Task, unit: typed.Unit, checker: TypeChecker) -> typed.Statement:
    """The programs of a task, where it is due."""
    body = _with_points(task.programs, task.name, unit, checker)
    return typed.If(syntax.NO_PLACE, (typed.Branch(syntax.NO_PLACE, _due(task, unit), body),), ())


def _with_points(
    programs: Sequence[typed.Variable], name: str, unit: typed.Unit, checker: TypeChecker
) -> tuple[typed.Statement, ...]:
    """Programs one after the other; before the first the inputs that they read are taken, after the last the outputs
    given.
    """
    calls = [statement for program in programs for statement in _called(program, unit, checker)]
    settings = configured(unit).settings

    def own(way: Way) -> Iterator[typed.Statement]:
        for program in programs:
            yield from located(typed.whole(program), way, checker.scope.points, settings.get(program.key))

    taken, given = (_copies(calls, way, name, unit, checker) for way in _WAYS)
    return (*taken, *own("in"), *calls, *given, *own("out"))


_WAYS: tuple[Way, ...] = ("in", "out")


def _copies(
    statements: Sequence[typed.Statement], way: Way, name: str, unit: typed.Unit, checker: TypeChecker
) -> list[typed.Statement]:
    """What copies the points of the tags that some statements use."""
    made = copiers(statements, way, f"{unit.name}:{name}:{way}", checker.scope.points, checker.scope.tags.values())
    for copier in made:
        unit.use(copier, syntax.NO_PLACE, 1)
    return [call(copier) for copier in made]


def _called(program: typed.Variable, unit: typed.Unit, checker: TypeChecker) -> tuple[typed.Statement, ...]:
    """The call of a program with what is connected to its pins."""
    aliases = followed(program, checker)
    arguments = configured(unit).connections.get(program.key, ())
    if not arguments:
        return (*aliases, _call(program))
    name = syntax.Name(program.start, program.end, program.name)
    written = syntax.Call(program.start, program.end, name, arguments)
    return (*aliases, *checker.body((syntax.CallStatement(program.start, program.end, written),)))


def _settle_instances(node: syntax.Configuration, unit: typed.Unit, checker: TypeChecker) -> None:
    """What VAR_CONFIG gives to single instances, and what VAR_ACCESS calls variables."""
    configured(unit).connections = {p.name.upper(): p.arguments for p in node.programs if p.arguments}
    resources = configured(unit).resources
    seen: dict[tuple[str, ...], syntax.InstanceSetting] = {}
    for setting in node.settings:
        keys = tuple(name.name.upper() for name in setting.path)
        first = seen.setdefault(keys[1:] if keys[0] in resources else keys, setting)
        if first is not setting:
            related = first_declared(unit.source, first, ".".join(name.name for name in first.path))
            checker.report(setting, words.setting_twice(".".join(name.name for name in setting.path)), related)
            continue
        if not setting.address and setting.initial is None:
            checker.report(setting, words.setting_of_nothing(".".join(name.name for name in setting.path)))
        with suppress(Problem):
            _setting(setting, resources, unit, checker)
    for program in node.programs:
        kind = unit.variables[program.name.upper()].type if _is_in(program, unit) else None
        given = configured(unit).settings.get(program.name.upper(), {})
        for key, address in kind.located.items() if isinstance(kind, typed.Unit) else ():
            if address.is_open and key not in given:
                checker.report(program, words.still_open(program.name, key, str(address)))
    configured(unit).accesses = {
        entry.name.upper(): replaced(entry, path=without_head(entry.path, resources)) for entry in node.accesses
    }


def _setting(setting: syntax.InstanceSetting, resources: set[str], unit: typed.Unit, checker: TypeChecker) -> None:
    """An address or an initial value of one variable of one instance."""
    path = list(setting.path)
    if len(path) > 1 and path[0].name.upper() in resources:
        path.pop(0)
    holder: typed.Unit = unit
    found: list[typed.Variable] = []
    for name in path:
        variable = holder.variables.get(name.name.upper())
        if variable is None:
            known = [v.name for v in holder.variables.values() if not v.is_hidden]
            raise checker.unknown(name.name, name, words.no_variable(holder, name.name), known)
        found.append(variable)
        if name is not path[-1]:
            if not isinstance(variable.type, typed.Unit):
                raise checker.problem(name, words.no_instance(name.name, variable.type))
            holder = variable.type
    last = found[-1]
    type_ = checker.type_of(setting.type)
    if type_ is not last.type:
        raise checker.problem(setting.type, words.other_type(last.name, last.type))
    if setting.address:
        _place(setting, path, holder, last, unit, checker)
    if setting.initial is not None:
        value = checker.initial(setting.initial, type_, last.name, setting.type)
        target = found[0]
        initial = dict(target.initial) if isinstance(target.initial, dict) else {}
        target.initial = initial
        for step in found[1:-1]:
            inner = initial.get(step.key)
            initial[step.key] = made = dict(inner) if isinstance(inner, dict) else {}
            initial = made
        initial[last.key] = value


def _place(
    setting: syntax.InstanceSetting,
    path: Sequence[syntax.Name],
    holder: typed.Unit,
    last: typed.Variable,
    unit: typed.Unit,
    checker: TypeChecker,
) -> None:
    """The point of a variable of a program AT a place that its declaration leaves open."""
    try:
        address = parse_address(setting.address)
    except NoAddress as problem:
        raise checker.problem(setting, problem.words) from None
    declared = holder.located.get(last.key)
    if declared is None or not declared.is_open or len(path) != 2 or declared.area != address.area or address.is_open:
        raise checker.problem(setting, words.not_open(last.name, setting.address))
    point = checker.scope.points.point(address)
    if not checker.scope.points.has(point):
        raise checker.problem(setting, point_too_far(setting.address))
    tag = Tag(last.name, unit.source, setting.start, setting.end, point=point, address=setting.address.upper())
    check_type(tag, last.type, checker)
    checker.scope.points.reach(point)
    configured(unit).settings.setdefault(path[0].name.upper(), {})[last.key] = address


def _due(task: typed.Task, unit: typed.Unit) -> typed.Expression:
    if task.interval is None:
        detector = unit.variables[f"{task.name}:trigger".upper()]
        return typed.Load(BOOL, edge_place(detector, syntax.NO_PLACE))
    if unit.timebase == Timebase(task.interval):
        return typed.Constant(BOOL, value=True)
    now = typed.Convert(LINT, typed.CallStandard(TIME, "MOMENT", (), 0), 0)
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
