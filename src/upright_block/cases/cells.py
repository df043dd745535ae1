"""What a cell says: a value to drive, or a check of a value."""

from __future__ import annotations

import math
import re
from datetime import timedelta
from decimal import Decimal
from functools import lru_cache
from typing import Any, TypeVar

from upright_block.cases.words import cells as words
from upright_block.errors import BadValue
from upright_block.language.literals import (
    NANOSECONDS,
    LiteralProblem,
    Number,
    Value,
    fit,
    next_real,
    parse_as,
    parse_date_and_time,
    parse_duration,
    parse_text,
    parse_typed,
    shown,
)
from upright_block.language.nodes import record
from upright_block.language.types import UNTYPED_REAL, Elementary, Enumeration, Reference, String, Type, widens
from upright_block.library.sheets import unguarded

_TOLERANCE = re.compile(r"(.+?)(?:±|\+-|\+/-)(.+)\Z")
_DECIMAL = re.compile(r"[+-]?[0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?\Z")
_SIMPLE_SPAN = re.compile(r"([0-9]{1,9})(?:\.([0-9]{1,3}))?(ms|s|m|h)\Z")
_DECIMAL_COMMA = re.compile(r"([+-]?[0-9]+),([0-9]+)\Z")
_SIGNS = str.maketrans({"≥": ">=", "≤": "<=", "≠": "!"})
_MOST_CACHED = 20_000
N = TypeVar("N", int, Decimal)


@record
class Check:
    """A value is right when it lies from ``low`` to ``high``, or outside of them if ``outside``.

    Where ``low`` is no number (NaN), the value is right when it is none. Else no number is never right.
    """

    low: Value
    high: Value
    outside: bool
    text: str

    @property
    def wants_no_number(self) -> bool:
        """Whether it asks for NaN."""
        return self.low != self.low

    def holds(self, value: Value) -> bool:
        """Whether a value is right."""
        if value != value or self.wants_no_number:
            return self.wants_no_number and (value != value) != self.outside
        low: Any = self.low
        high: Any = self.high
        return bool(low <= value <= high) != self.outside


def cell_text(value: object) -> str:
    """A value of TOML or of Python as it stands in a cell."""
    return str(value).upper() if isinstance(value, bool) else str(value).strip()


def simple_span(text: str) -> int | None:
    """Nanoseconds of a number with one unit such as ``1.5s``, which most times in a table are; None for others."""
    found = _SIMPLE_SPAN.match(text)
    if found is None:
        return None
    whole, digits, unit = found.groups()
    size = NANOSECONDS[unit]
    return int(whole) * size + (int(digits) * size // 10 ** len(digits) if digits else 0)


def parse_span(text: str) -> int:
    """Nanoseconds of a duration with or without its prefix: ``5s``, ``T#5s``; ``0`` is one too.

    Raises:
        LiteralProblem: the text is no duration.
    """
    simple = simple_span(text)
    if simple is not None:
        return simple
    text = text.strip()
    if text == "0":
        return 0
    if "#" in text:
        type_, value = parse_typed(text)
        if not isinstance(type_, Elementary) or type_.family != "duration":
            raise LiteralProblem(*words.no_duration(text))
        return int(value)
    spaced = "".join(text.split())
    if spaced != text:
        raise LiteralProblem(*words.space_in_literal(text, spaced))
    if _DECIMAL.match(text):
        raise LiteralProblem(*words.no_unit(text))
    return parse_duration(text)


def parse_clock(text: str) -> int:
    """Nanoseconds since 1970-01-01 of a date and time of day: ``2026-03-29-05:30:00``, with a ``T``, or a date alone.

    Raises:
        LiteralProblem: it is none.
    """
    prefix, mark, rest = text.strip().rpartition("#")
    if mark and prefix.upper() not in ("DT", "DATE_AND_TIME", "LDT", "LDATE_AND_TIME", "D", "DATE", "LD", "LDATE"):
        raise LiteralProblem(*words.no_clock(text))
    moment = re.sub(r"(?<=\d)[T ](?=\d)", "-", rest)
    return parse_date_and_time(moment if ":" in moment else f"{moment}-00:00:00")


@lru_cache(maxsize=_MOST_CACHED)
def duration(given: str | int | timedelta) -> int:
    """Nanoseconds of a duration such as ``"10s"``, of an int that says them, or of a timedelta.

    Raises:
        BadValue: it is no duration, or not above zero.
    """
    found = moment(given)
    if found <= 0:
        raise BadValue(*words.no_time_above_zero(given))
    return found


def moment(given: str | int | timedelta) -> int:
    """Nanoseconds from the start to a time such as ``"0s"``, of an int that says them, or of a timedelta.

    Raises:
        BadValue: it is no time.
    """
    if isinstance(given, bool) or not isinstance(given, (str, int, timedelta)):
        raise BadValue(*words.no_time_of_python(given))
    try:
        return parse_span(given) if isinstance(given, str) else nanoseconds(given)
    except LiteralProblem as problem:
        raise BadValue(str(problem), problem.way_out) from None


def nanoseconds(given: int | timedelta) -> int:
    """The same as an int in ns."""
    return given if isinstance(given, int) else given // timedelta(microseconds=1) * 1000


def parse_value(text: str, type_: Type) -> Value:
    """The value of a cell for a pin of this type: a literal of the language, or its short form.

    Raises:
        LiteralProblem: the cell is no value of the type.
    """
    if isinstance(type_, String):
        return _parse_text(text, type_)
    assert isinstance(type_, Elementary)
    text = unguarded(text)
    if type_.family == "real" and _DECIMAL.match(text):
        return fit(UNTYPED_REAL, float(text), type_)
    return _parse_number(text, type_)


def _parse_number(text: str, type_: Elementary) -> Number:
    prefix, mark, rest = text.partition("#")
    if isinstance(type_, Enumeration) and prefix.upper() == type_.name.upper():
        return parse_as(rest, type_)
    if isinstance(type_, Reference):
        if text.upper() == "NULL":
            return 0
        raise LiteralProblem(*words.no_reference(text))
    if mark and not prefix.isdigit() and text[:1] not in ("'", '"'):
        found, value = parse_typed(text)
        if (
            isinstance(value, str)
            or not isinstance(found, Elementary)
            or (found is not type_ and not widens(found, type_))
        ):
            raise LiteralProblem(*words.other_type(text, found, type_))
        return float(value) if type_.family == "real" else value
    if type_.family == "duration" and text == "0":
        return 0
    if type_.family == "real" and _DECIMAL.match(text):
        return fit(UNTYPED_REAL, float(text), type_)
    _refuse_slips(text, type_)
    return parse_as(text, type_)


def _refuse_slips(text: str, type_: Elementary) -> None:
    """What people write into cells that is no literal, with what they meant."""
    number, tail = text.lstrip("=<>"), text.removesuffix("..").removeprefix("..")
    if text in ("-", "--", "–", "—", "/", "x", "X", "?") and not isinstance(type_, Enumeration):
        raise LiteralProblem(*words.no_value(text))
    if comma := _DECIMAL_COMMA.match(text):
        raise LiteralProblem(*words.decimal_comma(text, comma[1], comma[2]))
    if number != text:
        raise LiteralProblem(*words.no_inequality(text, "!" if text.startswith("<") else "", number))
    if tail != text and ".." not in tail:
        sign = ">=" if text.endswith("..") else "<="
        raise LiteralProblem(*words.lacks_an_end(text, sign, tail))
    if type_.family == "duration" and len(text.split()) > 1:
        raise LiteralProblem(*words.space_in_check(text, "".join(text.split())))
    if type_.family in ("signed", "unsigned", "bits") and _DECIMAL.match(text) and not text.lstrip("+-").isdigit():
        value = Decimal(text)
        whole = f"{int(value)}" if abs(value) < 1 << 64 else "a whole number"
        also = f" or {int(value) + (1 if value > 0 else -1)}" if value != int(value) and abs(value) < 1 << 64 else ""
        raise LiteralProblem(*words.fraction_of_whole(text, type_, whole, also))


@lru_cache(maxsize=_MOST_CACHED)
def parse_check(text: str, type_: Type) -> Check:
    """What a cell asks of a value: ``5``, ``!5``, ``>=5``, ``<5``, ``1..5``, ``20±0.5``.

    Raises:
        LiteralProblem: the cell is no check for the type.
    """
    if isinstance(type_, String):  # its letters stay as they are
        asked = "!" + text[1:] if text[:1] == "≠" else text
    else:
        asked = unguarded(text).translate(_SIGNS)
    if asked.startswith("!"):
        rest = asked[1:].strip()
        if rest[:1] in ("!", "="):
            raise LiteralProblem(*words.two_inequalities(text, rest.lstrip("!= ")))
        inner = parse_check(rest, type_)
        return Check(inner.low, inner.high, outside=True, text=text)
    if not isinstance(type_, Elementary):
        value = parse_value(asked, type_)
        return Check(value, value, outside=False, text=text)
    if type_.family == "real" and asked.upper() == "NAN":
        return Check(math.nan, math.nan, outside=False, text=text)
    for sign in (">=", "<=", ">", "<"):
        if asked.startswith(sign) and asked[:2] != "<>":
            _needs_order(text, type_)
            limit = _parse_number(asked[len(sign) :].strip(), type_)
            least, most = _ends(type_)
            if sign[0] == ">":
                return Check(limit if "=" in sign else _beyond(limit, type_, 1), most, outside=False, text=text)
            return Check(least, limit if "=" in sign else _beyond(limit, type_, -1), outside=False, text=text)
    low_text, dots, high_text = asked.partition("..")
    if dots and low_text and high_text:
        _needs_order(text, type_)
        low, high = _parse_number(low_text.strip(), type_), _parse_number(high_text.strip(), type_)
        if low > high:
            raise LiteralProblem(*words.empty_range(text, low_text, high_text))
        return Check(low, high, outside=False, text=text)
    tolerance = _TOLERANCE.match(asked)
    if tolerance:
        _needs_order(text, type_)
        return _around(tolerance[1].strip(), tolerance[2].strip(), type_, text)
    value = _parse_number(asked, type_)
    return Check(value, value, outside=False, text=text)


def _parse_text(text: str, type_: String) -> str:
    """A text in quotes, or one word without them."""
    quote = '"' if type_.width == 2 else "'"
    bare = text.partition("#")[2] if text.upper().startswith(type_.stem + "#") else text
    if bare[:1] in ("'", '"') and bare[:1] == bare[-1:] and len(bare) > 1:
        bare = bare[1:-1]
    found = parse_text(f"{quote}{bare}{quote}")[1]
    if len(found) > type_.capacity:
        raise LiteralProblem(*words.too_many_characters(text, len(found), type_, type_.capacity))
    return found


def _needs_order(text: str, type_: Elementary) -> None:
    if type_.family in ("bool", "enumeration", "reference"):
        what = "a BOOL" if type_.family == "bool" else type_.name
        raise LiteralProblem(*words.no_order(text, what))


def _around(middle: str, width: str, type_: Elementary, text: str) -> Check:
    if type_.family == "real":
        if not (_DECIMAL.match(middle) and _DECIMAL.match(width)):
            raise LiteralProblem(*words.no_tolerance(text))
        centre, spread = Decimal(middle), _spread(Decimal(width), text)
        low, high = (fit(UNTYPED_REAL, float(centre + d), type_) for d in (-spread, spread))
        return Check(low, high, outside=False, text=text)
    centre_, spread_ = int(_parse_number(middle, type_)), _spread(int(_parse_number(width, type_)), text)
    least, most = _ends(type_)
    return Check(max(centre_ - spread_, int(least)), min(centre_ + spread_, int(most)), outside=False, text=text)


def _spread(width: N, text: str) -> N:
    if width < 0:
        raise LiteralProblem(*words.tolerance_below_zero(text))
    return width


def _ends(type_: Elementary) -> tuple[Number, Number]:
    if type_.family == "real":
        return float("-inf"), float("inf")
    return type_.low, type_.high


def _beyond(value: Number, type_: Elementary, direction: int) -> Number:
    """The next value of the type above or below."""
    if type_.family == "real":
        return next_real(float(value), direction) if type_.bits == 32 else math.nextafter(value, direction * math.inf)
    neighbour = int(value) + direction
    if not type_.low <= neighbour <= type_.high:
        raise LiteralProblem(*words.no_neighbour(type_, "above" if direction > 0 else "below", shown(value, type_)))
    return neighbour
