"""Coverage as a table, as lines of sources, and as plain data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upright_block.cases.coverage import Spot, UnitCoverage
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line

_MOST_MISSED = 60


def coverage_lines(covered: Sequence[UnitCoverage], show_all: bool, width: int) -> list[Line]:
    """A line a unit, and the places that no case reached."""
    rows = [
        [f"  {unit.unit.full_name}", f"{unit.cases:,}", *(_share(*unit.counts(kind)) for kind in (False, True))]
        for unit in covered
    ]
    total = [
        [sum(numbers) for numbers in zip(*(unit.counts(kind) for unit in covered), strict=True)]
        for kind in (False, True)
    ]
    rows.append(["  all", "", *(_share(*(sums or [0, 0])) for sums in total)])
    lines = column_lines(("  coverage", "cases", "statements", "branches"), rows, width, ("name",))
    missed = [spot for unit in covered for spot in unit.missed]
    if not missed:
        return lines
    lines += [[], [("  never reached", "strong")]]
    for spot in missed if show_all else missed[:_MOST_MISSED]:
        text = spot.source.line_text(spot.line).strip()
        lines.append([(f"  {spot.source.shown_line(spot.start)}  ", "dim"), (text, ""), (_way(spot), "warn")])
    if len(missed) > _MOST_MISSED and not show_all:
        lines.append([(f"  {len(missed) - _MOST_MISSED:,} more: --all shows all.", "warn")])
    return lines


def _share(reached: int, known: int) -> str:
    if not known:
        return ""
    return f"{reached:,} of {known:,}  {100 * reached // known}%"


def _way(spot: Spot) -> str:
    """How a way of a branch is said; nothing for a statement."""
    if not spot.way:
        return ""
    return f"   never {spot.way}"


def coverage_data(covered: Sequence[UnitCoverage]) -> list[dict[str, Any]]:
    """The same as plain data for JSON."""
    return [
        {
            "unit": unit.unit.full_name,
            "file": unit.unit.source.path,
            "cases": unit.cases,
            "statements": dict(zip(("reached", "known"), unit.counts(False), strict=True)),
            "branches": dict(zip(("reached", "known"), unit.counts(True), strict=True)),
            "missed": [
                {"way": spot.way, **spot.source.place(spot.start)} for spot in unit.spots if not spot.is_reached
            ],
        }
        for unit in covered
    ]
