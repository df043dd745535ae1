"""What is said of conditions that decide nothing, statements that cannot run, and loops."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def fixed(value: bool, what: str, is_written: bool) -> Words:
    """Of a condition that is always the same, by itself or by what holds where it is asked."""
    why = "" if is_written else " here, by what holds before"
    shown = "TRUE" if value else "FALSE"
    return Words(
        "fixed-condition",
        f"This condition is always {shown}{why}, so {what} never runs.",
        "Correct the condition, or remove what never runs.",
    )


def fixed_value(name: str, value: bool) -> Words:
    shown = "TRUE" if value else "FALSE"
    return Words(
        "fixed-condition",
        f"What {name} gets here is always {shown}, whatever its operands are.",
        f"Correct the expression, or write {shown}.",
    )


def never_turns() -> Words:
    return Words("fixed-condition", "This loop never takes a turn.", "Correct its condition or its ends, or remove it.")


def unreached_label(what: str) -> Words:
    return Words(
        "fixed-condition",
        f"{what} never has one of these values here, so this branch never runs.",
        "Correct the label, or remove the branch.",
    )


def unreached(leaving: str, line: int) -> Words:
    return Words(
        "unreached-statement",
        f"Nothing runs from here on: {leaving} in line {line} always leaves before.",
        "Remove it, or put a condition around what leaves.",
    )


def never_clears() -> Words:
    return Words(
        "never-clears", "This transition never clears: its condition contradicts itself.", "Correct the condition."
    )


def beyond_array(index: str, low: int, high: int, first: int, last: int) -> Words:
    return Words(
        "beyond-array",
        f"{index} goes from {low} to {high}, and the array has elements {first} to {last}: the scan stops "
        "with a fault.",
        f"Let the loop go from {first} to {last}.",
    )


def after_loop(name: str, line: int) -> Words:
    return Words(
        "counter-after-loop",
        f"{name} counts the loop in line {line}; what it is behind the loop differs between controllers (7.3.3.4.2).",
        "Keep what is wanted in a variable of its own.",
    )


def read_too_early(name: str, line: int) -> Words:
    return Words(
        "read-too-early",
        f"{name} is read before it is set in line {line}: at this moment it is its initial value, in every call.",
        "Set it first.",
    )
