"""Circles, and an order in which everything comes behind what it needs."""

from __future__ import annotations

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from upright_block.language.views.graphs import circles, way

GRAPHS = st.dictionaries(st.integers(0, 7), st.lists(st.integers(0, 7), max_size=4), max_size=8)


def reached(graph: dict[int, list[int]]) -> dict[int, set[int]]:
    """All that each node needs, directly or not."""
    found = {node: set(graph.get(node, ())) for node in range(8)}
    for _ in range(8):
        found = {node: needs.union(*(found[n] for n in needs)) for node, needs in found.items()}
    return found


@given(GRAPHS)
def test_a_group_needs_itself_and_comes_behind_what_it_needs(graph: dict[int, list[int]]) -> None:
    groups, needs = circles(range(8), graph), reached(graph)
    assert sorted(node for group in groups for node in group) == list(range(8))
    place = {node: number for number, group in enumerate(groups) for node in group}
    for node in range(8):
        for other in range(8):
            both = node == other or (other in needs[node] and node in needs[other])
            assert (place[node] == place[other]) == both
            if other in needs[node]:
                assert place[other] <= place[node]


@given(GRAPHS, st.integers(0, 7), st.integers(0, 7))
def test_a_way_leads_from_one_end_to_the_other(graph: dict[int, list[int]], start: int, end: int) -> None:
    found = way(start, end, graph)
    if start == end:
        assert found == [start]
    elif end in reached(graph)[start]:
        assert (found[0], found[-1]) == (start, end)
        assert all(after in graph.get(before, ()) for before, after in pairwise(found))
    else:
        assert found == []


def test_what_has_a_choice_stays_in_its_order() -> None:
    assert circles("dcba", {}) == [["d"], ["c"], ["b"], ["a"]]
    assert circles("abc", {"a": "c"}) == [["c"], ["a"], ["b"]]


def test_a_long_chain_needs_no_recursion() -> None:
    assert len(circles(range(20_000), {n: [n + 1] for n in range(20_000)})) == 20_001
