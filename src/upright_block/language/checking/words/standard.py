"""What is said of calls of standard functions."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.checking.conversions import conversion_advice
from upright_block.language.names import counted
from upright_block.language.signatures import Pin, StandardFunction
from upright_block.language.telling.findings import Words
from upright_block.language.types import Elementary, Type

_GROUP_WORDS = {
    "ANY_NUM": "numbers",
    "ANY_REAL": "REAL or LREAL",
    "ANY_INT": "an integer",
    "ANY_BIT": "a bit string",
    "ANY_BITS": "a bit string",
    "ANY_STRING": "a text",
    "ANY_WORDS": "integers or bit strings",
    "ANY_MAGNITUDE": "numbers or durations",
    "ANY_ELEMENTARY": "elementary values",
}


def unknown_pin(function: StandardFunction, is_output: bool, name: str) -> Words:
    return Words(
        "unknown-name", f"{function.name} has no {'output' if is_output else 'input'} {name}.", _inputs_of(function)
    )


def too_many_arguments(function: StandardFunction, index: int) -> Words:
    return Words(
        "too-many-arguments",
        f"{function.name} has {counted(len(function.pins), 'input')}; this is argument {index + 1}.",
        _inputs_of(function),
    )


def _inputs_of(function: StandardFunction) -> str:
    return f"Its inputs are {', '.join(p.name for p in function.pins) or 'none'}."


def pin_twice() -> Words:
    return Words("pin-twice", "This pin is given a value twice in this call.", "Remove one of them.")


def input_missing(function: StandardFunction, pin: Pin) -> Words:
    return Words("missing-pin", f"{function.name} needs a value for its input {pin.name}.", "Add it to the call.")


def enable_in_expression(name: str) -> Words:
    return Words(
        "unknown-name",
        f"{name} belongs to a call that is a statement, or the whole value of an assignment.",
        "Write the call in a statement of its own.",
    )


def input_of_group(what: str, group: str, shown: str, type_: Type) -> Words:
    return Words(
        "type-mismatch", f"{what} takes {_GROUP_WORDS[group]}; {shown} is {type_}.", "Convert the value first."
    )


def no_common_type(function: StandardFunction, types: Sequence[str]) -> Words:
    return Words(
        "type-mismatch",
        f"The inputs of {function.name} have no type in common: {', '.join(types)}.",
        "Convert them to one type.",
    )


def result_of_group(function: StandardFunction, type_: Elementary) -> Words:
    return Words(
        "type-mismatch",
        f"{function.name} takes {_GROUP_WORDS[function.group]}; this is {type_}.",
        "Convert the value first.",
    )


def computed_twice(shown: str) -> Words:
    return Words("not-supported", f"{shown} would be computed twice here.", "Put its value into a variable first.")


def no_conversion(source: str, target: str, shown: str) -> Words:
    return Words(
        "type-mismatch", f"There is no conversion from {source} to {target}.", conversion_advice(source, target, shown)
    )


def input_of_conversion(
    function: StandardFunction, source_name: str, shown: str, type_: Type, target_name: str
) -> Words:
    return Words(
        "type-mismatch",
        f"IN of {function.name} is {source_name}; {shown} is {type_}.",
        f"It is a {target_name} already: leave the conversion out.",
    )
