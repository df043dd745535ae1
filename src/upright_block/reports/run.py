"""A run by hand, as lines of text and as plain data."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from upright_block.language.literals import shown, shown_duration
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Compound
from upright_block.language.types import Array, Type
from upright_block.machine.trace import Fault
from upright_block.reports.findings import marked_lines
from upright_block.reports.grid import grid_lines
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line, Span
from upright_block.runs.watched import Row, Turn, Watched, may_run_on
from upright_block.traces.comparing import Comparison

_MOST_NAMED = 24


def condensed(watched: Watched, rows: Sequence[Row]) -> list[Row]:
    """Rows without those in the middle of a stretch in which only numbers and times run on."""
    steps = [i for i, signal in enumerate(watched.signals) if not may_run_on(signal.type)]
    marks = set(watched.run.plan.row_scans)

    def is_kept(number: int) -> bool:
        near = rows[max(number - 1, 0) : number + 2]
        if len(near) < 3 or rows[number].scan in marks or near[2].scan - near[0].scan > 2:
            return True
        return any(len({repr(row.values[i]) for row in near}) > 1 for i in steps)

    return [row for number, row in enumerate(rows) if is_kept(number)]


def watch_lines(watched: Watched, rows: Sequence[Row], width: int) -> list[Line]:
    """What is watched, a row a change; what never changes is named below."""
    signals, plan = watched.signals, watched.run.plan
    moved = [i for i in range(len(signals)) if len({repr(row.values[i]) for row in rows}) > 1]
    order = sorted(moved, key=lambda i: not signals[i].is_driven)
    cells: list[list[Span]] = [[(shown(row.values[i], signals[i].type), "") for i in order] for row in rows]
    lines: list[Line] = []
    if order:
        pins = [signals[i] for i in order]
        lines = grid_lines(plan, [row.scan for row in rows], pins, cells, width, shows_gaps=False)
    still = (
        [f"{s.path} {shown(rows[0].values[i], s.type)}" for i, s in enumerate(signals) if i not in moved]
        if rows
        else []
    )
    if still:
        more = f" and {len(still) - _MOST_NAMED} more" if len(still) > _MOST_NAMED else ""
        lines.append([(f"    never changed: {', '.join(still[:_MOST_NAMED])}{more}", "dim")])
    return lines


def event_lines(watched: Watched, events: Sequence[Turn]) -> list[Line]:
    """The event log: time, signal, edge, and how often that has happened."""
    lines: list[Line] = []
    width = max((len(event.signal.path) for event in events), default=0)
    for event in events:
        time = shown_duration(watched.run.plan.timebase.time(event.scan))
        lines.append(
            [
                (f"    {time:>12}  ", "dim"),
                (f"{event.signal.path:<{width}}  ", "name"),
                (event.edge, ""),
                (f"  no. {event.count:,}", "dim"),
            ]
        )
    return lines


def tree_lines(watched: Watched, path: str) -> list[Line]:
    """All that an instance holds after the run, as a tree with types and values; the empty path is all of the
    target.
    """
    machine, unit = watched.machine, watched.run.unit

    def inside(path: str, type_: Type, depth: int) -> Iterator[Line]:
        if isinstance(type_, Compound):
            for inner in type_.variables.values():
                if inner.is_hidden or inner.is_code or inner.section in ("external", "in_out"):
                    continue
                own = f"{path}.{inner.name}" if path else inner.name
                yield from entry(own, inner.name, inner.type, depth)
        elif isinstance(type_, Array) and type_.count <= _MOST_NAMED:
            for indices in type_.indices():
                index = f"[{','.join(map(str, indices))}]"
                yield from entry(path + index, index, type_.element, depth)

    def entry(path: str, name: str, type_: Type, depth: int) -> Iterator[Line]:
        lead = "    " + "  " * depth
        try:
            value = shown(machine.read(path), type_)
        except KeyError:
            yield [(lead, ""), (f"{name:<{max(1, 28 - 2 * depth)}}", "name"), (f"  {type_}", "dim")]
            yield from inside(path, type_, depth + 1)
            return
        yield [(lead, ""), (f"{name:<{max(1, 28 - 2 * depth)}}", ""), (f"  {type_!s:<14}", "dim"), (value, "strong")]

    if not path:
        return list(inside("", unit, 0))
    signal = watched.instance(path)
    return list(entry(signal.path, signal.path, signal.type, 0))


def stop_lines(fault: Fault, timebase: Timebase) -> list[Line]:
    """What stopped a scan, and where."""
    site, at = fault.site, shown_duration(timebase.time(fault.scan))
    where = f" in {fault.instance}" if fault.instance else ""
    return [
        [
            (f"{site.kind[0].upper()}{site.kind[1:]}", "bad"),
            (f"{where} at {at} (scan {fault.scan}). The scan stopped there.", ""),
        ],
        [(f"  {site.shown_line}", "dim")],
        *marked_lines(site.source, site.start, site.start + 1, "bad"),
    ]


def end_lines(watched: Watched, until: str | None) -> list[Line]:
    """How a run ended."""
    plan, scans = watched.run.plan, watched.scans
    time = shown_duration(plan.timebase.time(scans))
    if watched.fault is not None:
        return stop_lines(watched.fault, plan.timebase)
    amount = f"{scans:,} scan{'' if scans == 1 else 's'}, {time}"
    if until is not None and watched.is_met:
        at = shown_duration(plan.timebase.time(scans - 1))
        return [[(f"{until} is TRUE at {at} (scan {scans - 1}).", "good")]]
    if until is not None:
        return [[(f"{until} was never TRUE in {amount}.", "bad")]]
    return [[(f"{amount}.", "dim")]]


def comparison_lines(watched: Watched, found: Comparison, against: str, width: int) -> list[Line]:
    """Where a run differs from another, a line a signal, in the order of time."""
    plan = watched.run.plan
    types = {signal.path: signal.type for signal in watched.signals}
    if not found.scans:
        return [[(f"Nothing was compared with {against}: one of the two has no scan that came to its end.", "warn")]]
    lines: list[Line] = []
    if found.differences:
        first = found.differences[0]
        at = shown_duration(plan.timebase.time(first.scan))
        lines.append([(f"It differs from {against}, first at {at} (scan {first.scan}).", "bad")])
        rows = [
            [
                f"    {d.path}",
                f"{shown_duration(plan.timebase.time(d.scan))} (scan {d.scan})",
                shown(d.here, types[d.path]),
                shown(d.there, types[d.path]),
                f"{d.scans:,}",
            ]
            for d in found.differences
        ]
        lines += column_lines(("    signal", "first at", "here", "there", "scans that differ"), rows, width, ("name",))
    else:
        same = f"{len(found.equal)} signal{'' if len(found.equal) == 1 else 's'}"
        lines.append([(f"The same as {against} in {same}, {found.scans:,} scans.", "good" if found.equal else "warn")])
    if found.differences and found.equal:
        lines.append([(f"    the same: {', '.join(found.equal[:_MOST_NAMED])}", "dim")])
    if found.only_here:
        lines.append([(f"    not in {against}: {', '.join(found.only_here[:_MOST_NAMED])}", "warn")])
    return lines


def run_data(watched: Watched, rows: Sequence[Row], events: Sequence[Turn], until: str | None) -> dict[str, Any]:
    """The same as plain data for JSON; durations in ns, scans from 0."""
    plan, fault = watched.run.plan, watched.fault
    return {
        "target": plan.id,
        "scans": watched.scans,
        "time_ns": plan.timebase.time(watched.scans),
        "until": None if until is None else {"expression": until, "met": watched.is_met},
        "signals": [{"path": signal.path, "type": str(signal.type)} for signal in watched.signals],
        "rows": [
            {"scan": row.scan, "time_ns": plan.timebase.time(row.scan), "values": list(row.values)} for row in rows
        ],
        "events": [
            {
                "scan": e.scan,
                "time_ns": plan.timebase.time(e.scan),
                "signal": e.signal.path,
                "edge": e.edge,
                "count": e.count,
            }
            for e in events
        ],
        "fault": None
        if fault is None
        else {
            "kind": fault.site.kind,
            "scan": fault.scan,
            "instance": fault.instance,
            **fault.site.source.place(fault.site.start),
        },
    }
