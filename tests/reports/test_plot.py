"""Timing diagrams: what their lanes hold, and what is drawn of them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import edit, upright, write_files
from upright_block import Tracing, open_library
from upright_block.language.nodes import replaced
from upright_block.language.types import BOOL, REAL, TIME
from upright_block.reports import case_diagram, diagram_lines, plain
from upright_block.reports.lanes import (
    Axis,
    Diagram,
    Held,
    Kind,
    Lane,
    binned,
    diagram,
    in_order,
    level_text,
    short,
    tick_step,
)
from upright_block.traces.tracks import Track


def lane(changes: dict[int, int], kind: Kind = "number", unit: str = "") -> Lane:
    starts = tuple(sorted(changes))
    return Lane("x", "", "x", kind, False, False, unit, starts, tuple(float(changes[s]) for s in starts), (), (), ())


@given(
    changes=st.dictionaries(st.integers(0, 199), st.integers(-5, 5), min_size=1, max_size=40),
    edges=st.lists(st.integers(0, 200), min_size=2, max_size=30, unique=True).map(sorted),
)
def test_no_value_is_lost_where_a_lane_is_thinned(changes: dict[int, int], edges: list[int]) -> None:
    starts = sorted(changes)
    for (low, high), span in zip(pairwise(edges), binned(lane(changes), edges), strict=True):
        inside = [changes[max(s for s in starts if s <= t)] for t in range(low, high) if t >= starts[0]]
        assert span == ((min(inside), max(inside)) if inside else None)


@given(
    begin=st.integers(0, 10**15),
    span=st.integers(100, 10**17),
    most=st.integers(2, 20),
    cuts=st.lists(st.integers(1, 99), max_size=6, unique=True).map(sorted),
    times=st.lists(st.integers(0, 100), min_size=2, max_size=9).map(sorted),
)
def test_an_axis_keeps_the_order_of_times_and_cuts_what_it_is_told(
    begin: int, span: int, most: int, cuts: list[int], times: list[int]
) -> None:
    pairs = tuple(
        (begin + span * a // 100, begin + span * b // 100) for a, b in zip(cuts[::2], cuts[1::2], strict=False)
    )
    axis = Axis(Diagram("", begin, begin + span, (), (), (), (), (), None, pairs))
    places = [axis.place(begin + span * time // 100) for time in times]
    assert places == sorted(places)
    assert (axis.place(begin), round(axis.place(begin + span), 9)) == (0.0, 1.0)
    assert all(abs(axis.place(axis.time(place)) - place) < 0.02 for place in places)
    widths = {round(axis.place(b) - axis.place(a), 6) for a, b in pairs}
    assert len(widths) <= 1
    ticks = axis.ticks(most)
    assert all(begin <= tick <= begin + span and not any(a < tick < b for a, b in pairs) for tick in ticks)
    assert len({tick % tick_step(axis.shown, most) for tick in ticks}) <= 1
    if not pairs:
        assert len(ticks) <= most + 1 or span > 50_000 * most * 86_400 * 10**9


@given(
    changes=st.dictionaries(st.integers(0, 99), st.booleans(), min_size=1, max_size=6),
    runs=st.integers(0, 90),
    rows=st.lists(st.integers(0, 99), max_size=4),
)
def test_only_a_stretch_in_which_nothing_happens_is_cut(changes: dict[int, bool], runs: int, rows: list[int]) -> None:
    times = sorted(changes)
    on = Track("a", BOOL, times, [changes[time] for time in times])
    wedge = Track("t", TIME, list(range(runs, runs + 10)), list(range(10)))
    found = diagram("", {"a": on, "t": wedge}, (0, 100), {}, rows=rows)
    seen = {starts for lane in found.lanes if lane.path == "a" for starts in lane.starts} | set(rows)
    for begin, end in found.cuts:
        assert not [time for time in seen if begin < time < end]
        assert not [time for time in (runs, runs + 9) if begin < time < end]


def test_a_diagram_in_characters_shows_lanes_checks_and_times(glasshouse: Path) -> None:
    output = upright(
        "plot", "gives up when the limit never comes", "--watch", "state", "--terminal", "--library", glasshouse
    ).output
    lines = {line.split()[0]: line for line in output.splitlines() if line.strip()}
    assert re.fullmatch(r"opening\s+█+▒?▁+\s*", lines["opening"])
    assert re.fullmatch(r"stuck\s+▁+▒?█+▒?▁?\s*", lines["stuck"])
    assert re.search("│OPENS─+│FAILED─+", lines["state"])
    assert "✗" not in output
    zoomed = upright(
        "plot",
        "gives up when the limit never comes",
        "--from",
        "5s",
        "--to",
        "5200ms",
        "--terminal",
        "--library",
        glasshouse,
    ).output
    assert "5.1s" in zoomed
    assert "9s" not in zoomed.splitlines()[-1]


def test_a_wrong_value_is_marked_with_what_was_expected(glasshouse: Path, tmp_path: Path) -> None:
    edit(
        glasshouse / "cases" / "closed_loop.toml",
        "70s   | on    .                | 1 ",
        "70s   | on    .                | 0 ",
    )
    output = upright("plot", "half open", "--terminal", "--library", glasshouse).output
    assert "✗ 1 ≠ 0" in output
    svg = tmp_path / "p.svg"
    assert upright("plot", "half open", "--out", svg, "--library", glasshouse).exit_code == 0
    text = svg.read_text("utf-8")
    assert ">bay1_vent_up<" in text.replace("\n", "")
    assert "#c00000" in text
    first = svg.read_bytes()
    upright("plot", "half open", "--out", svg, "--library", glasshouse)
    assert svg.read_bytes() == first


def test_pages_and_pictures(glasshouse: Path, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    made = upright("plot", "half open", "--watch", "bay1_*,bay2_*", "--out", folder / "p.png", "--library", glasshouse)
    assert "3 pages in" in made.output
    assert sorted(path.name for path in folder.iterdir()) == ["p-2.png", "p-3.png", "p.png"]
    assert all(path.read_bytes()[:8] == b"\x89PNG\r\n\x1a\n" for path in folder.iterdir())


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["nobody"], "There is no case nobody"),
        (["closed_loop"], "cases are called closed_loop"),
        (["half open", "--watch", "zz"], "is called zz"),
        (["half open", "--from", "9h"], "It ends at"),
        (["half open", "--from", "5x"], "5x"),
        (["half open", "--out", "x.gif"], "neither a .svg nor a .png"),
        (["half open", "--out", "x.svg", "--terminal"], "no use beside"),
    ],
)
def test_a_diagram_that_cannot_be(arguments: list[str], says: str, glasshouse: Path) -> None:
    result = upright("plot", *arguments, "--library", glasshouse)
    assert (result.exit_code, says in result.output) == (2, True), result.output


WINDOWS = """
FUNCTION_BLOCK Lamp
VAR_INPUT on : BOOL; d : INT := 1; END_VAR
VAR_OUTPUT lit : BOOL; n : INT; END_VAR
VAR after : TON; END_VAR
after(IN := on, PT := T#500ms); lit := after.Q; n := 6 / d;
END_FUNCTION_BLOCK
"""
CASES = """
block = "Lamp"
scan = "100ms"
[[case]]
name = "late"
run_for = "3s"
never = ["after.ET > T#300ms"]
vectors = \"\"\"
at | on | lit
0s | 0  | 0
1s | 1  | 0
\"\"\"
timing = \"\"\"
name  | from     | to        | min   | max
lamp  | on rises | lit rises | 200ms | 400ms
\"\"\"
[[case]]
name = "stops"
run_for = "4s"
vectors = \"\"\"
at | on d | lit
0s | 0  1 | 0
1s | 1  1 | 0
3s | 1  0 | 0
\"\"\"
"""


def test_what_was_measured_what_broke_and_a_fault_are_drawn(tmp_path: Path) -> None:
    write_files(tmp_path, {"blocks/Lamp.st": WINDOWS, "cases/c.toml": CASES})
    output = upright("plot", "late", "--terminal", "--library", tmp_path).output
    lines = {line.split()[0]: line for line in output.splitlines() if line.strip()}
    assert "✗ 500ms" in lines["lamp"]
    assert "min 200ms, max 400ms" in lines["lamp"]
    assert "\n         never after.ET > T#300ms\n" in output  # below its line, which has no room for it
    place = lines["rule"].index("✗") - lines["lit"].index("▁")
    room = len(re.findall("[▁█]", lines["lit"]))
    assert abs(place / room - 1.4 / 3) < 0.02  # ET passes 300 ms in the scan at 1.4 s
    stopped = upright("plot", "stops", "--terminal", "--library", tmp_path).output
    assert "Division by zero at 3s; the run ended there." in stopped
    for case in ("late", "stops"):
        svg = tmp_path / f"{case}.svg"
        assert upright("plot", case, "--out", svg, "--library", tmp_path).exit_code == 0
    text = (tmp_path / "late.svg").read_text("utf-8")
    assert all(part in text for part in (">lamp<", ">500ms<", ">min 200ms<", ">max 400ms<", "after.ET &gt; T#300ms"))
    assert ">division by zero<" in (tmp_path / "stops.svg").read_text("utf-8")


def test_a_value_that_must_hold_is_wrong_only_where_it_differs(tmp_path: Path) -> None:
    case = CASES.split("[[case]]")[0] + (
        '[[case]]\nname = "held"\nhold = true\nrun_for = "4s"\nvectors = """\nat | on | lit\n0s | 1  | 0\n2s | 0  | 0\n"""\n'
    )
    write_files(tmp_path, {"blocks/Lamp.st": WINDOWS, "cases/c.toml": case})
    library = open_library(tmp_path)
    (verdict,) = library.run(tracing=Tracing())
    (lit,) = (lane for lane in case_diagram(verdict).lanes if lane.path == "lit")
    ms = 10**6
    assert lit.wrong == ((500 * ms, 2000 * ms),)
    assert [(mark.time, mark.is_right, mark.level) for mark in lit.marks] == [(0, False, 0.0), (2000 * ms, True, 0.0)]


def test_a_trace_file_and_a_run_are_drawn(glasshouse: Path, tmp_path: Path) -> None:
    call = [
        "run",
        "VentDrive",
        "--set=open=1",
        "--given",
        "travel=5s",
        "--for",
        "8s",
        "--watch",
        "open,opening,state,running.ET",
    ]
    made = upright(*call, "--trace", tmp_path / "t.vcd", "--picture", tmp_path / "p.svg", "--library", glasshouse)
    assert "1 page in" in made.output
    upright(*call, "--trace", tmp_path / "t.csv", "--library", glasshouse)
    assert ">running.ET<" in (tmp_path / "p.svg").read_text("utf-8")
    shown = [
        upright("plot", tmp_path / f"t.{kind}", "--terminal", "--library", glasshouse).output for kind in ("csv", "vcd")
    ]
    for output in shown:
        lines = {line.split()[0]: line for line in output.splitlines() if line.strip()}
        assert re.search("█+▒?▁+", lines["opening"])
        assert "0s..5s" in lines["running.ET"]


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("a.csv", "", "its first column is not at"),
        ("a.csv", "at,x\n", "holds no values"),
        ("a.csv", "at,x\n2s,1\n1s,0\n", "a.csv:3: 1s is not later than the row before."),
        ("a.csv", "at,x,X\n0s,1,2\n", "two of its columns are X"),
        ("a.csv", "at,x\n0s,1\nsoon,2\n", "a.csv:3, at: soon"),
        ("a.vcd", "", "holds no values"),
        ("a.vcd", "$var wire 1 ! x $end\n$enddefinitions $end\n#10\n1!\n#5\n0!\n", "time goes back to #5"),
        ("a.vcd", "$var wire 1 ! x $end\n$enddefinitions $end\n#10\nx!\n", "x has digits other than 0 and 1"),
    ],
)
def test_a_trace_file_that_is_none_is_refused(
    name: str, text: str, says: str, glasshouse: Path, tmp_path: Path
) -> None:
    (tmp_path / name).write_text(text)
    result = upright("plot", tmp_path / name, "--terminal", "--library", glasshouse)
    assert (result.exit_code, says in result.output) == (2, True), result.output


def test_what_is_no_number_is_drawn_too(glasshouse: Path, tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("at,x\n0s,1\n1s,nan\n2s,inf\n3s,-2.5\n")
    output = upright("plot", tmp_path / "a.csv", "--terminal", "--library", glasshouse).output
    assert "?" in output
    svg = tmp_path / "a.svg"
    assert upright("plot", tmp_path / "a.csv", "--out", svg, "--library", glasshouse).exit_code == 0


def test_a_step_is_a_bar_and_lanes_of_an_instance_stand_below_its_name(glasshouse: Path) -> None:
    library = open_library(glasshouse)
    (case,) = (case for case in library.cases if case.id.endswith("gives up when the limit never comes"))
    (verdict,) = library.run([case], tracing=Tracing(("running.*", "state")))
    found = case_diagram(verdict)
    assert {lane.group for lane in found.lanes} == {"", "running"}
    assert [lane.name for lane in found.lanes if lane.group] == [
        lane.path.removeprefix("running.") for lane in found.lanes if lane.group
    ]
    source = (
        "FUNCTION_BLOCK S VAR_INPUT go : BOOL; END_VAR\nINITIAL_STEP Rest: END_STEP\nSTEP Work: END_STEP\n"
        "TRANSITION FROM Rest TO Work := go; END_TRANSITION\nTRANSITION FROM Work TO Rest := NOT go; END_TRANSITION\nEND_FUNCTION_BLOCK"
    )
    case_text = 'block = "S"\nscan = "100ms"\n[[case]]\nname = "a"\nvectors = """\nat | go | Work.X\n0s | 0 | 0\n1s | 1 | 1\n"""\n'
    write_files(glasshouse.parent / "steps", {"blocks/S.st": source, "cases/s.toml": case_text})
    (verdict,) = open_library(glasshouse.parent / "steps").run(tracing=Tracing())
    assert [(lane.path, lane.kind) for lane in case_diagram(verdict).lanes] == [("go", "bool"), ("Work.X", "step")]


def numbers(path: str, values: list[float], unit: str = "", range_: tuple[float, float] | None = None) -> Track:
    return Track(path, REAL, [n * 10 for n in range(len(values))], values, unit=unit, range=range_)


def scales(*tracks: Track, together: Sequence[Sequence[str]] = ()) -> list[tuple[float, float]]:
    found = diagram("", {track.path: track for track in tracks}, (0, 100), {}, together=together)
    return [(round(each.low, 6), round(each.high, 6)) for each in found.lanes]


def test_a_lane_of_numbers_reaches_what_the_value_can_be_and_shares_it_with_its_neighbours() -> None:
    noise = [19.9, 20.1, 20.0]
    assert scales(numbers("a", noise, range_=(-20, 60))) == [(-20, 60)]
    ((low, high),) = scales(numbers("a", noise))
    assert 2.0 <= high - low <= 2.02, "noise of one part in a hundred looks like it"
    assert scales(numbers("a", [5.0, 45.0]), numbers("b", [1.0, 2.0])) == [(5, 45), (1, 2)]
    assert scales(numbers("a", [5.0, 45.0], "degC"), numbers("b", [1.0, 2.0], "degC")) == [(1, 45)] * 2
    three = numbers("a", [5.0, 45.0], "degC"), numbers("b", [7.0, 8.0], "bar"), numbers("c", [1.0, 2.0], "degC")
    assert scales(*three) == [(5, 45), (7, 8), (1, 2)], "they do not stand side by side"
    assert scales(*three, together=[["c", "A"]]) == [(1, 45), (7, 8)]


@pytest.mark.parametrize(
    ("ends", "value", "text"),
    [((0, 1), 0.123456, "0.12"), ((19.28, 20.48), 19.283, "19.28"), ((0, 5000), 1234.567, "1235"), ((0, 9), 5.0, "5")],
)
def test_a_number_beside_a_lane_is_rounded_to_what_can_be_seen(
    ends: tuple[float, float], value: float, text: str
) -> None:
    own = replaced(lane({0: 1}, unit="bar"), low=float(ends[0]), high=float(ends[1]))
    assert level_text(own, value) == f"{text} bar"


def test_idle_stretches_of_one_length_are_all_cut_and_names_stand_where_nothing_is() -> None:
    second = 10**9
    times = [0, 100, 101, 102, 103, 200, 201, 202, 203, 300, 301, 302]
    track = Track("x", BOOL, [second * time for time in times], [n % 2 == 0 for n in range(len(times))])
    found = diagram("", {"x": track}, (0, 304 * second), {})
    assert [(a // second, b // second) for a, b in found.cuts] == [(2, 98), (105, 198), (205, 298)]
    left, right = Axis(found).widest(103 * second, 200 * second)
    assert not any(left < (Axis(found).place(a) + Axis(found).place(b)) / 2 < right for a, b in found.cuts)
    assert (short("opening_slowly", 9), short("idle", 9)) == ("open…owly", "idle")


def test_a_wrong_value_stands_beside_what_was_expected_and_times_below_what_they_measure(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT on : BOOL; level : INT(0..100); (* [%] *) END_VAR VAR_OUTPUT q, r : BOOL; END_VAR "
        "VAR t : TON; END_VAR t(IN := on, PT := T#1s); q := t.Q; r := on; END_FUNCTION_BLOCK"
    )
    case = (
        'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\non level | q r\n0 5 | 0 0\n1 7 | 1 1\n1 9 | 1 1\n"""\n'
        'timing = """\nname | from | to | min | max\nlate | on rises | q rises | 0s | 1s\n"""\n'
    )
    library = write_files(tmp_path, {"upright.toml": "", "blocks/b.st": block, "cases/c.toml": case})
    (verdict,) = open_library(library).run(tracing=Tracing())
    found = case_diagram(verdict)
    names = [each.text if isinstance(each, Held) else each.name for each in in_order(found)]
    assert names == ["on", "level", "q", "late", "r"]
    assert [(each.low, each.high, each.unit) for each in found.lanes if each.name == "level"] == [(0, 100, "%")]
    (wrong,) = [mark for each in found.lanes for mark in each.marks if not mark.is_right]
    assert (wrong.got, wrong.check.text) == ("0", "1")
    picture = tmp_path / "c.svg"
    assert upright("plot", "c", "--out", picture, "--library", library).exit_code == 0
    assert "0, not 1" in picture.read_text()
    for lanes, says in (("on,level", "on is no number"), ("levle", "Did you mean level?")):
        refused = upright("plot", "c", "--lane", lanes, "--terminal", "--library", library)
        assert (refused.exit_code, says in refused.output) == (2, True), refused.output


LONG = """
FUNCTION_BLOCK B
VAR_INPUT a_switch_with_a_very_long_name_at_the_far_end : BOOL; END_VAR
VAR_OUTPUT a_lamp_with_a_very_long_name_at_the_far_end : BOOL; level : REAL := 20.5; // [degC]
END_VAR
a_lamp_with_a_very_long_name_at_the_far_end := a_switch_with_a_very_long_name_at_the_far_end;
level := level + 0.1;
END_FUNCTION_BLOCK
"""


CASE_OF_LONG = """
block = "B"
scan = "100ms"
[[case]]
name = "c"
never = ["{rule}"]
timing = \"""
name | from | to | min | max | count
a_time_with_a_long_name_of_its_own | {timing}
\"""
vectors = \"""
{vectors}
\"""
"""


@given(
    rows=st.lists(st.tuples(st.integers(1, 900), st.booleans(), st.booleans()), min_size=1, max_size=20),
    width=st.integers(70, 140),
)
@settings(max_examples=25, deadline=None)
def test_a_diagram_in_characters_keeps_its_width_and_every_text_of_a_mark_is_whole(
    rows: list[tuple[int, bool, bool]], width: int
) -> None:
    switch, lamp = (f"a_{what}_with_a_very_long_name_at_the_far_end" for what in ("switch", "lamp"))
    time, lines = 0, [f"at | {switch} | {lamp}"]
    for step, on, seen in rows:
        lines.append(f"{time * 100}ms | {int(on)} | {int(seen)}")
        time += step
    rule, timing = f"{lamp} AND level > 21.5", f"{switch} rises | {lamp} rises | 1s+3scan | 100s+1scan | 100"
    case = CASE_OF_LONG.format(rule=rule, timing=timing, vectors="\n".join(lines))
    with TemporaryDirectory() as folder:
        files = {"upright.toml": "", "blocks/b.st": LONG, "cases/c.toml": case}
        (verdict,) = open_library(write_files(Path(folder), files)).run(tracing=Tracing())
    shown = [plain(line) for line in diagram_lines(case_diagram(verdict), width)]
    assert max(map(len, shown)) <= width
    for line in shown:
        if "✗" in line and "rule" not in line and "a_time" not in line:
            assert re.fullmatch("[ ·~]*(✗( [01] ≠ [01])?[ ·~]*)+", line), line
