"""``upright why``"""

from __future__ import annotations

import click

from upright_block import OpenLibrary, UprightError, Wishes
from upright_block.cli.common import library_option, show_json, show_lines, width
from upright_block.cli.driving import driving_options, refused, say_later
from upright_block.reports import fault_data, stop_lines, why_data, why_lines, wrong_data, wrong_lines


@click.command(
    "why",
    short_help="Tell why a signal has the value that it has.",
    epilog='Examples:  upright why "gives up when the limit never comes" stuck'
    "    upright why Glasshouse bay1_vent_up --set bay1_open_button=1@1s --at 2s",
)
@click.argument("target")
@click.argument("signal", required=False)
@library_option
@click.option(
    "--at",
    metavar="TIME",
    help="After the scan at that time, or before it. Default: where SIGNAL is wrong first, else the last one.",
)
@driving_options
@click.option("--into-rig", is_flag=True, help="Go on into the rig, which else is one reason.")
@click.option("--all", "show_all", is_flag=True, help="Print the whole tree.")
@click.option("--json", "as_json", is_flag=True, help="Print the tree as JSON.")
def command(
    library: OpenLibrary,
    target: str,
    signal: str | None,
    at: str | None,
    wishes: Wishes,
    into_rig: bool,
    show_all: bool,
    as_json: bool,
) -> None:
    """Tell why SIGNAL has its value after a scan of a run of TARGET: the statement that wrote it, the conditions under
    which that ran, the operands that decide, and so on, back to what nobody in the library decides.

    TARGET is a block, a program, a configuration, or a case. SIGNAL is any path, tag, point or bit, or an expression.
    Of a case without SIGNAL it is what is wrong first.
    """
    try:
        answer = library.why(target, signal, wishes, at, into_rig=into_rig, deep=show_all or as_json)
    except UprightError as problem:
        refused(problem, show_all)
    verdict, wrong = answer.verdict, answer.wrong
    if as_json:
        show_json(
            {
                "target": target,
                "case": answer.case.id if answer.case else None,
                "signal": signal,
                "scan": answer.node.scan,
                "time_ns": answer.timebase.time(answer.node.scan),
                "wrong": None if wrong is None or verdict is None else wrong_data(verdict, wrong),
                "fault": None if answer.fault is None else fault_data(answer.fault, answer.timebase),
                "tree": why_data(answer.node, answer.timebase),
            }
        )
        return
    lines = [*why_lines(answer.node, answer.timebase, width(), show_all)]
    if verdict is not None and wrong is not None:
        lines = [*wrong_lines(verdict, wrong), *lines]
    show_lines(lines)
    say_later(wishes, answer.timebase.time(answer.node.scan))
    if answer.fault is not None:
        show_lines([[], *stop_lines(answer.fault, answer.timebase)])
