"""What a list gave: the rows of a tag table, and what was taken for what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from upright_block.language.nodes import record
from upright_block.library.writing import Changes


@record
class TakenRow:
    """A row for a tag table: a cell, which may be empty, for each column that its sheet has, the name that it has in
    the list, and where it stands there.
    """

    cells: Mapping[str, str]
    listed_as: str
    sheet: str
    number: int

    @property
    def key(self) -> str:
        return self.cells["tag"].upper()

    @property
    def place(self) -> str:
        """Its sheet and its row, for people."""
        return f"sheet {self.sheet}, row {self.number}" if self.sheet else f"row {self.number}"

    def text(self, column: str) -> str:
        """What it says in a column; empty where it says nothing."""
        return self.cells.get(column, "")


@record
class TakenSheet:
    """A sheet that was read: its title, the rows of its heads, the head of each column of a tag table, the columns that
    stay beside them, and how many tags it has.
    """

    title: str
    head_rows: Sequence[int]
    columns: Mapping[str, str]
    kept: Sequence[str]
    count: int


@record
class Note:
    """Something that was done with rows of a sheet, or of a table, and in which of them; with the whole of it without
    ``rows``.

    ``is_loss`` says that something of the list is not in the table.
    """

    where: str
    said: str
    rows: Sequence[int] = ()
    is_loss: bool = False


@record
class Taken:
    """A list as it was read."""

    file: str
    sheets: Sequence[TakenSheet]
    columns: Sequence[str]
    rows: Sequence[TakenRow]
    notes: Sequence[Note]


@record
class Imported:
    """A list that is laid over a tag table: what was taken, what happens to the rows of the table, and its text before
    and after. Nothing is written.
    """

    taken: Taken
    notes: Sequence[Note]
    changes: Changes
