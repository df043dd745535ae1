"""What cases reach, against a walk by hand over the same statements in Python."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import upright, write_files
from upright_block import Collector, open_library
from upright_block.coverage.collected import KINDS

BLOCK = """FUNCTION_BLOCK B
VAR_INPUT a : INT; b : INT; END_VAR
VAR_OUTPUT n : INT; END_VAR
VAR i : INT; END_VAR
METHOD PUBLIC twice : INT VAR_INPUT x : INT; END_VAR
twice := 2 * x;
END_METHOD
IF a > 5 THEN
    n := 1;
ELSIF a > 2 THEN
    n := 2;
END_IF
CASE a OF
    0: n := 3;
    1..3, 7: n := 4;
END_CASE
FOR i := 1 TO b DO
    n := n + 1;
    IF n > 100 THEN EXIT; END_IF
END_FOR
i := b;
WHILE i > 0 DO
    i := i - 1;
    IF i = 3 THEN CONTINUE; END_IF
    n := n + 1;
END_WHILE
REPEAT
    n := n - 1;
UNTIL n < b END_REPEAT
IF a = 9 THEN
    n := twice(x := n);
    RETURN;
END_IF
n := n + 1;
END_FUNCTION_BLOCK
"""
LINES = BLOCK.splitlines()


def line(text: str) -> int:
    return next(number for number, found in enumerate(LINES, 1) if found.strip().startswith(text))


def walked(a: int, b: int) -> set[tuple[int, str]]:
    """The lines and ways that one scan with these inputs reaches."""
    seen: set[tuple[int, str]] = set()

    def at(text: str, way: str = "") -> None:
        seen.add((line(text), way))

    n = 0
    at("IF a > 5")
    at("IF a > 5", "TRUE" if a > 5 else "FALSE")
    if a > 5:
        n = 1
        at("n := 1;")
    else:
        at("ELSIF", "TRUE" if a > 2 else "FALSE")
        if a > 2:
            n = 2
            at("n := 2;")
    at("CASE a")
    if a == 0:
        n = 3
        at("0: n", "0")
        at("0: n")
    elif 1 <= a <= 3 or a == 7:
        n = 4
        at("1..3", "1..3" if a <= 3 else "7")
        at("1..3")
    else:
        at("CASE a", "none fits")
    at("FOR")
    at("FOR", "turn" if b >= 1 else "no turn")
    for _ in range(b):
        n += 1
        at("n := n + 1;")
        at("IF n > 100")
        at("IF n > 100", "TRUE" if n > 100 else "FALSE")
    i = b
    at("i := b")
    at("WHILE")
    while i > 0:
        at("WHILE", "TRUE")
        i -= 1
        at("i := i - 1")
        at("IF i = 3")
        at("IF i = 3", "TRUE" if i == 3 else "FALSE")
        if i == 3:
            continue
        n += 1
        seen.add((line("n := n + 1;") + (line("IF i = 3") + 1 - line("n := n + 1;")), ""))
    at("WHILE", "FALSE")
    at("REPEAT")
    while True:
        n -= 1
        at("n := n - 1")
        at("REPEAT", "TRUE" if n < b else "FALSE")
        if n < b:
            break
    at("IF a = 9")
    at("IF a = 9", "TRUE" if a == 9 else "FALSE")
    if a == 9:
        at("n := twice")
        at("RETURN")
        at("twice :=")
    else:
        seen.add((len(LINES) - 1, ""))
    return seen


def library_of(folder: Path, inputs: list[tuple[int, int]]) -> Any:
    cases = "".join(
        f'[[case]]\nname = "{k}"\nvectors = """\na b | n\n{a} {b} | .\n"""\n' for k, (a, b) in enumerate(inputs)
    )
    files = {
        "blocks/b.st": BLOCK,
        "cases/c.toml": 'block = "B"\nscan = "1s"\n' + cases,
        "rules/r.toml": 'block = "B"\nnever = ["n > 30000"]\n',
    }
    return open_library(write_files(folder, files))


@settings(max_examples=40, deadline=None)
@given(inputs=st.lists(st.tuples(st.integers(-1, 10), st.integers(-2, 6)), min_size=1, max_size=5))
def test_what_is_reached_is_what_a_walk_by_hand_reaches(
    inputs: list[tuple[int, int]], tmp_path_factory: pytest.TempPathFactory
) -> None:
    library = library_of(tmp_path_factory.mktemp("covered"), inputs)
    collector = Collector()
    verdicts = library.run(collector=collector)
    (unit,) = library.coverage(collector)
    wanted = set().union(*(walked(a, b) for a, b in inputs))
    reached = {(spot.line, spot.way) for spot in unit.spots if spot.is_reached and spot.kind in ("statement", "branch")}
    assert reached == wanted
    for verdict, (a, b) in zip(verdicts, inputs, strict=True):
        own = {(p.unit.source.line(p.start), p.way) for p in verdict.reached if p.unit.source.path == "blocks/b.st"}
        assert own == walked(a, b)
    assert unit.cases == len(inputs)


def test_all_that_there_is_can_be_reached(tmp_path: Path) -> None:
    inputs = [(a, b) for a in range(-1, 11) for b in (-1, 0, 5, 120)]
    library = library_of(tmp_path, inputs)
    collector = Collector()
    library.run(collector=collector)
    (unit,) = library.coverage(collector)
    missed = [(LINES[spot.line - 1].strip(), spot.way) for spot in unit.spots if not spot.is_reached]
    assert [entry for entry in missed if not entry[0].startswith("IF n > 100")] == []
    assert unit.counts("branch")[1] == 20


def test_the_command_shows_files_and_tells_it(glasshouse: Path, tmp_path: Path) -> None:
    result = upright("verify", "--coverage", "--report", tmp_path / "r", "--library", glasshouse)
    assert result.exit_code == 0
    assert "VentDrive" in result.output
    assert "never reached" in result.output
    data = json.loads(upright("verify", "--coverage", "--json", "--library", glasshouse).output)["coverage"]
    vent = next(entry for entry in data if entry["unit"] == "VentDrive")
    text = (tmp_path / "r" / "coverage.lcov").read_text("utf-8")
    section = text[text.index("SF:blocks/vent_drive.st") :].split("end_of_record")[0]
    branches = [row for row in section.splitlines() if row.startswith("BRDA:")]
    assert (vent["branches"]["known"], vent["branches"]["reached"]) == (
        len(branches),
        sum(row.endswith(",1") for row in branches),
    )
    assert f"BRF:{len(branches)}" in section
    few = json.loads(upright("verify", "Blink", "--coverage", "--json", "--library", glasshouse).output)["coverage"]
    assert "VentDrive" not in {entry["unit"] for entry in few}
    assert not {"TON", "Actuator", "Bays"} & {entry["unit"] for entry in data}
    assert all(entry["file"].endswith((".st", ".csv")) for entry in data)


# --- states, timers, EN, faults ---

MACHINE = """TYPE Mode : (idle, busy, held); END_TYPE
FUNCTION_BLOCK M
VAR_INPUT go : BOOL; stop : BOOL; d : INT := 1; on : BOOL := TRUE; END_VAR
VAR_OUTPUT n : INT; END_VAR
VAR mode : Mode; phase : INT := 10; t : TON; off : TOF; pulse : TP; jump : BOOL; END_VAR
VAR CONSTANT LAST : INT := 30; END_VAR
METHOD PUBLIC again
    phase := 10;
END_METHOD
CASE mode OF
    idle: IF go THEN mode := busy; END_IF
    busy: IF stop THEN mode := held; END_IF
    held: IF go THEN mode := idle; END_IF
END_CASE
CASE phase OF
    10, 11: IF go THEN phase := 20; END_IF
    20..29: IF stop THEN phase := LAST; END_IF
    LAST: phase := phase + 1;
END_CASE
IF jump THEN again(); END_IF
t(IN := go, PT := T#300ms);
off(IN := go, PT := T#300ms);
pulse(IN := stop, PT := T#200ms);
n := Half(EN := on, x := 6 / d);
END_FUNCTION_BLOCK
FUNCTION Half : INT VAR_INPUT x : INT; END_VAR Half := x / 2; END_FUNCTION
"""


def coverage_of(folder: Path, source: str, table: str, more: str = "", manifest: str = "") -> dict[str, Any]:
    """What one case reaches of M: for each kind the ways, and whether each was reached."""
    name = re.findall(r"FUNCTION_BLOCK (\w+)", source)[0]
    case = f'block = "{name}"\nscan = "100ms"\n[[case]]\nname = "one"\n{more}vectors = """\n{table}\n"""\n'
    write_files(folder, {"upright.toml": manifest, "blocks/m.st": source, "cases/c.toml": case})
    library = open_library(folder)
    assert [str(f) for f in library.findings if f.severity == "error"] == []
    collector = Collector()
    library.run(collector=collector)
    unit = next(unit for unit in library.coverage(collector) if unit.unit.name == name)
    found: dict[str, Any] = {kind: {} for kind in KINDS}
    for spot in unit.spots:
        found[spot.kind][spot.way or f"{spot.line}"] = spot.is_reached
    return found | {"computed": [spot.line for spot in unit.computed]}


def test_states_and_transitions_of_variables_are_known(tmp_path: Path) -> None:
    found = coverage_of(tmp_path, MACHINE, "at | go stop | n\n0s | 0 0 | .\n100ms | 1 0 | .\n200ms | 0 0 | .")
    assert found["state"] == {
        "mode idle": True,
        "mode busy": True,
        "mode held": False,
        "phase 10": True,
        "phase 11": False,
        "phase 20..29": True,
        "phase LAST": False,
    }
    assert found["transition"] == {
        "mode idle -> busy": True,
        "mode busy -> held": False,
        "mode held -> idle": False,
        "phase 10, 11 -> 20..29": True,
        "phase 20..29 -> LAST": False,
        "phase any -> 10": False,
    }
    assert [MACHINE.splitlines()[line - 1].strip() for line in found["computed"]] == ["LAST: phase := phase + 1;"]
    output = upright("verify", "--coverage", "--library", tmp_path).output
    assert "LAST: phase := phase + 1;" in output.split("states that are computed")[1]
    whole = coverage_of(
        tmp_path, MACHINE, "at | go stop | n\n" + "\n".join(f"{k}00ms | {k % 2} {k % 3 // 2} | ." for k in range(9))
    )
    assert all(reached for way, reached in whole["state"].items() if way != "phase 11")
    assert [way for way, reached in whole["transition"].items() if not reached] == ["phase any -> 10"]


@pytest.mark.parametrize(
    ("rows", "timers"),
    [
        ("0s | 1 0 | .\n200ms | 0 0 | .\n400ms | 0 0 | .", {"t": False, "off": False, "pulse": False}),
        ("0s | 1 0 | .\n300ms | 1 0 | .", {"t": True, "off": False, "pulse": False}),
        ("0s | 1 0 | .\n100ms | 0 0 | .\n400ms | 0 0 | .", {"t": False, "off": True, "pulse": False}),
        ("0s | 0 1 | .\n100ms | 0 0 | .\n200ms | 0 0 | .", {"t": False, "off": False, "pulse": True}),
        ("0s | 0 1 | .\n100ms | 0 1 | .", {"t": False, "off": False, "pulse": False}),
    ],
)
def test_a_timer_has_run_out_when_its_time_is_over(rows: str, timers: dict[str, bool], tmp_path: Path) -> None:
    assert coverage_of(tmp_path, MACHINE, f"at | go stop | n\n{rows}")["timer"] == timers


@pytest.mark.parametrize(
    ("on", "ways"), [("1", {"EN TRUE": True, "EN FALSE": False}), ("0", {"EN TRUE": False, "EN FALSE": True})]
)
def test_both_ways_of_en_are_branches(on: str, ways: dict[str, bool], tmp_path: Path) -> None:
    found = coverage_of(tmp_path, MACHINE, f"on | n\n{on} | .")
    assert {way: reached for way, reached in found["branch"].items() if way.startswith("EN")} == ways
    line = MACHINE.splitlines().index("n := Half(EN := on, x := 6 / d);") + 1
    assert found["statement"][str(line)] is (on == "1")


def test_a_fault_that_is_expected_is_covered(tmp_path: Path) -> None:
    found = coverage_of(tmp_path, MACHINE, "d | n\n0 | .", 'expect_fault = "Division by Zero"\n')
    assert found["fault"] == {"division by zero": True}
    assert coverage_of(tmp_path, MACHINE, "d | n\n2 | .")["fault"] == {"division by zero": False}


def test_steps_and_their_transitions_are_those_that_are_declared(tmp_path: Path) -> None:
    source = """FUNCTION_BLOCK S
VAR_INPUT go : BOOL; END_VAR
VAR_OUTPUT n : INT; END_VAR
INITIAL_STEP Rest: END_STEP
STEP Work: Count(N); END_STEP
STEP Over: END_STEP
TRANSITION FROM Rest TO Work := go; END_TRANSITION
TRANSITION FROM Work TO Over := n > 2; END_TRANSITION
TRANSITION FROM Over TO Rest := TRUE; END_TRANSITION
ACTION Count: n := n + 1; END_ACTION
END_FUNCTION_BLOCK
"""
    found = coverage_of(tmp_path, source, "at | go | n\n0s | 0 | .\n100ms | 1 | 1")
    assert found["state"] == {"Rest": True, "Work": True, "Over": False}
    assert found["transition"] == {"Rest -> Work": True, "Work -> Over": False, "Over -> Rest": False}
    assert (found["statement"], found["branch"]) == ({"10": True}, {})
    longer = coverage_of(tmp_path, source, "at | go | n\n0s | 1 | .\n900ms | 0 | .")
    assert all(longer["state"].values())
    assert all(longer["transition"].values())


# --- floors, gaps, marked sources ---


def test_a_floor_that_is_not_reached_fails(tmp_path: Path) -> None:
    manifest = '[coverage]\nfloors = { "*" = { statements = 95 }, "M" = { statements = 50, states = 90, branches = 10 }, "Pump*" = { faults = 1 } }\n'
    coverage_of(tmp_path, MACHINE, "go | n\n1 | .", manifest=manifest)
    result = upright("verify", "--library", tmp_path)
    assert result.exit_code == 1
    assert "M: 4 of 7  57% of its states; the floor of M is 90%." in result.output
    assert "the floor of Pump* fits no unit" in result.output
    assert "floor of *" not in result.output
    assert "coverage  " not in result.output
    data = json.loads(upright("verify", "--json", "--library", tmp_path).output)
    assert [(entry["unit"], entry["kind"]) for entry in data["below_floors"]] == [("M", "states"), (None, "")]
    assert upright("verify", "one", "--library", tmp_path).exit_code == 0  # floors are for all cases
    good = manifest.replace("states = 90", "states = 40").replace(', "Pump*" = { faults = 1 }', "")
    (tmp_path / "upright.toml").write_text(good)
    assert upright("verify", "--library", tmp_path).exit_code == 0


@pytest.mark.parametrize(
    ("written", "says"),
    [
        ("coverage = 3", "coverage has no table of floors."),
        ("[coverage]\nfloor = 3", "Did you mean floors?"),
        ('[coverage]\nfloors = { "*" = 90 }', "The floor of * is no table."),
        ('[coverage]\nfloors = { "*" = { statment = 90 } }', "Did you mean statements?"),
        ('[coverage]\nfloors = { "*" = { states = 101 } }', "Write a percentage from 0 to 100."),
        ('[coverage]\nfloors = { "*" = { states = true } }', "Write a percentage from 0 to 100."),
    ],
)
def test_floors_that_are_none(written: str, says: str, tmp_path: Path) -> None:
    write_files(tmp_path, {"upright.toml": written})
    result = upright("verify", "--library", tmp_path)
    assert (result.exit_code, says in " ".join(result.output.split())) == (2, True), result.output


def test_a_gap_names_the_nearest_case_and_what_would_have_to_be(tmp_path: Path) -> None:
    coverage_of(tmp_path, MACHINE, "at | go stop | n\n0s | 0 0 | .\n100ms | 1 0 | .\n200ms | 0 0 | .")
    output = upright("verify", "--uncovered", "--library", tmp_path).output
    lines = [line.strip() for line in output.splitlines()]
    at = next(i for i, found in enumerate(lines) if found.startswith("blocks/m.st:12"))
    assert lines[at + 1 : at + 3] == ["stop would have to be TRUE", "nearest: c/one: stop stays 0"]
    assert "the time of t would have to run out" in output
    assert "t.IN is 0, 1" in output
    assert "phase would have to be 11" in output
    assert "blocks/m.st:13" in output  # the label held was never met
    assert "mode := idle" not in output.split("blocks/m.st:13")[0].split("what the cases")[1]
    data = json.loads(upright("verify", "--uncovered", "--json", "--library", tmp_path).output)["gaps"]
    (gap,) = (gap for gap in data if gap["line"] == 12)
    assert (gap["says"], gap["nearest"], gap["values"]) == ("stop would have to be TRUE", "c/one", {"stop": "stays 0"})
    assert upright("verify", "--marked", "M", "--json", "--library", tmp_path).exit_code == 2
    several = upright("verify", "--uncovered", "--coverage", "--marked", "m", "--library", tmp_path).output
    marked = {
        line.split()[0]: line for line in several.split("M  blocks/m.st")[1].splitlines() if line[:8].strip().isdigit()
    }
    assert "●" in marked["11"]
    assert "◐" in marked["12"]
    assert "○" in marked["13"]
    assert "never TRUE" in marked["12"]
    assert upright("verify", "--marked", "zz", "--library", tmp_path).exit_code == 2


def test_only_what_the_chosen_cases_come_to_is_shown(glasshouse: Path) -> None:
    output = upright("verify", "Blink", "--coverage", "--library", glasshouse).output
    assert "VentDrive" not in output
    assert "units left out: these cases do not come there" in output


@pytest.mark.parametrize(
    ("table", "fault", "status", "says"),
    [
        ("at | d | n\n0s | 2 | 1\n1s | 0 | .", "division by zero", "passed", ""),
        ("at | d | n\n0s | 2 | 2\n1s | 0 | .", "division by zero", "failed", "n is 1 and not 2"),
        ("at | d | n\n0s | 2 | 1\n1s | 1 | .", "division by zero", "failed", "and none came"),
        ("at | d | n\n0s | 2 | 1\n1s | 0 | .", "endless loop", "fault", "expects another fault: endless loop"),
        (
            "at | d | n\n0s | 2 | 1\n1s | 0 | .\n2s | 1 | .",
            "division by zero",
            "failed",
            "1 row stands behind the fault",
        ),
        ("at | d | n\n0s | 2 | 1\n1s | 0 | 5", "division by zero", "failed", "1 cell was not checked"),
    ],
)
def test_a_fault_can_be_what_is_expected(table: str, fault: str, status: str, says: str, tmp_path: Path) -> None:
    coverage_of(tmp_path, MACHINE, table, f'expect_fault = "{fault}"\n')
    data = json.loads(upright("verify", "--json", "--library", tmp_path).output)
    assert [case["status"] for case in data["cases"]] == [status]
    assert says in " ".join(upright("verify", "--library", tmp_path).output.split())


def test_what_is_reached_is_known_for_each_instance(tmp_path: Path) -> None:
    files = {
        "blocks/b.st": """FUNCTION_BLOCK Inner VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR
IF x THEN q := TRUE; END_IF END_FUNCTION_BLOCK
FUNCTION_BLOCK Base VAR first : Inner; END_VAR VAR_INPUT y : BOOL; END_VAR
first(x := y); IF y THEN RETURN; END_IF END_FUNCTION_BLOCK
FUNCTION_BLOCK More EXTENDS Base VAR deep : ARRAY [1..2] OF Inner; n : INT; END_VAR
SUPER(); deep[1](x := NOT y); n := Twice(n); END_FUNCTION_BLOCK
FUNCTION Twice : INT VAR_INPUT n : INT; END_VAR Twice := 2 * n; END_FUNCTION""",
        "programs/main.st": "PROGRAM Main VAR_INPUT go : BOOL; END_VAR VAR one, two : More; lone : Base; END_VAR one(y := go); lone(y := FALSE); END_PROGRAM",
        "cases/c.toml": 'program = "Main"\nscan = "1s"\n[[case]]\nname = "a"\nrun_for = "1s"\nvectors = """\ngo\n1\n"""\n',
    }
    write_files(tmp_path, files)
    data = json.loads(upright("verify", "--coverage", "--json", "--library", tmp_path).output)["coverage"]
    found = {
        (entry["path"], unit["unit"]): (entry["statements"]["reached"], entry["branches"]["reached"])
        for unit in data
        for entry in unit["instances"]
    }
    assert found == {
        ("one", "More"): (3, 0),
        ("one", "Base"): (3, 1),
        ("one.first", "Inner"): (2, 1),
        ("one.deep[1]", "Inner"): (1, 1),
        ("one.deep[2]", "Inner"): (0, 0),
        ("two", "More"): (0, 0),
        ("two", "Base"): (0, 0),
        ("two.first", "Inner"): (0, 0),
        ("two.deep[1]", "Inner"): (0, 0),
        ("two.deep[2]", "Inner"): (0, 0),
        ("lone", "Base"): (2, 1),
        ("lone.first", "Inner"): (1, 1),
    }
    output = upright("verify", "--instances", "--library", tmp_path).output
    assert re.search(r"one\.first +Inner +Main +2 of 2 100%", output), output
