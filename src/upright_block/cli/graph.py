"""``upright graph``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import OpenLibrary, UprightError
from upright_block.cli.common import library_option, picture_kind, show_json, show_lines, stop, width, write_pages
from upright_block.reports import graph_data, graph_fits, graph_lines, graph_picture


@click.command(
    "graph",
    short_help="Draw what uses what, or the states and steps of a block.",
    epilog="Examples:  upright graph    upright graph VentDrive --picture states.svg    upright graph Rota",
)
@click.argument("name", required=False)
@library_option
@click.option(
    "--picture",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="Draw it into a .svg or .png file; several graphs are numbered.",
)
@click.option("--json", "as_json", is_flag=True, help="Print it as JSON.")
def command(library: OpenLibrary, name: str | None, picture: Path | None, as_json: bool) -> None:
    """Show what leads where: which unit uses which, or the states and steps of one with the conditions between them.

    NAME is a unit of the library. Of one that has states or steps these are drawn, of another what it uses; without a
    name it is what uses what in the whole library.
    """
    try:
        graphs = library.graphs(name)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if picture is not None:
        kind = picture_kind(picture)
        if not all(map(graph_fits, graphs)):
            stop("The graph has too many boxes for a picture.", "Name a unit: upright graph NAME --picture FILE.")
        write_pages(picture, [graph_picture(graph, kind) for graph in graphs])
    elif as_json:
        show_json([graph_data(graph) for graph in graphs])
    else:
        for number, graph in enumerate(graphs):
            show_lines([*([[]] if number else []), *graph_lines(graph, width())])
