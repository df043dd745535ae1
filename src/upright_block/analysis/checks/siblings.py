"""Instances of one block that are wired otherwise than all others, and what none of them is given."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from upright_block.analysis.facts import Facts, Given
from upright_block.analysis.flow import Call, Flow
from upright_block.analysis.locations import members, root_of
from upright_block.analysis.words import siblings as words
from upright_block.language import typed
from upright_block.language.nodes import fresh, record, state
from upright_block.language.source import Source
from upright_block.language.telling.findings import Finding, Related, doubtful

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
        parts = members(read.location)
        if len(parts) > 1 and isinstance(parts[1], typed.Variable):
            found.add((root_of(read.location), parts[1]))
    for call in flow.calls:
        if call.location is not None and isinstance(call.statement, typed.CallInstance):
            found |= {(root_of(call.location), pin) for pin, _, _ in call.statement.outputs}
    return found


@record
class CallMade:
    """That a ``unit`` calls an instance of a block, at ``start`` to ``end`` of a source; those ``inputs`` that have no
    initial value of their own, which of them are ``given``, and which are the ``presets`` of timers. A range of a table
    is one call. ``shared`` is the name of the global variable that the instance is, where it is one. ``blocks`` are the
    block and what it extends.
    """

    blocks: tuple[str, ...]
    instance: str
    unit: str
    source: Source
    start: int
    end: int
    inputs: tuple[str, ...]
    given: tuple[str, ...]
    presets: tuple[str, ...]
    shared: str


@record
class OpenInput:
    """An input of a block that has no initial value of its own, where it is declared. ``key`` is that of the block."""

    key: str
    block: str
    name: str
    source: Source
    start: int
    end: int


@state
class Pins:
    """What a file, or several, say of the inputs of blocks. ``given`` has those that get a value in any way, as
    ``BLOCK.PIN``, by the block that declares them.
    """

    calls: list[CallMade] = fresh(default_factory=list)
    open: list[OpenInput] = fresh(default_factory=list)
    given: set[str] = fresh(default_factory=set)

    def add(self, other: Pins) -> None:
        """Take over what other files say."""
        self.calls += other.calls
        self.open += other.open
        self.given |= other.given


def pins_by_source(facts: Facts) -> dict[Source, Pins]:
    """What each file says of the inputs of blocks."""
    found: dict[Source, Pins] = {}
    for call in _calls_made(facts):
        found.setdefault(call.source, Pins()).calls.append(call)
    for block in facts.units:
        inherited = block.base.variables if block.base else {}
        for pin in block.section("input") if block.kind == "FUNCTION_BLOCK" else ():
            if pin.key in inherited:
                continue
            if not pin.has_initial and pin.key != "EN" and not block.has_mistakes:
                declared = OpenInput(block.key, block.full_name, pin.name, block.source, pin.start, pin.end)
                found.setdefault(block.source, Pins()).open.append(declared)
            for write in facts.uses(pin).writes:
                found.setdefault(write.unit.source, Pins()).given.add(f"{block.key}.{pin.key}")
    return found


def _calls_made(facts: Facts) -> Iterator[CallMade]:
    """The calls of the instances of all blocks of the library, and of global instances of any block."""
    for unit in facts.called_units():
        pins = [pin for pin in unit.section("input") if not pin.has_initial and pin.key != "EN"]
        if unit.kind != "FUNCTION_BLOCK":
            continue
        names = () if unit.is_standard else tuple(pin.name for pin in pins)
        presets = tuple(pin.name for pin in pins if pin in facts.presets(unit))
        seen: set[object] = set()
        for flow, call in facts.calls_of(unit):
            where = flow.unit.source.path, call.origin.start
            if (
                call.location is None
                or call.is_made
                or root_of(call.location).section == "this"
                or not seen.isdisjoint(((flow, call.location), where))
            ):
                continue
            seen.update(((flow, call.location), where))
            given = tuple(pin.name for pin in pins if pin in call.inputs or _is_set(flow, call, pin))
            root = root_of(call.location)
            shared = root.name if root.section == "global" else ""
            if not names and not shared:
                continue
            start = call.origin.start
            end = max(start + 1, call.origin.end)
            place = (flow.unit.full_name, flow.unit.source, start, end)
            blocks = tuple(above.key for above in unit.ancestors)
            yield CallMade(blocks, root.name, *place, names, given, presets, shared)


def check_open(pins: Pins, given: Given) -> Iterator[Finding]:
    """Report inputs without an initial value that no call gives; ``given`` are the initial values of instances."""
    calls: dict[str, list[CallMade]] = {}
    for call in pins.calls:
        for block in call.blocks:
            calls.setdefault(block, []).append(call)
    for pin in pins.open:
        used = calls.get(pin.key, ())
        name = pin.name.upper()
        is_given = f"{pin.key}.{name}" in pins.given or name in given or any(pin.name in call.presets for call in used)
        if used and not is_given:
            yield words.input_never_given(pin.block, pin.name, len(used)).told(pin.source, pin.start, pin.end)


def check_odd(calls: Iterable[CallMade]) -> Iterator[Finding]:
    """Report inputs without an initial value that a call does not give, where nearly all other instances have it."""
    by_block: dict[str, list[CallMade]] = {}
    for call in calls:
        by_block.setdefault(call.blocks[0], []).append(call)
    for called in by_block.values():
        called.sort(key=lambda call: (call.source.path, call.start))
        yield from _several_units(called)
        for pin in called[0].inputs:
            if pin in called[0].presets:
                for call in called:
                    if pin not in call.given:
                        yield words.preset_left_open(call.instance, pin).told(call.source, call.start, call.end)
                continue
            left = [call for call in called if pin not in call.given]
            given = len(called) - len(left)
            for call in left[:_MOST_TOLD] if given else ():
                said = words.input_left_open(call.instance, pin, given, len(called) - 1)
                finding = said.told(call.source, call.start, call.end)
                is_odd = len(called) >= _FEWEST and len(left) * _MOST_ODD <= len(called)
                yield finding if is_odd else doubtful(finding)


def _several_units(called: Sequence[CallMade]) -> Iterator[Finding]:
    """Global instances that more than one unit calls."""
    by_name: dict[str, list[CallMade]] = {}
    for call in called:
        if call.shared:
            by_name.setdefault(call.shared.upper(), []).append(call)
    for calls in by_name.values():
        first = calls[0]
        other = next((call for call in calls if call.unit != first.unit), None)
        if other is not None:
            related = Related(first.source, first.start, first.end, f"{first.unit} calls it here")
            said = words.called_by_two(first.shared, first.unit, other.unit)
            yield said.told(other.source, other.start, other.end, related)


def _is_set(flow: Flow, call: Call, pin: typed.Variable) -> bool:
    """Whether a pin gets its value beside the call, or in another call of the same instance."""
    location = call.location
    assert location is not None
    whole = (*members(location), pin)
    if any(members(write.location) == whole for write in flow.writes_of(root_of(location))):
        return True
    if _gives(root_of(location).initial, pin.key):
        return True
    return any(other.location == location and pin in other.inputs for other in flow.calls_of(root_of(location)))


def _gives(initial: typed.Initial, key: str) -> bool:
    """Whether the initial value of an instance, or of an array of some, gives one to an input."""
    if isinstance(initial, tuple):
        return any(_gives(element, key) for element in initial)
    return isinstance(initial, dict) and key in initial
