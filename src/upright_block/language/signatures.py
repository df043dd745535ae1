"""What the checker knows of a standard function: the names and types of its pins.

A type is elementary, or ``T`` bound to a generic type: all pins of type T take the nearest type
common to their arguments. IEC 61131-3:2013, 6.6.1.7 and 6.6.2.
"""

from __future__ import annotations

from dataclasses import dataclass

from upright_block.language.types import Elementary

SameType = None
"""Stands for T, the common type of all pins that have no type of their own."""


@dataclass(frozen=True, slots=True)
class Pin:
    name: str
    type: Elementary | None = SameType


@dataclass(frozen=True, slots=True)
class StandardFunction:
    """``group`` bounds T. With ``extensible`` the last pin repeats, counting up its number (``IN2``, ``IN3``)."""

    name: str
    pins: tuple[Pin, ...]
    result: Elementary | None = SameType
    group: str = "ANY_ELEMENTARY"
    extensible: bool = False

    def pin(self, index: int) -> Pin | None:
        """The pin at ``index``, or None when there are fewer."""
        if index < len(self.pins):
            return self.pins[index]
        if not self.extensible:
            return None
        last = self.pins[-1].name
        stem = last.rstrip("0123456789")
        return Pin(f"{stem}{int(last[len(stem) :]) + index - len(self.pins) + 1}", self.pins[-1].type)

    def index(self, name: str) -> int | None:
        """The place of the pin called ``name``, or None."""
        for i in range(len(self.pins) + 100 * self.extensible):
            pin = self.pin(i)
            if pin is not None and pin.name == name.upper():
                return i
        return None
