"""What a cell says."""

from __future__ import annotations

import pytest

from upright_block.cases.cells import parse_check, parse_value
from upright_block.language.literals import LiteralProblem, round_real
from upright_block.language.types import BOOL, INT, LREAL, REAL, TIME, UINT, WORD, Elementary

S = 1_000_000_000


@pytest.mark.parametrize(
    ("text", "type_", "value"),
    [
        ("0", BOOL, False),
        ("TRUE", BOOL, True),
        ("BOOL#1", BOOL, True),
        ("5", INT, 5),
        ("-5", INT, -5),
        ("16#10", INT, 16),
        ("INT#7", INT, 7),
        ("SINT#7", INT, 7),
        ("5s", TIME, 5 * S),
        ("T#5s", TIME, 5 * S),
        ("0", TIME, 0),
        ("-1s", TIME, -S),
        ("20", REAL, 20.0),
        ("-0.5", REAL, -0.5),
        ("1e3", LREAL, 1000.0),
        ("16#FF", WORD, 255),
        ("INT#3", LREAL, 3.0),
    ],
)
def test_a_value(text: str, type_: Elementary, value: object) -> None:
    assert parse_value(text, type_) == value


@pytest.mark.parametrize(
    ("text", "type_"),
    [
        ("2", BOOL),
        ("x", INT),
        ("1.5", INT),
        ("40000", INT),
        ("5", TIME),
        ("DINT#5", INT),
        ("", INT),
        ("1..5", INT),
        ("T#5s", INT),
    ],
)
def test_what_is_no_value(text: str, type_: Elementary) -> None:
    with pytest.raises(LiteralProblem):
        parse_value(text, type_)


@pytest.mark.parametrize(
    ("text", "type_", "low", "high", "outside"),
    [
        ("5", INT, 5, 5, False),
        ("!5", INT, 5, 5, True),
        (">=5", INT, 5, 32767, False),
        (">5", INT, 6, 32767, False),
        ("<5", INT, -32768, 4, False),
        ("<=-5", INT, -32768, -5, False),
        ("1..5", INT, 1, 5, False),
        ("-5..-1", INT, -5, -1, False),
        ("!1..5", INT, 1, 5, True),
        ("20±2", INT, 18, 22, False),
        ("20+-2", INT, 18, 22, False),
        ("1±5", UINT, 0, 6, False),
        ("5s±100ms", TIME, 4_900_000_000, 5_100_000_000, False),
        (">1m", TIME, 60 * S + 1, 2**63 - 1, False),
        ("20±0.5", LREAL, 19.5, 20.5, False),
        ("0.3±0.1", REAL, round_real(0.2), round_real(0.4), False),
        ("!0", BOOL, False, False, True),
    ],
)
def test_a_check(text: str, type_: Elementary, low: object, high: object, outside: bool) -> None:
    check = parse_check(text, type_)
    assert (check.low, check.high, check.outside, check.text) == (low, high, outside, text)


@pytest.mark.parametrize("value", [0.0, 1.5, -2.25, 1e30])
@pytest.mark.parametrize("type_", [REAL, LREAL])
def test_an_open_limit_leaves_its_own_value_out(value: float, type_: Elementary) -> None:
    limit = float(parse_value(repr(value), type_))
    above, below = parse_check(f">{value!r}", type_), parse_check(f"<{value!r}", type_)
    assert float(below.high) < limit < float(above.low)
    assert round_real(float(above.low)) == above.low or type_ is LREAL


@pytest.mark.parametrize(
    ("text", "type_"),
    [
        (">0", BOOL),
        ("0..1", BOOL),
        ("5..1", INT),
        (">32767", INT),
        ("<0", UINT),
        ("x±1", REAL),
        ("20±", INT),
        ("!", INT),
    ],
)
def test_what_is_no_check(text: str, type_: Elementary) -> None:
    with pytest.raises(LiteralProblem):
        parse_check(text, type_)
