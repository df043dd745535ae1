"""A list that is imported: what was taken for what, and what was left out."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from upright_block.lists.taken import Imported, Note, TakenSheet
from upright_block.reports.listing import column_lines
from upright_block.reports.styled import Line


def taken_lines(imported: Imported, width: int) -> list[Line]:
    """Of each sheet which head is taken for which column; then what was done with rows, and what happens to those of
    the table.
    """
    taken = imported.taken
    lines: list[Line] = []
    for sheet in taken.sheets:
        lines += [*_sheet(taken.file, sheet, width), []]
    for note in (*taken.notes, *imported.notes):
        lines.append(_note(note, len(taken.sheets) > 1 or note not in taken.notes))
    return lines


def _sheet(file: str, sheet: TakenSheet, width: int) -> list[Line]:
    name = f"{file}, sheet {sheet.title}" if sheet.title else file
    heads = "heads in " + _rows(sheet.head_rows)
    tags = f"{sheet.count:,} tag{'' if sheet.count == 1 else 's'}"
    rows = [(column, head) for column, head in sheet.columns.items()]
    lines: list[Line] = [[(name, "strong"), (f": {heads}, {tags}", "")]]
    lines += [[("  ", ""), *line] for line in column_lines(("column", "taken from"), rows, width - 2, ("name", ""))]
    if sheet.kept:
        lines.append([("  kept, and not used: ", "dim"), (", ".join(sheet.kept), "")])
    return lines


def _note(note: Note, with_where: bool) -> Line:
    where = note.where if with_where or not note.rows else ""
    places = ", ".join(part for part in (where, _rows(note.rows)) if part)
    return [(f"{places}: ", "name"), (note.said, "warn" if note.is_loss else "")]


def _rows(numbers: Sequence[int]) -> str:
    """``row 3``, ``rows 1-4, 9``."""
    if not numbers:
        return ""
    return f"row{'s' if len(numbers) > 1 else ''} " + ", ".join(_runs(numbers))


def _runs(numbers: Sequence[int]) -> Iterable[str]:
    first = last = numbers[0]
    for number in [*numbers[1:], -1]:
        if number != last + 1:
            yield f"{first}-{last}" if last > first + 1 else f"{first}, {last}" if last > first else str(first)
            first = number
        last = number
