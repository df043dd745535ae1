"""A run of a plan on a machine, scan by scan: how it begins, goes on, is recorded, and comes back to what it was."""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from copy import copy
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, Protocol

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.language.nodes import node
from upright_block.language.timebase import Timebase
from upright_block.machine.clock import CLOCK_START
from upright_block.machine.events import EVENT, POWERED
from upright_block.machine.machine import Machine, Snapshot
from upright_block.machine.shelf import Shelf
from upright_block.machine.trace import Fault, Trace
from upright_block.machine.watching import Spans
from upright_block.runs.packing import packed_events, packed_inserts

if TYPE_CHECKING:
    from upright_block.machine.events import Power
    from upright_block.traces.tracks import Gatherer

_IN_MEMORY = 64 << 20
_SHORT = 4 << 10
"""Bytes of the logs of pieces that become one."""
"""Bytes of what was recorded that are kept in memory; more lie on the disk."""


def bare_plan(subject: str, timebase: Timebase) -> Plan:
    """A plan that stores nothing and looks at nothing, for a run by hand: it ends when nobody goes on."""
    return Plan("", subject, timebase, CLOCK_START, 0, (), (), (), (), array("q"), ())


class Observer(Protocol):
    """Whoever looks at a session: it takes each piece, and goes back with the session."""

    @property
    def slots(self) -> Sequence[Slot]:
        """What it looks at."""

    def take(self, piece: Trace) -> None:
        """Look at a piece."""

    def kept(self) -> object:
        """All that it remembers, which nothing changes any more."""

    def back(self, kept: Any) -> None:
        """Remember what it did when it gave ``kept``, and no more."""


class Remembering:
    """An observer that remembers what some of its attributes hold."""

    memory: ClassVar[tuple[str, ...]]

    def kept(self) -> dict[str, object]:
        """A copy of each."""
        return {name: copy(getattr(self, name)) for name in self.memory}

    def back(self, kept: dict[str, object]) -> None:
        """Hold them again."""
        for name, value in kept.items():
            setattr(self, name, copy(value))


@node
class Checkpoint:
    """All that a session holds before a scan, to come back to: data, clock, forces, power, what probes keep, and what
    its observers remember.
    """

    snapshot: Snapshot
    scan: int
    observed: tuple[object, ...]


@node
class _Link:
    """A piece that is kept, behind another one: what was recorded from two checkpoints on has its beginning in
    common.
    """

    piece: Trace
    before: _Link | None


class Recorder:
    """What some slots did in a session, piece by piece, up to where it stands."""

    def __init__(self, slots: Iterable[Slot]) -> None:
        self.slots = tuple(slots)
        self._last: _Link | None = None
        self._shelf = Shelf(_IN_MEMORY)

    def take(self, piece: Trace) -> None:
        """Keep what a piece has; short ones become one, so that a run scan by scan takes no more room than any."""
        last = self._last
        joined = last.piece.joined(piece, _SHORT) if last is not None else None
        if last is not None and joined is not None:
            self._last = _Link(joined, last.before)
            return
        if last is not None and len(last.piece.log) <= _SHORT:
            last = _Link(last.piece.with_log(self._shelf.put(last.piece.log)), last.before)
        log = piece.log if len(piece.log) <= _SHORT else self._shelf.put(piece.log)
        self._last = _Link(piece.with_log(log), last)

    def kept(self) -> tuple[Recorder, _Link | None]:
        """The last piece; those before it hang on it."""
        return self, self._last

    def back(self, kept: tuple[Recorder, _Link | None]) -> None:
        """Forget what came after a piece; all, where another has kept that."""
        recorder, self._last = kept
        if recorder is not self:
            self._last = None

    def pieces(self, begin: int = 0) -> list[Trace]:
        """All that is kept from a scan on, in order."""
        found: list[Trace] = []
        link = self._last
        while link is not None and (link.piece.end > begin or not found):
            found.append(link.piece)
            link = link.before
        return found[::-1]

    def tell(self, gatherer: Gatherer, begin: int = 0) -> None:
        """Give a gatherer all that is kept from a scan on."""
        for piece in self.pieces(begin):
            gatherer.take(piece.with_log(piece.log))  # what is looked up on the way is not kept


class Session:
    """A run of a plan on a machine that holds its subject; it begins before scan 0.

    Of probes that stand in groups those of the ``group`` are looked at. ``observers`` take all its pieces. ``inserts``
    are stored in the middle of scans, see `Machine.pieces`.
    """

    def __init__(self, plan: Plan, machine: Machine, group: int = 0, observers: Iterable[Observer] = ()) -> None:
        self.plan = plan
        self.group = group
        self.observers = tuple(observers)
        machine.reset()
        self._take(machine)
        for path, value in plan.given:
            machine.write(path, value)
        machine.look()
        # Once, while the machine is as it begins: what a column releases goes back to what lies there now.
        self._events = packed_events(plan, machine)
        self._power: dict[int, Power] = dict(plan.power)
        self.inserts = packed_inserts(plan.inserts, machine)

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
        of the observers; see `Machine.pieces`.
        """
        watched = list(watched)
        spans = Spans.of([*watched, *self._observed()]) if watched else self._spans
        scans = self.plan.scans - self.scan if scans is None else scans
        for piece in self.machine.pieces(
            scans, self._events_left(), spans, ends, until, power=self._power, inserts=self.inserts
        ):
            for observer in self.observers:
                observer.take(piece)
            yield piece

    @cached_property
    def _spans(self) -> Spans:
        return Spans.of(self._observed())

    def _observed(self) -> Iterator[Slot]:
        """What the observers look at."""
        for observer in self.observers:
            yield from observer.slots

    def advance(self, scans: int, until: Slot | None = None) -> tuple[bool, Fault | None]:
        """Go on for some scans, or until a condition holds after one: whether it did, and what stopped a scan."""
        is_met: bool = False
        fault: Fault | None = None
        for piece in self.pieces(scans=scans, until=until):
            is_met, fault = piece.is_met, piece.fault
        return is_met, fault

    def _events_left(self) -> bytes:
        """What the plan stores from the next scan on."""
        events, size, scan = self._events, EVENT.size, self.scan
        if not scan or not events:
            return events
        starts = range(0, len(events), size)
        left = bisect_left(starts, scan, key=lambda start: int.from_bytes(events[start : start + 8], "little"))
        return events[left * size :]

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
        return Checkpoint(self.machine.snapshot(), self.scan, tuple(observer.kept() for observer in self.observers))

    def back(self, to: Checkpoint) -> None:
        """Come back to a checkpoint of this session, or of another with such observers on the same subject; what came
        after it they remember no more.
        """
        self.machine.restore(to.snapshot)
        for observer, kept in zip(self.observers, to.observed, strict=True):
            observer.back(kept)
