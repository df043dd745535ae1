"""A machine in Python that goes through its scans statement by statement, forwards and backwards, and answers why."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from datetime import timedelta
from typing import Any

from upright_block.cases.byhand import HandRun
from upright_block.cases.cells import duration
from upright_block.cases.plan import ReadyCase, forces_at
from upright_block.compiler.artifact import Slot
from upright_block.compiler.layout import DATA
from upright_block.errors import BadValue, ScanFault
from upright_block.face import words
from upright_block.language.literals import Value, shown_duration
from upright_block.language.nodes import record, replaced, state
from upright_block.language.signals import find_signal
from upright_block.language.timebase import Timebase
from upright_block.language.types import BOOL
from upright_block.reasons.scans import Condition, Entry, Instances, Read, Statements, Steps, Written
from upright_block.reasons.tree import Node
from upright_block.reasons.where import Here
from upright_block.reasons.why import Asker
from upright_block.reasons.writes import last_write_in
from upright_block.reports import entry_data, plain, step_line, why_data, why_lines
from upright_block.runs.acts import Act, Acts
from upright_block.runs.controller import Moment
from upright_block.runs.following import Followed
from upright_block.runs.handmade import hand_run
from upright_block.runs.rewinding import Rewound
from upright_block.runs.trails import Ran, Run, Write
from upright_block.runs.values import presented

_WIDTH = 120
_MOST_EMPTY = 10_000
"""Scans in which no statement runs that a step goes over."""


class Explanation:
    """The reasons of a value; it prints as ``upright why`` does."""

    def __init__(self, node: Node, timebase: Timebase) -> None:
        self.node = node
        self._timebase = timebase

    def data(self) -> dict[str, Any]:
        """The tree as plain data, see the documents."""
        return why_data(self.node, self._timebase)

    def __str__(self) -> str:
        return "\n".join(plain(line) for line in why_lines(self.node, self._timebase, _WIDTH, show_all=True))


@record
class Step:
    """A statement of a scan: as it ran, or, where it is the one that comes next, as it is written.

    ``turn`` are the numbers of the turns of the loops around it, from 1; ``way`` is the branch that ran, from 1;
    ``turns`` are those of a loop; ``condition`` is the one that decided; ``opens`` is the instance that it calls.
    """

    scan: int
    time_ns: int
    file: str
    line: int
    column: int
    instance: str
    kind: str
    text: str
    ran: bool
    turn: tuple[int, ...]
    way: int | None
    turns: int | None
    condition: Condition | None
    reads: tuple[Read, ...]
    writes: tuple[Written, ...]
    opens: str | None
    entry: Entry

    def data(self) -> dict[str, Any]:
        """The same as plain data, see the documents."""
        return {**entry_data(self.entry), "scan": self.scan, "time_ns": self.time_ns}

    def __str__(self) -> str:
        return plain(step_line(self.entry))


def _step(entry: Entry, scan: int, time: int) -> Step:
    source, start = entry.unit.source, entry.statement.origin.start
    return Step(
        scan,
        time,
        source.path,
        entry.line,
        source.column(start),
        entry.instance,
        entry.kind,
        entry.text,
        entry.ran is not None,
        entry.turn,
        entry.way,
        entry.turns,
        entry.conditions[-1] if entry.conditions else None,
        entry.reads,
        entry.writes,
        entry.opens,
        entry,
    )


@state
class Open:
    """A scan that is looked at up to the step ``at``, which comes next."""

    statements: Statements
    steps: Steps
    at: int = 0

    @property
    def number(self) -> int:
        """The number of the statement that comes next."""
        return self.steps.numbers[self.at]

    @property
    def entry_at(self) -> int:
        """The entry of the trail before which it stands."""
        return self.steps.entries[self.at] if self.at < len(self.steps) else self.statements.scan.length

    def step(self, at: int) -> Step:
        """A step, as it ran."""
        found = self.statements
        return _step(found.entry(self.steps[at]), found.number, found.time)


class Steered(Rewound):
    """A controller that stops at any statement of a scan, and of which reasons can be asked.

    Between two statements it holds what the scan had made until then. What is set there acts in the next scan if it is
    an input, at once if it is anything else; forces and the power act in the next scan.
    """

    case: ReadyCase | None = None
    """The case that it begins as, whose columns go on as time does."""
    _open: Open | None = None
    _has_stopped = False
    _last: Statements | None = None
    _last_followed: tuple[object, Followed] | None = None

    # --- what can be looked at ---

    def seen(self) -> tuple[Statements, int | None]:
        """The scan that a machine is in, with the entry of its trail before which it stands, or the last that is over,
        with None; before the first that one, of which nothing has run.

        Raises:
            BadValue: it does more than can be followed.
        """
        if self._open is not None:
            return self._open.statements, self._open.entry_at
        number = self._session.scan - (not self._has_stopped)
        if number < 0:
            return self._opened().statements, 0
        if self._last is None or self._last.number != number:
            here, has_stopped = self.snapshot(), self._has_stopped
            self._leave_for(number)
            try:
                found = self._opened().statements
            finally:
                self.restore(here)
                self._has_stopped = has_stopped
            self._last = found
        return self._last, None

    def layout(self) -> Instances:
        """The instances that it holds."""
        return Instances(self._trails().follower.program)

    def scan_seen(self) -> None:
        """Run a scan, or finish the one at hand, as one that `seen` has at once.

        Raises:
            ScanFault: it stopped.
        """
        if self._open is None:
            self._open = self._opened()
        self.scan()

    def initial(self, path: str) -> Value:
        """The value at a path before anything ran or was given.

        Raises:
            UnknownName: the path leads to no value.
        """
        signal = self._signal(path)
        slot = self._machine.slot(signal)
        return presented(slot.decode(self._machine.artifact.initial, slot.offset), signal)

    @property
    def forced(self) -> dict[str, Value]:
        """What is forced now, by path."""
        return forces_at(self._done(self._session.scan).drives, self._session.scan)

    def as_run(self) -> HandRun:
        """What was done until now, as a run from the beginning.

        Raises:
            NotRunnable: something was set in the middle of a scan.
        """
        paths = [act.path for act in self._acts if act.kind != "power"]
        return hand_run(self.unit, self._done(self._session.scan), paths)

    @property
    def acts(self) -> tuple[Act, ...]:
        """What was done from outside until now, in its order."""
        return tuple(self._acts)

    @property
    def timebase(self) -> Timebase:
        """When scans start."""
        return self._session.plan.timebase

    @property
    def scans(self) -> int:
        """How many scans are over."""
        return self._session.scan

    @property
    def powered(self) -> str:
        """Whether the power is ``on`` or ``off``, or the controller is at ``stop``."""
        return self._machine.powered

    def to(self, scan: int) -> None:
        """Come to the moment before a scan: back, and what was done from outside behind it is undone, or on.

        Raises:
            ScanFault: a scan on the way stopped.
        """
        is_in_it = self._open is not None or self._has_stopped
        if scan < self._session.scan or (scan == self._session.scan and is_in_it):
            self._open, self._last = None, None
            self._return(scan, [act for act in self._acts if act.made <= (scan, 0)])
            self._has_stopped = False
        elif scan > self._session.scan:
            self.scan(scan - self._session.scan)

    def again(self, acts: Sequence[Act], scan: int, statement: int = 0) -> None:
        """Come to a moment from the beginning, doing some acts, each at its time.

        Raises:
            UnknownName: an act is about what is not there.
            ScanFault: a scan on the way stopped.
        """
        for act in acts:
            if act.kind != "power":
                self._signal(act.path)
        self._keep()
        self._open, self._last = None, None
        self._return(scan, acts)
        self._has_stopped = False
        self._enter(statement)

    def _enter(self, statement: int) -> None:
        """Stand before the statement with that number of the next scan; 0 is before all."""
        if statement:
            opened = self._opened()
            at = bisect_left(opened.steps.numbers, statement)
            opened.at = at if at < len(opened.steps) else 0
            self._open = opened if opened.at else None

    # --- statement by statement ---

    @property
    def at(self) -> Step | None:
        """The statement that comes next; None between scans."""
        if self._open is None:
            return None
        found, ran = self._open.statements, self._open.steps[self._open.at]
        entry = replaced(found.entry(ran), ran=None, way=None, turns=None, conditions=(), reads=(), writes=())
        return _step(entry, found.number, found.time)

    def step(self, over: bool = False) -> Step:
        """Run one statement, and return what it did; between scans it is the first of the next.

        One that calls a block is followed into it, unless its calls are stepped ``over``.

        Raises:
            ScanFault: it stopped the scan.
            BadValue: no statement runs, or the scan does more than can be followed.
        """
        opened = self._open or self._begun()
        step = opened.step(opened.at)
        behind = opened.at + 1
        own = opened.steps[opened.at]
        while over and behind < len(opened.steps) and (called := _called_by(own, opened.steps[behind])) is not None:
            behind = opened.steps.behind(called.end)
        self._open = opened
        if behind < len(opened.steps):
            opened.at = behind
        else:
            self._run(1, None)
        return step

    def back(self, over: bool = False, wrote: str | None = None) -> Step:
        """Undo one statement, and return it; at the beginning of a scan it is the last of the scan before.

        What was done from outside behind it is undone too. With ``over`` the calls of the statement are undone with it.
        With ``wrote`` it goes back to just behind the last statement that wrote what is at that path.

        Raises:
            BadValue: nothing ran before, or nothing wrote it.
            UnknownName: the path leads to no value.
        """
        before = self.snapshot()
        try:
            return self._back(over) if wrote is None else self._back_to_write(wrote)
        except BadValue:
            self.restore(before)
            raise

    def _begun(self) -> Open:
        """The next scan in which a statement runs; those before it are over."""
        before = self.snapshot()
        for _ in range(_MOST_EMPTY if self._may_run() else 0):
            opened = self._opened()
            if opened.steps:
                return opened
            super()._run(1, None)
        self.restore(before)
        raise BadValue(*words.no_statement_ahead(_MOST_EMPTY))

    def _may_run(self) -> bool:
        """Whether the power is on, or comes back by itself."""
        return self._machine.powered == "on" or bool(self._session.plan.power)

    def _opened(self) -> Open:
        """The next scan, from its beginning on."""
        number, timebase = self._session.scan, self._session.plan.timebase
        scan, fault = self._next_scan()
        if not scan.is_whole:
            raise BadValue(*words.too_long_to_follow(shown_duration(timebase.time(number))))
        statements = Statements(self._trails().follower.program, timebase, number, scan, fault)
        return Open(statements, statements.steps())

    def _stand(self, opened: Open, at: int) -> None:
        """Stand before a step of the next scan, and undo what was done from outside behind it."""
        moment = (self._session.scan, opened.steps.numbers[at] if at else 0)
        kept = [act for act in self._acts if act.made <= moment]
        is_other = any(act.statement for act in self._acts[len(kept) :])
        self._acts = Acts(kept)
        if at:
            self._open = self._opened() if is_other else opened
            self._open.at = at
        else:
            self._open = None
        self._last = None

    def _back(self, over: bool) -> Step:
        opened, at = self._open, 0 if self._open is None else self._open.at
        if opened is None:
            opened = self._before()
            at = len(opened.steps)
        around = [ran.at for ran in _callers(opened.steps[at])] if at < len(opened.steps) else []
        at -= 1
        if over:
            calls = {ran.at for ran in _callers(opened.steps[at])}.difference(around)
            at = next((opened.steps.behind(begun) for begun in sorted(calls) if begun in opened.steps), at)
        step = opened.step(at)
        self._stand(opened, at)
        return step

    def _before(self) -> Open:
        """The last scan in which a statement ran; the controller is before it."""
        last = self._session.scan - (not self._has_stopped)
        plan = self._done(last + 1)
        for number in range(last, -1, -1):
            if not plan.is_idle(number):
                self._leave_for(number)
                opened = self._opened()
                if opened.steps:
                    return opened
        raise BadValue(*words.nothing_ran_before())

    def _leave_for(self, scan: int) -> None:
        """Come back to the moment before a scan that has run, with what was done in the middle of it."""
        self._return(scan, [act for act in self._acts if act.made < (scan + 1, 0)])
        self._has_stopped, self._last = False, None

    def _back_to_write(self, path: str) -> Step:
        signal = self._signal(path)
        slot = self._machine.slot(signal)
        here = Here(signal.path, slot.type, DATA + slot.offset, slot.bit)
        followed = self.followed()
        number: int | None = self._session.scan
        while number is not None:
            if self._open is not None:
                wrote = _last_write(self._open, here)
                if wrote is not None:
                    return self._behind(self._open, wrote)
            number = followed.last_write(slot, number)
            if number is not None:
                self._leave_for(number)
                self._open = self._opened()
                self._open.at = len(self._open.steps)
        raise BadValue(*words.never_written(path))

    def _behind(self, opened: Open, wrote: Write) -> Step:
        """Stand behind a statement of the scan at hand that wrote something."""
        at = opened.steps.behind(wrote.at + 1)
        is_step = wrote.ran is not None and wrote.ran.at in opened.steps
        own = opened.steps.behind(wrote.ran.at) if is_step and wrote.ran is not None else at - 1
        step = opened.step(own)
        if at < len(opened.steps):
            self._stand(opened, at)
        else:
            self._run(1, None)
        return step

    # --- what a controller does, in the middle of a scan too ---

    def _run(self, scans: int, until: Slot | None) -> bool:
        if self._open is not None and scans > 0:
            if self._finish(until):
                return True
            scans -= 1
        return self._run_noting(scans, until)

    def _run_noting(self, scans: int, until: Slot | None) -> bool:
        """Run scans as one that does not stop in them does, and note where a fault stopped one."""
        try:
            return super()._run(scans, until)
        except ScanFault:
            self._has_stopped = True
            raise

    def _finish(self, until: Slot | None) -> bool:
        """Finish the scan at hand; whether a condition holds then."""
        self._last = None if self._open is None else self._open.statements
        self._open = None
        if self._inserts():
            fault = self._run_inserted()
            if fault is not None:
                self._has_stopped = True
                raise self._stopped(fault)
            self._apply_due()
            return until is not None and bool(self._machine.peek(until))
        return self._run_noting(1, until)

    def _peek(self, slot: Slot) -> Value:
        opened = self._open
        if opened is None:
            return super()._peek(slot)
        start = DATA + slot.offset
        return slot.decode(opened.statements.scan.part(start, start + slot.size, opened.entry_at), 0)

    def _do(self, done: Sequence[tuple[str, str, Value | None]]) -> None:
        opened = self._open
        if opened is None:
            super()._do(done)
            return
        scan, made = self._session.scan, (self._session.scan, opened.number)
        acts = [
            Act(scan, kind, path, value, opened.number, made)
            if kind == "set" and self._acts_at_once(path)
            else Act(scan + 1, kind, path, value, 0, made)
            for kind, path, value in done
        ]
        self._acts.extend(acts)
        if any(act.statement for act in acts):
            self._open = self._opened()
            self._open.at = opened.at

    def pulse(self, path: str, width: str | int | timedelta = "500ms") -> None:
        """Set a BOOL TRUE, and after a while, such as ``"500ms"``, an int in ns, or a timedelta, what it was.

        Raises:
            UnknownName: the path leads to no value.
            BadValue: it is no BOOL, or no time.
        """
        if self._signal(path).type is not BOOL:
            raise BadValue(*words.no_bool(path))
        before, timebase = self.read(path), self.timebase
        at = max(timebase.scans_before(self.now + duration(width)), self.scans + 1)
        self.set(path, value=True)
        made = (self.scans, 0 if self._open is None else self._open.number)
        stored = self._stored(path, before)
        self._acts.extend(Act(at, "set", slot.path, slot.decode(content, 0), 0, made) for slot, content in stored)

    def _acts_at_once(self, path: str) -> bool:
        """Whether a value that is set in the middle of a scan acts there: an input acts in the next."""
        signal = find_signal(self.unit, path)
        is_from_field = signal.tag is not None and signal.tag.area == "I"
        return not (signal.is_driven or is_from_field or path.upper().startswith("%I"))

    def snapshot(self) -> Moment:
        """All that the controller holds now: data, clock, forces, and where it stands in a scan."""
        moment = super().snapshot()
        return moment if self._open is None else replaced(moment, statement=self._open.number)

    def restore(self, moment: Moment) -> None:
        """Come back to a moment of this controller, or of another of the same program; what was recorded after it, or
        by another, is dropped.

        Raises:
            BadValue: it is of another unit, or of one with other constants or another scan.
        """
        super().restore(moment)
        self._open, self._last, self._has_stopped = None, None, False
        self._enter(moment.statement)

    # --- why ---

    def followed(self, scans: int | None = None) -> Followed:
        key = scans or self._session.scan, self._mode, tuple(self._acts)
        if self._last_followed is None or self._last_followed[0] != key:
            self._last_followed = key, super().followed(scans)
        return self._last_followed[1]

    def why(self, path: str) -> Explanation:
        """Why the value at a path is what it is, after the last scan, or before the statement that comes next.

        Raises:
            UnknownName: the path leads to no value.
            BadValue: no scan has run.
        """
        signal, opened = self._signal(path), self._open
        followed = self.followed() if opened is None else self.followed(self._session.scan + 1)
        if not followed.plan.scans or signal.variable.is_code:
            raise BadValue(*words.nothing_ran(path))
        at = None if opened is None else opened.entry_at
        return Explanation(Asker(followed, self.case).why(signal, followed.plan.scans - 1, at), followed.plan.timebase)


def _last_write(opened: Open, here: Here) -> Write | None:
    """The last statement that wrote something before where a scan stands, behind its first step."""
    trail, end, first = opened.statements.scan, opened.entry_at, opened.steps.entries[0]
    write = last_write_in(trail, here, end)
    while write is not None and write.ran is None:
        write = last_write_in(trail, here, write.at)
    return write if write is not None and write.at > first else None


def _called_by(own: Ran, inner: Ran) -> Run | None:
    """The run of a unit that a statement called, in which another statement is."""
    run: Run | None = inner.run
    while run is not None and run.caller is not own:
        run = run.caller.run if run.caller is not None else None
    return run


def _callers(ran: Ran) -> Iterator[Ran]:
    """The statements that called what a statement ran in, innermost first."""
    caller = ran.run.caller
    while caller is not None:
        yield caller
        caller = caller.run.caller
