"""Tag tables on disk: the rows of CSV files, with the place of each cell."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from upright_block.language.field.tags import COLUMNS, TagTable
from upright_block.language.names import is_slip, listed
from upright_block.language.source import Cell, Source
from upright_block.language.telling.findings import Findings, Words
from upright_block.library.heads import folded, meant
from upright_block.library.sheets import FORMULA_SIGNS
from upright_block.library.table import Table, table_of


def tag_table(source: Source, findings: Findings) -> TagTable:
    """The rows of a tag table. A flaw in its form becomes a finding; the rows that are whole are read."""
    table = table_of(source, skips_blank=True)
    for flaw in table.flaws:
        findings.add(flaw.words.told(source, flaw.start, flaw.end))
    heads = [head.text.lower() if head.text.lower() in COLUMNS else head.text for head in table.heads]
    for number, head in enumerate(table.heads) if "tag" in heads else ():
        said = _head(head.text, [head.lower() for head in heads[:number]])
        if said is not None:
            findings.add(said.told(source, head.start, max(head.end, head.start + 1)))
    if "tag" not in heads:
        end = max(source.text.find("\n"), 1)
        findings.add(_no_tags(table).told(source, 0, end))
        return TagTable(source, (), is_lost=True)
    rows = tuple(_rows(table, heads))
    has_places = len(rows) < 2 or any(column in row for row in rows for column in ("point", "type", "stands_for"))
    if not has_places:
        findings.add(_no_places(len(rows)).told(source, 0, max(source.text.find("\n"), 1)))
    return TagTable(source, rows, has_places=has_places)


def _rows(table: Table, heads: list[str]) -> Iterable[Mapping[str, Cell]]:
    for start in table.starts:
        cells = table.split(start)
        row = {head: _freed(cell) for head, cell in zip(heads, cells, strict=False) if cell.text}
        if row:
            yield row


def _freed(cell: Cell) -> Cell:
    """A cell without the quote that keeps a spreadsheet from reading a formula."""
    if cell.text[:1] == "'" and cell.text[1:2] in FORMULA_SIGNS:
        return Cell(cell.text[1:], cell.start + 1, cell.end)
    return cell


def _head(text: str, before: list[str]) -> Words | None:
    """What is wrong with the name of a column."""
    if not text:
        return Words("missing-name", "A column has no name.", "Write its name above it, or remove it.")
    if text.lower() in before:
        return Words("column-twice", f"Two columns are called {text}.", "Remove one of the two.")
    if text.lower() not in COLUMNS:
        return Words("unknown-column", f"A tag table has no column {text}; it is kept and not used.", _near(text))
    return None


def _near(head: str) -> str:
    """What the name of a column is meant for, where it is near to one that a tag table has."""
    column = meant(head)
    near = column[0] if column else next((own for own in COLUMNS if is_slip(folded(head), own)), "")
    return f"Did you mean {near}?" if near else f"The columns are {listed(COLUMNS, len(COLUMNS))}."


def _no_tags(table: Table) -> Words:
    if not table.heads:
        return Words("empty-table", "The table is empty.", "Write a line of column names, then a line for each tag.")
    names = [head.text for head in table.heads if (meant(head.text) or ("",))[0] == "tag"]
    way_out = f"Did you mean {names[0]}? Write tag there." if names else "Write tag above the names of the tags."
    return Words("missing-column", "The table has no column tag.", f"{way_out} {_AS_IT_COMES}")


def _no_places(count: int) -> Words:
    return Words(
        "missing-column",
        f"None of the {count:,} tags of the table has a point or a type.",
        f"Write point above the addresses, such as %IX0.3, or type above the types. {_AS_IT_COMES}",
    )


_AS_IT_COMES = "Or let upright tags import the list: it reads heads of its own, and titles above them."
