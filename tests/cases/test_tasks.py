"""Tasks in one simulated clock, against a model of it in Python."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.cases.test_subjects import names_of, suite_of, verdict_of
from tests.helpers import upright
from upright_block import NotRunnable, OpenLibrary, open_library
from upright_block.language.timebase import Timebase, merged

MS = 1_000_000

LOG = """
VAR_GLOBAL turn : ULINT; END_VAR
FUNCTION_BLOCK Note VAR_INPUT own : ULINT; END_VAR VAR runs : UDINT; END_VAR
turn := turn * ULINT#31 + own; runs := runs + 1;
END_FUNCTION_BLOCK
"""


def library_of(folder: Path, text: str) -> OpenLibrary:
    (folder / "blocks").mkdir()
    (folder / "upright.toml").write_text("")
    (folder / "blocks" / "plant.st").write_text(text)
    return open_library(folder)


def model(tasks: list[tuple[int | None, int]], triggers: dict[int, str], moments: int) -> list[tuple[int, list[int]]]:
    """The time of each moment, and the tasks that run at it in their order.

    A task is (interval in ms, priority); one without an interval runs when its trigger rises, which ``triggers``
    have for each moment as a text of 0 and 1.
    """
    found: list[tuple[int, list[int]]] = []
    time = 0
    while len(found) < moments:
        scan = len(found)
        if any(interval and time % interval == 0 for interval, _ in tasks):
            due = []
            for number, (interval, _) in enumerate(tasks):
                if interval:
                    is_due = time % interval == 0
                else:
                    before = triggers[number][scan - 1] if scan else "0"
                    is_due = (before, triggers[number][scan]) == ("0", "1")
                if is_due:
                    due.append(number)
            found.append((time, sorted(due, key=lambda number: (tasks[number][1], number))))
        time += 1
    return found


# Beside any first interval these begin together often enough to be told as moments (see MOST_MOMENTS).
LATER = (1, 2, 3, 4, 5, 6, 8, 10, 12, 14, 15, 16, 20, 21, 24, 28, 30, 35, 40)


@st.composite
def task_sets(draw: st.DrawFn) -> tuple[list[tuple[int | None, int]], dict[int, str], int]:
    tasks: list[tuple[int | None, int]] = [(draw(st.integers(1, 12)), draw(st.integers(0, 3)))]
    tasks += draw(st.lists(st.tuples(st.none() | st.sampled_from(LATER), st.integers(0, 3)), max_size=4))
    tasks = draw(st.permutations(tasks))
    moments = draw(st.integers(1, 60))
    bits = st.text("01", min_size=moments, max_size=moments)
    return tasks, {n: draw(bits) for n, (interval, _) in enumerate(tasks) if interval is None}, moments


@settings(max_examples=60, deadline=None)
@given(case=task_sets())
def test_scans_and_their_order_are_those_of_the_model(
    case: tuple[list[tuple[int | None, int]], dict[int, str], int], tmp_path_factory: pytest.TempPathFactory
) -> None:
    tasks, triggers, moments = case
    text = LOG + "".join(f"VAR_GLOBAL go{n} : BOOL; END_VAR\n" for n in triggers)
    for n in range(len(tasks)):
        text += f"PROGRAM P{n} VAR note : Note; END_VAR note(own := {n + 1}); END_PROGRAM\n"
    text += "CONFIGURATION Plant\n"
    for n, (interval, priority) in enumerate(tasks):
        when = f"SINGLE := go{n}" if interval is None else f"INTERVAL := T#{interval}ms"
        text += f"TASK t{n} ({when}, PRIORITY := {priority}); PROGRAM p{n}_1 WITH t{n} : P{n};\n"
    library = library_of(tmp_path_factory.mktemp("tasks"), text + "END_CONFIGURATION\n")
    assert [f.name for f in library.findings] == []
    machine = library.machine("Plant")
    runs, turn = [0] * len(tasks), 0
    for scan, (time, due) in enumerate(model(tasks, triggers, moments)):
        for number, bits in triggers.items():
            machine.set(f"go{number}", bits[scan] == "1")
        assert machine.now == time * MS
        machine.scan()
        for number in due:
            runs[number] += 1
            turn = (turn * 31 + number + 1) % 2**64
        assert [machine.read(f"p{n}_1.note.runs") for n in range(len(tasks))] == runs
        assert machine.read("turn") == turn


@pytest.mark.long
@given(intervals=st.lists(st.integers(1, 30), min_size=1, max_size=4), scan=st.integers(0, 200))
def test_a_timebase_counts_the_moments_at_which_something_is_due(intervals: list[int], scan: int) -> None:
    timebase = merged(intervals)
    due = [time for time in range(6001) if any(time % interval == 0 for interval in intervals)]
    assert timebase.time(scan) == due[scan]
    assert timebase.at(due[scan]) == scan
    for time in range(due[scan] + 1, due[scan + 1]):
        assert (timebase.at(time), timebase.scans_before(time)) == (None, scan + 1)
    span = intervals[0] * 3
    counted = [sum(begun <= time < begun + span for time in due) for begun in due[:300]]
    assert max(counted) <= timebase.most_within(span)
    assert timebase.is_even == (timebase == Timebase(min(intervals)))


def test_a_case_counts_moments_and_tells_their_times(tmp_path: Path) -> None:
    text = """
    PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM
    CONFIGURATION C
      TASK a (INTERVAL := T#4ms); TASK b (INTERVAL := T#6ms);
      PROGRAM a1 WITH a : P; PROGRAM b1 WITH b : P;
    END_CONFIGURATION
    """
    table = "at | a1.n b1.n\n0ms | 1 1\n4ms | 2 1\n6ms | 2 2\n8ms | 3 2\n12ms | 4 3\n16ms | 5 9"
    verdict = verdict_of(tmp_path, "", table, text)
    (miss,) = verdict.misses
    assert (miss.slot.path, miss.scan, miss.got) == ("b1.n", 5, 3)
    assert verdict.case.plan.timebase.time(miss.scan) == 16 * MS


def test_a_moment_at_which_nothing_is_due_is_no_time_for_a_row(tmp_path: Path) -> None:
    text = """
    PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM
    CONFIGURATION C
      TASK a (INTERVAL := T#4ms); TASK b (INTERVAL := T#6ms);
      PROGRAM a1 WITH a : P; PROGRAM b1 WITH b : P;
    END_CONFIGURATION
    """
    (finding,) = suite_of(tmp_path, "", "at | a1.n\n0ms | 1\n10ms | 2", text).findings
    assert (finding.message, finding.way_out) == ("No scan starts at 10ms: no task is due then.", "Write 8ms or 12ms.")


def test_a_trigger_sees_its_input_though_no_program_does(tmp_path: Path) -> None:
    text = """
    PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM
    VAR_GLOBAL rain AT %IX0.0 : BOOL; END_VAR
    CONFIGURATION C
      TASK base (INTERVAL := T#10ms); TASK gauge (SINGLE := rain, PRIORITY := 1);
      PROGRAM main WITH base : P; PROGRAM count WITH gauge : P;
    END_CONFIGURATION
    """
    table = "rain | main.n count.n\n0 | 1 0\n1 | 2 1\n1 | 3 1\n0 | 4 1\n1 | 5 2"
    assert verdict_of(tmp_path, "", table, text).status == "passed"


P = "PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM VAR_GLOBAL go : BOOL; END_VAR CONFIGURATION C\n"


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("TASK t (INTERVAL := T#10ms, SINGLE := go); PROGRAM p1 WITH t : P;", ["two-triggers"]),
        ("TASK t (INTERVAL := T#0s); PROGRAM p1 WITH t : P;", ["out-of-range"]),
        ("TASK t (SINGLE := go); PROGRAM p1 WITH t : P;", ["no-interval"]),
        ("TASK t (INTERVAL := T#10ms, INTERVAL := T#1s); PROGRAM p1 WITH t : P;", ["name-twice"]),
        ("TASK t (INTERVAL := T#10ms); TASK u (SINGLE := go); PROGRAM p1 WITH t : P;", ["idle-task"]),
        ("TASK t (INTERVAL := T#10ms); PROGRAM p1 WITH t : P; PROGRAM p2 : P;", ["no-task"]),
        ("TASK t (INTERVAL := T#10ms); PROGRAM p1 WITH t : P; PROGRAM p2 WITH t : P;", []),
        (
            "TASK t (INTERVAL := T#1000001ns); TASK u (INTERVAL := T#1000003ns);"
            "PROGRAM p1 WITH t : P; PROGRAM p2 WITH u : P;",
            ["too-long"],
        ),
    ],
)
def test_what_is_wrong_with_a_task_is_told(tmp_path: Path, text: str, names: list[str]) -> None:
    library = library_of(tmp_path, P + text + "END_CONFIGURATION\n")
    assert [finding.name for finding in library.findings] == names
    if not names:
        machine = library.machine("C")
        machine.scan(3)
        assert (machine.read("p1.n"), machine.read("p2.n")) == (3, 3)


def test_a_scan_beside_uneven_tasks_is_refused(tmp_path: Path) -> None:
    text = P + (
        "TASK t (INTERVAL := T#4ms); TASK u (INTERVAL := T#6ms); PROGRAM p1 WITH t : P; PROGRAM p2 WITH u : P;"
        "END_CONFIGURATION\n"
    )
    suite = suite_of(tmp_path, 'scan = "4ms"', "p1.n\n1", text)
    assert names_of(suite) == ["scan-against-tasks"]
    with pytest.raises(NotRunnable, match="when one of them is due"):
        open_library(tmp_path).machine("C", scan="2ms")


def shown(folder: Path, *words: str) -> str:
    result = upright("show", *words, "--library", folder)
    assert result.exit_code == 0, result.output
    return result.output


def test_a_configuration_is_shown_in_the_order_in_which_it_runs(tmp_path: Path) -> None:
    text = (
        "TASK a (INTERVAL := T#6ms, PRIORITY := 2); TASK b (INTERVAL := T#4ms, PRIORITY := 1); TASK c (SINGLE := go);"
    )
    text += "PROGRAM a1 WITH a : P; PROGRAM b1 WITH b : P; PROGRAM b2 WITH b : P; PROGRAM c1 WITH c : P; PROGRAM x : P;"
    library_of(tmp_path, P + text + "END_CONFIGURATION\n")
    rows = [line.split() for line in shown(tmp_path, "C").splitlines()]
    assert rows[3:8] == [
        ["b", "every", "4ms", "1", "b1", "P"],
        ["b2", "P"],
        ["a", "every", "6ms", "2", "a1", "P"],
        ["c", "when", "go", "rises", "c1", "P"],
        ["at", "every", "moment", "x", "P"],
    ]
    assert "Scans start at 0s, 4ms, 6ms, 8ms, 12ms, 16ms, ...: 4 in each 12ms." in shown(tmp_path, "C")
    assert "x        at every moment" in shown(tmp_path, "P")
    data = json.loads(shown(tmp_path, "C", "--json"))
    assert [task["interval_ns"] for task in data["tasks"]] == [4 * MS, 6 * MS, None, None]
    assert (data["scan_ns"], data["is_written"]) == (None, True)


def test_a_library_without_a_configuration_shows_one_that_does_the_same(tmp_path: Path) -> None:
    library = library_of(tmp_path, LOG + "PROGRAM One VAR note : Note; END_VAR note(own := 1); END_PROGRAM\n")
    made = shown(tmp_path, library.name)
    assert "no configuration is written" in made
    before = library.machine(library.name)
    (tmp_path / "blocks" / "plant_tasks.st").write_text(made[made.index("CONFIGURATION") :])
    library = open_library(tmp_path)
    assert library.findings == ()
    after = library.machine(library.name)
    for machine in (before, after):
        machine.scan(5)
    assert (before.now, before.read("One.note.runs")) == (after.now, after.read("One.note.runs"))
    assert "every_scan  every 100ms" in shown(tmp_path, library.name)


RESOURCES = """
PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM
PROGRAM Q VAR m : INT; END_VAR m := seen; END_PROGRAM
CONFIGURATION Plant
RESOURCE left ON cpu
  TASK t (INTERVAL := T#100ms);
  PROGRAM RETAIN main WITH t : P;
END_RESOURCE
RESOURCE right ON cpu
  TASK u (INTERVAL := T#200ms);
  PROGRAM other WITH u : Q;
END_RESOURCE
VAR_ACCESS count : left.main.n : INT READ_ONLY; END_VAR
END_CONFIGURATION
"""


@pytest.mark.parametrize(
    "columns", ["left.main.n right.other.m", "main.n other.m", "count other.m", "seen right.other.m"]
)
def test_the_name_of_a_resource_may_stand_before_a_path(tmp_path: Path, columns: str) -> None:
    (tmp_path / "tags").mkdir()
    (tmp_path / "tags" / "t.csv").write_text("tag,stands_for\nseen,left.main.n\n")
    assert verdict_of(tmp_path, "", f"{columns}\n1 1\n2 1\n3 3", RESOURCES).status == "passed"


def test_a_column_of_what_is_wrong_elsewhere_is_no_finding_of_its_own(tmp_path: Path) -> None:
    (tmp_path / "tags").mkdir()
    (tmp_path / "tags" / "t.csv").write_text("tag,stands_for\nseen,left.main.k\n")
    suite = suite_of(tmp_path, "", "seen\n1", RESOURCES)
    assert names_of(suite) == []
    assert [finding.name for finding in open_library(tmp_path).findings] == ["unknown-name"]
    assert not suite.ready
