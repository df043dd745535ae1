"""What is said of a run, and of what a machine is asked for."""

from __future__ import annotations

from typing import TYPE_CHECKING

from upright_block.asking import asked
from upright_block.errors import Said

if TYPE_CHECKING:
    from upright_block.language.types import Type
    from upright_block.machine.trace import Fault


def constant_set(path: str) -> Said:
    return f"{path} is a constant.", "Give it another value when the machine is made: given={...}."


def beyond_the_clock(path: str, type_: Type, value: int) -> Said:
    return f"{path} is {type_}: {value} ns is beyond it.", "Give a time that it can hold."


def no_power_word(word: str, known: str) -> Said:
    return f"{word} is no word for the power.", f"There are {known}."


def power_is_off(word: str) -> Said:
    return f"The power is off; {word} needs it.", "Say on or cold first."


def never_met(expression: str, within: str) -> Said:
    return (
        f"{expression} was never TRUE within {within}.",
        "Look at the values that it names, or give it more time: within=...",
    )


def other_moment(is_moment: bool) -> Said:
    what = "a snapshot of another program, or of another scan" if is_moment else "no snapshot"
    return f"This is {what}.", "Come back to one that a machine of this unit, with this scan, has taken."


def scan_fault(fault: Fault, where: str, time: str) -> Said:
    site = fault.site
    kind = f"{site.kind[0].upper()}{site.kind[1:]}"
    return (
        f"{kind} in {where}, at {time} (scan {fault.scan}), {site.shown_line}.",
        "The machine stands before that scan: set what it needs, or restore a moment.",
    )


def no_path(path: object) -> Said:
    return f"{path!r} is no path ({type(path).__name__}).", 'Give a text such as "running.ET".'


def no_count(count: object) -> Said:
    return f"{count!r} is no number of scans.", "Give an int from 0 on; run_until waits for a time or a condition."


def no_condition(expression: object) -> Said:
    return f"{expression!r} is no condition.", 'Give a text such as "stuck AND NOT opening".'


def no_value(path: str, type_: Type, kind: str) -> Said:
    return f"{path} is {type_}; a {kind} is no value of it.", "Give a bool, an int, a float or a text."


def no_mapping(path: str, type_: Type) -> Said:
    return f"{path} is {type_}, a structure.", "Give a dict with the values of its fields."


def no_field(name: str, type_: Type, near: str) -> Said:
    return f"{type_} has no field {name}.", near


def no_list(path: str, type_: Type, length: int) -> Said:
    return f"{path} is {type_}.", f"Give a list of {length}, one for each element, or for each index a list."


def text_forced(path: str) -> Said:
    return f"{path} is a text; texts are not forced.", "Set it before each scan."


def text_too_long(count: int, path: str, type_: Type) -> Said:
    return f"The text has {count} characters; {path} is {type_}.", "Give a shorter one."


def nothing_recorded(pattern: str) -> Said:
    return f"Nothing that is recorded is called {pattern}.", "Write a path or a pattern such as running.*."


def too_many_scans(span: object, scans: int, most: int) -> Said:
    return f"{span} has {scans:,} scans.", f"Run for 1 to {most:,} of them."


def empty_pattern() -> Said:
    return "A pattern is empty.", "Write a path or a pattern such as running.*, and one comma between two."


def nothing_called(unit: str, pattern: str, near: str) -> Said:
    return f"Nothing in {unit} is called {pattern}.", near


def stopped_before(time: str) -> Said:
    return f"The run stopped at {time}.", "Choose that time, or one before it."


def after_the_case(last: str) -> Said:
    return f"The last scan of the run is at {last}.", f"Choose a time up to that, or run longer: {asked('span')} TIME."


def after_the_condition(last: str) -> Said:
    return f"The condition came true at {last}.", "Choose a time up to that, or leave the condition out."


def nothing_before() -> Said:
    return "There is nothing before this moment.", "Go on from here."


def set_in_the_middle(path: str) -> Said:
    return (
        f"{path} was set in the middle of a scan; a case sets values between scans.",
        "Go back behind it, and set it between two scans.",
    )
