"""The elementary types and how they widen. IEC 61131-3:2013, 6.4.2 and figures 5, 11 and 12."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Family = Literal["bool", "signed", "unsigned", "bits", "real", "duration", "untyped", "broken"]


@dataclass(frozen=True, slots=True, eq=False)
class Elementary:
    """A type whose values have no parts; ``bits`` is the width in memory."""

    name: str
    family: Family
    bits: int

    def __repr__(self) -> str:
        return self.name

    @property
    def low(self) -> int:
        """The least value of an integer, bit string, BOOL or duration (ns)."""
        return -(1 << (self.bits - 1)) if self.family in ("signed", "duration") else 0

    @property
    def high(self) -> int:
        """The greatest value of an integer, bit string, BOOL or duration (ns)."""
        if self.family == "bool":
            return 1
        return (1 << (self.bits - (self.family in ("signed", "duration")))) - 1

    def wrap(self, value: int) -> int:
        """``value`` reduced to the width of an integer type, as the machine does it."""
        if self.family == "bool":
            return value & 1
        value &= (1 << self.bits) - 1
        return value - (1 << self.bits) if value > self.high else value


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

UNTYPED_INT = Elementary("an integer literal", "untyped", 0)
UNTYPED_REAL = Elementary("a real literal", "untyped", 0)
BROKEN = Elementary("?", "broken", 0)
"""The type of what was already reported; it agrees with everything."""

ELEMENTARY = {
    t.name: t
    for t in (BOOL, SINT, INT, DINT, LINT, USINT, UINT, UDINT, ULINT, REAL, LREAL, BYTE, WORD, DWORD, LWORD,
              TIME, LTIME)
}  # fmt: skip

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
}
"""Implicit conversions, nearest first (figure 12)."""

_GROUPS = {
    "ANY_INT": ("signed", "unsigned"),
    "ANY_NUM": ("signed", "unsigned", "real"),
    "ANY_REAL": ("real",),
    "ANY_BIT": ("bool", "bits"),
    "ANY_MAGNITUDE": ("signed", "unsigned", "real", "duration"),
    "ANY_ELEMENTARY": ("bool", "signed", "unsigned", "bits", "real", "duration"),
}


def in_group(type_: Elementary, group: str) -> bool:
    """Whether a type belongs to a generic type such as ANY_NUM (figure 5)."""
    return type_.family in _GROUPS[group]


def widens(source: Elementary, target: Elementary) -> bool:
    """Whether ``source`` becomes ``target`` without being asked."""
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
