"""The types and how they widen. IEC 61131-3:2013, 6.4 and figures 5, 11 and 12.

There is one object for each type, so types are compared by identity. Structures, blocks and classes
are types too; they have variables of their own and stand in `typed`.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from itertools import product
from typing import Any, Literal, TypeVar

from upright_block.language.nodes import Keeping, Side, node, required

Family = Literal[
    "bool",
    "signed",
    "unsigned",
    "bits",
    "real",
    "duration",
    "date",
    "time of day",
    "date and time",
    "char",
    "enumeration",
    "reference",
    "untyped",
    "broken",
    "text",
    "array",
    "compound",
]
_SIGNED = frozenset({"signed", "duration", "date", "time of day", "date and time"})


class Type:
    """What a variable can be of."""

    __slots__ = ()
    name: str

    @property
    def family(self) -> Family:
        """What kind of values it has."""
        return "compound"

    def __str__(self) -> str:
        return self.name

    def __repr__(self) -> str:
        return self.name


def _named(name: str) -> Elementary:
    return ELEMENTARY[name]


@node
class Elementary(Type):
    """A type whose values have no parts; ``bits`` is the width in memory."""

    name: str
    family: Family = required()
    bits: int = required()

    def __reduce__(self) -> tuple[object, ...]:
        """One that has a name of the standard is the same object wherever it is read again."""
        if ELEMENTARY.get(self.name) is self:
            return _named, (self.name,)
        return type(self), tuple(getattr(self, field) for field in type(self).__match_args__)

    @property
    def low(self) -> int:
        """The least value of a type whose values are integers inside (durations and dates: ns)."""
        return -(1 << (self.bits - 1)) if self.is_signed else 0

    @property
    def high(self) -> int:
        """The greatest value of a type whose values are integers inside (durations and dates: ns)."""
        if self.family == "bool":
            return 1
        return (1 << (self.bits - self.is_signed)) - 1

    @property
    def is_signed(self) -> bool:
        """Whether values below zero exist."""
        return self.family in _SIGNED

    @property
    def default(self) -> bool | int | float:
        """The initial value where none is written (table 10); dates begin at 1970-01-01."""
        return False if self.family == "bool" else 0.0 if self.family == "real" else 0

    @property
    def base(self) -> Elementary:
        """The type that its values are computed as: of a subrange the type it is a range of."""
        return self

    def wrap(self, value: int) -> int:
        """``value`` reduced to the width of an integer type, as the machine does it."""
        if self.family == "bool":
            return value & 1
        value &= (1 << self.bits) - 1
        return value - (1 << self.bits) if self.is_signed and value >> (self.bits - 1) else value


@node
class Subrange(Elementary):
    """A range of an integer type, both ends included; values of it are computed as ``base`` (6.4.4.4)."""

    base: Elementary = required()
    low: int = required()
    high: int = required()

    @property
    def default(self) -> int:
        """Zero where it lies in the range, else the low end (table 10 gives the low end to all)."""
        return self.low if not self.low <= 0 <= self.high else 0


@node
class Swapped(Elementary):
    """A bit string whose bytes stand in memory with the highest first."""


@node
class Enumeration(Elementary):
    """Named values (6.4.4.2, 6.4.4.3). ``key`` of ``members`` is a name in upper case.

    With ``is_open`` a base type was written: the names stand for values of it, and others may be assigned.
    """

    stored: Elementary = required()
    members: dict[str, tuple[str, int]] = required()
    is_open: bool = required()

    @property
    def is_signed(self) -> bool:
        return self.stored.is_signed

    @property
    def default(self) -> int:
        """The first of its values."""
        return next((value for _, value in self.members.values()), 0)

    def name_of(self, value: int) -> str | None:
        """The name of a value, or None when no name stands for it."""
        return next((name for name, known in self.members.values() if known == value), None)


@node
class Reference(Elementary):
    """REF_TO: the address of a variable of type ``target``, or NULL; NULL itself has no target (6.4.4.10)."""

    target: Type | None = required()


@node
class String(Type):
    """STRING or WSTRING of at most ``capacity`` characters (6.4.2.2); a character takes ``width`` bytes.

    In memory: the length as an unsigned 32-bit number, then the characters.
    """

    name: str
    width: int
    capacity: int

    @property
    def family(self) -> Family:
        return "text"

    @property
    def size(self) -> int:
        """Bytes in memory."""
        return -(-(STRING_HEAD + self.width * self.capacity) // 4) * 4

    @property
    def stem(self) -> str:
        """The name without the length."""
        return "WSTRING" if self.width == 2 else "STRING"


@node
class Array(Type):
    """``bounds`` are the low and high index of each dimension; the last one varies fastest (6.4.4.5)."""

    name: str
    element: Type
    bounds: tuple[tuple[int, int], ...]

    @property
    def family(self) -> Family:
        return "array"

    @property
    def count(self) -> int:
        """The number of elements."""
        total = 1
        for low, high in self.bounds:
            total *= high - low + 1
        return total

    def indices(self) -> Iterator[tuple[int, ...]]:
        """The indices of all elements, in the order of memory."""
        return product(*(range(low, high + 1) for low, high in self.bounds))


@node
class OpenArray(Type):
    """``ARRAY [*]``, an in-out that takes arrays of any bounds (6.5.3).

    In memory stand the address of the array, then the low and high index of each dimension as DINT.
    """

    name: str
    element: Type
    dimensions: int

    @property
    def family(self) -> Family:
        return "array"

    @property
    def size(self) -> int:
        """Bytes in memory."""
        return BOUNDS_AT + 8 * self.dimensions

    def takes(self, other: Type) -> bool:
        """Whether an array of another type can be given."""
        return other is self or (
            isinstance(other, Array) and other.element is self.element and len(other.bounds) == self.dimensions
        )


BOUNDS_AT = 4
STRING_HEAD = 4
DEFAULT_LENGTH = 254
"""The capacity of a STRING or WSTRING without a length."""

_T = TypeVar("_T", bound=Type)
_made: dict[Hashable, tuple[Any, Type | None]] = {}


@Side
def _made_of(_: Keeping) -> dict[Hashable, tuple[Any, Type | None]]:
    """The types that were made of a structure or a block."""
    return {}


def _once(key: Hashable, made: _T, part: Type | None = None) -> _T:
    """The one type for ``key``; ``part`` is kept, so that its identity in the key stays its own.

    What is made of a structure or a block is kept there, and ends with it.
    """
    owner: Any = part
    while isinstance(owner, (Array, OpenArray, Reference)):
        owner = owner.target if isinstance(owner, Reference) else owner.element
    kept: dict[Hashable, tuple[Any, Type | None]] = _made
    if hasattr(owner, "kept"):
        kept = _made_of(owner)
    found: _T = kept.setdefault(key, (made, part))[0]
    return found


def string_type(width: int, capacity: int) -> String:
    """STRING (``width`` 1) or WSTRING (2) of a capacity."""
    stem = "WSTRING" if width == 2 else "STRING"
    name = stem if capacity == DEFAULT_LENGTH else f"{stem}[{capacity}]"
    return _once(("string", width, capacity), String(name, width, capacity))


def open_array_type(element: Type, dimensions: int) -> OpenArray:
    """The type of arrays of an element, with any bounds."""
    stars = ", ".join("*" * dimensions)
    made = OpenArray(f"ARRAY [{stars}] OF {element.name}", element, dimensions)
    return _once(("open array", id(element), dimensions), made, element)


def array_type(element: Type, bounds: tuple[tuple[int, int], ...]) -> Array:
    """The array type of an element and bounds."""
    ranges = ", ".join(f"{low}..{high}" for low, high in bounds)
    return _once(("array", id(element), bounds), Array(f"ARRAY [{ranges}] OF {element.name}", element, bounds), element)


def reference_type(target: Type) -> Reference:
    """REF_TO a type."""
    return _once(("reference", id(target)), Reference(f"REF_TO {target.name}", "reference", 32, target), target)


def interface_type(interface: Type) -> Reference:
    """A variable of an interface: a reference to an instance that implements it, or NULL (6.6.6.6)."""
    made = Reference(interface.name, "reference", 32, interface)
    return _once(("interface", id(interface)), made, interface)


def subrange_type(base: Elementary, low: int, high: int) -> Subrange:
    """A range of an integer type."""
    name = f"{base.name} ({low}..{high})"
    return _once(("subrange", id(base), low, high), Subrange(name, base.family, base.bits, base, low, high), base)


BOOL = Elementary("BOOL", "bool", 8)
SINT = Elementary("SINT", "signed", 8)
INT = Elementary("INT", "signed", 16)
DINT = Elementary("DINT", "signed", 32)
LINT = Elementary("LINT", "signed", 64)
USINT = Elementary("USINT", "unsigned", 8)
UINT = Elementary("UINT", "unsigned", 16)
UDINT = Elementary("UDINT", "unsigned", 32)
ULINT = Elementary("ULINT", "unsigned", 64)
REAL = Elementary("REAL", "real", 32)
LREAL = Elementary("LREAL", "real", 64)
BYTE = Elementary("BYTE", "bits", 8)
WORD = Elementary("WORD", "bits", 16)
DWORD = Elementary("DWORD", "bits", 32)
LWORD = Elementary("LWORD", "bits", 64)
TIME = Elementary("TIME", "duration", 64)
LTIME = Elementary("LTIME", "duration", 64)
DATE = Elementary("DATE", "date", 64)
LDATE = Elementary("LDATE", "date", 64)
TOD = Elementary("TOD", "time of day", 64)
LTOD = Elementary("LTOD", "time of day", 64)
DT = Elementary("DT", "date and time", 64)
LDT = Elementary("LDT", "date and time", 64)
CHAR = Elementary("CHAR", "char", 8)
WCHAR = Elementary("WCHAR", "char", 16)
NULL = Reference("NULL", "reference", 32, None)

UNTYPED_INT = Elementary("an integer literal", "untyped", 0)
UNTYPED_REAL = Elementary("a real literal", "untyped", 0)
BROKEN = Elementary("?", "broken", 0)
"""The type of what was already reported; it agrees with everything."""

PARTS = {"X": BOOL, "B": BYTE, "W": WORD, "D": DWORD, "L": LWORD}
"""The parts of a bit string by the letter of their size (table 17)."""
ELEMENTARY = {
    t.name: t
    for t in (
        BOOL,
        SINT,
        INT,
        DINT,
        LINT,
        USINT,
        UINT,
        UDINT,
        ULINT,
        REAL,
        LREAL,
        BYTE,
        WORD,
        DWORD,
        LWORD,
        TIME,
        LTIME,
        DATE,
        LDATE,
        TOD,
        LTOD,
        DT,
        LDT,
        CHAR,
        WCHAR,
    )
}
ELEMENTARY |= {"DATE_AND_TIME": DT, "LDATE_AND_TIME": LDT, "TIME_OF_DAY": TOD, "LTIME_OF_DAY": LTOD}

_WIDENS_TO = {
    SINT: (INT, DINT, LINT, REAL, LREAL),
    INT: (DINT, LINT, REAL, LREAL),
    DINT: (LINT, LREAL),
    USINT: (UINT, INT, UDINT, DINT, ULINT, LINT, REAL, LREAL),
    UINT: (UDINT, DINT, ULINT, LINT, REAL, LREAL),
    UDINT: (ULINT, LINT, LREAL),
    REAL: (LREAL,),
    BOOL: (BYTE, WORD, DWORD, LWORD),
    BYTE: (WORD, DWORD, LWORD),
    WORD: (DWORD, LWORD),
    DWORD: (LWORD,),
    TIME: (LTIME,),
    DATE: (LDATE,),
    TOD: (LTOD,),
    DT: (LDT,),
    CHAR: (WCHAR,),
}
"""Implicit conversions, nearest first (figure 12)."""

_GROUPS: dict[str, tuple[Family, ...]] = {
    "ANY_INT": ("signed", "unsigned"),
    "ANY_NUM": ("signed", "unsigned", "real"),
    "ANY_REAL": ("real",),
    "ANY_BIT": ("bool", "bits"),
    "ANY_BITS": ("bits",),
    "ANY_WORDS": ("bits", "signed", "unsigned"),
    "ANY_MAGNITUDE": ("signed", "unsigned", "real", "duration"),
    "ANY_DURATION": ("duration",),
    "ANY_CHAR": ("char",),
    "ANY_ELEMENTARY": (
        "bool",
        "signed",
        "unsigned",
        "bits",
        "real",
        "duration",
        "date",
        "time of day",
        "date and time",
        "char",
        "enumeration",
    ),
}


def in_group(type_: Elementary, group: str) -> bool:
    """Whether a type belongs to a generic type such as ANY_NUM (figure 5)."""
    return type_.family in _GROUPS[group]


def widens(source: Elementary, target: Elementary) -> bool:
    """Whether ``source`` becomes ``target`` without being asked."""
    if isinstance(source, Enumeration) and source.is_open:
        return target is source.stored or widens(source.stored, target)
    return target in _WIDENS_TO.get(source, ())


def common(a: Elementary, b: Elementary) -> Elementary | None:
    """The nearest type that both are or widen to."""
    if a is b or widens(b, a):
        return a
    if widens(a, b):
        return b
    both = [t for t in _WIDENS_TO.get(a, ()) if t in _WIDENS_TO.get(b, ())]
    return both[0] if both else None


def is_integer(type_: Elementary) -> bool:
    """Whether a type is one of ANY_INT."""
    return type_.family in ("signed", "unsigned")


def is_real(type_: Elementary) -> bool:
    """Whether a type is REAL or LREAL."""
    return type_.family == "real"
