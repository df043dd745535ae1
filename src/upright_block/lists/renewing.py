"""A list laid over the tag table that an earlier one gave: what changed, and what was filled in between stays."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from upright_block.errors import BadValue
from upright_block.language.field.tags import COLUMNS
from upright_block.language.names import listed
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.library.sheets import csv_lines, unguarded
from upright_block.library.table import Table, delimiter, spans, table_of
from upright_block.lists import words
from upright_block.lists.taken import Note, Taken

_MANY = 5
"""Rows that may leave a table, or a tenth of it, before it is said first that so many do."""


@record
class Renewed:
    """The text of a table after a list was laid over it, and what happened to its rows; nothing of a new table."""

    text: str
    notes: Sequence[Note]


@record
class _Line:
    """A row of the table that is there: its cells by column, the remarks above it, and its text."""

    cells: Mapping[str, str]
    above: str
    text: str

    @property
    def key(self) -> str:
        return self.cells.get("tag", "").upper()


def renewed(table: Source, taken: Taken) -> Renewed:
    """Lay a list over a table. Its rows stay in their order, and keep the columns that the list does not have; in the
    others the list wins. New rows go below the one that is before them in the list. Rows that the list does not have
    leave the table, but for those that stand for something else, where the list has none of these.

    Raises:
        BadValue: the table has rows that do not fit its columns.
    """
    if not table.text.strip():
        rows = [[row.text(column) for column in taken.columns] for row in taken.rows]
        return Renewed(csv_lines([taken.columns, *rows]), ())
    read = table_of(table, skips_blank=True)
    heads, lines = _read(read)
    added = [column for column in taken.columns if column.lower() not in map(str.lower, heads)]
    names = {column.lower(): column for column in taken.columns}
    own = [names.get(head.lower(), head) for head in heads] + added
    end = "\r\n" if "\r\n" in table.text else "\n"
    separator = delimiter(read)
    by_key = {line.key: line for line in lines}
    wanted = {row.key: row for row in taken.rows}
    notes = _Notes(table.path)

    placed: dict[str, list[str]] = {}
    after = ""
    for row in taken.rows:
        if row.key in by_key:
            after = row.key
        else:
            placed.setdefault(after, []).append(row.key)
            notes.new.append(row.cells["tag"])

    def written(*rows: Mapping[str, str]) -> str:
        return csv_lines([[cells.get(column, "") for column in own] for cells in rows], separator, end)

    first = table.line(read.heads[0].start)
    head_start, rows_start = table.line_start(first), spans(read)[0][0] if lines else len(table.text)
    out = [table.text[:head_start], table.text[head_start:rows_start]]
    if added:
        out[1] = csv_lines([[*heads, *added]], separator, end)
    elif not out[1].endswith("\n"):
        out[1] += end
    out.append(written(*(wanted[key].cells for key in placed.get("", ()))))
    for line in lines:
        out.append(line.above)
        found = wanted.get(line.key) if by_key[line.key] is line else None
        if found is not None:
            merged = {**line.cells, **found.cells}
            notes.compare(line.cells, merged)
            is_same = not added and all(merged.get(column, "") == line.cells.get(column, "") for column in own)
            out.append(line.text if is_same else written(merged))
            out.append(written(*(wanted[key].cells for key in placed.get(line.key, ()))))
        elif "stands_for" in line.cells and "stands_for" not in taken.columns:
            notes.kept.append(line.cells.get("tag", ""))
            out.append(written(line.cells) if added else line.text)
        else:
            notes.gone.append(line.cells.get("tag", "a row without a name"))
    out.append(table.text[spans(read)[-1][1] :] if lines else "")
    return Renewed("".join(out), notes.told(len(lines)))


def _read(read: Table) -> tuple[list[str], list[_Line]]:
    """The heads of a table, and its rows."""
    table = read.source
    texts = [unguarded(head.text) for head in read.heads]
    heads = [text.lower() if text.lower() in COLUMNS else text for text in texts]
    if read.flaws or "tag" not in heads:
        raise BadValue(*words.table_with_flaws(table.path))
    lines: list[_Line] = []
    for start, (begin, stop) in zip(read.starts, spans(read), strict=True):
        texts = [unguarded(cell.text).replace("\r\n", "\n") for cell in read.split(start)]
        cells = {head: text for head, text in zip(heads, texts, strict=False) if text}
        text = table.text[start:stop]
        lines.append(_Line(cells, table.text[begin:start], text if text.endswith("\n") else text + "\n"))
    return heads, lines


class _Notes:
    """What happened to the rows of a table."""

    def __init__(self, path: str) -> None:
        self.path = path
        self.new: list[str] = []
        self.gone: list[str] = []
        self.kept: list[str] = []
        self.changed: dict[str, list[str]] = {}
        self.emptied: list[str] = []

    def compare(self, before: Mapping[str, str], after: Mapping[str, str]) -> None:
        for column, text in after.items():
            old = before.get(column, "")
            if old != text:
                self.changed.setdefault(column, []).append(after["tag"])
                if not text:
                    self.emptied.append(f"{column} of {after['tag']} ({old})")

    def told(self, rows: int) -> list[Note]:
        """What is said of it; many rows that leave the table come first."""
        notes: list[Note] = []
        if self.gone:
            many = len(self.gone) > max(_MANY, rows // 10)
            said = f"{len(self.gone)} of {rows} rows are not in the list and leave the table: {listed(self.gone)}"
            notes.append(Note(self.path, said + (". Is it the right table?" if many else ""), is_loss=True))
        if self.new:
            notes.append(Note(self.path, f"{len(self.new)} new: {listed(self.new)}"))
        for column, tags in self.changed.items():
            notes.append(Note(self.path, f"{column} changes for {len(tags)}: {listed(tags)}"))
        if self.emptied:
            notes.append(Note(self.path, f"emptied, as in the list: {listed(self.emptied)}", is_loss=True))
        if self.kept:
            notes.append(Note(self.path, f"stay, since the list says nothing of second names: {listed(self.kept)}"))
        return notes
