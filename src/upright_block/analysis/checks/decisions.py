"""Conditions that are always the same, statements that nothing reaches, loops that go too far."""

from __future__ import annotations

from collections.abc import Iterator

from upright_block.analysis.checks.causes import cause_of, decided_before, is_by_itself
from upright_block.analysis.conditions import can_hold
from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Decision, Flow, Indexed, Write
from upright_block.analysis.locations import Location, location_name, location_of, root_of
from upright_block.analysis.terms import Term
from upright_block.analysis.walk import value_by_itself
from upright_block.analysis.words import decisions as words
from upright_block.language import syntax, typed
from upright_block.language.telling.findings import Finding, Related
from upright_block.language.types import Array
from upright_block.language.walking import every_statement

_MOST_BEFORE = 200
"""Conditions behind more than that are not compared with it."""


def check_decisions(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report conditions of a body that decide nothing, and what stands behind a statement that leaves."""
    source = flow.unit.source
    done: set[int] = set()
    states = _state_variables(flow.unit, facts)
    for decision in flow.decisions:
        if syntax.is_made(decision.origin) or id(decision.statement) in done:
            continue
        found = _fixed(decision, flow, states)
        if found is not None:
            done.add(id(decision.statement))
            yield found
    for write in flow.writes:
        fixed = _fixed_value(write, flow)
        if fixed is not None:
            start, end = write.origin.start, write.origin.end
            cause = ""
            assignment = write.statement.origin if write.statement is not None else None
            if isinstance(assignment, syntax.Assignment) and write.written is not None:
                cause = cause_of(assignment.value, write.written, fixed, flow)
            yield words.fixed_value(location_name(write.location), fixed, cause).told(source, start, end)
    for unreached in flow.unreached:
        start, end = _first_line(unreached.origin, source.text)
        leaving = source.text[unreached.leaving.start : unreached.leaving.end].split(None, 1)[0].rstrip(";").upper()
        said = words.unreached(leaving, source.line(unreached.leaving.start))
        yield said.told(source, start, end)


def _first_line(origin: syntax.Node, text: str) -> tuple[int, int]:
    """The place of a statement, as far as its first line goes."""
    end = text.find("\n", origin.start, origin.end)
    return origin.start, end if end >= 0 else origin.end


def _state_variables(unit: typed.Unit, facts: Facts) -> set[str]:
    return {machine.path.upper() for machine in facts.machines(unit.owner or unit)}


def _fixed(decision: Decision, flow: Flow, states: set[str]) -> Finding | None:
    """A condition that is always TRUE or always FALSE where it is asked."""
    statement = decision.statement
    if isinstance(statement, typed.Case):
        return _label(decision, flow, states)
    if isinstance(statement, typed.While) and can_hold([(decision.condition, True), (decision.value, True)]) == "no":
        start, end = _first_line(decision.origin, flow.unit.source.text)
        return words.never_turns().told(flow.unit.source, start, end)
    if not isinstance(statement, typed.If) or decision.condition is flow.terms.false:
        return None
    if decision.condition.size > _MOST_BEFORE:
        return None
    if decision.value.kind in ("start", "any", "named"):
        return None
    before = [(decision.condition, True)]
    value = next((not w for w in (False, True) if can_hold([*before, (decision.value, w)]) == "no"), None)
    if value is None or can_hold(before) == "no":
        return None
    is_last = decision.index == len(statement.branches) - 1 and not statement.otherwise
    if value and is_last:
        return None  # nothing is lost by a condition that only repeats what is known
    start, end = _place(decision, flow)
    said = words.fixed(value, "what follows in this IF" if value else "this branch", _cause(decision, value, flow))
    return said.told(flow.unit.source, start, end)


def _cause(decision: Decision, value: bool, flow: Flow) -> str:
    """Why a condition is always the same: a part of it, or what stands before it."""
    if not is_by_itself(decision.expression, value, flow):
        return decided_before(decision, value, flow) or words.decided_together()
    origin = decision.origin
    return cause_of(origin.condition, decision.expression, value, flow) if isinstance(origin, syntax.Branch) else ""


def _fixed_value(write: Write, flow: Flow) -> bool | None:
    """The one value that an expression of several operands can have, whatever these are."""
    if write.is_made or not isinstance(write.written, typed.Binary) or not write.value.is_bool or write.is_weak:
        return None
    for wanted in (True, False):
        if can_hold([(write.value, wanted)]) == "no":
            value = value_by_itself(write.written, flow.unit, flow.terms)
            return not wanted if can_hold([(value, wanted)]) == "no" else None
    return None


def _place(decision: Decision, flow: Flow) -> tuple[int, int]:
    """The text of a condition."""
    origin = decision.origin
    if isinstance(origin, syntax.Branch):
        return origin.condition.start, origin.condition.end
    return _first_line(origin, flow.unit.source.text)


def _label(decision: Decision, flow: Flow, states: set[str]) -> Finding | None:
    """A branch of a CASE whose labels its selector never has; those of states are told by their own check."""
    case = decision.statement
    assert isinstance(case, typed.Case)
    selector = case.selector
    if isinstance(selector, typed.Load) and location_name(location_of(selector.place)[0]).upper() in states:
        return None
    if not case.arms[decision.index].ranges or can_hold([(decision.condition, True)]) == "no":
        return None
    if can_hold([(decision.condition, True), (decision.value, True)]) != "no":
        return None
    origin = decision.origin
    labels = origin.labels if isinstance(origin, syntax.Arm) else ()
    start, end = (labels[0].start, labels[-1].end) if labels else _first_line(origin, flow.unit.source.text)
    written = case.origin
    name = "The selector"
    if isinstance(written, syntax.Case):
        name = flow.unit.source.text[written.selector.start : written.selector.end]
    return words.unreached_label(name).told(flow.unit.source, start, end)


def check_transitions(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report transitions of a sequence whose condition can never hold, though it is not written as FALSE."""
    sequence = flow.unit.syntax.sequence
    if sequence is None:
        return
    for write in flow.writes:
        name = location_name(write.location)
        if not name.startswith("transition:") or write.written is None or isinstance(write.written, typed.Constant):
            continue
        if can_hold([(write.value, True)]) == "no":
            condition = sequence.transitions[int(name.partition(":")[2])].condition
            yield words.never_clears().told(flow.unit.source, condition.start, condition.end)


# --- loops ---


def check_loops(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report indices that a loop takes beyond their array, and counters that are read behind their loop."""
    counted = [(loop, span) for loop, span in flow.loops if isinstance(loop, typed.For)]
    if not counted:
        return
    for loop, _ in counted:
        if _is_empty(loop) and not syntax.is_made(loop.origin):
            start, end = _first_line(loop.origin, flow.unit.source.text)
            yield words.never_turns().told(flow.unit.source, start, end)
    seen: set[tuple[int, Term]] = set()
    for indexed in flow.indexed:
        key = id(indexed.array), indexed.value
        if key not in seen and (found := _beyond(indexed, flow, counted)) is not None:
            seen.add(key)
            yield found
    written: dict[Location, list[int]] = {}
    for write in flow.writes:
        written.setdefault(write.location, []).append(write.order)
    told: set[Location] = set()
    for loop, (_, end) in counted:
        location, _ = location_of(loop.place)
        if location in told or any(isinstance(s, (typed.Exit, typed.Return)) for s in every_statement(loop.body)):
            continue
        later = [read for read in flow.reads_of(root_of(location)) if read.order > end and read.location == location]
        for read in later[:1]:
            if not any(end < order < read.order for order in written[location]):
                told.add(location)
                line = flow.unit.source.line(loop.origin.start)
                related = Related(flow.unit.source, loop.place.origin.start, loop.place.origin.end, "it counts here")
                said = words.after_loop(location_name(location), line)
                yield said.told(flow.unit.source, read.origin.start, read.origin.end, related)


def _beyond(indexed: Indexed, flow: Flow, counted: list[tuple[typed.For, tuple[int, int]]]) -> Finding | None:
    if not isinstance(indexed.array, Array) or indexed.value.low is None or indexed.value.kind not in ("any", "made"):
        return None
    first, last = indexed.array.bounds[indexed.dimension]
    low, high = int(indexed.value.low), int(indexed.value.high or 0)
    if first <= low and high <= last:
        return None
    if not _is_of_counter(indexed.expression, counted):
        return None
    if indexed.condition.leaves is None or indexed.condition.leaves & (indexed.value.leaves or frozenset()):
        return None  # a condition asks for the counter
    source = flow.unit.source
    start, end = indexed.origin.start, indexed.origin.end
    index = " ".join(source.text[start:end].split()).partition("[")[2].rpartition("]")[0] or "The index"
    return words.beyond_array(index, low, high, first, last).told(source, start, end)


def _is_of_counter(node: typed.Expression, counted: list[tuple[typed.For, tuple[int, int]]]) -> bool:
    """Whether an index is the counter of a loop of which both ends and the step are written, or that and a number."""
    if isinstance(node, typed.Convert):
        return _is_of_counter(node.operand, counted)
    if isinstance(node, typed.Binary) and node.operator in ("+", "-") and isinstance(node.right, typed.Constant):
        return _is_of_counter(node.left, counted)
    if not isinstance(node, typed.Load):
        return False
    location, _ = location_of(node.place)
    for loop, _span in counted:
        ends = (loop.first, loop.last)
        if location_of(loop.place)[0] == location and all(_is_number(end) for end in ends):
            step = loop.step.value if isinstance(loop.step, typed.Constant) else 0
            leaves = any(isinstance(s, (typed.Exit, typed.Return, typed.Continue)) for s in every_statement(loop.body))
            return step in (1, -1) and not leaves and not _is_empty(loop)
    return False


def _is_empty(loop: typed.For) -> bool:
    """Whether the ends of a loop are written, and it counts away from its last."""
    ends = [end.value for end in (loop.first, loop.last, loop.step) if isinstance(end, typed.Constant)]
    if len(ends) < 3 or not all(isinstance(end, int) for end in ends):
        return False
    first, last, step = (int(end) for end in ends)
    return first > last if step > 0 else first < last


def _is_number(node: typed.Expression) -> bool:
    return isinstance(node, typed.Constant) or (isinstance(node, typed.ConstantUse) and node.variable.is_folded)


# --- what is not set yet ---


def check_too_early(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report variables of one call that are read before anything can have set them."""
    own = set(flow.unit.variables.values())
    first: dict[typed.Variable, int] = {}
    for write in flow.writes:
        root = root_of(write.location)
        if root not in first:
            first[root] = write.order
    told: set[typed.Variable] = set()
    for read in flow.reads:
        root = root_of(read.location)
        if root.section not in ("temp", "private") or read.loops or root in told or root.has_initial:
            continue
        if root.section == "private" and (flow.unit.keeps_data or root not in own):
            continue
        if root in first and read.order < first[root] and not root.constant:
            told.add(root)
            write = next(w for w in flow.writes if root_of(w.location) is root)
            line = flow.unit.source.line(write.origin.start)
            related = Related(flow.unit.source, write.origin.start, write.origin.end, "it is set here")
            said = words.read_too_early(root.name, line)
            yield said.told(flow.unit.source, read.origin.start, read.origin.end, related)
