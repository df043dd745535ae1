"""Two runs compared, signal by signal and scan by scan."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

from upright_block.cases.tracefile import Series
from upright_block.cases.watchlist import Row, Watched
from upright_block.language.literals import Value
from upright_block.language.nodes import record
from upright_block.language.timebase import Timebase


@record
class Difference:
    """Where a signal is another one for the first time, what it is in both runs, and in how many scans they differ."""

    path: str
    scan: int
    here: Value
    there: Value
    scans: int


@record
class Comparison:
    """What both runs have in their first ``scans``: the ``differences`` in the order of time, and the signals of one alone."""

    differences: tuple[Difference, ...]
    equal: tuple[str, ...]
    only_here: tuple[str, ...]
    scans: int


def series_of(watched: Watched, rows: Sequence[Row]) -> Series:
    """The rows of a run by signal."""
    times = [watched.run.plan.timebase.time(row.scan) for row in rows]
    return {signal.path: (times, [row.values[i] for row in rows]) for i, signal in enumerate(watched.signals)}


def compared(here: Series, there: Series, timebase: Timebase, scans: int) -> Comparison:
    """Compare two runs in their first scans."""
    differences: list[Difference] = []
    equal: list[str] = []
    for path, own in here.items():
        if path not in there:
            continue
        found = _difference(path, _by_scan(own, timebase), _by_scan(there[path], timebase), scans)
        if found is None:
            equal.append(path)
        else:
            differences.append(found)
    differences.sort(key=lambda difference: difference.scan)
    return Comparison(tuple(differences), tuple(equal), tuple(path for path in here if path not in there), scans)


def _by_scan(series: tuple[list[int], list[Value]], timebase: Timebase) -> tuple[list[int], list[Value]]:
    return [timebase.scans_before(time) for time in series[0]], series[1]


def _difference(
    path: str, here: tuple[list[int], list[Value]], there: tuple[list[int], list[Value]], scans: int
) -> Difference | None:
    points = sorted({scan for scan in (*here[0], *there[0]) if scan < scans})
    first: tuple[int, Value, Value] | None = None
    count = 0
    for number, scan in enumerate(points):
        a, b = _at(here, scan), _at(there, scan)
        if repr(a) != repr(b) and a is not None and b is not None:
            first = first or (scan, a, b)
            count += (points[number + 1] if number + 1 < len(points) else scans) - scan
    return None if first is None else Difference(path, *first, count)


def _at(series: tuple[list[int], list[Value]], scan: int) -> Value | None:
    before = bisect_right(series[0], scan)
    return series[1][before - 1] if before else None
