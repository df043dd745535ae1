"""What is worked out before the run is what the run would work out."""

from __future__ import annotations

import math
import struct

import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from tests.helpers import block, checked, findings_of, machine_of
from upright_block.language.literals import round_real, shown
from upright_block.language.types import ELEMENTARY, Elementary

WHOLE = ("SINT", "INT", "DINT", "LINT", "USINT", "UINT", "UDINT", "ULINT")
BITS = ("BYTE", "WORD", "DWORD", "LWORD")
REALS = ("REAL", "LREAL")


def values(type_: Elementary) -> st.SearchStrategy[bool | int | float]:
    """Values of a type that a source text can hold."""
    if type_.family == "bool":
        return st.booleans()
    if type_.family == "real":
        usual = st.floats(-1e6, 1e6, width=32) | st.sampled_from([0.0, 1.5, -0.1])
        return usual.map(lambda v: round_real(v) if type_.bits == 32 else v)
    low, high = int(type_.low), int(type_.high)
    return st.integers(max(low, -9), min(high, 9)) | st.integers(low, high) | st.sampled_from([low, high])


def expressions(operators: tuple[str, ...]) -> st.SearchStrategy[str]:
    """Expressions of a, b and c."""
    return st.recursive(
        st.sampled_from(["a", "b", "c"]),
        lambda inner: (
            st.tuples(inner, st.sampled_from(operators), inner).map(lambda p: f"({p[0]} {p[1]} {p[2]})")
            | inner.map(lambda x: f"(NOT {x})" if "AND" in operators else f"(-{x})" if "-" in operators else x)
        ),
        max_leaves=6,
    )


@st.composite
def folded(draw: st.DrawFn) -> tuple[str, str, list[str], str]:
    """The type of the operands and of the value, three operands and an expression of them."""
    name = draw(st.sampled_from((*WHOLE, *BITS, *REALS, "BOOL")))
    type_ = ELEMENTARY[name]
    if name in WHOLE:
        operators: tuple[str, ...] = ("+", "*", "/", "MOD") if name.startswith("U") else ("+", "-", "*", "/", "MOD")
    elif name in REALS:
        operators = ("+", "-", "*", "/")
    else:
        operators = ("AND", "OR", "XOR")
    text = draw(expressions(operators))
    result = name
    if draw(st.booleans()):
        result = "BOOL"
        comparisons = ("=", "<>") if name == "BOOL" else ("=", "<>", "<", "<=", ">", ">=")
        text = f"{text} {draw(st.sampled_from(comparisons))} {draw(expressions(operators))}"
    return name, result, [shown(draw(values(type_)), type_) for _ in range(3)], text


def same(a: bool | int | float, b: bool | int | float) -> bool:
    """Whether two values are the same to the bit; one not-a-number is like another."""
    if isinstance(a, float) and isinstance(b, float):
        return struct.pack("<d", a) == struct.pack("<d", b) or (math.isnan(a) and math.isnan(b))
    return type(a) is type(b) and a == b


@pytest.mark.long
@settings(max_examples=300)
@given(folded())
@example(("INT", "INT", ["-32768", "-1", "0"], "(a / b)"))
@example(("INT", "INT", ["-7", "2", "0"], "(a MOD b)"))
@example(("LINT", "LINT", ["-9223372036854775808", "-1", "0"], "(a MOD b)"))
@example(("REAL", "REAL", ["0.1", "0.2", "3.0"], "((a + b) * c)"))
def test_a_constant_has_the_value_that_the_run_computes(case: tuple[str, str, list[str], str]) -> None:
    type_, result, operands, text = case
    given_ = " ".join(f"{n} : {type_} := {v};" for n, v in zip("abc", operands, strict=True))
    early, findings = checked(
        f"FUNCTION_BLOCK B VAR CONSTANT {given_} k : {result} := {text}; END_VAR\n"
        f"VAR r : {result}; END_VAR r := k; END_FUNCTION_BLOCK"
    )
    late = machine_of(block(f"{given_} r : {result};", f"r := {text};"))
    fault = late.run(1).fault
    errors = [f for f in findings if f.severity == "error"]
    if fault is not None:
        assert errors, f"{text} of {operands} has no value at run time: {fault}"
        return
    assume(not (errors and type_ in REALS))  # what is not finite has no literal
    assert not errors, (operands, text, [str(f) for f in errors])
    constant = early.units["B"].variables["K"].initial
    assert isinstance(constant, (bool, int, float))
    came = late.read("r")
    assert not isinstance(came, str)
    assert same(constant, came), (operands, text, constant, came)


@pytest.mark.parametrize(
    ("declaration", "name"),
    [("k : INT := 1 / 0;", "division-by-zero"), ("k : REAL := 1.0E30 * 1.0E30;", "out-of-range")],
)
def test_a_constant_without_a_value_is_refused(declaration: str, name: str) -> None:
    found = findings_of(f"FUNCTION_BLOCK B VAR CONSTANT {declaration} END_VAR ; END_FUNCTION_BLOCK")
    assert [f.split()[1] for f in found if "unused" not in f] == [name]
