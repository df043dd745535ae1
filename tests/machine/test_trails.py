"""The trail of a scan against what the scan did: its memory, its values, the order of its statements."""

from __future__ import annotations

from random import Random

import pytest

from tests.helpers import checked
from tests.oracle.compare import whole_of
from tests.oracle.programs import make_program as random_program
from upright_block.compiler.layout import DATA, size_of
from upright_block.compiler.program import Mode, make_program
from upright_block.language import typed
from upright_block.language.types import Elementary
from upright_block.runs.trails import Follower, Scan

TRAILS = Mode(trails=True)


def follower(text: str, unit: str = "B", mode: Mode = TRAILS) -> Follower:
    scope, findings = checked(text)
    assert [str(finding) for finding in findings if finding.severity == "error"] == []
    return Follower(make_program(scope.units[unit], mode=mode))


def next_scan(follower: Follower) -> Scan:
    return follower.scan(lambda: follower.machine.run(1, watched=[]))


def must_be_what_it_did(follower: Follower, scan: Scan) -> None:
    """The writes make the memory of the end out of that of the beginning, and each variable that was read has in the
    memory of that moment what was read.
    """
    assert scan.is_whole
    data = slice(DATA, DATA + len(follower.machine.data()))
    end = bytearray(scan.before)
    for each in scan.writes:
        end[each.address : each.address + len(each.after)] = each.after
    assert bytes(end[data]) == follower.machine.data()
    memory, writes = bytearray(scan.before), iter([*scan.writes, None])
    write = next(writes)
    reads = [value for ran in scan.ran for value in ran.values if isinstance(value.value, typed.Load)]
    for read in sorted(reads, key=lambda read: read.at):
        while write is not None and write.at < read.at:
            assert bytes(memory[write.address : write.address + len(write.before)]) == write.before
            memory[write.address : write.address + len(write.after)] = write.after
            write = next(writes)
        assert isinstance(read.value, typed.Load)
        if isinstance(read.value.type, Elementary) and read.address < data.stop:
            size = size_of(read.value.place.type)
            held = int.from_bytes(memory[read.address : read.address + size], "little")
            assert held == read.bits & (1 << 8 * size) - 1, read


@pytest.mark.parametrize("mode", [TRAILS, Mode(trails=True, forces=True)], ids=str)
@pytest.mark.parametrize("seed", range(4))
def test_the_trail_of_random_programs_is_what_they_did(seed: int, mode: Mode) -> None:
    random = Random(seed)
    whole = whole_of([random_program(random, number) for number in range(8)])
    made = Follower(make_program(whole, mode=mode))
    for _ in range(3):
        must_be_what_it_did(made, next_scan(made))


def test_statements_stand_in_the_order_in_which_they_ran_with_their_turns_and_callers() -> None:
    text = """FUNCTION Twice : INT VAR_INPUT x : INT; END_VAR Twice := 2 * x; END_FUNCTION
FUNCTION_BLOCK Inner VAR_INPUT a : INT; END_VAR VAR_OUTPUT b : INT; END_VAR b := Twice(a); END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR i, j, sum : INT; inner : ARRAY [0..1] OF Inner; END_VAR
FOR i := 0 TO 1 DO
  FOR j := i TO 1 DO
    sum := sum + j;
  END_FOR;
  inner[i](a := i + 5, b => sum);
  IF i = 0 THEN CONTINUE; END_IF;
  sum := sum + Twice(i);
END_FOR;
END_FUNCTION_BLOCK
"""
    made = follower(text)
    scan = next_scan(made)
    must_be_what_it_did(made, scan)
    own = [ran for ran in scan.ran if ran.run.unit.name == "B"]
    assert [(type(ran.statement).__name__, ran.turn) for ran in own] == [
        ("For", ()),
        ("For", (1,)),
        ("Assign", (1, 1)),
        ("Assign", (1, 2)),
        ("CallInstance", (1,)),
        ("If", (1,)),
        ("Continue", (1,)),
        ("For", (2,)),
        ("Assign", (2, 1)),
        ("CallInstance", (2,)),
        ("If", (2,)),
        ("Assign", (2,)),
    ]
    assert [ran.turns for ran in own if isinstance(ran.statement, typed.For)] == [2, 2, 1]
    opened = [(run.unit.name, run.path, run.caller.statement.origin.start) for run in scan.runs if run.caller]
    inner, twice = text.index("inner[i]"), text.index("sum + Twice")
    in_inner = text.index("b := Twice")
    assert [(name, path) for name, path, _ in opened[1:]] == [
        ("Inner", "inner[0]"),
        ("Twice", "inner[0]"),
        ("Inner", "inner[1]"),
        ("Twice", "inner[1]"),
        ("Twice", ""),
    ]
    assert [start for _, _, start in opened[1:]] == [inner, in_inner, inner, in_inner, twice - len("sum := ")]
    assert [value.content for value in own[-1].values] == [12, 1, 2, 14]  # sum, i, Twice(i), sum + Twice(i)


def test_a_trail_that_has_no_room_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upright_block.machine.machine._TRAIL", 16 * 100)
    made = follower(
        "FUNCTION_BLOCK B VAR i, s : INT; END_VAR FOR i := 1 TO 500 DO s := s + i; END_FOR; END_FUNCTION_BLOCK"
    )
    scan = next_scan(made)
    assert not scan.is_whole
    assert scan.length == 100
