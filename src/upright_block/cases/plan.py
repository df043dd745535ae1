"""A case made ready to run: what is stored when, and what is looked at after which scans."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from upright_block.cases.casefile import Case, CaseFile
from upright_block.cases.cells import Check, parse_check, parse_value
from upright_block.cases.table import Cell, Table
from upright_block.compiler.layout import NoSlot, Slot, encode, size_of, slot_at, slots, whole_of
from upright_block.language.findings import Finding, Findings
from upright_block.language.literals import (
    LiteralProblem,
    Value,
    parse_duration,
    parse_integer,
    shown_duration,
)
from upright_block.language.names import did_you_mean
from upright_block.language.nodes import node
from upright_block.language.source import Source
from upright_block.language.typed import Compound, Unit, Variable
from upright_block.language.types import Array, Elementary, String
from upright_block.machine.events import MOST_FORCES, Event, force_events, store_events

MOST_SCANS = 20_000_000
_RECORD_WHOLE = 64 << 20
_TIME_HEADS = ("at", "after", "scan")

Constants = frozenset[tuple[Variable, Value]]


@node
class Expectation:
    """A check of one cell, made after each of the scans ``first`` to ``last``. ``row`` counts from 0."""

    row: int
    cell: Cell
    check: Check
    first: int
    last: int


@dataclass(frozen=True, slots=True)
class Column:
    """The expectations of one column."""

    slot: Slot
    expectations: tuple[Expectation, ...]


@dataclass(frozen=True, slots=True)
class Plan:
    """Everything that a run of the case needs. Times are in ns; ``row_scans`` has the scan of each row.

    ``constants`` are the constants with the values that the case gives them, ``given`` the bytes stored
    before the first scan, ``shown`` the slots of the columns in the order of the table.
    """

    file: CaseFile
    case: Case
    unit: Unit
    constants: Constants
    given: tuple[tuple[Slot, bytes], ...]
    scans: int
    events: tuple[Event, ...]
    forces: int
    columns: tuple[Column, ...]
    row_scans: tuple[int, ...]
    shown: tuple[Slot, ...]
    spans: tuple[tuple[int, int], ...]

    @property
    def id(self) -> str:
        """The name by which a case is chosen: file and case."""
        return f"{self.file.stem}/{self.case.name}"

    @property
    def checks(self) -> int:
        """How many cells are checked."""
        return sum(len(c.expectations) for c in self.columns)


class _Problem(Exception):
    """Raised after its finding was recorded."""


class _Planner:
    def __init__(self, file: CaseFile, case: Case, unit: Unit, findings: Findings) -> None:
        self.file = file
        self.case = case
        self.unit = unit
        self.findings = findings
        self.events: list[Event] = []
        self.forces = 0
        self.released: list[tuple[Slot, int]] = []
        self.failed = False

    def report(
        self, name: str, source: Source, start: int, end: int, message: str, way_out: str = ""
    ) -> None:
        self.failed = True
        self.findings.add(Finding(name, source, start, end, message, way_out))

    def plan(self) -> Plan | None:
        constants, given = self._given()
        table = self.case.vectors
        row_scans: tuple[int, ...] = ()
        columns: list[Column] = []
        shown: list[Slot] = []
        if table is not None:
            time_columns, row_scans = self._times(table)
            last = self._last_scan(row_scans)
            self._columns(table, time_columns, row_scans, last, columns, shown)
        scans = self._last_scan(row_scans) + 1
        if scans > MOST_SCANS:
            self.report(
                "too-long",
                self.file.source,
                self.case.place.start,
                self.case.place.end,
                f"The case takes {scans} scans; {MOST_SCANS} are the most.",
                "Use a longer scan, or a shorter case.",
            )
        if self.failed:
            return None
        self._restore_inputs(given)
        self.events.sort(key=lambda event: event.scan)
        return Plan(
            self.file, self.case, self.unit, constants, given, scans, tuple(self.events), self.forces,
            tuple(c for c in columns if c.expectations), row_scans, tuple(shown), self._spans(scans, shown),
        )  # fmt: skip

    def _last_scan(self, row_scans: tuple[int, ...]) -> int:
        """The last scan: that of the last row, or the last that starts within ``run_for``."""
        by_time = -1 if self.case.run_for is None else -(-self.case.run_for // self.file.scan) - 1
        return max([by_time, 0, *row_scans[-1:]])

    def _spans(self, scans: int, shown: Iterable[Slot]) -> tuple[tuple[int, int], ...]:
        """What to record: the whole instance, or in a long run its pins and what the table names."""
        size = len(whole_of(self.unit).initial)
        if size * scans <= _RECORD_WHOLE:
            return ((0, size),)
        named = {slot.offset: slot for slot in shown}
        named |= {s.offset: s for s in slots(self.unit) if s.is_pin}
        return tuple((at, size_of(named[at].type)) for at in sorted(named))

    # --- given ---

    def _given(self) -> tuple[Constants, tuple[tuple[Slot, bytes], ...]]:
        constants: set[tuple[Variable, Value]] = set()
        stored: list[tuple[Slot, bytes]] = []
        source = self.file.source
        for given in self.case.given:
            place = given.place
            try:
                slot = self._slot(given.path, source, place.key_start, place.key_end)
                if slot.offset < 0 and slot.variable.is_folded:
                    self.report(
                        "constant-in-use",
                        source,
                        place.key_start,
                        place.key_end,
                        f"{slot.path} cannot be given: another initial value or a CASE label is made from it.",
                        "Change it in the block, or give that value itself.",
                    )
                    continue
                value = parse_value(given.text, slot.type)
                if slot.offset < 0:
                    constants.add((slot.variable, value))
                    continue
                stored.append((slot, encode(value, slot.type)))
            except LiteralProblem as problem:
                self.report(
                    "bad-value",
                    source,
                    place.start,
                    place.end,
                    f"{slot.path} is {slot.type}: {problem}",
                    problem.way_out,
                )
            except _Problem:
                continue
        return frozenset(constants), tuple(stored)

    def _slot(self, path: str, source: Source, start: int, end: int) -> Slot:
        """The single value that a path leads to; else a finding says how far it leads."""
        try:
            slot = slot_at(self.unit, path)
        except NoSlot as problem:
            at = start + problem.at
            owner, name = problem.owner, problem.name
            if name.startswith("[") or not isinstance(owner, Compound):
                way_out = (
                    f"It is {owner}."
                    if isinstance(owner, Array)
                    else f"Remove {path[problem.at - (path[problem.at - 1 : problem.at] == '.') :]}."
                )
                message = f"{owner} has no {name.strip('. ')}."
                if not isinstance(owner, Array):
                    message = (
                        f"{path[: problem.at].rstrip('.')} is {message[:-1].replace(' has', ' and has')}."
                    )
                self.report("unknown-name", source, start if name[:1] != "[" else at, end, message, way_out)
            else:
                known = [v.name for v in owner.variables.values()]
                hint = did_you_mean(name, known) or f"It has {', '.join(known)}."
                self.report(
                    "unknown-name", source, at, min(at + len(name), end), f"{owner.name} has no {name}.", hint
                )
            raise _Problem from None
        if isinstance(slot.type, (Elementary, String)):
            return slot
        inner = next((s.path for s in slots(self.unit) if s.path.upper().startswith(slot.path.upper())), "")
        what = f"an instance of {slot.type.name}" if isinstance(slot.type, Unit) else str(slot.type)
        self.report(
            "no-value",
            source,
            start,
            end,
            f"{path} is {what} and has no value of its own.",
            f"Name a part of it{f', such as {inner}' if inner else ''}.",
        )
        raise _Problem

    # --- the table ---

    def _times(self, table: Table) -> tuple[list[int], tuple[int, ...]]:
        """The column that gives the time, in a list, and the scan of each row."""
        found = [
            i
            for i, head in enumerate(table.heads)
            if head.text.lower() in _TIME_HEADS and self.unit.variables.get(head.text.upper()) is None
        ]
        if len(found) > 1:
            head = table.heads[found[1]]
            self.report(
                "two-times",
                table.source,
                head.start,
                head.end,
                f"The table has two time columns, {table.heads[found[0]].text} and {head.text}.",
                "Keep one of them.",
            )
        if not found:
            return [], tuple(range(len(table.rows)))
        column = found[0]
        kind = table.heads[column].text.lower()
        scans: list[int] = []
        last = -1
        for row in table.rows:
            scan = self._scan_of(row[column], kind, max(last, 0), table.source)
            if scan is not None and scan <= last and scans:
                cell = row[column]
                self.report(
                    "time-goes-back",
                    table.source,
                    cell.start,
                    cell.end,
                    f"The row at {cell.text} does not come after the row above it.",
                    "Write the rows in the order of time, one for each scan at most.",
                )
            last = last if scan is None else scan
            scans.append(last)
        return found, tuple(scans)

    def _scan_of(self, cell: Cell, kind: str, last: int, source: Source) -> int | None:
        """The scan at which the row of this time cell acts."""
        if not cell.text:
            self.report(
                "missing-time",
                source,
                cell.start,
                cell.end,
                "The row has no time.",
                f"Write one in the column {kind}.",
            )
            return None
        try:
            if kind == "scan":
                return parse_integer(cell.text)
            time = 0 if cell.text == "0" else parse_duration(cell.text.partition("#")[2] or cell.text)
        except LiteralProblem as problem:
            self.report("bad-value", source, cell.start, cell.end, str(problem), problem.way_out)
            return None
        interval = self.file.scan
        if time < 0:
            self.report(
                "bad-value",
                source,
                cell.start,
                cell.end,
                f"{cell.text} lies before the start.",
                "Times count from 0s.",
            )
            return None
        whole, rest = divmod(time, interval)
        if rest:
            self.report(
                "between-scans",
                source,
                cell.start,
                cell.end,
                f"No scan starts {'at' if kind == 'at' else 'after'} {cell.text}: a scan takes {shown_duration(interval)}.",
                f"Write {shown_duration(whole * interval)} or {shown_duration((whole + 1) * interval)}, or choose a shorter scan.",
            )
            return None
        return whole + last if kind == "after" else whole

    def _columns(
        self,
        table: Table,
        time_columns: list[int],
        row_scans: tuple[int, ...],
        last: int,
        columns: list[Column],
        shown: list[Slot],
    ) -> None:
        seen: dict[str, Cell] = {}
        for index, head in enumerate(table.heads):
            if index in time_columns:
                continue
            try:
                role, name = self._role(head)
                start = head.end - len(name)
                if not name:
                    self.report(
                        "missing-name",
                        table.source,
                        head.start,
                        max(head.end, head.start + 1),
                        "A column has no name.",
                        "Name a pin above it.",
                    )
                    continue
                slot = self._slot(name, table.source, start, head.end)
            except _Problem:
                continue
            key = f"{role} {slot.path}"
            if key in seen:
                self.report(
                    "column-twice",
                    table.source,
                    head.start,
                    head.end,
                    f"{head.text} stands twice in the table.",
                    "Remove one of the columns.",
                )
                continue
            seen[key] = head
            shown.append(slot)
            cells = [(row, cells[index]) for row, cells in enumerate(table.rows) if cells[index].text]
            if role == "check" and slot.is_driven:
                role = "set"
            if slot.offset < 0:
                self.report(
                    "constant-assigned",
                    table.source,
                    head.start,
                    head.end,
                    f"{slot.path} is a constant.",
                    "Give it another value with given.",
                )
            elif role == "check":
                columns.append(self._check_column(slot, cells, row_scans, last, table.source))
            elif role == "set":
                for row, cell in cells:
                    self._event(slot, cell, row_scans[row], table.source)
            else:
                self._force_column(slot, cells, row_scans, table.source)

    def _role(self, head: Cell) -> tuple[str, str]:
        first, _, rest = head.text.partition(" ")
        if first.lower() in ("set", "force") and rest:
            return first.lower(), rest.strip()
        return "check", head.text

    def _value(self, slot: Slot, cell: Cell, source: Source) -> bytes | None:
        try:
            return encode(parse_value(cell.text, slot.type), slot.type)
        except LiteralProblem as problem:
            self.report(
                "bad-value",
                source,
                cell.start,
                cell.end,
                f"{slot.path} is {slot.type}: {problem}",
                problem.way_out,
            )
            return None

    def _event(self, slot: Slot, cell: Cell, scan: int, source: Source) -> None:
        content = self._value(slot, cell, source)
        if content is not None:
            self.events += store_events(slot, scan, content)

    def _force_column(
        self, slot: Slot, cells: list[tuple[int, Cell]], row_scans: tuple[int, ...], source: Source
    ) -> None:
        number = self.forces
        if number >= MOST_FORCES or not isinstance(slot.type, Elementary):
            what = f"{MOST_FORCES} columns force" if isinstance(slot.type, Elementary) else "A text is forced"
            self.report(
                "not-supported", source, cells[0][1].start, cells[0][1].end, f"{what}; that is not read.",
                "Use set instead of force.",
            )  # fmt: skip
            return
        self.forces += 1
        for row, cell in cells:
            scan = row_scans[row]
            if cell.text.lower() == "release":
                self.events += force_events(number, slot, scan, None)
                self.released.append((slot, scan))
            elif (content := self._value(slot, cell, source)) is not None:
                self.events += force_events(number, slot, scan, content)

    def _restore_inputs(self, given: Iterable[tuple[Slot, bytes]]) -> None:
        """An input that is released has the value again that it was driven to, as on a real input card."""
        whole = whole_of(self.unit).initial
        for slot, scan in self.released:
            if not slot.is_driven:
                continue
            content = whole[slot.offset : slot.offset + size_of(slot.type)]
            content = next((c for s, c in given if s.offset == slot.offset), content)
            (event,) = store_events(slot, scan, content)
            driven = [e for e in self.events if e.address == event.address and e.scan <= scan]
            last = max(driven, key=lambda e: e.scan, default=None)
            self.events.append(Event(scan, event.address, last.content) if last else event)

    def _check_column(
        self, slot: Slot, cells: list[tuple[int, Cell]], row_scans: tuple[int, ...], last: int, source: Source
    ) -> Column:
        made: list[Expectation] = []
        for position, (row, cell) in enumerate(cells):
            try:
                check = parse_check(cell.text, slot.type)
            except LiteralProblem as problem:
                self.report(
                    "bad-value",
                    source,
                    cell.start,
                    cell.end,
                    f"{slot.path} is {slot.type}: {problem}",
                    problem.way_out,
                )
                continue
            first = row_scans[row]
            until = first
            if self.case.hold:
                until = row_scans[cells[position + 1][0]] - 1 if position + 1 < len(cells) else last
            made.append(Expectation(row, cell, check, first, max(first, until)))
        return Column(slot, tuple(made))


def plan_case(file: CaseFile, case: Case, unit: Unit, findings: Findings) -> Plan | None:
    """Make a case ready to run on ``unit``; None when it has mistakes, which become findings."""
    return _Planner(file, case, unit, findings).plan()
