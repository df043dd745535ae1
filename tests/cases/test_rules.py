"""Rules and timing rows, against their definitions in plain Python."""

from __future__ import annotations

import json
import os
import random
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import upright, write_files
from upright_block import Verdict, open_library
from upright_block.reports.rules import unarmed_rules

BLOCK = "FUNCTION_BLOCK B VAR_INPUT a, b, c, d : BOOL; n : INT; END_VAR VAR t : TON; END_VAR t(IN := a, PT := T#1s); END_FUNCTION_BLOCK"
SCAN = 100_000_000
SECOND = 10 * SCAN


def library_of(folder: Path, body: str, head: str = "", block: str = BLOCK) -> Any:
    case = f'block = "B"\nscan = "100ms"\n{head}\n[[case]]\nname = "c"\n{body}\n'
    write_files(folder, {"upright.toml": "", "blocks/b.st": block, "cases/c.toml": case})
    return open_library(folder)


def verdict_of(folder: Path, body: str, head: str = "", block: str = BLOCK) -> Verdict:
    library = library_of(folder, body, head, block)
    assert not [f for f in library.findings if f.severity == "error"], [str(f) for f in library.findings]
    verdict: Verdict
    (verdict,) = library.run()
    return verdict


def driven(**pins: str) -> str:
    """A table that gives pins a value for each scan."""
    rows = "\n".join(" ".join(values) for values in zip(*pins.values(), strict=True))
    return f'vectors = """\n{" ".join(pins)}\n{rows}\n"""\n'


def found(verdict: Verdict) -> list[tuple[str, int]]:
    return [(found.kind, found.scan) for found in verdict.breaks]


# --- the definitions ---


def rises(bits: str, before: str = "0") -> list[int]:
    return [i for i, bit in enumerate(bits) if bit == "1" and (before + bits)[i] == "0"]


def armed(after: str | None, until: str | None, length: int) -> list[bool]:
    state, found = after is None, []
    for scan in range(length):
        if after is not None and scan in rises(after):
            state = True
        if until is not None and until[scan] == "1":
            state = False
        found.append(state)
    return found


def expected_row(
    begin: str, end: str, least: int, most: int | None, after: str | None, until: str | None
) -> list[tuple[str, int]]:
    """What is wrong with the delays between rises, in scans; each window by itself."""
    length, wrong = len(begin), []
    active = armed(after, until, length)
    begins = [scan for scan in rises(begin) if active[scan]]
    for start in begins:
        answers = [scan for scan in rises(end) if scan >= start]
        if answers and (most is None or answers[0] - start <= most):
            if answers[0] - start < least:
                wrong.append(("early", answers[0]))
        elif most is not None and start + most <= length - 1:
            wrong.append(("late", start + most))
        else:
            wrong.append(("undecided", length - 1))
    if not begins:
        wrong.append(("unmeasured", length - 1))
    return sorted(wrong, key=lambda entry: entry[1])


def expected_rule(a: str, looked: list[int], kind: str) -> list[tuple[str, int]]:
    """The first of the scans that are looked at in which ``a`` is not as a rule says; told at the end where there
    are none.
    """
    if not looked:
        return [("unarmed", len(a) - 1)]
    return [("broken", scan) for scan in looked if (a[scan] == "1") != (kind == "always")][:1]


@st.composite
def rows(draw: st.DrawFn) -> tuple[list[str], int, int | None, bool, bool]:
    length = draw(st.integers(1, 24))
    bits = [draw(st.text("01", min_size=length, max_size=length)) for _ in range(4)]
    least = draw(st.integers(0, 4))
    most = draw(st.none() | st.integers(least, 8))
    return bits, least, most, draw(st.booleans()), draw(st.booleans())


@settings(max_examples=150, deadline=None)
@given(case=rows())
def test_a_timing_row_measures_what_its_definition_says(
    case: tuple[list[str], int, int | None, bool, bool], tmp_path_factory: pytest.TempPathFactory
) -> None:
    (a, b, c, d), least, most, has_after, has_until = case
    cells = [
        f"{100 * least}ms",
        "" if most is None else f"{most}scans",
        "c" if has_after else ".",
        "d" if has_until else ".",
    ]
    table = f'timing = """\nname | from | to | min | max | after | until\nx | a rises | b rises | {" | ".join(cells)}\n"""\n'
    verdict = verdict_of(tmp_path_factory.mktemp("row"), driven(a=a, b=b, c=c, d=d) + table)
    wanted = expected_row(a, b, least, most, c if has_after else None, d if has_until else None)
    assert sorted(found(verdict)) == sorted(wanted)
    assert verdict.status == ("failed" if wanted else "passed")
    (measure,) = verdict.measures
    active = armed(c if has_after else None, d if has_until else None, len(a))
    begins = [scan for scan in rises(a) if active[scan]]
    delays = [next((end - start for end in rises(b) if end >= start), None) for start in begins]
    answered = sorted(delay * SCAN for delay in delays if delay is not None)
    assert (measure.events, measure.answered) == (len(begins), len(answered))
    if answered:
        middle = answered[len(answered) // 2]
        assert (measure.least, measure.middle, measure.most) == (answered[0], middle, answered[-1])


@settings(max_examples=100, deadline=None)
@given(case=rows(), kind=st.sampled_from(["always", "never"]), has_while=st.booleans())
def test_a_rule_breaks_where_its_definition_says(
    case: tuple[list[str], int, int | None, bool, bool],
    kind: str,
    has_while: bool,
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    (a, b, c, d), _, _, has_after, has_until = case
    conditions = [("while", "b", has_while), ("after", "c", has_after), ("until", "d", has_until)]
    parts = "".join(f', {word} = "{pin}"' for word, pin, is_there in conditions if is_there)
    verdict = verdict_of(
        tmp_path_factory.mktemp("rule"), driven(a=a, b=b, c=c, d=d) + f'{kind} = [{{ expr = "a"{parts} }}]'
    )
    active = armed(c if has_after else None, d if has_until else None, len(a))
    looked = [scan for scan in range(len(a)) if active[scan] and (not has_while or b[scan] == "1")]
    assert found(verdict) == expected_rule(a, looked, kind)


@settings(max_examples=60, deadline=None)
@given(
    bits=st.text("01", min_size=1, max_size=30), number=st.integers(0, 9), sign=st.sampled_from(["", ">=", "<=", "!"])
)
def test_a_count_is_that_of_the_events(
    bits: str, number: int, sign: str, tmp_path_factory: pytest.TempPathFactory
) -> None:
    table = f'timing = """\nfrom | count\na falls | {sign}{number}\n"""\n'
    verdict = verdict_of(tmp_path_factory.mktemp("count"), driven(a=bits) + table)
    events = [i for i in range(1, len(bits)) if bits[i - 1 : i + 1] == "10"]
    holds = {
        "": len(events) == number,
        ">=": len(events) >= number,
        "<=": len(events) <= number,
        "!": len(events) != number,
    }
    assert (verdict.status == "passed") == holds[sign]
    if not holds[sign]:
        is_above = sign in ("", "<=") and len(events) > number
        assert found(verdict)[0] == (("too many", events[number]) if is_above else ("too few", len(bits) - 1))


# --- single decisions ---


@pytest.mark.parametrize(
    ("bits", "cells", "wanted"),
    [
        (("0100", "0001"), "200ms | 200ms", []),  # exactly at max is in time
        (("0100", "0000"), "0s | 200ms", [("late", 3)]),  # the last scan is exactly at max: decided
        (("0010", "0000"), "0s | 200ms", [("undecided", 3)]),
        (("0100", "0100"), "0s | 0s", []),  # in the same scan
        (("0100", "0100"), "1scan | .", [("early", 1)]),
        (("1000", "1000"), "0s | 0s", []),  # what is driven TRUE in scan 0 rises
        (("0101", "0001"), "200ms | 200ms", [("early", 3)]),  # each event opens its own window
        (("010", "001"), "200ms-1scan | 100ms", []),
        (("010", "001"), "100ms+1scan | .", [("early", 2)]),
    ],
)
def test_a_window_ends_where_it_says(
    tmp_path: Path, bits: tuple[str, str], cells: str, wanted: list[tuple[str, int]]
) -> None:
    table = f'timing = """\nfrom | to | min | max\na rises | b rises | {cells}\n"""\n'
    assert found(verdict_of(tmp_path, driven(a=bits[0], b=bits[1]) + table)) == wanted


def test_a_period_goes_to_the_next_of_its_kind_and_the_last_opens_none(tmp_path: Path) -> None:
    table = 'timing = """\nfrom | to | min | max\na rises | a rises | 200ms | 300ms\n"""\n'
    verdict = verdict_of(tmp_path, driven(a="0101001000100") + table)
    assert found(verdict) == [("late", 9)]
    (measure,) = verdict.measures
    assert (measure.events, measure.least, measure.most) == (4, 2 * SCAN, 4 * SCAN)


def test_what_is_given_true_does_not_rise(tmp_path: Path) -> None:
    table = 'given = { a = true }\nrun_for = "1s"\ntiming = """\nfrom | count\na rises | 0\na changes | 0\n"""\n'
    assert verdict_of(tmp_path, table).status == "passed"


def test_looking_back_begins_with_what_is_given(tmp_path: Path) -> None:
    body = 'given = { n = 3 }\nvectors = """\nn\n3\n4\n4\n5\n"""\n'
    body += 'always = ["prev(n) = 3", "age(n) = T#0s", "n - prev(n) <= 1"]\n'
    assert found(verdict_of(tmp_path, body)) == [("broken", 2), ("broken", 2)]


def test_a_rule_sees_inside_and_tells_when(tmp_path: Path) -> None:
    body = 'vectors = """\nat | a\n0.5s | 1\n"""\nrun_for = "3s"\nnever = ["t.Q AND t.ET >= T#1s"]\n'
    verdict = verdict_of(tmp_path, body)
    assert found(verdict) == [("broken", 15)]
    assert verdict.breaks[0].watched.named == ("t.Q", "t.ET")
    shown = upright("verify", "--library", tmp_path).output
    assert "At 1.5s (scan 15), cases/c.toml:11" in shown
    assert "It breaks never t.Q AND t.ET >= T#1s." in shown
    assert "▶" in shown


def test_rules_of_a_file_hold_in_its_cases_and_count_as_checks(tmp_path: Path) -> None:
    head = 'never = ["a AND b"]\ntiming = """\nname | from | count\nrises | a rises | 1\n"""\n'
    verdict = verdict_of(tmp_path, driven(a="010", b="001"), head)
    assert (verdict.status, len(verdict.measures)) == ("passed", 1)
    assert found(verdict_of(tmp_path / "other", driven(a="011", b="001"), head)) == [("broken", 2)]


def test_each_file_looks_at_its_own_rules(tmp_path: Path) -> None:
    files = {"upright.toml": "", "blocks/b.st": BLOCK}
    for number in range(5):
        files[f"cases/c{number}.toml"] = (
            f'block = "B"\nscan = "100ms"\nnever = ["n = {number}"]\n[[case]]\nname = "c"\nvectors = """\nn\n3\n"""\n'
        )
    write_files(tmp_path, files)
    assert [v.status for v in open_library(tmp_path).run()] == ["passed", "passed", "passed", "failed", "passed"]


def test_verdicts_of_rules_are_data(tmp_path: Path) -> None:
    library_of(tmp_path, driven(a="0110", b="0000") + 'timing = """\nfrom | to | max\na rises | b rises | 100ms\n"""\n')
    data = json.loads(upright("verify", "--json", "--library", tmp_path).output)
    (entry,) = data["cases"][0]["broken"]
    assert (entry["kind"], entry["scan"], entry["time_ns"], entry["from_scan"]) == ("late", 2, 2 * SCAN, 1)
    assert data["cases"][0]["measured"][0]["answered"] == 0


@pytest.mark.parametrize(
    ("body", "name", "says"),
    [
        ('always = ["a AND"]', "missing-value", ""),
        ('always = ["n"]', "type-mismatch", ""),
        ('always = ["z"]', "unknown-name", ""),
        ('always = ["TRUE"]', "constant-rule", ""),
        ("always = []", "wrong-kind", "holds no rule"),
        ("never = [3]", "wrong-kind", ""),
        ('never = [{ while = "a" }]', "wrong-kind", ""),
        ('never = [{ expr = "a", whle = "b" }]', "unknown-key", "no key whle"),
        ('never = [{ expr = "a", after = 3 }]', "wrong-kind", ""),
        ('never = ["prev(a, b)"]', "missing-argument", "prev gives"),
        ('timing = ""', "empty-table", ""),
        ('timing = "from | count"', "empty-table", ""),
        ('timing = """\nfrom | cuont\na rises | 1\n"""', "unknown-key", "cuont"),
        ('timing = """\nfrom | from\na rises | b rises\n"""', "column-twice", ""),
        ('timing = """\nto | max\na rises | 1s\n"""', "missing-column", ""),
        ('timing = """\nfrom | to\na rises\n"""', "uneven-row", ""),
        ('timing = """\nfrom | to\na | b rises\n"""', "bad-value", "a is no event"),
        ('timing = """\nfrom | to\na rise | b rises\n"""', "bad-value", "a rise is no event"),
        ('timing = """\nfrom | to\nn rises | b rises\n"""', "type-mismatch", ""),
        ('timing = """\nfrom | to | max\na rises | b rises | 5\n"""', "bad-value", ""),
        ('timing = """\nfrom | to | min | max\na rises | b rises | 5s | 4s\n"""', "empty-range", ""),
        ('timing = """\nfrom | max\na rises | 4s\n"""', "missing-cell", ""),
        ('timing = """\nfrom\na rises\n"""', "missing-cell", ""),
        ('timing = """\nname | from | count\nx | a rises | 1\nX | b rises | 1\n"""', "name-twice", ""),
    ],
)
def test_what_cannot_be_judged_is_told_in_the_case_file(tmp_path: Path, body: str, name: str, says: str) -> None:
    library = library_of(tmp_path, f'run_for = "1s"\n{body}')
    (finding,) = library.findings
    assert (finding.name, finding.source.path) == (name, "cases/c.toml")
    assert says in finding.message
    assert finding.way_out
    assert [case.name for case in library.not_run] == ["c"]


PLANT = """
FUNCTION_BLOCK Lamp VAR_INPUT on : BOOL; END_VAR VAR_OUTPUT lit : BOOL; END_VAR VAR t : TON; END_VAR
t(IN := on, PT := T#300ms); lit := t.Q;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Bright EXTENDS Lamp VAR_INPUT more : BOOL; END_VAR SUPER(); lit := lit OR more; END_FUNCTION_BLOCK
FUNCTION_BLOCK Row VAR_INPUT a, b, c : BOOL; END_VAR VAR lamps : ARRAY [1..2] OF Lamp; bright : Bright; END_VAR
lamps[1](on := a); lamps[2](on := b); bright(on := FALSE, more := c);
END_FUNCTION_BLOCK
PROGRAM Main VAR_INPUT a, b, c : BOOL; END_VAR VAR row : Row; END_VAR row(a := a, b := b, c := c); END_PROGRAM
"""
RULES = """block = "Lamp"
always = [{ expr = "age(on) >= T#300ms", while = "lit" }]
timing = \"\"\"
from     | to        | max
on rises | lit rises | 300ms
\"\"\"
"""


def plant(folder: Path, kind: str, columns: str, rules: str = RULES) -> Any:
    case = f'{kind}\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\n{columns}\n"""\n'
    write_files(folder, {"upright.toml": "", "blocks/b.st": PLANT, "rules/lamp.toml": rules, "cases/c.toml": case})
    return open_library(folder)


@pytest.mark.parametrize(
    ("kind", "columns", "wanted"),
    [
        ('block = "Lamp"', "on\n1\n1\n1\n1", []),
        ('block = "Lamp"', "on | set lit\n0 | 1", []),  # the body writes it anew
        ('block = "Lamp"', "on\n1\n0\n0\n0\n0", [("late", 3, "")]),
        ('block = "Row"', "a b c\n1 0 0\n1 0 0\n1 0 0\n1 0 0", []),
        ('block = "Row"', "a b c\n0 1 0\n0 0 0\n0 0 0\n0 0 0", [("late", 3, "lamps[2]")]),
        ('program = "Main"', "a b c\n0 0 0\n0 0 0\n0 0 1", [("broken", 2, "row.bright")]),
    ],
)
def test_the_rules_of_a_block_hold_for_every_instance(
    tmp_path: Path, kind: str, columns: str, wanted: list[tuple[str, int, str]]
) -> None:
    library = plant(tmp_path, kind, columns)
    assert {f.name for f in library.findings} <= {"checks-nothing"}
    (verdict,) = library.run()
    assert verdict.status == ("failed" if wanted else "checks nothing")
    assert [(b.kind, b.scan, b.watched.path) for b in verdict.breaks] == wanted
    if wanted and wanted[0][2]:
        assert f"in {wanted[0][2]}" in upright("verify", "--library", tmp_path).output


@pytest.mark.parametrize(
    ("rules", "name"),
    [
        ('block = "Lmap"\nnever = ["lit"]', "unknown-name"),
        ('never = ["lit"]', "missing-key"),
        ('block = "Lamp"', "checks-nothing"),
        ('block = "Lamp"\nnever = ["light"]', "unknown-name"),
        ('block = "Lamp"\nnevr = ["lit"]', "unknown-key"),
        ("block = ", "bad-toml"),
    ],
)
def test_a_file_of_rules_that_cannot_be_used_is_told_once(tmp_path: Path, rules: str, name: str) -> None:
    library = plant(tmp_path, 'block = "Row"', "a b c\n0 0 0", rules)
    found = [f for f in library.findings if f.source.path == "rules/lamp.toml"]
    assert [f.name for f in found][:1] == [name]
    assert len({f.message for f in found}) == len(found)


def test_a_run_of_many_pieces_is_judged_as_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upright_block.machine.machine._LOG", 64)
    a, b, c, d = ("0110" * 50, "0010" * 50, "0" * 40 + "1" * 160, "0" * 150 + "1" * 50)
    table = 'timing = """\nfrom | to | max | after | until\na rises | b rises | 1scan | c | d\n"""\n'
    verdict = verdict_of(tmp_path, driven(a=a, b=b, c=c, d=d) + table + 'never = [{ expr = "b", after = "d" }]')
    active = armed(c, d, 200)
    assert verdict.measures[0].events == sum(active[scan] for scan in rises(a))
    assert found(verdict) == [("broken", next(scan for scan in range(150, 200) if b[scan] == "1"))]


COUNT = int(os.environ.get("UPRIGHT_VERDICTS", "400"))  # two verdicts each
FIRST = int(os.environ.get("UPRIGHT_VERDICTS_FROM", "0"))
BATCH = 400


@pytest.mark.parametrize("batch", range(FIRST // BATCH, -(-(FIRST + COUNT) // BATCH)))
def test_generated_verdicts_are_those_of_the_definitions(tmp_path: Path, batch: int) -> None:
    rng = random.Random(batch)
    cases, wanted = [], []
    for number in range(BATCH):
        length = rng.randint(1, 40)
        density = rng.choice([0.1, 0.5, 0.9])
        a, b, c, d = ("".join("01"[rng.random() < density] for _ in range(length)) for _ in range(4))
        least, most = rng.randint(0, 5), rng.choice([None, 0, 1, 3, 8])
        after, until = rng.choice([None, c]), rng.choice([None, d])
        kind, has_while = rng.choice(["always", "never"]), rng.random() < 0.5
        cells = [f"{least}scans", "" if most is None else f"{100 * most}ms", "c" if after else "", "d" if until else ""]
        conditions = [("while", "b", has_while), ("after", "c", after), ("until", "d", until)]
        parts = "".join(f', {word} = "{pin}"' for word, pin, is_there in conditions if is_there)
        if most is not None and least > most:
            least, cells[0] = most, f"{100 * most}ms"
        cases.append(
            f'[[case]]\nname = "{number}"\n{driven(a=a, b=b, c=c, d=d)}{kind} = [{{ expr = "a"{parts} }}]\n'
            f'timing = """\nfrom | to | min | max | after | until\na rises | b rises | {" | ".join(cells)}\n"""\n'
        )
        active = armed(after, until, length)
        looked = [scan for scan in range(length) if active[scan] and (not has_while or b[scan] == "1")]
        wanted.append(sorted(expected_row(a, b, least, most, after, until) + expected_rule(a, looked, kind)))
    write_files(
        tmp_path,
        {"upright.toml": "", "blocks/b.st": BLOCK, "cases/c.toml": 'block = "B"\nscan = "100ms"\n' + "".join(cases)},
    )
    library = open_library(tmp_path)
    assert library.not_run == ()
    for verdict, expected in zip(library.run(), wanted, strict=True):
        assert sorted(found(verdict)) == expected, verdict.case.name


def test_a_rule_that_no_scan_judges_is_not_good_in_its_own_case_and_told_for_others(tmp_path: Path) -> None:
    own = driven(a="0011", b="0000") + 'never = [{ expr = "a", while = "b" }]\n'
    verdict = verdict_of(tmp_path, own)
    assert (verdict.status, found(verdict)) == ("failed", [("unarmed", 3)])
    head = 'block = "B"\nscan = "100ms"\nnever = [{ expr = "a", while = "b" }, { expr = "a", after = "c" }]\n[[case]]\nname = "c"\n'
    files = {"upright.toml": "", "blocks/b.st": BLOCK, "cases/c.toml": head + driven(a="0011", b="0000", c="1000")}
    (verdict,) = open_library(write_files(tmp_path / "head", files)).run()
    assert [rule.expression.text for rule in unarmed_rules([verdict])] == ["a"]
    assert [(f.kind, f.scan) for f in verdict.breaks] == [("broken", 2)]
