"""What is said of values that are wrong, and where nothing can be drawn."""

from __future__ import annotations

from upright_block.errors import Said


def instead(wanted: str) -> str:
    """Behind a wrong value what was wanted: ``not 5``, or ``must not be 5`` for ``!5``."""
    return f"must not be {wanted[1:]}" if wanted.startswith("!") else f"not {wanted}"


def nothing_to_draw() -> Said:
    return "Nothing can be drawn: no scan came to its end.", "Mend the fault in the first one."


def ends_before(end: str) -> Said:
    return f"It ends at {end}.", "Choose times before that, the first before the last."
