"""The standard blocks, by case files as users write them; each row was worked out from the standard's
diagrams (IEC 61131-3:2013, tables 43 to 46)."""

from __future__ import annotations

from pathlib import Path

import pytest

from upright_block.cases.plan import BoundCase
from upright_block.cases.suite import load_suite
from upright_block.language.checking.program import find_unit
from upright_block.library import load_library
from upright_block.runs.runner import run_cases
from upright_block.standard import BLOCKS, UNITS

LIBRARY = load_library(Path(__file__).parent)
SUITE = load_suite(LIBRARY)


@pytest.mark.parametrize("bound", SUITE.bound.values(), ids=lambda bound: bound.case.id)
def test_a_standard_block_keeps_to_its_diagram(bound: BoundCase) -> None:
    (verdict,) = run_cases([bound])
    wrong = [(m.slot.path, m.scan, m.check.text, m.got) for m in verdict.misses]
    assert (verdict.status, wrong) == ("passed", [])


def test_the_case_files_are_sound_and_none_is_missing() -> None:
    assert [str(f) for f in SUITE.findings] == []
    assert {bound.unit.key for bound in SUITE.bound.values()} == set(BLOCKS)


def test_every_standard_unit_is_read_without_a_finding() -> None:
    for name in UNITS:
        unit = find_unit(name, LIBRARY.scope)
        assert unit is not None
        assert not unit.is_broken
        assert unit.comment
        assert all(v.comment for v in unit.variables.values() if v.section in ("input", "output"))
