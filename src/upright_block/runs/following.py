"""Any scan of a run, followed statement by statement: the run is made again up to it, and leaves a trail in it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.compiler.looking import Probe
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

    def __init__(
        self, unit: Unit, plan: Plan, machine: Machine, mode: Mode = USUAL, probes: Sequence[Probe] = ()
    ) -> None:
        """``machine`` holds the unit, with the constants of the plan and the ``probes``; its scans leave trails if the
        plan inserts.
        """
        mode = replaced(mode, forces=plan.forces, trails=bool(plan.inserts))
        constants = {find_signal(unit, path).variable: value for path, value in plan.constants}
        self.unit = unit
        self.mode = mode
        self.plan = plan
        self.program = make_program(unit, constants, probes, mode=replaced(mode, trails=True))
        self._session = Session(plan, machine)
        self._follower = Follower(self.program)
        self._slow = Session(plan, self._follower.machine)
        self._kept: list[Checkpoint] = [self._session.checkpoint()]
        self._scans: dict[int, tuple[Scan, Fault | None]] = {}
        self._changes: dict[str, Sequence[int]] = {}
        self._step = max(plan.scans // _APART, 1)

    def scan(self, number: int) -> tuple[Scan, Fault | None]:
        """What a scan did, and what stopped it; the same object each time.

        Raises:
            BadValue: the run had stopped before it.
        """
        known = self._scans.get(number)
        if known is None:
            before = self.before(number)
            if before.scan < number:
                raise BadValue(*words.stopped_before(shown_duration(self.plan.timebase.time(before.scan))))
            self._slow.back(before)
            stopped: list[Fault | None] = []
            scan = self._follower.scan(lambda: stopped.append(self._slow.advance(1)[1]))
            known = self._scans[number] = scan, stopped[0]
        return known

    def last_write(self, slot: Slot, before: int) -> int | None:
        """The last scan before one in which something was stored where a value lies, whatever it was."""
        return self._notes.last(slot.offset, 0, self.plan.scans, before)

    @cached_property
    def _notes(self) -> _Notes:
        program = make_program(self.unit, self.program.constants, mode=replaced(self.mode, notes_writers=True))
        return _Notes(self, Session(self.plan, Machine.of(program)))

    def changes(self, slot: Slot) -> Sequence[int]:
        """The scans that changed a value, in order."""
        path = slot.path
        if path not in self._changes:
            holder = path.partition(".")[0] if "." in path else ""
            beside = [own for own in self._signals if (own.partition(".")[0] if "." in own else "") == holder]
            slots = {own: self._session.machine.slot(own) for own in beside[:_MOST_BESIDE]} | {path: slot}
            found: dict[str, list[int]] = {own: [] for own in slots}
            self._session.back(self._kept[0])
            ends = range(self._step, self.plan.scans, self._step) if len(self._kept) == 1 else ()
            for piece in self._session.pieces(slots.values(), ends=ends):
                if ends and piece.end % self._step == 0 and piece.fault is None:
                    self._kept.append(self._session.checkpoint())
                for own, slot in slots.items():
                    turns = (scan for scan, value in piece.turns(slot) if scan or value != piece.value(slot, -1))
                    found[own] += turns
            self._changes |= found
        return self._changes[path]

    @cached_property
    def _signals(self) -> list[str]:
        return [signal.path for signal in signals(self.unit) if signal.is_value]

    def before(self, number: int) -> Checkpoint:
        """The moment before a scan."""
        last = max((kept for kept in self._kept if kept.scan <= number), key=lambda kept: kept.scan)
        if not last.scan <= self._session.scan <= number:
            self._session.back(last)
        while self._session.scan < number:
            _, fault = self._session.advance(min(self._step, number - self._session.scan))
            if fault is not None:
                break
            self._kept.append(self._session.checkpoint())
        return self._session.checkpoint()


class _Notes:
    """In which scans of a run something was stored where: parts of the run, those of a part, and so on, as they are
    asked for.
    """

    def __init__(self, followed: Followed, session: Session) -> None:
        self._followed = followed
        self._session = session
        self._known: dict[tuple[int, int], list[tuple[int, int, bytes]]] = {}

    def last(self, offset: int, begin: int, end: int, before: int) -> int | None:
        """The last scan from ``begin`` on, below ``end`` and ``before``, that stored something there."""
        for first, behind, notes in reversed(self._parts(begin, end)):
            if first >= before or not any(notes[4 * offset : 4 * offset + 4]):
                continue
            found = first if behind - first == 1 else self.last(offset, first, behind, before)
            if found is not None:
                return found
        return None

    def _parts(self, begin: int, end: int) -> list[tuple[int, int, bytes]]:
        """Parts of some scans, each with its notes."""
        known = self._known.get((begin, end))
        if known is None:
            known = self._known[begin, end] = []
            session = self._session
            session.back(self._followed.before(begin))
            session.machine.take_notes()
            step = max((end - begin) // _APART, 1)
            while session.scan < end:
                first = session.scan
                _, fault = session.advance(min(step, end - first))
                known.append((first, max(session.scan, first + 1), session.machine.take_notes()))
                if fault is not None:
                    break
        return known
