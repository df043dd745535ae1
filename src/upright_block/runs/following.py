"""Any scan of a run, followed statement by statement: the run is made again up to it, and leaves a trail in it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.compiler.program import USUAL, Mode, make_program
from upright_block.errors import BadValue
from upright_block.language.literals import shown_duration
from upright_block.language.nodes import replaced
from upright_block.language.signals import find_signal, signals
from upright_block.language.typed import Unit
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault
from upright_block.runs import words
from upright_block.runs.session import Checkpoint, Session
from upright_block.runs.trails import Follower, Scan

_MOST_BESIDE = 200
_APART = 64
"""A run is kept at so many moments, each a part of what ran until then."""


class Followed:
    """A run of a plan, any scan of which can be asked for.

    The run itself is quick; the one scan is run again from the moment before it by a machine that leaves a trail.
    """

    def __init__(self, unit: Unit, plan: Plan, mode: Mode = USUAL) -> None:
        mode = replaced(mode, forces=plan.forces)
        constants = {find_signal(unit, path).variable: value for path, value in plan.constants}
        self.unit = unit
        self.plan = plan
        self.program = make_program(unit, constants, mode=replaced(mode, trails=True))
        self._session = Session(plan, Machine.of(make_program(unit, constants, mode=mode)))
        self._follower = Follower(self.program)
        self._slow = Session(plan, self._follower.machine)
        self._kept: list[Checkpoint] = [self._session.checkpoint()]
        self._scans: dict[int, tuple[Scan, Fault | None]] = {}
        self._changes: dict[str, Sequence[int]] = {}

    def scan(self, number: int) -> tuple[Scan, Fault | None]:
        """What a scan did, and what stopped it; the same object each time.

        Raises:
            BadValue: the run had stopped before it.
        """
        known = self._scans.get(number)
        if known is None:
            before = self._before(number)
            if before.scan < number:
                raise BadValue(*words.stopped_before(shown_duration(self.plan.timebase.time(before.scan))))
            self._slow.back(before)
            stopped: list[Fault | None] = []
            scan = self._follower.scan(lambda: stopped.append(self._slow.advance(1)[1]))
            known = self._scans[number] = scan, stopped[0]
        return known

    def changes(self, slot: Slot) -> Sequence[int]:
        """The scans that changed a value, in order."""
        path = slot.path
        if path not in self._changes:
            holder = path.rpartition(".")[0]
            beside = [own for own in self._signals if own.rpartition(".")[0] == holder]
            slots = {own: self._session.machine.slot(own) for own in beside[:_MOST_BESIDE]} | {path: slot}
            found: dict[str, list[int]] = {own: [] for own in slots}
            self._session.back(self._kept[0])
            for piece in self._session.pieces(slots.values()):
                for own, slot in slots.items():
                    turns = (scan for scan, value in piece.turns(slot) if scan or value != piece.value(slot, -1))
                    found[own] += turns
            self._changes |= found
        return self._changes[path]

    @cached_property
    def _signals(self) -> list[str]:
        return [signal.path for signal in signals(self.unit) if signal.is_value]

    def _before(self, number: int) -> Checkpoint:
        """The moment before a scan."""
        last = max((kept for kept in self._kept if kept.scan <= number), key=lambda kept: kept.scan)
        if not last.scan <= self._session.scan <= number:
            self._session.back(last)
        step = max(self.plan.scans // _APART, 1)
        while self._session.scan < number:
            _, fault = self._session.advance(min(step, number - self._session.scan))
            if fault is not None:
                break
            self._kept.append(self._session.checkpoint())
        return self._session.checkpoint()
