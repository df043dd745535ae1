"""What a run left behind: the instance data after each scan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from upright_block.compiler.image import Site
from upright_block.compiler.layout import Slot, code, decode, size_of
from upright_block.language.literals import Value
from upright_block.language.typed import Unit
from upright_block.language.types import Elementary

_MANY = 16


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

    @property
    def end(self) -> int:
        """The scan after the last recorded one."""
        return self.first + self.scans

    def _start(self, slot: Slot) -> int:
        """Where a slot lies in the record of a scan."""
        at = 0
        for offset, length in self.spans:
            if offset <= slot.offset < offset + length:
                return at + slot.offset - offset
            at += length
        raise KeyError(slot.path)

    def column(self, slot: Slot) -> np.ndarray:
        """The values of a slot, one for each scan, of shape ``(scans,)``; of numbers a view.

        Raises:
            KeyError: the slot was not recorded.
        """
        start = self._start(slot)
        if not isinstance(slot.type, Elementary):
            return np.array(self.values(slot, range(self.first, self.end)), object)
        return self._strided(np.dtype(code(slot.type)), start)

    def _strided(self, dtype: np.dtype, start: int) -> np.ndarray:
        if not self.scans:
            return np.empty(0, dtype)
        return np.ndarray((self.scans,), dtype, self.data, start, (self.record,))

    def values(self, slot: Slot, scans: Sequence[int]) -> list[Value]:
        """The values of a slot after some scans."""
        start, record = self._start(slot) - self.first * self.record, self.record
        if isinstance(slot.type, Elementary) and len(scans) > _MANY:
            found: list[Value] = self.column(slot)[np.asarray(scans) - self.first].tolist()
            return found
        return [decode(self.data, start + scan * record, slot.type) for scan in scans]

    def value(self, slot: Slot, scan: int) -> Value:
        """The value of a slot after a scan."""
        return self.values(slot, [scan])[0]

    def raw(self, slot: Slot, scan: int) -> bytes:
        """The bytes of a slot after a scan."""
        start = self._start(slot) + (scan - self.first) * self.record
        return self.data[start : start + size_of(slot.type)]

    def changes(self, slot: Slot) -> np.ndarray:
        """The scans that gave a slot other bytes than it had after the scan before, in order."""
        rows = self._strided(np.dtype(f"V{size_of(slot.type)}"), self._start(slot))
        if isinstance(slot.type, Elementary):
            rows = rows.view(f"u{slot.type.bits // 8}") if self.scans else np.empty(0, np.uint8)
        found = np.flatnonzero(rows[1:] != rows[:-1]) + 1 + self.first
        if isinstance(slot.type, Elementary):
            return found
        return np.array([s for s in found.tolist() if len(set(self.values(slot, (s - 1, s)))) > 1], np.int64)

    def since(self, slot: Slot, scan: int) -> int | None:
        """The scan that gave the slot the value it has after ``scan``; None when it never had another."""
        changes = self.changes(slot)
        before = int(np.searchsorted(changes, scan, "right"))
        return int(changes[before - 1]) if before else None
