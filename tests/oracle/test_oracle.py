"""Random programs give the same values here and as C. A long run: UPRIGHT_ORACLE=500 pytest tests/oracle"""

from __future__ import annotations

import os
import shutil

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.oracle.compare import compare

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
