"""What is said of the subjects of cases."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.literals import shown_duration
from upright_block.language.names import listed
from upright_block.language.telling.findings import Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit, Variable
from upright_block.language.words import has_errors


def checks_nothing(case: str) -> Words:
    return Words(
        "checks-nothing", f'The case "{case}" checks nothing.', "Add a column for an output, and a value in it."
    )


def unknown_rig(name: str, near: str) -> Words:
    return Words(
        "unknown-name",
        f"There is no rig {name}.",
        near or f"Write PROGRAM {name} into the folder rigs below the cases.",
    )


def no_rig(unit: Unit) -> Words:
    return Words(
        "wrong-kind",
        f"{unit.name} in {unit.source.name} is not among the rigs.",
        "A rig is a PROGRAM in the folder rigs below the cases; move it there.",
    )


def unused_rig(unit: Unit) -> Words:
    return Words(
        "unused-rig",
        f"No case file names the rig {unit.name}.",
        f'Write program = "{unit.name}", or rig = "{unit.name}" beside a configuration, in one; or remove it.',
    )


def broken_rig(unit: Unit) -> Words:
    return Words("wrong-kind", *has_errors(unit.name))


def rig_is_wired(unit: Unit, what: str) -> Words:
    return Words(
        "wrong-kind", f"{unit.name} has {what}; a rig is connected by the names of tags.", "Name the tags in its body."
    )


def rig_named_twice(unit: Unit, configuration: Unit) -> Words:
    return Words(
        "name-twice", f"{configuration.name} has an instance called {unit.name} too.", "Give the rig another name."
    )


def rig_writes(unit: Unit, name: str) -> Words:
    return Words(
        "wrong-kind",
        f"{unit.name} writes {name}, which is no input.",
        "A rig stands for the machine: it reads outputs and writes inputs. Declare what it keeps for itself "
        "in its own VAR.",
    )


def unknown_subject(kind: str, name: str, known: Sequence[str], near: str) -> Words:
    has = listed(known) or f"no {kind}s"
    return Words("unknown-name", f"There is no {kind} {name}.", near or f"The library has {has}.")


def rules_of_no_block(unit: Unit) -> Words:
    return Words("wrong-kind", f"{unit.name} is a {unit.kind}, and has no instances.", "Name a block or a program.")


def no_program(unit: Unit) -> Words:
    return Words("wrong-kind", f"{unit.name} is a {unit.kind} and no program.", f'Write block = "{unit.name}".')


def scan_against_tasks(unit: Unit, timebase: Timebase) -> Words:
    moments = f"every {shown_duration(timebase.period)}" if timebase.is_even else "when one of them is due"
    return Words(
        "scan-against-tasks",
        f"The tasks of {unit.name} are looked at {moments}, whatever scan says.",
        "Remove scan; the tasks say how long a scan is.",
    )


def abstract_subject(unit: Unit) -> Words:
    return Words(
        "abstract", f"{unit.name} is ABSTRACT and has no instances.", "Write cases for a block that extends it."
    )


def array_of_any_length(unit: Unit, pin: Variable) -> Words:
    return Words(
        "open-array",
        f"{unit.name} works on an array of any length, {pin.name}; a case cannot say how long it is.",
        "Write a small block that gives it an array, and a case for that.",
    )


def works_on_abstract(unit: Unit, block: Unit) -> Words:
    return Words(
        "abstract",
        f"{unit.name} works on an instance of {block.name}, which is ABSTRACT; a case cannot give it one.",
        f"Write a small block that gives it one that extends {block.name}, and a case for that.",
    )


def no_subject(configurations: Sequence[str]) -> Words:
    message = "The case file does not name its block."
    if configurations:
        return Words(
            "missing-key",
            message,
            f'Write block = "Name", or configuration = "{configurations[0]}", in its first line.',
        )
    return Words("missing-key", message, 'Write block = "Name" in its first line.')
