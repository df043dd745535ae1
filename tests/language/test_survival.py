"""The reader and the checker survive anything: only findings come out."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import EXAMPLES, ROOT, checked
from tests.language.test_data import TYPES
from tests.language.test_namespaces import AIR
from tests.language.test_objects import HOUSE
from upright_block.reports.findings import finding_data, finding_lines

SOURCES = sorted(EXAMPLES.glob("*/blocks/*.st"))
MISTAKES = sorted((ROOT / "tests" / "mistakes").glob("*.st"))
TEXTS = [path.read_text(encoding="utf-8") for path in (*SOURCES, *MISTAKES)] + [TYPES, AIR, HOUSE]
WORDS = sorted({word for text in TEXTS for word in text.split()})


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
@given(st.sampled_from(TEXTS), st.data())
def test_random_edits_give_findings(text: str, data: st.DataObject) -> None:
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


@pytest.mark.parametrize("name", ["T", "D", "RUNNING", "INT16", "Q", "TIME_", "STARTED"])
def test_a_type_of_the_library_does_not_reach_into_standard_blocks(name: str) -> None:
    text = f"TYPE {name} : (one, two); END_TYPE\nFUNCTION_BLOCK B VAR v : {name}; t : TON; END_VAR "
    text += "v := two; t(IN := v = two, PT := T#1s); END_FUNCTION_BLOCK"
    assert checked(text)[1] == []
