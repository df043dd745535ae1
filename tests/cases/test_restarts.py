"""Power that fails and comes back, against a model of a controller in Python."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import upright, write_files
from upright_block import BadValue, OpenLibrary, open_library

SCAN = 100  # ms

COUNTER = """
FUNCTION_BLOCK Counter
VAR_INPUT key : BOOL; END_VAR
VAR_OUTPUT lit : BOOL; shown : INT := 7; END_VAR
VAR RETAIN kept : DINT; slow : TON; END_VAR
VAR lost : DINT := 5; was : BOOL; quick : TON; END_VAR
IF key AND NOT was THEN kept := kept + 1; lost := lost + 1; END_IF
was := key;
slow(IN := key, PT := T#2s); quick(IN := key, PT := T#500ms);
lit := quick.Q; shown := DINT_TO_INT(lost);
END_FUNCTION_BLOCK
"""
HEADS = "at | power key | lit shown kept lost slow.ET quick.ET"


class Timer:
    """An on-delay of the standard, in scans."""

    def __init__(self, preset: int) -> None:
        self.preset, self.elapsed, self.is_on = preset, 0, False

    def call(self, on: bool) -> None:
        self.elapsed = min(self.elapsed + 1, self.preset) if on and self.is_on else 0
        self.is_on = on


class Model:
    """What the block has, as its definition and the column power say."""

    def __init__(self) -> None:
        self.kept, self.slow = 0, Timer(20)
        self.begin()

    def begin(self) -> None:
        self.lost, self.was, self.quick, self.lit, self.shown = 5, False, Timer(5), False, 7

    def scan(self, key: bool) -> None:
        if key and not self.was:
            self.kept, self.lost = self.kept + 1, self.lost + 1
        self.was = key
        self.slow.call(key)
        self.quick.call(key)
        self.lit, self.shown = self.quick.elapsed == 5, self.lost

    def seen(self, is_idle: bool) -> str:
        lit, shown = (False, 0) if is_idle else (self.lit, self.shown)
        return f"{int(lit)} {shown} {self.kept} {self.lost} {self.slow.elapsed * SCAN}ms {self.quick.elapsed * SCAN}ms"


@settings(max_examples=120, deadline=None)
@given(
    steps=st.lists(
        st.tuples(
            st.sampled_from(["off", "on", "cold", "stop", "run", ".", ".", "."]), st.booleans(), st.integers(1, 9)
        ),
        min_size=1,
        max_size=12,
    )
)
def test_what_is_retained_is_left_and_the_scan_clock_stands_still(
    steps: list[tuple[str, bool, int]], tmp_path_factory: pytest.TempPathFactory
) -> None:
    model, state, before, scan, ran = Model(), "on", "", 0, False
    rows = []
    for word, key, length in steps:
        if word in ("run", "stop") and state == "off":
            word = "."
        if word == "off":
            state = "off"
        elif word == "stop" and state == "on":
            state = "stop"
        elif (word == "on" and state != "on") or (word == "cold" and before != "cold" and scan):
            if word == "cold":
                model.kept, model.slow = 0, Timer(20)
            model.begin()
            state = "on"
        elif word == "run":
            state = "on"
        before = before if word == "." else word
        for number in range(length):
            ran |= state == "on"
            if state == "on":
                model.scan(key)
            cells = f"{word} {int(key)}" if number == 0 else ". ."
            rows.append(f"{scan * SCAN}ms | {cells} | {model.seen(state != 'on')}")
            scan += 1
    table = "\n".join((HEADS, *rows))
    case = f'block = "Counter"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    folder = tmp_path_factory.mktemp("power")
    library = open_library(write_files(folder, {"blocks/Counter.st": COUNTER, "cases/c.toml": case}))
    assert [str(f) for f in library.findings] == []
    (verdict,) = library.run()
    wanted = "passed" if ran else "failed"
    assert (verdict.status, verdict.wrong) == (wanted, 0), (
        table,
        [(m.slot.path, m.scan, m.got) for m in verdict.misses],
    )


PLANT = {
    "programs/main.st": """
VAR_GLOBAL RETAIN total : DINT; END_VAR
VAR_GLOBAL since : DINT; END_VAR
TYPE Held : STRUCT a : INT := 3; b : INT; END_STRUCT; END_TYPE
FUNCTION_BLOCK Inner VAR n : DINT; END_VAR VAR NON_RETAIN m : DINT; END_VAR n := n + 1; m := m + 1; END_FUNCTION_BLOCK
PROGRAM Main
VAR one AT %QX1.0 : BOOL; plain : Inner; many : ARRAY [1..2] OF Inner; held : Held; END_VAR
VAR RETAIN own : Inner; END_VAR
total := total + 1; since := since + 1; one := TRUE;
plain(); many[1](); many[2](); own(); held.b := held.b + 1;
lamp := key; closed := TRUE; speed := 40.0; mem := mem + 1; mem2 := mem2 + 1;
END_PROGRAM
PROGRAM Second VAR n : DINT; END_VAR n := n + 1; END_PROGRAM
CONFIGURATION Plant
TASK t (INTERVAL := T#100ms, PRIORITY := 1);
PROGRAM RETAIN kept WITH t : Main;
PROGRAM second WITH t : Second;
END_CONFIGURATION
""",
    "tags/t.csv": "tag,point,type,sense,raw_low,raw_high,low,high,retain\nkey,%IX0.0,BOOL,NC,,,,,\nlamp,%QX0.0,BOOL,,,,,,\n"
    "closed,%QX0.1,BOOL,NC,,,,,\nspeed,%QW2,REAL,,0,1000,-20,60,\nmem,%MD0,DINT,,,,,,yes\nmem2,%MD4,DINT,,,,,,no\n",
}


def verdict_of(folder: Path, table: str, more: str = "", files: dict[str, str] = PLANT) -> Any:
    case = f'configuration = "Plant"\n[[case]]\nname = "c"\n{more}vectors = """\n{table}\n"""\n'
    library = open_library(write_files(folder, files | {"cases/c.toml": case}))
    assert [str(f) for f in library.findings if f.severity == "error"] == []
    (verdict,) = library.run()
    return verdict


def test_each_kind_of_data_is_retained_as_it_says(tmp_path: Path) -> None:
    names = "total since kept.plain.n kept.plain.m kept.many[2].n kept.many[2].m kept.own.n kept.own.m kept.held.b second.n mem mem2"
    table = f"""
at | power | {names}
200ms | .    | 3 3 3 3 3 3 3 3 3 3 3 3
300ms | off  | 3 3 3 3 3 3 3 3 3 3 3 3
500ms | on   | 4 1 4 1 4 1 4 1 4 1 4 1
700ms | cold | 1 1 1 1 1 1 1 1 1 1 1 1
"""
    verdict = verdict_of(tmp_path, table)
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


def test_outputs_are_without_current_and_come_back_with_run(tmp_path: Path) -> None:
    table = """
at | power key | lamp closed speed kept.one %QX0.0 %QX0.1 %QW2 %QX1.0
0s    | .    1 | 1 1 40  1 1 0 750 1
200ms | stop 0 | 0 1 -20 0 0 0 0 0
400ms | .    1 | 0 1 -20 0 0 0 0 0
600ms | run  . | 1 1 40  1 1 0 750 1
700ms | off  . | 0 1 -20 0 0 0 0 0
"""
    verdict = verdict_of(tmp_path, table)
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


def test_the_wall_clock_goes_on_and_forces_stay(tmp_path: Path) -> None:
    files = PLANT | {
        "programs/clock.st": "PROGRAM Clock VAR now : DATE_AND_TIME; END_VAR now := CLOCK_NOW(); END_PROGRAM",
        "programs/main.st": PLANT["programs/main.st"]
        .replace("PROGRAM second", "PROGRAM wall WITH t : Clock; PROGRAM second")
        .replace("total := total", "second_lamp := lamp; total := total"),
        "tags/more.csv": "tag,point,type\nsecond_lamp,%QX4.0,BOOL\n",
    }
    table = """
at | power clock force~lamp | lamp second_lamp wall.now
0s    | . . 1 | 1 1 2024-02-28-23:59:58
500ms | off . . | 0 0 .
1s    | . . . | . . .
2s    | on . . | 1 1 2024-02-29-00:00:00
3s    | off 2030-01-01-00:00:00 . | . . .
5s    | on . release | 0 . 2030-01-01-00:00:02
""".replace("~", " ")
    verdict = verdict_of(tmp_path, table, 'clock = "2024-02-28-23:59:58"\n', files)
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


def test_windows_go_on_through_an_outage_and_rules_rest(tmp_path: Path) -> None:
    more = """
timing = \"\"\"
name | from | to | min | max
back | lamp falls | lamp rises | 1s | 1s
\"\"\"
always = ["lamp OR second.n < 1", "age(total) < T#1s"]
"""
    table = "at | power key\n0s | . 1\n500ms | off .\n1500ms | on .\n2s | . ."
    verdict = verdict_of(tmp_path, table, more)
    assert (verdict.status, [(b.kind, b.scan) for b in verdict.breaks]) == ("passed", [])
    assert [(m.least, m.most) for m in verdict.measures] == [(10**9, 10**9)]
    stopped = verdict_of(tmp_path / "late", table.replace("1500ms", "1600ms"), more)
    assert [(b.kind, b.scan) for b in stopped.breaks] == [("late", 15)]


@pytest.mark.parametrize(
    ("table", "names"),
    [
        ("at | power\n0s | of", ["bad-value"]),
        ("at | power\n0s | off\n1s | run", ["bad-value"]),
        ("at | power\n0s | off\n1s | stop", ["bad-value"]),
        ("at | power power\n0s | off on", ["column-twice"]),
        (
            "at | power\n0s | on\n1s | on\n2s | off\n3s | off\n4s | cold\n5s | cold\n6s | stop\n7s | stop\n8s | run\n9s | run",
            [],
        ),
    ],
)
def test_words_of_power(table: str, names: list[str], tmp_path: Path) -> None:
    case = f'[[case]]\nname = "c"\nvectors = """\n{table}\n"""\n'
    library: OpenLibrary = open_library(write_files(tmp_path, PLANT | {"cases/c.toml": case}))
    assert [f.name for f in library.findings if f.severity == "error"] == names


def test_a_word_for_what_is_already_changes_nothing(tmp_path: Path) -> None:
    table = "at | power | total since\n0s | on | 1 1\n100ms | on | 2 2\n200ms | run | 3 3\n300ms | cold | 1 1\n400ms | cold | 2 2\n500ms | on | 3 3"
    assert verdict_of(tmp_path, table).status == "passed"


@pytest.mark.parametrize(
    "text",
    [
        "FUNCTION F : INT VAR RETAIN n : INT; END_VAR F := n; END_FUNCTION",
        "FUNCTION_BLOCK F VAR_TEMP RETAIN n : INT; END_VAR n := 1; END_FUNCTION_BLOCK",
        "FUNCTION_BLOCK F VAR_IN_OUT RETAIN n : INT; END_VAR n := 1; END_FUNCTION_BLOCK",
        "FUNCTION_BLOCK F VAR CONSTANT RETAIN n : INT := 1; END_VAR END_FUNCTION_BLOCK",
    ],
)
def test_what_keeps_nothing_cannot_be_retained(text: str, tmp_path: Path) -> None:
    library = open_library(write_files(tmp_path, {"blocks/f.st": text}))
    assert "nothing-to-retain" in [f.name for f in library.findings]


def test_the_power_is_switched_from_python_too(tmp_path: Path) -> None:
    library = open_library(write_files(tmp_path, {"blocks/Counter.st": COUNTER}))
    machine = library.machine("Counter", scan="100ms")
    machine.set("key", True)
    machine.scan(7)
    machine.power("off")
    kept = machine.snapshot()
    machine.scan(3)
    assert [machine.read(path) for path in ("lit", "kept", "quick.ET")] == [False, 1, 500_000_000]
    machine.power("on")
    machine.scan()
    assert [machine.read(path) for path in ("kept", "lost", "slow.ET", "quick.ET")] == [2, 6, 700_000_000, 0]
    machine.restore(kept)
    with pytest.raises(BadValue, match="The power is off"):
        machine.power("run")
    with pytest.raises(BadValue, match="no word for the power"):
        machine.power("away")
    machine.power("cold")
    machine.power("on")
    machine.scan(2)
    machine.power("stop")
    machine.scan()
    machine.power("run")
    machine.scan()
    assert [machine.read(path) for path in ("kept", "lost", "quick.ET")] == [1, 6, 200_000_000]


@pytest.mark.parametrize(("begin", "end"), [(300, 500), (200, 750), (250, 400), (0, 300), (100, 1000)])
def test_tasks_keep_to_their_moments_after_an_outage(begin: int, end: int, tmp_path: Path) -> None:
    files = {
        "programs/p.st": """
PROGRAM Fast VAR RETAIN n : DINT; t : TON; END_VAR n := n + 1; t(IN := TRUE, PT := T#1h); END_PROGRAM
PROGRAM Slow VAR RETAIN n : DINT; END_VAR n := n + 1; END_PROGRAM
CONFIGURATION Plant
TASK fast (INTERVAL := T#100ms, PRIORITY := 1); TASK slow (INTERVAL := T#250ms, PRIORITY := 2);
PROGRAM fast_1 WITH fast : Fast; PROGRAM slow_1 WITH slow : Slow;
END_CONFIGURATION
"""
    }
    moments = sorted({*range(0, 1500, 100), *range(0, 1500, 250)})
    fast = slow = 0
    clock: list[int] = []  # the scan clock at the scans of the fast task
    rows = ["at | power | fast_1.n slow_1.n fast_1.t.ET"]
    for time in moments:
        word = "off" if time == begin else "on" if time == end else "."
        if not begin <= time < end:
            now = time if time < begin else time - (end - begin)
            if time % 100 == 0:
                fast += 1
                clock.append(now)
            slow += time % 250 == 0
        elapsed = clock[-1] - clock[0] if clock else 0
        rows.append(f"{time}ms | {word} | {fast} {slow} {elapsed}ms")
    verdict = verdict_of(tmp_path, "\n".join(rows), files=files)
    assert verdict.status == "passed", (rows, [(m.slot.path, m.scan, m.got) for m in verdict.misses])


def test_an_output_that_is_retained_has_its_value_again(tmp_path: Path) -> None:
    """Also behind a stop, and of an instance inside, and of a structure."""
    block = """TYPE Pair : STRUCT p, q : INT; END_STRUCT; END_TYPE
FUNCTION_BLOCK In VAR_OUTPUT RETAIN n : INT; END_VAR n := n + 1; END_FUNCTION_BLOCK
FUNCTION_BLOCK A VAR_OUTPUT RETAIN n : INT; pair : Pair; END_VAR VAR_OUTPUT m : INT; END_VAR VAR i : In; END_VAR
n := n + 1; m := m + 1; pair.q := n; i(); END_FUNCTION_BLOCK"""
    rows = ["power | n m pair.q i.n", ". | 1 1 1 1", "off | 0 0 0 1", "on | 2 1 2 2", "stop | 0 0 0 2", "run | 3 2 3 3"]
    rows += ["stop | 0 0 0 3", "off | 0 0 0 3", "on | 4 1 4 4", "cold | 1 1 1 1"]
    case = 'block = "A"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\n' + "\n".join(rows) + '\n"""\n'
    (verdict,) = open_library(write_files(tmp_path, {"blocks/a.st": block, "cases/a.toml": case})).run()
    assert verdict.status == "passed", [(m.slot.path, m.scan, m.got) for m in verdict.misses]


def test_what_is_kept_over_a_loss_of_power_is_listed_with_bytes_and_initial_values(tmp_path: Path) -> None:
    program = (
        "TYPE R : STRUCT a : INT := 3; b : REAL; END_STRUCT; END_TYPE\nPROGRAM P\nVAR x : BOOL; END_VAR\n"
        "VAR RETAIN hours : UDINT := 5; (* run *) r : R; l : ARRAY [1..2] OF INT; END_VAR\n"
        "VAR NON_RETAIN y : BOOL; END_VAR\nx := NOT x; y := x; hours := hours + 1;\nEND_PROGRAM\n"
    )
    write_files(tmp_path, {"upright.toml": "", "programs/p.st": program})
    shown = upright("instances", "--retained", "--library", tmp_path).output
    rows = [tuple(line.split()) for line in shown.splitlines()[1:6]]
    assert rows == [
        ("P.hours", "UDINT", "4", "5", "run"),
        ("P.l[1]", "INT", "2", "0"),
        ("P.l[2]", "INT", "2", "0"),
        ("P.r.a", "INT", "2", "3"),
        ("P.r.b", "REAL", "4", "0.0"),
    ]
    assert "5 values, 14 bytes." in shown
    declared = upright("show", "P", "--library", tmp_path).output
    assert "hours  UDINT := 5 RETAIN" in declared
    assert "y      BOOL NON_RETAIN" in declared
    data = json.loads(upright("instances", "--retained", "p.r.*", "--json", "--library", tmp_path).output)
    assert [(each["path"], each["bytes"], each["initial"]) for each in data] == [("P.r.a", 2, "3"), ("P.r.b", 4, "0.0")]
    result = upright("instances", "--retained", "z", "--library", tmp_path)
    assert (result.exit_code, "Nothing that is kept is called z" in result.output) == (2, True)
