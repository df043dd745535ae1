"""Rules and timing rows judged while a run goes on, by the changes of their probes."""

from __future__ import annotations

from array import array
from collections import deque
from collections.abc import Iterator, Sequence

from upright_block.cases.cells import Check
from upright_block.cases.plan import Plan
from upright_block.cases.rules import Edge, shown_rule
from upright_block.cases.watch import WatchedRow, WatchedRule
from upright_block.compiler.artifact import Slot
from upright_block.language.literals import Value, shown_duration
from upright_block.language.nodes import replaced
from upright_block.language.timebase import Timebase
from upright_block.machine.trace import Trace, Upset
from upright_block.runs.session import Remembering
from upright_block.runs.verdict import MOST_WINDOWS, Break, Measure

MOST_BREAKS = 100
"""How many breaks of one rule or row are kept; all are counted."""


class _Arming:
    """From which scan on something is looked at: from ``after`` on, where that is said, up to ``until``."""

    def __init__(self, after: Slot | None, until: Slot | None) -> None:
        self.after = after
        self.until = until
        self.is_armed = after is None
        self.was_after = False
        self.is_until = False

    def begin(self, piece: Trace) -> None:
        """Take the values from before a piece."""
        self.was_after = self.after is not None and bool(piece.value(self.after, piece.first - 1))
        self.is_until = self.until is not None and bool(piece.value(self.until, piece.first - 1))

    def at(self, piece: Trace, scan: int) -> bool:
        """Whether it is armed in a scan; scans are asked for in their order, and those with a change are."""
        if self.after is not None:
            now = bool(piece.value(self.after, scan))
            self.is_armed |= now and not self.was_after
            self.was_after = now
        if self.until is not None and bool(piece.value(self.until, scan)):
            self.is_armed = False
        return self.is_armed

    def slots(self) -> list[Slot]:
        """What decides it."""
        return [slot for slot in (self.after, self.until) if slot is not None]


class RuleJudge(Remembering):
    """Finds the first scan that breaks a rule."""

    memory = ("arming", "breaks", "wrong", "was_armed")

    def __init__(self, watched: WatchedRule, slots: Sequence[Slot], numbers: Sequence[int], plan: Plan) -> None:
        self.watched = watched
        self.plan = plan
        own = (watched.expression, watched.during, watched.after, watched.until)
        self.numbers = frozenset(numbers[n] for n in own if n is not None)
        self.expression = slots[watched.expression]
        self.during = None if watched.during is None else slots[watched.during]
        after, until = (None if n is None else slots[n] for n in (watched.after, watched.until))
        is_plain = after is None and until is None and self.during is None
        self.arming = None if is_plain else _Arming(after, until)
        self.slots = [slots[n] for n in own if n is not None]
        self.breaks: list[Break] = []
        self.wrong = 0
        self.was_armed = False

    def take(self, piece: Trace) -> None:
        """Judge the scans of a piece; while nothing runs nothing is broken."""
        if self.wrong or not piece.scans or self.plan.is_idle(piece.first):
            return
        arming = self.arming
        upset = next((upset for upset in piece.upsets if upset.probe in self.numbers), None)
        last = piece.end if upset is None else upset.scan
        if arming is None:
            self._look_at_all(piece, last)
        else:
            self._look_armed(piece, last, arming)
        if upset is not None and not self.wrong:
            self.was_armed = True
            self._break(upset.scan, "faulted", _faulted(upset, shown_rule(self.watched.rule)))

    def _look_armed(self, piece: Trace, last: int, arming: _Arming) -> None:
        """Judge the scans before the last one in which it is armed."""
        slots = [self.expression, *([self.during] if self.during else []), *arming.slots()]
        arming.begin(piece)
        for scan in _moments(piece, slots):
            if scan >= last:
                return
            is_armed = arming.at(piece, scan) and (self.during is None or bool(piece.value(self.during, scan)))
            self.was_armed |= is_armed
            if is_armed and bool(piece.value(self.expression, scan)) == self.watched.breaks_when:
                self._break(scan)
                return

    def _look_at_all(self, piece: Trace, last: int) -> None:
        """Judge every scan of a piece before the last one; most rules say the same in all of them."""
        self.was_armed = True
        still = piece.still(self.expression)
        if still is not None and bool(still) != self.watched.breaks_when:
            return
        for scan in _moments(piece, [self.expression]):
            if scan < last and bool(piece.value(self.expression, scan)) == self.watched.breaks_when:
                self._break(scan)
                return

    def _break(self, scan: int, kind: str = "broken", says: str = "") -> None:
        self.wrong = 1
        says = says or f"It breaks {shown_rule(self.watched.rule)}"
        self.breaks.append(Break(self.watched, kind, scan, says, None))

    def finish(self, last: int, is_own: bool) -> None:
        """The run is over with a scan; a rule of the case itself that was never judged has said nothing."""
        if is_own and not self.was_armed:
            self.wrong = 1
            says = f"It was judged in no scan: {shown_rule(self.watched.rule)}"
            self.breaks.append(Break(self.watched, "unarmed", last, says, None))


class RowJudge(Remembering):
    """Measures the times of a timing row, and finds those that are not as they should be."""

    memory = ("is_over", "arming", "open", "late", "events", "delays", "ends", "windows", "breaks", "wrong")

    def __init__(self, watched: WatchedRow, slots: Sequence[Slot], numbers: Sequence[int], timebase: Timebase) -> None:
        self.watched = watched
        own = (watched.begin, watched.end, watched.after, watched.until)
        self.numbers = frozenset(numbers[n] for n in own if n is not None)
        self.is_over = False
        self.begin = slots[watched.begin]
        self.end = None if watched.end is None else slots[watched.end]
        after, until = (None if n is None else slots[n] for n in (watched.after, watched.until))
        self.arming = _Arming(after, until)
        self.timebase = timebase
        self.slots = [slots[n] for n in own if n is not None]
        self.open: deque[int] = deque()
        self.late: list[tuple[int, int]] = []
        self.events = 0
        self.delays = array("q")
        self.ends = array("q")
        self.windows: list[tuple[int, int]] = []
        self.breaks: list[Break] = []
        self.wrong = 0

    def take(self, piece: Trace) -> None:
        """Judge the scans of a piece."""
        if not piece.scans or self.is_over:
            return
        row = self.watched.row
        upsets = {upset.scan: upset for upset in reversed(piece.upsets) if upset.probe in self.numbers}
        begins = set(_events(piece, self.begin, row.begin.edge))
        ends = set(_events(piece, self.end, row.end.edge)) if self.end is not None and row.end is not None else set()
        self.arming.begin(piece)
        armed = {scan for slot in self.arming.slots() for scan, _ in piece.turns(slot)}
        for scan in sorted({*begins, *ends, *armed, *upsets, *([piece.first] if self.arming.slots() else [])}):
            is_armed = self.arming.at(piece, scan)
            if is_armed and scan in upsets:
                self.is_over = True
                self._break("faulted", scan, _faulted(upsets[scan], "what it looks at"), None)
                return
            if scan in ends and self.watched.is_period:
                self._answer(scan)
            if scan in begins and is_armed:
                self._begin(scan)
            if scan in ends and not self.watched.is_period:
                self._answer(scan)
        if not self.watched.is_period:  # the last event opens no window, and whether one is the last is not known
            self._too_late(piece.end - 1, is_answered=False)

    def _begin(self, scan: int) -> None:
        self.events += 1
        if self.end is not None:
            self.open.append(scan)
        count = self.watched.row.count
        if count is not None and _is_above(count, self.events):
            said = "never" if count.high == 0 else f"{count.text}"
            self._break("too many", scan, f"It happens for the {_ordinal(self.events)} time; asked for is {said}", None)

    def _answer(self, scan: int) -> None:
        self._too_late(scan, is_answered=True)
        row = self.watched.row
        for number, begun in self.late:  # now it is known how late
            delay = self._measured(begun, scan)
            if number < MOST_BREAKS and row.most:
                says = f"It comes after {shown_duration(delay)}; at most {row.most.text} is asked for"
                self.breaks[number] = replaced(self.breaks[number], says=says)
        self.late.clear()
        for begun in self.open:
            delay = self._measured(begun, scan)
            if delay < self.watched.least and row.least:
                says = f"It comes after {shown_duration(delay)}; at least {row.least.text} is asked for"
                self._break("early", scan, says, begun)
        self.open.clear()

    def _measured(self, begun: int, scan: int) -> int:
        delay = self.timebase.time(scan) - self.timebase.time(begun)
        self.delays.append(delay)
        self.ends.append(scan)
        if len(self.windows) < MOST_WINDOWS:
            self.windows.append((begun, scan))
        return delay

    def _too_late(self, scan: int, is_answered: bool) -> None:
        """Windows that are over before a scan, or after it where nothing answers in it."""
        most = self.watched.most
        if most is None:
            return
        now = self.timebase.time(scan)
        while self.open:
            deadline = self.timebase.time(self.open[0]) + most
            if deadline > now or (deadline == now and is_answered):
                return
            begun = self.open.popleft()
            last = self.timebase.scans_before(deadline + 1) - 1
            asked = self.watched.row.most
            self.late.append((len(self.breaks), begun))
            self._break("late", last, f"It has not come within {asked.text if asked else ''}", begun)

    def _break(self, kind: str, scan: int, says: str, begun: int | None) -> None:
        self.wrong += 1
        if len(self.breaks) < MOST_BREAKS:
            self.breaks.append(Break(self.watched, kind, scan, says, begun))

    def finish(self, last: int) -> None:
        """The run is over with a scan: what is still open is undecided, and too few events are told."""
        if self.is_over:
            return
        is_lenient = self.watched.is_period or self.watched.is_of_block
        for begun in () if is_lenient else self.open:
            self._break("undecided", last, "The run ends before it has come, so it is undecided", begun)
        self.open.clear()
        count = self.watched.row.count
        if count is None and not self.events and not self.watched.is_of_block:
            self._break("unmeasured", last, "Its event in from never happened, so nothing was measured", None)
        if count is not None and not count.holds(self.events) and not _is_above(count, self.events):
            happened = f"{self.events} time{'' if self.events == 1 else 's'}"
            self._break("too few", last, f"It happened {happened}; asked for is {count.text}", None)

    def measure(self) -> Measure:
        """What was measured, over the windows that were answered."""
        if not self.delays:
            return Measure(self.watched, self.events, 0, None, None, None, None, None)
        ordered = sorted(self.delays)
        least, most = ordered[0], ordered[-1]
        at_least, at_most = (self.ends[self.delays.index(delay)] for delay in (least, most))
        middle, windows = ordered[len(ordered) // 2], tuple(self.windows)
        return Measure(self.watched, self.events, len(ordered), least, middle, most, at_least, at_most, windows)


def _faulted(upset: Upset, what: str) -> str:
    """What is said where something that only looks faults."""
    site = upset.fault.site
    where = "" if site.unit.name.startswith(":") else f" ({site.source.shown_line(site.start)})"
    return f"{site.kind[0].upper()}{site.kind[1:]} in {what}{where}"


def _is_above(count: Check, events: int) -> bool:
    return not count.outside and events > float(count.high)


def _ordinal(number: int) -> str:
    ending = "th" if 10 < number % 100 < 14 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number:,}{ending}"


def _moments(piece: Trace, slots: Sequence[Slot]) -> list[int]:
    """The first scan of a piece, and those that change something."""
    return sorted({piece.first, *(scan for slot in slots for scan, _ in piece.turns(slot))})


def _events(piece: Trace, slot: Slot, edge: Edge) -> Iterator[int]:
    """The scans of a piece in which something rises, falls or changes."""
    wanted: dict[Edge, Value] = {"rises": True, "falls": False}
    for scan, value in piece.turns(slot):
        if edge == "changes" or bool(value) == wanted[edge]:
            yield scan
