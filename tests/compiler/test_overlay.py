"""Bodies laid over others run in the programs that they are laid over, and in no other."""

from __future__ import annotations

from collections.abc import Iterator

from tests.helpers import checked
from upright_block.compiler.linking import Bodies
from upright_block.compiler.overlay import WRITTEN, Overlay
from upright_block.compiler.program import make_program
from upright_block.language import typed
from upright_block.language.rewriting import rewritten
from upright_block.language.types import DINT
from upright_block.machine.machine import Machine

TEXT = """FUNCTION Next : DINT VAR_INPUT much : DINT; END_VAR
Next := much;
Next := Next + 1;
END_FUNCTION
FUNCTION_BLOCK Inner VAR_OUTPUT n : DINT; END_VAR VAR i : DINT; END_VAR
IF n >= 0 THEN
    FOR i := 1 TO 2 DO n := n + 1; END_FOR
ELSE
    n := 0;
END_IF
END_FUNCTION_BLOCK
FUNCTION_BLOCK Small VAR_OUTPUT n : DINT; END_VAR
CASE n OF
    0..1000: n := n + 1;
END_CASE
END_FUNCTION_BLOCK
FUNCTION_BLOCK B VAR_OUTPUT a, b, c : DINT; END_VAR VAR inner : Inner; small : Small; END_VAR
inner(n => a); small(n => b);
c := c + Next(much := 1);
END_FUNCTION_BLOCK
"""


def twice(statement: typed.Statement) -> Iterator[typed.Statement]:
    """Each assignment that adds to itself once more."""
    yield statement
    if isinstance(statement, typed.Assign) and isinstance(statement.value, typed.Binary):
        yield statement


def test_programs_with_other_bodies_do_not_meet() -> None:
    units = checked(TEXT)[0].units
    chosen = [units[name] for name in ("INNER", "SMALL", "NEXT")]
    doubled = {unit: rewritten(unit.body or (), twice) for unit in chosen}
    overs = [WRITTEN, Overlay(doubled), Overlay({chosen[1]: doubled[chosen[1]]}), Overlay({chosen[0]: ()}), WRITTEN]
    bodies = Bodies()
    machines = [Machine.of(make_program(units["B"], over=over), bodies) for over in overs]
    for machine in machines:
        machine.run(10)
    found = [tuple(machine.read(path) for path in ("a", "b", "c")) for machine in machines]
    assert found == [(20, 10, 20), (40, 20, 30), (20, 20, 20), (0, 10, 20), (20, 10, 20)]
    assert all(unit.body != body for unit, body in doubled.items())


def test_they_may_use_global_variables_of_their_own() -> None:
    units = checked(TEXT)[0].units
    more = typed.Variable("more", "global", DINT, 5)
    small = units["SMALL"]

    def with_more(statement: typed.Statement) -> Iterator[typed.Statement]:
        yield statement
        if isinstance(statement, typed.Assign):
            added = typed.Binary(DINT, "+", typed.Load(DINT, statement.place), typed.Load(DINT, typed.whole(more)), 0)
            yield typed.Assign(statement.origin, statement.place, added)

    over = Overlay({small: rewritten(small.body or (), with_more)})
    machine = Machine.of(make_program(units["B"], over=over, more=[more]))
    machine.run(10)
    assert machine.read("b") == 60
    assert "more" not in {variable.name for unit in units.values() for variable in unit.variables.values()}
