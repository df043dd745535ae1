"""Cells of a list as people write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upright_block.errors import BadValue
from upright_block.lists import cells
from upright_block.lists.grid import Entry
from upright_block.lists.numbers import Decimals


@pytest.mark.parametrize(
    ("written", "meant"),
    [
        ("I0.3", "%IX0.3"),
        ("IX 0.3", "%IX0.3"),
        ("%ix0.3", "%IX0.3"),
        ("QW12", "%QW12"),
        ("md 8", "%MD8"),
        ("%IW10.%X3", "%IW10.%X3"),
        ("I5", None),
        ("IX0.9", None),
        ("I0.3.4", None),
        ("K7", None),
    ],
)
def test_an_address_is_written_as_the_language_has_it(written: str, meant: str | None) -> None:
    assert cells.address(written) == meant


@pytest.mark.parametrize(
    ("written", "meant"),
    [("n.c.", "NC"), ("N/C", "NC"), ("normally closed", "NC"), ("N.O.", "NO"), ("No", "NO"), ("closed", None)],
)
def test_a_contact_is_told_in_many_ways(written: str, meant: str | None) -> None:
    assert cells.sense(written) == meant


@pytest.mark.parametrize(
    ("written", "name"),
    [
        ("dock-fan1 runs", "dock_fan1_runs"),
        ("1_fan", "_1_fan"),
        ("exit", "_exit"),
        ("Lüfter Straße", "Lufter_Strasse"),
        ("ok_name", "ok_name"),
        ("???", ""),
    ],
)
def test_what_is_no_name_becomes_one(written: str, name: str) -> None:
    assert cells.name(written) == name


@pytest.mark.parametrize(
    ("written", "others", "meant"),
    [
        ("20,0", [], "20.0"),
        ("−0,5", [], "-0.5"),
        ("1 250,5", [], "1250.5"),
        ("1'250", [], "1250"),
        ("1.250,5", [], "1250.5"),
        ("1,250.5", [], "1250.5"),
        ("1,250,000", [], "1250000"),
        ("1,250", ["0,5"], "1.250"),
        ("1,250", ["0.5"], "1250"),
        ("1.250", ["0,5"], "1250"),
        ("1.250", ["0.5"], "1.250"),
        ("1.250", [], "1.250"),
        ("12,3,4", [], None),
        ("about 5", [], None),
    ],
)
def test_a_number_is_read_as_the_others_of_its_list(written: str, others: list[str], meant: str | None) -> None:
    decimals = Decimals("")
    decimals.hear(map(Entry, [written, *others]), "high")
    assert decimals.text(written, "high", "row 1", lambda said: None) == meant


def test_a_raw_number_is_whole_and_tells_the_others() -> None:
    decimals = Decimals("")
    decimals.hear([Entry("27.648")], "raw_high")
    assert decimals.text("27.648", "raw_high", "row 1", print) == "27648"
    assert decimals.text("1.250", "high", "row 1", print) == "1250"
    assert decimals.text("0,0", "raw_low", "row 1", print) == "0"


@pytest.mark.parametrize(("written", "others"), [("1,250", []), ("1,250", ["0,5", "0.5"]), ("1.250", ["0,5", "0.5"])])
def test_a_number_that_nothing_decides_is_asked_for(written: str, others: list[str]) -> None:
    decimals = Decimals("")
    decimals.hear(map(Entry, [written, *others]), "high")
    with pytest.raises(BadValue, match=r"is 1\.250 or 1250"):
        decimals.text(written, "high", "row 1", print)
    for sign, other in ((",", "."), (".", ",")):
        expected = "1.250" if written[1] == sign else "1250"
        assert Decimals(sign).text(written, "high", "row 1", print) == expected
        assert Decimals(sign).text(f"1{other}250{sign}5", "high", "row 1", print) == "1250.5"
        assert Decimals(sign).text(f"0{other}5", "high", "row 1", print) is None, "the call says that it is none"


@given(
    value=st.integers(-(10**9), 10**9),
    places=st.integers(0, 4),
    group=st.sampled_from(["", " ", "'", "\u00a0", "other"]),
    sign=st.sampled_from([",", "."]),
)
def test_a_number_of_any_country_keeps_its_value(value: int, places: int, group: str, sign: str) -> None:
    separator = {",": ".", ".": ","}[sign] if group == "other" else group
    whole, decimals = divmod(abs(value), 10**places)
    text = f"{whole:,}".replace(",", separator) + (f"{sign}{decimals:0{places}}" if places else "")
    text = ("-" if value < 0 else "") + text
    made = Decimals(sign).text(text, "low", "row 1", print)
    assert made is not None
    assert float(made) == float(f"{'-' if value < 0 else ''}{whole}.{decimals:0{max(places, 1)}}")
