"""A run of a plan on a machine, from its start: what every run of a case or by hand begins with, and how it goes on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from upright_block.cases.packing import packed_events
from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.machine.machine import Machine, spans_of
from upright_block.machine.trace import Trace


class Session:
    """The run of a plan on a machine that holds its subject; each `pieces` begins it anew.

    Of probes that stand in groups those of the ``group`` are looked at.
    """

    def __init__(self, plan: Plan, machine: Machine, group: int = 0) -> None:
        self.plan = plan
        self.machine = machine
        self.group = group

    def _begin(self) -> None:
        """The state before scan 0: initial and given values, and what the probes see of them."""
        plan, machine = self.plan, self.machine
        machine.timebase, machine.clock_start = plan.timebase, plan.clock
        machine.reset()
        for path, value in plan.given:
            machine.write(path, value)
        if machine.artifact.probes:
            machine.choose(self.group)
            machine.look()

    def pieces(
        self, watched: Iterable[Slot], scans: int | None = None, ends: Sequence[int] = (), until: Slot | None = None
    ) -> Iterator[Trace]:
        """Run from the start, for all scans of the plan or the first of them, and record some slots; see `Machine.pieces`."""
        self._begin()
        plan = self.plan
        events = packed_events(plan, self.machine)
        return self.machine.pieces(
            plan.scans if scans is None else scans, events, spans_of(watched), ends, until, power=dict(plan.power)
        )
