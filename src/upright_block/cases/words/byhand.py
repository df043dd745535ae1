"""What is said of the options of a run by hand."""

from __future__ import annotations

from upright_block.asking import asked
from upright_block.language.signals import Signal
from upright_block.language.telling.findings import Words


def other_shape(text: str, parameter: str, shape: str) -> Words:
    return Words("bad-value", f"{text} is not what {asked(parameter)} takes.", f"Write {asked(parameter)} {shape}.")


def constant_given(signal: Signal) -> Words:
    return Words(
        "constant-assigned",
        f"{signal.path} is a constant.",
        f"Write {asked('given')} {signal.path}=...; it has that value for the whole run.",
    )


def set_twice(path: str, time: str) -> Words:
    return Words("given-twice", f"{path} gets two values at {time}.", "Leave one of them out, or move it.")


def pulse_without_width(text: str) -> Words:
    return Words("bad-value", f"{text} does not say how long the pulse is.", f"Write {asked('pulse')} pin@time:width.")


def pulse_of_other(signal: Signal) -> Words:
    return Words(
        "type-mismatch", f"{signal.path} is {signal.type}; a pulse is TRUE for a while.", f"Write {asked('set')} twice."
    )


def not_forced(path: str) -> Words:
    return Words("bad-value", f"{path} is not forced.", f"Write {asked('force')} {path}=value@time too.")


def after_the_end(text: str, end: str) -> Words:
    return Words(
        "given-unused", f"{text} lies behind the end of the run, at {end}.", f"Run longer: {asked('span')} TIME."
    )
