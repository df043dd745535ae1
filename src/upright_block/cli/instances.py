"""``upright instances``"""

from __future__ import annotations

from fnmatch import fnmatchcase
from pathlib import Path

import click

from upright_block import OpenLibrary, UprightError, did_you_mean
from upright_block.cli.common import (
    beside,
    export_option,
    export_rows,
    library_option,
    only_with,
    plural,
    propose,
    show_json,
    show_lines,
    stop,
    width,
)
from upright_block.reports import (
    instance_data,
    instance_list,
    instance_rows,
    retained_data,
    retained_list,
    retained_rows,
)


@click.command(
    "instances",
    short_help="List every instance.",
    epilog='Examples:  upright instances    upright instances "roof.*" --block VentDrive',
)
@click.argument("patterns", nargs=-1)
@library_option
@click.option("--configuration", metavar="NAME", help="The configuration, where the library has several.")
@click.option("--block", help="Only instances of this block.")
@click.option("--all", "show_all", is_flag=True, help="Those of standard blocks too, such as timers.")
@click.option("--retained", is_flag=True, help="List what is kept over a loss of power, and not the instances.")
@click.option(
    "--put-in-order", metavar="TABLE", help="Order a wiring table so that each row runs behind those that it reads."
)
@click.option("--write", is_flag=True, help="With --put-in-order: write the table, and not only show the difference.")
@export_option("them")
@click.option("--json", "as_json", is_flag=True, help="Print the instances as JSON.")
def command(
    library: OpenLibrary,
    patterns: tuple[str, ...],
    configuration: str | None,
    block: str | None,
    show_all: bool,
    retained: bool,
    put_in_order: str | None,
    write: bool,
    export: Path | None,
    as_json: bool,
) -> None:
    """List every instance of a configuration: its block, where it stands, its settings and what is wired to it.

    PATTERNS are paths; * and ? stand for any characters.
    """
    if put_in_order is not None:
        beside("--put-in-order", "--write")
        _put_in_order(library, put_in_order, write)
        return
    only_with("--put-in-order", "--write")
    if retained:
        beside("--retained", "--configuration", "PATTERNS", "--export", "--json")
        _retained(library, configuration, patterns, export, as_json)
        return
    try:
        found = library.instances(configuration, show_all)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if patterns:
        missed = next((pattern for pattern in patterns if not any(_fits(i.path, pattern) for i in found)), None)
        if missed is not None:
            near = did_you_mean(missed, (i.path for i in found))
            stop(
                f"There is no instance {missed}.",
                near or "* and ? stand for any characters; brackets are those of an index.",
            )
        found = [i for i in found if any(_fits(i.path, pattern) for pattern in patterns)]
    if block is not None:
        blocks = {i.unit.name.upper(): i.unit.name for i in found}
        if block.upper() not in blocks:
            stop(f"There is no instance of {block} here.", did_you_mean(block, blocks.values()))
        found = [i for i in found if i.unit.name.upper() == block.upper()]
    if export is not None:
        beside("--export", "PATTERNS", "--configuration", "--block", "--all")
        export_rows(instance_rows(found), export)
        return
    if as_json:
        show_json([instance_data(instance) for instance in found])
        return
    show_lines([*instance_list(found, width()), [], [(f"{plural(len(found), 'instance')}.", "dim")]])


def _put_in_order(library: OpenLibrary, name: str, write: bool) -> None:
    try:
        changes = library.put_in_order(name)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    propose(library, changes, write)


def _retained(
    library: OpenLibrary, configuration: str | None, patterns: tuple[str, ...], export: Path | None, as_json: bool
) -> None:
    try:
        found = library.retained(configuration)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    for pattern in patterns:
        if not any(_fits(each.signal.path, pattern) for each in found):
            stop(f"Nothing that is kept is called {pattern}.", "Without a name all of it is listed.")
    found = [each for each in found if not patterns or any(_fits(each.signal.path, p) for p in patterns)]
    if export is not None:
        export_rows(retained_rows(found), export)
    elif as_json:
        show_json([retained_data(each) for each in found])
    elif not found:
        show_lines([[("Nothing is kept over a loss of power: no variable is RETAIN, and no tag.", "warn")]])
    else:
        size = sum(each.size for each in found)
        total = f"{plural(len(found), 'value')}, {plural(size, 'byte')}."
        show_lines([*retained_list(found, width()), [], [(total, "dim")]])


def _fits(path: str, pattern: str) -> bool:
    """Whether a path fits a pattern, letter case ignored; brackets in it are those of an index."""
    return fnmatchcase(path.upper(), pattern.upper().replace("[", "[[]"))
