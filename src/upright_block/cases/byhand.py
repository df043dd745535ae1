"""A run without expectations: what a call sets, forces and pulses becomes a plan, over that of a case or over
nothing.
"""

from __future__ import annotations

from array import array
from bisect import bisect_right
from collections.abc import Callable, Sequence
from contextlib import suppress

from upright_block.asking import asked
from upright_block.cases.cells import moment, parse_span, parse_value
from upright_block.cases.drafting import Draft, Refused
from upright_block.cases.plan import Common, Drive, Plan
from upright_block.cases.words import byhand as words
from upright_block.cases.words import planning as planning_words
from upright_block.errors import BadValue
from upright_block.language.literals import LiteralProblem, Value, shown_duration
from upright_block.language.nodes import record, replaced
from upright_block.language.signals import Signal, find_signal
from upright_block.language.source import Cell, Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit
from upright_block.language.types import BOOL, Elementary
from upright_block.machine.clock import CLOCK_START


@record
class Wishes:
    """What a call asks for, each as it is written: ``pin=value@time``, ``pin@time``, ``pin@time:width``,
    ``name=value``.

    ``span`` is how long to run, ``until`` a condition that ends it, ``scan`` the time of a scan, ``watch`` patterns of
    what is watched; with ``saves`` outputs are among it.
    """

    set: Sequence[str] = ()
    force: Sequence[str] = ()
    release: Sequence[str] = ()
    pulse: Sequence[str] = ()
    given: Sequence[str] = ()
    span: str | None = None
    until: str | None = None
    scan: str | None = None
    watch: Sequence[str] = ()
    saves: bool = False

    def watching(self, patterns: Sequence[str], saves: bool = False) -> Wishes:
        """The same with patterns of what is watched."""
        return replaced(self, watch=patterns, saves=saves)

    def behind(self, time: int) -> list[tuple[str, int]]:
        """What is asked for behind a time in ns, as it is written, with its own time."""
        found: list[tuple[str, int]] = []
        for text in (*self.set, *self.pulse, *self.force, *self.release):
            _, mark, at = text.rpartition("@")
            with suppress(BadValue):  # what is no time is told when the run is made
                own = moment(at.partition(":")[0]) if mark else 0
                if own > time:
                    found.append((text, own))
        return found

    def lasting(self, span: str) -> Wishes:
        """The same for so long."""
        return replaced(self, span=span)


@record
class HandRun:
    """A run ready to be made, of a unit with a plan that checks nothing; ``named`` are the signals that the call names.

    ``written`` has, by the path that a drive stores to, the signal as it is called; ``has_clock`` says that the wall
    clock matters.
    """

    unit: Unit
    plan: Plan
    named: tuple[Signal, ...]
    written: dict[str, Signal]
    has_clock: bool


class HandPlanner(Draft):
    """Makes a plan from the options of a call; ``base`` is that of a case, whose checks are left out."""

    def __init__(self, unit: Unit, timebase: Timebase, base: Plan | None, findings: Findings) -> None:
        super().__init__(unit, timebase, Common({}), findings)
        self.base = base
        self.named: dict[str, Signal] = {}
        self.changes: dict[str, dict[int, Value | None]] = {}
        self.spans: dict[str, list[tuple[int, int, Value]]] = {}
        self.holds: dict[str, dict[int, Value | None]] = {}
        self.constants: dict[str, Value] = dict(base.constants) if base else {}
        self.given: dict[str, Value] = dict(base.given) if base else {}
        self.marks: set[int] = set(base.row_scans) if base else set()
        self.timed: list[tuple[_Written, int]] = []

    def run(self, wishes: Wishes, scans: int, name: str) -> HandRun | None:
        """The run; None where something of it cannot be, which becomes findings."""
        for text in wishes.given:
            self._each("given", text, self._give)
        for text in wishes.set:
            self._each("set", text, self._set)
        for text in wishes.pulse:
            self._each("pulse", text, self._pulse)
        for text in wishes.force:
            self._each("force", text, self._force)
        for text in wishes.release:
            self._each("release", text, self._release)
        for written, scan in self.timed:
            if scan >= scans:
                end = shown_duration(self.timebase.time(scans))
                self.report(written.source, Cell("", 0, len(written.text)), words.after_the_end(written.text, end))
        if self.failed:
            return None
        drives = self._all_drives()
        base = self.base
        plan = Plan(
            name,
            self.unit.key,
            self.timebase,
            base.clock if base else CLOCK_START,
            scans,
            tuple(sorted(self.constants.items())),
            tuple(self.given.items()),
            tuple(drives),
            (),
            array("q", sorted(self.marks)),
            tuple(self.named),
            base.clocks if base else (),
            base.power if base else (),
            base.idle if base else (),
        )
        has_clock = base is not None and base.clock != CLOCK_START
        return HandRun(self.unit, plan, tuple(self.named.values()), self._written(), has_clock)

    def _written(self) -> dict[str, Signal]:
        """The signals that are driven, by where they are stored."""
        named = list(self.named.values())
        if self.base is not None:
            named += [find_signal(self.unit, path) for path in self.base.shown]
        return {self.field(signal).path: signal for signal in named if not signal.variable.is_code}

    # --- what is written ---

    def _each(self, parameter: str, text: str, take: Callable[[_Written], None]) -> None:
        written = _Written(Source(asked(parameter), text))
        try:
            take(written)
        except _Unread as problem:
            self.report(
                written.source, Cell("", 0, max(len(text), 1)), words.other_shape(text, parameter, problem.shape)
            )
        except Refused:
            return

    def _refuse(self, written: _Written, said: Words, start: int = 0, end: int | None = None) -> Refused:
        self.report(written.source, Cell("", start, len(written.text) if end is None else max(end, start + 1)), said)
        return Refused()

    def _signal(self, written: _Written, path: str) -> Signal:
        signal = self.value(path, written.source, Cell(path, 0, len(path)))
        self.named.setdefault(signal.path, signal)
        return signal

    def _target(self, written: _Written, path: str) -> tuple[Signal, Signal]:
        signal = self._signal(written, path)
        if signal.variable.is_code:
            raise self._refuse(written, words.constant_given(signal))
        if signal.is_read_only:
            raise self._refuse(written, planning_words.read_only(signal))
        target = self.field(signal)
        if self.is_given_by_rig(target):
            raise self._refuse(written, planning_words.given_by_rig(signal))
        self.signals |= {signal.path: signal, target.path: target}
        return signal, target

    def _value(self, written: _Written, signal: Signal, target: Signal, text: str, start: int) -> Value:
        try:
            return self.stored_value(signal, target, parse_value(text, signal.type), text)
        except LiteralProblem as problem:
            raise self._refuse(written, planning_words.bad_value(signal, problem), start, start + len(text)) from None

    def _scan(self, written: _Written, text: str, start: int) -> int:
        """The scan that starts at a time."""
        try:
            time = parse_span(text)
        except LiteralProblem as problem:
            raise self._refuse(written, planning_words.bad_cell(problem), start, start + len(text)) from None
        scan = None if time < 0 else self.timebase.at(time)
        if scan is None:
            said = planning_words.between_scans("at", text, self.timebase, 0, max(time, 0))
            raise self._refuse(written, said, start, start + len(text))
        self.marks.add(scan)
        self.timed.append((written, scan))
        return scan

    def _give(self, written: _Written) -> None:
        path, text = written.cut("=", "name=value")
        signal = self._signal(written, path)
        start = len(path) + 1
        if signal.variable.is_code and signal.root is signal.variable and not signal.variable.is_folded:
            self.constants[signal.path] = self._value(written, signal, signal, text, start)
            return
        signal, target = self._target(written, path)
        self.overwritten(signal, written.source, Cell(path, 0, len(path)))
        self.given[target.path] = self._value(written, signal, target, text, start)

    def _set(self, written: _Written) -> None:
        path, text, time, start = written.value_at()
        signal, target = self._target(written, path)
        value, scan = (
            self._value(written, signal, target, text, start),
            self._scan(written, time, len(written.text) - len(time)),
        )
        changes = self.changes.setdefault(target.path, {})
        if scan in changes:
            raise self._refuse(written, words.set_twice(signal.path, time))
        self.overwritten(signal, written.source, Cell(path, 0, len(path)))
        changes[scan] = value

    def _pulse(self, written: _Written) -> None:
        path, rest = written.cut("@", "pin@time:width")
        time, colon, width = rest.partition(":")
        if not colon:
            raise self._refuse(written, words.pulse_without_width(written.text))
        signal, target = self._target(written, path)
        if signal.type is not BOOL:
            raise self._refuse(written, words.pulse_of_other(signal), 0, len(path))
        self.overwritten(signal, written.source, Cell(path, 0, len(path)))
        begin = self._scan(written, time, len(path) + 1)
        try:
            span = parse_span(width)
        except LiteralProblem as problem:
            raise self._refuse(written, planning_words.bad_cell(problem), len(written.text) - len(width)) from None
        end = self.timebase.scans_before(self.timebase.time(begin) + span)
        if span <= 0 or self.timebase.time(end) != self.timebase.time(begin) + span:
            said = planning_words.between_scans("after", width, self.timebase, self.timebase.time(begin), max(span, 0))
            raise self._refuse(written, said, len(written.text) - len(width))
        spans = self.spans.setdefault(target.path, [])
        if any(begin < other_end and other < end for other, other_end, _ in spans):
            raise self._refuse(written, words.set_twice(signal.path, time))
        spans.append((begin, end, self.stored_value(signal, target, value=True, text="1")))
        self.marks.add(end)

    def _force(self, written: _Written) -> None:
        path, text, time, start = written.value_at()
        signal = self._signal(written, path)
        if signal.variable.is_code or not isinstance(signal.type, Elementary):
            raise self._refuse(
                written, words.constant_given(signal) if signal.variable.is_code else planning_words.text_forced(signal)
            )
        target = self.field(signal)
        self.signals |= {signal.path: signal, target.path: target}
        self._value(written, signal, target, text, start)  # it must fit its point too
        value = self._value(written, signal, signal, text, start)
        self._hold(written, signal, self._scan(written, time, len(written.text) - len(time)), value)

    def _release(self, written: _Written) -> None:
        path, time = written.cut("@", "pin@time")
        signal = self._signal(written, path)
        beneath = self.base.drives if self.base else ()
        if signal.path not in self.holds and not any(d.is_force and d.path == signal.path for d in beneath):
            raise self._refuse(written, words.not_forced(signal.path))
        self.signals[signal.path] = signal
        self._hold(written, signal, self._scan(written, time, len(path) + 1), None)

    def _hold(self, written: _Written, signal: Signal, scan: int, value: Value | None) -> None:
        holds = self.holds.setdefault(signal.path, {})
        if scan in holds:
            raise self._refuse(written, words.set_twice(signal.path, written.text.rpartition("@")[2]))
        holds[scan] = value

    # --- all of it as drives ---

    def _all_drives(self) -> list[Drive]:
        """The drives of the base with what the call asks for on top."""
        base = list(self.base.drives) if self.base else []
        own = self.changes.keys() | self.spans.keys()
        found = [drive for drive in base if drive.is_force or drive.path not in own]
        beneath = {path: [d for d in base if not d.is_force and d.path == path] for path in sorted(own)}
        found += [self._merged(path, drives) for path, drives in beneath.items()]
        for path, holds in self.holds.items():
            changes: dict[int, Value | None] = {}
            for drive in found:
                if drive.is_force and drive.path == path:
                    changes |= dict(zip(drive.scans, drive.values, strict=True))
            changes |= holds
            scans = sorted(changes)
            forced = list(self.forces(self.signals[path], array("q", scans), [changes[scan] for scan in scans]))
            replaced = {drive.path for drive in forced}
            found = [drive for drive in found if not (drive.is_force and drive.path in replaced)] + forced
        return found

    def _merged(self, path: str, beneath: Sequence[Drive]) -> Drive:
        """What a pin gets: the last that was set, but while it is pulsed."""
        changes: dict[int, Value | None] = {}
        for drive in beneath:
            changes |= dict(zip(drive.scans, drive.values, strict=True))
        changes |= self.changes.get(path, {})
        steady = Drive(
            path, is_force=False, scans=array("q", sorted(changes)), values=[changes[scan] for scan in sorted(changes)]
        )
        spans = self.spans.get(path, [])
        for begin, end, value in spans:
            changes = {scan: kept for scan, kept in changes.items() if not begin <= scan < end}
            changes[begin] = value
        for _, end, _ in spans:
            if not any(begin <= end < other for begin, other, _ in spans):
                changes[end] = _value_at(steady, end)
        scans = sorted(changes)
        return Drive(path, is_force=False, scans=array("q", scans), values=[changes[scan] for scan in scans])


def _value_at(drive: Drive | None, scan: int) -> Value | None:
    """What a drive has stored last before a scan or at it; None is what was there at the start."""
    before = bisect_right(drive.scans, scan) - 1 if drive else -1
    return drive.values[before] if drive and before >= 0 else None


class _Unread(Exception):
    """An option is not of the ``shape`` that it should have."""

    def __init__(self, shape: str) -> None:
        super().__init__(shape)
        self.shape = shape


class _Written:
    """An option as it is written, and the source that findings point into."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.text = source.text

    def cut(self, mark: str, shape: str) -> tuple[str, str]:
        first, found, rest = self.text.partition(mark)
        if not found or not first.strip() or not rest.strip():
            raise _Unread(shape)
        return first, rest

    def value_at(self) -> tuple[str, str, str, int]:
        """The path, the value, the time, and where the value begins."""
        path, rest = self.cut("=", "pin=value@time")
        value, at, time = rest.rpartition("@")
        return (path, value, time, len(path) + 1) if at else (path, rest, "0s", len(path) + 1)
