"""Places in texts and in sheets."""

from __future__ import annotations

from upright_block.language.source import Sheet, Source, column_letters
from upright_block.language.telling.findings import Finding
from upright_block.reports.findings import finding_data


def test_a_text_tells_line_and_column() -> None:
    source = Source("a.st", "one\r\ntwo three\n")
    offset = source.text.index("three")
    assert source.shown(offset) == "a.st:2:5"
    assert source.place(offset) == {"file": "a.st", "line": 2, "column": 5}
    assert source.line_text(2) == "two three"


def test_a_sheet_tells_row_and_column_of_the_cell_whatever_white_space_is_in_it() -> None:
    sheet = Sheet("tags.xlsx", "Points", [["tag", "point"], ["two\nlines\there", "%IX0.0", ""], ["", "x"]])
    offset = sheet.start(3, 2)
    assert sheet.text[offset:] == "x"
    assert sheet.shown(offset) == "tags.xlsx, sheet Points, row 3, column B"
    finding = Finding("point-twice", sheet, sheet.start(2, 2) + 3, sheet.start(2, 2) + 6, "Twice.")
    assert str(finding) == "tags.xlsx, sheet Points, row 2, column B: Twice. (point-twice)"
    data = finding_data(finding)
    assert (data["sheet"], data["row"], data["column"]) == ("Points", 2, 2)


def test_columns_have_letters() -> None:
    assert [column_letters(n) for n in (1, 26, 27, 52, 703)] == ["A", "Z", "AA", "AZ", "AAA"]
