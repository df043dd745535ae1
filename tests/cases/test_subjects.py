"""Cases for programs, configurations, and single bits."""

from __future__ import annotations

import pickle
from pathlib import Path

import pytest

from upright_block.cases.suite import Suite, load_suite
from upright_block.language.timebase import Timebase
from upright_block.library import load_library
from upright_block.runs.runner import run_cases
from upright_block.runs.verdict import Verdict

PLANT = """
VAR_GLOBAL wet : BOOL; END_VAR
FUNCTION_BLOCK Counter VAR_OUTPUT n : INT; END_VAR VAR status : WORD; END_VAR
n := n + 1; status.3 := n > 2;
END_FUNCTION_BLOCK
PROGRAM Fast VAR c : Counter; seen : INT; END_VAR c(); seen := seen * 2 + 1; END_PROGRAM
PROGRAM Slow VAR c : Counter; since : TIME; END_VAR c(); since := SCAN_START(); END_PROGRAM
PROGRAM Alarm VAR n : INT; END_VAR n := n + 1; END_PROGRAM
CONFIGURATION Plant
  TASK slow (INTERVAL := T#150ms, PRIORITY := 2);
  TASK fast (INTERVAL := T#50ms, PRIORITY := 1);
  TASK rises (SINGLE := wet, PRIORITY := 0);
  PROGRAM quick WITH fast : Fast;
  PROGRAM calm WITH slow : Slow;
  PROGRAM alarm WITH rises : Alarm;
END_CONFIGURATION
"""


def suite_of(folder: Path, head: str, table: str, text: str = PLANT, given: str = "") -> Suite:
    for name in ("blocks", "cases"):
        (folder / name).mkdir()
    (folder / "upright.toml").write_text('name = "plant"\n')
    (folder / "blocks" / "plant.st").write_text(text)
    (folder / "cases" / "c.toml").write_text(f'{head}\n[[case]]\nname = "c"\n{given}\nvectors = """\n{table}\n"""\n')
    return load_suite(load_library(folder))


def verdict_of(folder: Path, head: str, table: str, text: str = PLANT, given: str = "") -> Verdict:
    suite = suite_of(folder, head, table, text, given)
    assert suite.ready, [str(f) for f in suite.findings]
    (verdict,) = run_cases(list(suite.bound.values()))
    return verdict


def names_of(suite: Suite) -> list[str]:
    return [finding.name for finding in suite.findings]


def test_the_tasks_of_a_configuration_run_when_they_are_due(tmp_path: Path) -> None:
    table = """
    at    | set wet | quick.c.n | calm.c.n | calm.since | alarm.n
    0s    | 0       | 1         | 1        | 0s      | 0
    50ms  | 1       | 2         | 1        | 0s      | 1
    100ms | 1       | 3         | 1        | 0s      | 1
    150ms | 0       | 4         | 2        | 150ms   | 1
    200ms | 1       | 5         | 2        | 150ms   | 2
    300ms | 1       | 7         | 3        | 300ms   | 2
    """
    verdict = verdict_of(tmp_path, 'configuration = "plant"', table)
    assert verdict.status == "passed", verdict.misses
    assert verdict.case.plan.timebase == Timebase(50_000_000)


def test_a_scan_that_fights_the_tasks_is_told(tmp_path: Path) -> None:
    suite = suite_of(tmp_path, 'configuration = "Plant"\nscan = "20ms"', "scan | quick.seen\n0 | 1")
    assert names_of(suite) == ["scan-against-tasks"]
    assert "every 50ms" in suite.findings[0].message


def test_a_configuration_without_an_interval_takes_that_of_the_file(tmp_path: Path) -> None:
    text = "PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM VAR_GLOBAL go : BOOL; END_VAR "
    text += "CONFIGURATION C TASK t (SINGLE := go); PROGRAM p1 WITH t : P; END_CONFIGURATION"
    table = "set go | p1.n\n1 | 1\n1 | 1\n0 | 1\n1 | 2"
    assert verdict_of(tmp_path, 'configuration = "C"\nscan = "1s"', table, text).status == "passed"


def test_a_program_is_run_by_itself(tmp_path: Path) -> None:
    table = "seen | c.n | c.status.3\n1 | 1 | 0\n3 | 2 | 0\n7 | 3 | 1"
    assert verdict_of(tmp_path, 'program = "fast"\nscan = "1s"', table).status == "passed"


@pytest.mark.parametrize(
    ("head", "name", "says"),
    [
        ('program = "Fats"\nscan = "1s"', "unknown-name", "Did you mean Fast?"),
        ('program = "Counter"\nscan = "1s"', "wrong-kind", 'Write block = "Counter".'),
        ('configuration = "Plan"', "unknown-name", "Did you mean Plant?"),
        ('program = "Fast"\nblock = "Counter"\nscan = "1s"', "two-subjects", "Keep one of the two"),
    ],
)
def test_a_subject_that_cannot_be_run_is_told(tmp_path: Path, head: str, name: str, says: str) -> None:
    suite = suite_of(tmp_path, head, "c.n\n1")
    assert [(f.name, says in f.way_out) for f in suite.findings if f.severity == "error"] == [(name, True)]
    assert not suite.ready


BITS = """
FUNCTION_BLOCK B VAR_INPUT control : WORD; END_VAR VAR_OUTPUT status : DWORD; END_VAR VAR CONSTANT LAST : INT := 2; END_VAR
VAR rows : ARRAY [0..2] OF BYTE; END_VAR
status.%W1 := control; rows[LAST] := control.%B0;
END_FUNCTION_BLOCK
"""


def test_bits_and_parts_are_driven_and_checked(tmp_path: Path) -> None:
    table = """
    control.0 | control.9 | status.16 | status.25 | status.%W1 | status.%B2 | rows[2] | rows[LAST].0
    1         | 0         | 1         | 0         | 16#0081    | 16#81      | 16#81   | 1
    .         | 1         | 1         | 1         | 16#0281    | .          | 16#81   | .
    0         | .         | 0         | 1         | 16#0280    | 16#80      | .       | 0
    """
    given = 'given = { "control.7" = true }'
    verdict = verdict_of(tmp_path, 'block = "B"\nscan = "1s"', table, BITS, given)
    assert (verdict.status, verdict.misses) == ("passed", ())


def test_a_forced_bit_leaves_its_neighbours_alone(tmp_path: Path) -> None:
    table = """
    control | force status.17 | status
    16#0001 | .               | 16#0001_0000
    16#0001 | 1               | 16#0003_0000
    16#0000 | .               | 16#0002_0000
    16#0000 | release         | 16#0000_0000
    """
    assert verdict_of(tmp_path, 'block = "B"\nscan = "1s"', table, BITS).status == "passed"


def test_a_wrong_bit_says_which_one(tmp_path: Path) -> None:
    verdict = verdict_of(tmp_path, 'block = "B"\nscan = "1s"', "control | status.18\n4 | 0", BITS)
    (miss,) = verdict.misses
    assert (miss.slot.path, miss.got, str(miss.slot.type)) == ("status.18", True, "BOOL")


@pytest.mark.parametrize(
    ("heads", "name", "word"),
    [
        ("control.16", "unknown-name", "16"),
        ("control | control.3", "column-twice", "control.3"),
        ("status.7 | check status.7", "column-twice", "check status.7"),
        ("set status.%B0 | set status.7", "column-twice", "set status.7"),
        ("rows.0", "unknown-name", "0"),
        ("rows[3]", "unknown-name", "[3]"),
        ("LAST.0", "unknown-name", "0"),
    ],
)
def test_a_bit_that_is_not_there_or_twice_is_told(tmp_path: Path, heads: str, name: str, word: str) -> None:
    cells = " | ".join("0" for _ in heads.split("|"))
    suite = suite_of(tmp_path, 'block = "B"\nscan = "1s"', f"{heads}\n{cells}", BITS)
    (finding,) = suite.findings
    assert (finding.name, finding.source.text[finding.start : finding.end]) == (name, word)


def test_a_plan_can_be_sent_elsewhere(tmp_path: Path) -> None:
    (case,) = suite_of(
        tmp_path, 'configuration = "Plant"', "at | set wet | alarm.n\n0s | 1 | !0\n50ms | 0 | 1..2"
    ).ready
    again = pickle.loads(pickle.dumps(case.plan))
    assert again == case.plan
    assert len(pickle.dumps(case.plan)) < 2_000


def test_a_forced_bit_has_its_part_of_the_driven_word_again(tmp_path: Path) -> None:
    table = """
    control | force control.0 | status.16
    16#0001 | .               | 1
    .       | 0               | 0
    16#0003 | .               | 0
    .       | release         | 1
    16#0002 | .               | 0
    """
    assert verdict_of(tmp_path, 'block = "B"\nscan = "1s"', table, BITS).status == "passed"


def test_a_forced_bit_has_its_part_of_the_given_word_again(tmp_path: Path) -> None:
    table = "force control.0 | status.16\n0 | 0\nrelease | 1"
    given = 'given = { control = "16#0001" }'
    assert verdict_of(tmp_path, 'block = "B"\nscan = "1s"', table, BITS, given).status == "passed"


def test_a_forced_word_has_its_driven_bits_again(tmp_path: Path) -> None:
    table = "control.0 | force control | status.%W1\n1 | 16#0F00 | 16#0F00\n. | release | 1\n. | 2 | 2\n0 | . | 2\n. | release | 0"
    assert verdict_of(tmp_path, 'block = "B"\nscan = "1s"', table, BITS).status == "passed"


def test_a_word_and_a_bit_of_it_are_not_both_given(tmp_path: Path) -> None:
    given = 'given = { "control.7" = true, control = 1 }'
    assert names_of(suite_of(tmp_path, 'block = "B"\nscan = "1s"', "status.16\n1", BITS, given)) == ["given-twice"]


def test_a_program_in_a_task_has_no_in_outs(tmp_path: Path) -> None:
    text = "PROGRAM P VAR_IN_OUT n : INT; END_VAR n := n + 1; END_PROGRAM CONFIGURATION C TASK t (INTERVAL := T#1s); PROGRAM p1 WITH t : P; END_CONFIGURATION"
    (tmp_path / "upright.toml").write_text('name = "l"\n')
    (tmp_path / "blocks").mkdir()
    (tmp_path / "cases").mkdir()
    (tmp_path / "blocks" / "p.st").write_text(text)
    assert [f.name for f in load_library(tmp_path).findings] == ["missing-pin"]
