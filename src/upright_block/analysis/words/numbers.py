"""What is said of arithmetic that gives another number than was meant."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def equal_reals(operator: str) -> Words:
    return Words(
        "equal-reals",
        f"Two REALs are compared with {operator}: after arithmetic they are hardly ever exactly equal.",
        f"Ask for a {'small' if operator == '=' else 'larger'} difference: ABS(a - b) "
        f"{'<' if operator == '=' else '>'} 0.01.",
    )


def whole_division(wanted: str, type_: str) -> Words:
    return Words(
        "whole-division",
        f"This division is one of {type_}: its fraction is cut off before the result becomes {wanted}.",
        f"Convert before dividing: {type_}_TO_{wanted}(...) / ...",
    )


def late_widening(operator: str, narrow: str, wide: str) -> Words:
    what = {"*": "product", "+": "sum", "-": "difference"}[operator]
    return Words(
        "late-widening",
        f"This {what} is computed as {narrow} and wraps at its limits, before it becomes {wide}.",
        f"Convert an operand first: {narrow}_TO_{wide}(...) {operator} ...",
    )
