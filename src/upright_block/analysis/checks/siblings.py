"""Instances of one block that are wired otherwise than all others."""

from __future__ import annotations

import re
from collections.abc import Iterator

from upright_block.analysis.facts import Facts
from upright_block.analysis.flow import Call, Flow
from upright_block.analysis.slots import members, root_of
from upright_block.analysis.words import siblings as words
from upright_block.language import typed
from upright_block.language.findings import Finding, doubtful
from upright_block.language.nodes import node

_NUMBER = re.compile(r"\d+")
_FEWEST = 4
_MOST_ODD = 4
_MOST_TOLD = 3


def check_unread(flow: Flow, facts: Facts) -> Iterator[Finding]:
    """Report outputs of instances in a wiring table that nothing reads, where those of nearly all siblings are read."""
    if not flow.unit.is_wired:
        return
    families: dict[tuple[str, typed.Unit], list[typed.Variable]] = {}
    for variable in flow.unit.variables.values():
        if isinstance(variable.type, typed.Unit) and _NUMBER.search(variable.name):
            families.setdefault((_NUMBER.sub("#", variable.key), variable.type), []).append(variable)
    taken = _taken(flow)
    for (_, block), family in families.items():
        if len(family) < _FEWEST:
            continue
        for pin in block.section("output"):
            odd = [variable for variable in family if (variable, pin) not in taken]
            if odd and len(odd) * _MOST_ODD <= len(family):
                for variable in odd[:_MOST_TOLD]:
                    said = words.output_unread(variable.name, pin.name, len(family) - len(odd))
                    yield said.told(flow.unit.source, variable.start, variable.end)


def _taken(flow: Flow) -> set[tuple[typed.Variable, typed.Variable]]:
    """The outputs of instances that a body reads or wires on."""
    found: set[tuple[typed.Variable, typed.Variable]] = set()
    for read in flow.reads:
        parts = members(read.slot)
        if len(parts) > 1 and isinstance(parts[1], typed.Variable):
            found.add((root_of(read.slot), parts[1]))
    for call in flow.calls:
        if call.slot is not None and isinstance(call.statement, typed.CallInstance):
            found |= {(root_of(call.slot), pin) for pin, _, _ in call.statement.outputs}
    return found


@node
class _Called:
    """An instance that is called once, and how."""

    flow: Flow
    call: Call
    name: str


def check_open(facts: Facts) -> Iterator[Finding]:
    """Report inputs without an initial value that a call does not give, where nearly all other instances have it."""
    for unit in facts.units:
        if unit.kind != "FUNCTION_BLOCK":
            continue
        called = list(_called(unit, facts))
        for pin in unit.section("input") if called else ():
            if pin.has_initial or pin.key == "EN":
                continue
            left = [c for c in called if pin not in c.call.inputs and not _is_set(c, pin)]
            given = len(called) - len(left)
            for c in left[:_MOST_TOLD] if given else ():
                said = words.input_left_open(c.name, pin.name, given, len(called) - 1)
                start = c.call.origin.start
                finding = said.told(c.flow.unit.source, start, max(start + 1, c.call.origin.end))
                is_odd = len(called) >= _FEWEST and len(left) * _MOST_ODD <= len(called)
                yield finding if is_odd else doubtful(finding)


def _called(unit: typed.Unit, facts: Facts) -> Iterator[_Called]:
    """The instances of a unit, of a range in a table the first."""
    seen: set[object] = set()
    for flow, call in facts.calls_of(unit):
        place = flow.unit.source.path, call.origin.start
        if call.slot is not None and not call.is_made and seen.isdisjoint(((flow, call.slot), place)):
            seen.update(((flow, call.slot), place))
            yield _Called(flow, call, root_of(call.slot).name)


def _is_set(called: _Called, pin: typed.Variable) -> bool:
    """Whether a pin gets its value beside the call, or in another call of the same instance."""
    slot = called.call.slot
    assert slot is not None
    whole = (*members(slot), pin)
    if any(members(write.slot) == whole for write in called.flow.writes):
        return True
    initial = root_of(slot).initial
    if isinstance(initial, dict) and pin.key in initial:
        return True
    return any(call.slot == slot and pin in call.inputs for call in called.flow.calls)
