"""What is said of the text around units."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def later_unit(kind: str) -> Words:
    return Words(
        "not-supported",
        f"{kind} is not read by this version.",
        "Blocks are written as FUNCTION_BLOCK, functions as FUNCTION.",
    )


def outside_a_unit(shown: str) -> Words:
    return Words(
        "outside-a-unit", f"{shown} stands outside any FUNCTION_BLOCK or FUNCTION.", "Put it inside one, or remove it."
    )


def missing_name(kind: str, shown: str) -> Words:
    return Words(
        "missing-name",
        f"{kind} has no name: {shown} stands in its place.",
        "A name begins with a letter and is no keyword.",
    )


def beside_steps() -> Words:
    return Words("unexpected", "A statement stands beside the steps of a sequence.", "Put it into an ACTION.")


def missing_colon(word: str, kind: str) -> Words:
    return Words("missing-colon", f"A colon is missing before {word}.", f"Write {kind} name : {word}.")


def no_type_of_its_own(kind: str) -> Words:
    return Words("unexpected", f"A {kind} has no type of its own.", "Remove the type, or write FUNCTION.")


def goes_on(shown: str) -> Words:
    return Words(
        "unexpected", f"{shown} stands behind the end of the expression.", "Remove it, or write an operator before it."
    )
