"""The code of one unit, which every program that uses the unit can share.

What differs from program to program stands in it as a mark such as ``{s3}``, which `image` fills in: the numbers
of sites, the addresses of data, the values that constants are given.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count

from upright_block.compiler.artifact import Kind
from upright_block.compiler.layout import encode, layout_of
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.compiler.program import Mode
from upright_block.language import typed
from upright_block.language.nodes import Side, fresh, record, state
from upright_block.language.types import Array, Type, string_type


@record
class Noted:
    """What becomes an `artifact.Point`."""

    unit: typed.Unit
    start: int
    kind: Kind
    way: str


@record
class Told:
    """What the number of an entry of a trail means: a statement that begins, or a value in it, of a unit."""

    unit: typed.Unit
    statement: typed.Statement | None
    value: typed.Expression | None


@state
class Code:
    """The functions of a unit as WebAssembly text with marks, and what the marks stand for.

    The mark of each kind counts from 0: ``s`` are ``sites`` (unit, offset, kind), ``d`` are ``data`` (bytes,
    alignment) that nobody changes, ``r`` are ``rooms`` (size, alignment), ``g`` are addresses of global variables,
    ``k`` are instructions that put the value of a constant on the stack, ``p`` are addresses of points, ``l`` those of
    tables of where the points of instances lie, ``t`` those of ``tables`` of addresses, each an offset from a global
    variable or a number. ``u`` are the numbers of ``units``: what they are called in the library is no part of the
    text. ``virtual`` are the methods and bodies that it calls by the kind of the instance. ``e`` are the numbers of
    what it ``tells`` in a trail.
    """

    mode: Mode
    pinned: frozenset[typed.Variable]
    over: Overlay = WRITTEN
    functions: list[str] = fresh(default_factory=list)
    sites: list[tuple[typed.Unit, int, str]] = fresh(default_factory=list)
    data: dict[tuple[bytes, int], str] = fresh(default_factory=dict)
    rooms: list[tuple[int, int]] = fresh(default_factory=list)
    shared: dict[typed.Variable, str] = fresh(default_factory=dict)
    constants: dict[tuple[typed.Variable, Type], str] = fresh(default_factory=dict)
    points: list[tuple[Noted, int | None]] = fresh(default_factory=list)
    tables: list[tuple[tuple[typed.Variable | None, int], ...]] = fresh(default_factory=list)
    units: dict[typed.Unit, str] = fresh(default_factory=dict)
    virtual: dict[typed.Unit, None] = fresh(default_factory=dict)
    tells: list[Told] = fresh(default_factory=list)

    def function(self, unit: typed.Unit) -> str:
        """The name of the function that is the body of a unit."""
        return "u" + self.number(unit)

    def number(self, unit: typed.Unit) -> str:
        """The number of a unit."""
        return self.units.setdefault(unit, f"{{u{len(self.units)}}}")

    def told(self, told: Told) -> str:
        """The number of what is told in a trail."""
        self.tells.append(told)
        return f"{{e{len(self.tells) - 1}}}"

    def site(self, unit: typed.Unit, start: int, kind: str) -> str:
        """The number of a place that can fault."""
        self.sites.append((unit, start, kind))
        return f"{{s{len(self.sites) - 1}}}"

    def constant(self, variable: typed.Variable, type_: Type) -> str:
        """Instructions for the value of a constant, which a case may have given."""
        return self.constants.setdefault((variable, type_), f"{{k{len(self.constants)}}}")

    def room(self, size: int, alignment: int) -> str:
        """The address of so many bytes that nothing else uses."""
        self.rooms.append((size, alignment))
        return f"{{r{len(self.rooms) - 1}}}"

    def known(self, content: bytes, alignment: int) -> str:
        """The address of these bytes, which nobody changes."""
        return self.data.setdefault((content, alignment), f"{{d{len(self.data)}}}")

    def text(self, text: str, width: int) -> str:
        """The address of a constant text."""
        return self.known(encode(text, string_type(width, len(text))), 8)

    def address(self, shared: typed.Variable) -> str:
        """The address of a global variable."""
        return self.shared.setdefault(shared, f"{{g{len(self.shared)}}}")

    def table(self, entries: tuple[tuple[typed.Variable | None, int], ...]) -> str:
        """The address of a table of addresses."""
        self.tables.append(entries)
        return f"{{t{len(self.tables) - 1}}}"

    def point(self, point: Noted) -> tuple[str, int | None]:
        """The address of a byte that says whether a point was reached; of a unit with instances that for none of them,
        and its level.

        The level is that of the table which has for the address of an instance how far its own bytes lie from these.
        """
        owner = point.unit.owner or point.unit
        number = None
        if owner.keeps_data:
            numbers, free = _numbers(owner)
            number = numbers.setdefault(point, next(free))
        self.points.append((point, number))
        return f"{{p{len(self.points) - 1}}}", None if number is None else level_of(owner)

    def dispatched(self, unit: typed.Unit) -> str:
        """The name of the function that calls a method, or runs a body, as the kind of the instance asks for."""
        if not has_kinds(unit.owner or unit):
            return self.function(unit)
        self.virtual[unit] = None
        return f"{self.function(unit)}.by_kind"


@Side
def _numbers(_: typed.Unit) -> tuple[dict[Noted, int], Iterator[int]]:
    """The numbers of the points of a unit, and those that are free."""
    return {}, count()


@Side
def level_of(unit: typed.Unit) -> int:
    """A number in which a unit differs from all whose instances may begin where one of it does: its bases, and what
    lies first in it.
    """
    inner = [*([unit.base] if unit.base else []), *_first_in(unit)]
    return 1 + max(map(level_of, inner), default=-1)


def _first_in(type_: Type) -> Iterator[typed.Unit]:
    """The unit whose instance lies at the very start of a value."""
    if isinstance(type_, Array):
        yield from (type_.element,) if isinstance(type_.element, typed.Unit) else _first_in(type_.element)
    elif isinstance(type_, typed.Compound):
        for variable, offset in layout_of(type_).offsets.items():
            if offset == 0 and variable.section != "in_out":
                inner = variable.type
                yield from (inner,) if isinstance(inner, typed.Unit) else _first_in(inner)


def has_kinds(owner: typed.Unit) -> bool:
    """Whether instances of several units may stand for one of this unit."""
    return owner.number != 0 or owner.kind == "INTERFACE"
