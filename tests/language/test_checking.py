"""What is accepted, and all that is found at once."""

from __future__ import annotations

import pytest

from tests.helpers import block, checked, findings_of

ACCEPTED = {
    "formal and positional calls": block(
        "t : TON; q : BOOL; e : TIME;", "t(TRUE, T#5s); t(IN := q, PT := T#1s, Q => q, ET => e); t(NOT q, t.PT);"
    ),
    "a negated output": block("t : TON; q : BOOL;", "t(IN := TRUE, PT := T#1s, NOT Q => q);"),
    "an output that widens": block("c : CTU; d : DINT;", "c(CU := TRUE, PV := 3, CV => d);"),
    "inputs assigned from outside": block("t : TON;", "t.IN := TRUE; t.PT := T#3s; t();"),
    "pins with the names of keywords": "FUNCTION_BLOCK K VAR_INPUT x : BOOL; END_VAR END_FUNCTION_BLOCK",
    "constants in labels and initial values": block(
        "n : INT := K + 1; END_VAR VAR CONSTANT K : INT := 3;", "CASE n OF K: n := 0; END_CASE;"
    ).replace(
        "n : INT := K + 1; END_VAR VAR CONSTANT K : INT := 3;",
        "END_VAR VAR CONSTANT K : INT := 3; END_VAR VAR n : INT := K + 1;",
    ),
    "END_IF with and without semicolon": block(
        "n : INT;", "IF n = 1 THEN n := 2; END_IF IF n = 2 THEN n := 3; END_IF;"
    ),
    "all three comments": block("n : INT; (* one *) /* two */ // three\n", "n := (* four *) 5;"),
    "keywords in any letter case": "function_block B var n : int; end_var If n = 1 Then n := 2; Else n := 3; end_if; end_function_block",
    "a bare literal follows the other side": block(
        "w : WORD; u : USINT; r : LREAL;", "w := w AND 16#FF; u := u + 200; r := r / 3;"
    ),
    "0 and 1 as BOOL": block("b : BOOL := 1;", "b := 0; IF b = 1 THEN b := 0; END_IF;"),
    "a unit used before it is declared": "FUNCTION_BLOCK A VAR b : B; END_VAR b(); END_FUNCTION_BLOCK FUNCTION_BLOCK B END_FUNCTION_BLOCK",
    "functions with outputs": "FUNCTION F : INT VAR_INPUT a : INT; END_VAR VAR_OUTPUT b : INT; END_VAR F := a; b := a + 1; END_FUNCTION "
    + block("x, y : INT;", "x := F(a := 1, b => y); F(a := 2, b => x);"),
    "inputs with a value of their own may be left out": "FUNCTION F : INT VAR_INPUT a : INT; s : INT := 2; END_VAR F := a * s; END_FUNCTION "
    + block("x : INT;", "x := F(a := 1); x := F(3, 2);"),
    "a chain of a thousand operators": block("b : BOOL;", "b := " + " OR ".join(["b"] * 1000) + ";"),
    "pragmas are passed over": block("n : INT; {any}", "{thing} n := 1;"),
    "empty statements": block("n : INT;", ";; n := 1;;"),
}


@pytest.mark.parametrize("text", ACCEPTED.values(), ids=ACCEPTED)
def test_what_the_standard_has_is_accepted(text: str) -> None:
    assert [str(f) for f in checked(text)[1]] == []


def test_all_findings_of_a_file_are_listed() -> None:
    text = block("n : INT; d : DINT;", "n = 1;\nn := d;\nm := 2;\nIF n THEN n := 3; END_IF;\nn := ;\nd := n;")
    assert [f.split()[1] for f in findings_of(text)] == [
        "comparison-as-assignment",
        "type-mismatch",
        "unknown-name",
        "type-mismatch",
        "missing-value",
    ]


def test_a_mistake_in_one_unit_does_not_hide_one_in_the_next() -> None:
    text = block("n : INT;", "n := (1;") + "FUNCTION_BLOCK C VAR n : INT; END_VAR n := x; END_FUNCTION_BLOCK"
    assert [f.split()[1] for f in findings_of(text)] == ["missing-parenthesis", "unknown-name"]


def test_users_of_a_broken_unit_are_broken_and_others_are_not() -> None:
    text = "FUNCTION_BLOCK A VAR n : INT; END_VAR n := x; END_FUNCTION_BLOCK\n"
    text += "FUNCTION_BLOCK U VAR a : A; END_VAR a(); END_FUNCTION_BLOCK\n"
    text += "FUNCTION_BLOCK V VAR n : INT; END_VAR n := 1; END_FUNCTION_BLOCK\n"
    units = checked(text)[0].units
    assert (units["A"].is_broken, units["U"].is_broken, units["V"].is_broken) == (True, True, False)


def test_comments_describe_units_and_pins() -> None:
    text = "// first line\n// second line\nFUNCTION_BLOCK B\nVAR_INPUT\n a : BOOL; // about a\n b, c : INT; (* about b and c *)\n d : INT;\n // not about d\nEND_VAR\nEND_FUNCTION_BLOCK"
    unit = checked(text)[0].units["B"]
    assert unit.comment == "first line\nsecond line"
    assert [v.comment for v in unit.variables.values()] == ["about a", "about b and c", "about b and c", ""]


def test_deep_nesting_is_a_finding() -> None:
    for text in (
        block("n : INT;", "n := " + "(" * 5000 + "1" + ")" * 5000 + ";"),
        block("n : BOOL;", "n := " + "NOT " * 5000 + "n;"),
        block("n : INT;", "IF TRUE THEN " * 5000 + "END_IF; " * 5000),
    ):
        assert "nested-too-deep" in {f.split()[1] for f in findings_of(text)}


@pytest.mark.parametrize(
    ("text", "names"),
    [
        (
            "FUNCTION_BLOCK A VAR b : B; END_VAR END_FUNCTION_BLOCK FUNCTION_BLOCK B VAR a : A; END_VAR END_FUNCTION_BLOCK",
            "A uses B uses A",
        ),
        ("FUNCTION F : INT F := G(); END_FUNCTION FUNCTION G : INT G := F(); END_FUNCTION", "F uses G uses F"),
    ],
)
def test_rings_are_named(text: str, names: str) -> None:
    found = checked(text)[1]
    assert [f.name for f in found] == ["recursion"]
    assert names in found[0].message


@pytest.mark.parametrize("keyword", ["FUNCTION_BLOCK B VAR_ACCESS a : INT; END_VAR END_FUNCTION_BLOCK"])
def test_what_is_not_read_yet_is_said(keyword: str) -> None:
    assert [f.split()[1] for f in findings_of(keyword)] == ["not-supported"]


@pytest.mark.parametrize(
    "inner", ["i := 1;", "FOR i := 1 TO 2 DO n := 1; END_FOR", "c(CU := TRUE, PV := 1, CV => i);", "Bump(i);"]
)
def test_a_loop_variable_is_not_assigned_inside_by_any_way(inner: str) -> None:
    text = "FUNCTION Bump VAR_IN_OUT x : INT; END_VAR x := x + 1; END_FUNCTION\n"
    text += block("i, n : INT; c : CTU;", f"FOR i := 1 TO 3 DO {inner} END_FOR")
    assert [f.split()[1] for f in findings_of(text)] == ["loop-variable"]


def test_a_comparison_in_parentheses_is_a_value_whatever_the_pins_are_called() -> None:
    text = "FUNCTION F : INT VAR_INPUT a : BOOL; b : INT; END_VAR IF a THEN F := b; END_IF END_FUNCTION "
    assert findings_of(text + block("a, n : INT;", "n := F((a = n), 3);")) == []
    assert findings_of(text + block("a, n : INT;", "n := F(a = n, b := 3);")) == ["3:8 comparison-as-assignment"]
