"""Expressions from outside that look at a unit: rules, events, conditions to run until."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from upright_block.language import syntax, typed
from upright_block.language.checking.program import find_unit
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.uses import note_accesses
from upright_block.language.nodes import Side, record, replaced
from upright_block.language.parsing import parse_expression
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.types import BOOL, TIME, Elementary
from upright_block.language.walking import accesses

FIRST = ":FIRST"
"""The hidden input of a method that looks back: TRUE while it is called before the first scan."""


def observe(
    text: str,
    unit: typed.Unit,
    scope: Scope,
    findings: Findings,
    is_condition: bool = False,
    source: Source | None = None,
    start: int = 0,
) -> typed.Unit | None:
    """A hidden method of ``unit`` that gives the value of an expression; None, with findings, when it is none.

    The expression sees what the body of the unit sees, and the private data of its instances. It changes nothing.
    A condition is a BOOL. Where the text stands in a ``source``, it begins there at ``start``.

    Besides the language it has ``prev(x)``, the value after the scan before, and ``age(x)``, the TIME since x last
    changed. What they keep are in-outs of the method, a variable for each instance that is looked at; it is kept by
    methods of their own, see `keepers`, so that it is whether the expression is computed or not, and each by itself
    where another faults.
    """
    node = parse_expression(source or Source(f"expression on {unit.name}", text), findings, text, start)
    if node is None:
        return None
    source = source or Source(f"expression on {unit.name}", text)
    name = f":probe.{hashlib.sha256(text.encode()).hexdigest()[:16]}"
    home = unit.syntax.home
    given = syntax.Assignment(node.start, node.end, syntax.Name(node.start, node.end, name), node)
    written = syntax.Unit(node.start, node.end, "METHOD", name, None, (), (given,), "", home=home)
    method = typed.Unit("METHOD", name, source, written, "", owner=unit, access="PRIVATE")
    observer = _Observer(method, scope, findings, lambda wanted: find_unit(wanted, scope))
    try:
        value = observer.condition(node, "A condition") if is_condition else observer.elementary_value(node)[0]
        _refuse_changes(value, observer)
    except Problem:
        return None
    result = typed.Variable(name, "result", value.type, typed.default_of(value.type))
    method.result = result
    origin = syntax.Made(node.start, node.end)
    method.body = (typed.Assign(origin, typed.whole(result), value),)
    note_accesses(method, method.body, scope.globals)
    shared = {key: variable for key, variable in method.variables.items() if variable.section == "in_out"}
    found: list[tuple[typed.Unit, ...]] = []
    for way, bodies in (("before", observer.before), ("after", observer.after[::-1])):
        made: list[typed.Unit] = []
        for number, body in enumerate(bodies):
            held = typed.Variable(FIRST, "input", BOOL, initial=False)
            inputs = {FIRST: held} if way == "before" else {}
            named = f"{name}.{way}{number}"
            keeper = typed.Unit("METHOD", named, source, written, "", inputs | shared, owner=unit, access="PRIVATE")
            is_first = typed.Load(BOOL, typed.whole(held))
            branch = typed.Branch(syntax.NO_PLACE, is_first, body.first)
            keeper.body = (typed.If(syntax.NO_PLACE, (branch,), body.later),) if way == "before" else body.later
            note_accesses(keeper, keeper.body, scope.globals)
            made.append(keeper)
        found.append(tuple(made))
    before, after = found
    keepers.put(method, (before, after))
    return None if method.is_broken else method


def expression_of(method: typed.Unit) -> syntax.Expression:
    """The expression as it was read whose value a method gives."""
    (given,) = method.syntax.body
    assert isinstance(given, syntax.Assignment)
    return given.value


@Side
def keepers(_: typed.Unit) -> tuple[tuple[typed.Unit, ...], tuple[typed.Unit, ...]]:
    """The methods that keep what an expression remembers: those to be called before it, and those after it, in their
    order.
    """
    return (), ()


def broken(kind: str, during: typed.Unit, expression: typed.Unit) -> typed.Unit | None:
    """A method that says whether a rule is broken: ``during`` is TRUE, and the expression is not as ``kind`` says.

    None where one of them looks back, since it must be called at each scan.
    """
    bodies = [method.body or () for method in (during, expression)]
    values = [body[0].value for body in bodies if isinstance(body[0], typed.Assign)]
    if any(ways for method in (during, expression) for ways in keepers(method)):
        return None
    is_during, value = values
    wrong = typed.Unary(BOOL, "NOT", value, 0) if kind == "always" else value
    name = f":probe.{hashlib.sha256(f'{kind}{during.name}{expression.name}'.encode()).hexdigest()[:16]}"
    made = replaced(expression, name=name, kept={}, uses={**during.uses, **expression.uses})
    result = typed.Variable(name, "result", BOOL, initial=False)
    made.result = result
    made.shares = expression.shares or during.shares
    both = typed.Binary(BOOL, "AND", is_during, wrong, 0)
    made.body = (typed.Assign(syntax.Made(0, 0), typed.whole(result), both),)
    if not all(map(_cannot_fault, values)):
        assign = typed.Assign(syntax.Made(0, 0), typed.whole(result), wrong)
        made.body = (typed.If(syntax.NO_PLACE, (typed.Branch(syntax.NO_PLACE, is_during, (assign,)),), ()),)
    return made


def _cannot_fault(value: typed.Expression) -> bool:
    """Whether an expression only compares and joins variables, however it comes out."""
    match value:
        case typed.Constant() | typed.ConstantUse():
            return True
        case typed.Load(place=place):
            return all(isinstance(step, typed.Member) for step in place.steps)
        case typed.Unary(operator="NOT", operand=operand) | typed.Part(operand=operand):
            return _cannot_fault(operand)
        case typed.Binary(operator=operator, left=left, right=right):
            return operator not in ("+", "-", "*", "/", "MOD") and _cannot_fault(left) and _cannot_fault(right)
    return False


@record
class _Keep:
    """What is kept at the ``first`` look, and at each later one."""

    first: tuple[typed.Statement, ...]
    later: tuple[typed.Statement, ...]


class _Observer(TypeChecker):
    """Reads an expression that may look back."""

    sees_all = True

    def __init__(
        self, unit: typed.Unit, scope: Scope, findings: Findings, find: Callable[[str], typed.Unit | None]
    ) -> None:
        super().__init__(unit, scope, findings, find)
        self.before: list[_Keep] = []
        self.after: list[_Keep] = []

    def call(self, node: syntax.Call) -> typed.Expression:
        name = node.callee.name.upper() if isinstance(node.callee, syntax.Name) else ""
        if name not in ("PREV", "AGE") or self.declares(name) or self.find_unit(name) is not None:
            return super().call(node)
        if len(node.arguments) != 1 or node.arguments[0].name or node.arguments[0].output:
            raise self.problem(node, _one_value(name.lower()))
        value, type_ = self.elementary_value(node.arguments[0].value)
        held = self._kept(type_)
        keep = typed.Assign(syntax.Made(node.start, node.end), typed.whole(held), value)
        if name == "PREV":
            self.before.append(_Keep((keep,), ()))
            self.after.append(_Keep((), (keep,)))
            return typed.Load(type_.base, typed.whole(held))
        since = self._kept(TIME)
        now = typed.CallStandard(TIME, "SCAN_START", (), node.start)
        begin = typed.Assign(syntax.Made(node.start, node.end), typed.whole(since), now)
        differs = typed.Binary(BOOL, "<>", value, typed.Load(type_.base, typed.whole(held)), node.start)
        branch = typed.Branch(syntax.NO_PLACE, differs, (begin, keep))
        self.before.append(_Keep((keep, begin), (typed.If(syntax.NO_PLACE, (branch,), ()),)))
        return typed.Binary(TIME, "-", now, typed.Load(TIME, typed.whole(since)), node.start)

    def _kept(self, type_: Elementary) -> typed.Variable:
        """A variable of the instance that is looked at, which outlives the call."""
        name = f":KEPT{len(self.unit.variables)}"
        made = typed.Variable(name, "in_out", type_, typed.default_of(type_))
        self.unit.variables[name] = made
        return made


def _one_value(name: str) -> Words:
    says = "the value of the scan before" if name == "prev" else "the time since a value changed"
    return Words("missing-argument", f"{name} gives {says}, and takes one value.", f"Write {name}(x).")


def _refuse_changes(value: typed.Expression, checker: TypeChecker) -> None:
    """Report what an expression would change."""
    for access in accesses(value):
        unit = access.unit
        if access.kind == "read" or (unit is not None and access.place is None and not _may_change(unit)):
            continue
        raise checker.problem(access.origin, _changes_something(checker.unit.owner, unit))


def _may_change(function: typed.Unit) -> bool:
    """Whether a function, or one that it calls, works on more than its own variables."""
    return any(u.keeps_data or u.owner or u.shares or u.section("in_out") for u in typed.closure(function))


def _changes_something(owner: typed.Unit | None, called: typed.Unit | None) -> Words:
    what = f"calls {called.name}, which may change something" if called else "hands on a variable to be changed"
    return Words(
        "changes-something",
        f"An expression that looks at {owner} {what}.",
        "Look at variables, and call functions of their values alone.",
    )
