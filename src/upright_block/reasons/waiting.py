"""The conditions around a statement: those under which it ran, and those that kept it from running."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import syntax, typed
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.nodes import record
from upright_block.language.types import BOOL
from upright_block.reasons.scans import until, value_of
from upright_block.reasons.tree import Node, Reason
from upright_block.reasons.ways import Way, written_condition
from upright_block.runs.trails import Ran, Run

_MOST_MISSING = 5


@record
class Condition:
    """A condition as a statement computed it, and what it has or would have to be, where that is one value.

    ``start`` and ``end`` are where it stands; ``text`` is what it comes to where nobody wrote it so.
    """

    ran: Ran
    expression: typed.Expression
    start: int
    end: int
    wanted: Value | None
    text: str = ""


def condition_text(reason: Reason) -> str:
    """What a condition is, and would have to be."""
    value, wanted = (("FALSE", "TRUE")[bool(each)] for each in (reason.value, reason.wanted))
    return f"{reason.expression} is {value} and would have to be {wanted}"


def kept_text(node: Node, since: int | None, statement: str, reason: Reason) -> str:
    """What a statement waits for that could change a value; of the states of a machine as what leaves one."""
    value, wanted = _shown(reason, reason.value), _shown(reason, reason.wanted)
    if node.state and wanted in ("TRUE", "FALSE"):
        way = "when" if wanted == "TRUE" else "unless"
        leaves = f"leaves it ({statement}) {way} {reason.expression}: it is {value}"
        return f"in {node.state} {_since(since)}; {leaves}"
    return f"{statement} needs {reason.expression} to be {wanted}: it is {value}"


def step_text(node: Node, since: int | None, reason: Reason) -> str:
    """What a transition waits for, from a step that is active or to one that is not."""
    step = node.path.rpartition(".")[0]
    waits = [each.statement for each in reason.operands if each.path == "transition"]
    is_ahead = bool(waits) and waits[0] != reason.expression  # else the steps before it are not active
    waits_for = f"waits for {' and '.join(waits) if is_ahead else 'the step before it'}"
    if node.value:
        return f"{step} is active {_since(since)}; its transition {waits_for}"
    return f"{step} is not active; {reason.expression} {waits_for}"


def _since(since: int | None) -> str:
    return "since the beginning" if since is None else f"since {shown_duration(since)}"


def _shown(reason: Reason, value: Value | None) -> str:
    if value is None or reason.type is None:
        return ""
    return ("FALSE", "TRUE")[value] if isinstance(value, bool) else shown(value, reason.type)


def met_of(run: Run, outer: typed.Statement, way: int, at: int) -> list[Condition]:
    """The conditions under which what lies around a statement went the way to it, which began with an entry of the
    trail.
    """
    found = run.before(outer, at)
    if found is None or outer.origin is syntax.NO_PLACE:
        return []
    around = until(found, at)
    match outer:
        case typed.If(branches=branches):
            # ELSIFs before it count, as FALSE.
            return [
                Condition(around, branch.condition, *written_condition(branch), number == way)
                for number, branch in enumerate(branches[: way + 1])
            ]
        case typed.Case(selector=selector) as case:
            return [Condition(around, selector, *written_condition(case), None)]
        case typed.While(condition=condition) | typed.Repeat(condition=condition) as loop:
            return [Condition(around, condition, *written_condition(loop), isinstance(loop, typed.While))]
        case typed.For(origin=syntax.For() as origin) as loop:
            head = run.unit.source.text[origin.start : origin.end].split("\n", 1)[0]
            return [Condition(around, _bounds(loop, "<="), origin.start, origin.end, None, " ".join(head.split()))]
    return []


def missing_of(run: Run, ways: Sequence[Way]) -> list[Condition]:
    """The conditions that kept a statement from running in a unit, of those around it, outermost first: of one in a
    loop those of its turns.
    """
    found: list[Condition] = []
    for outer, way in ways:
        every = run.by_statement.get(id(outer), [])
        own = [missing for around in every if (missing := _missing(around, way)) is not None]
        found += own
        if len(own) == len(every):
            break
    return found[:_MOST_MISSING]


def _missing(around: Ran, way: int) -> Condition | None:
    """The condition that kept a statement from going some way; None where it went there."""
    match around.statement:
        case typed.If(branches=branches):
            taken = next((n for n, b in enumerate(branches) if value_of(around, b.condition)), len(branches))
            if taken == way:
                return None
            branch = branches[min(taken, way)]
            return Condition(around, branch.condition, *written_condition(branch), taken > way)
        case typed.Case(selector=selector, arms=arms) as case:
            held = value_of(around, selector)
            if not isinstance(held, int):
                return None
            fits = (n for n, arm in enumerate(arms) if any(low <= held <= high for low, high in arm.ranges))
            if next(fits, len(arms)) == way:
                return None
            wanted = arms[way].ranges[0][0] if way < len(arms) else None
            return Condition(around, selector, *written_condition(case), wanted)
        case typed.While(condition=condition) as loop if not around.turns:
            return Condition(around, condition, *written_condition(loop), wanted=True)
        case typed.For(origin=syntax.For() as origin) as loop if not around.turns:
            text, step = around.run.unit.source.text, value_of(around, loop.step)
            sign = ">=" if isinstance(step, int) and step < 0 else "<="
            first, last = (text[bound.start : bound.end] for bound in (origin.first, origin.last))
            written = f"{first} {sign} {last}"
            return Condition(around, _bounds(loop, sign), origin.start, origin.end, wanted=True, text=written)
    return None


def _bounds(loop: typed.For, sign: str) -> typed.Binary:
    """What a FOR compares before its first turn."""
    return typed.Binary(BOOL, sign, loop.first, loop.last, loop.origin.start)


def gives(statement: typed.Statement, value: Value) -> bool:
    """Whether a statement can only give a variable the value that it has."""
    match statement:
        case typed.Assign(value=typed.Constant(value=constant)):
            return constant == value
        case typed.Assign(value=typed.ConstantUse(variable=variable)):
            return variable.initial == value
    return False


def is_of_another_state(condition: Condition, name: str) -> bool:
    """Whether a condition is the selector by which another state has its own way on."""
    value = condition.expression
    return isinstance(value, typed.Load) and value.place.is_plain and value.place.root.key == name
