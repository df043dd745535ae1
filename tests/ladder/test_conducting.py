"""What conducts in a scan is what the program computed in it, whatever a unit is written as."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from tests.ladder.rungs import FLIP, PAIRS, block
from upright_block import OpenLibrary, Wishes, open_library
from upright_block.reasons.conducting import Conducted, conducted

DEMO = Path(__file__).parents[2] / "src/upright_block/examples/demo"
SEAL_IN = """
| start  stop    motor |
+-| |-+--|/|------( )--+
|motor|                |
+-| |-+                |
"""


def shown(library: OpenLibrary, unit: str, at: str, *settings: str) -> list[Conducted]:
    found = library.scan_of(unit, Wishes(set=settings), at)
    return conducted(found.of_instance(""))


@pytest.mark.parametrize("name", PAIRS)
@pytest.mark.parametrize("form", ["Drawn", "Written"])
def test_a_coil_conducts_where_its_variable_became_so(name: str, form: str, tmp_path: Path) -> None:
    files = {"upright.toml": "", "blocks/l.st": block("Drawn", PAIRS[name][0]), "blocks/f.st": FLIP}
    files["blocks/s.st"] = block("Written", PAIRS[name][1])
    library = open_library(write_files(tmp_path, files))
    chance = random.Random(name)
    seen = 0
    for _ in range(8):
        settings = [f"{pin}={chance.randrange(2)}@0s" for pin in "abcd"]
        settings += [f"{pin}={chance.choice([-3, 0, 4, 5])}@0s" for pin in "nm"]
        found = library.scan_of(form, Wishes(set=tuple(settings)), "0s")
        entries = found.of_instance("")
        last = {write.path: write.after for entry in entries for write in entry.writes}
        rungs = conducted(entries)
        coils = [(rung, each) for rung in rungs for each in rung.elements if each.element.kind == "coil"]
        names = [each.element.operand.text for _, each in coils if each.element.operand]
        plain = [(rung, each, names.count(own)) for (rung, each), own in zip(coils, names, strict=True)]
        plain = [each for each in plain if each[1].element.sign in " /" and each[2] == 1]
        for (rung, each, _), operand in ((own, own[1].element.operand) for own in plain):
            if operand is not None and operand.text in last and ran(rung):
                seen += 1
                assert (each.conducts != (each.element.sign == "/")) == last[operand.text], (rung.rows, settings)
    assert seen or not plain


def ran(rung: Conducted) -> bool:
    """Whether something of a rung that stands at the rail was evaluated."""
    return any("=" in row[:2] for row in rung.rows)


def test_links_that_conduct_are_drawn_so(tmp_path: Path) -> None:
    text = f"FUNCTION_BLOCK M VAR_INPUT start, stop : BOOL; END_VAR VAR_OUTPUT motor : BOOL; END_VAR\n{SEAL_IN}\nEND_FUNCTION_BLOCK\n"
    library = open_library(write_files(tmp_path, {"upright.toml": "", "blocks/m.st": text}))
    (rung,) = shown(library, "M", "1s", "start=1@0s", "start=0@0.5s")
    assert rung.rows == (
        "| start  stop    motor |",
        "+=| |-+==|/|======( )==+",
        "|motor|                |",
        "+=| |=+                |",
    )
    assert [(each.element.kind, each.value, each.conducts) for each in rung.elements] == [
        ("contact", False, False),
        ("contact", True, True),
        ("coil", None, True),
        ("contact", True, True),
    ]


def test_an_arm_of_a_case_conducts_that_was_chosen_and_names_have_their_values() -> None:
    rungs = shown(open_library(DEMO), "VentDrive", "1s", "open=1@1s")
    assert "+====|=|====+=| |===|/|====|/|===+=======|EN OUT|-state" in rungs[1].rows[2]
    assert rungs[1].notes[1:3] == ("state_now 0", "state 1")
    assert "+====|=|----+-" in rungs[2].rows[2]
    assert rungs[2].notes[2] == ""


def test_a_case_in_an_arm_of_a_case_is_its_own(tmp_path: Path) -> None:
    text = """FUNCTION_BLOCK C VAR_INPUT n, m : INT; END_VAR VAR_OUTPUT q, r : BOOL; END_VAR
CASE n OF
    1: CASE m OF 1: q := TRUE; 2: q := FALSE; END_CASE
    2: r := TRUE;
    3: r := FALSE;
END_CASE
END_FUNCTION_BLOCK
"""
    library = open_library(write_files(tmp_path, {"upright.toml": "", "blocks/c.st": text}))
    rungs = shown(library, "C", "0s", "n=2@0s", "m=1@0s")
    coils = [
        (each.element.operand.text, each.conducts)
        for rung in rungs
        for each in rung.elements
        if each.element.kind == "coil" and each.element.operand
    ]
    assert coils == [("q", False), ("q", False), ("r", True), ("r", False)]
    rungs = shown(library, "C", "0s", "n=1@0s", "m=2@0s")
    assert [each.conducts for rung in rungs for each in rung.elements if each.element.kind == "coil"] == [
        False,
        True,
        False,
        False,
    ]


def test_the_call_prints_rungs_and_gives_their_elements(tmp_path: Path) -> None:
    call = ["scan", "Alarm", "--set", "cause=1@0s", "--at", "3s", "--as", "ladder", "--library", DEMO]
    assert "+==| |==|IN  Q|==|CLK" in upright(*call).output
    data = json.loads(upright(*call, "--json").output)
    first = data["rungs"][0]
    assert first["line"] == 22
    assert first["elements"][0] == {
        "line": 22,
        "column": 15,
        "kind": "contact",
        "operand": "cause",
        "value": True,
        "conducts": True,
    }
