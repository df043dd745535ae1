"""``upright walk``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import OpenLibrary, UprightError
from upright_block.cli.common import (
    beside,
    export_option,
    export_rows,
    library_option,
    only_with,
    progress,
    propose,
    show_json,
    show_lines,
    stop,
    width,
)
from upright_block.reports import proposal_lines, walk_data, walk_lines


@click.command(
    "walk",
    short_help="Move each point by itself and list what follows.",
    epilog="Examples:  upright walk    upright walk --hold 5s    upright walk --approve --write",
)
@library_option
@click.option("--configuration", metavar="NAME", help="The configuration, where the library has several.")
@click.option(
    "--hold", metavar="TIME", help="How long each change is held. Default: three scans of each task that sees it."
)
@click.option("--all", "show_all", is_flag=True, help="List the points that are right too.")
@click.option("--approve", is_flag=True, help="Make what was found the approved map, walk.csv.")
@click.option("--propose", "fills", is_flag=True, help="Fill the column reaches where names and pins pair.")
@click.option("--write", is_flag=True, help="With --approve or --propose: write, and not only show the difference.")
@export_option("what was found")
@click.option("--json", "as_json", is_flag=True, help="Print what was found as JSON.")
def command(
    library: OpenLibrary,
    configuration: str | None,
    hold: str | None,
    show_all: bool,
    approve: bool,
    fills: bool,
    write: bool,
    export: Path | None,
    as_json: bool,
) -> None:
    """Test the mapping of a started configuration, as two people with a radio do on site.

    Each input point is moved by itself, and each place that writes an output; what then differs from an undisturbed
    twin is what the point reaches. Tags that say in the column reaches where they belong are judged; else the approved
    map is, where there is one. The exit status is 1 when something is wrong.
    """
    if approve:
        beside("--approve", "--write", "--configuration", "--hold")
    elif fills:
        beside("--propose", "--write", "--configuration", "--hold")
    else:
        only_with("--approve or --propose", "--write")
    if export is not None:
        beside("--export", "--configuration", "--hold")
    try:
        points = sum(tag.area in ("I", "Q") for tag in library.tags)
        with progress(points, "moving points") as done:
            found = library.walk(configuration, hold, compare=not (approve or fills), done=done)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if approve:
        propose(library, {library.approved_path: (library.approved_map(), library.map_rows(found).csv())}, write)
        return
    if fills:
        texts, left = library.propose_reaches(found)
        if texts:
            propose(library, texts, write)
        show_lines(proposal_lines(left, bool(texts), width()))
        return
    if export is not None:
        export_rows(library.map_rows(found), export)
    elif as_json:
        show_json(walk_data(found))
    else:
        show_lines(walk_lines(found, width(), show_all))
    raise SystemExit(library.is_wrong(found))
