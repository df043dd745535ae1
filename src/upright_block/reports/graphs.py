"""Graphs of units, states and steps as lines of text, as data, and as pictures."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from upright_block.analysis.drawn import Arrow, Graph, Vertex
from upright_block.language.nodes import record
from upright_block.reports.drawing import FONTS, INK, PALE
from upright_block.reports.placing import placed
from upright_block.reports.styled import Line, clipped

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_GREY, _GREEN = "#6b6f6d", "#0a5c55"
_DOTS = 100
_LETTER, _HIGH = 7.4, 44.0
_GAP_X, _GAP_Y = 110.0, 34.0
_EDGE, _HEAD, _ROW = 28.0, 64.0, 17.0
_LANE, _SIDE_LANE = 18.0, 9.0
_LEAST_WIDE = 620.0
_SWEEPS = 4
_MOST_VERTICES = 200
_LONGEST_CONDITION = 110
_NUMBER_SIZE = 17.0
_LETTER_SIZE = 5.6
_CURVE = 12
"""How many straight parts a bent arrow is taken for."""


def graph_lines(graph: Graph, width: int) -> list[Line]:
    """A graph by its vertices: under each where its arrows lead, and under which condition."""
    ends = max((len(arrow.end) for arrow in graph.arrows), default=0)
    lines: list[Line] = [[(graph.title, "strong")], []]
    for vertex in graph.vertices:
        line: Line = [(vertex.name, "name")]
        if vertex.text:
            line.append((f"  {vertex.text}", "dim"))
        if vertex.is_first and any(a.label or a.line for a in graph.arrows):
            line.append(("  begins here", "good"))
        lines.append(line)
        for arrow in (a for a in graph.arrows if a.start == vertex.name):
            where = f"  line {arrow.line}" if arrow.line else ""
            room = max(20, width - ends - 8 - len(where))
            label = arrow.label if len(arrow.label) <= room else arrow.label[: room - 2] + " …"
            lines.append([("  ─▸ ", "dim"), (f"{arrow.end:<{ends}}", ""), (f"  {clipped(label)}", ""), (where, "dim")])
    return lines


def graph_data(graph: Graph) -> dict[str, Any]:
    """A graph as plain data."""
    return {
        "title": graph.title,
        "vertices": [{"name": v.name, "text": v.text, "first": v.is_first} for v in graph.vertices],
        "arrows": [{"from": a.start, "to": a.end, "label": a.label, "line": a.line} for a in graph.arrows],
    }


def graph_fits(graph: Graph) -> bool:
    """Whether a graph is small enough for one picture."""
    return len(graph.vertices) <= _MOST_VERTICES


# --- where things lie ---


@record
class Laid:
    """A box: its middle, its size, and in which column it stands."""

    vertex: Vertex
    x: float
    y: float
    width: float
    height: float
    column: int


@record
class Way:
    """The corners of an arrow that goes around the boxes: up beside its column, along above all of them, and down."""

    corners: tuple[tuple[float, float], ...]


@record
class Layers:
    """Where everything of a picture lies; ``ways`` are those of arrows that are not straight, by their numbers."""

    boxes: Mapping[str, Laid]
    ways: Mapping[int, Way]
    width: float
    height: float


def laid_out(graph: Graph) -> Layers:
    """The boxes of a graph in columns: each as far to the right as the shortest way to it is long, or the longest in a
    graph without circles.

    Arrows that lead back over a column, or on over one, go around above the boxes.
    """
    columns = _columns(graph)
    around = [n for n, a in enumerate(graph.arrows) if _goes_around(columns[a.start], columns[a.end])]
    by_column = _sorted_columns(graph, columns)
    top = _HEAD + len(around) * _LANE
    tallest = max(len(column) for column in by_column.values()) * (_HIGH + _GAP_Y)
    texts = {vertex.name: vertex for vertex in graph.vertices}
    found: dict[str, Laid] = {}
    left, edges = _EDGE, {}
    for column in sorted(by_column):
        inside = by_column[column]
        wide = max(_width(texts[name]) for name in inside)
        step = tallest / len(inside)
        for row, name in enumerate(inside):
            found[name] = Laid(texts[name], left + wide / 2, top + (row + 0.5) * step, wide, _HIGH, column)
        edges[column] = left + wide
        lanes = sum(column in (columns[graph.arrows[n].start], columns[graph.arrows[n].end]) for n in around)
        left += wide + _GAP_X + lanes * _SIDE_LANE
    ways = _ways(graph, found, edges, around)
    corners = [x for way in ways.values() for x, _ in way.corners]
    width = max([*edges.values(), *corners, _LEAST_WIDE]) + _EDGE
    return Layers(found, ways, width, top + tallest)


def _goes_around(start: int, end: int) -> bool:
    """Whether an arrow between two columns would pass a third."""
    return end < start - 1 or end > start + 1


def _ways(graph: Graph, boxes: Mapping[str, Laid], edges: Mapping[int, float], around: Sequence[int]) -> dict[int, Way]:
    """The corners of the arrows that go around, each in lanes of its own."""
    taken: dict[int, int] = {}
    used: dict[tuple[str, str], int] = {}

    def lane(column: int) -> float:
        taken[column] = taken.get(column, 0) + 1
        return edges[column] + 8 + taken[column] * _SIDE_LANE

    def port(name: str, side: str) -> float:
        count = used[name, side] = used.get((name, side), 0) + 1
        return boxes[name].y + boxes[name].height / 2 - 5 * count

    found: dict[int, Way] = {}
    for level, number in enumerate(around, 1):
        arrow = graph.arrows[number]
        a, b = boxes[arrow.start], boxes[arrow.end]
        above = _HEAD - 14 + (len(around) - level + 1) * _LANE
        out, y1 = lane(a.column), port(arrow.start, "right")
        is_back = b.column < a.column
        inward = lane(b.column if is_back else b.column - 1)
        y2 = port(arrow.end, "right" if is_back else "left")
        side = b.width / 2 if is_back else -b.width / 2
        corners = (a.x + a.width / 2, y1), (out, y1), (out, above), (inward, above), (inward, y2), (b.x + side, y2)
        found[number] = Way(corners)
    return found


def _sorted_columns(graph: Graph, columns: Mapping[str, int]) -> dict[int, list[str]]:
    """The names in each column, near to what they have arrows with."""
    names = [vertex.name for vertex in graph.vertices]
    by_column: dict[int, list[str]] = {}
    for name in names:
        by_column.setdefault(columns[name], []).append(name)
    near: dict[str, list[str]] = {name: [] for name in names}
    for arrow in graph.arrows:
        near[arrow.start].append(arrow.end)
        near[arrow.end].append(arrow.start)
    place = {name: float(row) for column in by_column.values() for row, name in enumerate(column)}
    for _ in range(_SWEEPS):
        for column in sorted(by_column):
            middle = {n: sum(map(place.__getitem__, near[n])) / len(near[n]) if near[n] else place[n] for n in names}
            by_column[column].sort(key=lambda n: (middle[n], place[n]))
            place |= {name: float(row) for row, name in enumerate(by_column[column])}
    return by_column


def _width(vertex: Vertex) -> float:
    return max(70.0, max(len(vertex.name), 0.86 * len(vertex.text)) * _LETTER + 20)


def _columns(graph: Graph) -> dict[str, int]:
    """How far to the right each vertex stands."""
    leads: dict[str, list[str]] = {}
    entered: dict[str, int] = {vertex.name: 0 for vertex in graph.vertices}
    for arrow in graph.arrows:
        if arrow.start != arrow.end:
            leads.setdefault(arrow.start, []).append(arrow.end)
            entered[arrow.end] += 1
    ordered = _without_circles(leads, dict(entered))
    if len(ordered) == len(entered):
        found = dict.fromkeys(ordered, 0)
        for name in ordered:
            for other in leads.get(name, ()):
                found[other] = max(found[other], found[name] + 1)
        return found
    found = {}
    firsts = [vertex.name for vertex in graph.vertices if vertex.is_first]
    for begin in (*firsts, *entered):
        waiting = [begin] if begin not in found else []
        found.setdefault(begin, 0)
        for name in waiting:
            for other in leads.get(name, ()):
                if other not in found:
                    found[other] = found[name] + 1
                    waiting.append(other)
    return found


def _without_circles(leads: Mapping[str, Sequence[str]], entered: dict[str, int]) -> list[str]:
    """The vertices in an order in which arrows lead on only; those in circles are missing."""
    found = [name for name, count in entered.items() if not count]
    for name in found:
        for other in leads.get(name, ()):
            entered[other] -= 1
            if not entered[other]:
                found.append(other)
    return found


# --- the picture ---


def graph_picture(graph: Graph, kind: str) -> bytes:
    """A graph as ``svg`` or ``png``; conditions are numbered and stand below. The same graph gives the same bytes."""
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    plan = laid_out(graph)
    boxes = plan.boxes
    rows = [arrow for arrow in graph.arrows if arrow.line]
    wide = plan.width
    if rows:
        wide = max(wide, _EDGE * 2 + max(map(len, _legend(rows))) * _LETTER * 0.86)
    below = plan.height
    high = below + _EDGE + len(rows) * _ROW
    with rc_context(FONTS):
        figure = Figure(figsize=(wide / _DOTS, high / _DOTS), dpi=_DOTS, facecolor="white")
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, wide)
        axes.set_ylim(high, 0)
        axes.axis("off")
        _text(axes, _EDGE, 34, graph.title, INK, 10.5, weight="bold")
        numbers = {id(arrow): number for number, arrow in enumerate(rows, 1)}
        twins = {(arrow.start, arrow.end) for arrow in graph.arrows}
        shown = [
            _Shown(str(numbers[id(arrow)]), is_number=True)
            if id(arrow) in numbers
            else _Shown(arrow.label, is_number=False)
            for arrow in graph.arrows
        ]
        bends = [_bend(arrow, (arrow.end, arrow.start) in twins) for arrow in graph.arrows]
        lines = [
            plan.ways[index].corners
            if index in plan.ways
            else _curve(boxes[arrow.start], boxes[arrow.end], bends[index])
            for index, arrow in enumerate(graph.arrows)
        ]
        for index, line in enumerate(lines):
            if index in plan.ways:
                _around(axes, line)
            else:
                _arrow(axes, line, bends[index])
        # Of one that goes around, the label stands where it runs above the boxes.
        open_parts = [line[2:4] if index in plan.ways else line for index, line in enumerate(lines)]
        edges = [(b.x - b.width / 2, b.y - b.height / 2, b.x + b.width / 2, b.y + b.height / 2) for b in boxes.values()]
        for each, place in zip(shown, placed(lines, open_parts, [each.size for each in shown], edges), strict=True):
            if place is not None:
                _label(axes, *place, each)
        for box in boxes.values():
            _box(axes, box)
        for number, text in enumerate(_legend(rows)):
            _text(axes, _EDGE, below + 14 + number * _ROW, text, INK, 7.2)
        out = io.BytesIO()
        figure.savefig(out, format=kind, metadata={"Date": None} if kind == "svg" else {"Software": None})
    return out.getvalue()


def _legend(rows: Sequence[Arrow]) -> list[str]:
    """The numbered arrows with their conditions."""
    ends = max((len(f"{arrow.start} ─▸ {arrow.end}") for arrow in rows), default=0)
    found = []
    for number, arrow in enumerate(rows, 1):
        label = arrow.label or "always"
        label = label if len(label) <= _LONGEST_CONDITION else label[: _LONGEST_CONDITION - 2] + " …"
        found.append(f"{number:>3}  {f'{arrow.start} ─▸ {arrow.end}':<{ends}}  {label}  (line {arrow.line})")
    return found


def _text(axes: Axes, x: float, y: float, text: str, colour: str, size: float, **how: Any) -> None:
    axes.text(x, y, text, fontsize=size, color=colour, parse_math=False, **how)


def _box(axes: Axes, box: Laid) -> None:
    from matplotlib.patches import Rectangle

    corner = (box.x - box.width / 2, box.y - box.height / 2)
    edge = 2.0 if box.vertex.is_first else 1.0
    axes.add_patch(Rectangle(corner, box.width, box.height, facecolor=PALE, edgecolor=INK, linewidth=edge, zorder=3))
    lower = 4 if not box.vertex.text else -3
    _text(axes, box.x, box.y + lower, box.vertex.name, INK, 8, ha="center", weight="bold", zorder=4)
    if box.vertex.text:
        _text(axes, box.x, box.y + 12, box.vertex.text, _GREEN, 6.6, ha="center", zorder=4)


@record
class _Shown:
    """What stands on an arrow: the number of its condition, or a text."""

    text: str
    is_number: bool

    @property
    def size(self) -> tuple[float, float] | None:
        """How wide and high it is; None where there is nothing."""
        if not self.text:
            return None
        return max(len(self.text) * _LETTER_SIZE + 6, _NUMBER_SIZE if self.is_number else 0.0), _NUMBER_SIZE


def _around(axes: Axes, line: Sequence[tuple[float, float]]) -> None:
    *corners, before, end = line
    axes.plot([x for x, _ in (*corners, before)], [y for _, y in (*corners, before)], color=_GREY, linewidth=1.0)
    axes.annotate("", end, before, arrowprops={"arrowstyle": "-|>", "color": _GREY, "linewidth": 1.0, "shrinkB": 0})


def _label(axes: Axes, x: float, y: float, shown: _Shown) -> None:
    shape = "circle,pad=0.22" if shown.is_number else "round,pad=0.2"
    frame = {"boxstyle": shape, "fc": "white", "ec": _GREY if shown.is_number else "white"}
    _text(axes, x, y, shown.text, INK, 6.6, ha="center", va="center", bbox=frame, zorder=5)


def _bend(arrow: Arrow, has_twin: bool) -> float:
    """How far an arrow is bent: one to itself, and one of two between the same boxes."""
    return 0.9 if arrow.start == arrow.end else 0.16 if has_twin else 0.0


def _curve(a: Laid, b: Laid, bend: float) -> tuple[tuple[float, float], ...]:
    """Points of an arrow from one box to another."""
    ends = _side(a, b, bend), _side(b, a, -bend)
    return tuple(_along(*ends, bend, number / _CURVE) for number in range(_CURVE + 1))


def _arrow(axes: Axes, line: Sequence[tuple[float, float]], bend: float) -> None:
    from matplotlib.patches import FancyArrowPatch

    style = f"arc3,rad={bend}"
    axes.add_patch(
        FancyArrowPatch(
            line[0], line[-1], connectionstyle=style, arrowstyle="-|>", mutation_scale=11, color=_GREY, linewidth=1.0
        )
    )


def _along(a: tuple[float, float], b: tuple[float, float], bend: float, part: float) -> tuple[float, float]:
    """A point of a bent arrow; where boxes are counted downwards its middle is pulled to the left of its way."""
    (x1, y1), (x2, y2) = a, b
    x, y = (x1 + x2) / 2 - bend * (y2 - y1), (y1 + y2) / 2 + bend * (x2 - x1)
    first, middle, last = (1 - part) ** 2, 2 * part * (1 - part), part**2
    return first * x1 + middle * x + last * x2, first * y1 + middle * y + last * y2


def _side(a: Laid, b: Laid, bend: float) -> tuple[float, float]:
    """Where an arrow from ``a`` to ``b`` touches the edge of ``a``."""
    if a is b:
        return (a.x + (a.width / 4 if bend > 0 else -a.width / 4), a.y - a.height / 2)
    dx, dy = b.x - a.x, b.y - a.y
    dx, dy = dx - 2 * bend * dy, dy + 2 * bend * dx
    scale = min(a.width / 2 / abs(dx) if dx else 1e9, a.height / 2 / abs(dy) if dy else 1e9)
    return a.x + dx * scale, a.y + dy * scale
