"""Explicit conversions (tables 22 to 27): which there are, and what becomes of every edge value."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest

from tests.helpers import SECOND, block, checked, machine_of
from upright_block.language.literals import Value, round_real
from upright_block.language.types import ELEMENTARY, Elementary, is_integer
from upright_block.standard.functions import function

WHOLE = [t for t in ELEMENTARY.values() if is_integer(t) or t.family in ("bits", "bool")]
WHOLE = list(dict.fromkeys(WHOLE))
REALS = [ELEMENTARY["REAL"], ELEMENTARY["LREAL"]]


def edges(type_: Elementary) -> list[int]:
    """Values of a type where something may go wrong."""
    found = [
        type_.low,
        type_.low + 1,
        -1,
        0,
        1,
        2,
        100,
        127,
        128,
        255,
        256,
        32767,
        32768,
        65535,
        2**31,
        2**32 + 5,
        type_.high - 1,
        type_.high,
    ]
    return [v for v in dict.fromkeys(found) if type_.low <= v <= type_.high]


def converted(source: Elementary, target: Elementary, values: list[Value]) -> list[Value | str]:
    """What the machine makes of each value, or the kind of the fault."""
    text = block(f"x : {source}; r : {target};", f"r := {source}_TO_{target}(x);")
    machine = machine_of(text)
    found: list[Value | str] = []
    for value in values:
        machine.write("x", value)
        fault = machine.run(1, watched=()).fault
        found.append(machine.read("r") if fault is None else fault.site.kind)
    return found


@pytest.mark.parametrize("source", WHOLE, ids=str)
def test_whole_numbers_and_bits_keep_their_low_bits(source: Elementary) -> None:
    for target in WHOLE:
        if target is source:
            continue
        values = edges(source)
        wanted: list[object] = [target.wrap(v) for v in values]
        if target.family == "bool":
            wanted = [v & 1 == 1 if source.family == "bits" else v != 0 for v in values]
        assert converted(source, target, list(values)) == wanted, f"{source} to {target}"


@pytest.mark.parametrize("source", [t for t in WHOLE if is_integer(t)], ids=str)
@pytest.mark.parametrize("target", REALS, ids=str)
def test_an_integer_becomes_the_nearest_real(source: Elementary, target: Elementary) -> None:
    values = [*edges(source), source.high - source.high // 3, source.high // 7]
    kind = np.float32 if target.bits == 32 else np.float64
    with np.errstate(all="ignore"):
        wanted = [float(np.array(v, np.uint64 if v > 2**62 and v >= 0 else np.int64).astype(kind)) for v in values]
    assert converted(source, target, list(values)) == wanted


@pytest.mark.parametrize("target", [t for t in WHOLE if is_integer(t)], ids=str)
@pytest.mark.parametrize("source", REALS, ids=str)
def test_a_real_becomes_the_nearest_integer_ties_to_even(source: Elementary, target: Elementary) -> None:
    exact = [
        0.0,
        -0.0,
        0.5,
        1.5,
        2.5,
        -0.5,
        -1.5,
        0.49999999999999994,
        126.5,
        127.5,
        255.5,
        -128.5,
        32767.5,
        1e10,
        -1e10,
        float(target.high),
        float(target.low),
        1e19,
        -1e19,
        math.inf,
        -math.inf,
        math.nan,
    ]
    values = [round_real(v) if source.bits == 32 and math.isfinite(v) else v for v in exact]
    wanted: list[object] = []
    for value in values:
        whole = round(value) if math.isfinite(value) else None
        fits = whole is not None and target.low <= whole <= target.high
        wanted.append(whole if fits else f"value out of the range of {target}")
    assert converted(source, target, list(values)) == wanted


@pytest.mark.parametrize(
    ("call", "type_", "value"),
    [
        ("REAL_TRUNC_INT(REAL#-2.9)", "INT", -2),
        ("LREAL_TRUNC_ULINT(LREAL#3.99)", "ULINT", 3),
        ("REAL_TO_DWORD(REAL#1.0)", "DWORD", 0x3F800000),
        ("DWORD_TO_REAL(DWORD#16#C0000000)", "REAL", -2.0),
        ("LWORD_TO_LREAL(LREAL_TO_LWORD(LREAL#-0.1))", "LREAL", -0.1),
        ("LREAL_TO_REAL(LREAL#0.1)", "REAL", round_real(0.1)),
        ("LREAL_TO_REAL(LREAL#1.0E300)", "REAL", math.inf),
        ("CHAR_TO_BYTE(CHAR#'A')", "BYTE", 65),
        ("INT_TO_CHAR(66)", "CHAR", 66),
        ("DT_TO_DATE(DT#2026-03-29-23:59:59.9)", "DATE", 1774742400 * SECOND),
        ("DT_TO_TOD(DT#1960-01-01-00:00:01)", "TOD", SECOND),
        ("TIME_TO_LTIME(T#1s)", "LTIME", SECOND),
    ],
)
def test_conversions_by_hand(call: str, type_: str, value: Value) -> None:
    machine = machine_of(block(f"r : {type_};", f"r := {call};"))
    assert machine.run(1).fault is None
    assert machine.read("r") == value


@pytest.mark.parametrize(
    "name",
    [
        "INT_TO_INT",
        "TIME_TO_INT",
        "INT_TO_TIME",
        "DATE_TO_TIME",
        "REAL_TO_WORD",
        "LREAL_TO_DWORD",
        "WORD_TO_REAL",
        "INT_TRUNC_DINT",
        "REAL_TRUNC_REAL",
        "CHAR_TO_REAL",
        "INT_TO_WSTRING",
        "TOD_TO_DT",
        "FOO_TO_INT",
    ],
)
def test_what_has_no_meaning_has_no_conversion(name: str) -> None:
    assert function(name) is None
    found = checked(block("r, x : INT;", f"r := {name}(x);"))[1]
    assert found[0].name in ("not-supported", "unknown-name")
    assert found[0].way_out


NAMES = [
    "BOOL",
    "SINT",
    "INT",
    "UDINT",
    "LINT",
    "WORD",
    "REAL",
    "LREAL",
    "TIME",
    "LTIME",
    "TOD",
    "DATE",
    "DT",
    "STRING",
]


@pytest.mark.parametrize("source", NAMES)
@pytest.mark.parametrize("target", NAMES)
def test_where_there_is_no_conversion_what_is_said_instead_is_read(source: str, target: str) -> None:
    parts = "h, m, s, ms, y, d, mi : INT; hour, minute, second, millisecond, year, month, day : INT;"
    parts += f"a, b, v : {target};"
    found = checked(block(f"x : {source}; y_ : {target}; {parts}", f"y_ := {source}_TO_{target}(x);"))[1]
    if not found or source == target:
        return
    way_out = found[0].way_out
    said = re.match(r"(?:Write (.+?)(?: for |, where|\.$)|.*, as in (.+)\.$)", way_out)
    if said is None:
        assert way_out == "Convert by way of another type." or "STRING" in source + target
        return
    written = said[1] or said[2]
    body = f"{written};" if written.startswith("SPLIT_") else f"y_ := {written};"
    errors = [str(f) for f in checked(block(f"x : {source}; y_ : {target}; {parts}", body))[1]]
    assert errors == [], way_out
