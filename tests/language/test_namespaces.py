"""Namespaces and USING. IEC 61131-3:2013, 6.9."""

from __future__ import annotations

import pytest

from tests.helpers import findings_of, machine_of

AIR = """
NAMESPACE Air
TYPE Level : INT (0..10); Mode : (off, slow, fast); END_TYPE
FUNCTION Twice : INT VAR_INPUT x : INT; END_VAR Twice := 2 * x; END_FUNCTION
NAMESPACE Fans
FUNCTION_BLOCK Fan VAR_INPUT l : Level; END_VAR VAR_OUTPUT speed : INT; END_VAR speed := Twice(l); END_FUNCTION_BLOCK
END_NAMESPACE
END_NAMESPACE
NAMESPACE Air.Fans
FUNCTION Thrice : INT VAR_INPUT x : INT; END_VAR Thrice := 3 * x; END_FUNCTION
END_NAMESPACE
FUNCTION_BLOCK Fan VAR_OUTPUT speed : INT := 99; END_VAR END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("using", "variables", "body", "value"),
    [
        ("", "f : Air.Fans.Fan;", "f(l := 4); r := f.speed;", 8),
        ("", "f : Fan;", "r := f.speed;", 99),
        ("USING Air;", "f : Fans.Fan;", "f(l := 3); r := f.speed;", 6),
        ("USING Air, Air.Fans;", "f : Fan;", "f(l := 5); r := f.speed;", 10),
        ("", "", "r := Air.Twice(x := 3) + Air.Fans.Thrice(5);", 21),
        ("USING Air.Fans;", "", "r := Thrice(Air.Twice(2));", 12),
        ("USING Air;", "l : Level := 7; m : Mode := Mode#fast;", "Air.Twice(1); IF m = fast THEN r := l; END_IF", 7),
    ],
)
def test_a_name_means_the_nearest_declaration(using: str, variables: str, body: str, value: int) -> None:
    machine = machine_of(f"{AIR}FUNCTION_BLOCK B {using} VAR r : INT; {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK")
    assert machine.run(1).fault is None
    assert machine.read("r") == value


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("NAMESPACE N FUNCTION_BLOCK F END_FUNCTION_BLOCK", "missing-end"),
        ("NAMESPACE N TYPE T : INT; T : REAL; END_TYPE END_NAMESPACE", "name-twice"),
        ("FUNCTION_BLOCK B VAR f : Air.Fann; END_VAR END_FUNCTION_BLOCK", "unknown-name"),
        ("FUNCTION_BLOCK B VAR r : INT; END_VAR r := Air.Fans.Fan(1); END_FUNCTION_BLOCK", "block-without-instance"),
        ("FUNCTION_BLOCK B VAR r : INT; END_VAR r := Air.Fans.Twise(1); END_FUNCTION_BLOCK", "unknown-name"),
    ],
)
def test_a_mistake_about_namespaces_is_found_once(text: str, name: str) -> None:
    assert [f.split()[1] for f in findings_of(AIR + text)] == [name]
