"""What is looked at in a run by hand: the signals that patterns choose, and the rows and events of a trace."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from fnmatch import fnmatchcase
from functools import cached_property

from upright_block.cases.byhand import HandPlanner, HandRun, Wishes
from upright_block.cases.cells import duration
from upright_block.cases.plan import ReadyCase
from upright_block.compiler.artifact import Slot
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import Mode, make_program
from upright_block.errors import BadValue, BadWishes, UnknownName
from upright_block.language.checking import observe
from upright_block.language.limits import MOST_SCANS
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import record, replaced
from upright_block.language.scope import Scope
from upright_block.language.signals import NoSignal, Signal, every_signal, find_signal
from upright_block.language.telling.findings import Findings
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit, Variable
from upright_block.language.types import BOOL, DT, Elementary, Enumeration, Type
from upright_block.library.sheets import csv_lines
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault, Trace
from upright_block.runs import words
from upright_block.runs.session import Session
from upright_block.traces.tracks import Gatherer, Tracks


def chosen(unit: Unit, known: dict[str, Signal], pattern: str) -> list[Signal]:
    """The signals that a pattern chooses; ``*`` and ``?`` stand for any characters, dots too, and brackets for
    themselves.

    What is no pattern may be any path to a single value, such as a bit or a point.
    """
    wanted = pattern.upper().replace("[", "[[]")
    found = [signal for path, signal in known.items() if fnmatchcase(path.upper(), wanted)]
    if not found and not any(letter in pattern for letter in "*?"):
        with suppress(NoSignal):
            signal = find_signal(unit, pattern)
            found = [signal] if signal.is_value and not signal.variable.is_code else []
    return found


def pins_of(unit: Unit, known: dict[str, Signal]) -> list[Signal]:
    """What is watched where nothing is said: the pins of a unit; of a configuration the tags of its points."""
    pins = [signal for signal in known.values() if signal.is_pin and not signal.steps]
    tags = [signal for signal in known.values() if signal.tag is not None and signal.tag.area in ("I", "Q")]
    return pins or tags


_RUNNING = ("signed", "unsigned", "real", "duration", "date and time", "time of day")


@record
class Row:
    """The values of the watched signals after a scan."""

    scan: int
    values: tuple[Value, ...]


@record
class Turn:
    """A watched BOOL has risen or fallen in a scan, for the ``count`` th time."""

    scan: int
    signal: Signal
    edge: str
    count: int


def watched(
    unit: Unit, timebase: Timebase, case: ReadyCase | None, wishes: Wishes, scope: Scope, mode: Mode
) -> Watched:
    """A run of a unit, or of a case without its checks, as it is wished for.

    Raises:
        UnknownName: a pattern chooses nothing.
        BadValue: a time or the condition does not fit.
        BadWishes: something else cannot be.
    """
    findings = Findings()
    base = case.plan if case else None
    span = wishes.span or ("1h" if wishes.until else None)
    scans = base.scans if base and span is None else timebase.scans_before(duration(span or "10s"))
    if not 0 < scans <= MOST_SCANS:
        raise BadValue(*words.too_many_scans(span, scans, MOST_SCANS))
    run = HandPlanner(unit, timebase, base, findings).run(wishes, scans, case.id if case else unit.name)
    until = None
    if wishes.until is not None:
        until = observe(wishes.until, unit, scope, findings, is_condition=True)
        if until is None:
            first = findings.items[-1]
            raise BadValue(f"{wishes.until}: {first.message}", first.way_out)
    if run is None or findings.items:
        raise BadWishes(findings.in_order())
    wanted: dict[str, Signal] | None = None
    if wishes.watch:
        known = every_signal(unit)
        wanted = chosen_by(unit, known, wishes.watch)
        if wishes.saves:
            wanted |= {path: own for path, own in known.items() if own.variable.section == "output" and not own.steps}
    return Watched(run, base.shown if base else (), wanted, until, mode, parted(wishes.watch))


def parted(texts: Iterable[str]) -> list[str]:
    """Patterns between commas; those of an index separate nothing.

    Raises:
        UnknownName: one of them is empty.
    """
    found = [part.strip() for text in texts for part in re.split(r",(?![^\[]*\])", text)]
    if "" in found:
        raise UnknownName(*words.empty_pattern())
    return found


def chosen_by(unit: Unit, known: dict[str, Signal], patterns: Iterable[str]) -> dict[str, Signal]:
    """The signals that some patterns choose, by path.

    Raises:
        UnknownName: a pattern chooses nothing.
    """
    found: dict[str, Signal] = {}
    for pattern in parted(patterns):
        signals = chosen(unit, known, pattern)
        if not signals:
            near = did_you_mean(pattern, known) or "Write a path or a pattern such as running.*."
            raise UnknownName(*words.nothing_called(unit.name, pattern, near))
        found |= {signal.path: signal for signal in signals}
    return found


class Watched:
    """A run that is watched: its pieces give rows where something changed, and events, as they come."""

    def __init__(
        self,
        run: HandRun,
        shown: Sequence[str],
        wanted: dict[str, Signal] | None,
        until: Unit | None,
        mode: Mode,
        whole: Iterable[str] = (),
    ) -> None:
        """What is ``wanted`` is watched besides what the call names; without that what a case has ``shown``, and the
        pins. Of what is wanted some is named ``whole``, and not by a pattern.
        """
        self.run = run
        self._shown = shown
        self._wanted = wanted
        self._whole = frozenset(name.upper() for name in whole)
        self.mode = mode
        self._until = until
        self.fault: Fault | None = None
        self.is_met = False
        self.counts: dict[tuple[int, str], int] = {}

    @cached_property
    def signals(self) -> tuple[Signal, ...]:
        """What is watched."""
        found = {signal.path: signal for signal in self.run.named if not signal.variable.is_code}
        wanted = self._wanted
        if wanted is None:
            known = every_signal(self.run.unit)
            shown_by_case = [known[path] for path in self._shown if path in known]
            wanted = {signal.path: signal for signal in (*shown_by_case, *pins_of(self.run.unit, known))}
        return tuple((found | wanted).values())

    @cached_property
    def machine(self) -> Machine:
        """What it runs on."""
        probes = [Probe(self._until)] if self._until is not None else []
        mode = replaced(self.mode, forces=self.run.plan.forces)
        return Machine.of(make_program(self.run.unit, _constants(self.run), probes, mode))

    @property
    def until(self) -> Slot | None:
        """The condition that ends it."""
        return self.machine.artifact.probes[0] if self._until is not None else None

    @cached_property
    def slots(self) -> list[Slot]:
        """Where the watched signals lie."""
        return [self.machine.slot(signal) for signal in self.signals]

    def pieces(self) -> Iterator[Trace]:
        """Run, and give what changed piece by piece; a fault ends it."""
        for piece in Session(self.run.plan, self.machine).pieces(self.slots, until=self.until):
            self.fault, self.is_met = piece.fault, piece.is_met
            yield piece

    def gatherer(self, most: int | None = None, begin: int = 0, end: int | None = None) -> Gatherer:
        """What takes the pieces of this run and makes tracks of what is watched, see there."""
        return Gatherer(self.run.unit, self.signals, self.slots, self.run.plan.timebase, most, begin, end)

    def tracks(self, most: int | None = None) -> Tracks:
        """Run, and give what everything that is watched did; of a signal with more than ``most`` changes as few are
        kept.
        """
        gatherer = self.gatherer(most)
        for piece in self.pieces():
            gatherer.take(piece)
        return gatherer.tracks(self.run.plan.timebase.time(self.scans))

    def instance(self, path: str) -> Signal:
        """What a path leads to, an instance or a value.

        Raises:
            UnknownName: it leads nowhere.
        """
        try:
            return find_signal(self.run.unit, path)
        except NoSignal as problem:
            said = problem.words()
            raise UnknownName(said.message, said.way_out) from None

    def running_on(self, rows: Sequence[Row]) -> list[str]:
        """What of private data ran on from scan to scan in some rows while nothing else happened, but for what is
        watched by its whole name.
        """
        numbers = [i for i, own in enumerate(self.signals) if may_run_on(own.type) and not own.is_pin and not own.tag]
        others = [i for i in range(len(self.signals)) if i not in numbers]
        found: dict[str, None] = {}
        for before, row, after in zip(rows, rows[1:], rows[2:], strict=False):
            near = (before.values, row.values, after.values)
            if after.scan - before.scan > 2 or any(len({repr(values[i]) for values in near}) > 1 for i in others):
                continue
            found |= dict.fromkeys(
                self.signals[i].path for i in numbers if near[0][i] != near[1][i] and near[1][i] != near[2][i]
            )
        return [path for path in found if path.upper() not in self._whole]

    @property
    def scans(self) -> int:
        """How many scans have run."""
        return self.machine.scan

    def rows(self, piece: Trace, every: int | None = None) -> Iterator[Row]:
        """The first scan, and those of a piece in which something that is watched changed; or one each ``every`` ns."""
        timebase = self.run.plan.timebase
        if every is None:
            changes = {scan for slot in self.slots for scan, _ in piece.turns(slot)}
            scans = sorted(changes | ({0} if piece.first == 0 and piece.scans else set()))
        else:
            begin, end = timebase.time(piece.first), timebase.time(piece.end)
            times = range(-(-begin // every) * every, end, every)
            scans = [scan for scan in dict.fromkeys(map(timebase.scans_before, times)) if scan < piece.end]
        columns = [piece.values(slot, scans) for slot in self.slots]
        for number, scan in enumerate(scans):
            yield Row(scan, tuple(column[number] for column in columns))

    def events(self, piece: Trace) -> list[Turn]:
        """The rises and falls of watched BOOLs in a piece, in the order of time; what is TRUE in scan 0 has risen."""
        found: list[tuple[int, int, bool]] = []
        for number, slot in enumerate(self.slots):
            if slot.type is BOOL:
                found += [(scan, number, bool(value)) for scan, value in piece.turns(slot)]
        made: list[Turn] = []
        for scan, number, is_on in sorted(found):
            edge = "rises" if is_on else "falls"
            count = self.counts[number, edge] = self.counts.get((number, edge), 0) + 1
            made.append(Turn(scan, self.signals[number], edge, count))
        return made


def may_run_on(type_: Type) -> bool:
    """Whether a value of a type may run on from scan to scan: a number or a time; a BOOL, an enumeration, a text has
    events.
    """
    return isinstance(type_, Elementary) and type_.family in _RUNNING and not isinstance(type_, Enumeration)


def event_table(watched: Watched, events: Iterable[Turn]) -> str:
    """Events as CSV, without heads: when by the scan clock and by the wall clock, what, and how often that has
    happened.
    """
    plan = watched.run.plan
    rows = (
        [
            shown_duration(plan.timebase.time(e.scan)),
            shown(plan.wall_clock(e.scan), DT),
            e.signal.path,
            e.edge,
            str(e.count),
        ]
        for e in events
    )
    return csv_lines(rows)


EVENT_HEADS = ("at", "clock", "signal", "edge", "count")


def _constants(run: HandRun) -> dict[Variable, Value]:
    return {find_signal(run.unit, path).variable: value for path, value in run.plan.constants}
