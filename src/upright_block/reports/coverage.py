"""Coverage as a table, as marked lines of sources, and as plain data."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any

from upright_block.asking import asked
from upright_block.coverage.collected import KINDS, Shortfall, Spot, UnitCoverage
from upright_block.coverage.gaps import Gap
from upright_block.library.floors import REACHED
from upright_block.library.manifest import FILE_NAME
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line, Role, visible

_MOST_MISSED = 60
_MOST_NAMED = 3
_HEADS = dict(zip(KINDS, REACHED, strict=True))
_END = re.compile(r"^[ \t]*END_(?:FUNCTION_BLOCK|FUNCTION|PROGRAM|CLASS)\b", re.IGNORECASE | re.MULTILINE)
_MARKS: dict[str, Role] = {"●": "good", "◐": "warn", "○": "bad", " ": ""}


def coverage_lines(covered: Sequence[UnitCoverage], show_all: bool, width: int) -> list[Line]:
    """A line a unit, and the places that no case reached."""
    kinds = [kind for kind in KINDS if any(unit.counts(kind)[1] for unit in covered)]
    rows = [
        [f"  {unit.unit.full_name}", f"{unit.cases:,}", *(_share(*unit.counts(kind)) for kind in kinds)]
        for unit in covered
    ]
    total = [[sum(numbers) for numbers in zip(*(u.counts(kind) for u in covered), strict=True)] for kind in kinds]
    rows.append(["  all", "", *(_share(*sums) for sums in total)])
    heads = ("  coverage", "cases", *(_HEADS[kind] for kind in kinds))
    lines = column_lines(heads, rows, width, ("name",))
    missed = [place for unit in covered for place in _missed_lines(unit)]
    if missed:
        lines += [[], [("  never reached", "strong")], *(missed if show_all else missed[:_MOST_MISSED])]
        if len(missed) > _MOST_MISSED and not show_all:
            lines.append([(f"  {len(missed) - _MOST_MISSED:,} more: {asked('show_all')} shows all.", "warn")])
    computed = [place for unit in covered for place in unit.computed]
    if computed:
        lines += [[], [("  states that are computed, whose transitions are not counted", "strong")]]
        for place in computed if show_all else computed[:_MOST_MISSED]:
            where = place.source.shown_line(place.start)
            lines.append([(f"  {where}  ", "dim"), (place.source.line_text(place.line).strip(), "")])
    return lines


def _missed_lines(unit: UnitCoverage) -> Iterator[Line]:
    """The lines of a unit of which something was not reached, with what of them."""
    for (source, line), found in groupby(unit.missed, lambda spot: (spot.source, spot.line)):
        spots = list(found)
        text, missing = source.line_text(line).strip(), _all_missing(spots)
        shown: Line = [(f"  {source.shown_line(spots[0].start)}  ", "dim"), (text, "")]
        yield [*shown, (f"   {missing}", "warn")] if missing else shown


def _share(reached: int, known: int) -> str:
    return f"{reached:,} of {known:,} {100 * reached // known:>3}%" if known else ""


def _all_missing(spots: Sequence[Spot]) -> str:
    """What of the spots of a line was not reached, besides the statement itself."""
    parts = [f"never {spot.way}" for spot in spots if spot.kind == "branch"]
    parts += [f"{spot.kind} {spot.way}" for spot in spots if spot.kind in ("state", "transition")]
    timers = [spot.way for spot in spots if spot.kind == "timer"]
    more = f" and {len(timers) - _MOST_NAMED} more" if len(timers) > _MOST_NAMED else ""
    parts += [f"{', '.join(timers[:_MOST_NAMED])}{more} never ran out"] if timers else []
    return ", ".join(dict.fromkeys(parts))


def gap_lines(found: Sequence[Gap], show_all: bool) -> Iterator[Line]:
    """For each gap where it is, what would have to be, and the case that comes nearest with what it has there."""
    yield [("  what the cases would have to do", "strong")]
    for gap in found if show_all else found[:_MOST_MISSED]:
        spot = gap.spots[0]
        source, missing = spot.source, _all_missing(gap.spots)
        head: Line = [(f"  {source.shown_line(spot.start)}  ", "dim"), (source.line_text(spot.line).strip(), "")]
        yield [*head, (f"   {missing}", "warn")] if missing else head
        yield [(f"      {gap.says or 'no case runs it'}", "")]
        if gap.nearest:
            values = "; ".join(f"{path} {text}" for path, text in gap.values)
            yield [("      nearest: ", "dim"), (gap.nearest, "name"), (f": {values}" if values else "", "dim")]
    if len(found) > _MOST_MISSED and not show_all:
        yield [(f"  {len(found) - _MOST_MISSED:,} more: {asked('show_all')} shows all.", "warn")]


def gap_data(found: Sequence[Gap]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    return [
        {
            "kind": gap.spots[0].kind,
            "ways": [spot.way for spot in gap.spots],
            "says": gap.says,
            "nearest": gap.nearest or None,
            "values": dict(gap.values),
            **gap.spots[0].source.place(gap.spots[0].start),
        }
        for gap in found
    ]


def instance_coverage_lines(covered: Sequence[UnitCoverage], width: int) -> list[Line]:
    """A line for each instance in a program or a configuration that cases ran."""
    rows = [
        [f"  {each.path}", unit.unit.full_name, each.subject, _share(*each.statements), _share(*each.branches)]
        for unit in covered
        for each in unit.instances
    ]
    if not rows:
        return [[("  No case for a program or a configuration ran an instance.", "warn")]]
    return column_lines(("  instance", "block", "in", "statements", "branches"), sorted(rows), width, ("name",))


def shortfall_lines(found: Sequence[Shortfall]) -> Iterator[Line]:
    """A line for each unit below a floor, and for each floor that fits none."""
    for short in found:
        if short.unit is None:
            yield [(f"{FILE_NAME}: the floor of {short.floor.pattern} fits no unit that can be run.", "bad")]
            continue
        reached, known = short.unit.counts(KINDS[REACHED.index(short.kind)])
        least = short.floor.least[short.kind]
        yield [
            (f"{short.unit.unit.full_name}: {_share(reached, known)} of its {short.kind}", "bad"),
            (f"; the floor of {short.floor.pattern} is {least:g}%.", ""),
        ]


def shortfall_data(found: Sequence[Shortfall]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    return [
        {
            "unit": short.unit.unit.full_name if short.unit else None,
            "kind": short.kind,
            "floor": short.floor.pattern,
            "least_percent": short.floor.least.get(short.kind),
        }
        for short in found
    ]


def marked_source_lines(unit: UnitCoverage) -> Iterator[Line]:
    """The text of a unit with a mark at each line: reached, in part, or never; with what is missing behind it."""
    yield [(f"{unit.unit.full_name}", "strong"), (f"  {unit.unit.source.name}", "dim")]
    for line, mark, text, missing in marked_source(unit):
        shown: Line = [(f"  {line:>5} ", "dim"), (mark, _MARKS[mark]), (f" {text}", "")]
        yield [*shown, (f"   {missing}", _MARKS[mark])] if missing else shown


def marked_source(unit: UnitCoverage) -> Iterator[tuple[int, str, str, str]]:
    """The lines of a unit: the number, the mark, the text, and what of it was not reached."""
    by_line: dict[int, list[Spot]] = {}
    for spot in unit.spots:
        if spot.source is unit.unit.source:
            by_line.setdefault(spot.line, []).append(spot)
    source, start = unit.unit.source, unit.unit.syntax.start
    last = max((spot.start for spot in unit.spots if spot.source is source), default=start)
    end = _END.search(source.text, last)
    for line in range(source.line(start), source.line(end.start() if end else last) + 1):
        spots = by_line.get(line, [])
        missing = _all_missing([spot for spot in spots if not spot.is_reached])
        yield line, mark_of(spots), source.line_text(line).rstrip(), missing


def mark_of(spots: Sequence[Spot]) -> str:
    """The mark of a line with some spots: all of them reached, some, none; none at all."""
    own = [spot.is_reached for spot in spots if spot.kind != "fault"]
    return " " if not own else "●" if all(own) else "◐" if any(own) else "○"


def page_data(covered: Sequence[UnitCoverage]) -> dict[str, Any]:
    """What a page shows of it: a table, and the marked text of each unit."""
    kinds = [kind for kind in KINDS if any(unit.counts(kind)[1] for unit in covered)]
    return {
        "heads": [_HEADS[kind] for kind in kinds],
        "units": [
            {
                "name": visible(unit.unit.full_name),
                "file": visible(unit.unit.source.path),
                "cases": unit.cases,
                "counts": [unit.counts(kind) for kind in kinds],
                "lines": [
                    [line, mark, visible(text.expandtabs(4)), visible(missing)]
                    for line, mark, text, missing in marked_source(unit)
                ],
            }
            for unit in covered
        ],
    }


def coverage_data(covered: Sequence[UnitCoverage]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    return [
        {
            "unit": unit.unit.full_name,
            "file": unit.unit.source.path,
            "cases": unit.cases,
            **{_HEADS[kind]: dict(zip(("reached", "known"), unit.counts(kind), strict=True)) for kind in KINDS},
            "missed": [
                {"kind": spot.kind, "way": spot.way, **spot.source.place(spot.start)}
                for spot in unit.spots
                if not spot.is_reached
            ],
            "instances": [
                {
                    "subject": each.subject,
                    "path": each.path,
                    "statements": dict(zip(("reached", "known"), each.statements, strict=True)),
                    "branches": dict(zip(("reached", "known"), each.branches, strict=True)),
                }
                for each in unit.instances
            ],
            "computed": [place.source.place(place.start) for place in unit.computed],
        }
        for unit in covered
    ]
