"""What is said of a call in Python, or of the command line, that cannot be done."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from upright_block.asking import asked
from upright_block.errors import Said
from upright_block.language.names import listed

if TYPE_CHECKING:
    from upright_block.compiler.artifact import Site


def several_cases(count: int, name: str, first: str) -> Said:
    return f"{count} cases are called {name}.", f"Name one, such as {first}."


def no_such_unit(name: str, near: str) -> Said:
    return f"There is no unit {name}.", near


def unit_of_the_standard(unit: str) -> Said:
    return f"{unit} is of the standard, and is not drawn.", "Name a unit of the library."


def no_body_here(unit: str) -> Said:
    return f"{unit} has no body that the library writes.", "Name a block, a function or a program of the library."


def too_deep(unit: str) -> Said:
    return f"The branches in a rung of {unit} are nested deeper than statements may be.", "Divide the rung."


def stays_a_table(unit: str) -> Said:
    return f"{unit} is a wiring table, which has no other form.", f"Leave {asked('write')} out to see it in this one."


def no_programs() -> Said:
    return "The library has no programs.", "Write one into programs, or a table into wiring."


def several_configurations(names: str) -> Said:
    return f"The library has several configurations: {names}.", f"Name one with {asked('configuration')}."


def is_there(name: str) -> Said:
    return f"{name} is there already; nothing was written.", "Rename or remove it first."


def no_units() -> Said:
    return "The library has no units.", "Write a block into the folder blocks."


def no_such_configuration(name: str, near: str) -> Said:
    return f"There is no configuration {name}.", near


def no_such_block(name: str, near: str) -> Said:
    return f"There is no block {name}.", near


def case_has_its_scan() -> Said:
    return "A case has its own scan.", without_scan()


def without_scan() -> str:
    return f"Leave {asked('scan')} out."


def nothing_to_compare(against: str) -> Said:
    return (
        f"Nothing of the run can be compared with {against}: no signal has values at the same time in both.",
        f"Watch a signal that it has: {asked('watch')}.",
    )


def stops_at_once(configuration: str, site: Site) -> Said:
    return (
        f"{configuration} stops in its first scan: {site.kind}, {site.source.shown_line(site.start)}.",
        "Mend that first: nothing moves in a controller that stopped.",
    )


def no_such_case(against: str) -> Said:
    return f"There is no case {against}.", "Name a case, or a .csv or .vcd file."


def trace_is_empty(file: str) -> Said:
    return f"{file} holds no values.", "Name a trace that upright run has written."


def table_is_there(table: str) -> Said:
    return f"{table} is there already.", "Choose another name for the case."


def no_such_table(name: str, near: str) -> Said:
    return f"There is no wiring table {name}.", near or "The tables are in the folder wiring."


def no_case_name(text: str) -> Said:
    return f"{text} names no file and case.", "Write FILE/NAME, as in vent_drive/by hand."


def not_a_table(name: str, tables: Sequence[str]) -> Said:
    which = f"This library has {listed(tables)}." if tables else "This library has none."
    return f"{name} is no wiring table, and only these are drawn.", f"{which} upright show {name} prints its box here."


def workbook_not_ordered(path: str) -> Said:
    return f"{path} is a workbook.", "Save the sheet as CSV, or order it there."


def no_tags() -> Said:
    return "The library has no tags.", "Write a table into the folder tags."


def no_approved_map(name: str, problem: object) -> Said:
    return f"{name} is no approved map: {problem}.", "Approve the wiring again with upright walk."


def no_single_value(path: str) -> Said:
    return f"{path} is no single value.", "Name one that it holds."


def nothing_ran(path: str) -> Said:
    return f"{path} has no reasons yet: no scan has run, or it is a constant.", "Run a scan first."


def no_statement_ahead(scans: int) -> Said:
    return (
        f"No statement runs in the next {scans:,} scans.",
        "Bring the power back, or run scans until a task is due.",
    )


def never_written(path: str) -> Said:
    return f"No statement has written {path} until now.", "Ask why it has its value: why."


def nothing_ran_before() -> Said:
    return "No statement ran before this moment.", "Go on from here."


def too_long_to_follow(time: str) -> Said:
    return (
        f"The scan at {time} does more than can be followed statement by statement.",
        "Run the scan whole, or follow a smaller part of it.",
    )


def no_bool(path: str) -> Said:
    return f"{path} is no BOOL.", "Set it to a value: set."


def nothing_wrong(target: str, is_case: bool) -> Said:
    if is_case:
        return f"Nothing is wrong in {target}.", f"Name a signal: why CASE SIGNAL {asked('at')} TIME."
    return f"{target} is no case, so nothing of it is wrong by itself.", "Name a signal."


def case_not_run(case: str, reason: str) -> Said:
    return f"{case} cannot be run: {reason}", "upright check lists what is wrong with it."
