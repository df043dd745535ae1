"""``upright plot``"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import click

from upright_block import OpenLibrary, Tracing, Tracks, UprightError, did_you_mean, duration, is_trace_file
from upright_block.cli.common import library_option, picture_kind, refuse, show_lines, stop, width, write_pages
from upright_block.reports import Diagram, case_diagram, diagram_lines, diagram_pages, trace_diagram

MOST_DRAWN = 16_384
"""Changes of a lane that are kept; of more those that can be seen."""


@click.command(
    "plot",
    short_help="Draw a timing diagram of a case, or of a trace file.",
    epilog="Examples:  upright plot 'stops at the upper limit' --out vent.svg    upright plot 'half open' "
    "--terminal    upright plot run.vcd",
)
@click.argument("target", metavar="CASE|FILE")
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
@click.option(
    "--lane", metavar="PATHS", multiple=True, help='Numbers that are drawn in one lane, as in "level,wanted".'
)
@click.option("--from", "begin", metavar="TIME", help="Where to begin.")
@click.option("--to", "end", metavar="TIME", help="Where to end.")
def command(
    library: OpenLibrary,
    target: str,
    out: Path | None,
    terminal: bool,
    watch: tuple[str, ...],
    lane: tuple[str, ...],
    begin: str | None,
    end: str | None,
) -> None:
    """Draw what the pins of a case do over time, or what a trace FILE (.csv, .vcd) of upright run holds.

    Where a value is wrong, what was expected is drawn over it; rows of the table stand at the ruler. Long stretches in
    which nothing happens are cut, unless --from or --to choose a part.
    """
    if terminal:
        refuse("--terminal", "--out")
    try:
        times = [duration(text) if text else None for text in (begin, end)]
        together = [[path.strip() for path in each.split(",")] for each in lane]
        found = _drawn(library, target, watch, together, times[0] or 0, times[1])
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    draw(found, out, terminal)


def _drawn(
    library: OpenLibrary,
    target: str,
    patterns: Sequence[str],
    together: Sequence[Sequence[str]],
    begin: int,
    end: int | None,
) -> Diagram:
    """The diagram of a case, or of a trace file."""
    if is_trace_file(target):
        refuse("a trace file", "--watch")
        tracks = library.trace(target)
        _must_be_numbers(together, tracks)
        return trace_diagram(Path(target).name, tracks, begin, end, together)
    found = library.case(target)
    if found is None:
        near = did_you_mean(target, [known.name for known in library.cases])
        stop(f"There is no case {target}.", near or "upright verify lists them; a trace is a .csv or .vcd file.")
    named = [path for group in together for path in group]
    (verdict,) = library.run([found], jobs=1, tracing=Tracing([*patterns, *named], MOST_DRAWN, begin, end))
    if verdict.tracks is not None:
        _must_be_numbers(together, verdict.tracks)
    return case_diagram(verdict, begin, end, together)


def _must_be_numbers(together: Sequence[Sequence[str]], tracks: Tracks) -> None:
    """End the call where a lane has what is not there, or no number."""
    known = {path.upper(): track for path, track in tracks.items()}
    for path in [path for group in together for path in group]:
        track = known.get(path.upper())
        if track is None:
            stop(f"Nothing that is drawn is called {path}.", did_you_mean(path, tracks) or "Name it with --watch.")
        if any(isinstance(value, (bool, str)) for value in track.plain[:1]) or track.names:
            stop(f"{path} is no number.", "Only numbers share a lane.")


def draw(diagram: Diagram, out: Path | None, terminal: bool) -> None:
    """Draw a diagram into files, or here in characters."""
    if terminal:
        show_lines(diagram_lines(diagram, width()))
        return
    file = out or Path(re.sub(r"[^A-Za-z0-9]+", "_", diagram.title).strip("_").lower() + ".svg")
    write_pages(file, diagram_pages(diagram, picture_kind(file)))
