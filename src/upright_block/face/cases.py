"""The cases of a library from outside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from upright_block.errors import NotRunnable, UnknownName
from upright_block.face import words

if TYPE_CHECKING:
    from upright_block.cases.plan import BoundCase, NotRun, ReadyCase
    from upright_block.coverage.collected import Collector, UnitCoverage
    from upright_block.coverage.gaps import Gap
    from upright_block.language.telling.findings import Finding
    from upright_block.library.floors import Floor
    from upright_block.library.writing import Changes
    from upright_block.remembered.history import History
    from upright_block.runs.tracing import Tracing
    from upright_block.runs.verdict import Verdict
    from upright_block.traces.tracks import Tracks

from upright_block.face.tags import WithTags

_MOST_KEPT = 4_096
"""Changes of a signal that are kept where only what values it has matters."""


class WithCases(WithTags):
    """The cases of a library, their runs, and what these reached."""

    @property
    def cases(self) -> tuple[ReadyCase, ...]:
        """The cases that can be run."""
        return self._suite.ready

    def _bound(self, case: ReadyCase) -> BoundCase:
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
        from upright_block.compiler.program import Mode
        from upright_block.runs.runner import run_cases

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
        from upright_block.coverage.gaps import gaps
        from upright_block.runs.tracing import Tracing

        def record(case: ReadyCase, paths: Sequence[str]) -> Tracks:
            (verdict,) = self.run([case], jobs=1, tracing=Tracing(paths, _MOST_KEPT))
            assert verdict.tracks is not None
            return verdict.tracks

        cases = {bound.case.id: bound for bound in self._suite.bound.values()}
        return [gap for unit in covered for gap in gaps(unit, cases, record)]

    @cached_property
    def history(self) -> History:
        """What is remembered of the last runs of its cases."""
        from upright_block.remembered.history import History
        from upright_block.version import VERSION

        return History(self._library, self._suite.bound, self._suite.sources[: self._suite.rules], VERSION)

    def remember(self, verdicts: Sequence[Verdict]) -> None:
        """Keep what came of cases, for a later choice of those that have changed or were wrong."""
        self.history.remember(verdicts, [*self.cases, *self.not_run])

    def record(self, cases: Sequence[ReadyCase], over: bool = False) -> tuple[Changes, int, list[Finding]]:
        """What cases would say with their empty expected cells filled in from a run.

        The result has the texts of each file before and after, how many cells were filled in, and findings on
        cells that were not. With ``over`` values that are expected and wrong are replaced too.
        """
        from upright_block.edits.recording import recorded
        from upright_block.library.writing import changes

        found = recorded(map(self._bound, cases), over)
        return changes(self._library.files, found.edits), found.cells, list(found.left)

    @property
    def _checks_overflow(self) -> bool:
        return self._library.manifest.overflow == "fault"

    def case(self, name: str) -> ReadyCase | None:
        """The case that a name means; None where there is none."""
        from upright_block.cases.suite import choose

        found = choose(self.cases, [name])
        if len(found) > 1:
            raise UnknownName(*words.several_cases(len(found), name, found[0].id))
        bad = None if found else next((case for case in self.not_run if f"/{case.id}".endswith(f"/{name}")), None)
        if bad is not None:
            raise NotRunnable(*words.case_not_run(bad.id, bad.reason))
        return found[0] if found else None
