"""Rungs on paper: pages of A4 across, with a title block, comments, and where else the variable of a coil stands."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from upright_block.language.nodes import record
from upright_block.language.parsing.ladder import Element, Joint, Word
from upright_block.language.rungs.drawings import Drawing, drawn_rungs
from upright_block.language.typed import Unit
from upright_block.reports.drawing import FONTS, INK

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_DOTS = 100
_WIDE, _HIGH = 1169, 827
"""A4 across, in dots of a hundredth of an inch."""
_EDGE, _TITLE, _NUMBERS, _NOTES = 36, 58, 44, 150
_MOST_LETTER = 7.2
_ROW = 2.3
"""The height of a row, in widths of a letter."""
_GREY = "#6b6f6d"
_BETWEEN = 1.2
"""Rows between two rungs."""


@record
class _Placed:
    """A rung on a page: its number, from 1, and the y of its first row."""

    number: int
    drawing: Drawing
    y: float


def rung_pictures(unit: Unit, kind: str, title: str, *, folds: bool = False) -> list[bytes]:
    """The pages of the rungs of a unit, each as ``svg`` or ``png``; the same unit gives the same bytes.

    ``title`` stands in the title block beside its name. The widest rung and the highest one fit on a page; with
    ``folds`` what is too wide is carried on in other rungs.
    """
    found = drawn_rungs(unit, folds=folds)
    columns = max((drawing.network.grid.width for drawing in found), default=1)
    rows = max((_rows(drawing) for drawing in found), default=1)
    across = (_WIDE - 2 * _EDGE - _NUMBERS - _NOTES) / columns
    letter = min(across, (_HIGH - _TITLE - 2 * _EDGE) / rows / _ROW, _MOST_LETTER)
    pages = _pages(found, letter * _ROW)
    where = {each.number: page for page, own in enumerate(pages, 1) for each in own}
    uses = _Uses(found, where)
    return [_page(unit, own, uses, letter, (number, len(pages), title), kind) for number, own in enumerate(pages, 1)]


def _pages(found: Sequence[Drawing], row: float) -> list[list[_Placed]]:
    pages: list[list[_Placed]] = [[]]
    y = float(_EDGE)
    for number, drawing in enumerate(found, 1):
        high = _rows(drawing) * row
        if y + high > _HIGH - _TITLE - _EDGE and pages[-1]:
            pages.append([])
            y = float(_EDGE)
        pages[-1].append(_Placed(number, drawing, y + len(drawing.comment) * row))
        y += high + _BETWEEN * row
    return pages


def _rows(drawing: Drawing) -> int:
    return len(drawing.comment) + drawing.network.grid.rows


class _Uses:
    """In which rungs the variables of coils stand besides."""

    def __init__(self, found: Sequence[Drawing], page_of: dict[int, int]) -> None:
        self.page_of = page_of
        self.read: dict[str, list[int]] = {}
        self.written: dict[str, list[int]] = {}
        for number, drawing in enumerate(found, 1):
            read, written = _names(drawing)
            for names, known in ((read, self.read), (written, self.written)):
                for name in names:
                    known.setdefault(name.upper(), []).append(number)

    def told(self, name: str, own: int) -> str:
        """Where a variable is read, and where it is written besides the rung at hand."""
        here = self.page_of[own]

        def listed(numbers: Sequence[int]) -> str:
            return " ".join(
                f"{n}" if self.page_of[n] == here else f"{n} (page {self.page_of[n]})" for n in numbers if n != own
            )

        read = listed(self.read.get(name.upper(), ()))
        written = listed(self.written.get(name.upper(), ()))
        parts = [f"read in {read}"] * bool(read) + [f"written in {written}"] * bool(written)
        return ", ".join(parts)


_SET = re.compile(r"([A-Za-z_][\w.]*)(\s*:=)?")


def _names(drawing: Drawing) -> tuple[set[str], set[str]]:
    """The names that a rung reads, and those that it writes."""
    network = drawing.network
    read, written = set[str](), set[str]()
    for element in network.elements.found:
        if element.kind == "box":
            read |= {feed.text for _, feed in network.inputs[element] if isinstance(feed, Word)}
            written |= {word.text for _, word in network.outputs[element]}
            for found in (found for line in element.lines for found in _SET.finditer(line.text)):
                (written if found[2] else read).add(found[1])
        else:
            names = {word.text for word in (element.operand, element.other) if word is not None}
            (written if element.kind == "coil" else read).update(names)
    return read, written


def _page(
    unit: Unit, own: Sequence[_Placed], uses: _Uses, letter: float, about: tuple[int, int, str], kind: str
) -> bytes:
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    with rc_context(FONTS):
        figure = Figure(figsize=(_WIDE / _DOTS, _HIGH / _DOTS), dpi=_DOTS, facecolor="white")
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, _WIDE)
        axes.set_ylim(_HIGH, 0)
        axes.axis("off")
        for placed in own:
            _Drawer(axes, unit, placed, uses, letter).draw()
        _title(axes, unit, about)
        out = io.BytesIO()
        figure.savefig(out, format=kind, metadata={"Date": None} if kind == "svg" else {"Software": None})
    return out.getvalue()


def _title(axes: Axes, unit: Unit, about: tuple[int, int, str]) -> None:
    """The title block at the foot of a page."""
    from matplotlib.patches import Rectangle

    number, count, title = about
    top = _HIGH - _EDGE / 2 - _TITLE
    axes.add_patch(Rectangle((_EDGE, top), _WIDE - 2 * _EDGE, _TITLE, fill=False, edgecolor=INK, linewidth=0.9))
    for x in (_WIDE * 0.42, _WIDE - _EDGE - 130):
        axes.plot([x, x], [top, top + _TITLE], color=INK, linewidth=0.9)
    _text(axes, _EDGE + 12, top + 24, unit.full_name, 13, weight="bold")
    first = unit.comment.splitlines()[0] if unit.comment else ""
    _text(axes, _EDGE + 12, top + 44, _cut(first, 62), 8.5, colour=_GREY)
    _text(axes, _WIDE * 0.42 + 12, top + 24, title, 10)
    _text(axes, _WIDE * 0.42 + 12, top + 44, unit.source.name, 8.5, colour=_GREY)
    _text(axes, _WIDE - _EDGE - 65, top + 35, f"page {number} of {count}", 10, ha="center")


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"


def _text(axes: Axes, x: float, y: float, text: str, pixels: float, colour: str = INK, **how: Any) -> None:
    axes.text(x, y, text, fontsize=pixels * 72 / _DOTS, color=colour, parse_math=False, **how)


class _Drawer:
    """Draws one rung."""

    def __init__(self, axes: Axes, unit: Unit, placed: _Placed, uses: _Uses, letter: float) -> None:
        self.axes = axes
        self.unit = unit
        self.placed = placed
        self.uses = uses
        self.letter = letter
        self.row = letter * _ROW
        self.network = placed.drawing.network
        self.grid = self.network.grid
        self.left = _EDGE + _NUMBERS
        self.lines: list[list[tuple[float, float]]] = []

    def x(self, column: float) -> float:
        """The middle of a column."""
        return self.left + (column + 0.5) * self.letter

    def y(self, row: float) -> float:
        """The middle of a row."""
        return self.placed.y + (row + 0.5) * self.row

    def draw(self) -> None:
        """Draw all of it."""
        from matplotlib.collections import LineCollection

        self._rails()
        for row, left, right in self.network.links():
            self.lines.append([(self.x(left - self._reach(row, left - 1)), self.y(row)), self._end(row, right)])
        for joint in dict.fromkeys(self.network.joints.values()):
            self._joint(joint)
        for element in self.network.elements.found:
            self._element(element)
        for word in self.network.elements.words:
            self._word(word.row, word.left, word.text)
        self.axes.add_collection(LineCollection(self.lines, colors=INK, linewidths=0.9), autolim=False)
        self._notes()

    def _reach(self, row: int, column: int) -> float:
        """How far a link goes on into what stands beside it: to the middle of a joint, a bar or a rail."""
        return 1.0 if self.grid.at(row, column) in "+|()" else 0.5

    def _end(self, row: int, right: int) -> tuple[float, float]:
        return self.x(right + self._reach(row, right + 1)), self.y(row)

    def _rails(self) -> None:
        rail = self.network.elements.right_rail
        for column in (0, rail) if rail < self.grid.width else (0,):
            self.lines.append([(self.x(column), self.y(-0.5)), (self.x(column), self.y(self.grid.rows - 0.5))])

    def _joint(self, joint: Joint) -> None:
        ends = [row for row in range(joint.row, joint.bottom + 1) if self.grid.at(row, joint.column) == "+"]
        self.lines.append([(self.x(joint.column), self.y(ends[0])), (self.x(joint.column), self.y(ends[-1]))])
        for row in ends:
            beside = self.grid.at(row, joint.column - 1), self.grid.at(row, joint.column + 1)
            if beside == ("-", "-") or ends[0] < row < ends[-1]:
                self.axes.plot([self.x(joint.column)], [self.y(row)], "o", color=INK, markersize=self.letter * 0.42)

    def _element(self, element: Element) -> None:
        if element.kind == "box":
            self._box(element)
            return
        y, low, high = self.y(element.row), -0.42 * self.row, 0.42 * self.row
        sign = element.sign if element.sign.strip() else ""
        middle = self.x((element.left + element.right) / 2)
        if element.kind in ("contact", "compare"):
            for column in (element.left, element.right):
                self.lines.append([(self.x(column), y + low), (self.x(column), y + high)])
            if sign == "/":
                self.lines.append([(self.x(element.left) + 1, y + high), (self.x(element.right) - 1, y + low)])
                sign = ""
        elif element.kind == "coil":
            self._arcs(element, y)
            if sign == "/":
                self.lines.append(
                    [(middle - self.letter * 0.5, y + high * 0.8), (middle + self.letter * 0.5, y + low * 0.8)]
                )
                sign = ""
        else:
            sign = f"▸ {element.sign}" if element.kind == "jump" else "RETURN ▸"
        if sign:
            self._letters(middle, element.row, sign, ha="center")
        if element.type is not None:
            self._word(element.type.row, element.type.left, element.type.text)

    def _arcs(self, element: Element, y: float) -> None:
        from matplotlib.patches import Arc

        for column, turned in ((element.left, 180), (element.right, 0)):
            at = self.x(column) + self.letter * (0.9 if turned else -0.9)
            arc = Arc((at, y), self.letter * 1.8, self.row * 0.95, angle=turned, theta1=-65, theta2=65)
            arc.set_edgecolor(INK)
            arc.set_linewidth(0.9)
            self.axes.add_patch(arc)

    def _box(self, box: Element) -> None:
        from matplotlib.patches import Circle, Rectangle

        corner = (self.x(box.left), self.y(box.top))
        wide, high = self.x(box.right) - corner[0], self.y(box.bottom) - corner[1]
        self.axes.add_patch(Rectangle(corner, wide, high, facecolor="white", edgecolor=INK, linewidth=0.9, zorder=1.5))
        for row in range(box.top + 1, box.bottom):
            inside = self.grid.text(row, box.left + 1, box.right - 1)
            if row == box.top + 1:
                self._letters((corner[0] + corner[0] + wide) / 2, row, box.sign, ha="center", weight="bold")
            elif inside.strip():
                self._word(row, box.left + 1, inside)
        for pin in box.pins:
            if pin.is_negated:
                wall, side = (box.left, -1) if pin.is_input else (box.right, 1)
                at = self.x(wall) + side * self.letter * 0.45
                end = self.x(wall + 2 * side)
                self.lines.append([(at + side * self.letter * 0.45, self.y(pin.row)), (end, self.y(pin.row))])
                circle = Circle((at, self.y(pin.row)), self.letter * 0.45, facecolor="white", edgecolor=INK, zorder=2.5)
                self.axes.add_patch(circle)

    def _word(self, row: int, left: int, text: str) -> None:
        for start, part in _parts(text):
            self._letters(self.x(left + start) - self.letter / 2, row, part)

    def _letters(self, x: float, row: float, text: str, **how: Any) -> None:
        _text(self.axes, x, self.y(row), text, self.letter / 0.602, va="center_baseline", **how)

    def _notes(self) -> None:
        """The number of the rung, its comment above it, and at the right what is to be said of its coils."""
        number, drawing = self.placed.number, self.placed.drawing
        _text(
            self.axes,
            _EDGE + _NUMBERS - 12,
            self.y(0),
            str(number),
            11,
            ha="right",
            va="center_baseline",
            weight="bold",
        )
        line = self.unit.source.line(drawing.start)
        _text(self.axes, _EDGE + _NUMBERS - 12, self.y(0.8), f"line {line}", 7, colour=_GREY, ha="right")
        for back, text in enumerate(reversed(drawing.comment), 1):
            y = self.y(-back)
            _text(self.axes, self.left + 4, y, _cut(text, 130), 9.5, colour=_GREY, va="center_baseline", style="italic")
        edge = self.x(self.grid.width) + 6
        for element in self.network.elements.found:
            if element.kind == "coil" and element.operand is not None:
                told = self.uses.told(element.operand.text, number)
                variable = self.unit.variables.get(element.operand.text.upper())
                comment = variable.comment.splitlines()[0] if variable is not None and variable.comment else ""
                most = int((_WIDE - _EDGE - edge) / 5.0)
                for down, text in enumerate(filter(None, (comment, told))):
                    _text(self.axes, edge, self.y(element.row - 0.55 + 0.75 * down), _cut(text, most), 8, colour=_GREY)


def _parts(text: str) -> Iterator[tuple[int, str]]:
    """The words of a text with their columns, so that they stand where they do in characters."""
    at = 0
    for part in text.split(" "):
        if part:
            yield at, part
        at += len(part) + 1
