"""What is said of the text of expressions."""

from __future__ import annotations

from upright_block.language.source import Source
from upright_block.language.telling.findings import Words

FOREIGN_OPERATORS = {
    ("=", "="): "Write one = to compare.",
    ("=", ">"): "Write >= for greater or equal.",
    ("=", "<"): "Write <= for less or equal.",
    (">", "<"): "Write <> for not equal.",
    ("AND", "AND"): "Write AND, or & once.",
}
"""Two signs that other languages write as one, with what to write."""


def unknown_operator(written: str, pair: tuple[str, str]) -> Words:
    return Words("unknown-operator", f"{written} is no operator.", FOREIGN_OPERATORS[pair])


def short_circuit(word: str, operator: str) -> Words:
    return Words(
        "unknown-operator",
        f"{word} is no operator: {operator} computes both of its operands.",
        f"Write {operator}, or an IF inside an IF where the second may not be computed.",
    )


def assignment_in_condition() -> Words:
    return Words("assignment-in-condition", ":= assigns and cannot decide.", "Compare with =.")


def parenthesis_not_closed(shown: str, source: Source, opened: int) -> Words:
    return Words(
        "missing-parenthesis",
        f"The parenthesis is not closed: {shown} stands in place of ).",
        _match(")", "(", source, opened),
    )


def keyword_for_value(keyword: str) -> Words:
    return Words(
        "missing-value",
        f"A value is missing: the keyword {keyword} stands in its place.",
        "Write a value, or choose another name if this was meant as one.",
    )


def missing_value(shown: str) -> Words:
    return Words(
        "missing-value",
        f"A value is missing: {shown} stands in its place.",
        "Write a literal, a name or an expression.",
    )


def bad_number(written: str, meant: str) -> Words:
    return Words("bad-literal", f"{written} is no number.", f"Write {meant}.")


def doubled_quote(quote: str) -> Words:
    return Words("doubled-quote", f"A {quote} inside a text is not written twice.", f"Write ${quote}.")


def open_address(word: str) -> Words:
    return Words("bad-address", f"{word} leaves its place open.", "Name a point, as in %IX0.3.")


def begins_with_point(digits: str) -> Words:
    return Words("bad-literal", "A number begins with a digit.", f"Write 0.{digits}.")


def path_too_long() -> Words:
    return Words("nested-too-deep", "This path is too long to follow.", "Go by way of a variable.")


def missing_pin_name(shown: str) -> Words:
    return Words(
        "missing-name", f"A name is missing after the point: {shown} stands there.", "Write the name of a pin."
    )


def index_not_closed(shown: str, source: Source, opened: int) -> Words:
    return Words(
        "missing-bracket", f"The index is not closed: {shown} stands in place of ].", _match("]", "[", source, opened)
    )


def bad_part(written: str) -> Words:
    return Words(
        "bad-part",
        f"{written} names no part of a bit string.",
        "Write .3 or .%X3 for a bit, .%B1 for a byte, .%W0 for a word.",
    )


def comma_before_end() -> Words:
    return Words(
        "missing-value", "A comma stands before ) with no argument after it.", "Remove the comma or write the argument."
    )


def missing_comma(shown: str) -> Words:
    return Words("missing-comma", f"A comma is missing before {shown}.", "Separate arguments by commas.")


def call_not_closed(shown: str, source: Source, opened: int) -> Words:
    return Words(
        "missing-parenthesis",
        f"The call is not closed: {shown} stands in place of ).",
        _match(")", "(", source, opened),
    )


def _match(closing: str, opening: str, source: Source, opened: int) -> str:
    return f"Write {closing} to match the {opening} in column {source.column(opened)} of line {source.line(opened)}."
