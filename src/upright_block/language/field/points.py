"""Points, and the areas of memory that they lie in: inputs, outputs, and memory that any body may use."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from typing import cast

from upright_block.language import syntax
from upright_block.language.field.addresses import WIDTHS, Address, Area
from upright_block.language.limits import MOST_POINT_BYTES
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, fresh, record, state
from upright_block.language.source import Source
from upright_block.language.typed import (
    Assign,
    AssignPart,
    CallStandard,
    Constant,
    Convert,
    Element,
    Expression,
    Load,
    Part,
    Place,
    Statement,
    Structure,
    Variable,
)
from upright_block.language.types import BOOL, BYTE, DINT, DWORD, LWORD, WORD, Elementary, Swapped, Type, array_type

AREAS: dict[Area, str] = {"I": "input", "Q": "output", "M": "memory"}
"""What the areas are called, by their letter (table 16)."""
TYPES: dict[int, Elementary] = {1: BOOL, 8: BYTE, 16: WORD, 32: DWORD, 64: LWORD}
"""The types of what has an address and no other type, by their bits."""
WIDE_ENOUGH = {1: "%IX0.0", 8: "%IB0", 16: "%IW0", 32: "%ID0", 64: "%IL0"}
"""What an address of each width looks like."""
_SWAPPED = {bits: Swapped(type_.name, type_.family, bits) for bits, type_ in TYPES.items()}
_WHOLE_AREA = array_type(BYTE, ((0, MOST_POINT_BYTES - 1),))


@record
class PointRules:
    """What the manifest says of points.

    ``counts_elements`` says that the number of a word counts words, and not bytes; ``is_big`` that the byte with the
    lower number is the higher half; ``faults`` that a value beyond the range of an output stops the scan.
    """

    counts_elements: bool = False
    is_big: bool = False
    faults: bool = False


@record
class Point:
    """Bits of an area: ``width`` of them from ``start`` on, which counts the bits from the first byte."""

    area: Area
    start: int
    width: int

    @property
    def end(self) -> int:
        """The bit behind its last."""
        return self.start + self.width

    @property
    def byte(self) -> int:
        """The number of its first byte."""
        return self.start // 8

    @property
    def bytes(self) -> range:
        """The numbers of all bytes that it has bits of."""
        return range(self.byte, -(-self.end // 8))

    def overlaps(self, other: Point) -> bool:
        """Whether two points share bits."""
        return self.area == other.area and self.start < other.end and other.start < self.end


@Side
def _settled(_: Structure) -> Points | None:
    """The points among global variables, once all of them are known."""
    return None


def points_of(shared: Structure | None) -> Points | None:
    """The points among the global variables of a library, once all of them are known."""
    return _settled(shared) if shared is not None else None


@state
class Points:
    """How points are counted, and the areas that something names, as hidden ones of the ``globals`` of a library;
    ``tags`` are those of it.
    """

    rules: PointRules = PointRules()
    globals: Structure = fresh(default_factory=lambda: Structure("global variables", Source("", ""), is_globals=True))
    areas: dict[Area, Variable] = fresh(default_factory=dict)
    sizes: dict[Area, int] = fresh(default_factory=dict)
    is_settled: bool = False

    def point(self, address: Address) -> Point:
        """Where an address lies, with its part; in a word the order of bytes decides which byte a part is in."""
        area, size, first = address.area, address.size, address.numbers[0]
        if size == "X":
            return Point(area, first * 8 + address.numbers[1], 1)
        width = WIDTHS[size]
        start = first * (width if self.rules.counts_elements else 8)
        whole = Point(area, start, width)
        if address.part is None:
            return whole
        own = WIDTHS[address.part[0]]
        return self.part(whole, address.part[1] * own, own)

    def part(self, whole: Point, shift: int, width: int) -> Point:
        """``width`` bits of what lies at a point, from bit ``shift`` on; the order of bytes says where they are."""
        if self.rules.is_big:
            shift = whole.width - max(shift + width, shift // 8 * 8 + 8) + shift % 8
        return Point(whole.area, whole.start + shift, width)

    def shown(self, point: Point) -> str:
        """The address of a point."""
        if point.width == 1:
            return f"%{point.area}X{point.byte}.{point.start % 8}"
        size = next(letter for letter, width in WIDTHS.items() if width == point.width)
        number = point.start // (point.width if self.rules.counts_elements else 8)
        return f"%{point.area}{size}{number}"

    def has(self, point: Point) -> bool:
        """Whether the area has such a point: once all is read, one with a byte that something names; a word may go
        beyond the last.
        """
        if not self.is_settled:
            return point.end <= MOST_POINT_BYTES * 8
        named = self.sizes.get(point.area, 0)
        return point.byte < named and point.end <= _room(named) * 8

    def place(self, point: Point, type_: Type, origin: syntax.Node = syntax.NO_PLACE) -> Place:
        """The bytes of a point as a value of a type; of a bit the byte that it is in."""
        area = self.reach(point)
        step = Element(_WHOLE_AREA, (Constant(DINT, point.byte),), 0)
        return Place(area, (step,), type_, origin)

    def type_of(self, point: Point) -> Elementary:
        """What a point holds that has no other type, as it stands in memory."""
        return _SWAPPED[point.width] if self.is_swapped(point) else TYPES[point.width]

    def settle(self, rests: Iterable[tuple[Point, Value, Elementary]]) -> None:
        """Give each area the size that it needs, once all is read, and what its points have at the start."""
        self.is_settled = True
        _settled.put(self.globals, self)
        rests = list(rests)
        for letter, area in self.areas.items():
            size = _room(self.sizes[letter])
            area.type = array_type(BYTE, ((0, size - 1),))
            content = bytearray(size)
            for point, value, type_ in rests:
                if point.area == letter:
                    self._put(content, point, value, type_)
            area.initial = tuple(content)

    def _put(self, content: bytearray, point: Point, value: Value, type_: Elementary) -> None:
        """Put a value to its point in the bytes of an area."""
        if point.width == 1:
            content[point.byte] |= bool(value) << point.start % 8
            return
        size = point.width // 8
        if type_.family == "real":
            held = struct.pack("<f" if size == 4 else "<d", value)
        else:
            held = (int(value) & (1 << point.width) - 1).to_bytes(size, "little")
        content[point.byte : point.byte + size] = held[::-1] if self.rules.is_big else held

    def reach(self, point: Point) -> Variable:
        """The area of a point, which becomes as large as it must be."""
        area = self.areas.get(point.area)
        if area is None:
            name = f"%{point.area}"
            area = Variable(name, "global", _WHOLE_AREA, ())
            self.areas[point.area] = self.globals.variables[name] = area
        self.sizes[point.area] = max(self.sizes.get(point.area, 0), -(-point.end // 8))
        return area

    def load(self, point: Point, type_: Elementary, origin: syntax.Node = syntax.NO_PLACE) -> Expression:
        """The value of a type at a point as wide as it."""
        if point.width == 1:
            return Part(BOOL, Load(BYTE, self.place(point, BYTE, origin)), point.start % 8)
        if not self.is_swapped(point):
            return Load(type_.base, self.place(point, type_, origin))
        bits = TYPES[point.width]
        held = CallStandard(bits, "FROM_BIG_ENDIAN", (Load(bits, self.place(point, bits, origin)),), 0)
        return held if type_ is bits else Convert(type_, held, 0)

    def store(
        self, point: Point, value: Expression, origin: syntax.Node = syntax.NO_PLACE, named: syntax.Node | None = None
    ) -> Statement:
        """A value put to a point as wide as it, which is ``named`` there."""
        at = named or origin
        if point.width == 1:
            return AssignPart(origin, self.place(point, BYTE, at), BOOL, point.start % 8, value)
        if not self.is_swapped(point):
            return Assign(origin, self.place(point, value.type, at), value)
        bits = TYPES[point.width]
        held = value if value.type is bits else Convert(bits, value, 0)
        return Assign(origin, self.place(point, bits, at), CallStandard(bits, "TO_BIG_ENDIAN", (held,), 0))

    def is_swapped(self, point: Point) -> bool:
        """Whether the bytes of a point stand in the other order than those of a value in memory."""
        return self.rules.is_big and point.width > 8


def point_at(place: Place) -> Point | None:
    """The point that a place in an area is, where the text says which."""
    if not place.root.is_area or len(place.steps) != 1 or not isinstance(place.type, Elementary):
        return None
    step = place.steps[0]
    index = step.indices[0] if isinstance(step, Element) else None
    if not isinstance(index, Constant):
        return None
    return Point(cast("Area", place.root.name[1:]), int(index.value) * 8, place.type.bits)


def _room(size: int) -> int:
    """Bytes of an area of which something names so many: a word that begins in one of them lies inside."""
    return size + max(TYPES) // 8 - 1
