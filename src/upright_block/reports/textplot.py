"""A timing diagram in characters."""

from __future__ import annotations

from upright_block.language.literals import shown_duration
from upright_block.reports.lanes import Diagram, Lane, binned
from upright_block.reports.styled import Line, Role, Span

_LEVELS = "▁▂▃▄▅▆▇█"
_MOST_NAME = 30


def diagram_lines(diagram: Diagram, width: int) -> list[Line]:
    """A line a lane, with a line below it for what was checked, and a ruler of times."""
    names = max((len(lane.path) for lane in diagram.lanes), default=0)
    left = min(names, _MOST_NAME) + 1
    room = max(width - left - 14, 20)
    lines: list[Line] = [[(diagram.title, "strong")], []]
    was_driven = True
    for lane in diagram.lanes:
        if was_driven and not lane.is_driven and lines[-1]:
            lines.append([])
        was_driven = lane.is_driven
        name = lane.path if len(lane.path) < left else "…" + lane.path[-left + 2 :]
        lines.append([(f"{name:<{left}}", "name"), *_drawn(lane, diagram, room), (f"  {_scale(lane)}", "dim")])
        marks = _marks(lane, diagram, room)
        if marks:
            lines.append([(" " * left, ""), *marks])
    return [*lines, *_ruler(diagram, left, room)]


def _drawn(lane: Lane, diagram: Diagram, room: int) -> list[Span]:
    bins = binned(lane, diagram.begin, diagram.end, room)
    if lane.kind == "states":
        return [(_states(lane, diagram, room), "")]
    low, high = (min(lane.values, default=0.0), max(lane.values, default=0.0)) if lane.kind == "number" else (0.0, 1.0)
    text = ""
    for span in bins:
        if span is None:
            text += " "
        elif lane.kind == "bool":
            text += "▒" if span[0] != span[1] and _is_dense(lane, diagram, room) else "█" if span[1] else "▁"
        else:
            level = 0 if high == low else round((span[1] - low) / (high - low) * (len(_LEVELS) - 1))
            text += _LEVELS[level]
    return [(text, "")]


def _is_dense(lane: Lane, diagram: Diagram, room: int) -> bool:
    """Whether a BOOL changes more often than it can be drawn."""
    return len(lane.starts) > room // 2


def _states(lane: Lane, diagram: Diagram, room: int) -> str:
    """States with their names in the lane."""
    cells = [" "] * room
    ends = [*lane.starts[1:], diagram.end]
    for start, end, text in zip(lane.starts, ends, lane.texts, strict=True):
        first, last = (_column(time, diagram, room) for time in (start, end))
        own = f"│{text}" if last - first > len(text) else "│"
        for place in range(first, min(max(last, first + 1), room)):
            offset = place - first
            cells[place] = own[offset] if offset < len(own) else "─"
    return "".join(cells)


def _column(time: int, diagram: Diagram, room: int) -> int:
    span = max(diagram.end - diagram.begin, 1)
    return min((time - diagram.begin) * room // span, room)


def _marks(lane: Lane, diagram: Diagram, room: int) -> list[Span]:
    """A mark where a value was checked: a dot where it was right, a cross with what was expected where it was not."""
    if not any(not mark.is_right for mark in lane.marks):
        return []
    cells: list[tuple[str, Role]] = [(" ", "")] * room
    for mark in sorted(lane.marks, key=lambda mark: not mark.is_right):
        place = min(_column(mark.time, diagram, room), room - 1)
        if mark.is_right and cells[place][0] == " ":
            cells[place] = ("·", "dim")
    free = 0
    for mark in (mark for mark in lane.marks if not mark.is_right):
        place = min(_column(mark.time, diagram, room), room - 1)
        text = f"✗ {mark.expected}" if place >= free else "✗"
        for offset, letter in enumerate(text):
            if place + offset < room:
                cells[place + offset] = (letter, "bad")
        free = max(free, place + len(text) + 1)
    return list(cells)


def _scale(lane: Lane) -> str:
    if lane.kind != "number" or not lane.values:
        return ""
    low, high = min(lane.values), max(lane.values)
    unit = f" {lane.unit}" if lane.unit else ""
    return f"{low:g}{unit}" if low == high else f"{low:g}..{high:g}{unit}"


def _ruler(diagram: Diagram, left: int, room: int) -> list[Line]:
    """Ticks with their times, at round numbers."""
    ticks = [" "] * (left + room)
    labels = ""
    for time in tick_times(diagram.begin, diagram.end, max(room // 14, 2)):
        place = left + _column(time, diagram, room)
        if place < len(ticks):
            ticks[place] = "┴"
            text = shown_duration(time)
            if len(labels) < place:
                labels = f"{labels:<{place}}{text} "
    body = "".join("─" if i >= left and tick == " " else tick for i, tick in enumerate(ticks))
    return [[(body, "dim")], [(labels.rstrip(), "dim")]]


def tick_times(begin: int, end: int, most: int) -> list[int]:
    """At most so many round times between two."""
    steps = [n * 10**power for power in range(9) for n in (1, 2, 5)]
    steps += [n * 10**9 for n in (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 43200)]
    steps += [n * 86_400 * 10**9 for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 50000)]
    step = next((step for step in steps if (end - begin) // step < most), steps[-1])
    return list(range(-(-begin // step) * step, end + 1, step))
