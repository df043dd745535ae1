"""Verdicts as text and as data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.cases.plan import Plan
from upright_block.cases.verdict import Miss, Verdict
from upright_block.compiler.layout import Slot, slots
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.reports.findings import marked_lines
from upright_block.reports.styled import Line, Role, Span

_WORDS: dict[str, tuple[str, Role]] = {
    "passed": ("good", "good"),
    "failed": ("WRONG", "bad"),
    "fault": ("FAULT", "bad"),
}
_MOST_MOMENTS = 3
_AROUND = 2
_MOST_COLUMNS = 14


def verdict_line(verdict: Verdict, block_width: int, name_width: int) -> Line:
    """One line for a case: the verdict, the block, the name, how long it ran."""
    plan = verdict.plan
    word, role = _WORDS[verdict.status]
    name = plan.case.name
    if len(name) > name_width:
        name = name[: name_width - 1] + "…"
    time = shown_duration(plan.scans * plan.file.scan)
    amount = f"{plan.scans:,} scan{'' if plan.scans == 1 else 's'}"
    return [
        (f"  {word:<7}", role),
        (f"{plan.unit.name:<{block_width}}  ", "strong"),
        (f"{name:<{name_width}}  ", ""),
        (f"{amount:>12} {time:>8}", "dim"),
    ]


def failure_lines(verdict: Verdict, width: int) -> list[Line]:
    """What went wrong in a case: each moment with the row, the pin, and the values around it."""
    plan = verdict.plan
    word, role = _WORDS[verdict.status]
    lines: list[Line] = [
        [(word, role), (f"  {plan.unit.name}: {plan.case.name}", "strong")],
        [(f"       {plan.file.source.path}:{plan.file.source.line(plan.case.place.start)}", "dim")],
        [],
    ]
    moments = list(dict.fromkeys(miss.scan for miss in verdict.misses))
    for scan in moments[:_MOST_MOMENTS]:
        lines += _moment_head(verdict, [miss for miss in verdict.misses if miss.scan == scan])
        lines.append([])
        lines += _moment_lines(verdict, scan, width)
        lines.append([])
    rest = [miss for miss in verdict.misses if miss.scan in moments[_MOST_MOMENTS:]]
    if rest:
        noun = "value" if len(rest) == 1 else "values"
        first = shown_duration(rest[0].scan * plan.file.scan)
        lines += [[(f"  {len(rest)} more wrong {noun} from {first} on.", "warn")], []]
    if verdict.fault is not None:
        lines += _fault_lines(verdict, width)
    return lines


def _moment_head(verdict: Verdict, misses: Sequence[Miss]) -> list[Line]:
    """When and in which row something was wrong, then a line for each pin."""
    plan = verdict.plan
    source = _table_source(plan)
    lines: list[Line] = []
    row = -1
    for miss in misses:
        expectation = miss.expectation
        if expectation.row != row:
            row = expectation.row
            time = shown_duration(miss.scan * plan.file.scan)
            held = ""
            if miss.scan != expectation.first:
                held = f", which holds since {shown_duration(expectation.first * plan.file.scan)}"
            place = f"{source.path}:{source.line(expectation.cell.start)}"
            lines.append([(f"  At {time} (scan {miss.scan}), row {place}{held}", "strong")])
        got = shown(miss.got, miss.slot.type)
        since = "from the start"
        if miss.since is not None:
            since = f"since {shown_duration(miss.since * plan.file.scan)} (scan {miss.since})"
        lines.append(
            [
                ("    ", ""),
                (miss.slot.path, "name"),
                (" is ", ""),
                (got, "bad"),
                (f" and not {expectation.check.text}", ""),
                (f"; it is {got} {since}", "dim"),
            ]
        )
        near = _nearly(miss)
        if near:
            lines.append([(f"    {near}", "name")])
    return lines


def _nearly(miss: Miss) -> str:
    """What to write when a REAL misses only by its last digits."""
    check = miss.expectation.check
    if miss.slot.type.family != "real" or check.low != check.high or check.outside:
        return ""
    wanted, got = float(check.low), float(miss.got)
    if abs(got - wanted) > 1e-4 * max(abs(wanted), 1e-30):
        return ""
    return f"They differ by {abs(got - wanted):.2g}. To allow it, write {check.text}±{abs(wanted) * 1e-4 or 1e-9:.1g}."


def _table_source(plan: Plan) -> Any:
    return plan.case.vectors.source if plan.case.vectors is not None else plan.file.source


# --- the picture of a moment ---


def _columns(verdict: Verdict) -> list[Slot]:
    """The slots to show: those of the table, or all pins; what is wrong is always among them."""
    plan = verdict.plan
    found = list(plan.shown) or [s for s in slots(plan.unit) if s.is_pin]
    wrong = {m.slot.path for m in verdict.misses}
    while len(found) > _MOST_COLUMNS:
        spare = next((i for i in range(len(found) - 1, -1, -1) if found[i].path not in wrong), None)
        if spare is None:
            break
        del found[spare]
    return found


def _scans_to_show(verdict: Verdict, scan: int, reached: int) -> list[int]:
    plan = verdict.plan
    wanted = set(range(scan - _AROUND, scan + _AROUND + 1))
    rows = [s for s in plan.row_scans if s <= scan]
    wanted.update(rows[-3:])
    wanted.update([s for s in plan.row_scans if s > scan][:1])
    for miss in verdict.misses:
        if miss.scan == scan and miss.since is not None:
            wanted.update((miss.since - 1, miss.since))
    return sorted(s for s in wanted if 0 <= s < reached)


def _moment_lines(verdict: Verdict, scan: int, width: int) -> list[Line]:
    """The recorded values around a scan, as a table; wrong ones stand beside what was expected."""
    plan, trace = verdict.plan, verdict.trace
    assert trace is not None
    columns = _columns(verdict)
    wrong = {(m.scan, m.slot.path): m for m in verdict.misses}
    rows = _scans_to_show(verdict, scan, trace.scans)
    if not rows:
        return []
    cells = [[_cell(wrong.get((at, s.path)), s, trace.value(s, at)) for s in columns] for at in rows]
    heads = [s.path for s in columns]
    widths = [max(len(h), *(len(line[i][0]) for line in cells)) for i, h in enumerate(heads)]
    times = [shown_duration(at * trace.interval) for at in rows]
    time_width = max(4, *map(len, times))
    scan_width = max(4, len(str(rows[-1])))
    driven = sum(1 for s in columns if s.is_driven)
    lead = 4 + scan_width + 2 + time_width
    parts = _fold(widths, width - lead - 6)
    lines: list[Line] = []
    for part in parts:
        if lines:
            lines.append([])
        head: Line = [(f"    {'scan':>{scan_width}}  {'time':>{time_width}}", "dim")]
        for i in part:
            head += [
                (" │ " if i in (0, driven) or i == part[0] else "  ", "dim"),
                (f"{heads[i]:>{widths[i]}}", "strong"),
            ]
        lines.append(head)
        previous = rows[0] - 1 if rows[0] == 0 else rows[0]
        for line, at in enumerate(rows):
            if at - previous > 1 or (line == 0 and at > 0):
                lines.append([(f"    {'⋮':>{scan_width}}", "dim")])
            previous = at
            mark: Span = ("  ▶ ", "bad") if at == scan else ("    ", "")
            made: Line = [
                mark,
                (
                    f"{at:>{scan_width}}  {times[line]:>{time_width}}",
                    "strong" if at in plan.row_scans else "dim",
                ),
            ]
            for i in part:
                text, role = cells[line][i]
                made += [
                    (" │ " if i in (0, driven) or i == part[0] else "  ", "dim"),
                    (f"{text:>{widths[i]}}", role),
                ]
            lines.append(made)
    return lines


def _cell(miss: Miss | None, slot: Slot, value: Value) -> tuple[str, Role]:
    text = shown(value, slot.type)
    if miss is None:
        return text, ""
    wanted = miss.expectation.check.text
    return f"{text} ≠ {wanted}" if wanted[0] not in "!<>" else f"{text} not {wanted}", "bad"


def _fold(widths: Sequence[int], width: int) -> list[list[int]]:
    """Columns in groups that each fit ``width`` characters."""
    parts: list[list[int]] = [[]]
    used = 0
    for index, own in enumerate(widths):
        if parts[-1] and used + own + 3 > width:
            parts.append([])
            used = 0
        parts[-1].append(index)
        used += own + 3
    return parts


# --- faults ---


def _fault_lines(verdict: Verdict, width: int) -> list[Line]:
    fault, plan = verdict.fault, verdict.plan
    assert fault is not None
    site = fault.site
    time = shown_duration(fault.scan * plan.file.scan)
    where = f"{plan.unit.name}.{fault.instance}" if fault.instance else plan.unit.name
    lines: list[Line] = [
        [
            ("  ", ""),
            (site.kind[0].upper() + site.kind[1:], "bad"),
            (f" in {where}, at {time} (scan {fault.scan}). The scan stopped there.", ""),
        ],
        [(f"  {site.source.path}:{site.line}", "dim")],
    ]
    end = site.source.text.find("\n", site.start)
    word = site.source.text[site.start : end if end >= 0 else None].split(" ")[0]
    lines += marked_lines(site.source, site.start, site.start + max(1, len(word)), "bad")
    if verdict.trace is not None and verdict.trace.scans:
        lines.append([])
        lines += _moment_lines(verdict, verdict.trace.scans - 1, width)
    return [*lines, []]


# --- all of them ---


def summary_line(verdicts: Sequence[Verdict], not_run: int, seconds: float) -> Line:
    """How many cases there were and what came of them."""
    counts = {status: sum(v.status == status for v in verdicts) for status in _WORDS}
    total = len(verdicts) + not_run
    line: Line = [
        (f"{total:,} case{'' if total == 1 else 's'}: ", "strong"),
        (f"{counts['passed']:,} good", "good" if counts["passed"] else ""),
    ]
    if counts["failed"]:
        line += [(", ", ""), (f"{counts['failed']:,} wrong", "bad")]
    if counts["fault"]:
        line += [(", ", ""), (f"{counts['fault']:,} stopped by a fault", "bad")]
    if not_run:
        line += [(", ", ""), (f"{not_run:,} not run", "bad")]
    scans = sum(v.plan.scans for v in verdicts)
    time = shown_duration(sum(v.plan.scans * v.plan.file.scan for v in verdicts))
    line.append((f".  {scans:,} scans ({time} of machine time) in {seconds:.2f} s.", "dim"))
    return line


def verdict_data(verdict: Verdict) -> dict[str, Any]:
    """A verdict as plain data for JSON; durations are in nanoseconds, scans count from 0."""
    plan = verdict.plan
    source = _table_source(plan)
    data: dict[str, Any] = {
        "case": plan.id,
        "block": plan.unit.name,
        "name": plan.case.name,
        "file": plan.file.source.path,
        "line": plan.file.source.line(plan.case.place.start),
        "status": verdict.status,
        "scans": plan.scans,
        "scan_ns": plan.file.scan,
        "checks": plan.checks,
        "wrong": [
            {
                "pin": miss.slot.path,
                "scan": miss.scan,
                "time_ns": miss.scan * plan.file.scan,
                "expected": miss.expectation.check.text,
                "got": shown(miss.got, miss.slot.type),
                "since_scan": miss.since,
                "row_file": source.path,
                "row_line": source.line(miss.expectation.cell.start),
            }
            for miss in verdict.misses
        ],
        "fault": None,
    }
    if verdict.fault is not None:
        site = verdict.fault.site
        data["fault"] = {
            "kind": site.kind,
            "file": site.source.path,
            "line": site.line,
            "instance": verdict.fault.instance,
            "scan": verdict.fault.scan,
            "time_ns": verdict.fault.scan * plan.file.scan,
        }
    return data
