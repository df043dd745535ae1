"""The timing diagram of a case: what its pins did, and what was expected of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from upright_block.cases.byhand import Wishes
from upright_block.cases.comparing import series_of
from upright_block.cases.verdict import Verdict
from upright_block.cases.watchlist import Watched
from upright_block.errors import BadValue
from upright_block.language.literals import shown_duration
from upright_block.reports.lanes import Diagram, Mark, lanes


def case_diagram(
    verdict: Verdict, watch: Callable[[str, Wishes], Watched], patterns: Sequence[str], begin: int, end: int | None
) -> Diagram:
    """The diagram of a verdict: lanes are what the case names, in its order, then what the patterns choose.

    Raises:
        BadValue: there is nothing between the two times.
    """
    plan = verdict.case.plan
    named = [path for found in verdict.case.watch.rules for path in found.named if not found.is_of_block]
    named += [path for found in verdict.case.watch.rows for path in found.named if not found.is_of_block]
    wanted = [*plan.shown, *named, *patterns]
    watched = watch(verdict.case.id, Wishes(watch=wanted))
    rows = [row for piece in watched.pieces() for row in watched.rows(piece)]
    last = plan.timebase.time(watched.scans)
    stop = last if end is None else min(end, last)
    if begin >= stop:
        raise BadValue(
            f"The case ends at {shown_duration(last)}.", "Choose times before that, the first before the last."
        )
    signals = {signal.path: signal for signal in watched.signals}
    marks = _marks(verdict)
    drawn = lanes(series_of(watched, rows), signals, marks, begin, stop)
    idle = tuple((plan.timebase.time(i.begin), plan.timebase.time(i.end)) for i in plan.idle)
    times = tuple(plan.timebase.time(scan) for scan in plan.row_scans)
    return Diagram(f"{verdict.case.unit_name}: {verdict.case.name}", begin, stop, drawn, times, idle)


def _marks(verdict: Verdict) -> dict[str, list[Mark]]:
    """What was checked of each signal, and what of it was wrong."""
    plan = verdict.case.plan
    wrong = {(miss.signal.path, miss.scan): miss for miss in verdict.misses}
    found: dict[str, list[Mark]] = {}
    for expected in plan.expectations:
        own = found.setdefault(expected.path, [])
        for row, check in zip(expected.rows, expected.checks, strict=True):
            scan = plan.row_scans[row]
            if (expected.path, scan) not in wrong:
                own.append(Mark(plan.timebase.time(scan), True, check.text))
    for (path, scan), miss in wrong.items():
        found.setdefault(path, []).append(Mark(plan.timebase.time(scan), False, miss.check.text))
    return {path: sorted(marks, key=lambda mark: mark.time) for path, marks in found.items()}
