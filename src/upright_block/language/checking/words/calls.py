"""What is said of calls and their arguments."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language import typed
from upright_block.language.checking.conversions import conversion_advice
from upright_block.language.checking.words.places import pins_of
from upright_block.language.names import counted, listed
from upright_block.language.telling.findings import Words
from upright_block.language.types import Type

OF_OTHER_LANGUAGES = {
    "ROUND": "REAL_TO_INT and its kin round to the nearest.",
    "FLOOR": "TRUNC cuts towards zero; REAL_TO_INT rounds to the nearest.",
    "CEIL": "TRUNC cuts towards zero; REAL_TO_INT rounds to the nearest.",
    "POW": "Write a ** b, or EXPT(a, b).",
}
"""Functions of other languages, with what to write."""


def unknown_callee(shown: str) -> Words:
    return Words("unknown-name", f"There is no function {shown}.", "Correct the name.")


def not_callable(shown: str, type_: Type) -> Words:
    return _not_callable(shown, type_, "Remove the parentheses.")


def hides_function(shown: str, type_: Type, function: str) -> Words:
    return _not_callable(shown, type_, f"The variable hides the function {function}: give it another name.")


def index_in_parentheses(shown: str, type_: Type, index: Sequence[str]) -> Words:
    return _not_callable(shown, type_, f"Write the index in brackets: {shown}[{', '.join(index)}].")


def _not_callable(shown: str, type_: Type, way_out: str) -> Words:
    return Words("not-callable", f"{shown} is {type_} and cannot be called.", way_out)


def function_of_other_language(name: str) -> Words:
    return Words("unknown-name", f"There is no function {name}.", OF_OTHER_LANGUAGES[name.upper()])


def unknown_function(name: str) -> Words:
    return Words("unknown-name", f"There is no function {name}.", "Write the function, or correct its name.")


def no_conversion(source: str, target: str, of: str) -> Words:
    return Words(
        "not-supported", f"There is no conversion from {source} to {target}.", conversion_advice(source, target, of)
    )


def gives_nothing(function: typed.Unit) -> Words:
    return Words("no-value", f"{function.name} gives no value.", "Call it in a statement of its own.")


def ref_takes_one() -> Words:
    return Words("wrong-argument", "REF takes one variable.", "Write REF(variable).")


def ends_with_call(shown: str, unit: typed.Unit) -> Words:
    return Words(
        "short-lived",
        f"{shown} ends with this call of {unit.name}.",
        "Refer to variables of blocks, or to global ones.",
    )


def constant_has_no_place(root: typed.Variable) -> Words:
    return Words("constant-assigned", f"{root.name} is a constant and has no place.", "Copy it into a variable.")


def bound_takes(name: str) -> Words:
    return Words("wrong-argument", f"{name} takes an array and the number of a dimension.", f"Write {name}(array, 1).")


def no_bounds(shown: str, place: typed.Place) -> Words:
    return Words("no-array", f"{shown} is {place.type} and has no bounds.", "Name an array.")


def no_dimension(shown: str, dimension: int, count: int) -> Words:
    return Words("out-of-range", f"{shown} has no dimension {dimension}.", f"Write a number from 1 to {count}.")


def program_called(block: typed.Unit) -> Words:
    return Words("program-called", f"{block.name} is a program and is not called.", "Write a FUNCTION_BLOCK.")


def block_without_instance(block: typed.Unit) -> Words:
    return Words(
        "block-without-instance",
        f"{block.name} is a block; each use of it needs an instance with data of its own.",
        f"Declare one (VAR my_{block.name.lower()} : {block.name}; END_VAR) and call my_{block.name.lower()}(...).",
    )


def block_gives_no_value(name: str, block: typed.Unit, pin: str) -> Words:
    return Words(
        "no-value",
        f"The call of {name} gives no value: {block} is a block.",
        f"Call it in a statement of its own, then use {name}.{pin}.",
    )


def input_missing(function: typed.Unit, pin: typed.Variable) -> Words:
    return Words(
        "missing-pin", f"{function.name} needs a value for its input {pin.name}.", f"Add {pin.name} := ... to the call."
    )


def inputs_not_given(function: typed.Unit, pins: Sequence[str]) -> Words:
    is_one = len(pins) == 1
    left_out = f"{' and '.join(pins)} of {function.name} {'is' if is_one else 'are'} not given here"
    own = f"{'has' if is_one else 'have'} no initial value of {'its' if is_one else 'their'} own"
    return Words(
        "input-not-given",
        f"{left_out} and {own}.",
        f"Add {pins[0]} := ... to the call, or write an initial value where {function.name} declares it.",
    )


def negated_output() -> Words:
    return Words(
        "not-supported",
        "NOT before an output of a function is not read by this version.",
        "Negate in a statement of its own.",
    )


def nothing_to_go_back_to(holder: typed.Unit, name: str) -> Words:
    return Words("unknown-name", f"{holder.base or holder} has no method {name} to go back to.", "Correct the name.")


def unknown_method(owner: typed.Unit, name: str, names: list[str]) -> Words:
    return Words("unknown-name", f"{owner} has no method {name}.", f"It has {listed(names) or 'none'}.")


def private_method(found: typed.Unit) -> Words:
    return Words(
        "private-data",
        f"{found.name} is a {found.access.lower()} method of {found.owner}.",
        f"Write METHOD PUBLIC {found.name} in {found.owner}.",
    )


def abstract_called(method: typed.Unit) -> Words:
    return Words("abstract", f"{method.name} of {method.owner} is ABSTRACT and has no body.", "Remove the call.")


def in_out_missing(unit: typed.Unit, pin: typed.Variable) -> Words:
    return Words(
        "missing-pin",
        f"{unit.name} needs a variable for its in-out {pin.name}.",
        f"Add {pin.name} := variable to the call.",
    )


def arguments_missing(unit: typed.Unit, wanted: int, count: int) -> Words:
    return Words(
        "missing-argument",
        f"{unit.name} has {counted(wanted, 'input')}; this call without names gives {count}.",
        f"Give all of them, or name those that are given. {pins_of(unit)}",
    )


def comparison_as_argument(written: str) -> Words:
    return Words("comparison-as-assignment", "= compares; a value is given to a pin with :=.", f"Write {written}.")


def unnamed_argument(shown: str, unit: typed.Unit) -> Words:
    return Words(
        "unnamed-pin", f"{shown} has no pin; the other arguments name theirs.", f"Write pin := {shown}. {pins_of(unit)}"
    )


def too_many_arguments(unit: typed.Unit, count: int, index: int) -> Words:
    return Words(
        "too-many-arguments", f"{unit.name} has {counted(count, 'input')}; this is argument {index + 1}.", pins_of(unit)
    )


def pin_twice(pin: typed.Variable) -> Words:
    return Words("pin-twice", f"{pin.name} stands twice in this call.", "Remove one of them.")


def in_out_takes_variable(pin: typed.Variable, shown: str) -> Words:
    return Words(
        "no-place",
        f"{pin.name} is an in-out and takes a variable; {shown} is a value.",
        "Put the value into a variable and give that.",
    )


def in_out_type(pin: typed.Variable, shown: str, place: typed.Place) -> Words:
    return Words(
        "type-mismatch",
        f"{pin.name} is an in-out of type {pin.type}; {shown} is {place.type}.",
        f"Give it a variable of type {pin.type}.",
    )


def private_pin(pin: typed.Variable, unit: typed.Unit) -> Words:
    return Words("private-data", f"{pin.name} is private data of {unit.name} and no pin.", pins_of(unit))


def unknown_pin(unit: typed.Unit, name: str) -> Words:
    return Words("unknown-name", f"{unit.name} has no pin {name}.", pins_of(unit))


def input_taken(pin: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "wrong-direction",
        f"{pin.name} is {'an in-out' if pin.section == 'in_out' else 'an input'} of {unit.name}; => takes "
        "the value of an output.",
        f"Write {pin.name} := ...",
    )


def output_given(pin: typed.Variable, unit: typed.Unit) -> Words:
    return Words(
        "wrong-direction",
        f"{pin.name} is an output of {unit.name} and cannot be given a value.",
        f"Write {pin.name} => variable to take its value.",
    )


def output_in_cell(pin: typed.Variable, unit: typed.Unit, written: str) -> Words:
    return Words(
        "wrong-direction",
        f"{pin.name} is an output of {unit.name} and cannot be given a value.",
        f"Write -> {written} to take its value.",
    )


def arrow_at_input(pin: typed.Variable, unit: typed.Unit, written: str) -> Words:
    outputs = listed([v.name for v in unit.variables.values() if v.section == "output"], 6)
    bare = written.removeprefix("->").strip()
    where = f", or write it below an output: {outputs}" if outputs else ""
    kind = "an in-out" if pin.section == "in_out" else "an input"
    return Words(
        "wrong-direction",
        f"{pin.name} is {kind} of {unit.name}; an arrow takes the value of an output to a tag.",
        f"Write {bare} without the arrow{where}.",
    )


def output_type(shown: str, target: Type, pin: typed.Variable) -> Words:
    return Words(
        "type-mismatch",
        f"{shown} is {target}; {pin.name} is {pin.type}.",
        f"Take it into a variable of type {pin.type}.",
    )


def negated_number(pin: typed.Variable) -> Words:
    return Words("type-mismatch", f"NOT needs a BOOL or a bit string; {pin.name} is {pin.type}.", "Remove NOT.")
