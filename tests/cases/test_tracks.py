"""What signals did over time: gathered from pieces, in bounded memory, read as arrays and frames."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import SECOND, checked, machine_of, write_files
from upright_block import BadValue, Controller, NotRunnable, open_library
from upright_block.language.signals import find_signal
from upright_block.language.types import ELEMENTARY, Type
from upright_block.machine.machine import Machine
from upright_block.machine.shelf import Shelf
from upright_block.machine.watching import Spans
from upright_block.traces.tracetable import read_table
from upright_block.traces.tracks import Gatherer, Track

BLOCK = """
FUNCTION_BLOCK B
VAR seed : UDINT; a : UDINT := 3; n : INT; on : BOOL; level : REAL; word : STRING; inner : TON; k : UDINT; END_VAR
k := k + 1;
IF k MOD a = 0 THEN seed := seed * 1664525 + 1013904223; n := UDINT_TO_INT(seed / 16#1000000); END_IF;
on := seed > 2_000_000_000; level := INT_TO_REAL(n) / 3.0;
IF on THEN word := 'on'; ELSE word := 'off'; END_IF;
inner(IN := on, PT := T#9s);
END_FUNCTION_BLOCK
"""
PATHS = ["n", "on", "level", "word", "inner.ET", "k"]


def gathered(machine: Machine, scans: int, ends: list[int], **options: Any) -> dict[str, Track]:
    machine.reset()
    slots = [machine.slot(path) for path in PATHS]
    unit = checked(BLOCK)[0].units["B"]
    gatherer = Gatherer(unit, [find_signal(unit, path) for path in PATHS], slots, machine.timebase, **options)
    for piece in machine.pieces(scans, spans=Spans.of(slots), ends=ends):
        gatherer.take(piece)
    return gatherer.tracks(scans * SECOND)


def dense(machine: Machine, scans: int) -> dict[str, list[object]]:
    machine.reset()
    values: dict[str, list[object]] = {path: [] for path in PATHS}
    for _ in range(scans):
        machine.run(1)
        for path in PATHS:
            values[path].append(machine.read(path))
    return values


def spread(track: Track, begin: int, end: int) -> list[object]:
    """The value of a track after each scan."""
    times = list(track.times)
    return [track.plain[max(i for i, t in enumerate(times) if t <= scan * SECOND)] for scan in range(begin, end)]


@pytest.fixture(scope="module")
def machine() -> Machine:
    return machine_of(BLOCK)


@settings(max_examples=40, deadline=None)
@given(
    scans=st.integers(2, 120),
    ends=st.lists(st.integers(1, 119), max_size=4, unique=True).map(sorted),
    window=st.tuples(st.integers(0, 60), st.integers(1, 119)),
)
def test_a_track_on_change_is_the_dense_one(
    scans: int, ends: list[int], window: tuple[int, int], machine: Machine
) -> None:
    wanted = dense(machine, scans)
    found = gathered(machine, scans, [end for end in ends if end < scans])
    assert {path: spread(track, 0, scans) for path, track in found.items()} == wanted
    for track in found.values():
        assert all(repr(a) != repr(b) for a, b in zip(track.plain, track.plain[1:], strict=False))
    begin, end = window[0], min(window[0] + window[1], scans)
    if begin < end:
        part = gathered(machine, scans, [], begin=begin, end=end)
        assert {path: spread(track, begin, end) for path, track in part.items()} == {
            path: values[begin:end] for path, values in wanted.items()
        }
        assert all(track.times[0] == begin * SECOND and track.times[-1] < end * SECOND for track in part.values())


@settings(max_examples=25, deadline=None)
@given(
    scans=st.integers(100, 3000),
    most=st.sampled_from([32, 64, 200]),
    ends=st.lists(st.integers(1, 2999), max_size=40, unique=True).map(sorted),
)
def test_of_a_thinned_track_each_span_has_its_first_least_greatest_and_last_value(
    scans: int, most: int, ends: list[int], machine: Machine
) -> None:
    exact = gathered(machine, scans, [])
    ends = [end for end in ends if end < scans]
    for path, track in gathered(machine, scans, ends, most=most).items():
        assert len(track.times) <= most
        whole = exact[path]
        changes = dict(zip(whole.times, whole.plain, strict=True))
        assert all(changes[time] == value for time, value in zip(track.times, track.plain, strict=True))
        assert track.is_thinned == (len(whole.times) > most)
        if track.is_thinned:
            assert len(track.times) >= most // 16  # no more is dropped than must be
            assert any(_keeps(whole, track, 2**k) for k in range(1, 20))


def _keeps(whole: Track, thin: Track, width: int) -> bool:
    """Whether of all spans of so many scans a track has what it must have."""
    spans: dict[int, list[tuple[int, object]]] = {}
    for time, value in zip(whole.times, whole.plain, strict=True):
        spans.setdefault(time // SECOND // width, []).append((time, value))
    kept = set(zip(thin.times, thin.plain, strict=True))
    for changes in spans.values():
        inside = [value for change in kept & set(changes) for value in [change[1]]]
        if changes[0] not in kept or changes[-1] not in kept:
            return False
        values: list[Any] = [value for _, value in changes]
        if not isinstance(values[0], str) and not {min(values), max(values)} <= set(inside):
            return False
    return True


def test_a_long_run_is_gathered_from_arrays_as_from_lists(machine: Machine) -> None:
    machine.reset()
    scans = 150_000
    found = gathered(machine, scans, [])
    assert isinstance(found["k"].times, np.ndarray)
    parts = gathered(machine, scans, list(range(20_000, scans, 20_000)))
    for path, track in found.items():
        assert [list(track.times), track.plain] == [list(parts[path].times), parts[path].plain]


def test_what_is_recorded_beyond_a_limit_lies_on_the_disk_and_reads_the_same(
    controller: Controller, monkeypatch: pytest.MonkeyPatch
) -> None:
    shelf = Shelf(1000)
    monkeypatch.setattr(controller._recorder, "_shelf", shelf)
    for count in (1, 300, 2000, 50_000):
        controller.scan(count)
    kinds = [type(piece.log) for piece in controller._recorder.pieces()]
    assert kinds == [bytes, memoryview, memoryview, memoryview]
    times, values = controller.trace("k")["k"]
    assert list(values) == list(range(1, 52_302))
    assert list(times) == list(range(0, 52_301 * 100_000_000, 100_000_000))


@pytest.fixture
def controller(tmp_path: Path) -> Controller:
    write_files(tmp_path, {"blocks/B.st": BLOCK.replace("n : INT;", "n : INT; m : (idle, busy);")})
    return open_library(tmp_path).machine("B", scan="100ms")


def test_a_trace_unpacks_into_arrays(controller: Controller) -> None:
    controller.set("m", "busy")
    controller.scan(20)
    controller.set("m", "idle")
    controller.scan(20)
    trace = controller.trace("on", "m", "level", "inner.ET", "word")
    assert trace.end == 4 * SECOND
    assert [list(part) for part in trace["m"]] == [[0, 2 * SECOND], ["busy", "idle"]]
    for path, kind in (("on", "bool"), ("level", "float32"), ("inner.ET", "int64"), ("word", "object")):
        times, values = trace[path]
        assert (str(times.dtype), str(values.dtype), times.shape) == ("int64", kind, values.shape)
    before = controller.snapshot()
    controller.scan(30)
    controller.restore(before)
    again = controller.trace("k")
    assert (len(again["k"].times), again.end) == (40, 4 * SECOND)


@pytest.mark.parametrize("kind", ["csv", "vcd"])
def test_a_trace_is_written_and_read_again(controller: Controller, kind: str, tmp_path: Path) -> None:
    controller.scan(60)
    controller.set("m", "busy")
    controller.scan(60)
    trace = controller.trace("on", "n", "level", "m", "word", "inner.ET")
    trace.write(tmp_path / f"t.{kind}")
    again = open_library(tmp_path).trace(tmp_path / f"t.{kind}")
    assert (list(again), again.end) == (list(trace), trace.end)
    for path, track in trace.items():
        shown = {"m": ["idle", "busy"], "word": [f"'{word}'" for word in track.plain]}
        wanted = shown.get(path, track.plain) if kind == "csv" else track.plain
        assert list(again[path].times) == list(track.times)
        # a table does not say that a number is a REAL, so it is read as the LREAL of the same digits
        assert again[path].plain == (pytest.approx(wanted, rel=1e-7) if path == "level" else wanted), path
    with pytest.raises(BadValue, match=r"neither a \.csv"):
        trace.write(tmp_path / "t.txt")
    with pytest.raises(NotRunnable, match="cannot be written"):
        trace.write(tmp_path / "nowhere" / "t.csv")


def test_a_trace_is_a_frame(controller: Controller) -> None:
    controller.scan(30)
    frame = controller.trace("on", "n", "k").frame()
    times, values = controller.trace("n")["n"]
    assert set(frame.columns) == {"on", "n", "k"}
    assert [step.value for step in frame.index] == [100_000_000 * scan for scan in range(30)]
    assert list(frame["k"]) == list(range(1, 31))
    assert (frame["on"].dtype, frame["n"].dtype) == (bool, "int16")
    assert [frame["n"][frame.index == np.timedelta64(t, "ns")].item() for t in times] == list(values)


CELLS = [
    "0",
    "1",
    "TRUE",
    "5",
    "-5",
    "007",
    "-0",
    "0.0",
    "-0.0",
    "1.5",
    "1e5",
    "1e400",
    "nan",
    "-inf",
    "1.",
    ".5",
    "+3",
]
CELLS += ["1_000", "5s", "T#5s", "16#FF", "word", "", ".", " 5", "99999999999999999999", "3.5e38", "0.1", "2147483648"]


@settings(max_examples=400, deadline=None)
@given(
    rows=st.lists(st.tuples(st.sampled_from(CELLS), st.sampled_from(CELLS)), max_size=6),
    type_=st.sampled_from([None, *ELEMENTARY.values()]),
)
def test_a_table_that_is_read_at_once_is_what_one_read_with_care_is(
    rows: list[tuple[str, str]], type_: Type | None
) -> None:
    known = {} if type_ is None else {"A": ("A", type_)}

    def read(quote: str) -> list[object] | str:
        lines = [f"{n}s,{quote}{a}{quote},{quote}{b}{quote}\n" for n, (a, b) in enumerate(rows)]
        try:
            found = read_table("at,a,b\n" + "".join(lines), known, "t.csv")
        except BadValue as problem:
            return str(problem)
        return [(t.path, t.type, list(t.times), [repr(v) for v in t.values]) for t in found]

    assert read("") == read('"'), "quotes are read by the way for what is not plain"
