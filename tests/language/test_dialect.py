"""What the manifest says of the controllers that a library is for."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import write_files
from upright_block import LibraryProblem, open_library

FILES = {
    "blocks/p.st": """
TYPE Mode : (by_hand, by_sun_and_wind); END_TYPE
TYPE Row : STRUCT at_plant_height : REAL; END_STRUCT; END_TYPE
VAR_GLOBAL shared_by_all_bays : BOOL; END_VAR
FUNCTION_BLOCK OpensAVent
VAR_INPUT opening_time : TIME := T#8d; END_VAR
METHOD PUBLIC is_it_open_now VAR t : LTIME; END_VAR t := LT#9d; END_METHOD
END_FUNCTION_BLOCK
PROGRAM Main VAR row : Row; mode : Mode; v : OpensAVent; END_VAR
v(opening_time := T#7d); shared_by_all_bays := mode = Mode#by_hand AND row.at_plant_height > 1.0;
END_PROGRAM
CONFIGURATION Plant TASK every_so_often (INTERVAL := T#100ms); PROGRAM main WITH every_so_often : Main; END_CONFIGURATION
""",
    "tags/t.csv": "tag,point\nbay_1_wind_vane,%IX0.0\n",
    "wiring/w.csv": "instance,block,opening_time\nVent_of_row[1..3],OpensAVent,200h\n",
}


def marked(folder: Path, manifest: str) -> list[str]:
    """What is marked by the findings for the dialect, in their order."""
    write_files(folder, FILES | {"upright.toml": manifest})
    found = [f for f in open_library(folder).findings if f.name == "beyond-dialect"]
    return [f.source.text[f.start : f.end].split("\n")[0] for f in found]


def test_nothing_is_beyond_a_dialect_that_nobody_states(tmp_path: Path) -> None:
    assert marked(tmp_path, "") == []


def test_every_declared_name_is_as_long_as_it_may_be(tmp_path: Path) -> None:
    assert marked(tmp_path, "longest_name = 10") == [
        "Mode",
        "at_plant_height",
        "shared_by_all_bays",
        "opening_time",
        "is_it_open_now",
        "every_so_often",
        "bay_1_wind_vane",
        "Vent_of_row[1..3]",
    ]
    (tmp_path / "upright.toml").write_text("longest_name = 18")
    assert not [f for f in open_library(tmp_path).findings if f.name == "beyond-dialect"]


def test_a_name_has_the_characters_of_the_dialect(tmp_path: Path) -> None:
    assert marked(tmp_path, 'name_characters = "A-Za-z_-"')[-2:] == ["bay_1_wind_vane", "Vent_of_row[1..3]"]


def test_a_time_is_as_long_as_it_may_be(tmp_path: Path) -> None:
    assert marked(tmp_path, 'longest_time = "7d"') == ["T#8d", "200h"]


@pytest.mark.parametrize(
    ("manifest", "says"),
    [
        ("longest_name = 0", "longest_name in upright.toml:1 is no number above zero."),
        ("longest_name = true", "longest_name in upright.toml:1 is no number above zero."),
        ('longest_time = "soon"', "longest_time in upright.toml:1: soon"),
        ('longest_time = "0s"', "longest_time in upright.toml:1 is no time above zero."),
        ('name_characters = ""', "name_characters in upright.toml:1 names no characters."),
        ('name_characters = "z-a"', "name_characters in upright.toml:1 has z-a, which is no range."),
        ("longest_names = 3", "upright.toml:1 has a key longest_names, which is not known."),
    ],
)
def test_a_dialect_that_cannot_be_is_refused(tmp_path: Path, manifest: str, says: str) -> None:
    write_files(tmp_path, {"upright.toml": manifest})
    with pytest.raises(LibraryProblem) as refused:
        open_library(tmp_path)
    assert str(refused.value).startswith(says)
    assert refused.value.way_out


STYLES = '[names]\nblock = "CamelCase"\ninput = "lower_case"\ninstance = ["lower_case", "fb?_*"]\nstep = "UPPER_CASE"\n'
STYLED = """FUNCTION_BLOCK Vent_drive
VAR_INPUT OpenCmd, shut_cmd : BOOL; END_VAR
VAR_OUTPUT Y : BOOL; END_VAR
VAR fbA_timer : TON; Timer : TON; END_VAR
fbA_timer(IN := OpenCmd, PT := T#1s); Timer(IN := shut_cmd, PT := T#1s);
Y := fbA_timer.Q AND Timer.Q;
END_FUNCTION_BLOCK
"""


def test_names_beside_the_style_of_the_library_are_told(tmp_path: Path) -> None:
    write_files(tmp_path, {"upright.toml": STYLES, "blocks/v.st": STYLED})
    found = [f for f in open_library(tmp_path).findings if f.name == "off-style"]
    assert [f.source.text[f.start : f.end] for f in found] == ["Vent_drive", "OpenCmd", "Timer"]
    assert "The input OpenCmd does not follow the names of this library: lower_case." in str(found[1])


@pytest.mark.parametrize(
    "text", ["names = 3", '[names]\ninputs = "lower_case"', '[names]\ninput = "lowercase"', "[names]\ninput = []"]
)
def test_a_style_that_is_none_is_refused(text: str, tmp_path: Path) -> None:
    write_files(tmp_path, {"upright.toml": text + "\n"})
    with pytest.raises(LibraryProblem) as problem:
        open_library(tmp_path)
    assert problem.value.way_out
