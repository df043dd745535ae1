"""What is said of tasks and the programs in them."""

from __future__ import annotations

from upright_block.language import syntax, typed
from upright_block.language.limits import MOST_MOMENTS
from upright_block.language.telling.findings import Words
from upright_block.language.types import Type


def program_in_no_task(program: syntax.ProgramInstance, task: str) -> Words:
    return Words(
        "no-task",
        f"The program {program.name} is in no task, so it runs at every moment, after those that are.",
        f"Write PROGRAM {program.name} WITH {task} : {program.type.name};",
    )


def unknown_task(name: str) -> Words:
    return Words("unknown-name", f"There is no task {name}.", "Declare it: TASK name (INTERVAL := T#10ms);")


def unknown_program(name: str) -> Words:
    return Words("unknown-name", f"There is no program {name}.", "Write PROGRAM ... END_PROGRAM.")


def no_program(unit: typed.Unit) -> Words:
    return Words("unknown-name", f"{unit.name} is a {unit.kind} and no program.", "Write PROGRAM ... END_PROGRAM.")


def pin_without_caller(kind: typed.Unit, pin: typed.Variable) -> Words:
    return Words(
        "missing-pin",
        f"{kind.name} works on a variable of its caller, {pin.name}, and a task gives it none.",
        f"Declare {pin.name} in VAR, or as a global variable.",
    )


def task_twice(unit: typed.Unit, task: str) -> Words:
    return Words("name-twice", f"{unit.name} has two tasks {task}.", "Give one of the two another name.")


def interval_of_nothing() -> Words:
    return Words("out-of-range", "An interval is longer than nothing.", "Write one such as T#10ms.")


def missing_interval(name: str) -> Words:
    return Words(
        "missing-interval",
        f"The task {name} never runs: it has neither INTERVAL nor SINGLE.",
        "Write INTERVAL := T#10ms.",
    )


def interval_and_single(name: str) -> Words:
    return Words(
        "two-triggers",
        f"The task {name} has an INTERVAL and a SINGLE.",
        "Keep one of the two; for programs that run at both, declare two tasks.",
    )


def no_interval(unit: typed.Unit) -> Words:
    return Words(
        "no-interval",
        f"No task of {unit.name} has an INTERVAL, so nothing says at which moments a rise is looked for.",
        "Give a program a task with INTERVAL := T#10ms; else scan in the case file or in upright.toml says it.",
    )


def too_many_moments(unit: typed.Unit) -> Words:
    return Words(
        "too-long",
        f"The tasks of {unit.name} are due at more than {MOST_MOMENTS:,} moments before they are due together again.",
        "Give them intervals that are multiples of one of them, such as T#10ms and T#100ms.",
    )


def idle_task(name: str) -> Words:
    return Words(
        "idle-task", f"No program is in the task {name}.", f"Write PROGRAM ... WITH {name}, or remove the task."
    )


def program_never_runs(unit: typed.Unit, found: tuple[syntax.Configuration, syntax.Task] | None) -> Words:
    return Words("no-task", f"The program {unit.name} is in no task, so it never runs.", _task_for(unit, found))


def _task_for(unit: typed.Unit, found: tuple[syntax.Configuration, syntax.Task] | None) -> str:
    """What to write so that a program runs: in a task that there is, or with one of its own."""
    instance = f"{unit.name.lower()}_1"
    if found is not None:
        configuration, task = found
        return f"Write PROGRAM {instance} WITH {task.name} : {unit.name}; in CONFIGURATION {configuration.name}."
    return (
        f"Write, in a file of its own: CONFIGURATION Plant TASK main (INTERVAL := T#100ms, PRIORITY := 1); "
        f"PROGRAM {instance} WITH main : {unit.name}; END_CONFIGURATION"
    )


def still_open(program: str, variable: str, address: str) -> Words:
    return Words(
        "missing-point",
        f"{variable} of {program} is AT {address}, and nothing says where.",
        f"Write VAR_CONFIG {program}.{variable} AT %IX0.0 : BOOL; END_VAR, with its point and its type.",
    )


def setting_twice(path: str) -> Words:
    return Words("given-twice", f"{path} is given twice.", "Remove one of the two.")


def setting_of_nothing(path: str) -> Words:
    return Words(
        "missing-value", f"VAR_CONFIG gives {path} neither a point nor a value.", "Write := and a value, or remove it."
    )


def no_variable(holder: typed.Unit, name: str) -> Words:
    return Words("unknown-name", f"{holder.name} has no {name}.", "Correct the path.")


def no_instance(name: str, type_: Type) -> Words:
    return Words("no-pins", f"{name} is {type_} and has nothing inside.", "End the path here.")


def other_type(name: str, type_: Type) -> Words:
    return Words("type-mismatch", f"{name} is {type_} where it is declared.", f"Write {type_}.")


def no_such_path(shown: str) -> Words:
    return Words("bad-value", f"{shown} is no path.", "Write one such as main.Vent01.travel.")


def not_open(name: str, address: str) -> Words:
    return Words(
        "address-not-open",
        f"{name} cannot be put to {address} here.",
        "Declare it in its PROGRAM AT %I* or %Q*, of the same area; only what a declaration leaves open is "
        "given a point here.",
    )
