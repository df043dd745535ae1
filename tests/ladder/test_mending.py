"""Sloppy rungs are put in order where that is sure; what reads well stays as it is."""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from tests.ladder.rungs import PAIRS
from upright_block.language.parsing.ladder import Line, network_of
from upright_block.language.rungs.mending import mended

CLEAN = """
| start  stop   motor |
+--| |---|/|-----( )--+
"""
SLOPPY = {
    "a rail out of line": """
| start  stop   motor   |
+--| |---|/|-----( )--+
""",
    "a rail that is missing": """
| start  stop   motor
+--| |---|/|-----( )--+
|                     |
""",
    "signs in small letters": """
| start  stop   motor |
+--|p|---|n|-----(s)--+
""",
    "a name beside its element": """
|start     stop motor |
+--| |--|/|------( )--+
""",
    "other characters": """
| start  stop   motor |
+──| |───|/|-----( )——+
""",
}


def rows(text: str) -> list[str]:
    return text.strip("\n").split("\n")


def flaws(text: list[str]) -> Sequence[object]:
    return network_of([Line(row, 0, 0) for row in text]).flaws.found


@pytest.mark.parametrize("name", SLOPPY)
def test_a_sloppy_rung_is_put_in_order(name: str) -> None:
    before = rows(SLOPPY[name])
    assert flaws(before)
    after = mended(before)
    assert flaws(after) == [], after
    assert mended(after) == after
    words = [word for row in before for word in row.replace("|", " ").split() if word.isalpha() and len(word) > 1]
    assert all(any(word in row for row in after) for word in words)


def test_names_and_rails_are_where_they_belong() -> None:
    assert mended(rows(SLOPPY["a rail out of line"])) == ["| start  stop   motor   |", "+--| |---|/|-----( )----+"]
    assert mended(rows(SLOPPY["a rail that is missing"])) == [*rows(CLEAN), "|                     |"]
    assert mended(rows(SLOPPY["a name beside its element"])) == ["|start stop     motor |", "+--| |--|/|------( )--+"]
    assert mended(rows(SLOPPY["signs in small letters"])) == ["| start  stop   motor |", "+--|P|---|N|-----(S)--+"]
    assert mended(rows(SLOPPY["other characters"])) == rows(CLEAN)


@pytest.mark.parametrize("name", PAIRS)
def test_what_reads_well_is_not_touched(name: str) -> None:
    text: list[str] = []
    for row in [*rows(PAIRS[name][0]), ""]:
        if row.startswith(("|", "+")):
            text.append(row.rstrip())
        elif text:
            assert mended(text) == text
            text = []


def test_links_and_joints_are_never_guessed() -> None:
    chance = random.Random(3)
    for _ in range(300):
        text = [row.rstrip() for row in rows(PAIRS[chance.choice(["a seal-in", "a contact and a coil"])][0])]
        row = chance.randrange(len(text))
        at = chance.randrange(1, len(text[row]) - 1)
        text[row] = text[row][:at] + chance.choice(" -+|x") + text[row][at + 1 :]
        after = mended(text)
        inside = [line[1 : len(text[0]) - 1] for line in text], [line[1 : len(text[0]) - 1] for line in after]
        for mark in "-+|":
            assert [line.count(mark) for line in inside[0]] == [line.count(mark) for line in inside[1]], (text, after)


def test_the_call_shows_the_difference_and_writes_it(tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK M\nVAR_INPUT start, stop : BOOL; END_VAR VAR_OUTPUT motor : BOOL; END_VAR\n{}\nEND_FUNCTION_BLOCK\n"
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/m.st": text.format(SLOPPY["other characters"])})
    assert "error" in upright("check", "--library", folder).output
    shown = upright("format", "--library", folder).output
    assert "++-| |" not in shown
    assert "Nothing is written without --write." in shown
    assert "m.st is written" in upright("format", "M", "--write", "--library", folder).output
    assert (folder / "blocks/m.st").read_text() == text.format(CLEAN)
    assert "are in order" in upright("format", "--library", folder).output
    assert "There is no" in upright("format", "Nothing", "--library", folder).output
