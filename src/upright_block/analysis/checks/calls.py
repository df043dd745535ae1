"""How the instances of a body are called, and what stays as it was when they are not."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from upright_block.analysis.conditions import Fact, can_hold
from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Call, Flow, Read, Write
from upright_block.analysis.locations import Location, location_name, members, root_of
from upright_block.analysis.words import calls as words
from upright_block.language import syntax, typed
from upright_block.language.field.copying import used_globals
from upright_block.language.telling.findings import Finding, Related, doubtful
from upright_block.language.types import BOOL
from upright_block.language.walking import inner_bodies

TIMERS = ("TON", "TOF", "TP")
COUNTERS = ("CTU", "CTD", "CTUD")
EDGES = ("R_TRIG", "F_TRIG")
_MOST_CALLS = 30


def is_standard(unit: typed.Unit, names: Sequence[str]) -> bool:
    """Whether a unit is one of these blocks of the standard."""
    return unit.is_standard and unit.key in names


def calls_by_location(flow: Flow) -> dict[Location, list[Call]]:
    """The calls of each instance of a body, those left out that nobody wrote and those of which the instance is not
    known.
    """
    found: dict[Location, list[Call]] = {}
    for call in flow.calls:
        if call.location is None or not call.is_exact or call.is_made or call.is_virtual:
            continue
        if call.unit.kind == "FUNCTION_BLOCK" and root_of(call.location).section != "this":
            found.setdefault(call.location, []).append(call)
    return found


def shown_place(call: Call) -> tuple[int, int]:
    """The name of the instance in a call."""
    written = call.origin
    if isinstance(written, syntax.CallStatement):
        return written.call.callee.start, written.call.callee.end
    return written.start, written.end


def check_calls(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report instances that are called in some branches, twice, or in a loop, and what their calls leave on."""
    source = flow.unit.source
    for location, calls in calls_by_location(flow).items():
        looped = [call for call in calls if call.loops]
        if looped:
            yield words.called_in_loop(location_name(location)).told(source, *shown_place(looped[0]))
            continue
        twice = _twice(location, calls, flow) if restarting(calls, flow) is None else None
        if twice is not None:
            yield twice
        if twice is not None and not twice.is_doubtful:
            continue
        if is_standard(calls[0].unit, (*TIMERS, *COUNTERS, *EDGES)):
            yield from _in_branch(location, calls, flow)
        elif not calls[0].unit.is_standard:
            yield from _stays(location, calls, flow)


def _twice(location: Location, calls: Sequence[Call], flow: Flow) -> Finding | None:
    """Two calls of one instance that may be in one scan."""
    found: Finding | None = None
    for index, first in enumerate(calls[:_MOST_CALLS]):
        for second in calls[index + 1 : _MOST_CALLS]:
            answer = can_hold([(first.condition, True), (second.condition, True)])
            if answer == "no":
                continue
            source = flow.unit.source
            start, end = shown_place(second)
            line = source.line(shown_place(first)[0])
            related = Related(source, *shown_place(first), "it is called here first")
            finding = words.called_twice(location_name(location), line).told(source, start, end, related)
            if answer == "yes" and not (_is_forced(first, flow) or _is_forced(second, flow)):
                return finding
            found = found or doubtful(finding)
    return found


def restarting(calls: Sequence[Call], flow: Flow) -> tuple[Call, Call] | None:
    """The first two of the calls by which a timer is reset and started in every scan."""
    always = [call for call in calls if call.condition is flow.terms.true and is_standard(call.unit, TIMERS)]
    values = [call.inputs.get(call.unit.variables["IN"]) for call in always]
    if len(always) < 2 or flow.terms.false not in values or len(set(values)) < 2:
        return None
    return always[0], always[1]


def _is_forced(call: Call, flow: Flow) -> bool:
    """Whether a call under a condition is there to reset or to start an instance at once."""
    constant = (flow.terms.true, flow.terms.false)
    return call.condition is not flow.terms.true and any(value in constant for value in call.inputs.values())


def _never_run(calls: Sequence[Call]) -> list[Fact]:
    return [(call.condition, False) for call in calls]


def _in_branch(location: Location, calls: Sequence[Call], flow: Flow) -> Iterator[Finding]:
    """A timer, counter or edge detector that some scans pass over."""
    answer = can_hold(_never_run(calls))
    if answer == "no" and len(calls) == 1:
        return
    source = flow.unit.source
    name, block = location_name(location), calls[0].unit
    others = [Related(source, *shown_place(call), "and here") for call in calls[1:]]
    if len(calls) > 1 and is_standard(block, TIMERS):
        lines = [source.line(shown_place(call)[0]) for call in calls]
        finding = words.shared_by_states(name, block, lines).told(source, *shown_place(calls[0]), *others)
        if answer == "no":
            return
    elif answer == "no":
        return
    else:
        finding = words.in_branch(name, block).told(source, *shown_place(calls[0]), *others)
    is_reset = len(calls) > 1 and any(flow.terms.false in call.inputs.values() for call in calls)
    yield finding if answer == "yes" and not is_reset else doubtful(finding)


# --- what stays on ---


def _stays(location: Location, calls: Sequence[Call], flow: Flow) -> Iterator[Finding]:
    """Outputs and tags that keep what a unit gave them when it is not called."""
    off = _never_run(calls)
    answer = can_hold(off)
    if answer == "no":
        return
    left: dict[str, bool] = {}
    made = {write: None for call in calls for write in (*flow.made_by(call), *_taken(call, flow))}
    for write in sorted(made, key=lambda write: write.order):
        if write.is_made:
            continue
        if not _goes_out(write.location) and not _goes_on(write, off, flow):
            continue
        if not _stays_as_it_was(write, off, flow):
            continue
        left.setdefault(location_name(write.location), True)
    for variable in used_globals(calls[0].unit)[1]:
        if not variable.is_hidden and not _written_when(variable, off, flow, calls):
            left.setdefault(variable.name, True)
    if left:
        finding = words.stays_on(location_name(location), sorted(left)).told(flow.unit.source, *shown_place(calls[0]))
        yield finding if answer == "yes" and not _is_on_edge(calls, flow) else doubtful(finding)


def _goes_out(location: Location) -> bool:
    return root_of(location).section in ("output", "global", "in_out")


def _goes_on(write: Write, off: list[Fact], flow: Flow) -> bool:
    """Whether a BOOL of the unit's own is read where some calls are not run, behind what wrote it."""
    variable = root_of(write.location)
    if variable.section != "private" or write.location is not variable or variable.type is not BOOL:
        return False
    later = (r for r in flow.reads_of(variable) if r.location is variable and r.order > write.order)
    return any(can_hold([*off, (read.condition, True)]) == "yes" and not _is_stopped(read, off, flow) for read in later)


def _is_stopped(read: Read, off: list[Fact], flow: Flow) -> bool:
    """Whether what is read takes part in assignments alone that give FALSE where some calls are not run, as in ``ok AND
    x``.
    """
    made = [write for write in flow.writes if write.statement is read.statement and write.written is not None]
    return bool(made) and all(w.value.is_bool and can_hold([*off, (w.value, True)]) == "no" for w in made)


def _is_on_edge(calls: Sequence[Call], flow: Flow) -> bool:
    """Whether a call waits for an edge, so that what it gives is meant to stay until the next."""
    edges = {("ran", call.order) for call in flow.calls if is_standard(call.unit, EDGES)}
    leaves = (leaf for call in calls for leaf in call.condition.leaves or ())
    return any(leaf.kind == "made" and leaf.key[0] in edges for leaf in leaves)


def _taken(call: Call, flow: Flow) -> Iterator[Write]:
    """The writes of the outputs of a call."""
    taken = call.statement.outputs if isinstance(call.statement, typed.CallInstance) else ()
    for root in {receiver.place.root.shared or receiver.place.root for _, receiver, _ in taken}:
        yield from (write for write in flow.writes_of(root) if write.call is call)


def _stays_as_it_was(write: Write, off: list[Fact], flow: Flow) -> bool:
    """Whether what a call gave stays where it is not run: nothing else writes there then, and it is not FALSE for
    certain.
    """
    if write.value is flow.terms.false:
        return False
    others = [o for o in flow.writes_of(root_of(write.location)) if o.location == write.location and not o.is_weak]
    if can_hold([*off, (write.condition, True)]) == "no":
        return can_hold([*off, *((other.condition, False) for other in others)]) != "no"
    if write is not others[-1]:
        return False
    return not write.value.is_bool or can_hold([*off, (write.value, True)]) != "no"


def _written_when(variable: typed.Variable, off: list[Fact], flow: Flow, calls: Sequence[Call]) -> bool:
    """Whether somebody else writes a global variable wherever some calls are not run."""
    own = [write.condition for write in flow.writes_of(variable) if not write.is_weak]
    beside = [call for call in flow.calls if call not in calls]
    if any(call.unit.is_broken for call in beside):
        return True  # what it writes is not known
    others = [call.condition for call in beside if variable in used_globals(call.unit)[1]]
    return can_hold([*off, *((condition, False) for condition in (*own, *others))]) == "no"


# --- order ---


def check_late(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report outputs of instances that are read before the instance has run, where another order would help."""
    if flow.unit.is_wired or flow.unit.syntax.sequence is not None:
        return
    late = _late_reads(flow)
    if not late:
        return
    feeds = _Feeds(flow)
    told: set[Location] = set()
    for read, call in late:
        if read.location in told or feeds.reaches(read, root_of(read.location)):
            continue
        told.add(read.location)
        source = flow.unit.source
        start, end = shown_place(call)
        said = words.one_scan_late(location_name(read.location), source.line(start), call.unit)
        yield said.told(source, read.origin.start, read.origin.end, Related(source, start, end, "it runs here"))


def _late_reads(flow: Flow) -> list[tuple[Read, Call]]:
    by_location = calls_by_location(flow)
    found: list[tuple[Read, Call]] = []
    for read in flow.reads:
        if not read.is_old or not isinstance(read.location, tuple) or read.loops or syntax.is_made(read.origin):
            continue
        pin = read.location[-1]
        if not isinstance(pin, typed.Variable) or pin.section != "output":
            continue
        inner = members(read.location)[:-1]
        instance = inner if len(inner) > 1 else root_of(read.location)
        calls = by_location.get(instance, [])
        later = next((call for call in calls if call.order > read.order), None)
        if later is not None and can_hold([(read.condition, True), (later.condition, True)]) == "yes":
            found.append((read, later))
    return found


class _Feeds:
    """Which variables of a body go into which, by the statements that read the one and write the other."""

    def __init__(self, flow: Flow) -> None:
        self.parents: dict[int, typed.Statement] = {}
        waiting: list[typed.Statement] = list(flow.unit.body or ())
        while waiting:
            statement = waiting.pop()
            for body in inner_bodies(statement):
                for inner in body:
                    self.parents[id(inner)] = statement
                    waiting.append(inner)
        self.read_by: dict[typed.Variable, list[typed.Statement]] = {}
        self.written_by: dict[int, list[typed.Variable]] = {}
        for read in flow.reads:
            if read.statement is not None:
                self.read_by.setdefault(root_of(read.location), []).append(read.statement)
        for variable, writer in _written(flow):
            self._add(variable, writer)

    def _add(self, variable: typed.Variable, statement: typed.Statement | None) -> None:
        """A variable is written by a statement, and so by those that it lies in."""
        around: typed.Statement | None = statement
        while around is not None:
            self.written_by.setdefault(id(around), []).append(variable)
            around = self.parents.get(id(around))

    def reaches(self, read: Read, goal: typed.Variable) -> bool:
        """Whether what a read decides goes into a variable in the end."""
        waiting: list[typed.Statement] = [read.statement] if read.statement is not None else []
        seen: set[int] = set()
        known: set[typed.Variable] = set()
        while waiting:
            statement = waiting.pop()
            if id(statement) in seen:
                continue
            seen.add(id(statement))
            for variable in self.written_by.get(id(statement), ()):
                if variable is goal:
                    return True
                if variable not in known:
                    known.add(variable)
                    waiting += self.read_by.get(variable, ())
        return False


def _written(flow: Flow) -> Iterator[tuple[typed.Variable, typed.Statement | None]]:
    for write in flow.writes:
        yield root_of(write.location), write.statement
    for call in flow.calls:
        if call.location is not None:
            yield root_of(call.location), call.statement
