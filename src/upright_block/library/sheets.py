"""Rows for a spreadsheet: as CSV (RFC 4180) or as a workbook, in neither of which a text becomes a formula."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Iterable, Mapping, Sequence

from upright_block.language.nodes import record

FORMULA_SIGNS = frozenset("=+-@")
"""A cell that begins with one of these and is no number would be read as a formula by a spreadsheet."""


def is_number(text: str) -> bool:
    """Whether a text is a number as a spreadsheet writes one."""
    try:
        float(text)
    except ValueError:
        return False
    return "_" not in text


@record
class Rows:
    """What a spreadsheet shows: texts by row and column. A cell that a row does not have is empty."""

    title: str
    columns: Sequence[str]
    rows: Sequence[Mapping[str, str]]

    def csv(self) -> str:
        """The rows as CSV. A text that a spreadsheet would take for a formula has a quote before it, heads too."""
        heads = dict(zip(self.columns, self.columns, strict=True))
        return csv_lines([[row.get(column, "") for column in self.columns] for row in (heads, *self.rows)])

    def workbook(self) -> bytes:
        """The rows as a workbook of one sheet. All cells are texts, so that no zero is lost and none becomes a
        formula.
        """
        from openpyxl import Workbook
        from openpyxl.styles import Font

        book = Workbook()
        sheet = book.worksheets[0]
        sheet.title = self.title[:31]
        heads = dict(zip(self.columns, self.columns, strict=True))
        for number, row in enumerate([heads, *self.rows], start=1):
            for column, name in enumerate(self.columns, start=1):
                text = row.get(name, "")
                if text:
                    cell = sheet.cell(number, column)
                    cell.value = text
                    cell.data_type = "s"
                    cell.number_format = "@"
                    if number == 1:
                        cell.font = Font(bold=True)
        sheet.freeze_panes = "B2"
        out = io.BytesIO()
        book.save(out)
        return _dateless(out.getvalue())


_WRITTEN = re.compile(rb"<dcterms:(created|modified)[^>]*>[^<]*</dcterms:[a-z]+>")


def _dateless(content: bytes) -> bytes:
    """A workbook without the time at which it was written, so that the same rows give the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            made = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            made.compress_type = zipfile.ZIP_DEFLATED
            new.writestr(made, _WRITTEN.sub(b"", old.read(name)))
    return out.getvalue()


def csv_lines(rows: Iterable[Sequence[str]], delimiter: str = ",", end: str = "\n") -> str:
    """Rows of texts as CSV (RFC 4180), none of them a formula to a spreadsheet."""
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, lineterminator=end).writerows(list(map(_guarded, row)) for row in rows)
    return out.getvalue()


def _guarded(text: str) -> str:
    return f"'{text}" if text[:1] in FORMULA_SIGNS and not is_number(text) else text


def unguarded(text: str) -> str:
    """A text without the quote that keeps a spreadsheet from reading a formula."""
    return text[1:] if text[:1] == "'" and text[1:2] in FORMULA_SIGNS and not text.endswith("'") else text
