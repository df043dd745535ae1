"""Tags: names for points, with their sense, their range and what they stand for."""

from __future__ import annotations

import struct
from collections.abc import Mapping

from upright_block.language.field.addresses import Area
from upright_block.language.field.points import Point
from upright_block.language.literals import Value
from upright_block.language.nodes import Side, fresh, record, state
from upright_block.language.source import Cell, Source
from upright_block.language.syntax import Expression
from upright_block.language.typed import Initial, Structure, Variable
from upright_block.language.types import Elementary, Type

COLUMNS = (
    "tag",
    "point",
    "type",
    "sense",
    "raw_low",
    "raw_high",
    "low",
    "high",
    "unit",
    "stands_for",
    "comment",
    "area",
    "reaches",
    "initial",
    "retain",
)
"""The columns of a tag table."""


@record
class TagTable:
    """A table as it was read: a row has those cells that say something, by their columns.

    ``is_lost`` says that nobody can tell which names it has; ``has_places`` that some row says where its tag is, or of
    what type.
    """

    source: Source
    rows: tuple[Mapping[str, Cell], ...]
    is_lost: bool = False
    has_places: bool = True


@record
class Scale:
    """The raw range of a point, and the range in the unit of the tag that it stands for."""

    raw_low: int
    raw_high: int
    low: float
    high: float

    def value(self, raw: int) -> float:
        """What a raw number means; beyond the raw range it goes on in the same line."""
        return (raw - self.raw_low) * (self.high - self.low) / (self.raw_high - self.raw_low) + self.low

    def raw(self, value: float) -> int:
        """The nearest raw number of a value, ties to even."""
        return round((value - self.low) * (self.raw_high - self.raw_low) / (self.high - self.low) + self.raw_low)


@state
class Tag:
    """A name of a table, or a global variable AT a point.

    ``variable`` holds its value; of a point of memory, and of what ``stands_for`` something else, it is None and
    ``meaning`` is what the name is short for. What stands for data ``inside`` a program of the configuration has both:
    a variable that follows them wherever programs read it. ``raw`` is what the point holds where there is a ``scale``.
    """

    name: str
    source: Source
    start: int
    end: int
    cells: Mapping[str, Cell] = fresh(default_factory=dict)
    variable: Variable | None = None
    point: Point | None = None
    address: str = ""
    is_negated: bool = False
    scale: Scale | None = None
    raw: Elementary | None = None
    held: Elementary | None = None
    meaning: Expression | None = None
    inside: Variable | None = None
    rest: Initial = None
    is_retained: bool = False

    @property
    def key(self) -> str:
        return self.name.upper()

    @property
    def area(self) -> Area | None:
        """The area of its point."""
        return self.point.area if self.point else None

    def text(self, column: str) -> str:
        """What its row says in a column; empty where it says nothing."""
        cell = self.cells.get(column)
        return cell.text if cell else ""

    @property
    def is_spare(self) -> bool:
        """Whether its row says that nobody should use it."""
        return self.text("reaches").lower() == "spare"

    @property
    def is_open(self) -> bool:
        """Whether it is a variable AT a place that is still open, as ``%I*``, and no row has its name."""
        return self.variable is not None and self.point is None and bool(self.address) and not self.cells

    @property
    def is_bits(self) -> bool:
        """Whether it is a bit string as it stands in its point, whose bits may have names of their own."""
        return self.type is not None and self.type.family == "bits" and self.scale is None

    @property
    def type(self) -> Type | None:
        """The type of its value."""
        return self.variable.type if self.variable is not None else self.held

    def stored(self, value: Value) -> bool | int:
        """What the point has for a value of the tag: a bit, or bits as a number that is not below zero.

        Raises:
            OverflowError: the value is beyond what the point can hold.
        """
        assert self.point is not None
        if self.point.width == 1:
            return bool(value) != self.is_negated
        if self.scale is not None and self.raw is not None:
            value = self.scale.raw(float(value))
            if not self.raw.low <= value <= self.raw.high:
                raise OverflowError(value)
        if isinstance(value, float):
            value = int.from_bytes(struct.pack(_REALS[self.point.width], value), "little")
        return int(value) & (1 << self.point.width) - 1

    def meant(self, stored: bool | int) -> bool | int | float:
        """The value of the tag for what its point has, as `stored` tells that: its inverse, as far as the type is
        exact.
        """
        assert self.point is not None
        if self.point.width == 1:
            return bool(stored) != self.is_negated
        type_, bits = self.type, int(stored)
        is_real = isinstance(type_, Elementary) and type_.family == "real"
        if self.scale is not None and self.raw is not None:
            found = self.scale.value(self.raw.wrap(bits))
            return found if is_real else round(found)
        if is_real:
            (real,) = struct.unpack(_REALS[self.point.width], bits.to_bytes(self.point.width // 8, "little"))
            return float(real)
        return type_.wrap(bits) if isinstance(type_, Elementary) else bits


_REALS = {32: "<f", 64: "<d"}


@Side
def tags_among(_: Structure) -> dict[str, Tag]:
    """The tags among the global variables of a library, by their names in upper case."""
    return {}
