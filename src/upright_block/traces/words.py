"""What is said of traces and their files."""

from __future__ import annotations

from upright_block.errors import Said


def no_trace_suffix(file: str) -> Said:
    return f"{file} is neither a .csv nor a .vcd file.", "Name one of these."


def thinned(signal: str) -> Said:
    return f"{signal} has more changes than were kept.", "Keep all of them, or run shorter."


def no_first_column(name: str) -> Said:
    return f"{name} is no trace: its first column is not at.", "Name a trace that upright run has written."


def column_twice(name: str, twice: str) -> Said:
    return f"{name} is no trace: two of its columns are {twice}.", "Rename or remove one of them."


def trace_unreadable(file: str, reason: object) -> Said:
    return f"{file} cannot be read: {reason}.", "Name a .csv or .vcd file that upright run has written."


def no_csv(name: str, problem: object) -> Said:
    return f"{name} is no CSV that can be read: {problem}.", "Name a trace that upright run has written."


def not_later(name: str, number: int, time: str) -> Said:
    return f"{name}:{number}: {time} is not later than the row before.", "Put the rows in order."


def no_vcd(name: str, problem: object) -> Said:
    return f"{name} is no VCD that can be read: {problem}", "Name a trace that upright run has written."


def trace_not_written(file: object, reason: object) -> Said:
    return f"{file} cannot be written: {reason}.", "Name another file."


def no_pandas() -> Said:
    return "pandas is not installed.", "Install it: pip install 'upright-block[frames]'."


def too_many_rows(count: int, most: int) -> Said:
    return f"The frame would have {count:,} rows.", f"Choose a longer time between two, for at most {most:,}."
