"""``upright scan`` shows what a scan did, and nothing that it did not do."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import EXAMPLES, upright, write_files

LIBRARY = {
    "upright.toml": 'name = "small"\n',
    "blocks/b.st": """TYPE Mode : (idle, busy := 5); END_TYPE
FUNCTION Half : INT VAR_INPUT x : INT; END_VAR
Half := x / 2;
END_FUNCTION
FUNCTION_BLOCK Counted
VAR_INPUT up : BOOL; END_VAR VAR_OUTPUT n : INT; END_VAR
IF up THEN n := n + 1; END_IF;
END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR_INPUT go : BOOL; div : INT := 1; END_VAR
VAR_OUTPUT sum : INT; mode : Mode; said : STRING[8]; END_VAR
VAR i : INT; list : ARRAY [1..4] OF INT; one, never : Counted; END_VAR
IF NOT go THEN
  mode := idle;
ELSIF div > 1 THEN
  mode := busy; said := 'more';
ELSE
  never(up := TRUE);
END_IF;
FOR i := 1 TO 4 DO
  list[i] := Half(i * div);
END_FOR;
one(up := go);
one(up := TRUE);
sum := 10 / div;
END_FUNCTION_BLOCK
""",
    "cases/b.toml": 'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\nat | go div | sum\n0s | 1 1 | 10\n0.5s | 1 2 | 5\n"""\n',
}


@pytest.fixture
def library(tmp_path: Path) -> Path:
    return write_files(tmp_path, LIBRARY)


def shown(*arguments: object) -> str:
    result = upright("scan", *arguments)
    assert result.exit_code == 0, result.output
    return result.output


def told(*arguments: object) -> list[dict[str, Any]]:
    data = json.loads(shown(*arguments, "--json"))
    statements: list[dict[str, Any]] = data["statements"]
    return statements


def line_of(output: str, text: str) -> str:
    (found,) = [line for line in output.splitlines() if text in line]
    return found


def test_each_line_has_what_it_did_and_a_mark_where_it_ran(library: Path) -> None:
    output = shown("B", "--library", library, "--set", "go=1@0.2s", "--set", "div=2@0.2s", "--at", "0.25s")
    assert "200ms (scan 2)" in output.splitlines()[0]
    assert line_of(output, "IF NOT go").endswith("FALSE  go 1")
    assert line_of(output, "ELSIF div > 1").endswith("TRUE  div 2")
    assert "mode idle -> busy" in line_of(output, "mode := busy")
    assert "said '' -> 'more'" in output
    assert line_of(output, "mode := idle").split()[1] == "mode"  # no mark, nothing beside
    assert line_of(output, "never(").endswith("never(up := TRUE);")
    assert line_of(output, "FOR i").endswith("4 turns  i 5")
    assert "turn 1: list[1] 0 -> 1" in output
    assert "2 more" in output
    assert "turn 4: list[4] 2 -> 4" in output


def test_the_json_is_what_the_scan_did(library: Path) -> None:
    found = told("B", "--library", library, "--given", "div=2", "--set", "go=1", "--at", "0s")
    by_kind = [(entry["kind"], entry["turn"]) for entry in found if entry["ran"]]
    assert by_kind == [
        ("if", []),
        ("assignment", []),
        ("assignment", []),
        ("for", []),
        *(("assignment", [turn]) for turn in (1, 2, 3, 4)),
        ("call", []),
        ("call", []),
        ("assignment", []),
    ]
    assert found[0]["way"] == 2
    assert found[0]["condition"] == {"expression": "div > 1", "value": True}
    assert [entry["opens"] for entry in found if entry["kind"] == "call" and entry["ran"]] == ["one", "one"]
    assert [entry["writes"] for entry in found if entry["line"] == 21] == [
        [{"path": f"list[{i}]", "before": 0, "after": i}] for i in (1, 2, 3, 4)
    ]
    assert found[-1]["reads"] == [{"path": "div", "value": 2, "text": "2"}]
    assert [entry["line"] for entry in found if not entry["ran"]] == [14, 18]


def test_a_call_of_many_is_chosen_and_one_that_did_not_run_says_so(library: Path) -> None:
    place = ("--library", library, "--set", "go=1", "--given", "div=3", "--at", "0s")
    assert told("B", *place, "--in", "one")[0]["condition"]["value"] is True
    assert told("B", *place, "--in", "ONE#2")[1]["writes"] == [{"path": "one.n", "before": 1, "after": 2}]
    assert "never, a Counted" in shown("B", *place, "--in", "never")
    assert "did not run in this scan" in shown("B", *place, "--in", "never")
    for wrong, said in (
        ("one#3", "Write one#1 to one#2."),
        ("never#1", "never was not called in this scan."),
        ("onne", "Did you mean one?"),
    ):
        result = upright("scan", "B", *place, "--in", wrong)
        assert (result.exit_code, said in result.output) == (2, True), result.output


def test_a_fault_stands_where_it_stopped(library: Path) -> None:
    output = shown("B", "--library", library, "--set", "div=0@1s", "--set", "go=1")
    assert "1s (scan 10)" in output.splitlines()[0]
    assert "Division by zero at 1s (scan 10)" in output
    assert line_of(output, "> sum := 10 / div;").endswith("div 0")
    result = upright("scan", "B", "--library", library, "--set", "div=0@1s", "--at", "3s")
    assert (result.exit_code, "The run stopped at 1s." in result.output) == (2, True)


def test_the_moment_is_that_of_a_case_a_condition_or_a_time(library: Path) -> None:
    place = ("--library", library)
    assert "0.5s" not in shown("c", *place, "--at", "499ms").splitlines()[0]
    assert "500ms (scan 5)" in shown("c", *place).splitlines()[0]
    assert "(scan 3)" in shown("B", *place, "--set", "go=1@300ms", "--until", "one.n >= 5").splitlines()[0]
    late = upright("scan", "c", *place, "--at", "2s")
    assert (late.exit_code, "The last scan of the run is at 500ms." in late.output) == (2, True)
    assert "--for TIME" in late.output
    assert "(scan 20)" in shown("c", *place, "--at", "2s", "--for", "3s").splitlines()[0]


def test_a_force_is_seen_where_it_holds(library: Path) -> None:
    found = told("B", "--library", library, "--force", "sum=3", "--at", "1s")
    assert found[-1]["writes"] == [{"path": "sum", "before": 3, "after": 3}]


@pytest.mark.parametrize("at", ["0s", "1s", "5s", "8.9s"])
def test_what_was_written_last_is_what_a_watch_sees(at: str) -> None:
    case = "gives up when the limit never comes"
    place = ("--library", EXAMPLES / "demo")
    last: dict[str, Any] = {}
    for entry in told(case, *place, "--at", at, "--order"):
        last |= {written["path"]: written["after"] for written in entry["writes"]}
    run = json.loads(upright("run", case, *place, "--watch", "*", "--json").output)
    row = [row for row in run["rows"] if row["time_ns"] <= float(at[:-1]) * 1e9][-1]
    watched = {signal["path"]: value for signal, value in zip(run["signals"], row["values"], strict=True)}
    assert {"opening", "stuck", "running.ET"} <= set(last)
    assert {path: watched[path] for path in last} == last


def test_a_selector_that_is_zero_is_a_number() -> None:
    output = shown("VentDrive", "--library", EXAMPLES / "demo", "--at", "1s")
    assert line_of(output, "CASE state OF").split()[-1] == "0"
    found = told("VentDrive", "--library", EXAMPLES / "demo", "--at", "1s")
    assert (found[0]["condition"], found[0]["way"]) == ({"expression": "state", "value": 0}, 1)


def test_a_sequence_reads_like_its_steps() -> None:
    call = ("waters bed after bed in the morning", "--library", EXAMPLES / "demo", "--at", "1m")
    found = told(*call)
    step = next(entry for entry in found if (entry["kind"], entry["line"]) == ("action", 30))
    assert (step["ran"], {"path": "Waters.X", "value": True, "text": "1"} in step["reads"]) == (True, True)
    (valve,) = [entry for entry in found if entry["text"] == "valve[bed] := Waters.X"]
    assert valve["writes"] == [{"path": "valve[1]", "before": True, "after": True}]
    paths = [each["path"] for entry in found for each in (*entry["reads"], *entry["writes"])]
    assert [path for path in paths if ":" in path] == []
    assert "transition" in paths


def test_a_plant_is_shown_by_rows_and_in_order() -> None:
    place = ("Glasshouse", "--library", EXAMPLES / "demo", "--set", "bay1_open_button=1@1s", "--at", "1s")
    refused = upright("scan", *place)
    assert (refused.exit_code, "--in roof, or alarms, screens, air." in refused.output) == (2, True)
    assert "Wish01.open_button 0 -> 1" in shown(*place, "--in", "roof")
    order = shown(*place, "--order").splitlines()
    assert order[2].startswith("points and tags")
    assert order[3].strip() == "bay1_open_button 0 -> 1"
    own = [number for number, line in enumerate(order) if "open 0 -> 1" in line and "button" in line]
    called = next(number for number, line in enumerate(order) if "Vent01.open 0 -> 1" in line)
    assert own
    assert own[0] < called


def test_a_function_is_shown_as_it_was_called_somewhere(library: Path) -> None:
    place = ("--library", library, "--set", "go=1", "--given", "div=3", "--at", "0s")
    for call, value in (("Half@b.st:21", 3), ("half@blocks/b.st:21#4", 12)):
        (entry,) = told("B", *place, "--in", call)
        assert (entry["text"], entry["reads"]) == ("Half := x / 2", [{"path": "x", "value": value, "text": str(value)}])
    for wrong in ("Half@b.st:20", "Half@b.st:21#5", "Half@c.st:21", "@", "Half@"):
        result = upright("scan", "B", *place, "--in", wrong)
        assert (result.exit_code, "in this scan" in result.stderr) == (2, True)


def test_statements_that_were_made_for_steps_read_as_these() -> None:
    found = told("Rota", "--library", EXAMPLES / "demo", "--at", "1s")
    kinds = {entry["line"]: entry["kind"] for entry in found if entry["ran"]}
    assert (kinds[25], kinds[28], kinds[41], kinds[54]) == ("action", "action", "transition", "action")
