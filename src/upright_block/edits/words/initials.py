"""What is said of final values that are to become initial ones."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.cases.overwriting import Overwritten
from upright_block.language.names import listed
from upright_block.language.signals import Signal
from upright_block.language.telling.findings import Words
from upright_block.language.typed import Unit, Variable


def element(signal: Signal, text: str) -> Words:
    way_out = f"Write {text} at its place in [...] of the declaration of {signal.root.name}."
    return Words("bad-value", f"{signal.path} is an element of an array.", way_out)


def without_literal(signal: Signal, text: str) -> Words:
    return Words("bad-value", f"{signal.path} is {text}, for which there is no literal.", "Leave it out.")


def part(signal: Signal) -> Words:
    return Words("bad-value", f"{signal.path} is a part of a value.", f"Name {signal.root.name} as a whole.")


def tag(signal: Signal) -> Words:
    return Words("bad-value", f"{signal.path} is a tag, which has no initial value.", "Name data of a program.")


def overwritten(signal: Signal, found: Overwritten) -> Words:
    said = f"its point {found.point} gives it" if found.point else f"the pin is wired: {found.shown}"
    message = f"{signal.path} would not begin with it; {said}."
    return Words("bad-value", message, "Leave it out, or change what it is given there.")


def not_declared_here(signal: Signal, owner: Unit | None) -> Words:
    where = f"{owner.name} declares it, for all that extend it" if owner else "nothing in the sources declares it"
    return Words("bad-value", f"{signal.path} has no declaration of its own: {where}.", "Change it there by hand.")


def declared_together(signal: Signal, twins: Sequence[str], text: str) -> Words:
    way_out = f"Give {signal.root.name} a line of its own: {signal.root.name} : {signal.root.type} := {text};"
    return Words("bad-value", f"{signal.root.name} is declared together with {listed(twins)}.", way_out)


def with_edge(signal: Signal) -> Words:
    return Words("bad-value", f"{signal.path} is an input with an edge, which has no initial value.", "Leave it out.")


def program_twice(signal: Signal, program: Unit, others: Sequence[str], text: str) -> Words:
    way_out = f"Write VAR_CONFIG {signal.path} : {signal.type} := {text}; END_VAR into the configuration."
    return Words("bad-value", f"{program.name} runs as {listed(others)} too, which would begin with it.", way_out)


def no_setting(signal: Signal, unit: Unit) -> Words:
    message = f"{signal.path} is no input of an instance, and the table {unit.name} sets inputs alone."
    return Words("bad-value", message, "Name an input of an instance, as Vent01.travel.")


def no_column(signal: Signal, unit: Unit, pin: Variable, text: str) -> Words:
    way_out = f"Add a column {pin.name}, with {text} in the row of it."
    return Words("bad-value", f"The table {unit.name} has no column {pin.name} for {signal.path}.", way_out)


def workbook(signal: Signal, text: str) -> Words:
    return Words("bad-value", f"{signal.path} is set in a workbook.", f"Write {text} into its cell there.")


def wired(signal: Signal, cell: str) -> Words:
    return Words("bad-value", f"{signal.path} is wired to {cell}.", "Change what gives it its value.")


def no_cell(signal: Signal, text: str) -> Words:
    return Words("bad-value", f"{text} for {signal.path} needs quotes in a cell.", "Write it into the table by hand.")


def no_literal(old: str, text: str) -> Words:
    return Words("bad-value", f"The initial value is {old}, and no literal.", f"Write {text} there, or change {old}.")
