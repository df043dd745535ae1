"""What a controller keeps over a loss of power: the values, how many bytes they take, and what they begin with."""

from __future__ import annotations

from bisect import bisect_right

from upright_block.compiler.program import make_program
from upright_block.compiler.remaining import remains
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.signals import Signal, every_signal
from upright_block.language.typed import Unit


@record
class Retained:
    """A value that is kept over a loss of power."""

    signal: Signal
    size: int
    initial: Value


def retained(unit: Unit) -> list[Retained]:
    """The values of a configuration, or of another unit, that are kept, in the order of their paths."""
    program = make_program(unit)
    spans = sorted(remains(program).retained)
    starts = [start for start, _ in spans]
    found: list[Retained] = []
    for signal in every_signal(unit).values():
        if signal.variable.is_code:
            continue
        slot = program.slot(signal)
        at = bisect_right(starts, slot.offset) - 1
        if at >= 0 and slot.offset + slot.size <= spans[at][1]:
            found.append(Retained(signal, slot.size, slot.decode(program.initial, slot.offset)))
    return sorted(found, key=lambda each: each.signal.path.upper())
