"""A run of a plan on a machine, scan by scan: how it begins, goes on, is recorded, and comes back to what it was."""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.language.nodes import node
from upright_block.language.timebase import Timebase
from upright_block.machine.clock import CLOCK_START
from upright_block.machine.events import EVENT, POWERED
from upright_block.machine.machine import Machine, Snapshot, spans_of
from upright_block.machine.shelf import Shelf
from upright_block.machine.trace import Fault, Trace
from upright_block.runs.packing import packed_events

if TYPE_CHECKING:
    from upright_block.machine.events import Power
    from upright_block.traces.tracks import Gatherer

_IN_MEMORY = 64 << 20
"""Bytes of what was recorded that are kept in memory; more lie on the disk."""


def bare_plan(subject: str, timebase: Timebase) -> Plan:
    """A plan that stores nothing and looks at nothing, for a run by hand: it ends when nobody goes on."""
    return Plan("", subject, timebase, CLOCK_START, 0, (), (), (), (), array("q"), ())


@node
class Checkpoint:
    """All that a session holds before a scan, to come back to: data, clock, forces, power, what probes keep, and how
    much is recorded.
    """

    snapshot: Snapshot
    scan: int
    session: Session


class Recorder:
    """What some slots did in a session, piece by piece, up to where it stands."""

    def __init__(self, slots: Iterable[Slot]) -> None:
        self.slots = tuple(slots)
        self._pieces: list[tuple[Trace, int]] = []
        self._shelf = Shelf(_IN_MEMORY)

    def take(self, piece: Trace) -> None:
        """Keep what a piece has."""
        self._pieces.append((piece.with_log(self._shelf.put(piece.log)), piece.end))

    def cut(self, scan: int) -> None:
        """Forget a scan and all after it."""
        self._pieces = [(piece, min(end, scan)) for piece, end in self._pieces if piece.first < scan]

    def tell(self, gatherer: Gatherer) -> None:
        """Give a gatherer all that is kept."""
        for piece, end in self._pieces:
            gatherer.take(piece.with_log(piece.log), end)  # what is looked up on the way is not kept


class Session:
    """A run of a plan on a machine that holds its subject; it begins before scan 0.

    Of probes that stand in groups those of the ``group`` are looked at. What a ``recorder`` watches is kept.
    """

    def __init__(self, plan: Plan, machine: Machine, group: int = 0, recorder: Recorder | None = None) -> None:
        self.plan = plan
        self.group = group
        self.recorder = recorder
        machine.reset()
        self._take(machine)
        for path, value in plan.given:
            machine.write(path, value)
        machine.look()
        # Once, while the machine is as it begins: what a column releases goes back to what lies there now.
        self._events = packed_events(plan, machine)

    def _take(self, machine: Machine) -> None:
        """Run on a machine from here on."""
        self.machine = machine
        machine.timebase, machine.clock_start = self.plan.timebase, self.plan.clock
        if machine.artifact.probes:
            machine.choose(self.group)

    @property
    def scan(self) -> int:
        """The scan that comes next."""
        return self.machine.scan

    @property
    def now(self) -> int:
        """The time in ns at which it starts."""
        return self.plan.timebase.time(self.scan)

    def pieces(
        self,
        watched: Iterable[Slot] = (),
        scans: int | None = None,
        ends: Sequence[int] = (),
        until: Slot | None = None,
    ) -> Iterator[Trace]:
        """Go on for all scans of the plan that are left, or for some, and give what the watched slots did, and those
        that are recorded; see `Machine.pieces`.
        """
        recorder = self.recorder
        spans = spans_of([*watched, *(recorder.slots if recorder is not None else ())])
        scans = self.plan.scans - self.scan if scans is None else scans
        for piece in self.machine.pieces(scans, self._events_left(), spans, ends, until, power=self._power):
            if recorder is not None:
                recorder.take(piece)
            yield piece

    def advance(self, scans: int, until: Slot | None = None) -> tuple[bool, Fault | None]:
        """Go on for some scans, or until a condition holds after one: whether it did, and what stopped a scan."""
        is_met: bool = False
        fault: Fault | None = None
        for piece in self.pieces(scans=scans, until=until):
            is_met, fault = piece.is_met, piece.fault
        return is_met, fault

    @cached_property
    def _power(self) -> dict[int, Power]:
        return dict(self.plan.power)

    def _events_left(self) -> bytes:
        """What the plan stores from the next scan on."""
        events, size = self._events, EVENT.size
        left = bisect_left(
            range(len(events) // size),
            self.scan,
            key=lambda n: int.from_bytes(events[n * size : n * size + 8], "little"),
        )
        return events[left * size :] if left else events

    def switch(self, word: Power) -> None:
        """Take the power away or bring it back before the next scan; what is so already stays, but ``cold`` always
        begins anew.
        """
        if word == "cold" or POWERED[word] != self.machine.powered:
            self.machine.switch(word)

    def exchange(self, machine: Machine) -> None:
        """Go on on another machine of the same subject, which is looked at otherwise, with all that this one holds."""
        kept = self.machine.snapshot()
        self._take(machine)
        machine.restore(kept)

    def checkpoint(self) -> Checkpoint:
        """All that the session holds now."""
        return Checkpoint(self.machine.snapshot(), self.scan, self)

    def back(self, to: Checkpoint) -> None:
        """Come back to a checkpoint, of this session or of another on the same subject; of what was recorded after it,
        or by another, nothing is left.
        """
        self.machine.restore(to.snapshot)
        if self.recorder is not None:
            self.recorder.cut(to.scan if to.session is self else 0)
