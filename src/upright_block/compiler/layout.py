"""Where every variable of every instance lives in the module's memory.

An instance is one run of bytes; an instance inside it is a run inside that run. So a dotted path is
an offset, known before the run, and all instances can be watched, saved and restored as bytes.
Numbers are little-endian, as WebAssembly has them.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from upright_block.language.literals import Value
from upright_block.language.typed import Unit, Variable
from upright_block.language.types import Elementary

_INTEGER_CODES = {8: "b", 16: "h", 32: "i", 64: "q"}


def code(type_: Elementary) -> str:
    """The letter that `struct` and NumPy have for the type, with its byte order (``<h`` for INT)."""
    if type_.family == "bool":
        return "?"
    if type_.family == "real":
        return "<f" if type_.bits == 32 else "<d"
    letter = _INTEGER_CODES[type_.bits]
    return "<" + (letter if type_.family in ("signed", "duration") else letter.upper())


def encode(value: Value, type_: Elementary) -> bytes:
    """The bytes of a value in memory."""
    return struct.pack(code(type_), value)


@dataclass(frozen=True, slots=True)
class Slot:
    """A typed place in memory, ``offset`` bytes from the start of the outermost instance.

    A constant has no place; its offset is -1.
    """

    path: str
    offset: int
    variable: Variable

    @property
    def type(self) -> Elementary:
        assert isinstance(self.variable.type, Elementary)
        return self.variable.type


@dataclass(frozen=True, slots=True)
class Layout:
    """The instance data of a block: an offset for each variable, and the bytes it starts with."""

    unit: Unit
    size: int
    alignment: int
    offsets: dict[Variable, int]
    initial: bytes


_layouts: dict[int, tuple[Unit, Layout]] = {}


def layout_of(unit: Unit) -> Layout:
    """The layout of a unit: the widest variables first, so that nothing is lost to alignment.

    Constants are part of the code and take no memory.
    """
    known = _layouts.get(id(unit))
    if known is not None and known[0] is unit:
        return known[1]
    layout = _lay_out(unit)
    _layouts[id(unit)] = (unit, layout)
    return layout


def _lay_out(unit: Unit) -> Layout:
    data = bytearray()
    alignment = 1
    offsets: dict[Variable, int] = {}
    stored = [variable for variable in unit.variables.values() if not variable.constant]
    for variable in sorted(stored, key=lambda v: -_alignment(v.type)):
        own = _alignment(variable.type)
        data += bytes(-len(data) % own)
        offsets[variable] = len(data)
        data += _initial(variable)
        alignment = max(alignment, own)
    data += bytes(-len(data) % alignment)
    return Layout(unit, len(data), alignment, offsets, bytes(data))


def _alignment(type_: Elementary | Unit) -> int:
    return type_.bits // 8 if isinstance(type_, Elementary) else layout_of(type_).alignment


def _initial(variable: Variable) -> bytes:
    if isinstance(variable.type, Unit):
        return layout_of(variable.type).initial
    assert variable.initial is not None
    return encode(variable.initial, variable.type)


def slots(unit: Unit, prefix: str = "", offset: int = 0) -> Iterator[Slot]:
    """Every elementary variable of an instance and of the instances inside it, as they are declared."""
    offsets = layout_of(unit).offsets
    for variable in unit.variables.values():
        if variable.constant:
            continue
        path, at = prefix + variable.name, offsets[variable]
        if isinstance(variable.type, Unit):
            yield from slots(variable.type, path + ".", offset + at)
        else:
            yield Slot(path, offset + at, variable)


@lru_cache(maxsize=100_000)
def find_slot(unit: Unit, path: str) -> Slot | None:
    """The slot that a dotted path leads to, letter case ignored; None when it leads nowhere."""
    offset = 0
    names: list[str] = []
    owner: Unit | Elementary = unit
    variable: Variable | None = None
    for name in path.split("."):
        if not isinstance(owner, Unit):
            return None
        variable = owner.variables.get(name.strip().upper())
        if variable is None:
            return None
        offset = -1 if variable.constant else offset + layout_of(owner).offsets[variable]
        names.append(variable.name)
        owner = variable.type
    if variable is None or isinstance(owner, Unit):
        return None
    return Slot(".".join(names), offset, variable)


def instance_at(unit: Unit, offset: int, wanted: Unit) -> str | None:
    """The dotted path of the instance of ``wanted`` that begins ``offset`` bytes into one of ``unit``.

    The empty text is the outermost instance itself; None means that there is none.
    """
    if unit is wanted and offset == 0:
        return ""
    for variable, at in layout_of(unit).offsets.items():
        inner = variable.type
        if isinstance(inner, Unit) and at <= offset < at + max(layout_of(inner).size, 1):
            rest = instance_at(inner, offset - at, wanted)
            if rest is not None:
                return variable.name + ("." + rest if rest else "")
    return None
