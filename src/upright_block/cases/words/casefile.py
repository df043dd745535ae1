"""What is said of a case file as it is written."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.literals import LiteralProblem
from upright_block.language.telling.findings import Words
from upright_block.library import TomlProblem

_CLOCK_WAY_OUT = 'Write clock = "2026-03-29-06:00:00".'


def bad_toml(problem: TomlProblem) -> Words:
    return Words(
        "bad-toml",
        f"The file is not valid TOML: {problem}.",
        'Texts stand in quotes, tables of rows between """ and """.',
    )


def no_scan() -> Words:
    return Words(
        "missing-key",
        "The case file does not say how long a scan is.",
        'Write scan = "100ms" before the first [[case]].',
    )


def cases_not_tables() -> Words:
    return Words("wrong-kind", "Cases are written as tables.", "Begin each with a line [[case]].")


def no_cases() -> Words:
    return Words("no-cases", "The file holds no case.", "Begin one with a line [[case]].")


def two_subjects(one: str, other: str) -> Words:
    return Words(
        "two-subjects",
        f"The case file is for a {one} and for a {other}.",
        "Keep one of the two; write a file for the other.",
    )


def rules_without_block() -> Words:
    return Words("missing-key", "The file does not say which block its rules are for.", 'Write block = "Pump".')


def file_without_rules() -> Words:
    return Words("checks-nothing", "The file has no rules.", 'Write never = ["opening AND closing"].')


def unknown_key(what: str, key: str, known: Sequence[str], near: str) -> Words:
    return Words("unknown-key", f"{what} has no key {key}.", near or f"Its keys are {', '.join(known)}.")


def not_a_name(key: str) -> Words:
    return Words("wrong-kind", f"{key} is not a name.", f'Write {key} = "...".')


def not_a_duration(key: str, value: object) -> Words:
    number = value if isinstance(value, (int, float)) and not isinstance(value, bool) else 1
    return Words(
        "wrong-kind",
        f"{key} is a duration in quotes, with its unit.",
        f'Write {key} = "{number}{"ms" if key == "scan" else "s"}", or another unit.',
    )


def bad_literal(problem: LiteralProblem) -> Words:
    return Words("bad-literal", str(problem), problem.way_out)


def zero_duration(what: str) -> Words:
    return Words("out-of-range", f"A {what} takes longer than nothing.", 'Write a duration such as "100ms".')


def not_a_clock() -> Words:
    return Words("wrong-kind", "clock is a date and time.", _CLOCK_WAY_OUT)


def no_such_date(written: object) -> Words:
    return Words("bad-literal", f"{written} is no date and time.", _CLOCK_WAY_OUT)


def case_without_name() -> Words:
    return Words("missing-key", "This case has no name.", 'Write name = "what it shows".')


def hold_not_bool() -> Words:
    return Words("wrong-kind", "hold is true or false.", "Write hold = true.")


def fault_not_text() -> Words:
    way_out = 'Write expect_fault = "division by zero", or what upright verify calls the fault.'
    return Words("wrong-kind", "expect_fault is the name of a fault.", way_out)


def does_nothing() -> Words:
    return Words(
        "missing-key",
        "This case does nothing: it has neither vectors nor run_for.",
        'Write vectors = """ ... """ below its name.',
    )


def case_twice(name: str) -> Words:
    return Words("name-twice", f'Two cases are called "{name}".', "Give each case a name of its own.")


def rig_without_configuration(name: str, kind: str) -> Words:
    return Words(
        "wrong-kind",
        f"A rig goes around a configuration, and this file is for a {kind}.",
        f'A rig that holds the {kind} itself is the subject: program = "{name}".',
    )


def sweep_without_values() -> Words:
    return Words(
        "wrong-kind", "sweep gives a list of values for each name.", 'Write sweep = { travel = ["5s", "10s"] }.'
    )


def sweep_too_large(count: int, most: int) -> Words:
    return Words("too-long", f"This makes {count:,} cases, more than {most:,}.", "Leave out values.")


def sweep_unused(name: str) -> Words:
    return Words(
        "given-unused",
        f"Nothing in the case says {{{name}}}.",
        f'Write it where the value belongs: given = {{ {name} = "{{{name}}}" }}.',
    )


def given_not_table() -> Words:
    return Words("wrong-kind", "given is a table of values.", 'Write given = { pin = "value" }.')


def vectors_not_text() -> Words:
    return Words("wrong-kind", "vectors is a table in quotes, or the name of a file.", 'Write vectors = """ ... """.')


def later_kind_of_file(suffix: str) -> Words:
    return Words(
        "not-supported",
        f"{suffix} files are not read by this version.",
        "Save it as .xlsx or .csv, and name that file.",
    )


def neither_table_nor_file(name: str) -> Words:
    return Words(
        "wrong-kind",
        f"{name} is neither a table of several lines nor the name of a table file.",
        'Write the table between """ and """, or name a .csv or .xlsx file.',
    )


def missing_file(name: str, near: str) -> Words:
    return Words(
        "missing-file", f"There is no file {name} beside the case file.", near or "Correct the name, or write the file."
    )


def empty_table() -> Words:
    return Words("empty-table", "The table is empty.", "Write a line of column names, then a line for each row.")


def no_rows() -> Words:
    return Words("empty-table", "The table has no rows.", "Write a line for each row below the column names.")


def row_of_no_case() -> Words:
    return Words("bad-value", "The first row names no case.", "Write its name into the column case.")


def case_apart(name: str) -> Words:
    return Words(
        "name-twice", f"The rows of {name} do not stand together.", "Move them together, or give these another name."
    )


def no_sheet(book: str, name: str, sheets: Sequence[str], near: str) -> Words:
    listed = ", ".join(sheets) or "none"
    if not name:
        return Words(
            "missing-sheet",
            f"{book} has several sheets, or none: {listed}.",
            f'Name one, as in vectors = "{book}#{sheets[0] if sheets else "Sheet1"}".',
        )
    return Words("missing-sheet", f"{book} has no sheet {name}.", near or f"Its sheets are {listed}.")
