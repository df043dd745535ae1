"""Rules and rows that cannot be computed in some scans: they break where they stand, and the case goes on."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from itertools import pairwise
from pathlib import Path
from random import Random

import pytest

from tests.helpers import upright, write_files
from upright_block import open_library
from upright_block.cases.watch import WatchedRule
from upright_block.errors import ScanFault
from upright_block.runs.verdict import Verdict

BLOCK = """FUNCTION_BLOCK B VAR_INPUT n : INT; go, stop : BOOL; END_VAR VAR_OUTPUT scans : INT; END_VAR
scans := scans + 1;
END_FUNCTION_BLOCK
FUNCTION Ratio : INT VAR_INPUT a, b : INT; END_VAR Ratio := a / b; END_FUNCTION
"""


def run(folder: Path, case: str, block: str = BLOCK) -> list[Verdict]:
    text = f'block = "B"\nscan = "1s"\n{case}\n'
    library = open_library(write_files(folder, {"blocks/b.st": block, "cases/b.toml": text}))
    assert not [str(f) for f in library.findings if f.severity == "error"]
    return library.run()


def one(folder: Path, rules: str, table: str) -> Verdict:
    (verdict,) = run(folder, f'[[case]]\nname = "c"\n{rules}\nvectors = """\n{table}\n"""\n')
    return verdict


@pytest.mark.parametrize(
    ("rules", "table", "breaks"),
    [
        ('always = ["100 / n > 2"]', "n | scans\n5 | 1\n5 | 2", []),
        ('always = ["100 / n > 2"]', "n | scans\n5 | 1\n0 | 2\n5 | 3", [("faulted", 1)]),
        ('always = ["100 / n > 2"]', "n | scans\n60 | 1\n0 | 2", [("broken", 0)]),
        ('always = ["Ratio(100, n) > 2"]', "n | scans\n5 | 1\n0 | 2\n0 | 3", [("faulted", 1)]),
        ('always = [{ expr = "100 / n > 2", while = "n <> 0" }]', "n | scans\n0 | 1\n5 | 2\n0 | 3\n5 | 4", []),
        (
            'always = [{ expr = "100 / n > 2", while = "n <> 0" }]',
            "n | scans\n0 | 1\n60 | 2\n0 | 3\n5 | 4",
            [("broken", 1)],
        ),
        (
            'always = [{ expr = "100 / n > 2", after = "go", until = "stop" }]',
            "n go stop | scans\n0 0 0 | 1\n5 1 0 | 2\n5 0 0 | 3\n0 0 1 | 4\n0 0 0 | 5",
            [],
        ),
        (
            'always = [{ expr = "100 / n > 2", after = "go", until = "stop" }]',
            "n go stop | scans\n0 0 0 | 1\n5 1 0 | 2\n0 0 0 | 3",
            [("faulted", 2)],
        ),
        ('always = ["100 / prev(n) > 2"]', "n | scans\n5 | 1\n5 | 2", [("faulted", 0)]),
        ('always = ["scans < 2 OR 100 / prev(n) > 2"]', "n | scans\n5 | 1\n5 | 2", [("faulted", 0)]),
        ('always = [{ expr = "100 / prev(n) > 2", while = "scans > 1" }]', "n | scans\n5 | 1\n5 | 2\n60 | 3", []),
        ('always = [{ expr = "prev(100 / n) = 20", while = "scans > 1" }]', "n | scans\n5 | 1\n0 | 2\n5 | 3", []),
        (
            'always = [{ expr = "age(100 / n > 2) = T#2s", while = "scans = 4" }]',
            "n | scans\n60 | 1\n5 | 2\n0 | 3\n5 | 4",
            [],
        ),
        ('never = ["100 / n > 2", "scans > 2"]', "n | scans\n0 | 1\n0 | 2\n0 | 3", [("faulted", 0), ("broken", 2)]),
    ],
)
def test_a_rule_is_computed_where_it_counts(
    tmp_path: Path, rules: str, table: str, breaks: list[tuple[str, int]]
) -> None:
    verdict = one(tmp_path, rules, table)
    assert [(found.kind, found.scan) for found in verdict.breaks] == breaks
    assert (verdict.status, verdict.fault, verdict.wrong) == ("failed" if breaks else "passed", None, 0)
    assert verdict.checked == len(table.splitlines()) - 1


def test_a_row_breaks_where_its_event_cannot_be_computed(tmp_path: Path) -> None:
    row = 'timing = """\nfrom | to | count\n100 / n > 2 rises | go rises | 1\n"""'
    assert one(tmp_path, row, "n go | scans\n60 0 | 1\n5 0 | 2\n5 1 | 3").status == "passed"
    verdict = one(tmp_path, row, "n go | scans\n60 0 | 1\n5 0 | 2\n0 1 | 3")
    assert [(found.kind, found.scan) for found in verdict.breaks] == [("faulted", 2)]
    assert verdict.breaks[0].says == "Division by zero in what it looks at"


def test_the_logic_runs_though_a_rule_faults_on_initial_values(tmp_path: Path) -> None:
    verdict = one(tmp_path, 'always = ["100 / n > 2"]', "n | scans\n5 | 0")
    assert (verdict.status, verdict.wrong) == ("failed", 1)


def test_equal_rules_are_told_each_at_its_own_line(tmp_path: Path) -> None:
    table = 'vectors = """\nn | scans\n0 | 1\n"""'
    cases = "".join(f'[[case]]\nname = "c{i}"\nalways = ["100 / n > 2"]\n{table}\n' for i in range(3))
    verdicts = run(tmp_path, cases)
    lines = [
        found.watched.rule.expression.source.line(found.watched.rule.expression.start)  # type: ignore[union-attr]
        for v in verdicts
        for found in v.breaks
    ]
    assert lines == [5, 12, 19]
    shown = upright("verify", "--library", tmp_path).output
    assert all(f"cases/b.toml:{line}" in shown for line in lines)
    assert "Division by zero in always 100 / n > 2" in shown


def test_an_expected_fault_is_one_of_the_logic(tmp_path: Path) -> None:
    verdict = one(tmp_path, 'always = ["100 / n > 2"]\nexpect_fault = "division by zero"', "n | scans\n0 | 1")
    assert (verdict.status, verdict.about_run) == ("failed", "It expects a fault, division by zero, and none came.")


def test_a_case_whose_logic_never_ran_is_not_good(tmp_path: Path) -> None:
    verdict = one(tmp_path, "", "power n | scans\noff 1 | 0\n. . | 0")
    assert verdict.status == "failed"
    assert "ran in no scan" in verdict.about_run


def test_events_go_on_behind_a_rule_that_faults(tmp_path: Path) -> None:
    """What is driven and forced, what a rig does and what is recorded after the fault of that scan."""
    table = "n force scans | scans\n0 . | 1\n1 7 | 7\n0 . | 7\n2 release | 8"
    verdict = one(tmp_path, 'always = ["100 / n > 2", "Ratio(1, n) < 9"]', table)
    assert (verdict.wrong, [found.scan for found in verdict.breaks]) == (0, [0, 0])


def test_a_condition_that_cannot_be_computed_ends_a_run(tmp_path: Path) -> None:
    library = write_files(tmp_path, {"blocks/b.st": BLOCK})
    machine = open_library(library).machine("B", scan="1s")
    machine.set("n", 5)
    machine.run_until("100 / n > 2", within="3s")
    machine.set("n", 0)
    with pytest.raises(ScanFault, match="Division by zero"):
        machine.run_until("100 / n > 2", within="3s")
    assert machine.read("scans") == 2
    result = upright("run", "B", "--library", library, "--until", "100 / n > 2", "--for", "3s")
    assert "Division by zero" in result.output


@pytest.mark.parametrize("end", ["go rises", "GO  rises", "(go) rises", "( Go ) rises"])
def test_the_period_of_one_event_is_measured_however_it_is_written(tmp_path: Path, end: str) -> None:
    row = f'timing = """\nfrom | to | min | max\ngo rises | {end} | 2s | 2s\n"""'
    verdict = one(tmp_path, row, "go | scans\n1 | 1\n0 | 2\n1 | 3\n0 | 4\n1 | 5")
    (measure,) = verdict.measures
    assert (verdict.status, measure.answered, measure.least) == ("passed", 2, 2_000_000_000)


def test_each_rule_of_a_case_is_computed_in_whatever_order_others_have_them(tmp_path: Path) -> None:
    """Cases of a unit share what is computed; one has first what another has last."""
    table = 'vectors = """\nn | scans\n60 | 1\n"""'
    rules = ['["100 / n < 2"]', '["100 / (n + 1) > 2", "100 / n < 2"]', '["100 / (n + 2) > 2", "100 / (n + 1) < 2"]']
    cases = "".join(f'[[case]]\nname = "c{i}"\nnever = {rule}\n{table}\n' for i, rule in enumerate(rules))
    assert [[found.kind for found in v.breaks] for v in run(tmp_path, cases)] == [["broken"]] * 3


RULES: dict[str, Callable[[int, int], bool]] = {
    "100 / n > 2": lambda n, before: int(100 / n) > 2,
    "n <> 3": lambda n, before: n != 3,
    "100 / (n - 2) < 90": lambda n, before: int(100 / (n - 2)) < 90,
    "Ratio(60, n) <> 20": lambda n, before: int(60 / n) != 20,
    "100 / prev(n) > 2": lambda n, before: int(100 / before) > 2,
    "n > 1 OR 100 / (n - 1) <> 0": lambda n, before: n > 1 or int(100 / (n - 1)) != 0,
}


def first_break(rule: str, values: Sequence[int]) -> tuple[str, int] | None:
    """How and in which scan a rule breaks; before the first scan n is 0."""
    for scan, (before, n) in enumerate(pairwise([0, *values])):
        try:
            if not RULES[rule](n, before):
                return "broken", scan
        except ZeroDivisionError:
            return "faulted", scan
    return None


@pytest.mark.parametrize("seed", range(12))
def test_rules_in_any_order_with_faults_in_any_scan_agree_with_a_model(tmp_path: Path, seed: int) -> None:
    random = Random(seed)
    cases, wanted = "", []
    for number in range(6):
        rules = random.sample(list(RULES), random.randint(1, len(RULES)))
        values = [random.choice([0, 1, 2, 3, 5, 40]) for _ in range(random.randint(1, 5))]
        table = "\n".join(f"{n} | {scan + 1}" for scan, n in enumerate(values))
        cases += f'[[case]]\nname = "c{number}"\nalways = {json.dumps(rules)}\nvectors = """\nn | scans\n{table}\n"""\n'
        wanted.append({rule: first_break(rule, values) for rule in rules})
    for verdict, broken in zip(run(tmp_path, cases), wanted, strict=True):
        watched = [(found, found.watched) for found in verdict.breaks]
        came = {w.rule.expression.text: (found.kind, found.scan) for found, w in watched if isinstance(w, WatchedRule)}
        assert came == {rule: how for rule, how in broken.items() if how is not None}
        assert verdict.wrong == 0
