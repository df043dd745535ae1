"""``upright desk``"""

from __future__ import annotations

import shlex
import sys

import click

from upright_block import OpenLibrary, UprightError
from upright_block.cli.common import library_named, library_option, show_lines, stop

_NOT_INSTALLED = "The desk needs the package textual: pip install 'upright-block[desk]'."


@click.command(
    "desk",
    short_help="Sit at a running block, program, configuration or case, in the whole terminal.",
    epilog="Examples:  upright desk VentDrive --given travel=5s"
    "    upright desk 'vent_drive/a windy day' --at 12s    upright desk Glasshouse --pace 1",
)
@click.argument("target")
@library_option
@click.option("--at", metavar="TIME", help="Begin with the scans before that time run.")
@click.option(
    "--given", metavar="NAME=VALUE", multiple=True, help="A constant, a setting or data, before the first scan."
)
@click.option("--scan", metavar="TIME", help="The time of a scan of a block or a program.")
@click.option(
    "--pace",
    metavar="machine|FACTOR",
    default="machine",
    help="Machine time, or 1 for that of the clock, or a multiple.",
)
@click.option("--watch", metavar="PATTERNS", help="What is watched; list NAME in the desk reads one of the library.")
@click.option("--session", metavar="NAME", help="Go on with a session that was left.")
def command(
    library: OpenLibrary,
    target: str,
    at: str | None,
    given: tuple[str, ...],
    scan: str | None,
    pace: str,
    watch: str | None,
    session: str | None,
) -> None:
    """Sit at TARGET while it runs: its text with values, what is watched, lanes, a log.

    ? in the desk lists the keys and the lines that can be typed.
    """
    try:
        from upright_block.desk import Screen
    except ImportError as problem:
        if problem.name and problem.name.partition(".")[0] in ("textual", "rich"):
            stop(_NOT_INSTALLED)
        raise
    from upright_block.desk import left, opened

    try:
        desk = opened(library, target, given, scan, session)
        if watch is not None:
            desk.watch_only([watch])
        if pace != "machine":
            desk.set_pace(pace)
        if at is not None:
            desk.go_to(at)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        stop("The desk needs a terminal.", "Call it in one; upright why and upright scan print what it shows.")
    Screen(desk).run()
    name, lines = left(desk, session)
    if name is not None:
        call = shlex.join(["upright", "desk", desk.target, "--session", name, *library_named()])
        lines.append([(f"The session is kept: {call}", "good")])
    show_lines(lines)
