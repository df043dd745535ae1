"""Each finding of the analysis is raised where it must be, alone, and not where it must not."""

from __future__ import annotations

import pytest

from tests.analysis.samples import PUMP, RAISES, SILENT, source_of
from tests.helpers import checked
from upright_block.analysis import analyse
from upright_block.language.telling.catalogue import ANALYSED
from upright_block.language.telling.findings import Finding


def analysed(text: str) -> list[Finding]:
    """What is found in a source text, what is doubtful among it left out."""
    scope, findings = checked(source_of(text))
    assert [str(f) for f in findings] == []
    return [finding for finding in analyse(scope) if not finding.is_doubtful]


def test_each_finding_has_sources_that_raise_it_and_near_misses() -> None:
    elsewhere = {"inverted-twice"}  # needs a table of tags
    assert {n for n in ANALYSED if len(RAISES.get(n, [])) < 2} == elsewhere
    assert {n for n in ANALYSED if len(SILENT.get(n, [])) < 2} == elsewhere


@pytest.mark.parametrize(("name", "text"), [(name, text) for name, texts in RAISES.items() for text in texts])
def test_it_is_found(name: str, text: str) -> None:
    assert [finding.name for finding in analysed(text)] == [name]


@pytest.mark.parametrize("text", [text for texts in SILENT.values() for text in texts])
def test_a_near_miss_is_silent(text: str) -> None:
    assert [str(finding) for finding in analysed(text)] == []


@pytest.mark.parametrize(
    "body",
    [
        "y := " + " OR ".join(f"n = {i}" for i in range(3_000)) + ";",
        "IF n < 0 THEN y := FALSE; " + "".join(f"ELSIF n = {i} THEN y := FALSE; " for i in range(1_500)) + "END_IF",
        "".join(f"IF n = {i} THEN y := NOT y; RETURN; END_IF\n" for i in range(1_500)),
    ],
    ids=["operators", "branches", "returns"],
)
def test_long_bodies_are_looked_through(body: str) -> None:
    assert [f.name for f in analysed(f"in n : INT; out y : BOOL | {body}") if f.name == "fixed-condition"] == []


@pytest.mark.parametrize(
    ("body", "cause"),
    [
        ("IF n MOD 0 = 0 THEN y := a; ELSE y := b; END_IF", "n MOD 0 is always 0, since MOD by zero is zero"),
        ("IF n MOD 4 = 4 THEN y := a; ELSE y := b; END_IF", "n MOD 4 is -3 to 3"),
        ("IF s > 9 OR s < 0 THEN y := a; ELSE y := b; END_IF", "s is 0 to 9"),
        ("IF n > 5 AND n < 3 THEN y := a; ELSE y := b; END_IF", "n > 5 and n < 3 are never TRUE together"),
        ("y := n > 3 OR n < 9;", "one of n > 3 and n < 9 is always TRUE"),
        ("y := b AND a AND NOT a;", "a and NOT a are never TRUE together"),
        ("IF a THEN IF NOT a THEN y := b; ELSE y := c; END_IF; END_IF", "line 7 decides it, where a is TRUE"),
        ("IF a THEN y := b;\nELSIF b AND a THEN y := c; END_IF", "line 7 decides it, where a is FALSE"),
        (
            "IF a THEN y := FALSE;\nELSIF b THEN y := c;\nELSIF a OR b THEN y := TRUE; END_IF",
            "the conditions in lines 7 and 8 decide it together",
        ),
        ("k := 5;\nIF k > 7 THEN y := a; ELSE y := b; END_IF", "line 7 decides it, where k gets its value"),
    ],
)
def test_a_fixed_condition_names_what_decides_it(body: str, cause: str) -> None:
    variables = "in a, b, c : BOOL; in n : INT; in s : INT(0..9); out y : BOOL; out k : INT"
    (found,) = [f for f in analysed(f"{variables} | {body}") if f.name == "fixed-condition"]
    assert cause in found.message


def test_an_input_is_not_left_open_where_a_caller_cannot_be_read() -> None:
    given = "in a : BOOL; out y : BOOL; var p, q : Pump | p(go := a, run => y); q(reset := {}, go := a);"
    for value in ("a", "nosuch", "a)"):
        scope, _ = checked(PUMP + source_of(given.format(value)))
        assert "input-left-open" not in {finding.name for finding in analyse(scope) if not finding.is_doubtful}
