"""A unit drawn and listed, for people and as data."""

from __future__ import annotations

from tests.helpers import checked
from upright_block.reports.blocks import block_data, block_lines
from upright_block.reports.styled import plain

TEXT = """
TYPE Zone : (cold, mild); END_TYPE
// Keeps a bay.
FUNCTION_BLOCK Bay
VAR_INPUT
    zone  : Zone := mild;               // how warm it is
    names : ARRAY [1..2] OF STRING[4];  // of the beds
    go    : BOOL R_EDGE;
END_VAR
VAR_IN_OUT total : DINT; END_VAR        // of the house
VAR_OUTPUT text : STRING[8] := 'rests'; day : DATE := D#2026-03-29; END_VAR
VAR CONSTANT LIMIT_ : REAL := 1.5; END_VAR
VAR_TEMP help : INT; END_VAR
INITIAL_STEP Rests: text2(N); END_STEP
ACTION text2: text := 'x'; END_ACTION
END_FUNCTION_BLOCK
FUNCTION Twice : INT VAR_INPUT x : INT := 5; END_VAR Twice := 2 * x; END_FUNCTION
"""


def drawn(name: str) -> str:
    return "\n".join(plain(line) for line in block_lines(checked(TEXT)[0].units[name], 100))


def test_a_block_shows_its_pins_on_their_sides() -> None:
    text = drawn("BAY")
    assert "Bay   function block, t.st:4" in text
    assert "Keeps a bay." in text
    assert "Zone mild ─┤ zone" in text
    assert "DINT ─┤ total" in text
    assert "text ├─ STRING[8] 'rests'" in text
    assert "day ├─ DATE 2026-03-29" in text


def test_its_data_is_listed_by_kind_with_comments() -> None:
    lines = drawn("BAY").split("\n")
    titles = ("Inputs", "In-outs", "Outputs", "Private data", "Temporary data", "Constants")
    places = [lines.index(title) for title in titles]
    assert sorted(places[:3]) == places[:3]
    assert any(line.split()[:3] == ["zone", "Zone", ":="] and "how warm it is" in line for line in lines)
    assert any(line.split()[:4] == ["LIMIT_", "REAL", ":=", "1.5"] for line in lines)


def test_what_nobody_can_name_is_not_shown() -> None:
    assert ":edge" not in drawn("BAY")
    assert "transition" not in drawn("BAY")
    names = [v["name"] for v in block_data(checked(TEXT)[0].units["BAY"])["variables"]]
    assert "Rests" in names
    assert not any(":" in name for name in names)


def test_a_function_shows_its_result() -> None:
    assert "INT 5 ─┤ x       ├─ INT" in drawn("TWICE")
    data = block_data(checked(TEXT)[0].units["TWICE"])
    assert (data["kind"], data["result"]) == ("FUNCTION", "INT")
    assert data["variables"][0]["initial"] == "5"
