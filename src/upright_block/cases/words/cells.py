"""What is said of the text of a cell."""

from __future__ import annotations

from upright_block.errors import Said
from upright_block.language.types import Type


def space_in_literal(text: str, spaced: str) -> Said:
    return f"{text} has a space in it.", f"Write {spaced}."


def no_unit(text: str) -> Said:
    return f"{text} has no unit of time.", f"Write {text}s, or another unit."


def no_clock(text: str) -> Said:
    return f"{text} is no date.", "Write one such as 2026-03-29-06:00:00."


def no_time_above_zero(given: object) -> Said:
    return f"{given} is no time above zero.", 'Write one such as "100ms".'


def no_time_of_python(given: object) -> Said:
    kind = type(given).__name__
    return f"{given!r} is no time ({kind}).", 'Give a text such as "100ms", an int in ns, or a timedelta.'


def no_reference(text: str) -> Said:
    return f"{text} is no reference.", "Only NULL can be written; check what it refers to."


def no_value(text: str) -> Said:
    return f"{text} is no value.", "An empty cell, or one with a point, says nothing."


def decimal_comma(text: str, before: str, behind: str) -> Said:
    return f"{text} has a decimal comma.", f"Write {before}.{behind}."


def no_inequality(text: str, sign: str, number: str) -> Said:
    return f"{text} is no check.", f"Write {sign}{number}."


def lacks_an_end(text: str, sign: str, tail: str) -> Said:
    return f"{text} lacks one of its ends.", f"Write {sign}{tail}, or both ends, as in 1..5."


def space_in_check(text: str, together: str) -> Said:
    return f"{text} has a space in it.", f"Write {together}."


def fraction_of_whole(text: str, type_: Type, whole: str, also: str) -> Said:
    return f"{text} has a fraction or an exponent; {type_} has none.", f"Write {whole}{also}."


def too_many_characters(text: str, count: int, type_: Type, capacity: int) -> Said:
    return f"{text} has {count} characters.", f"{type_} holds {capacity}."


def no_order(text: str, what: str) -> Said:
    return f"{text} needs values with an order; {what} has none.", "Write one value."


def tolerance_below_zero(text: str) -> Said:
    return f"{text} has a tolerance below zero.", "Write one such as 20±0.5."


def no_neighbour(type_: Type, side: str, limit: str) -> Said:
    return f"No {type_} is {side} {limit}.", "Choose another limit."


def no_duration(text: str) -> Said:
    return f"{text} is no duration.", "Write one such as 1m30s or T#1m30s."


def other_type(text: str, found: Type, type_: Type) -> Said:
    return f"{text} is {found}, and the pin is {type_}.", f"Write a {type_}."


def two_inequalities(text: str, rest: str) -> Said:
    return f"{text} is no check.", f"Write !{rest}."


def empty_range(text: str, low_text: str, high_text: str) -> Said:
    return f"{text} is empty: {low_text} is above {high_text}.", f"Write {high_text}..{low_text}."


def no_tolerance(text: str) -> Said:
    return f"{text} is no number with a tolerance.", "Write one such as 20±0.5."
