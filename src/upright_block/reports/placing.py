"""Where labels stand on lines: not on each other, on no other line, and on no box, as far as there is room."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from math import ceil, hypot

Point = tuple[float, float]
Size = tuple[float, float]
Box = tuple[float, float, float, float]
"""The left, upper, right and lower edge."""
_STEP = 5.0
"""How far apart the points of a line are that are looked at."""
_CELL = 40.0
_PARTS = (0.28, 0.36, 0.2, 0.44, 0.56, 0.64, 0.72, 0.5, 0.8, 0.12)
"""Parts of a line at which its label may stand, the best first: lines that cross do so in the middle."""
_NEAR = 3.0


def placed(
    lines: Sequence[Sequence[Point]],
    parts: Sequence[Sequence[Point]],
    sizes: Sequence[Size | None],
    boxes: Iterable[Box],
) -> list[Point | None]:
    """Where the label of each line stands, by its middle; None where a line has none.

    Of the places along the ``parts`` of lines where labels may stand the first is taken that is free of all else; where
    none is, the one that has the most room.
    """
    occupied = _Occupied()
    for number, line in enumerate(lines):
        for x, y in _along(line):
            occupied.add((x, y, x, y), number)
    for box in boxes:
        occupied.add(box, -1)
    places: list[Point | None] = []
    for number, (part_of, size) in enumerate(zip(parts, sizes, strict=True)):
        if size is None:
            places.append(None)
            continue
        found = list(_along(part_of))
        chosen, most = found[0], -1e9
        for part in _PARTS:
            x, y = found[min(round(part * (len(found) - 1)), len(found) - 1)]
            room = occupied.room(_around((x, y), size), number)
            if room > most:
                chosen, most = (x, y), room
            if room >= _NEAR:
                break
        occupied.add(_around(chosen, size), -1)
        places.append(chosen)
    return places


def _around(middle: Point, size: Size) -> Box:
    (x, y), (width, height) = middle, size
    return x - width / 2, y - height / 2, x + width / 2, y + height / 2


def _along(line: Sequence[Point]) -> Iterator[Point]:
    """Points of a line that lie close together."""
    for (x1, y1), (x2, y2) in pairwise(line):
        count = max(ceil(hypot(x2 - x1, y2 - y1) / _STEP), 1)
        for number in range(count):
            yield x1 + (x2 - x1) * number / count, y1 + (y2 - y1) * number / count
    yield line[-1]


class _Occupied:
    """What lies where, in squares, so that only what is near is looked at."""

    def __init__(self) -> None:
        self.cells: dict[tuple[int, int], list[tuple[Box, int]]] = {}

    def add(self, box: Box, owner: int) -> None:
        for cell in _cells(box, 0):
            self.cells.setdefault(cell, []).append((box, owner))

    def room(self, box: Box, owner: int) -> float:
        """How far a box is from what is near, but for its own line; less than zero where it lies on something."""
        near = (each for cell in _cells(box, _NEAR) for each, of in self.cells.get(cell, ()) if of != owner)
        return min((_apart(box, other) for other in near), default=_NEAR)


def _cells(box: Box, around: float) -> Iterator[tuple[int, int]]:
    left, top, right, bottom = box
    for column in range(int((left - around) // _CELL), int((right + around) // _CELL) + 1):
        for row in range(int((top - around) // _CELL), int((bottom + around) // _CELL) + 1):
            yield column, row


def _apart(a: Box, b: Box) -> float:
    """How far two boxes are apart, in the direction in which they are further; less than zero where they overlap."""
    return max(a[0] - b[2], b[0] - a[2], a[1] - b[3], b[1] - a[3])
