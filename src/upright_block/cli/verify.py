"""``upright verify``"""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence
from contextlib import nullcontext
from typing import TYPE_CHECKING, Any

import click

from upright_block.cases.plan import Plan
from upright_block.cases.suite import Suite, choose, load_suite, matches
from upright_block.cli.common import library_option, show_json, show_lines, stop, width
from upright_block.library import Library

if TYPE_CHECKING:
    from upright_block.cases.verdict import Verdict


@click.command(
    "verify",
    short_help="Run the cases.",
    epilog="Examples:  upright verify    upright verify VentDrive    upright verify 'alarm/*twice*'",
)
@click.argument("cases", nargs=-1)
@library_option
@click.option("--json", "as_json", is_flag=True, help="Print the verdicts as JSON.")
@click.option("--failing", is_flag=True, help="Leave the cases that are good out of the list.")
def command(library: Library, cases: tuple[str, ...], as_json: bool, failing: bool) -> None:
    """Run the cases of a library and show what was not as expected.

    CASES choose cases by a part of their name, their block or their file (* and ? stand for any
    characters), or by the path of a case file. Without CASES all are run.

    The exit status is 1 when a case is wrong, or could not be run.
    """
    raise SystemExit(verify(library, cases, as_json, failing))


def verify(
    library: Library, patterns: Sequence[str] = (), as_json: bool = False, failing: bool = False
) -> int:
    """Run the chosen cases, print what came of them, and return the exit status."""
    from upright_block.cases.runner import run_plans
    from upright_block.reports.findings import finding_data, finding_lines
    from upright_block.reports.verdicts import failure_lines, summary_line, verdict_data, verdict_line

    suite = load_suite(library)
    plans = _chosen(suite, patterns)
    errors = [f for f in (*library.findings, *suite.findings) if f.severity == "error"]
    began = time.perf_counter()
    with _progress(len(plans)) as advance:
        verdicts = run_plans(plans, advance, library.manifest.overflow == "fault")
    seconds = time.perf_counter() - began
    failed = bool(errors) or suite.blocked > 0 or any(v.status != "passed" for v in verdicts)
    if as_json:
        show_json(
            {
                "library": library.manifest.name,
                "cases": [verdict_data(v) for v in verdicts],
                "not_run": suite.blocked + suite.unusable,
                "findings": [finding_data(f) for f in errors],
            }
        )
        return int(failed)
    columns = width()
    for finding in errors:
        show_lines([*finding_lines(finding), []])
    blocks = max((len(v.plan.unit.name) for v in verdicts), default=0)
    names = min(max((len(v.plan.case.name) for v in verdicts), default=0), max(20, columns - blocks - 34))
    shown = [v for v in verdicts if v.status != "passed" or not failing]
    show_lines([verdict_line(v, blocks, names) for v in shown])
    wrong = [v for v in verdicts if v.status != "passed"]
    for verdict in wrong:
        show_lines([[], *failure_lines(verdict, columns)])
    if shown and not wrong:
        show_lines([[]])
    show_lines([summary_line(verdicts, suite.blocked + suite.unusable, seconds)])
    return int(failed)


def _chosen(suite: Suite, patterns: Sequence[str]) -> list[Plan]:
    from upright_block.language.names import nearest

    plans = choose(suite.plans, patterns)
    for pattern in patterns:
        if not any(matches(plan, pattern) for plan in plans):
            near = nearest(
                pattern, [name for plan in suite.plans for name in (plan.unit.name, plan.case.name)]
            )
            stop(
                f"No case is called {pattern}.",
                f"Did you mean {near}?" if near else "upright verify without a name runs all.",
            )
    if not (suite.plans or suite.findings or suite.blocked or suite.unusable):
        stop("The library has no cases.", "Write case files (*.toml) in its folder cases.")
    return plans


def _progress(total: int) -> Any:
    """A context that gives a function to call with each verdict; it shows a bar on a terminal after a second."""
    if not sys.stderr.isatty() or total < 200:
        return nullcontext(lambda verdict: None)
    return _Bar(total)


class _Bar:
    """A progress bar on standard error that appears only when the work takes over a second."""

    def __init__(self, total: int) -> None:
        from rich.console import Console
        from rich.progress import Progress

        self.began = time.perf_counter()
        self.progress = Progress(console=Console(stderr=True), transient=True)
        self.task = self.progress.add_task("running cases", total=total)
        self.shown = False

    def __enter__(self) -> Any:
        return self.advance

    def advance(self, verdict: Verdict) -> None:
        if not self.shown and time.perf_counter() - self.began > 1:
            self.shown = True
            self.progress.start()
        self.progress.advance(self.task)

    def __exit__(self, *_: object) -> None:
        if self.shown:
            self.progress.stop()
