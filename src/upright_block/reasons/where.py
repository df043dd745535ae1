"""From an address in the memory of a program to what lies there."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator

from upright_block.compiler.artifact import Slot, indexed, joined
from upright_block.compiler.layout import DATA, layout_of, size_of
from upright_block.compiler.program import Program
from upright_block.language import typed
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, node
from upright_block.language.types import BOOL, BYTE, Array, Elementary, String, Type
from upright_block.runs.trails import Scan


@node
class Here:
    """A single value at an address: its path, as signals have it, and its type; a ``bit`` of the byte there, or all of
    it.
    """

    path: str
    type: Type
    address: int
    bit: int | None = None

    def bit_of(self, number: int) -> Here:
        """One of its bits."""
        return Here(f"{self.path}.{number}", BOOL, self.address + number // 8, number % 8)

    @property
    def end(self) -> int:
        """The address behind it."""
        return self.address + (1 if self.bit is not None else size_of(self.type))

    @property
    def slot(self) -> Slot:
        """The same, as machines have it."""
        return Slot(self.path, self.type, self.address - DATA, self.bit)

    def content(self, trail: Scan, at: int) -> bytes:
        """What it was before an entry of the trail of a scan, as bytes."""
        part = trail.part(self.address, self.end, at)
        return part if self.bit is None else bytes([part[0] >> self.bit & 1])

    def read(self, trail: Scan, at: int) -> Value:
        """What it was before an entry of the trail of a scan."""
        return self.slot.decode(trail.part(self.address, self.end, at), 0)

    def value(self, memory: bytes | bytearray) -> Value:
        """What it holds in a memory."""
        return self.slot.decode(memoryview(memory), self.address)


class Where:
    """Which values of the subject of a program, and of what is around it, lie at which addresses."""

    def __init__(self, program: Program) -> None:
        offsets = layout_of(program.root).offsets
        held: list[tuple[int, str, Type]] = [(offsets[program.inside], "", program.subject)]
        held += [(offsets[target], pin.name, target.type) for pin, target in program.targets.items()]
        held += [(offset, variable.name, variable.type) for variable, offset in program.outer.items()]
        held.sort(key=lambda one: one[0])
        self._held = held
        self._starts = [start for start, _, _ in held]

    def at(self, address: int) -> Here | None:
        """What lies at an address; None for what is no variable of the subject or of the library."""
        offset = address - DATA
        number = bisect_right(self._starts, offset) - 1
        if number < 0:
            return None
        start, path, type_ = self._held[number]
        if path[:1] == "%" and 0 <= offset - start < size_of(type_):  # the bytes of the points of an area
            return Here(f"{path}B{offset - start}", BYTE, address)
        return _inside(type_, path, DATA + start, address)

    def between(self, start: int, end: int) -> Iterator[Here]:
        """What lies, wholly or in part, between two addresses."""
        while start < end:
            here = self.at(start)
            if here is not None:
                yield here
                start = max(here.end, start + 1)
            else:
                start += 1


def _inside(type_: Type, path: str, at: int, address: int) -> Here | None:
    """The single value of a value at ``at`` that lies at an address."""
    while True:
        if not at <= address < at + size_of(type_):
            return None
        match type_:
            case Elementary() | String():
                return Here(path, type_, at)
            case Array():
                number = (address - at) // size_of(type_.element)
                at += number * size_of(type_.element)
                path, type_ = joined(path, indexed(type_.bounds, number)), type_.element
            case typed.Compound():
                starts, variables = _by_offset(type_)
                number = bisect_right(starts, address - at) - 1
                if number < 0 or variables[number].section == "in_out":
                    return None
                variable = variables[number]
                at, path, type_ = at + starts[number], joined(path, variable.name), variable.type
            case _:
                return None


@Side
def _by_offset(holder: typed.Compound) -> tuple[list[int], list[typed.Variable]]:
    """The variables of an instance or a structure in the order in which they lie."""
    found = sorted(layout_of(holder).offsets.items(), key=lambda one: one[1])
    return [offset for _, offset in found], [variable for variable, _ in found]
