"""Tag tables: what a row says, and what is wrong with it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import write_files
from upright_block import open_library

HEAD = "tag,point,type,sense,raw_low,raw_high,low,high,stands_for,initial,retain\n"
USES = "PROGRAM P VAR b : BOOL; END_VAR b := a; END_PROGRAM"


def found(folder: Path, rows: str, text: str = "", head: str = HEAD) -> list[str]:
    """The errors of a tag table, as ``file:line:column name``."""
    write_files(folder, {"tags/t.csv": head + rows, "programs/p.st": text or "PROGRAM P END_PROGRAM"})
    findings = [f for f in open_library(folder).findings if f.severity == "error"]
    return [f"{f.source.shown(f.start)} {f.name}" for f in findings]


@pytest.mark.parametrize(
    ("rows", "place", "name"),
    [
        (",%IX0.0,BOOL,,,,,,,,", "2:2", "missing-name"),
        ("2a,%IX0.0,BOOL,,,,,,,,", "2:1", "bad-name"),
        ("if,%IX0.0,BOOL,,,,,,,,", "2:1", "bad-name"),
        ("a,,,,,,,,,,", "2:1", "missing-type"),
        ("a,%IX0.9,BOOL,,,,,,,,", "2:3", "bad-address"),
        ("a,%IW10.3,BOOL,,,,,,,,", "2:3", "bad-address"),
        ("a,%I*,BOOL,,,,,,,,", "2:3", "bad-address"),
        ("a,%IW2000000,WORD,,,,,,,,", "2:3", "out-of-range"),
        ("a,%IX0.0,BOLL,,,,,,,,", "2:10", "unknown-name"),
        ("a,%IX0.0,BOOL,XX,,,,,,,", "2:15", "bad-value"),
        ("a,%IW0,WORD,NC,,,,,,,", "2:13", "sense-without-bool"),
        ("a,%IW0,BOOL,,,,,,,,", "2:8", "point-cannot-hold"),
        ("a,%IW0,REAL,,,,,,,,", "2:8", "point-cannot-hold"),
        ("a,%IX0.0,INT,,,,,,,,", "2:10", "point-cannot-hold"),
        ("a,%IW0,REAL,,0,100,0,,,,", "2:14", "half-a-range"),
        ("a,%IW0,REAL,,0,0,0,1,,,", "2:14", "empty-range"),
        ("a,%IW0,REAL,,0,100,5,5,,,", "2:20", "empty-range"),
        ("a,%IW0,REAL,,0,70000,0,1,,,", "2:14", "out-of-range"),
        ("a,%IW0,REAL,,x,100,0,1,,,", "2:14", "bad-value"),
        ("a,%IW0,REAL,,0,100,nan,1,,,", "2:20", "bad-value"),
        ("a,%IX0.0,BOOL,,0,1,0,1,,,", "2:16", "range-without-number"),
        ("a,,REAL,,0,100,0,1,,,", "2:10", "range-without-point"),
        ("a,%IW0,WORD,,0,100,0,1,,,", "2:14", "range-without-number"),
        ("a,%MW0,REAL,,0,100,0,1,,,", "2:14", "range-without-number"),
        ("a,%IW0,WORD,,,,,,,x,", "2:19", "unknown-name"),
        ("a,,BOOL,,,,,,,,maybe", "2:16", "bad-value"),
        ("a,%IX0.0,,,,,,,b,,", "2:3", "alias-with-point"),
        ("a,,,,,,,,b,,", "2:10", "unknown-name"),
        ("a,,,,,,,,1 + 2,,", "2:10", "bad-value"),
        ("a,,,,,,,,a,,", "2:10", "alias-circle"),
        ("a,,,,,,,,b,,\nb,,,,,,,,a,,", "2:10", "alias-circle"),
    ],
)
def test_a_cell_that_cannot_be_used_is_told_at_its_place(rows: str, place: str, name: str, tmp_path: Path) -> None:
    assert found(tmp_path, f"{rows}\n") == [f"tags/t.csv:{place} {name}"]


@pytest.mark.parametrize(
    ("rows", "expected"),
    [
        ("a,%IX0.0,BOOL,,,,,,,,\nA,%IX0.1,BOOL,,,,,,,,", ["3:1 name-twice"]),
        ("a,%IX0.0,BOOL,,,,,,,,\nb,%IX0.0,BOOL,,,,,,,,", ["3:3 point-twice"]),
        ("a,%IX2.0,BOOL,,,,,,,,\nb,%IB2,BYTE,,,,,,,,", []),
        ("a,%IX2.0,BOOL,,,,,,,,\nb,%IB2,USINT,,,,,,,,", ["3:3 points-overlap"]),
        ("a,%IW2,WORD,,,,,,,,\nb,%IW3,WORD,,,,,,,,", ["3:3 points-overlap"]),
        ("a,%IW2,WORD,,,,,,,,\nb,%QW2,WORD,,,,,,,,\nc,%MW2,WORD,,,,,,,,", []),
        ("a,%IW2,WORD,,,,,,,,\nb,%IB3,BYTE,,,,,,,,", ["3:3 points-overlap"]),
    ],
)
def test_a_name_and_a_point_belong_to_one_tag(rows: str, expected: list[str], tmp_path: Path) -> None:
    assert found(tmp_path, f"{rows}\n") == [f"tags/t.csv:{place}" for place in expected]


@pytest.mark.parametrize(
    ("head", "name"),
    [
        ("tag,pint\na,%IX0.0\n", "unknown-column"),
        ("tag,tag\na,a\n", "column-twice"),
        ("name,point\na,b\n", "missing-column"),
    ],
)
def test_a_column_is_used_or_told(head: str, name: str, tmp_path: Path) -> None:
    write_files(tmp_path, {"tags/t.csv": head})
    assert name in [f.name for f in open_library(tmp_path).findings]


def test_a_global_variable_may_have_a_point_and_a_table_may_give_it_one(tmp_path: Path) -> None:
    text = """
    VAR_GLOBAL near AT %IX0.1 : BOOL; far AT %I* : BOOL; END_VAR
    PROGRAM P VAR b : BOOL; END_VAR b := near AND far; END_PROGRAM
    """
    assert found(tmp_path / "placed", "far,%IX0.2,,NC,,,,,,,\n", text) == []
    assert found(tmp_path / "open", "", text) == ["programs/p.st:2:39 missing-point"]
    assert found(tmp_path / "other", "far,%QX0.2,,,,,,,,,\n", text) == ["tags/t.csv:2:5 type-mismatch"]
    assert found(tmp_path / "twice", "near,%IX0.2,,,,,,,,,\n", text)[-1] == "tags/t.csv:2:1 name-twice"


def test_logic_does_not_write_an_input(tmp_path: Path) -> None:
    text = "PROGRAM P a := TRUE; END_PROGRAM"
    assert found(tmp_path, "a,%IX0.0,BOOL,,,,,,,,\n", text) == ["programs/p.st:1:11 input-written"]


def test_what_is_misspelt_is_near_to_a_tag(tmp_path: Path) -> None:
    write_files(
        tmp_path,
        {"tags/t.csv": "tag,point\nbay1_open,%QX0.0\n", "programs/p.st": "PROGRAM P bay1_opne := TRUE; END_PROGRAM"},
    )
    (finding,) = [f for f in open_library(tmp_path).findings if f.severity == "error"]
    assert finding.way_out == "Did you mean bay1_open? Characters 8 and 9 are exchanged."


@pytest.mark.parametrize(
    ("rows", "body", "expected"),
    [
        ("a,%IX0.0\n", "", ["2 input-not-read"]),
        ("a,%IX0.0\n", "x := a;", []),
        ("a,%IX0.0\n", "x := %IX0.0;", []),
        ("a,%QX0.0\n", "", ["2 output-not-written"]),
        ("a,%QX0.0\n", "a := x;", []),
        ("w,%IW0\nb,%IX0.3\n", "x := b;", []),
        ("w,%IW0\nb,%IX0.3\n", "x := w.3;", []),
        ("bay1_O,%IX0.0\nbay1_0,%IX0.1\n", "x := bay1_0 AND bay1_O;", ["3 near-twins"]),
        ("fan1,%IX0.0\nfanl,%IX0.1\n", "x := fan1 AND fanl;", ["3 near-twins"]),
        ("valve,%IX0.0\nvallve,%IX0.1\n", "x := valve AND vallve;", ["3 near-twins"]),
        ("valve,%IX0.0\nvavle,%IX0.1\n", "x := valve AND vavle;", ["3 near-twins"]),
        ("bay12,%IX0.0\nbay21,%IX0.1\n", "x := bay12 AND bay21;", []),
        ("x,%IX0.0\n", "x := TRUE;", ["1 hidden-tag"]),
    ],
)
def test_what_looks_like_a_slip_is_a_warning(rows: str, body: str, expected: list[str], tmp_path: Path) -> None:
    program = f"PROGRAM P VAR x : BOOL; END_VAR {body} END_PROGRAM"
    write_files(tmp_path, {"tags/t.csv": f"tag,point\n{rows}", "programs/p.st": program})
    findings = open_library(tmp_path).findings
    assert {f.severity for f in findings} <= {"warning"}
    assert sorted(f"{f.line} {f.name}" for f in findings) == sorted(expected)


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        ([",NC", ",NC", ",", ",NC"], ["4:1 odd-one-out"]),
        ([",NC", ",NC", ",NO", ",NC"], ["4:15 odd-one-out"]),
        ([",NC", ",NC", ",NO", ",NO"], []),
        ([",NC", ",NO"], []),
    ],
)
def test_one_that_differs_from_its_siblings_is_a_warning(cells: list[str], expected: list[str], tmp_path: Path) -> None:
    rows = "".join(f"bay{n}_open,%IX0.{n}{cell}\n" for n, cell in enumerate(cells, start=1))
    reads = "".join(f"x := bay{n}_open;" for n in range(1, len(cells) + 1))
    program = f"PROGRAM P VAR x : BOOL; END_VAR {reads} END_PROGRAM"
    write_files(tmp_path, {"tags/t.csv": f"tag,point,sense\n{rows}", "programs/p.st": program})
    assert [f"{f.line}:{f.column} {f.name}" for f in open_library(tmp_path).findings] == [
        place.replace("4:15", "4:18") for place in expected
    ]


@pytest.mark.parametrize(
    ("row", "area", "bits"),
    [
        ("%{}X0.3,BOOL,,,,,", "X0.3", [0, 1]),
        ("%{}X0.3,BOOL,NC,,,,", "X0.3", [0, 1]),
        ("%{}W2,INT,,,,,", "W2", [0, 7, 0x7FFF, 0x8000, 0xFFFF]),
        ("%{}W2,WORD,,,,,", "W2", [0, 0x8000, 0xFFFF]),
        ("%{}D4,REAL,,,,,", "D4", [0, 0x3F800000, 0xC1C80000]),
        ("%{}W2,REAL,,0,32000,-50,150", "W2", [0, 8000, 32000]),
        ("%{}W2,INT,,-100,100,0,20", "W2", [0, 0xFF9C, 100]),
    ],
)
def test_what_a_point_has_means_what_the_machine_takes_and_is_stored_again(
    tmp_path: Path, row: str, area: str, bits: list[int]
) -> None:
    tags = (
        "tag,point,type,sense,raw_low,raw_high,low,high\nseen," + row.format("I") + "\nsent," + row.format("Q") + "\n"
    )
    program = "PROGRAM P sent := seen; END_PROGRAM"
    library = open_library(write_files(tmp_path, {"tags/t.csv": tags, "programs/p.st": program}))
    assert [str(f) for f in library.findings if f.severity == "error"] == []
    machine = library.machine("P", scan="10ms")
    seen, sent = (library.tag(name) for name in ("seen", "sent"))
    assert seen is not None
    assert sent is not None
    assert machine.read("sent") == pytest.approx(sent.meant(int(machine.read(f"%Q{area}"))))
    for stored in bits:
        machine.set(f"%I{area}", stored)
        machine.scan()
        meant = machine.read("seen")
        assert seen.meant(stored) == pytest.approx(meant)
        assert sent.stored(meant) == stored == machine.read(f"%Q{area}")
