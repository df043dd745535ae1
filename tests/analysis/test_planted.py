"""Mistakes planted by rule into the example are seen by the check, the cases or the mapping test, but for a few."""

from __future__ import annotations

import os
import re
import shutil
from collections import Counter
from pathlib import Path
from random import Random

import pytest

from tests.analysis.planted import DEMO, chosen, mistakes, seen_by
from upright_block import open_library

COUNT = int(os.environ.get("UPRIGHT_PLANTED", "23"))
MOST_UNSEEN = 0.15 if COUNT < 200 else 0.05


@pytest.mark.long
def test_what_nobody_sees_is_little() -> None:
    seen = [(mistake, *seen_by(mistake)) for mistake in chosen(COUNT)]
    counts = Counter(seer for _, seer, _ in seen)
    assert counts["check"] > COUNT / 2
    unseen = [f"{m.path}:{m.line} {m.rule}: {m.shown}" for m, seer, _ in seen if seer == "nobody"]
    assert len(unseen) <= COUNT * MOST_UNSEEN, unseen


def test_each_rule_plants_something_and_nothing_twice() -> None:
    found = mistakes()
    assert len({mistake.rule for mistake in found}) >= 20
    assert len(found) > 700
    assert len({(mistake.path, mistake.text) for mistake in found}) == len(found)


def told(root: Path, aside: str) -> set[tuple[str, str, int]]:
    """What a check tells of all texts but one."""
    found = open_library(root).check(True).findings
    return {(f.name, f.source.path, f.start) for f in found if f.source.path != aside}


def break_one(root: Path, chance: Random) -> str:
    """Give one block a statement that is none that can be understood; the path of its file."""
    path = chance.choice(sorted((root / "blocks").glob("*.st")))
    text = path.read_text("utf-8")
    path.write_text(
        re.sub(r"\nEND_FUNCTION_BLOCK", "\nnobody := nothing + 1;\nEND_FUNCTION_BLOCK", text, count=1), "utf-8"
    )
    return path.relative_to(root).as_posix()


def nothing_else_is_told(folder: Path, count: int, seed: int) -> None:
    """Of other texts nothing is told that was not, and what uses the broken unit keeps its findings."""
    chance, kept = Random(seed), 0
    for number, mistake in enumerate(chosen(count, seed)):
        root = folder / str(number)
        shutil.copytree(DEMO, root)
        (root / mistake.path).write_text(mistake.text, "utf-8")
        first = told(root, "")
        broken = break_one(root, chance)
        before, now = {entry for entry in first if entry[1] != broken}, told(root, broken)
        new = {entry for entry in now - before if entry[0] not in ("not-checked", "unused-allowance")}
        assert not new, (mistake, broken, new)
        kept += len(before & now)
    assert kept > count / 4


def test_one_broken_block_falsifies_nothing_else(tmp_path: Path) -> None:
    nothing_else_is_told(tmp_path, 6, 3)


@pytest.mark.long
def test_so_does_none_of_many(tmp_path: Path) -> None:
    nothing_else_is_told(tmp_path, int(os.environ.get("UPRIGHT_PLANTED", "23")), 4)
