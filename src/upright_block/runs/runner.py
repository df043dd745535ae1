"""Running cases on all cores."""

from __future__ import annotations

import os
import time
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Sequence
from functools import cache
from threading import Event
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

import wasmtime

from upright_block.cases.cells import Check
from upright_block.cases.plan import BoundCase, Expectations, Plan, ReadyCase
from upright_block.compiler.artifact import Artifact, Site, Slot
from upright_block.compiler.cache import compiled
from upright_block.compiler.linking import Bodies, build_artifact
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import USUAL, Mode, Program, make_program
from upright_block.language.literals import Value
from upright_block.language.nodes import record, replaced
from upright_block.language.signals import Signal, find_signal
from upright_block.language.typed import Unit
from upright_block.machine.machine import Machine
from upright_block.machine.trace import Fault, Trace
from upright_block.runs.session import Remembering, Session
from upright_block.runs.verdict import Break, Miss, Moments, Status, Verdict

if TYPE_CHECKING:
    from upright_block.runs.judging import RowJudge, RuleJudge
    from upright_block.runs.tracing import Tracing
    from upright_block.traces.tracks import Gatherer

MOST_MISSES = 100_000
"""How many wrong values of one case are kept with their places."""
_BATCH = 100
_AROUND = 2
_ROWS_BEFORE = 3
_MOST_SHOWN = 60
_MOST_NOTED = 4 << 20

T = TypeVar("T")
_Key = tuple[Unit, tuple[tuple[str, Value], ...], bool]
"""What cases are run by one artifact: a unit, the values of constants, and whether anything is forced."""


class Reacher(Protocol):
    """What takes in what programs have, and what cases reach of it."""

    def has(self, artifact: Artifact) -> None: ...

    def saw(self, verdict: Verdict) -> None: ...


@record
class _Batch:
    shared: Shared
    cases: tuple[tuple[int, BoundCase], ...]


class Shared:
    """What the cases that one artifact runs have in common: their unit, and what they look at: their probes, each once,
    the groups of these, and the signals that they name.
    """

    def __init__(self, cases: Iterable[BoundCase]) -> None:
        self.probes: list[Probe] = []
        self.numbers: dict[int, int] = {}
        self.groups: dict[tuple[int, ...], int] = {}
        self.known: dict[int, tuple[int, ...]] = {}
        self.named: dict[str, Signal] = {}
        for bound in cases:
            self.key = _key(bound)
            self._add(bound)

    def _add(self, bound: BoundCase) -> None:
        self.named |= bound.signals
        if id(bound.probes) in self.known:
            return
        for path in bound.case.watch.named:
            if path not in self.named:
                self.named[path] = find_signal(bound.unit, path)
        for probe in bound.probes:
            if id(probe) not in self.numbers:
                self.numbers[id(probe)] = len(self.probes)
                self.probes.append(probe)
        group = self.known[id(bound.probes)] = tuple(self.numbers[id(probe)] for probe in bound.probes)
        self.groups.setdefault(group, len(self.groups))

    def of(self, bound: BoundCase) -> Looked:
        """The probes of a case."""
        numbers = self.known[id(bound.probes)]
        return Looked(self.groups[numbers], numbers)

    def program(self, mode: Mode) -> Program:
        """What runs them."""
        unit, constants, forces = self.key
        given = {find_signal(unit, path).variable: value for path, value in constants}
        return make_program(unit, given, self.probes, replaced(mode, forces=forces), list(self.groups))

    def artifact(self, mode: Mode, bodies: Bodies | None = None) -> tuple[Program, Artifact]:
        """What runs them, compiled; it knows all that their plans name."""
        program = self.program(mode)
        return program, build_artifact(program, bodies, self.named)


def run_cases(
    cases: Sequence[BoundCase],
    done: Callable[[Verdict], None] | None = None,
    mode: Mode = USUAL,
    jobs: int | None = None,
    ends: Callable[[Verdict], bool] | None = None,
    collector: Reacher | None = None,
    tracing: Tracing | None = None,
) -> list[Verdict]:
    """Run every case; the verdicts come in the order of the cases.

    ``done`` is called with each verdict as it comes, in any order and from any thread. Units are
    compiled once each; the machines run on ``jobs`` threads, as many as there are cores by default. With a verdict for
    which ``ends`` is true no other case is begun. ``collector`` takes what the programs have and what the cases
    reached; ``tracing`` says what signals did that verdicts have besides.
    """
    batches = _batches(cases)
    bodies = Bodies()
    verdicts: dict[int, Verdict] = {}
    is_over = Event()
    built: dict[Shared, tuple[Program, Artifact, wasmtime.Module]] = {}

    def build(shared: Shared) -> None:
        program, artifact = shared.artifact(mode, bodies)
        built[shared] = program, artifact, compiled(artifact.text, artifact.is_large)
        if collector is not None:
            collector.has(artifact)

    def run(batch: _Batch) -> None:
        shared = batch.shared
        program, artifact, module = built[shared]
        machine = Machine(artifact, module, program.slot)
        noting = cache(lambda: _noting(shared, mode, bodies, machine))
        for index, bound in batch.cases:
            if is_over.is_set():
                return
            gatherer = tracing.gatherer(bound, machine) if tracing else None
            verdicts[index] = run_case(bound.case, machine, noting, shared.of(bound), gatherer)
            if tracing is not None:
                verdicts[index] = replaced(verdicts[index], tracks=tracing.of_interest(verdicts[index], bound.unit))
            if ends is not None and ends(verdicts[index]):
                is_over.set()
            if done is not None:
                done(verdicts[index])

    threads = jobs or os.cpu_count() or 1
    _on_threads(threads, build, list(dict.fromkeys(batch.shared for batch in batches)))
    _on_threads(threads, run, batches)
    if collector is not None:
        for verdict in verdicts.values():
            collector.saw(verdict)
    return [verdicts[index] for index in sorted(verdicts)]


def _on_threads(threads: int, work: Callable[[T], None], items: Sequence[T]) -> None:
    """Do some work for each item, on some threads; one item or one thread needs none."""
    if len(items) < 2 or threads < 2:
        for item in items:
            work(item)
        return
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(work, items))


def _key(bound: BoundCase) -> _Key:
    return bound.unit, bound.case.plan.constants, bound.case.plan.forces


def _batches(cases: Iterable[BoundCase]) -> list[_Batch]:
    by_key: dict[_Key, list[tuple[int, BoundCase]]] = {}
    for index, bound in enumerate(cases):
        by_key.setdefault(_key(bound), []).append((index, bound))
    return [
        _Batch(shared, tuple(members[first : first + _BATCH]))
        for members in by_key.values()
        for shared in [Shared(bound for _, bound in members)]
        for first in range(0, len(members), _BATCH)
    ]


def _noting(shared: Shared, mode: Mode, bodies: Bodies, machine: Machine) -> Machine:
    """A machine that notes who wrote what; ``machine`` itself where that would take too much memory."""
    if len(machine.artifact.initial) > _MOST_NOTED:
        return machine
    program, artifact = shared.artifact(replaced(mode, notes_writers=True), bodies)
    return Machine(artifact, find=program.slot)


# --- one case ---


@record
class Looked:
    """The probes of a case: their ``group``, and the number of each among those of the artifact."""

    group: int = 0
    numbers: tuple[int, ...] = ()


def run_case(
    case: ReadyCase, machine: Machine, noting: Callable[[], Machine], looked: Looked, gatherer: Gatherer | None = None
) -> Verdict:
    """Run one case on a machine that holds its unit; ``noting`` gives one that notes who wrote what.

    ``looked`` are its probes; ``gatherer`` takes the pieces besides.

    The run is judged while it goes on, and only what is checked is recorded. Since a run can be repeated to
    the byte, what surrounds a mistake is recorded in a second run that ends there.
    """
    began = time.perf_counter()
    machine.forget()
    plan = case.plan
    judges = [_Judge(case, expectations, machine) for expectations in plan.expectations]
    probes = [machine.artifact.probes[number] for number in looked.numbers]
    rules, rows = _watchers(case, looked, probes) if probes else ([], [])
    watchers: list[RuleJudge | RowJudge] = [*rules, *rows]
    fault: Fault | None = None
    reached = 0
    session = Session(plan, machine, looked.group, [*judges, *watchers])
    for piece in session.pieces(gatherer.slots if gatherer else ()):
        if gatherer is not None:
            gatherer.take(piece)
        fault, reached = piece.fault, piece.first + piece.scans
    expected = case.written.expect_fault
    is_expected = fault is not None and fault.site.kind.lower() == expected
    if fault is None or is_expected:
        for row in rows:
            row.finish(reached - 1)
        for rule in rules:
            rule.finish(reached - 1, any(rule.watched.rule is own for own in case.written.rules))
    breaks = sorted((found for watcher in watchers for found in watcher.breaks), key=lambda found: found.scan)
    wrong = sum(judge.wrong for judge in judges)
    broken = sum(watcher.wrong for watcher in watchers)
    misses = sorted((m for judge in judges for m in judge.misses), key=lambda m: (m.scan, m.column))
    is_checked = judges or case.watch.checks or expected
    checked = sum(judge.checked for judge in judges)
    about_run = _about_fault(case, fault, plan.checks - checked) if expected else ""
    if sum(idle.end - idle.begin for idle in plan.idle) == plan.scans:
        about_run = "The logic ran in no scan: the power is off, or the controller stopped, all the time."
    status: Status = "passed" if is_checked else "checks nothing"
    if wrong or broken or about_run:
        status = "failed"
    if fault is not None and not is_expected:
        status = "fault"
    moments = Moments((), {}, {})
    if status in ("failed", "fault"):
        moments = _moments(case, noting(), looked.group, misses, breaks, fault, reached)
    kept = tuple(misses[:MOST_MISSES])
    covered = machine.reached() if machine.artifact.points else None
    seconds = time.perf_counter() - began
    measures = tuple(row.measure() for row in rows)
    unarmed = tuple(rule.watched.rule for rule in rules if not rule.was_armed)
    tracks = gatherer.tracks(plan.timebase.time(reached)) if gatherer else None
    return Verdict(
        case,
        status,
        kept,
        wrong,
        checked,
        fault,
        moments,
        seconds,
        covered,
        tuple(breaks),
        broken,
        measures,
        unarmed,
        about_run,
        tracks,
    )


def _about_fault(case: ReadyCase, fault: Fault | None, left: int) -> str:
    """What is wrong with the fault that a case expects, if anything is; ``left`` cells were not reached."""
    expected = case.written.expect_fault
    if fault is None:
        return f"It expects a fault, {expected}, and none came."
    if fault.site.kind.lower() != expected:
        return f"It expects another fault: {expected}."
    rows = len(case.plan.row_scans) - bisect_right(case.plan.row_scans, fault.scan)
    if rows:
        return f"{rows:,} row{' stands' if rows == 1 else 's stand'} behind the fault that it expects."
    if left:
        return f"{left:,} cell{' was' if left == 1 else 's were'} not checked: the scan of the fault does not end."
    return ""


def values_after(
    bound: BoundCase, paths: Sequence[str], scans: Sequence[int]
) -> tuple[dict[int, dict[str, Value]], dict[str, list[int]]]:
    """The values of some paths after some scans, in order, and the scans that changed them, of a run that judges
    nothing.

    A fault ends it.
    """
    program, artifact = Shared([bound]).artifact(USUAL)
    machine = Machine(artifact, find=program.slot)
    slots = [machine.slot(path) for path in paths]
    found: dict[int, dict[str, Value]] = {}
    changes: dict[str, list[int]] = {path: [] for path in paths}
    for piece in Session(bound.case.plan, machine).pieces(slots):
        for path, slot in zip(paths, slots, strict=True):
            changes[path] += [int(scan) for scan in piece.changes(slot)]
        inside = scans[bisect_left(scans, piece.first) : bisect_left(scans, piece.end)]
        columns = [piece.values(slot, inside) for slot in slots]
        for number, scan in enumerate(inside):
            found[scan] = {path: column[number] for path, column in zip(paths, columns, strict=True)}
    return found, changes


def _watchers(case: ReadyCase, looked: Looked, probes: Sequence[Slot]) -> tuple[list[RuleJudge], list[RowJudge]]:
    """What judges the rules and the timing rows of a case."""
    from upright_block.runs.judging import RowJudge, RuleJudge

    rows = [RowJudge(watched, probes, looked.numbers, case.plan.timebase) for watched in case.watch.rows]
    return [RuleJudge(watched, probes, looked.numbers, case.plan) for watched in case.watch.rules], rows


class _Judge(Remembering):
    """Looks at one column while a run goes on, piece by piece."""

    memory = ("next", "is_missed", "misses", "wrong", "checked", "since")

    def __init__(self, case: ReadyCase, expectations: Expectations, machine: Machine) -> None:
        self.plan = case.plan
        self.expectations = expectations
        self.slot = machine.slot(expectations.path)
        self.slots = [self.slot]
        self.scans = [case.plan.row_scans[row] for row in expectations.rows]
        self.next = 0
        self.is_missed = False
        self.misses: list[Miss] = []
        self.wrong = 0
        self.checked = 0
        self.since: int | None = None
        self.changes: Sequence[int] | None = None

    def take(self, piece: Trace) -> None:
        """Judge the checks of the scans of a piece."""
        self.changes = None
        if self.expectations.hold:
            self._look_between(piece)
        else:
            self._look_at_rows(piece)
        if piece.scans < self.plan.scans:
            changes = self._changes(piece)
            self.since = int(changes[-1]) if len(changes) else self.since

    def _look_at_rows(self, piece: Trace) -> None:
        until = bisect_left(self.scans, piece.end, self.next)
        scans = self.scans[self.next : until]
        checks = self.expectations.checks[self.next : until]
        if not scans:
            return
        for number, (check, value) in enumerate(zip(checks, piece.values(self.slot, scans), strict=True)):
            if not check.holds(value):
                self._miss(piece, self.next + number, scans[number], value)
        self.checked += len(scans)
        self.next = until

    def _look_between(self, piece: Trace) -> None:
        """A check that holds is made where it begins, and wherever the value changes, until the next one begins."""
        points, values = piece.history(self.slot)
        while self.next < len(self.scans) and self.scans[self.next] < piece.end:
            first = self.scans[self.next]
            is_last = self.next + 1 == len(self.scans)
            last = self.plan.scans - 1 if is_last else self.scans[self.next + 1] - 1
            self.checked += first >= piece.first
            if not self.is_missed:
                begin = max(bisect_right(points, max(first, piece.first)) - 1, 0)
                end = bisect_right(points, min(last, piece.end - 1))
                found = _first_wrong(self.expectations.checks[self.next], values[begin:end])
                if found is not None:
                    scan = max(first, piece.first, int(points[begin + found]))
                    self._miss(piece, self.next, scan, piece.value(self.slot, scan))
                    self.is_missed = True
            if last >= piece.end:
                return
            self.is_missed = False
            self.next += 1

    def _miss(self, piece: Trace, number: int, scan: int, got: Value) -> None:
        self.wrong += 1
        if len(self.misses) < MOST_MISSES:
            changes = self._changes(piece)
            before = bisect_right(changes, scan)
            since = int(changes[before - 1]) if before else self.since
            e = self.expectations
            self.misses.append(Miss(self.slot, e.checks[number], e.rows[number], e.column, scan, got, since))

    def _changes(self, piece: Trace) -> Sequence[int]:
        """The scans of a piece after which the value was another than before."""
        if self.changes is None:
            self.changes = piece.changes(self.slot)
        return self.changes


def _first_wrong(check: Check, values: Any) -> int | None:
    """The place of the first value that is not right, in a list or in an array of numbers."""
    if isinstance(values, list):
        return next((i for i, value in enumerate(values) if not check.holds(value)), None)
    if check.wants_no_number:
        right = (values != values) ^ check.outside
    else:
        right = ((values >= check.low) & (values <= check.high)) ^ check.outside
        right &= values == values
    wrong = (~right).nonzero()[0]
    return int(wrong[0]) if len(wrong) else None


# --- what surrounds a mistake ---


def _moments(
    case: ReadyCase,
    machine: Machine,
    group: int,
    misses: Sequence[Miss],
    breaks: Sequence[Break],
    fault: Fault | None,
    reached: int,
) -> Moments:
    """The values around the first miss or break, and around a fault up to where its scan stopped."""
    plan = case.plan
    named = [path for found in breaks[:1] for path in found.watched.named]
    shown = [machine.slot(path) for path in dict.fromkeys((*named, *plan.shown)) or case.pins]
    wrong = {miss.slot.path for miss in misses}
    columns = tuple(slot for i, slot in enumerate(shown) if i < _MOST_SHOWN or slot.path in wrong)
    wanted: set[int] = set()
    if not misses and not breaks and fault is None:  # what must come did not
        wanted |= _around(plan, reached - 1)
    if misses:
        wanted |= _around(plan, misses[0].scan)
        wanted.update(s for m in misses if m.scan == misses[0].scan and m.since for s in (m.since - 1, m.since))
    if breaks:
        wanted |= _around(plan, breaks[0].scan)
        wanted |= _around(plan, breaks[0].begun) if breaks[0].begun is not None else set()
    if fault is not None:
        wanted |= _around(plan, reached)
    after: dict[int, tuple[Value, ...]] = {}
    writers: dict[str, Site] = {}
    stored = {drive.path for drive in plan.drives}
    ordered = sorted(scan for scan in wanted if 0 <= scan < reached)
    scans = plan.scans if fault else ordered[-1] + 1
    ends = [misses[0].scan + 1] if misses else []
    for piece in Session(plan, machine, group).pieces(columns, scans, ends):
        inside = ordered[bisect_left(ordered, piece.first) : bisect_left(ordered, piece.end)]
        rows = zip(*(piece.values(slot, inside) for slot in columns), strict=True)
        after.update(zip(inside, rows, strict=True))
        if piece.end in ends:
            first = [m for m in misses if m.scan == piece.end - 1 and m.slot.path not in stored]
            same = [slot for m in first if repr(machine.peek(slot := machine.slot(m.slot.path))) == repr(m.got)]
            writers |= {slot.path: site for slot in same if (site := machine.writer(slot))}
    if fault is not None:
        after[reached] = tuple(machine.peek(slot) for slot in columns)
    return Moments(columns, after, writers)


def _around(plan: Plan, scan: int) -> set[int]:
    """The scans to show around one: its neighbours, the rows before it and the row after it."""
    below = bisect_right(plan.row_scans, scan)
    rows = plan.row_scans[max(0, below - _ROWS_BEFORE) : below + 1]
    return {*range(scan - _AROUND, scan + _AROUND + 1), *rows}
