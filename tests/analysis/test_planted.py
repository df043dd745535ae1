"""Mistakes planted by rule into the example are seen by the check, the cases or the mapping test, but for a few."""

from __future__ import annotations

import os
from collections import Counter

import pytest

from tests.analysis.planted import chosen, mistakes, seen_by

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
