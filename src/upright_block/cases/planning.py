"""Cases made ready to run, checked against the unit that they are for."""

from __future__ import annotations

from array import array
from collections.abc import Iterator
from typing import TYPE_CHECKING, cast

from upright_block.cases.casefile import Case, CaseFile, Given
from upright_block.cases.cells import cell_text, parse_check, parse_clock, parse_span, parse_value, simple_span
from upright_block.cases.drafting import Draft, Refused
from upright_block.cases.plan import BoundCase, Common, Drive, Expectations, Plan, ReadyCase, idle_spans
from upright_block.cases.words import planning as words
from upright_block.language.limits import MOST_COLUMNS, MOST_SCANS
from upright_block.language.literals import LiteralProblem, Value, parse_integer
from upright_block.language.signals import Signal, element_signal, signals, tags_of
from upright_block.language.source import Cell
from upright_block.language.telling.findings import Findings, Related
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Compound, Unit
from upright_block.language.types import Array, Elementary, Enumeration, String, Type
from upright_block.library import Toml
from upright_block.library.table import ROLES, TIME_HEADS, Table
from upright_block.machine.clock import CLOCK_START, LAST_MOMENT
from upright_block.machine.events import POWERED

if TYPE_CHECKING:
    from upright_block.cases.watch import Watching
    from upright_block.machine.events import Power

_TIMES_OF_OTHERS = ("time", "t", "timestamp", "seconds", "sec", "s", "ms", "step", "tick")


class Planner(Draft):
    """Makes one case ready to run on a unit whose scans start as ``timebase`` says."""

    def __init__(
        self,
        file: CaseFile,
        case: Case,
        unit: Unit,
        timebase: Timebase,
        watch: Watching,
        common: Common,
        findings: Findings,
    ) -> None:
        super().__init__(unit, timebase, common, findings)
        self.file = file
        self.case = case
        self.watch = watch
        self.expectations: list[Expectations] = []
        self.clocks: list[tuple[int, int]] = []
        self.power: list[tuple[int, Power]] = []
        self.powered: Cell | None = None
        self.row_scans = array("q")
        self.given: dict[str, tuple[Signal, Value, Toml]] = {}
        self.given_at: dict[object, list[str]] = {}
        self.constants: dict[str, Value] = {}

    def ready(self) -> BoundCase | None:
        """The case; None when it has mistakes, which become findings."""
        for given in self.case.given:
            self._given(given)
        table = self.case.vectors
        if table is not None:
            if len(table.heads) > MOST_COLUMNS:
                self.report(table.source, table.heads[MOST_COLUMNS], words.too_many_columns(len(table.heads)))
                return None
            timed = self._times(table)
            self._columns(table, timed)
        scans = self._last_scan() + 1
        if self.case.stimuli:
            from upright_block.cases.driving import Driver

            Driver(self, self.file.source, scans).drive(self.case.stimuli)
        clock = CLOCK_START if self.case.clock is None else self.case.clock
        if scans > MOST_SCANS:
            self.report(self.file.source, self.case.place, words.too_many_scans(scans))
        elif max([clock, *(moment for _, moment in self.clocks)]) + self.timebase.time(scans) > LAST_MOMENT:
            self.report(self.file.source, self.case.place, words.beyond_dates())
        if self.failed or self.watch.is_broken:
            return None
        plan = Plan(
            self.case.id,
            self.unit.key,
            self.timebase,
            clock,
            scans,
            tuple(sorted(self.constants.items())),
            tuple((path, value) for path, (_, value, _) in self.given.items()),
            tuple(self.drives),
            tuple(e for e in self.expectations if e.checks),
            self.row_scans,
            tuple(self.shown),
            tuple(self.clocks),
            tuple(self.power),
            tuple(idle_spans(self.power, scans, self.timebase)),
        )
        pins = {} if self.shown else self._pins()
        watch = self.watch
        ready = ReadyCase(
            self.file,
            self.case,
            self.unit.name,
            plan,
            watch.watch,
            tuple(self.expectations),
            tuple(pins),
            tuple(self.called.items()),
        )
        return BoundCase(ready, self.unit, self.shown | self.signals | pins, watch.probes)

    def _pins(self) -> dict[str, Signal]:
        """The pins of the unit, by path."""
        known = self.common.pins
        if self.unit not in known:
            known[self.unit] = {signal.path: signal for signal in signals(self.unit) if signal.is_pin}
        return known[self.unit]

    def _last_scan(self) -> int:
        """The last scan: that of the last row, or the last that starts within ``run_for``."""
        by_time = -1 if self.case.run_for is None else self.timebase.scans_before(self.case.run_for) - 1
        return max([by_time, 0, *self.row_scans[-1:]])

    # --- given ---

    def _given(self, given: Given) -> None:
        source = self.file.source
        key = Cell(given.path, given.key.key_start, given.key.key_end)
        try:
            signal = self.place(given.path, source, key)
        except Refused:
            return
        if signal.variable.is_code:
            self._given_constant(signal, given, key)
            return
        for part, toml in self._parts(signal, signal.type, given.value):
            target = self.field(part)
            try:
                value = self._stored(part, target, self._written(toml))
            except LiteralProblem as problem:
                self.bad_value(part, source, toml, problem)
                continue
            self.overwritten(part, source, key)
            part = target
            beside = self.given_at.setdefault(part.place, [])
            first = next((path for path in beside if self.given[path][0].overlaps(part)), None)
            if first is not None:
                self._given_twice(part, key, self.given[first][2])
            beside.append(part.path)
            self.given[part.path] = (part, value, given.key)
            self.signals[part.path] = part

    def _given_constant(self, signal: Signal, given: Given, key: Cell) -> None:
        """A constant has no memory: with another value the block is compiled anew."""
        source = self.file.source
        if signal.root is not signal.variable:
            self.report(source, key, words.constant_of_all(signal))
        elif signal.variable.is_folded:
            self.report(source, key, words.constant_in_use(signal))
        elif signal.path in self.constants:
            first = next(g.key for g in self.case.given if g.path.upper() == given.path.upper())
            self._given_twice(signal, key, first)
        else:
            try:
                self.constants[signal.path] = parse_value(self._written(given.value), signal.type)
            except LiteralProblem as problem:
                self.bad_value(signal, source, given.value, problem)

    def _given_twice(self, signal: Signal, key: Cell, first: Toml) -> None:
        related = Related(self.file.source, first.key_start, first.key_end, "It is given first here")
        self.report(self.file.source, key, words.given_twice(signal), related)

    @staticmethod
    def _written(toml: Toml) -> str:
        """The text of a value as it stands in a cell."""
        if isinstance(toml.value, list):
            raise LiteralProblem(*words.list_given())
        return cell_text(toml.value)

    def _parts(self, signal: Signal, type_: Type, toml: Toml) -> Iterator[tuple[Signal, Toml]]:
        """The single values that a value of ``given`` fills; a list fills an array, a table a structure."""
        source = self.file.source
        if isinstance(toml.value, dict) and isinstance(type_, Compound):
            for key, entry in toml.value.items():
                place = Cell(key, entry.key_start, entry.key_end)
                try:
                    inner = self.place(f"{signal.path}.{key}", source, place)
                except Refused:
                    continue
                yield from self._parts(inner, inner.type, entry)
        elif isinstance(toml.value, list) and isinstance(type_, Array):
            low, high = type_.bounds[0]
            listed = toml.value
            if len(type_.bounds) > 1 or len(listed) > high - low + 1:
                self.report(source, toml, words.too_many_values(signal, type_, len(listed)))
                return
            for number, entry in enumerate(listed):
                inner = element_signal(signal, type_, (low + number,))
                yield from self._parts(inner, inner.type, entry)
        elif isinstance(type_, (Elementary, String)):
            yield signal, toml
        else:
            self.report(source, toml, words.not_its_shape(signal, type_))

    # --- the table ---

    def _times(self, table: Table) -> list[int]:
        """The columns that give the time, of which there should be one; the scans of the rows go to ``row_scans``."""
        found = [i for i, head in enumerate(table.heads) if head.text.lower() in TIME_HEADS]
        for index in found:
            head = table.heads[index]
            if self.unit.variables.get(head.text.upper()) is not None:
                self.report(table.source, head, words.two_meanings_of_head(head, self.unit))
        if len(found) > 1:
            self.report(
                table.source,
                table.heads[found[1]],
                words.two_times(table.heads[found[0]].text, table.heads[found[1]].text),
            )
        if not found:
            self.row_scans = array("q", range(table.rows))
            return found
        column = found[0]
        kind = table.heads[column].text.lower()
        last = -1
        add, interval = self.row_scans.append, self.timebase.period
        is_simple = kind == "at" and self.timebase.is_even
        for row, text in enumerate(table.take(column)):
            time = simple_span(text) if is_simple else None
            if time is not None and time % interval == 0 and time // interval > last:
                last = time // interval
                add(min(last, LAST_MOMENT))
                continue
            scan = self._scan_of(text, kind, max(last, 0), table, row, column)
            if scan is None:
                scan = last
            elif scan <= last and row:
                self.report(table.source, table.cell(row, column), words.time_goes_back(text))
            last = scan
            add(min(last, LAST_MOMENT))
        return found

    def _scan_of(self, text: str, kind: str, last: int, table: Table, row: int, column: int) -> int | None:
        """The scan at which the row of this time cell acts."""
        if not text:
            self.report(table.source, table.cell(row, column), words.missing_time(kind))
            return None
        try:
            time = parse_integer(text) if kind == "scan" else parse_span(text)
        except LiteralProblem as problem:
            self.report(table.source, table.cell(row, column), words.bad_cell(problem))
            return None
        if kind == "scan":
            return time
        if time < 0:
            self.report(table.source, table.cell(row, column), words.before_start(text))
            return None
        begun = self.timebase.time(last) if kind == "after" else 0
        scan = self.timebase.at(begun + time)
        if scan is None:
            said = words.between_scans(kind, text, self.timebase, begun, time)
            self.report(table.source, table.cell(row, column), said)
        return scan

    def _columns(self, table: Table, timed: list[int]) -> None:
        taken: dict[tuple[object, str], list[tuple[Signal, Cell]]] = {}
        for index, head in enumerate(table.heads):
            if index in timed:
                continue
            if head.text.lower() == "clock":
                self._clock_column(table, index)
                continue
            if head.text.lower() == "power":
                self._power_column(table, index)
                continue
            role, name = _role(head)
            if not name:
                marked = Cell("", head.start, max(head.end, head.start + 1))
                self.report(table.source, marked, words.column_without_name())
                continue
            if name.lower() in _TIMES_OF_OTHERS and name.upper() not in self.unit.variables and not timed:
                self.report(table.source, head, words.unknown_time_column(self.unit, name))
                continue
            try:
                signal = self.value(name, table.source, head)
            except Refused:
                continue
            if role == "pin":
                role = "set" if signal.is_driven and not self.is_given_by_rig(self.field(signal)) else "check"
            if signal.variable.is_code:
                self.report(table.source, head, words.constant_driven(signal))
                continue
            checks = role in ("check", "hold")
            if signal.is_read_only and not checks:
                self.report(table.source, head, words.read_only(signal))
                continue
            target = signal if checks else self.field(signal)
            if not checks and role != "force" and self.is_given_by_rig(target):
                self.report(table.source, head, words.given_by_rig(signal))
                continue
            others = taken.setdefault((target.place, "checks" if checks else role), [])
            first = next(
                (cell for other, cell in others if (other.path == target.path if checks else target.overlaps(other))),
                None,
            )
            if first is not None:
                related = Related(table.source, first.start, first.end, "The first column is this one")
                self.report(table.source, head, words.column_twice(head, "checks" if checks else "writes"), related)
                continue
            others.append((target, head))
            self.shown.setdefault(signal.path, signal)
            tag = tags_of(self.unit.shares).get(name.upper())
            if tag is not None and tag.name != signal.path:
                self.called.setdefault(signal.path, tag.name)
            self.signals[signal.path] = signal
            self.signals[target.path] = target
            if checks:
                self._check_column(signal, table, index, self.case.hold or role == "hold")
            else:
                self._drive_column(signal, target, table, index, role == "force")
        self._unused_given(table)

    def _clock_column(self, table: Table, index: int) -> None:
        """What the wall clock is set to before the scans of some rows."""
        head = table.heads[index]
        if "CLOCK" in self.unit.variables:
            self.report(table.source, head, words.two_meanings_of_head(head, self.unit))
        if self.clocks:
            self.report(table.source, head, words.column_twice(head, "writes"))
            return
        for row, text in enumerate(table.take(index)):
            if text:
                try:
                    self.clocks.append((self.row_scans[row], parse_clock(text)))
                except LiteralProblem as problem:
                    self.report(table.source, table.cell(row, index), words.bad_cell(problem))

    def _power_column(self, table: Table, index: int) -> None:
        """What is switched before the scans of some rows."""
        head = table.heads[index]
        if "POWER" in self.unit.variables:
            self.report(table.source, head, words.two_meanings_of_head(head, self.unit))
        if self.powered is not None:
            self.report(table.source, head, words.column_twice(head, "writes"))
            return
        self.powered = head
        before, state = "", "on"
        for row, text in enumerate(table.take(index)):
            word = text.lower()
            if word and word not in POWERED:
                said = words.no_power(text, self.findings.did_you_mean)
                self.report(table.source, table.cell(row, index), said)
            elif word in ("stop", "run") and state == "off":
                self.report(table.source, table.cell(row, index), words.no_power_to(text))
            elif word:
                begins_so = word == "cold" and self.row_scans[row] == 0
                if word != before and not begins_so and (word == "cold" or POWERED[word] != state):
                    self.power.append((self.row_scans[row], cast("Power", word)))
                before, state = word, POWERED[word]

    def _stored(self, signal: Signal, target: Signal, text: str) -> Value:
        """The value of a cell, as what the column writes to has it."""
        return self.stored_value(signal, target, parse_value(text, signal.type), text)

    def _check_column(self, signal: Signal, table: Table, index: int, hold: bool) -> None:
        found = Expectations(signal.path, index, array("q"), [], hold)
        add_row, add_check, type_ = found.rows.append, found.checks.append, signal.type
        for row, text in enumerate(table.take(index)):
            if text:
                try:
                    add_check(parse_check(text, type_))
                    add_row(row)
                except LiteralProblem as problem:
                    self.bad_value(signal, table.source, table.cell(row, index), problem)
        self.expectations.append(found)

    def _drive_column(self, signal: Signal, target: Signal, table: Table, index: int, is_force: bool) -> None:
        if is_force and not isinstance(signal.type, Elementary):
            self.report(table.source, table.heads[index], words.text_forced(signal))
            return
        if is_force:
            self.forced[target.path] = table.heads[index]
        drive, rows = Drive(target.path, is_force, array("q"), []), array("q")
        add_row, add_value, type_ = rows.append, drive.values.append, signal.type
        for row, text in enumerate(table.take(index)):
            if not text:
                continue
            try:
                if is_force and text.lower() in ("release", "release()"):
                    self._must_mean_release(text, type_, table, row, index)
                    add_value(None)
                elif is_force:
                    value = parse_value(text, type_)
                    self.stored_value(signal, target, value, text)  # it must fit its point too
                    add_value(value)
                else:
                    add_value(self._stored(signal, target, text))
                add_row(row)
            except LiteralProblem as problem:
                self.bad_value(signal, table.source, table.cell(row, index), problem)
        if rows and not is_force:
            self.overwritten(signal, table.source, table.heads[index])
        drive.scans.extend(map(self.row_scans.__getitem__, rows))
        self.drives += self.forces(signal, drive.scans, drive.values) if is_force else [drive]
        if target is not signal:
            for number, said in self.unseen(drive, signal):
                self.report(table.source, table.cell(rows[number], index), said)

    def _must_mean_release(self, text: str, type_: Type, table: Table, row: int, column: int) -> None:
        if isinstance(type_, Enumeration) and text.upper() in type_.members:
            self.report(table.source, table.cell(row, column), words.two_meanings_of_word(text, type_))

    def _unused_given(self, table: Table) -> None:
        """A given value that a column replaces before the first scan acts nowhere."""
        for drive in self.drives:
            given = self.given.get(drive.path)
            if given is None or drive.is_force or not drive.scans or drive.scans[0] > 0:
                continue
            signal, value, key = given
            cell = Cell("", key.key_start, key.key_end)
            if drive.values[0] != value:
                self.report(self.file.source, cell, words.given_unused(signal, value))


def _role(head: Cell) -> tuple[str, str]:
    """What a column does, and the path of what it does it to."""
    first, _, rest = head.text.partition(" ")
    if first.lower() in ROLES and rest:
        return first.lower(), rest.strip()
    return "pin", head.text
