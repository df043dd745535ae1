"""States that nothing enters, handles or leaves, and steps of sequences that do nothing or work against each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from upright_block.analysis.conditions import can_hold
from upright_block.analysis.facts import Facts, is_understood
from upright_block.analysis.flow import Write
from upright_block.analysis.locations import location_name, location_of
from upright_block.analysis.words import states as words
from upright_block.language import syntax, typed
from upright_block.language.checking.sequences import active_together
from upright_block.language.telling.findings import Finding, Related, doubtful
from upright_block.language.types import Elementary, Enumeration, is_integer
from upright_block.language.views.states import ANY, Assigned, StateMachine, Values
from upright_block.language.walking import every_statement

_FEWEST_STATES = 3


def check_states(unit: typed.Unit, facts: Facts) -> Iterator[Finding]:
    """Report what is wrong with the state machines of a unit, and with its sequence."""
    if not is_understood(unit):
        return
    machines = facts.machines(unit)
    for machine in machines:
        yield from _machine(machine, unit, facts)
    yield from _passed_by_if(unit, {machine.path.upper() for machine in machines}, facts)
    if unit.syntax.sequence is not None:
        yield from _sequence(unit.syntax.sequence, unit)


def _cases(unit: typed.Unit, machine: StateMachine) -> list[typed.Case]:
    """The CASEs that a state machine selects."""
    return [
        statement
        for part in (unit, *unit.methods.values())
        for statement in every_statement(part.body or ())
        if isinstance(statement, typed.Case)
        and isinstance(statement.selector, typed.Load)
        and location_name(location_of(statement.selector.place)[0]).upper() == machine.path.upper()
    ]


def _machine(machine: StateMachine, unit: typed.Unit, facts: Facts) -> Iterator[Finding]:
    cases = _cases(unit, machine)
    variable = unit.variables.get(machine.path.upper())
    if not cases or (variable is not None and variable.section in ("input", "in_out")):
        return
    ruling = [case for case in cases if _assigns(case, machine, unit)]
    labelled = {values for case in cases for arm in case.arms for values in arm.ranges}
    handled = labelled | set(_left_by_if(unit, machine))
    has_else = any(case.origin.otherwise is not None for case in ruling if isinstance(case.origin, syntax.Case))
    entered = {assigned.target for assigned in machine.assigned} | {machine.initial}
    source = unit.source
    is_open = bool(machine.computed) or _is_written_elsewhere(variable, unit, facts)
    unhandled = False
    for assigned in _first_of_each(machine):
        if not has_else and not _is_in(assigned.target, handled):
            start, end = _statement(assigned.unit, assigned.start)
            unhandled = True
            said = words.unhandled(machine.path, machine.states[assigned.target])
            yield said.told(source, start, end)
    if not is_open:
        for label in machine.labels:
            if not any(_overlap(label.values, target) for target in entered):
                start, end = _label_place(label.start, label.text, label.unit)
                yield words.unentered(machine.path, label.text).told(source, start, end)
    if len(machine.states) > 1:
        yield from _unleft(machine, unit, entered)
    yield from _passed(machine, unit, facts)
    for case in ruling if not unhandled else ():
        is_whole = isinstance(machine.type, Enumeration) and not machine.type.is_open
        names = {value for low, high in handled for value in range(low, min(high, low + 1_000) + 1)}
        if is_whole and isinstance(machine.type, Enumeration):
            is_whole = all(value in names for _, value in machine.type.members.values())
        if isinstance(case.origin, syntax.Case) and case.origin.otherwise is None and not is_whole:
            end = source.text.find("\n", case.origin.start)
            shown = min(e for e in (case.origin.end, end if end >= 0 else case.origin.end))
            yield words.no_else(machine.path).told(source, case.origin.start, shown)


def _left_by_if(unit: typed.Unit, machine: StateMachine) -> Iterator[Values]:
    """The states that an IF of the body or of a method asks for before it moves on from them."""
    starts = {assigned.start for assigned in machine.assigned}
    for part in (unit, *unit.methods.values()):
        for statement in every_statement(part.body or ()):
            for branch in statement.branches if isinstance(statement, typed.If) else ():
                if any(inner.origin.start in starts for inner in every_statement(branch.body)):
                    yield from _asked_for(branch.condition, machine)


def _asked_for(condition: typed.Expression, machine: StateMachine) -> Iterator[Values]:
    """The states of which a condition says that one must be there."""
    match condition:
        case typed.Binary(operator="AND" | "OR", left=left, right=right):
            yield from _asked_for(left, machine)
            yield from _asked_for(right, machine)
        case typed.Binary(operator="=", left=typed.Load(place=place), right=typed.Constant(value=int(value))):
            if location_name(location_of(place)[0]).upper() == machine.path.upper():
                yield value, value


def _assigns(case: typed.Case, machine: StateMachine, unit: typed.Unit) -> bool:
    """Whether a CASE moves its state itself."""
    starts = {assigned.start for assigned in machine.assigned} | {start for _, start in machine.computed}
    bodies = [*(arm.body for arm in case.arms), case.otherwise]
    return any(s.origin.start in starts for body in bodies for s in every_statement(body))


def _first_of_each(machine: StateMachine) -> Iterator[Assigned]:
    seen: set[Values] = set()
    for assigned in machine.assigned:
        if assigned.target not in seen:
            seen.add(assigned.target)
            yield assigned


def _is_in(values: Values, labelled: set[Values]) -> bool:
    return any(low <= values[0] and values[1] <= high for low, high in labelled)


def _overlap(a: Values, b: Values) -> bool:
    return a[0] <= b[1] and b[0] <= a[1]


def _is_written_elsewhere(variable: typed.Variable | None, unit: typed.Unit, facts: Facts) -> bool:
    """Whether a state may get values that the unit does not write itself."""
    if variable is None:
        return True
    return variable.section not in ("private", "output", "temp") or any(
        (use.unit.owner or use.unit) is not unit for use in facts.uses(variable).writes
    )


def _statement(unit: typed.Unit, start: int) -> tuple[int, int]:
    """The place of a statement that begins at an offset, up to its semicolon."""
    text = unit.source.text
    ends = [end for end in (text.find(";", start), text.find("\n", start)) if end >= 0]
    return start, min(ends, default=len(text))


def _label_place(start: int, text: str, unit: typed.Unit) -> tuple[int, int]:
    """The place of a label in a branch of a CASE."""
    found = unit.source.text.find(text, start)
    return (found, found + len(text)) if found >= 0 else (start, start + 1)


def _unleft(machine: StateMachine, unit: typed.Unit, entered: set[Values]) -> Iterator[Finding]:
    """States that no assignment leads out of."""
    if machine.computed or any(assigned.source == ANY for assigned in machine.assigned):
        return
    names = machine.states
    leading = [a.source for a in machine.assigned if names[a.target] not in map(str.strip, a.source.split(","))]
    left = {text.strip() for source in leading for text in source.split(",")}
    for label in machine.labels:
        target = next((v for v in entered if _overlap(v, label.values)), None)
        if target is None or label.text in left:
            continue
        start, end = _label_place(label.start, label.text, label.unit)
        yield words.unleft(machine.path, label.text).told(unit.source, start, end)


def _passed(machine: StateMachine, unit: typed.Unit, facts: Facts) -> Iterator[Finding]:
    """States that are entered and left in one scan."""
    starts = {(assigned.unit, assigned.start): assigned for assigned in machine.assigned}
    for part in (unit, *unit.methods.values()):
        if part.body is None:
            continue
        flow = facts.flow(part)
        writes = [w for w in flow.writes if location_name(w.location).upper() == machine.path.upper() and not w.is_made]
        for index, first in enumerate(writes):
            if first.loops or first.statement is None or first.value.kind != "constant":
                continue
            assigned = starts.get((part, first.statement.origin.start))
            if assigned is None or not first.is_seen:
                continue
            for second in writes[index + 1 : index + 6]:
                if second.value is first.value or second.loops or can_hold([(first.condition, True)]) == "no":
                    continue
                if can_hold([(first.condition, True), (second.condition, False)]) == "no":
                    line = unit.source.line(second.origin.start)
                    start, end = _statement(part, first.statement.origin.start)
                    related = Related(unit.source, second.origin.start, second.origin.end, "here it is left again")
                    said = words.skipped(machine.path, machine.states[assigned.target], line)
                    yield said.told(unit.source, start, end, related)
                    break


def _passed_by_if(unit: typed.Unit, known: set[str], facts: Facts) -> Iterator[Finding]:
    """The same for states that IFs ask for, and no CASE."""
    flow = facts.flow(unit) if unit.body is not None else None
    by_location: dict[typed.Variable, list[Write]] = {}
    for write in flow.writes if flow is not None else ():
        if isinstance(write.location, typed.Variable) and write.location.key not in known and not write.is_made:
            by_location.setdefault(write.location, []).append(write)
    for variable, writes in by_location.items():
        values = {write.value for write in writes}
        if variable.section not in ("private", "output") or len(values) < _FEWEST_STATES:
            continue
        if not isinstance(variable.type, Elementary) or not is_integer(variable.type):
            continue
        if any(value.kind != "constant" for value in values) or any(write.loops for write in writes):
            continue
        for index, first in enumerate(writes):
            for second in writes[index + 1 : index + 6]:
                if second.value is first.value or not first.is_seen or not _asks_for(second, variable):
                    continue
                if can_hold([(first.condition, True)]) == "no":
                    continue
                if can_hold([(first.condition, True), (second.condition, False)]) == "no":
                    line = unit.source.line(second.origin.start)
                    place = (unit.source, first.origin.start, first.origin.end)
                    related = Related(unit.source, second.origin.start, second.origin.end, "here it is left again")
                    yield words.skipped(variable.name, str(first.value.low), line).told(*place, related)
                    break


def _asks_for(write: Write, variable: typed.Variable) -> bool:
    """Whether the condition of a write asks for the state itself."""
    return any(leaf.key is variable for leaf in write.condition.leaves or ())


# --- sequences ---


def _sequence(sequence: syntax.Sequence, unit: typed.Unit) -> Iterator[Finding]:
    at_once: set[str] = set()
    for transition in sequence.transitions:
        if _is_true(transition.condition) and len(transition.sources) == 1:
            at_once.add(transition.sources[0].name.upper())
    stored: dict[str, tuple[syntax.Step, syntax.Association]] = {}
    reset: set[str] = set()
    for step in sequence.steps:
        qualifiers: dict[str, list[str]] = {}
        for association in step.associations:
            qualifiers.setdefault(association.name.upper(), []).append(association.qualifier)
            if association.qualifier in ("S", "SD", "SL", "DS"):
                stored.setdefault(association.name.upper(), (step, association))
            if association.qualifier == "R":
                reset.add(association.name.upper())
            if step.name.upper() in at_once and association.qualifier in ("N", ""):
                said = words.step_at_once(step.name, association.name)
                yield said.told(unit.source, association.start, association.end)
        for name, found in qualifiers.items():
            if len(set(found)) < len(found):
                again = [a for a in step.associations if a.name.upper() == name][-1]
                yield words.associated_twice(again.name, step.name).told(unit.source, again.start, again.end)
            if "R" in found and len(set(found)) > 1:
                other = next(q for q in found if q != "R")
                association = next(a for a in step.associations if a.name.upper() == name)
                said = words.actions_fight(association.name, step.name, (other, "R"))
                yield said.told(unit.source, association.start, association.end)
        if not step.associations and step.name.upper() in at_once and not step.is_initial:
            yield words.step_without_action(step.name).told(unit.source, step.start, _name_end(step, unit))
    yield from _together(sequence, unit)
    for name, (step, association) in stored.items():
        if name not in reset:
            said = words.never_reset(association.name, step.name)
            finding = said.told(unit.source, association.start, association.end)
            is_flag = name in unit.variables and unit.variables[name].section in ("output", "private")
            yield finding if is_flag else doubtful(finding)


def _together(sequence: syntax.Sequence, unit: typed.Unit) -> Iterator[Finding]:
    """Steps that may be active together and drive the same variable."""
    by_name = {step.name.upper(): step for step in sequence.steps}
    bodies = {action.name.upper(): action.body for action in sequence.actions}
    drives: dict[str, dict[str, str]] = {}
    for key, step in by_name.items():
        drives[key] = {}
        for association in step.associations:
            name = association.name.upper()
            if name in bodies:
                drives[key] |= {t.upper(): t for t in _targets(bodies[name])} if association.qualifier != "R" else {}
            elif association.qualifier in ("N", ""):
                drives[key][name] = association.name
    told: set[frozenset[str]] = set()
    for marking in sorted(map(sorted, active_together(sequence))):
        for index, first in enumerate(marking):
            for second in marking[index + 1 :]:
                both = drives[first].keys() & drives[second].keys()
                shared = {a.name.upper() for a in by_name[first].associations} & {
                    a.name.upper() for a in by_name[second].associations
                }
                if not both or shared or frozenset((first, second)) in told:
                    continue
                told.add(frozenset((first, second)))
                a, b = sorted((by_name[first], by_name[second]), key=lambda step: step.start)
                said = words.written_together(drives[first][min(both)], a.name, b.name)
                related = Related(unit.source, a.start, _name_end(a, unit), f"the step {a.name}")
                yield said.told(unit.source, b.start, _name_end(b, unit), related)


def _targets(body: Sequence[syntax.Statement]) -> Iterator[str]:
    """The variables that an action assigns outside of any condition."""
    for statement in body:
        if isinstance(statement, syntax.Assignment) and isinstance(statement.target, syntax.Name):
            yield statement.target.name


def _name_end(step: syntax.Step, unit: typed.Unit) -> int:
    end = unit.source.text.find("\n", step.start)
    return min(step.end, end) if end >= 0 else step.end


def _is_true(condition: syntax.Expression) -> bool:
    return isinstance(condition, syntax.Literal) and condition.text.upper() in ("TRUE", "BOOL#TRUE", "BOOL#1", "1")
