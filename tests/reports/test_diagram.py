"""Drawings of wiring tables: where boxes and wires stand."""

from __future__ import annotations

from itertools import combinations, pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import checked
from upright_block.language.typed import Unit
from upright_block.language.views.wires import boxes
from upright_block.reports import wiring_pictures
from upright_block.reports.diagram import CHARACTER, SIZES, Page, pages

BLOCKS = """
FUNCTION_BLOCK Box VAR_INPUT a, b, c, d : BOOL; END_VAR VAR_OUTPUT x, y : BOOL; END_VAR x := a; y := b; END_FUNCTION_BLOCK
"""


def program(calls: list[str]) -> Unit:
    """A program of calls, the instances of which are n0, n1 and so on."""
    comments = ["", "moves the vent", "", "opens it, and shuts it, and tells of neither, at any time of the day"]
    names = "\n".join(f"n{number} : Box; // {comments[number % 4]}" for number in range(len(calls)))
    body = " ".join(f"n{number}({arguments});" for number, arguments in enumerate(calls))
    scope, findings = checked(f"{BLOCKS} PROGRAM P VAR t, u : BOOL; END_VAR VAR {names}\nEND_VAR {body} END_PROGRAM")
    assert not findings or all(finding.severity != "error" for finding in findings), findings
    return scope.units["P"]


@st.composite
def calls(draw: st.DrawFn) -> list[str]:
    count = draw(st.integers(1, 24))
    found: list[str] = []
    for number in range(count):
        near = [f"n{n}.{pin}" for n in range(max(0, number - 5), min(count, number + 2)) for pin in "xy"]
        value = st.sampled_from(
            [*near, *near, "t", "TRUE", *(f"{one} AND NOT {other}" for one, other in pairwise(near))]
        )
        inputs = {pin: draw(value) for pin in draw(st.sets(st.sampled_from("abcd")))}
        found.append(
            ", ".join([*(f"{pin} := {text}" for pin, text in inputs.items()), *draw(st.sampled_from([[], ["x => u"]]))])
        )
    return found


def crosses(line: tuple[tuple[int, int], tuple[int, int]], box: tuple[int, int, int, int]) -> bool:
    """Whether a line, level or upright, has a point inside a box of left, top, right and bottom."""
    (x, y), (to_x, to_y) = line
    left, top, right, bottom = box
    return min(x, to_x) < right and max(x, to_x) > left and min(y, to_y) < bottom and max(y, to_y) > top


def overlap(one: tuple[tuple[int, int], tuple[int, int]], other: tuple[tuple[int, int], tuple[int, int]]) -> bool:
    """Whether two lines share more than a point."""
    for across in (0, 1):
        along = 1 - across
        if one[0][across] == one[1][across] == other[0][across] == other[1][across]:
            ends = [sorted((line[0][along], line[1][along])) for line in (one, other)]
            return max(ends[0][0], ends[1][0]) < min(ends[0][1], ends[1][1])
    return False


def check(page: Page, joined: set[tuple[int, int]]) -> None:
    """No box on another, no line through a box, no two wires on each other but where they end at one pin."""
    frames = [(b.x, b.y, b.x + b.width, b.y + b.height) for b in page.boxes]
    labels = [(label.x, label.y - 10, label.x + label.width, label.y) for label in page.labels]
    said = [(b.x, b.y - 12, round(b.x + len(b.comment) * CHARACTER), b.y) for b in page.boxes if b.comment]
    assert all(len(b.comment) > 12 for b in page.boxes if b.box.comment)
    for one, other in combinations([*frames, *said], 2):
        assert one[2] <= other[0] or other[2] <= one[0] or one[3] <= other[1] or other[3] <= one[1]
    for left, top, right, bottom in (*frames, *labels, *said):
        assert 0 <= left <= right <= page.width
        assert 0 <= top <= bottom <= page.height
    lines: list[tuple[int, tuple[tuple[int, int], tuple[int, int]]]] = [
        (number, line) for number, wire in enumerate(page.wires) for line in wire.lines
    ]
    for _, line in lines:
        assert not any(crosses(line, frame) for frame in (*frames, *said))
        assert not any(crosses(line, label) for label in labels if line[0][0] == line[1][0])
    for (wire, line), (other_wire, beside) in combinations(lines, 2):
        if wire != other_wire and overlap(line, beside):
            assert line[1] == beside[1]
            assert line[1] in joined


@settings(max_examples=150, deadline=None)
@given(calls())
def test_nothing_stands_on_anything_else(written: list[str]) -> None:
    unit = program(written)
    made = boxes(unit)
    found = pages(made)
    assert sorted(shown.box.number for page in found for shown in page.boxes) == list(range(1, len(written) + 1))
    for page in found:
        assert (page.width, page.height) in SIZES
        several = {
            (shown.x, shown.inputs[pin.name])
            for shown in page.boxes
            for pin in shown.box.inputs
            if len({read.root for read in pin.reads} | {read.pin for read in pin.reads}) > 1
        }
        check(page, several)


@settings(max_examples=60, deadline=None)
@given(calls())
def test_each_pin_has_its_wire_or_its_name(written: list[str]) -> None:
    for page in pages(boxes(program(written))):
        begins = {wire.lines[0][0] for wire in page.wires}
        ends = {line[1] for wire in page.wires for line in wire.lines}
        labels = {(label.x + label.width, label.y): label.text for label in page.labels if not label.is_output}
        outputs = {(label.x, label.y) for label in page.labels if label.is_output}
        for shown in page.boxes:
            for pin in shown.box.inputs:
                at = shown.x, shown.inputs[pin.name]
                if at in labels:
                    assert labels[at] == pin.text or labels[at].endswith("…")
                else:
                    assert at in ends
                    assert len(pin.reads) == 1
            for y in shown.outputs.values():
                assert (shown.x + shown.width, y) in begins | outputs


def test_a_chain_is_wired_from_column_to_column() -> None:
    (page,) = pages(boxes(program(["a := t", "a := n0.x", "a := n1.x, b := n0.x"])))
    assert [shown.box.name for shown in sorted(page.boxes, key=lambda shown: shown.x)] == ["n0", "n1", "n2"]
    assert len(page.wires) == 2
    assert sorted((label.text, label.kind) for label in page.labels) == [
        ("n0.x", "link"),
        ("n2.b", "link"),
        ("t", "tag"),
    ]


def test_a_value_of_the_scan_before_is_a_name() -> None:
    (page,) = pages(boxes(program(["a := n1.x, b := TRUE", "a := n0.y"])))
    assert {(label.text, label.kind) for label in page.labels} == {
        ("n1.x", "late"),
        ("TRUE", "value"),
        ("n0.a", "link"),
    }


@pytest.mark.parametrize(("kind", "begin"), [("svg", b"<?xml"), ("png", b"\x89PNG")])
def test_a_picture_is_the_same_each_time(kind: str, begin: bytes) -> None:
    unit = program(["a := t"] * 60)
    found = wiring_pictures(unit, kind)
    assert len(found) > 1
    assert all(picture.startswith(begin) for picture in found)
    assert found == wiring_pictures(unit, kind)
    if kind == "svg":
        assert b">n59<" in found[-1]
        assert f"page {len(found)} of {len(found)}".encode() in found[-1]
