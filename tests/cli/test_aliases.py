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


MOTOR = "TYPE Motor : STRUCT runs : BOOL; speed : INT := 2; END_STRUCT; END_TYPE\n"
USES = "PROGRAM P\npump.speed := pump.speed + row[1] + pumps[1].speed;\ntotal := total + 1;\nEND_PROGRAM\n"


def of_parts(folder: Path, *rows: str) -> Path:
    table = "\n".join(["tag,point,type,sense,initial,retain", *rows, ""])
    held = "VAR_GLOBAL RETAIN total : DINT := 4; big : ARRAY [1..1000] OF INT; END_VAR\n"
    files = {"upright.toml": 'scan = "1s"\n', "blocks/m.st": MOTOR + held, "programs/p.st": USES, "tags/t.csv": table}
    return write_files(folder, files)


def test_structures_and_arrays_are_tags_with_initial_values_that_are_kept(tmp_path: Path) -> None:
    rows = ["pump,,Motor,,(speed := 5),yes", 'row,,ARRAY [1..2] OF INT,,"[3, 4]",']
    library = of_parts(tmp_path, *rows, "pumps,,ARRAY [1..2] OF Motor,,,yes")
    assert "no findings" in upright("check", "--library", library).output
    case = '[[case]]\nname = "c"\nvectors = """\nset row[1] | pump.speed total\n. | 10 5\n10 | 22 6\n"""\n'
    (library / "cases").mkdir()
    (library / "cases" / "c.toml").write_text(case)
    verdict = upright("verify", "--library", library)
    assert verdict.exit_code == 0, verdict.output
    shown = upright("instances", "--retained", "--library", library).output
    kept = [line.split() for line in shown.splitlines()[1:9]]
    assert kept == [
        ["big", "ARRAY", "[1..1000]", "OF", "INT", "2000"],
        ["pump.runs", "BOOL", "1", "0"],
        ["pump.speed", "INT", "2", "5"],
        ["pumps[1].runs", "BOOL", "1", "0"],
        ["pumps[1].speed", "INT", "2", "2"],
        ["pumps[2].runs", "BOOL", "1", "0"],
        ["pumps[2].speed", "INT", "2", "2"],
        ["total", "DINT", "4", "4"],
    ]
    recorded = upright(
        "run", "P", "--for", "3s", "--watch", "pump.*", "--watch", "total", "--all", "--library", library
    )
    assert [line.split()[-2:] for line in recorded.output.splitlines()[1:4]] == [["10", "5"], ["15", "6"], ["20", "7"]]


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("pump,%MW10,Motor,,,", "a structure has no place there"),
        ("pump,,TON,,,", "a tag is one value, an array, or a structure"),
        ("pump,,Motor,NC,,", "only a BOOL has a sense"),
        ("pump,,Motor,,(sped := 5),", "Did you mean speed?"),
        ('row,,ARRAY [1..2] OF INT,,"[1, 2, 3]",', "has 2 elements; these are more"),
        ("row,,ARRAY [1..2] OF INT,,7,", "[2(7)] for all"),
        ("row,%MW10,ARRAY [1..2] OF INT,,[1],", "has no initial value"),
        ("n,,INT,,[1],", "can only be an initial value"),
    ],
)
def test_what_a_tag_cannot_be_or_begin_with_is_told_once(row: str, says: str, tmp_path: Path) -> None:
    others = {"pump,": "pump,,Motor,,,", "row,": "row,,ARRAY [1..2] OF INT,,,"}
    kept = [other for name, other in others.items() if not row.startswith(name)]
    library = of_parts(tmp_path, *kept, "pumps,,ARRAY [1..2] OF Motor,,,", row)
    (library / "cases").mkdir()
    (library / "cases" / "c.toml").write_text('[[case]]\nname = "c"\nvectors = """\npump.speed row[1]\n1 1\n"""\n')
    shown = upright("check", "--library", library)
    assert says in shown.output
    assert "1 error" in shown.output, shown.output
