"""Rungs do what the statements beside them do, whatever their inputs are."""

from __future__ import annotations

import random
import re
from pathlib import Path

import pytest

from tests.helpers import checked, upright, write_files
from tests.ladder.rungs import FLIP, PAIRS, block
from upright_block import open_library
from upright_block.language.converting import unit_text

OUTPUTS = ["q", "r", "s", "t", "k", "x"]


@pytest.mark.parametrize("name", PAIRS)
def test_a_rung_does_what_its_statements_do(name: str, tmp_path: Path) -> None:
    rungs, statements = PAIRS[name]
    same(tmp_path, block("Drawn", rungs), block("Written", statements))


@pytest.mark.parametrize("name", PAIRS)
def test_what_a_rung_is_printed_as_does_the_same(name: str, tmp_path: Path) -> None:
    drawn = block("Drawn", PAIRS[name][0])
    scope, _ = checked(FLIP + drawn)
    printed = unit_text(scope.units["DRAWN"], "text")
    assert not re.search(r"[|]|:[a-z]+[0-9]", printed)
    same(tmp_path, drawn, printed.replace("FUNCTION_BLOCK Drawn", "FUNCTION_BLOCK Written"))


def test_names_of_what_rungs_need_besides_are_no_names_of_the_unit() -> None:
    text = block("Drawn", PAIRS["edges"][0]).replace("last1, last2", "edge1, edge2_, EDGE2")
    scope, _ = checked(FLIP + text)
    printed = unit_text(scope.units["DRAWN"], "text")
    _, findings = checked(FLIP + printed)
    assert [finding.message for finding in findings] == []
    assert "edge1_ := a;" in printed


def same(folder: Path, drawn: str, written: str) -> None:
    """Two blocks, Drawn and Written, do the same in many scans with random inputs."""
    files = {"upright.toml": "", "blocks/l.st": drawn, "blocks/s.st": written, "blocks/f.st": FLIP}
    library = open_library(write_files(folder, files))
    assert [finding.message for finding in library.findings] == []
    machines = [library.machine(unit, scan="100ms") for unit in ("Drawn", "Written")]
    chance = random.Random(drawn)
    for scan in range(120):
        pins: dict[str, bool | int] = {pin: chance.random() < 0.5 for pin in "abcd"}
        pins |= {pin: chance.choice([-4, -3, 0, 4, 5, 6]) for pin in "nm"}
        seen = []
        for machine in machines:
            machine.set_many(pins)
            machine.scan()
            seen.append(machine.read_many(OUTPUTS))
        assert seen[0] == seen[1], (scan, pins)


def mutants(count: int, seed: int) -> list[tuple[str, str]]:
    """Rungs with one character changed, two rows exchanged, or a row lost."""
    chance = random.Random(seed)
    found = []
    for _ in range(count):
        name = chance.choice(list(PAIRS))
        lines = PAIRS[name][0].split("\n")
        row = chance.randrange(len(lines))
        what = chance.choice(["change", "change", "change", "lose", "swap", "cut", "more"])
        line = lines[row]
        at = chance.randrange(len(line) + 1)
        if what == "change":
            lines[row] = line[:at] + chance.choice("|+-/()SRPNO>=< abqx5'=:") + line[at + 1 :]
        elif what == "cut":
            lines[row] = line[:at] + line[at + 1 :]
        elif what == "more":
            lines[row] = line[:at] + chance.choice("|+- a") + line[at:]
        elif what == "lose":
            del lines[row]
        else:
            other = chance.randrange(len(lines))
            lines[row], lines[other] = lines[other], lines[row]
        found.append((name, "\n".join(lines)))
    return found


@pytest.mark.parametrize("seed", range(4))
def test_a_rung_that_is_spoilt_is_read_otherwise_or_is_a_finding(seed: int) -> None:
    for name, rungs in mutants(150, seed):
        scope, findings = checked(FLIP + block("Drawn", rungs))
        assert "DRAWN" in scope.units, (name, rungs)
        for finding in findings:
            text = finding.source.text
            assert 0 <= finding.start < finding.end <= len(text), (finding.message, rungs)
            assert text.count("\n", finding.start, finding.end) == 0, (finding.message, rungs)


SEQUENCE = """FUNCTION_BLOCK {name}
VAR_INPUT a, b, c, d : BOOL; n, m : INT; END_VAR
VAR_OUTPUT q, r, s, t : BOOL; k : INT; x : TIME; END_VAR
INITIAL_STEP Rest: END_STEP
STEP Fill: q(N); Turn(N); END_STEP
TRANSITION FROM Rest TO Fill {first} END_TRANSITION
TRANSITION over FROM Fill TO Rest {second} END_TRANSITION
ACTION Turn:
{action}
END_ACTION
END_FUNCTION_BLOCK
"""


def test_transitions_and_actions_may_be_rungs(tmp_path: Path) -> None:
    first = """:
|  a      b     |
+--| |-+--|/|---+
|      |  c     |
|      +--| |---+
"""
    second = ":\n|  d      over  |\n+--| |-----( )--+\n"
    action = "|  Fill.X    r  |\n+--| |------( )-+\n"
    drawn = SEQUENCE.format(name="Drawn", first=first, second=second, action=action)
    written = SEQUENCE.format(name="Written", first=":= a AND (NOT b OR c);", second=":= d;", action="r := Fill.X;")
    same(tmp_path, drawn, written)


def test_a_label_that_nothing_jumps_to_is_told_and_spoils_nothing() -> None:
    _, findings = checked(FLIP + block("Drawn", "HERE:\n|  a    q  |\n+--| |--( )+"))
    assert [(finding.name, finding.severity) for finding in findings] == [("unused-label", "warning")]


@pytest.mark.parametrize(
    "text",
    [
        "FUNCTION F : BOOL VAR_INPUT a : BOOL; END_VAR\n|  a    F  |\n+--|P|--( )+\nEND_FUNCTION",
        "FUNCTION_BLOCK K VAR q : BOOL; END_VAR METHOD PUBLIC M VAR_INPUT a : BOOL; END_VAR\n"
        "|  a    q  |\n+--| |--(N)+\nEND_METHOD END_FUNCTION_BLOCK",
    ],
)
def test_what_keeps_nothing_has_no_edges(text: str) -> None:
    _, findings = checked(text)
    assert [finding.message[:29] for finding in findings] == ["An edge needs to know what wa"]


def test_functions_and_methods_may_be_rungs(tmp_path: Path) -> None:
    both = "FUNCTION Both : BOOL VAR_INPUT a, b : BOOL; END_VAR\n|  a    b    Both  |\n+--| |--| |---( )--+\nEND_FUNCTION\n"
    method = "METHOD PUBLIC Other : BOOL VAR_INPUT a : BOOL; END_VAR\n|  a    Other  |\n+--|/|---( )---+\nEND_METHOD\n"
    drawn = both + block("Drawn", "q := Both(a, b); r := Other(a := c);").replace("END_VAR\n\nq", f"END_VAR\n{method}q")
    same(tmp_path, drawn, block("Written", "q := a AND b; r := NOT c;"))


def box(block_name: str, *rows: str, name: str = "late") -> str:
    """A rung with a box between a contact and a coil."""
    first, *others = rows
    lines = [f"|             {name:<9}             |", "|            +-------+              |"]
    lines += [f"|  a         |{block_name}|       q      |", f"+--| |-------|{first}|------( )-----+"]
    lines += [*(f"|            |{row}|              |" for row in others), lines[1]]
    return "\n".join(lines)


@pytest.mark.parametrize(
    ("body", "message"),
    [
        ("|  a    q  |\n+--| |--( )+\nq := b;", "q stands between rungs."),
        ("q := b;\n|  a    q  |\n+--| |--( )+", "A rung stands between statements."),
        ("|  a    q |\n+--| |--( )+\n|          |", "The right rail is not in line here."),
        ("|  a    q  |\n+--| |--( )+\n+--", "The right rail is missing in this row."),
        ("|  a    q  |\n +--| |--( )+", "This row begins in another column than the one above it."),
        ("|       q  |\n+--| |--( )+", "No name stands above this contact."),
        ("|  a  b q  |\n+--| |--( )+", "b belongs to nothing: it covers no contact, coil or box."),
        ("|  a    q  |\n+--| |  ( )+", "No link reaches this coil from the left."),
        ("|  a      q  |\n+--| |-- -( )+", "This link begins at nothing."),
        ("|  a    q  |\n+  | |--( )+", "No link reaches this contact from the left."),
        ("|  a    q  |\n+--| |+-( )+", "This + joins nothing: no vertical link meets it."),
        ("|  a    q  |\n+--| |+-( )+\n|     |    |", "This vertical link ends at nothing."),
        ("|  a         |\n+--| |-------+", "What this contact says goes nowhere."),
        ("|  a    q  |\n+--|p|--( )+", "p is no sign of an element."),
        ("|  a + b  q  |\n+--| |---( )-+", "This + joins nothing"),
        ("|  a     q  |\n+--| |--( )+", "The right rail is not in line here."),
        ("|  a         |\n+--| |-->>ON |", "There is no label ON."),
        ("|  a\tq  |\n+--| |--( )+", "U+0009 is not of the characters of a ladder."),
        ("|  a    q  |\n+──| |--( )+", "─ is not of the characters of a ladder."),
        ("|  a    q  |\n+==| |==( )+", "This is a rung as a scan evaluated it"),
        ("AGAIN:\n|  a            |\n+--| |-->>AGAIN |", "The jump leads back to AGAIN."),
        ("|  a    5    |\n+--| |--( )--+", "5"),
        (box("  TOF  ", "IN    Q"), "late is TON, and its box says TOF."),
        (box("  TON  ", "IN    Q", "PT   ER"), "TON has no pin ER."),
        (box("  TON  ", "IN    Q", "PT x ET"), "x stands in a box at none of its walls."),
        (box("  TON  ", "IN    Q", name=" "), "TON is a block; each use of it needs an instance"),
        ("|  n     q  |\n+--|>=|--( )+\n|  |INT|    |\n|  m        |", "This vertical link ends at nothing."),
        ("|   n     q  |\n+--|>= |--( )+\n|  |DINT|    |\n|   m        |", "This vertical link ends at nothing."),
        (
            "|   n      q  |\n+--|>=  |--( )+\n|  |DINT|     |\n|   m         |",
            "n is INT, and its contact compares DINT.",
        ),
    ],
)
def test_what_is_wrong_with_a_rung_is_told_at_its_place(body: str, message: str) -> None:
    _, findings = checked(FLIP + block("Drawn", body))
    errors = [finding.message for finding in findings if finding.severity == "error"]
    assert errors
    assert message in errors[0], errors


def test_a_unit_is_printed_as_statements_and_what_has_none_is_told(tmp_path: Path) -> None:
    body = "|  a    q  |\n+--| |--(S)+"
    library = write_files(tmp_path, {"upright.toml": "", "blocks/l.st": block("Drawn", body), "blocks/f.st": FLIP})
    shown = upright("show", "Drawn", "--as", "text", "--library", library)
    assert shown.output.endswith("IF a THEN\n    q := TRUE;\nEND_IF\nEND_FUNCTION_BLOCK\n")
    for name, says in (("TON", "TON has no body"), ("Drwn", "Did you mean Drawn?"), (None, "--as prints one unit")):
        asked = [name] if name else []
        result = upright("show", *asked, "--as", "text", "--library", library)
        assert (result.exit_code, says in result.output) == (2, True)


def test_findings_coverage_and_reasons_name_elements_of_rungs(tmp_path: Path) -> None:
    body = "|  a    b    q  |\n+--| |--|/|--(S)+"
    case = 'block = "Drawn"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\na b | q\n0 1 | 0\n1 0 | 1\n"""\n'
    files = {"upright.toml": "", "blocks/l.st": block("Drawn", body), "blocks/f.st": FLIP, "cases/c.toml": case}
    library = write_files(tmp_path, files)
    assert upright("verify", "--library", library).exit_code == 0
    latch = next(f for f in open_library(library).check().findings if f.name == "latch-one-way")
    assert (latch.source.line(latch.start), latch.source.text[latch.start : latch.end]) == (6, "q")
    why = upright("why", "c", "q", "--library", library).output
    assert "a 1" in why
    assert "b 0" in why
    assert "blocks/l.st:7" in why
    covered = upright("verify", "--coverage", "--library", library).output
    assert re.search(r"Drawn +1 +1 of 1 100% +2 of 2 100%", covered)


def test_a_long_rung_runs_and_is_printed(tmp_path: Path) -> None:
    rung = "|" + "  a  " * 2000 + " q  |\n+" + "-| |-" * 2000 + "( )-+"
    library = write_files(tmp_path, {"upright.toml": "", "blocks/l.st": block("Drawn", rung), "blocks/f.st": FLIP})
    shown = upright("show", "Drawn", "--as", "text", "--library", library)
    assert shown.output.count(" AND a") == 1999
    machine = open_library(library).machine("Drawn", scan="1s")
    machine.set_many({"a": True})
    machine.scan()
    assert machine.read("q") is True


def test_a_condition_that_doubles_at_each_joint_is_refused() -> None:
    count = 14
    parts = [
        "|  " + "   b    " * count,
        "+--" + "+--| |-+" * count,
        "|  " + "|  c   |" * count,
        "|  " + "+--| |-+" * count,
    ]
    rung = "\n".join(part + ("-" if number == 1 else " ") + "|" for number, part in enumerate(parts))
    text = SEQUENCE.format(name="Drawn", first=f":\n{rung}\n", second=":= a;", action="r := a;")
    _, findings = checked(text)
    assert [finding.message[:36] for finding in findings] == ["This condition takes more than 1,000"]
