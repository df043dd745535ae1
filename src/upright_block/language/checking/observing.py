"""Expressions from outside that look at a unit: rules, events, conditions to run until."""

from __future__ import annotations

import hashlib

from upright_block.language import syntax, typed
from upright_block.language.checking.program import checker_of
from upright_block.language.checking.reporter import Problem
from upright_block.language.checking.types import TypeChecker
from upright_block.language.checking.uses import note_accesses
from upright_block.language.findings import Findings, Words
from upright_block.language.parsing import parse_expression
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.walking import accesses


def observe(
    text: str, unit: typed.Unit, scope: Scope, findings: Findings, is_condition: bool = False
) -> typed.Unit | None:
    """A hidden method of ``unit`` that gives the value of an expression; None, with findings, when it is none.

    The expression sees what the body of the unit sees, and the private data of its instances. It changes nothing.
    A condition is a BOOL.
    """
    source = Source(f"expression on {unit.name}", text)
    node = parse_expression(source, findings)
    if node is None:
        return None
    name = f":probe.{hashlib.sha256(text.encode()).hexdigest()[:16]}"
    home = unit.syntax.home
    written = syntax.Unit(node.start, node.end, "METHOD", name, None, (), (), "", home=home)
    method = typed.Unit("METHOD", name, source, written, "", owner=unit, access="PRIVATE")
    checker = checker_of(method, scope, findings)
    checker.sees_all = True
    try:
        value = checker.condition(node, "A condition") if is_condition else checker.elementary_value(node)[0]
        _refuse_changes(value, checker)
    except Problem:
        return None
    result = typed.Variable(name, "result", value.type, False, typed.default_of(value.type), "", 0, 0)
    method.result = result
    method.body = (typed.Assign(syntax.Made(node.start, node.end), typed.whole(result), value),)
    note_accesses(method, method.body, scope.globals)
    return None if method.is_broken else method


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
