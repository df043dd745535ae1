"""What is said of units that use each other."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import typed
from upright_block.language.limits import MOST_ELEMENTS, MOST_NESTED, MOST_TURNS
from upright_block.language.telling.findings import Words

MOST_NAMED = 8
"""How many units of a ring are named."""


def recursion(ring: Sequence[str]) -> Words:
    shown = [*ring[: MOST_NAMED // 2], "…", *ring[-MOST_NAMED // 2 :]] if len(ring) > MOST_NAMED else ring
    return Words(
        "recursion",
        f"{ring[0]} uses itself: {' uses '.join([*shown, ring[0]])}.",
        "Break the ring: no unit may contain or call itself.",
    )


def too_many_calls(unit: typed.Unit) -> Words:
    return Words(
        "too-many-calls",
        f"One call of {unit.name} makes up to {unit.cost:,} calls.",
        f"{MOST_TURNS:,} are the most in a scan.",
    )


def uses_too_deep(unit: typed.Unit) -> Words:
    return Words(
        "nested-too-deep", f"{unit.name} uses units that use units, more than {MOST_NESTED} deep.", "Use fewer levels."
    )


def too_much_data(unit: typed.Unit, values: int) -> Words:
    return Words("out-of-range", f"The data of {unit.name} is {values:,} values.", f"{MOST_ELEMENTS:,} are the most.")
