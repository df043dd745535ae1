"""What is said of declarations."""

from __future__ import annotations

from upright_block.language import syntax, typed
from upright_block.language.telling.findings import Words
from upright_block.language.types import Type


def name_of_standard(node: syntax.Unit | syntax.TypeDeclaration) -> Words:
    return Words(
        "name-taken",
        f"{node.name} is a name of the standard.",
        f"Give the {'unit' if isinstance(node, syntax.Unit) else 'type'} another name.",
    )


def unit_twice(name: str) -> Words:
    return Words("name-twice", f"{name} is declared twice.", "Give one of the two another name.")


def configuration_as_unit(name: str) -> Words:
    message = f"A configuration and a unit are called {name}: a call, a case or a rule could mean either."
    return Words("name-twice", message, "Give one of the two another name.")


def configuration_twice(name: str) -> Words:
    return Words("name-twice", f"Two configurations are called {name}.", "Give one of the two another name.")


def method_twice(owner: typed.Unit, name: str) -> Words:
    return Words("name-twice", f"{owner.name} has two methods {name}.", "Give one of the two another name.")


def global_twice(name: str) -> Words:
    return Words("name-twice", f"The global variable {name} is declared twice.", "Remove one of the two.")


def block_as_result(type_: typed.Unit) -> Words:
    return Words("type-mismatch", f"A function cannot give a block ({type_}) as its result.", "Use a type of data.")


def declared_twice(name: str, unit: typed.Unit) -> Words:
    return Words("name-twice", f"{name} is declared twice in {unit.name}.", "Give one of the two another name.")


def name_of_result(name: str, unit: typed.Unit) -> Words:
    return Words(
        "name-taken",
        f"{name} is the name of the {unit.kind.lower()} and stands for its result.",
        "Give the variable another name.",
    )


def constant_pin(name: str) -> Words:
    return Words(
        "constant-pin", f"{name} is a pin and cannot be constant.", "Declare it in VAR CONSTANT, or remove CONSTANT."
    )


def nothing_to_retain(name: str) -> Words:
    return Words(
        "nothing-to-retain",
        f"{name} keeps nothing from scan to scan, so there is nothing to retain.",
        "Remove RETAIN, or declare it in VAR, VAR_INPUT or VAR_OUTPUT of a block or a program.",
    )


def initial_in_out(name: str) -> Words:
    return Words(
        "initial-in-out",
        f"{name} is an in-out; its value is that of the caller's variable.",
        "Remove the initial value.",
    )


def edge_of_other(edge: str) -> Words:
    return Words("type-mismatch", f"{edge} belongs to a BOOL input of a block.", f"Remove {edge}.")


def unknown_global(name: str) -> Words:
    return Words("unknown-name", f"There is no global variable {name}.", "Declare it in a VAR_GLOBAL section.")


def other_type_than_global(name: str, type_: Type, declared: Type) -> Words:
    return Words("type-mismatch", f"{name} is {type_} here and {declared} where it is declared.", f"Write {declared}.")


def abstract_instance(block: typed.Unit) -> Words:
    return Words(
        "abstract", f"{block} is ABSTRACT and has no instances.", "Declare an instance of a block that extends it."
    )


def instance_in_function(name: str, block: typed.Unit, unit: typed.Unit) -> Words:
    return Words(
        "instance-in-function",
        f"{name} is an instance of {block}; a {unit.kind.lower()} keeps no data between its calls.",
        "Write a FUNCTION_BLOCK instead.",
    )


def body_of_its_own(unit: typed.Unit) -> Words:
    return Words("unexpected", f"A {unit.kind} has no body of its own.", "Put statements into a METHOD.")


def result_never_set(unit: typed.Unit) -> Words:
    return Words("result-never-set", f"{unit.name} never sets its result.", f"Assign it: {unit.name} := ...;")


def address_in_block(name: str, address: str, unit: typed.Unit) -> Words:
    return Words(
        "address-in-block",
        f"{name} is AT {address} in a {unit.kind.lower()}: every instance would be at that one point.",
        "Make it a pin and wire the point to it, or declare it in a PROGRAM.",
    )
