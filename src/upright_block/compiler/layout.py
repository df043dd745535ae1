"""Where every variable of every instance lives in the module's memory.

An instance is one run of bytes; an instance, a structure or an array inside it is a run inside that
run. So a path is an offset, known before the run, and all instances can be watched, saved and restored
as bytes. Numbers are little-endian, as WebAssembly has them.

Behind the data of the outermost instance lie the variables that its in-outs work on, then the global
variables. An in-out itself is kept as the address of the caller's variable.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby

from upright_block.language.literals import Value
from upright_block.language.typed import Compound, Initial, Unit, Variable, default_of
from upright_block.language.types import STRING_HEAD, UDINT, Array, Elementary, OpenArray, String, Type

FORCES = 128
"""Where the forces of a run begin; the header of the driver lies before them."""
DATA = 4096
"""Where the data of the outermost instance begins."""

_INTEGER_CODES = {8: "b", 16: "h", 32: "i", 64: "q"}
_STEP = re.compile(r"\s*(?:(\.?)\s*([A-Za-z_]\w*)|\[\s*([-+0-9,\s]+?)\s*\])\s*")
_MOST_SHOWN = 256


def code(type_: Elementary) -> str:
    """The letter that `struct` and NumPy have for the type, with its byte order (``<h`` for INT)."""
    if type_.family == "bool":
        return "?"
    if type_.family == "real":
        return "<f" if type_.bits == 32 else "<d"
    letter = _INTEGER_CODES[type_.bits]
    return "<" + (letter if type_.is_signed else letter.upper())


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


def decode(data: bytes | memoryview, at: int, type_: Type) -> Value:
    """The value in memory at an offset."""
    if isinstance(type_, String):
        length = min(int(struct.unpack_from("<I", data, at)[0]), type_.capacity)
        start = at + STRING_HEAD
        return str(bytes(data[start : start + length * type_.width]), encoding(type_), "replace")
    assert isinstance(type_, Elementary)
    value: Value = struct.unpack_from(code(type_), data, at)[0]
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
            at = layout.offsets[variable]
            data[at : at + len(content)] = content
        return bytes(data)
    assert isinstance(initial, (bool, int, float, str))
    return encode(initial, type_)


def _compound(type_: Type) -> Compound:
    assert isinstance(type_, Compound)
    return type_


def held_type(variable: Variable) -> Type:
    """What the memory of a variable holds: of an in-out an address, of an array of any bounds its description."""
    is_address = variable.section == "in_out" and not isinstance(variable.type, OpenArray)
    return UDINT if is_address else variable.type


@dataclass(frozen=True, slots=True)
class Layout:
    """The data of a block or a structure: an offset for each variable, and the bytes it starts with."""

    size: int
    alignment: int
    offsets: dict[Variable, int]
    initial: bytes


_layouts: dict[int, tuple[Compound, Layout]] = {}


def layout_of(compound: Compound) -> Layout:
    """The layout of a block or a structure: the widest variables first, so that nothing is lost to alignment.

    Constants are part of the code and take no memory, nor do external variables.
    """
    known = _layouts.get(id(compound))
    if known is not None and known[0] is compound:
        return known[1]
    layout = _lay_out(compound)
    _layouts[id(compound)] = (compound, layout)
    return layout


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
    stored = [
        v for v in compound.variables.values() if not (v.is_code or v.section == "external" or v in offsets)
    ]
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


# --- all that a run has ---


def closure(root: Unit) -> list[Unit]:
    """The unit and all that it uses, each once; the run gives its in-outs instances to refer to."""
    found = {root.key: root, **root.refers}
    waiting = list(found.values())
    while waiting:
        for used in waiting.pop().uses.values():
            if used.key not in found:
                found[used.key] = used
                waiting.append(used)
    return list(found.values())


@dataclass(frozen=True, slots=True)
class Whole:
    """The data of a run of ``root``: its instance, the variables of its in-outs, the global variables.

    ``outer`` are the offsets of the variables that lie behind the instance.
    """

    root: Unit
    outer: dict[Variable, int]
    initial: bytes


_wholes: dict[int, Whole] = {}


def whole_of(root: Unit) -> Whole:
    """The data of a run of a unit."""
    known = _wholes.get(id(root))
    if known is not None and known.root is root:
        return known
    layout = layout_of(root)
    data = bytearray(layout.initial)
    outer: dict[Variable, int] = {}

    def add(variable: Variable, content: bytes) -> int:
        data.extend(bytes(-len(data) % 8))
        outer[variable] = len(data)
        data.extend(content)
        return outer[variable]

    for variable in root.section("in_out"):
        at = add(variable, initial_of(variable.type, default_of(variable.type)))
        struct.pack_into("<I", data, layout.offsets[variable], DATA + at)
    shares = next((unit.shares for unit in closure(root) if unit.shares), None)
    if shares is not None:
        data.extend(bytes(-len(data) % 8))
        start = len(data)
        shared = layout_of(shares)
        outer |= {variable: start + at for variable, at in shared.offsets.items()}
        data += shared.initial
    whole = Whole(root, outer, bytes(data))
    _wholes[id(root)] = whole
    return whole


# --- paths ---


@dataclass(frozen=True, slots=True)
class Slot:
    """A typed place in memory, ``offset`` bytes from the start of the outermost instance.

    ``root`` is the first variable that the path names, ``variable`` the last one. A constant without memory
    has offset -1.
    """

    path: str
    offset: int
    root: Variable
    variable: Variable
    type: Type

    @property
    def is_pin(self) -> bool:
        """Whether it is a pin of the outermost instance itself, or a part of one."""
        return self.root.section != "private"

    @property
    def is_driven(self) -> bool:
        """Whether a column of it drives: an input of the outermost instance, or a part of one."""
        return self.root.section == "input"


def slots(unit: Unit) -> Iterator[Slot]:
    """Every value of an instance and of what it contains, as declared; large arrays are left out."""
    whole = whole_of(unit)
    offsets = layout_of(unit).offsets
    for variable in unit.variables.values():
        if variable in offsets and not variable.is_hidden:
            at = whole.outer.get(variable, offsets[variable])
            yield from _slots_in(variable, variable, variable.type, variable.name, at)


def _slots_in(root: Variable, variable: Variable, type_: Type, path: str, offset: int) -> Iterator[Slot]:
    if isinstance(type_, Compound):
        offsets = layout_of(type_).offsets
        for inner in type_.variables.values():
            if inner in offsets and inner.section != "in_out" and not inner.is_hidden:
                yield from _slots_in(root, inner, inner.type, f"{path}.{inner.name}", offset + offsets[inner])
    elif isinstance(type_, Array):
        if type_.count <= _MOST_SHOWN:
            stride = size_of(type_.element)
            for number, index in enumerate(_indices(type_)):
                yield from _slots_in(
                    root, variable, type_.element, f"{path}[{index}]", offset + number * stride
                )
    else:
        yield Slot(path, offset, root, variable, type_)


def _indices(array: Array) -> list[str]:
    """The indices of all elements, as they are written, in the order of memory."""
    found = [""]
    for low, high in array.bounds:
        found = [f"{before}{',' if before else ''}{i}" for before in found for i in range(low, high + 1)]
    return found


class NoSlot(Exception):
    """A path leads nowhere. ``at`` is where in its text, ``owner`` what the part before names."""

    def __init__(self, at: int, owner: Type, name: str) -> None:
        super().__init__(name)
        self.at = at
        self.owner = owner
        self.name = name


@lru_cache(maxsize=100_000)
def find_slot(unit: Unit, path: str) -> Slot | None:
    """The slot that a path leads to, letter case ignored; None when it leads to no single value."""
    try:
        slot = slot_at(unit, path)
    except NoSlot:
        return None
    return slot if isinstance(slot.type, (Elementary, String)) else None


def slot_at(unit: Unit, path: str) -> Slot:
    """The place that a path such as ``bays[2].running.ET`` leads to; it may have parts of its own.

    Raises:
        NoSlot: some part of the path names nothing.
    """
    offset, shown = 0, ""
    owner: Type = unit
    root: Variable | None = None
    variable: Variable | None = None
    at = 0
    while at < len(path):
        step = _STEP.match(path, at)
        if step is None or (step[2] and bool(step[1]) != bool(shown)):
            raise NoSlot(at, owner, path[at:])
        if step[3] is not None:
            if not isinstance(owner, Array):
                raise NoSlot(at, owner, step[0].strip())
            indices, number = _element(owner, step[3], at)
            offset += number * size_of(owner.element)
            shown += f"[{indices}]"
            owner = owner.element
        else:
            variable = _named(unit, owner, step[2], bool(shown))
            if variable is None or (variable.is_code and not isinstance(variable.type, (Elementary, String))):
                raise NoSlot(step.start(2), owner, step[2])
            offset = _offset(unit, owner, variable, offset)
            shown += ("." if shown else "") + variable.name
            owner = variable.type
            root = root or variable
        at = step.end()
    if root is None or variable is None:
        raise NoSlot(0, unit, path)
    return Slot(shown, offset, root, variable, owner)


def _named(unit: Unit, owner: Type, name: str, is_inner: bool) -> Variable | None:
    if not isinstance(owner, Compound):
        return None
    found = owner.variables.get(name.upper())
    if found is not None and found.section == "external":
        found = found.shared
    if found is None and not is_inner:
        found = next((v for v in whole_of(unit).outer if v.key == name.upper()), None)
    return None if found is not None and is_inner and found.section == "in_out" else found


def _offset(unit: Unit, owner: Type, variable: Variable, offset: int) -> int:
    if variable.is_code:
        return -1
    if owner is unit and variable in (outer := whole_of(unit).outer):
        return outer[variable]
    return offset + layout_of(_compound(owner)).offsets[variable]


def _element(array: Array, text: str, at: int) -> tuple[str, int]:
    """The indices of an element, and its number in memory."""
    try:
        indices = [int(part) for part in text.split(",")]
    except ValueError:
        raise NoSlot(at, array, f"[{text}]") from None
    in_bounds = len(indices) == len(array.bounds) and all(
        low <= i <= high for i, (low, high) in zip(indices, array.bounds, strict=True)
    )
    if not in_bounds:
        raise NoSlot(at, array, f"[{text}]")
    number = 0
    for i, (low, high) in zip(indices, array.bounds, strict=True):
        number = number * (high - low + 1) + i - low
    return ",".join(map(str, indices)), number


def instance_at(root: Unit, offset: int, wanted: Unit) -> str | None:
    """The path of the instance of ``wanted`` that begins ``offset`` bytes into the data of a run of ``root``.

    The empty text is the outermost instance itself; None means that there is none.
    """
    found = _instance_in(root, offset, wanted)
    return _member_at(whole_of(root).outer, offset, wanted) if found is None else found


def _instance_in(type_: Type, offset: int, wanted: Unit) -> str | None:
    if type_ is wanted and offset == 0:
        return ""
    if isinstance(type_, Array):
        stride = max(size_of(type_.element), 1)
        number = offset // stride
        if number < type_.count and not isinstance(type_.element, (Elementary, String)):
            rest = _instance_in(type_.element, offset - number * stride, wanted)
            if rest is not None:
                return _joined(f"[{_indices(type_)[number]}]", rest)
    if isinstance(type_, Compound):
        own = layout_of(type_).offsets.items()
        return _member_at({v: at for v, at in own if v.section != "in_out"}, offset, wanted)
    return None


def _member_at(offsets: Mapping[Variable, int], offset: int, wanted: Unit) -> str | None:
    """The path to the instance at ``offset`` by way of one of the variables."""
    for variable, at in offsets.items():
        type_ = variable.type
        if not isinstance(type_, (Elementary, String)) and at <= offset < at + max(size_of(type_), 1):
            rest = _instance_in(type_, offset - at, wanted)
            if rest is not None:
                return _joined(variable.name, rest)
    return None


def _joined(path: str, rest: str) -> str:
    return path + ("." if rest and rest[0] != "[" else "") + rest
