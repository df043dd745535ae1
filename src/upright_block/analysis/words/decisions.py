"""What is said of conditions that decide nothing, statements that cannot run, and loops."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.names import listed
from upright_block.language.telling.findings import Words


def fixed(value: bool, what: str, cause: str) -> Words:
    """Of a condition that is always the same, and why."""
    return Words(
        "fixed-condition",
        f"This condition is always {_shown(value)}{cause and ': '}{cause}. So {what} never runs.",
        "Correct the condition, or remove what never runs.",
    )


def fixed_value(name: str, value: bool, cause: str) -> Words:
    return Words(
        "fixed-condition",
        f"What {name} gets here is always {_shown(value)}{': ' if cause else ', whatever its operands are'}{cause}.",
        f"Correct the expression, or write {_shown(value)}.",
    )


def always(text: str, value: bool) -> str:
    return f"{text} is always {_shown(value)}"


def excluding(first: str, second: str, value: bool) -> str:
    return f"one of {first} and {second} is always TRUE" if value else f"{first} and {second} are never TRUE together"


def modulus_of_zero(text: str) -> str:
    return f"{text} is always 0, since MOD by zero is zero"


def within(text: str, low: str, high: str) -> str:
    return f"{text} is always {low}" if low == high else f"{text} is {low} to {high}"


def decided_by(condition: str, line: int, is_around: bool) -> str:
    return f"line {line} decides it, where {condition} is {_shown(is_around)}"


def decided_by_lines(lines: Sequence[int]) -> str:
    first, last = listed(map(str, lines[:-1])), lines[-1]
    return f"the conditions in lines {first} and {last} decide it together"


def given_before(name: str, line: int) -> str:
    return f"line {line} decides it, where {name} gets its value"


def decided_together() -> str:
    return "what stands before decides it"


def _shown(value: bool) -> str:
    return "TRUE" if value else "FALSE"


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
