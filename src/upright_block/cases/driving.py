"""Stimuli as drives of a plan: what a shape stores into a pin, and what is lost for a while."""

from __future__ import annotations

from array import array
from collections.abc import Iterator, Sequence

from upright_block.cases.casefile import Driven
from upright_block.cases.cells import parse_span, parse_value
from upright_block.cases.drafting import Draft
from upright_block.cases.plan import Drive
from upright_block.cases.stimuli import NoShape, Stimulus
from upright_block.cases.words import planning as planning_words
from upright_block.cases.words import stimuli as words
from upright_block.language.field.addresses import WIDTHS, NoAddress, parse_address
from upright_block.language.limits import MOST_SCANS
from upright_block.language.literals import LiteralProblem, Value, shown_duration
from upright_block.language.signals import Signal
from upright_block.language.source import Cell, Source
from upright_block.language.telling.findings import Words
from upright_block.language.types import BOOL, Elementary
from upright_block.library.table import Table

_MOST_LOST = 64
"""Points of a range that is lost."""


class Driver:
    """Adds what the stimuli of a case store to its plan; what is lost comes last, over all else."""

    def __init__(self, draft: Draft, source: Source, scans: int) -> None:
        self.draft = draft
        self.scans = scans
        self.source = source
        self.lost: list[tuple[Signal, int, int]] = []

    def drive(self, stimuli: Sequence[Driven]) -> None:
        """Take every stimulus of the case."""
        is_lost = [driven.shape.text.split(" ")[0].lower() == "lost" for driven in stimuli]
        for driven in [driven for driven, lost in zip(stimuli, is_lost, strict=True) if not lost]:
            self._shape(driven)
        for driven in [driven for driven, lost in zip(stimuli, is_lost, strict=True) if lost]:
            self._lose(driven)

    def _refuse(self, driven: Driven, said: Words, start: int = 0, end: int | None = None) -> None:
        """Report something of a shape, at its place in the text where that stands as it is read."""
        shape = driven.shape
        if end is None or not shape.is_as_written:
            start, end = 0, shape.end - shape.start
        self.draft.report(self.source, Cell("", shape.start + start, shape.start + max(end, start + 1)), said)

    def _shape(self, driven: Driven) -> None:
        draft = self.draft
        cell = Cell(driven.pin.text, driven.pin.start, driven.pin.end)
        if ".." in driven.pin.text:
            self._refuse(driven, words.range_of_shape(driven.shape.text.split(" ")[0]))
            return
        signal = draft.driven(driven.pin.text, self.source, cell)
        if signal is None:
            return
        target = draft.field(signal)
        if any(draft.shares(drive.path, target) for drive in draft.drives):
            draft.report(self.source, cell, planning_words.column_twice(cell, "writes"))
            return
        if draft.is_given_by_rig(target):
            draft.report(self.source, cell, planning_words.given_by_rig(signal))
            return
        try:
            stimulus = Stimulus(driven.shape, signal.type, draft.findings.did_you_mean)
            wave = self._wave(stimulus, driven.table, signal) if stimulus.kind == "wave" else ()
            times, values = stimulus.drive(draft.timebase, min(self.scans, MOST_SCANS), wave, draft.common)
            stored = [draft.stored_value(signal, target, v, str(v)) if v is not None else None for v in values]
        except NoShape as problem:
            self._refuse(driven, problem.words, problem.start, problem.end)
            return
        except LiteralProblem as problem:
            draft.bad_value(signal, self.source, Cell("", driven.shape.start, driven.shape.end), problem)
            return
        if len(values) < 2 and stimulus.kind != "wave":
            last = shown_duration(draft.timebase.time(self.scans - 1))
            self._refuse(driven, words.never_acts(last))
        draft.shown.setdefault(signal.path, signal)
        draft.signals |= {signal.path: signal, target.path: target}
        drive = Drive(target.path, is_force=False, scans=times, values=stored)
        draft.drives.append(drive)
        if target is not signal:
            for _, said in draft.unseen(drive, signal):
                self._refuse(driven, said)
                break

    def _wave(self, stimulus: Stimulus, table: Table | None, signal: Signal) -> list[tuple[int, Value]]:
        """The values of a column of a file, with their times."""
        name, file = stimulus.written("column"), stimulus.written("file")
        heads = [head.text.lower() for head in table.heads] if table else []
        if table is None or "at" not in heads:
            raise NoShape(words.wave_without_time(file), 0, len(stimulus.text))
        if name.lower() not in heads:
            near = self.draft.findings.did_you_mean(name, [head.text for head in table.heads])
            raise NoShape(words.no_column(name, file, near), 0, len(stimulus.text))
        times, texts = table.columns[heads.index("at")], table.columns[heads.index(name.lower())]
        found: list[tuple[int, Value]] = []
        late, end = 0, self.draft.timebase.time(self.scans)
        for number, (written, text) in enumerate(zip(times, texts, strict=True)):
            if text:
                time = parse_span(written)
                if time <= (found[-1][0] if found else -1):
                    row = table.source.line(table.starts[number])
                    raise NoShape(words.wave_goes_back(written, row, file), 0, len(stimulus.text))
                late += time >= end
                found.append((time, parse_value(text, signal.type)))
        if late:
            last = shown_duration(self.draft.timebase.time(self.scans - 1))
            shape = stimulus.shape_at
            self.draft.report(self.source, shape, words.wave_goes_on(late, file, last))
        return found

    # --- what is lost ---

    def _lose(self, driven: Driven) -> None:
        """A pin or some points keep what they have, or are zero, against all that drives them, and come back."""
        draft = self.draft
        cell = Cell(driven.pin.text, driven.pin.start, driven.pin.end)
        paths = list(self._points(driven.pin.text)) if ".." in driven.pin.text else [driven.pin.text]
        if not paths:
            draft.report(self.source, cell, words.bad_range(driven.pin.text))
        signals = [draft.driven(path, self.source, cell, is_lost=True) for path in paths]
        try:
            stimulus = Stimulus(
                driven.shape, signals[0].type if signals and signals[0] else BOOL, draft.findings.did_you_mean
            )
        except NoShape as problem:
            self._refuse(driven, problem.words, problem.start, problem.end)
            return
        begin, end = stimulus.gone(draft.timebase)
        if begin >= self.scans or begin == end:
            self._refuse(driven, words.never_acts(shown_duration(draft.timebase.time(self.scans - 1))))
            return
        for signal in signals:
            if signal is not None and not self._lose_one(signal, begin, end, stimulus.is_frozen, cell):
                return
        if ".." not in driven.pin.text and signals[0] is not None:
            draft.shown.setdefault(signals[0].path, signals[0])

    def _points(self, text: str) -> Iterator[str]:
        """The bits or bytes of a range of points; nothing where it is none."""
        try:
            first, last = (parse_address(part) for part in text.split(".."))
        except (NoAddress, ValueError):
            return
        points = self.draft.points
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
        draft, target = self.draft, self.draft.field(signal)
        if not isinstance(target.type, Elementary):
            draft.report(self.source, cell, planning_words.text_forced(signal))
            return False
        until = MOST_SCANS if end is None else end
        others = [other for other, since, to in self.lost if since < until and begin < to]
        forced = [draft.signals[path] for path in draft.forced]
        if any(other.place == target.place and other.overlaps(target) for other in (*others, *forced)):
            draft.report(self.source, cell, words.lost_twice(signal.path))
            return False
        self.lost.append((target, begin, until))
        draft.signals |= {signal.path: signal, target.path: target}
        zero: Value = 0.0 if target.type.family == "real" else target.type is not BOOL and 0
        scans, values = ([begin], [zero]) if end is None else ([begin, end], [zero, None])
        # First of all: what is frozen is the value before this scan.
        draft.drives.insert(
            0,
            Drive(
                target.path,
                is_force=True,
                scans=array("q", scans),
                values=list(values),
                freezes=is_frozen,
                is_lost=True,
                is_input=self.draft.is_input(target),
            ),
        )
        return True
