"""What is said where a run is to become a case."""

from __future__ import annotations

from upright_block.errors import Said


def run_with_fault_saved() -> Said:
    return "A run that stopped with a fault is no case.", "Mend the fault, or run shorter."


def lost_in_a_case() -> Said:
    return "What is lost in a case is no column.", "Save the run of a case without it."


def unnamed_drive(unnamed: str) -> Said:
    return f"{unnamed} is driven without being named.", "Name it in a column of the case first."


def case_is_there(stem: str, name: str) -> Said:
    return f"There is a case {stem}/{name} already.", "Choose another name, or remove it first."


def no_case_runs(stem: str) -> Said:
    return f"No case of {stem}.toml can be run, so nothing is added to it.", "upright check says why."


def other_subject(stem: str, own: str, other: str) -> Said:
    return f"{stem}.toml is for {own}, the run for {other}.", "Name another file."
