"""What is said of values that are overwritten, and of two that write one thing."""

from __future__ import annotations

from upright_block.language.telling.findings import Words


def two_writers(what: str, name: str, line: int, winner: str) -> Words:
    """Of one body: what ``line`` writes is gone before anybody sees it; ``what`` is that: an output, a tag."""
    return Words(
        "two-writers",
        f"The {what} {name} is written twice in a scan: {winner} wins, and what line {line} writes is never seen.",
        "Write it in one place, with both conditions in one expression.",
    )


def two_units(name: str, first: tuple[str, str], second: tuple[str, str], same_task: bool) -> Words:
    """Of two units that write one tag, each with its name for it, which is empty where it is the same."""
    one, other = (f"{unit} (as {alias})" if alias else unit for unit, alias in (first, second))
    wins = f"{second[0]} runs after {first[0]} and wins" if same_task else "whichever ran last wins"
    return Words(
        "two-writers",
        f"{name} is written by {one} and by {other} in one scan: {wins}.",
        "Let one unit write it, and give it the wishes of both.",
    )


def same_unit_twice(name: str, unit: str, count: int) -> Words:
    """Of a block that writes a tag itself and has several instances."""
    return Words(
        "two-writers",
        f"{name} is written by {unit}, which has {count} instances: the last one wins.",
        f"Give {unit} an output pin, and wire it to the tag once.",
    )


def driven_twice(name: str, line: int) -> Words:
    return Words(
        "two-writers",
        f"{name} is driven here and in line {line}, and both can be in one scan: then line {line} wins.",
        "Drive it in one place, with both conditions in one expression.",
    )


def value_in_between(name: str, line: int) -> Words:
    """Of an output that the unit reads before it gets another value."""
    return Words(
        "two-writers",
        f"{name} is written twice in a scan: what it gets here is used inside only, and line {line} sends "
        "out another value.",
        "Keep the first in a variable of its own.",
    )


def no_effect(name: str, winner: str) -> Words:
    """Of a value that is overwritten before it is read; without a winner nothing reads it afterwards."""
    if not winner:
        return Words("no-effect", f"Nothing reads what {name} gets here.", "Remove it, or use the value.")
    return Words(
        "no-effect",
        f"What {name} gets here is overwritten in {winner} before anything reads it.",
        "Remove one of the two, or use the value between them.",
    )


def itself(name: str) -> Words:
    return Words("no-effect", f"{name} gets its own value, which changes nothing.", "Name what it should get.")


def may_both(name: str, winner: str) -> Words:
    """Of two writes under conditions that may hold together."""
    return Words(
        "two-writers",
        f"{name} is written here and in {winner}, and both conditions can hold in one scan: then the last one wins.",
        "Make the conditions exclude each other: ELSIF, or AND NOT.",
    )
