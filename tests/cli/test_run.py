"""Runs by hand, through the real program, against what each pin must have by the words of the call."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import upright, write_files
from upright_block import Tracing, open_library
from upright_block.reports import case_diagram

COPY = """
FUNCTION_BLOCK Copy
VAR_INPUT x : BOOL; n : INT; d : TIME; END_VAR
VAR_OUTPUT q : BOOL; m : INT; r : REAL; s : STRING; END_VAR
VAR inner : TON; count : INT; END_VAR
VAR CONSTANT STEP_BY : INT := 1; END_VAR
q := x; m := n; inner(IN := x, PT := d); count := count + STEP_BY; r := INT_TO_REAL(n) / 3.0; s := CONCAT('a, ', INT_TO_STRING(n));
END_FUNCTION_BLOCK
"""
PLANT = {
    "programs/main.st": "PROGRAM Main lamp := key; out := level; END_PROGRAM",
    "tags/t.csv": "tag,point,type,sense,raw_low,raw_high,low,high\nkey,%IX0.0,BOOL,NC,,,,\nlamp,%QX0.0,BOOL,NC,,,,\n"
    "level,%IW2,REAL,,0,1000,0,100\nout,%QW2,REAL,,0,1000,0,100\n",
}


@pytest.fixture(scope="module")
def library(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_files(tmp_path_factory.mktemp("copy"), {"blocks/Copy.st": COPY})


def run(folder: Path, *arguments: str, code: int = 0) -> dict[str, Any]:
    result = upright("run", *arguments, "--json", "--library", folder)
    assert result.exit_code == code, result.output
    data: dict[str, Any] = json.loads(result.output)
    return data


def column(data: dict[str, Any], path: str) -> list[Any]:
    """The value of a signal after each scan."""
    place = [signal["path"] for signal in data["signals"]].index(path)
    changes = {row["scan"]: row["values"][place] for row in data["rows"]}
    values, now = [], None
    for scan in range(data["scans"]):
        now = changes.get(scan, now)
        values.append(now)
    return values


@settings(max_examples=40, deadline=None)
@given(
    sets=st.dictionaries(st.integers(0, 19), st.booleans(), max_size=5),
    starts=st.lists(st.integers(0, 9).map(lambda n: 2 * n), max_size=3, unique=True),
    width=st.integers(1, 2),
    forced=st.none() | st.tuples(st.integers(0, 19), st.booleans(), st.none() | st.integers(1, 5)),
)
def test_a_pin_has_what_the_call_says(
    sets: dict[int, bool], starts: list[int], width: int, forced: tuple[int, bool, int | None] | None, library: Path
) -> None:
    call = [f"--set=x={int(value)}@{100 * scan}ms" for scan, value in sets.items()]
    call += [f"--pulse=x@{100 * scan}ms:{100 * width}ms" for scan in starts]
    if forced is not None:
        begin, value, span = forced
        call.append(f"--force=x={int(value)}@{100 * begin}ms")
        call += [f"--release=x@{100 * (begin + span)}ms"] if span and begin + span < 30 else []
    wanted = []
    for scan in range(30):
        last = max((s for s in sets if s <= scan), default=None)
        now = any(start <= scan < start + width for start in starts) or (last is not None and sets[last])
        if forced is not None and forced[0] <= scan and (not forced[2] or scan < forced[0] + forced[2]):
            now = forced[1]
        wanted.append(now)
    assert column(run(library, "Copy", "--for", "3s", *call), "q") == wanted


def test_points_are_set_in_the_sense_and_the_unit_of_their_tags(tmp_path: Path) -> None:
    write_files(tmp_path, PLANT)
    call = [
        "--set=key=1@100ms",
        "--set=level=40@200ms",
        "--pulse=key@400ms:100ms",
        "--force=lamp=0@600ms",
        "--release=lamp@700ms",
    ]
    data = run(tmp_path, "library", "--for", "1s", "--watch", "*,%QW2", *call)
    assert column(data, "lamp") == [False, *[True] * 5, False, *[True] * 3]
    assert column(data, "out") == [0.0] * 2 + [40.0] * 8


def test_a_run_ends_with_its_condition_its_time_or_a_fault(library: Path, tmp_path: Path) -> None:
    met = run(library, "Copy", "--until", "count = 7 AND NOT q")
    assert (met["scans"], met["until"]["met"]) == (7, True)
    missed = run(library, "Copy", "--until", "count > 70", "--for", "5s", code=1)
    assert (missed["scans"], missed["until"]["met"]) == (50, False)
    assert run(library, "Copy")["scans"] == 100
    assert run(library, "Copy", "--scan", "1s", "--for", "20s")["scans"] == 20
    assert run(library, "Copy", "--until", "count >= 40", "--given", "STEP_BY=10")["scans"] == 4
    block = (
        "FUNCTION_BLOCK F VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q : INT; END_VAR q := 6 / d; END_FUNCTION_BLOCK"
    )
    write_files(tmp_path, {"blocks/f.st": block})
    fault = run(tmp_path, "F", "--set=d=0@300ms", code=1)
    assert (fault["fault"]["kind"], fault["fault"]["scan"], fault["scans"]) == ("division by zero", 3, 3)
    assert "Division by zero" in upright("run", "F", "--set=d=0@300ms", "--library", tmp_path).output


def test_a_trace_is_a_table_that_a_case_reads_again(library: Path, tmp_path: Path) -> None:
    call = [
        "--set=x=1@300ms",
        "--set=n=7@500ms",
        "--set=d=400ms",
        "--set=n=-3@900ms",
        "--watch",
        "x,n,d,q,m,r,s,inner.*",
    ]
    upright("run", "Copy", "--for", "2s", *call, "--trace", tmp_path / "t.csv", "--library", library)
    case = 'block = "Copy"\nscan = "100ms"\n[[case]]\nname = "again"\nhold = true\nrun_for = "2s"\nvectors = "t.csv"\n'
    write_files(
        tmp_path / "again",
        {"blocks/Copy.st": COPY, "cases/c.toml": case, "cases/t.csv": (tmp_path / "t.csv").read_text()},
    )
    result = upright("verify", "--library", tmp_path / "again")
    assert "1 case: 1 good" in result.output, result.output


def test_a_case_gives_its_rows_and_its_checks_are_left_out(glasshouse: Path) -> None:
    data = run(glasshouse, "gives up when the limit never comes", "--watch", "stuck,running.ET")
    assert column(data, "stuck")[50:52] == [False, True]
    later = run(glasshouse, "gives up when the limit never comes", "--set=at_open=1@2s", "--watch", "stuck,opening")
    assert not any(column(later, "stuck"))
    half = run(glasshouse, "half open", "--until", "Bays.vent1.position > 60.0", "--watch", "Bays.vent1.position")
    assert half["scans"] == 723


def test_events_are_counted_by_edge_and_written_as_csv(library: Path, tmp_path: Path) -> None:
    call = ["--pulse=x@1s:200ms", "--pulse=x@2s:100ms", "--watch", "q", "--log", str(tmp_path / "l.csv")]
    upright("run", "Copy", "--for", "3s", *call, "--library", library)
    rows = list(csv.DictReader((tmp_path / "l.csv").open(encoding="utf-8")))
    assert {row["signal"] for row in rows} == {"x", "q"}  # what the call names is watched too
    assert [(row["at"], row["edge"], row["count"]) for row in rows if row["signal"] == "q"] == [
        ("1s", "rises", "1"),
        ("1.2s", "falls", "1"),
        ("2s", "rises", "2"),
        ("2.1s", "falls", "2"),
    ]


def test_what_runs_on_is_left_out_of_the_list_and_all_prints_it(library: Path) -> None:
    call = ["run", "Copy", "--set=d=5s", "--set=x=1@1s", "--watch", "inner.*", "--for", "4s", "--library", str(library)]
    short, long = upright(*call).output, upright(*call, "--all").output
    assert "rows in which only numbers run on are left out" in short
    assert len(long.splitlines()) > len(short.splitlines()) + 20
    dense = upright(*call, "--every", "1s").output
    assert [line.split()[1] for line in dense.splitlines()[1:6] if line.strip()[:1].isdigit()] == [
        "0s",
        "1s",
        "2s",
        "3s",
    ]


def test_all_that_an_instance_holds_is_shown_as_a_tree(library: Path) -> None:
    output = upright("run", "Copy", "--for", "1s", "--tree", "inner", "--library", library).output
    assert "PT" in output
    assert "started" in output
    assert "count" not in output
    assert "count" in upright("run", "Copy", "--for", "1s", "--tree", ".", "--library", library).output


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["Cop"], "Did you mean Copy?"),
        (["Copy", "--set=y=1"], "Copy has no y"),
        (["Copy", "--set=x"], "Write --set pin=value@time."),
        (["Copy", "--set=n=x@1s"], "n is INT"),
        (["Copy", "--set=x=1@50ms"], "Write 0s or 100ms"),
        (["Copy", "--set=x=1@1s", "--set=x=0@1s"], "two values at 1s"),
        (["Copy", "--set=x=1@20s"], "behind the end of the run"),
        (["Copy", "--set=STEP_BY=3"], "--given STEP_BY"),
        (["Copy", "--pulse=n@1s:1s"], "a pulse is TRUE for a while"),
        (["Copy", "--pulse=x@1s"], "how long the pulse is"),
        (["Copy", "--pulse=x@1s:150ms"], "No scan starts after 150ms"),
        (["Copy", "--pulse=x@1s:1s", "--pulse=x@1500ms:1s"], "two values"),
        (["Copy", "--release=x@1s"], "not forced"),
        (["Copy", "--force=s=a"], "text"),
        (["Copy", "--watch", "zz*"], "is called zz*"),
        (["Copy", "--until", "x AND"], "x AND"),
        (["Copy", "--until", "n"], "n"),
        (["Copy", "--for", "0s"], "no time above zero"),
        (["Copy", "--for", "5"], "5"),
        (["Copy", "--every", "x"], "--every x"),
        (["Copy", "--tree", "inne"], "Did you mean inner?"),
        (["Copy", "--json", "--tree", "inner"], "no use beside --json"),
        (["Copy", "--against", "x.csv", "--every", "1s"], "no use beside --against"),
    ],
)
def test_a_call_that_cannot_be_says_what_is_right(arguments: list[str], says: str, library: Path) -> None:
    result = upright("run", *arguments, "--library", library)
    assert (result.exit_code, says in result.output) == (2, True), result.output


# --- a run that becomes a case ---


@settings(max_examples=30, deadline=None)
@given(
    sets=st.lists(
        st.tuples(st.sampled_from(["x", "n", "d", "count"]), st.integers(0, 19), st.integers(0, 6)), max_size=8
    ),
    force=st.none() | st.tuples(st.sampled_from(["x", "q", "m"]), st.integers(0, 10), st.none() | st.integers(1, 9)),
    pulse=st.none() | st.integers(0, 15),
    length=st.integers(20, 90),
)
def test_a_saved_run_is_a_good_case_that_runs_the_same(
    sets: list[tuple[str, int, int]],
    force: tuple[str, int, int | None] | None,
    pulse: int | None,
    length: int,
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    folder = write_files(tmp_path_factory.mktemp("saved"), {"blocks/Copy.st": COPY})
    values: dict[str, Callable[[int], str]] = {
        "x": lambda n: str(n % 2),
        "n": lambda n: str(n - 3),
        "d": lambda n: f"{n * 100}ms",
        "count": str,
    }
    unique = {(pin, scan): value for pin, scan, value in sets}
    call = [f"--set={pin}={values[pin](value)}@{100 * scan}ms" for (pin, scan), value in unique.items()]
    if force is not None:
        pin, begin, span = force
        call.append(f"--force={pin}=1@{100 * begin}ms")
        call += [f"--release={pin}@{100 * (begin + span)}ms"] if span else []
    call += [f"--pulse=x@{100 * pulse}ms:200ms"] if pulse is not None else []
    call += ["--for", f"{100 * length}ms", "--watch", "inner.ET,count"]
    first = run(folder, "Copy", *call)
    saved = upright("run", "Copy", *call, "--save-as", "by hand/first", "--write", "--library", folder)
    assert saved.exit_code == 0, saved.output
    verified = upright("verify", "--strict", "--library", folder)
    assert "1 case: 1 good" in verified.output, verified.output
    again = run(folder, "by hand/first", "--watch", "q,m,s,inner.ET,count")
    assert again["scans"] == first["scans"]
    assert column(again, "inner.ET") == column(first, "inner.ET")


def test_a_saved_run_of_a_plant_is_a_good_case(glasshouse: Path) -> None:
    call = [
        "--set=bay1_open_button=1@1s",
        "--force=bay1_vent_opened=1@5s",
        "--release=bay1_vent_opened@8s",
        "--set=bay1_air=12000@4s",
    ]
    call += ["--set=sun=812.5@3s", "--for", "20s", "--watch", "bay1_vent_up,air.Heat01.air,sun"]
    upright("run", "Glasshouse", *call, "--save-as", "hand/one", "--write", "--library", glasshouse)
    more = upright(
        "run",
        "Glasshouse",
        "--set=stop_vents=1@1s",
        "--watch",
        "horn",
        "--save-as",
        "hand/two",
        "--write",
        "--library",
        glasshouse,
    )
    assert more.exit_code == 0, more.output
    upright(
        "run",
        "half open",
        "--watch",
        "Bays.vent1.position",
        "--save-as",
        "loop/half",
        "--write",
        "--library",
        glasshouse,
    )
    result = upright("verify", "cases/hand.toml", "loop/half", "--strict", "--library", glasshouse)
    assert "3 cases: 3 good" in result.output, result.output


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["Copy", "--save-as", "first"], "names no file and case"),
        (["Copy", "--save-as", "../x/first"], "names no file and case"),
        (["Copy", "--save-as", "c/there"], "There is a case c/there already."),
        (["Copy", "--save-as", "c/new", "--scan", "1s"], "c.toml is for"),
        (["Other", "--save-as", "c/new"], "c.toml is for"),
        (["Other", "--set=d=0@1s", "--save-as", "o/new"], "stopped with a fault"),
        (["Copy", "--save-as", "bad/new"], "No case of bad.toml can be run"),
        (["Copy", "--write"], "no use without --save-as"),
        (["Copy", "--save-as", "c/new", "--every", "1s"], "no use beside --save-as"),
    ],
)
def test_a_run_that_cannot_be_a_case(arguments: list[str], says: str, tmp_path: Path) -> None:
    case = 'block = "Copy"\nscan = "100ms"\n[[case]]\nname = "there"\nvectors = """\nx | q\n1 | 1\n"""\n'
    other = "FUNCTION_BLOCK Other VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q : INT; END_VAR q := 6 / d; END_FUNCTION_BLOCK"
    files = {"blocks/Copy.st": COPY, "blocks/Other.st": other, "cases/c.toml": case, "cases/bad.toml": "block = 3"}
    write_files(tmp_path, files)
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    result = upright("run", *arguments, "--library", tmp_path)
    assert says in result.output, result.output
    assert result.exit_code == 2
    assert {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()} == before


# --- traces ---

ALL_TYPES = """
TYPE Mode : (idle, busy, `done`); END_TYPE
FUNCTION_BLOCK All
VAR_INPUT b : BOOL; i : INT; u : UDINT; w : WORD; r : REAL; l : LREAL; t : TIME; m : Mode; s : STRING; c : ARRAY [1..2] OF INT; d : DT; END_VAR
VAR inner : TON; END_VAR
inner(IN := b, PT := T#1s);
END_FUNCTION_BLOCK
""".replace("`done`", "ended")
VALUES: dict[str, st.SearchStrategy[str]] = {
    "b": st.sampled_from(["0", "1"]),
    "i": st.integers(-32768, 32767).map(str),
    "u": st.integers(0, 2**32 - 1).map(str),
    "w": st.integers(0, 2**16 - 1).map(lambda n: f"16#{n:04X}"),
    "r": st.floats(width=32, allow_nan=False, allow_infinity=False).map(lambda x: f"{x!r}" if x == x else "0.0"),
    "l": st.floats(allow_nan=False, allow_infinity=False).map(repr),
    "t": st.integers(-(10**12), 10**12).map(lambda n: f"{n}ns"),
    "m": st.sampled_from(["idle", "busy", "ended"]),
    "s": st.sampled_from(["'a b'", "'$$ \\ x'", "''", "'a,b'", "'7'"]),
    "c[2]": st.integers(-9, 9).map(str),
    "d": st.sampled_from(["2026-02-03-04:05:06", "1999-12-31-23:59:59"]),
}


@settings(max_examples=30, deadline=None)
@given(
    sets=st.lists(
        st.sampled_from(sorted(VALUES)).flatmap(lambda pin: st.tuples(st.just(pin), st.integers(0, 9), VALUES[pin])),
        max_size=14,
    ),
    kind=st.sampled_from(["csv", "vcd"]),
)
def test_a_trace_reads_back_equal(
    sets: list[tuple[str, int, str]], kind: str, tmp_path_factory: pytest.TempPathFactory
) -> None:
    folder = write_files(tmp_path_factory.mktemp("all"), {"blocks/All.st": ALL_TYPES})
    unique = {(pin, scan): value for pin, scan, value in sets}
    call = [f"--set={pin}={value}@{100 * scan}ms" for (pin, scan), value in unique.items()]
    call += ["--for", "1s", "--watch", "*", "--library", str(folder)]
    file = folder / f"t.{kind}"
    written = upright("run", "All", *call, "--trace", file)
    assert written.exit_code == 0, written.output
    again = upright("run", "All", *call, "--against", file)
    assert (again.exit_code, "The same as" in again.output) == (0, True), again.output
    assert "not in" not in again.output


def test_another_reader_finds_the_same_in_a_vcd_file(tmp_path: Path) -> None:
    from vcdvcd import VCDVCD  # type: ignore[import-untyped]

    write_files(tmp_path, {"blocks/All.st": ALL_TYPES})
    call = [
        "--set=b=1@200ms",
        "--set=i=-5@300ms",
        "--set=w=16#00F0@400ms",
        "--set=l=0.1@500ms",
        "--set=c[2]=7@600ms",
        "--for",
        "2s",
    ]
    upright("run", "All", *call, "--watch", "*", "--trace", tmp_path / "t.vcd", "--library", tmp_path)
    read = VCDVCD(str(tmp_path / "t.vcd"))
    ms = 10**6
    assert read.endtime == 2000 * ms
    assert read["library.All.b"].tv == [(0, "0"), (200 * ms, "1")]
    assert [(t, int(v, 2)) for t, v in read["library.All.i"].tv] == [(0, 0), (300 * ms, 2**64 - 5)]
    assert [(t, int(v, 2)) for t, v in read["library.All.w"].tv] == [(0, 0), (400 * ms, 0xF0)]
    assert [(t, float(v)) for t, v in read["library.All.l"].tv] == [(0, 0.0), (500 * ms, 0.1)]
    assert [(t, int(v, 2)) for t, v in read["library.All.inner.Q"].tv] == [(0, 0), (1200 * ms, 1)]
    assert [(t, int(v, 2)) for t, v in read["library.All.c.[2]"].tv] == [(0, 0), (600 * ms, 7)]


def test_a_run_is_compared_with_a_case_and_a_trace(glasshouse: Path, tmp_path: Path) -> None:
    call = ["run", "VentDrive", "--set=open=1", "--given", "travel=5s", "--for", "8s", "--library", str(glasshouse)]
    same = upright(*call, "--against", "gives up when the limit never comes", "--watch", "stuck,opening,running.*")
    assert (same.exit_code, "The same as" in same.output) == (0, True), same.output
    other = upright(
        *call, "--set=at_open=1@3s", "--against", "gives up when the limit never comes", "--watch", "stuck,state"
    )
    assert other.exit_code == 1
    assert "first at 3s (scan 30)" in other.output
    upright(*call, "--trace", tmp_path / "t.vcd")
    more = upright(*call, "--watch", "state,stuck", "--against", tmp_path / "t.vcd")
    assert (more.exit_code, "not in" in more.output) == (0, True), more.output
    for name, text in (
        ("a.csv", "x,y\n1,2\n"),
        ("b.vcd", "$var"),
        ("c.vcd", "\x00\x01"),
        ("d.csv", ""),
        ("e.csv", "at,stuck\n1s,maybe\n"),
    ):
        (tmp_path / name).write_text(text)
        refused = upright(*call, "--against", tmp_path / name)
        assert (refused.exit_code, refused.output.count("upright: ")) == (2, 1), refused.output
    for missing in ("nobody", str(tmp_path / "none.csv")):
        assert upright(*call, "--against", missing).exit_code == 2
    assert upright(*call, "--trace", tmp_path / "t.xyz").exit_code == 2


def test_what_a_pulse_comes_back_to_is_saved_too(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK K VAR_INPUT k : ARRAY [1..2] OF BOOL := [TRUE, FALSE]; x : BOOL; END_VAR VAR_OUTPUT q : INT; END_VAR "
        "q := SEL(k[1], 0, 1) + SEL(k[2], 0, 2) + SEL(x, 0, 4); END_FUNCTION_BLOCK"
    )
    write_files(tmp_path, {"blocks/k.st": block})
    call = [
        "K",
        "--given",
        "x=1",
        "--set=k[1]=0@100ms",
        "--pulse=x@500ms:200ms",
        "--pulse=k[2]@300ms:100ms",
        "--for",
        "1s",
    ]
    assert column(run(tmp_path, *call), "q") == [5, 4, 4, 6, 4, 4, 4, 4, 4, 4]
    assert upright("run", *call, "--save-as", "k/one", "--write", "--library", tmp_path).exit_code == 0
    result = upright("verify", "--library", tmp_path)
    assert "1 case: 1 good" in result.output, result.output


PULSE = "FUNCTION_BLOCK Pu VAR_INPUT go : BOOL := TRUE; END_VAR VAR_OUTPUT lamp : BOOL; level : REAL; END_VAR lamp := go; level := 2.99; END_FUNCTION_BLOCK"


def test_files_may_be_several_and_what_is_said_twice_is_refused(tmp_path: Path) -> None:
    library = write_files(tmp_path / "l", {"blocks/pu.st": PULSE})
    files = [tmp_path / name for name in ("a.csv", "b.vcd", "c.csv", "d.csv", "e.svg", "f.png")]
    call = ["run", "Pu", "--library", library, "--for", "1s"]
    named = [
        text
        for option, file in zip(["--trace"] * 2 + ["--log"] * 2 + ["--picture"] * 2, files, strict=True)
        for text in (option, file)
    ]
    assert upright(*call, *named).exit_code == 0
    assert all(file.stat().st_size for file in files)
    assert files[2].read_bytes() == files[3].read_bytes()
    for again in (
        ["--for", "3s"],
        ["--library", library],
        ["--until", "go", "--until", "lamp"],
        ["--save-as=a/b", "--save-as=a/c"],
    ):
        result = upright(*call, *again)
        assert (result.exit_code, "is given twice" in result.output) == (2, True)
    before = files[0].read_bytes()
    result = upright(*call, "--trace", files[0], "--log", files[0])
    assert (result.exit_code, "is named twice" in result.output, files[0].read_bytes()) == (2, True, before)


def test_a_stretch_with_both_values_shows_that_in_characters(tmp_path: Path) -> None:
    library = write_files(tmp_path, {"blocks/pu.st": PULSE})
    file = tmp_path / "t.csv"
    upright(
        "run",
        "Pu",
        "--library",
        library,
        "--set",
        "go=0@60s",
        "--set",
        "go=1@62s",
        "--for",
        "3m",
        "--trace",
        file,
        "--watch",
        "go",
    )
    lane = next(
        line
        for line in upright("plot", file, "--library", library, "--terminal").output.splitlines()
        if line.startswith("go")
    )
    assert re.fullmatch(r"go +█+[▁▒]+█+ *", lane), lane


def test_a_csv_that_names_its_unit_has_its_types(tmp_path: Path) -> None:
    library = open_library(write_files(tmp_path, {"blocks/pu.st": PULSE}))
    (tmp_path / "t.csv").write_text("# unit: Pu\nat,lamp,level\n0s,0,2.99\n")
    track = library.trace(tmp_path / "t.csv")["level"]
    assert (str(track.type), str([*track][1].dtype)) == ("REAL", "float32")
    assert track.values[0] == np.float32(2.99)


def test_a_wrong_state_has_its_mark_in_its_own_lane(tmp_path: Path) -> None:
    block = "TYPE Mode : (a, b, c, d, e, f, g); END_TYPE FUNCTION_BLOCK B VAR_OUTPUT mode : Mode; horn : BOOL; END_VAR END_FUNCTION_BLOCK"
    case = 'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nmode horn\ng 0\n"""\n'
    library = open_library(write_files(tmp_path, {"blocks/b.st": block, "cases/b.toml": case}))
    (verdict,) = library.run(tracing=Tracing())
    lane = next(lane for lane in case_diagram(verdict).lanes if lane.path == "mode")
    assert [(mark.check.text, mark.level) for mark in lane.marks] == [("g", None)]


def test_nothing_compared_is_not_equal(tmp_path: Path) -> None:
    library = write_files(tmp_path, {"blocks/pu.st": PULSE})
    for text in (
        "at,other\n0s,1\n",
        "at\n0s\n",
        "at,go\n5s,1\n",
        "at,go\n0s,.\n",
        'at,go,s\n0s,1,"' + "x" * 200_000 + '"\n',
    ):
        (tmp_path / "t.csv").write_text(text)
        result = upright(
            "run", "Pu", "--library", library, "--for", "1s", "--against", tmp_path / "t.csv", "--watch", "go"
        )
        assert result.exit_code == 2, (text[:20], result.output)
        assert "can be compared" in result.output or "is no CSV" in result.output


def test_what_only_runs_on_is_no_column_of_a_saved_case_unless_it_has_its_whole_name(glasshouse: Path) -> None:
    call = (
        "run",
        "VentDrive",
        "--set",
        "open=1@1s",
        "--for",
        "5s",
        "--save-as",
        "vent_drive/x",
        "--library",
        glasshouse,
    )
    said = upright(*call, "--watch", "opening,running.*").output
    assert "Left out, since it only runs on: running.ET. --watch running.ET keeps it." in said
    rows = [line for line in said.splitlines() if re.match(r"\+\d", line)]
    assert [row.split("|")[0].strip() for row in rows] == ["+0s", "+1s"]
    said = upright(*call, "--watch", "opening,running.ET").output
    assert "Left out" not in said
    assert "| 1       3.9s       " in said


def test_a_refused_option_leaves_the_output_empty(glasshouse: Path) -> None:
    result = upright("run", "VentDrive", "--set", "opn=1", "--library", glasshouse)
    assert (result.exit_code, result.stdout) == (2, "")
    assert "VentDrive has no opn." in result.stderr
