"""The reader and the checker survive anything: only findings come out."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import EXAMPLES, checked
from upright_block.reports.findings import finding_data, finding_lines

SOURCES = sorted(EXAMPLES.glob("*/blocks/*.st"))
WORDS = sorted({word for path in SOURCES for word in path.read_text(encoding="utf-8").split()})


def examine(text: str) -> None:
    """Check a text; every finding has a place inside it and can be shown."""
    for finding in checked(text)[1]:
        assert 0 <= finding.start <= finding.end <= len(text) + 1
        assert finding.message.endswith((".", "?"))
        assert finding_lines(finding)
        assert finding_data(finding)["line"] >= 1


@pytest.mark.parametrize("path", SOURCES, ids=lambda path: path.stem)
def test_every_truncation_gives_findings(path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    code_begins = text.index("FUNCTION")
    for end in range(0, len(text), 7):
        examine(text[:end])
        if code_begins + 8 < end < len(text.rstrip()) - len("END_FUNCTION_BLOCK"):
            assert checked(text[:end])[1]


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(SOURCES), st.data())
def test_random_edits_give_findings(path: Path, data: st.DataObject) -> None:
    text = path.read_text(encoding="utf-8")
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(text)))
        until = at + data.draw(st.sampled_from([0, 1, 3, 20]))
        insert = data.draw(st.sampled_from(WORDS) | st.text(max_size=3))
        text = text[:at] + insert + text[until:]
    examine(text)


@settings(max_examples=150, deadline=None)
@given(st.lists(st.sampled_from([*WORDS, ";", "(", ")", ":=", "END_IF", "'", "(*", "#"]), max_size=40))
def test_any_words_give_findings(words: list[str]) -> None:
    examine(" ".join(words))
