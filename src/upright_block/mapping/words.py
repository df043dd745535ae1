"""What is said of tags for which something is proposed, or nothing."""

from __future__ import annotations


def not_as_siblings(reached: str, count: int) -> str:
    return f"proposed as for {count} siblings, but it has to do with {reached or 'nothing'}: the walk will tell"


def nothing_moves(is_input: bool) -> str:
    return "left open, since it moves nothing" if is_input else "left open, since it follows nothing"


def many_pins(count: int) -> str:
    return f"left open, since it has to do with {count} pins: write those that count"


def nothing_pairs(reached: str) -> str:
    return f"left open, since neither a number nor a word of its name alone leads to {reached}"


def crossed_by_words(text: str, other: str, better: str) -> str:
    return f"left open: it has to do with {text}, and {other} with {better}; by their words the two are crossed"
