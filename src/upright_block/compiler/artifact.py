"""A compiled program as plain data: all that a machine needs, which can be pickled and run in another process."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from upright_block.compiler.layout import decode, encode, size_of
from upright_block.language.literals import Value
from upright_block.language.nodes import node, record
from upright_block.language.source import Source
from upright_block.language.types import Type

Kind = Literal["statement", "branch", "state", "transition", "timer"]
"""What kind of thing can be reached."""
Span = tuple[int, int]
"""Where a part of the data begins and ends, in bytes."""


@record
class Slot:
    """A value in memory, at the path that leads to it: ``offset`` bytes from the start of the data.

    ``bit`` is the number of a bit in the byte there. A constant without memory has offset -1. ``is_driven`` says that a
    column of it drives.
    """

    path: str
    type: Type
    offset: int
    bit: int | None = None
    is_driven: bool = False

    def encode(self, value: Value) -> bytes:
        """The bytes of a value; of a bit its byte, and the mask of the bits that count."""
        if self.bit is None:
            return encode(value, self.type)
        return bytes([int(bool(value)) << self.bit, 1 << self.bit, 0])

    def decode(self, data: bytes | memoryview, start: int) -> Value:
        """The value whose bytes begin at ``start``."""
        if self.bit is None:
            return decode(data, start, self.type)
        return bool(data[start] >> self.bit & 1)

    @property
    def size(self) -> int:
        """Bytes that hold the value."""
        return 1 if self.bit is not None else size_of(self.type)


@node
class UnitName:
    """What is told of a unit when it runs: ``number`` is its own in the module, ``holder`` the key of the unit that it
    is a part of.

    ``is_written`` says that it stands in the library, and was not made to look at something.
    """

    number: int
    kind: str
    name: str
    key: str
    holder: str
    source: Source
    is_standard: bool
    keeps_data: bool
    is_written: bool


@record
class InUnit:
    """A place in the text of a unit."""

    unit: UnitName
    start: int

    @property
    def source(self) -> Source:
        """The text that it is in."""
        return self.unit.source

    @property
    def line(self) -> int:
        """Its line, from 1."""
        return self.source.line(self.start)

    @property
    def shown_line(self) -> str:
        """Its file and its line, for people."""
        return self.source.shown_line(self.start)


@record
class Site(InUnit):
    """A place in a source that can fault, and how."""

    kind: str


@record
class Reachable(InUnit):
    """Something that a run can reach, at its place: a statement, one way of a branch, a step, a transition, the end of
    a timer's time.

    ``way`` is what leads this way, the name of the step, the transition or the timer, and empty for a statement.
    """

    kind: Kind
    way: str


@record
class Remains:
    """Parts of the data of a program. IEC 61131-3:2013, 6.5.6.

    ``retained`` keeps its values over a loss of power; ``outside`` is not the controller's own: inputs, what in-outs
    refer to, the rig, and what looks at it. ``rests`` has what outputs are while nothing runs, with their offsets: no
    current, zero.
    """

    retained: tuple[Span, ...]
    outside: tuple[Span, ...]
    rests: tuple[tuple[int, bytes], ...]


@node
class Held:
    """Which instances lie in a value of ``size`` bytes: one of the unit of a number, those of its ``members``, or of
    its elements.

    A member stands with its name and its offset; elements are alike, ``bounds`` are those of the array.
    """

    unit: int | None
    size: int
    members: tuple[tuple[str, int, Held], ...] = ()
    element: Held | None = None
    bounds: tuple[tuple[int, int], ...] = ()

    def __repr__(self) -> str:
        return f"Held({self.unit}, {self.size} bytes)"  # what lies in it stands in many places

    def path_to(self, offset: int, wanted: int) -> str | None:
        """The path of the instance of a unit, by its number, that begins at an offset; empty for this value, None where
        there is none.
        """
        if offset < 0:
            return None
        if offset == 0 and self.unit == wanted:
            return ""
        if self.element is not None:
            number, rest = divmod(offset, max(self.element.size, 1))
            found = self.element.path_to(rest, wanted) if number < self._count else None
            return None if found is None else joined(indexed(self.bounds, number), found)
        for name, start, inner in self.members:
            if start <= offset < start + max(inner.size, 1):
                found = inner.path_to(offset - start, wanted)
                if found is not None:
                    return joined(name, found)
        return None

    @property
    def _count(self) -> int:
        count = 1
        for low, high in self.bounds:
            count *= high - low + 1
        return count

    def units(self) -> Iterator[int]:
        """The numbers of all units that instances in it may be of."""
        waiting, seen = [self], set[int]()
        while waiting:
            held = waiting.pop()
            if id(held) not in seen:
                seen.add(id(held))
                if held.unit is not None:
                    yield held.unit
                waiting += [inner for _, _, inner in held.members]
                waiting += [held.element] if held.element is not None else []


def indexed(bounds: Sequence[tuple[int, int]], number: int) -> str:
    """The indices of an element, as they are written, from its number in memory."""
    found: list[int] = []
    for low, high in reversed(bounds):
        number, rest = divmod(number, high - low + 1)
        found.append(low + rest)
    return f"[{','.join(map(str, reversed(found)))}]"


def joined(path: str, rest: str) -> str:
    """A path with what follows in it."""
    return path + ("." if path and rest and rest[0] != "[" else "") + rest


@node
class Artifact:
    """A compiled program; its data begins at address `layout.DATA`, and is ``initial`` before the first scan.

    ``text`` is the module; ``is_large`` says that a function of it is too large to be compiled with care. It uses
    memory up to ``end``. At ``writers``, where it is not 0, lies for each byte of data the number of the site that
    wrote there last, in four bytes, -1 where that has none. At ``forces``, where it is not 0, lie three bytes for each
    one below, see ``forces.wat``; ``below`` is how many they are. From ``reached`` on lies a byte for each of the
    ``points``, which is not 0 once it was reached, in the instance at a path; a function has none, and what nothing can
    reach is None. Fault site n is ``sites[n - 1]``; ``begin`` is where the subject stands. ``units`` stand at their
    numbers.

    ``probes`` are the values of the probes, which lie from ``own`` on. ``phase``, ``group``, ``done`` and ``steps`` are
    as `program.Program` has them. ``slots`` are the values that plans name. With
    ``has_trail`` scans leave a trail.
    """

    units: tuple[UnitName, ...]
    subject: UnitName
    begin: Site
    text: str
    is_large: bool
    initial: bytes
    own: int
    end: int
    writers: int
    forces: int
    below: int
    sites: tuple[Site, ...]
    points: tuple[tuple[Reachable, str | None] | None, ...]
    reached: int
    held: Held
    remains: Remains
    has_rig: bool
    probes: tuple[Slot, ...]
    phase: Slot | None
    group: Slot | None
    done: Slot | None
    steps: tuple[tuple[int, Slot | None] | None, ...]
    slots: Mapping[str, Slot]
    has_trail: bool

    def __repr__(self) -> str:
        return f"Artifact({self.subject.name!r}, {len(self.text):,} characters)"
