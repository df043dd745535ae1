"""Labels on lines: free of each other, of other lines and of boxes wherever there is room."""

from __future__ import annotations

import re
from itertools import combinations
from math import hypot

from hypothesis import given
from hypothesis import strategies as st

from upright_block.analysis.drawn import Arrow, Graph, Vertex
from upright_block.reports.graphs import graph_picture
from upright_block.reports.placing import placed

SIZE = (17.0, 17.0)
LINE = st.tuples(*[st.tuples(st.integers(0, 600), st.integers(0, 400))] * 2)


@given(lines=st.lists(LINE, min_size=1, max_size=12))
def test_a_label_stands_on_its_line_and_where_it_has_the_most_room(lines: list[tuple[tuple[int, int], ...]]) -> None:
    places = placed(lines, lines, [SIZE] * len(lines), [])
    for ((x1, y1), (x2, y2)), place in zip(lines, places, strict=True):
        assert place is not None
        x, y = place
        around = hypot(x - x1, y - y1) + hypot(x2 - x, y2 - y)
        assert around <= hypot(x2 - x1, y2 - y1) + 1e-6


def test_labels_keep_off_lines_that_cross_and_off_each_other() -> None:
    across, down = ((0, 100), (300, 100)), ((84, 0), (84, 300))
    (first,) = placed([across], [across], [SIZE], [])
    assert first is not None
    assert abs(first[0] - 84) < 5  # where it stands by itself
    beside, other = placed([across, down], [across, down], [SIZE, SIZE], [])
    assert beside is not None
    assert other is not None
    assert abs(beside[0] - 84) > 8.5 + 3
    assert abs(other[1] - 100) > 8.5 + 3
    boxed = placed([across], [across], [SIZE], [(60.0, 80.0, 150.0, 120.0)])[0]
    assert boxed is not None
    assert boxed[0] > 150 + 8.5


def test_a_line_without_a_label_has_no_place() -> None:
    line = ((0, 0), (100, 0))
    assert placed([line, line], [line, line], [None, None], []) == [None, None]


def test_no_number_of_a_state_graph_lies_on_another() -> None:
    states = ["idle", "fills", "heats", "stirs", "cools", "drains", "failed"]
    to = [(a, b) for n, a in enumerate(states) for b in (states[(n + 1) % 7], states[(n + 3) % 7], "failed") if a != b]
    arrows = [Arrow(a, b, f"c{n}", n + 1) for n, (a, b) in enumerate(dict.fromkeys(to))]
    graph = Graph("Kettle", tuple(Vertex(name, "", n == 0) for n, name in enumerate(states)), tuple(arrows))
    text = graph_picture(graph, "svg").decode()
    found = re.findall(r'font-size: 6.6px[^>]* x="([0-9.]+)" y="([0-9.]+)"[^>]*>\d+</text>', text)
    numbers = [(float(x), float(y)) for x, y in found]
    assert len(numbers) == len(arrows)
    size = SIZE[0] * 0.72  # points of a picture of 100 dots an inch
    assert all(max(abs(x - u), abs(y - v)) >= size for (x, y), (u, v) in combinations(numbers, 2))
