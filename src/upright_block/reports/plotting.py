"""A timing diagram as a picture, for paper too: black on white, grey where something is on, red and hatched where it is
wrong.
"""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO
from itertools import pairwise
from typing import Any

from upright_block.language.literals import shown_duration
from upright_block.reports import words
from upright_block.reports.lanes import Axis, Diagram, Dimension, Held, Lane, binned, in_order, level_text, short, sides
from upright_block.reports.styled import visible

LANES = 12
"""Lanes of a page."""
_BINS = 900
"""Spans of time that a page can tell apart; a thinned track has more."""
_DENSE = 2 * _BINS
_INK, _FILL, _STEP, _FAINT, _WRONG = "#111111", "#d4d4d4", "#777777", "#b8b8b8", "#c00000"
_LETTER = 0.0054
"""The width of a letter of a name, where a page is 1."""
_LEAST_LEFT, _MOST_LEFT = 0.1, 0.3
_LEAST_RIGHT, _MOST_RIGHT = 0.04, 0.16
_STROKES = ("-", (0, (5, 2)), (0, (1, 1.5)), (0, (7, 2, 1, 2)))
"""How curves in one lane are told apart, on paper too."""
_HEAD = 0.5
"""The height of the name of a group, where that of a lane is 1."""
_LETTERS = 150
"""Letters of the small size across a page."""

Item = Lane | Dimension | Held


def diagram_pages(diagram: Diagram, kind: str) -> list[bytes]:
    """A picture a page, as ``svg`` or ``png``."""
    items: list[Item] = in_order(diagram)
    pages = [items[i : i + LANES] for i in range(0, len(items), LANES)] or [[]]
    return [_Page(diagram, page).drawn(number + 1, len(pages), kind) for number, page in enumerate(pages)]


class _Page:
    """A page with some of the lanes, from the top down."""

    def __init__(self, diagram: Diagram, items: Sequence[Item]) -> None:
        self.diagram = diagram
        self.items = items
        self.axis = Axis(diagram)
        self.edges: list[int] = []
        left = max((len(_name(item)) for item in items), default=0)
        self.left = min(max(left * _LETTER + 0.02, _LEAST_LEFT), _MOST_LEFT)
        right = max((len(text) for item in items for text in _sides(item)), default=0)
        self.right = min(max(right * _LETTER * 0.9 + 0.02, _LEAST_RIGHT), _MOST_RIGHT)
        self.width = 1 - self.left - self.right
        self.free: list[float] = []

    def drawn(self, number: int, count: int, kind: str) -> bytes:
        """The picture of it."""
        import matplotlib
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.backends.backend_svg import FigureCanvasSVG
        from matplotlib.figure import Figure

        settings: Any = {
            "svg.fonttype": "none",
            "svg.hashsalt": "upright",
            "font.family": "DejaVu Sans",
            "font.size": 9,
            "hatch.linewidth": 0.6,
            "text.parse_math": False,
        }
        total = len(self.items) + _HEAD * sum(self._begins_group(place) for place in range(len(self.items)))
        with matplotlib.rc_context(settings):
            height = max(2.2, 1.15 + 0.56 * total)
            figure = Figure(figsize=(12.8, height), dpi=100)
            self.axes: Any = figure.add_axes((self.left, 0.55 / height, self.width, 1 - 1.15 / height))
            page = f"   ({number} of {count})" if count > 1 else ""
            title: dict[str, Any] = {"fontsize": 11, "fontweight": "bold", "color": _INK, "va": "center"}
            figure.text(0.02, 1 - 0.26 / height, visible(self.diagram.title + page), **title)
            self._frame(total)
            base = total
            for place, item in enumerate(self.items):
                if self._begins_group(place) and isinstance(item, Lane):
                    base -= _HEAD
                    self._heading(item.group, base)
                base -= 1
                self._item(item, base)
            self._over(total)
            out = BytesIO()
            canvas: Any = FigureCanvasSVG(figure) if kind == "svg" else FigureCanvasAgg(figure)
            canvas.print_figure(out, format=kind, metadata={"Date": None} if kind == "svg" else {"Software": None})
        return out.getvalue()

    def _begins_group(self, place: int) -> bool:
        item, before = self.items[place], self.items[place - 1] if place else None
        group = item.group if isinstance(item, Lane) else ""
        return group != "" and (not isinstance(before, Lane) or before.group != group)

    # --- around the lanes ---

    def _frame(self, total: float) -> None:
        """The ruler of times, the rows of the table, and spans in which nothing ran."""
        axes, place = self.axes, self.axis.place
        axes.set_xlim(0, 1)
        axes.set_ylim(-0.15, max(total, 1))
        ticks = self.axis.ticks(10)
        axes.set_xticks([place(tick) for tick in ticks], [shown_duration(tick) for tick in ticks])
        axes.set_yticks([])
        for side in ("top", "left", "right"):
            axes.spines[side].set_visible(False)
        axes.tick_params(color=_INK, labelcolor=_INK)
        for tick in ticks:
            axes.axvline(place(tick), color=_FAINT, linewidth=0.5, zorder=0)
        rows = [place(row) for row in self.diagram.rows]
        axes.plot(rows, [-0.15] * len(rows), "^", color=_INK, markersize=4, clip_on=False, zorder=5)
        for begin, end in self.diagram.idle:
            axes.axvspan(
                place(begin), place(end), facecolor="none", edgecolor=_FAINT, hatch="////", linewidth=0, zorder=0
            )

    def _over(self, total: float) -> None:
        """What lies over the lanes: where a stretch is cut, and where a fault ended the run."""
        axes, place = self.axes, self.axis.place
        top = max(total, 1)
        for begin, end in self.diagram.cuts:
            low, high = place(begin), place(end)
            axes.axvspan(low + 0.15 * (high - low), high - 0.15 * (high - low), color="white", zorder=8)
            heights = [-0.15 + (top + 0.15) * number / 40 for number in range(41)]
            for edge in (low + 0.15 * (high - low), high - 0.15 * (high - low)):
                zigzag = [edge + 0.0025 * (-1) ** number for number in range(41)]
                axes.plot(zigzag, heights, color=_INK, linewidth=0.8, zorder=9, clip_on=False)
            middle = {"ha": "center", "va": "center", "rotation": 90, "fontsize": 7, "color": _INK, "zorder": 9}
            axes.text((low + high) / 2, top / 2, shown_duration(end - begin), **middle)
        if self.diagram.fault is not None:
            time, what = self.diagram.fault
            axes.axvline(place(time), color=_WRONG, linewidth=1.6, zorder=7)
            side = {"ha": "right", "xytext": (-4, 0)} if place(time) > 0.5 else {"ha": "left", "xytext": (4, 0)}
            place_of = {
                "xy": (place(time), top),
                "textcoords": "offset points",
                "va": "bottom",
                "annotation_clip": False,
            }
            axes.annotate(visible(what), **place_of, **side, color=_WRONG, fontsize=8, fontweight="bold")

    def _heading(self, group: str, base: float) -> None:
        """The name of an instance above its lanes."""
        across = self.axes.get_yaxis_transform()
        edge = 0.01 - self.left / self.width
        self.axes.plot(
            [edge, 1], [base + _HEAD - 0.06] * 2, color=_FAINT, linewidth=0.8, transform=across, clip_on=False
        )
        label = {"ha": "left", "va": "center", "color": _INK, "fontstyle": "italic", "fontsize": 8.5}
        self.axes.text(edge, base + 0.2, _cut(group, 60), transform=across, **label)

    def _label(self, text: str, base: float, weight: str, style: str = "normal") -> None:
        label = {"ha": "right", "va": "center", "color": _INK, "fontweight": weight, "fontstyle": style}
        across = self.axes.get_yaxis_transform()
        most = int((self.left - 0.02) / _LETTER)
        self.axes.text(-0.012, base + 0.35, visible(short(text, most)), transform=across, **label)

    def _beside(self, text: str, height: float) -> None:
        across = self.axes.get_yaxis_transform()
        side = {"fontsize": 7.5, "color": _INK, "ha": "left", "va": "center"}
        self.axes.text(1.008, height, visible(text), transform=across, **side)

    def _item(self, item: Item, base: float) -> None:
        if isinstance(item, Lane):
            self.free = [-1.0, -1.0]
            self._label(_name(item), base, "normal" if item.is_driven else "bold")
            if item.starts:
                draw = {"bool": self._bool, "step": self._bool, "number": self._number, "states": self._states}
                draw[item.kind](item, base)
        elif isinstance(item, Dimension):
            self._label(item.name, base, "normal", "italic")
            self._dimension(item, base)
        else:
            self._label("rule", base, "normal", "italic")
            self._rule(item, base)

    # --- lanes ---

    def _corners(self, lane: Lane) -> tuple[list[float], list[float]]:
        """The corners of a line through the values; of a lane with very many changes the least and greatest of each
        pixel.
        """
        if len(lane.starts) > _DENSE:
            self.edges = self.edges or self.axis.edges(_BINS)
            found = [(n / _BINS, span) for n, span in enumerate(binned(lane, self.edges)) if span is not None]
            return [x for x, _ in found for _ in range(2)], [y for _, span in found for y in span]
        places = [*map(self.axis.place, lane.starts), self.axis.place(self.diagram.end)]
        xs = [x for pair in pairwise(places) for x in pair]
        return xs, [y for value in lane.values for y in (value, value)]

    def _between(self, begin: int, end: int) -> tuple[float, float]:
        return self.axis.place(begin), self.axis.place(end)

    def _bool(self, lane: Lane, base: float) -> None:
        xs, ys = self._corners(lane)
        heights = [base + 0.08 + 0.54 * y for y in ys]
        fill = _STEP if lane.kind == "step" else _FILL
        self.axes.fill_between(xs, base + 0.08, heights, color=fill, linewidth=0, zorder=2)
        self.axes.plot(xs, heights, color=_INK, linewidth=1.1, zorder=3)
        self._marks(lane, base, 0.0, 0.54)

    def _number(self, lane: Lane, base: float) -> None:
        low, high = lane.low, lane.high
        scale = 0.54 / (high - low) if high > low else 0.0
        for number, each in enumerate((lane, *lane.others)):
            xs, ys = self._corners(each) if each.starts else ([], [])
            heights = [base + 0.08 + scale * (y - low) for y in ys]
            if each.is_time and not lane.others:  # a timer is a wedge that fills
                self.axes.fill_between(xs, base + 0.08, heights, color=_FILL, linewidth=0, zorder=2)
            self.axes.plot(xs, heights, color=_INK, linewidth=1.1, linestyle=_STROKES[number % len(_STROKES)], zorder=3)
        self._beside(level_text(lane, low), base + 0.10)
        if high > low:
            self._beside(level_text(lane, high), base + 0.60)
        for each in (lane, *lane.others):
            self._marks(each, base, low, scale)

    def _states(self, lane: Lane, base: float) -> None:
        ends = [*lane.starts[1:], self.diagram.end]
        free = -1.0
        for start, end, text in zip(lane.starts, ends, lane.texts, strict=True):
            left, right = self._between(start, end)
            box = {"facecolor": "white", "edgecolor": _INK, "linewidth": 0.9, "zorder": 2}
            self.axes.fill_between([left, right], base + 0.1, base + 0.6, **box)
            left, right = self.axis.widest(start, end)
            if (right - left) * _LETTERS > len(text) + 1:
                style = {"ha": "center", "va": "center", "fontsize": 8, "color": _INK, "zorder": 4}
                self.axes.text((left + right) / 2, base + 0.35, visible(text), **style)
            elif left >= free and left + len(text) / _LETTERS < 1:  # beside it, where there is room
                style = {"ha": "left", "va": "center", "fontsize": 7, "color": _INK, "zorder": 4}
                self.axes.text(left, base + 0.72, visible(text), **style)
                free = left + (len(text) + 2) / _LETTERS
        self._marks(lane, base, 0.0, 0.0)

    def _marks(self, lane: Lane, base: float, low: float, scale: float) -> None:
        """A tick where something was checked; where it was wrong, what was expected over what came."""
        for begin, end in lane.wrong:
            left, right = self._between(begin, end)
            box = {"facecolor": "none", "edgecolor": _WRONG, "hatch": "xxxx", "linewidth": 0.8, "zorder": 5}
            self.axes.fill_between([left, right], base + 0.08, base + 0.62, **box)
        place = self.axis.place
        right_ones = [place(mark.time) for mark in lane.marks if mark.is_right and mark.time >= self.diagram.begin]
        self.axes.plot(right_ones, [base + 0.76] * len(right_ones), "|", color=_INK, markersize=4, zorder=4)
        for mark in (mark for mark in lane.marks if not mark.is_right):
            begin, end = max(mark.time, self.diagram.begin), min(mark.until, self.diagram.end)
            left, right = self._between(begin, end)
            height = base + 0.35 if mark.level is None else base + 0.08 + scale * (mark.level - low)
            if mark.level is not None and right - left > 0.004:
                self.axes.plot(
                    [left, right], [height] * 2, color=_WRONG, linewidth=1.6, linestyle=(0, (4, 2)), zorder=6
                )
            first = next((place(span[0]) for span in lane.wrong if begin <= span[0] < end), left)
            self.axes.plot([first], [height], "x", color=_WRONG, markersize=8, markeredgewidth=2.2, zorder=6)
            text = words.instead(mark.check.text)
            text = f"{mark.got}, {text}" if mark.got else text
            self._said(visible(text), first, base)

    def _said(self, text: str, place: float, base: float) -> None:
        """What came and what was expected, above the place of it, in the first of two lines that has room there."""
        room = (len(text) + 2) / _LETTERS
        is_late = place + room > 1
        begin = place - room if is_late else place
        line = next((number for number, end in enumerate(self.free) if begin >= end), None)
        if line is None:
            return  # the cross is there, and the table says it
        self.free[line] = begin + room
        side = {"ha": "right", "xytext": (-4, 0)} if is_late else {"ha": "left", "xytext": (4, 0)}
        box = {"facecolor": "white", "edgecolor": "none", "pad": 0.4}
        near = {"textcoords": "offset points", "color": _WRONG, "fontsize": 8, "va": "center", "zorder": 6, "bbox": box}
        self.axes.annotate(text, (place, base + (0.8, 0.95)[line]), **near, **side)

    # --- what was measured, and what holds ---

    def _dimension(self, item: Dimension, base: float) -> None:
        limits = item.limits.split(", ")
        for number, limit in enumerate(limits):
            self._beside(limit, base + 0.35 + 0.13 * (len(limits) - 1 - 2 * number))
        for span in item.spans:
            if span.end < self.diagram.begin or span.begin > self.diagram.end:
                continue
            left, right = self._between(max(span.begin, self.diagram.begin), min(span.end, self.diagram.end))
            color = _INK if span.is_right else _WRONG
            style = "-" if span.is_right else (0, (4, 2))
            self.axes.plot([left, right], [base + 0.3] * 2, color=color, linewidth=1.1, linestyle=style, zorder=3)
            self.axes.plot(
                [left, right], [base + 0.3] * 2, "|", color=color, markersize=9, markeredgewidth=1.2, zorder=3
            )
            if (right - left) * _LETTERS > len(span.text) or not span.is_right or len(item.spans) == 1:
                style_of = {"ha": "center", "va": "center", "fontsize": 8, "color": color, "zorder": 4}
                half = len(span.text) / _LETTERS / 2
                middle = min(max((left + right) / 2, half), 1 - half)
                self.axes.text(middle, base + 0.62, visible(span.text), **style_of)

    def _rule(self, item: Held, base: float) -> None:
        broken = item.broken
        end = 1.0 if broken is None else min(max(self.axis.place(broken), 0.0), 1.0)
        self.axes.plot([0, end], [base + 0.2] * 2, color=_INK, linewidth=2.2, zorder=3, solid_capstyle="butt")
        text = {"ha": "left", "va": "center", "fontsize": 8, "color": _INK if broken is None else _WRONG, "zorder": 4}
        self.axes.text(0.004, base + 0.52, _cut(item.text, _LETTERS), **text)
        if broken is not None:
            self.axes.plot([end, 1], [base + 0.2] * 2, color=_FAINT, linewidth=1.1, linestyle=(0, (2, 3)), zorder=3)
            self.axes.plot([end], [base + 0.2], "x", color=_WRONG, markersize=9, markeredgewidth=2.2, zorder=6)


def _name(item: Item) -> str:
    """What stands at the left of an item."""
    if isinstance(item, Lane):
        return ", ".join(each.name for each in (item, *item.others))
    return item.name if isinstance(item, Dimension) else "rule"


def _sides(item: Item) -> list[str]:
    """What stands at the right of an item."""
    if isinstance(item, Dimension):
        return item.limits.split(", ")
    return sides(item) if isinstance(item, Lane) else []


def _cut(text: str, most: int) -> str:
    return visible(text if len(text) <= most else text[: most - 1] + "…")
