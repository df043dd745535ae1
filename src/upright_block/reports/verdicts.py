"""Verdicts as text and as data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.cases.plan import NotRun, ReadyCase
from upright_block.compiler.artifact import Slot
from upright_block.language.literals import Value, shown, shown_duration
from upright_block.language.source import Cell, Source
from upright_block.language.timebase import Timebase
from upright_block.language.types import Elementary
from upright_block.machine.trace import Fault
from upright_block.reports import words
from upright_block.reports.findings import finding_data, marked_lines
from upright_block.reports.grid import grid_lines
from upright_block.reports.rules import break_data, break_head, measure_data, moment
from upright_block.reports.styled import Line, Role
from upright_block.runs.verdict import Break, Miss, Verdict

_WORDS: dict[str, tuple[str, Role]] = {
    "passed": ("good", "good"),
    "failed": ("WRONG", "bad"),
    "fault": ("FAULT", "bad"),
    "checks nothing": ("nothing", "warn"),
}
_MOST_LINES = 12
_MOST_SAME = 8


def verdict_line(verdict: Verdict, block_width: int, name_width: int) -> Line:
    """One line for a case: the verdict, the block, the name, how long it ran."""
    case = verdict.case
    word, role = _WORDS[verdict.status]
    time = shown_duration(case.plan.timebase.time(case.plan.scans))
    return [
        (f"  {word:<7}", role),
        (f" {_cut(case.unit_name, block_width):<{block_width}}  ", "strong"),
        (f"{_cut(case.name, name_width):<{name_width}}  ", ""),
        (f"{case.plan.scans:>10,} {'scan ' if case.plan.scans == 1 else 'scans'} {time:>8}", "dim"),
    ]


def not_run_line(case: NotRun, block_width: int, name_width: int, width: int) -> Line:
    """One line for a case that could not be run, with the reason, as far as it fits ``width``."""
    return [
        (f"  {'NOT RUN':<7}", "bad"),
        (f" {_cut(case.unit_name, block_width):<{block_width}}  ", "strong"),
        (f"{_cut(case.name, name_width):<{name_width}}  ", ""),
        (_cut(case.reason, max(20, width - block_width - name_width - 15)), "dim"),
    ]


def _cut(text: str, width: int) -> str:
    return text if len(text) <= width else text[: max(0, width - 1)] + "…"


def failure_lines(verdict: Verdict, width: int) -> list[Line]:
    """What went wrong in a case: the first moment in full, a line for each later one, and a fault."""
    case = verdict.case
    word, role = _WORDS[verdict.status]
    lines: list[Line] = [
        [(word, role), (f"  {case.unit_name}: {case.name}", "strong")],
        [(f"       {case.file.source.shown_line(case.written.place.start)}", "dim")],
        [],
    ]
    first = [miss for miss in verdict.misses if miss.scan == verdict.misses[0].scan]
    if first:
        lines += _moment_head(verdict, first)
        lines.append([])
        lines += _moment_lines(verdict, first[0].scan, width)
        lines.append([])
    lines += _break_lines(verdict, bool(first), width)
    later = verdict.misses[len(first) :]
    if later:
        lines += [_later_line(verdict, miss) for miss in later[:_MOST_LINES]]
        left = verdict.wrong - len(first) - min(len(later), _MOST_LINES)
        if left:
            lines.append([(f"  {left:,} more wrong value{'' if left == 1 else 's'} after that.", "warn")])
        lines.append([])
    if verdict.fault is not None:
        lines += _fault_lines(verdict, width)
    if verdict.about_run:
        lines += [[("  ", ""), (verdict.about_run, "bad")], []]
        if not verdict.misses and not verdict.breaks and verdict.fault is None:
            lines += [*_moment_lines(verdict, case.plan.scans - 1, width), []]
    return lines


def wrong_data(verdict: Verdict, found: Miss | Break | Fault) -> dict[str, Any]:
    """What is wrong in a case, as the entry of it that `verdict_data` has."""
    if isinstance(found, Miss):
        return _miss_data(verdict, found)
    return break_data(verdict, found) if isinstance(found, Break) else fault_data(found, verdict.case.plan.timebase)


def wrong_lines(verdict: Verdict, found: Miss | Break | Fault) -> list[Line]:
    """What is wrong in a case; what stopped it stands elsewhere."""
    if isinstance(found, Miss):
        source = _table_source(verdict.case)
        place = source.shown_line(_cell_of(verdict.case, found).start)
        return [[(f"expected {found.check.text}", "bad"), (f"   {place}", "dim")]]
    return [*break_head(verdict.case, found), []] if isinstance(found, Break) else []


def _break_lines(verdict: Verdict, has_moment: bool, width: int) -> list[Line]:
    """What rules and timing rows found: the first with what surrounds it, where no wrong cell has shown that, a line
    for others.
    """
    lines: list[Line] = []
    for number, found in enumerate(verdict.breaks[:_MOST_LINES]):
        lines += break_head(verdict.case, found)
        if number == 0 and not has_moment:
            lines += [[], *_moment_lines(verdict, found.scan, width), []]
    left = verdict.broken - min(len(verdict.breaks), _MOST_LINES)
    if left:
        lines.append([(f"  {left:,} more after that.", "warn")])
    return [*lines, []] if lines else []


def _later_line(verdict: Verdict, miss: Miss) -> Line:
    """A wrong value in one line."""
    source = _table_source(verdict.case)
    line = source.line(_cell_of(verdict.case, miss).start)
    return [
        (f"  then at {moment(verdict.case, miss.scan)}, line {line}: ", ""),
        (_called(verdict.case, miss.slot.path), "name"),
        (" is ", ""),
        (shown(miss.got, miss.slot.type), "bad"),
        (f" and {words.instead(miss.check.text)}", ""),
        (_differing_bits(miss, "  "), "dim"),
    ]


def _called(case: ReadyCase, path: str) -> str:
    """A path as the table of a case has it: where that is a second name of a tag, this and the path."""
    name = dict(case.called).get(path)
    return f"{name} ({path})" if name else path


def _cell_of(case: ReadyCase, miss: Miss) -> Cell:
    assert case.written.vectors is not None
    return case.written.vectors.cell(miss.row, miss.column)


def _moment_head(verdict: Verdict, misses: Sequence[Miss]) -> list[Line]:
    """When and in which row something was wrong, then a line for each pin."""
    case = verdict.case
    source = _table_source(case)
    lines: list[Line] = []
    row = -1
    for miss in misses:
        if miss.row != row:
            row = miss.row
            first = case.plan.row_scans[row]
            held = f", which holds since {shown_duration(case.plan.timebase.time(first))}" if miss.scan != first else ""
            place = source.shown_line(_cell_of(case, miss).start)
            lines.append([(f"  At {moment(case, miss.scan)}, row {place}{held}", "strong")])
        got = shown(miss.got, miss.slot.type)
        since = "from the start" if miss.since is None else f"since {moment(case, miss.since)}"
        lines.append(
            [
                ("    ", ""),
                (_called(verdict.case, miss.slot.path), "name"),
                (" is ", ""),
                (got, "bad"),
                (f" and {words.instead(miss.check.text)}", ""),
                (f"; it is {got} {since}", "dim"),
                (_differing_bits(miss, "; "), "dim"),
                (_writer(verdict, miss), "dim"),
            ]
        )
        near = _nearly(miss)
        if near:
            lines.append([(f"    {near}", "name")])
    return lines


def _writer(verdict: Verdict, miss: Miss) -> str:
    """Where the value was written, if that is known."""
    site = verdict.moments.writers.get(miss.slot.path)
    return f"; written in {site.shown_line}" if site else ""


def _is_one_value(miss: Miss) -> bool:
    return miss.check.low == miss.check.high and not miss.check.outside


def _nearly(miss: Miss) -> str:
    """What to write when a REAL misses only by its last digits."""
    if miss.slot.type.family != "real" or not _is_one_value(miss):
        return ""
    wanted, got = float(miss.check.low), float(miss.got)
    if not abs(got - wanted) <= 1e-4 * max(abs(wanted), 1e-30):
        return ""
    return (
        f"They differ by {abs(got - wanted):.2g}. To allow it, write "
        f"{miss.check.text}±{abs(wanted) * 1e-4 or 1e-9:.1g}."
    )


def _differing_bits(miss: Miss, lead: str) -> str:
    """The bits in which a bit string differs from the one that was expected."""
    if miss.slot.type.family != "bits" or not _is_one_value(miss):
        return ""
    different = int(miss.got) ^ int(miss.check.low)
    bits = [str(bit) for bit in range(different.bit_length()) if different >> bit & 1]
    what = ", ".join(bits[:8]) + (f" and {len(bits) - 8} more" if len(bits) > 8 else "")
    return f"{lead}bit{'' if len(bits) == 1 else 's'} {what}"


def _table_source(case: ReadyCase) -> Source:
    return case.written.vectors.source if case.written.vectors is not None else case.file.source


# --- the picture of a moment ---


def _moment_lines(verdict: Verdict, scan: int, width: int) -> list[Line]:
    """The recorded values around a scan, as a table; wrong ones stand beside what was expected.

    Inputs come first, then what is wrong, then the others; what has one value in all rows is named below.
    """
    case, moments = verdict.case, verdict.moments
    wrong = {(m.scan, m.slot.path): m for m in verdict.misses}
    pins = {m.slot.path for m in verdict.misses if m.scan == scan}
    pins |= {path for found in verdict.breaks[:1] if found.scan == scan for path in found.watched.named}
    rows = _rows_to_show(sorted(moments.after), scan)
    order = sorted(
        range(len(moments.slots)),
        key=lambda i: 0 if moments.slots[i].is_driven else 1 if moments.slots[i].path in pins else 2,
    )
    same = {i for i in order if len({repr(moments.after[scan_at][i]) for scan_at in rows}) == 1 and len(rows) > 1}
    kept = [i for i in order if i not in same or moments.slots[i].path in pins]
    pins_shown = [moments.slots[i] for i in kept]
    cells = [
        [_cell(wrong.get((scan_at, moments.slots[i].path)), moments.slots[i], moments.after[scan_at][i]) for i in kept]
        for scan_at in rows
    ]
    names = [_called(case, pin.path) for pin in pins_shown]
    lines = grid_lines(case.plan, rows, pins_shown, cells, width, scan, names=names)
    left = [
        (_called(case, moments.slots[i].path), shown(moments.after[rows[0]][i], moments.slots[i].type))
        for i in order
        if i in same and i not in kept
    ]
    if left:
        named = ", ".join(f"{path} {value}" for path, value in left[:_MOST_SAME])
        more = f" and {len(left) - _MOST_SAME} more" if len(left) > _MOST_SAME else ""
        lines.append([(f"    the same in these rows: {named}{more}", "dim")])
    return lines


def _rows_to_show(scans: Sequence[int], scan: int) -> list[int]:
    """Those of the recorded scans that lie around ``scan``: the moments of a fault may lie far from it."""
    near = [other for other in scans if other <= scan][-9:]
    return near + [other for other in scans if other > scan][:3]


def _cell(miss: Miss | None, slot: Slot, value: Value) -> tuple[str, Role]:
    text = shown(value, slot.type)
    if miss is None:
        return text, ""
    wanted = miss.check.text
    if isinstance(slot.type, Elementary) and slot.type.family == "bits" and _is_one_value(miss):
        wanted = shown(miss.check.low, slot.type)
    return f"{text} ≠ {wanted}" if wanted[0] not in "!<>≥≤≠" else f"{text} {words.instead(wanted)}", "bad"


# --- faults ---


def _fault_lines(verdict: Verdict, width: int) -> list[Line]:
    fault, case = verdict.fault, verdict.case
    assert fault is not None
    site = fault.site
    where = f"{case.unit_name}.{fault.instance}" if fault.instance else case.unit_name
    lines: list[Line] = [
        [
            ("  ", ""),
            (site.kind[0].upper() + site.kind[1:], "bad"),
            (f" in {where}, at {moment(case, fault.scan)}. The scan stopped there.", ""),
        ],
        [(f"  {site.shown_line}", "dim")],
    ]
    end = site.source.text.find("\n", site.start)
    word = site.source.text[site.start : end if end >= 0 else None].split(" ")[0]
    lines += marked_lines(site.source, site.start, site.start + max(1, len(word)), "bad")
    return [*lines, [], *_moment_lines(verdict, fault.scan, width), []]


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
    if counts["checks nothing"]:
        verb = "checks" if counts["checks nothing"] == 1 else "check"
        line += [(", ", ""), (f"{counts['checks nothing']:,} {verb} nothing", "warn")]
    if not_run:
        line += [(", ", ""), (f"{not_run:,} not run", "bad")]
    scans = sum(v.case.plan.scans for v in verdicts)
    time = shown_duration(sum(v.case.plan.timebase.time(v.case.plan.scans) for v in verdicts))
    amount = f"{scans:,} scan{'' if scans == 1 else 's'}"
    line.append((f".  {amount} ({time} of machine time) in {seconds:.2f} s.", "dim"))
    return line


def verdict_data(verdict: Verdict) -> dict[str, Any]:
    """A verdict as plain data for JSON, as `docs/cases.md` tells; durations are in ns, scans count from 0."""
    case = verdict.case
    data: dict[str, Any] = {
        "case": case.id,
        "block": case.unit_name,
        "name": case.name,
        "file": case.file.source.path,
        "line": case.file.source.line(case.written.place.start),
        "status": verdict.status,
        "scans": case.plan.scans,
        "scan_ns": case.plan.timebase.period if case.plan.timebase.is_even else None,
        "checks": case.plan.checks,
        "checked": verdict.checked,
        "wrong_count": verdict.wrong,
        "wrong": [_miss_data(verdict, miss) for miss in verdict.misses],
        "fault": None,
        "expected_fault": case.written.expect_fault or None,
        "broken_count": verdict.broken,
        "broken": [break_data(verdict, found) for found in verdict.breaks],
        "measured": [measure_data(measure) for measure in verdict.measures],
    }
    if verdict.fault is not None:
        data["fault"] = fault_data(verdict.fault, case.plan.timebase)
    return data


def fault_data(fault: Fault, timebase: Timebase) -> dict[str, Any]:
    """What stopped a scan, as plain data."""
    return {
        "kind": fault.site.kind,
        "file": fault.site.source.path,
        "line": fault.site.line,
        "instance": fault.instance,
        "scan": fault.scan,
        "time_ns": timebase.time(fault.scan),
    }


def _miss_data(verdict: Verdict, miss: Miss) -> dict[str, Any]:
    case = verdict.case
    writer = verdict.moments.writers.get(miss.slot.path) if miss.scan == verdict.misses[0].scan else None
    source = _table_source(case)
    return {
        "pin": miss.slot.path,
        "type": str(miss.slot.type),
        "scan": miss.scan,
        "time_ns": case.plan.timebase.time(miss.scan),
        "got": _value_data(miss.got),
        "got_text": shown(miss.got, miss.slot.type),
        "expected": {
            "low": _value_data(miss.check.low),
            "high": _value_data(miss.check.high),
            "outside": miss.check.outside,
        },
        "expected_text": miss.check.text,
        "since_scan": miss.since,
        "written_file": writer.source.path if writer else None,
        "written_line": writer.line if writer else None,
        "row_file": source.path,
        "row_line": source.line(_cell_of(case, miss).start),
    }


def _value_data(value: Value) -> Value | None:
    """A value as JSON has it: what is no number, and a limit that is none, are texts."""
    if isinstance(value, float) and (value != value or value in (float("inf"), float("-inf"))):
        return "NaN" if value != value else "Infinity" if value > 0 else "-Infinity"
    return value


def not_run_data(case: NotRun) -> dict[str, Any]:
    """A case that could not be run, as plain data for JSON, with its findings."""
    return {
        "case": case.id,
        "block": case.unit_name,
        "name": case.name,
        "file": case.source.path,
        "line": case.source.line(case.start),
        "status": "not run",
        "reason": case.reason,
        "findings": [finding_data(finding) for finding in case.findings],
    }
