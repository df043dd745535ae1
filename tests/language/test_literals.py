"""Literals and how values are shown."""

from __future__ import annotations

import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upright_block.language.literals import (
    LiteralProblem,
    next_real,
    parse_as,
    parse_duration,
    parse_integer,
    parse_typed,
    round_real,
    shown,
    shown_duration,
)
from upright_block.language.types import BOOL, DINT, ELEMENTARY, INT, LREAL, REAL, TIME, WORD, Elementary


@pytest.mark.parametrize(
    ("text", "value"),
    [("0", 0), ("1_000", 1000), ("16#FF", 255), ("16#ff_ff", 65535), ("8#17", 15), ("2#1010_0001", 161)],
)
def test_integers(text: str, value: int) -> None:
    assert parse_integer(text) == value


@pytest.mark.parametrize("text", ["", "1__0", "_1", "2#12", "8#8", "3#1", "16#", "16#G", "1.5", "x"])
def test_what_is_no_integer(text: str) -> None:
    with pytest.raises(LiteralProblem):
        parse_integer(text)


@pytest.mark.parametrize(
    ("text", "nanoseconds"),
    [
        ("0s", 0),
        ("5s", 5_000_000_000),
        ("1.5s", 1_500_000_000),
        ("-250ms", -250_000_000),
        ("1d2h3m4s5.6ms", 93_784_005_600_000),
        ("1m_30s", 90_000_000_000),
        ("100us", 100_000),
        ("7ns", 7),
        ("0.000000001s", 1),
        ("106751d23h47m16s854ms775us807ns", 2**63 - 1),
        ("-106751d23h47m16s854ms775us808ns", -(2**63)),
        ("36h", 129_600_000_000_000),
    ],
)
def test_durations(text: str, nanoseconds: int) -> None:
    assert parse_duration(text) == nanoseconds


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "missing"),
        ("5", "without a unit"),
        ("5x", "no duration"),
        ("5s1m", "out of order"),
        ("1s1s", "out of order"),
        ("1.5m30s", "fraction before"),
        ("0.5ns", "finer than a nanosecond"),
        ("200000d", "longest"),
    ],
)
def test_what_is_no_duration(text: str, says: str) -> None:
    with pytest.raises(LiteralProblem, match=says):
        parse_duration(text)


@given(st.integers(-(2**63), 2**63 - 1))
def test_a_shown_duration_reads_back(nanoseconds: int) -> None:
    assert parse_duration(shown_duration(nanoseconds)) == nanoseconds


@pytest.mark.parametrize(
    ("nanoseconds", "text"),
    [
        (0, "0s"),
        (90_000_000_000, "1m30s"),
        (100_000_000, "100ms"),
        (1_500_000_000, "1.5s"),
        (60_500_000_000, "1m0.5s"),
        (3_600_000_000_000, "1h"),
        (1_500, "1.5us"),
    ],
)
def test_durations_are_shown_as_people_write_them(nanoseconds: int, text: str) -> None:
    assert shown_duration(nanoseconds) == text


@pytest.mark.parametrize(
    ("text", "type_name", "value"),
    [
        ("INT#-5", "INT", -5),
        ("int#5", "INT", 5),
        ("WORD#16#FF", "WORD", 255),
        ("BOOL#1", "BOOL", True),
        ("BOOL#FALSE", "BOOL", False),
        ("T#5s", "TIME", 5_000_000_000),
        ("TIME#-1s", "TIME", -1_000_000_000),
        ("LT#1ns", "LTIME", 1),
        ("REAL#0.1", "REAL", round_real(0.1)),
        ("LREAL#1.5E-3", "LREAL", 0.0015),
    ],
)
def test_typed_literals(text: str, type_name: str, value: object) -> None:
    assert parse_typed(text) == (ELEMENTARY[type_name], value)


@pytest.mark.parametrize(
    ("text", "type_", "says"),
    [
        ("32768", INT, "does not fit INT"),
        ("-32769", INT, "does not fit INT"),
        ("-1", WORD, "does not fit WORD"),
        ("1.5", INT, "fraction"),
        ("2", BOOL, "no BOOL"),
        ("5", TIME, "without a unit"),
    ],
)
def test_a_value_must_belong_to_its_type(text: str, type_: Elementary, says: str) -> None:
    with pytest.raises(LiteralProblem, match=says):
        parse_as(text, type_)


@given(st.floats(width=32, allow_nan=False, allow_infinity=False))
def test_a_shown_real_reads_back(value: float) -> None:
    assert round_real(float(shown(value, REAL))) == value


@given(st.floats(width=32, allow_nan=False, allow_infinity=False, max_value=2.0**126, min_value=-(2.0**126)))
def test_the_next_real_is_the_nearest_other_one(value: float) -> None:
    above, below = next_real(value, 1), next_real(value, -1)
    assert below < value < above
    assert next_real(above, -1) == value or value == 0
    bits = struct.unpack("<i", struct.pack("<f", above))[0]
    assert struct.unpack("<f", struct.pack("<i", bits))[0] == above


def test_values_are_shown_in_the_form_of_their_type() -> None:
    assert shown(True, BOOL) == "1"
    assert shown(-5, DINT) == "-5"
    assert shown(255, WORD) == "16#00FF"
    assert shown(round_real(0.1), REAL) == "0.1"
    assert shown(0.1, LREAL) == "0.1"
    assert shown(20.0, LREAL) == "20.0"
    assert shown(1e30, LREAL) == "1.0E30"
