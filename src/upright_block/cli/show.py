"""``upright show``"""

from __future__ import annotations

from pathlib import Path

import click

from upright_block import OpenLibrary, UprightError
from upright_block.cli.common import (
    beside,
    library_option,
    only_with,
    picture_kind,
    propose,
    show_json,
    show_lines,
    stop,
    width,
    write_pages,
)
from upright_block.reports import (
    block_data,
    block_lines,
    configuration_data,
    configuration_lines,
    content_data,
    content_lines,
    function_data,
    function_lines,
    reference_data,
    reference_lines,
    run_lines,
    rung_pictures,
    tag_data,
    tag_lines,
    text_lines,
    use_data,
    wiring_pictures,
)


@click.command(
    "show",
    short_help="Draw a block, or show a tag, a wiring table, the tasks, or all there is.",
    epilog="Examples:  upright show    upright show VentDrive    upright show TON    upright show bay1_vent_opened",
)
@click.argument("name", required=False)
@library_option
@click.option(
    "--picture",
    metavar="FILE",
    type=click.Path(path_type=Path),
    help="Draw a wiring table, or with --as ladder rungs, into a .svg or .png file; several pages are numbered.",
)
@click.option("--as", "form", type=click.Choice(["text", "ladder"]), help="Print a unit as statements or as rungs.")
@click.option("--fold", is_flag=True, help="With --as ladder: carry a rung that is too wide on in the next one.")
@click.option("--write", is_flag=True, help="With --as: put it in place of what is there.")
@click.option("--json", "as_json", is_flag=True, help="Print the interface as JSON.")
def command(
    library: OpenLibrary,
    name: str | None,
    picture: Path | None,
    form: str | None,
    fold: bool,
    write: bool,
    as_json: bool,
) -> None:
    """Draw a block as a box with its pins, types and initial values, and list their comments.

    NAME is a block or function of the library, one of the standard, or a stand-in for a machine; without it all are
    listed. Of a configuration its tasks are listed; of a tag its whole way is shown, from its point to each pin that
    reads or writes it; of a variable, as in VentDrive.state, where it is declared, written and read; a wiring table is
    shown as the text that it means, or drawn as boxes and wires.
    """
    if name is None:
        if picture is not None:
            stop("--picture draws one wiring table.", "Name it.")
        if form is not None:
            stop("--as prints one unit.", "Name it.")
        if as_json:
            show_json(content_data([*library.units, *library.configurations], library.stand_ins))
        else:
            show_lines(content_lines([*library.units, *library.configurations], library.stand_ins, width()))
        return
    if form is None:
        only_with("--as", "--fold", "--write")
    else:
        beside("--as", "NAME", "--fold", "--write", "--picture")
        if form != "ladder":
            only_with("--as ladder", "--fold", "--picture")
        try:
            if picture is not None:
                beside("--picture", "NAME", "--as", "--fold")
                _draw_rungs(library, name, picture, fold)
                return
            if write:
                _turn(library, name, form, fold)
                return
            text = library.text_of(name, form, fold)
        except UprightError as problem:
            stop(problem.message, problem.way_out)
        show_lines([[(line, "")] for line in text.splitlines()])
        return
    if picture is not None:
        beside("--picture", "NAME")
        _draw(library, name, picture)
        return
    tag = library.tag(name)
    if tag is not None:
        uses, standing = library.uses_of(tag), library.standing(tag)
        if as_json:
            show_json(tag_data(tag, standing) | {"uses": [use_data(use) for use in uses]})
        else:
            show_lines(tag_lines(tag, library.tags, uses, standing))
        return
    unit = library.find(name)
    function = library.function(name)
    if unit is None and function is not None:
        if as_json:
            show_json(function_data(function))
        else:
            show_lines(function_lines(function))
        return
    if unit is None and library.names_data(name):
        _show_references(library, name, as_json)
        return
    if unit is None:
        stop(f"There is no block or tag {name}.", library.did_you_mean(name))
    is_configuration = unit.kind == "CONFIGURATION"
    if as_json:
        data = configuration_data(unit, library.timebase(unit)) if is_configuration else block_data(unit)
        if not unit.is_standard:
            data["uses"] = [reference_data(reference) for reference in library.references(unit.full_name)]
        show_json(data)
        return
    if is_configuration:
        show_lines(configuration_lines(unit, library.timebase(unit), width()))
    elif unit.is_wired:
        show_lines(text_lines(unit))
    else:
        show_lines(block_lines(unit, width()))
        if unit.kind == "PROGRAM":
            show_lines([[], *run_lines(unit, library.configurations, width())])
    if not is_configuration and not unit.is_wired and not unit.is_standard:
        used = [r for r in library.references(unit.full_name) if r.kind != "declared"]
        show_lines([[], *reference_lines(used, width())] if used else [])
    if unit.is_broken:
        show_lines([[], [("This block has errors: upright check lists them.", "bad")]])


def _draw_rungs(library: OpenLibrary, name: str, file: Path, fold: bool) -> None:
    kind, unit = picture_kind(file), library.written_unit(name)
    title = f"{library.name} {library.version}".strip()
    write_pages(file, rung_pictures(unit, kind, title, folds=fold))


def _turn(library: OpenLibrary, name: str, form: str, fold: bool) -> None:
    """Put the bodies of a unit in a form in its file."""
    changes = library.turned(name, form, fold)
    if changes:
        propose(library, changes, write=True)
    else:
        show_lines([[(f"{name} is written so already.", "good")]])


def _show_references(library: OpenLibrary, path: str, as_json: bool) -> None:
    try:
        found = library.references(path)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    if as_json:
        show_json([reference_data(reference) for reference in found])
    else:
        show_lines(reference_lines(found, width()))


def _draw(library: OpenLibrary, name: str, file: Path) -> None:
    kind = picture_kind(file)
    try:
        unit = library.wiring(name)
    except UprightError as problem:
        stop(problem.message, problem.way_out)
    write_pages(file, wiring_pictures(unit, kind))
