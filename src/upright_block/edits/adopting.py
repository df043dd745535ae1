"""Rows for names that a program or a wiring uses and no tag table has."""

from __future__ import annotations

from upright_block.language.field.addresses import Area
from upright_block.language.field.points import Point
from upright_block.language.scope import Missing, Scope
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.language.types import Elementary
from upright_block.library.tagfile import appended


def adopted(scope: Scope, table: Source, with_points: bool) -> tuple[list[Edit], list[str]]:
    """A tag table with a row for each missing name whose type a pin tells, in the order of its first use; and the other
    names.

    With points each has the next that is free in its area, behind all that are taken.

    Raises:
        BadValue: the table lacks a column.
    """
    rows: list[dict[str, str]] = []
    untold: list[str] = []
    taken = [tag.point for tag in scope.tags.values() if tag.point is not None]
    free: dict[Area, int] = {"I": 0, "Q": 0, "M": 0}
    for point in taken:
        free[point.area] = max(free[point.area], point.end)
    for missing in scope.missing.values():
        type_ = missing.type
        if not isinstance(type_, Elementary):
            untold.append(missing.name)
            continue
        row = {"tag": missing.name, "type": type_.name}
        if with_points:
            row["point"] = scope.points.shown(_next(missing, type_, free, scope))
        rows.append(row)
    return [appended(table, rows)] if rows else [], untold


def _next(missing: Missing, type_: Elementary, free: dict[Area, int], scope: Scope) -> Point:
    area: Area = "Q" if missing.is_output else "I"
    width = 1 if type_.family == "bool" else type_.bits
    step = width if scope.points.rules.counts_elements or width == 1 else 8
    start = -(-free[area] // step) * step
    free[area] = start + width
    return Point(area, start, width)
