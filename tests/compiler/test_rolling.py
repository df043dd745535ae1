"""Long runs of statements of one shape become loops over a table."""

from __future__ import annotations

import pytest

from tests.helpers import block, checked, machine_for, machine_of
from upright_block.compiler.linking import build_artifact
from upright_block.compiler.program import make_program

NAMES = [f"n{number}" for number in range(700)]
LAMPS = "FUNCTION_BLOCK L VAR_INPUT on : BOOL; gain : INT; END_VAR VAR_OUTPUT q : INT; END_VAR IF on THEN q := q + gain; END_IF END_FUNCTION_BLOCK\n"


def size(text: str) -> int:
    """Characters of the code of B."""
    return len(build_artifact(make_program(checked(text)[0].units["B"])).text)


def lamps(count: int) -> str:
    """A block with so many instances that read a field and write another."""
    calls = "".join(f"a[{n}](on := keys[{n}] AND NOT stop, gain := 3, q => sums[{n}]);\n" for n in range(count))
    fields = f"a : ARRAY [0..{count - 1}] OF L; keys : ARRAY [0..{count - 1}] OF BOOL; stop : BOOL;"
    return LAMPS + block(f"{fields} sums : ARRAY [0..{count - 1}] OF INT;", calls)


def test_code_stays_small_where_rows_are_alike() -> None:
    assert size(lamps(3000)) < size(lamps(590))


def test_a_loop_does_what_its_statements_do() -> None:
    machine = machine_of(lamps(1000))
    for number in (0, 17, 999):
        machine.write(f"keys[{number}]", True)
    machine.run(2)
    machine.write("stop", True)
    machine.run(1)
    assert [machine.read(f"sums[{n}]") for n in (0, 1, 17, 998, 999)] == [6, 0, 6, 0, 6]


def test_each_statement_sees_what_the_one_before_it_did() -> None:
    body = "".join(f"t[{n + 1}] := t[{n}] + 1;\n" for n in range(700))
    machine = machine_of(block("t : ARRAY [0..700] OF INT;", body))
    machine.run(1)
    assert [machine.read(f"t[{n}]") for n in (0, 1, 700)] == [0, 1, 700]


@pytest.mark.parametrize(
    ("declared", "line", "path", "expected"),
    [
        ("x : BOOL;", "x := NOT x;\n", "x", False),
        ("n : INT;", "n := n + 1;\n", "n", 700),
        ("t : ARRAY [0..700] OF INT; n : INT;", "t[{n}] := 100 / (n + 1);\n", "t[699]", 100),
        ("w : ARRAY [0..700] OF BYTE; b : BOOL;", "w[{n}].3 := NOT b;\n", "w[699]", 8),
        ("w : ARRAY [0..700] OF BYTE; t : ARRAY [0..700] OF BOOL;", "t[{n}] := NOT w[{n}].5;\n", "t[699]", True),
        (" ".join(f"{name} : INT;" for name in NAMES), "n{n} := n0 + 1;\n", "n699", 2),
    ],
)
def test_what_cannot_be_a_loop_is_none(declared: str, line: str, path: str, expected: bool | int) -> None:
    body = "".join(line.replace("{n}", str(n)) for n in range(700))
    scope, findings = checked(block(declared, body))
    assert not findings
    machine = machine_for(scope.units["B"])
    assert machine.run(1).fault is None
    assert machine.read(path) == expected


def test_a_fault_in_one_of_many_statements_has_its_line() -> None:
    body = "".join(f"t[{n}] := 100 / (t[{n}] + 1);\n" for n in range(700))
    machine = machine_of(block("t : ARRAY [0..700] OF INT;", body))
    machine.write("t[650]", -1)
    fault = machine.run(1).fault
    assert fault is not None
    assert fault.site.unit.source.line(fault.site.start) == 653
