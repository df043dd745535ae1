"""Tag tables from and for other programs: their columns, and text pasted from a spreadsheet."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from upright_block.errors import BadValue
from upright_block.language.field.tags import COLUMNS
from upright_block.language.source import Source
from upright_block.language.telling.edits import Edit
from upright_block.library import words
from upright_block.library.table import delimiter, table_of, whole_table


def columns_of(sources: Iterable[Source], has_others: bool) -> list[str]:
    """The columns of some tag tables as they stand there, empty ones too; ``has_others`` says that tags of no table
    come with them.

    Raises:
        BadValue: a row of a table does not fit its columns.
    """
    used: dict[str, None] = {}
    for source in sources:
        used |= dict.fromkeys(_key(head.text) for head in whole_table(source).heads)
    if has_others or not used:
        used |= dict.fromkeys(("tag", "point", "type"))
    return list(used)


def _key(head: str) -> str:
    return head.lower() if head.lower() in COLUMNS else head


def appended(source: Source, rows: Sequence[Mapping[str, str]]) -> Edit:
    """A tag table with more rows, in its own columns and with its own separators and ends of lines; an empty one gets
    the columns that they need.

    Raises:
        BadValue: it lacks a column that they need.
    """
    from upright_block.library.sheets import Rows, csv_lines

    before = source.text
    if not before.strip():
        return Edit(source, 0, len(before), Rows("tags", ("tag", "point", "type"), rows).csv())
    table = table_of(source, skips_blank=True)
    heads = [_key(head.text) for head in table.heads]
    missing = next((column for row in rows for column in row if column not in heads), None)
    if missing is not None:
        raise BadValue(*words.missing_column(missing))
    end = "\r\n" if "\r\n" in before else "\n"
    lines = csv_lines([[row.get(head, "") for head in heads] for row in rows], delimiter(table), end)
    return Edit(source, len(before), len(before), ("" if before.endswith("\n") else end) + lines)
