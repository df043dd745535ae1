"""What the columns of a case store, as the driver reads it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from upright_block.cases.plan import Drive, Insert, Plan
from upright_block.compiler.artifact import Slot
from upright_block.compiler.layout import code
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.types import Elementary
from upright_block.machine.events import EVENT, clock_event, force_event, store_events
from upright_block.machine.machine import Machine

if TYPE_CHECKING:
    import numpy as np

_TAIL = EVENT.size - 8
_PACKED = [("scan", "<i8"), ("tail", f"V{_TAIL}")]
_MANY = 20_000


@record
class _Column:
    """What a column stores where, and what lies there before the run."""

    drive: Drive
    slot: Slot
    before: bytes

    def tails(self, value: Value | None) -> bytes:
        """The events that store a value, each without its scan."""
        content = None if value is None else self.slot.encode(value)
        if self.drive.is_force:
            events = [force_event(self.slot, 0, content, self.drive.is_input, self.drive.freezes)]
        else:
            events = store_events(self.slot, 0, self.before if content is None else content)
        return b"".join([event.packed()[-_TAIL:] for event in events])


def packed_events(plan: Plan, machine: Machine) -> bytes:
    """What the columns store, in the order of time, on a machine that was just reset."""
    columns: list[_Column] = []
    for drive in plan.drives:
        slot = machine.slot(drive.path)
        columns.append(_Column(drive, slot, slot.encode(machine.peek(slot))))
    clocks = [
        clock_event(scan, moment - plan.timebase.time(scan) + plan.idled_before(scan)).packed()
        for scan, moment in plan.clocks
    ]
    if sum(len(drive.scans) for drive in plan.drives) > _MANY:
        return _packed_many(columns, clocks)
    found = [(scan, packed[-_TAIL:]) for (scan, _), packed in zip(plan.clocks, clocks, strict=True)]
    for column in columns:
        known: dict[str, bytes] = {}
        for scan, value in zip(column.drive.scans, column.drive.values, strict=True):
            tails = known.get(key := repr(value))
            if tails is None:
                tails = known[key] = column.tails(value)
            found.append((scan, tails))
    found.sort(key=lambda event: event[0])
    return b"".join(
        [
            scan.to_bytes(8, "little") + tails[offset : offset + _TAIL]
            for scan, tails in found
            for offset in range(0, len(tails), _TAIL)
        ]
    )


def packed_inserts(inserts: Iterable[Insert], machine: Machine) -> dict[int, bytes]:
    """What is stored in the middle of scans, by scan."""
    found: dict[int, bytes] = {}
    for insert in inserts:
        slot = machine.slot(insert.path)
        events = store_events(slot, insert.statement, slot.encode(insert.value))
        found[insert.scan] = found.get(insert.scan, b"") + b"".join([event.packed() for event in events])
    return found


def _packed_many(columns: Sequence[_Column], clocks: Sequence[bytes]) -> bytes:
    """The same for long tables, column by column."""
    import numpy as np

    parts: list[np.ndarray] = [np.frombuffer(b"".join(clocks), _PACKED)] if clocks else []
    for column in columns:
        drive, slot = column.drive, column.slot
        if drive.scans:
            scans = np.frombuffer(drive.scans, np.int64)
            is_plain = isinstance(slot.type, Elementary) and slot.bit is None and not drive.is_force
            is_plain = is_plain and None not in drive.values
            parts.append(_packed_numbers(column, scans) if is_plain else _packed_others(column, scans))
    if len(parts) < 2:
        return b"".join([part.tobytes() for part in parts])
    events = np.concatenate(parts)
    parts.clear()
    return events[np.argsort(events["scan"], kind="stable")].tobytes()


def _packed_numbers(column: _Column, scans: np.ndarray) -> np.ndarray:
    """A column of numbers at once."""
    import numpy as np

    slot, values = column.slot, column.drive.values
    assert isinstance(slot.type, Elementary)
    part = np.zeros(len(scans), [("scan", "<i8"), ("head", f"V{_TAIL - 8}"), ("content", "u1", (8,))])
    part["scan"] = scans
    part["head"] = np.void(column.tails(values[0])[: _TAIL - 8])
    numbers = np.array(values, np.dtype(code(slot.type)))
    part["content"][:, : slot.size] = numbers.view(np.uint8).reshape(-1, slot.size)
    return part.view(_PACKED)


def _packed_others(column: _Column, scans: np.ndarray) -> np.ndarray:
    """A column of forces, bits or texts: a value may take several events."""
    import numpy as np

    known: dict[Value | None, bytes] = {}
    tails: list[bytes] = []
    for value in column.drive.values:
        if value not in known:
            known[value] = column.tails(value)
        tails.append(known[value])
    counts = [len(tail) // _TAIL for tail in tails]
    part = np.empty(sum(counts), _PACKED)
    part["scan"] = np.repeat(scans, counts)
    part["tail"] = np.frombuffer(b"".join(tails), f"V{_TAIL}")
    return part
