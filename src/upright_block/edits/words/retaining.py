"""What is said of values that are to be kept."""

from __future__ import annotations

from upright_block.errors import Said


def run_with_fault_kept() -> Said:
    return "The values of a run that stopped with a fault are not kept.", "Mend the fault, or run shorter."


def not_kept(pattern: str, near: str) -> Said:
    return f"{pattern} is no value that can be kept.", near


def nothing_to_keep(unit: str, pattern: str) -> Said:
    return (
        f"No input and no private variable of {unit} is called {pattern}.",
        "Name data of an instance by its whole path.",
    )
