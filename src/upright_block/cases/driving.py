"""Stimuli as drives of a plan: what a shape stores into a pin, and what is lost for a while."""

from __future__ import annotations

from array import array
from bisect import bisect_right
from collections.abc import Iterator
from typing import TYPE_CHECKING

from upright_block.cases.casefile import Driven
from upright_block.cases.cells import parse_span, parse_value
from upright_block.cases.plan import Drive
from upright_block.cases.stimuli import NoShape, Stimulus
from upright_block.cases.words import planning as planning_words
from upright_block.cases.words import stimuli as words
from upright_block.language.addresses import WIDTHS, NoAddress, parse_address
from upright_block.language.findings import Words
from upright_block.language.limits import MOST_SCANS
from upright_block.language.literals import LiteralProblem, Value, shown_duration
from upright_block.language.signals import Signal
from upright_block.language.source import Cell
from upright_block.language.types import BOOL, Elementary
from upright_block.library.table import Table
from upright_block.machine.events import MOST_FORCES

if TYPE_CHECKING:
    from upright_block.cases.planning import Planner

_MOST_LOST = 64
"""Points of a range that is lost."""


class Driver:
    """Adds what the stimuli of a case store to its plan; what is lost comes last, over all else."""

    def __init__(self, planner: Planner, scans: int) -> None:
        self.planner = planner
        self.scans = scans
        self.source = planner.file.source
        self.lost: list[tuple[Signal, int, int]] = []
        self.kept: list[Drive] = []

    def drive(self) -> None:
        """Take every stimulus of the case."""
        stimuli = self.planner.case.stimuli
        is_lost = [driven.shape.text.split(" ")[0].lower() == "lost" for driven in stimuli]
        for driven in [driven for driven, lost in zip(stimuli, is_lost, strict=True) if not lost]:
            self._shape(driven)
        self.kept = [drive for drive in self.planner.drives if not drive.is_force]
        for driven in [driven for driven, lost in zip(stimuli, is_lost, strict=True) if lost]:
            self._lose(driven)

    def _refuse(self, driven: Driven, said: Words, start: int = 0, end: int | None = None) -> None:
        """Report something of a shape, at its place in the text where that stands as it is read."""
        shape = driven.shape
        if end is None or not shape.is_as_written:
            start, end = 0, shape.end - shape.start
        self.planner.report(self.source, Cell("", shape.start + start, shape.start + max(end, start + 1)), said)

    def _shape(self, driven: Driven) -> None:
        planner = self.planner
        cell = Cell(driven.pin.text, driven.pin.start, driven.pin.end)
        if ".." in driven.pin.text:
            self._refuse(driven, words.range_of_shape(driven.shape.text.split(" ")[0]))
            return
        signal = planner.driven(driven.pin.text, self.source, cell)
        if signal is None:
            return
        target = planner.field(signal)
        if any(planner.shares(drive.path, target) for drive in planner.drives):
            planner.report(self.source, cell, planning_words.column_twice(cell, "writes"))
            return
        if planner.is_given_by_rig(target):
            planner.report(self.source, cell, planning_words.given_by_rig(signal))
            return
        try:
            stimulus = Stimulus(driven.shape, signal.type, planner.findings.did_you_mean)
            wave = self._wave(stimulus, driven.table, signal) if stimulus.kind == "wave" else ()
            times, values = stimulus.drive(planner.timebase, min(self.scans, MOST_SCANS), wave, planner.common)
            stored = [planner.stored_value(signal, target, v, str(v)) if v is not None else None for v in values]
        except NoShape as problem:
            self._refuse(driven, problem.words, problem.start, problem.end)
            return
        except LiteralProblem as problem:
            planner.bad_value(signal, self.source, Cell("", driven.shape.start, driven.shape.end), problem)
            return
        if len(values) < 2 and stimulus.kind != "wave":
            last = shown_duration(planner.timebase.time(self.scans - 1))
            self._refuse(driven, words.never_acts(last))
        planner.shown.setdefault(signal.path, signal)
        planner.signals |= {signal.path: signal, target.path: target}
        drive = Drive(target.path, False, times, stored)
        planner.drives.append(drive)
        if target is not signal:
            for _, said in planner.unseen(drive, signal):
                self._refuse(driven, said)
                break

    def _wave(self, stimulus: Stimulus, table: Table | None, signal: Signal) -> list[tuple[int, Value]]:
        """The values of a column of a file, with their times."""
        name, file = stimulus.written("column"), stimulus.written("file")
        heads = [head.text.lower() for head in table.heads] if table else []
        if table is None or "at" not in heads:
            raise NoShape(words.wave_without_time(file), 0, len(stimulus.text))
        if name.lower() not in heads:
            near = self.planner.findings.did_you_mean(name, [head.text for head in table.heads])
            raise NoShape(words.no_column(name, file, near), 0, len(stimulus.text))
        times, texts = table.columns[heads.index("at")], table.columns[heads.index(name.lower())]
        rows = zip(times, texts, strict=True)
        return [(parse_span(time), parse_value(text, signal.type)) for time, text in rows if text]

    # --- what is lost ---

    def _lose(self, driven: Driven) -> None:
        """A pin or some points keep what they have, or are zero, against all that drives them, and come back."""
        planner = self.planner
        cell = Cell(driven.pin.text, driven.pin.start, driven.pin.end)
        paths = list(self._points(driven.pin.text)) if ".." in driven.pin.text else [driven.pin.text]
        if not paths:
            planner.report(self.source, cell, words.bad_range(driven.pin.text))
        signals = [planner.driven(path, self.source, cell) for path in paths]
        try:
            stimulus = Stimulus(
                driven.shape, signals[0].type if signals and signals[0] else BOOL, planner.findings.did_you_mean
            )
        except NoShape as problem:
            self._refuse(driven, problem.words, problem.start, problem.end)
            return
        begin, end = stimulus.gone(planner.timebase)
        if begin >= self.scans or begin == end:
            self._refuse(driven, words.never_acts(shown_duration(planner.timebase.time(self.scans - 1))))
            return
        for signal in signals:
            if signal is not None and not self._lose_one(signal, begin, end, stimulus.is_frozen, cell):
                return
        if ".." not in driven.pin.text and signals[0] is not None:
            planner.shown.setdefault(signals[0].path, signals[0])

    def _points(self, text: str) -> Iterator[str]:
        """The bits or bytes of a range of points; nothing where it is none."""
        try:
            first, last = (parse_address(part) for part in text.split(".."))
        except (NoAddress, ValueError):
            return
        points = self.planner.points
        is_one_kind = (
            (first.area, first.size, first.part) == (last.area, last.size, last.part) == ("I", first.size, None)
        )
        if points is None or not is_one_kind or first.is_open or last.is_open:
            return
        begin, end = points.point(first).start, points.point(last).end
        if 0 < end - begin <= _MOST_LOST * WIDTHS[first.size]:
            if first.size == "X":
                yield from (f"%IX{bit // 8}.{bit % 8}" for bit in range(begin, end))
            else:
                yield from (f"%IB{byte}" for byte in range(begin // 8, end // 8))

    def _lose_one(self, signal: Signal, begin: int, end: int | None, is_frozen: bool, cell: Cell) -> bool:
        """One pin or point is lost; whether it can be."""
        planner, target = self.planner, self.planner.field(signal)
        if not isinstance(target.type, Elementary) or sum(d.is_force for d in planner.drives) >= MOST_FORCES:
            is_text = not isinstance(target.type, Elementary)
            refused = planning_words.text_forced if is_text else planning_words.too_many_forces
            planner.report(self.source, cell, refused(signal))
            return False
        until = MOST_SCANS if end is None else end
        others = [other for other, since, to in self.lost if since < until and begin < to]
        forced = [planner.signals[path] for path in planner.forced]
        if any(other.place == target.place and other.overlaps(target) for other in (*others, *forced)):
            planner.report(self.source, cell, words.lost_twice(signal.path))
            return False
        self.lost.append((target, begin, until))
        planner.signals |= {signal.path: signal, target.path: target}
        beside = [drive for drive in self.kept if planner.shares(drive.path, target)]
        zero: Value = 0.0 if target.type.family == "real" else target.type is not BOOL and 0
        # First of all: what is frozen is the value before this scan.
        if end is None:
            planner.drives.insert(0, Drive(target.path, True, array("q", [begin]), [zero], is_frozen))
            return True
        planner.drives.insert(0, Drive(target.path, True, array("q", [begin, end]), [zero, None], is_frozen))
        # What drives it goes on meanwhile, and is there again afterwards: else what it was before the first scan.
        if not planner.is_given_by_rig(target):
            planner.drives.append(Drive(target.path, False, array("q", [end]), [None]))
        for drive in beside:
            before = bisect_right(drive.scans, end) - 1
            if before >= 0:
                planner.drives.append(Drive(drive.path, False, array("q", [end]), [drive.values[before]]))
        return True
