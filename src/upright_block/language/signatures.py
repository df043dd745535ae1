"""What the checker knows of a standard function: the names and types of its pins, and what it is made of.

A pin has an elementary type, or is of a generic type such as ANY_INT for itself, or takes T: all pins of
type T take the nearest type common to their arguments. IEC 61131-3:2013, 6.6.1.7 and 6.6.2.
"""

from __future__ import annotations

import re
from typing import Literal

from upright_block.language.nodes import record
from upright_block.language.types import Elementary

Form = Literal["code", "operator", "chain", "unit", "text", "convert", "bcd", "to text", "from text", "recode"]
"""How it is made: ``code`` of the compiler, an ``operator`` between its inputs, a ``chain`` of comparisons, a
``unit`` in the block language that computes in LREAL, ``code`` whose result is a ``text`` as long as its inputs, or
one that may ``convert`` from any type, and conversions by way of a unit: ``bcd``, ``to text`` and ``from text``, or by
``recode``, to characters of another width."""


@record
class Pin:
    """``group`` is the generic type of a pin that stands for itself; without type and group it is of type T."""

    name: str
    type: Elementary | None = None
    group: str = ""


@record
class StandardFunction:
    """``group`` bounds T. With ``extensible`` the last pin repeats, counting up its number (``IN2``, ``IN3``).

    Without ``result`` the result is of type T. ``operator`` is that of the forms operator and chain.
    """

    name: str
    pins: tuple[Pin, ...]
    result: Elementary | None = None
    group: str = "ANY_ELEMENTARY"
    extensible: bool = False
    form: Form = "code"
    operator: str = ""

    def pin(self, index: int) -> Pin | None:
        """The pin at ``index``, or None when there are fewer."""
        if index < len(self.pins):
            return self.pins[index]
        if not self.extensible:
            return None
        stem, number = self._last()
        last = self.pins[-1]
        return Pin(f"{stem}{number + index - len(self.pins) + 1}", last.type, last.group)

    def index(self, name: str) -> int | None:
        """The place of the pin called ``name``, or None; of those that repeat the first hundred have names."""
        name = name.upper()
        for index, pin in enumerate(self.pins):
            if pin.name == name:
                return index
        if not self.extensible:
            return None
        stem, number = self._last()
        digits = name.removeprefix(stem)
        if digits == name or not re.fullmatch("[1-9][0-9]{0,2}", digits, re.ASCII):
            return None
        place = int(digits) - number + len(self.pins) - 1
        return place if len(self.pins) <= place < len(self.pins) + 100 else None

    def _last(self) -> tuple[str, int]:
        """The stem and the number of the last pin of those that have one in their names."""
        name = self.pins[-1].name
        stem = name.rstrip("0123456789")
        return stem, int(name[len(stem) :])
