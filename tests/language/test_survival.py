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


def chain(first: str, link: str, last: str, length: int = 300) -> str:
    """A text whose declarations each build on the one before."""
    return first + "".join(link.format(i=i, before=i - 1) for i in range(1, length)) + last.format(i=length - 1)


EXTREMES = [
    (
        chain(
            "TYPE T0 : STRUCT x : INT; END_STRUCT; END_TYPE ",
            "TYPE T{i} : STRUCT x : T{before}; END_STRUCT; END_TYPE ",
            "FUNCTION_BLOCK B VAR v : T{i}; END_VAR END_FUNCTION_BLOCK",
        ),
        "nested-too-deep",
    ),
    (
        chain(
            "FUNCTION_BLOCK F0 END_FUNCTION_BLOCK ",
            "FUNCTION_BLOCK F{i} VAR x : F{before}; END_VAR x(); END_FUNCTION_BLOCK ",
            "",
        ),
        "nested-too-deep",
    ),
    (
        chain("FUNCTION F0 : INT F0 := 1; END_FUNCTION ", "FUNCTION F{i} : INT F{i} := F{before}(); END_FUNCTION ", ""),
        "nested-too-deep",
    ),
    (chain("CLASS C0 END_CLASS ", "CLASS C{i} EXTENDS C{before} END_CLASS ", ""), "nested-too-deep"),
    (
        "TYPE T : STRUCT a : REF_TO T; END_STRUCT; END_TYPE FUNCTION_BLOCK B VAR t : T; END_VAR t"
        + ".a^" * 2000
        + ".a := NULL; END_FUNCTION_BLOCK",
        "nested-too-deep",
    ),
    (
        "FUNCTION_BLOCK B VAR a : ARRAY [1..16000000] OF ARRAY [1..16000000] OF LREAL; END_VAR END_FUNCTION_BLOCK",
        "out-of-range",
    ),
    (
        "FUNCTION_BLOCK B VAR a : ARRAY [1..99] OF C; END_VAR END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK C VAR a : ARRAY [1..9000000] OF LREAL; END_VAR END_FUNCTION_BLOCK",
        "out-of-range",
    ),
    ("FUNCTION_BLOCK B VAR a : ARRAY [1..9000000] OF STRING[32000]; END_VAR END_FUNCTION_BLOCK", "out-of-range"),
    ("FUNCTION_BLOCK B VAR b : BOOL; END_VAR b := " + "NOT " * 3000 + "b; END_FUNCTION_BLOCK", "nested-too-deep"),
]


@pytest.mark.parametrize(("text", "name"), EXTREMES, ids=range(len(EXTREMES)))
def test_what_is_too_much_is_said(text: str, name: str) -> None:
    assert {f.name for f in checked(text)[1]} == {name}
