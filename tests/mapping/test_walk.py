"""The mapping test: outputs behind gates, in blocks and in tasks that wait; inputs that only start a task."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import NotRunnable, OpenLibrary, open_library
from upright_block.mapping.judging import Judged

FILES = {
    "upright.toml": "",
    "blocks/lamp.st": """
FUNCTION_BLOCK Lamp
VAR_INPUT on : BOOL; END_VAR
VAR_EXTERNAL lamp : BOOL; END_VAR
VAR inner : BOOL; END_VAR
inner := on; lamp := inner;
END_FUNCTION_BLOCK
""",
    "programs/main.st": """
PROGRAM Main VAR d : Lamp; q, both_in, late : BOOL; t : TON; END_VAR
d(on := btn);
IF auto THEN gated := q; END_IF
IF key AND locked THEN both := both_in; END_IF
t(IN := key, PT := T#250ms);
IF t.Q THEN slow := late; END_IF
IF q AND NOT q THEN never := q; END_IF
END_PROGRAM
PROGRAM Once VAR b : BOOL; END_VAR once_out := b; END_PROGRAM
CONFIGURATION Plant
  TASK t (INTERVAL := T#100ms);
  TASK s (SINGLE := trig);
  PROGRAM main WITH t : Main;
  PROGRAM once WITH s : Once;
END_CONFIGURATION
""",
    "tags/t.csv": """tag,point,sense,reaches
btn,%IX0.0,,d.on
auto,%IX0.1,,
trig,%IX0.2,,
key,%IX0.3,,
locked,%IX0.4,NC,
lamp,%QX0.0,,d.inner
gated,%QX0.1,,main.q
both,%QX0.2,,main.both_in
slow,%QX0.3,,main.late
once_out,%QX0.4,,once.b
never,%QX0.5,,main.q
""",
}


def walked(library: OpenLibrary) -> dict[str, Judged]:
    return {entry.tag.name: entry for entry in library.walk()}


@pytest.mark.parametrize(
    ("tag", "status", "pins", "says"),
    [
        ("lamp", "right", ("main.d.inner",), ""),
        ("gated", "right", ("main.q",), "It moves with auto = 1"),
        ("both", "right", ("main.both_in",), "It moves with key = 1 and locked = 1"),
        ("slow", "right", ("main.late",), "It moves with key = 1"),
        ("once_out", "right", ("once.b",), "It moves with trig = 1"),
        ("never", "gated", (), "Its statement did not run"),
        ("trig", "gated", (), "Nothing that reads it moves"),
        ("auto", "gated", (), "Nothing that reads it moves"),
    ],
)
def test_a_point_is_found_behind_what_keeps_it(
    tmp_path: Path, tag: str, status: str, pins: tuple[str, ...], says: str
) -> None:
    write_files(tmp_path, FILES)
    found = walked(open_library(tmp_path))[tag]
    assert (found.status, found.pins, found.says) == (status, pins, says)


def test_a_walk_leaves_the_bodies_as_they_were(tmp_path: Path) -> None:
    write_files(tmp_path, FILES)
    library = open_library(tmp_path)
    before = [(unit.name, unit.body) for unit in library.units]
    first = walked(library)
    assert [(unit.name, unit.body) for unit in library.units] == before
    assert {name: entry.pins for name, entry in walked(library).items()} == {
        name: entry.pins for name, entry in first.items()
    }
    machine = library.machine("Plant")
    machine.set("btn", True)
    machine.scan()
    assert machine.read("lamp") is True


def test_an_input_that_starts_a_task_is_read(tmp_path: Path) -> None:
    write_files(tmp_path, FILES)
    library = open_library(tmp_path)
    assert [finding.name for finding in library.findings] == []
    uses = [(use.kind, use.unit.name) for use in library.tag_uses if use.tag.name == "trig"]
    assert uses == [("read", "Plant")]


def test_a_fault_on_the_way_is_told_and_is_no_way(tmp_path: Path) -> None:
    """What a scan that stopped left behind is not what a point moved."""
    tags = "tag,point,type\nlevel,%IW0,INT\nkey,%IX2.0,BOOL\nlamp,%QX0.0,BOOL\n"
    program = (
        "PROGRAM P VAR early, late : INT; END_VAR early := level; late := 100 / (level - 1); lamp := key; END_PROGRAM"
    )
    library = open_library(write_files(tmp_path / "a", {"tags/t.csv": tags, "programs/p.st": program}))
    found = {entry.tag.name: entry for entry in library.walk()}
    assert "A value of it stops the scan: division by zero, programs/p.st:1" in found["level"].says
    assert "stops" not in found["key"].says
    stopped = program.replace("level - 1", "level")
    library = open_library(write_files(tmp_path / "b", {"tags/t.csv": tags, "programs/p.st": stopped}))
    with pytest.raises(NotRunnable, match="stops in its first scan: division by zero"):
        library.walk()


def test_a_pattern_of_many_stars_ends(tmp_path: Path) -> None:
    tags = f"tag,point,type,reaches\nkey,%IX2.0,BOOL,{'*a' * 40}*b\nlamp,%QX0.0,BOOL,*P*.seen\nother,%IX2.1,BOOL,**P**.*e*n\n"
    program = f"PROGRAM P VAR {'a' * 120} : BOOL; seen : BOOL; END_VAR {'a' * 120} := key; seen := other; lamp := seen; END_PROGRAM"
    library = open_library(write_files(tmp_path, {"tags/t.csv": tags, "programs/p.st": program}))
    found = {entry.tag.name: entry.status for entry in library.walk()}
    assert (found["key"], found["other"], found["lamp"]) == ("elsewhere", "right", "right")


BITS = {
    "tags/t.csv": "tag,point,type,stands_for,reaches\ncontrol,%QW0,WORD,,\nstatus,%IW0,WORD,,\nis_ready,,,status.0,Drive1.ready\n"
    "is_wrong,,,status.1,Drive1.fault\nrun_cmd,,,control.0,Drive1.run\n",
    "blocks/d.st": "FUNCTION_BLOCK Drive VAR_INPUT ready, fault, go : BOOL; END_VAR VAR_OUTPUT run, jog : BOOL; END_VAR\n"
    "run := ready AND go; jog := NOT go; END_FUNCTION_BLOCK",
    "programs/p.st": "PROGRAM P VAR Drive1 : Drive; END_VAR\nDrive1(ready := is_ready, fault := is_wrong, go := status.5);\n"
    "control.0 := Drive1.run; control.1 := Drive1.jog;\nEND_PROGRAM",
}


def test_what_stands_for_a_bit_is_judged_by_what_it_should_reach(tmp_path: Path) -> None:
    library = open_library(write_files(tmp_path, BITS))
    found = {entry.tag.name: entry for entry in library.walk()}
    assert {name: found[name].status for name in ("is_ready", "is_wrong", "run_cmd")} == {
        "is_ready": "right",
        "is_wrong": "right",
        "run_cmd": "right",
    }
    crossed = BITS["programs/p.st"].replace(
        "ready := is_ready, fault := is_wrong", "ready := is_wrong, fault := is_ready"
    )
    library = open_library(write_files(tmp_path, BITS | {"programs/p.st": crossed}))
    found = {entry.tag.name: entry for entry in library.walk()}
    assert {found[name].status for name in ("is_ready", "is_wrong")} == {"crossed"}


def test_an_approved_map_has_the_bits_of_a_word(tmp_path: Path) -> None:
    """So that two bits that are exchanged are seen, also those without a name."""
    root = write_files(tmp_path, BITS)
    assert upright("walk", "--approve", "--write", "--library", root).exit_code == 0
    assert "control.1" in (root / "walk.csv").read_text()
    good = {entry.status for entry in open_library(root).walk()}
    assert good == {"right"}
    exchanged = BITS["programs/p.st"].replace(
        "control.0 := Drive1.run; control.1 := Drive1.jog", "control.1 := Drive1.run; control.0 := Drive1.jog"
    )
    write_files(root, {"programs/p.st": exchanged})
    wrong = {entry.tag.name for entry in open_library(root).walk() if entry.status not in ("right", "seen")}
    assert wrong == {"run_cmd", "control.1"}


SEVERAL = {
    "upright.toml": "",
    "blocks/fan.st": "FUNCTION_BLOCK Fan VAR_INPUT runs : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := runs; END_FUNCTION_BLOCK\n",
    "programs/main.st": "PROGRAM Main VAR Fan1, Filter1, Fan2 : Fan; END_VAR\nFan1(runs := fan1_runs);\n"
    "Filter1(runs := NOT fan1_runs);\nFan2(runs := fan2_runs);\nEND_PROGRAM\n",
}


@pytest.mark.parametrize(
    ("reaches", "status", "says"),
    [
        ("Fan{n}.runs; NOT Filter{n}.runs", "right", ""),
        ("NOT Filter{n}.runs;Fan{n}.runs;", "right", ""),
        ("Fan{n}.runs", "another", "It reaches Main.Filter1.runs too"),
        ("Fan{n}.runs; Filter{n}.runs", "inverted", "The pin goes the other way"),
        ("Fan{n}.runs; Pump{n}.runs; NOT Filter{n}.runs", "elsewhere", "It should reach Pump{n}.runs"),
        ("spare", "elsewhere", "It is spare, and has to do with Main.Fan1.runs"),
    ],
)
def test_a_tag_may_have_to_reach_several_pins(reaches: str, status: str, says: str, tmp_path: Path) -> None:
    tags = f"tag,point,reaches\nfan1_runs,%IX0.0,{reaches}\nfan2_runs,%IX0.1,Fan{{n}}.runs\nres,%IX0.2,spare\n"
    library = open_library(write_files(tmp_path, SEVERAL | {"tags/t.csv": tags}))
    found = walked(library)
    assert (found["fan1_runs"].status, found["fan1_runs"].says[: len(says)]) == (status, says)
    assert (found["fan2_runs"].status, found["res"].status) == ("right", "spare")
    assert [f.message for f in library.findings if f.name == "input-not-read"] == []
    assert "1 spare" in upright("walk", "--library", tmp_path).output
