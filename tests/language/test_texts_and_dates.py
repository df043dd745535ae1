"""Literals of texts, characters, dates and times of day, in sources and in cells."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upright_block.cases.cells import parse_check, parse_value
from upright_block.compiler.layout import decode, encode
from upright_block.language.literals import (
    LiteralProblem,
    parse_date,
    parse_date_and_time,
    parse_text,
    parse_time_of_day,
    parse_typed,
    shown,
    shown_text,
)
from upright_block.language.types import (
    CHAR,
    DATE,
    DT,
    INT,
    TOD,
    WCHAR,
    Enumeration,
    Type,
    reference_type,
    string_type,
    subrange_type,
)

S = 1_000_000_000
DAY = 86_400 * S
ZONE = Enumeration("Zone", "enumeration", 16, INT, {"COLD": ("cold", 0), "MILD": ("mild", 1), "HOT": ("hot", 5)}, False)
CODE = Enumeration("Code", "enumeration", 16, INT, {"NONE": ("none", 0), "BROKEN": ("broken", 9)}, True)
TEXT, WIDE = string_type(1, 8), string_type(2, 8)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("''", ""),
        ("'abc'", "abc"),
        ("'it$'s'", "it's"),
        ("'$$5'", "$5"),
        ("'a$Nb'", "a\nb"),
        ("'$L$P$R$T'", "\n\f\r\t"),
        ("'$41$7a'", "Az"),
        ("'\u00e9'", "\u00e9"),
        ("'\"'", '"'),
        ('"\u20ac"', "\u20ac"),
        ('"$20AC"', "\u20ac"),
        ('"$"q$""', '"q"'),
        ("'$N$4E'", "\nN"),
        ("'$$$$'", "$$"),
    ],
)
def test_texts(text: str, value: str) -> None:
    type_, found = parse_text(text)
    assert (found, type_.capacity, type_.width) == (value, len(value), 2 if text[0] == '"' else 1)


@pytest.mark.parametrize("text", ["'$Z'", "'a$'", "'$4'", "'\u20ac'", '"$12"', '"\U0001f600"'])
def test_what_is_no_text(text: str) -> None:
    with pytest.raises(LiteralProblem) as caught:
        parse_text(text)
    assert caught.value.way_out


@given(st.text(st.characters(max_codepoint=0xFF, exclude_categories=["Cs"]), max_size=20))
def test_a_shown_text_reads_back(text: str) -> None:
    assert parse_text(shown_text(text, "'"))[1] == text


@given(st.text(st.characters(max_codepoint=0xFFFF, exclude_categories=["Cs"]), max_size=12))
def test_a_text_in_memory_reads_back_cut_to_its_capacity(text: str) -> None:
    assert decode(encode(text, WIDE), 0, WIDE) == text[:8]
    narrow = text.encode("latin-1", "replace").decode("latin-1")
    assert decode(encode(text, TEXT), 0, TEXT) == narrow[:8]
    assert len(encode(text, WIDE)) == WIDE.size


@pytest.mark.parametrize(
    ("text", "nanoseconds"),
    [
        ("1970-01-01", 0),
        ("1970-1-2", DAY),
        ("1969-12-31", -DAY),
        ("2024-02-29", 19782 * DAY),
        ("2261-01-01", 106286 * DAY),
    ],
)
def test_dates(text: str, nanoseconds: int) -> None:
    assert parse_date(text) == nanoseconds


@pytest.mark.parametrize(
    "text", ["2023-02-29", "2023-13-01", "2023-00-10", "23", "2023-1", "1600-01-01", "2300-01-01", "x"]
)
def test_what_is_no_date(text: str) -> None:
    with pytest.raises(LiteralProblem):
        parse_date(text)


@pytest.mark.parametrize(
    ("text", "nanoseconds"),
    [("00:00", 0), ("06:30", 23400 * S), ("23:59:59.999999999", DAY - 1), ("1:2:3.5", 3723 * S + S // 2)],
)
def test_times_of_day(text: str, nanoseconds: int) -> None:
    assert parse_time_of_day(text) == nanoseconds


@pytest.mark.parametrize("text", ["24:00", "12:60", "12:30:60", "12", "12:30:1.1234567890", "-1:00"])
def test_what_is_no_time_of_day(text: str) -> None:
    with pytest.raises(LiteralProblem):
        parse_time_of_day(text)


@given(st.datetimes(datetime(1680, 1, 1), datetime(2260, 1, 1)))
def test_a_shown_moment_reads_back(moment: datetime) -> None:
    micro = (moment.replace(tzinfo=UTC) - datetime(1970, 1, 1, tzinfo=UTC)) // timedelta(microseconds=1)
    text = shown(micro * 1000, DT)
    assert text.startswith(moment.date().isoformat())
    assert parse_date_and_time(text) == micro * 1000
    assert parse_typed(f"DT#{text}") == (DT, micro * 1000)


@pytest.mark.parametrize(
    ("text", "type_", "value"),
    [
        ("cold", ZONE, 0),
        ("HOT", ZONE, 5),
        ("Zone#mild", ZONE, 1),
        ("5", ZONE, 5),
        ("broken", CODE, 9),
        ("77", CODE, 77),
        ("abc", TEXT, "abc"),
        ("'a b'", TEXT, "a b"),
        ("STRING#'x'", TEXT, "x"),
        ('"a"', TEXT, "a"),
        ("'\u20ac'", WIDE, "\u20ac"),
        ("''", TEXT, ""),
        ("'A'", CHAR, 65),
        ("CHAR#'A'", CHAR, 65),
        ("'\u20ac'", WCHAR, 0x20AC),
        ("2026-03-29", DATE, 20541 * DAY),
        ("D#2026-03-29", DATE, 20541 * DAY),
        ("06:30", TOD, 23400 * S),
        ("TOD#06:30:00", TOD, 23400 * S),
        ("2026-03-29-06:30:00", DT, 20541 * DAY + 23400 * S),
        ("7", subrange_type(INT, 0, 9), 7),
        ("NULL", reference_type(INT), 0),
    ],
)
def test_a_cell_of_any_type(text: str, type_: Type, value: object) -> None:
    assert parse_value(text, type_) == value
    check = parse_check(text, type_)
    assert (check.low, check.high, check.outside) == (value, value, False)


@pytest.mark.parametrize(
    ("text", "type_"),
    [
        ("warm", ZONE),
        ("Mode#hot", ZONE),
        ("brokn", CODE),
        ("far too long", TEXT),
        ("'\u20ac'", TEXT),
        ("AB", CHAR),
        ("'AB'", CHAR),
        ("29.3.2026", DATE),
        ("6h", TOD),
        ("10", subrange_type(INT, 0, 9)),
        ("n", reference_type(INT)),
        ("DT#2026-03-29", DT),
        ("T#5s", DATE),
        ("INT#5", TOD),
        ("5", DT),
    ],
)
def test_a_cell_that_fits_no_type(text: str, type_: Type) -> None:
    with pytest.raises(LiteralProblem) as caught:
        parse_value(text, type_)
    assert str(caught.value)


@pytest.mark.parametrize(
    ("text", "type_", "low", "high"),
    [
        (">=06:00", TOD, 6 * 3600 * S, TOD.high),
        ("06:00..07:00", TOD, 6 * 3600 * S, 7 * 3600 * S),
        ("<2026-03-30", DATE, DATE.low, 20542 * DAY - 1),
        ("1..5", subrange_type(INT, 0, 9), 1, 5),
    ],
)
def test_times_have_an_order(text: str, type_: Type, low: int, high: int) -> None:
    check = parse_check(text, type_)
    assert (check.low, check.high) == (low, high)


@pytest.mark.parametrize(("text", "type_"), [(">cold", ZONE), ("cold..hot", ZONE), (">NULL", reference_type(INT))])
def test_names_have_none(text: str, type_: Type) -> None:
    with pytest.raises(LiteralProblem):
        parse_check(text, type_)
