"""A list laid over the tag table that an earlier one gave: what changed, and what was filled in between stays."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from upright_block.errors import BadValue
from upright_block.language.field.tags import COLUMNS
from upright_block.language.names import listed
from upright_block.language.nodes import record
from upright_block.language.source import Source
from upright_block.library.sheets import csv_lines, unguarded
from upright_block.library.table import delimiter_of, table_of
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
    """A row of the table that is there: its cells by column, and its text with the end of the line."""

    cells: Mapping[str, str]
    text: str
    number: int


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
    heads, lines, head_text = _read(table)
    added = [column for column in taken.columns if column.lower() not in map(str.lower, heads)]
    names = {column.lower(): column for column in taken.columns}
    own = [names.get(head.lower(), head) for head in heads] + added
    end = "\r\n" if "\r\n" in table.text else "\n"
    delimiter = delimiter_of(table.text.lstrip().split("\n", 1)[0])
    by_key = {line.cells.get("tag", "").upper(): line for line in lines}
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

    def written(cells: Mapping[str, str]) -> str:
        return csv_lines([[cells.get(column, "") for column in own]], delimiter, end)

    out = [head_text if not added else csv_lines([[*heads, *added]], delimiter, end)]
    out += [written(wanted[key].cells) for key in placed.get("", ())]
    for line in lines:
        key = line.cells.get("tag", "").upper()
        found = wanted.get(key) if by_key.get(key) is line else None
        if found is None:
            if "stands_for" in line.cells and "stands_for" not in taken.columns:
                notes.kept.append(line.cells.get("tag", ""))
                out.append(written(line.cells) if added else line.text)
            else:
                notes.gone.append(line.cells.get("tag", "a row without a name"))
            continue
        merged = {**line.cells, **found.cells}
        notes.compare(line.cells, merged)
        is_same = not added and all(merged.get(column, "") == line.cells.get(column, "") for column in own)
        out.append(line.text if is_same else written(merged))
        out += [written(wanted[new].cells) for new in placed.get(key, ())]
    if len(out) > 1 and not head_text.endswith("\n") and not added:
        out[0] += end
    return Renewed("".join(out), notes.told(len(lines)))


def _read(table: Source) -> tuple[list[str], list[_Line], str]:
    """The heads of a table, its rows, and the text of its heads."""
    read = table_of(table, skips_blank=True)
    heads = [
        head.lower() if head.lower() in COLUMNS else head for head in (unguarded(each.text) for each in read.heads)
    ]
    if read.flaws or "tag" not in heads:
        raise BadValue(*words.table_with_flaws(table.path))
    ends = [*read.starts[1:], len(table.text)]
    lines: list[_Line] = []
    for start, stop in zip(read.starts, ends, strict=True):
        texts = [unguarded(cell.text).replace("\r\n", "\n") for cell in read.split(start)]
        cells = {head: text for head, text in zip(heads, texts, strict=False) if text}
        text = table.text[start:stop]
        lines.append(_Line(cells, text if text.endswith("\n") else text + "\n", table.line(start)))
    return heads, lines, table.text[: read.starts[0] if read.starts else len(table.text)]


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
