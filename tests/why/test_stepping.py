"""A machine in Python goes through its scans statement by statement: forwards, backwards, and with values that are set in
the middle.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from random import Random
from typing import Any

import pytest

from tests.helpers import EXAMPLES, checked, write_files
from tests.oracle.compare import whole_of
from tests.oracle.programs import make_program as random_program
from upright_block import BadValue, ScanFault, UnknownName, open_library
from upright_block.compiler.program import Mode
from upright_block.face.steered import Steered
from upright_block.language.signals import signals
from upright_block.language.timebase import Timebase

COUNT = int(os.environ.get("UPRIGHT_STEPPED", "3"))

BLOCK = """FUNCTION_BLOCK Twice VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR
y := 2 * x;
END_FUNCTION_BLOCK
FUNCTION_BLOCK B VAR_INPUT load : INT; part : INT := 1; END_VAR
VAR_OUTPUT first, second, rest, sum : INT; END_VAR
VAR own : INT; twice : Twice; i : INT; END_VAR
own := own + 1;
first := own + load;
twice(x := own);
second := twice.y + load;
FOR i := 1 TO 3 DO
    sum := sum + own;
END_FOR;
rest := 100 / part;
END_FUNCTION_BLOCK
"""


def machine_of(folder: Path, text: str = BLOCK) -> Steered:
    return open_library(write_files(folder, {"blocks/b.st": text})).machine("B", scan="100ms")


def seen(machine: Steered, paths: Sequence[str]) -> Any:
    """Where a machine stands, and some values."""
    at = machine.at
    place = None if at is None else (at.file, at.line, at.instance, at.turn)
    return machine.now, place, [repr(machine.read(path)) for path in paths]


def held(machine: Steered) -> Any:
    """All of a machine that can be seen, at a moment."""
    tracks = {path: (list(track.times), list(map(repr, track.values))) for path, track in machine.trace().items()}
    return seen(machine, [signal.path for signal in signals(machine.unit) if signal.is_value]), tracks


def test_a_scan_is_gone_through_as_it_runs(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.set("load", 10)
    assert machine.at is None
    steps = [machine.step() for _ in range(4)]
    assert [(step.line, step.instance) for step in steps] == [(7, ""), (8, ""), (9, ""), (2, "twice")]
    assert (steps[1].text, steps[1].reads[0].path, steps[1].writes[0].after) == ("first := own + load", "own", 11)
    assert (steps[2].kind, steps[2].opens) == ("call", "twice")
    at = machine.at
    assert at is not None
    assert (at.line, at.ran, at.writes) == (10, False, ())
    assert [machine.read(path) for path in ("own", "first", "twice.y", "second")] == [1, 11, 2, 0]
    assert [machine.step().turn for _ in range(4)] == [(), (), (1,), (2,)]
    assert machine.read("sum") == 2
    machine.scan()
    assert (machine.at, machine.now, machine.read("sum"), machine.read("rest")) == (None, 100_000_000, 3, 100)
    assert str(machine.step()).endswith("own := own + 1   own 1 -> 2")


def test_calls_are_stepped_over_both_ways(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    lines = [machine.step(over=True).line for _ in range(4)]
    assert lines == [7, 8, 9, 10]
    assert machine.read("twice.y") == 2
    assert [machine.back(over=True).line for _ in range(4)] == [10, 9, 8, 7]
    assert machine.at is None
    with pytest.raises(BadValue, match="No statement ran before"):
        machine.back()


def test_private_data_acts_at_once_and_an_input_in_the_next_scan(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.step()
    machine.set("own", 20)
    machine.set("load", 7)
    assert [machine.read(path) for path in ("own", "load")] == [20, 0]
    assert machine.step().writes[0].after == 20
    machine.step()
    machine.set("own", 30)
    machine.scan()
    assert [machine.read(p) for p in ("own", "first", "twice.y", "second", "sum", "load")] == [30, 20, 40, 40, 90, 7]
    node = machine.why("own").node
    assert (node.value, node.kind, node.wrote) == (30, "set", 0)
    machine.scan()
    assert [machine.read(path) for path in ("own", "first")] == [31, 38]
    assert machine.trace("own")["own"].plain == [30, 31]


def test_what_was_set_in_the_middle_is_undone_and_done_again(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.step()
    machine.set("own", 20)
    machine.step()
    machine.set("load", 3)
    whole = machine.snapshot()
    machine.scan(200)
    later = held(machine)
    assert machine.back(wrote="first").scan == 199
    machine.restore(whole)
    assert machine.at is not None
    machine.scan(200)
    assert held(machine) == later
    for _ in range(8):
        machine.back()
    machine.scan()
    assert held(machine) == later
    machine.restore(whole)
    machine.back()
    assert machine.read("own") == 20
    machine.back()
    machine.scan()
    assert [machine.read(path) for path in ("own", "load")] == [1, 0]


def test_back_to_the_last_statement_that_wrote(tmp_path: Path) -> None:
    text = BLOCK.replace("own := own + 1;", "IF load > 0 THEN\nown := own + load; END_IF;").replace(
        "own : INT;", "own, idle : INT;"
    )
    machine = machine_of(tmp_path, text)
    machine.set("load", 4)
    machine.scan()
    machine.set("load", 0)
    machine.scan(500)
    step = machine.back(wrote="own")
    assert (step.scan, step.line, step.writes[0].after) == (0, 8, 4)
    at = machine.at
    assert at is not None
    assert (at.scan, at.line, machine.read("own"), machine.read("first")) == (0, 9, 4, 0)
    with pytest.raises(BadValue, match=r"No statement has written idle"):
        machine.back(wrote="idle")
    assert held(machine)[0][1][1] == 9
    with pytest.raises(UnknownName):
        machine.back(wrote="onw")


def test_a_fault_stops_at_its_statement(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.scan(2)
    machine.set("part", 0)
    for _ in range(9):
        machine.step()
    with pytest.raises(ScanFault, match="Division by zero"):
        machine.step()
    assert (machine.back().line, machine.now, machine.read("sum")) == (14, 200_000_000, 18)
    at = machine.at
    assert at is not None
    assert at.line == 14
    assert machine.read("rest") == 100
    machine.set("part", 5)
    with pytest.raises(ScanFault):
        machine.scan()
    statements, before = machine.seen()
    assert (statements.number, before, statements.of_instance("")[-1].line) == (2, None, 14)
    machine.to(2)
    assert (machine.now, machine.read("sum")) == (200_000_000, 9)
    for _ in range(20):
        machine.back()
    machine.scan()
    assert machine.read("rest") == 100


def test_forces_and_power_come_and_go_with_the_statements(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.scan()
    machine.force("own", 50)
    machine.step()
    machine.release("own")
    assert machine.read("own") == 50
    machine.power("off")
    machine.step(over=True)
    machine.scan()
    assert machine.read("first") == 0
    machine.scan(5)
    machine.power("on")
    machine.step()
    assert (machine.now, machine.read("own")) == (700_000_000, 1)
    machine.back()
    assert machine.back().scan == 1
    assert machine.read("own") == 50
    while machine.back().scan:
        pass
    machine.scan(2)
    assert machine.read("own") == 2


def test_where_no_statement_runs_it_says_so(tmp_path: Path) -> None:
    machine = machine_of(tmp_path)
    machine.power("off")
    with pytest.raises(BadValue, match="No statement runs in the next 10,000 scans"):
        machine.step()


def steered(seed: int, mode: Mode) -> Steered:
    random = Random(seed)
    whole = whole_of([random_program(random, number) for number in range(3)])
    return Steered(whole, checked("")[0], Timebase(100_000_000), {}, mode, ["*"])


@pytest.mark.parametrize("mode", [Mode(), Mode(forces=True), Mode(checks_overflow=True)], ids=str)
@pytest.mark.parametrize("seed", range(COUNT))
def test_forwards_and_backwards_is_the_identity(seed: int, mode: Mode) -> None:
    random, machine, other = Random(seed), steered(seed, mode), steered(seed, mode)
    known = [signal.path for signal in signals(machine.unit) if signal.is_value]
    for _ in range(3):
        begins, paths = held(machine), random.sample(known, 12)
        moments = [seen(machine, paths)]
        for _ in range(random.randrange(1, 60)):
            try:
                machine.step()
            except ScanFault:
                moments.append(None)
                break
            moments.append(seen(machine, paths))
        for moment in reversed(moments[:-1]):
            machine.back()
            assert seen(machine, paths) == moment
        assert held(machine) == begins
        try:
            other.scan()
        except ScanFault:
            with pytest.raises(ScanFault):
                machine.scan()
            break
        while machine.now < other.now:
            machine.step(over=random.random() < 0.5)
        assert held(machine) == held(other)


@pytest.mark.parametrize("seed", range(COUNT))
def test_a_plant_comes_back_to_any_moment(seed: int) -> None:
    random = Random(seed)
    plant = open_library(EXAMPLES / "demo").machine("Glasshouse", record=["bay*_vent_*"])
    names = [s.path for s in signals(plant.unit) if s.is_value and str(s.type) == "BOOL" and not s.variable.is_code]
    moments = [(held(plant), plant.snapshot())]
    for _ in range(12):
        for _ in range(random.randrange(3)):
            what = random.choice(["set", "set", "force", "release", "power"])
            if what == "power":
                plant.power(random.choice(["on", "cold"]))
            elif what == "release":
                plant.release(random.choice(names))
            else:
                getattr(plant, what)(random.choice(names), random.random() < 0.5)
        moments.append((held(plant), plant.snapshot()))
        if random.random() < 0.5:
            plant.scan(random.choice([1, 2, 30]))
        else:
            for _ in range(random.randrange(1, 5)):
                plant.step(over=True)
        moments.append((held(plant), plant.snapshot()))
    for wanted, moment in random.sample(moments, 6):
        plant.restore(moment)
        assert held(plant) == wanted
        for _ in range(3):
            with suppress(BadValue):  # at the very beginning
                plant.back()
        plant.restore(moment)
        assert held(plant) == wanted


def test_a_pulse_ends_by_itself_also_after_going_back(tmp_path: Path) -> None:
    machine = machine_of(tmp_path, BLOCK.replace("own : INT;", "own : INT; on : BOOL; ons : INT;") + "")
    machine.scan(2)
    machine.pulse("on", "300ms")
    machine.scan(10)
    assert machine.trace("on")["on"].plain == [False, True, False]
    assert machine.trace("on")["on"].times == [0, 200_000_000, 500_000_000]
    later = held(machine)
    machine.to(3)
    assert machine.read("on") is True
    machine.scan(9)
    assert held(machine) == later
    machine.to(0)
    machine.scan(12)
    assert machine.trace("on", begin="1s")["on"].plain == [False]
    assert machine.read("on") is False
    with pytest.raises(BadValue, match="own is no BOOL"):
        machine.pulse("own")


def test_what_was_set_while_a_pulse_lasts_is_known_in_its_order(tmp_path: Path) -> None:
    machine = machine_of(tmp_path, BLOCK.replace("load : INT;", "load : INT; on : BOOL;"))
    machine.pulse("on", "1s")
    machine.scan(3)
    machine.set("on", False)
    machine.scan(2)
    machine.set("on", True)
    machine.scan(2)
    node = machine.why("on").node
    assert (node.value, node.kind, node.wrote) == (True, "set", 5)
    machine.scan(5)
    node = machine.why("on").node
    assert (node.value, node.kind, node.wrote) == (False, "set", 10)
