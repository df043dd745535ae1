"""What is said where nothing can be drawn."""

from __future__ import annotations

from upright_block.errors import Said


def nothing_to_draw() -> Said:
    return "Nothing can be drawn: no scan came to its end.", "Mend the fault in the first one."


def ends_before(end: str) -> Said:
    return f"It ends at {end}.", "Choose times before that, the first before the last."
