"""Timing diagrams: what their lanes hold, and what is drawn of them."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.test_commands import edit, glasshouse, upright
from upright_block.reports.lanes import Lane, binned
from upright_block.reports.textplot import tick_times

__all__ = ["glasshouse"]


@given(
    changes=st.dictionaries(st.integers(0, 199), st.integers(-5, 5), min_size=1, max_size=40),
    begin=st.integers(0, 50),
    length=st.integers(1, 150),
    count=st.integers(1, 60),
)
def test_no_value_is_lost_where_a_lane_is_thinned(changes: dict[int, int], begin: int, length: int, count: int) -> None:
    starts = tuple(sorted(changes))
    lane = Lane("x", "number", False, "", starts, tuple(float(changes[s]) for s in starts), (), ())
    end = begin + length
    found = binned(lane, begin, end, count)
    dense = {}
    for time in range(begin, end):
        before = [s for s in starts if s <= time]
        dense[time] = float(changes[before[-1]]) if before else None
    seen = [value for span in found if span is not None for value in span]
    values = [value for value in dense.values() if value is not None]
    assert bool(seen) == bool(values)
    if values:
        assert (min(seen), max(seen)) == (min(values), max(values))
    for number, span in enumerate(found):
        times = range(begin + length * number // count, begin + length * (number + 1) // count)
        inside = [dense[time] for time in times if dense[time] is not None]
        if inside and span is not None:
            assert span[0] <= min(inside)
            assert span[1] >= max(inside)


@given(begin=st.integers(0, 10**15), span=st.integers(1, 10**17), most=st.integers(2, 20))
def test_ticks_are_few_even_and_inside(begin: int, span: int, most: int) -> None:
    times = tick_times(begin, begin + span, most)
    assert len(times) <= most + 1 or span > 50_000 * most * 86_400 * 10**9
    assert all(begin <= time <= begin + span for time in times)
    assert len({b - a for a, b in pairwise(times)}) <= 1


def test_a_diagram_in_characters_shows_lanes_checks_and_times(glasshouse: Path) -> None:
    output = upright(
        "plot", "gives up when the limit never comes", "--watch", "state", "--terminal", "--library", glasshouse
    ).output
    lines = {line.split()[0]: line for line in output.splitlines() if line.strip()}
    assert re.fullmatch(r"opening\s+█+▁+\s*", lines["opening"])
    assert re.fullmatch(r"stuck\s+▁+█+▁?\s*", lines["stuck"])
    assert "0..9" in lines["state"]
    assert "✗" not in output
    zoomed = upright(
        "plot",
        "gives up when the limit never comes",
        "--from",
        "5s",
        "--to",
        "5200ms",
        "--terminal",
        "--library",
        glasshouse,
    ).output
    assert "5.1s" in zoomed
    assert "9s" not in zoomed.splitlines()[-1]


def test_a_wrong_value_is_marked_with_what_was_expected(glasshouse: Path, tmp_path: Path) -> None:
    edit(
        glasshouse / "cases" / "closed_loop.toml",
        "70s   | on    .                | 1 ",
        "70s   | on    .                | 0 ",
    )
    output = upright("plot", "half open", "--terminal", "--library", glasshouse).output
    assert "✗ 0" in output
    svg = tmp_path / "p.svg"
    assert upright("plot", "half open", "--out", svg, "--library", glasshouse).exit_code == 0
    text = svg.read_text("utf-8")
    assert ">bay1_vent_up<" in text.replace("\n", "")
    assert "#c00000" in text
    first = svg.read_bytes()
    upright("plot", "half open", "--out", svg, "--library", glasshouse)
    assert svg.read_bytes() == first


def test_pages_and_pictures(glasshouse: Path, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    folder.mkdir()
    made = upright("plot", "half open", "--watch", "bay1_*,bay2_*", "--out", folder / "p.png", "--library", glasshouse)
    assert "3 pages in" in made.output
    assert sorted(path.name for path in folder.iterdir()) == ["p-2.png", "p-3.png", "p.png"]
    assert all(path.read_bytes()[:8] == b"\x89PNG\r\n\x1a\n" for path in folder.iterdir())


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["nobody"], "There is no case nobody"),
        (["closed_loop"], "cases are called closed_loop"),
        (["half open", "--watch", "zz"], "is called zz"),
        (["half open", "--from", "9h"], "The case ends at"),
        (["half open", "--from", "5x"], "5x"),
        (["half open", "--out", "x.gif"], "neither a .svg nor a .png"),
        (["half open", "--out", "x.svg", "--terminal"], "no use beside"),
    ],
)
def test_a_diagram_that_cannot_be(arguments: list[str], says: str, glasshouse: Path) -> None:
    result = upright("plot", *arguments, "--library", glasshouse)
    assert (result.exit_code, says in result.output) == (2, True), result.output
