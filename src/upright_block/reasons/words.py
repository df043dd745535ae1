"""What is said where a scan or a reason cannot be shown."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.asking import asked
from upright_block.errors import Said
from upright_block.language.names import listed


def no_instance(name: str, near: str) -> Said:
    return f"There is no instance {name}.", near or "upright instances lists them."


def no_statements(name: str, inside: Sequence[str]) -> Said:
    way_out = f"Name what it runs: {asked('instance')} {inside[0]}" if inside else "Name another instance."
    more = f", or {listed(inside[1:])}." if inside[1:] else "."
    return f"{name} has no statements of its own.", way_out + (more if inside else "")


def no_such_call(name: str, calls: int) -> Said:
    if not calls:
        return f"{name} was not called in this scan.", "Choose another scan."
    times = f"{calls} time{'' if calls == 1 else 's'}"
    return f"{name} was called {times} in this scan.", f"Write {name}#1 to {name}#{calls}."


def too_much(time: str) -> Said:
    return f"The scan at {time} does more than can be followed.", "Ask for a smaller target, or for another time."


def not_computed(text: str, time: str) -> Said:
    return f"{text} has no value at {time}: it faults there, or no scan runs.", "Ask for what it names."
