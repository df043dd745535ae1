"""``upright tags``"""

from __future__ import annotations

from fnmatch import fnmatchcase

import click

from upright_block import OpenLibrary
from upright_block.cli.common import library_option, plural, show_json, show_lines, stop, width
from upright_block.reports import tag_data, tag_list


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
@click.option("--by-point", is_flag=True, help="In the order of the points, and not of the tables.")
@click.option("--json", "as_json", is_flag=True, help="Print the tags as JSON.")
def command(
    library: OpenLibrary,
    patterns: tuple[str, ...],
    area: str | None,
    unit: str | None,
    unused: bool,
    by_point: bool,
    as_json: bool,
) -> None:
    """List the tags of a library: points, types, senses, ranges, and what they stand for.

    PATTERNS are names or points; * and ? stand for any characters.
    """
    found = list(library.tags)
    if not found and not as_json:
        stop("The library has no tags.", "Write a table into the folder tags, with the columns tag, point and type.")
    for pattern in patterns:
        wanted = pattern.upper()
        if not any(fnmatchcase(text, wanted) for tag in found for text in (tag.key, tag.address)):
            stop(f"There is no tag {pattern}.", library.tag_near(pattern))
    if patterns:
        fits = [pattern.upper() for pattern in patterns]
        found = [t for t in found if any(fnmatchcase(text, p) for p in fits for text in (t.key, t.address))]
    if area is not None:
        found = [tag for tag in found if tag.text("area").upper() == area.upper()]
    if unit is not None:
        found = [tag for tag in found if tag.text("unit") == unit]
    if unused:
        used = {use.tag for use in library.tag_uses}
        found = [tag for tag in found if tag not in used and "stands_for" not in tag.cells]
    if by_point:
        found.sort(key=lambda tag: (tag.area or "~", tag.point.start if tag.point else 0))
    if as_json:
        show_json([tag_data(tag) for tag in found])
        return
    show_lines([*tag_list(found, width()), [], [(f"{plural(len(found), 'tag')}.", "dim")]])
