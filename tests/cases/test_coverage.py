"""What cases reach, against a walk by hand over the same statements in Python."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.cli.test_commands import glasshouse, upright
from tests.helpers import write_files
from upright_block import Collector, open_library

__all__ = ["glasshouse"]

BLOCK = """FUNCTION_BLOCK B
VAR_INPUT a : INT; b : INT; END_VAR
VAR_OUTPUT n : INT; END_VAR
VAR i : INT; END_VAR
METHOD PUBLIC twice : INT VAR_INPUT x : INT; END_VAR
twice := 2 * x;
END_METHOD
IF a > 5 THEN
    n := 1;
ELSIF a > 2 THEN
    n := 2;
END_IF
CASE a OF
    0: n := 3;
    1..3, 7: n := 4;
END_CASE
FOR i := 1 TO b DO
    n := n + 1;
    IF n > 100 THEN EXIT; END_IF
END_FOR
i := b;
WHILE i > 0 DO
    i := i - 1;
    IF i = 3 THEN CONTINUE; END_IF
    n := n + 1;
END_WHILE
REPEAT
    n := n - 1;
UNTIL n < b END_REPEAT
IF a = 9 THEN
    n := twice(x := n);
    RETURN;
END_IF
n := n + 1;
END_FUNCTION_BLOCK
"""
LINES = BLOCK.splitlines()


def line(text: str) -> int:
    return next(number for number, found in enumerate(LINES, 1) if found.strip().startswith(text))


def walked(a: int, b: int) -> set[tuple[int, str]]:
    """The lines and ways that one scan with these inputs reaches."""
    seen: set[tuple[int, str]] = set()

    def at(text: str, way: str = "") -> None:
        seen.add((line(text), way))

    n = 0
    at("IF a > 5")
    at("IF a > 5", "TRUE" if a > 5 else "FALSE")
    if a > 5:
        n = 1
        at("n := 1;")
    else:
        at("ELSIF", "TRUE" if a > 2 else "FALSE")
        if a > 2:
            n = 2
            at("n := 2;")
    at("CASE a")
    if a == 0:
        n = 3
        at("0: n", "0")
        at("0: n")
    elif 1 <= a <= 3 or a == 7:
        n = 4
        at("1..3", "1..3" if a <= 3 else "7")
        at("1..3")
    else:
        at("CASE a", "none fits")
    at("FOR")
    at("FOR", "turn" if b >= 1 else "no turn")
    for _ in range(b):
        n += 1
        at("n := n + 1;")
        at("IF n > 100")
        at("IF n > 100", "TRUE" if n > 100 else "FALSE")
    i = b
    at("i := b")
    at("WHILE")
    while i > 0:
        at("WHILE", "TRUE")
        i -= 1
        at("i := i - 1")
        at("IF i = 3")
        at("IF i = 3", "TRUE" if i == 3 else "FALSE")
        if i == 3:
            continue
        n += 1
        seen.add((line("n := n + 1;") + (line("IF i = 3") + 1 - line("n := n + 1;")), ""))
    at("WHILE", "FALSE")
    at("REPEAT")
    while True:
        n -= 1
        at("n := n - 1")
        at("REPEAT", "TRUE" if n < b else "FALSE")
        if n < b:
            break
    at("IF a = 9")
    at("IF a = 9", "TRUE" if a == 9 else "FALSE")
    if a == 9:
        at("n := twice")
        at("RETURN")
        at("twice :=")
    else:
        seen.add((len(LINES) - 1, ""))
    return seen


def library_of(folder: Path, inputs: list[tuple[int, int]]) -> Any:
    cases = "".join(
        f'[[case]]\nname = "{k}"\nvectors = """\na b | n\n{a} {b} | .\n"""\n' for k, (a, b) in enumerate(inputs)
    )
    files = {
        "blocks/b.st": BLOCK,
        "cases/c.toml": 'block = "B"\nscan = "1s"\n' + cases,
        "rules/r.toml": 'block = "B"\nnever = ["n > 30000"]\n',
    }
    return open_library(write_files(folder, files))


@settings(max_examples=40, deadline=None)
@given(inputs=st.lists(st.tuples(st.integers(-1, 10), st.integers(-2, 6)), min_size=1, max_size=5))
def test_what_is_reached_is_what_a_walk_by_hand_reaches(
    inputs: list[tuple[int, int]], tmp_path_factory: pytest.TempPathFactory
) -> None:
    library = library_of(tmp_path_factory.mktemp("covered"), inputs)
    collector = Collector()
    verdicts = library.run(collector=collector)
    (unit,) = library.coverage(collector)
    wanted = set().union(*(walked(a, b) for a, b in inputs))
    reached = {(spot.line, spot.way) for spot in unit.spots if spot.is_reached}
    assert reached == wanted
    for verdict, (a, b) in zip(verdicts, inputs, strict=True):
        own = {
            (p.unit.source.line(p.origin.start), p.way) for p in verdict.reached if p.unit.source.path == "blocks/b.st"
        }
        assert own == walked(a, b)
    assert unit.cases == len(inputs)


def test_all_that_there_is_can_be_reached(tmp_path: Path) -> None:
    inputs = [(a, b) for a in range(-1, 11) for b in (-1, 0, 5, 120)]
    library = library_of(tmp_path, inputs)
    collector = Collector()
    library.run(collector=collector)
    (unit,) = library.coverage(collector)
    missed = [(LINES[spot.line - 1].strip(), spot.way) for spot in unit.spots if not spot.is_reached]
    assert [entry for entry in missed if not entry[0].startswith("IF n > 100")] == []
    assert unit.counts(True)[1] == 20


def test_the_command_shows_files_and_tells_it(glasshouse: Path, tmp_path: Path) -> None:
    result = upright("verify", "--coverage", "--report", tmp_path / "r", "--library", glasshouse)
    assert result.exit_code == 0
    assert "VentDrive" in result.output
    assert "never reached" in result.output
    data = json.loads(upright("verify", "--coverage", "--json", "--library", glasshouse).output)["coverage"]
    vent = next(entry for entry in data if entry["unit"] == "VentDrive")
    text = (tmp_path / "r" / "coverage.lcov").read_text("utf-8")
    section = text[text.index("SF:blocks/vent_drive.st") :].split("end_of_record")[0]
    branches = [row for row in section.splitlines() if row.startswith("BRDA:")]
    assert (vent["branches"]["known"], vent["branches"]["reached"]) == (
        len(branches),
        sum(row.endswith(",1") for row in branches),
    )
    assert f"BRF:{len(branches)}" in section
    few = json.loads(upright("verify", "Blink", "--coverage", "--json", "--library", glasshouse).output)["coverage"]
    assert next(entry for entry in few if entry["unit"] == "VentDrive")["statements"]["reached"] == 0
    assert not {"TON", "Actuator", "Bays"} & {entry["unit"] for entry in data}
    assert all(entry["file"].endswith((".st", ".csv")) for entry in data)
