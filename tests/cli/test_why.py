"""``upright why`` on libraries: places, moments, leaves, JSON."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import EXAMPLES, upright, write_files

DEMO = ("--library", EXAMPLES / "demo")


def told(*arguments: object) -> dict[str, Any]:
    result = upright("why", *arguments, "--json")
    assert result.exit_code == 0, result.output
    data: dict[str, Any] = json.loads(result.output)
    return data


def nodes(node: dict[str, Any]) -> list[dict[str, Any]]:
    """A node and all below it."""
    return [node, *(n for reason in node["reasons"] for operand in reason["operands"] for n in nodes(operand))]


def by_path(data: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """The first node of each path."""
    return {node["path"]: node for node in reversed(nodes(data["tree"]))}


def test_what_a_case_drives_is_named_with_its_row(tmp_path: Path) -> None:
    case = 'block = "B"\nscan = "100ms"\n[[case]]\nname = "c"\ngiven = { g = 2 }\nvectors = """\n  at | x | q\n0s   | 0 | .\n1s   | 1 | .\n2s   | . | .\n"""\n'
    block = (
        "FUNCTION_BLOCK B VAR_INPUT x, y : BOOL; g : INT; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n"
        "q := x AND NOT y AND g > 1;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block, "cases/b.toml": case})
    found = by_path(told("c", "q", "--library", tmp_path))
    assert (found["x"]["kind"], found["x"]["line"], found["x"]["file"]) == ("driven", 9, "cases/b.toml")
    assert (found["g"]["kind"], found["g"]["line"]) == ("given", None)
    assert (found["y"]["kind"], found["y"]["line"]) == ("rest", 1)
    tree = told("c", "q", "--library", tmp_path)["tree"]
    assert (tree["value"], tree["since_scan"], tree["wrote_scan"], tree["line"]) == (True, 10, 20, 2)


def test_the_tree_of_a_plant_goes_from_the_point_of_an_output_to_those_of_inputs() -> None:
    call = ("Glasshouse", "--set", "bay1_open_button=1@1s", "--at", "2s", *DEMO)
    found = by_path(told(*call[:1], "bay1_vent_up", *call[1:]))
    assert found["bay1_open_button"]["kind"] == "set"
    assert found["roof.Wish01.open"]["file"] == "blocks/vent_wish.st"
    assert found["rain"]["kind"] == "rest"
    assert found["rain"]["file"] == "tags/points.csv"


def test_a_latch_is_explained_where_it_was_set(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT start, stop : BOOL; END_VAR VAR_OUTPUT run : BOOL; END_VAR\n"
        "run := (start OR run) AND NOT stop;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    call = ("B", "run", "--library", tmp_path, "--pulse", "start@1s:100ms", "--at", "5s")
    tree = told(*call)["tree"]
    assert (tree["since_scan"], tree["wrote_scan"]) == (10, 50)
    own = [node for node in nodes(tree) if node["path"] == "run"][1]
    assert (own["wrote_scan"], own["value"]) == (10, True)
    started = next(node for node in nodes(own) if node["path"] == "start")
    assert (started["value"], started["kind"], started["wrote_scan"]) == (True, "set", 10)


@pytest.mark.parametrize("at", ["0s", "1s", "4.9s", "5s", "5.1s", "8s", "9s"])
def test_values_are_those_that_a_run_shows(at: str) -> None:
    case = "gives up when the limit never comes"
    run = json.loads(upright("run", case, *DEMO, "--watch", "*", "--json").output)
    by_scan = {row["scan"]: row["values"] for row in run["rows"]}
    number = {signal["path"]: n for n, signal in enumerate(run["signals"])}

    def shown(path: str, scan: int) -> object:
        last = max((known for known in by_scan if known <= scan), default=0)
        return by_scan[last][number[path]]

    for signal in ("stuck", "opening", "running.Q", "state"):
        data = told(case, signal, "--at", at, *DEMO)
        assert data["tree"]["value"] == shown(signal, data["scan"])
        for node in nodes(data["tree"]):
            if node["since_scan"] is not None and node["kind"] in ("written", "driven"):
                assert node["value"] == shown(node["path"], node["since_scan"]), node


def test_a_loss_of_power_and_a_rig_are_what_decides() -> None:
    case = "after a loss of power the vent that is half open goes on"
    dark = told(case, "bay1_vent_up", "--at", "30s", *DEMO)["tree"]
    assert (dark["kind"], dark["value"], dark["wrote_scan"], dark["line"]) == ("power", False, 100, 36)
    again = by_path(told(case, "bay1_vent_up", "--at", "79s", *DEMO))
    assert again["roof.Vent01.state"]["wrote_scan"] == 700  # the power came back, and it began anew
    limit = by_path(told(case, "bay1_vent_up", *DEMO))["bay1_vent_opened"]
    assert (limit["kind"], limit["file"], limit["line"], limit["instance"]) == ("rig", "cases/rigs/bays.st", 13, "Bays")


def test_the_last_write_counts_also_where_it_changed_nothing(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n"
        "IF a THEN q := TRUE; END_IF;\nIF b THEN\n  q := TRUE;\nEND_IF;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    call = ("B", "q", "--library", tmp_path, "--pulse", "a@1s:100ms", "--pulse", "b@777s:300ms", "--at", "20m")
    tree = told(*call)["tree"]
    assert (tree["since_scan"], tree["wrote_scan"], tree["line"]) == (10, 7772, 4)


def test_a_bit_follows_that_bit_alone(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; w : WORD; END_VAR VAR_OUTPUT word, copy : WORD; q : BOOL; END_VAR\n"
        "word.3 := a;\nword.4 := b;\nIF NOT b THEN word.5 := TRUE; END_IF;\ncopy := word;\n"
        "q := w.2 OR copy.9;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    call = ("--library", tmp_path, "--set", "a=1@1s", "--set", "b=1@2s", "--set", "w=4@1s", "--at", "3s")
    tree = told("B", "word.3", *call)["tree"]
    assert (tree["line"], tree["since_scan"]) == (2, 10)
    assert {node["path"] for node in nodes(tree)} == {"word.3", "a"}
    assert (told("B", "word.5", *call)["tree"]["wrote_scan"], told("B", "word.5", *call)["tree"]["line"]) == (19, 4)
    assert {node["path"] for node in nodes(told("B", "copy.4", *call)["tree"])} == {"copy.4", "word.4", "b"}
    found = by_path(told("B", "q", *call))
    assert set(found) == {"q", "w.2"}
    assert (found["w.2"]["kind"], found["w.2"]["value"], found["w.2"]["wrote_scan"]) == ("set", True, 10)


def test_of_a_scan_that_stopped_the_fault_is_told(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q, r : INT; END_VAR\n"
        "q := d + 1;\nr := 10 / d;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    data = told("B", "q", "--library", tmp_path, "--set", "d=0@1s")
    assert (data["scan"], data["tree"]["value"], data["fault"]["kind"], data["fault"]["line"]) == (
        10,
        1,
        "division by zero",
        3,
    )
    old = told("B", "r", "--library", tmp_path, "--set", "d=0@1s")["tree"]
    assert (old["value"], old["wrote_scan"], old["since_scan"]) == (10, 9, 0)
    output = upright("why", "B", "r", "--library", tmp_path, "--set", "d=0@1s").output
    assert "Division by zero at 1s (scan 10)" in output


def test_a_scan_that_does_too_much_is_refused_and_not_half_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("upright_block.machine.machine._TRAIL", 16 * 200)
    block = (
        "FUNCTION_BLOCK B VAR_OUTPUT s : INT; END_VAR VAR i : INT; END_VAR\n"
        "FOR i := 1 TO 500 DO s := s + i; END_FOR;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    result = upright("why", "B", "s", "--library", tmp_path, "--at", "1s")
    assert (result.exit_code, "The scan at 1s does more than can be followed." in result.output) == (2, True)
    assert "the rest is left out" in upright("scan", "B", "--library", tmp_path, "--at", "1s").output


def test_an_initial_value_stands_where_it_is_declared() -> None:
    found = by_path(told("Glasshouse", "bay1_vent_up", "--at", "1s", *DEMO))
    state = found["roof.Vent01.state"]
    assert (state["kind"], state["file"], state["line"]) == ("initial", "blocks/vent_drive.st", 26)


def test_what_cannot_be_asked_is_refused() -> None:
    for call, said in (
        (("VentDrive", "openng"), "Did you mean opening?"),
        (("VentDrive", "running"), "running is no single value."),
        (("VentDirve", "opening"), "Did you mean VentDrive?"),
        (("VentDrive", "opening", "--at", "soon"), "soon"),
        (("VentDrive", "opening", "--set", "open"), "Write --set"),
    ):
        result = upright("why", *call, *DEMO)
        assert (result.exit_code, said in result.output) == (2, True), result.output


def test_a_wrong_case_ends_with_the_call_that_explains_it(tmp_path: Path) -> None:
    case = 'block = "B"\nscan = "100ms"\n[[case]]\nname = "it\'s off"\nvectors = """\nat | x | q\n0s | 1 | 0\n"""\n'
    block = "FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\nq := x;\nEND_FUNCTION_BLOCK\n"
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block, "cases/b.toml": case})
    output = upright("verify", "--library", tmp_path).output
    (line,) = [line for line in output.splitlines() if "upright why" in line]
    assert line.strip() == f"""upright why 'b/it'"'"'s off' --library {tmp_path}"""
    assert "x 1   driven at 0s   cases/b.toml:7" in upright("why", "b/it's off", "--library", tmp_path).output


def test_what_is_handed_on_as_it_is_stands_in_one_line() -> None:
    said = upright("why", "Glasshouse", "bay1_vent_up", "--set", "bay1_open_button=1@1s", "--at", "2s", *DEMO).output
    assert "bay1_vent_up wiring/roof.csv:5 ← roof.Vent01.opening 1   opening := state = OPENS" in said
    assert "roof.Wish01.open_button wiring/roof.csv:4 ← bay1_open_button 1   set by the call at 1s" in said


def test_of_a_word_a_mask_lets_one_bit_through(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT s : WORD; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n"
        "q := (s AND 16#0004) <> 0 OR (16#8000 AND s) > 0;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', "blocks/b.st": block})
    for value, wanted in (
        ("16#0004", {"s.2": True}),
        ("16#8000", {"s.15": True}),
        ("1", {"s.2": False, "s.15": False}),
    ):
        found = by_path(told("B", "q", "--set", f"s={value}", "--library", tmp_path))
        assert {path: node["value"] for path, node in found.items() if path != "q"} == wanted
