"""What is said of methods, bases and interfaces."""

from __future__ import annotations

from upright_block.language import typed
from upright_block.language.limits import MOST_NESTED
from upright_block.language.telling.findings import Words


def base_is_final(base: typed.Unit) -> Words:
    return Words("final", f"{base.name} is FINAL and cannot be extended.", "Hold an instance of it.")


def two_bases(unit: typed.Unit) -> Words:
    return Words("two-bases", f"{unit.name} extends more than one unit.", "Extend one; implement interfaces.")


def unknown_base(kinds: tuple[str, ...], name: str) -> Words:
    return Words("unknown-name", f"There is no {' or '.join(kinds) or 'unit'} {name}.", "Declare it.")


def takes_other_kind(keyword: str, wanted: str, found: typed.Unit) -> Words:
    return Words(
        "type-mismatch",
        f"{keyword} takes {wanted} here; {found.name} is a {found.kind}.",
        "Name another unit, or remove it.",
    )


def nothing_to_override(unit: typed.Unit, method: typed.Unit) -> Words:
    return Words(
        "nothing-to-override", f"{unit.name} inherits no method {method.name}.", "Remove OVERRIDE, or correct the name."
    )


def missing_override(method: typed.Unit, inherited: typed.Unit) -> Words:
    return Words(
        "missing-override",
        f"{method.name} is a method of {inherited.owner} already.",
        f"Write METHOD OVERRIDE {method.name}, or give it another name.",
    )


def method_is_final(inherited: typed.Unit, method: typed.Unit) -> Words:
    return Words("final", f"{inherited.owner}.{method.name} is FINAL.", "Give the method another name.")


def missing_method(unit: typed.Unit, interface: typed.Unit, wanted: typed.Unit) -> Words:
    return Words(
        "missing-method",
        f"{unit.name} implements {interface.name} and has no method {wanted.name}.",
        f"Write METHOD PUBLIC {wanted.name} in {unit.name}.",
    )


def abstract_method(unit: typed.Unit, method: typed.Unit) -> Words:
    return Words(
        "missing-method",
        f"{unit.name} does not make the abstract method {method.name} of {method.owner} real.",
        f"Write METHOD OVERRIDE {method.name} in it, or make {unit.name} ABSTRACT.",
    )


def other_pins(method: typed.Unit, wanted: typed.Unit) -> Words:
    return Words(
        "type-mismatch",
        f"{method.name} of {method.owner} has other pins than {method.name} of {wanted.owner}.",
        "Give both the same pins, types and result.",
    )


def extends_too_deep(unit: typed.Unit) -> Words:
    return Words(
        "nested-too-deep",
        f"{unit.name} extends more than {MOST_NESTED} units one after the other.",
        "Hold instances instead.",
    )


def extends_itself(unit: typed.Unit) -> Words:
    return Words("recursion", f"{unit.name} extends itself.", "Remove EXTENDS from one of the two.")
