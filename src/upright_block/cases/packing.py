"""What the columns of a case store, as the driver reads it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.cases.plan import Drive, Plan
from upright_block.compiler.layout import code, encode, size_of
from upright_block.language.literals import Value
from upright_block.language.types import Elementary
from upright_block.machine.events import EVENT, force_events, store_events

if TYPE_CHECKING:
    import numpy as np

_TAIL = EVENT.size - 4
_PACKED = [("scan", "<i4"), ("tail", f"V{_TAIL}")]
_MANY = 20_000


def packed_events(plan: Plan) -> bytes:
    """What the columns store, in the order of time."""
    if sum(len(drive.rows) for drive in plan.drives) > _MANY:
        return _packed_many(plan)
    found: list[tuple[int, bytes]] = []
    force = 0
    for drive in plan.drives:
        known: dict[str, bytes] = {}
        for row, value in zip(drive.rows, drive.values, strict=True):
            tails = known.get(key := repr(value))
            if tails is None:
                tails = known[key] = _tails(drive, force, value)
            found.append((plan.row_scans[row], tails))
        force += drive.is_force
    found.sort(key=lambda event: event[0])
    return b"".join(
        [
            scan.to_bytes(4, "little") + tails[at : at + _TAIL]
            for scan, tails in found
            for at in range(0, len(tails), _TAIL)
        ]
    )


def _packed_many(plan: Plan) -> bytes:
    """The same for long tables, column by column."""
    import numpy as np

    row_scans = np.frombuffer(plan.row_scans, np.int64)
    parts: list[np.ndarray] = []
    force = 0
    for drive in plan.drives:
        if drive.rows:
            scans = row_scans[np.frombuffer(drive.rows, np.int64)]
            is_plain = isinstance(drive.slot.type, Elementary) and not drive.is_force
            parts.append(_packed_numbers(drive, scans) if is_plain else _packed_others(drive, force, scans))
        force += drive.is_force
    if len(parts) < 2:
        return b"".join([part.tobytes() for part in parts])
    events = np.concatenate(parts)
    parts.clear()
    return events[np.argsort(events["scan"], kind="stable")].tobytes()


def _packed_numbers(drive: Drive, scans: np.ndarray) -> np.ndarray:
    """A column of numbers at once."""
    import numpy as np

    slot = drive.slot
    assert isinstance(slot.type, Elementary)
    size = size_of(slot.type)
    part = np.zeros(len(scans), [("scan", "<i4"), ("head", f"V{_TAIL - 8}"), ("content", "u1", (8,))])
    part["scan"] = scans
    part["head"] = np.void(_tails(drive, 0, drive.values[0])[: _TAIL - 8])
    numbers = np.array(drive.values, np.dtype(code(slot.type)))
    part["content"][:, :size] = numbers.view(np.uint8).reshape(-1, size)
    return part.view(_PACKED)


def _packed_others(drive: Drive, force: int, scans: np.ndarray) -> np.ndarray:
    """A column of forces or texts: each value takes several events."""
    import numpy as np

    known: dict[Value | None, bytes] = {}
    tails: list[bytes] = []
    for value in drive.values:
        if value not in known:
            known[value] = _tails(drive, force, value)
        tails.append(known[value])
    counts = [len(tail) // _TAIL for tail in tails]
    part = np.empty(sum(counts), _PACKED)
    part["scan"] = np.repeat(scans, counts)
    part["tail"] = np.frombuffer(b"".join(tails), f"V{_TAIL}")
    return part


def _tails(drive: Drive, force: int, value: Value | None) -> bytes:
    """The events that store a value, each without its scan."""
    content = None if value is None else encode(value, drive.slot.type)
    if drive.is_force:
        events = force_events(force, drive.slot, 0, content)
    else:
        assert content is not None
        events = store_events(drive.slot, 0, content)
    return b"".join([event.packed()[-_TAIL:] for event in events])
