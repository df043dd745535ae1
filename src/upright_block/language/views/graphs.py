"""What leads to what: circles, and an order in which everything comes behind what it needs."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import TypeVar

T = TypeVar("T")


def circles(nodes: Iterable[T], needs: Mapping[T, Collection[T]]) -> list[list[T]]:
    """The nodes in groups: those that need each other, in a circle or in several, are one group.

    A group comes behind those that it needs; where that leaves a choice, nodes stay in their order. (Tarjan, 1972,
    without recursion: linear in the nodes and what they need.)
    """
    found: list[list[T]] = []
    numbers: dict[T, int] = {}
    lowest: dict[T, int] = {}
    open_: dict[T, None] = {}
    for root in nodes:
        if root in numbers:
            continue
        numbers[root] = lowest[root] = len(numbers)
        open_[root] = None
        trail = [(root, iter(needs.get(root, ())))]
        while trail:
            node, left = trail[-1]
            for other in left:
                if other not in numbers:
                    numbers[other] = lowest[other] = len(numbers)
                    open_[other] = None
                    trail.append((other, iter(needs.get(other, ()))))
                    break
                if other in open_:
                    lowest[node] = min(lowest[node], numbers[other])
            else:
                trail.pop()
                if trail:
                    above = trail[-1][0]
                    lowest[above] = min(lowest[above], lowest[node])
                if lowest[node] == numbers[node]:
                    group: list[T] = []
                    while not group or group[-1] != node:
                        group.append(open_.popitem()[0])
                    found.append(sorted(group, key=numbers.__getitem__))
    return found


def way(start: T, end: T, needs: Mapping[T, Collection[T]]) -> list[T]:
    """A shortest way along what each one needs, with both ends; empty where there is none."""
    came: dict[T, T | None] = {start: None}
    waiting = [start]
    for node in waiting:
        if node == end:
            found = [node]
            while (before := came[found[-1]]) is not None:
                found.append(before)
            return found[::-1]
        for other in needs.get(node, ()):
            if other not in came:
                came[other] = node
                waiting.append(other)
    return []
