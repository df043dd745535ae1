"""Which statement wrote a value last."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, SECOND, machine_for, machine_of
from upright_block.compiler.program import USUAL, Mode
from upright_block.language.signals import signals
from upright_block.language.timebase import Timebase
from upright_block.library import load_library

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
NOTING = Mode(notes_writers=True)
FIRST = 10  # the line of n := n + 1


@pytest.mark.parametrize(
    ("scans", "lines"),
    [
        (1, {"n": 0, "k": 2, "w": 6, "r.a": 7, "e[1]": 9, "inner.i": 10, "inner.o": -7, "f": 11, "y": 11, "s": 13}),
        (2, {"k": 4, "e[2]": 9, "e[1]": 9}),
    ],
)
def test_the_statement_is_known_that_wrote_last(scans: int, lines: dict[str, int]) -> None:
    machine = machine_of(TEXT, mode=NOTING)
    machine.run(scans)
    found = {path: machine.writer(machine.slot(path)) for path in lines}
    assert {path: site.line - FIRST if site else None for path, site in found.items()} == lines


@pytest.mark.parametrize("path", ["never", "q.a", "q.b", "e[3]", "t.ET"])
def test_what_is_not_known_is_not_told(path: str) -> None:
    machine = machine_of(TEXT, mode=NOTING)
    machine.run(2)
    assert machine.writer(machine.slot(path)) is None
    usual = machine_of(TEXT)
    assert usual.writer(usual.slot(path)) is None


def test_a_run_that_notes_writers_gives_the_same_values() -> None:
    library = load_library(EXAMPLES / "demo")
    for unit in (u for u in library.units if u.keeps_data):
        machines = [machine_for(unit, mode) for mode in (USUAL, NOTING)]
        for machine in machines:
            machine.timebase = Timebase(SECOND // 4)
        paths = [signal.path for signal in signals(unit)]
        known = [[machine.slot(path) for path in paths] for machine in machines]
        inputs = [machines[0].slot(signal) for signal in signals(unit) if signal.is_driven]
        for scan in range(300):
            for machine in machines:
                for number, slot in enumerate(inputs):
                    if slot.type.family == "bool":
                        machine.write(slot.path, (scan * (number + 3) // 7) % 3 == 1)
                machine.run(1)
            values = [[machine.peek(slot) for slot in own] for machine, own in zip(machines, known, strict=True)]
            assert values[0] == values[1], (unit.name, scan)


def test_the_data_of_the_standard_has_no_line_of_the_library(tmp_path: Path) -> None:
    machine = machine_of(TEXT, mode=NOTING)
    machine.run(1)
    site = machine.writer(machine.slot("t.IN"))
    assert site is not None
    assert site.line - FIRST == 12
