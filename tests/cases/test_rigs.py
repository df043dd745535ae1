"""Rigs around a configuration, against a model of the loop in Python; and the blocks that stand in for machines."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import ROOT, machine_of, upright, write_files
from upright_block import OpenLibrary, open_library
from upright_block.machine.machine import Machine
from upright_block.stand_ins import NAMES, source

SHIPPED = ROOT / "src" / "upright_block" / "stand_ins"

PLANT = {
    "programs/main.st": """
PROGRAM Main VAR runs : DINT; END_VAR
runs := runs + 1;
vent := go AND NOT opened; speed := warm * 2.0; plain := plain + 1;
END_PROGRAM
CONFIGURATION Plant TASK t (INTERVAL := T#100ms, PRIORITY := 1); PROGRAM main WITH t : Main; END_CONFIGURATION
VAR_GLOBAL plain : INT; END_VAR
""",
    "tags/t.csv": "tag,point,type,sense,raw_low,raw_high,low,high\ngo,%IX0.0,BOOL,,,,,\nopened,%IX0.1,BOOL,NC,,,,\n"
    "warm,%IW2,REAL,,0,1000,0,100\nvent,%QX0.0,BOOL,NC,,,,\nspeed,%QW2,REAL,,0,1000,0,100\n",
    "cases/rigs/machine.st": """
PROGRAM Machine
VAR way : INT; jam : BOOL; sun : REAL; END_VAR
IF vent AND NOT jam THEN way := MIN(way + 1, 5); ELSIF NOT vent THEN way := MAX(way - 1, 0); END_IF
opened := way = 5;
warm := sun + speed / 10.0;
END_PROGRAM
""",
}


def library_of(
    folder: Path, table: str, head: str = 'configuration = "Plant"\nrig = "Machine"\n', **files: str
) -> OpenLibrary:
    case = f'{head}[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    return open_library(write_files(folder, PLANT | files | {"cases/c.toml": case}))


def verdict_of(folder: Path, table: str) -> Any:
    library = library_of(folder, table)
    assert [str(f) for f in library.findings] == []
    (verdict,) = library.run()
    return verdict


def misses(verdict: Any) -> list[Any]:
    return [(m.slot.path, m.scan, m.got) for m in verdict.misses]


@settings(max_examples=60, deadline=None)
@given(
    steps=st.lists(
        st.tuples(st.booleans(), st.booleans(), st.integers(0, 60), st.sampled_from(["on", "off", "stop", "."])),
        min_size=1,
        max_size=25,
    )
)
def test_a_rig_sees_outputs_as_the_field_has_them_and_gives_inputs(
    steps: list[tuple[bool, bool, int, str]], tmp_path_factory: pytest.TempPathFactory
) -> None:
    vent, speed, way, state, held, ran = False, 0.0, 0, "on", (False, 0.0), False
    rows = []
    for scan, (go, jam, sun, word) in enumerate(steps):
        if word == "on" and state == "stop":
            word = "run"
        word = "." if word == "stop" and state == "off" else word
        if word in ("off", "stop") and state == "on":
            held, vent, speed = (vent, speed), True, 0.0  # an output without current: a closed contact reads TRUE
        if word == "off" and state == "stop":
            vent, speed = True, 0.0
        if word == "on" and state == "off":
            vent, speed = False, 0.0
        if word == "run" and state == "stop":
            vent, speed = held
        state = {"off": "off", "stop": "stop", "on": "on", "run": "on"}.get(word, state)
        # the machine first, with what the outputs had
        way = min(way + 1, 5) if vent and not jam else max(way - 1, 0) if not vent else way
        opened = way == 5
        warm = round(sun * 10 + speed)  # in tenths, as its point has it
        ran |= state == "on"
        if state == "on":
            vent, speed = go and not opened, min(warm / 10 * 2, 100.0)
        warm_seen = f"{warm / 10}±0.001" if state == "on" else "."
        opened_seen = int(opened) if state == "on" else "."
        rows.append(f"{scan * 100}ms | {word} {int(go)} {int(jam)} {sun} | {int(vent)} {opened_seen} {warm_seen} {way}")
    heads = "at | power go set~Machine.jam set~Machine.sun | vent opened warm Machine.way".replace("~", " ")
    verdict = verdict_of(tmp_path_factory.mktemp("rig"), "\n".join((heads, *rows)))
    assert (verdict.status, misses(verdict)) == ("passed" if ran else "failed", []), rows


def test_a_force_holds_an_input_against_the_rig_and_what_is_lost_comes_back(tmp_path: Path) -> None:
    table = """
at | go force opened | vent check opened Machine.way
0s | 1 . | 1 0 0
200ms | . 1 | 0 1 2
400ms | . release | 1 0 0
900ms | . . | 0 1 5
"""
    assert misses(verdict_of(tmp_path, table)) == []
    lost = 'drive = """\npin | shape\nopened | lost at=300ms for=300ms as=frozen\n"""\n'
    head = 'configuration = "Plant"\nrig = "Machine"\n'
    rows = "at | go | vent Machine.way\n0s | 1 | 1 0\n500ms | . | 1 5\n600ms | . | 0 5"
    case = f'{head}[[case]]\nname = "c"\n{lost}vectors = """\n{rows}\n"""\n'
    (verdict,) = open_library(write_files(tmp_path / "lost", PLANT | {"cases/c.toml": case})).run()
    assert misses(verdict) == []


FAN = """
FUNCTION_BLOCK Fan
VAR_INPUT go : BOOL; status : WORD; actual : INT; END_VAR
VAR_OUTPUT control : WORD; runs, dead : BOOL; speed : INT; END_VAR
VAR still : TON; life : BOOL; END_VAR
control.0 := go; runs := status.1; speed := actual;
still(IN := status.15 = life, PT := T#1s, Q => dead);
life := status.15;
END_FUNCTION_BLOCK
"""
FAN_RIG = """
PROGRAM FanRig
VAR_INPUT go : BOOL; END_VAR
VAR unit : Fan; drive : SpeedDrive := (life := T#500ms); END_VAR
drive(control := unit.control, set_point := 5000);
unit(go := go, status := drive.status, actual := drive.actual);
END_PROGRAM
"""


@pytest.mark.parametrize(
    ("lost", "rows"),
    [
        (["unit.status", "unit.actual"], "2s | . | 1 1800 1 0\n3s | . | 1 1800 1 1\n4s | . | 1 3900 1 0"),
        (["unit.status.15"], "2s | . | 1 1900 1 0\n3s | . | 1 2900 1 1\n4s | . | 1 3900 1 0"),
        (["unit.status.1"], "2s | . | 1 1900 1 0\n3s | . | 1 2900 1 0\n4s | . | 1 3900 1 0"),
    ],
)
def test_words_of_a_drive_freeze_in_a_rig_around_one_block(lost: list[str], rows: str, tmp_path: Path) -> None:
    shapes = "".join(f"{pin} | lost at=2s for=1900ms as=frozen\n" for pin in lost)
    heads = "at | go | unit.runs unit.speed unit.status.0 unit.dead\n0s | 1 | . 0 1 0"
    case = f'program = "FanRig"\n[[case]]\nname = "c"\ndrive = """\npin | shape\n{shapes}"""\nvectors = """\n{heads}\n{rows}\n"""\n'
    files = {"upright.toml": 'scan = "100ms"\n', "blocks/fan.st": FAN, "cases/rigs/r.st": FAN_RIG, "cases/c.toml": case}
    library = open_library(write_files(tmp_path, files))
    (verdict,) = library.run()
    assert misses(verdict) == []
    why = upright("why", "c", lost[0], "--at", "3s", "--library", tmp_path)
    assert "a stimulus of the case at 2s" in why.output


def test_an_output_is_not_lost(tmp_path: Path) -> None:
    case = 'program = "FanRig"\n[[case]]\nname = "c"\ndrive = """\npin | shape\nunit.runs | lost at=1s\n"""\nvectors = "at | go\\n2s | 1"\n'
    files = {"upright.toml": "", "blocks/fan.st": FAN, "cases/rigs/r.st": FAN_RIG, "cases/c.toml": case}
    finding = open_library(write_files(tmp_path, files)).not_run[0].findings[0]
    assert (finding.name, finding.message) == ("wrong-kind", "unit.runs is no input.")


@pytest.mark.parametrize(
    ("head", "rig", "table", "name"),
    [
        ('configuration = "Plant"\nrig = "Machin"\n', "", "go\n1", "unknown-name"),
        ('configuration = "Plant"\nrig = "Main"\n', "", "go\n1", "wrong-kind"),
        ('program = "Main"\nrig = "Machine"\n', "", "go\n1", "wrong-kind"),
        ('configuration = "Plant"\nrig = "R"\n', "PROGRAM R plain := 3; END_PROGRAM", "go\n1", "wrong-kind"),
        ('configuration = "Plant"\nrig = "R"\n', "PROGRAM R vent := TRUE; END_PROGRAM", "go\n1", "wrong-kind"),
        (
            'configuration = "Plant"\nrig = "R"\n',
            "PROGRAM R VAR a AT %IX0.0 : BOOL; END_VAR a := TRUE; END_PROGRAM",
            "go\n1",
            "wrong-kind",
        ),
        (
            'configuration = "Plant"\nrig = "R"\n',
            "PROGRAM R VAR_IN_OUT a : BOOL; END_VAR a := TRUE; END_PROGRAM",
            "go\n1",
            "wrong-kind",
        ),
        (
            'configuration = "Plant"\nrig = "R"\n',
            "PROGRAM R VAR a : Nothing; END_VAR END_PROGRAM",
            "go\n1",
            "wrong-kind",
        ),
        ('configuration = "Plant"\nrig = "Machine"\n', "", "go set~opened\n1 1", "wrong-kind"),
    ],
)
def test_a_rig_that_cannot_be_is_told(head: str, rig: str, table: str, name: str, tmp_path: Path) -> None:
    library = library_of(tmp_path, table.replace("~", " "), head, **{"cases/rigs/more.st": rig})
    assert name in [f.name for f in library.findings if f.source.path == "cases/c.toml"]
    assert library.cases == ()


# --- stand-ins ---


def test_each_stand_in_has_good_cases_of_its_own() -> None:
    result = upright("verify", "--library", SHIPPED, "--strict")
    assert result.exit_code == 0, result.output
    library = open_library(SHIPPED)
    assert {case.unit_name for case in library.cases} == set(NAMES)
    assert library.not_run == ()
    assert all(unit.comment for unit in library.units)


def test_rigs_alone_see_stand_ins(tmp_path: Path) -> None:
    program = "PROGRAM {0} VAR a : Actuator; END_VAR a(); END_PROGRAM"
    files = {"programs/p.st": program.format("P"), "cases/rigs/r.st": program.format("R")}
    library = open_library(write_files(tmp_path, files))
    assert [f.source.path for f in library.findings if f.severity == "error"] == ["programs/p.st"]
    assert "known to rigs alone" in library.findings[0].message
    shown = upright("show", "--library", tmp_path).output
    assert all(name in shown for name in NAMES)
    assert "limit switch at the far end" in upright("show", "actuator", "--library", tmp_path).output


def test_a_block_of_the_library_goes_before_a_stand_in_of_its_name(tmp_path: Path) -> None:
    files = {
        "blocks/t.st": "FUNCTION_BLOCK Tank VAR_OUTPUT own : INT := 3; END_VAR END_FUNCTION_BLOCK",
        "cases/rigs/r.st": "PROGRAM R VAR t : Tank; END_VAR t(); END_PROGRAM",
        "cases/r.toml": 'program = "R"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nt.own\n3\n"""\n',
    }
    (verdict,) = open_library(write_files(tmp_path, files)).run()
    assert verdict.status == "passed"


def stand_in(name: str) -> Machine:
    text = source(name.upper())
    assert text is not None
    machine = machine_of(text.text, name)
    return machine


def after(machine: Machine, **pins: Any) -> Machine:
    for path, value in pins.items():
        machine.write(path, value)
    machine.run(1, (), ())
    return machine


@settings(max_examples=40, deadline=None)
@given(
    travel=st.integers(1, 30),
    start=st.integers(0, 100),
    moves=st.lists(st.tuples(st.booleans(), st.booleans(), st.booleans()), max_size=40),
)
def test_an_actuator_travels_as_its_definition_says(
    travel: int, start: int, moves: list[tuple[bool, bool, bool]]
) -> None:
    machine = after(stand_in("Actuator"), travel=travel * 10**9, start=float(start))
    way = travel * start / 100
    for forth, back, jam in moves:
        after(machine, forth=forth, back=back, jam=jam)
        before = way
        if forth != back and not jam:
            way = min(way + 1, travel) if forth else max(way - 1, 0)
        assert machine.read("position") == pytest.approx(way / travel * 100, abs=1e-3)
        assert (machine.read("at_near"), machine.read("at_far")) == (way <= 1e-9, way >= travel - 1e-9)
        assert machine.read("strains") == ((forth or back) and way == before)


@settings(max_examples=40, deadline=None)
@given(
    up=st.integers(0, 20),
    down=st.integers(0, 20),
    steps=st.lists(st.tuples(st.integers(-50, 50), st.booleans(), st.booleans(), st.booleans()), max_size=40),
)
def test_a_drive_ramps_as_its_definition_says(up: int, down: int, steps: list[tuple[int, bool, bool, bool]]) -> None:
    machine = stand_in("SpeedDrive")
    hertz = wanted = 0.0
    fault = started = was_run = was_clear = False
    first = True
    for point, run, clear, trip in steps:
        control = run | (point < 0) << 1 | clear << 7
        after(machine, up=up * 10**9, down=down * 10**9, control=control, set_point=abs(point) * 100, trip=trip)
        fault = trip or (fault and not (clear and not was_clear))
        started = (started or (run and not was_run)) and run and not fault
        was_run, was_clear = run, clear
        slower = abs(wanted) < abs(hertz) or wanted * hertz < 0
        ramp = down if slower else up
        step = 0.0 if first else 50 / ramp if ramp else math.inf
        if ramp == 0:
            hertz = wanted
        elif wanted * hertz < 0:
            hertz = math.copysign(max(0.0, abs(hertz) - step), hertz)
        else:
            hertz = min(max(wanted, hertz - step), hertz + step)
        wanted = float(point) if started else 0.0
        first = False
        assert machine.read("actual") == pytest.approx(hertz * 100, abs=0.6)
        status = int(machine.read("status"))
        assert (status & 1, status >> 3 & 1) == (int(not fault), int(fault))
        assert status >> 1 & 1 == (started or hertz != 0)


@settings(max_examples=30, deadline=None)
@given(inputs=st.lists(st.integers(-50, 50), min_size=1, max_size=40), lag=st.integers(0, 20), dead=st.integers(0, 12))
def test_a_process_follows_its_input_late_and_slowly(inputs: list[int], lag: int, dead: int) -> None:
    machine = stand_in("FirstOrder")
    state = target = float(inputs[0])
    for scan, value in enumerate(inputs):
        after(machine, input=float(value), lag=lag * 10**9, dead=dead * 10**9)
        state = target + (state - target) * math.exp(-1 / lag) if lag and scan else target
        target = float(inputs[max(scan - dead, 0)])
        assert machine.read("value") == pytest.approx(state, abs=1e-3)


@pytest.mark.parametrize(
    ("block", "pairs"),
    [("VentDrive", 4), ("GearDrive", 2), ("Alarm", 2), ("Scale", None), ("RoofRow", 0), ("MistBurst", 0), ("Rota", 1)],
)
def test_a_rig_is_written_for_a_block_and_fills_itself_in(block: str, pairs: int | None, tmp_path: Path) -> None:
    folder = tmp_path / "g"
    upright("demo", folder)
    made = upright("new", "--with-rig", block, folder)
    assert made.exit_code == (2 if pairs is None else 0)
    if pairs is None:
        assert "There is no block Scale" in made.output
        return
    assert made.output.count(" and machine.") == pairs
    assert [f.name for f in open_library(folder).findings] == ["checks-nothing"]
    assert upright("verify", f"{block}Rig", "--record", "--write", "--library", folder).exit_code == 0
    assert open_library(folder).findings == ()
    assert "1 case: 1 good" in upright("verify", f"{block}Rig", "--library", folder).output
    again = upright("new", "--with-rig", block, folder)
    assert (again.exit_code, "is there already" in again.output) == (2, True)


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("--with-rig", "VentDriv"), "Did you mean VentDrive"),
        (("--with-rig", "VentDrive", "--stand-in", "Tnk"), "Did you mean Tank"),
        (("--stand-in", "Tank"), "no use without --with-rig"),
        ((), "DIR is missing"),
    ],
)
def test_a_rig_that_cannot_be_written(arguments: tuple[str, ...], says: str, tmp_path: Path) -> None:
    upright("demo", tmp_path / "g")
    folder = [str(tmp_path / "g")] if "--with-rig" in arguments else []
    result = upright("new", *arguments, *folder)
    assert (result.exit_code, says in result.output) == (2, True)
