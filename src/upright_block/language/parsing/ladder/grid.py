"""The lines of a rung as a field of characters, each with its place in the source."""

from __future__ import annotations

import re

from upright_block.language.nodes import record

QUOTED = re.compile(r"""'(?:[^'$]|\$.)*'|"(?:[^"$]|\$.)*["]""")
"""A text in a row, in which anything may stand."""
_LINKS, _WALLS, _JOINTS = "─━═╌┄‐‑‒–—−", "│┃║", "┌┐└┘├┤┬┴┼╔╗╚╝"
ASCII = str.maketrans(
    dict.fromkeys(_LINKS, "-") | dict.fromkeys(_WALLS, "|") | dict.fromkeys(_JOINTS, "+") | {"\u00a0": " "}
)
"""What is meant by characters that look like those of a ladder."""


@record
class Line:
    """A line of a ladder: its text from its first character that is no blank, without a comment behind it; where that
    begins in the source, and in which column.
    """

    text: str
    start: int
    column: int


class Grid:
    """A rung: rows and columns count from 0; what lies outside of a row is blank."""

    def __init__(self, lines: tuple[Line, ...]) -> None:
        self.lines = lines
        self.rows = len(lines)
        self.width = max(len(line.text) for line in lines)
        self.padded = [line.text.ljust(self.width) for line in lines]

    def at(self, row: int, column: int) -> str:
        """The character at a place."""
        if 0 <= row < self.rows and 0 <= column < self.width:
            return self.padded[row][column]
        return " "

    def text(self, row: int, left: int, right: int) -> str:
        """The characters of a row from one column to another, both included."""
        if not 0 <= row < self.rows:
            return " " * (right - left + 1)
        return self.padded[row][max(left, 0) : right + 1].ljust(right - left + 1)

    def place(self, row: int, column: int) -> int:
        """Where a character stands in the source."""
        line = self.lines[min(max(row, 0), len(self.lines) - 1)]
        return line.start + min(max(column, 0), len(line.text))
