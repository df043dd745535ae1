"""The lines of a rung as a field of characters, each with its place in the source."""

from __future__ import annotations

from upright_block.language.nodes import node, record


@record
class Line:
    """A line of a ladder: its text from its first character that is no blank, without a comment behind it; where that
    begins in the source, and in which column.
    """

    text: str
    start: int
    column: int


@node
class Grid:
    """A rung: rows and columns count from 0; what lies outside of a row is blank."""

    lines: tuple[Line, ...]

    @property
    def rows(self) -> int:
        return len(self.lines)

    @property
    def width(self) -> int:
        return max(len(line.text) for line in self.lines)

    def at(self, row: int, column: int) -> str:
        """The character at a place."""
        if 0 <= row < len(self.lines) and 0 <= column < len(self.lines[row].text):
            return self.lines[row].text[column]
        return " "

    def text(self, row: int, left: int, right: int) -> str:
        """The characters of a row from one column to another, both included."""
        return "".join(self.at(row, column) for column in range(left, right + 1))

    def place(self, row: int, column: int) -> int:
        """Where a character stands in the source."""
        line = self.lines[min(max(row, 0), len(self.lines) - 1)]
        return line.start + min(max(column, 0), len(line.text))
