"""Second names of tags, wherever they are told of."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.helpers import upright, write_files

FILES = {
    "upright.toml": 'scan = "100ms"\n',
    "blocks/b.st": "FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := a AND b; END_FUNCTION_BLOCK\n",
    "tags/t.csv": "tag,point,type,sense,stands_for\nstatus,%IW0,WORD,,\nready,,,,status.9\ndoor,%IX5.0,BOOL,NC,\n"
    "gate,,,,door\nlamp,%QX0.0,BOOL,,\nlight,,,,lamp\nspeeds,%IW10,ARRAY [0..3] OF INT,,\n",
    "programs/p.st": "PROGRAM P\nVAR x : B; n : INT; END_VAR\nx(a := ready, b := gate, q => lamp);\nn := speeds[1];\nEND_PROGRAM\n",
    "cases/c.toml": '[[case]]\nname = "x"\nvectors = """\nset ready set gate check ready check light\n1 1 0 1\n"""\n',
}


@pytest.fixture
def library(tmp_path: Path) -> Path:
    return write_files(tmp_path, FILES)


def test_a_second_name_is_shown_with_its_point_type_sense_and_readers(library: Path) -> None:
    shown = upright("show", "ready", "--library", library).output
    assert [line.split() for line in shown.splitlines() if line.strip()] == [
        ["ready", "input", "BOOL,", "tags/t.csv:3"],
        ["stands", "for", "status.9"],
        ["point", "%IX1.1"],
        ["Read", "by"],
        ["P.x.a", "programs/p.st:3"],
    ]
    assert "normally closed" in upright("show", "gate", "--library", library).output
    assert "nothing by this name: upright show lamp" in upright("show", "light", "--library", library).output
    data = json.loads(upright("show", "ready", "--json", "--library", library).output)
    assert (data["point"], data["type"], [use["by"] for use in data["uses"]]) == ("%IX1.1", "BOOL", ["P.x.a"])


def test_a_checked_second_name_is_named_beside_what_it_stands_for(library: Path) -> None:
    output = upright("verify", "--library", library).output
    assert "ready (status.9) is 1 and not 0" in output
    assert "light (lamp) is 1" not in output
    heads = next(line for line in output.splitlines() if line.lstrip().startswith("scan"))
    assert "ready (status.9)" in heads


def test_an_array_stands_in_a_table_of_tags(library: Path) -> None:
    assert "error" not in upright("check", "--library", library).output
    assert "ARRAY [0..3] OF INT" in upright("tags", "speeds", "--library", library).output
