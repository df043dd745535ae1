"""What an answer goes through: functions, references, loops, elements, bits, states, steps, and the rig."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.helpers import upright, write_files

SCALE = """FUNCTION Scale : REAL
VAR_INPUT raw : REAL; on : BOOL; END_VAR
VAR gain : REAL := 3.0; END_VAR
Scale := 0.0;
IF on THEN
    Scale := raw * gain;
END_IF;
END_FUNCTION
"""
LAMP = """FUNCTION_BLOCK Lamp
VAR_INPUT want : BOOL; n : INT; raw : REAL; w : WORD; on : ARRAY [0..3] OF BOOL; END_VAR
VAR_OUTPUT lit, any, off : BOOL; level : REAL; out : ARRAY [0..3] OF BOOL; sum, picked : INT; END_VAR
VAR a, b, c : BOOL; r : REF_TO BOOL; i, k : INT; cells : ARRAY [0..3] OF INT; END_VAR
IF n = 0 THEN r := REF(a); ELSE r := REF(b); END_IF;
lit := r^;
level := Scale(raw, want);
any := (w AND 16#0006) <> 0;
FOR i := 0 TO n DO
    IF on[i] THEN
        out[i] := TRUE;
    END_IF;
END_FOR;
k := 0;
WHILE k < n DO
    k := k + 1;
    sum := k;
END_WHILE;
cells[n] := 7;
picked := cells[2];
off := FALSE;
IF want AND n > 5 THEN
    off := TRUE;
END_IF;
IF want THEN
    r^ := TRUE;
END_IF;
c := b;
END_FUNCTION_BLOCK
"""
STEPS = """FUNCTION_BLOCK Fills
VAR_INPUT go, full : BOOL; END_VAR
VAR_OUTPUT valve, pump : BOOL; END_VAR
INITIAL_STEP Waits: END_STEP
STEP Fill: valve(N); pump(S); END_STEP
STEP Rest: pump(R); END_STEP
TRANSITION FROM Waits TO Fill := go; END_TRANSITION
TRANSITION FROM Fill TO Rest := full; END_TRANSITION
END_FUNCTION_BLOCK
"""
STATES = """FUNCTION_BLOCK Drive
VAR_INPUT go, fails, reset : BOOL; END_VAR
VAR_OUTPUT on : BOOL; END_VAR
VAR CONSTANT RESTS : INT := 0; RUNS : INT := 1; FAILED : INT := 9; END_VAR
VAR state : INT; END_VAR
CASE state OF
    RESTS: IF go THEN state := RUNS; END_IF
    RUNS: IF fails THEN state := FAILED; END_IF
    FAILED: IF reset AND NOT go THEN state := RESTS; END_IF
END_CASE
on := state = RUNS;
END_FUNCTION_BLOCK
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    texts = {"scale": SCALE, "lamp": LAMP, "steps": STEPS, "states": STATES}
    files = {f"blocks/{name}.st": text for name, text in texts.items()}
    return write_files(tmp_path_factory.mktemp("through"), {"upright.toml": "", **files})


def tree(folder: Path, *arguments: str) -> list[str]:
    """The lines of the tree of an answer."""
    said = upright("why", *arguments, "--library", folder)
    assert said.exit_code == 0, said.output
    return said.output.replace("blocks/", "").split("\n\n", 1)[1].rstrip().split("\n")


SET = ("--set", "want=1@1s", "--set", "n=1@2s", "--set", "w=16#FF10@1s", "--set", "raw=2.0@1s", "--set", "on[1]=1@1s")


@pytest.mark.parametrize(
    ("signal", "wanted"),
    [
        (
            "lit",
            [
                "lit 1   lit := r^   lamp.st:6",
                "  b 1   r^ := TRUE   lamp.st:26  at 2.9s",
                "    r to b   r := REF(b)   lamp.st:5",
                "      n = 0 is FALSE",
                "        n 1   set by the call at 2s",
                "    want 1   set by the call at 1s",
                "  r to b   r := REF(b)   lamp.st:5",
            ],
        ),
        (
            "level",
            [
                "level 6.0   level := Scale(raw, want)   lamp.st:7",
                "  Scale 6.0   Scale := raw * gain   scale.st:6",
                "    Scale.raw lamp.st:7 ← raw 2.0   set by the call at 1s",
                "    Scale.gain 3.0   initial value   scale.st:3",
                "    Scale.on lamp.st:7 ← want 1   set by the call at 1s",
            ],
        ),
        (
            "any",
            [
                "any 0   any := (w AND 16#0006) <> 0   lamp.st:8",
                "  w.1 0   set by the call at 1s",
                "  w.2 0   set by the call at 1s",
            ],
        ),
        (
            "out[1]",
            [
                "out[1] 1   out[i] := TRUE   lamp.st:11",
                "  i 1   FOR i := 0 TO n DO   lamp.st:9",
                "  on[i] is TRUE",
                "    on[1] 1   set by the call at 1s",
                "    i 1   told above at 3s   lamp.st:9",
                "  FOR i := 0 TO n DO",
                "    n 1   set by the call at 2s",
            ],
        ),
        (
            "sum",
            [
                "sum 1   sum := k   lamp.st:17",
                "  k 1   k := k + 1   lamp.st:16",
                "    k 0   k := 0   lamp.st:14",
                "    k < n is TRUE",
                "      k 0   told above at 3s   lamp.st:14",
                "      n 1   set by the call at 2s",
            ],
        ),
        (
            "picked",
            [
                "picked lamp.st:20 ← cells[2] 0   initial value   lamp.st:4",
                "  cells[n] := 7 wrote cells[1]   lamp.st:19",
                "    n 1   set by the call at 2s",
            ],
        ),
        (
            "off",
            [
                "off 0   off := FALSE   lamp.st:21",
                "  off := TRUE needs want AND n > 5 to be TRUE: it is FALSE   lamp.st:23",
                "    n 1   set by the call at 2s",
            ],
        ),
    ],
)
def test_an_answer_goes_through(signal: str, wanted: list[str], folder: Path) -> None:
    assert tree(folder, "Lamp", signal, *SET, "--at", "3s")[: len(wanted)] == wanted


def test_a_function_that_was_not_told_to_gives_what_it_began_with(folder: Path) -> None:
    lines = tree(folder, "Lamp", "level", "--set", "raw=2.0", "--at", "1s")
    assert lines[1:4] == [
        "  Scale 0.0   Scale := 0.0   scale.st:4",
        "    Scale := raw * gain needs on to be TRUE: it is FALSE   scale.st:6",
        "      Scale.on lamp.st:7 ← want 0   an input that nothing drives   lamp.st:2",
    ]


def test_a_loop_without_a_turn_says_what_it_compares(folder: Path) -> None:
    lines = tree(folder, "Lamp", "sum", "--at", "1s")
    assert lines[1] == "  sum := k needs k < n to be TRUE: it is FALSE   lamp.st:17"


def test_a_state_and_a_step_have_their_own_words(folder: Path) -> None:
    drives = ("--set", "go=1@1s", "--set", "fails=1@2s")
    lines = tree(folder, "Drive", "on", *drives, "--at", "4s")
    assert lines[1] == "  state 9 FAILED   state := FAILED   states.st:8  at 2s"
    left = "    in FAILED since 2s; leaves it (state := RESTS) when reset AND NOT go: it is FALSE   states.st:9"
    assert left in lines
    assert lines[lines.index(left) + 1].startswith("      reset 0   an input that nothing drives")
    lines = tree(folder, "Fills", "Fill.X", "--set", "go=1@1s", "--at", "4s")
    assert lines[0] == "Fill.X 1   TRANSITION FROM Waits TO Fill   steps.st:7  at 1s"
    assert "  Fill is active since 1s; its transition waits for full   steps.st:8" in lines
    lines = tree(folder, "Fills", "Rest.X", "--at", "4s")
    assert lines[1] == "  Rest is not active; TRANSITION FROM Fill TO Rest waits for the step before it   steps.st:8"
    data = json.loads(upright("why", "Fills", "Fill.X", "--at", "4s", "--json", "--library", folder).output)
    assert [reason["role"] for reason in data["tree"]["reasons"]] == ["step"]


def test_a_stored_action_is_told_by_what_stored_it(folder: Path) -> None:
    drives = ("--set", "go=1@1s", "--at", "4s")
    assert tree(folder, "Fills", "pump", *drives)[:4] == [
        "pump steps.st:5 ← pump (Q) 1   pump   steps.st:5",
        "  asked for by S   steps.st:5",
        "  pump (S) steps.st:5 ← Fill.X 1   TRANSITION FROM Waits TO Fill   steps.st:7  at 1s",
        "    transition 1   go   steps.st:7",
    ]


def test_a_latch_that_stays_is_told_by_what_set_it(tmp_path: Path) -> None:
    text = """FUNCTION_BLOCK Keeps
VAR_INPUT a, b : BOOL; END_VAR
VAR l : SR; END_VAR
l(S1 := a, R := b);
END_FUNCTION_BLOCK
"""
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/keeps.st": text})
    lines = tree(folder, "Keeps", "l.Q1", "--pulse", "a@1s:200ms", "--at", "4s")
    assert lines[2:] == [
        "  l.S1 1   l(S1 := a, R := b)   keeps.st:4  at 1s",
        "    a 1   set by the call at 1s",
        "  l.R keeps.st:4 ← b 0   an input that nothing drives   keeps.st:2",
    ]


def test_a_rig_is_gone_into_where_that_is_asked_for(tmp_path: Path) -> None:
    files = {
        "upright.toml": "",
        "tags/t.csv": "tag,point,type\nvalve,%QX0.0,BOOL\nopened,%IX0.0,BOOL\n",
        "programs/p.st": "PROGRAM Plant\nvalve := TRUE;\nEND_PROGRAM\nCONFIGURATION Site\n"
        "TASK main(INTERVAL := T#100ms, PRIORITY := 1);\nPROGRAM plant WITH main : Plant;\nEND_CONFIGURATION\n",
        "cases/rigs/r.st": "PROGRAM Field\nVAR gear : Actuator := (travel := T#2s); END_VAR\n"
        "gear(forth := valve);\nopened := gear.at_far;\nEND_PROGRAM\n",
        "cases/c.toml": 'configuration = "Site"\nrig = "Field"\n[[case]]\nname = "opens"\n'
        'vectors = """\nat | opened\n1s | 0\n3s | 1\n"""\n',
    }
    folder = write_files(tmp_path, files)
    lines = tree(folder, "opens", "opened", "--at", "3s")
    assert lines == ["opened 1   given by the rig at 3s   cases/rigs/r.st:4", "--into-rig goes on into the rig."]
    lines = tree(folder, "opens", "opened", "--at", "3s", "--into-rig")
    assert lines[0].startswith("opened cases/rigs/r.st:4 ← Field.gear.at_far 1   at_far := way >= travel")
    assert any("valve 1" in line for line in lines)
