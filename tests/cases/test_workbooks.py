"""Spreadsheets: what their cells mean, and what is told of those that a spreadsheet changed."""

from __future__ import annotations

import io
import time as time_module
import zipfile
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pytest
from openpyxl import Workbook, load_workbook
from openpyxl.utils.datetime import CALENDAR_MAC_1904

from tests.helpers import upright, write_files
from upright_block import open_library
from upright_block.library.sheets import Rows

BLOCK = """
FUNCTION_BLOCK B
VAR_INPUT on : BOOL; n : INT; level : REAL; name : STRING; day : DATE; span : TIME; END_VAR
VAR_OUTPUT q : BOOL; twice : INT; END_VAR
q := on; twice := 2 * n;
END_FUNCTION_BLOCK
"""


def book(folder: Path, sheets: dict[str, list[list[Any]]]) -> Workbook:
    """A workbook with these rows, to be changed and saved."""
    made = Workbook()
    made.remove(made.worksheets[0])
    for title, rows in sheets.items():
        sheet = made.create_sheet(title)
        for row in rows:
            sheet.append(row)
    (folder / "cases").mkdir(parents=True, exist_ok=True)
    return made


def opened(folder: Path, made: Workbook, name: str = "day.xlsx") -> Any:
    made.save(folder / "cases" / "day.xlsx")
    case = f'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = "{name}"\n'
    write_files(folder, {"blocks/b.st": BLOCK, "cases/b.toml": case})
    return open_library(folder)


def problems(library: Any) -> list[str]:
    return [f"{f.source.shown(f.start)}: {f.name}" for f in library.findings]


def test_cells_mean_what_they_show(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["at", "on", "n", "level", "name", "day", "span", "q", "twice"],
        [time(0, 0), True, 3, 0.5, "' a '", date(2026, 3, 1), timedelta(seconds=90), True, 6],
        [time(0, 0, 2), False, "4", 1e-3, None, "D#2026-03-02", "5s", 0, 8.0],
        [None] * 9,
        [timedelta(hours=1), " 1 ", 5, 2, None, None, None, "TRUE", "10"],
    ]
    made = book(tmp_path, {"storm": rows})
    library = opened(tmp_path, made)
    assert problems(library) == []
    (verdict,) = library.run()
    assert (verdict.status, verdict.checked) == ("passed", 6)


def test_a_sheet_is_named_or_the_only_one(tmp_path: Path) -> None:
    rows: list[list[Any]] = [["on", "q"], [1, 1]]
    made = book(tmp_path, {"calm": rows, "storm": rows})
    assert problems(opened(tmp_path, made, "day.xlsx#Storm")) == []
    assert problems(opened(tmp_path, made)) == ["cases/b.toml:5:11: missing-sheet"]
    wrong = opened(tmp_path, made, "day.xlsx#strom").findings[0]
    assert (wrong.name, wrong.way_out) == ("missing-sheet", "Did you mean storm? Characters 3 and 4 are exchanged.")


def test_merged_cells_have_their_value_in_each(tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["on", "n", "q", "twice"], [1, 2, 1, 4], [None, 3, 1, 6], [None, 4, 1, 8]]})
    made["s"].merge_cells("A2:A4")
    library = opened(tmp_path, made)
    assert problems(library) == []
    assert [v.status for v in library.run()] == ["passed"]


def test_dates_that_count_from_1904_are_right(tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["set day", "day"], ["D#2026-03-01", None]]})
    made.epoch = CALENDAR_MAC_1904
    made["s"]["B2"] = datetime(2026, 3, 1)
    text = "FUNCTION_BLOCK B VAR day : DATE; END_VAR ; END_FUNCTION_BLOCK"
    made.save(tmp_path / "cases" / "day.xlsx")
    case = 'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = "day.xlsx"\n'
    write_files(tmp_path, {"blocks/b.st": text, "cases/b.toml": case})
    assert [v.status for v in open_library(tmp_path).run()] == ["passed"]


def test_what_is_wrong_in_a_cell_is_told_with_sheet_row_and_letter(tmp_path: Path) -> None:
    made = book(tmp_path, {"storm": [["on", "n", "q"], [1, 2, 1], [1, "2x", 1]]})
    assert problems(opened(tmp_path, made)) == ["cases/day.xlsx, sheet storm, row 3, column B: bad-value"]


def test_a_formula_that_was_never_computed_is_refused(tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["on", "n", "q"], [1, "=1+1", 1]]})
    assert problems(opened(tmp_path, made)) == ["cases/day.xlsx, sheet s, row 2, column B: formula-without-value"]


def test_hidden_rows_and_columns_count_and_are_told(tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["on", "q"], [1, 1], [0, 1]]})
    made["s"].row_dimensions[3].hidden = True
    made["s"].column_dimensions["B"].hidden = True
    library = opened(tmp_path, made)
    (finding,) = library.findings
    assert (finding.name, finding.severity) == ("hidden-cells", "warning")
    assert "row 3 and column B" in finding.message
    assert [v.status for v in library.run()] == ["failed"]


@pytest.mark.parametrize(
    ("value", "style", "name"),
    [(date(2026, 3, 1), "dd.mm.yyyy", "cell-turned"), (100000, "0.00E+00", "cell-turned"), (100000, "0", "bad-name")],
)
def test_a_name_that_the_spreadsheet_turned_is_told(value: Any, style: str, name: str, tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["tag", "point"], ["lamp", "%QX0.0"], [value, "%QX0.1"]]})
    made["s"]["A3"].number_format = style
    (tmp_path / "tags").mkdir()
    made.save(tmp_path / "tags" / "t.xlsx")
    write_files(tmp_path, {"programs/p.st": "PROGRAM P lamp := TRUE; END_PROGRAM"})
    assert f"tags/t.xlsx, sheet s, row 3, column A: {name}" in problems(open_library(tmp_path))


def test_tags_and_wirings_are_read_from_every_sheet(tmp_path: Path) -> None:
    inner = {"one": [["instance", "block", "on", "q"], ["b1", "B", "key", "-> lamp1"]]}
    both = inner | {"two": [["instance", "block", "on", "q"], ["b[1..2]", "B", "key", ""]], "empty": []}
    tags = book(tmp_path, {"in": [["tag", "point"], ["key", "%IX0.0"]], "out": [["tag", "point"], ["lamp1", "%QX0.0"]]})
    for name in ("tags", "wiring"):
        (tmp_path / name).mkdir()
    tags.save(tmp_path / "tags" / "t.xlsx")
    book(tmp_path, both).save(tmp_path / "wiring" / "row.xlsx")
    write_files(tmp_path, {"blocks/b.st": BLOCK})
    library = open_library(tmp_path)
    assert problems(library) == []
    assert {i.path for i in library.instances()} == {"one", "one.b1", "two", "two.b1", "two.b2"}
    book(tmp_path, inner).save(tmp_path / "wiring" / "row.xlsx")
    assert {i.path for i in open_library(tmp_path).instances()} == {"row", "row.b1"}


def changed(content: bytes, name: str, megabytes: int) -> bytes:
    """A workbook with one more part in its archive."""
    out = io.BytesIO(content)
    with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as archive, archive.open(name, "w", force_zip64=True) as part:
        for _ in range(megabytes):
            part.write(bytes(1 << 20))
    return out.getvalue()


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"\xd0\xcf\x11\xe0 old", "password"),
        (b"no archive", "no workbook"),
        (b"", "no workbook"),
        (b"PK\x03\x04 cut", "no workbook"),
    ],
)
def test_what_is_no_workbook_is_told(content: bytes, says: str, tmp_path: Path) -> None:
    write_files(tmp_path, {"programs/p.st": "PROGRAM P END_PROGRAM"})
    (tmp_path / "tags").mkdir()
    (tmp_path / "tags" / "t.xlsx").write_bytes(content)
    (finding,) = open_library(tmp_path).findings
    assert (finding.name, says in finding.message) == ("bad-workbook", True)


@pytest.mark.parametrize(
    ("part", "megabytes", "says"),
    [
        ("xl/vbaProject.bin", 1, "holds macros"),
        ("xl/externalLinks/externalLink1.xml", 1, "takes values from other files"),
        ("xl/media/big.bin", 257, "when it is unpacked"),
    ],
)
def test_macros_links_and_bombs_are_refused(part: str, megabytes: int, says: str, tmp_path: Path) -> None:
    out = io.BytesIO()
    book(tmp_path, {"s": [["tag", "point"], ["lamp", "%QX0.0"]]}).save(out)
    (tmp_path / "tags").mkdir()
    (tmp_path / "tags" / "t.xlsx").write_bytes(changed(out.getvalue(), part, megabytes))
    write_files(tmp_path, {"programs/p.st": "PROGRAM P END_PROGRAM"})
    (finding,) = open_library(tmp_path).findings
    assert (finding.name, says in finding.message) == ("bad-workbook", True)


def with_sheet(content: bytes, old: bytes, new: bytes) -> bytes:
    """A workbook with something else in the text of its sheet, or of what names its sheets."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as before, zipfile.ZipFile(out, "w") as after:
        for member in before.infolist():
            name = (
                member.filename.replace("xl/worksheets/sheet1.xml", "xl/sheet1.xml")
                if b"Target" in old
                else member.filename
            )
            after.writestr(name, before.read(member).replace(old, new))
    return out.getvalue()


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        (b"</sheetData>", b'</sheetData><mergeCells><mergeCell ref="C3:XFD1048576"/></mergeCells>', "row 1,048,576"),
        (b"</sheetData>", b'<row r="1048576"><c r="XFD1048576" t="b"><v>1</v></c></row></sheetData>', "column XFD"),
        (b"</sheetData>", b'<row r="9000000">' + b"<c/>" * 2 + b"</row></sheetData>", "more than 2,000,000 cells"),
        (b"</sheetData>", b"</sheetDate>", "no workbook"),
        (b'Target="/xl/worksheets/', b'Target="/xl/', "unusual place"),
    ],
)
def test_a_sheet_that_unfolds_without_end_is_refused(tmp_path: Path, old: bytes, new: bytes, says: str) -> None:
    out = io.BytesIO()
    book(tmp_path, {"s": [["tag", "point"], ["lamp", "%QX0.0"]]}).save(out)
    (tmp_path / "tags").mkdir()
    (tmp_path / "tags" / "t.xlsx").write_bytes(with_sheet(out.getvalue(), old, new))
    write_files(tmp_path, {"programs/p.st": "PROGRAM P END_PROGRAM"})
    (finding,) = open_library(tmp_path).findings
    assert (finding.name, says in finding.message) == ("bad-workbook", True), finding.message


def test_merged_cells_of_a_whole_row_are_no_trouble(tmp_path: Path) -> None:
    made = book(tmp_path, {"s": [["tag", "point"], ["lamp", "%QX0.0"]]})
    made["s"].merge_cells("C3:XFD3")
    (tmp_path / "tags").mkdir()
    made.save(tmp_path / "tags" / "t.xlsx")
    write_files(tmp_path, {"programs/p.st": "PROGRAM P lamp := TRUE; END_PROGRAM"})
    assert open_library(tmp_path).findings == ()


def test_a_text_of_a_sheet_is_compared_as_it_is(tmp_path: Path) -> None:
    """Blanks, tabs, line ends and signs inside an expected text count."""
    block = "FUNCTION_BLOCK B VAR_INPUT s : WSTRING; END_VAR VAR_OUTPUT t : WSTRING; END_VAR t := s; END_FUNCTION_BLOCK"
    given = ["a  b", "a b", "a$Tb", "a$Lb", "a$R$Lb", ">=5", "x<=y"]
    wanted = ["a  b", "a b", "a\tb", "a\nb", '"a$R$Lb"', ">=5", "x<=y"]
    wrong = ["a b", "a  b", "a b", "a b", "a b", "≥5", "x≤y"]
    for number, (expected, status) in enumerate([(wanted, "passed"), (wrong, "failed")]):
        rows = [[f'"{one}"', other] for one, other in zip(given, expected, strict=True)]
        library = opened(tmp_path / str(number), book(tmp_path / str(number), {"a": [["s", "t"], *rows]}))
        write_files(tmp_path / str(number), {"blocks/b.st": block})
        (verdict,) = open_library(library.root).run()
        assert (verdict.status, verdict.wrong) == (status, 0 if status == "passed" else len(rows))


def test_signs_inside_an_expected_text_stay(tmp_path: Path) -> None:
    block = 'FUNCTION_BLOCK B VAR_OUTPUT t : WSTRING := "5≥3"; END_VAR END_FUNCTION_BLOCK'
    for cell, status in (('"5≥3"', "passed"), ('"5>=3"', "failed"), ('≠"5>=3"', "passed"), ('!"5≥3"', "failed")):
        case = f"block = \"B\"\nscan = \"1s\"\n[[case]]\nname = \"c\"\nvectors = '''\nt\n{cell}\n'''\n"
        (verdict,) = open_library(write_files(tmp_path, {"blocks/b.st": block, "cases/b.toml": case})).run()
        assert verdict.status == status, cell


def test_all_sheets_of_a_workbook_have_one_limit(tmp_path: Path) -> None:
    made = book(tmp_path, {title: [["n", "q"]] for title in "abcd"})
    for sheet in made.worksheets:
        sheet.cell(1_000, 3_000, 1)
    assert [f.name for f in opened(tmp_path, made, "day.xlsx#a").findings] == ["bad-workbook"]


def test_a_workbook_is_written_to_the_byte() -> None:
    rows = Rows("tags", ["tag", "=1+1"], [{"tag": "-x", "=1+1": "007"}])
    first = rows.workbook()
    time_module.sleep(2.1)  # zip archives count in two seconds
    assert rows.workbook() == first
    read = load_workbook(io.BytesIO(first)).worksheets[0]
    assert [[cell.value for cell in row] for row in read.iter_rows()] == [["tag", "=1+1"], ["-x", "007"]]
    assert {cell.data_type for row in read.iter_rows() for cell in row} == {"s"}
    assert rows.csv() == "tag,'=1+1\n'-x,007\n"


def test_a_negative_time_in_a_csv_is_no_formula_and_is_read_again(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK B VAR_OUTPUT t : TIME := T#-5s; n : INT := -5; END_VAR END_FUNCTION_BLOCK"
    library = open_library(write_files(tmp_path, {"blocks/b.st": block}))
    file = tmp_path / "cases" / "t.csv"
    file.parent.mkdir()
    assert upright("run", "B", "--library", tmp_path, "--for", "1s", "--trace", file).exit_code == 0
    assert file.read_text() == "at,t,n\n0s,'-5s,-5\n"
    assert library.trace(file)["t"].values[0] == -5 * 10**9
    write_files(tmp_path, {"cases/b.toml": 'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = "t.csv"\n'})
    assert [v.status for v in open_library(tmp_path).run()] == ["passed"]


def test_a_duration_of_a_sheet_keeps_its_microseconds(tmp_path: Path) -> None:
    made = book(tmp_path, {"a": [["span", "q"]]})
    for number, microseconds in enumerate((500, 1, 1_234_567, 90_000_000), start=2):
        cell = made.worksheets[0].cell(number, 1, microseconds / 86_400_000_000)
        cell.number_format = "[h]:mm:ss.000"
    (case,) = opened(tmp_path, made).cases
    (drive,) = case.plan.drives
    assert drive.values == [500_000, 1_000, 1_234_567_000, 90_000_000_000]
