"""Random programs give the same values here and as C. A long run: UPRIGHT_ORACLE=500 pytest tests/oracle"""

from __future__ import annotations

import os
import shutil

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.oracle.compare import compare
from upright_block.compiler.program import USUAL, Mode

pytestmark = pytest.mark.long

BATCHES = int(os.environ.get("UPRIGHT_ORACLE", "6"))
PROGRAMS = 20

needs_gcc = pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not on this machine to compile the C twins")


@needs_gcc
@settings(
    max_examples=BATCHES,
    derandomize=BATCHES <= 6,
    deadline=None,
    database=None,
    suppress_health_check=list(HealthCheck),
)
@given(st.integers(0, 2**63))
def test_random_programs_agree_with_c(seed: int) -> None:
    assert compare(seed, PROGRAMS) == []


@needs_gcc
@pytest.mark.parametrize("seed", range(2))
@pytest.mark.parametrize(
    ("mode", "most"),
    [
        (Mode(notes_writers=True), None),
        (Mode(covers=True), None),
        (Mode(trails=True, forces=True), None),
        (USUAL, 12),
        (Mode(covers=True, notes_writers=True), 1),
    ],
)
def test_random_programs_agree_with_c_however_they_are_compiled(
    monkeypatch: pytest.MonkeyPatch, seed: int, mode: Mode, most: int | None
) -> None:
    """Also where bodies of more than a few statements are compiled in parts."""
    if most is not None:
        monkeypatch.setattr("upright_block.compiler.bodies._MOST_TOGETHER", 2 * most)
        monkeypatch.setattr("upright_block.compiler.bodies._MOST_IN_PART", most)
    assert compare(1_000 + seed, PROGRAMS, mode) == []


@needs_gcc
@pytest.mark.parametrize("seed", range(2))
def test_random_programs_agree_with_c_where_runs_of_statements_become_loops(
    monkeypatch: pytest.MonkeyPatch, seed: int
) -> None:
    for module in ("bodies", "rolling"):
        monkeypatch.setattr(f"upright_block.compiler.{module}.FEWEST", 2)
    assert compare(2_000 + seed, PROGRAMS) == []
