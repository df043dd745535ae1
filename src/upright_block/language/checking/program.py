"""Types, globals and units: their names, interfaces and bodies, and who uses whom. IEC 61131-3:2013, 6.5, 6.6."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from typing import cast

from upright_block.language import syntax, typed
from upright_block.language.checking.objects import access_of, check_methods, cut_deep, inherit, number_units
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.sequences import check_sequence, declare_sequence, sequence_body
from upright_block.language.checking.types import MOST_ELEMENTS, TypeChecker, weight
from upright_block.language.findings import Finding, Findings, Related
from upright_block.language.parsing import parse
from upright_block.language.scope import NamedType, Scope
from upright_block.language.source import Source
from upright_block.language.types import BOOL, BROKEN, ELEMENTARY, TIME, Array, Type

_DEEPEST_USE = 100
_SECTIONS: dict[str, typed.Section] = {
    "VAR_INPUT": "input", "VAR_OUTPUT": "output", "VAR_IN_OUT": "in_out", "VAR": "private",
    "VAR_TEMP": "temp", "VAR_EXTERNAL": "external",
}  # fmt: skip


def check_program(sources: Iterable[Source], scope: Scope, findings: Findings) -> None:
    """Read and check all ``sources`` into ``scope``. Every mistake becomes a finding; nothing is raised.

    Units that a mistake reaches, in themselves or in a unit that they use, are marked as broken.
    """
    declared: list[typed.Unit] = []
    configurations: list[tuple[Source, syntax.Configuration]] = []
    shared: list[tuple[Source, syntax.VariableSection]] = []
    for source in sources:
        known = len(findings.items)
        file = parse(source, findings)
        broken = any(f.severity == "error" for f in findings.items[known:])
        for type_at in file.types:
            _declare_type(type_at, source, scope, findings)
        shared += [(source, section) for section in file.globals]
        configurations += [(source, at) for at in file.configurations]
        declared += [
            u for u in (declare(at, source, scope, findings, broken) for at in file.units) if u is not None
        ]
    for source, section in shared:
        if "CONSTANT" in section.qualifiers:
            _globals(source, section, scope, findings)
    _types(scope, findings)
    for source, section in shared:
        if "CONSTANT" not in section.qualifiers:
            _globals(source, section, scope, findings)
    for unit in declared:
        inherit(unit, _checker(unit, scope, findings))
    for unit in declared:
        cut_deep(unit, _checker(unit, scope, findings))
    number_units(declared)
    for unit in declared:
        _interface(unit, scope, findings)
    for unit in declared:
        check_methods(unit, lambda at: _checker(at, scope, findings))
    for unit in declared:
        for part in (unit, *unit.methods.values()):
            _check_body(part, scope, findings)
    for source, at in configurations:
        _check_configuration(
            at, _checker(typed.Unit("FUNCTION", at.name, source, _EMPTY, ""), scope, findings)
        )
    _find_idle(declared, [at for _, at in configurations], findings)
    _bind_overrides(declared)
    _find_recursion(scope, findings)
    _spread_broken(scope)


def _declare_type(at: syntax.TypeDeclaration, source: Source, scope: Scope, findings: Findings) -> None:
    """Enter the name of a type into the scope."""
    if _is_free(at, source, scope, findings):
        scope.types[at.home.full(at.name).upper()] = NamedType(at.name, source, at)


def _is_free(
    at: syntax.TypeDeclaration | syntax.Unit, source: Source, scope: Scope, findings: Findings
) -> bool:
    """Whether a name may be given to a type or a unit; if not, that is reported."""
    name = at.name.upper()
    key = at.home.full(name).upper()
    if (
        key in ELEMENTARY
        or key in ("STRING", "WSTRING", "REF", "ASSERT")
        or scope.standard.source(key)
        or scope.standard.function(key)
    ):
        findings.add(
            Finding(
                "name-taken",
                source,
                at.start,
                at.end,
                f"{at.name} is a name of the standard.",
                f"Give the {'unit' if isinstance(at, syntax.Unit) else 'type'} another name.",
            )
        )
        return False
    other = scope.units.get(key) or scope.types.get(key)
    if other is not None:
        first = Related(
            other.source, other.syntax.start, other.syntax.end, f"{other.name} is first declared here"
        )
        findings.add(
            Finding(
                "name-twice",
                source,
                at.start,
                at.end,
                f"{at.name} is declared twice.",
                "Give one of the two another name.",
                "error",
                (first,),
            )
        )
    return other is None


def _types(scope: Scope, findings: Findings) -> None:
    """Read every type of the library, whether a variable is of it or not."""
    for named in list(scope.types.values()):
        unit = typed.Unit("FUNCTION", named.name, named.source, _EMPTY, "")
        with suppress(Problem):
            _checker(unit, scope, findings).named_type(named, named.syntax)


_EMPTY = syntax.Unit(0, 0, "FUNCTION", "", None, (), (), "")


def _globals(source: Source, section: syntax.VariableSection, scope: Scope, findings: Findings) -> None:
    """Enter the variables of a VAR_GLOBAL section into the scope."""
    unit = typed.Unit("FUNCTION", "VAR_GLOBAL", source, _EMPTY, "")
    checker = _checker(unit, scope, findings)
    constant = "CONSTANT" in section.qualifiers
    for at in section.declarations:
        key = at.name.upper()
        if key in scope.globals.variables:
            checker.report(
                "name-twice",
                at,
                f"The global variable {at.name} is declared twice.",
                "Remove one of the two.",
            )
            continue
        type_ = checker.type_of(at.type)
        initial = checker.declared_initial(at, type_, constant)
        scope.globals.variables[key] = typed.Variable(
            at.name, "global", type_, constant, initial, at.comment, at.start, at.end, address=at.address
        )


def declare(
    at: syntax.Unit, source: Source, scope: Scope, findings: Findings, broken: bool = False
) -> typed.Unit | None:
    """Enter the name of a unit into the scope; None when it has none or the name is taken."""
    if not at.name:
        return None
    if not _is_free(at, source, scope, findings):
        return None
    unit = typed.Unit(cast("typed.UnitKind", at.kind), at.name, source, at, at.comment, is_broken=broken)
    scope.units[unit.key] = unit
    for method_at in at.methods:
        _declare_method(method_at, unit, findings)
    return unit


def _declare_method(at: syntax.Unit, owner: typed.Unit, findings: Findings) -> None:
    """Enter a method into its unit."""
    if not at.name:
        return
    key = at.name.upper()
    other = owner.methods.get(key)
    if other is not None:
        first = Related(
            owner.source, other.syntax.start, other.syntax.end, f"{other.name} is first declared here"
        )
        findings.add(
            Finding(
                "name-twice",
                owner.source,
                at.start,
                at.end,
                f"{owner.name} has two methods {at.name}.",
                "Give one of the two another name.",
                "error",
                (first,),
            )
        )
        return
    method = typed.Unit("METHOD", at.name, owner.source, at, at.comment, is_broken=owner.is_broken)
    method.owner = owner
    method.access = access_of(at.qualifiers, "PUBLIC" if owner.kind == "INTERFACE" else "PROTECTED")
    owner.methods[key] = method


def find_unit(name: str, scope: Scope) -> typed.Unit | None:
    """The unit called ``name`` (in upper case); a standard unit is read on its first use."""
    found = scope.units.get(name)
    if found is not None:
        return found
    source = scope.standard.source(name)
    if source is None:
        return None
    findings = Findings()
    for at in parse(source, findings).units:
        unit = typed.Unit(cast("typed.UnitKind", at.kind), at.name, source, at, at.comment, is_standard=True)
        scope.units[unit.key] = unit
        _interface(unit, scope, findings)
        _check_body(unit, scope, findings)
    assert not findings.items, [str(f) for f in findings.items]
    return scope.units[name]


def _checker(unit: typed.Unit, scope: Scope, findings: Findings) -> TypeChecker:
    return TypeChecker(unit, scope, findings, lambda name: find_unit(name, scope))


# --- interfaces ---


def _interface(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    """Fill in the variables of a unit and of its methods, with their types and initial values."""
    if unit.variables:
        return
    checker = _checker(unit, scope, findings)
    if unit.base is not None:
        _interface(unit.base, scope, findings)
        unit.variables |= unit.base.variables
        unit.uses[unit.base.key] = unit.base
    at = unit.syntax.result
    if at is not None:
        type_ = checker.type_of(at)
        if isinstance(type_, typed.Unit):
            checker.report(
                "type-mismatch",
                at,
                f"A function cannot give a block ({type_}) as its result.",
                "Use a type of data.",
            )
            type_ = BROKEN
        unit.result = typed.Variable(
            unit.name, "result", type_, False, typed.default_of(type_), "", unit.syntax.start, unit.syntax.end
        )
    for section in unit.syntax.sections:
        if section.section not in _SECTIONS:
            unit.is_broken = True
            continue
        for declaration in section.declarations:
            _variable(unit, section, declaration, checker)
    if unit.syntax.sequence is not None:
        declare_sequence(unit.syntax.sequence, unit, checker)
    for method in unit.methods.values():
        _interface(method, scope, findings)


def _variable(
    unit: typed.Unit, section: syntax.VariableSection, at: syntax.Declaration, checker: TypeChecker
) -> None:
    key = at.name.upper()
    other = unit.variables.get(key)
    if other is not None:
        owner = [u for u in unit.ancestors if other in u.variables.values()][-1]
        first = Related(owner.source, other.start, other.end, f"{other.name} is first declared here")
        checker.report(
            "name-twice",
            at,
            f"{at.name} is declared twice in {unit.name}.",
            "Give one of the two another name.",
            first,
        )
        return
    if not unit.keeps_data and key == unit.name.upper():
        checker.report(
            "name-taken",
            at,
            f"{at.name} is the name of the {unit.kind.lower()} and stands for its result.",
            "Give the variable another name.",
        )
        return
    constant = "CONSTANT" in section.qualifiers
    type_ = checker.type_of(at.type)
    kind = _SECTIONS[section.section]
    variable = typed.Variable(
        at.name, kind, type_, constant, None, at.comment, at.start, at.end, address=at.address,
        access=access_of(section.qualifiers),
    )  # fmt: skip
    unit.variables[key] = variable
    if kind == "external":
        variable.shared = _external(at, type_, checker)
        return
    variable.initial = checker.declared_initial(at, type_, constant)
    if constant and kind not in ("private", "temp"):
        checker.report(
            "constant-pin",
            at,
            f"{at.name} is a pin and cannot be constant.",
            "Declare it in VAR CONSTANT, or remove CONSTANT.",
        )
    if kind == "in_out" and at.initial is not None:
        checker.report(
            "initial-in-out",
            at.initial,
            f"{at.name} is an in-out; its value is that of the caller's variable.",
            "Remove the initial value.",
        )
    if at.edge:
        _edge(unit, at, variable, checker)
    _instances(unit, at, type_, checker)


def _edge(unit: typed.Unit, at: syntax.Declaration, variable: typed.Variable, checker: TypeChecker) -> None:
    """The detector of an input with R_EDGE or F_EDGE."""
    if variable.type is not BOOL or variable.section != "input" or not unit.keeps_data:
        checker.report(
            "type-mismatch", at, f"{at.edge} belongs to a BOOL input of a block.", f"Remove {at.edge}."
        )
        return
    block = checker.find_unit(f"{at.edge[0]}_TRIG")
    assert block is not None
    unit.uses[block.key] = block
    detector = typed.Variable(f"{at.name}:edge", "private", block, False, None, "", at.start, at.end)
    unit.variables[detector.key] = detector
    unit.edges[variable.key] = detector


def _external(at: syntax.Declaration, type_: Type, checker: TypeChecker) -> typed.Variable | None:
    """The global variable that an external one is (6.5.2.3)."""
    shared = checker.scope.globals.variables.get(at.name.upper())
    if shared is None:
        names = [v.name for v in checker.scope.globals.variables.values()]
        checker.unknown(
            at.name,
            at,
            f"There is no global variable {at.name}.",
            names,
            "Declare it in a VAR_GLOBAL section.",
        )
    elif shared.type is not type_ and BROKEN not in (shared.type, type_):
        checker.report(
            "type-mismatch",
            at.type,
            f"{at.name} is {type_} here and {shared.type} where it is declared.",
            f"Write {shared.type}.",
        )
    return shared


def _instances(unit: typed.Unit, at: syntax.Declaration, type_: Type, checker: TypeChecker) -> None:
    """Note the blocks that a variable holds instances of; only a block can hold them."""
    for block in _blocks_in(type_):
        unit.uses[block.key] = block
        if block.has("ABSTRACT") and unit.variables[at.name.upper()].section != "in_out":
            checker.report("abstract", at.type, f"{block} is ABSTRACT and has no instances.", "Declare an instance of a block that extends it.")  # fmt: skip
        if not unit.keeps_data and unit.variables[at.name.upper()].section != "in_out":
            checker.report("instance-in-function", at, f"{at.name} is an instance of {block}; a {unit.kind.lower()} keeps no data between its calls.",
                           "Write a FUNCTION_BLOCK instead.")  # fmt: skip


def _blocks_in(type_: Type) -> list[typed.Unit]:
    """The blocks that values of a type contain instances of."""
    if isinstance(type_, typed.Unit):
        return [type_]
    if isinstance(type_, Array):
        return _blocks_in(type_.element)
    if isinstance(type_, typed.Structure):
        return [block for field in type_.variables.values() for block in _blocks_in(field.type)]
    return []


# --- bodies ---


def _check_body(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    checker = _checker(unit, scope, findings)
    statements = unit.syntax.body
    if unit.syntax.sequence is not None:
        check_sequence(unit.syntax.sequence, unit, checker)
        statements = () if unit.is_broken else sequence_body(unit.syntax.sequence, unit)
    body = checker.body(statements)
    if body and unit.kind in ("CLASS", "INTERFACE"):
        checker.report("unexpected", unit.syntax.body[0], f"A {unit.kind} has no body of its own.", "Put statements into a METHOD.")  # fmt: skip
    if not unit.is_broken:
        unit.body = (*_guard(unit), *_detect(unit), *body)
    result = unit.result
    is_real = not (unit.owner and (unit.has("ABSTRACT") or unit.owner.kind == "INTERFACE"))
    if result is not None and is_real and not unit.is_broken and not _assigns(body, result):
        findings.add(
            Finding(
                "result-never-set",
                unit.source,
                unit.syntax.start,
                unit.syntax.end,
                f"{unit.name} never sets its result.",
                f"Assign it: {unit.name} := ...;",
                "warning",
            )
        )


def _detect(unit: typed.Unit) -> list[typed.Statement]:
    """The calls of the detectors of inputs with an edge."""
    found: list[typed.Statement] = []
    for key, detector in unit.edges.items():
        block, pin = detector.type, unit.variables[key]
        assert isinstance(block, typed.Unit)
        signal = typed.Load(BOOL, typed.Place(pin, (), BOOL))
        inputs = ((block.variables["CLK"], signal),)
        found.append(typed.CallInstance(typed.Place(detector, (), block), block, inputs, (), (), pin.start))
    return found


def _guard(unit: typed.Unit) -> tuple[typed.Statement, ...]:
    """What a unit that declares EN or ENO does first: without EN it does nothing (6.6.1.5)."""
    enable, told = unit.variables.get("EN"), unit.variables.get("ENO")
    tell: list[typed.Statement] = []
    if told is not None and told.section == "output" and told.type is BOOL:
        place = typed.Place(told, (), BOOL)
        tell = [typed.Assign(place, typed.Constant(BOOL, value)) for value in (False, True)]
    found: list[typed.Statement] = []
    if enable is not None and enable.section == "input" and enable.type is BOOL:
        off = typed.Unary(BOOL, "NOT", typed.Load(BOOL, typed.Place(enable, (), BOOL)), enable.start)
        found.append(typed.If(((off, (*tell[:1], typed.Return())),), ()))
    return (*found, *tell[1:])


def _bind_overrides(units: Iterable[typed.Unit]) -> None:
    """Whoever calls a method by the kind of the instance uses all methods that it may turn out to be."""
    real: dict[str, list[typed.Unit]] = {}
    bodies = [part for unit in units for part in (unit, *unit.methods.values())]
    for unit in units:
        for key, method in unit.methods.items():
            for above in _stands_for(unit, key):
                real.setdefault(above.key, []).append(method)
    for body in bodies:
        for key in body.virtual_uses:
            body.uses |= {method.key: method for method in real.get(key, ())}


def _stands_for(unit: typed.Unit, key: str) -> list[typed.Unit]:
    """The methods of a name in all that a unit extends and implements."""
    found: list[typed.Unit] = []
    waiting = [unit]
    while waiting:
        at = waiting.pop()
        waiting += [*at.interfaces, *([at.base] if at.base else [])]
        if at is not unit and key in at.methods:
            found.append(at.methods[key])
    return found


def _assigns(statements: Iterable[typed.Statement], variable: typed.Variable) -> bool:
    for statement in statements:
        match statement:
            case typed.Assign(place=place) | typed.AssignPart(place=place) | typed.For(place=place) if (
                place.root is variable
            ):
                return True
            case typed.CallInstance(shared=shared, outputs=outputs) if variable in (
                *(r.place.root for _, r, _ in outputs), *(p.root for _, p in shared)
            ):  # fmt: skip
                return True
            case typed.Evaluate(call=call) | typed.Assign(value=typed.CallFunction() as call) if variable in (
                *(r.place.root for _, r in call.outputs), *(p.root for p in call.shared)
            ):  # fmt: skip
                return True
        if any(_assigns(inner, variable) for inner in typed.inner_bodies(statement)):
            return True
    return False


# --- tasks ---


def _check_configuration(at: syntax.Configuration, checker: TypeChecker) -> None:
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


def _find_idle(
    units: Iterable[typed.Unit], configurations: Iterable[syntax.Configuration], findings: Findings
) -> None:
    """Report programs that no configuration runs."""
    run = {program.type.name.upper().rpartition(".")[2] for at in configurations for program in at.programs}
    for unit in units:
        if unit.kind == "PROGRAM" and unit.name.upper() not in run:
            findings.add(
                Finding(
                    "no-task",
                    unit.source,
                    unit.syntax.start,
                    unit.syntax.end,
                    f"The program {unit.name} is in no task, so it never runs.",
                    f"Put it into one: PROGRAM {unit.name.lower()} WITH task : {unit.name}; in a CONFIGURATION.",
                    "warning",
                )
            )


# --- who uses whom ---


def _find_recursion(scope: Scope, findings: Findings) -> None:
    """Report each ring of units that use each other: the standard has no recursion (6.6.1.1)."""
    done: set[str] = set()
    depths: dict[str, int] = {}
    weights: dict[str, int] = {}
    for root in _with_methods(scope):
        trail: list[typed.Unit] = []
        on_trail: set[str] = set()
        stack: list[tuple[typed.Unit, int]] = [(root, 0)]
        while stack:
            unit, leaving = stack.pop()
            if leaving:
                on_trail.discard(unit.key)
                trail.pop()
                done.add(unit.key)
                _check_extent(unit, depths, weights, findings)
                continue
            if unit.key in on_trail:
                ring = trail[trail.index(unit) :]
                for member in ring:
                    member.is_broken = True
                    member.body = None
                first = min(ring, key=lambda u: u.key)
                at = ring.index(first)
                names = " uses ".join(u.name for u in [*ring[at:], *ring[:at], first])
                findings.add(
                    Finding(
                        "recursion",
                        first.source,
                        first.syntax.start,
                        first.syntax.end,
                        f"{first.name} uses itself: {names}.",
                        "Break the ring: no unit may contain or call itself.",
                    )
                )
                continue
            if unit.key in done:
                continue
            trail.append(unit)
            on_trail.add(unit.key)
            stack.append((unit, 1))
            stack.extend((used, 0) for used in unit.uses.values())


def _check_extent(
    unit: typed.Unit, depths: dict[str, int], weights: dict[str, int], findings: Findings
) -> None:
    """Report a unit that stands on too many others, or has too much data, once those it uses are known."""
    depths[unit.key] = 1 + max((depths.get(key, 0) for key in unit.uses), default=0)
    weights[unit.key] = sum(weight(v.type, weights) for v in unit.variables.values() if v.section != "in_out")
    problem: tuple[str, str, str] | None = None
    if depths[unit.key] > _DEEPEST_USE:
        problem = "nested-too-deeply", f"{unit.name} uses units that use units, more than {_DEEPEST_USE} deep.", "Use fewer levels."  # fmt: skip
    elif weights[unit.key] > MOST_ELEMENTS:
        problem = "out-of-range", f"The data of {unit.name} is {weights[unit.key]:,} values.", f"{MOST_ELEMENTS:,} are the most."  # fmt: skip
    if problem is not None:
        depths[unit.key] = weights[unit.key] = 0
        unit.is_broken, unit.body = True, None
        name, message, way_out = problem
        findings.add(Finding(name, unit.source, unit.syntax.start, unit.syntax.end, message, way_out))


def _spread_broken(scope: Scope) -> None:
    """Mark every unit that uses a broken one."""
    users: dict[str, list[typed.Unit]] = {}
    everything = _with_methods(scope)
    for unit in everything:
        for used in unit.uses.values():
            users.setdefault(used.key, []).append(unit)
        if unit.owner is not None:
            users.setdefault(unit.owner.key, []).append(unit)
    reached = [unit for unit in everything if unit.is_broken]
    while reached:
        for user in users.get(reached.pop().key, ()):
            if not user.is_broken:
                user.is_broken = True
                reached.append(user)


def _with_methods(scope: Scope) -> list[typed.Unit]:
    return [part for unit in scope.units.values() for part in (unit, *unit.methods.values())]
