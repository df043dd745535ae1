"""What is said of operators and their operands."""

from __future__ import annotations

from upright_block.language import syntax
from upright_block.language.telling.findings import Words
from upright_block.language.types import Elementary, Type, is_integer, is_real

_VERBS = {
    **dict.fromkeys(("=", "<>", "<", ">", "<=", ">="), "compare"),
    "+": "add",
    "-": "subtract",
    "*": "multiply",
    "/": "divide",
    "MOD": "take the remainder of",
}


def compared_as(shown: str, type_: Type, wanted: str) -> Words:
    return Words(
        "type-mismatch",
        f"{shown} is {type_}, and its contact compares {wanted}.",
        f"Write {type_} there, or convert it.",
    )


def not_of(shown: str, type_: Elementary) -> Words:
    return Words(
        "type-mismatch",
        f"NOT needs a BOOL or a bit string; {shown} is {type_}.",
        "Compare it with a value, or negate with -.",
    )


def sign_of(operator: str, shown: str, type_: Elementary) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} needs a signed number; {shown} is {type_}.",
        "Negate with NOT."
        if type_.family in ("bool", "bits")
        else f"{type_} has no negative values; convert to a signed type.",
    )


def combines_bits(operator: str, type_: Elementary) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} combines BOOL or bit strings; these are {type_}.",
        "Compare each with a value first." if is_integer(type_) or is_real(type_) else "",
    )


def no_order(type_: Elementary, operator: str) -> Words:
    return Words("type-mismatch", f"{type_} has no order for {operator}.", "Use = and <>.")


def needs_numbers(operator: str, types: str, type_: Elementary) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} needs numbers; {types}.",
        "Convert to an integer first." if type_.family in ("bits", "bool", "real") else "",
    )


def division_by_zero() -> Words:
    return Words("division-by-zero", "This divides by zero.", "Divide by something else.")


def whole_as_value(shown: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{shown} is {type_} and has no single value.", "Name an element or a field.")


def no_meaning_for_texts(operator: str) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} has no meaning for texts.",
        "Join texts with CONCAT." if operator in ("+", "AND") else "Convert them to numbers first.",
    )


def bool_with_other(node: syntax.Binary, shown: str, other: Elementary, operand: str) -> Words:
    return Words(
        "type-mismatch",
        f"{node.operator} combines a BOOL with another BOOL; {shown} is {other}.",
        f"Write {operand} <> {'0.0' if is_real(other) else '0'}, or compare it with another value.",
    )


def two_enumerations(node: syntax.Binary, left: str, right: str, types: str) -> Words:
    return Words(
        "type-mismatch",
        f"Cannot {_verb(node)} values of two enumerations: {types}.",
        f"Write TO_LINT({left}) {node.operator} TO_LINT({right}), if their numbers mean the same.",
    )


def not_together(node: syntax.Binary, types: str, converted: str) -> Words:
    return Words(
        "type-mismatch",
        f"Cannot {_verb(node)} these: {types}.",
        f"Convert one of them, as in {converted}." if converted else "Convert one of them to the type of the other.",
    )


def _verb(node: syntax.Binary) -> str:
    return _VERBS.get(node.operator, "combine")


def no_such_number(shown: str) -> Words:
    return Words("out-of-range", f"{shown} has no value that a number can hold.", "Use smaller numbers.")


def base_of_power(shown: str, type_: Elementary) -> Words:
    return Words(
        "type-mismatch", f"The base of ** is REAL or LREAL; {shown} is {type_}.", "Convert it to LREAL, or multiply."
    )


def exponent_of_power(shown: str, type_: Elementary) -> Words:
    return Words("type-mismatch", f"The exponent of ** is a number; {shown} is {type_}.")


def duration_first(types: str, left: str, right: str) -> Words:
    return Words(
        "type-mismatch", f"The duration stands first when it is multiplied; {types}.", f"Write {right} * {left}."
    )


def number_without_unit(shown: str, other: Elementary, number: str) -> Words:
    return Words(
        "type-mismatch",
        f"{shown} has no unit; the other value is {other}.",
        f"Write T#{number}ms, if it counts milliseconds, or T#{number}s, if it counts seconds.",
    )


def between_dates(operator: str) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} has no meaning between two dates.",
        "Dates are subtracted and compared; a duration may be added to one.",
    )


def between_durations(operator: str) -> Words:
    return Words(
        "type-mismatch",
        f"{operator} has no meaning between two durations.",
        "Durations are added, subtracted and compared; a number may multiply or divide one.",
    )


def duration_by_duration(left: str, right: str) -> Words:
    return Words(
        "type-mismatch",
        "/ has no meaning between two durations.",
        f"Divide numbers: TO_LREAL(NANOSECONDS({left})) / TO_LREAL(NANOSECONDS({right})).",
    )
