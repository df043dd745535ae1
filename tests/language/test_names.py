"""Names that are nearly right."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upright_block.language.names import did_you_mean, is_slip, nearest


@pytest.mark.parametrize(
    ("written", "candidates", "near"),
    [
        ("opn", ["open", "close"], "open"),
        ("OPEN", ["open"], "open"),
        ("bay1O", ["bay10", "bay11"], "bay10"),
        ("vent_l", ["vent_1", "vent_2"], "vent_1"),
        ("statte", ["state", "start"], "state"),
        ("banana", ["open", "close"], None),
        ("x", [], None),
        ("S07_high", ["S40_high"], None),
        ("S07_hihg", ["S40_high", "S07_high"], "S07_high"),
        ("bay1_vent", ["bay01_vent"], "bay01_vent"),
        ("bay_vent", ["bay1_vent"], "bay1_vent"),
    ],
)
def test_the_nearest_name(written: str, candidates: list[str], near: str | None) -> None:
    assert nearest(written, candidates) == near


@pytest.mark.parametrize(
    ("written", "meant", "words"),
    [
        ("bay1O", "bay10", "Character 5 of bay1O is the letter O; bay10 has the digit 0 there."),
        ("bay10", "bay1O", "Character 5 of bay10 is the digit 0; bay1O has the letter O there."),
        ("vent_l", "vent_1", "Character 6 of vent_l is the letter L; vent_1 has the digit 1 there."),
        ("vant", "vent", "Character 2 differs: a for e."),
        ("dnoe", "done", "Characters 2 and 3 are exchanged."),
        ("opn", "open", "e is missing after character 2."),
        ("oppen", "open", "p at character 2 is too much."),
    ],
)
def test_the_difference_is_said_in_words(written: str, meant: str, words: str) -> None:
    assert did_you_mean(written, [meant]) == f"Did you mean {meant}? {words}"


def test_nothing_is_said_where_nothing_is_near() -> None:
    assert did_you_mean("banana", ["open"]) == ""


@given(st.text("ABCD_", min_size=2, max_size=8), st.data())
def test_one_edit_is_a_slip_and_two_words_without_one_are_none(word: str, data: st.DataObject) -> None:
    at = data.draw(st.integers(0, len(word) - 1))
    letter = data.draw(st.sampled_from("ABCDXY"))
    edits = {
        word[:at] + word[at + 1 :],
        word[:at] + letter + word[at:],
        word[:at] + letter + word[at + 1 :],
        word[:at] + word[at + 1 : at + 2] + word[at] + word[at + 2 :],
    }
    for edited in edits - {word}:
        assert is_slip(edited, word)
        assert is_slip(word, edited)
        assert not is_slip(edited + "ZZ", word)
    assert not is_slip(word, word)
