"""A bare literal has the type that its surroundings want, through functions and operators."""

from __future__ import annotations

import struct

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import block, checked, findings_of, machine_of, value_of
from upright_block.language.literals import round_real

VARIABLES = "n : INT := 3; d : DINT := 7; g : BOOL; x : REAL := 3.0; k : INT := 1;"


@pytest.mark.parametrize(
    ("expression", "type_", "value"),
    [
        ("x * SEL(NOT g, 0.5, 1.5)", "REAL", 4.5),
        ("MUX(k, 1, 2, 3)", "USINT", 2),
        ("MUX(k, 0.5, 1.5)", "REAL", 1.5),
        ("MIN(0.5, 1.5)", "REAL", 0.5),
        ("LIMIT(0.0, 0.5, 1.0)", "REAL", 0.5),
        ("MOVE(0.1)", "REAL", round_real(0.1)),
        ("MOVE(0.1)", "LREAL", 0.1),
        ("2.0 ** n", "REAL", 8.0),
        ("EXPT(2.0, n)", "REAL", 8.0),
        ("ABS(-5)", "SINT", 5),
        ("SEL(g, 16#FF, 0)", "BYTE", 255),
        ("SHL(16#1, 3)", "BYTE", 8),
        ("SEL(g, 1, 0)", "BOOL", True),
        ("-SEL(g, 1, 2)", "SINT", -1),
        ("SEL(g, 1, 2) + 3 * 4", "SINT", 13),
        ("SEL(g, 1, 3) / 2", "LREAL", 0.0),
        ("SEL(g, 0.5, 1.5) / 2", "LREAL", 0.25),
        ("MAX(ABS(3), SEL(g, 4, 5), 2)", "USINT", 4),
        ("SEL(SEL(g, 1, 2) > 1, 0.5, 1.5)", "REAL", 0.5),
        ("n * 0.1", "LREAL", 3 * 0.1),
        ("n * 0.1 + n", "LREAL", 3 * 0.1 + 3),
        ("n * 0.1", "REAL", struct.unpack("f", struct.pack("f", 3 * round_real(0.1)))[0]),
        ("DINT_TO_REAL(d) * MIN(0.5, 1.5)", "REAL", 3.5),
        ("MAX(9223372036854775808, 1)", "ULINT", 9223372036854775808),
        ("TO_INT(MIN(1.5, 2.5))", "INT", 2),
        ("x ** SEL(g, 2, 3)", "REAL", 9.0),
        ("SEL(g, 0.5, 1.5) ** 2", "LREAL", 0.25),
        ("SQRT(MIN(4.0, 9.0)) + 1", "REAL", 3.0),
        ("MIN(SEL(g, 1, 2), n)", "INT", 1),
        ("16#0F AND MUX(0, 1, 2)", "BYTE", 1),
        ("NOT SEL(g, 1, 2)", "BYTE", 254),
        ("16#0F OR 16#F0", "WORD", 255),
    ],
)
def test_it_takes_the_type_that_is_wanted(expression: str, type_: str, value: float) -> None:
    assert value_of(expression, type_, VARIABLES) == value


@pytest.mark.parametrize("type_", ["SINT", "USINT", "INT", "UDINT", "LINT", "BYTE", "LWORD", "REAL", "LREAL"])
@pytest.mark.parametrize("expression", ["SEL(g, 5, 6)", "MUX(k, 4, 5)", "MOVE(5)", "MOVE(MOVE(5))", "MIN(5, 6)"])
def test_every_type_is_reached(expression: str, type_: str) -> None:
    if type_ not in ("BYTE", "LWORD") or "MIN" not in expression:
        assert value_of(expression, type_, VARIABLES) == 5


def test_a_long_chain_is_no_deep_nest() -> None:
    assert value_of(" + ".join(["SEL(g, 1, 2)"] + ["1"] * 2000), "INT", VARIABLES) == 2001


@pytest.mark.parametrize(
    ("statement", "name"),
    [
        ("y := MIN(1, 300);", "out-of-range"),
        ("y := SIN(1.0);", "type-mismatch"),
        ("y := n * 0.5;", "type-mismatch"),
        ("x := d * 0.5;", "type-mismatch"),
        ("y := SHL(16#1, 3);", "type-mismatch"),
        ("y := SEL(g, 0.5, 1.5);", "type-mismatch"),
        ("x := LINT#5 * 0.5;", "type-mismatch"),
    ],
)
def test_what_does_not_fit_is_one_finding(statement: str, name: str) -> None:
    found = checked(block(f"y : SINT; {VARIABLES}", statement))[1]
    assert [f.name for f in found] == [name]
    assert found[0].way_out


@pytest.mark.parametrize(
    ("type_", "initial", "value"),
    [
        ("REAL", "SQRT(2.0)", round_real(2**0.5)),
        ("REAL", "SIN(1.0)", round_real(0.8414709848078965)),
        ("REAL", "2.0 * EXP(1.0)", round_real(2 * 2.718281828459045)),
        ("REAL", "EXPT(2.0, 0.5)", round_real(2**0.5)),
        ("INT", "MAX(2, 3)", 3),
        ("SINT", "ABS(-5)", 5),
        ("REAL", "LIMIT(0.0, 1.5, 1.0)", 1.0),
        ("BYTE", "SEL(TRUE, 0, 16#FF)", 255),
        ("TOD", "TOD#23:00:00 + T#2h", 3_600_000_000_000),
    ],
)
def test_an_initial_value_may_be_computed(type_: str, initial: str, value: float) -> None:
    assert value_of("v", type_, f"v : {type_} := {initial};") == value


@pytest.mark.parametrize(
    ("expression", "hours"),
    [
        ("TOD#23:00:00 + t", 1),
        ("t0 - t", 23),
        ("t0 + T#100h", 5),
        ("ADD_TOD_TIME(t0, T#-1h)", 0),
        ("t0 - T#1000000h", 9),
    ],
)
def test_a_time_of_day_runs_past_midnight(expression: str, hours: int) -> None:
    variables = "t : TIME := T#2h; t0 : TOD := TOD#01:00:00;"
    assert value_of(expression, "TOD", variables) == hours * 3_600_000_000_000


def test_of_branches_with_the_same_value_the_first_runs() -> None:
    body = "CASE n OF 1..3: r := 1; 3..5, 2: r := 2; 0, 4: r := 3; ELSE r := 9; END_CASE"
    found = checked(block("n, r : INT;", body))[1]
    assert [(f.severity, f.name, f.message.split(":")[0]) for f in found] == [
        ("warning", "label-twice", "3 is in both"),
        ("warning", "label-twice", "2 is in both"),
        ("warning", "label-twice", "4 is in both"),
    ]
    text = "FUNCTION F : INT VAR_INPUT n : INT; END_VAR VAR r : INT; END_VAR " + body + " F := r; END_FUNCTION "
    wanted = {0: 3, 1: 1, 2: 1, 3: 1, 4: 2, 5: 2, 6: 9}
    for n, r in wanted.items():
        assert value_of_in(text, f"F({n})") == r


def value_of_in(units: str, expression: str) -> object:
    machine = machine_of(units + block("r : INT;", f"r := {expression};"))
    machine.run(1)
    return machine.read("r")


def test_a_group_of_initial_values_is_repeated() -> None:
    elements = [value_of(f"a[{i}]", "INT", "a : ARRAY [1..8] OF INT := [3(1, 2), 9];") for i in range(1, 9)]
    assert elements == [1, 2, 1, 2, 1, 2, 9, 0]


FUNCTION = "FUNCTION F : INT VAR_INPUT a, b : INT; c : INT := 5; END_VAR F := a; END_FUNCTION "


@pytest.mark.parametrize(
    ("call", "found"),
    [
        ("F(1, 2, 3)", []),
        ("F(a := 1, b := 2)", []),
        ("F(1)", ["missing-argument"]),
        ("F(1, 2)", ["missing-argument"]),
        ("F()", ["missing-pin"]),
        ("F(a := 1)", ["input-not-given"]),
        ("F(c := 1)", ["input-not-given"]),
    ],
)
def test_a_call_without_names_is_complete(call: str, found: list[str]) -> None:
    names = [name.split()[1] for name in findings_of(FUNCTION + block("r : INT;", f"r := {call};"))]
    assert names == found


def test_an_input_that_is_left_out_is_named() -> None:
    (finding,) = checked(FUNCTION + block("r : INT;", "r := F(c := 1);"))[1]
    assert (finding.severity, finding.message) == (
        "warning",
        "a and b of F are not given here and have no initial value of their own.",
    )


@pytest.mark.parametrize(
    ("expression", "text"),
    [("TO_STRING(n)", "'3'"), ("TO_STRING(x)", "'3.0'"), ("TO_STRING(T#5s)", "'T#5s'"), ("TO_STRING(g)", "'FALSE'")],
)
def test_to_string_takes_what_has_a_text(expression: str, text: str) -> None:
    assert value_of(f"{expression} = {text}", "BOOL", VARIABLES) is True


@pytest.mark.parametrize("name", ["TEXT__REAL", "ANGLE__FAR", "BIG__SCALE"])
def test_helpers_of_the_standard_are_nobody_elses(name: str) -> None:
    (finding,) = checked(block("r : LREAL;", f"r := {name}(1.0);"))[1]
    assert finding.name == "unknown-name"
    near = checked(block("r : LREAL;", "r := TEXT_REAL(1.0);"))[1]
    assert [f.name for f in near] == ["unknown-name"]
    assert "__" not in near[0].way_out


@st.composite
def bare(draw: st.DrawFn, type_: str, depth: int = 3) -> tuple[str, float]:
    """A random expression of bare literals, and its value where all of it is computed in a type."""
    rounded = round_real if type_ == "REAL" else lambda value: value
    kind = draw(
        st.sampled_from(["literal"] + ["SEL", "MIN", "MAX", "LIMIT", "MUX", "MOVE", "+", "*", "ABS"] * (depth > 0))
    )
    if kind == "literal":
        if "REAL" in type_:
            text = draw(st.sampled_from(["0.5", "1.5", "2.25", "0.1", "3.0", "7"]))
            return text, rounded(float(text))
        number = draw(st.integers(0, 5))
        return draw(st.sampled_from([str(number), f"16#{number:X}"])), number
    a, b, c = (draw(bare(type_, depth - 1)) for _ in range(3))
    match kind:
        case "SEL":
            chosen = draw(st.booleans())
            return f"SEL({'yes' if chosen else 'no'}, {a[0]}, {b[0]})", b[1] if chosen else a[1]
        case "MUX":
            k = draw(st.integers(0, 2))
            return f"MUX({k}, {a[0]}, {b[0]}, {c[0]})", (a, b, c)[k][1]
        case "LIMIT":
            return f"LIMIT({a[0]}, {b[0]}, {c[0]})", min(max(b[1], a[1]), c[1])
        case "MIN" | "MAX":
            return f"{kind}({a[0]}, {b[0]}, {c[0]})", (min if kind == "MIN" else max)(a[1], b[1], c[1])
        case "MOVE" | "ABS":
            return f"{kind}({a[0]})", a[1]
    if "REAL" not in type_ and max(a[1] * b[1], a[1] + b[1]) > 100:
        return a
    # two bare literals are computed before they are rounded, so these are kept apart by a function
    left, right = f"MOVE({a[0]})", f"MOVE({b[0]})"
    return f"({left} {kind} {right})", rounded(a[1] + b[1] if kind == "+" else a[1] * b[1])


@pytest.mark.long
@settings(max_examples=25, deadline=None)
@given(st.data())
def test_random_expressions_of_bare_literals_are_computed_in_the_type_that_is_wanted(data: st.DataObject) -> None:
    types = ["SINT", "USINT", "INT", "UDINT", "LINT", "REAL", "LREAL"]
    wanted = [(type_, *data.draw(bare(type_))) for type_ in (data.draw(st.sampled_from(types)) for _ in range(25))]
    variables = "yes : BOOL := TRUE; no : BOOL;" + "".join(
        f" r{i} : {type_};" for i, (type_, _, _) in enumerate(wanted)
    )
    machine = machine_of(block(variables, "\n".join(f"r{i} := {text};" for i, (_, text, _) in enumerate(wanted))))
    machine.run(1)
    assert [machine.read(f"r{i}") for i in range(len(wanted))] == [value for _, _, value in wanted]


def test_values_for_the_pins_of_an_instance_may_stand_before_the_block() -> None:
    machine = machine_of(
        "FUNCTION_BLOCK B VAR z : Z := (t := 3); many : ARRAY [1..2] OF Z := [2((t := 4))]; s : S; n : INT; END_VAR "
        "z(); many[2](); g(); s.z(); n := z.o + 10 * many[2].o + 100 * g.o + 1000 * s.z.o; END_FUNCTION_BLOCK "
        "VAR_GLOBAL g : Z := (t := 5); END_VAR TYPE S : STRUCT z : Z := (t := 6); END_STRUCT; END_TYPE "
        "FUNCTION_BLOCK Z VAR_INPUT t : INT; END_VAR VAR_OUTPUT o : INT; END_VAR o := t; END_FUNCTION_BLOCK"
    )
    machine.run(1)
    assert machine.read("n") == 6543
