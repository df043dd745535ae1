"""A timing diagram in characters."""

from __future__ import annotations

from textwrap import wrap

from upright_block.language.literals import shown_duration
from upright_block.reports import words
from upright_block.reports.lanes import Axis, Diagram, Dimension, Held, Lane, binned, in_order, level_text, short
from upright_block.reports.styled import Line, Role, Span, visible

_LEVELS = "▁▂▃▄▅▆▇█"
_MOST_NAME = 30
_LEAST_NAME = 6
"""Letters of a state that there must be room for."""
_MOST_SIDE = 28
"""Letters of what stands at the right of a lane."""
_LEAST_ROOM = 20
_MOST_MARKED = 3
"""Lines of marks below a lane."""


def diagram_lines(diagram: Diagram, width: int) -> list[Line]:
    """A line a lane, with a line below it for what was not as expected, then what was measured, rules, and a ruler of
    times.
    """
    heads = [*(lane.name for lane in diagram.lanes), *(row.name for row in diagram.dimensions)]
    left = min(max((len(head) for head in heads), default=0), min(_MOST_NAME, width // 3)) + 1
    lanes = [each for lane in diagram.lanes for each in (lane, *lane.others)]
    most = min(_MOST_SIDE, width // 4)
    sides = [*map(_scale, lanes), *(text for row in diagram.dimensions for text in _parts(row.limits, most))]
    side = min(max((len(text) for text in sides), default=0), most)
    drawing = _Drawing(diagram, left, max(width - left - side - 2, _LEAST_ROOM), side)
    title: list[Line] = [[(line, "strong")] for line in wrap(visible(diagram.title), width)]
    return [*title, [], *drawing.lines()]


class _Drawing:
    """A diagram in ``room`` columns between ``left`` for the names and ``side`` for numbers and limits."""

    def __init__(self, diagram: Diagram, left: int, room: int, side: int) -> None:
        self.diagram = diagram
        self.axis = Axis(diagram)
        self.left = left
        self.room = room
        self.side = side
        self.edges = self.axis.edges(room)

    def lines(self) -> list[Line]:
        """All of it."""
        lines: list[Line] = []
        before: Lane | None = None
        for item in in_order(self.diagram):
            if isinstance(item, Dimension):
                lines += self._dimension(item)
                continue
            if isinstance(item, Held):
                lines += self._rule(item)
                continue
            lane = item
            if before is not None and (before.is_driven != lane.is_driven or before.group != lane.group):
                lines.append([])
            if lane.group and (before is None or before.group != lane.group):
                lines.append([(short(lane.group, self.left + self.room), "dim")])
            before = lane
            lines.append([self._name(lane.name), *self._drawn(lane), self._beside(_scale(lane))])
            lines += [[(" " * self.left, ""), *marks] for marks in self._marks(lane)]
            for other in lane.others:
                lines.append([self._name(other.name), *self._drawn(other), self._beside(_scale(other))])
        return [*lines, *self._ruler()]

    def _name(self, name: str) -> Span:
        return f"{short(name, self.left - 1):<{self.left}}", "name"

    def _beside(self, text: str) -> Span:
        return f"  {short(text, self.side)}", "dim"

    def _column(self, time: int) -> int:
        return min(max(int(self.axis.place(time) * self.room), 0), self.room)

    def _drawn(self, lane: Lane) -> list[Span]:
        if lane.kind == "states":
            return [(self._cut("".join(self._states(lane))), "")]
        low, high = (lane.low, lane.high) if lane.kind == "number" else (0.0, 1.0)
        text = ""
        for span in binned(lane, self.edges):
            if span is None:
                text += " "
            elif lane.kind != "number":
                text += "▒" if span[0] != span[1] else "█" if span[1] else "▁"
            else:
                level = (span[1] - low) / ((high - low) or 1.0) * (len(_LEVELS) - 1)
                text += _LEVELS[round(level)] if level - level == 0 else "?"
        return [(self._cut(text), "")]

    def _cut(self, text: str) -> str:
        """A lane with a mark where a stretch is cut."""
        for begin, end in self.diagram.cuts:
            first, last = self._column(begin), max(self._column(end), self._column(begin) + 1)
            text = text[:first] + "⌇" * (last - first) + text[last:]
        return text

    def _states(self, lane: Lane) -> list[str]:
        """States with their names in the lane."""
        cells = [" "] * self.room
        ends = [*lane.starts[1:], self.diagram.end]
        for start, end, text in zip(lane.starts, ends, lane.texts, strict=True):
            first, last = self._column(start), self._column(end)
            for place in range(first, min(max(last, first + 1), self.room)):
                cells[place] = "─" if place > first else "│"
            left, right = (min(int(place * self.room), self.room) for place in self.axis.widest(start, end))
            left = max(left + (left > first), first + 1)  # behind a cut, and behind the line where it begins
            if right - left >= min(len(text), _LEAST_NAME):
                name = short(text, right - left)
                cells[left : left + len(name)] = name
        return cells

    def _marks(self, lane: Lane) -> list[list[Span]]:
        """Lines of marks where a value was checked: a dot where it was right, a cross with what came and what was
        expected where it was not. What has no room beside others stands a line lower.
        """
        if all(mark.is_right for mark in lane.marks):
            return []
        cells: list[tuple[str, Role]] = [(" ", "")] * self.room
        for mark in (mark for mark in lane.marks if mark.is_right and mark.time >= self.diagram.begin):
            cells[min(self._column(mark.time), self.room - 1)] = ("·", "dim")
        for begin, end in lane.wrong:
            for place in range(self._column(begin), min(self._column(end), self.room)):
                cells[place] = ("~", "bad")
        lines = [cells]
        free = [0]
        for mark in (mark for mark in lane.marks if not mark.is_right):
            first = next((begin for begin, _ in lane.wrong if mark.time <= begin < mark.until), mark.time)
            place = min(self._column(first), self.room - 1)
            said = words.instead(mark.check.text)
            text = f"✗ {mark.got} ≠ {mark.check.text}" if mark.got else f"✗ {said}"
            text = visible(short(text, self.room))
            start = min(place, max(self.room - len(text), 0))
            level = next((number for number, end in enumerate(free) if start >= end), len(free))
            if level == len(free) == _MOST_MARKED:
                level = next((number for number, end in enumerate(free) if place >= end), -1)
                start, text = place, "✗"
                if level < 0:
                    continue  # it stands among the others, and the lane says when it was wrong
            if level == len(free):
                lines.append([(" ", "")] * self.room)
                free.append(0)
            for offset, letter in enumerate(text[: self.room - start]):
                lines[level][start + offset] = (letter, "bad")
            free[level] = start + len(text) + 1
        return [list(line) for line in lines]

    def _dimension(self, row: Dimension) -> list[Line]:
        """A timing row: from event to event, with the time between them; limits that are long go on below."""
        cells: list[tuple[str, Role]] = [(" ", "")] * self.room
        beside: list[tuple[int, str, Role]] = []
        for span in row.spans:
            if span.end < self.diagram.begin or span.begin > self.diagram.end:
                continue
            first, last = self._column(span.begin), min(self._column(span.end), self.room - 1)
            role: Role = "" if span.is_right else "bad"
            text = span.text if span.is_right else f"✗ {span.text}"
            body = f"├{text:─^{max(last - first - 1, 0)}}┤" if last - first > len(text) else "├"
            for offset, letter in enumerate(body):
                if first + offset < self.room and cells[first + offset][0] in " ─┤":
                    cells[first + offset] = (letter, role)
            if body == "├":
                beside.append((min(first + 1, max(self.room - len(text), 0)), text, role))
        for start, text, role in sorted(beside, key=lambda each: each[2] != "bad"):
            if all(cell == " " for cell, _ in cells[start : start + len(text) + 1]):
                cells[start : start + len(text)] = [(letter, role) for letter in text]
        first_of, *more = _parts(row.limits, self.side)
        below: list[Line] = [[(" " * (self.left + self.room), ""), self._beside(text)] for text in more]
        return [[self._name(row.name), *cells[: self.room], self._beside(first_of)], *below]

    def _rule(self, rule: Held) -> list[Line]:
        """A rule: a line with its text, up to where it broke; the text stands below where the line has no room."""
        place = self.room if rule.broken is None else min(self._column(rule.broken), self.room - 1)
        cells: list[tuple[str, Role]] = [("━", "") if number < place else ("╌", "dim") for number in range(self.room)]
        text = f" {visible(rule.text)} "
        role: Role = "" if rule.broken is None else "bad"
        begin = next((at for at, end in ((2, place), (place + 2, self.room)) if at + len(text) <= end), None)
        below: list[Line] = []
        if begin is None:
            below = [
                [(" " * self.left, ""), (line, role)] for line in wrap(visible(rule.text), self.room + self.side + 2)
            ]
        else:
            cells[begin : begin + len(text)] = [(letter, role) for letter in text]
        if rule.broken is not None:
            cells[place] = ("✗", "bad")
        return [[self._name("rule"), *cells], *below]

    def _ruler(self) -> list[Line]:
        """Ticks with their times, at round numbers; below them where a fault ended the run."""
        ticks = [" "] * (self.left + self.room)
        labels = ""
        for time in self.axis.ticks(max(self.room // 14, 2)):
            place = self.left + self._column(time)
            if place < len(ticks):
                ticks[place] = "┴"
                shown = shown_duration(time)
                if len(labels) < place and place + len(shown) <= len(ticks) + self.side + 2:
                    labels = f"{labels:<{place}}{shown} "
        body = "".join("─" if i >= self.left and tick == " " else tick for i, tick in enumerate(ticks))
        lines: list[Line] = [[(body, "dim")], [(labels.rstrip(), "dim")]]
        for begin, end in self.diagram.cuts:
            lines.append([(f"{'⌇':>{self.left}} {shown_duration(begin)} to {shown_duration(end)} is cut out", "dim")])
        if self.diagram.fault is not None:
            time, what = self.diagram.fault
            lines.append([(f"{what[0].upper()}{what[1:]} at {shown_duration(time)}; the run ended there.", "bad")])
        return lines


def _parts(limits: str, most: int) -> list[str]:
    """Limits in lines, none of them divided."""
    lines = wrap(limits.replace(" ", "\0").replace(",\0", ", "), most) or [""]
    return [line.replace("\0", " ") for line in lines]


def _scale(lane: Lane) -> str:
    if lane.kind != "number" or not lane.values:
        return ""
    low, high = lane.low, lane.high
    least, most = level_text(lane, low), level_text(lane, high)
    return most if low == high else f"{least.removesuffix(f' {lane.unit}')}..{most}"
