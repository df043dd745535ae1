"""What is said of the values and tables of a case."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from upright_block.cases.overwriting import Overwritten
from upright_block.errors import Said
from upright_block.language import typed
from upright_block.language.field.tags import Tag
from upright_block.language.limits import MOST_COLUMNS, MOST_SCANS
from upright_block.language.literals import LiteralProblem, Value, shown, shown_duration
from upright_block.language.names import listed
from upright_block.language.signals import Signal
from upright_block.language.source import Cell
from upright_block.language.telling.findings import Words
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Compound
from upright_block.language.types import Array, Enumeration, Type
from upright_block.library.table import TIME_HEADS


def bad_value(signal: Signal, problem: LiteralProblem) -> Words:
    return Words("bad-value", f"{signal.path} is {signal.type}: {problem}", problem.way_out)


def too_many_columns(count: int) -> Words:
    return Words(
        "too-long", f"The table has {count:,} columns; {MOST_COLUMNS:,} are the most.", "Make several cases of it."
    )


def too_many_scans(scans: int) -> Words:
    return Words(
        "too-long", f"The case takes {scans} scans; {MOST_SCANS} are the most.", "Use a longer scan, or a shorter case."
    )


def beyond_dates() -> Words:
    return Words(
        "too-long",
        "The case runs beyond the year 2261, where dates end.",
        "Use a shorter scan or case, or an earlier clock.",
    )


def constant_of_all(signal: Signal) -> Words:
    return Words(
        "constant-of-all",
        f"{signal.path} is a constant: every instance of its block has the same value.",
        "Make it an input with a default value, or write a case for that block.",
    )


def constant_in_use(signal: Signal) -> Words:
    return Words(
        "constant-in-use",
        f"{signal.path} cannot be given: another initial value or a CASE label is made from it.",
        "Change it in the block, or give that value itself.",
    )


def given_twice(signal: Signal) -> Words:
    return Words("given-twice", f"{signal.path} is given twice.", "Remove one of the two.")


def too_many_values(signal: Signal, type_: Array, count: int) -> Words:
    low, high = type_.bounds[0]
    if len(type_.bounds) == 1:
        many, way_out = f"holds {count} values", f"Write at most {high - low + 1} values."
    else:
        first = ",".join(str(lowest) for lowest, _ in type_.bounds)
        many, way_out = "is one list", f'Name its elements: "{signal.path}[{first}]" = ...'
    return Words("bad-value", f"{signal.path} is {type_}, and this {many}.", way_out)


def not_its_shape(signal: Signal, type_: Type) -> Words:
    what, example = "a list", "[1, 2]"
    if isinstance(type_, Compound):
        what, example = "a table", "{ " + next((v.name for v in type_.variables.values()), "pin") + " = 1 }"
    described = f"an instance of {type_.name}" if isinstance(type_, typed.Unit) else str(type_)
    return Words(
        "bad-value",
        f"{signal.path} is {described}; its value is {what}.",
        f"Write {signal.path} = {example} with its values, or name a part of it.",
    )


def given_by_rig(signal: Signal) -> Words:
    return Words(
        "wrong-kind",
        f"The rig writes {signal.path} at every moment, so that nothing else is seen there.",
        f"Write force {signal.path} to hold it against the rig; a column {signal.path} checks it.",
    )


def no_power(text: str, near: Callable[[str, Iterable[str]], str]) -> Words:
    known = ("off", "on", "cold", "stop", "run")
    return Words("bad-value", f"{text} is no word of the column power.", near(text, known) or f"Write {listed(known)}.")


def no_power_to(text: str) -> Words:
    return Words("bad-value", f"The power is off at this row; {text} needs it.", "Write on or cold first.")


def two_meanings_of_head(head: Cell, unit: typed.Unit) -> Words:
    word = head.text.lower()
    others = " or ".join(other for other in TIME_HEADS if other != word)
    what = {"clock": "what the wall clock shows", "power": "the power"}.get(word, "the time of a row")
    besides = f"; for the time take {others}." if word in TIME_HEADS else "."
    return Words(
        "two-meanings",
        f"{head.text} is a pin of {unit.name}, and a word for {what}.",
        f"Write pin {head.text} for the pin{besides}",
    )


def two_times(one: str, other: str) -> Words:
    return Words("two-times", f"The table has two time columns, {one} and {other}.", "Keep one of them.")


def time_goes_back(text: str) -> Words:
    return Words(
        "time-goes-back",
        f"The row at {text} does not come after the row above it.",
        "Write the rows in the order of time, one for each scan at most.",
    )


def missing_time(kind: str) -> Words:
    return Words("missing-time", "The row has no time.", f"Write one in the column {kind}.")


def bad_cell(problem: LiteralProblem) -> Words:
    return Words("bad-value", str(problem), problem.way_out)


def before_start(text: str) -> Words:
    return Words("bad-value", f"{text} lies before the start.", "Times count from 0s.")


def between_scans(kind: str, text: str, timebase: Timebase, begun: int, span: int) -> Words:
    """A row at a moment ``span`` ns after ``begun`` at which no scan starts."""
    why = f"a scan takes {shown_duration(timebase.period)}" if timebase.is_even else "no task is due then"
    scan = timebase.scans_before(begun + span)
    before, after = (shown_duration(timebase.time(near) - begun) for near in (scan - 1, scan))
    shorter = ", or choose a shorter scan" if timebase.is_even else ""
    return Words(
        "between-scans",
        f"No scan starts {'at' if kind == 'at' else 'after'} {text}: {why}.",
        f"Write {before} or {after}{shorter}.",
    )


def column_without_name() -> Words:
    return Words("missing-name", "A column has no name.", "Name a pin above it.")


def unknown_time_column(unit: typed.Unit, name: str) -> Words:
    return Words(
        "unknown-name",
        f"{unit.name} has no {name}.",
        "Write at, if it is the time of the row from the start, after, if it counts from the row above, or scan.",
    )


def constant_driven(signal: Signal) -> Words:
    return Words("constant-assigned", f"{signal.path} is a constant.", "Give it another value with given.")


def column_twice(head: Cell, what: str) -> Words:
    return Words("column-twice", f"{head.text} {what} what another column {what} too.", "Remove one of the columns.")


def text_forced(signal: Signal) -> Words:
    return Words("not-supported", "A text is forced; that is not read.", f"Write set {signal.path}.")


def two_meanings_of_word(text: str, type_: Enumeration) -> Words:
    return Words(
        "two-meanings",
        f"{text} is a value of {type_.name}, and the word that ends a force.",
        f"Write {type_.name}#{text} for the value, release() to end the force.",
    )


def given_unused(signal: Signal, value: Value) -> Words:
    return Words(
        "given-unused",
        f"{signal.path} is given {shown(value, signal.type)}, and its column gives it another value in the first scan.",
        "Remove it from given, or empty the first cell of the column.",
    )


def overwritten(signal: Signal, found: Overwritten) -> Words:
    if found.point:
        said, way_out = f"its point {found.point} gives it its value before each call", f"Set {found.point}."
    elif found.is_wired:
        said, way_out = f"the pin is wired: {found.shown}", "Force it, or change what it is wired to."
    else:
        who = found.unit.name if found.unit.is_standard else found.shown
        said, way_out = f"each scan writes it first: {who}", "Force it, or set what it is computed from."
    return Words("given-unused", f"Nothing reads the value that {signal.path} is given here; {said}.", way_out)


def beyond_point(tag: Tag, text: str, raw: int) -> LiteralProblem:
    assert tag.raw is not None
    return LiteralProblem(
        f"{text} is {raw} at {tag.address}, which holds {tag.raw.low} to {tag.raw.high}.",
        "Write a value nearer to the range of the tag.",
    )


def read_only(signal: Signal) -> Words:
    return Words(
        "read-only",
        f"{signal.path} is an access path that is READ_ONLY.",
        "Check it, write READ_WRITE in its VAR_ACCESS, or use the path of the variable.",
    )


def not_seen(signal: Signal, interval: int) -> Words:
    return Words(
        "not-seen",
        f"No task sees this value of {signal.path}: it is gone before one that reads it runs, every "
        f"{shown_duration(interval)}.",
        "Hold it for longer, or read the input in a faster task.",
    )


def list_given() -> Said:
    return "a list is no single value.", 'Write one value, as in given = { pin = "value" }.'
