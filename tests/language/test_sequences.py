"""Sequences of steps: how they evolve, and what is wrong with them. IEC 61131-3:2013, 6.7."""

from __future__ import annotations

import pytest

from tests.helpers import checked, machine_of

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
