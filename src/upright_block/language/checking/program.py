"""Units: their names, their interfaces, their bodies, and who uses whom. IEC 61131-3:2013, 6.5 and 6.6."""

from __future__ import annotations

from collections.abc import Iterable
from typing import cast

from upright_block.language import syntax, typed
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.statements import StatementChecker
from upright_block.language.findings import Finding, Findings, Related
from upright_block.language.literals import Value
from upright_block.language.parsing import parse
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.types import BROKEN, ELEMENTARY, Elementary

_SECTIONS: dict[str, typed.Section] = {"VAR_INPUT": "input", "VAR_OUTPUT": "output", "VAR": "private"}


def check_program(sources: Iterable[Source], scope: Scope, findings: Findings) -> None:
    """Read and check all ``sources`` into ``scope``. Every mistake becomes a finding; nothing is raised.

    Units that a mistake reaches, in themselves or in a unit that they use, are marked as broken.
    """
    declared: list[typed.Unit] = []
    for source in sources:
        known = len(findings.items)
        units = parse(source, findings)
        broken = any(f.severity == "error" for f in findings.items[known:])
        declared += [
            u for u in (declare(at, source, scope, findings, broken) for at in units) if u is not None
        ]
    for unit in declared:
        _interface(unit, scope, findings)
    for unit in declared:
        _check_body(unit, scope, findings)
    _find_recursion(scope, findings)
    _spread_broken(scope)


def declare(
    at: syntax.Unit, source: Source, scope: Scope, findings: Findings, broken: bool = False
) -> typed.Unit | None:
    """Enter the name of a unit into the scope; None when it has none or the name is taken."""
    if not at.name:
        return None
    key = at.name.upper()
    other = scope.units.get(key)
    if key in ELEMENTARY or scope.standard.source(key) or scope.standard.function(key):
        findings.add(
            Finding(
                "name-taken",
                source,
                at.start,
                at.end,
                f"{at.name} is a name of the standard.",
                "Give the unit another name.",
            )
        )
        return None
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
        return None
    unit = typed.Unit(cast("typed.UnitKind", at.kind), at.name, source, at, at.comment, is_broken=broken)
    scope.units[key] = unit
    return unit


def find_unit(name: str, scope: Scope) -> typed.Unit | None:
    """The unit called ``name`` (in upper case); a standard unit is read on its first use."""
    found = scope.units.get(name)
    if found is not None:
        return found
    source = scope.standard.source(name)
    if source is None:
        return None
    findings = Findings()
    for at in parse(source, findings):
        unit = typed.Unit(cast("typed.UnitKind", at.kind), at.name, source, at, at.comment, is_standard=True)
        scope.units[unit.key] = unit
        _interface(unit, scope, findings)
        _check_body(unit, scope, findings)
    assert not findings.items, [str(f) for f in findings.items]
    return scope.units[name]


def _checker(unit: typed.Unit, scope: Scope, findings: Findings) -> StatementChecker:
    return StatementChecker(unit, scope, findings, lambda name: find_unit(name, scope))


# --- interfaces ---


def _interface(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    """Fill in the variables of a unit, with their types and initial values."""
    checker = _checker(unit, scope, findings)
    if unit.kind == "FUNCTION":
        at = unit.syntax.result
        type_ = BROKEN if at is None else _type(at, checker)
        if isinstance(type_, typed.Unit) and at is not None:
            checker.report(
                "type-mismatch",
                at,
                f"A function cannot give a block ({type_}) as its result.",
                "Use an elementary type.",
            )
            type_ = BROKEN
        unit.result = typed.Variable(
            unit.name, "result", type_, False, _default(type_), "", unit.syntax.start, unit.syntax.end
        )
    for section in unit.syntax.sections:
        if section.section not in _SECTIONS:
            unit.is_broken = True
            continue
        for declaration in section.declarations:
            _variable(unit, section, declaration, checker)


def _variable(
    unit: typed.Unit, section: syntax.VariableSection, at: syntax.Declaration, checker: StatementChecker
) -> None:
    key = at.name.upper()
    other = unit.variables.get(key)
    if other is not None:
        first = Related(unit.source, other.start, other.end, f"{other.name} is first declared here")
        checker.report(
            "name-twice",
            at,
            f"{at.name} is declared twice in {unit.name}.",
            "Give one of the two another name.",
            first,
        )
        return
    if unit.kind == "FUNCTION" and key == unit.key:
        checker.report(
            "name-taken",
            at,
            f"{at.name} is the name of the function and stands for its result.",
            "Give the variable another name.",
        )
        return
    constant = "CONSTANT" in section.qualifiers
    type_ = _type(at.type, checker)
    initial = _initial(at, type_, constant, checker)
    kind = _SECTIONS[section.section]
    if constant and kind != "private":
        checker.report(
            "constant-pin",
            at,
            f"{at.name} is a pin and cannot be constant.",
            "Declare it in VAR CONSTANT, or remove CONSTANT.",
        )
    if isinstance(type_, typed.Unit):
        unit.uses[type_.key] = type_
        if unit.kind == "FUNCTION":
            checker.report("instance-in-function", at, f"{at.name} is an instance of {type_}; a function keeps no data between its calls.",
                           "Write a FUNCTION_BLOCK instead.")  # fmt: skip
    unit.variables[key] = typed.Variable(
        at.name, kind, type_, constant, initial, at.comment, at.start, at.end
    )


def _type(at: syntax.TypeName, checker: StatementChecker) -> Elementary | typed.Unit:
    name = at.name.upper()
    if not name:
        checker.unit.is_broken = True
        return BROKEN
    if name in ELEMENTARY:
        return ELEMENTARY[name]
    unit = checker.find_unit(name)
    if unit is not None:
        if unit.kind == "FUNCTION_BLOCK":
            return unit
        checker.report(
            "type-mismatch",
            at,
            f"{unit.name} is a function and no type.",
            "Call it in an expression; it needs no instance.",
        )
        return BROKEN
    checker.unknown(at.name, at, f"There is no type or block {at.name}.", [*ELEMENTARY, *checker.scope.known_names()],
                    "Types are BOOL, INT, DINT, REAL, LREAL, TIME, WORD and their kin, and the blocks of the library.")  # fmt: skip
    return BROKEN


def _default(type_: Elementary | typed.Unit) -> Value | None:
    """The initial value of a type where none is written (table 10)."""
    if isinstance(type_, typed.Unit) or type_ is BROKEN:
        return None
    return False if type_.family == "bool" else 0.0 if type_.family == "real" else 0


def _initial(
    at: syntax.Declaration, type_: Elementary | typed.Unit, constant: bool, checker: StatementChecker
) -> Value | None:
    if at.initial is None:
        if constant and type_ is not BROKEN:
            checker.report(
                "constant-without-value",
                at,
                f"The constant {at.name} has no value.",
                f"Write {at.name} : {type_} := value;",
            )
        return _default(type_)
    if isinstance(type_, typed.Unit):
        checker.report(
            "not-supported",
            at.initial,
            f"Initial values of an instance ({type_}) are not read by this version.",
            "Give its inputs values in its call.",
        )
        return None
    if type_ is BROKEN:
        return None
    try:
        return checker.constant(at.initial, type_, at.name)
    except Problem:
        return _default(type_)


# --- bodies ---


def _check_body(unit: typed.Unit, scope: Scope, findings: Findings) -> None:
    body = _checker(unit, scope, findings).body(unit.syntax.body)
    if not unit.is_broken:
        unit.body = body
    result = unit.result
    if result is not None and not unit.is_broken and not _assigns(body, result):
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


def _assigns(statements: Iterable[typed.Statement], variable: typed.Variable) -> bool:
    for statement in statements:
        match statement:
            case typed.Assign(place=place) | typed.For(place=place) if place.path[0] is variable:
                return True
            case typed.CallInstance(outputs=outputs) if any(p.path[0] is variable for _, p, _ in outputs):
                return True
            case typed.If(branches=branches, otherwise=otherwise):
                if any(_assigns(body, variable) for _, body in branches) or _assigns(otherwise, variable):
                    return True
            case typed.Case(arms=arms, otherwise=otherwise):
                if any(_assigns(body, variable) for _, body in arms) or _assigns(otherwise, variable):
                    return True
            case typed.For(body=body) | typed.While(body=body) | typed.Repeat(body=body):
                if _assigns(body, variable):
                    return True
    return False


# --- who uses whom ---


def _find_recursion(scope: Scope, findings: Findings) -> None:
    """Report each ring of units that use each other: the standard has no recursion (6.6.1.1)."""
    done: set[str] = set()
    for root in list(scope.units.values()):
        trail: list[typed.Unit] = []
        on_trail: set[str] = set()
        stack: list[tuple[typed.Unit, int]] = [(root, 0)]
        while stack:
            unit, leaving = stack.pop()
            if leaving:
                on_trail.discard(unit.key)
                trail.pop()
                done.add(unit.key)
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


def _spread_broken(scope: Scope) -> None:
    """Mark every unit that uses a broken one."""
    users: dict[str, list[typed.Unit]] = {}
    for unit in scope.units.values():
        for used in unit.uses.values():
            users.setdefault(used.key, []).append(unit)
    reached = [unit for unit in scope.units.values() if unit.is_broken]
    while reached:
        for user in users.get(reached.pop().key, ()):
            if not user.is_broken:
                user.is_broken = True
                reached.append(user)
