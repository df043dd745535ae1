"""Literals to values. IEC 61131-3:2013, 6.3 (tables 5, 8).

Values are plain: bool, int, float. A duration is an int of nanoseconds.
"""

from __future__ import annotations

import re
import struct
from fractions import Fraction
from functools import lru_cache

from upright_block.language.types import ELEMENTARY, UNTYPED_INT, UNTYPED_REAL, Elementary

Value = bool | int | float

_INTEGER = re.compile(r"[0-9]+(_[0-9]+)*\Z")
_BASED = re.compile(r"(2|8|16)#([0-9A-Fa-f]+(?:_[0-9A-Fa-f]+)*)\Z")
_REAL = re.compile(r"[0-9]+(_[0-9]+)*\.[0-9]+(_[0-9]+)*([eE][+-]?[0-9]+)?\Z")
_DURATION_PART = re.compile(r"([0-9]+(?:_[0-9]+)*(?:\.[0-9]+)?)_?(d|h|ms|us|ns|m|s)_?", re.IGNORECASE)
_NANOSECONDS = {
    "d": 86_400_000_000_000, "h": 3_600_000_000_000, "m": 60_000_000_000, "s": 1_000_000_000,
    "ms": 1_000_000, "us": 1_000, "ns": 1,
}  # fmt: skip
_LONGEST = 1 << 63


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
    if _INTEGER.match(text):
        return int(text.replace("_", ""))
    based = _BASED.match(text)
    if based:
        base, digits = int(based[1]), based[2].replace("_", "")
        try:
            return int(digits, base)
        except ValueError:
            raise LiteralProblem(f"{based[2]} has digits that base {base} does not have.",
                                 f"Base {base} has the digits 0 to {'F' if base == 16 else base - 1}.") from None  # fmt: skip
    if "#" in text:
        raise LiteralProblem(f"{text} is no integer.", "Bases are 2#, 8# and 16#, with digits of that base.")
    raise LiteralProblem(f"{text} is no integer.", "Single underscores may stand between digits.")


@lru_cache(maxsize=10_000)
def parse_duration(text: str) -> int:
    """Nanoseconds of ``1d2h3m4s5.6ms``, ``-5s``: units in falling order, a fraction in the last only.

    Raises:
        LiteralProblem: the text is no duration.
    """
    negative = text.startswith("-")
    rest = text[1:] if text[:1] in "+-" else text
    total = Fraction(0)
    last = 1 << 62
    at, fraction = 0, False
    while at < len(rest):
        part = _DURATION_PART.match(rest, at)
        if part is None:
            if re.fullmatch(r"[0-9_.]+", rest[at:]):
                raise LiteralProblem(
                    f"{text} has a number without a unit.",
                    "Units are d, h, m, s, ms, us and ns, as in 1m30s.",
                )
            raise LiteralProblem(
                f"{text} is no duration.", "Units are d, h, m, s, ms, us and ns, as in 1m30s."
            )
        size = _NANOSECONDS[part[2].lower()]
        if size >= last:
            raise LiteralProblem(
                f"{text} has its units out of order.", "Write them from d down to ns, each once."
            )
        if fraction:
            raise LiteralProblem(
                f"{text} has a fraction before its last unit.", "Only the last unit may have a fraction."
            )
        fraction = "." in part[1]
        total += Fraction(part[1].replace("_", "")) * size
        last, at = size, part.end()
    if not rest:
        raise LiteralProblem("A duration is missing.", "Write one such as 1m30s.")
    if total.denominator != 1:
        raise LiteralProblem(f"{text} is finer than a nanosecond.", "A nanosecond is the shortest duration.")
    value = int(-total if negative else total)
    if not -_LONGEST <= value < _LONGEST:
        raise LiteralProblem(
            f"{text} is longer than the longest duration.", "The longest is 106751d23h47m16s854ms775us807ns."
        )
    return value


def parse_number(text: str) -> tuple[Elementary, Value]:
    """An untyped number: its pseudo type and its value.

    Raises:
        LiteralProblem: the text is no number.
    """
    if _REAL.match(text):
        return UNTYPED_REAL, float(text.replace("_", ""))
    return UNTYPED_INT, parse_integer(text)


def parse_typed(text: str) -> tuple[Elementary, Value]:
    """A literal with its type before ``#``: ``T#5s``, ``INT#-5``, ``WORD#16#FF``, ``BOOL#1``.

    Raises:
        LiteralProblem: the type is unknown or the value does not belong to it.
    """
    prefix, _, rest = text.partition("#")
    name = {"T": "TIME", "LT": "LTIME"}.get(prefix.upper(), prefix.upper())
    type_ = ELEMENTARY.get(name)
    if type_ is None:
        raise LiteralProblem(
            f"{prefix} before # is no type.", "Write a type such as INT, WORD or T before #."
        )
    return type_, parse_as(rest, type_)


def parse_as(text: str, type_: Elementary) -> Value:
    """The value of ``text`` written for ``type_`` without prefix.

    Raises:
        LiteralProblem: the value does not belong to the type.
    """
    if type_.family == "duration":
        return parse_duration(text)
    if type_.family == "bool":
        if text.upper() in ("TRUE", "1"):
            return True
        if text.upper() in ("FALSE", "0"):
            return False
        raise LiteralProblem(f"{text} is no BOOL.", "A BOOL is 0, 1, FALSE or TRUE.")
    sign = -1 if text.startswith("-") else 1
    untyped, value = parse_number(text[1:] if text[:1] in "+-" else text)
    return fit(untyped, sign * value, type_)


def fit(untyped: Elementary, value: Value, type_: Elementary) -> Value:
    """The value of an untyped number as one of ``type_``.

    Raises:
        LiteralProblem: it does not belong to the type, or not to its range.
    """
    if type_.family == "real":
        try:
            number = float(value)
            return round_real(number) if type_.bits == 32 else number
        except OverflowError:
            raise LiteralProblem(
                f"{value} is too large for {type_.name}.", f"The largest {type_.name} is {_largest(type_)}."
            ) from None
    if type_.family == "duration":
        raise LiteralProblem(
            f"{shown_number(value)} has no unit of time.",
            f"Write a duration such as T#{shown_number(value)}s.",
        )
    if untyped is UNTYPED_REAL:
        raise LiteralProblem(
            f"{value} has a fraction; {type_.name} has none.",
            "Write a whole number, or convert with TRUNC." if value != int(value) else f"Write {int(value)}.",
        )
    number_ = int(value)
    if not type_.low <= number_ <= type_.high:
        raise LiteralProblem(
            f"{number_} does not fit {type_.name}.", f"{type_.name} goes from {type_.low} to {type_.high}."
        )
    return bool(number_) if type_.family == "bool" else number_


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


def shown_number(value: Value) -> str:
    """A number as a person writes it."""
    return (
        str(int(value))
        if isinstance(value, float) and value.is_integer() and abs(value) < 1e15
        else str(value)
    )


def shown_duration(nanoseconds: int) -> str:
    """A duration as a person writes it: ``1m30s``, ``1.5s``, ``-250ms``, ``0s``."""
    if nanoseconds == 0:
        return "0s"
    sign = "-" if nanoseconds < 0 else ""
    rest = abs(nanoseconds)
    parts: list[str] = []
    for unit in ("d", "h", "m"):
        count, rest = divmod(rest, _NANOSECONDS[unit])
        if count:
            parts.append(f"{count}{unit}")
    if rest:
        unit = next(u for u in ("s", "ms", "us", "ns") if rest >= _NANOSECONDS[u] or parts)
        size = _NANOSECONDS[unit]
        whole, left = divmod(rest, size)
        fraction = f"{left:0{len(str(size)) - 1}d}".rstrip("0") if left else ""
        parts.append(f"{whole}{'.' + fraction if fraction else ''}{unit}")
    return sign + "".join(parts)


def shown(value: Value, type_: Elementary) -> str:
    """A value as a person writes it for its type; BOOL is 0 or 1, bit strings are hexadecimal."""
    if type_.family == "duration":
        return shown_duration(int(value))
    if type_.family == "bool":
        return "1" if value else "0"
    if type_.family == "bits":
        return f"16#{int(value):0{type_.bits // 4}X}"
    if type_.family == "real":
        return shown_real(float(value), type_)
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
