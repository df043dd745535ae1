"""EN and ENO. IEC 61131-3:2013, 6.6.1.5."""

from __future__ import annotations

import pytest

from tests.helpers import checked, machine_of
from upright_block.language.literals import Value

UNITS = """
FUNCTION Twice : INT VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR Twice := 2 * x; y := x; END_FUNCTION
FUNCTION_BLOCK Own VAR_INPUT EN : BOOL := TRUE; d : INT; END_VAR VAR_OUTPUT ENO : BOOL; n : INT; END_VAR n := n + d; END_FUNCTION_BLOCK
FUNCTION_BLOCK Plain VAR_INPUT d : INT; END_VAR VAR_OUTPUT n : INT; END_VAR n := n + d; END_FUNCTION_BLOCK
"""

VALUES: list[tuple[str, dict[str, Value]]] = [
    ("a := Twice(EN := go, x := 5, y => b, ENO => ok);", {"a": 10, "b": 5, "ok": True}),
    ("a := Twice(EN := NOT go, x := 5, y => b, ENO => ok);", {"a": 7, "b": 7, "ok": False}),
    ("a := ADD(EN := NOT go, IN1 := 1, IN2 := 2, ENO => w.3);", {"a": 7, "w": 0}),
    ("a := MAX(EN := go, IN1 := 1, IN2 := 2, ENO => w.3);", {"a": 2, "w": 8}),
    ("p(EN := NOT go, d := 1, ENO => ok); p(EN := go, d := 5);", {"p.n": 5, "p.d": 5, "ok": False}),
    ("o(EN := go, d := 1, ENO => ok); o(EN := NOT go, d := 5);", {"o.n": 1, "o.d": 5, "ok": True, "o.ENO": False}),
    ("o(d := 3);", {"o.n": 3, "o.ENO": True}),
]


@pytest.mark.parametrize(("body", "values"), VALUES)
def test_a_call_that_is_not_enabled_leaves_everything_as_it_was(body: str, values: dict[str, Value]) -> None:
    variables = "go, ok : BOOL := TRUE; a, b : INT := 7; w : WORD; p : Plain; o : Own;"
    machine = machine_of(f"{UNITS}FUNCTION_BLOCK B VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK")
    assert machine.run(1).fault is None
    assert {path: machine.read(path) for path in values} == values


@pytest.mark.parametrize(
    ("body", "name"),
    [
        ("a := 1 + Twice(EN := ok, x := 1);", "unknown-name"),
        ("a := Twice(EN := 5, x := 1);", "out-of-range"),
        ("a := Twice(EN => ok, x := 1);", "wrong-direction"),
        ("a := Twice(x := 1, ENO => a);", "type-mismatch"),
        ("p(EN := a, d := 1);", "type-mismatch"),
    ],
)
def test_a_wrong_enable_is_found_once(body: str, name: str) -> None:
    text = f"{UNITS}FUNCTION_BLOCK B VAR ok : BOOL; a : INT; p : Plain; END_VAR\n{body}\nEND_FUNCTION_BLOCK"
    found = checked(text)[1]
    assert [f.name for f in found] == [name], [str(f) for f in found]
