"""Units, rules and probes are known by what they are, whatever they are called."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import open_library

BLOCK = "FUNCTION_BLOCK B VAR_INPUT n : INT; END_VAR VAR_OUTPUT m : INT; END_VAR m := n; END_FUNCTION_BLOCK\n"
PROGRAM = "PROGRAM P VAR n : INT; b : B; END_VAR n := n + 1; b(n := n); END_PROGRAM\n"


def case(head: str, table: str, more: str = "") -> str:
    return f'{head}\n{more}\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'


@pytest.mark.parametrize("name", ["B", "b", "P", "my plant", "a) (func $x", "u1", "scan", "TON"])
def test_a_library_may_be_called_like_anything(tmp_path: Path, name: str) -> None:
    """Its cases, those of its blocks and programs, and their rules are each for what they say."""
    files = {
        "upright.toml": f'name = "{name}"\n',
        "programs/p.st": BLOCK + PROGRAM,
        "cases/b.toml": case('block = "B"\nscan = "1s"', "n | m\n3 | 3", 'never = ["m > 5"]'),
        "cases/p.toml": case('program = "P"\nscan = "1s"', "n b.m\n1 1\n2 2", 'always = ["n = b.m"]'),
        "cases/all.toml": case(
            f'configuration = "{name}"\nscan = "100ms"', "p.n p.b.m\n1 1\n2 2", 'always = ["p.n = p.b.m"]'
        ),
    }
    library = open_library(write_files(tmp_path, files))
    assert [str(f) for f in library.findings] == []
    assert [(v.case.id, v.case.unit_name.upper(), v.status) for v in library.run()] == [
        ("all/c", (name or "C").upper(), "passed"),
        ("b/c", "B", "passed"),
        ("p/c", "P", "passed"),
    ]


@pytest.mark.parametrize("name", ["B", "P"])
def test_a_configuration_called_like_a_unit_is_told(tmp_path: Path, name: str) -> None:
    text = f"CONFIGURATION {name} RESOURCE R ON CPU TASK t(INTERVAL := T#1s); PROGRAM a WITH t : P; END_RESOURCE END_CONFIGURATION"
    library = open_library(write_files(tmp_path, {"programs/p.st": BLOCK + PROGRAM + text}))
    assert [f.name for f in library.findings] == ["name-twice"]


def test_a_table_and_a_sheet_may_be_called_like_anything(tmp_path: Path) -> None:
    files = {"blocks/b.st": BLOCK, "wiring/Sheet 1.csv": "instance,block,n\nB1,B,3\n", "upright.toml": 'name = "l"\n'}
    files["cases/l.toml"] = case('configuration = "l"\nscan = "100ms"', "power\n.")
    root = write_files(tmp_path, files)
    result = upright("run", "l", "--library", root, "--for", "1s", "--tree", ".")
    assert result.exit_code == 0, result.output
    assert "m" in result.output


def test_rules_of_one_rig_are_not_judged_in_another(tmp_path: Path) -> None:
    """The same words about two rigs of one configuration, whose data lies elsewhere."""
    plant = "PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM\nCONFIGURATION C RESOURCE R ON CPU\n"
    plant += "TASK t(INTERVAL := T#1s); PROGRAM p WITH t : P; END_RESOURCE END_CONFIGURATION"
    rigs = "PROGRAM One VAR pad : LINT; k : INT; END_VAR k := 1; END_PROGRAM\nPROGRAM Two VAR k : INT; END_VAR k := 2; END_PROGRAM"
    files = {"programs/p.st": plant, "cases/rigs/r.st": rigs}
    for number, rig in ((1, "One"), (2, "Two")):
        files[f"cases/{rig}.toml"] = case(
            f'configuration = "C"\nrig = "{rig}"\nalways = ["p.n > 0 AND p.n / 1 < 5"]',
            "p.n\n1\n2\n3",
            f'never = ["{rig}.k / 1 <> {number}"]',
        )
    library = open_library(write_files(tmp_path, files))
    assert [(v.case.id, v.status, v.broken) for v in library.run()] == [("One/c", "passed", 0), ("Two/c", "passed", 0)]


def test_a_row_that_fits_one_use_badly_leaves_the_cases_of_others_alone(tmp_path: Path) -> None:
    """A bound in scans of a block that two tasks of a configuration run is told, and the cases still run."""
    plant = (
        PROGRAM
        + "PROGRAM Q VAR n : INT; b : B; END_VAR n := n + 1; b(n := n); END_PROGRAM\nCONFIGURATION C RESOURCE R ON CPU\n"
    )
    plant += "TASK t(INTERVAL := T#1s); TASK u(INTERVAL := T#3s); PROGRAM p WITH t : P; PROGRAM q WITH u : Q; END_RESOURCE END_CONFIGURATION"
    rule = 'block = "B"\nnever = ["m > 100"]\ntiming = """\nfrom | to | max\nm = 2 rises | m = 3 rises | 1scan\n"""\n'
    files = {
        "programs/p.st": BLOCK + plant,
        "rules/b.toml": rule,
        "cases/c.toml": case('configuration = "C"', "p.n\n1\n2\n3\n4"),
    }
    library = open_library(write_files(tmp_path, files))
    assert [v.status for v in library.run()] == ["passed"]
