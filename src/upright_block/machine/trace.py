"""What a run left behind: the instance data after each scan."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upright_block.compiler.image import Site
from upright_block.compiler.layout import Slot, code, decode
from upright_block.language.literals import Value
from upright_block.language.typed import Unit
from upright_block.language.types import Elementary


@dataclass(frozen=True, slots=True)
class Fault:
    """Why a scan stopped. ``instance`` is the dotted path, empty for the unit itself."""

    site: Site
    scan: int
    instance: str


@dataclass(frozen=True, slots=True)
class Trace:
    """The recorded scans ``first`` to ``first + scans - 1`` of an instance of ``root``.

    ``interval`` is in ns. ``spans`` are the recorded parts (offset, length) of the instance data;
    ``data`` holds them one after the other, scan after scan.
    """

    root: Unit
    first: int
    scans: int
    interval: int
    spans: tuple[tuple[int, int], ...]
    data: bytes
    fault: Fault | None

    @property
    def record(self) -> int:
        """Bytes recorded each scan."""
        return sum(length for _, length in self.spans)

    def column(self, slot: Slot) -> np.ndarray:
        """The values of a slot, one for each scan, as a view of shape ``(scans,)``.

        Raises:
            KeyError: the slot was not recorded.
        """
        at = 0
        for offset, length in self.spans:
            if offset <= slot.offset < offset + length:
                start = at + slot.offset - offset
                if not isinstance(slot.type, Elementary):
                    texts = [decode(self.data, start + k * self.record, slot.type) for k in range(self.scans)]
                    return np.array(texts, object)
                dtype = np.dtype(code(slot.type))
                if not self.scans:
                    return np.empty(0, dtype)
                return np.ndarray((self.scans,), dtype, self.data, start, (self.record,))
            at += length
        raise KeyError(slot.path)

    def value(self, slot: Slot, scan: int) -> Value:
        """The value of a slot after a scan."""
        found = self.column(slot)[scan - self.first]
        value: Value = found if isinstance(found, str) else found.item()
        return value

    def since(self, slot: Slot, scan: int) -> int | None:
        """The scan that gave the slot the value it has after ``scan``; None when it never had another."""
        column = self.column(slot)[: scan - self.first + 1]
        differs = np.flatnonzero(column != column[-1])
        return None if not len(differs) else int(differs[-1]) + 1 + self.first
