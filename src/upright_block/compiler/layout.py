"""Where every variable of every instance lives in the module's memory.

An instance is one run of bytes; an instance, a structure or an array inside it is a run inside that
run. So a path is an offset, known before the run, and all instances can be watched, saved and restored
as bytes. Numbers are little-endian, as WebAssembly has them.

An in-out is kept as the address of the caller's variable.
"""

from __future__ import annotations

import struct
from itertools import groupby

from upright_block.language.literals import Value
from upright_block.language.nodes import Side, record
from upright_block.language.typed import Compound, Constant, Element, Initial, Unit, Variable, default_of
from upright_block.language.types import STRING_HEAD, UDINT, Array, Elementary, OpenArray, String, Swapped, Type

DATA = 4096
"""Where the data of the outermost instance begins; the header of the driver lies before it."""

_INTEGER_CODES = {8: "b", 16: "h", 32: "i", 64: "q"}


def code(type_: Elementary) -> str:
    """The letter that `struct` and NumPy have for the type, with its byte order (``<h`` for INT)."""
    if type_.family == "bool":
        return "?"
    if type_.family == "real":
        return "<f" if type_.bits == 32 else "<d"
    letter = _INTEGER_CODES[type_.bits]
    return (">" if isinstance(type_, Swapped) else "<") + (letter if type_.is_signed else letter.upper())


def encoding(type_: String) -> str:
    """The name of the encoding of the characters of a text."""
    return "utf-16-le" if type_.width == 2 else "latin-1"


def encode(value: Value, type_: Type) -> bytes:
    """The bytes of a value in memory."""
    if isinstance(type_, String):
        text = str(value)[: type_.capacity]
        content = text.encode(encoding(type_), "replace")
        return (struct.pack("<I", len(text)) + content).ljust(type_.size, b"\0")
    assert isinstance(type_, Elementary)
    return struct.pack(code(type_), value)


def decode(data: bytes | memoryview, offset: int, type_: Type) -> Value:
    """The value in memory at an offset."""
    if isinstance(type_, String):
        length = min(int(struct.unpack_from("<I", data, offset)[0]), type_.capacity)
        start = offset + STRING_HEAD
        return str(bytes(data[start : start + length * type_.width]), encoding(type_), "replace")
    assert isinstance(type_, Elementary)
    value: Value = struct.unpack_from(code(type_), data, offset)[0]
    return value


# --- sizes ---


def size_of(type_: Type) -> int:
    """Bytes that a value takes."""
    if isinstance(type_, Elementary):
        return type_.bits // 8
    if isinstance(type_, (String, OpenArray)):
        return type_.size
    if isinstance(type_, Array):
        return type_.count * size_of(type_.element)
    return layout_of(_compound(type_)).size


def alignment_of(type_: Type) -> int:
    """What the address of a value is a multiple of; its size is one too."""
    if isinstance(type_, Elementary):
        return type_.bits // 8
    if isinstance(type_, (String, OpenArray)):
        return 4
    if isinstance(type_, Array):
        return alignment_of(type_.element)
    return layout_of(_compound(type_)).alignment


def initial_of(type_: Type, initial: Initial) -> bytes:
    """The bytes that a variable starts with."""
    if isinstance(type_, OpenArray):
        return struct.pack("<I", 0) + struct.pack("<ii", 0, -1) * type_.dimensions
    if isinstance(type_, Array):
        if initial is None:
            return initial_of(type_.element, default_of(type_.element)) * type_.count
        assert isinstance(initial, tuple)
        parts: list[bytes] = []
        for _, same in groupby(initial, key=id):  # one value may stand a million times: it is encoded once
            run = list(same)
            parts.append(initial_of(type_.element, run[0]) * len(run))
        return b"".join(parts)
    if isinstance(type_, Compound):
        layout = layout_of(type_)
        if not initial:
            return layout.initial
        assert isinstance(initial, dict)
        data = bytearray(layout.initial)
        for key, value in initial.items():
            variable = type_.variables[key]
            content = initial_of(variable.type, value)
            offset = layout.offsets[variable]
            data[offset : offset + len(content)] = content
        return bytes(data)
    assert isinstance(initial, (bool, int, float, str))
    return encode(initial, type_)


def _compound(type_: Type) -> Compound:
    assert isinstance(type_, Compound)
    return type_


def element_number(step: Element) -> int:
    """The number in memory of an element whose indices are known."""
    assert isinstance(step.array, Array)
    number = 0
    for index, (low, high) in zip(step.indices, step.array.bounds, strict=True):
        assert isinstance(index, Constant)
        number = number * (high - low + 1) + int(index.value) - low
    return number


def held_type(variable: Variable) -> Type:
    """What the memory of a variable holds: of an in-out an address, of an array of any bounds its description."""
    is_address = variable.section == "in_out" and not isinstance(variable.type, OpenArray)
    return UDINT if is_address else variable.type


@record
class Layout:
    """The data of a block or a structure: an offset for each variable, and the bytes it starts with."""

    size: int
    alignment: int
    offsets: dict[Variable, int]
    initial: bytes


@Side
def layout_of(compound: Compound) -> Layout:
    """The layout of a block or a structure: the widest variables first, so that nothing is lost to alignment.

    Constants are part of the code and take no memory, nor do external variables.
    """
    return _lay_out(compound)


def _lay_out(compound: Compound) -> Layout:
    """What is inherited lies first, so that an instance can stand for one of the unit it extends.

    The number of a unit, where it has one, lies at the very start.
    """
    data = bytearray()
    alignment = 1
    offsets: dict[Variable, int] = {}
    number = compound.number if isinstance(compound, Unit) else 0
    if isinstance(compound, Unit) and compound.base is not None:
        inherited = layout_of(compound.base)
        data += inherited.initial
        alignment, offsets = inherited.alignment, dict(inherited.offsets)
    elif number:
        data, alignment = bytearray(4), 4
    stored = [v for v in compound.variables.values() if not (v.is_code or v.section == "external" or v in offsets)]
    for variable in sorted(stored, key=lambda v: -alignment_of(held_type(v))):
        own = alignment_of(held_type(variable))
        data += bytes(-len(data) % own)
        offsets[variable] = len(data)
        held = held_type(variable)
        data += initial_of(held, variable.initial if held is variable.type else 0)
        alignment = max(alignment, own)
    data += bytes(-len(data) % alignment)
    if number:
        struct.pack_into("<I", data, 0, number)
    return Layout(len(data), alignment, offsets, bytes(data))
