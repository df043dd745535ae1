"""Runs by hand of what is in a library, from outside."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.errors import BadValue, NotRunnable, UnknownName
from upright_block.face import words
from upright_block.language.words import has_errors

if TYPE_CHECKING:
    from datetime import timedelta

    from upright_block.cases.byhand import Wishes
    from upright_block.cases.plan import ReadyCase
    from upright_block.face.steered import Steered
    from upright_block.language.telling.findings import Finding
    from upright_block.language.timebase import Timebase
    from upright_block.language.typed import Unit
    from upright_block.language.types import Type
    from upright_block.library.writing import Changes
    from upright_block.runs.retained import Retained
    from upright_block.runs.values import Whole
    from upright_block.runs.watched import Row, Watched
    from upright_block.traces.comparing import Comparison
    from upright_block.traces.tracks import Track, Tracks

from upright_block.face.cases import WithCases


class WithRuns(WithCases):
    """Runs of a library by hand: watched, compared, kept, or step by step from Python."""

    def _subject(self, name: str, scan: str | int | timedelta | None) -> tuple[Unit, Timebase]:
        """The unit of a name, which can be run by itself, and when its scans start."""
        from upright_block.cases.cells import duration
        from upright_block.cases.suite import cannot_run
        from upright_block.cases.words.suite import scan_against_tasks
        from upright_block.language.timebase import Timebase

        unit = self.find(str(name))
        if unit is None:
            raise UnknownName(*words.no_such_block(name, self.did_you_mean(str(name))))
        if unit.is_broken:
            raise NotRunnable(*has_errors(unit.name))
        problem = cannot_run(unit)
        if problem is not None:
            raise NotRunnable(problem.message, problem.way_out)
        timebase = Timebase(self._library.manifest.scan if scan is None else duration(scan))
        if unit.timebase is not None:
            if scan is not None and timebase != unit.timebase:
                raise NotRunnable(scan_against_tasks(unit, unit.timebase).message, words.without_scan())
            timebase = unit.timebase
        return unit, timebase

    def _run_of(self, target: str, wishes: Wishes) -> tuple[Unit, Timebase, ReadyCase | None]:
        """The unit of a target as what runs, when its scans start, and the case that it is."""
        from upright_block.compiler.program import as_block

        case = None if self.find(target) else self.case(target)
        if case is not None and wishes.scan is not None:
            raise BadValue(*words.case_has_its_scan())
        if case is not None:
            return as_block(self._bound(case).unit), case.plan.timebase, case
        unit, timebase = self._subject(target, wishes.scan)
        return as_block(unit), timebase, None

    def watch(self, target: str, wishes: Wishes) -> Watched:
        """A run of a block, a program, a configuration or a case that is watched; it begins with `Watched.pieces`.

        Raises:
            UnknownName: there is no such target, or a pattern chooses nothing.
            NotRunnable: the target has errors.
            BadValue: a time or the condition does not fit.
            BadWishes: something that is wished for cannot be; it has the findings.
        """
        from upright_block.compiler.program import Mode
        from upright_block.runs.watched import watched

        unit, timebase, case = self._run_of(target, wishes)
        mode = Mode(checks_overflow=self._checks_overflow)
        return watched(unit, timebase, case, wishes, self._library.scope, mode)

    def compare(self, run: Watched, own: Mapping[str, Track], against: str) -> Comparison:
        """Compare a run, of which ``own`` was gathered, with that of a case, or with a trace file (``.csv``, ``.vcd``).

        Raises:
            UnknownName: there is no such case.
            BadValue: the file is no trace, or nothing of it can be compared.
        """
        found = self._compared(run, own, against)
        if found.scans and not found.equal and not found.differences:
            raise BadValue(*words.nothing_to_compare(against))
        return found

    def _compared(self, run: Watched, own: Mapping[str, Track], against: str) -> Comparison:
        from upright_block.cases.byhand import Wishes
        from upright_block.traces.comparing import compared

        timebase = run.run.plan.timebase
        if is_trace_file(against):
            found, end = self._trace_of(Path(against), {signal.path: signal.type for signal in run.signals})
            scans = run.scans if end is None else min(run.scans, timebase.scans_before(end))
            return compared(own, {track.path: track for track in found}, timebase, scans)
        case = self.case(against)
        if case is None:
            raise UnknownName(*words.no_such_case(against))
        other = self.watch(case.id, Wishes(watch=list(own) if self._bound(case).unit is run.run.unit else ()))
        return compared(own, other.tracks(), timebase, min(run.scans, other.scans))

    def trace(self, file: Path | str) -> Tracks:
        """What a trace file (``.csv``, ``.vcd``) holds; of a VCD of a unit of the library with the types that it has
        there.

        Raises:
            BadValue: the file is no trace.
        """
        from upright_block.traces.tracks import Tracks

        tracks, end = self._trace_of(Path(file), None)
        times = sorted({time for track in tracks for time in track.times})
        if not times:
            raise BadValue(*words.trace_is_empty(Path(file).name))
        scan = min((b - a for a, b in pairwise(times)), default=1)  # a table does not say when the run ended
        return Tracks(tracks, times[-1] + scan if end is None else end)

    def _trace_of(self, file: Path, types: Mapping[str, Type] | None) -> tuple[list[Track], int | None]:
        from upright_block.compiler.program import as_block
        from upright_block.language.signals import every_signal
        from upright_block.traces.tracefile import read_trace

        def of_unit(name: str) -> Mapping[str, Type] | None:
            unit = self.find(name) if name and types is None else None
            if unit is None or unit.is_broken:
                return types
            return {path: signal.type for path, signal in every_signal(as_block(unit)).items()}

        return read_trace(file, of_unit)

    def keep_run(self, run: Watched, patterns: Sequence[str]) -> tuple[Changes, list[str], list[Finding]]:
        """What sources are before and after final values of a run are initial values, by path; nothing is written.

        A pattern with ``*`` or ``?`` chooses among the inputs and the private variables of the target; else it is the
        path of anything that is declared. The result has besides what a pattern fits and leaves out, and findings on
        what cannot be kept.

        Raises:
            UnknownName: a pattern chooses nothing.
            NotRunnable: the run stopped with a fault.
        """
        from upright_block.edits.retaining import kept
        from upright_block.library.writing import changes

        edits, left, findings = kept(run, patterns)
        return changes(self._library.files, edits), left, findings

    def save_run(self, run: Watched, rows: Sequence[Row], case: str) -> tuple[Changes, list[str]]:
        """What the case files are before and after a run is a ``case``, FILE/NAME, by path, and what is left out since
        it only runs on; nothing is written.

        Raises:
            NotRunnable: the run stopped with a fault, or the file is for something else or cannot be read.
            BadValue: there is a case of that name, or it names no file.
        """
        from upright_block.edits.saving import saved
        from upright_block.library.writing import changes

        stem, slash, name = case.rpartition("/")
        stem, name = stem.removesuffix(".toml"), name.strip()
        if not slash or not stem.strip("./") or not name or ".." in stem.split("/") or stem.startswith("/"):
            raise BadValue(*words.no_case_name(case))
        left = run.running_on(rows)
        folder = self.root / self._library.manifest.folders["cases"][0]
        path = folder / f"{stem}.toml"
        known = [each for each in self._suite.bound.values() if self.root / each.case.file.source.path == path]
        found = changes(self._library.files, saved(run, rows, left, self._source_at(path), name, known))
        there = next((beside for beside in found if beside != path and beside.exists()), None)
        if there is not None:
            raise NotRunnable(*words.table_is_there(there.name))
        return found, left

    def machine(
        self,
        name: str,
        scan: str | int | timedelta | None = None,
        given: Mapping[str, Whole] | None = None,
        record: Sequence[str] = ("*",),
    ) -> Steered:
        """A controller that runs one instance of a block, a function, a program or a configuration; of a case it begins
        as the case does, and what the case drives goes on as time does.

        ``scan`` is the time of a scan, such as ``"100ms"``, an int in ns or a timedelta; of a configuration its
        tasks say it, else the manifest, else it is 100 ms. ``given`` are values before the first scan, by path; those
        of constants are among them. ``record`` are the paths, or patterns of paths, whose changes are kept for
        `Controller.trace`.

        Raises:
            UnknownName: there is no such unit, or a path of ``given`` leads nowhere.
            NotRunnable: the unit has errors, or cannot be run by itself.
            BadValue: a given value, or ``scan``, does not fit.
        """
        from upright_block.compiler.program import Mode, as_block
        from upright_block.face.steered import Steered

        mode = Mode(checks_overflow=self._checks_overflow)
        case = (
            None
            if not isinstance(name, str) or self.find(name)
            else next((case for case in self.cases if case.id == name), None)
        )
        if case is None:
            unit, timebase = self._subject(name, scan)
            return Steered(as_block(unit), self._library.scope, timebase, given or {}, mode, record)
        if scan is not None:
            raise BadValue(*words.case_has_its_scan())
        unit, plan = as_block(self._bound(case).unit), case.plan
        made = Steered(unit, self._library.scope, plan.timebase, given or {}, mode, record, plan)
        made.case = case
        return made

    def retained(self, configuration: str | None = None) -> list[Retained]:
        """What a configuration keeps over a loss of power.

        Raises:
            UnknownName: as `configuration`.
            NotRunnable: it has errors.
        """
        from upright_block.runs.retained import retained

        unit = self.configuration(configuration)
        if unit.is_broken:
            raise NotRunnable(*has_errors(unit.name))
        return retained(unit)

    def done(self, machine: Steered, patterns: Sequence[str] = ()) -> Watched:
        """What was done to a machine as a run of its own, that can become a case or initial values; watched are its
        pins and outputs, and what some patterns choose.

        Raises:
            UnknownName: a pattern chooses nothing.
            NotRunnable: something was set in the middle of a scan.
        """
        from upright_block.compiler.program import Mode
        from upright_block.language.signals import every_signal
        from upright_block.runs.watched import Watched, chosen_by, pins_of

        known = every_signal(machine.unit)
        found = {signal.path: signal for signal in pins_of(machine.unit, known)}
        found |= chosen_by(machine.unit, known, patterns)
        mode = Mode(checks_overflow=self._checks_overflow)
        return Watched(machine.as_run(), (), found, None, mode, patterns)


def is_trace_file(name: str) -> bool:
    """Whether something that a call names is a trace file, and no case."""
    return name.lower().endswith((".csv", ".vcd"))
