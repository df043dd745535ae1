"""``upright scan``"""

from __future__ import annotations

import click

from upright_block import OpenLibrary, UprightError, Wishes
from upright_block.cli.common import library_option, refuse, show_json, show_lines, width
from upright_block.cli.driving import driving_options, refused, say_later
from upright_block.reports import order_lines, rung_data, rung_lines, scan_data, scan_head, scan_lines, stop_lines


@click.command(
    "scan",
    short_help="Show one scan as it ran, statement by statement.",
    epilog="Examples:  upright scan VentDrive --set open=1@1s --at 1s"
    "    upright scan Glasshouse --in roof --set bay1_open_button=1@2s --at 2s",
)
@click.argument("target")
@library_option
@click.option("--at", metavar="TIME", help="The scan at that time, or the one before it. Default: the last one.")
@click.option(
    "--in",
    "instance",
    metavar="INSTANCE",
    default="",
    help="The instance whose text is shown, NAME#2 in its second call; or a unit as it was called: NAME@FILE:LINE.",
)
@click.option("--order", is_flag=True, help="All statements of the scan in the order in which they ran.")
@click.option("--as", "form", type=click.Choice(["ladder"]), help="The rungs that it is, and what conducts in them.")
@driving_options
@click.option("--all", "show_all", is_flag=True, help="Print a long text whole.")
@click.option("--json", "as_json", is_flag=True, help="Print the statements as JSON.")
def command(
    library: OpenLibrary,
    target: str,
    at: str | None,
    instance: str,
    order: bool,
    form: str | None,
    wishes: Wishes,
    show_all: bool,
    as_json: bool,
) -> None:
    """Show one scan of a run of TARGET as it ran: what each statement read and wrote, and which way it went.

    TARGET is a block, a program, a configuration, or a case. What is shown is what the compiled program did.
    """
    if order:
        refuse("--order", "--in", "--as", "--all")
    if form:
        refuse("--as", "--all")
    try:
        found = library.scan_of(target, wishes, at)
        entries = found.in_order() if order else found.of_instance(instance)
    except UprightError as problem:
        refused(problem, show_all)
    if as_json:
        rungs = {"rungs": rung_data(entries)} if form else {}
        show_json(scan_data(target, found, instance, entries) | rungs)
        return
    text = order_lines(entries) if order else scan_lines(entries, width(), show_all)
    lines = rung_lines(entries) if form else [*text]
    show_lines([scan_head(target, found, () if order else entries), [], *lines])
    say_later(wishes, found.time)
    if not found.scan.is_whole:
        show_lines([[], [("The scan does more than can be shown; the rest is left out.", "warn")]])
    if found.fault is not None:
        show_lines([[], *stop_lines(found.fault, found.timebase)])
