"""What is said of the rows and cells of wiring tables."""

from __future__ import annotations

from upright_block.language.limits import MOST_INSTANCES
from upright_block.language.telling.findings import Words


def missing_order() -> Words:
    return Words(
        "missing-order", "Some rows have an order and this one has none.", "Write its number, or empty the column."
    )


def bad_order(text: str) -> Words:
    return Words("bad-value", f"{text} is no number.", "Write one such as 10; rows run from the least to the greatest.")


def too_many_instances() -> Words:
    return Words("too-long", f"The table makes more than {MOST_INSTANCES:,} instances.", "Use smaller ranges.")


def unequal_ranges(first: int, other: int) -> Words:
    return Words(
        "unequal-ranges",
        f"This has one for each of {other} instances, and the row has {first}.",
        "Write ranges and lists of one length; they are taken side by side.",
    )


def range_of_one(name: str, length: int) -> Words:
    return Words(
        "unequal-ranges",
        f"This has one for each of {length} instances, and the row names one: {name}.",
        f"Name as many, as in {name}[1..{length}], or write one value.",
    )


def decimal_comma(text: str, point: str) -> Words:
    return Words("bad-value", f"{text} is no number.", f"Write a point: {point}.")


def missing_cell(column: str) -> Words:
    return Words("missing-cell", f"The row has no {column}.", f"Write it in the column {column}.")


def bad_instance(text: str) -> Words:
    return Words(
        "bad-name",
        f"{text} is no name of an instance.",
        "Write one such as Vent01, a range such as Vent[01..12], or an element such as Vent[3].",
    )


def other_block(stem: str, block: str) -> Words:
    return Words(
        "type-mismatch",
        f"The elements of {stem} are instances of {block}.",
        "Write the same block in each of their rows.",
    )


def element_twice(name: str) -> Words:
    return Words("name-twice", f"{name} stands in two rows.", "Give one of the two another number.")


def result_of_block(block: str) -> Words:
    return Words(
        "wrong-direction",
        f"{block} is a block and has no result; only a function or an operator has.",
        "Write -> tag in the column of an output.",
    )


def result_without_arrow(text: str) -> Words:
    return Words("wrong-direction", f"The result goes to {text} only with an arrow.", f"Write -> {text}.")
