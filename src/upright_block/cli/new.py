"""``upright new``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import OpenLibrary, TemplateProblem, UprightError, open_library, write_new
from upright_block.cli.common import only_with, show_lines, stop
from upright_block.reports import Line


@click.command(
    "new",
    short_help="Start a library, or a rig for one of its blocks.",
    epilog="Examples:  upright new my_blocks    upright new --with-rig VentDrive",
)
@click.argument("folder", metavar="[DIR]", required=False, type=click.Path(path_type=Path))
@click.option("--with-rig", "block", metavar="BLOCK", help="Write a rig for BLOCK, with a stand-in for its machine.")
@click.option("--stand-in", metavar="NAME", help="The stand-in to take. Default: the one whose pins fit best.")
def command(folder: Path | None, block: str | None, stand_in: str | None) -> None:
    """Start a library in DIR: a manifest, one block, and its cases, ready to verify.

    With --with-rig a program that connects BLOCK, of the library in DIR or here, with a block that stands in for its
    machine, and a case to fill in. upright show lists the stand-ins.
    """
    if block is not None:
        _rig(folder or Path(), block, stand_in)
        return
    only_with("--with-rig", "--stand-in")
    if folder is None:
        stop("DIR is missing.", "Name the folder for the library, as in upright new my_blocks.")
    try:
        written = write_new(folder)
    except TemplateProblem as problem:
        stop(problem.message, problem.way_out)
    show_lines([[(f"wrote {path.as_posix()}", "")] for path in written])
    show_lines([[], [(f"Try:  cd {folder}  and then  upright verify", "")]])


def _rig(folder: Path, block: str, stand_in: str | None) -> None:
    try:
        library: OpenLibrary = open_library(folder)
        rig, files = library.write_rig(block, stand_in)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    show_lines([[(f"wrote {path.relative_to(library.root).as_posix()}", "")] for path in files])
    pairs: list[Line] = [[(f"  unit.{own} and machine.{other}", "")] for own, other in rig.pairs]
    said = (
        "Connected by their names; look whether that is right:"
        if pairs
        else "No pins fit by their names; connect them."
    )
    show_lines([[], [(said, "")], *pairs, [], [(f"Try:  upright verify --record {rig.name}", "")]])
