"""What is said of the text of sequences."""

from __future__ import annotations

from upright_block.language.names import did_you_mean
from upright_block.language.telling.findings import Words

QUALIFIERS = ("N", "R", "S", "L", "D", "P", "P0", "P1", "SD", "DS", "SL")


def missing_name(what: str, shown: str) -> Words:
    return Words(
        "missing-name",
        f"The name of {what} is missing: {shown} stands in its place.",
        "A name begins with a letter and is no keyword.",
    )


def unknown_qualifier(name: str) -> Words:
    return Words(
        "unknown-qualifier",
        f"{name} is no qualifier of an action.",
        did_you_mean(name, QUALIFIERS) or f"Qualifiers are {', '.join(QUALIFIERS)}.",
    )


def missing_time(qualifier: str, name: str) -> Words:
    return Words("missing-time", f"The qualifier {qualifier} needs a time.", f"Write {name}({qualifier}, T#5s).")


def late_priority(name: str, sources: str, targets: str) -> Words:
    head = " ".join(part for part in ("TRANSITION", name, "(PRIORITY := 1)", "FROM", sources, "TO", targets) if part)
    return Words("missing-sign", "The priority of a transition stands before FROM.", f"Write {head} := condition.")


def bad_priority() -> Words:
    return Words("missing-value", "A priority is a whole number.", "Write (PRIORITY := 1).")
