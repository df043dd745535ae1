"""``upright demo``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import TemplateProblem, write_demo
from upright_block.cli.common import opened, show_lines, stop

_NEXT = (
    ("upright show VentDrive", "the block that moves a roof vent"),
    ("upright verify VentDrive", "its cases alone"),
    ("upright show bay3_vent_opened", "a tag's way from its point to the pins"),
    ("upright walk", "move each point by itself: does it reach its pin?"),
    ("cases/vent_drive.toml", "change one expected value and verify again"),
)


@click.command("demo", short_help="Copy and run the example.", epilog="Example:  upright demo")
@click.argument("folder", metavar="[DIR]", default="glasshouse", type=click.Path(path_type=Path))
def command(folder: Path) -> None:
    """Copy the example library, a glasshouse, to DIR (default: glasshouse), check it and run its cases."""
    from upright_block.cli.check import command as check
    from upright_block.cli.verify import verify

    try:
        written = write_demo(folder)
    except TemplateProblem as problem:
        stop(problem.message, problem.way_out)
    show_lines([[(f"Copied {len(written)} files to {folder.as_posix()}.", "")], [], [("$ upright check", "strong")]])
    try:
        check.main(["--library", str(folder)], standalone_mode=False)
    except SystemExit as ended:
        status = int(bool(ended.code))
    show_lines([[], [("$ upright verify", "strong")]])
    status |= verify(opened(folder))
    show_lines([[], [("Try next", "strong")], [("  cd ", ""), (folder.as_posix(), "name")]])
    show_lines([(f"  {call:<31}", "name"), (what, "dim")] for call, what in _NEXT)
    raise SystemExit(status)
