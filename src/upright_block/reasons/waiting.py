"""What keeps a statement from running: the condition around it that is not as it would have to be."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.reasons.scans import value_of
from upright_block.reasons.tree import Reason
from upright_block.reasons.ways import Way, written_condition
from upright_block.runs.trails import Ran, Run

Missing = tuple[Ran, typed.Expression, tuple[int, int], Value | None]
"""A condition as it was computed, where it stands, and what it would have to be."""


def condition_text(reason: Reason) -> str:
    """What a condition is, and would have to be."""
    value, wanted = (("FALSE", "TRUE")[bool(each)] for each in (reason.value, reason.wanted))
    return f"{reason.expression} is {value} and would have to be {wanted}"


def missing_of(run: Run, ways: Sequence[Way]) -> Missing | None:
    """The condition that kept a statement from running, with where it stands, and what it would have to be."""
    for outer, way in ways:
        around = run.latest.get(id(outer))
        if around is None:
            return None
        match outer:
            case typed.If(branches=branches):
                taken = next((n for n, b in enumerate(branches) if value_of(around, b.condition)), len(branches))
                if taken < way:
                    return around, branches[taken].condition, written_condition(branches[taken]), False
                if taken > way:
                    return around, branches[way].condition, written_condition(branches[way]), True
            case typed.Case(selector=selector, arms=arms):
                held = value_of(around, selector)
                if held is None:
                    return None
                fits = (n for n, arm in enumerate(arms) if any(a <= int(held) <= b for a, b in arm.ranges))
                if next(fits, len(arms)) != way:
                    wanted = arms[way].ranges[0][0] if way < len(arms) else None
                    return around, selector, written_condition(outer), wanted
    return None


def gives(statement: typed.Statement, value: Value) -> bool:
    """Whether a statement can only give a variable the value that it has."""
    match statement:
        case typed.Assign(value=typed.Constant(value=constant)):
            return constant == value
        case typed.Assign(value=typed.ConstantUse(variable=variable)):
            return variable.initial == value
    return False
