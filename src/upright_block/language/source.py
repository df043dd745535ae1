"""A text with a name, and places in it."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

from upright_block.language.nodes import node


@node
class Cell:
    """The text of a cell and its offsets in the source of the table. An empty text says nothing."""

    text: str
    start: int
    end: int


class Source:
    """One text as it was read: a block source, a case file, a table; ``form`` says how units are written in it, empty
    where none are.

    Offsets everywhere in the language layer are character offsets into ``text``.
    Lines and columns count from 1, as editors show them.
    """

    __slots__ = ("_line_starts", "form", "path", "text")

    def __init__(self, path: str, text: str, form: str = "") -> None:
        self.path = path
        self.text = text
        self.form = form
        self._line_starts: list[int] | None = None

    def __repr__(self) -> str:
        return f"Source({self.path!r})"

    def _starts(self) -> list[int]:
        if self._line_starts is None:
            starts = [0]
            find = self.text.find
            offset = find("\n")
            while offset >= 0:
                starts.append(offset + 1)
                offset = find("\n", offset + 1)
            self._line_starts = starts
        return self._line_starts

    @property
    def name(self) -> str:
        """The file, for people."""
        return self.path

    def line(self, offset: int) -> int:
        """The line that holds the character at ``offset``."""
        return bisect_right(self._starts(), offset)

    def column(self, offset: int) -> int:
        """The column of the character at ``offset`` in its line."""
        return offset - self._starts()[self.line(offset) - 1] + 1

    def line_start(self, line: int) -> int:
        """The offset of the first character of a line."""
        return self._starts()[line - 1]

    def line_text(self, line: int) -> str:
        """The text of a line without its line end; empty beyond the last line."""
        starts = self._starts()
        if not 1 <= line <= len(starts):
            return ""
        end = starts[line] - 1 if line < len(starts) else len(self.text)
        return self.text[starts[line - 1] : end].rstrip("\r")

    def shown_line(self, offset: int) -> str:
        """The file and the line of a place, for people."""
        return f"{self.name}:{self.line(offset)}"

    def shown(self, offset: int) -> str:
        """The file, the line and the column of a place, for people."""
        return f"{self.shown_line(offset)}:{self.column(offset)}"

    def place(self, offset: int) -> dict[str, str | int]:
        """A place as data: ``file``, ``line`` and ``column``."""
        return {"file": self.path, "line": self.line(offset), "column": self.column(offset)}


class Sheet(Source):
    """A sheet of a spreadsheet: each row is a line of ``text``, with a tab between two cells.

    Lines are rows and columns are those of cells, both counted from 1 as the spreadsheet does. ``is_only`` says that
    its workbook has no other that holds something.
    """

    __slots__ = ("is_only", "sheet")

    def __init__(self, path: str, sheet: str, rows: Sequence[Sequence[str]]) -> None:
        """``rows`` have the texts of the cells; white space in a cell is shown as blanks."""
        super().__init__(path, "\n".join(["\t".join([_on_one_line(cell) for cell in row]) for row in rows]))
        self.sheet = sheet
        self.is_only = False

    def column(self, offset: int) -> int:
        """The column of the cell at ``offset``."""
        line_start = self._starts()[self.line(offset) - 1]
        return self.text.count("\t", line_start, offset) + 1

    @property
    def name(self) -> str:
        """The file and the sheet, for people."""
        return f"{self.path}, sheet {self.sheet}"

    def start(self, row: int, column: int) -> int:
        """The offset of a cell; rows and columns count from 1."""
        offset = self._starts()[row - 1]
        for _ in range(column - 1):
            offset = self.text.index("\t", offset) + 1
        return offset

    def shown_line(self, offset: int) -> str:
        """The file, the sheet and the row of a place, for people."""
        return f"{self.name}, row {self.line(offset)}"

    def shown(self, offset: int) -> str:
        """The file, the sheet, the row and the letters of the column of a place, for people."""
        return f"{self.shown_line(offset)}, column {column_letters(self.column(offset))}"

    def place(self, offset: int) -> dict[str, str | int]:
        """A place as data: ``file``, ``sheet``, ``row`` and ``column``."""
        return {"file": self.path, "sheet": self.sheet, "row": self.line(offset), "column": self.column(offset)}


def column_number(letters: str) -> int:
    """The column of a spreadsheet with these letters in upper case: 1 for A, 27 for AA."""
    number = 0
    for letter in letters:
        number = 26 * number + ord(letter) - ord("A") + 1
    return number


def column_letters(column: int) -> str:
    """The letters of a column of a spreadsheet: A for 1, AA for 27."""
    letters = ""
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters


def _on_one_line(cell: str) -> str:
    """A cell as one word of a line: any white space in it, also that which ends lines, becomes a blank."""
    return "".join([" " if char.isspace() else char for char in cell])
