"""Direct addresses as they are written: ``%IX0.3``, ``%QW4``, ``%IW10.%X3``. IEC 61131-3:2013, 6.5.5.2."""

from __future__ import annotations

import re
from typing import Literal, cast

from upright_block.language.nodes import record
from upright_block.language.telling.findings import Words

Area = Literal["I", "Q", "M"]
WIDTHS = {"X": 1, "B": 8, "W": 16, "D": 32, "L": 64}
"""Bits that a size letter stands for (table 16)."""
_SHAPE = re.compile(r"%([IQM])([XBWDL]?)(\*|\d{1,9}(?:\.\d{1,9})*)(?:\.%([XBWDL])(\d{1,9}))?", re.IGNORECASE)


@record
class Address:
    """A direct address as it is written: ``%IX0.3`` has the numbers 0 and 3; ``%IW10.%X3`` has the part ``X3``.

    Without numbers it is a place that is still open, as in ``AT %I*``.
    """

    area: Area
    size: str
    numbers: tuple[int, ...]
    part: tuple[str, int] | None = None

    def __str__(self) -> str:
        numbers = ".".join(map(str, self.numbers)) or "*"
        part = f".%{self.part[0]}{self.part[1]}" if self.part else ""
        return f"%{self.area}{self.size}{numbers}{part}"

    @property
    def is_open(self) -> bool:
        """Whether it leaves its place open."""
        return not self.numbers


class NoAddress(Exception):
    """A text is no direct address that is known here."""

    def __init__(self, message: str, way_out: str) -> None:
        super().__init__(message)
        self.message = message
        self.way_out = way_out

    @property
    def words(self) -> Words:
        """What is said of it."""
        return Words("bad-address", self.message, self.way_out)


def parse_address(text: str) -> Address:
    """A direct address.

    Raises:
        NoAddress: it is none, or one of a hierarchy that nothing here has.
    """
    found = _SHAPE.fullmatch(text.strip())
    if found is None:
        raise NoAddress(f"{text} is no address.", "Write one such as %IX0.3, %QW4 or %MD8.")
    area, size, numbers = cast("Area", found[1].upper()), found[2].upper() or "X", found[3]
    part = (found[4].upper(), int(found[5])) if found[4] else None
    written = () if numbers == "*" else tuple(map(int, numbers.split(".")))
    if not written:
        return Address(area, found[2].upper(), ())
    if size == "X" and len(written) == 1:
        meant = f"%{area}X{written[0] // 8}.{written[0] % 8}"
        raise NoAddress(f"{text} names no bit of a byte.", f"Write the byte and the bit, as in {meant}.")
    if size == "X" and (len(written) > 2 or written[1] > 7):
        meant = f"%{area}X{written[0]}.7"
        raise NoAddress(f"{text} is no bit of a byte.", f"Write the byte and a bit from 0 to 7, as in {meant}.")
    if size != "X" and len(written) > 1:
        bit = f"%{area}{size}{written[0]}.%X{written[1]}"
        raise NoAddress(
            f"The point in {text} leads to a lower level of modules, and there is none here.",
            f"A bit is written {bit}.",
        )
    if part is not None and (size == "X" or (part[1] + 1) * WIDTHS[part[0]] > WIDTHS[size]):
        raise NoAddress(f"{text} names a part that %{area}{size}{numbers} does not have.", "Name one that it has.")
    return Address(area, size, written, part)
