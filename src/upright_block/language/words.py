"""What is said of literals, and of units, wherever they are named."""

from __future__ import annotations

from upright_block.errors import Said


def no_integer(text: str) -> Said:
    return f"{text} is no integer.", "Single underscores may stand between digits."


def too_many_digits(text: str, most: int) -> Said:
    return f"{text} has too many digits.", f"Write at most {most}."


def no_based_integer(text: str) -> Said:
    return f"{text} is no integer.", "Bases are 2#, 8# and 16#, with digits of that base."


def duration_too_long(text: str, most: int) -> Said:
    return f"{text} is too long for a duration.", f"Write at most {most} characters."


def duration_missing() -> Said:
    return "A duration is missing.", "Write one such as 1m30s."


def beyond_longest_duration(text: str) -> Said:
    return f"{text} is longer than the longest duration.", "The longest is 106751d23h47m16s854ms775us807ns."


def no_date(text: str) -> Said:
    return f"{text} is no date.", "Write year-month-day, as in 2026-03-29."


def beyond_dates(text: str) -> Said:
    return f"{text} is beyond the dates of this program.", "They go from 1678 to 2261."


def no_time_of_day(text: str) -> Said:
    return f"{text} is no time of day.", "Write hours:minutes:seconds, as in 06:30:00."


def no_date_and_time(text: str) -> Said:
    return f"{text} is no date and time.", "Write year-month-day-hours:minutes:seconds, as in 2026-03-29-06:30:00."


def no_digits_after_point(text: str, before: str, behind: str) -> Said:
    return f"{text} has no digits after a point.", f"Write {before}.0{behind}."


def no_type_before(prefix: str) -> Said:
    return f"{prefix} before # is no type.", "Write a type such as INT, WORD or T before #."


def no_bool(text: str) -> Said:
    return f"{text} is no BOOL.", "A BOOL is 0, 1, FALSE or TRUE."


def not_one_character(text: str, type_: str) -> Said:
    return f"'{text}' is not one character of {type_}.", "A CHAR is exactly one character."


def no_unit(number: str) -> Said:
    return f"{number} has no unit of time.", f"Write a duration such as T#{number}s."


def no_such_literal(number: str, family: str, example: str) -> Said:
    return f"{number} is no {family}.", f"Write one such as {example}."


def does_not_fit(number: int, type_: str, low: int, high: int) -> Said:
    return f"{number} does not fit {type_}.", f"{type_} goes from {low} to {high}."


def no_duration(text: str) -> Said:
    return f"{text} is no duration.", "Units are d, h, m, s, ms, us and ns, as in 1m30s."


def units_out_of_order(text: str) -> Said:
    return f"{text} has its units out of order.", "Write them from d down to ns, each once."


def fraction_before_last_unit(text: str) -> Said:
    return f"{text} has a fraction before its last unit.", "Only the last unit may have a fraction."


def finer_than_nanosecond(text: str) -> Said:
    return f"{text} is finer than a nanosecond.", "A nanosecond is the shortest duration."


def no_such_day(text: str) -> Said:
    return f"There is no day {text}.", "Write year-month-day, as in 2026-03-29."


def no_value_of(text: str, type_: str, names: str) -> Said:
    return f"{text} is no value of {type_}.", f"Its values are {names}."


def digits_beyond_base(digits: str, base: int, last: object) -> Said:
    return f"{digits} has digits that base {base} does not have.", f"Base {base} has the digits 0 to {last}."


def number_without_unit(text: str) -> Said:
    return f"{text} has a number without a unit.", "Units are d, h, m, s, ms, us and ns, as in 1m30s."


def stands_for_no_character(character: str, digits: int) -> Said:
    return (
        f"${character} stands for no character.",
        f"""After $ write $, ', ", L, N, P, R, T or {digits} digits of base 16; write $$ for $ itself.""",
    )


def too_large(value: object, type_: str, largest: str) -> Said:
    return f"{value} is too large for {type_}.", f"The largest {type_} is {largest}."


def has_fraction(value: object, type_: str, whole: int | None) -> Said:
    way_out = "Write a whole number, or convert with TRUNC." if whole is None else f"Write {whole}."
    return f"{value} has a fraction; {type_} has none.", way_out


def no_character(character: str, wide: bool) -> Said:
    if wide:
        return f"{character} is no character of a WSTRING.", "Use another character."
    return f"{character} is no character of a STRING.", 'Use a WSTRING, in double quotes: "...".'


def has_errors(unit: str) -> Said:
    return f"{unit} has errors.", "upright check lists them."
