"""Rungs do what the statements beside them do, whatever their inputs are."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from tests.helpers import checked, write_files
from tests.ladder.rungs import PAIRS, block
from upright_block import open_library

OUTPUTS = ["q", "r", "s", "t", "k", "x"]


@pytest.mark.parametrize("name", PAIRS)
def test_a_rung_does_what_its_statements_do(name: str, tmp_path: Path) -> None:
    rungs, statements = PAIRS[name]
    files = {"upright.toml": "", "blocks/l.st": block("Drawn", rungs), "blocks/s.st": block("Written", statements)}
    library = open_library(write_files(tmp_path, files))
    assert [finding.message for finding in library.findings] == []
    machines = [library.machine(unit, scan="100ms") for unit in ("Drawn", "Written")]
    chance = random.Random(name)
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
        scope, findings = checked(block("Drawn", rungs))
        assert "DRAWN" in scope.units, (name, rungs)
        for finding in findings:
            text = finding.source.text
            assert 0 <= finding.start < finding.end <= len(text), (finding.message, rungs)
            assert text.count("\n", finding.start, finding.end) == 0, (finding.message, rungs)
