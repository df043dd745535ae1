"""``upright verify``"""

from __future__ import annotations

import re
import shlex
import time
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import click

from upright_block import NotRun, OpenLibrary, ReadyCase, UprightError, Verdict, __version__, choose, nearest
from upright_block.cli.common import (
    beside,
    library_named,
    library_option,
    only_with,
    plural,
    progress,
    propose,
    refuse,
    show_findings,
    show_json,
    show_lines,
    stop,
    width,
    write_out,
)
from upright_block.reports import (
    Line,
    failure_lines,
    finding_data,
    measure_lines,
    not_run_data,
    not_run_line,
    summary_line,
    unarmed_data,
    unarmed_lines,
    verdict_data,
    verdict_line,
)

if TYPE_CHECKING:
    from upright_block import Answer, Collector, Tracing
    from upright_block.cli.covering import Covering

_MOST_LISTED = 500
_MOST_PICTURES = 100
_MOST_EXPLAINED = 50
_MOST_IN_FULL = 20
_HIDING_CASES = ("unreadable-folder", "outside-library")


@click.command(
    "verify",
    short_help="Run the cases.",
    epilog="Examples:  upright verify    upright verify VentDrive    upright verify 'alarm/*twice*'    upright "
    "verify --strict",
)
@click.argument("cases", nargs=-1)
@library_option
@click.option("--json", "as_json", is_flag=True, help="Print the verdicts as JSON.")
@click.option("--failing", is_flag=True, help="Leave the cases that are good out of the list.")
@click.option("--all", "show_all", is_flag=True, help="List and show all, however many there are.")
@click.option("--strict", is_flag=True, help="Exit with 1 when a case checks nothing, or for any other warning.")
@click.option(
    "--report",
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="Write the result into DIR: a page to look through, JUnit XML, JSON lines, a summary.",
)
@click.option("--pictures", is_flag=True, help="With --report: a timing diagram of each case that is wrong, too.")
@click.option(
    "--coverage", is_flag=True, help="Show what of each unit the cases reached: statements, branches, states."
)
@click.option("--instances", is_flag=True, help="Show the coverage of each instance in programs and configurations.")
@click.option(
    "--marked", metavar="UNIT", multiple=True, help="Print the text of a unit with marks for what was reached."
)
@click.option(
    "--uncovered",
    is_flag=True,
    help="Say for each gap in the coverage which case comes near, and what would have to differ.",
)
@click.option("--record", is_flag=True, help="Show CASES with their empty expected cells filled in from a run.")
@click.option("--over", is_flag=True, help="With --record: replace expected values that are wrong, too.")
@click.option("--write", is_flag=True, help="With --record: write it, and not only show the difference.")
@click.option(
    "--changed", is_flag=True, help="Run only cases that differ, with all they use, from their last good run."
)
@click.option("--failed", is_flag=True, help="Run only cases that were wrong when they ran last.")
@click.option(
    "--on-change", "stays", is_flag=True, help="Stay, and run what a change touches as soon as a file is saved."
)
@click.option("--stop", "stops", is_flag=True, help="Begin no other case after one that is wrong.")
@click.option("--jobs", metavar="N", type=click.IntRange(1, 1024), help="Run on N threads. Default: one a core.")
def command(
    library: OpenLibrary,
    cases: tuple[str, ...],
    as_json: bool,
    failing: bool,
    show_all: bool,
    strict: bool,
    report: Path | None,
    pictures: bool,
    coverage: bool,
    instances: bool,
    marked: tuple[str, ...],
    uncovered: bool,
    record: bool,
    over: bool,
    write: bool,
    changed: bool,
    failed: bool,
    stays: bool,
    stops: bool,
    jobs: int | None,
) -> None:
    """Run the cases of a library and show what was not as expected.

    A case is called by its file and its name, such as safety/pump/stops. CASES choose cases by the end of that
    (pump/stops, stops), by a part of it, by their block, or by the path of a case file; * and ? stand for any
    characters. Without CASES all are run.

    The exit status is 1 when a case is wrong, or could not be run.
    """
    if record:
        beside("--record", "CASES", "--over", "--write")
        _record(library, cases, over, write)
        return
    only_with("--record", "--over", "--write")
    choice = Choice(cases, changed, failed)
    if report is None:
        only_with("--report", "--pictures")
    if as_json:
        refuse("--json", "--marked")
    shown = Printed(as_json, failing, show_all, strict, report, pictures, coverage, instances, uncovered, marked)
    if stays:
        from upright_block.cli.staying import stay

        refuse("--on-change", "--json")
        later = choice._replace(changed=True, failed=True)
        stay(
            library,
            lambda opened: verify(opened, choice, shown, stops, jobs),
            lambda opened: verify(opened, later, shown, stops, jobs),
        )
    raise SystemExit(verify(library, choice, shown, stops, jobs))


class Choice(NamedTuple):
    """Which cases are run: those of some patterns, all without one; ``changed`` and ``failed`` leave out what is
    neither.
    """

    patterns: Sequence[str] = ()
    changed: bool = False
    failed: bool = False


class Printed(NamedTuple):
    """How verdicts are shown."""

    as_json: bool = False
    failing: bool = False
    show_all: bool = False
    strict: bool = False
    report: Path | None = None
    pictures: bool = False
    coverage: bool = False
    instances: bool = False
    uncovered: bool = False
    marked: Sequence[str] = ()

    @property
    def covers(self) -> bool:
        """Whether coverage is asked for."""
        return self.coverage or self.instances or self.uncovered or bool(self.marked)


_ALL, _PLAIN = Choice(), Printed()


def verify(
    library: OpenLibrary, choice: Choice = _ALL, shown: Printed = _PLAIN, stops: bool = False, jobs: int | None = None
) -> int:
    """Run the chosen cases, print what came of them, and return the exit status."""
    ready, not_run = _chosen(library, choice.patterns)
    wanted = [case for case in ready if _is_wanted(library, case, choice)]
    errors = [f for f in library.findings if f.severity == "error" or shown.strict]
    runs_all = choice == _ALL
    covering = _covering(library, runs_all) if shown.covers or (runs_all and library.floors) else None
    collector = covering.collector if covering else None
    verdicts, seconds = _run(library, wanted, stops, jobs, collector, _tracing() if shown.report else None)
    if covering is not None:
        covering.finish()
    library.remember(verdicts)
    if shown.report is not None:
        _report(library, shown, verdicts, not_run, seconds, covering)
    failed = bool(errors) or bool(not_run) or any(v.status in ("failed", "fault") for v in verdicts)
    failed |= covering is not None and bool(covering.short)
    if shown.as_json:
        show_json(
            {
                "library": library.name,
                "cases": [verdict_data(v) for v in verdicts],
                "not_run": [not_run_data(case) for case in not_run],
                "left_out": len(ready) - len(verdicts),
                "unarmed": unarmed_data(verdicts) if choice == _ALL else [],
                "unread_files": library.unread_files,
                **(covering.data(shown.uncovered) if covering else {}),
                "findings": [finding_data(f) for f in errors],
            }
        )
        return int(failed)
    show_findings(errors, shown.show_all)
    if wanted or not_run or not ready:
        _show(library, verdicts, not_run, seconds, shown.failing, shown.show_all)
    if covering is not None:
        covering.show(shown.coverage, shown.instances, shown.marked, shown.uncovered, shown.show_all)
    if shown.report is not None:
        show_lines([[(f"The report is in {shown.report / 'index.html'}.", "good")]])
    unarmed = unarmed_lines(verdicts) if choice == _ALL else []
    if unarmed:
        show_lines(unarmed)
    if len(verdicts) < len(wanted):
        left = plural(len(wanted) - len(verdicts), "case")
        show_lines([[(f"{left} left out: --stop ends with the first that is wrong.", "warn")]])
    if len(wanted) < len(ready):
        which = "good, and not changed since" if choice.changed else "not wrong in their last run"
        show_lines([[(f"{plural(len(ready) - len(wanted), 'case')} left out: {which}.", "dim")]])
    return int(failed)


def _covering(library: OpenLibrary, runs_all: bool) -> Covering:
    from upright_block.cli.covering import Covering

    return Covering(library, runs_all)


def _tracing() -> Tracing:
    """What the verdicts of a report have besides."""
    from upright_block import Tracing
    from upright_block.reports import MOST_CHANGES

    return Tracing(most=MOST_CHANGES)


def _report(
    library: OpenLibrary,
    shown: Printed,
    verdicts: Sequence[Verdict],
    not_run: Sequence[NotRun],
    seconds: float,
    covering: Covering | None,
) -> None:
    """Write the files of a report into a folder, in place of those of an earlier one, and touch nothing else there."""
    from upright_block.reports import Stamp, case_diagram, diagram_pages, report_files

    folder = shown.report
    assert folder is not None
    moment = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
    stamp = Stamp(library.name, library.version, library.digest, __version__, moment)
    wrong = [v for v in verdicts if v.status in ("failed", "fault") and v.tracks and v.tracks.end]
    made: dict[str, bytes] = {}
    drawn: dict[str, list[str]] = {}
    for verdict in wrong[:_MOST_PICTURES] if shown.pictures else ():
        stem = re.sub(r"[^A-Za-z0-9]+", "_", verdict.case.id).strip("_").lower()
        name = f"pictures/{len(drawn) + 1:03}_{stem[:60]}"
        pages = diagram_pages(case_diagram(verdict), "svg")
        names = [f"{name}.svg", *(f"{name}-{page}.svg" for page in range(2, len(pages) + 1))]
        made |= zip(names, pages, strict=True)
        drawn[verdict.case.id] = names
    answers = _answers(library, [v for v in verdicts if v.status in ("failed", "fault")][:_MOST_EXPLAINED])
    inside = {name: library.blocks_in(name) for name in dict.fromkeys(verdict.case.unit_name for verdict in verdicts)}
    covered = covering.covered if covering else ()
    texts = report_files(stamp, verdicts, not_run, drawn, seconds, covered, answers, inside)
    if covering is not None:
        texts["coverage.lcov"] = covering.lcov()
    made |= {name: text.encode() for name, text in texts.items()}
    try:
        for sub in (folder, *([folder / "pictures"] if drawn else [])):
            sub.mkdir(parents=True, exist_ok=True)
        old = [*folder.glob("pictures/[0-9][0-9][0-9]_*.svg"), *folder.glob("coverage.lcov")]
        for name, content in made.items():
            write_out(folder / name, content)
        for path in old:
            if path.relative_to(folder).as_posix() not in made:
                path.unlink()
    except OSError as problem:
        stop(f"{folder} cannot be written: {problem.strerror}.", "Name another folder.")


def _answers(library: OpenLibrary, wrong: Sequence[Verdict]) -> dict[str, Answer]:
    """The reasons of what is wrong first in each case; none of a run that does more than can be followed."""
    found: dict[str, Answer] = {}
    for verdict in wrong:
        with suppress(UprightError):
            answer = library.explain(verdict)
            if answer is not None:
                found[verdict.case.id] = answer
    return found


def _why(verdict: Verdict) -> list[Line]:
    """The call that explains what is wrong first in a case."""
    if verdict.first_wrong() is None:
        return []
    return [[("  " + shlex.join(["upright", "why", verdict.case.id, *library_named()]), "name")], []]


def _is_wanted(library: OpenLibrary, case: ReadyCase, choice: Choice) -> bool:
    if not choice.changed and not choice.failed:
        return True
    history = library.history
    return (choice.changed and history.is_changed(case)) or (choice.failed and history.is_wrong(case))


def _record(library: OpenLibrary, patterns: Sequence[str], over: bool, write: bool) -> None:
    """Fill in what the chosen cases expect and do not say."""
    if not patterns:
        stop("--record fills in the cases that are named.", "Name them, as in upright verify --record VentDrive.")
    ready, not_run = _chosen(library, patterns)
    for case in not_run:
        show_findings(case.findings, show_all=False)
    texts, cells, left = library.record(ready, over)
    show_findings(left, show_all=False)
    propose(library, texts, write)
    if cells:
        show_lines(
            [[(f"{plural(cells, 'cell')} filled in from the run: look whether it is what should come.", "warn")]]
        )
    elif ready and not left:
        show_lines([[("No expected cell is empty.", "good")]])


def _run(
    library: OpenLibrary,
    cases: Sequence[ReadyCase],
    stops: bool,
    jobs: int | None,
    collector: Collector | None,
    tracing: Tracing | None,
) -> tuple[list[Verdict], float]:
    """The verdicts, and the seconds that they took."""
    if not cases:
        return [], 0.0
    began = time.perf_counter()
    with progress(len(cases), "running cases") as advance:
        verdicts = library.run(cases, advance, collector, jobs, stops, tracing)
    return verdicts, time.perf_counter() - began


def _show(
    library: OpenLibrary,
    verdicts: Sequence[Verdict],
    not_run: Sequence[NotRun],
    seconds: float,
    failing: bool,
    show_all: bool,
) -> None:
    """A line for each case, then each wrong one in full, then a summary."""
    columns = width()
    names = [(v.case.unit_name, v.case.name) for v in verdicts] + [(c.unit_name, c.name) for c in not_run]
    blocks = min(max((len(unit) for unit, _ in names), default=0), 40)
    room = min(max((len(name) for _, name in names), default=0), max(20, columns - blocks - 40))
    wrong = [v for v in verdicts if v.status in ("failed", "fault")]
    listed = [v for v in verdicts if v.status != "passed" or not failing]
    if len(listed) > _MOST_LISTED and not show_all:
        listed = [v for v in verdicts if v.status != "passed"][:_MOST_LISTED]
        show_lines([[(f"  {len(verdicts) - len(listed):,} cases are not listed; --all lists all.", "dim")]])
    if listed:
        show_lines([line for v in listed for line in (verdict_line(v, blocks, room), *measure_lines(v))])
    left_out = not_run if show_all else not_run[:_MOST_LISTED]
    if left_out:
        show_lines([not_run_line(case, blocks, room, columns) for case in left_out])
    for verdict in wrong if show_all else wrong[:_MOST_IN_FULL]:
        show_lines([[], *failure_lines(verdict, columns), *_why(verdict)])
    if len(wrong) > _MOST_IN_FULL and not show_all:
        show_lines(
            [[(f"{plural(len(wrong) - _MOST_IN_FULL, 'more wrong case')}; name one to see it, or --all.", "warn")]]
        )
    elif (listed or left_out) and not wrong:
        show_lines([[]])
    if library.unread_files:
        show_lines(
            [[(f"{plural(library.unread_files, 'case file')} could not be read: its cases are not counted.", "bad")]]
        )
    show_lines([summary_line(verdicts, len(not_run), seconds)])


def _chosen(library: OpenLibrary, patterns: Sequence[str]) -> tuple[list[ReadyCase], list[NotRun]]:
    """The cases that the call names, those that can run and those that cannot."""
    everything: list[ReadyCase | NotRun] = [*library.cases, *library.not_run]
    if not library.case_files and not any(f.name in _HIDING_CASES for f in library.findings):
        stop("The library has no cases.", "Write case files (*.toml) in its folder cases.")
    for pattern in patterns:
        if not choose(everything, [pattern]):
            known = [name for case in everything for name in (case.unit_name, case.name)]
            near = nearest(pattern, known)
            unread = (
                f" {plural(library.unread_files, 'case file')} could not be read; upright check says why."
                if library.unread_files
                else ""
            )
            stop(
                f"No case is called {pattern}.{unread}",
                f"Did you mean {near}?" if near else "upright verify without a name runs all.",
            )
    chosen = choose(everything, patterns)
    return [c for c in chosen if isinstance(c, ReadyCase)], [c for c in chosen if isinstance(c, NotRun)]
