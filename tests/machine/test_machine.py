"""Scans, the clock, events, forces, traces and faults."""

from __future__ import annotations

import signal

import numpy as np
import pytest

from tests.helpers import SECOND, block, checked, machine_of
from upright_block.compiler.layout import DATA
from upright_block.compiler.program import Mode, make_program
from upright_block.language.timebase import Timebase
from upright_block.machine.events import Event, force_event
from upright_block.machine.machine import Machine, Snapshot
from upright_block.machine.watching import Spans

COUNT = block("n : INT; now : TIME;", "n := n + 1; now := SCAN_START();")
FORCED = Mode(forces=True)


def test_scan_k_starts_at_k_intervals() -> None:
    machine = machine_of(COUNT)
    machine.timebase = Timebase(250_000_000)
    trace = machine.run(4)
    assert trace.column(machine.slot("now")).tolist() == [0, 250_000_000, 500_000_000, 750_000_000]
    assert trace.column(machine.slot("n")).tolist() == [1, 2, 3, 4]


def test_a_run_goes_on_where_the_last_one_ended() -> None:
    machine = machine_of(COUNT)
    machine.run(3)
    trace = machine.run(2)
    assert trace.first == 3
    assert trace.column(machine.slot("now")).tolist() == [3 * SECOND, 4 * SECOND]
    machine.reset()
    assert machine.read("n") == 0
    assert machine.run(1).value(machine.slot("now"), 0) == 0


def test_the_same_run_twice_gives_the_same_bytes() -> None:
    machine = machine_of(COUNT)
    first = machine.run(50).log
    machine.reset()
    assert machine.run(50).log == first
    assert len(first) == 50 * 2 * 16 - 16  # n and now in each scan; now is 0 at first


def test_memory_is_read_and_written_by_path() -> None:
    machine = machine_of(block("t : TON; r : REAL; b : BOOL; w : WORD;", "t(IN := b, PT := T#1s);"))
    machine.write("b", True)
    machine.write("r", 0.5)
    machine.write("w", 0xFFFF)
    machine.run(1)
    assert (machine.read("T.PT"), machine.read("r"), machine.read("w")) == (SECOND, 0.5, 0xFFFF)
    view = machine.view("t.PT")
    assert view.dtype == np.int64
    view[0] = 5
    assert machine.read("t.PT") == 5
    with pytest.raises(KeyError):
        machine.read("t.nothing")


def test_events_act_from_their_scan_on() -> None:
    machine = machine_of(block("a : INT; b : INT;", "b := a * 2;"))
    address = DATA + machine.slot("a").offset
    encode = machine.slot("a").encode
    trace = machine.run(5, [Event(1, address, encode(3)), Event(3, address, encode(-4))])
    assert trace.column(machine.slot("b")).tolist() == [0, 6, 6, -8, -8]


def test_a_force_holds_against_the_body_until_released() -> None:
    machine = machine_of(block("n : INT; seen : INT;", "seen := n; n := n + 1;"), mode=FORCED)
    slot = machine.slot("n")
    events = [force_event(slot, 2, slot.encode(50), False), force_event(slot, 4, None, False)]
    trace = machine.run(6, events)
    assert trace.column(slot).tolist() == [1, 2, 50, 50, 51, 52]
    assert trace.column(machine.slot("seen")).tolist() == [0, 1, 50, 50, 50, 51]


def test_a_part_of_the_data_may_be_recorded() -> None:
    machine = machine_of(block("n : INT; x : LINT;", "n := n + 1;"))
    slot = machine.slot("n")
    trace = machine.run(3, watched=[slot])
    assert trace.column(slot).tolist() == [1, 2, 3]
    with pytest.raises(KeyError):
        trace.column(machine.slot("x"))


def test_a_long_run_is_recorded_in_pieces_without_a_seam() -> None:
    variables = " ".join(f"x{i} : LINT;" for i in range(40))
    machine = machine_of(block(f"n : DINT; {variables}", "n := n + 1;"))
    scans = 120_000
    trace = machine.run(scans)
    assert len(trace.log) == scans * 16
    assert np.array_equal(trace.column(machine.slot("n")), np.arange(1, scans + 1))


def test_a_trace_tells_since_when_a_value_stands() -> None:
    machine = machine_of(block("n : INT; b : BOOL;", "n := n + 1; b := n > 3;"))
    trace = machine.run(6)
    assert trace.since(machine.slot("b"), 5) == 3
    assert trace.since(machine.slot("b"), 2) is None


FAULTS = {
    "an integer divided by zero": ("n := 1 / n;", "division by zero"),
    "a real divided by zero": ("r := 1.0 / r;", "division by zero"),
    "a duration divided by zero": ("t := T#1s / n;", "division by zero"),
    "a duration divided by zero real": ("t := T#1s / r;", "division by zero"),
    "a loop without end": ("WHILE TRUE DO n := 1; END_WHILE;", "endless loop"),
    "a repetition without end": ("REPEAT n := 1; UNTIL FALSE END_REPEAT;", "endless loop"),
    "loops that take too long together": (
        "FOR n := 1 TO 30000 DO FOR m := 1 TO 30000 DO ; END_FOR; END_FOR;",
        "endless loop",
    ),
    "a step of zero": ("FOR n := 1 TO 3 BY m DO ; END_FOR;", "endless loop"),
    "a real beyond an integer": ("r := 1.0E9; n := REAL_TO_INT(r);", "value out of the range of INT"),
    "no number as an integer": ("r := SQRT(-1.0 + r); n := REAL_TO_INT(r);", "value out of the range of INT"),
    "a duration too long": ("t := T#100000d * 1.0E9;", "value out of the range of TIME"),
}


@pytest.mark.parametrize(("body", "kind"), FAULTS.values(), ids=FAULTS)
def test_a_fault_stops_the_scan_at_its_line(body: str, kind: str) -> None:
    machine = machine_of(
        block("n, m : INT; r : REAL; t : TIME; go : BOOL;", f"IF SCAN_START() >= T#2s THEN\n{body}\nEND_IF;")
    )
    trace = machine.run(10)
    assert trace.fault is not None
    assert (trace.fault.site.kind, trace.fault.scan, trace.fault.instance) == (kind, 2, "")
    assert trace.fault.site.line == 4
    assert trace.scans == 2


def test_a_fault_names_the_instance_it_happened_in() -> None:
    text = "FUNCTION F : INT VAR_INPUT d : INT; END_VAR F := 10 / d; END_FUNCTION\n"
    text += "FUNCTION_BLOCK In VAR_INPUT d : INT; END_VAR VAR n : INT; END_VAR n := F(d); END_FUNCTION_BLOCK\n"
    text += "FUNCTION_BLOCK Middle VAR first, second : In; END_VAR first(d := 1); second(d := 0); END_FUNCTION_BLOCK\n"
    fault = machine_of(text + block("x : LINT; m : Middle;", "m();")).run(3).fault
    assert fault is not None
    assert (fault.instance, fault.site.unit.name, fault.site.line) == ("m.second", "F", 1)


def test_a_loop_within_its_budget_is_no_fault() -> None:
    machine = machine_of(block("i, n : DINT;", "FOR i := 1 TO 1000000 DO n := n + 1; END_FOR;"))
    assert machine.run(3).fault is None
    assert machine.read("n") == 3_000_000


def test_a_constant_may_be_given_another_value() -> None:
    text = block("n : INT; END_VAR VAR CONSTANT K : INT := 3;", "n := n + K;")
    unit = checked(text)[0].units["B"]
    machine = Machine.of(make_program(unit, {unit.variables["K"]: 10}))
    machine.run(2)
    assert machine.read("n") == 20


def test_an_input_with_an_edge_is_seen_for_one_scan() -> None:
    text = "FUNCTION_BLOCK B VAR_INPUT up : BOOL R_EDGE; down : BOOL F_EDGE; END_VAR VAR n, m : INT; END_VAR "
    text += "IF up THEN n := n + 1; END_IF IF down THEN m := m + 1; END_IF END_FUNCTION_BLOCK"
    machine = machine_of(text)
    for level in (False, True, True, False, True):
        machine.write("up", level)
        machine.write("down", level)
        machine.run(1)
    assert (machine.read("n"), machine.read("m")) == (2, 2)


def test_texts_are_recorded_and_traced() -> None:
    machine = machine_of(
        block("s : STRING[5] := 'a'; k : INT;", "k := k + 1; IF k MOD 3 = 0 THEN s := CONCAT(s, 'b'); END_IF")
    )
    trace = machine.run(7)
    slot = machine.slot("s")
    assert trace.column(slot).tolist() == ["a", "a", "ab", "ab", "ab", "abb", "abb"]
    assert (trace.value(slot, 4), trace.since(slot, 4), trace.since(slot, 1)) == ("ab", 2, None)
    machine.write("s", "far too long")
    assert machine.read("s") == "far t"


def test_everything_starts_anew_at_a_reset() -> None:
    text = "VAR_GLOBAL g : INT := 3; END_VAR FUNCTION_BLOCK B VAR_IN_OUT io : INT; END_VAR VAR a : ARRAY [1..2] OF INT; END_VAR "
    text += "g := g + 1; io := io + 1; a[2] := a[2] + g; END_FUNCTION_BLOCK"
    machine = machine_of(text)
    for _ in range(2):
        machine.run(2)
        assert [machine.read(p) for p in ("g", "io", "a[2]")] == [5, 2, 9]
        machine.reset()
    assert [machine.read(p) for p in ("g", "io", "a[2]")] == [3, 0, 0]


def test_the_wall_clock_runs_with_the_scans() -> None:
    machine = machine_of(block("d : DT; t : TIME;", "d := CLOCK_NOW(); t := SCAN_START();"))
    machine.timebase, machine.clock_start = Timebase(10 * SECOND), 100 * SECOND
    machine.run(4)
    assert (machine.read("d"), machine.read("t")) == (130 * SECOND, 30 * SECOND)


def test_temporary_data_starts_anew_in_each_scan() -> None:
    text = "FUNCTION_BLOCK B VAR_TEMP n : INT := 3; a : ARRAY [1..2] OF INT := [1, 2]; END_VAR VAR m : INT; END_VAR "
    text += "n := n + 1; a[2] := a[2] + n; m := m + a[2]; END_FUNCTION_BLOCK"
    machine = machine_of(text)
    trace = machine.run(3)
    assert trace.column(machine.slot("m")).tolist() == [6, 12, 18]
    assert machine.read("a[2]") == 6


CHANGING = "FUNCTION_BLOCK B VAR n : DINT; half : INT; slow : BOOL; r : REAL; s : STRING[20]; END_VAR "
CHANGING += "n := n + 1; half := DINT_TO_INT(n / 2); slow := n MOD 50 > 40; r := DINT_TO_REAL(n) / 3.0; "
CHANGING += "IF n MOD 7 = 0 THEN s := CONCAT('a long text ', DINT_TO_STRING(n)); END_IF END_FUNCTION_BLOCK"


@pytest.mark.parametrize(("log", "many"), [(16 << 20, 200_000), (200, 200_000), (16 << 20, 0), (5000, 10)])
def test_a_log_of_changes_tells_every_value(monkeypatch: pytest.MonkeyPatch, log: int, many: int) -> None:
    monkeypatch.setattr("upright_block.machine.machine._LOG", log)
    monkeypatch.setattr("upright_block.machine.trace._MANY", many)
    machine = machine_of(CHANGING)
    paths = ("n", "half", "slow", "r", "s")
    slots_ = {path: machine.slot(path) for path in paths}
    step = machine_of(CHANGING)
    wanted: dict[str, list[object]] = {path: [] for path in paths}
    for _ in range(300):
        step.run(1)
        for path in paths:
            wanted[path].append(step.read(path))
    pieces = list(machine.pieces(300, spans=Spans.of(slots_.values())))
    assert len(pieces) > 1 or log > 5000
    assert [piece.first for piece in pieces[1:]] == [piece.end for piece in pieces[:-1]]
    for path, slot in slots_.items():
        found = [value for piece in pieces for value in piece.values(slot, range(piece.first, piece.end))]
        assert found == wanted[path], path
        changes = [int(scan) for piece in pieces for scan in piece.changes(slot)]
        assert changes == [k for k in range(1, 300) if wanted[path][k] != wanted[path][k - 1]], path


def test_a_day_of_booleans_takes_the_memory_of_its_changes() -> None:
    names = [f"b{i}" for i in range(50)]
    body = "n := n + 1; " + " ".join(f"{name} := n MOD {1000 + 17 * i} = 0;" for i, name in enumerate(names))
    machine = machine_of(block(f"n : DINT; {', '.join(names)} : BOOL;", body))
    trace = machine.run(100_000, watched=map(machine.slot, names))
    assert trace.column(machine.slot("b3")).sum() == 100_000 // 1051
    assert len(trace.log) < 200_000


def test_a_force_outlives_runs_until_it_is_released() -> None:
    machine = machine_of(block("n : INT; w : WORD;", "n := n + 1; w := INT_TO_WORD(n);"), mode=FORCED)
    n, bit = machine.slot("n"), machine.slot("w.7")
    machine.force(n, n.encode(5))
    machine.force(bit, bit.encode(True))
    assert (machine.read("n"), machine.read("w")) == (5, 128)
    for _ in range(2):
        machine.run(2)
        assert (machine.read("n"), machine.read("w")) == (5, 5 + 128)
    machine.release(n)
    machine.release(n)
    machine.run(2)
    assert (machine.read("n"), machine.read("w")) == (7, 7 + 128)
    machine.reset()
    machine.run(1)
    assert (machine.read("n"), machine.read("w")) == (1, 1)


def test_every_element_may_be_forced() -> None:
    machine = machine_of(block("a : ARRAY [0..999] OF INT;", "a[0] := 1;"), mode=FORCED)
    for number in range(1_000):
        slot = machine.slot(f"a[{number}]")
        machine.force(slot, slot.encode(number))
    machine.run(1)
    assert [machine.read(f"a[{i}]") for i in range(1_000)] == list(range(1_000))


def test_a_machine_comes_back_to_a_snapshot_with_clock_and_forces() -> None:
    text = "VAR_GLOBAL g : INT; END_VAR " + block(
        "n : INT; t : TON;", "n := n + 1; g := g + n; t(IN := TRUE, PT := T#5s);"
    )
    machine = machine_of(text, mode=FORCED)
    n = machine.slot("n")
    machine.run(3)
    machine.force(n, n.encode(10))
    kept = machine.snapshot()
    first = [machine.run(4).column(machine.slot(p)).tolist() for p in ("g",)]
    machine.release(n)
    machine.run(2)
    machine.restore(kept)
    assert (machine.scan, machine.read("t.ET")) == (3, 2 * SECOND)
    assert [machine.run(4).column(machine.slot(p)).tolist() for p in ("g",)] == first
    machine.release(n)
    machine.run(1)
    assert machine.read("n") == 11


def test_a_run_stops_when_its_condition_is_met_and_goes_on() -> None:
    machine = machine_of(block("n : DINT; far : BOOL;", "n := n + 1; far := n MOD 10_000 = 0;"))
    far = machine.slot("far")
    for times in (1, 2):
        trace = machine.run(50_000, watched=[far], until=far)
        assert (trace.is_met, machine.scan, machine.read("n")) == (True, 10_000 * times, 10_000 * times)
    trace = machine.run(5_000, watched=[far], until=far)
    assert (trace.is_met, machine.scan) == (False, 25_000)


def test_a_run_goes_on_after_a_fault() -> None:
    machine = machine_of(block("n, d : INT;", "n := n + 1; d := 10 / (n - 3);"))
    trace = machine.run(10)
    assert trace.fault is not None
    assert (trace.fault.scan, machine.scan, trace.scans) == (2, 2, 2)
    assert machine.run(3).fault is None
    assert (machine.scan, machine.read("n")) == (5, 6)


def test_a_run_that_is_interrupted_goes_on_where_it_was() -> None:
    machine = machine_of(block("n : LINT;", "n := n + 1;"))

    def interrupt(number: int, frame: object) -> None:
        signal.setitimer(signal.ITIMER_REAL, 0.05)  # again, should something swallow the interrupt
        if machine.scan:
            raise KeyboardInterrupt

    def run() -> None:
        signal.setitimer(signal.ITIMER_REAL, 0.01)
        machine.run(1 << 40, watched=())

    before = signal.signal(signal.SIGALRM, interrupt)
    try:
        with pytest.raises(KeyboardInterrupt):
            run()
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
    reached = machine.scan
    assert machine.read("n") == reached > 0
    machine.run(5, watched=())
    assert (machine.scan, machine.read("n")) == (reached + 5, reached + 5)


def test_scans_are_counted_beyond_32_bits() -> None:
    machine = machine_of(block("n : INT; now : LTIME;", "n := n + 1; now := SCAN_START();"))
    machine.timebase = Timebase(1_000)
    kept = machine.snapshot()
    far = (1 << 32) + 5
    content = bytearray(kept.content)
    content[8:16] = far.to_bytes(8, "little")  # the scan number lies at address 16, and a snapshot begins at 8
    machine.restore(Snapshot(bytes(content)))
    n = machine.slot("n")
    pieces = list(machine.pieces(3, spans=Spans.of([n]), events=Event(far + 1, DATA + n.offset, n.encode(50)).packed()))
    assert [(p.first, p.scans, p.values(n, range(far, far + 3))) for p in pieces] == [(far, 3, [1, 51, 52])]
    assert machine.read("now") == (far + 2) * 1_000
