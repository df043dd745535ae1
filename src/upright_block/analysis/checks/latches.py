"""Latches that cannot be set or reset, and emergencies that leave on what a stop switches off."""

from __future__ import annotations

import re
from collections.abc import Iterator

from upright_block.analysis.checks.calls import calls_by_location, is_standard, shown_place
from upright_block.analysis.conditions import can_hold, follows
from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Flow, Write
from upright_block.analysis.locations import Location, location_name, members, root_of
from upright_block.analysis.terms import Term
from upright_block.analysis.words import timers as words
from upright_block.language import typed
from upright_block.language.names import listed
from upright_block.language.telling.findings import Finding, Related
from upright_block.language.types import BOOL

_EMERGENCY = re.compile(r"(?:^|_)(?:emergency|emerg|estop|e_stop)", re.IGNORECASE)
_STOP = re.compile(r"(?:^|_)stop(?:_|$|button$)", re.IGNORECASE)
_CAMEL = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")


def check_latches(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report latches of a body that go one way only."""
    yield from _blocks(flow)
    by_location: dict[Location, list[Write]] = {}
    for write in flow.writes:
        by_location.setdefault(write.location, []).append(write)
    for location, writes in by_location.items():
        if (
            isinstance(location, typed.Variable)
            and location.type is BOOL
            and not any(w.is_weak or w.is_made for w in writes)
        ):
            yield from _held(location, writes, flow, facts)
    yield from _emergencies(flow)


def _blocks(flow: Flow) -> Iterator[Finding]:
    """SR and RS."""
    for location, calls in calls_by_location(flow).items():
        block, call = calls[0].unit, calls[0]
        if len(calls) > 1 or not is_standard(block, ("SR", "RS")):
            continue
        is_set_dominant = block.key == "SR"
        pins = ("S1", "R") if is_set_dominant else ("S", "R1")
        put, reset = (call.inputs.get(block.variables[pin]) for pin in pins)
        name, place = location_name(location), (flow.unit.source, *shown_place(call))
        if put is None or reset is None:
            is_set = any(
                len(members(write.location)) > len(members(location)) for write in flow.writes_of(root_of(location))
            )
            if put is not None and not is_set:
                yield words.never_resets(name).told(*place)
            continue
        if put is reset:
            yield words.latch_same(name, "the set" if is_set_dominant else "the reset").told(*place)
        elif reset is flow.terms.false:
            yield words.never_resets(name).told(*place)
        elif is_set_dominant and follows([(reset, True)], put):
            yield words.reset_loses(name).told(*place)
        elif not is_set_dominant and follows([(put, True)], reset):
            yield words.set_loses(name).told(*place)


def _held(location: typed.Variable, writes: list[Write], flow: Flow, facts: Facts) -> Iterator[Finding]:
    """A BOOL that holds itself, or that a condition sets."""
    final = flow.final.get(location)
    if final is None or final.leaves is None or final.kind in ("start", "constant"):
        return
    start = next((leaf for leaf in final.leaves if leaf.kind == "start" and leaf.key is location), None)
    if start is None or any(write.loops for write in writes):
        return
    place = (flow.unit.source, writes[-1].origin.start, writes[-1].origin.end)
    others = [use for use in facts.uses(location).writes if use.unit is not flow.unit]
    if others:
        return
    if _is_self_holding(writes, start) and follows([(start, False)], final, value=False):
        yield words.never_sets(location.name).told(*place)
    elif follows([(start, True)], final, value=True) and can_hold([(start, False), (final, True)]) != "no":
        if location.section in ("output", "global") and not _is_flag(writes, start):
            yield words.never_resets(location.name).told(*place)
    elif len(writes) > 1 and _is_set_and_reset(writes, flow) and follows([(start, False)], final, value=False):
        first, second = writes[0], writes[-1]
        related = Related(flow.unit.source, second.origin.start, second.origin.end, "this one always wins")
        yield words.set_loses(location.name).told(flow.unit.source, first.origin.start, first.origin.end, related)


def _is_self_holding(writes: list[Write], start: Term) -> bool:
    return len(writes) == 1 and start in (writes[0].value.leaves or ()) and writes[0].value is not start


def _is_set_and_reset(writes: list[Write], flow: Flow) -> bool:
    values = [write.value for write in writes]
    return flow.terms.true in values and flow.terms.false in values


def _is_flag(writes: list[Write], start: Term) -> bool:
    """Whether something is set once on purpose: whoever sets it asks for it before."""
    return any(write.condition.leaves is None or start in write.condition.leaves for write in writes) and not any(
        start in (write.value.leaves or ()) for write in writes
    )


# --- emergencies ---


def _emergencies(flow: Flow) -> Iterator[Finding]:
    """What a stop switches off and an emergency does not."""
    inputs = [v for v in flow.unit.variables.values() if v.section == "input" and v.type is BOOL]
    names = {v: _CAMEL.sub("_", v.name) for v in inputs}
    emergencies = [v for v in inputs if _EMERGENCY.search(names[v])]
    stops = [v for v in inputs if _STOP.search(names[v]) and v not in emergencies]
    if not stops or not emergencies:
        return
    values = {
        location: term
        for location, term in flow.final.items()
        if isinstance(location, typed.Variable)
        and location.type is BOOL
        and root_of(location).section in ("output", "private")
        and term.kind not in ("constant", "start")
    }
    for stop in stops:
        on = flow.terms.start(stop, BOOL)
        stopped = [location for location, term in values.items() if on in (term.leaves or ()) and _off(on, term)]
        for emergency in emergencies:
            other = flow.terms.start(emergency, BOOL)
            left = [
                location
                for location in stopped
                if not _off(other, values[location])
                and can_hold([(on, False), (other, True), (values[location], True)]) != "no"
            ]
            if left:
                write = next(w for w in reversed(flow.writes) if w.location is left[0])
                said = words.stop_alone(stop.name, emergency.name, listed(root_of(s).name for s in left))
                yield said.told(flow.unit.source, write.origin.start, write.origin.end)


def _off(condition: Term, value: Term) -> bool:
    """Whether a value is FALSE wherever a condition holds, and not only there."""
    return follows([(condition, True)], value, value=False) and can_hold([(condition, False), (value, True)]) != "no"
