"""Any scan of a run, followed statement by statement: the run is made again up to it, and leaves a trail in it."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from itertools import islice

from upright_block.cases.plan import Plan
from upright_block.compiler.artifact import Slot
from upright_block.compiler.linking import Bodies
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import USUAL, Mode, make_program
from upright_block.errors import BadValue
from upright_block.language.literals import shown_duration
from upright_block.language.nodes import record, replaced
from upright_block.language.signals import NoSignal, Signal, find_signal, own_signals, values_in
from upright_block.language.typed import Unit
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault, Trace
from upright_block.runs import words
from upright_block.runs.session import Checkpoint, Recorder, Session
from upright_block.runs.trails import Follower, Scan

_MOST_BESIDE = 200
_APART = 64
"""A run is kept at so many moments, each a part of what ran until then."""


class Followed:
    """A run of a plan, any scan of which can be asked for.

    The run itself is quick; the one scan is run again from the moment before it by a machine that leaves a trail.
    """

    def __init__(
        self, unit: Unit, plan: Plan, mode: Mode = USUAL, probes: Sequence[Probe] = (), bodies: Bodies | None = None
    ) -> None:
        mode = replaced(mode, forces=plan.forces)
        constants = {find_signal(unit, path).variable: value for path, value in plan.constants}
        self.unit = unit
        self.plan = plan
        self.program = make_program(unit, constants, probes, mode=replaced(mode, trails=True))
        noting = replaced(mode, notes_writers=True, trails=bool(plan.inserts))
        self._session = Session(plan, Machine.of(make_program(unit, constants, probes, mode=noting), bodies))
        self._follower = Follower(self.program)
        self._slow = Session(plan, self._follower.machine)
        self._kept: list[Checkpoint] = [self._session.checkpoint()]
        self._scans: dict[int, tuple[Scan, Fault | None]] = {}
        self._looked_at: dict[str, Recorder] = {}
        self._changes: dict[str, Sequence[int]] = {}
        self._noted: dict[tuple[int, int], list[_Part]] = {}

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

    def _before(self, number: int) -> Checkpoint:
        """The moment before a scan, or that at which the run had stopped."""
        session = self._session
        last = self._kept[bisect_right(self._kept, number, key=lambda kept: kept.scan) - 1]
        if not last.scan <= session.scan <= number:
            session.back(last)
        session.advance(number - session.scan)
        return session.checkpoint()

    # --- when what changed ---

    def changes(self, slot: Slot) -> Sequence[int]:
        """The scans that changed a value, in order."""
        known = self._changes.get(slot.path)
        if known is None:
            if slot.path not in self._looked_at:
                self.look_at([slot])
            known = self._changes[slot.path] = [
                scan
                for piece in self._looked_at[slot.path].pieces()
                for scan, value in piece.turns(slot)
                if scan or value != piece.value(slot, -1)
            ]
        return known

    def look_at(self, slots: Iterable[Slot]) -> None:
        """Go through the run to record some values, and others of the instances that they are in."""
        asked = {slot.path: slot for slot in slots}
        for holder in dict.fromkeys(map(_holder, asked)):
            beside = islice(self._values_in(holder), _MOST_BESIDE)
            asked |= {signal.path: self.program.slot(signal) for signal in beside}
        recorder = Recorder(slot for path, slot in asked.items() if path not in self._looked_at)
        for piece in self._run(recorder.slots):
            recorder.take(piece)
        self._looked_at |= dict.fromkeys(asked.keys() - self._looked_at.keys(), recorder)

    def _values_in(self, holder: str) -> Iterator[Signal]:
        """The values in an instance, or the unit's own."""
        if not holder:
            yield from (signal for signal in own_signals(self.unit) if signal.is_value)
        else:
            with suppress(NoSignal):
                yield from values_in(find_signal(self.unit, holder))

    def _run(self, slots: Iterable[Slot]) -> Iterator[Trace]:
        """The whole run; the first time moments of it are kept, and what was stored where between them."""
        session, scans = self._session, self.plan.scans
        is_first = len(self._kept) == 1
        parts = self._noted.setdefault((0, scans), []) if is_first else []
        session.back(self._kept[0])
        session.machine.take_notes()
        step = max(scans // _APART, 1)
        for piece in session.pieces(slots, ends=range(step, scans, step) if is_first else ()):
            if is_first and (piece.end % step == 0 or piece.end == scans or piece.fault is not None):
                first = self._kept[-1].scan
                parts.append(_Part(first, max(session.scan, first + 1), session.machine.take_notes()))
                if piece.fault is None:
                    self._kept.append(session.checkpoint())
            yield piece

    # --- when what was written ---

    def last_write(self, slot: Slot, before: int) -> int | None:
        """The last scan before one in which something was stored where a value lies, whatever it was."""
        return self._last_noted(slot.offset, 0, self.plan.scans, before)

    def _last_noted(self, offset: int, begin: int, end: int, before: int) -> int | None:
        """The last scan from ``begin`` on, below ``end`` and ``before``, that stored something there."""
        for part in reversed(self._parts(begin, end)):
            if part.begin >= before or not any(part.notes[4 * offset : 4 * offset + 4]):
                continue
            is_one = part.end - part.begin == 1
            found = part.begin if is_one else self._last_noted(offset, part.begin, part.end, before)
            if found is not None:
                return found
        return None

    def _parts(self, begin: int, end: int) -> list[_Part]:
        """Parts of some scans, each with its notes."""
        if len(self._kept) == 1:
            for _ in self._run(()):
                pass
        known = self._noted.get((begin, end))
        if known is None:
            known = self._noted[begin, end] = []
            session = self._session
            session.back(self._before(begin))
            session.machine.take_notes()
            step = max((end - begin) // _APART, 1)
            while session.scan < end:
                first = session.scan
                _, fault = session.advance(min(step, end - first))
                known.append(_Part(first, max(session.scan, first + 1), session.machine.take_notes()))
                if fault is not None:
                    break
        return known


@record
class _Part:
    """What was stored where in some scans of a run, as the machine notes it."""

    begin: int
    end: int
    notes: bytes


def _holder(path: str) -> str:
    """The outermost instance that a value is in."""
    return path.partition(".")[0] if "." in path else ""
