"""Mistakes that end in an output that is off: the line at fault stands among the first lines of the answer."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import upright, write_files

HEAD = "FUNCTION_BLOCK B\nVAR_INPUT start, stop, ready : BOOL; END_VAR\nVAR_OUTPUT run : BOOL; END_VAR\n"
TAGS = "tag,point,type,sense\nstart_button,%IX0.0,BOOL,\nstop_button,%IX0.1,BOOL,\nmotor,%QX0.0,BOOL,\n"
PLANT = """PROGRAM Plant
VAR section : B; END_VAR
section(start := start_button, stop := stop_button, ready := TRUE, run => motor);
END_PROGRAM
"""
MISTAKES: dict[str, tuple[dict[str, str], list[str], str]] = {
    "a stop contact read in the wrong sense": (
        {"b.st": HEAD + "run := (start OR run) AND stop;\nEND_FUNCTION_BLOCK\n"},
        ["B", "run", "--set", "start=1", "--set", "stop=0", "--at", "1s"],
        "stop 0",
    ),
    "a latch that is lost": (
        {
            "b.st": HEAD
            + "IF start THEN run := TRUE; END_IF;\nIF NOT ready THEN\n  run := FALSE;\nEND_IF;\nEND_FUNCTION_BLOCK\n"
        },
        [
            "B",
            "run",
            "--set",
            "start=1@1s",
            "--set",
            "start=0@2s",
            "--set",
            "ready=1@0s",
            "--set",
            "ready=0@3s",
            "--set",
            "ready=1@4s",
            "--at",
            "5s",
        ],
        "run := FALSE   b.st:6  at 3.9s",
    ),
    "a unit that is not called": (
        {
            "b.st": HEAD + "run := start;\nEND_FUNCTION_BLOCK\n",
            "c.st": "FUNCTION_BLOCK C VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT lamp : BOOL; END_VAR\nVAR inner : B; END_VAR\n"
            "inner.start := go;\nIF NOT go THEN\n  inner();\nEND_IF;\nlamp := inner.run;\nEND_FUNCTION_BLOCK\n",
        },
        ["C", "lamp", "--set", "go=1@1s", "--at", "2s"],
        "inner.run 0",
    ),
    "a second writer": (
        {"b.st": HEAD + "run := start;\nIF NOT ready THEN\n  run := FALSE;\nEND_IF;\nEND_FUNCTION_BLOCK\n"},
        ["B", "run", "--set", "start=1", "--at", "1s"],
        "overwrites TRUE of b.st:4",
    ),
    "a timer that never reaches its time": (
        {
            "b.st": HEAD
            + "VAR late : TON; END_VAR\nlate(IN := start, PT := T#1h);\nrun := late.Q;\nEND_FUNCTION_BLOCK\n"
        },
        ["B", "run", "--set", "start=1@1s", "--at", "3s"],
        "IN is 1 since 1s, ET is 2s of PT 1h, due at 1h1s",
    ),
    "a wrong mode": (
        {
            "b.st": "TYPE Mode : (off, hand, auto); END_TYPE\nFUNCTION_BLOCK B VAR_INPUT mode : Mode; start : BOOL; END_VAR VAR_OUTPUT run : BOOL; END_VAR\n"
            "CASE mode OF\n  auto: run := start;\n  hand: run := FALSE;\nELSE\n  run := FALSE;\nEND_CASE;\nEND_FUNCTION_BLOCK\n"
        },
        ["B", "run", "--set", "start=1", "--set", "mode=hand", "--at", "1s"],
        "mode hand",
    ),
    "an emergency that is not reset": (
        {
            "b.st": HEAD
            + "VAR stopped : BOOL; END_VAR\nIF stop THEN stopped := TRUE; END_IF;\nIF ready AND NOT start THEN\n  stopped := FALSE;\nEND_IF;\nrun := start AND NOT stopped;\nEND_FUNCTION_BLOCK\n"
        },
        [
            "B",
            "run",
            "--set",
            "start=1",
            "--set",
            "stop=1@1s",
            "--set",
            "stop=0@2s",
            "--set",
            "ready=1@3s",
            "--at",
            "4s",
        ],
        "stopped := FALSE needs ready AND NOT start to be TRUE: it is FALSE   b.st:7",
    ),
    "a tag that is wired wrongly": (
        {
            "blocks/b.st": HEAD + "run := start AND NOT stop;\nEND_FUNCTION_BLOCK\n",
            "programs/p.st": PLANT.replace("start := start_button", "start := stop_button"),
            "tags/t.csv": TAGS,
        },
        ["Plant", "motor", "--set", "start_button=1@1s", "--at", "2s"],
        "stop_button 0   an input that nothing drives   tags/t.csv:3",
    ),
    "one scan late": (
        {"b.st": HEAD + "VAR wish : BOOL; END_VAR\nrun := wish;\nwish := start;\nEND_FUNCTION_BLOCK\n"},
        ["B", "run", "--set", "start=1@1s", "--at", "1s"],
        "wish 0   wish := start   b.st:6  at 900ms  one scan late",
    ),
    "a task that is not due": (
        {
            "programs/p.st": "PROGRAM Slow VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n"
            "IF go THEN q := TRUE; END_IF;\nEND_PROGRAM\nPROGRAM Fast VAR n : INT; END_VAR\nn := n + 1;\nEND_PROGRAM\n"
            "CONFIGURATION Plant TASK fast(INTERVAL := T#100ms, PRIORITY := 1); TASK slow(INTERVAL := T#500ms, PRIORITY := 2);\n"
            "PROGRAM f WITH fast : Fast; PROGRAM s WITH slow : Slow; END_CONFIGURATION\n"
        },
        ["Plant", "s.q", "--set", "s.go=1@600ms", "--at", "900ms"],
        "the task of s is not due, it ran last at 500ms",
    ),
    "a wrong element": (
        {
            "b.st": HEAD.replace("ready : BOOL;", "ready : BOOL; which : INT := 1;")
            + "VAR list : ARRAY [1..2] OF BOOL; END_VAR\nlist[which] := start;\nrun := list[2];\nEND_FUNCTION_BLOCK\n"
        },
        ["B", "run", "--set", "start=1@1s", "--set", "which=2@0s", "--set", "which=1@1s", "--at", "2s"],
        "which 2   set by the call at 0s",
    ),
    "an EN that is FALSE": (
        {
            "b.st": HEAD + "run := start;\nEND_FUNCTION_BLOCK\n",
            "c.st": "FUNCTION_BLOCK C VAR_INPUT go, ok : BOOL; END_VAR VAR_OUTPUT lamp : BOOL; END_VAR\nVAR inner : B; END_VAR\n"
            "inner(EN := ok, start := go);\nlamp := inner.run;\nEND_FUNCTION_BLOCK\n",
        },
        ["C", "lamp", "--set", "go=1@1s", "--at", "2s"],
        "inner is not called: EN is FALSE and would have to be TRUE   c.st:3\n    ok 0   an input that nothing drives",
    ),
    "a RETURN before it": (
        {"b.st": HEAD + "IF stop THEN RETURN; END_IF;\nrun := start;\nEND_FUNCTION_BLOCK\n"},
        ["B", "run", "--set", "start=1@1s", "--set", "stop=1", "--at", "2s"],
        "RETURN in line 4 ended it before   b.st:4\n    stop 1   set by the call at 0s",
    ),
    "a force that was forgotten": (
        {"b.st": HEAD + "run := start AND ready;\nEND_FUNCTION_BLOCK\n"},
        ["B", "run", "--set", "start=1", "--force", "ready=0", "--at", "1s"],
        "ready 0   forced at 0s",
    ),
}


@pytest.mark.parametrize("mistake", MISTAKES)
def test_the_line_at_fault_is_among_the_first(mistake: str, tmp_path: Path) -> None:
    files, call, line = MISTAKES[mistake]
    own = {name if "/" in name else f"blocks/{name}": text for name, text in files.items()}
    write_files(tmp_path, {"upright.toml": 'name = "t"\n', **own})
    result = upright("why", *call, "--library", tmp_path)
    assert result.exit_code == 0, result.output
    first = "\n".join(result.output.replace("blocks/", "").splitlines()[:10])
    assert f"{call[1]} is 0" in first
    assert line in first, result.output
