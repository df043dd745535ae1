"""``upright tags``"""

from __future__ import annotations

import re
import sys
from collections.abc import Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

import click

from upright_block import OpenLibrary, UprightError, did_you_mean
from upright_block.cli.common import (
    beside,
    export_option,
    export_rows,
    library_option,
    only_with,
    plural,
    propose,
    show_json,
    show_lines,
    stop,
    width,
)
from upright_block.reports import column_lines, tag_data, tag_list, taken_lines


@click.command(
    "tags",
    short_help="List the tags.",
    epilog='Examples:  upright tags "bay1*"    upright tags %IW10    upright tags --unused',
)
@click.argument("patterns", nargs=-1)
@library_option
@click.option("--area", help="Only tags of this area of the plant, as in the column area.")
@click.option("--unit", help="Only tags with this unit.")
@click.option("--unused", is_flag=True, help="Only tags that nothing reads and nothing writes.")
@click.option("--spare", is_flag=True, help="The points without a tag, in bytes and words of which others have one.")
@click.option("--by-point", is_flag=True, help="In the order of the points, and not of the tables.")
@click.option("--json", "as_json", is_flag=True, help="Print the tags as JSON.")
@export_option("them")
@click.option(
    "--import", "import_", metavar="FILE", help="Take a table from a .csv or .xlsx file; - is text pasted here."
)
@click.option("--sheet", multiple=True, metavar="NAME", help="With --import: only this sheet. May be given again.")
@click.option("--head", type=click.IntRange(1), metavar="ROW", help="With --import: the row in which the heads stand.")
@click.option(
    "--columns",
    multiple=True,
    metavar="COLUMN=HEAD,...",
    help='With --import: the head that is taken for a column, as in "point=Address,sense=Contact".',
)
@click.option("--decimal", metavar="SIGN", help="With --import: what stands before decimals, a comma or a point.")
@click.option("--adopt", is_flag=True, help="Make rows for names that pins are wired to and no table has.")
@click.option("--points", is_flag=True, help="With --adopt: give each the next free point.")
@click.option("--into", metavar="NAME", help="With --import and --adopt: the table that they go to.")
@click.option("--write", is_flag=True, help="With --import and --adopt: write it, and not only show the difference.")
def command(
    library: OpenLibrary,
    patterns: tuple[str, ...],
    area: str | None,
    unit: str | None,
    unused: bool,
    spare: bool,
    by_point: bool,
    as_json: bool,
    export: Path | None,
    import_: str | None,
    sheet: tuple[str, ...],
    head: int | None,
    columns: tuple[str, ...],
    decimal: str | None,
    adopt: bool,
    points: bool,
    into: str | None,
    write: bool,
) -> None:
    """List the tags of a library: points, types, senses, ranges, and what they stand for.

    PATTERNS are names or points; * and ? stand for any characters. A table that is exported has every column and row as
    it was. A list that is imported is read as it comes, with heads of its own below rows of titles; what is taken for
    what is printed, then the difference to the table in the folder tags.
    """
    if import_ is not None:
        beside("--import", "--sheet", "--head", "--columns", "--decimal", "--into", "--write")
        _import(library, import_, into, write, sheet=sheet, head=head, columns=_mapped(columns), decimal=decimal or "")
        return
    only_with("--import", "--sheet", "--head", "--columns", "--decimal")
    if adopt:
        beside("--adopt", "--points", "--into", "--write")
        _adopt(library, points, into or "adopted", write)
        return
    only_with("--import or --adopt", "--write", "--into")
    only_with("--adopt", "--points")
    found = list(library.tags)
    if not found and not as_json:
        stop("The library has no tags.", "Write a table into the folder tags, with the columns tag, point and type.")
    if spare:
        beside("--spare", "--json")
        _spare(library, as_json)
        return
    for pattern in patterns:
        wanted = pattern.upper()
        if not any(fnmatchcase(text, wanted) for tag in found for text in (tag.key, tag.address)):
            stop(f"There is no tag {pattern}.", library.tag_near(pattern))
    if patterns:
        fits = [pattern.upper() for pattern in patterns]
        found = [t for t in found if any(fnmatchcase(text, p) for p in fits for text in (t.key, t.address))]
    if area is not None and not any(tag.text("area").upper() == area.upper() for tag in found):
        stop(f"No tag is in the area {area}.", did_you_mean(area, {tag.text("area") for tag in found}))
    if unit is not None and not any(tag.text("unit") == unit for tag in found):
        stop(f"No tag has the unit {unit}.", did_you_mean(unit, {tag.text("unit") for tag in found}))
    if area is not None:
        found = [tag for tag in found if tag.text("area").upper() == area.upper()]
    if unit is not None:
        found = [tag for tag in found if tag.text("unit") == unit]
    if unused:
        used = {use.tag for use in library.tag_uses}
        found = [tag for tag in found if tag not in used and "stands_for" not in tag.cells]
    if by_point:
        found.sort(key=lambda tag: (tag.area or "~", tag.point.start if tag.point else 0))
    if export is not None:
        beside("--export", "PATTERNS", "--area", "--unit", "--unused", "--by-point")
        is_whole = not (patterns or unused or by_point) and area is None and unit is None
        try:
            rows, left = library.tag_rows(None if is_whole else found)
        except UprightError as problem:
            stop(problem.message, problem.way_out)
        export_rows(rows, export)
        if left:
            show_lines([[(f"{plural(left, 'row')} with errors left out: upright check", "warn")]])
            raise SystemExit(1)
        return
    if as_json:
        show_json([tag_data(tag) for tag in found])
        return
    show_lines([*tag_list(found, width()), [], [(f"{plural(len(found), 'tag')}.", "dim")]])


def _spare(library: OpenLibrary, as_json: bool) -> None:
    found = library.spare_points
    if as_json:
        show_json([{"point": point, "in": holder} for point, holder in found])
        return
    lines = column_lines(("point", "in"), found, width(), ("name", ""))
    show_lines([*lines, [], [(f"{plural(len(found), 'spare point')}.", "dim")]])


def _import(library: OpenLibrary, name: str, into: str | None, write: bool, **asked: Any) -> None:
    file = None if name == "-" else Path(name)
    if file is None and into is None:
        stop("The table needs a name.", "Add --into NAME; it becomes NAME.csv in the folder tags.")
    try:
        found = library.import_list(file, "" if file else sys.stdin.read(), into or "", **asked)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([*taken_lines(found, width()), []])
    propose(library, found.changes, write)


def _mapped(given: Sequence[str]) -> dict[str, str]:
    """The heads for columns that the call names."""
    found: dict[str, str] = {}
    for part in [part for each in given for part in _BETWEEN.split(each)]:
        column, equals, head = part.partition("=")
        if not equals:
            stop(f"--columns has {part}, which names no head.", "Write --columns point=Address,sense=Contact")
        found[column.strip().lower()] = head.strip()
    return found


_BETWEEN = re.compile(r",(?=\s*\w+\s*=)")


def _adopt(library: OpenLibrary, points: bool, into: str, write: bool) -> None:
    try:
        changes, untold = library.adopt(into, points)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if untold:
        listed = ", ".join(untold[:12])
        show_lines([[(f"Not adopted, since no pin tells their type: {listed}.", "warn")], []])
    if not changes:
        show_lines([[("Every name that a pin is wired to has a tag.", "good")]])
        return
    propose(library, changes, write)
