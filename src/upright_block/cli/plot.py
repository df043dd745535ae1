"""``upright plot``"""

from __future__ import annotations

import re
from pathlib import Path

import click

from upright_block import OpenLibrary, UprightError, did_you_mean, duration
from upright_block.cli.common import library_option, plural, show_lines, stop, width, write_out
from upright_block.reports import case_diagram, diagram_lines, diagram_pages


@click.command(
    "plot",
    short_help="Draw a timing diagram of a case.",
    epilog="Examples:  upright plot 'stops at the upper limit' --out vent.svg    upright plot 'half open' --terminal",
)
@click.argument("case")
@library_option
@click.option(
    "--out",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="A .svg or .png file; several pages are numbered. Default: named after the case.",
)
@click.option("--terminal", is_flag=True, help="Draw it in characters, here.")
@click.option(
    "--watch",
    metavar="PATTERNS",
    multiple=True,
    help="More signals than the case names; * and ? stand for any characters.",
)
@click.option("--from", "begin", metavar="TIME", help="Where to begin.")
@click.option("--to", "end", metavar="TIME", help="Where to end.")
def command(
    library: OpenLibrary,
    case: str,
    out: Path | None,
    terminal: bool,
    watch: tuple[str, ...],
    begin: str | None,
    end: str | None,
) -> None:
    """Draw what the pins of CASE do over time: expected values that are wrong are marked, and rows of the table stand at the ruler."""
    if terminal and out is not None:
        stop("--out has no use beside --terminal.", "Leave one of the two out.")
    try:
        found = library.case(case)
        if found is None:
            near = did_you_mean(case, [known.name for known in library.cases])
            stop(f"There is no case {case}.", near or "upright verify lists them.")
        (verdict,) = library.run([found], jobs=1)
        times = [duration(text) if text else None for text in (begin, end)]
        diagram = case_diagram(verdict, library.watch, watch, times[0] or 0, times[1])
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if terminal:
        show_lines(diagram_lines(diagram, width()))
        return
    file = out or Path(re.sub(r"[^A-Za-z0-9]+", "_", diagram.title).strip("_").lower() + ".svg")
    kind = file.suffix.lower().removeprefix(".")
    if kind not in ("svg", "png"):
        stop(f"{file.name} is neither a .svg nor a .png file.", "Name one of these.")
    pages = diagram_pages(diagram, kind)
    files = [file, *(file.with_stem(f"{file.stem}-{number}") for number in range(2, len(pages) + 1))]
    for path, content in zip(files, pages, strict=True):
        write_out(path, content)
    to = f"{files[0]} to {files[-1]}" if len(files) > 1 else str(file)
    show_lines([[(f"{plural(len(pages), 'page')} in {to}.", "good")]])
