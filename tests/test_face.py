"""The package from Python: a library that is opened, looked through and run by hand."""

from __future__ import annotations

import ast
import gc
import pickle
import re
import subprocess
import sys
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner

import upright_block
import upright_block.reports
from tests.helpers import EXAMPLES, ROOT, write_files
from upright_block import (
    BadValue,
    Collector,
    Controller,
    LibraryProblem,
    NeverMet,
    NotRunnable,
    OpenLibrary,
    ScanFault,
    UnknownName,
    UprightError,
    open_library,
)
from upright_block.cli.main import main
from upright_block.face.steered import Steered
from upright_block.language.typed import Unit

SECOND = 1_000_000_000
BLOCKS = """
TYPE Mode : (rest, work); END_TYPE
FUNCTION Twice : INT VAR_INPUT n : INT; END_VAR Twice := 2 * n; END_FUNCTION
FUNCTION_BLOCK Row VAR_INPUT go : BOOL; delay : TIME := T#2s; END_VAR VAR_IN_OUT sum : DINT; END_VAR
VAR_OUTPUT mode : Mode; word : WORD; name : STRING[8]; END_VAR
VAR n : INT; t : TON; d : INT := 1; END_VAR VAR CONSTANT RATE : INT := 1; END_VAR
t(IN := go, PT := delay);
n := n + RATE; sum := sum + n;
IF t.Q THEN mode := work; ELSE mode := rest; END_IF
word.4 := t.Q; name := 'row'; n := n / d;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Broken VAR n : INT; END_VAR n := m; END_FUNCTION_BLOCK
PROGRAM Main VAR n : INT; END_VAR n := n + 1; END_PROGRAM
CONFIGURATION Plant TASK t (INTERVAL := T#20ms); PROGRAM one WITH t : Main; END_CONFIGURATION
"""


@pytest.fixture
def library(tmp_path: Path) -> OpenLibrary:
    for name in ("blocks", "cases"):
        (tmp_path / name).mkdir()
    (tmp_path / "upright.toml").write_text('name = "house"\nversion = "2.1"\n')
    (tmp_path / "blocks" / "b.st").write_text(BLOCKS)
    return open_library(tmp_path)


@pytest.fixture
def row(library: OpenLibrary) -> Controller:
    return library.machine("row", scan="1s")


def test_a_library_tells_what_it_has(library: OpenLibrary) -> None:
    assert (library.name, library.version) == ("house", "2.1")
    assert [unit.name for unit in library.units] == ["Twice", "Row", "Broken", "Main"]
    assert [(f.name, f.severity) for f in library.findings] == [("unknown-name", "error")]
    assert library.cases == ()


def test_values_are_set_and_read_by_name(row: Controller) -> None:
    row.set("go", True)
    row.set("delay", "1s")
    row.scan(2)
    assert (row.read("T.ET"), row.read("mode"), row.read("word"), row.read("word.4")) == (SECOND, "work", 16, True)
    assert (row.read("n"), row.read("sum"), row.read("name"), row.read("RATE"), row.now) == (2, 3, "row", 1, 2 * SECOND)
    row.set("delay", 5 * SECOND)
    row.set("mode", "work")
    row.set("n", "16#0F")
    row.set("word.0", 1)
    assert (row.read("delay"), row.read("mode"), row.read("n"), row.read("word")) == (5 * SECOND, "work", 15, 17)


def test_a_force_holds_until_it_is_released(row: Controller) -> None:
    row.force("n", 7)
    row.scan(2)
    assert row.read("n") == 7
    row.release("n")
    row.scan()
    assert row.read("n") == 8


def test_it_runs_until_a_condition_over_private_data(row: Controller) -> None:
    row.set("go", 1)
    assert row.run_until("t.ET >= T#2s AND mode = Mode#work") == 2 * SECOND
    assert row.run_until("n > 5", within=60 * SECOND) == 5 * SECOND
    assert row.run_until("t.Q") == 6 * SECOND
    assert row.read("sum") == sum(range(8))


def test_it_comes_back_to_a_snapshot_with_forces_and_without_what_came_after(row: Controller) -> None:
    row.scan(2)
    row.force("n", 10)
    moment = row.snapshot()
    row.release("n")
    row.run_until("n > 13")
    row.restore(moment)
    assert (row.read("n"), row.now) == (10, 2 * SECOND)
    row.scan(2)
    assert {path: [list(part) for part in track] for path, track in row.trace("n", "sum").items()} == {
        "n": [[0, SECOND, 2 * SECOND], [1, 2, 10]],
        "sum": [[0, SECOND, 2 * SECOND, 3 * SECOND], [1, 3, 13, 23]],
    }


def test_a_trace_has_the_changes_of_what_was_recorded(library: OpenLibrary) -> None:
    row = library.machine("Row", scan=SECOND, given={"go": True, "RATE": 2}, record=["mode", "T.*"])
    row.scan(4)
    trace = row.trace()
    assert [list(part) for part in trace["mode"]] == [[0, 2 * SECOND], ["rest", "work"]]
    assert [list(part) for part in trace["t.ET"]] == [[0, SECOND, 2 * SECOND], [0, SECOND, 2 * SECOND]]
    assert "n" not in trace
    assert row.read("n") == 8
    with pytest.raises(UnknownName, match="nothing"):
        row.trace("nothing*")


def test_functions_programs_and_configurations_are_machines_too(library: OpenLibrary) -> None:
    twice = library.machine("Twice", given={"n": 21})
    twice.scan()
    assert twice.read("Twice") == 42
    main = library.machine("Main")
    main.scan(3)
    assert (main.read("n"), main.now) == (3, 300_000_000)
    plant = library.machine("plant")
    plant.scan(3)
    assert (plant.read("one.n"), plant.now) == (3, 60_000_000)


WRONG = [
    (lambda row: row.read("nn"), UnknownName, "Row has no nn."),
    (lambda row: row.set("t", 1), UnknownName, "such as t.IN"),
    (lambda row: row.set("go", 3), BadValue, "A BOOL is 0, 1, FALSE or TRUE."),
    (lambda row: row.set("n", 40_000), BadValue, "n is INT"),
    (lambda row: row.set("n", 1.5), BadValue, "n is INT"),
    (lambda row: row.set("delay", 5 << 62), BadValue, "beyond it"),
    (lambda row: row.set("RATE", 5), BadValue, "given={...}"),
    (lambda row: row.set("name", "far too long"), BadValue, "12 characters"),
    (lambda row: row.force("name", "a"), BadValue, "texts are not forced"),
    (lambda row: row.run_until("m > 3"), BadValue, "m is not declared in Row."),
    (lambda row: row.run_until("n +"), BadValue, "n +:"),
    (lambda row: row.run_until("n"), BadValue, "A condition needs a BOOL"),
    (lambda row: row.run_until("t.Q", within="3s"), NeverMet, "within 3s"),
    (lambda row: row.run_until("t.Q", within="3"), BadValue, "no unit of time"),
]


@pytest.mark.parametrize(("call", "error", "says"), WRONG)
def test_a_call_that_cannot_be_done_says_why(
    row: Controller, call: object, error: type[UprightError], says: str
) -> None:
    assert callable(call)
    with pytest.raises(error) as caught:
        call(row)
    assert says in str(caught.value)
    assert caught.value.way_out


def test_a_fault_tells_where_and_the_machine_stands_before_it(row: Controller) -> None:
    row.scan(2)
    row.set("d", 0)
    with pytest.raises(ScanFault, match=r"Division by zero in Row, at 2s \(scan 2\), blocks/b.st:10"):
        row.scan(5)
    row.set("d", 1)
    row.scan()
    assert row.now == 3 * SECOND


@pytest.mark.parametrize(
    ("name", "scan", "error", "says"),
    [
        ("Rwo", None, UnknownName, "Did you mean Row?"),
        ("Broken", None, NotRunnable, "Broken has errors."),
        ("Row", "0s", BadValue, "no time above zero"),
        ("Plant", "1s", NotRunnable, "every 20ms"),
    ],
)
def test_a_machine_that_cannot_be_made_says_why(
    library: OpenLibrary, name: str, scan: str | None, error: type[UprightError], says: str
) -> None:
    with pytest.raises(error) as caught:
        library.machine(name, scan=scan)
    assert says in str(caught.value)


def test_a_folder_without_a_library_is_told(tmp_path: Path) -> None:
    with pytest.raises(LibraryProblem, match=r"no upright\.toml"):
        open_library(tmp_path)


def test_cases_are_run_from_python() -> None:
    library = open_library(EXAMPLES / "demo")
    seen: list[str] = []
    verdicts = library.run(library.cases[:3], lambda verdict: seen.append(verdict.case.id))
    assert [verdict.status for verdict in verdicts] == ["passed"] * 3
    assert sorted(seen) == sorted(case.id for case in library.cases[:3])


def test_what_cases_reach_is_told_where_it_is_asked_for() -> None:
    library = open_library(EXAMPLES / "demo")
    chosen = [case for case in library.cases if case.unit_name == "Blink"]
    reached = {
        (p.unit.name, p.way) for verdict in library.run(chosen, collector=Collector()) for p in verdict.reached or ()
    }
    assert ("Blink", "") in reached
    assert all(verdict.reached is None for verdict in library.run(chosen))


def test_the_face_names_what_there_is_and_reads_nothing_before_it_is_used() -> None:
    for name in upright_block.__all__:
        assert getattr(upright_block, name) is not None
    with pytest.raises(AttributeError):
        _ = upright_block.nothing
    code = "import sys, upright_block; print(sorted(m for m in sys.modules if m.startswith(('upright_block.', 'click', 'wasmtime', 'numpy'))))"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert result.stdout.strip() == "['upright_block.lazily', 'upright_block.version']"


def test_the_command_line_uses_the_face_alone() -> None:
    allowed = (
        "upright_block",
        "upright_block.asking",
        "upright_block.reports",
        "upright_block.cli",
        "upright_block.desk",
    )
    for path in sorted((ROOT / "src" / "upright_block" / "cli").glob("*.py")):
        for line in path.read_text().splitlines():
            words = line.split()
            if words[:1] == ["from"] and words[1].startswith("upright_block"):
                assert words[1] in allowed or words[1].startswith("upright_block.cli."), f"{path.name}: {line}"


def test_what_the_command_line_imports_of_the_face_is_there() -> None:
    for path in sorted((ROOT / "src" / "upright_block" / "cli").glob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module in ("upright_block", "upright_block.reports"):
                package = upright_block if node.module == "upright_block" else upright_block.reports
                for alias in node.names:
                    assert hasattr(package, alias.name), f"{path.name}: {alias.name}"


def test_a_library_that_nobody_holds_is_gone(library: OpenLibrary, tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK Passing VAR_IN_OUT r : ARRAY [1..2] OF Leaf; END_VAR VAR p : REF_TO Leaf; END_VAR p := REF(r[1]); END_FUNCTION_BLOCK "
    text += "FUNCTION_BLOCK Leaf VAR n : INT; END_VAR n := n + 1; END_FUNCTION_BLOCK"
    (tmp_path / "blocks" / "p.st").write_text(text)

    def use() -> None:
        opened = open_library(tmp_path)
        passing = opened.machine("Passing")
        passing.scan()
        assert passing.read("r[1].n") == 0

    def left() -> int:
        gc.collect()
        return sum(isinstance(o, Unit) and o.name in ("Passing", "Leaf") for o in gc.get_objects())

    assert library.name == "house"
    use()
    assert left() == 0


def test_a_tag_is_set_and_forced_with_its_point(tmp_path: Path) -> None:
    tags = "tag,point,sense,raw_low,raw_high,low,high\nshut,%IX0.0,NC,,,,\nair,%IW2,,0,1000,0,100\nlamp,%QX0.0,NC,,,,\n"
    main = "PROGRAM Main VAR warm : BOOL; END_VAR warm := air > 20.0; lamp := NOT shut AND warm; END_PROGRAM"
    write_files(tmp_path, {"upright.toml": "", "tags/t.csv": tags, "programs/main.st": main})
    machine = open_library(tmp_path).machine("library", given={"air": 30})
    machine.scan()
    assert [machine.read(path) for path in ("shut", "%IX0.0", "%IW2", "lamp", "%QX0.0")] == [
        False,
        True,
        300,
        True,
        False,
    ]
    machine.set("shut", True)
    machine.force("air", 12.5)
    machine.scan()
    assert [machine.read(path) for path in ("shut", "%IX0.0", "%IW2", "lamp", "%QX0.0")] == [
        True,
        False,
        125,
        False,
        True,
    ]
    machine.release("air")
    machine.force("lamp", True)
    machine.set("air", 40)
    machine.scan()
    assert [machine.read(path) for path in ("Main.warm", "lamp", "%QX0.0")] == [True, True, False]
    with pytest.raises(BadValue, match="which holds"):
        machine.set("air", 1e6)


@pytest.mark.parametrize(
    "call",
    [
        ["run", "VentDrive", "--for", "2s", "--watch", "running.*"],
        ["run", "VentDrive", "--for", "8s", "--against", "gives up when the limit never comes"],
        ["verify", "VentDrive", "--coverage", "--uncovered"],
        ["plot", "gives up when the limit never comes", "--terminal"],
    ],
)
def test_nothing_slow_is_read_where_it_is_not_used(call: list[str]) -> None:
    slow = ("numpy", "matplotlib", "pandas", "openpyxl", "vcd")
    code = f"""import sys
from contextlib import suppress
from upright_block.cli.main import main
with suppress(SystemExit):
    main(sys.argv[1:], standalone_mode=False)
print([name for name in {slow} if name in sys.modules])"""
    arguments = [sys.executable, "-c", code, *call, "--library", str(EXAMPLES / "demo")]
    result = subprocess.run(arguments, capture_output=True, text=True, check=True)
    assert result.stdout.splitlines()[-1] == "[]"


def test_a_snapshot_of_another_program_or_scan_is_refused(tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK A VAR n : INT; END_VAR VAR CONSTANT PLUS : INT := 1; END_VAR n := n + PLUS; END_FUNCTION_BLOCK\n"
    library = open_library(write_files(tmp_path, {"blocks/a.st": text + text.replace("BLOCK A", "BLOCK B")}))
    machine = library.machine("A", scan="1s")
    machine.scan(3)
    moment = machine.snapshot()
    for other in (
        library.machine("B", scan="1s"),
        library.machine("A", scan="2s"),
        library.machine("A", scan="1s", given={"PLUS": 2}),
    ):
        other.scan()
        with pytest.raises(BadValue, match="another program"):
            other.restore(moment)
        assert other.read("n") in (1, 2)
    twin = library.machine("A", scan="1s")
    twin.scan()
    twin.restore(moment)
    twin.scan()
    assert (twin.read("n"), twin.now, list(twin.trace("n")["n"].times)) == (4, 4 * SECOND, [3 * SECOND])


def test_a_snapshot_brings_its_forces_to_a_machine_that_had_none(tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK A VAR n : INT; END_VAR n := n + 1; END_FUNCTION_BLOCK"
    library = open_library(write_files(tmp_path, {"blocks/a.st": text}))
    machine, twin = library.machine("A"), library.machine("A")
    before = machine.snapshot()
    machine.force("n", 7)
    twin.restore(machine.snapshot())
    twin.scan(2)
    assert twin.read("n") == 7
    machine.restore(before)
    machine.scan()
    assert machine.read("n") == 1


def test_a_way_out_names_a_parameter_as_it_was_asked_for() -> None:
    library = open_library(EXAMPLES / "demo")
    case = next(iter(library.cases)).id
    with pytest.raises(upright_block.BadValue, match=r"^A case has its own scan\. Leave scan= out\.$"):
        library.watch(case, upright_block.Wishes(scan="50ms"))
    run = CliRunner().invoke(main, ["run", "--library", str(library.root), case, "--scan", "50ms"])
    assert "Leave --scan out." in run.output
    with pytest.raises(upright_block.BadValue, match="scan="):
        library.watch(case, upright_block.Wishes(scan="50ms"))


# --- what Python gives and gets ---

SHAPES = """
TYPE Range : STRUCT low, high : REAL; since : TIME; END_STRUCT; END_TYPE
FUNCTION_BLOCK Shapes
VAR_INPUT x : INT := 1; range : Range; levels : ARRAY [1..3] OF INT; grid : ARRAY [0..1, 0..2] OF Range; wait : TIME; END_VAR
VAR_OUTPUT y : INT; END_VAR
y := 10 / x + levels[2];
END_FUNCTION_BLOCK
"""


@pytest.fixture
def shapes(tmp_path: Path) -> Steered:
    write_files(tmp_path, {"upright.toml": "", "blocks/s.st": SHAPES})
    return open_library(tmp_path).machine("Shapes", scan=timedelta(milliseconds=50))


def test_help_lists_every_class_with_a_line() -> None:
    told = upright_block.__doc__ or ""
    classes = [name for name in upright_block.__all__ if isinstance(getattr(upright_block, name), type)]
    assert [name for name in classes if not re.search(rf"\b{name}\b", told)] == []
    assert dir(upright_block) == sorted(upright_block.__all__)


def test_whole_structures_and_arrays_are_set_and_read(shapes: Steered) -> None:
    shapes.set("range", {"low": -20.5, "SINCE": timedelta(seconds=2)})
    shapes.set("levels", (5, "16#10", 7))
    assert shapes.read("range") == {"low": -20.5, "high": 0.0, "since": 2 * SECOND}
    assert shapes.read("levels") == [5, 16, 7]
    one = {"low": 1.0, "high": 2.0, "since": 3}
    shapes.force("grid", [[one] * 3, [{"low": n} for n in range(3)]])
    shapes.scan()
    assert shapes.read("grid") == [[one] * 3, [{"low": float(n), "high": 0.0, "since": 0} for n in range(3)]]
    assert (shapes.read("y"), shapes.now) == (26, 50_000_000)
    shapes.release("grid")
    assert shapes.forced == {}


def test_many_values_are_set_all_or_none(shapes: Steered) -> None:
    shapes.set_many({"x": 2, "levels[2]": 7, "wait": timedelta(minutes=1)})
    assert shapes.read_many(["x", "levels[2]", "wait"]) == {"x": 2, "levels[2]": 7, "wait": 60 * SECOND}
    for path, value in (("levels[9]", "1"), ("wait", "soon")):
        with pytest.raises(UprightError):
            shapes.set_many({"x": 5, path: value})
    assert shapes.read("x") == 2


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda m: m.set("range", 5), "Give a dict"),
        (lambda m: m.set("range", {"lo": 5}), "Did you mean low?"),
        (lambda m: m.set("levels", [1, 2]), "Give a list of 3"),
        (lambda m: m.set("levels", "123"), "Give a list of 3"),
        (lambda m: m.set("grid", [[{}] * 2] * 2), "Give a list of 3"),
        (lambda m: m.set("x", None), "a NoneType is no value of it"),
        (lambda m: m.set("x", [1]), "a list is no value of it"),
        (lambda m: m.set(5, 1), "5 is no path (int)"),
        (lambda m: m.read(None), "None is no path"),
        (lambda m: m.scan(2.5), "2.5 is no number of scans"),
        (lambda m: m.scan(-1), "-1 is no number of scans"),
        (lambda m: m.scan(True), "True is no number of scans"),
        (lambda m: m.run_until("x = 5", within=1.0), "1.0 is no time (float)"),
        (lambda m: m.run_until(5), "5 is no condition"),
        (lambda m: m.trace("y", begin=0.5), "0.5 is no time"),
        (lambda m: m.pulse("x", width=None), "x is no BOOL"),
    ],
)
def test_a_wrong_value_of_python_is_an_error_of_the_package(
    shapes: Steered, call: Callable[[Controller], object], says: str
) -> None:
    with pytest.raises(BadValue) as refused:
        call(shapes)
    assert says in str(refused.value)


def test_a_scan_is_no_fraction_of_a_second_without_a_unit(library: OpenLibrary) -> None:
    with pytest.raises(BadValue, match=r"0\.1 is no time \(float\)\. Give a text such as \"100ms\""):
        library.machine("Row", scan=0.1)  # type: ignore[arg-type]
    with pytest.raises(UnknownName):
        library.machine(5)  # type: ignore[arg-type]


def test_a_fault_tells_what_it_was_and_tells_it_again_until_it_is_mended(shapes: Steered) -> None:
    shapes.set("x", 0)
    for _ in range(2):
        with pytest.raises(ScanFault) as stopped:
            shapes.scan(3)
        fault = stopped.value
        assert (fault.kind, fault.file, fault.line) == ("division by zero", "blocks/s.st", 6)
        assert (fault.instance, fault.scan) == ("", 0)
        assert pickle.loads(pickle.dumps(fault)).__dict__ == fault.__dict__
    shapes.set("x", 2)
    shapes.scan(3)
    assert shapes.read("y") == 5


def test_a_frame_has_a_row_for_each_multiple_of_a_time(shapes: Steered) -> None:
    pytest.importorskip("pandas")
    shapes.scan(3)
    shapes.set("x", 2)
    shapes.scan(3)
    frame = shapes.trace("y").frame(every="40ms")
    assert [int(time.value) for time in frame.index] == [n * 40_000_000 for n in range(8)]
    assert frame["y"].tolist() == [10] * 4 + [5] * 4
    with pytest.raises(BadValue, match="rows"):
        shapes.trace("y").frame(every=1)


def test_what_is_recorded_scan_by_scan_is_what_one_run_records(library: OpenLibrary) -> None:
    by_one, whole = (library.machine("Row", scan="100ms", given={"delay": "1s"}) for _ in range(2))
    for machine in (by_one, whole):
        machine.set("go", True)
    for _ in range(700):
        by_one.scan()
    whole.scan(700)
    assert [(t.path, list(t.times), list(t.values)) for t in by_one.trace().values()] == [
        (t.path, list(t.times), list(t.values)) for t in whole.trace().values()
    ]
    by_one.set("go", False)
    by_one.scan()
    times, values = by_one.trace("go")["go"]
    assert (times.tolist(), values.tolist()) == ([0, 70 * SECOND], [True, False])
    assert len(by_one._recorder.pieces()) < 20, "short pieces become one"
