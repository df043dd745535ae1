"""Which types become which without being asked, and what operators take."""

from __future__ import annotations

import pytest

from tests.helpers import block, checked
from upright_block.language.types import ELEMENTARY, common, widens

# IEC 61131-3:2013, figure 12: for each type, all that it becomes implicitly.
WIDENS = {
    "SINT": "INT DINT LINT REAL LREAL",
    "INT": "DINT LINT REAL LREAL",
    "DINT": "LINT LREAL",
    "LINT": "",
    "USINT": "UINT UDINT ULINT INT DINT LINT REAL LREAL",
    "UINT": "UDINT ULINT DINT LINT REAL LREAL",
    "UDINT": "ULINT LINT LREAL",
    "ULINT": "",
    "REAL": "LREAL",
    "LREAL": "",
    "BOOL": "BYTE WORD DWORD LWORD",
    "BYTE": "WORD DWORD LWORD",
    "WORD": "DWORD LWORD",
    "DWORD": "LWORD",
    "LWORD": "",
    "TIME": "LTIME",
    "LTIME": "",
}


@pytest.mark.parametrize("source", WIDENS)
def test_implicit_conversions_are_those_of_the_standard(source: str) -> None:
    wanted = set(WIDENS[source].split())
    assert {t for t in ELEMENTARY if widens(ELEMENTARY[source], ELEMENTARY[t])} == wanted


@pytest.mark.parametrize("source", WIDENS)
@pytest.mark.parametrize("target", WIDENS)
def test_an_assignment_narrows_never_in_silence(source: str, target: str) -> None:
    findings = checked(block(f"a : {target}; b : {source};", "a := b;"))[1]
    allowed = source == target or target in WIDENS[source].split()
    assert [f.name for f in findings] == ([] if allowed else ["type-mismatch"])
    assert all(source in f.message and target in f.message for f in findings)


@pytest.mark.parametrize(
    ("a", "b", "both"),
    [
        ("INT", "DINT", "DINT"),
        ("INT", "UINT", "DINT"),
        ("DINT", "REAL", "LREAL"),
        ("INT", "REAL", "REAL"),
        ("LINT", "ULINT", None),
        ("BYTE", "WORD", "WORD"),
        ("INT", "WORD", None),
        ("TIME", "INT", None),
    ],
)
def test_two_types_meet_in_the_nearest_common_one(a: str, b: str, both: str | None) -> None:
    found = common(ELEMENTARY[a], ELEMENTARY[b])
    assert (found.name if found else None) == both


@pytest.mark.parametrize(
    ("variables", "expression", "result"),
    [
        ("a : TIME; b : TIME;", "a + b", "TIME"),
        ("a : TIME; b : INT;", "a * b", "TIME"),
        ("a : TIME; b : REAL;", "a / b", "TIME"),
        ("a : TIME; b : TIME;", "a < b", "BOOL"),
        ("a : BOOL; b : BOOL;", "a < b", "BOOL"),
        ("a : WORD; b : BYTE;", "a AND b", "WORD"),
        ("a : BOOL; b : BOOL;", "a XOR b", "BOOL"),
        ("a : INT; b : REAL;", "a * b", "REAL"),
        ("a : INT;", "a + 1", "INT"),
        ("a : INT;", "a + 1.5", "REAL"),
        ("a : DINT;", "1.5 * a", "LREAL"),
        ("a : REAL;", "a ** 2", "REAL"),
        ("a : LREAL; b : INT;", "a ** b", "LREAL"),
    ],
)
def test_operators_give_a_type(variables: str, expression: str, result: str) -> None:
    assert checked(block(f"{variables} r : {result};", f"r := {expression};"))[1] == []


@pytest.mark.parametrize(
    ("variables", "expression"),
    [
        ("a : REF_TO INT; b : REF_TO INT;", "a < b"),
        ("a : BOOL; b : INT;", "a + b"),
        ("a : WORD; b : WORD;", "a + b"),
        ("a : INT; b : INT;", "a AND b"),
        ("a : TIME; b : TIME;", "a * b"),
        ("a : INT; b : TIME;", "a * b"),
        ("a : TIME; b : INT;", "a < b"),
        ("a : TIME;", "a + 5"),
        ("a : REAL; b : REAL;", "a MOD b"),
        ("a : INT; b : INT;", "a ** b"),
        ("a : UINT;", "-a"),
        ("a : INT;", "NOT a"),
        ("a : LINT; b : ULINT;", "a = b"),
        ("a : LINT;", "a + 1.5"),
    ],
)
def test_operators_refuse_what_has_no_meaning(variables: str, expression: str) -> None:
    findings = checked(block(f"{variables} r : BOOL;", f"r := ({expression}) = ({expression});"))[1]
    assert findings
    assert {f.name for f in findings} == {"type-mismatch"}


def test_a_long_chain_of_reals_is_told_once() -> None:
    chain = " + ".join(["SQRT(2.0)"] + ["1.0"] * 3000)
    assert checked(block("r : REAL;", f"r := {chain};"))[1] == []
    findings = checked(block("r : REAL; l : LREAL;", f"r := {' + '.join(['l'] * 3000)};"))[1]
    assert [f.name for f in findings] == ["type-mismatch"]
