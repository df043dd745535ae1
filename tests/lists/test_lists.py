"""Lists of points as they come from others, and again a month later."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from tests.helpers import edit, upright, write_files
from upright_block import BadValue, OpenLibrary, open_library
from upright_block.library.sheets import Rows
from upright_block.lists.taken import Taken
from upright_block.lists.taking import Asked, take


def taken(text: str, **asked: object) -> Taken:
    return take(None, text, Asked(**asked))  # type: ignore[arg-type]


def cells_of(found: Taken) -> list[dict[str, str]]:
    return [{column: text for column, text in row.cells.items() if text} for row in found.rows]


def told(found: Taken) -> str:
    return "\n".join(f"{note.where} {[*note.rows]} {note.said}" for note in found.notes)


def book() -> Workbook:
    """A list with a cover, titles, heads of its own in one row and in two, merged areas, spares and decimal commas."""
    made = Workbook()
    cover = made.worksheets[0]
    cover.title = "Cover"
    cover["B2"], cover["C5"] = "Glasshouse 7, list of field points", date(2026, 11, 2)
    digital = made.create_sheet("Digital in")
    heads = ["No", "Signal", "Address", "Contact", "Section", "Description", None]
    for row in (
        ["List of digital inputs"],
        [],
        heads,
        [1, "dock-fan1 runs", "I0.0", "n.o.", "Dock 1", "contactor", "GH7-100"],
        [2, "dock-fan1 fault", "IX 0.1", "n.c.", None, "motor\nprotection", "GH7-101"],
        ["Page 2"],
        heads,
        [3, "spare", "I0.2", "-", "", "reserve"],
        [4, None, "I0.3", "", "", "reserve"],
        [None, "Total: 4"],
    ):
        digital.append(row)
    digital.merge_cells("A1:F1")
    digital.merge_cells("E4:E5")
    analog = made.create_sheet("Analog")
    for row in (
        ["Signal", "Address", "Data type", "Raw", None, "Range", None, "Unit"],
        [None, None, None, "low", "high", "low", "high", None],
        ["air_temp", "IW20", "REAL", 0, "27 648", "-20,0", "60,0", "degC"],
        ["pressure", "%iw22", "REAL", 0, 27648, 0, "1,250", "bar"],
    ):
        analog.append(row)
    for area in ("D1:E1", "F1:G1", "A1:A2", "B1:B2"):
        analog.merge_cells(area)
    analog.column_dimensions["H"].hidden = True
    return made


EXPECTED = """\
tag,point,type,sense,raw_low,raw_high,low,high,unit,comment,area,No,column_G
dock_fan1_runs,%IX0.0,,NO,,,,,,contactor,Dock 1,1,GH7-100
dock_fan1_fault,%IX0.1,,NC,,,,,,"motor
protection",Dock 1,2,GH7-101
air_temp,%IW20,REAL,,0,27648,-20.0,60.0,degC,,,,
pressure,%IW22,REAL,,0,27648,0,1.250,bar,,,,
"""


@pytest.fixture
def library(tmp_path: Path) -> Path:
    book().save(tmp_path / "list.xlsx")
    return write_files(tmp_path / "library", {"upright.toml": ""})


def imported(library: Path, *more: str) -> str:
    result = upright("tags", "--library", library, "--import", library.parent / "list.xlsx", "--into", "points", *more)
    assert result.exit_code == 0, result.output
    return result.output


def test_an_untidy_list_becomes_a_table_and_tells_what_it_took_for_what(library: Path) -> None:
    shown = imported(library, "--write")
    assert (library / "tags" / "points.csv").read_text() == EXPECTED
    for said in (
        "sheet Digital in: heads in row 3, 2 tags",
        "sheet Analog: heads in rows 1, 2, 2 tags",
        "raw_high  Raw high",
        "kept, and not used: No, column_G",
        "Cover: the sheet is left out",
        "hidden, and read all the same: column H",
        "Digital in, row 1: left out: above the heads",
        "Digital in, row 6: left out: a line of text: Page 2",
        "Digital in, row 7: left out: the heads again",
        "Digital in, row 8: left out: spare, called spare",
        "Digital in, row 9: left out: spare, a point without a name",
        "Digital in, row 10: left out: a line of text: Total: 4",
        "dock-fan1 runs becomes dock_fan1_runs",
    ):
        assert said in shown
    assert [tag.address for tag in open_library(library).tags] == ["%IX0.0", "%IX0.1", "%IW20", "%IW22"]
    assert not [finding for finding in open_library(library).findings if finding.severity == "error"]


def test_the_same_list_is_no_difference_and_a_later_one_only_its_own(library: Path) -> None:
    imported(library, "--write")
    table = library / "tags" / "points.csv"
    assert "points.csv stays as it is." in imported(library)
    rows = list(csv.DictReader(io.StringIO(table.read_text())))
    for number, row in enumerate(rows):
        row |= {"reaches": f"Fan{number}.x", "stands_for": ""}
    rows[0]["comment"] = "ours"
    rows[0]["type"] = "BOOL"  # no column of the list of digital inputs
    rows.insert(1, {"tag": "hot", "stands_for": "air_temp"})
    rows.append({"tag": "gone", "point": "%IX7.0"})
    table.write_text(Rows("t", list(rows[0]), rows).csv().replace(",", ";"))
    later = book()
    later["Analog"].insert_rows(4)
    for column, text in enumerate(["soil", "IW24", "REAL", 0, 27648, 0, 100], start=1):
        later["Analog"].cell(4, column).value = text  # type: ignore[assignment]
    later.save(library.parent / "list.xlsx")
    shown = imported(library, "--write")
    for said in (
        "1 of 6 rows are not in the list and leave the table: gone",
        "1 new: soil",
        "comment changes for 1: dock_fan1_runs",
        "the list says nothing of second names: hot",
    ):
        assert said in shown
    left = list(csv.DictReader(io.StringIO(table.read_text()), delimiter=";"))
    assert [row["tag"] for row in left] == ["dock_fan1_runs", "hot", "dock_fan1_fault", "air_temp", "soil", "pressure"]
    assert [row["reaches"] for row in left] == ["Fan0.x", "", "Fan1.x", "Fan2.x", "", "Fan3.x"]
    assert (left[0]["comment"], left[0]["type"]) == ("contactor", "BOOL")
    assert "points.csv stays as it is." in imported(library)


def test_a_table_with_flaws_is_not_written_over(library: Path) -> None:
    imported(library, "--write")
    edit(library / "tags" / "points.csv", "%IW20,REAL,,", "%IW20")
    before = (library / "tags" / "points.csv").read_text()
    list_ = library.parent / "list.xlsx"
    result = upright("tags", "--library", library, "--import", list_, "--into", "points", "--write")
    assert (result.exit_code, "do not fit its columns" in result.output) == (2, True)
    assert (library / "tags" / "points.csv").read_text() == before


def test_heads_and_sheets_are_as_the_call_says() -> None:
    text = "Points\nKennung;Adresse;Text\nlamp;QX 0.1;red\n"
    found = taken(text, columns={"tag": "Kennung", "point": "adresse"})
    assert cells_of(found) == [{"tag": "lamp", "point": "%QX0.1", "comment": "red"}]
    text = "tag,point\nlamp,%QX0.0\ntag,point\nbell,%QX0.1\n"
    assert cells_of(taken(text, head=3)) == [{"tag": "bell", "point": "%QX0.1"}]
    assert "[1, 2] left out: above the heads" in told(taken(text, head=3))
    text = "tag,type,point\nlamp,BOOL,%QX0.0\n"
    assert cells_of(taken(text, columns={"type": ""}))[0]["type_as_listed"] == "BOOL"


@pytest.mark.parametrize(
    ("text", "asked", "says", "way_out"),
    [
        ("", {}, "is empty", "a row of heads"),
        ("a;b\n1;2\n", {}, "names a column of tags", 'columns= "tag=a"'),
        ("tag,point\na,%IX0.0\n", {"head": 2}, "Row 2 of The text names no column", "tag=HEAD"),
        ("tag,point\na,%IX0.0\n", {"head": 9}, "has nothing in row 9", "Name the row"),
        ("tag,point\na,%IX0.0\n", {"columns": {"pont": "x"}}, "has no column pont", "Did you mean point?"),
        ("tag,Adress\na,%IX0.0\n", {"columns": {"point": "Address"}}, "has no head Address", "Did you mean Adress?"),
        ("tag,point\na,%IX0.0\n", {"sheets": ["x"]}, "has no sheets", "sheet="),
        ("tag,point\na,%IX0.0\n", {"decimal": ";"}, "no decimal sign", "decimal= ,"),
        ("tag,where\na,X\n", {}, "No column of The text holds the points", "point=HEAD"),
        ("tag,card,channel\na,1,2\n", {}, "by card, channel", "Add a column point"),
        ("tag,Address,Address\na,I0.0,\n", {}, "two columns could hold the points", "point=HEAD"),
        ("tag,point\n", {}, "no row with a tag", "a row for each"),
        ('tag,point\n"a,%IX0.0\n', {}, "row 2: a quote", 'Write ""'),
        ("tag,point\na b,I0.0\na-b,I0.1\n", {}, "a b (The text, row 2) and a-b (The text, row 3)", "Rename one"),
        ("tag,point\na,I0.0\na,I0.1\n", {}, "point differs: %IX0.0 (The text, row 2) and %IX0.1", "Correct one"),
        ('tag,point,high\na,IW0,"1,250"\n', {}, "1,250 is 1.250 or 1250", "decimal= ,"),
    ],
)
def test_what_can_be_read_in_two_ways_is_refused(text: str, asked: dict[str, object], says: str, way_out: str) -> None:
    with pytest.raises(BadValue) as refused:
        taken(text, **asked)
    assert says in refused.value.message
    assert way_out in refused.value.way_out


def _formula(made: Workbook) -> None:
    made["Analog"]["H3"] = "=A1"


def _date(made: Workbook) -> None:
    made["Analog"]["B3"] = date(2026, 1, 2)


def _error(made: Workbook) -> None:
    made["Analog"]["B3"] = "#REF!"


@pytest.mark.parametrize(
    ("spoil", "says"), [(_formula, "no value was saved"), (_date, "made a date"), (_error, "gives #REF!")]
)
def test_cells_that_a_spreadsheet_made_are_refused_with_their_place(
    library: Path, spoil: Callable[[Workbook], None], says: str
) -> None:
    made = book()
    spoil(made)
    made.save(library.parent / "list.xlsx")
    with pytest.raises(BadValue, match=r"list\.xlsx, sheet Analog, row 3, column [BH]: ") as refused:
        open_library(library).import_list(library.parent / "list.xlsx")
    assert says in refused.value.message
    assert open_library(library).import_list(library.parent / "list.xlsx", sheet=["digital in"]).taken.rows


def test_a_row_that_stands_twice_is_one_and_what_has_no_form_stays_as_it_is() -> None:
    found = taken(
        "tag\tpoint\tsense\tcomment\nlamp\t%QX0.0\t\tred\nLAMP\tQX0.0\t\tred\nlamp\tQX0.0\t\tgreen\nbell\tK7\tdry\t-\n"
    )
    assert cells_of(found) == [
        {"tag": "lamp", "point": "%QX0.0", "comment": "red"},
        {"tag": "bell", "point": "K7", "sense_as_listed": "dry"},
    ]
    said = told(found)
    assert "[3] left out: there already" in said
    assert "[4] left out: lamp is there already, row 2, with another comment" in said
    assert "[5] K7 is no address, and stays as it is" in said
    assert "sense is kept and not used: dry is no sense" in said
    assert "[5] - is taken for an empty cell" in said


@pytest.mark.parametrize("coding", ["utf-8", "utf-8-sig", "utf-16"])
def test_a_text_of_unicode_is_read_and_of_nothing_else(library: Path, coding: str) -> None:
    file = library.parent / "list.csv"
    file.write_bytes("tag;point;comment\r\nlamp;QX0.0;grün\r\n".encode(coding))
    assert cells_of(take(file, "", Asked()))[0]["comment"] == "grün"
    file.write_bytes("tag;point;comment\nlamp;QX0.0;grün\n".encode("cp1252"))
    with pytest.raises(BadValue, match=r"list\.csv is not UTF-8: line 2"):
        take(file, "", Asked())


TEXTS = st.text(st.characters(blacklist_categories=["Cs", "Cc", "Zs", "Zl", "Zp"]), min_size=1, max_size=8)


@settings(max_examples=60, deadline=None)
@given(comments=st.lists(TEXTS, min_size=1, max_size=5), columns=st.permutations(["tag", "point", "comment", "cable"]))
def test_a_table_that_was_exported_comes_back_as_it_is(comments: list[str], columns: list[str]) -> None:
    rows = [
        {"tag": f"t{n}", "point": f"%IX0.{n}", "comment": text, "cable": text[::-1]}
        for n, text in enumerate(comments)
        if not {text, text[::-1]} & {"-", "–", "—", ".", "n/a"} and "'" not in text
    ]
    if rows:
        assert cells_of(taken(Rows("tags", columns, rows).csv())) == [{c: row[c] for c in columns} for row in rows]


def test_a_table_with_heads_of_its_own_is_told_once_and_by_their_names(tmp_path: Path) -> None:
    program = "PROGRAM P VAR x : BOOL; END_VAR x := a AND b; x := lost; END_PROGRAM"
    tags = "tag,Address,Contact\na,%IX0.0,NC\nb,%IX0.1,\n"
    library = write_files(tmp_path, {"upright.toml": "", "programs/p.st": program, "tags/t.csv": tags})

    def errors(found: OpenLibrary) -> list[str]:
        return [f"{f.name}: {f.message}" for f in found.findings if f.severity == "error"]

    found = open_library(library)
    assert errors(found) == [
        "unknown-name: lost is not declared in P.",
        "missing-column: None of the 2 tags of the table has a point or a type.",
    ]
    assert {f.way_out for f in found.findings if f.name == "unknown-column"} == {
        "Did you mean point?",
        "Did you mean sense?",
    }
    book().save(library / "tags" / "t.xlsx")
    (library / "tags" / "t.csv").unlink()
    found = open_library(library)
    lost = [error for error in errors(found) if error.startswith("unknown-name")]
    assert len(lost) == 1
    assert "since tags/t.xlsx, sheet Cover, tags/t.xlsx, sheet Digital in" in lost[0]
    places = [f.source.name for f in found.findings if f.name == "missing-column"]
    assert places == [f"tags/t.xlsx, sheet {title}" for title in ("Analog", "Cover", "Digital in")]
