"""A library as it is used from outside: opened, looked through, run."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.contents import Contents
from upright_block.errors import BadValue, NotRunnable, UnknownName
from upright_block.language.literals import Value
from upright_block.library import find_root, load_library

if TYPE_CHECKING:
    from upright_block.cases.byhand import Wishes
    from upright_block.cases.comparing import Comparison
    from upright_block.cases.coverage import Collector, UnitCoverage
    from upright_block.cases.gaps import Gap
    from upright_block.cases.history import History
    from upright_block.cases.plan import Bound, ReadyCase
    from upright_block.cases.tracing import Tracing
    from upright_block.cases.tracks import Track, Tracks
    from upright_block.cases.verdict import NotRun, Verdict
    from upright_block.cases.watchlist import Row, Watched
    from upright_block.controller import Controller
    from upright_block.language.findings import Finding
    from upright_block.language.timebase import Timebase
    from upright_block.language.typed import Unit
    from upright_block.language.types import Type
    from upright_block.library.floors import Floor
    from upright_block.library.sheets import Rows
    from upright_block.mapping.judging import Judged


_MOST_KEPT = 4_096
"""Changes of a signal that are kept where only what values it has matters."""


class OpenLibrary(Contents):
    """A library that was read: its units, its cases, and what was found in them."""

    # --- cases ---

    @property
    def cases(self) -> tuple[ReadyCase, ...]:
        """The cases that can be run."""
        return self._suite.ready

    def _bound(self, case: ReadyCase) -> Bound:
        """A case with what it is bound to here."""
        return self._suite.bound[case.key]

    @property
    def not_run(self) -> tuple[NotRun, ...]:
        """The cases that cannot be run, with the reason of each."""
        return self._suite.not_run

    @property
    def case_files(self) -> int:
        """How many case files there are."""
        return self._suite.files

    @property
    def unread_files(self) -> int:
        """How many case files could not be read, so that their cases are not known."""
        return self._suite.unread

    def run(
        self,
        cases: Sequence[ReadyCase] | None = None,
        done: Callable[[Verdict], None] | None = None,
        collector: Collector | None = None,
        jobs: int | None = None,
        stop: bool = False,
        tracing: Tracing | None = None,
    ) -> list[Verdict]:
        """Run cases, all by default, and return their verdicts in the same order.

        ``done`` is called with each verdict as it comes, from any thread. A ``collector`` takes which statements and
        ways of branches they reached. ``jobs`` threads do it, one a core by default; with ``stop`` no
        case is begun after one that is wrong. ``tracing`` says what signals did that verdicts have besides.

        Raises:
            UnknownName: a pattern of what is kept chooses nothing.
        """
        chosen = self.cases if cases is None else cases
        if not chosen:
            return []
        from upright_block.cases.runner import run_cases
        from upright_block.compiler.program import Mode

        ends = (lambda verdict: verdict.status in ("failed", "fault")) if stop else None
        mode = Mode(checks_overflow=self._checks_overflow, covers=collector is not None)
        return run_cases(list(map(self._bound, chosen)), done, mode, jobs, ends, collector, tracing)

    def coverage(self, collector: Collector) -> list[UnitCoverage]:
        """What a collector took in, by the units of the library, those that no case runs too."""
        from upright_block.compiler.program import Mode

        return collector.of(self.units, Mode(covers=True))

    @property
    def floors(self) -> tuple[Floor, ...]:
        """How much of its units the cases must reach, as the manifest says."""
        return self._library.manifest.floors

    def gaps(self, covered: Sequence[UnitCoverage]) -> list[Gap]:
        """What no case reached, what would have to differ for it, and the case that comes nearest."""
        from upright_block.cases.gaps import gaps
        from upright_block.cases.tracing import Tracing

        def record(case: ReadyCase, paths: Sequence[str]) -> Tracks:
            (verdict,) = self.run([case], jobs=1, tracing=Tracing(paths, _MOST_KEPT))
            assert verdict.tracks is not None
            return verdict.tracks

        cases = {bound.case.id: bound for bound in self._suite.bound.values()}
        return [gap for unit in covered for gap in gaps(unit, cases, record)]

    @cached_property
    def history(self) -> History:
        """What is remembered of the last runs of its cases."""
        from upright_block import __version__
        from upright_block.cases.history import History

        return History(self._library, self._suite.bound, self._suite.sources[: self._suite.rules], __version__)

    def remember(self, verdicts: Sequence[Verdict]) -> None:
        """Keep what came of cases, for a later choice of those that have changed or were wrong."""
        self.history.remember(verdicts, [*self.cases, *self.not_run])

    def record(
        self, cases: Sequence[ReadyCase], over: bool = False
    ) -> tuple[dict[Path, tuple[str, str]], int, list[Finding]]:
        """What cases would say with their empty expected cells filled in from a run.

        The result has the texts of each file before and after, how many cells were filled in, and findings on
        cells that were not. With ``over`` values that are expected and wrong are replaced too.
        """
        from upright_block.cases.recording import recorded

        found = recorded(map(self._bound, cases), over)
        texts = {self.root / source.path: (source.text, text) for source, text in found.texts.items()}
        return texts, found.cells, list(found.left)

    @property
    def _checks_overflow(self) -> bool:
        return self._library.manifest.overflow == "fault"

    # --- the mapping ---

    def walk(
        self, configuration: str | None = None, hold: str | int | None = None, compare: bool = True
    ) -> list[Judged]:
        """Move each point of a configuration by itself, and judge what followed.

        ``hold`` is how long each change is held, such as ``"5s"`` or an int in ns; by default for three scans of each
        task that sees it. With ``compare`` tags that do not say what they reach are compared with the approved map.

        Raises:
            UnknownName: there is no such configuration, or several and no name.
            NotRunnable: it has errors, or no tags.
            BadValue: ``hold`` is no duration.
        """
        from upright_block.cases.cells import duration
        from upright_block.language.source import Source
        from upright_block.mapping.approved import FILE_NAME, read_map
        from upright_block.mapping.judging import judge
        from upright_block.mapping.walk import Walker

        unit = self.configuration(configuration)
        if unit.is_broken:
            raise NotRunnable(f"{unit.name} has errors.", "upright check lists them.")
        if not self.tags:
            raise NotRunnable("The library has no tags.", "Write a table into the folder tags.")
        walker = Walker(unit, self._library.scope, self.timebase(unit), 0 if hold is None else duration(hold))
        try:
            known = read_map(Source(FILE_NAME, approved)) if compare and (approved := self.approved_map()) else None
        except ValueError as problem:
            raise BadValue(
                f"{FILE_NAME} is no approved map: {problem}.", "Make it again: upright walk --approve."
            ) from None
        fault = walker.bench.fault
        if fault is not None:
            message = f"{walker.configuration.name} stops in its first scan: {fault.site.kind}, {fault.site.source.shown_line(fault.site.start)}."
            raise NotRunnable(message, "Mend that first: nothing moves in a controller that stopped.")
        return judge(walker.walk(), known)

    @property
    def approved_path(self) -> Path:
        """Where the approved map is, or would be."""
        from upright_block.mapping.approved import FILE_NAME

        return self.root / FILE_NAME

    def approved_map(self) -> str:
        """The text of the approved map; empty where there is none."""
        return self.text_at(self.approved_path)

    @staticmethod
    def map_rows(found: Sequence[Judged]) -> Rows:
        """The map of a walk, to be approved or filed."""
        from upright_block.mapping.approved import map_rows

        return map_rows((entry.tag, entry.pins) for entry in found)

    @staticmethod
    def is_wrong(found: Sequence[Judged]) -> bool:
        """Whether anything of a walk is wrong."""
        from upright_block.mapping.judging import WRONG

        return any(entry.status in WRONG for entry in found)

    # --- by hand ---

    def _subject(self, name: str, scan: str | int | None) -> tuple[Unit, Timebase]:
        """The unit of a name, which can be run by itself, and when its scans start."""
        from upright_block.cases.cells import duration
        from upright_block.cases.suite import cannot_run
        from upright_block.cases.words.suite import scan_against_tasks
        from upright_block.language.timebase import Timebase

        unit = self.find(name)
        if unit is None:
            raise UnknownName(f"There is no block {name}.", self.did_you_mean(name))
        if unit.is_broken:
            raise NotRunnable(f"{unit.name} has errors.", "upright check lists them.")
        problem = cannot_run(unit)
        if problem is not None:
            raise NotRunnable(problem.message, problem.way_out)
        timebase = Timebase(self._library.manifest.scan if scan is None else duration(scan))
        if unit.timebase is not None:
            if scan is not None and timebase != unit.timebase:
                raise NotRunnable(scan_against_tasks(unit, unit.timebase).message, "Leave scan out.")
            timebase = unit.timebase
        return unit, timebase

    def watch(self, target: str, wishes: Wishes) -> Watched:
        """A run of a block, a program, a configuration or a case that is watched; it begins with `Watched.pieces`.

        Raises:
            UnknownName: there is no such target, or a pattern chooses nothing.
            NotRunnable: the target has errors.
            BadValue: a time or the condition does not fit.
            BadWishes: something that is wished for cannot be; it has the findings.
        """
        from upright_block.cases.watchlist import watched
        from upright_block.compiler.program import Mode, as_block

        case = None if self.find(target) else self.case(target)
        bound = self._bound(case) if case else None
        if case is not None and wishes.scan is not None:
            raise BadValue("A case has its own scan.", "Leave --scan out.")
        unit, timebase = (bound.unit, bound.case.plan.timebase) if bound else self._subject(target, wishes.scan)
        mode = Mode(checks_overflow=self._checks_overflow)
        return watched(as_block(unit), timebase, case, wishes, self._library.scope, mode)

    def compare(self, run: Watched, own: Mapping[str, Track], against: str) -> Comparison:
        """Compare a run, of which ``own`` was gathered, with that of a case, or with a trace file (``.csv``, ``.vcd``).

        Raises:
            UnknownName: there is no such case.
            BadValue: the file is no trace, or nothing of it can be compared.
        """
        found = self._compared(run, own, against)
        if found.scans and not found.equal and not found.differences:
            message = (
                f"Nothing of the run can be compared with {against}: no signal has values at the same time in both."
            )
            raise BadValue(message, "Watch a signal that it has: --watch.")
        return found

    def _compared(self, run: Watched, own: Mapping[str, Track], against: str) -> Comparison:
        from upright_block.cases.byhand import Wishes
        from upright_block.cases.comparing import compared

        timebase = run.run.plan.timebase
        if is_trace_file(against):
            found, end = self._trace_of(Path(against), {signal.path: signal.type for signal in run.signals})
            scans = run.scans if end is None else min(run.scans, timebase.scans_before(end))
            return compared(own, {track.path: track for track in found}, timebase, scans)
        case = self.case(against)
        if case is None:
            raise UnknownName(f"There is no case {against}.", "Name a case, or a .csv or .vcd file.")
        other = self.watch(case.id, Wishes(watch=list(own) if self._bound(case).unit is run.run.unit else ()))
        return compared(own, other.tracks(), timebase, min(run.scans, other.scans))

    def trace(self, file: Path | str) -> Tracks:
        """What a trace file (``.csv``, ``.vcd``) holds; of a VCD of a unit of the library with the types that it has there.

        Raises:
            BadValue: the file is no trace.
        """
        from upright_block.cases.tracks import Tracks

        tracks, end = self._trace_of(Path(file), None)
        times = sorted({time for track in tracks for time in track.times})
        if not times:
            raise BadValue(f"{Path(file).name} holds no values.", "Write it with upright run --trace.")
        scan = min((b - a for a, b in pairwise(times)), default=1)  # a table does not say when the run ended
        return Tracks(tracks, times[-1] + scan if end is None else end)

    def _trace_of(self, file: Path, types: Mapping[str, Type] | None) -> tuple[list[Track], int | None]:
        from upright_block.cases.tracefile import read_trace
        from upright_block.cases.watchlist import every_signal
        from upright_block.compiler.program import as_block

        def of_unit(name: str) -> Mapping[str, Type] | None:
            unit = self.find(name) if name and types is None else None
            if unit is None or unit.is_broken:
                return types
            return {path: signal.type for path, signal in every_signal(as_block(unit)).items()}

        return read_trace(file, of_unit)

    def case(self, name: str) -> ReadyCase | None:
        """The case that a name means; None where there is none."""
        from upright_block.cases.suite import choose

        found = choose(self.cases, [name])
        if len(found) > 1:
            raise UnknownName(f"{len(found)} cases are called {name}.", f"Name one, such as {found[0].id}.")
        return found[0] if found else None

    def keep_run(
        self, run: Watched, patterns: Sequence[str]
    ) -> tuple[dict[Path, tuple[str, str]], list[str], list[Finding]]:
        """What sources are before and after final values of a run are initial values, by path; nothing is written.

        A pattern with ``*`` or ``?`` chooses among the inputs and the private variables of the target; else it is the path of anything
        that is declared. The result has besides what a pattern fits and leaves out, and findings on what cannot be kept.

        Raises:
            UnknownName: a pattern chooses nothing.
            NotRunnable: the run stopped with a fault.
        """
        from upright_block.cases.retaining import kept
        from upright_block.language.edits import laid

        edits, left, findings = kept(run, patterns)
        found = {self.root / path: (made.before, made.after) for path, made in laid(edits).items()}
        return found, left, findings

    def save_run(self, run: Watched, rows: Sequence[Row], stem: str, name: str) -> dict[Path, tuple[str, str]]:
        """What the case files are before and after a run is a case of the file ``stem``, by path; nothing is written.

        Raises:
            NotRunnable: the run stopped with a fault, or the file is for something else or cannot be read.
            BadValue: there is a case of that name.
        """
        from upright_block.cases.saving import saved

        folder = self.root / self._library.manifest.folders["cases"][0]
        path = folder / f"{stem}.toml"
        before = self.text_at(path)
        known = [each for each in self._suite.bound.values() if self.root / each.case.file.source.path == path]
        made = saved(run, rows, Path(stem).name, name, before, known)
        if not made.table:
            return {path: (before, made.text)}
        beside = path.parent / made.table
        if beside.exists():
            raise NotRunnable(f"{made.table} is there already.", "Choose another name for the case.")
        return {beside: ("", made.content), path: (before, made.text)}  # the table first: the case needs it

    def machine(
        self,
        name: str,
        scan: str | int | None = None,
        given: Mapping[str, Value] | None = None,
        record: Sequence[str] = ("*",),
    ) -> Controller:
        """A controller that runs one instance of a block, a function, a program or a configuration.

        ``scan`` is the time of a scan, such as ``"100ms"`` or an int in ns; of a configuration its tasks say it, else
        the manifest, else it is 100 ms. ``given`` are values before the first scan, by path; those of constants are among them.
        ``record`` are the paths, or patterns of paths, whose changes are kept for `Controller.trace`.

        Raises:
            UnknownName: there is no such unit, or a path of ``given`` leads nowhere.
            NotRunnable: the unit has errors, or cannot be run by itself.
            BadValue: a given value, or ``scan``, does not fit.
        """
        from upright_block.compiler.program import Mode, as_block
        from upright_block.controller import Controller

        unit, timebase = self._subject(name, scan)
        mode = Mode(checks_overflow=self._checks_overflow)
        return Controller(as_block(unit), self._library.scope, timebase, given or {}, mode, record)


def is_trace_file(name: str) -> bool:
    """Whether something that a call names is a trace file, and no case."""
    return name.lower().endswith((".csv", ".vcd"))


def open_library(folder: Path | str = ".", also: Sequence[Path] = ()) -> OpenLibrary:
    """Read the library of a folder, or of the nearest folder above it; files outside only below ``also``.

    Raises:
        LibraryProblem: there is none, or its manifest cannot be used. What is wrong in its files are `findings`.
    """
    return OpenLibrary(load_library(find_root(Path(folder)), also))
