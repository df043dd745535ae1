"""Sequences of steps: how they evolve, and what is wrong with them. IEC 61131-3:2013, 6.7."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.helpers import checked, machine_of
from upright_block.language.timebase import Timebase

SEQUENCE = """
FUNCTION_BLOCK B
VAR_INPUT go, stop : BOOL; END_VAR
VAR_OUTPUT pump, valve : BOOL; n : INT; END_VAR
INITIAL_STEP Idle: END_STEP
STEP Fill: valve(N); count(P1); END_STEP
STEP Stir: END_STEP
STEP Heat: pump(S); END_STEP
STEP Done: pump(R); END_STEP
TRANSITION FROM Idle TO Fill := go; END_TRANSITION
TRANSITION FROM Fill TO (Stir, Heat) := Fill.T >= T#3s; END_TRANSITION
TRANSITION (PRIORITY := 1) FROM Fill TO Idle := stop; END_TRANSITION
TRANSITION FROM (Stir, Heat) TO Done := Stir.T >= T#1s AND Heat.X; END_TRANSITION
TRANSITION FROM Done TO Idle := NOT go; END_TRANSITION
ACTION count: n := n + 1; END_ACTION
END_FUNCTION_BLOCK
"""


def active(go: str, stop: str) -> list[str]:
    """The letters of the active steps after each scan of a second."""
    machine = machine_of(SEQUENCE)
    seen = []
    for g, s in zip(go, stop, strict=True):
        machine.write("go", g == "1")
        machine.write("stop", s == "1")
        assert machine.run(1).fault is None
        steps = ("Idle", "Fill", "Stir", "Heat", "Done")
        seen.append("".join(step[0] for step in steps if machine.read(f"{step}.X")))
    return seen


def test_a_transition_clears_when_its_steps_are_active_and_its_condition_holds() -> None:
    assert active("01111110", "00000000") == ["I", "F", "F", "F", "SH", "D", "D", "I"]


def test_the_initial_step_is_active_in_the_first_scan_whatever_its_transition_says() -> None:
    assert active("111", "000") == ["I", "F", "F"]


def test_of_rivals_the_one_with_priority_clears_and_only_it() -> None:
    assert active("11111", "00001") == ["I", "F", "F", "F", "I"]


def test_actions_follow_their_qualifiers() -> None:
    machine = machine_of(SEQUENCE)
    machine.write("go", True)
    trace = machine.run(8)
    column = {name: trace.column(machine.slot(name)).astype(int).tolist() for name in ("valve", "pump", "n")}
    assert column["valve"] == [0, 1, 1, 1, 0, 0, 0, 0]
    assert column["pump"] == [0, 0, 0, 0, 1, 0, 0, 0]
    assert column["n"] == [0, 1, 1, 1, 1, 1, 1, 1]


MISTAKES = [
    ("INITIAL_STEP A: END_STEP STEP C: END_STEP", "never-reached"),
    ("STEP A: END_STEP", "initial-step"),
    ("INITIAL_STEP A: END_STEP INITIAL_STEP C: END_STEP", "initial-step"),
    ("INITIAL_STEP A: END_STEP TRANSITION FROM A TO C := q; END_TRANSITION", "unknown-name"),
    ("INITIAL_STEP A: END_STEP TRANSITION FROM A TO A := FALSE; END_TRANSITION", "never-clears"),
    (
        "INITIAL_STEP A: END_STEP STEP C: END_STEP TRANSITION FROM A TO C := q; END_TRANSITION "
        "TRANSITION FROM (A, C) TO A := q; END_TRANSITION",
        "never-clears",
    ),
    (
        "INITIAL_STEP A: END_STEP TRANSITION FROM A TO A := TRUE; END_TRANSITION "
        "TRANSITION FROM A TO A := q; END_TRANSITION",
        "never-clears",
    ),
    ("INITIAL_STEP A: x(N); END_STEP", "unknown-name"),
    ("INITIAL_STEP A: q(M); END_STEP", "unknown-qualifier"),
    ("INITIAL_STEP A: q(D); END_STEP", "missing-time"),
    ("INITIAL_STEP A: END_STEP ACTION x: q := TRUE; END_ACTION", "never-runs"),
    ("INITIAL_STEP A: q(D, T#5s); END_STEP TRANSITION FROM A TO A := TRUE; END_TRANSITION", "never-runs"),
    ("INITIAL_STEP A: END_STEP TRANSITION FROM A TO A := A.T; END_TRANSITION", "type-mismatch"),
    ("INITIAL_STEP q: END_STEP", "name-twice"),
    ("INITIAL_STEP A: q(N);", "missing-end"),
    ("INITIAL_STEP A: END_STEP q := TRUE;", "unexpected"),
]


@pytest.mark.parametrize(("body", "name"), MISTAKES)
def test_a_mistake_in_a_sequence_is_found_once(body: str, name: str) -> None:
    text = f"FUNCTION_BLOCK B VAR q : BOOL; END_VAR\n{body}\nEND_FUNCTION_BLOCK"
    found = checked(text)[1]
    assert [f.name for f in found] == [name]
    assert found[0].way_out


def test_the_page_about_sequences_shows_what_runs() -> None:
    text = (Path(__file__).parents[2] / "docs" / "sequences.md").read_text("utf-8")
    block = text.split("```\n")[1]
    assert not checked(block)[1]
    drawn = re.findall(r"^q(\w+)\(\w+(?:, T#(\w+))?\) +([▁█▒]+)", text, re.MULTILINE)
    assert len(drawn) == 8
    actions = " ".join(f"q{name}({name}{f', T#{time}' if time else ''});" for name, time, _ in drawn)
    machine = machine_of(
        f"FUNCTION_BLOCK B VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT {', '.join(f'q{n}' for n, _, _ in drawn)} : BOOL; END_VAR\n"
        f"INITIAL_STEP Waits: END_STEP STEP Work: {actions} END_STEP STEP Rests: END_STEP\n"
        "STEP Ends: qS(R); qSD(R); qDS(R); qSL(R); END_STEP\n"
        "TRANSITION FROM Waits TO Work := go; END_TRANSITION TRANSITION FROM Work TO Rests := NOT go; END_TRANSITION\n"
        "TRANSITION FROM Rests TO Ends := Rests.T >= T#700ms; END_TRANSITION\n"
        "TRANSITION FROM Ends TO Waits := Ends.T >= T#200ms; END_TRANSITION END_FUNCTION_BLOCK\n"
    )
    machine.timebase = Timebase(100_000_000)
    shown: dict[str, list[bool]] = {name: [] for name, _, _ in drawn}
    for scan in range(20):
        machine.write("go", 2 <= scan < 6)
        machine.run(1, watched=[])
        for name, values in shown.items():
            values.append(machine.read(f"q{name}") is True)
    for name, _, lane in drawn:
        middles = [lane[round((scan + 0.5) * len(lane) / 20)] == "█" for scan in range(20)]
        assert middles == shown[name], name
