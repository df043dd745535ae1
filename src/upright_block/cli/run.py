"""``upright run``"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import islice
from pathlib import Path

import click

from upright_block import (
    BadWishes,
    Event,
    OpenLibrary,
    Row,
    UprightError,
    Watched,
    Wishes,
    __version__,
    duration,
    event_table,
    row_table,
    vcd_text,
)
from upright_block.cli.common import (
    library_option,
    only_with,
    plural,
    propose,
    refuse,
    show_findings,
    show_json,
    show_lines,
    stop,
    width,
    write_out,
)
from upright_block.reports import comparison_lines, condensed, end_lines, event_lines, run_data, tree_lines, watch_lines

_MOST_ROWS = 200
_MOST_KEPT = 1_000_000


@click.command(
    "run",
    short_help="Run a block, a program, a configuration or a case, and watch it.",
    epilog="Examples:  upright run VentDrive --set open=1@1s --pulse reset@30s:500ms --for 40s"
    "    upright run Glasshouse --set bay1_open_button=1 --watch 'bay1_*' --until bay1_stuck",
)
@click.argument("target")
@library_option
@click.option("--for", "span", metavar="TIME", help="How long to run. Default: 10s, or up to an hour with --until.")
@click.option(
    "--until", metavar="EXPRESSION", help="Run until this is TRUE after a scan; private data may be named too."
)
@click.option(
    "--set", "sets", metavar="PIN=VALUE@TIME", multiple=True, help="Drive an input, or write anything else once."
)
@click.option(
    "--pulse", "pulses", metavar="PIN@TIME:WIDTH", multiple=True, help="TRUE for a while, then what it would have had."
)
@click.option(
    "--force", "forces", metavar="PIN=VALUE@TIME", multiple=True, help="Hold at a value, against the program."
)
@click.option("--release", "releases", metavar="PIN@TIME", multiple=True, help="End a force.")
@click.option(
    "--given", metavar="NAME=VALUE", multiple=True, help="A constant, a setting or data, before the first scan."
)
@click.option("--scan", metavar="TIME", help="The time of a scan of a block or a program.")
@click.option(
    "--watch",
    metavar="PATTERNS",
    multiple=True,
    help="What to watch; * and ? stand for any characters. Default: the pins.",
)
@click.option("--every", metavar="TIME", help="A row each TIME, and not where something changes.")
@click.option("--tree", metavar="PATH", help="Print all that an instance holds after the run; . is the target itself.")
@click.option("--events", "shows_events", is_flag=True, help="Print the rises and falls of what is watched.")
@click.option("--log", metavar="FILE", type=click.Path(path_type=Path), help="Write the rises and falls as CSV.")
@click.option(
    "--trace",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="Write what is watched: .csv, a row a change, or .vcd for a waveform viewer.",
)
@click.option("--against", metavar="CASE|FILE", help="Compare with the run of a case, or with a trace file.")
@click.option(
    "--save-as", metavar="FILE/NAME", help="Make the run a case NAME of cases/FILE.toml that expects what came."
)
@click.option("--write", is_flag=True, help="With --save-as: write it, and not only show the difference.")
@click.option("--all", "show_all", is_flag=True, help="Print all rows, however many there are.")
@click.option("--json", "as_json", is_flag=True, help="Print the rows and events as JSON.")
def command(
    library: OpenLibrary,
    target: str,
    span: str | None,
    until: str | None,
    sets: tuple[str, ...],
    pulses: tuple[str, ...],
    forces: tuple[str, ...],
    releases: tuple[str, ...],
    given: tuple[str, ...],
    scan: str | None,
    watch: tuple[str, ...],
    every: str | None,
    tree: str | None,
    shows_events: bool,
    log: Path | None,
    trace: Path | None,
    against: str | None,
    save_as: str | None,
    write: bool,
    show_all: bool,
    as_json: bool,
) -> None:
    """Run TARGET without expectations: set, force and pulse its pins, and watch what comes.

    TARGET is a block, a program, a configuration, or a case, which then gives its rows. Times are from the start, and on the start of a scan; without
    @TIME a value is there from the beginning. The exit status is 1 after a fault, or where --until was never TRUE.
    """
    if save_as is None:
        only_with("--save-as", "--write")
    else:
        refuse("--save-as", "--every", "--json")
    if as_json:
        refuse("--json", "--tree", "--events", "--against")
    if against is not None:
        refuse("--against", "--every")
    step = _time("--every", every)
    wishes = Wishes(sets, forces, releases, pulses, given, span, until, scan, watch, save_as is not None)
    try:
        watched = library.watch(target, wishes)
        if tree is not None and tree != ".":
            watched.instance(tree)
    except BadWishes as problem:
        show_findings(problem.findings, show_all)
        raise SystemExit(2) from None
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    rows: list[Row] = []
    events: list[Event] = []
    for piece in watched.pieces():
        rows += islice(watched.rows(piece, step), _MOST_KEPT + 1 - len(rows))
        if len(rows) > _MOST_KEPT:
            stop(f"The run has more than {_MOST_KEPT:,} rows.", "Watch less, run shorter, or say --every TIME.")
        events += watched.events(piece)
        if len(events) > _MOST_KEPT:
            stop(f"The run has more than {_MOST_KEPT:,} rises and falls.", "Watch less, or run shorter.")
    if trace is not None:
        write_out(trace, _trace(library, watched, rows, trace).encode())
    if log is not None:
        write_out(log, event_table(watched, events).encode())
    if as_json:
        show_json(run_data(watched, rows, events, until))
    else:
        _show(watched, rows, events, until, show_all, every is not None, shows_events, tree)
    if save_as is not None:
        _save(library, watched, rows, save_as, write)
    differs = against is not None and _compare(library, watched, rows, against)
    raise SystemExit(int(differs or watched.fault is not None or (until is not None and not watched.is_met)))


def _trace(library: OpenLibrary, watched: Watched, rows: Sequence[Row], file: Path) -> str:
    """What is watched as the text of a file of a kind that its name says."""
    kind = file.suffix.lower()
    if kind == ".csv":
        return row_table(watched, rows)
    if kind == ".vcd":
        return vcd_text(watched, rows, library.name, __version__)
    stop(f"{file.name} is neither a .csv nor a .vcd file.", "Name one of these.")


def _compare(library: OpenLibrary, watched: Watched, rows: Sequence[Row], against: str) -> bool:
    """Show where a run differs from another; whether it does."""
    try:
        found = library.compare(watched, rows, against)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[], *comparison_lines(watched, found, against, width())])
    return bool(found.differences)


def _save(library: OpenLibrary, watched: Watched, rows: Sequence[Row], save_as: str, write: bool) -> None:
    """Make a run a case, or show what that would change."""
    stem, slash, name = save_as.rpartition("/")
    if not slash or not stem.strip("./") or not name.strip() or ".." in stem.split("/") or stem.startswith("/"):
        stop(f"{save_as} names no file and case.", "Write --save-as FILE/NAME, as in vent_drive/by hand.")
    try:
        texts = library.save_run(watched, rows, stem.removesuffix(".toml"), name.strip())
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[]])
    for path, (before, after) in texts.items():
        propose(library, path, before, after, write)


def _time(option: str, text: str | None) -> int | None:
    """A time of an option in ns."""
    try:
        return None if text is None else duration(text)
    except UprightError as problem:
        stop(f"{option} {text}: {problem.message}", problem.way_out)


def _show(
    watched: Watched,
    rows: Sequence[Row],
    events: Sequence[Event],
    until: str | None,
    show_all: bool,
    every: bool,
    shows_events: bool,
    tree: str | None,
) -> None:
    """The rows, what was asked for besides, and how it ended."""
    kept = list(rows) if show_all or every else condensed(watched, rows)
    shown = kept if show_all else kept[:_MOST_ROWS]
    show_lines(watch_lines(watched, shown, width()))
    if len(kept) < len(rows):
        left = plural(len(rows) - len(kept), "row")
        show_lines([[(f"    {left} in which only numbers run on are left out; --all prints all.", "dim")]])
    if len(shown) < len(kept):
        left = plural(len(kept) - len(shown), "more row")
        show_lines([[(f"    {left}: --all prints all, --trace FILE writes them.", "warn")]])
    if shows_events:
        show_lines([[], *event_lines(watched, events if show_all else events[:_MOST_ROWS])])
    if tree is not None:
        show_lines([[], *tree_lines(watched, "" if tree == "." else tree)])
    show_lines([[], *end_lines(watched, until)])
