"""What is said of variables that nobody writes, reads or uses."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.telling.findings import Words

_KINDS = {"input": "input", "output": "output", "in_out": "in-out", "temp": "variable", "private": "variable"}


def kind_of(variable: typed.Variable) -> str:
    """What a variable is called by its section."""
    return _KINDS.get(variable.section, "variable")


def output_never_written(variable: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "never-written",
        f"{unit.name} never sets its output {variable.name}, so it keeps its initial value.",
        f"Write {variable.name} := ...; or remove it.",
    )


def variable_never_written(variable: typed.Variable) -> Words:
    return Words(
        "never-written",
        f"{variable.name} is read and never set: it is {_initial(variable)} for ever.",
        f"Set {variable.name}, or make it a VAR CONSTANT.",
    )


def _initial(variable: typed.Variable) -> str:
    if variable.type.name == "BOOL":
        return "FALSE"
    return "0" if variable.type.family in ("signed", "unsigned", "real", "bits") else "as it is at first"


def input_never_read(variable: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "never-read",
        f"Nothing in {unit.name} reads its {kind_of(variable)} {variable.name}.",
        f"Use {variable.name}, or remove it.",
    )


def variable_never_read(variable: typed.Variable) -> Words:
    return Words(
        "never-read", f"{variable.name} is set and never read.", f"Use {variable.name}, or remove it and what sets it."
    )


def never_used(variable: typed.Variable, unit: typed.Unit) -> Words:
    return Words("never-used", f"Nothing in {unit.name} uses {variable.name}.", "Remove it.")


def never_called(variable: typed.Variable, block: typed.Unit, is_read: bool) -> Words:
    said = "and read, but it never runs" if is_read else "but it never runs"
    return Words(
        "never-called",
        f"The {block.name} {variable.name} is declared {said}: nothing calls it.",
        f"Call it in each scan: {variable.name}(...);",
    )


def hidden_global(variable: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "hidden-global",
        f"{variable.name} of {unit.name} hides the global variable of that name: {unit.name} does not see that one.",
        "Give one of the two another name.",
    )
