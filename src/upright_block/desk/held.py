"""What is held at a desk: one machine, the text at hand, the cursor, a watch list, a log, and how time goes on."""

from __future__ import annotations

import time
from collections.abc import Sequence
from functools import cached_property

from upright_block.cases.cells import moment
from upright_block.desk import kept, words
from upright_block.errors import BadValue, NeverMet, ScanFault, UprightError
from upright_block.face.opened import OpenLibrary
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.nodes import record
from upright_block.language.signals import Signal, every_signal, field_signal, find_signal
from upright_block.language.types import Enumeration
from upright_block.language.views.states import names_of
from upright_block.library.writing import Changes
from upright_block.reasons.scans import Entry
from upright_block.reports import Line
from upright_block.runs.controller import Moment
from upright_block.runs.watched import chosen_by, pins_of

_MOST_LOG = 5_000
_MOST_LISTED = 200
_MOST_WATCHED = 200
_AT_ONCE = 0.03
"""Seconds for which scans are run before the screen is drawn again."""
LONGEST_SCANS = 1 << 20
"""Scans that one line may ask for."""
_LANES = 20_000_000_000
"""The time in ns that lanes show, unless somebody says another."""
Pane = str


@record
class Text:
    """The text at hand: the statements of an instance in the scan that is seen, with the line that comes next."""

    instance: str
    entries: tuple[Entry, ...]
    next_line: int | None
    problem: str = ""

    @property
    def name(self) -> str:
        """The name of its unit."""
        return self.entries[0].unit.name if self.entries else ""


class Held:
    """A machine that stays, and what is looked at of it.

    ``pane`` is what stands below the text: ``watch``, ``lanes``, ``log``, ``why`` or ``help``. ``chosen`` is the path
    that the cursor is on, ``line`` the line of the text that it is in.
    """

    def __init__(
        self, library: OpenLibrary, target: str, given: dict[str, Value] | None = None, scan: str | None = None
    ) -> None:
        self.library = library
        self.pane: Pane = "watch"
        self.log: list[Line] = []
        self.told: list[Line] = []
        self.told_at = ""
        self.watch: list[str] = []
        self.chosen: str | None = None
        self.span = _LANES
        self.pace = 0.0
        self.is_left = False
        self.is_ladder = False
        self.proposed: Changes | None = None
        self.offered = ""
        """A line that stands in the input for the user to send."""
        self._begin(target, given or {}, scan)

    def _begin(self, target: str, given: dict[str, Value], scan: str | None) -> None:
        machine = self.library.machine(target, scan, given)
        self.target, self.given, self.period = target, given, scan
        self.machine = machine
        self.is_going = False
        self._goal: tuple[str | None, int | None] = None, None
        self._owed = 0.0
        self.behind = 0
        self.fault: str | None = None
        self._left: list[Moment] = []
        self._known: tuple[object, Text] | None = None
        self.instance = ""
        self.line = 0
        self.__dict__.pop("signals", None)
        if not self.watch:
            pins = pins_of(machine.unit, self.signals)
            self.watch = [signal.path for signal in pins[:_MOST_WATCHED]]
        self.watch = [path for path in self.watch if self._is_there(path)]
        self.chosen = self.chosen if self.chosen and self._is_there(self.chosen) else next(iter(self.watch), None)
        self._show_first()

    def _show_first(self) -> None:
        """Show the text of the target, or of the first instance in it that has one."""
        self.instance = next(iter(self.machine.layout().written()), "")
        text = self.text
        self.line = text.entries[0].line if text.entries else 0

    @cached_property
    def signals(self) -> dict[str, Signal]:
        """All that can be watched, by path."""
        return every_signal(self.machine.unit)

    def _is_there(self, path: str) -> bool:
        try:
            self.machine.read(path)
        except UprightError:
            return False
        return True

    def _note(self, line: Line) -> None:
        """Put a line into the log, with the moment at which it is."""
        self.log.append([(f"{self.moment:>12}  ", "dim"), *line])
        del self.log[:-_MOST_LOG]

    def _list(self, lines: Sequence[Line]) -> None:
        """Put lines into the log, as far as there is room for."""
        for line in lines[:_MOST_LISTED]:
            self._note(line)
        if len(lines) > _MOST_LISTED:
            self._note([(f"{len(lines) - _MOST_LISTED:,} more", "warn")])

    def _signal(self, path: str) -> Signal:
        self.machine.read(path)  # which says what is wrong with it
        return find_signal(self.machine.unit, path)

    @property
    def moment(self) -> str:
        """When it is."""
        return shown_duration(self.machine.now)

    @property
    def place(self) -> str:
        """Where in time the machine stands: between two scans, or before a statement."""
        at = self.machine.at
        scans = self.machine.scans
        if at is not None:
            return f"in scan {scans}, before {at.file.rpartition('/')[2]}:{at.line}"
        return f"after scan {scans - 1}" if scans else "before the first scan"

    def value_text(self, path: str) -> str:
        """The value at a path, as it is shown."""
        value, signal = self.machine.read(path), self._signal(path)
        return shown_value(value, signal)

    def told_value(self, path: str) -> str:
        """The same, with the name of the state that it is."""
        value, signal = self.machine.read(path), self._signal(path)
        name = names_of(self.machine.unit, signal).get(value, "") if isinstance(value, int) else ""
        return f"{shown_value(value, signal)} {name}" if name else shown_value(value, signal)

    @property
    def text(self) -> Text:
        """The text at hand, as far as it has run."""
        machine = self.machine
        at = machine.at
        key = machine.scans, at and (at.line, at.instance, at.turn), self.instance, machine.acts
        if self._known is None or self._known[0] != key:
            next_line = at.line if at is not None and at.instance == self.instance else None
            try:
                found, before = machine.seen()
                made = Text(self.instance, tuple(found.of_instance(self.instance, before)), next_line)
            except UprightError as problem:
                made = Text(self.instance, (), None, problem.message)
            self._known = key, made
        return self._known[1]

    def on_line(self) -> list[str]:
        """The paths that the statements of the line read and write."""
        found: list[str] = []
        for entry in self.text.entries:
            if entry.line == self.line:
                found += [written.path for written in entry.writes]
                found += [read.path for read in entry.reads]
                found += [read.path for condition in entry.conditions for read in condition.reads]
        return [path for path in dict.fromkeys(found) if self._is_there(path)]

    def move(self, lines: int) -> None:
        """Move the cursor by some lines, and on to the first signal there."""
        text = self.text
        if text.entries:
            numbers = [entry.line for entry in text.entries]
            self.line = min(max(self.line + lines, min(numbers)), max(numbers))
            self.choose_next(0)

    def choose_next(self, by: int) -> None:
        """Put the cursor on another signal of its line."""
        found = self.on_line()
        if found:
            at = found.index(self.chosen) + by if self.chosen in found else 0
            self.chosen = found[at % len(found)]

    def choose_watched(self, by: int) -> None:
        """Put the cursor on another signal of the watch list."""
        if self.watch:
            at = self.watch.index(self.chosen) + by if self.chosen in self.watch else 0
            self.chosen = self.watch[at % len(self.watch)]

    def _follow(self) -> None:
        """Show the text where the machine stands."""
        at = self.machine.at
        if at is not None:
            self.instance, self.line = at.instance, at.line

    def tick(self, seconds: float) -> bool:
        """Let the machine go on for so long of the time of whoever watches; whether anything moved."""
        if not self.is_going:
            return False
        machine, began, first = self.machine, time.perf_counter(), self.machine.scans
        if self.pace:
            self._owed += seconds * self.pace * 1e9
            wanted = machine.timebase.scans_before(machine.now + int(self._owed))
        else:
            wanted = machine.scans + LONGEST_SCANS
        chunk = 1
        while self.is_going and machine.scans < wanted and time.perf_counter() - began < _AT_ONCE:
            before = machine.now
            self._advance(min(chunk, wanted - machine.scans))
            self._owed -= machine.now - before
            chunk *= 2
        self.behind = max(int(self._owed - machine.timebase.period), 0) if self.pace else 0
        return machine.scans != first

    def _advance(self, scans: int) -> None:
        """Go on for some scans, up to the goal."""
        until, end = self._goal
        machine = self.machine
        scans = scans if end is None else min(scans, end - machine.scans)
        try:
            if until is None:
                self._run(scans)
            else:
                span = machine.timebase.time(machine.scans + scans) - machine.now
                machine.run_until(until, span)
                self._stop()
                self.pane = "lanes"
                self._note([(f"{until} is TRUE", "good")])
        except NeverMet:
            pass
        except ScanFault as problem:
            self._stop()
            self.fault = problem.message
            self._note([(problem.message, "bad")])
        if end is not None and machine.scans >= end:
            self._stop()

    def _run(self, scans: int) -> None:
        """Run scans; the last one can be seen."""
        if scans > 1:
            self.machine.scan(scans - 1)
        if scans > 0:
            try:
                self.machine.scan_seen()
            except BadValue:  # it does more than can be seen
                self.machine.scan()

    def _go(self, until: str | None, end: int | None) -> None:
        self._goal, self._owed = (until, end), 0.0
        self.is_going, self.fault = True, None

    def _stop(self) -> None:
        self.is_going, self.behind = False, 0

    def go_to(self, at: str) -> None:
        """Go to the moment before the scan at a time, back or on.

        Raises:
            BadValue: it is no time.
            ScanFault: a scan on the way stopped.
        """
        self.machine.to(self.machine.timebase.scans_before(moment(at)))

    def set_pace(self, text: str) -> None:
        """Go as fast as the machine can, or by the clock, times a factor.

        Raises:
            BadValue: it is neither.
        """
        try:
            pace = 0.0 if text == "machine" else float(text)
        except ValueError:
            pace = -1.0
        if pace < 0 or (pace == 0 and text != "machine") or not pace < 1e6:
            raise BadValue(*words.no_pace(text))
        self.pace, self._owed = pace, 0.0

    @property
    def forced(self) -> dict[str, str]:
        """What is forced, by path; a point that is forced with its tag is not told besides."""
        unit, found = self.machine.unit, self.machine.forced
        signals = {path: find_signal(unit, path) for path in found}
        fields = {field.path for signal in signals.values() if (field := field_signal(unit, signal)) is not None}
        return {path: shown_value(found[path], signal) for path, signal in signals.items() if path not in fields}

    def picks(self, part: str) -> list[str]:
        """The paths that have a part in them: those first whose own name begins with it, then shorter ones."""
        wanted = part.strip().upper()
        found = [path for path in self.signals if wanted in path.upper()]
        found.sort(key=lambda path: (not path.upper().rpartition(".")[2].startswith(wanted), len(path)))
        return found

    def watch_only(self, patterns: Sequence[str]) -> None:
        """Watch what some patterns choose.

        Raises:
            UnknownName: one of them chooses nothing.
        """
        self.watch = list(chosen_by(self.machine.unit, self.signals, patterns))[:_MOST_WATCHED]
        self.chosen = next(iter(self.watch), self.chosen)

    def _put_on_watch(self, paths: Sequence[str]) -> None:
        self.watch = list(dict.fromkeys([*self.watch, *paths]))[:_MOST_WATCHED]

    def _show(self, instance: str) -> None:
        """Show the text of an instance."""
        found, before = self.machine.seen()
        entries = found.of_instance(instance, before)
        self.instance, self.line = entries[0].instance, entries[0].line

    def session(self) -> kept.Session:
        """What was done, to do it again another time."""
        at = self.machine.snapshot()
        return kept.Session(
            self.target, self.given, self.period, self.machine.acts, at.scan, at.statement, tuple(self.watch), self.pace
        )

    def take_up(self, session: kept.Session) -> None:
        """Do again what was done in a session of this target.

        Raises:
            UnknownName: something of it is not there any more.
            ScanFault: a scan on the way stopped.
        """
        self.watch = [path for path in session.watch if self._is_there(path)]
        gone = len(session.watch) - len(self.watch)
        if gone:
            self._note([(f"{gone} watched paths are not there any more", "warn")])
        self.pace = session.pace
        self.machine.again(session.acts, session.scan, session.statement)
        self._follow()


def shown_value(value: Value, signal: Signal) -> str:
    """A value as cases have it; a machine gives an enumeration by its name already."""
    return value if isinstance(value, str) and isinstance(signal.type, Enumeration) else shown(value, signal.type)
