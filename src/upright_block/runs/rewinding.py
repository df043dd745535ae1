"""A controller that comes back to any scan: what was done is done again from a moment that it has kept."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from upright_block.compiler.artifact import Slot
from upright_block.compiler.program import make_program
from upright_block.errors import BadValue
from upright_block.language.nodes import record, replaced
from upright_block.machine.trace import Fault
from upright_block.runs import words
from upright_block.runs.acts import Act, Acts, inserts_of
from upright_block.runs.controller import Controller, Moment
from upright_block.runs.packing import packed_inserts
from upright_block.runs.session import Checkpoint, Session
from upright_block.runs.trails import Follower, Scan

_MOST_KEPT = 64
_PARTS = 16
"""What is run again is kept at so many moments on the way, so that going back once more is short."""


@record
class _Trailing:
    """What runs single scans that leave a trail."""

    follower: Follower
    session: Session


class Rewound(Controller):
    """A controller that goes back, and runs single scans so that each statement is seen."""

    _apart = 1

    @cached_property
    def _kept(self) -> list[Moment]:
        """Moments between scans, in order."""
        return []

    @cached_property
    def _trailing(self) -> dict[bool, _Trailing]:
        """What runs scans that leave a trail, without forces and with them."""
        return {}

    def _keep(self) -> None:
        """Keep the moment before the next scan, if the last one is some scans behind."""
        scan = self._session.scan
        is_near = self._kept and scan < self._kept[-1].scan + self._apart
        if is_near or self._acts.next_after(scan) is not None:
            return
        done = tuple(act for act in self._acts if act.made <= (scan, 0))
        self._kept.append(Moment(self._session.checkpoint(), self._program, done))
        if len(self._kept) > _MOST_KEPT:
            del self._kept[1::2]
            self._apart *= 2

    def _run(self, scans: int, until: Slot | None) -> bool:
        self._keep()
        is_met = False
        while scans > 0 and not is_met:
            now = self._session.scan
            then = self._acts.next_after(now)
            part = scans if then is None else min(scans, then - now)
            is_met = super()._run(part, until)
            self._apply_due()
            scans -= part
        return is_met

    def _apply_due(self) -> None:
        """Do what was to be done before the next scan."""
        scan = self._session.scan
        for act in self._acts.later_at(scan):
            if not act.statement:
                self._apply(act)

    def restore(self, moment: Moment) -> None:
        super().restore(moment)
        self._forget(moment.scan, moment.acts)
        if not self._kept:  # it is a moment of another controller, which began otherwise
            before = tuple(act for act in moment.acts if act.made <= (moment.scan, 0))
            self._kept.append(Moment(moment.checkpoint, moment.program, before))

    def _forget(self, scan: int, acts: Sequence[Act]) -> None:
        """Forget the moments behind a scan, and those at which other things had been done."""
        self._kept = [
            kept for kept in self._kept if kept.scan <= scan and list(kept.acts) == list(acts[: len(kept.acts)])
        ]

    def _return(self, scan: int, acts: Sequence[Act]) -> None:
        """Come back to the moment before a scan, with some of what was done.

        Raises:
            BadValue: nothing is known of what was before it.
        """
        known = self._kept
        self._forget(scan, acts)
        if not self._kept:
            self._kept = known
            raise BadValue(*words.nothing_before())
        last = self._kept[-1]
        Controller.restore(self, last)
        self._acts = Acts(acts)
        self._apart = max((scan - last.scan) // _PARTS, 1)
        for act in sorted(acts[len(last.acts) :], key=lambda act: act.scan):
            if act.scan <= scan and not act.statement:
                self._forward(act.scan)
                self._apply(act)
        self._forward(scan)

    def _forward(self, scan: int) -> None:
        """Run up to a scan of which it is known that it is reached."""
        inserted = sorted({act.scan for act in self._acts if act.statement})
        while self._session.scan < scan:
            at = self._session.scan
            if at in inserted:
                fault = self._run_inserted()
            else:
                end = min([scan, at + self._apart, *(other for other in inserted if other > at)])
                _, fault = self._session.advance(end - at)
            if fault is not None:
                raise self._stopped(fault)
            now = self._session.scan
            if all(act.scan < now for act in self._acts if act.made <= (now, 0)):  # else they are not done yet
                self._keep()

    # --- single scans ---

    def _trails(self) -> _Trailing:
        """What runs scans that leave a trail, with or without forces as this one."""
        forces = self._mode.forces
        if forces not in self._trailing:
            program = make_program(self.unit, self._constants, mode=replaced(self._mode, trails=True))
            follower = Follower(program, self._bodies)
            self._trailing[forces] = _Trailing(follower, Session(self._session.plan, follower.machine))
        return self._trailing[forces]

    def _next_scan(self) -> tuple[Scan, Fault | None]:
        """What the next scan will do."""
        trailing = self._trails()
        session = trailing.session
        session.back(Checkpoint(self._machine.snapshot(), self._session.scan, ()))
        session.inserts = self._inserts()
        faults: list[Fault | None] = []
        scan = trailing.follower.scan(lambda: faults.append(session.advance(1)[1]))
        return scan, faults[0]

    def _inserts(self) -> dict[int, bytes]:
        """What is stored in the middle of the next scan."""
        return packed_inserts(inserts_of(self._acts.later_at(self._session.scan)), self._machine)

    def _run_inserted(self) -> Fault | None:
        """Run the next scan, with what is stored in the middle of it."""
        session = self._session
        session.inserts = self._inserts()
        session.exchange(self._trails().follower.machine)
        _, fault = session.advance(1)
        session.exchange(self._made())
        session.inserts = {}
        return fault
