"""Values that the machine computes, against tables worked out by hand and against Python."""

from __future__ import annotations

import math
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import SECOND, block, machine_of, value_of
from upright_block.compiler.program import Mode
from upright_block.language.literals import round_real


@pytest.mark.parametrize(
    ("expression", "type_", "value"),
    [
        ("SINT#127 + SINT#1", "SINT", -128),
        ("INT#32767 + INT#1", "INT", -32768),
        ("INT#-32768 - INT#1", "INT", 32767),
        ("INT#300 * INT#300", "INT", 24464),
        ("DINT#2147483647 + DINT#1", "DINT", -2147483648),
        ("LINT#9223372036854775807 + LINT#1", "LINT", -(2**63)),
        ("USINT#255 + USINT#1", "USINT", 0),
        ("UINT#0 - UINT#1", "UINT", 65535),
        ("UDINT#0 - UDINT#1", "UDINT", 4294967295),
        ("ULINT#0 - ULINT#1", "ULINT", 2**64 - 1),
        ("-INT#-32768", "INT", -32768),
        ("ABS(INT#-32768)", "INT", -32768),
        ("DINT#-2147483648 / DINT#-1", "DINT", -2147483648),
        ("INT#-32768 / INT#-1", "INT", -32768),
        ("INT#-7 / INT#2", "INT", -3),
        ("INT#-7 MOD INT#2", "INT", -1),
        ("INT#7 MOD INT#-2", "INT", 1),
        ("INT#7 MOD zero", "INT", 0),
        ("NOT WORD#16#00FF", "WORD", 0xFF00),
        ("WORD#16#F0F0 XOR WORD#16#FFFF", "WORD", 0x0F0F),
        ("NOT BYTE#16#0F", "BYTE", 0xF0),
        ("REAL#16777216.0 + REAL#1.0", "REAL", 16777216.0),
        ("REAL#0.1 + REAL#0.2", "REAL", round_real(round_real(0.1) + round_real(0.2))),
        ("0.1 + 0.2", "LREAL", 0.1 + 0.2),
        ("5 / 2", "REAL", 2.0),
        ("5 / 2.0", "REAL", 2.5),
        ("T#1s * INT#3", "TIME", 3 * SECOND),
        ("T#1s * 1.5", "TIME", 1_500_000_000),
        ("T#1s / 3", "TIME", 333_333_333),
        ("T#1m - T#90s", "TIME", -30 * SECOND),
        ("-T#5s", "TIME", -5 * SECOND),
        ("MIN(3, 1, 2)", "INT", 1),
        ("MAX(INT#3, DINT#70000)", "DINT", 70000),
        ("LIMIT(0, -5, 10)", "INT", 0),
        ("LIMIT(MX := 10, IN := 50, MN := 0)", "INT", 10),
        ("SEL(TRUE, 1, 2)", "INT", 2),
        ("SEL(G := FALSE, IN0 := T#1s, IN1 := T#2s)", "TIME", SECOND),
        ("SQRT(2.0)", "LREAL", math.sqrt(2)),
        ("DINT_TO_INT(DINT#70000)", "INT", 4464),
        ("INT_TO_UINT(INT#-1)", "UINT", 65535),
        ("INT_TO_DINT(INT#-1)", "DINT", -1),
        ("UINT_TO_DINT(UINT#65535)", "DINT", 65535),
        ("INT_TO_WORD(INT#-2)", "WORD", 0xFFFE),
        ("WORD_TO_INT(WORD#16#8000)", "INT", -32768),
        ("INT_TO_BOOL(INT#2)", "BOOL", True),
        ("WORD_TO_BOOL(WORD#2)", "BOOL", False),
        ("BOOL_TO_INT(TRUE)", "INT", 1),
        ("REAL_TO_INT(2.5)", "INT", 2),
        ("REAL_TO_INT(3.5)", "INT", 4),
        ("REAL_TO_INT(-2.5)", "INT", -2),
        ("REAL_TRUNC_INT(-2.9)", "INT", -2),
        ("LREAL_TO_LINT(-9223372036854775808.0)", "LINT", -(2**63)),
        ("LREAL_TO_ULINT(18446744073709549568.0)", "ULINT", 18446744073709549568),
        ("DWORD_TO_REAL(DWORD#16#3F800000)", "REAL", 1.0),
        ("LREAL_TO_LWORD(1.0)", "LWORD", 0x3FF0000000000000),
    ],
)
def test_values_worked_out_by_hand(expression: str, type_: str, value: object) -> None:
    assert value_of(expression, type_, "zero : INT;") == value


# IEC 61131-3:2013, table 71: an operator above binds tighter than one below.
@pytest.mark.parametrize(
    ("expression", "type_", "value"),
    [
        ("-2.0 ** 2.0", "LREAL", 4.0),
        ("2.0 ** 3.0 ** 2.0", "LREAL", 64.0),
        ("2 + 3 * 4", "INT", 14),
        ("20 / 2 * 5", "INT", 50),
        ("20 - 5 - 3", "INT", 12),
        ("17 MOD 5 * 2", "INT", 4),
        ("1 + 1 < 3", "BOOL", True),
        ("1 < 2 = TRUE", "BOOL", True),
        ("FALSE < TRUE", "BOOL", True),
        ("SQRT(2.0)", "REAL", 1.4142135381698608),
        ("-LN(10.0) / 2.0", "REAL", -1.1512925624847412),
        ("REAL#3.0 * SQRT(2.0)", "REAL", 4.242640495300293),
        ("INT#3 * SQRT(2.0)", "LREAL", 4.242640687119286),
        ("MAX(REAL#1.5, SQRT(2.25))", "REAL", 1.5),
        ("REAL#0.5 < SIN(0.5)", "BOOL", False),
        ("TRUE <= FALSE", "BOOL", False),
        ("3 > 2 <> FALSE", "BOOL", True),
        ("FALSE AND FALSE OR TRUE", "BOOL", True),
        ("TRUE OR TRUE AND FALSE", "BOOL", True),
        ("TRUE OR TRUE XOR TRUE", "BOOL", True),
        ("TRUE XOR TRUE AND FALSE", "BOOL", True),
        ("NOT TRUE OR TRUE", "BOOL", True),
        ("NOT FALSE = FALSE", "BOOL", False),
        ("1 = 2 AND FALSE = FALSE", "BOOL", False),
    ],
)
def test_precedence_is_that_of_the_standard(expression: str, type_: str, value: object) -> None:
    assert value_of(expression, type_) == value


@pytest.mark.parametrize(
    ("body", "n"),
    [
        ("FOR i := 1 TO 5 DO n := n + i; END_FOR;", 15),
        ("FOR i := 5 TO 1 DO n := 1; END_FOR;", 0),
        ("FOR i := 5 TO 1 BY -2 DO n := n * 10 + i; END_FOR;", 531),
        ("FOR i := 32760 TO 32767 BY 3 DO n := n + 1; END_FOR;", 3),
        ("FOR i := -32766 TO -32768 BY -1 DO n := n + 1; END_FOR;", 3),
        ("n := 3; FOR i := 1 TO n DO n := n + 1; END_FOR;", 6),
        ("i := 2; FOR i := i TO i + 2 DO n := n + 1; END_FOR;", 3),
        ("FOR i := 1 TO 9 DO IF i = 4 THEN EXIT; END_IF; n := i; END_FOR;", 3),
        ("FOR i := 1 TO 9 DO IF i MOD 2 = 0 THEN CONTINUE; END_IF; n := n + 1; END_FOR;", 5),
        ("FOR i := 1 TO 3 DO FOR k := 1 TO 3 DO IF k = 2 THEN EXIT; END_IF; n := n + 1; END_FOR; END_FOR;", 3),
        ("WHILE n < 7 DO n := n + 2; END_WHILE;", 8),
        ("REPEAT n := n + 1; UNTIL TRUE END_REPEAT;", 1),
        ("n := 1; RETURN; n := 2;", 1),
        ("CASE k OF 0: n := 5; 1..3: n := 6; END_CASE;", 5),
        ("k := 2; CASE k OF 0: n := 5; 1..3: n := 6; ELSE n := 7; END_CASE;", 6),
        ("k := 9; CASE k OF 0: n := 5; 1..3: n := 6; ELSE n := 7; END_CASE;", 7),
        ("k := -5; CASE k OF -9..-3: n := 1; -2: n := 2; 0: n := 3; 1: n := 4; 2: n := 5; END_CASE;", 1),
        ("k := 1000; CASE k OF 1: n := 1; 1000: n := 2; 30000: n := 3; 7: n := 4; END_CASE;", 2),
        ("IF k = 1 THEN n := 1; ELSIF k = 0 THEN n := 2; ELSE n := 3; END_IF;", 2),
        ("s := 3; FOR i := 1 TO 10 BY s DO n := n + 1; END_FOR;", 4),
        ("s := -3; FOR i := 10 TO 1 BY s DO n := n + 1; END_FOR;", 4),
    ],
)
def test_statements_do_what_the_standard_says(body: str, n: int) -> None:
    machine = machine_of(block("n, i, k, s : INT;", body))
    assert machine.run(1).fault is None
    assert machine.read("n") == n


@pytest.mark.parametrize(
    ("first", "last", "step", "after"), [(1, 5, 1, 6), (1, 5, 3, 7), (5, 1, 1, 5), (32767, 32767, 1, -32768)]
)
def test_the_variable_of_a_loop_ends_one_step_beyond(first: int, last: int, step: int, after: int) -> None:
    machine = machine_of(block("i : INT;", f"FOR i := {first} TO {last} BY {step} DO ; END_FOR;"))
    machine.run(1)
    assert machine.read("i") == after


def test_inputs_are_computed_before_any_is_assigned() -> None:
    text = "FUNCTION_BLOCK C VAR_INPUT a, b : INT; END_VAR VAR sum : INT; END_VAR sum := a + b; END_FUNCTION_BLOCK\n"
    machine = machine_of(text + block("c : C;", "c.a := 1; c(a := 10, b := c.a);"))
    machine.run(1)
    assert (machine.read("c.a"), machine.read("c.b"), machine.read("c.sum")) == (10, 1, 11)


def test_both_sides_of_and_are_computed() -> None:
    machine = machine_of(block("a, z : INT; b : BOOL;", "b := FALSE AND 1 / z > 0;"))
    fault = machine.run(1).fault
    assert fault is not None
    assert fault.site.kind == "division by zero"


FINITE = st.floats(allow_nan=False, allow_infinity=False)


def power(base: float, exponent: float) -> float:
    """The same in Python."""
    try:
        return math.pow(base, exponent)
    except OverflowError:
        odd = exponent.is_integer() and exponent % 2 == 1
        return -math.inf if base < 0 and odd else math.inf
    except ValueError:
        return math.inf if base == 0 else math.nan


def close(a: float, b: float) -> bool:
    """Within two units in the last place."""
    return a == b or (a != a and b != b) or abs(a - b) <= 2 * math.ulp(b)


@settings(max_examples=25, deadline=None)
@given(
    st.lists(
        st.tuples(st.floats(1e-10, 1e10) | FINITE, st.floats(-30, 30) | st.integers(-1000, 1000).map(float) | FINITE),
        min_size=1,
        max_size=40,
    )
)
def test_powers_are_within_two_units_in_the_last_place(pairs: list[tuple[float, float]]) -> None:
    machine = machine_of(block("x, y, r : LREAL;", "r := x ** y;"))
    for base, exponent in pairs:
        machine.write("x", base)
        machine.write("y", exponent)
        assert machine.run(1).fault is None
        assert close(float(machine.read("r")), power(base, exponent)), (base, exponent)


def test_a_function_starts_anew_at_each_call() -> None:
    text = "FUNCTION F : INT VAR_INPUT a : INT; END_VAR VAR n : INT := 5; END_VAR n := n + a; F := n; END_FUNCTION\n"
    machine = machine_of(text + block("x, y : INT;", "x := F(1); y := F(1);"))
    machine.run(1)
    assert (machine.read("x"), machine.read("y")) == (6, 6)


def test_outputs_of_a_function_go_to_their_places() -> None:
    text = (
        "FUNCTION F : INT VAR_INPUT a : INT; END_VAR VAR_OUTPUT half : INT; odd : BOOL; END_VAR "
        "half := a / 2; odd := a MOD 2 = 1; F := a * 2; END_FUNCTION\n"
    )
    machine = machine_of(text + block("x : INT; h : DINT; o : BOOL;", "x := 1 + F(a := 7, odd => o, half => h);"))
    machine.run(1)
    assert (machine.read("x"), machine.read("h"), machine.read("o")) == (15, 3, True)


RANGES = {"SINT": 8, "INT": 16, "DINT": 32, "LINT": 64, "USINT": 8, "UINT": 16, "UDINT": 32, "ULINT": 64, "TIME": 64}


@pytest.mark.parametrize("type_", RANGES)
def test_an_overflow_is_a_fault_where_the_manifest_says_so(type_: str) -> None:
    """Every pair of values at the edges, with each operator, against exact integers."""
    signed, bits = type_[0] != "U", RANGES[type_]
    low, high = (-(1 << (bits - 1)), (1 << (bits - 1)) - 1) if signed else (0, (1 << bits) - 1)
    edges = [low, low + 1, -1, 0, 1, 2, 3, high // 2, high // 2 + 1, high - 1, high]
    values = [v for v in dict.fromkeys(edges) if low <= v <= high]
    other = "LINT" if type_ == "TIME" else type_
    body = "CASE k OF 0: r := a + b; 1: r := a - b; 2: r := a * c; END_CASE"
    text = block(f"a, b, r : {type_}; c : {other}; k : INT;", body)
    machine = machine_of(text, mode=Mode(checks_overflow=True))
    for k, operator in enumerate((int.__add__, int.__sub__, int.__mul__)):
        for a in values:
            for b in values:
                for name, value in (("a", a), ("b", b), ("c", b), ("k", k)):
                    machine.write(name, value)
                exact = operator(a, b)
                fault = machine.run(1, watched=()).fault
                assert (fault is not None) == (not low <= exact <= high), (a, b, k)
                if fault is None:
                    assert machine.read("r") == exact


KNOWN = [2, 3, 5, 7, 8, 10, 50, 60, 100, 127, 128, 1000, 4096, 32767]
FAR = [2, 3, 7, 10, 50, 641, 1000, 65535, 65536, 999_983, 2**30, 2**31 - 1]


def _cut(a: int, d: int) -> int:
    return abs(a) // d * (1 if a >= 0 else -1)


@pytest.mark.parametrize(("type_", "low", "high"), [("INT", -32768, 32767), ("UINT", 0, 65535), ("SINT", -128, 127)])
def test_division_by_a_known_number_is_exact_for_every_value(type_: str, low: int, high: int) -> None:
    known = [d for d in KNOWN if d <= high]
    outputs = "".join(f"q{d}, r{d} : {type_}; " for d in known)
    body = " ".join(f"q{d} := n / {d}; r{d} := n MOD {d};" for d in known)
    machine = machine_of(block(f"n : {type_}; {outputs}", f"{body} n := n + 1;"))
    n = machine.slot("n")
    machine.poke(n, n.encode(low))
    slots = [machine.slot(f"{name}{d}") for d in known for name in "qr"]
    trace = machine.run(high - low + 1, watched=slots)
    for d in known:
        values = range(low, high + 1)
        assert trace.column(machine.slot(f"q{d}")).tolist() == [_cut(a, d) for a in values]
        assert trace.column(machine.slot(f"r{d}")).tolist() == [a - _cut(a, d) * d for a in values]


@pytest.mark.parametrize(("type_", "low", "high"), [("DINT", -(2**31), 2**31 - 1), ("UDINT", 0, 2**32 - 1)])
def test_division_by_a_known_number_is_exact_far_from_zero(type_: str, low: int, high: int) -> None:
    body = " ".join(f"q[{k}] := n / {d}; r[{k}] := n MOD {d};" for k, d in enumerate(FAR))
    count = len(FAR) - 1
    machine = machine_of(block(f"n : {type_}; q, r : ARRAY [0..{count}] OF {type_};", body))
    edges = {low, low + 1, -1, 0, 1, high - 1, high}
    edges |= {k * d + e for d in FAR for k in (-5, -1, 1, 3, high // d) for e in (-1, 0, 1)}
    random = Random(7)
    values = [v for v in {*edges, *(random.randint(low, high) for _ in range(300))} if low <= v <= high]
    for n in values:
        machine.write("n", n)
        machine.run(1, watched=())
        found = [(machine.read(f"q[{k}]"), machine.read(f"r[{k}]")) for k in range(len(FAR))]
        assert found == [(_cut(n, d), n - _cut(n, d) * d) for d in FAR], n


def test_what_is_known_to_be_above_zero_is_divided_exactly_too() -> None:
    body = "FOR i := 0 TO 40000 DO IF i / 50 <> i50 OR i MOD 50 <> i - 50 * i50 OR i / 64 <> i64 OR i MOD 64 <> i - 64 * i64 THEN wrong := wrong + 1; END_IF "
    body += "IF i - 50 * i50 = 49 THEN i50 := i50 + 1; END_IF IF i - 64 * i64 = 63 THEN i64 := i64 + 1; END_IF END_FOR"
    machine = machine_of(block("i, i50, i64, wrong : DINT;", body))
    assert machine.run(1).fault is None
    assert (machine.read("wrong"), machine.read("i50"), machine.read("i64")) == (0, 800, 625)


def test_what_was_checked_before_a_continue_is_checked_again_behind_it() -> None:
    body = "REPEAT n := n + 1; i := n * 10 - 9; IF i > 5 THEN CONTINUE; END_IF r := a[i]; UNTIL a[i] > 3 OR n > 2 END_REPEAT"
    fault = machine_of(block("a : ARRAY [1..3] OF INT; i, n, r : INT;", body)).run(1).fault
    assert fault is not None
    assert fault.site.kind == "index outside 1..3"


@pytest.mark.parametrize(
    ("last", "step", "ends"),
    [(32767, 1, 32768 - 65536), (32766, 1, 32767), (32766, 2, 32768 - 65536), (5, 1, 6), (0, 1, 1)],
)
def test_a_for_ends_where_its_type_ends(last: int, step: int, ends: int) -> None:
    first = max(0, last - 10 * step)
    machine = machine_of(block("i, n : INT;", f"FOR i := {first} TO {last} BY {step} DO n := n + 1; END_FOR"))
    assert machine.run(1).fault is None
    assert (machine.read("n"), machine.read("i")) == ((last - first) // step + 1, ends)


def test_a_for_counts_down_to_the_low_end_of_its_type() -> None:
    machine = machine_of(
        block(
            "i, n : SINT; m : UINT; k : USINT;",
            "FOR i := -120 TO -128 BY -1 DO n := n + 1; END_FOR FOR k := 250 TO 255 DO m := m + 1; END_FOR",
        )
    )
    assert machine.run(1).fault is None
    assert (machine.read("n"), machine.read("i"), machine.read("m"), machine.read("k")) == (9, 127, 6, 0)
