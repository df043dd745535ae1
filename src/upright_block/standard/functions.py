"""The standard functions as the checker sees them. IEC 61131-3:2013, 6.6.2.5 and tables 22 to 39."""

from __future__ import annotations

from functools import cache

from upright_block.language.signatures import Pin, StandardFunction
from upright_block.language.types import (
    BOOL,
    DATE,
    DINT,
    DT,
    ELEMENTARY,
    INT,
    LDATE,
    LDT,
    LINT,
    LTIME,
    LTOD,
    TIME,
    TOD,
    Elementary,
    in_group,
    is_integer,
)

_ONE = (Pin("IN"),)
_TWO = (Pin("IN1"), Pin("IN2"))
_TEXT = Pin("IN", group="ANY_STRING")
_TEXTS = (Pin("IN1", group="ANY_STRING"), Pin("IN2", group="ANY_STRING"))
_SHIFTED = (Pin("IN"), Pin("N", group="ANY_INT"))


def _operators() -> list[StandardFunction]:
    """Operators as functions (tables 29, 31, 33, 35)."""
    found = [
        StandardFunction(name, _TWO, form="operator", operator=sign, extensible=many)
        for name, sign, many in (
            ("ADD", "+", True),
            ("SUB", "-", False),
            ("MUL", "*", True),
            ("DIV", "/", False),
            ("MOD", "MOD", False),
            ("AND", "AND", True),
            ("OR", "OR", True),
            ("XOR", "XOR", True),
        )
    ]
    found += [
        StandardFunction(name, _TWO, form="chain", operator=sign, extensible=name != "NE")
        for name, sign in (("GT", ">"), ("GE", ">="), ("EQ", "="), ("LE", "<="), ("LT", "<"), ("NE", "<>"))
    ]
    for name, sign, a, b in (
        ("ADD_TIME", "+", TIME, TIME),
        ("ADD_TOD_TIME", "+", TOD, TIME),
        ("ADD_DT_TIME", "+", DT, TIME),
        ("SUB_TIME", "-", TIME, TIME),
        ("SUB_DATE_DATE", "-", DATE, DATE),
        ("SUB_TOD_TIME", "-", TOD, TIME),
        ("SUB_TOD_TOD", "-", TOD, TOD),
        ("SUB_DT_TIME", "-", DT, TIME),
        ("SUB_DT_DT", "-", DT, DT),
        ("ADD_LTIME", "+", LTIME, LTIME),
        ("ADD_LTOD_LTIME", "+", LTOD, LTIME),
        ("ADD_LDT_LTIME", "+", LDT, LTIME),
        ("SUB_LTIME", "-", LTIME, LTIME),
        ("SUB_LDATE_LDATE", "-", LDATE, LDATE),
        ("SUB_LTOD_LTIME", "-", LTOD, LTIME),
        ("SUB_LTOD_LTOD", "-", LTOD, LTOD),
        ("SUB_LDT_LTIME", "-", LDT, LTIME),
        ("SUB_LDT_LDT", "-", LDT, LDT),
    ):
        pins = (Pin("IN1", a), Pin("IN2", b))
        found.append(StandardFunction(name, pins, form="operator", operator=sign))
    for name, sign, duration in (
        ("MUL_TIME", "*", TIME),
        ("DIV_TIME", "/", TIME),
        ("MUL_LTIME", "*", LTIME),
        ("DIV_LTIME", "/", LTIME),
    ):
        pins = (Pin("IN1", duration), Pin("IN2"))
        found.append(StandardFunction(name, pins, form="operator", operator=sign))
    return found


FUNCTIONS = {
    f.name: f
    for f in (
        *_operators(),
        StandardFunction("ABS", _ONE, group="ANY_NUM"),
        StandardFunction("SQRT", _ONE, group="ANY_REAL"),
        *(
            StandardFunction(name, _ONE, group="ANY_REAL", form="unit")
            for name in ("LN", "LOG", "EXP", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN")
        ),
        StandardFunction("ATAN2", (Pin("Y"), Pin("X")), group="ANY_REAL", form="unit"),
        StandardFunction("EXPT", _TWO, form="operator", operator="**"),
        StandardFunction("MOVE", _ONE),
        *(StandardFunction(name, _SHIFTED, group="ANY_BITS") for name in ("SHL", "SHR", "ROL", "ROR")),
        StandardFunction("MIN", _TWO, extensible=True),
        StandardFunction("MAX", _TWO, extensible=True),
        StandardFunction("LIMIT", (Pin("MN"), Pin("IN"), Pin("MX"))),
        StandardFunction("SEL", (Pin("G", BOOL), Pin("IN0"), Pin("IN1"))),
        StandardFunction("MUX", (Pin("K", group="ANY_INT"), Pin("IN0"), Pin("IN1")), extensible=True),
        StandardFunction("LEN", (_TEXT,), result=INT),
        StandardFunction("LEFT", (_TEXT, Pin("L", group="ANY_INT")), form="text"),
        StandardFunction("RIGHT", (_TEXT, Pin("L", group="ANY_INT")), form="text"),
        StandardFunction("MID", (_TEXT, Pin("L", group="ANY_INT"), Pin("P", group="ANY_INT")), form="text"),
        StandardFunction("CONCAT", _TEXTS, form="text", extensible=True),
        StandardFunction("INSERT", (*_TEXTS, Pin("P", group="ANY_INT")), form="text"),
        StandardFunction("DELETE", (_TEXT, Pin("L", group="ANY_INT"), Pin("P", group="ANY_INT")), form="text"),
        StandardFunction("REPLACE", (*_TEXTS, Pin("L", group="ANY_INT"), Pin("P", group="ANY_INT")), form="text"),
        StandardFunction("FIND", _TEXTS, result=INT),
        StandardFunction("IS_VALID", _ONE, result=BOOL, group="ANY_REAL"),
        StandardFunction("SCAN_START", (), result=TIME),
        StandardFunction("CLOCK_NOW", (), result=DT),
        StandardFunction("NANOSECONDS", (Pin("IN", LTIME),), result=LINT),
        *(
            StandardFunction(f"{way}_{order}_ENDIAN", _ONE, group="ANY_WORDS")
            for way in ("TO", "FROM")
            for order in ("BIG", "LITTLE")
        ),
    )
}
"""By name. Ours are SCAN_START, the time from the start of the run to the start of this scan; CLOCK_NOW, the date and
time at the start of this scan; NANOSECONDS, a duration as a number."""


@cache
def function(name: str) -> StandardFunction | None:
    """The function called ``name`` (in upper case), conversions ``X_TO_Y`` included."""
    return FUNCTIONS.get(name) or _conversion(name)


def _conversion(name: str) -> StandardFunction | None:
    """A conversion (tables 22 to 27)."""
    if name.startswith("TO_") and (wanted := ELEMENTARY.get(name[3:])):
        return StandardFunction(name, _ONE, result=wanted, form="convert", operator="TO")
    if name in ("TO_STRING", "TO_WSTRING"):
        return StandardFunction(name, _ONE, form="convert", operator="TO")
    if name == "TRUNC" or (name.startswith("TRUNC_") and name[6:] in ELEMENTARY):
        wanted = ELEMENTARY.get(name[6:], DINT)
        if is_integer(wanted):
            return StandardFunction(name, _ONE, result=wanted, form="convert", operator="TRUNC")
    if "BCD" in name:
        return _bcd(name)
    source_name, mark, target_name = name.rpartition("_TO_")
    text = _text_conversion(name, source_name, target_name) if mark else None
    if text is not None:
        return text
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if mark and source and target and source is not target and _converts(source, target):
        return StandardFunction(name, (Pin("IN", source),), result=target)
    source_name, mark, target_name = name.partition("_TRUNC_")
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if mark and source and target and source.family == "real" and is_integer(target):
        return StandardFunction(name, (Pin("IN", source),), result=target)
    return None


def _bcd(name: str) -> StandardFunction | None:
    """``WORD_BCD_TO_UINT`` and ``UINT_TO_BCD_WORD`` (table 22)."""
    source_name, _, target_name = name.partition("_BCD_TO_" if "_BCD_TO_" in name else "_TO_BCD_")
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if source is None or target is None or {source.family, target.family} != {"bits", "unsigned"}:
        return None
    if (source.family == "bits") != ("_BCD_TO_" in name):
        return None
    return StandardFunction(name, (Pin("IN", source),), result=target, form="bcd")


def _text_conversion(name: str, source_name: str, target_name: str) -> StandardFunction | None:
    """``INT_TO_STRING``, ``STRING_TO_INT`` and so with reals; ``BOOL_TO_STRING``, ``DT_TO_STRING`` (table 22)."""
    source, target = ELEMENTARY.get(source_name), ELEMENTARY.get(target_name)
    if (
        target_name == "STRING"
        and source is not None
        and (in_group(source, "ANY_NUM") or source is BOOL or source.family in _TIMED)
    ):
        return StandardFunction(name, (Pin("IN", source),), form="to text")
    if name in ("STRING_TO_WSTRING", "WSTRING_TO_STRING"):
        return StandardFunction(name, (_TEXT,), form="recode")
    if name in ("CHAR_TO_STRING", "WCHAR_TO_WSTRING"):
        return StandardFunction(name, (Pin("IN", source),), form="recode")
    if source_name == "STRING" and target is not None and in_group(target, "ANY_NUM"):
        return StandardFunction(name, (_TEXT,), result=target, form="from text")
    return None


_TIMED = frozenset({"duration", "date", "time of day", "date and time"})
_OF_MOMENT = {
    "DT_TO_DATE",
    "DT_TO_TOD",
    "LDT_TO_DATE",
    "LDT_TO_TOD",
    "DT_TO_LDATE",
    "DT_TO_LTOD",
    "LDT_TO_LDATE",
    "LDT_TO_LTOD",
}


def _converts(source: Elementary, target: Elementary) -> bool:
    """Whether there is an explicit conversion: among numbers, bit strings, BOOL and characters, and of times."""
    families = {source.family, target.family}
    if families & _TIMED:
        return len(families) == 1 or f"{source.name}_TO_{target.name}" in _OF_MOMENT
    if "char" in families:
        other = target if source.family == "char" else source
        return other.family in ("char", "bits") or is_integer(other)
    if source.family == "real" and target.family in ("bits", "bool"):
        return source.bits == target.bits
    if target.family == "real" and source.family in ("bits", "bool"):
        return source.bits == target.bits
    return True
