"""Cases from file to verdict."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import write_files
from upright_block import open_library
from upright_block.cases.suite import Suite, choose, load_suite
from upright_block.library import load_library
from upright_block.runs.runner import run_cases
from upright_block.runs.verdict import Verdict

PUMP = """
FUNCTION_BLOCK Pump
VAR_INPUT start, stop : BOOL; delay : TIME := T#2s; level : REAL; END_VAR
VAR_OUTPUT run : BOOL; starts : INT; flow : REAL; END_VAR
VAR CONSTANT GAIN : REAL := 2.0; LEAST : INT := 3; MOST : INT := LEAST * 2; END_VAR
VAR t : TON; latched : BOOL; n : INT := 5; END_VAR
latched := (latched OR start) AND NOT stop;
t(IN := latched, PT := delay);
IF t.Q AND NOT run THEN starts := starts + 1; END_IF
run := t.Q;
flow := level * GAIN;
n := n + MOST - 6;
END_FUNCTION_BLOCK
FUNCTION Twice : INT VAR_INPUT x : INT; END_VAR VAR_OUTPUT odd : BOOL; END_VAR Twice := x * 2; odd := x MOD 2 = 1; END_FUNCTION
FUNCTION_BLOCK Divider VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q : INT; END_VAR q := 100 / d; END_FUNCTION_BLOCK
FUNCTION_BLOCK ABSTRACT Lamp VAR_OUTPUT lit : BOOL; END_VAR METHOD PUBLIC ABSTRACT Level : INT END_METHOD END_FUNCTION_BLOCK
FUNCTION LevelOf : INT VAR_IN_OUT lamp : Lamp; END_VAR LevelOf := lamp.Level(); END_FUNCTION
FUNCTION First : INT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR First := a[LOWER_BOUND(a, 1)]; END_FUNCTION
"""


def suite_of(tmp_path: Path, cases: str, block: str = "Pump", scan: str = "1s", **files: str) -> Suite:
    """A library of the blocks above with one case file; ``files`` are written beside it."""
    for folder in ("blocks", "cases"):
        (tmp_path / folder).mkdir(exist_ok=True)
    (tmp_path / "upright.toml").write_text('name = "test"\n')
    (tmp_path / "blocks" / "pump.st").write_text(PUMP)
    (tmp_path / "cases" / "pump.toml").write_text(f'block = "{block}"\nscan = "{scan}"\n{cases}')
    for name, text in files.items():
        (tmp_path / "cases" / name.replace("__", ".")).write_text(text)
    return load_suite(load_library(tmp_path))


def run_case(tmp_path: Path, body: str, **options: str) -> Verdict:
    """The verdict on one case."""
    suite = suite_of(tmp_path, f'[[case]]\nname = "c"\n{body}\n', **options)
    assert [str(f) for f in suite.findings] == []
    (verdict,) = run_cases(list(suite.bound.values()))
    return verdict


def misses(verdict: Verdict) -> list[tuple[str, int, str, object]]:
    return [(m.slot.path, m.scan, m.check.text, m.got) for m in verdict.misses]


def table(*rows: str) -> str:
    return 'vectors = """\n' + "\n".join(rows) + '\n"""'


GOOD = {
    "a row is a scan": table("start | run t.ET", "1 | 0 0s", "0 | 0 1s", "0 | 1 2s", "0 | 1 2s"),
    "at": table("at start | run", "0s 0 | 0", "5s 1 | 0", "6s 0 | 0", "7s . | 1"),
    "after": table("after start | run", "0s 0 | 0", "5s 1 | 0", "2s 0 | 1"),
    "scan": table("scan start | run", "0 0 | 0", "5 1 | 0", "7 0 | 1"),
    "an empty cell holds and does not check": table("at start | run", "0s 1 | 0", "2s . | 1", "3s . | .", "4s . | 1"),
    "given a pin, private data, a constant": 'given = { delay = "0s", n = 7, GAIN = 3, level = 1.5 }\n'
    + table("start | run n flow", "1 | 1 7 4.5"),
    "given by dotted path": 'given = { "t.running" = true, t.started = "-9s" }\n' + table("start | run", "1 | 1"),
    "set writes once": table("at set n | n", "0s . | 5", "1s 9 | 9", "2s . | 9"),
    "force holds against the body": table(
        "at force latched start | latched run", "0s 1 0 | 1 0", "2s . 0 | 1 1", "3s release . | 1 1"
    ),
    "a released input has its driven value again": table(
        "at start force start stop | latched", "0s 0 1 0 | 1", "1s . release 1 | 0", "2s . . 0 | 0"
    ),
    "private data by name and by dotted path": table("start | latched t.IN t.PT", "1 | 1 1 2s"),
    "every check": table("level | flow", "1 | 2", "2 | >=4", "2 | <5", "2 | 3..5", "2 | 4±0.1", "2 | !5"),
    "run_for goes on after the last row": 'run_for = "5s"\nhold = true\n'
    + table("start | starts", "1 | 0", ". | 0", ". | 1"),
    "hold until the next value": "hold = true\n" + table("at start | run", "0s 1 | 0", "2s . | 1", "9s . | 1"),
    "csv": 'vectors = "t.csv"',
    "a typed cell": table("start delay | run", "BOOL#1 T#0s | TRUE"),
}


@pytest.mark.parametrize("body", GOOD.values(), ids=GOOD)
def test_a_case_whose_expectations_all_hold_is_good(tmp_path: Path, body: str) -> None:
    verdict = run_case(tmp_path, body, t__csv="at,start,run\n0s,1,0\n2s,,1\n")
    assert (verdict.status, misses(verdict)) == ("passed", [])
    assert verdict.case.plan.checks > 0


WRONG = {
    "a wrong value": (table("start | run", "1 | 0", "1 | 1"), [("run", 1, "1", False)]),
    "private data": (table("start | t.ET", "1 | 0s", "1 | 2s"), [("t.ET", 1, "2s", 1_000_000_000)]),
    "each wrong cell, in the order of time": (
        table("start | run starts", "1 | 1 1", "1 | 0 1", "1 | 1 1"),
        [("run", 0, "1", False), ("starts", 0, "1", 0), ("starts", 1, "1", 0)],
    ),
    "a held value at its first wrong scan": (
        'hold = true\nrun_for = "9s"\n' + table("start | run", "1 | 0"),
        [("run", 2, "0", True)],
    ),
    "a value that comes and goes between two rows": (
        "hold = true\n" + table("at start stop | run", "0s 1 0 | 0", "3s . 1 | .", "4s 0 . | 0"),
        [("run", 2, "0", True)],
    ),
    "the opposite of a check": (table("start | starts", "1 | !0"), [("starts", 0, "!0", 0)]),
    "a real": (table("level | flow", "0.1 | 0.3"), [("flow", 0, "0.3", pytest.approx(0.2))]),
}


@pytest.mark.parametrize(("body", "wrong"), WRONG.values(), ids=WRONG)
def test_each_wrong_value_is_told_with_its_scan_and_pin(tmp_path: Path, body: str, wrong: object) -> None:
    verdict = run_case(tmp_path, body)
    assert (verdict.status, misses(verdict)) == ("failed", wrong)


def test_a_miss_knows_its_row_and_since_when_it_has_the_value(tmp_path: Path) -> None:
    verdict = run_case(tmp_path, table("at start stop | run", "0s 1 0 | 0", "2s . . | 1", "4s . 1 | 0", "6s . . | 1"))
    (miss,) = verdict.misses
    assert (miss.scan, miss.since) == (6, 4)
    source = verdict.case.file.source
    table_ = verdict.case.written.vectors
    assert table_ is not None
    assert source.line_text(source.line(table_.cell(miss.row, miss.column).start)) == "6s . . | 1"


def test_a_no_number_is_never_right(tmp_path: Path) -> None:
    (tmp_path / "blocks").mkdir()
    (tmp_path / "blocks" / "root.st").write_text(
        "FUNCTION_BLOCK Root VAR_INPUT x : REAL; END_VAR VAR_OUTPUT y : REAL; END_VAR y := SQRT(x); END_FUNCTION_BLOCK"
    )
    verdict = run_case(tmp_path, table("x | y", "-1 | 0", "-1 | <5", "-1 | >=-5"), block="Root")
    assert [m.scan for m in verdict.misses] == [0, 1, 2]


def test_a_function_is_run_like_a_block(tmp_path: Path) -> None:
    verdict = run_case(tmp_path, table("x | Twice odd", "2 | 4 0", "-3 | -6 0", "3 | 6 1"), block="Twice")
    assert (verdict.status, verdict.misses) == ("passed", ())


def test_a_standard_block_may_be_the_block_of_a_case(tmp_path: Path) -> None:
    assert run_case(tmp_path, table("CLK | Q", "1 | 1", "1 | 0"), block="R_TRIG").status == "passed"


def test_a_fault_is_a_verdict_with_its_place(tmp_path: Path) -> None:
    verdict = run_case(tmp_path, table("d | q", "1 | 100", "2 | 51", "0 | 0", "4 | 25"), block="Divider")
    assert verdict.status == "fault"
    assert verdict.fault is not None
    assert (verdict.fault.scan, verdict.fault.site.line, verdict.fault.instance) == (2, 15, "")
    assert misses(verdict) == [("q", 1, "51", 50)]


def test_cases_do_not_disturb_each_other(tmp_path: Path) -> None:
    one = f'[[case]]\nname = "{{}}"\ngiven = {{{{ n = {{}} }}}}\n{table("start | n", "1 | {}")}\n'
    suite = suite_of(tmp_path, "".join(one.format(f"c{i}", i, i) for i in range(250)))
    assert [v.status for v in run_cases(list(suite.bound.values()))] == ["passed"] * 250


def test_a_case_of_two_million_scans_is_judged_piece_by_piece(tmp_path: Path) -> None:
    verdict = run_case(
        tmp_path,
        'run_for = "2000s"\nhold = true\n' + table("at start | run t.ET", "0s 1 | 0 <2s", "2s . | 1 2s"),
        scan="1ms",
    )
    assert (verdict.status, verdict.checked) == ("passed", 4)


FINDINGS = {
    "an unknown column": (table("strat | run", "1 | 0"), "unknown-name", "strat"),
    "an unknown path": (table("start | t.QQ", "1 | 0"), "unknown-name", "QQ"),
    "an instance as a column": (table("start | t", "1 | 0"), "no-value", "t"),
    "a pin of no instance": (table("start | run.x", "1 | 0"), "unknown-name", "x"),
    "a bad cell": (table("start | starts", "1 | many"), "bad-value", "many"),
    "a bad input": (table("start | run", "2 | 0"), "bad-value", "2"),
    "no unit": (table("delay | run", "5 | 0"), "bad-value", "5"),
    "time that goes back": (table("at start | run", "2s 1 | 0", "1s 1 | 0"), "time-goes-back", "1s"),
    "one time twice": (table("at start | run", "2s 1 | 0", "2s 1 | 0"), "time-goes-back", "2s"),
    "a time between two scans": (table("at start | run", "1.5s 1 | 0"), "between-scans", "1.5s"),
    "a row without time": (table("at start | run", ". 1 | 0"), "missing-time", "."),
    "two time columns": (table("at scan start | run", "0s 0 1 | 0"), "two-times", "scan"),
    "a column twice": (table("start run | run", "1 0 | 0"), "column-twice", "run"),
    "too few cells": (table("start | run", "1"), "uneven-row", "1"),
    "too many cells": (table("start | run", "1 | 0 0"), "uneven-row", "1 | 0 0"),
    "an empty table": ('vectors = """\n"""', "empty-table", '"""'),
    "no rows": (table("start | run"), "empty-table", '"""'),
    "no such file": ('vectors = "tt.csv"', "missing-file", '"tt.csv"'),
    "a workbook": ('vectors = "t.ods"', "not-supported", '"t.ods"'),
    "a misspelt key": ('run_fro = "1s"\n' + table("start | run", "1 | 0"), "unknown-key", "run_fro"),
    "a bad duration": ('run_for = "5"', "bad-literal", '"5"'),
    "a number for a duration": ("run_for = 5", "wrong-kind", "5"),
    "hold that is no truth": ('hold = "yes"\n' + table("start | run", "1 | 0"), "wrong-kind", '"yes"'),
    "an unknown given": ("given = { strat = 1 }\n" + table("start | run", "1 | 0"), "unknown-name", "strat"),
    "a bad given": ('given = { delay = "5" }\n' + table("start | run", "1 | 0"), "bad-value", '"5"'),
    "a constant that went into another": (
        "given = { LEAST = 1 }\n" + table("start | run", "1 | 0"),
        "constant-in-use",
        "LEAST",
    ),
    "a constant as a column": (table("start | GAIN", "1 | 2"), "constant-assigned", "GAIN"),
    "a case that does nothing": ("hold = true", "missing-key", "[[case]]"),
    "given that is no table": ("given = 5\n" + table("start | run", "1 | 0"), "wrong-kind", "5"),
    "a given that is a list": ("given = { delay = [1] }\n" + table("start | run", "1 | 0"), "bad-value", "[1]"),
    "vectors that are a number": ("vectors = 5", "wrong-kind", "5"),
    "a table of one line": ('vectors = "start run"', "wrong-kind", '"start run"'),
    "a text file": ('vectors = "t.txt"', "wrong-kind", '"t.txt"'),
    "a time before the start": (table("at start | run", "-1s 1 | 0"), "bad-value", "-1s"),
    "a time without a unit": (table("at start | run", "5 1 | 0"), "bad-value", "5"),
    "a clock that is a number": ("clock = 5\n" + table("start | run", "1 | 0"), "wrong-kind", "5"),
    "a day that does not exist": (
        'clock = "2026-02-30-06:00:00"\n' + table("start | run", "1 | 0"),
        "bad-literal",
        '"2026-02-30-06:00:00"',
    ),
    "a case too long": ('run_for = "9000d"', "too-long", '"c"'),
}


@pytest.mark.parametrize(("body", "name", "marked"), FINDINGS.values(), ids=FINDINGS)
def test_a_mistake_in_a_case_is_found_at_its_place(tmp_path: Path, body: str, name: str, marked: str) -> None:
    suite = suite_of(tmp_path, f'[[case]]\nname = "c"\n{body}\n', t__csv="at,start,run\n0s,1,0\n")
    (finding,) = suite.findings
    assert finding.name == name
    assert finding.source.text[finding.start : finding.end] == marked
    assert finding.way_out
    assert (suite.ready, [case.name for case in suite.not_run]) == ((), ["c"])


FILES = {
    "not toml": ('block = "Pump\n', "bad-toml"),
    "empty": ("", "missing-key"),
    "no block": ('scan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "missing-key"),
    "an unknown block": ('block = "Pmup"\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "unknown-name"),
    "an abstract block": ('block = "Lamp"\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "abstract"),
    "an in-out of an abstract block": (
        'block = "LevelOf"\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n',
        "abstract",
    ),
    "an array of any length": ('block = "First"\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "open-array"),
    "a scan of nothing": ('block = "Pump"\nscan = "0s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "out-of-range"),
    "no cases": ('block = "Pump"\nscan = "1s"\n', "no-cases"),
    "a case that is no table": ('block = "Pump"\nscan = "1s"\ncase = 5\n', "wrong-kind"),
    "two of one name": (
        'block = "Pump"\nscan = "1s"\n' + '[[case]]\nname = "x"\nvectors = """\nstart | run\n1 | 0\n"""\n' * 2,
        "name-twice",
    ),
    "a block that is a number": ('block = 5\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n', "wrong-kind"),
    "a case without a name": ('block = "Pump"\nscan = "1s"\n[[case]]\nrun_for = "1s"\n', "missing-key"),
    "a name of blanks": ('block = "Pump"\nscan = "1s"\n[[case]]\nname = " "\nrun_for = "1s"\n', "wrong-kind"),
    "a program that is not there": (
        'program = "Main"\nscan = "1s"\n[[case]]\nname = "x"\nrun_for = "1s"\n',
        "unknown-name",
    ),
}


@pytest.mark.parametrize(("text", "name"), FILES.values(), ids=FILES)
def test_a_mistake_in_a_file_is_found(tmp_path: Path, text: str, name: str) -> None:
    suite = suite_of(tmp_path, '[[case]]\nname = "c"\n' + table("start | run", "1 | 0"), other__toml=text)
    assert name in [f.name for f in suite.findings]
    assert "c" in [case.name for case in suite.ready]


def test_a_file_that_is_no_text_is_found(tmp_path: Path) -> None:
    suite_of(tmp_path, "")
    (tmp_path / "cases" / "pump.toml").write_bytes(b"\xff\xfeb\0")
    suite = load_suite(load_library(tmp_path))
    assert [f.name for f in suite.findings] == ["unreadable-file"]


def test_a_case_that_checks_nothing_is_a_warning(tmp_path: Path) -> None:
    suite = suite_of(tmp_path, '[[case]]\nname = "c"\nrun_for = "3s"\n')
    assert [(f.name, f.severity) for f in suite.findings] == [("checks-nothing", "warning")]
    assert len(suite.ready) == 1


def test_three_thousand_rows_are_no_trouble(tmp_path: Path) -> None:
    rows = "".join(f"{i}s,{i % 100 / 10},{i % 100 / 5}±0.001\n" for i in range(3000))
    verdict = run_case(tmp_path, 'vectors = "t.csv"', t__csv="at,level,flow\n" + rows)
    assert (verdict.status, verdict.case.plan.checks) == ("passed", 3000)


@pytest.mark.parametrize(
    ("patterns", "names"),
    [
        ([], ["slow start", "quick start", "stop"]),
        (["start"], ["slow start", "quick start"]),
        (["STOP"], ["stop"]),
        (["s*start"], ["slow start"]),
        (["pump/st?p"], ["stop"]),
        (["Pump"], ["slow start", "quick start", "stop"]),
        (["cases/pump.toml"], ["slow start", "quick start", "stop"]),
        (["quick", "stop"], ["quick start", "stop"]),
        (["nothing"], []),
    ],
)
def test_cases_are_chosen_by_name(tmp_path: Path, patterns: list[str], names: list[str]) -> None:
    one = '[[case]]\nname = "{}"\n' + table("start | run", "1 | 0") + "\n"
    suite = suite_of(tmp_path, "".join(one.format(n) for n in ("slow start", "quick start", "stop")))
    assert [case.name for case in choose(suite.ready, patterns)] == names


CLOCK = """
FUNCTION_BLOCK B VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT now : DT; day : DATE; hours : INT; END_VAR VAR last : TOD; END_VAR
now := CLOCK_NOW(); day := DT_TO_DATE(now);
IF DT_TO_TOD(now) < last THEN hours := hours + 1; END_IF
last := DT_TO_TOD(now);
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize("log", [64, 1 << 24])
def test_the_wall_clock_is_set_and_runs_on(tmp_path: Path, log: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upright_block.machine.machine._LOG", log)
    table = """
    at  | clock               | now                    day          hours
    0s  | .                   | DT#2026-10-25-02:59:58 D#2026-10-25 0
    1s  | .                   | DT#2026-10-25-02:59:59 D#2026-10-25 0
    2s  | 2026-10-25-02:00:00 | DT#2026-10-25-02:00:00 D#2026-10-25 1
    3s  | .                   | DT#2026-10-25-02:00:01 D#2026-10-25 1
    4s  | 2028-02-28-23:59:59 | DT#2028-02-28-23:59:59 D#2028-02-28 1
    5s  | .                   | DT#2028-02-29-00:00:00 D#2028-02-29 2
    86405s | .                | DT#2028-03-01-00:00:00 D#2028-03-01 3
    86406s | 1970-01-01       | DT#1970-01-01-00:00:00 D#1970-01-01 3
    """
    case = f'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nclock = "2026-10-25-02:59:58"\nvectors = """{table}"""\n'
    write_files(tmp_path, {"upright.toml": "", "blocks/b.st": CLOCK, "cases/c.toml": case})
    library = open_library(tmp_path)
    assert [f"{f}" for f in library.findings] == []
    (verdict,) = library.run()
    assert [(m.slot.path, m.scan, m.got) for m in verdict.misses] == []


@pytest.mark.parametrize(
    ("head", "cell", "name"),
    [
        ("clock", "soon", "bad-value"),
        ("clock | clock", "2026-01-01 2026-01-01", "column-twice"),
        ("clock", "2261-12-31-00:00:00", "too-long"),
    ],
)
def test_a_clock_that_cannot_be_set_is_told(tmp_path: Path, head: str, cell: str, name: str) -> None:
    case = f'block = "B"\nscan = "1h"\n[[case]]\nname = "c"\nrun_for = "5000h"\nvectors = """\n{head} | day\n{cell} | .\n"""\n'
    write_files(tmp_path, {"upright.toml": "", "blocks/b.st": CLOCK, "cases/c.toml": case})
    assert name in [f.name for f in open_library(tmp_path).findings]
