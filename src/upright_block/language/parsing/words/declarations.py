"""What is said of the text of declarations."""

from __future__ import annotations

from upright_block.language.telling.findings import Words

LATER_SECTIONS = {"VAR_ACCESS": "Write it in a CONFIGURATION.", "VAR_CONFIG": "Write it in a CONFIGURATION."}
"""Sections that are not read, with what to do instead."""


def later_section(keyword: str) -> Words:
    return Words("not-supported", f"{keyword} is not read by this version.", LATER_SECTIONS[keyword])


def missing_name(shown: str) -> Words:
    return Words(
        "missing-name",
        f"The name of a variable is missing: {shown} stands in its place.",
        "A name begins with a letter and is no keyword.",
    )


def missing_comma(shown: str) -> Words:
    return Words("missing-comma", f"A comma is missing before {shown}.", "Separate names by commas, or remove one.")


def missing_sign(shown: str) -> Words:
    return Words("missing-sign", f":= is missing before {shown}.", "Write := between the type and the initial value.")


def keyword_as_name(word: str) -> Words:
    return Words(
        "keyword-as-name", f"{word} is a keyword and cannot be a name.", f"Choose another name, such as my_{word}."
    )


def missing_address(shown: str) -> Words:
    return Words(
        "missing-address",
        f"An address is missing after AT: {shown} stands in its place.",
        "Write one such as %IX0.3 or %QW4.",
    )


def value_for_type(name: str) -> Words:
    return Words(
        "missing-type",
        f"{name} has no type: its initial value stands in place of it.",
        f"Write {name} : TYPE := value;",
    )


def missing_semicolon(last: str) -> Words:
    message = f"The declaration ends without a semicolon after {last}."
    return Words("missing-semicolon", message, "Write ; here.", behind=";")


def goes_on(shown: str) -> Words:
    return Words("unexpected", f"The declaration should end before {shown}.", "Write ; here.")


def missing_colon(last: str, shown: str) -> Words:
    return Words(
        "missing-colon", f"A colon is missing after {last}: {shown} stands in its place.", "Write name : TYPE;"
    )


def missing_type(shown: str) -> Words:
    return Words(
        "missing-type", f"A type is missing: {shown} stands in its place.", "Write a type such as BOOL, INT or TIME."
    )


def one_bound(shown: str) -> Words:
    return Words(
        "missing-bound", f"An array has two bounds; only {shown} is written.", f"Write 0..{shown} or 1..{shown}."
    )


def some_bounds_open() -> Words:
    return Words("missing-bound", "Some bounds are written and some are open.", "Write all of them, or * for each.")


def overlap() -> Words:
    return Words(
        "not-supported", "OVERLAP is not read by this version.", "Use one field, and take parts of it as in w.%B1."
    )


def missing_value_name(shown: str) -> Words:
    return Words(
        "missing-name",
        f"The name of a value is missing: {shown} stands in its place.",
        "Write the values as (red, amber, green).",
    )


def missing_type_name(shown: str) -> Words:
    return Words("missing-name", f"The name of a type is missing: {shown} stands in its place.", "Write name : type;")


def missing_field_name(shown: str) -> Words:
    return Words(
        "missing-name", f"The name of a field is missing: {shown} stands in its place.", "Write name := value."
    )
