"""A plan in the making: where paths lead, what is stored there, and what may not be."""

from __future__ import annotations

from array import array
from collections.abc import Iterator
from functools import cached_property
from itertools import pairwise

from upright_block.cases.plan import Common, Drive
from upright_block.cases.words import planning as words
from upright_block.language.configured import configured
from upright_block.language.field.copying import used_globals
from upright_block.language.field.points import Points, points_of
from upright_block.language.literals import LiteralProblem, Value
from upright_block.language.scope import Missing
from upright_block.language.signals import NoSignal, Signal, field_signal, find_signal, globals_of, no_value, tags_of
from upright_block.language.source import Cell, Source
from upright_block.language.telling.catalogue import stops
from upright_block.language.telling.findings import Findings, HasPlace, Related, Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit
from upright_block.language.types import BROKEN, Array
from upright_block.library import Toml


class Refused(Exception):
    """Raised after its finding was recorded."""


class Draft:
    """What is driven in a run of ``unit``, whose scans start as ``timebase`` says; findings are recorded on the way."""

    def __init__(self, unit: Unit, timebase: Timebase, common: Common, findings: Findings) -> None:
        self.unit = unit
        self.timebase = timebase
        self.common = common
        self.findings = findings
        self.drives: list[Drive] = []
        self.shown: dict[str, Signal] = {}
        self.called: dict[str, str] = {}
        self.signals: dict[str, Signal] = {}
        self.forced: dict[str, Cell] = {}
        self.failed = False

    def report(self, source: Source, place: HasPlace, said: Words, *related: Related) -> None:
        self.failed |= stops(said.name)
        self.findings.add(said.told(source, place.start, place.end, *related))

    def bad_value(self, signal: Signal, source: Source, place: Cell | Toml, problem: LiteralProblem) -> None:
        self.report(source, place, words.bad_value(signal, problem))

    def place(self, path: str, source: Source, cell: Cell) -> Signal:
        """What a path leads to; else a finding says how far it leads. ``cell`` ends with the path."""
        try:
            return find_signal(self.unit, path)
        except NoSignal as problem:
            if problem.owner is BROKEN:
                self.failed = True  # the finding is where it is declared
                raise Refused from None
            start = max(cell.start, cell.end - len(path)) + problem.start
            end = cell.end if isinstance(problem.owner, Array) else min(start + len(problem.name), cell.end)
            marked = Cell(problem.name, min(start, cell.end - 1), end)
            if problem.start == 0 and self.unit.kind in ("PROGRAM", "CONFIGURATION"):
                self.common.missing.setdefault(problem.name.upper(), Missing(problem.name))
            self.report(source, marked, problem.words(self.findings.did_you_mean))
            raise Refused from None

    def value(self, path: str, source: Source, cell: Cell) -> Signal:
        """The single value that a path leads to."""
        signal = self.place(path, source, cell)
        if signal.type is BROKEN:
            self.failed = True  # the finding is where it is declared
            raise Refused
        if signal.is_value:
            return signal
        marked = Cell(path, max(cell.start, cell.end - len(path)), cell.end)
        self.report(source, marked, no_value(signal, path))
        raise Refused

    def overwritten(self, signal: Signal, source: Source, place: HasPlace) -> None:
        """Report a variable that is given a value which is gone again before anything reads it."""
        if signal.is_driven or signal.variable.is_code:
            return
        if self.unit not in self.common.overwriting:
            from upright_block.cases.overwriting import Overwriting

            self.common.overwriting[self.unit] = Overwriting(self.unit)
        found = self.common.overwriting[self.unit].of(signal)
        if found is not None:
            related = Related(found.source, found.start, found.start + 1, "It is overwritten here")
            self.report(
                source,
                place,
                words.overwritten(signal, found),
                *(() if found.point or found.unit.is_standard else (related,)),
            )

    def forces(self, signal: Signal, scans: array[int], values: list[Value | None]) -> Iterator[Drive]:
        """What forces a signal: of a tag both its variable and its point, so that nobody reads another value."""
        tag, field = signal.tag, field_signal(self.unit, signal)
        self.signals[signal.path] = signal
        yield Drive(
            signal.path, is_force=True, scans=scans, values=values, is_input=field is None and self.is_input(signal)
        )
        if field is not None and tag is not None:
            is_whole = signal.shift is None
            stored = [tag.stored(value) if is_whole and value is not None else value for value in values]
            self.signals[field.path] = field
            yield Drive(field.path, is_force=True, scans=scans, values=stored, is_input=self.is_input(field))

    def driven(self, path: str, source: Source, cell: Cell, is_lost: bool = False) -> Signal | None:
        """The input that a path leads to; None, with a finding, where it is none. One that ``is_lost`` may be that of
        an instance, which a body gives.
        """
        try:
            signal = self.value(path, source, cell)
        except Refused:
            return None
        if signal.is_driven or (is_lost and signal.variable.section == "input"):
            return signal
        from upright_block.cases.words.stimuli import not_driven, not_lost

        self.report(source, cell, (not_lost if is_lost else not_driven)(signal.path))
        return None

    def is_input(self, target: Signal) -> bool:
        """Whether nothing but what drives a run writes a signal."""
        return target.is_driven and not self.is_given_by_rig(target)

    def is_given_by_rig(self, target: Signal) -> bool:
        """Whether a rig writes a point at every moment, so that what anything else stores there is gone at once."""
        return any(field.place == target.place and field.overlaps(target) for field in self._given_by_rig)

    @cached_property
    def _given_by_rig(self) -> list[Signal]:
        rig = configured(self.unit).rig
        if rig is None or not isinstance(rig.type, Unit):
            return []
        written = used_globals(rig.type)[1]
        given = [tag for tag in tags_of(globals_of(self.unit)).values() if tag.variable in written]
        return [self.field(find_signal(self.unit, tag.name)) for tag in given]

    @property
    def points(self) -> Points | None:
        """The points of the library, where the unit sees them."""
        return points_of(globals_of(self.unit))

    def field(self, signal: Signal) -> Signal:
        """What a column of a signal writes to: of an input tag the bits of its point."""
        field = field_signal(self.unit, signal) if signal.is_driven else None
        return field or signal

    @staticmethod
    def stored_value(signal: Signal, target: Signal, value: Value, text: str) -> Value:
        """A value of a signal, as what is written for it has it.

        Raises:
            LiteralProblem: it cannot hold it.
        """
        tag = signal.tag
        if target is signal or tag is None or signal.shift is not None:
            return value
        try:
            return tag.stored(value)
        except OverflowError as problem:
            raise words.beyond_point(tag, text, int(problem.args[0])) from None

    def unseen(self, drive: Drive, signal: Signal) -> Iterator[tuple[int, Words]]:
        """The values of an input that are gone again before any task that reads it runs: their numbers, and what is
        said.
        """
        periods = self._periods(signal)
        if not periods:
            return
        begins = [self.timebase.time(scan) for scan in drive.scans]
        for number, (begin, end) in enumerate(pairwise(begins)):
            is_new = number == 0 or drive.values[number] != drive.values[number - 1]
            if is_new and all(-(-begin // period) * period >= end for period in periods):
                yield number, words.not_seen(signal, periods[0])

    def _periods(self, signal: Signal) -> list[int]:
        """The intervals of the tasks that read a tag; empty where they do not tell all the moments at which it is
        read.
        """
        found: list[int] = []
        waiting = {program.key: program for program in self.unit.variables.values() if isinstance(program.type, Unit)}
        for task in self.unit.tasks:
            read = [p for p in task.programs if isinstance(p.type, Unit) and signal.root in used_globals(p.type)[0]]
            if read and task.interval is None:
                return []
            found += [task.interval] if read and task.interval else []
            for program in task.programs:
                waiting.pop(program.key, None)
        is_read_besides = any(
            signal.root in used_globals(p.type)[0] for p in waiting.values() if isinstance(p.type, Unit)
        )
        return [] if is_read_besides else sorted(found)

    def shares(self, path: str, signal: Signal) -> bool:
        """Whether a path of the plan leads to bits of a signal."""
        other = self.signals[path]
        return other.place == signal.place and other.overlaps(signal)
