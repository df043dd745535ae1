"""The result of a run as one page that works by itself: data in JSON, and a script that draws them."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from html import escape
from importlib.resources import files
from itertools import groupby, pairwise
from math import gcd
from typing import Any

from upright_block.cases.plan import NotRun
from upright_block.coverage.collected import UnitCoverage
from upright_block.language.literals import shown, shown_duration
from upright_block.reasons.tree import Answer
from upright_block.reports.coverage import page_data
from upright_block.reports.diagrams import case_diagram, limits
from upright_block.reports.findings import finding_list
from upright_block.reports.lanes import Dimension, Lane, places_below, sides
from upright_block.reports.styled import Line, plain, visible
from upright_block.reports.verdicts import failure_lines, summary_line
from upright_block.reports.why import why_lines
from upright_block.runs.verdict import Miss, Verdict

MOST_CHANGES = 2_048
"""Changes of a lane that a page keeps; of more those that can be seen."""
MOST_ROWS = 200
"""Rows of a table that a page shows."""
_MOST_MARKS = 200
_WIDTH = 130
_MARK = re.compile(r"\{(title|style|data|reading|script)\}")


def page_text(
    stamp: Mapping[str, str],
    verdicts: Sequence[Verdict],
    not_run: Sequence[NotRun],
    seconds: float,
    covered: Sequence[UnitCoverage] = (),
    answers: Mapping[str, Answer] | None = None,
    inside: Mapping[str, Sequence[str]] | None = None,
) -> str:
    """The page: ``stamp`` says of what it is; ``answers`` are by the id of a case, ``inside`` has the names of the
    blocks that a unit uses, by its own. Verdicts need their tracks.
    """
    reasons = answers or {}
    used = inside or {}
    data = {
        "stamp": stamp,
        "inside": {visible(name): [visible(each) for each in blocks] for name, blocks in used.items()},
        "verdict": plain(summary_line(verdicts, len(not_run), seconds)),
        "cases": [*(_case(each, reasons.get(each.case.id)) for each in verdicts), *map(_not_run, not_run)],
        "coverage": page_data(covered) if covered else None,
    }
    folder = files("upright_block.reports") / "page"
    parts = {
        "title": escape(f"{stamp['library']} {stamp['version']}".strip()),
        "style": (folder / "page.css").read_text("utf-8"),
        "reading": (folder / "data.js").read_text("utf-8"),
        "script": (folder / "page.js").read_text("utf-8"),
        # What ends a script, or begins a comment in it, stands as an escape.
        "data": json.dumps(data, separators=(",", ":"), allow_nan=False).replace("<", r"\u003c"),
    }
    return _MARK.sub(lambda found: parts[found[1]], (folder / "page.html").read_text("utf-8"))


def _case(verdict: Verdict, answer: Answer | None) -> dict[str, Any]:
    case, plan = verdict.case, verdict.case.plan
    data: dict[str, Any] = {
        **_head(case.id, case.unit_name, case.name, verdict.status),
        "file": case.file.source.path,
        "line": case.file.source.line(case.written.place.start),
        "text": _lines(failure_lines(verdict, _WIDTH)) if verdict.status in ("failed", "fault") else [],
        "why": [] if answer is None else _lines(why_lines(answer.node, answer.timebase, _WIDTH, show_all=True)),
        "scans": plan.scans,
        "scan": plan.timebase.period // len(plan.timebase.starts),
    }
    assert verdict.tracks is not None
    if not verdict.tracks.end:
        return data | {
            "end": 0,
            "lanes": [],
            "timing": [],
            "table": None,
            "dims": [],
            "rules": [],
            "rows": [],
            "idle": [],
        }
    diagram = case_diagram(verdict)
    below = places_below(diagram)
    times = [time for lane in diagram.lanes for time in (*lane.starts, *(mark.time for mark in lane.marks))]
    tick = gcd(*times, *diagram.rows) or 1
    return data | {
        "end": diagram.end,
        "tick": tick,
        "lanes": [_lane(lane, tick) for lane in diagram.lanes],
        "dims": [_dimension(row, place) for row, place in zip(diagram.dimensions, below, strict=True)],
        "rules": [[visible(rule.text), rule.broken] for rule in diagram.rules],
        "rows": _runs(row // tick for row in diagram.rows),
        "idle": diagram.idle,
        "fault": diagram.fault,
        "timing": _timing(verdict),
        "table": _table(verdict),
    }


def _not_run(case: NotRun) -> dict[str, Any]:
    text: list[Line] = [[(visible(case.reason), "strong")], [], *finding_list(case.findings, show_all=True)]
    return {
        **_head(case.id, case.unit_name, case.name, "not run"),
        "file": case.source.path,
        "line": case.source.line(case.start),
        "text": _lines(text),
    }


def _head(id_: str, block: str, name: str, status: str) -> dict[str, Any]:
    return {"id": visible(id_), "block": visible(block), "name": visible(name), "status": status}


def _lines(lines: Iterable[Line]) -> list[list[tuple[str, str]]]:
    """Lines with their roles, neighbours of one role together."""
    return [
        [(visible("".join(text for text, _ in spans)), role) for role, spans in groupby(line, lambda span: span[1])]
        for line in lines
    ]


def _lane(lane: Lane, tick: int) -> dict[str, Any]:
    """A lane in short: ``t`` its times in ticks and ``r`` its values as runs, or ``v`` as they are; with ``d`` they are
    ns.
    """
    wrong = [mark for mark in lane.marks if not mark.is_right]
    data: dict[str, Any] = {"p": lane.path, "g": lane.group, "n": lane.name, "k": lane.kind, "u": lane.unit}
    data |= {
        "i": int(lane.is_driven),
        "d": int(lane.is_time),
        "b": [lane.low, lane.high],
        "s": sides(lane),
        "z": int(lane.is_thinned),
        "t": _runs(start // tick for start in lane.starts),
    }
    if lane.kind == "states":
        names = list(dict.fromkeys(lane.texts))
        numbers = {name: number for number, name in enumerate(names)}
        data |= {"x": [visible(name) for name in names], "r": _runs(numbers[text] for text in lane.texts)}
    else:
        if all(value.is_integer() and abs(value) < 1 << 53 for value in lane.values):
            data |= {"r": _runs(map(int, lane.values))}
        else:
            data |= {"v": [_number(value) for value in lane.values]}
    first = {begin: begin for begin, _ in lane.wrong}
    return data | {
        "c": _runs(mark.time // tick for mark in lane.marks if mark.is_right),
        "w": lane.wrong[:_MOST_MARKS],
        "m": [
            [
                mark.time,
                mark.until,
                visible(mark.check.text),
                next((begin for begin in first if mark.time <= begin < mark.until), mark.time),
                mark.level,
                visible(mark.got),
            ]
            for mark in wrong[:_MOST_MARKS]
        ],
    }


def _number(value: float) -> float | str:
    """A number as JSON has it; what is none, or infinite, is a text."""
    return value if value - value == 0 else str(value)


def _runs(numbers: Iterable[int]) -> list[int]:
    """Numbers as runs of one difference: by how much, and how often; a time that runs on is one of them."""
    found = [0, *numbers]
    return [part for by, run in groupby(b - a for a, b in pairwise(found)) for part in (by, len(list(run)))]


def _dimension(row: Dimension, below: int) -> dict[str, Any]:
    """A timing row, with the number of the lane that it stands below; less than zero behind all."""
    spans = [[span.begin, span.end, int(span.is_right), span.text] for span in row.spans]
    return {"name": visible(row.name), "limits": visible(row.limits), "below": below, "spans": spans}


def _timing(verdict: Verdict) -> list[list[str]]:
    """What the timing rows of a case measured, a row each."""
    found: list[list[str]] = []
    for measure in verdict.measures:
        watched = measure.watched
        if not watched.is_of_block:
            times = [
                "" if time is None else shown_duration(time) for time in (measure.least, measure.middle, measure.most)
            ]
            cells = [watched.row.name.text, limits(watched.row), f"{measure.events:,}", f"{measure.answered:,}", *times]
            found.append([visible(cell) for cell in cells])
    return found


def _table(verdict: Verdict) -> dict[str, Any] | None:
    """The table of a case: all of its rows, or the first ones and those around what was wrong first."""
    table = verdict.case.written.vectors
    if table is None or not table.rows:
        return None
    rows = range(table.rows)
    if len(rows) > MOST_ROWS:
        first = verdict.misses[0].row if verdict.misses else 0
        half = MOST_ROWS // 2
        rows = range(
            max(0, min(first - half, table.rows - MOST_ROWS)), min(table.rows, max(first - half, 0) + MOST_ROWS)
        )
    misses: dict[int, list[Miss]] = {}
    for miss in verdict.misses:
        misses.setdefault(miss.row, []).append(miss)
    wrong = {
        line: [[miss.column, visible(shown(miss.got, miss.slot.type))] for miss in misses[row]]
        for line, row in enumerate(rows)
        if row in misses
    }
    return {
        "heads": [visible(head.text) for head in table.heads],
        "rows": [[visible(cell.text) for cell in table.split(table.starts[row])] for row in rows],
        "misses": wrong,
        "left": table.rows - len(rows),
    }
