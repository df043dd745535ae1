"""Drawings of wiring tables as SVG and PNG."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from upright_block.language.typed import Unit
from upright_block.language.views.wires import boxes
from upright_block.reports.diagram import HEAD, Corner, Drawn, Label, Page, pages

if TYPE_CHECKING:
    from matplotlib.axes import Axes

INK = "#1c2b27"
PALE = "#eef2ee"
_GREY = "#6b6f6d"
_COLOURS = {"tag": "#0a5c55", "value": _GREY, "late": "#a34a00", "link": "#4a5568", "wire": INK}
_DASHED = ("late", "link")
_DOTS = 100
_SMALL = 10 * 72 / _DOTS
"""The size of the font of 10 pixels, in points."""
FONTS: Any = {"svg.hashsalt": "upright", "svg.fonttype": "none", "font.family": ["DejaVu Sans Mono", "monospace"]}


def wiring_pictures(unit: Unit, kind: str) -> list[bytes]:
    """The pages of a drawing of a wiring table, each as ``svg`` or ``png``; the same table gives the same bytes."""
    found = pages(boxes(unit))
    return [_drawn(page, unit.name, _foot(page, number, len(found)), kind) for number, page in enumerate(found, 1)]


def _foot(page: Page, number: int, count: int) -> str:
    """What the signs of a page mean, and which one it is."""
    kinds = {label.kind for label in page.labels}
    parts = ["numbers: order in the scan"]
    parts += ["dashed: a box elsewhere"] if "link" in kinds else []
    parts += ["brown: of the scan before"] if "late" in kinds else []
    parts += [f"page {number} of {count}"] if count > 1 else []
    return "   ".join(parts)


def _drawn(page: Page, title: str, foot: str, kind: str) -> bytes:
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    with rc_context(FONTS):
        figure = Figure(figsize=(page.width / _DOTS, page.height / _DOTS), dpi=_DOTS, facecolor="white")
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, page.width)
        axes.set_ylim(page.height, 0)
        axes.axis("off")
        _text(axes, 24, 32, title, INK, size=_SMALL * 1.4, weight="bold")
        _text(axes, page.width - 24, 32, foot, _GREY, ha="right")
        _lines(axes, [line for wire in page.wires for line in wire.lines], INK)
        dots = [dot for wire in page.wires for dot in wire.dots]
        axes.plot([x for x, _ in dots], [y for _, y in dots], "o", markersize=3.4, color=INK)
        for name, colour in _COLOURS.items():
            _labels(axes, [label for label in page.labels if label.kind == name], colour, name in _DASHED)
        for shown in page.boxes:
            _box(axes, shown)
        out = io.BytesIO()
        figure.savefig(out, format=kind, metadata={"Date": None} if kind == "svg" else {"Software": None})
    return out.getvalue()


def _text(axes: Axes, x: float, y: float, text: str, colour: str, size: float = _SMALL, **how: Any) -> None:
    axes.text(x, y, text, fontsize=size, color=colour, parse_math=False, **how)


def _lines(axes: Axes, lines: Sequence[Sequence[Corner]], colour: str, is_dashed: bool = False) -> None:
    from matplotlib.collections import LineCollection

    style: Any = (0, (3, 2)) if is_dashed else "solid"
    axes.add_collection(LineCollection(lines, colors=colour, linewidths=0.9, linestyles=style), autolim=False)


def _labels(axes: Axes, labels: Sequence[Label], colour: str, is_dashed: bool) -> None:
    """Labels of one kind: a text on its line, which of a wire is there already, or for a value beside a short one."""
    lines = []
    for label in labels:
        end = label.x + label.width
        is_value = label.kind == "value"
        if label.kind != "wire":
            lines.append([(end - 6 if is_value else label.x, label.y), (end, label.y)])
        x, align = (label.x + 8, "left") if label.is_output else (end - 8, "right")
        _text(axes, x, label.y + (3.5 if is_value else -3), label.text, colour, ha=align)
    _lines(axes, lines, colour, is_dashed)
    ends = [(label.x + label.width, label.y) for label in labels if label.is_output and not is_dashed]
    axes.plot([x for x, _ in ends], [y for _, y in ends], ">", markersize=3.5, color=colour)


def _box(axes: Axes, shown: Drawn) -> None:
    from matplotlib.patches import Rectangle

    corner = (shown.x, shown.y)
    axes.add_patch(Rectangle(corner, shown.width, shown.height, facecolor="white", edgecolor=INK))
    axes.add_patch(Rectangle(corner, shown.width, HEAD - 2, facecolor=PALE, edgecolor=INK))
    if shown.comment:
        _text(axes, shown.x, shown.y - 4, shown.comment, _GREY, size=_SMALL * 0.95, style="italic")
    left, right = shown.x + 8, shown.x + shown.width - 8
    _text(axes, left, shown.y + 15, shown.box.name, INK, weight="bold")
    _text(axes, right, shown.y + 15, str(shown.box.number), _GREY, ha="right")
    _text(axes, left, shown.y + 29, shown.box.block, _COLOURS["tag"])
    for names, x, align in ((shown.inputs, left, "left"), (shown.outputs, right, "right")):
        for name, y in names.items():
            _text(axes, x, y + 3.5, name, INK, ha=align)
