"""The timing diagram of a case: what its pins did, what was expected of them, what was measured, and what broke."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from upright_block.cases.cells import Check
from upright_block.cases.plan import Expectations
from upright_block.cases.rules import TimingRow, shown_rule
from upright_block.cases.watch import WatchedRow, WatchedRule
from upright_block.errors import BadValue
from upright_block.language.literals import shown_duration
from upright_block.reports import words
from upright_block.reports.lanes import Diagram, Dimension, Held, Mark, Measured, diagram
from upright_block.runs.verdict import Verdict
from upright_block.traces.tracks import Track, Tracks

_MOST_MEASURED = 200


def case_diagram(
    verdict: Verdict, begin: int = 0, end: int | None = None, together: Sequence[Sequence[str]] = ()
) -> Diagram:
    """The diagram of a verdict with tracks, between two times in ns; of the whole of it long idle stretches are cut.
    Numbers that stand ``together`` share a lane.

    Raises:
        BadValue: there is nothing between the two times.
    """
    assert verdict.tracks is not None
    plan, tracks = verdict.case.plan, verdict.tracks
    time = plan.timebase.time
    fault = None if verdict.fault is None else (time(verdict.fault.scan), verdict.fault.site.kind)
    return diagram(
        f"{verdict.case.unit_name}: {verdict.case.name}",
        tracks,
        span_of(tracks, begin, end),
        {path: list(_marks(verdict, tracks[path])) for path in tracks},
        list(_dimensions(verdict)),
        list(_rules(verdict)),
        [time(scan) for scan in plan.row_scans],
        [(time(idle.begin), time(idle.end)) for idle in plan.idle],
        fault,
        cuts=begin == 0 and end is None,
        together=together,
    )


def trace_diagram(
    title: str, tracks: Tracks, begin: int = 0, end: int | None = None, together: Sequence[Sequence[str]] = ()
) -> Diagram:
    """The diagram of tracks alone, as of a trace file. Numbers that stand ``together`` share a lane.

    Raises:
        BadValue: there is nothing between the two times.
    """
    is_whole = begin == 0 and end is None
    return diagram(title, tracks, span_of(tracks, begin, end), {}, cuts=is_whole, together=together)


def span_of(tracks: Tracks, begin: int, end: int | None) -> tuple[int, int]:
    """The two times between which tracks are drawn.

    Raises:
        BadValue: there is nothing between them.
    """
    if not tracks.end:
        raise BadValue(*words.nothing_to_draw())
    stop = tracks.end if end is None else min(end, tracks.end)
    if begin >= stop:
        raise BadValue(*words.ends_before(shown_duration(tracks.end)))
    return begin, stop


def _marks(verdict: Verdict, track: Track) -> Iterator[Mark]:
    """What was checked of a signal; what holds does so up to the next row that says something of it."""
    plan = verdict.case.plan
    wrong = {miss.row for miss in verdict.misses if miss.slot.path == track.path}
    for expected in plan.expectations:
        if expected.path == track.path:
            scans = [plan.row_scans[row] for row in expected.rows]
            for number, (row, check) in enumerate(zip(expected.rows, expected.checks, strict=True)):
                until = plan.timebase.time(_until(expected, scans, number, plan.scans))
                yield Mark(plan.timebase.time(scans[number]), until, check, row not in wrong, _level(check))


def _until(expected: Expectations, scans: list[int], number: int, end: int) -> int:
    if not expected.hold:
        return scans[number] + 1
    return scans[number + 1] if number + 1 < len(scans) else end


def _level(check: Check) -> float | None:
    is_one = check.low == check.high and not check.outside
    return float(check.low) if is_one and not isinstance(check.low, str) else None


def _dimensions(verdict: Verdict) -> Iterator[Dimension]:
    """The timing rows of a case, and those of a block that it breaks."""
    time = verdict.case.plan.timebase.time
    for measure in verdict.measures:
        watched = measure.watched
        breaks = [found for found in verdict.breaks if found.watched is watched]
        if watched.is_of_block and not breaks:
            continue
        spans: list[Measured] = []
        for begun, ended in measure.windows:
            took = time(ended) - time(begun)
            is_right = watched.least <= took and (watched.most is None or took <= watched.most)
            spans.append(Measured(time(begun), time(ended), is_right, shown_duration(took)))
        known = {span.begin for span in spans}
        for found in breaks:
            begin = time(found.scan if found.begun is None else found.begun)
            if begin not in known and len(spans) < _MOST_MEASURED:
                spans.append(Measured(begin, time(found.scan), is_right=False, text=found.kind))
        ordered = tuple(sorted(spans, key=lambda span: span.begin))
        yield Dimension(_name(watched), limits(watched.row), ordered, tuple(watched.named))


def _name(watched: WatchedRow) -> str:
    return f"{watched.path}: {watched.row.name.text}" if watched.path else watched.row.name.text


def limits(row: TimingRow) -> str:
    """The limits of a timing row in words."""
    parts = [f"{word} {limit.text}" for word, limit in (("min", row.least), ("max", row.most)) if limit]
    return ", ".join([*parts, *([f"count {row.count.text}"] if row.count else [])])


def _rules(verdict: Verdict) -> Iterator[Held]:
    """The rules of a case, and those of a block that it breaks."""
    for watched in verdict.case.watch.rules:
        scans = [
            found.scan for found in verdict.breaks if found.watched is watched and found.kind in ("broken", "faulted")
        ]
        if scans or not watched.is_of_block:
            yield Held(_rule(watched), verdict.case.plan.timebase.time(scans[0]) if scans else None)


def _rule(watched: WatchedRule) -> str:
    return f"{watched.path}: {shown_rule(watched.rule)}" if watched.path else shown_rule(watched.rule)
