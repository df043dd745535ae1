"""What rules and timing rows found and measured, as lines of text and as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from upright_block.cases.plan import ReadyCase
from upright_block.language.literals import shown_duration
from upright_block.reports.styled import Line
from upright_block.runs.verdict import Break, Measure, Verdict

if TYPE_CHECKING:
    from upright_block.cases.rules import Rule


def moment(case: ReadyCase, scan: int) -> str:
    """The time and the number of a scan."""
    return f"{shown_duration(case.plan.timebase.time(scan))} (scan {scan})"


def break_head(case: ReadyCase, found: Break) -> list[Line]:
    """When something was not as a rule or a row says, where that stands, and what it is."""
    from upright_block.cases.watch import WatchedRule

    watched = found.watched
    if isinstance(watched, WatchedRule):
        place, name = watched.rule.expression, ""
    else:
        place, name = watched.row.name, f"{watched.row.name.text}: "
    lead: Line = [(f"  At {moment(case, found.scan)}, {place.source.shown_line(place.start)}", "strong")]
    says = found.says[0].lower() + found.says[1:] if name else found.says
    inside = f" in {watched.path}" if watched.path else ""
    since = "" if found.begun is None else f", counted from {moment(case, found.begun)}"
    return [lead, [("    ", ""), (name, "name"), (says, "bad"), (inside, "name"), (since, "dim"), (".", "")]]


def measure_lines(verdict: Verdict) -> list[Line]:
    """What the timing rows of a case measured, a line each."""
    lines: list[Line] = []
    own = [measure for measure in verdict.measures if not measure.watched.is_of_block]
    width = max((len(measure.watched.row.name.text) for measure in own), default=0)
    for measure in own:
        times = f"{measure.events:,} time{'' if measure.events == 1 else 's'}"
        line: Line = [(f"             {measure.watched.row.name.text:<{width}}  {times}", "dim")]
        if measure.answered and measure.answered != measure.events:
            line.append((f", {measure.answered:,} answered", "dim"))
        if measure.least is not None and measure.middle is not None and measure.most is not None:
            least, middle, most = map(shown_duration, (measure.least, measure.middle, measure.most))
            scans = (scan for scan in (measure.least_at, measure.most_at) if scan is not None)
            ends = [f", first ended at {moment(verdict.case, scan)}" for scan in scans]
            if measure.least == measure.most:
                line.append((f", {least}{' each' if measure.answered > 1 else ''}", "dim"))
            else:
                line.append((f": shortest {least}{ends[0]}; longest {most}{ends[1]}; median {middle}", "dim"))
        lines.append(line)
    return lines


def unarmed_rules(verdicts: Sequence[Verdict]) -> list[Rule]:
    """The rules at the head of a file or of a block that were judged in no scan of any case."""
    never: dict[int, Rule] = {}
    armed: set[int] = set()
    for verdict in verdicts:
        if verdict.case.watch.rules and verdict.status != "fault":
            own = {id(rule): rule for rule in verdict.unarmed}
            never |= own
            armed.update(id(w.rule) for w in verdict.case.watch.rules if id(w.rule) not in own)
    return [rule for key, rule in never.items() if key not in armed]


def unarmed_lines(verdicts: Sequence[Verdict]) -> list[Line]:
    """A line for each of `unarmed_rules`."""
    from upright_block.cases.rules import shown_rule

    return [
        [
            (f"Judged in no scan of any case: {shown_rule(rule)}", "warn"),
            (f"  {rule.expression.source.shown_line(rule.expression.start)}", "dim"),
        ]
        for rule in unarmed_rules(verdicts)
    ]


def unarmed_data(verdicts: Sequence[Verdict]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    from upright_block.cases.rules import shown_rule

    return [
        {"rule": shown_rule(rule), **rule.expression.source.place(rule.expression.start)}
        for rule in unarmed_rules(verdicts)
    ]


def break_data(verdict: Verdict, found: Break) -> dict[str, Any]:
    """A break as plain data for JSON."""
    from upright_block.cases.rules import shown_rule
    from upright_block.cases.watch import WatchedRule

    watched, timebase = found.watched, verdict.case.plan.timebase
    place = watched.rule.expression if isinstance(watched, WatchedRule) else watched.row.name
    return {
        "rule": shown_rule(watched.rule) if isinstance(watched, WatchedRule) else watched.row.name.text,
        "kind": "rule" if found.kind == "broken" else found.kind,
        "scan": found.scan,
        "time_ns": timebase.time(found.scan),
        "from_scan": found.begun,
        "says": found.says,
        "instance": watched.path,
        **place.source.place(place.start),
    }


def measure_data(measure: Measure) -> dict[str, Any]:
    """What a row measured as plain data for JSON."""
    row = measure.watched.row
    return {
        "name": row.name.text,
        "events": measure.events,
        "answered": measure.answered,
        "least_ns": measure.least,
        "middle_ns": measure.middle,
        "most_ns": measure.most,
        "least_scan": measure.least_at,
        "most_scan": measure.most_at,
        **row.name.source.place(row.name.start),
    }
