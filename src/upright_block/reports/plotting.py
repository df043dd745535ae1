"""A timing diagram as a picture, for paper too: black on white, grey where something is on, red where it is wrong."""

from __future__ import annotations

from collections.abc import Sequence
from io import BytesIO
from typing import Any

from upright_block.language.literals import shown_duration
from upright_block.reports.lanes import Diagram, Lane, binned
from upright_block.reports.textplot import tick_times

LANES = 12
"""Lanes of a page."""
_BINS = 2400
_DENSE = 4000
_INK, _FILL, _FAINT, _WRONG = "#111111", "#d4d4d4", "#b8b8b8", "#c00000"


def diagram_pages(diagram: Diagram, kind: str) -> list[bytes]:
    """A picture a page, as ``svg`` or ``png``."""
    pages = [diagram.lanes[i : i + LANES] for i in range(0, len(diagram.lanes), LANES)] or [()]
    return [_page(diagram, lanes, number + 1, len(pages), kind) for number, lanes in enumerate(pages)]


def _page(diagram: Diagram, lanes: Sequence[Lane], number: int, count: int, kind: str) -> bytes:
    import matplotlib
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.backends.backend_svg import FigureCanvasSVG
    from matplotlib.figure import Figure

    settings: Any = {"svg.fonttype": "none", "svg.hashsalt": "upright", "font.family": "DejaVu Sans", "font.size": 9}
    with matplotlib.rc_context(settings):
        figure = Figure(figsize=(12.8, max(2.2, 1.1 + 0.56 * len(lanes))), dpi=100)
        axes = figure.add_axes((0.2, 0.0, 0.7, 1.0))
        height = figure.get_figheight()
        axes.set_position((0.2, 0.55 / height, 0.7, 1 - 1.15 / height))
        page = f"   ({number} of {count})" if count > 1 else ""
        figure.text(
            0.02, 1 - 0.28 / height, diagram.title + page, fontsize=11, fontweight="bold", color=_INK, va="center"
        )
        _frame(axes, diagram, len(lanes))
        for place, lane in enumerate(lanes):
            _lane(axes, diagram, lane, len(lanes) - 1 - place)
        out = BytesIO()
        canvas: Any = FigureCanvasSVG(figure) if kind == "svg" else FigureCanvasAgg(figure)
        canvas.print_figure(out, format=kind, metadata={"Date": None} if kind == "svg" else {"Software": None})
    return out.getvalue()


def _frame(axes: Any, diagram: Diagram, count: int) -> None:
    """The ruler of times, the rows of the table, and spans in which nothing ran."""
    axes.set_xlim(diagram.begin, max(diagram.end, diagram.begin + 1))
    axes.set_ylim(-0.15, max(count, 1))
    ticks = tick_times(diagram.begin, diagram.end, 10)
    axes.set_xticks(ticks, [shown_duration(tick) for tick in ticks])
    axes.set_yticks([])
    for side in ("top", "left", "right"):
        axes.spines[side].set_visible(False)
    axes.tick_params(color=_INK, labelcolor=_INK)
    for tick in ticks:
        axes.axvline(tick, color=_FAINT, linewidth=0.5, zorder=0)
    inside = [row for row in diagram.rows if diagram.begin <= row < diagram.end]
    axes.plot(inside, [-0.15] * len(inside), "^", color=_INK, markersize=4, clip_on=False, zorder=5)
    for begin, end in diagram.idle:
        axes.axvspan(begin, end, facecolor="none", edgecolor=_FAINT, hatch="////", linewidth=0, zorder=0)


def _lane(axes: Any, diagram: Diagram, lane: Lane, base: float) -> None:
    label = {"ha": "right", "va": "center", "color": _INK, "fontweight": "normal" if lane.is_driven else "bold"}
    axes.text(-0.012, base + 0.35, lane.path, transform=axes.get_yaxis_transform(), **label)
    if lane.starts:
        {"bool": _bool, "number": _number, "states": _states}[lane.kind](axes, diagram, lane, base)
    _marks(axes, lane, base)


def _steps(diagram: Diagram, lane: Lane) -> tuple[list[float], list[float]]:
    """The corners of a line through the values; of a lane with very many changes the least and greatest of each pixel."""
    if len(lane.starts) > _DENSE:
        span = diagram.end - diagram.begin
        xs: list[float] = []
        ys: list[float] = []
        for number, found in enumerate(binned(lane, diagram.begin, diagram.end, _BINS)):
            if found is not None:
                xs += [diagram.begin + span * number / _BINS] * 2
                ys += [found[0], found[1]]
        return xs, ys
    ends = [*lane.starts[1:], diagram.end]
    xs = [float(x) for start, end in zip(lane.starts, ends, strict=True) for x in (start, end)]
    return xs, [y for value in lane.values for y in (value, value)]


def _bool(axes: Any, diagram: Diagram, lane: Lane, base: float) -> None:
    xs, ys = _steps(diagram, lane)
    heights = [base + 0.08 + 0.54 * y for y in ys]
    axes.fill_between(xs, base + 0.08, heights, color=_FILL, linewidth=0, zorder=2)
    axes.plot(xs, heights, color=_INK, linewidth=1.1, zorder=3)


def _number(axes: Any, diagram: Diagram, lane: Lane, base: float) -> None:
    xs, ys = _steps(diagram, lane)
    low, high = min(ys), max(ys)
    scale = 0.54 / (high - low) if high > low else 0.0
    heights = [base + 0.08 + scale * (y - low) for y in ys]
    if lane.unit == "s":  # a timer is a wedge that fills
        axes.fill_between(xs, base + 0.08, heights, color=_FILL, linewidth=0, zorder=2)
    axes.plot(xs, heights, color=_INK, linewidth=1.1, zorder=3)
    unit = f" {lane.unit}" if lane.unit else ""
    side = {"transform": axes.get_yaxis_transform(), "fontsize": 7.5, "color": _INK, "ha": "left", "va": "center"}
    axes.text(1.008, base + 0.10, f"{low:.6g}{unit}", **side)
    if high > low:
        axes.text(1.008, base + 0.60, f"{high:.6g}{unit}", **side)


def _states(axes: Any, diagram: Diagram, lane: Lane, base: float) -> None:
    ends = [*lane.starts[1:], diagram.end]
    span = diagram.end - diagram.begin
    for start, end, text in zip(lane.starts, ends, lane.texts, strict=True):
        axes.fill_between(
            [start, end], base + 0.1, base + 0.6, facecolor="white", edgecolor=_INK, linewidth=0.9, zorder=2
        )
        if (end - start) / span * 130 > len(text) + 1:
            axes.text((start + end) / 2, base + 0.35, text, ha="center", va="center", fontsize=8, color=_INK, zorder=4)


def _marks(axes: Any, lane: Lane, base: float) -> None:
    right = [mark.time for mark in lane.marks if mark.is_right]
    axes.plot(right, [base + 0.76] * len(right), "|", color=_INK, markersize=4, zorder=4)
    for mark in (mark for mark in lane.marks if not mark.is_right):
        axes.plot([mark.time], [base + 0.35], "x", color=_WRONG, markersize=9, markeredgewidth=2.2, zorder=6)
        axes.annotate(
            mark.expected,
            (mark.time, base + 0.76),
            xytext=(4, 0),
            textcoords="offset points",
            color=_WRONG,
            fontsize=8,
            va="center",
            zorder=6,
        )
