"""What a controller keeps over a loss of power: the values, how many bytes they take, and what they begin with."""

from __future__ import annotations

from bisect import bisect_right

from upright_block.compiler.layout import size_of
from upright_block.compiler.program import make_program
from upright_block.compiler.remaining import remains
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.signals import Signal, own_signals, shared_signals, values_in
from upright_block.language.typed import Unit
from upright_block.language.types import Array


@record
class Retained:
    """A value that is kept over a loss of power, or a large array of some, whose ``initial`` value is left out."""

    signal: Signal
    size: int
    initial: Value | None


def retained(unit: Unit) -> list[Retained]:
    """The values of a configuration, or of another unit, that are kept, in the order of their paths."""
    program = make_program(unit)
    spans = sorted(remains(program).retained)
    starts = [start for start, _ in spans]
    found: list[Retained] = []
    places = (*shared_signals(unit), *own_signals(unit))
    for signal in {s.path: s for place in places for s in values_in(place, keeps_large=True)}.values():
        if signal.variable.is_code:
            continue
        slot, size = program.slot(signal), size_of(signal.type)
        at = bisect_right(starts, slot.offset) - 1
        if at >= 0 and slot.offset + size <= spans[at][1]:
            initial = None if isinstance(signal.type, Array) else slot.decode(program.initial, slot.offset)
            found.append(Retained(signal, size, initial))
    return sorted(found, key=lambda each: each.signal.path.upper())
