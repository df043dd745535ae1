"""Literals to values. IEC 61131-3:2013, 6.3 (tables 5, 8).

Values are plain: bool, int, float, str. A duration is an int of nanoseconds; so are a time of day since
midnight, and a date, with or without a time, since 1970-01-01 00:00. A character is the int of its code.
"""

from __future__ import annotations

import math
import re
import struct
from collections.abc import Callable
from datetime import date, timedelta
from functools import lru_cache

from upright_block.language import words
from upright_block.language.names import listed
from upright_block.language.types import (
    ELEMENTARY,
    UNTYPED_INT,
    UNTYPED_REAL,
    Elementary,
    Enumeration,
    Reference,
    String,
    Type,
    string_type,
)

Number = bool | int | float
Value = Number | str

_INTEGER = re.compile(r"[0-9]+(_[0-9]+)*\Z")
_BASED = re.compile(r"(2|8|16)#([0-9A-Fa-f]+(?:_[0-9A-Fa-f]+)*)\Z")
_REAL = re.compile(r"[0-9]+(_[0-9]+)*\.[0-9]+(_[0-9]+)*([eE][+-]?[0-9]+)?\Z")
_POINTLESS = re.compile(r"([0-9][0-9_]*)(?:\.?([eE][+-]?[0-9]+)|\.)\Z")
_DURATION_PART = re.compile(r"([0-9]+(?:_[0-9]+)*(?:\.[0-9]+)?)_?(d|h|ms|us|ns|m|s)_?", re.IGNORECASE)
NANOSECONDS = {
    "d": 86_400_000_000_000,
    "h": 3_600_000_000_000,
    "m": 60_000_000_000,
    "s": 1_000_000_000,
    "ms": 1_000_000,
    "us": 1_000,
    "ns": 1,
}
_LONGEST = 1 << 63
_MOST_DIGITS = 200
_DATE = re.compile(r"([0-9]{1,4})-([0-9]{1,2})-([0-9]{1,2})")
_TIME_OF_DAY = re.compile(r"([0-9]{1,2}):([0-9]{1,2})(?::([0-9]{1,2})(?:\.([0-9]{1,9}))?)?")
_ESCAPE = re.compile(r"\$(?=(.?)(.?)(.?)(.?))", re.DOTALL)
_ESCAPED = {"$": "$", "'": "'", '"': '"', "L": "\n", "N": "\n", "P": "\f", "R": "\r", "T": "\t"}
DAY = NANOSECONDS["d"]
_EPOCH = date(1970, 1, 1)


class LiteralProblem(ValueError):
    """A literal that cannot be read; the message is a sentence, ``way_out`` says what to write."""

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message)
        self.way_out = way_out


def parse_integer(text: str) -> int:
    """``12``, ``1_000``, ``16#FF``, ``2#1010``.

    Raises:
        LiteralProblem: the text is no integer.
    """
    if len(text) > _MOST_DIGITS:
        raise LiteralProblem(*words.too_many_digits(text, _MOST_DIGITS))
    if _INTEGER.match(text):
        return int(text.replace("_", ""))
    based = _BASED.match(text)
    if based:
        base, digits = int(based[1]), based[2].replace("_", "")
        try:
            return int(digits, base)
        except ValueError:
            raise LiteralProblem(*words.digits_beyond_base(based[2], base, "F" if base == 16 else base - 1)) from None
    if "#" in text:
        raise LiteralProblem(*words.no_based_integer(text))
    raise LiteralProblem(*words.no_integer(text))


@lru_cache(maxsize=10_000)
def parse_duration(text: str) -> int:
    """Nanoseconds of ``1d2h3m4s5.6ms``, ``-5s``: units in falling order, a fraction in the last only.

    Raises:
        LiteralProblem: the text is no duration.
    """
    if len(text) > _MOST_DIGITS:
        raise LiteralProblem(*words.duration_too_long(text, _MOST_DIGITS))
    negative = text.startswith("-")
    rest = text[1:] if text[:1] in "+-" else text
    total, last = 0, 1 << 62
    offset, fraction = 0, False
    while offset < len(rest):
        part = _DURATION_PART.match(rest, offset)
        if part is None:
            if re.fullmatch(r"[0-9_.]+", rest[offset:]):
                raise LiteralProblem(*words.number_without_unit(text))
            raise LiteralProblem(*words.no_duration(text))
        size = NANOSECONDS[part[2].lower()]
        if size >= last:
            raise LiteralProblem(*words.units_out_of_order(text))
        if fraction:
            raise LiteralProblem(*words.fraction_before_last_unit(text))
        whole, point, digits = part[1].replace("_", "").partition(".")
        fraction = bool(point)
        tenths, rest_ = divmod(int(digits or 0) * size, 10 ** len(digits))
        if rest_:
            raise LiteralProblem(*words.finer_than_nanosecond(text))
        total += int(whole) * size + tenths
        last, offset = size, part.end()
    if not rest:
        raise LiteralProblem(*words.duration_missing())
    value = -total if negative else total
    if not -_LONGEST <= value < _LONGEST:
        raise LiteralProblem(*words.beyond_longest_duration(text))
    return value


def parse_date(text: str) -> int:
    """Nanoseconds from 1970-01-01 to ``2026-03-29``.

    Raises:
        LiteralProblem: the text is no date between the years 1678 and 2261.
    """
    found = _DATE.fullmatch(text)
    if found is None:
        raise LiteralProblem(*words.no_date(text))
    try:
        days = (date(int(found[1]), int(found[2]), int(found[3])) - _EPOCH).days
    except ValueError:
        raise LiteralProblem(*words.no_such_day(text)) from None
    if not -_LONGEST <= days * DAY < _LONGEST - DAY:
        raise LiteralProblem(*words.beyond_dates(text))
    return days * DAY


def parse_time_of_day(text: str) -> int:
    """Nanoseconds from midnight to ``12:34:56.789``; seconds may be left out.

    Raises:
        LiteralProblem: the text is no time of day.
    """
    found = _TIME_OF_DAY.fullmatch(text)
    hours, minutes, seconds = (int(found[i] or 0) for i in (1, 2, 3)) if found else (99, 0, 0)
    if found is None or hours > 23 or minutes > 59 or seconds > 59:
        raise LiteralProblem(*words.no_time_of_day(text))
    return ((hours * 60 + minutes) * 60 + seconds) * 1_000_000_000 + int((found[4] or "").ljust(9, "0"))


def parse_date_and_time(text: str) -> int:
    """Nanoseconds from 1970-01-01 00:00 to ``2026-03-29-06:30:00``.

    Raises:
        LiteralProblem: the text is no date with a time of day.
    """
    day, _, time = text.rpartition("-")
    if not day:
        raise LiteralProblem(*words.no_date_and_time(text))
    return parse_date(day) + parse_time_of_day(time)


def parse_text(text: str) -> tuple[String, str]:
    """A text in quotes, with its type: STRING in ``'``, WSTRING in ``"`` (table 6).

    Raises:
        LiteralProblem: an escape is unknown, or a STRING has a character beyond 16#FF.
    """
    wide = text[0] == '"'
    digits = 4 if wide else 2
    body, made, offset = text[1:-1], [], 0
    for found in _ESCAPE.finditer(body):
        if found.start() < offset:
            continue
        made.append(body[offset : found.start()])
        code = "".join(found.groups())[:digits]
        if re.fullmatch(f"[0-9A-Fa-f]{{{digits}}}", code):
            made.append(chr(int(code, 16)))
            offset = found.start() + 1 + digits
        elif found[1].upper() in _ESCAPED:
            made.append(_ESCAPED[found[1].upper()])
            offset = found.start() + 2
        else:
            raise LiteralProblem(*words.stands_for_no_character(found[1], digits))
    value = "".join([*made, body[offset:]])
    beyond = next((c for c in value if ord(c) > (0xFFFF if wide else 0xFF)), None)
    if beyond is not None:
        raise LiteralProblem(*words.no_character(beyond, wide))
    return string_type(2 if wide else 1, len(value)), value


def parse_number(text: str) -> tuple[Elementary, Number]:
    """An untyped number: its pseudo type and its value.

    Raises:
        LiteralProblem: the text is no number.
    """
    if _REAL.match(text):
        return UNTYPED_REAL, float(text.replace("_", ""))
    if pointless := _POINTLESS.match(text):
        raise LiteralProblem(*words.no_digits_after_point(text, pointless[1], pointless[2] or ""))
    return UNTYPED_INT, parse_integer(text)


_SHORT = {"T": "TIME", "LT": "LTIME", "D": "DATE", "LD": "LDATE"}


def is_literal_prefix(word: str) -> bool:
    """Whether a word before ``#`` is one of the standard's, such as ``T`` or ``INT``."""
    return word.upper() in _SHORT or word.upper() in ELEMENTARY


def parse_typed(text: str) -> tuple[Type, Value]:
    """A literal with its type before ``#``: ``T#5s``, ``INT#-5``, ``WORD#16#FF``, ``D#2026-03-29``.

    Raises:
        LiteralProblem: the type is unknown or the value does not belong to it.
    """
    prefix, _, rest = text.partition("#")
    name = _SHORT.get(prefix.upper(), prefix.upper())
    if name in ("STRING", "WSTRING") and rest[:1] in ("'", '"'):
        quote = '"' if name == "WSTRING" else "'"
        return parse_text(quote + rest[1:-1] + quote)
    type_ = ELEMENTARY.get(name)
    if type_ is None:
        raise LiteralProblem(*words.no_type_before(prefix))
    return type_, parse_as(rest, type_)


_PARSE_TIMED: dict[str, Callable[[str], int]] = {
    "duration": parse_duration,
    "date": parse_date,
    "time of day": parse_time_of_day,
    "date and time": parse_date_and_time,
}


def parse_as(text: str, type_: Elementary) -> Number:
    """The value of ``text`` written for ``type_`` without prefix.

    Raises:
        LiteralProblem: the value does not belong to the type.
    """
    timed = _PARSE_TIMED.get(type_.family)
    if timed is not None:
        return timed(text)
    if type_.family == "bool":
        if text.upper() in ("TRUE", "1"):
            return True
        if text.upper() in ("FALSE", "0"):
            return False
        raise LiteralProblem(*words.no_bool(text))
    if type_.family == "char" and text[:1] in ("'", '"'):
        quote = "'" if type_.bits == 8 else '"'
        return character(parse_text(quote + text[1:-1] + quote)[1], type_)
    if isinstance(type_, Enumeration):
        known = type_.members.get(text.upper())
        if known is not None:
            return known[1]
        if not type_.is_open and not text.isdigit():
            names = listed(name for name, _ in type_.members.values())
            raise LiteralProblem(*words.no_value_of(text, type_.name, names))
    sign = -1 if text.startswith("-") else 1
    untyped, value = parse_number(text[1:] if text[:1] in "+-" else text)
    return fit(untyped, sign * value, type_)


def character(text: str, type_: Elementary) -> int:
    """The code of a text that is one character.

    Raises:
        LiteralProblem: it is not one character, or not one of the type.
    """
    if len(text) != 1 or ord(text) > type_.high:
        raise LiteralProblem(*words.not_one_character(text, type_.name))
    return ord(text)


def fit(untyped: Elementary, value: Number, type_: Elementary) -> Number:
    """The value of an untyped number as one of ``type_``.

    Raises:
        LiteralProblem: it does not belong to the type, or not to its range.
    """
    if type_.family == "real":
        try:
            number = round_real(float(value)) if type_.bits == 32 else float(value)
            if math.isinf(number):
                raise OverflowError
            return number
        except OverflowError:
            raise LiteralProblem(*words.too_large(value, type_.name, _largest(type_))) from None
    if type_.family == "duration":
        raise LiteralProblem(*words.no_unit(shown_number(value)))
    if type_.family in _EXAMPLES:
        raise LiteralProblem(*words.no_such_literal(shown_number(value), type_.family, _EXAMPLES[type_.family]))
    if untyped is UNTYPED_REAL:
        is_whole = math.isfinite(value) and value == int(value)
        raise LiteralProblem(*words.has_fraction(value, type_.name, int(value) if is_whole else None))
    number_ = int(value)
    if not type_.low <= number_ <= type_.high:
        raise LiteralProblem(*words.does_not_fit(number_, type_.name, type_.low, type_.high))
    return bool(number_) if type_.family == "bool" else number_


_EXAMPLES = {
    "date": "D#2026-03-29",
    "time of day": "TOD#06:30:00",
    "date and time": "DT#2026-03-29-06:30:00",
    "char": "'A'",
    "reference": "NULL",
}


def _largest(type_: Elementary) -> str:
    return "3.4028235E38" if type_.bits == 32 else "1.7976931348623157E308"


def round_real(value: float) -> float:
    """The REAL (single precision) nearest to ``value``.

    Raises:
        OverflowError: the value is beyond the largest REAL.
    """
    return float(struct.unpack("<f", struct.pack("<f", value))[0])


def next_real(value: float, direction: int) -> float:
    """The REAL above (direction 1) or below (-1) a REAL."""
    bits = int(struct.unpack("<i", struct.pack("<f", value))[0])
    if value == 0:
        return direction * 2.0**-149
    bits += 1 if (value > 0) == (direction > 0) else -1
    return float(struct.unpack("<f", struct.pack("<i", bits))[0])


def shown_number(value: Number) -> str:
    """A number as a person writes it."""
    return str(int(value)) if isinstance(value, float) and value.is_integer() and abs(value) < 1e15 else str(value)


def shown_duration(nanoseconds: int) -> str:
    """A duration as a person writes it: ``1m30s``, ``1.5s``, ``-250ms``, ``0s``."""
    if nanoseconds == 0:
        return "0s"
    sign = "-" if nanoseconds < 0 else ""
    rest = abs(nanoseconds)
    parts: list[str] = []
    for unit in ("d", "h", "m"):
        count, rest = divmod(rest, NANOSECONDS[unit])
        if count:
            parts.append(f"{count}{unit}")
    if rest:
        unit = next(u for u in ("s", "ms", "us", "ns") if rest >= NANOSECONDS[u] or parts)
        size = NANOSECONDS[unit]
        whole, left = divmod(rest, size)
        fraction = f"{left:0{len(str(size)) - 1}d}".rstrip("0") if left else ""
        parts.append(f"{whole}{'.' + fraction if fraction else ''}{unit}")
    return sign + "".join(parts)


def shown_time_of_day(nanoseconds: int) -> str:
    """A time of day as a person writes it: ``06:30:00``, ``12:00:00.5``."""
    seconds, rest = divmod(nanoseconds, 1_000_000_000)
    text = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
    return text + (f".{rest:09d}".rstrip("0") if rest else "")


def shown_date(nanoseconds: int) -> str:
    """A date as a person writes it: ``2026-03-29``."""
    return (_EPOCH + timedelta(days=nanoseconds // DAY)).isoformat()


def shown_text(text: str, quote: str) -> str:
    """A text as it is written in a source, in quotes."""
    marks = {"\n": "$N", "\f": "$P", "\r": "$R", "\t": "$T", "$": "$$", quote: "$" + quote}
    digits = 4 if quote == '"' else 2
    plain = (marks.get(c) or (c if c.isprintable() else f"${ord(c):0{digits}X}") for c in text)
    return quote + "".join(plain) + quote


def shown(value: Value, type_: Type) -> str:
    """A value as a person writes it for its type; BOOL is 0 or 1, bit strings are hexadecimal."""
    if isinstance(value, str):
        return shown_text(value, '"' if isinstance(type_, String) and type_.width == 2 else "'")
    assert isinstance(type_, Elementary)
    match type_.family:
        case "duration":
            return shown_duration(int(value))
        case "bool":
            return "1" if value else "0"
        case "bits":
            return f"16#{int(value):0{type_.bits // 4}X}"
        case "real":
            return shown_real(float(value), type_)
        case "date":
            return shown_date(int(value))
        case "time of day":
            return shown_time_of_day(int(value))
        case "date and time":
            return f"{shown_date(int(value))}-{shown_time_of_day(int(value) % DAY)}"
        case "char":
            return shown_text(chr(int(value)), '"' if type_.bits == 16 else "'")
    if isinstance(type_, Enumeration):
        return type_.name_of(int(value)) or str(value)
    if isinstance(type_, Reference):
        return f"to 16#{int(value):X}" if value else "NULL"
    return str(value)


def shown_real(value: float, type_: Elementary) -> str:
    """The shortest decimal that reads back as the same REAL or LREAL."""
    if value != value or value in (float("inf"), float("-inf")):
        return str(value)
    text = repr(value)
    if type_.bits == 32:
        text = repr(float(next(t for d in range(1, 10) if _is_real(t := f"{value:.{d}g}", value))))
    mantissa, mark, exponent = text.partition("e")
    if "." not in mantissa:
        mantissa += ".0"
    return mantissa + (f"E{int(exponent)}" if mark else "")


def _is_real(text: str, value: float) -> bool:
    """Whether a decimal reads as this REAL."""
    try:
        return round_real(float(text)) == value
    except OverflowError:
        return False
