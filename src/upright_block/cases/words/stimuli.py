"""What is said of stimuli."""

from __future__ import annotations

from collections.abc import Sequence

from upright_block.language.names import listed
from upright_block.language.telling.findings import Words


def drive_not_text() -> Words:
    return Words("wrong-kind", 'drive is a table between """ and """.', "Write pin | shape, and a line for each pin.")


def drive_without_rows() -> Words:
    return Words("empty-table", "The table drive has no rows.", "Write a line such as: open | pulse at=1s width=200ms.")


def drive_heads() -> Words:
    return Words("missing-column", "The heads of drive are pin and shape.", "Write pin | shape as its first line.")


def uneven_drive_row(cells: int) -> Words:
    return Words("uneven-row", f"The row has {cells} cells, the heads are 2.", "Write the pin, |, and its shape.")


def no_shape(name: str, near: str) -> Words:
    return Words(
        "unknown-name",
        f"There is no shape {name}.",
        near or "There are pulse, square, ramp, bounce, noise, wave and lost.",
    )


def no_entry(text: str, shape: str, keys: Sequence[str]) -> Words:
    return Words("bad-value", f"{text} is no key=value.", f"{shape} has {listed(list(keys))}.")


def unknown_entry(shape: str, key: str, keys: Sequence[str], near: str) -> Words:
    return Words("unknown-key", f"{shape} has no {key}.", near or f"It has {listed(list(keys))}.")


def entry_twice(key: str) -> Words:
    return Words("given-twice", f"{key} is given twice.", "Remove one of the two.")


def missing_entry(shape: str, key: str) -> Words:
    return Words("missing-key", f"{shape} needs {key}.", f"Write {key}=...")


def zero_time(key: str) -> Words:
    return Words("bad-value", f"{key} is no time above zero.", f"Write {key}=100ms, or another time.")


def negative_time(text: str) -> Words:
    return Words("bad-value", f"{text} lies before the start.", "Times count from 0s.")


def needs_number(shape: str, type_: str) -> Words:
    return Words("type-mismatch", f"{shape} makes numbers; the pin is {type_}.", "Choose pulse, square or bounce.")


def no_seed(text: str) -> Words:
    return Words("bad-value", f"{text} is no whole number.", "Write seed=7, or another number.")


def too_many_values(most: int) -> Words:
    return Words("too-long", f"The stimulus has more than {most:,} values.", "Run for a shorter time.")


def over_before(until: str, at: str) -> Words:
    return Words("bad-value", f"until={until} is not later than at={at or '0s'}.", "Let it end after it begins.")


def wave_goes_back(time: str, row: int, file: str) -> Words:
    message = f"Row {row} of {file} is at {time}, which is not later than the row before, or before the start."
    return Words("bad-value", message, "Put the rows in the order of their times, from 0s on.")


def wave_goes_on(rows: int, file: str, end: str) -> Words:
    which = "A row lies" if rows == 1 else f"{rows:,} rows lie"
    return Words("given-unused", f"{which} in {file} behind the last scan, at {end}.", "Write a longer run_for.")


def never_acts(end: str) -> Words:
    return Words(
        "given-unused",
        f"The stimulus changes nothing up to the last scan, at {end}.",
        "Write a longer run_for, or a change that lasts for a scan or longer.",
    )


def left_behind(text: str, near: str) -> Words:
    return Words("bad-value", f"What is lost cannot be left {text}.", near or "Write as=frozen or as=zero.")


def lost_twice(path: str) -> Words:
    return Words("given-twice", f"{path} is lost or forced already at that time.", "Leave a time between the two.")


def bad_range(text: str) -> Words:
    return Words(
        "bad-value",
        f"{text} is no range of points.",
        "Write the first and the last of one kind, as in %IW10..%IW13, at most 64 of them.",
    )


def range_of_shape(shape: str) -> Words:
    return Words("wrong-kind", f"{shape} drives one pin, not a range.", "Write a line for each pin.")


def not_driven(path: str) -> Words:
    return Words("wrong-kind", f"{path} is no input.", "Drive an input, or the tag or the point of one.")


def not_lost(path: str) -> Words:
    return Words(
        "wrong-kind",
        f"{path} is no input.",
        "Name an input, its tag or its point, or an input of an instance: it loses what a device gives it.",
    )


def no_column(column: str, file: str, near: str) -> Words:
    return Words("unknown-name", f"{file} has no column {column}.", near or "Name one of its columns.")


def wave_without_time(file: str) -> Words:
    return Words("missing-column", f"{file} has no column at.", "Give each row its time in a column at.")
