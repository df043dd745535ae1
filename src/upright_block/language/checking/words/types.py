"""What is said of types and initial values."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.limits import LONGEST_TEXT, MOST_ELEMENTS, MOST_NESTED
from upright_block.language.names import counted, listed
from upright_block.language.scope import NamedType
from upright_block.language.telling.findings import Words
from upright_block.language.types import Array, Elementary, Type


def unit_as_type(unit: typed.Unit) -> Words:
    return Words(
        "type-mismatch",
        f"{unit.name} is a {unit.kind.lower()} and no type.",
        "Call it in an expression; it needs no instance."
        if unit.kind == "FUNCTION"
        else "Programs run in tasks; write a FUNCTION_BLOCK to have instances.",
    )


def void() -> Words:
    return Words(
        "unknown-name",
        "VOID is no type: a function without a result has none.",
        "Leave it out, with the colon before it.",
    )


def generic_type(name: str) -> Words:
    return Words(
        "not-supported",
        f"{name} is a generic type; units of the library have no generic pins.",
        "Write a type such as INT, or one function for each type.",
    )


def stand_in_outside(name: str) -> Words:
    return Words(
        "unknown-name",
        f"{name} is a stand-in for a machine, and known to rigs alone.",
        "Write the program that uses it into the folder rigs below the cases.",
    )


def unknown_type(name: str) -> Words:
    return Words(
        "unknown-name",
        f"There is no type or block {name}.",
        "Types are BOOL, INT, DINT, REAL, LREAL, TIME, WORD and their kin, and the blocks of the library.",
    )


def contains_itself(named: NamedType) -> Words:
    return Words("recursion", f"{named.name} contains itself.", f"Refer to the other one by REF_TO {named.name}.")


def types_too_deep() -> Words:
    return Words("nested-too-deep", f"Types are nested more than {MOST_NESTED} levels deep here.", "Use fewer levels.")


def text_length(length: int) -> Words:
    return Words("out-of-range", f"{length} is no length of a text.", f"Write 1 to {LONGEST_TEXT}.")


def range_of(base: Type) -> Words:
    return Words("type-mismatch", f"A range is one of an integer type; {base} is none.", "Write INT.")


def empty_range(name: str, low: int, high: int) -> Words:
    of = f" of {name}" if name else ""
    return Words("empty-range", f"The range{of} is empty: {low} is above {high}.", f"Write {high}..{low}.")


def open_array() -> Words:
    return Words(
        "open-array", "An array of any length can only be an in-out.", "Write the bounds, or declare it in VAR_IN_OUT."
    )


def array_too_large(made: Array, element: Type) -> Words:
    return Words(
        "out-of-range",
        f"The array has {made.count:,} elements of {element}, too many for the memory of a controller.",
        f"{MOST_ELEMENTS:,} values are the most.",
    )


def named_values_of(base: Type) -> Words:
    return Words("type-mismatch", f"Named values are integers or bit strings; {base} is neither.", "Write INT.")


def value_name_twice(name: str) -> Words:
    return Words("name-twice", f"{name} stands twice among the values.", "Remove one of the two.")


def named_value_outside(value: int, base: Elementary) -> Words:
    return Words("out-of-range", f"{value} does not fit {base}.", "Choose another value.")


def empty_structure() -> Words:
    return Words("empty-structure", "The structure has no field.", "Declare one, as in x : INT;")


def field_twice(name: str, made: typed.Structure) -> Words:
    return Words("name-twice", f"{name} is declared twice in {made.name}.", "Give one of the two another name.")


def structures_too_deep(made: typed.Structure) -> Words:
    return Words(
        "nested-too-deep", f"{made.name} has more than {MOST_NESTED} levels of structures.", "Use fewer levels."
    )


def constant_without_value(name: str, type_: Type) -> Words:
    return Words("constant-without-value", f"The constant {name} has no value.", f"Write {name} : {type_} := value;")


def one_value(name: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{name} is {type_} and takes one value.", "Write the value without brackets.")


def value_for_each(name: str, type_: Array, shown: str) -> Words:
    return Words(
        "type-mismatch",
        f"{name} is {type_} and takes a value for each element.",
        f"Write [{shown}, ...], or [{type_.count}({shown})] for all.",
    )


def too_many_values(name: str, type_: Array) -> Words:
    return Words(
        "too-many-values",
        f"{name} has {counted(type_.count, 'element')}; these are more.",
        "Remove some, or widen the bounds.",
    )


def values_by_name(name: str, type_: typed.Compound) -> Words:
    return Words("type-mismatch", f"{name} is {type_} and takes values by name.", "Write (name := value, ...).")


def unknown_part(type_: typed.Compound, name: str, open_names: list[str]) -> Words:
    return Words(
        "unknown-name",
        f"{type_} has no {'field' if isinstance(type_, typed.Structure) else 'pin'} {name}.",
        f"It has {listed(open_names)}.",
    )


def part_given_twice(variable: typed.Variable) -> Words:
    return Words("pin-twice", f"{variable.name} is given a value twice.", "Remove one of them.")
