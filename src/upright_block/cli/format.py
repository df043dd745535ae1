"""``upright format``"""

from __future__ import annotations

import click

from upright_block import OpenLibrary, UprightError
from upright_block.cli.common import library_option, propose, show_lines, stop


@click.command(
    "format",
    short_help="Put the rungs of ladders in order.",
    epilog="Examples:  upright format    upright format VentDrive --write",
)
@click.argument("names", metavar="[UNIT]...", nargs=-1)
@library_option
@click.option("--write", is_flag=True, help="Write, and not only show the difference.")
def command(library: OpenLibrary, names: tuple[str, ...], write: bool) -> None:
    """Put rungs in order that cannot be read as they are: rails, names beside their elements, signs, characters that
    look like those of a ladder. Links and joints are never guessed, and a rung that reads well is not touched.

    Without UNIT that is done to all ladders of the library.
    """
    try:
        changes = library.mended_rungs(names)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if changes:
        propose(library, changes, write)
    else:
        show_lines([[("The rungs are in order, or have mistakes that need a person: upright check.", "good")]])
