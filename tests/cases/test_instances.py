"""What a configuration gives to single instances: points, initial values, connections, names from outside."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import findings_of, write_files
from upright_block import open_library

PLANT = """
VAR_GLOBAL key AT %IX0.7 : BOOL; total AT %QW8 : INT; END_VAR
FUNCTION_BLOCK Count VAR_INPUT plus : INT := 1; END_VAR VAR_OUTPUT n : INT; END_VAR n := n + plus; END_FUNCTION_BLOCK
PROGRAM Main
VAR_INPUT go : BOOL; gain : INT := 1; END_VAR
VAR_OUTPUT sum : INT; END_VAR
VAR near AT %IX0.0 : BOOL; far AT %I* : BOOL; lamp AT %Q* : BOOL; kept AT %MW4 : INT; count : Count; END_VAR
IF go THEN count(); END_IF
sum := count.n * gain;
lamp := near AND NOT far;
kept := kept + 1;
END_PROGRAM
CONFIGURATION Plant
RESOURCE cpu ON controller
TASK fast (INTERVAL := T#100ms, PRIORITY := 1);
PROGRAM a WITH fast : Main (go := key, gain := 2, sum => total);
PROGRAM b WITH fast : Main;
END_RESOURCE
VAR_CONFIG
cpu.a.far AT %IX1.0 : BOOL; a.lamp AT %QX0.0 : BOOL;
b.far AT %IX1.1 : BOOL; b.lamp AT %QX0.1 : BOOL;
cpu.a.count.plus : INT := 5; b.go : BOOL := TRUE;
END_VAR
VAR_ACCESS steps : a.count.n : INT; speed : a.count.plus : INT READ_WRITE; END_VAR
END_CONFIGURATION
"""


def wrong(folder: Path, table: str, plant: str = PLANT) -> list[str]:
    cases = f'[[case]]\nname = "c"\nvectors = """\n{table}"""\n'
    write_files(folder, {"programs/plant.st": plant, "cases/c.toml": cases})
    library = open_library(folder)
    stopping = [f for f in library.findings if f.severity == "error"]
    assert not stopping, [str(f) for f in stopping]
    (verdict,) = library.run()
    assert verdict.fault is None
    return [f"{miss.slot.path}: {miss.got}" for miss in verdict.misses]


def test_each_instance_has_its_own_points(tmp_path: Path) -> None:
    table = """
    %IX0.0 %IX1.0 %IX1.1 | %QX0.0 %QX0.1 a.lamp b.lamp a.near
    0      0      0      | 0      0      0      0      0
    1      0      0      | 1      1      1      1      1
    1      1      0      | 0      1      0      1      1
    1      0      1      | 1      0      1      0      1
    """
    assert wrong(tmp_path, table) == []


def test_programs_are_connected_and_their_instances_begin_with_values_of_their_own(tmp_path: Path) -> None:
    table = """
    key | total %QW8 a.count.n b.count.n b.sum steps speed %MW4
    0   | 0     0    0         1         1     0     5     2
    1   | 10    10   5         2         2     5     5     4
    1   | 20    20   10        3         3     10    5     6
    """
    assert wrong(tmp_path, table) == []


def test_an_access_path_that_may_be_written_is_written(tmp_path: Path) -> None:
    assert wrong(tmp_path, "key set speed | steps\n1 3 | 3\n1 . | 6\n") == []


def test_an_access_path_that_may_only_be_read_is_not(tmp_path: Path) -> None:
    cases = '[[case]]\nname = "c"\nvectors = """\nset steps | total\n3 | 3\n"""\n'
    write_files(tmp_path, {"programs/plant.st": PLANT, "cases/c.toml": cases})
    assert "read-only" in [f.name for f in open_library(tmp_path).findings]


@pytest.mark.parametrize(
    ("old", "new", "finding"),
    [
        ("b.far AT %IX1.1 : BOOL;", "", "missing-point"),
        ("b.far AT %IX1.1", "b.fra AT %IX1.1", "unknown-name"),
        ("b.far AT %IX1.1", "b.far AT %QX1.1", "address-not-open"),
        ("b.far AT %IX1.1", "b.near AT %IX1.1", "address-not-open"),
        ("b.far AT %IX1.1", "b.far AT %IX1.9", "bad-address"),
        ("b.far AT %IX1.1 : BOOL", "b.far AT %IX1.1 : INT", "type-mismatch"),
        ("b.far AT", "b.far.x AT", "no-pins"),
        ("b.far AT %IX1.1 : BOOL;", "b.far AT %IX1.1 : BOOL; B.FAR AT %IX1.2 : BOOL;", "given-twice"),
        ("b.far AT %IX1.1 : BOOL;", "b.far AT %IX1.1 : BOOL; b.near : BOOL;", "missing-value"),
        ("(go := key", "(gone := key", "unknown-name"),
        ("(go := key", "(go := 5", "out-of-range"),
        ("VAR_INPUT plus", "VAR_INPUT key AT %IX3.0 : BOOL; plus", "address-in-block"),
        ("near AT %IX0.0 : BOOL", "near AT %IX0.0 : INT", "point-cannot-hold"),
    ],
)
def test_what_cannot_be_given_to_an_instance_is_told(old: str, new: str, finding: str) -> None:
    assert finding in [f.split()[1] for f in findings_of(PLANT.replace(old, new, 1))]


def test_a_program_alone_has_the_points_of_its_variables(tmp_path: Path) -> None:
    text = "PROGRAM Main VAR a AT %IX0.0 : BOOL; q AT %QX0.0 : BOOL; END_VAR q := a; END_PROGRAM"
    cases = 'program = "Main"\n[[case]]\nname = "c"\nvectors = """\n%IX0.0 | q %QX0.0\n1 | 1 1\n0 | 0 0\n"""\n'
    write_files(tmp_path, {"programs/p.st": text, "cases/c.toml": cases})
    assert [v.status for v in open_library(tmp_path).run()] == ["passed"]
