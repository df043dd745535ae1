"""What must never be good: tables that say less than they seem to, values that nobody notices."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from upright_block.cases.suite import Suite, load_suite
from upright_block.library import load_library
from upright_block.runs.runner import run_cases
from upright_block.runs.verdict import Verdict

BLOCKS = """
TYPE Mode : (Hold, Release); Rec : STRUCT n : INT; m : ARRAY [1..2] OF INT; END_STRUCT; END_TYPE
FUNCTION_BLOCK Gain
VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR VAR CONSTANT K : INT := 2; END_VAR
y := x * K;
END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR_INPUT i, j : INT; b : BOOL; r : REAL; rec : Rec; a : ARRAY [1..3] OF INT; mode : Mode; set : INT; END_VAR
VAR_IN_OUT w : INT; END_VAR
VAR_OUTPUT o : INT; ro : REAL; no : REAL; so : STRING[20]; scan : INT; bits : WORD; END_VAR
VAR p, q : Gain; m : ARRAY [1..3, 1..2] OF INT; seen : Mode; END_VAR
p(x := i);
q(x := j);
o := p.y + q.y + rec.n + rec.m[2] + a[2] + set;
ro := r;
no := SQRT(r - 1.0);
m[3, 1] := i;
seen := mode;
so := SEL(b, '.', 'a"b');
scan := scan + 1;
bits := INT_TO_WORD(i);
END_FUNCTION_BLOCK
"""


def suite_of(tmp_path: Path, case: str, **files: str) -> Suite:
    """A library of the blocks above with one case; ``files`` are written beside it."""
    for folder in ("blocks", "cases"):
        (tmp_path / folder).mkdir(exist_ok=True)
    (tmp_path / "upright.toml").write_text('name = "test"\n')
    (tmp_path / "blocks" / "b.st").write_text(BLOCKS)
    (tmp_path / "cases" / "b.toml").write_text(f'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\n{case}')
    for name, text in files.items():
        (tmp_path / "cases" / name.replace("__", ".")).write_text(text)
    return load_suite(load_library(tmp_path))


def verdict_of(suite: Suite) -> Verdict:
    assert [str(f) for f in suite.findings] == []
    (verdict,) = run_cases(list(suite.bound.values()))
    return verdict


def table(*rows: str) -> str:
    return 'vectors = """\n' + "\n".join(rows) + '\n"""\n'


TOLD = {
    "fewer cells": ('vectors = "v.csv"\n', "i,o\n1\n", ["uneven-row"]),
    "more cells": ('vectors = "v.csv"\n', "i,o\n1,2,3\n", ["uneven-row"]),
    "an open quote": ('vectors = "v.csv"\n', 'i,o\n"1,2\n5,5\n"1,2\n', ["open-quote", "open-quote"]),
    "a constant of one instance": ('given = { "p.K" = 9 }\n' + table("i | o", "1 | 2"), "", ["constant-of-all"]),
    "two names for one variable": ("given = { i = 1, I = 2 }\n" + table("j | o", "1 | 4"), "", ["given-twice"]),
    "an input beside set": (table("i set i | o", "1 2 | 4"), "", ["column-twice"]),
    "an in-out checked twice": (table("i w check w", "1 0 0"), "", ["column-twice"]),
    "a given value that acts nowhere": ("given = { i = 5 }\n" + table("i | o", "1 | 2"), "", ["given-unused"]),
    "no infinity": (table("r | ro", "1.0 | <inf"), "", ["bad-value"]),
    "no infinite tolerance": (table("r | ro", "1.0 | 1±inf"), "", ["bad-value"]),
    "no tolerance that is none": (table("r | ro", "1.0 | 1±nan"), "", ["bad-value"]),
    "no tolerance below zero": (table("r | ro", "1.0 | 1±-1"), "", ["bad-value"]),
    "a number beyond all reals": (table("r | ro", "1e400 | 0"), "", ["bad-value"]),
    "a limit beyond all reals": (table("r | ro", "1 | <1e400"), "", ["bad-value"]),
    "a limit beyond REAL": (table("r | ro", "1 | <1e39"), "", ["bad-value"]),
    "a run below zero": ('run_for = "-5s"\n' + table("i | o", "1 | 2"), "", ["out-of-range"]),
    "a run of bananas": ('run_for = "BANANA#1s"\n' + table("i | o", "1 | 2"), "", ["bad-literal"]),
    "a time of bananas": (table("at i | o", "BANANA#1s 1 | 2"), "", ["bad-value"]),
    "a clock of bananas": ('clock = "BANANA#2026-03-29"\n' + table("i | o", "1 | 2"), "", ["bad-literal"]),
    "release as a value": (table("force mode | seen", "Release | Hold"), "", ["two-meanings"]),
    "a pin with the name of a time": (table("scan", "1"), "", ["two-meanings"]),
    "a clock that runs out": (
        'clock = "2261-12-31-00:00:00"\nrun_for = "15000000s"\n' + table("i | o", "1 | 2"),
        "",
        ["too-long"],
    ),
    "a whole array as a text": ('given = { a = "[1, 2]" }\n' + table("i | o", "1 | 2"), "", ["bad-value"]),
    "a list that is too long": ("given = { a = [1, 2, 3, 4] }\n" + table("i | o", "1 | 2"), "", ["bad-value"]),
    "a field that is none": ("given = { rec = { k = 1 } }\n" + table("i | o", "1 | 2"), "", ["unknown-name"]),
    "no check for an empty reason": (table("i | o", "1 | !!2"), "", ["bad-value"]),
}


@pytest.mark.parametrize(("case", "csv", "names"), TOLD.values(), ids=TOLD)
def test_it_is_told(tmp_path: Path, case: str, csv: str, names: list[str]) -> None:
    suite = suite_of(tmp_path, case, v__csv=csv)
    assert [f.name for f in suite.findings] == names
    assert all(f.way_out for f in suite.findings)


RUNS = {
    "a row of a CSV file with a quote": ('vectors = "v.csv"', 'i,j,o,so\n"1",.,2,.\n1,"2",6,.\n', []),
    "blank rows are scans": ('vectors = "v.csv"', "i,pin scan\n1,1\n,\n,\n1,4\n", []),
    "a text that ends the table": ("vectors = '''\nb so\n0 \".\"\n1 'a\"b'\n'''", "", []),
    "a text before the end of the quotes": ('vectors = """\nb so\n1 \'a"b\'"""', "", []),
    "a wrong text before the end of the quotes": ('vectors = """\nb so\n0 "a""""', "", [("so", 0, ".")]),
    "escapes of TOML": ('vectors = "i | o\\n1 | 2\\n2 | 4"', "", []),
    "escapes of TOML that are wrong": ('vectors = "i\\to\\n1\\t2\\n2\\t5"', "", [("o", 1, 4)]),
    "NaN has a word": (table("r | no", "0 | NaN", "2 | 1", "2 | !NaN", "0 | nan"), "", []),
    "NaN is nothing else": (
        table("r | no", "0 | !5", "0 | >=0", "0 | !NaN", "2 | NaN"),
        "",
        [("no", 0, "nan"), ("no", 1, "nan"), ("no", 2, "nan"), ("no", 3, 1.0)],
    ),
    "a pin called set": (table("i | pin set | o", "1 | 5 | 7"), "", []),
    "a pin called scan": (table("i | pin scan", "1 | 1", "1 | 2"), "", []),
    "fields and elements drive": (table("rec.n rec.m[2] a[2] | o", "1 2 3 | 6"), "", []),
    "check looks at an input": (table("i check i check rec.n | o", "1 1 0 | 2", ". 1 0 | 2"), "", []),
    "hold x holds one column": (table("at i hold o bits", "0s 1 2 1", "2s 1 . 16#1"), "", []),
    "hold x is wrong between the rows": (
        table("at i hold o p.y", "0s 1 2 2", "2s 2 4 .", "4s 1 4 ."),
        "",
        [("o", 4, 2)],
    ),
    "arrays and structures are given": (
        "given = { a = [1, 2, 3], rec = { n = 4, m = [5, 6] } }\n" + table("i | o", "0 | 12"),
        "",
        [],
    ),
    "release() ends a force where a value has that name": (
        table("mode force mode | seen", "Hold Mode#Release | Release", ". release() | Hold"),
        "",
        [],
    ),
    "a csv table with two indices": ('vectors = "v.csv"', "i;m[3,1]\n7;7\n", []),
    "a semicolon in a file of tabs": ('vectors = "v.csv"', "i\tm[3,1]\n7\t7\n", []),
}


@pytest.mark.parametrize(("case", "csv", "wrong"), RUNS.values(), ids=RUNS)
def test_it_says_what_it_shows(tmp_path: Path, case: str, csv: str, wrong: list[tuple[str, int, object]]) -> None:
    verdict = verdict_of(suite_of(tmp_path, case, v__csv=csv))
    found = [(m.slot.path, m.scan, "nan" if m.got != m.got else m.got) for m in verdict.misses]
    assert (found, verdict.status) == (wrong, "failed" if wrong else "passed")


def test_no_number_has_been_there_since_it_came(tmp_path: Path) -> None:
    verdict = verdict_of(suite_of(tmp_path, table("at r | no", "0s 5 | 2", "2s 0 | .", "4s . | 2")))
    assert [(m.scan, m.since) for m in verdict.misses] == [(4, 2)]


def test_since_knows_the_pieces_before(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rows = table("at i | o so bits", "0s 1 | 2 . .", "3s 2 | . . .", "20s . | 5 . 16#1")
    whole = verdict_of(suite_of(tmp_path, rows))
    monkeypatch.setattr("upright_block.machine.machine._MOST_AT_ONCE", 4)
    pieces = verdict_of(suite_of(tmp_path, rows))
    for verdict in (whole, pieces):
        assert [(m.slot.path, m.scan, m.since) for m in verdict.misses] == [("o", 20, 3), ("bits", 20, 3)]
    assert whole.moments.after == pieces.moments.after


def test_a_check_that_holds_is_judged_over_pieces(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rows = "hold = true\n" + table("at i | o", "0s 1 | 2", "9s . | .", "11s 2 | 4", "30s 7 | .")
    monkeypatch.setattr("upright_block.machine.machine._MOST_AT_ONCE", 4)
    verdict = verdict_of(suite_of(tmp_path, rows))
    assert [(m.scan, m.got, m.since) for m in verdict.misses] == [(30, 14, 30)]
    assert verdict.checked == 2


def test_a_case_file_that_cannot_be_read_makes_nothing_greener(tmp_path: Path) -> None:
    suite_of(tmp_path, table("i | o", "1 | 2"))
    os.symlink(tmp_path / "nowhere.toml", tmp_path / "cases" / "gone.toml")
    suite = load_suite(load_library(tmp_path))
    assert [(f.name, f.severity) for f in suite.findings] == [("unreadable-file", "error")]
    assert (suite.unread, len(suite.ready)) == (1, 1)


def test_a_folder_that_cannot_be_looked_into_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    suite_of(tmp_path, table("i | o", "1 | 2"))
    (tmp_path / "cases" / "safety").mkdir()
    scandir = os.scandir

    def forbidden(path: Path) -> object:
        if Path(path).name == "safety":
            raise PermissionError(13, "Permission denied")
        return scandir(path)

    monkeypatch.setattr(os, "scandir", forbidden)
    (finding,) = load_suite(load_library(tmp_path)).findings
    assert (finding.name, finding.severity, finding.source.path) == ("unreadable-folder", "error", "cases/safety")


def test_a_case_that_checks_nothing_is_not_good(tmp_path: Path) -> None:
    suite = suite_of(tmp_path, 'run_for = "3s"')
    assert [(f.name, f.severity) for f in suite.findings] == [("checks-nothing", "warning")]
    assert [v.status for v in run_cases(list(suite.bound.values()))] == ["checks nothing"]


def test_a_fault_leaves_later_checks_unreached(tmp_path: Path) -> None:
    suite = suite_of(tmp_path, table("r | no", "2 | 1"))
    (tmp_path / "blocks" / "c.st").write_text(
        "FUNCTION_BLOCK C VAR_INPUT d : INT; END_VAR VAR_OUTPUT q, n : INT; END_VAR n := n + 1; q := 10 / d; END_FUNCTION_BLOCK"
    )
    (tmp_path / "cases" / "b.toml").write_text(
        f'block = "C"\nscan = "1s"\n[[case]]\nname = "c"\n{table("d | q", "1 | 10", "0 | 1", "1 | 2")}'
    )
    (verdict,) = run_cases(list(load_suite(load_library(tmp_path)).bound.values()))
    assert suite.ready
    assert (verdict.status, verdict.case.plan.checks, verdict.checked) == ("fault", 3, 1)
    shown = {signal.path: value for signal, value in zip(verdict.moments.slots, verdict.moments.after[1], strict=True)}
    assert shown["d"] == 0
