"""What is said of places."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.field.tags import Tag
from upright_block.language.limits import MOST_POINT_BYTES
from upright_block.language.names import counted, listed
from upright_block.language.telling.findings import Words
from upright_block.language.types import Elementary, Reference, String, Type, is_integer

_SAME_WIDTH = {8: "BYTE", 16: "WORD", 32: "DWORD", 64: "LWORD"}
_PART_WORDS = {1: "bits", 8: "bytes", 16: "words", 32: "double words", 64: "long words"}


def pins_of(unit: typed.Unit) -> str:
    """The pins of a unit in a sentence."""
    sections = (
        ("inputs", unit.section("input")),
        ("in-outs", unit.section("in_out")),
        ("outputs", unit.section("output")),
    )
    parts = [f"{title} {listed(v.name for v in pins)}" for title, pins in sections if pins]
    return f"Its pins: {'; '.join(parts)}." if parts else "It has no pins."


def instance_as_value(shown: str, block: typed.Unit, pin: str) -> Words:
    return Words(
        "no-value",
        f"{shown} is an instance of {block} and has no value of its own.",
        f"Name one of its pins, such as {shown}.{pin}." if pin else "Name one of its pins.",
    )


def no_variable(shown: str) -> Words:
    return Words("no-place", f"{shown} is no variable.", "Name a variable or a pin.")


def this_in_function(name: str) -> Words:
    return Words("outside-an-instance", f"{name} has no meaning in a function.", "Use it in a block or a method.")


def super_as_value() -> Words:
    return Words("no-value", "SUPER has no value of its own.", "Call a method of it: SUPER.method(...).")


def no_result(unit: typed.Unit) -> Words:
    return Words(
        "missing-type",
        f"{unit.name} has no result type, so nothing can be assigned to it.",
        f"Write FUNCTION {unit.name} : INT, or another type.",
    )


def block_as_variable(callee: typed.Unit) -> Words:
    return Words(
        "block-without-instance",
        f"{callee.name} is a block, not a variable.",
        f"Declare an instance of it (VAR name : {callee.name}; END_VAR) and use its pins.",
    )


def function_without_call(callee: typed.Unit) -> Words:
    return Words(
        "function-without-call",
        f"{callee.name} is a {callee.kind.lower()} and is called with parentheses.",
        f"Write {callee.name}(...).",
    )


def undeclared_after_case(name: str, unit_shown: str) -> Words:
    return Words(
        "unknown-name",
        f"{name} is not declared in {unit_shown}.",
        "In a CASE all other values stand under ELSE, without a colon.",
    )


def undeclared(name: str, unit_shown: str, is_wired: bool) -> Words:
    way_out = f"Declare {name} in a VAR section."
    if is_wired:
        way_out = f"Write a row with the instance {name}, or a tag: upright tags makes rows for such names."
    return Words("unknown-name", f"{name} is not declared in {unit_shown}.", way_out)


def missing_dereference(shown: str, owner: Reference, name: str) -> Words:
    return Words(
        "missing-dereference",
        f"{shown} is {owner}; its target has the {'pins' if isinstance(owner.target, typed.Unit) else 'fields'}.",
        f"Write {shown}^.{name}.",
    )


def no_pins(shown: str, owner: Type, name: str) -> Words:
    return Words("no-pins", f"{shown} is {owner} and has no pins.", f"Remove .{name}.")


def unknown_pin(owner: typed.Unit, name: str) -> Words:
    return Words("unknown-name", f"{owner} has no pin {name}.", pins_of(owner))


def in_out_of_instance(pin: typed.Variable, owner: typed.Unit) -> Words:
    return Words(
        "private-data",
        f"{pin.name} is an in-out of {owner}; it is the caller's own variable.",
        "Use the variable that is given to it.",
    )


def alias_written(name: str, meaning: str) -> Words:
    return Words(
        "constant-assigned",
        f"{name} stands for {meaning}, which is data of a program; only the program writes it.",
        "Give the program an input, or write a tag of its own.",
    )


def private_data(pin: typed.Variable, owner: typed.Unit, is_target: bool) -> Words:
    if owner.is_standard:
        way_out = pins_of(owner)
    elif is_target:
        way_out = f"Declare it in VAR_INPUT of {owner}."
    else:
        way_out = f"Declare it in VAR_OUTPUT of {owner}, or read an output that it has."
    return Words("private-data", f"{pin.name} is private data of {owner}; only its own body uses it.", way_out)


def unknown_field(owner: typed.Structure, name: str, names: list[str]) -> Words:
    return Words("unknown-name", f"{owner} has no field {name}.", f"Its fields are {listed(names)}.")


def no_elements(shown: str, array: Type) -> Words:
    return Words("no-array", f"{shown} is {array} and has no elements.", "Remove the index.")


def number_of_indices(shown: str, count: int, given: int) -> Words:
    return Words(
        "wrong-index",
        f"{shown} has {counted(count, 'dimension')}; {given} {'index is' if given == 1 else 'indices are'} given.",
        f"Write {shown}[{', '.join('ijklmn'[:count])}].",
    )


def index_type(shown: str, type_: Elementary) -> Words:
    return Words("type-mismatch", f"An index is an integer; {shown} is {type_}.", "Convert it to an integer.")


def index_outside(index: typed.Constant, low: int, high: int, shown: str, array: Type) -> Words:
    return Words(
        "out-of-range",
        f"The index {index.value} is outside {low}..{high}.",
        f"{shown} has {'characters' if isinstance(array, String) else 'elements'} {low} to {high}.",
    )


def no_reference(shown: str, base: typed.Place) -> Words:
    return Words("no-reference", f"{shown} is {base.type} and refers to nothing.", "Remove ^, or declare it REF_TO.")


def no_parts(shown: str, whole: Type) -> Words:
    if isinstance(whole, Elementary) and is_integer(whole):
        way_out = f"Convert it to a bit string: {whole}_TO_{_SAME_WIDTH[whole.bits]}({shown})."
    else:
        way_out = "Only bit strings have parts."
    return Words("no-parts", f"{shown} is {whole} and has no bits of its own.", way_out)


def part_outside(shown: str, whole: Elementary, width: int, last: int) -> Words:
    return Words(
        "out-of-range",
        f"{shown} is {whole} and has {_PART_WORDS[width]} 0 to {last}.",
        f"Write a number from 0 to {last}.",
    )


def instance_assigned(shown: str, place: typed.Place) -> Words:
    return Words(
        "no-place", f"{shown} is an instance of {place.type} and cannot be assigned.", f"Call it: {shown}(...);"
    )


def open_array(shown: str, place: typed.Place) -> Words:
    return Words(
        "open-array",
        f"{shown} is {place.type}; how long it is, is not known here.",
        "Take its elements one by one, or give it to another in-out.",
    )


def constant_assigned(shown: str) -> Words:
    return Words(
        "constant-assigned",
        f"{shown} is a constant.",
        "Remove CONSTANT from its section, or assign to another variable.",
    )


def own_input_assigned(shown: str, unit: typed.Unit) -> Words:
    return Words(
        "input-assigned",
        f"{shown} is an input of {unit.name}; only the caller gives it a value.",
        "Copy it into a variable of your own, or make it an output.",
    )


def input_assigned(shown: str, step: typed.Member) -> Words:
    return Words(
        "input-assigned",
        f"{shown} is an input of {step.owner}; only the caller gives it a value.",
        "Copy it into a variable of your own, or make it an output.",
    )


def output_assigned(shown: str, step: typed.Member) -> Words:
    return Words(
        "output-assigned",
        f"{shown} is an output of {step.owner}; only that block gives it a value.",
        "Assign to one of its inputs, or to a variable of your own.",
    )


def address_of_tag(shown: str, tag: Tag, unit: str) -> Words:
    if tag.variable is None:
        program, _, name = tag.name.rpartition(".")
        way_out = f"Declare {name} as a global variable AT {tag.address}, and name it in both."
        return Words(
            "point-has-tag",
            f"{shown} has bits of {name} of {program}, at {tag.address}: the address would be a second "
            "value of that point.",
            f"Write {name}." if program == unit else way_out,
        )
    more = ", inverted" if tag.is_negated else ", scaled" if tag.scale is not None else ""
    return Words(
        "point-has-tag",
        f"{shown} has bits of {tag.name}, {tag.variable.type}{more} at {tag.address}: the address would be "
        "a second value of that point.",
        f"Write {tag.name}, or what stands for a part of it.",
    )


def point_without_place(shown: str) -> Words:
    return Words(
        "no-place", f"{shown} is no variable that can be handed on.", "Declare a variable AT it, and hand that on."
    )


def no_such_point(shown: str, is_settled: bool) -> Words:
    if is_settled:
        return Words("no-such-point", f"Nothing in the library is at {shown}.", "Name a point that something uses.")
    return Words(
        "out-of-range",
        f"{shown} lies beyond the last point.",
        f"An area of points has at most {MOST_POINT_BYTES:,} bytes.",
    )


def input_point_assigned(shown: str, is_rig: bool = False) -> Words:
    return Words(
        "input-point-assigned",
        f"{shown} is an input; {'a rig is connected by tags' if is_rig else 'only the machine gives it a value'}.",
        "Give the point a tag, and write to that." if is_rig else "Write to an output or a memory point.",
    )
