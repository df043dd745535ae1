"""Cells of a row that stands for several instances: ranges of numbers, and lists, taken side by side."""

from __future__ import annotations

import re
from collections.abc import Sequence

from upright_block.language.nodes import record

_BRACES = re.compile(r"\{(?:(\d{1,18})\.\.(\d{1,18})|([^{}\n]*,[^{}\n]*))\}")
_NAMED = re.compile(rf"{_BRACES.pattern}|\[(\d{{1,18}})\.\.(\d{{1,18}})\]")


@record
class Range:
    """Numbers from one to another, ``{1..12}``, and where instances are named ``[01..12]``."""

    low: int
    high: int
    digits: int

    def __len__(self) -> int:
        return abs(self.high - self.low) + 1

    def item(self, index: int) -> str:
        """One of the numbers, with as many digits as the first one is written with."""
        return str(self.low + index if self.high >= self.low else self.low - index).zfill(self.digits)


@record
class Listed:
    """What stands between the commas of ``{5s,8s,5s}``."""

    items: Sequence[str]

    def __len__(self) -> int:
        return len(self.items)

    def item(self, index: int) -> str:
        """One of them; the last one where there are too few, which is told."""
        return self.items[min(index, len(self.items) - 1)]


@record
class Pattern:
    """A cell of which each instance of its row has its own: what stands around ``shapes``, and these."""

    between: Sequence[str]
    shapes: Sequence[Range | Listed]

    def at(self, index: int) -> str:
        """The cell as it is for one of the instances."""
        out = [self.between[0]]
        for shape, text in zip(self.shapes, self.between[1:], strict=True):
            out += [shape.item(index), text]
        return "".join(out).strip()


def pattern(text: str, is_name: bool = False) -> Pattern:
    """What a cell says of each instance of its row; those in brackets are ranges only where instances are named."""
    between: list[str] = []
    shapes: list[Range | Listed] = []
    done = 0
    for found in (_NAMED if is_name else _BRACES).finditer(text):
        low, high, items, *brackets = found.groups()
        if items is not None:
            shapes.append(Listed([part.strip() for part in items.split(",")]))
        else:
            low, high = (low, high) if low is not None else brackets
            shapes.append(Range(int(low), int(high), len(low)))
        between.append(text[done : found.start()])
        done = found.end()
    return Pattern([*between, text[done:]], shapes)
