"""``upright run``"""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import BinaryIO

import click

from upright_block import (
    EVENT_HEADS,
    CsvFile,
    Gatherer,
    OpenLibrary,
    Row,
    Trace,
    Turn,
    UprightError,
    VcdFile,
    Watched,
    Wishes,
    __version__,
    csv_lines,
    duration,
    event_table,
    trace_writer,
)
from upright_block.cli.common import (
    library_option,
    only_with,
    picture_kind,
    plural,
    propose,
    refuse,
    show_findings,
    show_json,
    show_lines,
    stop,
    width,
    written_out,
)
from upright_block.cli.driving import driving_options, refused
from upright_block.cli.plot import MOST_DRAWN, draw
from upright_block.reports import (
    comparison_lines,
    condensed,
    end_lines,
    event_lines,
    run_data,
    trace_diagram,
    tree_lines,
    watch_lines,
)

_MOST_ROWS = 200
_MOST_KEPT = 1_000_000
_MOST_COMPARED = 5_000_000


@click.command(
    "run",
    short_help="Run a block, a program, a configuration or a case, and watch it.",
    epilog="Examples:  upright run VentDrive --set open=1@1s --pulse reset@30s:500ms --for 40s"
    "    upright run Glasshouse --set bay1_open_button=1 --watch 'bay1_*' --until bay1_stuck",
)
@click.argument("target")
@library_option
@driving_options
@click.option(
    "--watch",
    metavar="PATTERNS",
    multiple=True,
    help="What to watch; * and ? stand for any characters. Default: the pins.",
)
@click.option("--every", metavar="TIME", help="A row each TIME, and not where something changes.")
@click.option("--tree", metavar="PATH", help="Print all that an instance holds after the run; . is the target itself.")
@click.option("--events", "shows_events", is_flag=True, help="Print the rises and falls of what is watched.")
@click.option(
    "--log",
    "logs",
    metavar="FILE",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Write the rises and falls as CSV.",
)
@click.option(
    "--trace",
    "traces",
    metavar="FILE",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Write what is watched: .csv, a row a change, or .vcd for a waveform viewer.",
)
@click.option(
    "--picture",
    "pictures",
    metavar="FILE",
    multiple=True,
    type=click.Path(path_type=Path),
    help="Draw what is watched as a timing diagram: .svg or .png.",
)
@click.option("--against", metavar="CASE|FILE", help="Compare with the run of a case, or with a trace file.")
@click.option(
    "--save-as", metavar="FILE/NAME", help="Make the run a case NAME of cases/FILE.toml that expects what came."
)
@click.option(
    "--keep",
    metavar="PATTERNS",
    multiple=True,
    help="Take final values over as initial values in the sources: of inputs and private data, or a whole path.",
)
@click.option("--write", is_flag=True, help="With --save-as and --keep: write it, and not only show the difference.")
@click.option("--all", "show_all", is_flag=True, help="Print all rows, however many there are.")
@click.option("--json", "as_json", is_flag=True, help="Print the rows and events as JSON.")
def command(
    library: OpenLibrary,
    target: str,
    wishes: Wishes,
    watch: tuple[str, ...],
    every: str | None,
    tree: str | None,
    shows_events: bool,
    logs: tuple[Path, ...],
    traces: tuple[Path, ...],
    pictures: tuple[Path, ...],
    against: str | None,
    save_as: str | None,
    keep: tuple[str, ...],
    write: bool,
    show_all: bool,
    as_json: bool,
) -> None:
    """Run TARGET without expectations: set, force and pulse its pins, and watch what comes.

    TARGET is a block, a program, a configuration, or a case, which then gives its rows. Times are from the start, and
    on the start of a scan; without @TIME a value is there from the beginning. The exit status is 1 after a fault, or
    where --until was never TRUE.
    """
    if save_as is not None:
        refuse("--save-as", "--every", "--json")
    if keep:
        refuse("--keep", "--json")
    elif save_as is None:
        only_with("--save-as or --keep", "--write")
    if as_json:
        refuse("--json", "--tree", "--events", "--against")
    if against is not None:
        refuse("--against", "--every")
    step = _time("--every", every)
    wishes, until = wishes.watching(watch, saves=save_as is not None), wishes.until
    try:
        watched = library.watch(target, wishes)
        if tree is not None and tree != ".":
            watched.instance(tree)
    except UprightError as problem:
        refused(problem, show_all)
    if pictures:
        refuse("--picture", "--json")
    for picture in pictures:
        picture_kind(picture)
    _must_differ(*logs, *traces, *pictures)
    kept = _Kept(watched, as_json or show_all or save_as is not None, against is not None)
    drawn = watched.gatherer(MOST_DRAWN) if pictures else None
    with ExitStack() as files:
        outs = [_trace_file(library, watched, files, trace) for trace in traces]
        events_outs = [_log_file(files, log) for log in logs]
        for piece in watched.pieces():
            rows, events = list(watched.rows(piece, step)), watched.events(piece)
            kept.take(piece, rows, events)
            if drawn is not None:
                drawn.take(piece)
            for out in outs:
                out.take((watched.run.plan.timebase.time(row.scan), row.values) for row in rows)
            for events_out in events_outs:
                events_out.write(event_table(watched, events).encode())
        for out in outs:
            out.finish(watched.run.plan.timebase.time(watched.scans))
    if as_json:
        show_json(run_data(watched, kept.rows, kept.events, until))
    else:
        _show(watched, kept, until, show_all, every is not None, shows_events, tree)
        for file in (*traces, *logs):
            show_lines([[(f"{file} is written.", "good")]])
    if drawn is not None:
        for picture in pictures:
            _draw(watched, drawn, target, picture)
    if save_as is not None:
        _save(library, watched, kept.rows, save_as, write)
    if keep:
        _keep(library, watched, keep, write)
    differs = against is not None and _compare(library, watched, kept.gatherer, against)
    raise SystemExit(int(differs or watched.fault is not None or (until is not None and not watched.is_met)))


class _Kept:
    """What is kept of a run for the terminal: rows, events, and where two runs are compared all that changed.

    Of very many rows only the first, unless all are needed: then the call ends.
    """

    def __init__(self, watched: Watched, needs_all: bool, compares: bool) -> None:
        self.rows: list[Row] = []
        self.events: list[Turn] = []
        self.left_rows = self.left_events = 0
        self.needs_all = needs_all
        self.gatherer = watched.gatherer() if compares else None

    def take(self, piece: Trace, rows: Sequence[Row], events: Sequence[Turn]) -> None:
        """Take in a piece of the run."""
        room = _MOST_KEPT - len(self.rows)
        self.rows += rows[:room]
        self.left_rows += max(len(rows) - room, 0)
        room = _MOST_KEPT - len(self.events)
        self.events += events[:room]
        self.left_events += max(len(events) - room, 0)
        if self.needs_all and (self.left_rows or self.left_events):
            stop(f"The run has more than {_MOST_KEPT:,} rows.", "Watch less, run shorter, or say --every TIME.")
        if self.gatherer is not None:
            self.gatherer.take(piece)
            if self.gatherer.most > _MOST_COMPARED:
                stop(f"A signal has more than {_MOST_COMPARED:,} changes.", "Watch less, or run shorter.")


def _must_differ(*files: Path) -> None:
    """Stop a call that writes one file twice."""
    for number, file in enumerate(files):
        if file.resolve() in [other.resolve() for other in files[:number]]:
            stop(f"{file} is named twice.", "Name another file, or say it once.")


def _trace_file(library: OpenLibrary, watched: Watched, files: ExitStack, file: Path) -> CsvFile | VcdFile:
    """A file for what is watched, of a kind that its name says."""
    out = files.enter_context(written_out(file))
    try:
        return trace_writer(file, out.write, watched.signals, [library.name, watched.run.unit.name], __version__)
    except UprightError as problem:
        stop(problem.message, problem.way_out)


def _log_file(files: ExitStack, file: Path) -> BinaryIO:
    """A file for rises and falls."""
    out = files.enter_context(written_out(file))
    out.write(csv_lines([EVENT_HEADS]).encode())
    return out


def _draw(watched: Watched, drawn: Gatherer, target: str, picture: Path) -> None:
    """Draw what was gathered of a run; of a fault in its first scan there is nothing."""
    if watched.scans:
        draw(
            trace_diagram(target, drawn.tracks(watched.run.plan.timebase.time(watched.scans))), picture, terminal=False
        )
    else:
        show_lines([[("Nothing was drawn: no scan came to its end.", "warn")]])


def _compare(library: OpenLibrary, watched: Watched, gatherer: Gatherer | None, against: str) -> bool:
    """Show where a run differs from another; whether it does."""
    try:
        found = library.compare(watched, gatherer.tracks(0) if gatherer else {}, against)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[], *comparison_lines(watched, found, against, width())])
    return bool(found.differences)


def _save(library: OpenLibrary, watched: Watched, rows: Sequence[Row], save_as: str, write: bool) -> None:
    """Make a run a case, or show what that would change."""
    try:
        texts, left = library.save_run(watched, rows, save_as)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[]])
    if left:
        says = f"Left out, since it only runs on: {', '.join(left)}. --watch {left[0]} keeps it."
        show_lines([[(says, "warn")]])
    propose(library, texts, write)


def _keep(library: OpenLibrary, watched: Watched, patterns: Sequence[str], write: bool) -> None:
    """Take final values over into the sources, or show what that would change; nothing where one of them cannot be."""
    try:
        texts, left, findings = library.keep_run(watched, patterns)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[]])
    if left:
        show_lines([[(f"Left out, since they are no single values: {', '.join(left)}.", "warn")]])
    if findings:
        show_findings(findings, show_all=True)
        stop("Nothing was changed.", "Do what is said above, or leave these out.")
    if not texts:
        show_lines([[("All of these have the values that they began with.", "good")]])
    propose(library, texts, write)


def _time(option: str, text: str | None) -> int | None:
    """A time of an option in ns."""
    try:
        return None if text is None else duration(text)
    except UprightError as problem:
        stop(f"{option} {text}: {problem.message}", problem.way_out)


def _show(
    watched: Watched,
    all_kept: _Kept,
    until: str | None,
    show_all: bool,
    every: bool,
    shows_events: bool,
    tree: str | None,
) -> None:
    """The rows, what was asked for besides, and how it ended."""
    rows, events = all_kept.rows, all_kept.events
    kept = rows if show_all or every else condensed(watched, rows)
    shown = kept if show_all else kept[:_MOST_ROWS]
    show_lines(watch_lines(watched, shown, width()))
    if len(kept) < len(rows):
        left = plural(len(rows) - len(kept), "row")
        show_lines([[(f"    {left} in which only numbers run on are left out; --all prints all.", "dim")]])
    if len(shown) < len(kept) or all_kept.left_rows:
        left = plural(len(kept) - len(shown) + all_kept.left_rows, "more row")
        show_lines([[(f"    {left}: --all prints all, --trace FILE writes them.", "warn")]])
    if shows_events:
        listed = events if show_all else events[:_MOST_ROWS]
        show_lines([[], *event_lines(watched, listed)])
        if len(listed) < len(events) + all_kept.left_events:
            left = plural(len(events) + all_kept.left_events - len(listed), "more event")
            show_lines([[(f"    {left}: --all prints all, --log FILE writes them.", "warn")]])
    if tree is not None:
        show_lines([[], *tree_lines(watched, "" if tree == "." else tree)])
    show_lines([[], *end_lines(watched, until)])
