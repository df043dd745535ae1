"""What is said of statements."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import typed
from upright_block.language.telling.findings import Words
from upright_block.language.types import Type

_MOST_SHARED = 6


def enable_direction(name: str, sign: str) -> Words:
    return Words("wrong-direction", f"{name} is written with {sign}.", f"Write {name} {sign} ...")


def eno_type(shown: str, receiver: typed.Receiver) -> Words:
    return Words("type-mismatch", f"ENO is BOOL; {shown} is {receiver.type}.", "Take it into a BOOL.")


def other_box(shown: str, block: typed.Unit, name: str) -> Words:
    return Words(
        "type-mismatch", f"{shown} is {block.name}, and its box says {name}.", f"Write {block.name} into the box."
    )


def no_such_pin(block: typed.Unit, name: str) -> Words:
    return Words("unknown-name", f"{block.name} has no pin {name}.", "Remove it from the box.")


def loop_variable_assigned(shown: str) -> Words:
    return Words(
        "loop-variable",
        f"{shown} counts the loop and is not assigned inside it.",
        "Leave the loop with EXIT, or use WHILE.",
    )


def value_unused(name: str) -> Words:
    return Words("unused-value", f"The value of {name} is not used.", "Assign it to a variable.")


def unknown_callee(name: str) -> Words:
    return Words(
        "unknown-name",
        f"{name} is neither an instance nor a function.",
        "Declare an instance in a VAR section, or correct the name.",
    )


def class_called(shown: str, block: typed.Unit) -> Words:
    return Words(
        "not-callable",
        f"{shown} is an instance of the class {block} and has no body.",
        f"Call a method of it: {shown}.method(...);",
    )


def not_callable(shown: str, block: Type) -> Words:
    return Words("not-callable", f"{shown} is {block} and cannot be called.", f"Assign to it: {shown} := ...;")


def assert_takes() -> Words:
    return Words("wrong-argument", "ASSERT takes one condition.", "Write ASSERT(condition);")


def no_base(unit: typed.Unit) -> Words:
    return Words(
        "no-base",
        f"{unit.name} extends no block whose body could run.",
        "Write SUPER(); in the body of a block with EXTENDS.",
    )


def case_selector(shown: str, type_: Type) -> Words:
    return Words(
        "type-mismatch",
        f"CASE chooses by an integer, a bit string, an enumeration or a character; {shown} is {type_}.",
        "Use IF and ELSIF.",
    )


def empty_range(shown: str, low: int, high: int) -> Words:
    return Words("empty-range", f"The range {shown} is empty: {low} is above {high}.", f"Write {high}..{low}.")


def label_twice(both: Sequence[str]) -> Words:
    some = ", ".join(both[:_MOST_SHARED]) + (" and more" if len(both) > _MOST_SHARED else "")
    if len(both) == 1 and ".." not in some:
        message, which = f"{some} is in both: only the branch above sees it.", "it"
    else:
        message, which = f"{some} are in both: only the branches above see them.", "them"
    return Words("label-twice", message, f"Remove {which} from one of the two.")


def for_variable(shown: str) -> Words:
    return Words(
        "no-place",
        f"FOR counts with a variable; {shown} is reached by an index or a reference.",
        "Declare an INT in a VAR section.",
    )


def for_variable_type(shown: str, place: typed.Place) -> Words:
    return Words(
        "type-mismatch",
        f"FOR counts with an integer variable; {shown} is {place.type}.",
        "Declare an INT in a VAR section.",
    )


def step_of_zero() -> Words:
    return Words("endless-loop", "A step of 0 never ends the loop.", "Use a step above or below 0.")


def outside_a_loop(shown: str) -> Words:
    return Words("outside-a-loop", f"{shown} stands outside any loop.", "Use RETURN to leave the unit.")
