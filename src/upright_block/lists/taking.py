"""A list of points as it comes, made into the rows of a tag table."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from upright_block.errors import BadValue, Said
from upright_block.language.field.tags import COLUMNS
from upright_block.language.names import did_you_mean, listed
from upright_block.language.nodes import fresh, record
from upright_block.lists import cells, words
from upright_block.lists.grid import BLANK, Entry, Grid, Row, book_grids, text_grids
from upright_block.lists.heads import Head, check_columns, check_heads, find_head
from upright_block.lists.numbers import Decimals
from upright_block.lists.taken import Note, Taken, TakenRow, TakenSheet

_RANGE = ("raw_low", "raw_high", "low", "high")
_ON_ONE_LINE = frozenset(COLUMNS) - {"comment"}
_NO_DATES = frozenset({"tag", "point", "type", "sense", *_RANGE, "unit", "initial"})
_FIRM = ("point", "type", "sense", *_RANGE, "stands_for", "initial", "retain")
"""Columns in which two rows of one name must agree."""


@record
class Asked:
    """What the call says of a list: the sheets to take, the row of the heads, the head that is taken for a column, and
    the sign before decimals.
    """

    sheets: Sequence[str] = ()
    head: int | None = None
    columns: Mapping[str, str] = fresh(default_factory=dict)
    decimal: str = ""


def take(file: Path | None, text: str, asked: Asked) -> Taken:
    """Read a list of points: a file, or a text that was pasted.

    Raises:
        BadValue: it is no list of tags, or something in it can be read in two ways.
    """
    if asked.decimal not in ("", ",", "."):
        raise BadValue(*words.no_decimal(asked.decimal))
    name = "The text" if file is None else file.name
    grids = _grids(file, name, text)
    chosen = _chosen(name, grids, asked.sheets)
    check_columns(asked.columns)
    found = [(grid, find_head(grid, asked.columns, asked.head)) for grid in chosen]
    if not grids[0].title and len(found) > 1:  # one text, cut with each separator that it has
        best = max(found, key=lambda each: len(each[1].columns) if each[1] else -1)
        found = [best]
    headed = [(grid, head) for grid, head in found if head is not None]
    if not headed:
        raise BadValue(*_no_head(name, [grid for grid, _ in found], asked))
    check_heads(name, [text for _, head in headed for text in head.texts if text], asked.columns)
    if not any({"point", "type", "stands_for"} & {*head.columns} for _, head in headed):
        texts = dict.fromkeys(text for _, head in headed for text in head.texts if text)
        raise BadValue(*words.no_points(name, list(texts)))
    unused = [grid for grid in grids if not any(grid is taken for taken, _ in headed)] if grids[0].title else []
    return _Taking(name, headed, unused, asked).taken()


def _grids(file: Path | None, name: str, text: str) -> list[Grid]:
    """The sheets of a file, or what its text may be."""
    if file is not None:
        try:
            content = file.read_bytes()
        except (OSError, ValueError) as problem:
            reason = problem.strerror if isinstance(problem, OSError) and problem.strerror else str(problem)
            raise BadValue(*words.unreadable(name, reason)) from None
        if content[:4] in (b"PK\x03\x04", b"\xd0\xcf\x11\xe0"):
            grids = book_grids(name, content)
            if not grids:
                raise BadValue(*words.nothing_there(name))
            return grids
        try:
            text = content.decode("utf-16" if content[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
        except UnicodeDecodeError as problem:
            raise BadValue(*words.not_utf8(name, content.count(b"\n", 0, problem.start) + 1)) from None
    grids = text_grids(name, text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n"))
    if not grids[0].rows:
        raise BadValue(*words.nothing_there(name))
    return grids


def _chosen(file: str, grids: Sequence[Grid], names: Sequence[str]) -> list[Grid]:
    if names and not grids[0].title:
        raise BadValue(*words.no_sheets(file))
    titles = {grid.title.lower(): grid for grid in grids}
    for name in names:
        if name.lower() not in titles:
            own = [grid.title for grid in grids]
            raise BadValue(*words.no_sheet(file, name, did_you_mean(name, own), own))
    return [titles[name.lower()] for name in dict.fromkeys(names)] if names else list(grids)


def _no_head(file: str, grids: Sequence[Grid], asked: Asked) -> Said:
    placed = [(grid, row) for grid in grids for row in grid.rows if asked.head in (None, row.number)]
    if not placed:
        return words.no_heads_in_row(file, asked.head or 0, ())
    grid, row = max(placed, key=lambda each: len(each[1].filled))
    check_heads(file, row.filled, asked.columns)
    if asked.head is not None:
        return words.no_heads_in_row(file, asked.head, row.filled)
    return words.no_head_row(file, grid.place(row), row.filled)


class _Taking:
    """Takes the rows of sheets whose heads are known."""

    def __init__(self, file: str, headed: Sequence[tuple[Grid, Head]], unused: Sequence[Grid], asked: Asked) -> None:
        self.file = file
        self.headed = headed
        self.asked = asked
        why = "nobody asked for it" if asked.sheets else "no row names tags"
        self.notes = [Note(grid.title, f"the sheet is left out: {why}", is_loss=True) for grid in unused]
        self.told: dict[tuple[str, str, bool], list[int]] = {}
        self.rows: dict[str, TakenRow] = {}
        self.renamed: dict[str, dict[int, str]] = {}
        self.decimals = Decimals(asked.decimal)

    def taken(self) -> Taken:
        """Everything that the sheets give.

        Raises:
            BadValue: a name stands for two points, or a cell can be read in two ways.
        """
        for grid, head in self.headed:
            for column in (*_RANGE, "initial"):
                if (n := head.columns.get(column)) is not None:
                    self.decimals.hear((row.entries[n] for row in grid.rows if n < len(row.entries)), column)
        sheets = [self._sheet(grid, self._fitting(grid, head)) for grid, head in self.headed]
        if not self.rows:
            raise BadValue(*words.no_rows(self.file))
        used = {column for sheet in sheets for column in sheet.columns}
        columns = [column for column in COLUMNS if column in used]
        columns += dict.fromkeys(column for sheet in sheets for column in sheet.kept)
        notes = [*self.notes, *(Note(sheet, said, rows, loss) for (sheet, said, loss), rows in self.told.items())]
        notes += [Note(title, _renamed(names), list(names)) for title, names in self.renamed.items()]
        return Taken(self.file, sheets, columns, list(self.rows.values()), notes)

    def _note(self, grid: Grid, row: Row, said: str, is_loss: bool = False) -> None:
        rows = self.told.setdefault((grid.title, said, is_loss), [])
        if row.number not in rows[-1:]:
            rows.append(row.number)

    def _fitting(self, grid: Grid, head: Head) -> Head:
        """The heads without those whose cells are mostly of another kind than the column has."""
        columns, kept = dict(head.columns), dict(head.kept)
        for column, fits in (("type", cells.is_type), ("sense", cells.sense)):
            n = columns.get(column)
            if n is None or column in self.asked.columns:
                continue
            texts = [row.text(n) for row in grid.rows if row.number > head.rows[-1].number and row.text(n)]
            texts = [text for text in texts if text not in cells.NOTHING and text != head.texts[n]]
            if sum(not fits(text) for text in texts) * 2 > len(texts):
                del columns[column]
                kept[n] = f"{head.texts[n]}_as_listed" if head.texts[n].lower() in COLUMNS else head.texts[n]
                said = f"{head.texts[n]} is kept and not used: {texts[0]} is no {column}"
                self.notes.append(Note(grid.title, said))
        return Head(head.rows, head.texts, columns, kept)

    def _sheet(self, grid: Grid, head: Head) -> TakenSheet:
        if grid.hidden:
            self.notes.append(Note(grid.title, f"hidden, and read all the same: {grid.hidden}"))
        first, last = head.rows[0].number, head.rows[-1].number
        before = len(self.rows)
        for row in grid.rows:
            if row.number < first:
                self._note(grid, row, "left out: above the heads", is_loss=True)
            elif row.number > last:
                self._row(grid, head, row)
        kept = dict(sorted(head.kept.items()))
        columns = {column: head.texts[n] for column, n in sorted(head.columns.items(), key=lambda each: each[1])}
        return TakenSheet(
            grid.title, [row.number for row in head.rows], columns, list(kept.values()), len(self.rows) - before
        )

    # --- rows ---

    def _row(self, grid: Grid, head: Head, row: Row) -> None:
        reason = self._why_not(head, row)
        if reason:
            self._note(grid, row, f"left out: {reason}", is_loss=True)
            return
        taken = TakenRow(dict(self._cells(grid, head, row)), self._text(head, row, "tag"), grid.title, row.number)
        other = self.rows.setdefault(taken.key, taken)
        if other is not taken:
            self._second(grid, row, taken, other)

    def _second(self, grid: Grid, row: Row, taken: TakenRow, other: TakenRow) -> None:
        """A row whose name another has: it must say the same of its point, and is left out."""
        places = [f"{grid.file}, {each.place}" for each in (other, taken)]
        if taken.listed_as.upper() != other.listed_as.upper():
            raise BadValue(
                *words.one_name_of_two(taken.cells["tag"], other.listed_as, places[0], taken.listed_as, places[1])
            )
        differing = [
            column
            for column in {**other.cells, **taken.cells}
            if other.text(column) != taken.text(column) and column != "tag"
        ]
        for column in differing:
            if column in _FIRM:
                first, second = (each.text(column) or "nothing" for each in (other, taken))
                raise BadValue(*words.two_of_one_name(taken.cells["tag"], column, first, places[0], second, places[1]))
        said = (
            f"left out: there already on sheet {other.sheet}"
            if other.sheet != grid.title
            else "left out: there already"
        )
        if differing:
            said = f"left out: {taken.cells['tag']} is there already, {other.place}, with another {listed(differing)}"
        self._note(grid, row, said, is_loss=True)

    def _why_not(self, head: Head, row: Row) -> str:
        """Why a row is no tag; empty where it is one."""
        filled = [text for text in row.filled if text not in cells.NOTHING]
        tag, point = self._text(head, row, "tag"), self._text(head, row, "point")
        if not filled:
            return "nothing in it but dashes"
        if head.repeats(row):
            return "the heads again"
        if len(filled) == 1 and len(head.columns) > 1 and not point:
            return f"a line of text: {filled[0]}"
        if not tag:
            return "spare, a point without a name" if point else f"no name and no point: {filled[0]}"
        if cells.is_spare(tag):
            return f"spare, called {tag}"
        if not any(self._text(head, row, column) for column in ("point", "type", "stands_for")):
            return f"neither a point nor a type: {tag}"
        return ""

    def _text(self, head: Head, row: Row, column: str) -> str:
        n = head.columns.get(column)
        text = "" if n is None else row.text(n)
        return "" if text in cells.NOTHING else " ".join(text.split())

    # --- cells ---

    def _cells(self, grid: Grid, head: Head, row: Row) -> Iterator[tuple[str, str]]:
        columns = {**head.kept, **{n: column for column, n in head.columns.items()}}
        for n in sorted(columns):
            entry = row.entries[n] if n < len(row.entries) else BLANK
            if entry.text in cells.NOTHING:
                self._note(grid, row, f"{entry.text} is taken for an empty cell")
                entry = BLANK
            column = columns[n]
            is_used = n not in head.kept
            entry = self._saved(grid, row, n, column, entry, is_needed=is_used and column != "comment")
            yield column, self._cell(grid, row, n, column, entry) if is_used else entry.text

    def _saved(self, grid: Grid, row: Row, n: int, column: str, entry: Entry, *, is_needed: bool) -> Entry:
        """A cell without what a spreadsheet made of it, which is told; where its column is needed it is refused."""
        place = grid.place(row, n)
        if entry.kind in ("formula", "error"):
            said = words.no_saved_value(place) if entry.kind == "formula" else words.error_value(place, entry.text)
            if is_needed:
                raise BadValue(*said)
            self._note(grid, row, f"{column} is a formula without a value, and left out", is_loss=True)
            return BLANK
        if entry.kind == "date" and column in _NO_DATES:
            raise BadValue(*words.turned(place, entry.text))
        if entry.kind == "power":
            self._note(grid, row, f"the spreadsheet shows a power of ten; it is {entry.text}")
        return entry

    def _cell(self, grid: Grid, row: Row, n: int, column: str, entry: Entry) -> str:
        """A cell in the form of a tag table; what has none stays as it is written, and is told."""
        text = " ".join(entry.text.split()) if column in _ON_ONE_LINE else entry.text
        made: str | None = text
        match column:
            case "tag":
                made = cells.name(text) or None
                if made and made != text:
                    self.renamed.setdefault(grid.title, {})[row.number] = f"{text} becomes {made}"
            case "point":
                made = cells.address(text) if text else text
            case "sense":
                made = cells.sense(text) if text else text
            case "raw_low" | "raw_high" | "low" | "high" | "initial" if text and entry.kind != "number":
                made = self.decimals.text(text, column, grid.place(row, n), lambda said: self._note(grid, row, said))
        if made is None:
            self._note(grid, row, f"{text} is no {_CALLED[column]}, and stays as it is")
        return text if made is None else made


_CALLED = {"tag": "name", "point": "address", "sense": "sense of a contact"} | dict.fromkeys(
    (*_RANGE, "initial"), "number"
)


def _renamed(names: Mapping[int, str]) -> str:
    """That names of a list become names of the language, by the rows that they stand in."""
    return f"a name has letters, digits and _: {listed(names.values(), 3)}"
