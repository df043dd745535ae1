"""Timers, counters and edge detectors that cannot do what they are for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from upright_block.analysis.checks.calls import (
    COUNTERS,
    EDGES,
    TIMERS,
    calls_by_location,
    is_standard,
    restarting,
    shown_place,
)
from upright_block.analysis.conditions import follows
from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Call, Flow
from upright_block.analysis.locations import Location, last_variable, location_name, members, root_of
from upright_block.analysis.terms import Term
from upright_block.analysis.words import timers as words
from upright_block.language import typed
from upright_block.language.telling.findings import Finding, Related


def check_timers(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report what is wrong with the inputs of standard blocks of a body."""
    for location, calls in calls_by_location(flow).items():
        block = calls[0].unit
        if not is_standard(block, (*TIMERS, *COUNTERS, *EDGES)):
            continue
        pair = restarting(calls, flow)
        if pair is not None:
            related = Related(flow.unit.source, *shown_place(pair[0]), "it is called here first")
            yield words.restarts(location_name(location)).told(flow.unit.source, *shown_place(pair[1]), related)
            continue
        yield from _presets(location, calls, flow, facts)
        yield from _inputs(location, calls, flow)
        if not _is_used(location, calls, flow, facts):
            start, end = shown_place(calls[0])
            yield words.result_unused(location_name(location), block).told(flow.unit.source, start, end)


def _presets(location: Location, calls: Sequence[Call], flow: Flow, facts: Facts) -> Iterator[Finding]:
    block = calls[0].unit
    name = "PT" if block.key in TIMERS else "PV" if block.key in COUNTERS else ""
    if not name or (name == "PV" and not _reads_output(location, calls, flow, ("Q", "QU", "QD"))):
        return
    pin = block.variables[name]
    given = [call.inputs[pin] for call in calls if pin in call.inputs]
    initial = last_variable(location).initial
    is_set = any(members(write.location) == (*members(location), pin) for write in flow.writes_of(root_of(location)))
    if is_set or (isinstance(initial, dict) and initial.get(name)) or len(members(location)) > 1:
        return
    if all(value.kind == "constant" and value.low == 0 for value in given):
        start, end = shown_place(calls[0])
        yield words.no_preset(location_name(location), block, name, bool(given)).told(flow.unit.source, start, end)


def _inputs(location: Location, calls: Sequence[Call], flow: Flow) -> Iterator[Finding]:
    (block, name, source) = (calls[0].unit, location_name(location), flow.unit.source)
    call = calls[0]
    place = shown_place(call)
    if len(calls) > 1 or call.condition is not flow.terms.true:
        return
    for key in ("IN",) if block.key in TIMERS else ("CU", "CD", "CLK"):
        pin = block.variables.get(key)
        value = call.inputs.get(pin) if pin is not None else None
        if value is None:
            continue
        if value is flow.terms.true:
            said = words.timer_held(name, block) if key == "IN" else words.counter_held(name, key)
            yield said.told(source, *place)
        elif key == "IN" and (held := _never_falls(value, flow)) is not None:
            yield words.timer_latched(name, held.name).told(source, *place)
        elif block.key in EDGES and _is_of_output(value, location):
            yield words.edge_of_itself(name).told(source, *place)
        elif block.key == "TON":
            yield from _starved(name, value, flow, place)


def _never_falls(value: Term, flow: Flow) -> typed.Variable | None:
    """The BOOL of the unit that holds the input of a timer for ever, once it is TRUE."""
    for leaf in value.leaves or ():
        variable = leaf.key
        if leaf.kind != "start" or not isinstance(variable, typed.Variable) or variable.section != "private":
            continue
        final = flow.final.get(variable)
        if final is None or not leaf.is_bool or any(write.is_weak for write in flow.writes_of(variable)):
            continue
        if follows([(leaf, True)], value) and follows([(leaf, True)], final) and len(flow.unit.methods) == 0:
            return variable
    return None


def _is_of_output(value: Term, location: Location) -> bool:
    """Whether a value is made of an output of an instance."""
    own = members(location)
    return any(
        leaf.kind == "start" and isinstance(leaf.key, tuple) and leaf.key[: len(own)] == own
        for leaf in value.leaves or ()
    )


def _starved(name: str, value: Term, flow: Flow, place: tuple[int, int]) -> Iterator[Finding]:
    """A TON whose input is TRUE for one scan only, or every other scan."""
    source = flow.unit.source
    edge = _edge_of(value, flow)
    if edge is not None:
        yield words.starved(name, f"{location_name(edge)}.Q").told(source, *place)
    start = value.args[0] if value.kind == "not" else value
    if start.kind == "start" and isinstance(start.key, typed.Variable):
        final = flow.final.get(start.key)
        if final is not None and final.kind == "not" and final.args[0] is start:
            yield words.alternates(name, start.key.name).told(source, *place)


def _edge_of(value: Term, flow: Flow) -> Location | None:
    """The edge detector whose very output a value is."""
    if value.kind != "made" or value.key[0][0] != "of":
        return None
    (inner,) = value.args
    call = flow.call_at(inner.key[0][1]) if inner.kind == "made" and inner.key[0][0] == "ran" else None
    return call.location if call is not None and is_standard(call.unit, EDGES) else None


def _reads_output(location: Location, calls: Sequence[Call], flow: Flow, names: Sequence[str]) -> bool:
    own = members(location)
    for read in flow.reads_of(root_of(location)):
        parts = members(read.location)
        if parts[: len(own)] == own and (len(parts) == len(own) or getattr(parts[len(own)], "name", "") in names):
            return True
    for call in calls:
        taken = call.statement.outputs if isinstance(call.statement, typed.CallInstance) else ()
        if any(variable.name in names for variable, _, _ in taken):
            return True
    return False


def _is_used(location: Location, calls: Sequence[Call], flow: Flow, facts: Facts) -> bool:
    """Whether anybody reads an output of a standard block."""
    root = root_of(location)
    if root.section not in ("private", "temp") or len(members(location)) > 1:
        return True
    inputs = {pin.name for pin in calls[0].unit.variables.values() if pin.section == "output"}
    if _reads_output(location, calls, flow, tuple(inputs)):
        return True
    return any(use.unit is not flow.unit for use in facts.uses(root).reads)
