"""What is said of the text of statements."""

from __future__ import annotations

from upright_block.language.names import did_you_mean
from upright_block.language.telling.findings import Words


def end_of_what(closer: str) -> Words:
    return Words("misspelt-keyword", "END does not say what it closes.", f"Write {closer}.", instead=closer)


def late_declaration(kind: str) -> Words:
    return Words(
        "late-declaration", f"{kind} stands after the first statement.", "Declare all variables before the body."
    )


def stray_end(kind: str, opener: str) -> Words:
    return Words("stray-end", f"{kind} has no {opener} that it belongs to.", f"Remove it, or write the {opener}.")


def no_statement(shown: str) -> Words:
    return Words(
        "no-statement",
        f"A statement cannot begin with {shown}.",
        "A statement is an assignment, a call, or begins with IF, CASE, FOR, WHILE, REPEAT, EXIT or RETURN.",
    )


def misspelt_keyword(word: str, meant: str) -> Words:
    return Words("misspelt-keyword", f"{word} is no keyword.", did_you_mean(word, [meant]), instead=meant)


def missing_semicolon(last: str) -> Words:
    message = f"The statement ends without a semicolon after {last}."
    return Words("missing-semicolon", message, "Write ; here.", behind=";")


def decimal_comma(written: str, meant: str) -> Words:
    return Words("bad-literal", f"{written} is no number: decimals follow a point.", f"Write {meant}.")


def goes_on(shown: str) -> Words:
    return Words("unexpected", f"The statement should end before {shown}.", "Write ; or an operator between the two.")


def second_assignment() -> Words:
    return Words("second-assignment", "A statement assigns once.", "Write two statements, or compare with =.")


def split_sign() -> Words:
    return Words("split-sign", ": and = stand apart.", "Write := with no space between.")


def jump(word: str) -> Words:
    return Words(
        "no-statement", f"{word}: there are no jumps in Structured Text.", "Use IF, CASE, a loop, EXIT or RETURN."
    )


def does_nothing(shown: str, hint: str) -> Words:
    return Words(
        "no-statement",
        f"{shown} alone does nothing.",
        hint or f"Assign to it ({shown} := ...;), or call it if it is an instance ({shown}(...);).",
    )


def assignment_attempt() -> Words:
    return Words(
        "not-supported", "?= is not read by this version.", "Assign with :=, where the types are known to agree."
    )


def unknown_assignment(written: str, meant: str) -> Words:
    return Words("unknown-operator", f"{written} is no assignment.", f"Write {meant}")


def comparison_as_assignment(way_out: str) -> Words:
    return Words("comparison-as-assignment", "= compares and does not assign.", way_out)


def missing_colon(shown: str) -> Words:
    return Words(
        "missing-colon", f"A colon is missing after the label: {shown} stands in its place.", "Write label: statements."
    )


def missing_until() -> Words:
    return Words(
        "missing-until", "REPEAT has no UNTIL before its END_REPEAT.", "Write UNTIL and the condition that ends it."
    )


def not_closed(opener: str, closer: str, shown: str, line: int) -> Words:
    return Words(
        "missing-end", f"{opener} is not closed: {closer} is missing.", f"Write {closer} before {shown} in line {line}."
    )
