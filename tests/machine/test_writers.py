"""Which statement wrote a value last."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, SECOND, checked
from upright_block.compiler.image import build_image
from upright_block.compiler.layout import slots
from upright_block.library import load_library
from upright_block.machine.machine import Machine

TEXT = """TYPE Rec : STRUCT a, b : INT; END_STRUCT; END_TYPE
FUNCTION_BLOCK Inner VAR_INPUT i : INT; END_VAR VAR_OUTPUT o : INT; END_VAR
o := i + 1;
END_FUNCTION_BLOCK
FUNCTION Both : INT VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR
Both := x; y := x + 1;
END_FUNCTION
FUNCTION_BLOCK B
VAR n, k, f, y : INT; w : WORD; r, q : Rec; e : ARRAY [1..3] OF INT; inner : Inner; t : TON; s : STRING; never : INT; END_VAR
n := n + 1;
IF n = 1 THEN
    k := 1;
ELSE
    k := 2;
END_IF
w.3 := TRUE;
r.a := n;
q := r;
e[n] := 5;
inner(i := 4);
f := Both(n, y);
t(IN := TRUE, PT := T#1s);
s := 'ab';
END_FUNCTION_BLOCK
"""
FIRST = 10  # the line of n := n + 1


def noting(text: str) -> Machine:
    return Machine(build_image(checked(text)[0].units["B"], notes_writers=True))


@pytest.mark.parametrize(
    ("scans", "lines"),
    [
        (
            1,
            {
                "n": 0,
                "k": 2,
                "w": 6,
                "r.a": 7,
                "e[1]": 9,
                "inner.i": 10,
                "inner.o": -7,
                "f": 11,
                "y": 11,
                "s": 13,
            },
        ),
        (2, {"k": 4, "e[2]": 9, "e[1]": 9}),
    ],
)
def test_the_statement_is_known_that_wrote_last(scans: int, lines: dict[str, int]) -> None:
    machine = noting(TEXT)
    machine.run(scans, SECOND)
    found = {path: machine.writer(machine.slot(path)) for path in lines}
    assert {path: site.line - FIRST if site else None for path, site in found.items()} == lines


@pytest.mark.parametrize("path", ["never", "q.a", "q.b", "e[3]", "t.ET"])
def test_what_is_not_known_is_not_told(path: str) -> None:
    machine = noting(TEXT)
    machine.run(2, SECOND)
    assert machine.writer(machine.slot(path)) is None
    usual = Machine(build_image(checked(TEXT)[0].units["B"]))
    assert usual.writer(usual.slot(path)) is None


def test_a_run_that_notes_writers_gives_the_same_values() -> None:
    library = load_library(EXAMPLES / "demo")
    for unit in (u for u in library.units if u.keeps_data):
        machines = [Machine(build_image(unit, notes_writers=noted)) for noted in (False, True)]
        inputs = [slot for slot in slots(unit) if slot.is_driven]
        for scan in range(300):
            for machine in machines:
                for number, slot in enumerate(inputs):
                    if slot.type.family == "bool":
                        machine.write(slot.path, (scan * (number + 3) // 7) % 3 == 1)
                machine.run(1, SECOND // 4)
            values = [[machine.peek(slot) for slot in slots(unit)] for machine in machines]
            assert values[0] == values[1], (unit.name, scan)


def test_the_data_of_the_standard_has_no_line_of_the_library(tmp_path: Path) -> None:
    machine = noting(TEXT)
    machine.run(1, SECOND)
    site = machine.writer(machine.slot("t.IN"))
    assert site is not None
    assert site.line - FIRST == 12
