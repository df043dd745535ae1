"""Lines put below each other: what belongs in columns stands in columns."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from upright_block.language.nodes import state

_STEP = 4
_LONG_LINE = 60
"""A declaration longer than this has its comment right behind it."""


@state
class TextLine:
    """A line of text: ``cells`` stand in columns with those of other lines of its ``group``, and its comment with
    others of its ``unit``.

    The last cell of a line is as long as it is, whatever others have there. Lines without a group are one cell.
    """

    indent: int
    cells: list[str]
    comment: str = ""
    group: object = None
    unit: object = None

    @property
    def text(self) -> str:
        """The line without its comment."""
        return " " * self.indent + " ".join(self.cells)


def written(lines: Sequence[TextLine]) -> list[str]:
    """The lines as text; one without cells is empty."""
    for group in _by((line for line in lines if line.group is not None), "group"):
        _align(group)
    column: dict[int, int] = {}
    for unit in _by((line for line in lines if line.unit is not None and line.comment), "unit"):
        column |= dict.fromkeys(map(id, unit), _comment_column(unit))
    found: list[str] = []
    for line in lines:
        text = line.text if line.cells else ""
        if line.comment:
            text = f"{text:<{column.get(id(line), 0)}}" if text else " " * line.indent
            text += line.comment if text.endswith(" ") or not text else f" {line.comment}"
        found.append(text.rstrip())
    return found


def _by(lines: Iterable[TextLine], key: str) -> Iterable[list[TextLine]]:
    found: dict[int, list[TextLine]] = {}
    for line in lines:
        found.setdefault(id(getattr(line, key)), []).append(line)
    return found.values()


def _align(lines: Sequence[TextLine]) -> None:
    """Make the cells of lines as wide as the widest of those that another cell follows."""
    for number in range(max(len(line.cells) for line in lines) - 1):
        rows = [line.cells for line in lines if len(line.cells) > number + 1]
        width = max(len(cells[number]) for cells in rows)
        for cells in rows:
            cells[number] = f"{cells[number]:<{width}}"


def _comment_column(lines: Sequence[TextLine]) -> int:
    """The first multiple of four that is at least one blank behind all of them that are not long."""
    longest = max((len(line.text) for line in lines if len(line.text) <= _LONG_LINE), default=0)
    return -(-(longest + 1) // _STEP) * _STEP
