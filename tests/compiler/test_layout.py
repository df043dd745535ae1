"""Where variables live, and what a body needs of them."""

from __future__ import annotations

import pytest

from tests.helpers import block, checked, machine_of
from upright_block.compiler.flow import usage
from upright_block.compiler.layout import layout_of
from upright_block.compiler.linking import build_artifact
from upright_block.compiler.program import make_program
from upright_block.language.signals import NoSignal, signals

NEST = """
FUNCTION_BLOCK In VAR_INPUT a : BOOL; END_VAR VAR n : LINT; t : TON; END_VAR t(IN := a, PT := T#1s); END_FUNCTION_BLOCK
FUNCTION_BLOCK Out VAR x : INT; one, two : In; END_VAR VAR CONSTANT K : INT := 7; END_VAR
one(a := TRUE); two(a := x = K); END_FUNCTION_BLOCK
"""


def test_no_two_variables_share_a_byte_and_each_is_aligned() -> None:
    unit = checked(NEST)[0].units["OUT"]
    taken: set[int] = set()
    program = make_program(unit)
    for slot in map(program.slot, signals(unit)):
        width = slot.size
        places = set(range(slot.offset, slot.offset + width))
        assert not places & taken
        assert slot.offset % width == 0
        taken |= places
    assert max(taken) < len(program.initial)


def test_paths_are_found_in_any_letter_case() -> None:
    unit = checked(NEST)[0].units["OUT"]
    program = make_program(unit)
    assert program.slot("TWO.T.et").path == "two.t.ET"
    assert program.slot("two.t").type is unit.uses["IN"].uses["TON"]
    for path in ("two.q", "x.y"):
        with pytest.raises(NoSignal):
            program.slot(path)
    assert program.slot("k").offset == -1


def test_an_address_leads_back_to_its_instance() -> None:
    scope = checked(NEST)[0]
    unit, inner = scope.units["OUT"], scope.units["IN"]
    program = make_program(unit)
    start = layout_of(program.root).offsets[program.inside]
    two = start + layout_of(unit).offsets[unit.variables["TWO"]]
    artifact = build_artifact(program)
    numbers = {name.key: name.number for name in artifact.units}
    held = artifact.held
    assert held.path_to(start, artifact.subject.number) == ""
    assert held.path_to(two, numbers["IN"]) == "two"
    assert held.path_to(two + layout_of(inner).offsets[inner.variables["T"]], numbers["TON"]) == "two.t"
    assert held.path_to(two + 1, numbers["IN"]) is None


def test_instances_keep_their_own_data() -> None:
    text = "FUNCTION_BLOCK C VAR_INPUT d : INT; END_VAR VAR n : INT; END_VAR n := n + d; END_FUNCTION_BLOCK\n"
    machine = machine_of(text + block("a, b : C;", "a(d := 1); b(d := 10); a();"))
    machine.run(3)
    assert (machine.read("a.n"), machine.read("b.n")) == (6, 30)


@pytest.mark.parametrize(
    ("body", "needed"),
    [
        ("a := 1;", ""),
        ("a := a + 1;", "A"),
        ("IF c THEN a := 1; END_IF;", "A C"),
        ("IF c THEN a := 1; ELSE a := 2; END_IF;", "C"),
        ("IF c THEN RETURN; END_IF; a := 1;", "A C"),
        ("CASE b OF 1: a := 1; ELSE a := 2; END_CASE;", "B"),
        ("CASE b OF 1: a := 1; END_CASE;", "A B"),
        ("WHILE c DO a := 1; END_WHILE;", "A C"),
        ("FOR a := 1 TO 3 DO b := a; END_FOR;", "B"),
        ("a := 1; b := a;", ""),
        ("b := F(b, o => b);", "B"),
        ("b := b + F(1, o => b);", "B"),
        ("b := F(1, o => a) + a;", ""),
    ],
)
def test_only_what_matters_is_loaded(body: str, needed: str) -> None:
    function = "FUNCTION F : INT VAR_INPUT i : INT; END_VAR VAR_OUTPUT o : INT; END_VAR F := i; o := i; END_FUNCTION\n"
    text = function + block(
        "a, b : INT; c : BOOL;", body.replace("F(b, o", "F(i := b, o").replace("F(1, o", "F(i := 1, o")
    )
    unit = checked(text)[0].units["B"]
    assert unit.body is not None
    assert {v.key for v in usage(unit.body).needed} == set(needed.split())
