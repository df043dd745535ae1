"""``upright new``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import TemplateProblem, write_new
from upright_block.cli.common import show_lines, stop


@click.command("new", short_help="Start a library.", epilog="Example:  upright new my_blocks")
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
def command(folder: Path) -> None:
    """Start a library in DIR: a manifest, one block, and its cases, ready to verify."""
    try:
        written = write_new(folder)
    except TemplateProblem as problem:
        stop(problem.message, problem.way_out)
    show_lines([[(f"wrote {path.as_posix()}", "")] for path in written])
    show_lines([[], [(f"Try:  cd {folder}  and then  upright verify", "")]])
