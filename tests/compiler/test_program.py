"""Programs: what is compiled besides the unit itself, and what programs share."""

from __future__ import annotations

import pytest

from tests.helpers import SECOND, block, checked, machine_of
from upright_block.compiler.bodies import BodyEmitter
from upright_block.compiler.linking import Bodies, build_artifact
from upright_block.compiler.looking import Probe
from upright_block.compiler.program import USUAL, Mode, make_program
from upright_block.language.checking import observe
from upright_block.language.telling.findings import Findings
from upright_block.language.timebase import Timebase
from upright_block.language.typed import Unit, closure
from upright_block.machine.machine import Machine

HOUSE = """
VAR_GLOBAL limit : INT := 3; END_VAR
FUNCTION Twice : INT VAR_INPUT n : INT; END_VAR Twice := 2 * n; END_FUNCTION
FUNCTION Touch : INT VAR_IN_OUT n : INT; END_VAR n := n + 1; Touch := n; END_FUNCTION
FUNCTION_BLOCK Fan VAR_INPUT rate : INT := 1; END_VAR VAR PUBLIC hidden : INT; END_VAR VAR t : TON; secret : INT; END_VAR
hidden := hidden + rate; secret := -hidden; t(IN := hidden > limit, PT := T#2s); END_FUNCTION_BLOCK
FUNCTION_BLOCK House VAR_IN_OUT sum : INT; END_VAR VAR fans : ARRAY [1..3] OF Fan; i : INT; big : REAL; END_VAR
FOR i := 1 TO 3 DO fans[i](rate := i); END_FOR
sum := sum + fans[3].hidden;
END_FUNCTION_BLOCK
"""


def observed(text: str, unit: str, source: str = HOUSE) -> tuple[Unit, Unit]:
    """A unit, and a probe of it."""
    scope = checked(source)[0]
    findings = Findings()
    found = observe(text, scope.units[unit], scope, findings)
    assert found is not None, [str(f) for f in findings.items]
    return scope.units[unit], found


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("fans[2].hidden", [2, 4, 6, 8]),
        ("ABS(fans[1].secret)", [1, 2, 3, 4]),
        ("Twice(fans[1].hidden) + limit", [5, 7, 9, 11]),
        ("sum", [3, 9, 18, 30]),
        ("fans[3].t.ET", [0, 0, SECOND, 2 * SECOND]),
        ("fans[2].t.Q AND NOT fans[1].t.Q", [0, 0, 0, 1]),
        ("INT_TO_REAL(i) / 8.0", [0.5, 0.5, 0.5, 0.5]),
    ],
)
def test_a_probe_sees_private_data_after_each_scan(text: str, values: list[float]) -> None:
    house, probe = observed(text, "HOUSE")
    machine = Machine.of(make_program(house, probes=[Probe(probe)]))
    machine.timebase = Timebase(SECOND)
    (slot,) = machine.artifact.probes
    assert machine.run(4, watched=[slot]).column(slot).tolist() == values


def test_one_probe_watches_many_instances() -> None:
    scope = checked(HOUSE)[0]
    found = observe("hidden > 4", scope.units["FAN"], scope, Findings())
    assert found is not None
    probes = [Probe(found, f"fans[{i}]") for i in (1, 2, 3)]
    program = make_program(scope.units["HOUSE"], probes=probes)
    machine = Machine.of(program)
    trace = machine.run(6, watched=machine.artifact.probes)
    first = [trace.changes(slot)[0] for slot in machine.artifact.probes]
    assert first == [4, 2, 1]
    assert machine.artifact.text.count("(func $u") == len(closure(program.root))


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("fnas[1].hidden", "unknown-name"),
        ("fans[1]", "no-value"),
        ("fans[1].hidden >", "missing-value"),
        ("Touch(sum) > 3", "changes-something"),
        ("fans[1].hidden > 3; sum", "unexpected"),
        ("REF(sum) = NULL", "changes-something"),
        ("", "missing-value"),
    ],
)
def test_what_cannot_be_looked_at_is_told(text: str, name: str) -> None:
    scope = checked(HOUSE)[0]
    findings = Findings()
    assert observe(text, scope.units["HOUSE"], scope, findings) is None
    assert [f.name for f in findings.items] == [name]


def test_a_condition_is_a_boolean() -> None:
    scope = checked(HOUSE)[0]
    findings = Findings()
    assert observe("sum", scope.units["HOUSE"], scope, findings, is_condition=True) is None
    assert [f.name for f in findings.items] == ["type-mismatch"]


def test_programs_of_one_library_share_the_code_of_units(monkeypatch: pytest.MonkeyPatch) -> None:
    written: list[str] = []
    emit = BodyEmitter.emit

    def counted(emitter: BodyEmitter) -> None:
        written.append(emitter.frame.unit.name)
        emit(emitter)

    monkeypatch.setattr(BodyEmitter, "emit", counted)
    scope, bodies = checked(HOUSE)[0], Bodies()
    alone = [build_artifact(make_program(scope.units[name])).text for name in ("FAN", "HOUSE")]
    written.clear()
    shared = [build_artifact(make_program(scope.units[name]), bodies).text for name in ("FAN", "HOUSE", "FAN")]
    assert shared == [*alone, alone[0]]
    assert sorted(name for name in written if name != ":scan") == ["Fan", "House", "TON"]


COVERED = """FUNCTION_BLOCK B
VAR n, m, i : INT; END_VAR
n := n + 1;
IF n > 3 THEN
  m := 1;
ELSIF n > 1 THEN
  m := 2;
END_IF
CASE n OF
  1: m := 3;
  9: m := 4;
ELSE
  m := 5;
END_CASE
FOR i := 1 TO n - 1 DO
  m := m + 1;
END_FOR
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("scans", "lines"),
    [(1, {3, 4, 9, 10, 15}), (2, {3, 4, 7, 9, 10, 13, 15, 16}), (4, {3, 4, 5, 7, 9, 10, 13, 15, 16})],
)
def test_statements_that_were_reached_are_known(scans: int, lines: set[int]) -> None:
    machine = machine_of(COVERED, mode=Mode(covers=True))
    machine.run(scans)
    reached = [point for point in machine.reached() if not point.way]
    assert {point.unit.source.line(point.start) for point in reached} == lines


def test_the_ways_of_branches_are_known() -> None:
    machine = machine_of(COVERED, mode=Mode(covers=True))
    ways: list[set[tuple[int, str]]] = []
    for _ in range(2):
        machine.run(1)
        ways.append({(p.unit.source.line(p.start), p.way) for p in machine.reached() if p.way})
    assert ways[0] == {(4, "FALSE"), (6, "FALSE"), (10, "1"), (15, "no turn")}
    assert ways[1] - ways[0] == {(6, "TRUE"), (9, "ELSE"), (15, "turn")}
    assert list(machine_of(COVERED).reached()) == []


def test_covering_changes_no_value() -> None:
    machines = [machine_of(COVERED, mode=mode) for mode in (USUAL, Mode(covers=True))]
    traces = [machine.run(20) for machine in machines]
    columns = [
        [trace.column(m.slot(p)).tolist() for p in ("n", "m")] for m, trace in zip(machines, traces, strict=True)
    ]
    assert columns[0] == columns[1]


@pytest.mark.parametrize("limits", [(10, 3), (10, 1), (1_000_000, 1_000)])
def test_a_body_in_parts_does_what_it_does_as_a_whole(monkeypatch: pytest.MonkeyPatch, limits: tuple[int, int]) -> None:
    monkeypatch.setattr("upright_block.compiler.bodies._MOST_TOGETHER", limits[0])
    monkeypatch.setattr("upright_block.compiler.bodies._MOST_IN_PART", limits[1])
    variables = "n, m, i, k : INT; t : ARRAY [1..4] OF TON; q : BOOL; END_VAR VAR_TEMP h : INT := 5;"
    body = """
    n := n + 1; h := h + n; m := h;
    IF n MOD 4 = 0 THEN
      m := m + 100; k := k + 1; t[1](IN := TRUE, PT := T#2s); h := h * 2; m := m + h;
      IF k = 3 THEN m := 0; k := k + 7; RETURN; END_IF
      k := k + 1; q := t[1].Q; m := m + 1; t[2](IN := q, PT := T#1s);
    ELSE
      FOR i := 1 TO 5 DO k := k + 1; IF i = n THEN EXIT; END_IF m := m + k; m := m - 1; t[3](IN := i > 2, PT := T#1s); END_FOR
      m := m + 3; m := m * 2; h := 3; m := m + h; k := k MOD 50;
    END_IF
    q := NOT q; IF n > 13 THEN RETURN; END_IF m := m + 7; n := n; k := k + h;
    """
    machine = machine_of(block(variables, body))
    trace = machine.run(20)
    found = [[trace.column(machine.slot(p)).tolist() for p in ("n", "m", "k", "q", "t[2].ET", "t[3].Q")]]
    monkeypatch.undo()
    whole = machine_of(block(variables, body))
    trace = whole.run(20)
    found.append([trace.column(whole.slot(p)).tolist() for p in ("n", "m", "k", "q", "t[2].ET", "t[3].Q")])
    assert found[0] == found[1]
    assert (".part2" in machine.artifact.text) == (limits[0] == 10)


@pytest.mark.parametrize(
    "body",
    [
        "RETURN; b := 7;",
        "RETURN; b := 7; RETURN; c := b;",
        "IF a = 0 THEN RETURN; b := 8; ELSE RETURN; END_IF b := a; b := b + 1; c := b;",
        "FOR i := 1 TO 3 DO EXIT; b := b + 1; END_FOR",
        "FOR i := 1 TO 3 DO CONTINUE; c := b; b := 2; END_FOR",
        "CASE a OF 0: RETURN; ELSE RETURN; END_CASE b := 9; c := b;",
        "WHILE a = 0 DO a := 1; EXIT; b := c; c := 3; END_WHILE RETURN; c := 2 * c;",
    ],
)
def test_what_stands_behind_a_return_changes_nothing(body: str) -> None:
    machine = machine_of(block("a, b, c, i : DINT;", body))
    machine.write("b", 5)
    machine.write("c", 6)
    machine.run(2)
    assert (machine.read("b"), machine.read("c")) == (5, 6)
