"""Cases on pins and data of every type: enumerations, texts, dates, arrays, structures, in-outs, globals."""

from __future__ import annotations

from pathlib import Path

import pytest

from upright_block.cases.suite import Suite, load_suite
from upright_block.library import load_library
from upright_block.runs.runner import run_cases

BLOCKS = """
TYPE Zone : (cold, mild, hot); Rec : STRUCT n : INT := 3; t : TIME; END_STRUCT; END_TYPE
VAR_GLOBAL wind : REAL := 1.5; END_VAR
FUNCTION_BLOCK K
VAR_INPUT z : Zone; name : STRING[8]; a : ARRAY [1..2] OF INT; END_VAR
VAR_IN_OUT shared : INT; rec : Rec; END_VAR
VAR_OUTPUT out : STRING[12]; next : Zone; when : TOD; END_VAR
VAR r : ARRAY [0..1] OF Rec; t : ARRAY [1..2] OF TON; l : INT (0..9); END_VAR
VAR CONSTANT LIMITS : ARRAY [1..2] OF INT := [4, 5]; END_VAR
out := CONCAT(name, '!');
next := SEL(z = hot, hot, cold);
shared := shared + a[1];
rec.n := rec.n + 1;
r[1].n := a[2];
when := DT_TO_TOD(CLOCK_NOW());
wind := wind + 0.5;
t[2](IN := TRUE, PT := T#9s);
END_FUNCTION_BLOCK
FUNCTION Swap VAR_IN_OUT a, b : INT; END_VAR VAR h : INT; END_VAR h := a; a := b; b := h; END_FUNCTION
"""
GOOD = """
name = "all kinds"
clock = "2026-03-29-06:30:00"
given = { name = "ab", "a[2]" = 7, "r[0].n" = 9, "rec.n" = 5 }
vectors = '''
z    name   a[1] | out      next     wind r[1].n R[0].n when     rec.n shared T[2].et
hot  .      1    | 'ab!'    cold     2.0  7      9      06:30:00 6     1      0s
cold 'x$$y' 2    | 'x$$y!'  Zone#hot 2.5  .      .      .        .     3      1s
mild zz     0    | "zz!"    !cold    3    .      .      06:30:02 8     3      2s
'''
"""


def suite(tmp_path: Path, case: str, block: str = "K") -> Suite:
    for folder in ("blocks", "cases"):
        (tmp_path / folder).mkdir()
    (tmp_path / "upright.toml").write_text('name = "test"\n')
    (tmp_path / "blocks" / "k.st").write_text(BLOCKS)
    (tmp_path / "cases" / "k.toml").write_text(f'block = "{block}"\nscan = "1s"\n[[case]]\n{case}')
    return load_suite(load_library(tmp_path))


def outcome(found: Suite) -> list[tuple[str, int, object]]:
    assert [str(f) for f in found.findings] == []
    (verdict,) = run_cases(list(found.bound.values()))
    return [(miss.slot.path, miss.scan, miss.got) for miss in verdict.misses]


def test_a_table_reaches_values_of_every_type(tmp_path: Path) -> None:
    assert outcome(suite(tmp_path, GOOD)) == []


def test_a_wrong_text_and_a_wrong_name_of_a_value_are_seen(tmp_path: Path) -> None:
    case = GOOD.replace("'x$$y!'", "'x$y!'").replace("Zone#hot", "mild")
    case = case.replace("'x$y!'", "'xy!'")
    assert outcome(suite(tmp_path, case)) == [("out", 1, "x$y!"), ("next", 1, 2)]


def test_an_in_out_is_set_and_checked(tmp_path: Path) -> None:
    case = 'name = "s"\nvectors = """\nset a set b | a b\n1 2 | 2 1\n. . | 1 2\n"""'
    assert outcome(suite(tmp_path, case, "Swap")) == []


@pytest.mark.parametrize(
    ("column", "cell", "name"),
    [
        ("a[3]", "1", "unknown-name"),
        ("a", "1", "no-value"),
        ("rec", "1", "no-value"),
        ("r.n", "1", "unknown-name"),
        ("r[1].x", "1", "unknown-name"),
        ("z.x", "1", "unknown-name"),
        ("out[1]", "1", "unknown-name"),
        ("t[2].elapsed", "1s", "unknown-name"),
        ("LIMITS[1]", "1", "unknown-name"),
        ("z", "warm", "bad-value"),
        ("next", ">cold", "bad-value"),
        ("set l", "10", "bad-value"),
        ("when", "25:00", "bad-value"),
        ("name", "toolongname", "bad-value"),
        ("force name", "x", "not-supported"),
    ],
)
def test_a_cell_that_fits_no_value_is_found(tmp_path: Path, column: str, cell: str, name: str) -> None:
    found = suite(tmp_path, f'name = "c"\nvectors = """\n{column} | shared\n{cell} | 0\n"""')
    assert [f.name for f in found.findings] == [name]
    assert found.findings[0].way_out


def test_a_clock_that_is_no_moment_is_found(tmp_path: Path) -> None:
    found = suite(tmp_path, 'name = "c"\nclock = "tomorrow"\nvectors = """\nshared\n0\n"""')
    assert [f.name for f in found.findings] == ["bad-literal"]
