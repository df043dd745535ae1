"""``upright tags``, ``show`` of a tag and of a table, ``instances``, ``walk``: the program on files."""

from __future__ import annotations

import csv
import io
import json
from datetime import date
from pathlib import Path

import pytest
from click.testing import CliRunner, Result
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook

from tests.helpers import write_files
from upright_block import open_library
from upright_block.cli.main import main
from upright_block.language.telling.findings import Findings
from upright_block.library.sheets import Rows
from upright_block.library.workbook import read_book

TAGS = """\
tag,point,type,sense,raw_low,raw_high,low,high,unit,stands_for,area,comment,cable
bay1_opened,%IX1.0,BOOL,NC,,,,,,,roof,"upper limit, left",007
bay2_opened,%IX2.0,BOOL,NC,,,,,,,roof,,
bay1_want,%IX1.1,BOOL,,,,,,,,roof,,
bay2_want,%IX2.1,BOOL,,,,,,,,roof,,
bay1_cmd,%QX1.0,BOOL,,,,,,,,roof,,
bay2_cmd,%QX2.0,BOOL,,,,,,,,roof,,
air,%IW10,REAL,,0,32000,-20,60,degC,,weather,=A1,
hottest,,,,,,,,,air,weather,,
auto,%IX0.0,,,,,,,,,,,
idle,%IX9.0,,,,,,,,,,,
"""
BLOCK = """
FUNCTION_BLOCK Vent VAR_INPUT open, at_open : BOOL; travel : TIME := T#40s; END_VAR VAR_OUTPUT opening : BOOL; END_VAR
VAR timer : TON; END_VAR
timer(IN := open AND NOT at_open, PT := travel);
opening := open AND NOT at_open AND NOT timer.Q;
END_FUNCTION_BLOCK
"""
WIRING = """\
instance,block,open,at_open,travel,opening
Vent[1..2],Vent,bay{1..2}_want AND auto,bay{1..2}_opened,30s,-> bay{1..2}_cmd
"""
HOT = "PROGRAM Hot VAR is_hot : BOOL; END_VAR is_hot := hottest > 30.0; END_PROGRAM"


@pytest.fixture
def library(tmp_path: Path) -> Path:
    files = {"tags/t.csv": TAGS, "blocks/v.st": BLOCK, "wiring/roof.csv": WIRING, "programs/hot.st": HOT}
    write_files(tmp_path, files)
    return tmp_path


def upright(*arguments: object, text: str = "") -> Result:
    return CliRunner(env={"COLUMNS": "120"}).invoke(main, [str(a) for a in arguments], input=text)


@pytest.mark.parametrize(
    ("options", "names"),
    [
        (["bay1*"], ["bay1_opened", "bay1_want", "bay1_cmd"]),
        (["%QX*"], ["bay1_cmd", "bay2_cmd"]),
        (["--area", "Weather"], ["air", "hottest"]),
        (["--unit", "degC"], ["air"]),
        (["--unused"], ["idle"]),
        (["--by-point", "bay?_w*", "auto"], ["auto", "bay1_want", "bay2_want"]),
    ],
)
def test_tags_are_listed_and_filtered(options: list[str], names: list[str], library: Path) -> None:
    result = upright("tags", "--library", library, "--json", *options)
    assert [tag["tag"] for tag in json.loads(result.output)] == names


def test_a_tag_that_is_not_there_is_near_to_one(library: Path) -> None:
    result = upright("tags", "--library", library, "bay1_opend")
    assert result.exit_code == 2
    assert "Did you mean bay1_opened?" in result.output


def test_the_whole_way_of_a_tag_is_shown(library: Path) -> None:
    output = upright("show", "--library", library, "bay1_opened").output
    for part in ("input BOOL, tags/t.csv:2", "upper limit, left", "%IX1.0", "normally closed", "roof.Vent1.at_open"):
        assert part in output
    air = upright("show", "--library", library, "air").output
    for part in ("0..32000 is -20..60 degC", "0.0025 degC", "hottest", "Hot.is_hot", "programs/hot.st:1"):
        assert part in air
    uses = json.loads(upright("show", "--library", library, "bay2_cmd", "--json").output)["uses"]
    assert [(use["kind"], use["by"], use["line"]) for use in uses] == [("write", "roof.Vent2.opening", 2)]


def test_a_wiring_table_is_shown_as_text(library: Path) -> None:
    output = upright("show", "--library", library, "roof").output
    assert "Vent2(open := bay2_want AND auto, at_open := bay2_opened, travel := T#30s, opening => bay2_cmd);" in output


def test_instances_are_listed_with_their_settings_and_wires(library: Path) -> None:
    found = json.loads(upright("instances", "--library", library, "--json", "roof.*").output)
    assert [(i["path"], i["settings"], i["inputs"]["at_open"], i["outputs"]) for i in found] == [
        ("roof.Vent1", {"travel": "T#30s"}, "bay1_opened", {"opening": "bay1_cmd"}),
        ("roof.Vent2", {"travel": "T#30s"}, "bay2_opened", {"opening": "bay2_cmd"}),
    ]
    deep = json.loads(upright("instances", "--library", library, "--all", "--block", "TON", "--json").output)
    assert [i["path"] for i in deep] == ["roof.Vent1.timer", "roof.Vent2.timer"]


def test_a_table_goes_out_and_comes_back_as_it_was(library: Path, tmp_path: Path) -> None:
    for suffix in ("csv", "xlsx"):
        file = tmp_path / f"out.{suffix}"
        assert upright("tags", "--library", library, "--export", file).exit_code == 0
        back = upright("tags", "--library", library, "--import", file, "--into", "back", "--write")
        assert back.exit_code == 0
        rows = list(csv.DictReader(io.StringIO((library / "tags" / "back.csv").read_text())))
        assert [row["cable"] for row in rows][:2] == ["007", ""]
        assert rows[6]["comment"] == "'=A1"
        assert [row["tag"] for row in rows] == [line.split(",")[0] for line in TAGS.splitlines()[1:]]
        (library / "tags" / "back.csv").unlink()


def test_pasted_text_becomes_a_table_only_when_it_is_to_be_written(library: Path) -> None:
    text = "tag\tpoint\nlamp\t%QX9.0\n"
    shown = upright("tags", "--library", library, "--import", "-", "--into", "lamps", text=text)
    assert "+lamp,%QX9.0" in shown.output
    assert not (library / "tags" / "lamps.csv").exists()
    upright("tags", "--library", library, "--import", "-", "--into", "lamps", "--write", text=text)
    assert (library / "tags" / "lamps.csv").read_text() == "tag,point\nlamp,%QX9.0\n"
    assert (
        "names a column of tags"
        in upright("tags", "--library", library, "--import", "-", "--into", "x", text="a\tb\n").output
    )
    assert upright("tags", "--library", library, "--import", "-", text=text).exit_code == 2


def test_names_made_on_the_way_are_adopted(library: Path) -> None:
    more = WIRING + "Vent9,Vent,bay9_want,bay9_opened,bay9_time,-> bay9_cmd\n"
    write_files(library, {"wiring/roof.csv": more, "upright.toml": ""})
    shown = upright("tags", "--library", library, "--adopt", "--points")
    assert [line for line in shown.output.splitlines() if line.startswith("+bay9")] == [
        "+bay9_want,%IX12.0,BOOL",
        "+bay9_opened,%IX12.1,BOOL",
        "+bay9_time,%IL13,TIME",
        "+bay9_cmd,%QX2.1,BOOL",
    ]
    upright("tags", "--library", library, "--adopt", "--points", "--write")
    assert "error" not in upright("check", "--library", library).output
    assert "Every name" in upright("tags", "--library", library, "--adopt").output


CELLS = st.text(st.characters(blacklist_categories=["Cs", "Cc", "Zs", "Zl", "Zp"]), min_size=1, max_size=8)


@settings(max_examples=60, deadline=None)
@given(rows=st.lists(st.dictionaries(st.sampled_from(["tag", "comment", "cable", "low"]), CELLS), max_size=5))
def test_any_table_survives_a_workbook(rows: list[dict[str, str]]) -> None:
    columns = ["tag", "low", "comment", "cable"]
    kept = [row for row in rows if row and not any(text == "." or text.strip("'") != text for text in row.values())]
    book = read_book("t.xlsx", Rows("tags", columns, kept).workbook(), True, findings := Findings())
    assert not findings.items
    sheet = next(iter(book.sheets.values()))
    lines = [line.split("\t") for line in sheet.text.split("\n")]
    assert [{c: t for c, t in zip(columns, line, strict=False) if t} for line in lines[1:]] == kept


# --- the mapping test ---


def walked(library: Path, *options: object) -> dict[str, tuple[str, list[str]]]:
    result = upright("walk", "--library", library, "--json", *options)
    return {entry["tag"]: (entry["status"], entry["pins"]) for entry in json.loads(result.output)}


def test_the_walk_lists_what_each_point_moves(library: Path) -> None:
    found = walked(library)
    assert found["bay1_opened"] == ("seen", ["roof.Vent1.at_open"])
    assert found["bay2_want"] == ("seen", ["roof.Vent2.open"])
    assert found["bay2_cmd"] == ("seen", ["roof.Vent2.opening"])
    assert found["air"] == ("seen", ["Hot.is_hot"])
    assert found["idle"] == ("nowhere", [])
    output = upright("walk", "--library", library, "--all").output
    assert "it moves with auto = 1" in output


def test_a_walk_is_approved_and_later_ones_are_compared_with_it(library: Path) -> None:
    shown = upright("walk", "--library", library, "--approve")
    assert "+%IX1.0,bay1_opened,in,NC,,roof.Vent1.at_open" in shown.output
    assert not (library / "walk.csv").exists()
    upright("walk", "--library", library, "--approve", "--write")
    assert {status for status, _ in walked(library).values()} == {"right"}
    assert upright("walk", "--library", library).exit_code == 0
    write_files(
        library, {"wiring/roof.csv": WIRING.replace("bay{1..2}_opened", "bay{2..1}_opened"), "upright.toml": ""}
    )
    found = walked(library)
    assert {tag for tag, (status, _) in found.items() if status == "changed"} == {"bay1_opened", "bay2_opened"}
    assert upright("walk", "--library", library).exit_code == 1
    assert "unread-file" not in upright("check", "--library", library).output


def reaching(library: Path, wiring: str) -> dict[str, str]:
    """The status of each tag that says what it reaches, with another wiring."""
    aims = {"opened": "Vent{n}.at_open", "want": "Vent{n}.open", "cmd": "Vent{n}.opening"}
    rows = ["tag,point,sense,reaches"]
    for n in range(1, 5):
        sense = {"opened": "NC"}
        points = {"opened": f"%IX{n}.0", "want": f"%IX{n}.1", "cmd": f"%QX{n}.0"}
        rows += [f"bay{n}_{kind},{points[kind]},{sense.get(kind, '')},{aims[kind]}" for kind in aims]
    write_files(library, {"tags/t.csv": "\n".join(rows) + "\n", "wiring/roof.csv": wiring, "programs/hot.st": ""})
    return {tag: status for tag, (status, _) in walked(library).items() if status != "right"}


ROW = "Vent0{n},Vent,bay{n}_want,bay{n}_opened,-> bay{n}_cmd"
ROWS = [ROW.replace("{n}", str(n)) for n in range(1, 5)]


@pytest.mark.parametrize(
    ("row", "old", "new", "expected"),
    [
        (2, "x", "x", {}),
        (2, "bay3_opened", "bay2_opened", {"bay3_opened": "copied", "bay2_opened": "another"}),
        (2, "bay3_want", "NOT bay3_want", {"bay3_want": "inverted"}),
        (2, "-> bay3_cmd", "-> bay2_cmd", {"bay3_cmd": "copied", "bay2_cmd": "elsewhere"}),
        (2, "bay3_want,bay3_opened", "bay3_opened,bay3_want", {"bay3_want": "crossed", "bay3_opened": "crossed"}),
        (2, "-> bay3_cmd", "", {"bay3_cmd": "nowhere"}),
    ],
)
def test_a_mistake_of_copying_is_named(row: int, old: str, new: str, expected: dict[str, str], library: Path) -> None:
    rows = [text.replace(old, new) if number == row else text for number, text in enumerate(ROWS)]
    found = reaching(library, "instance,block,open,at_open,opening\n" + "\n".join(rows) + "\n")
    assert found == expected


def test_two_rows_that_were_swapped_are_crossed_pairs(library: Path) -> None:
    rows = [*ROWS[:2], ROWS[2].replace("bay3", "bay4"), ROWS[3].replace("bay4", "bay3")]
    found = reaching(library, "instance,block,open,at_open,opening\n" + "\n".join(rows) + "\n")
    assert set(found.values()) == {"crossed"}
    assert len(found) == 6


def test_a_wiring_table_is_put_in_order_only_with_write(library: Path) -> None:
    path = library / "wiring" / "roof.csv"
    before = b"\xef\xbb\xbforder,instance,block,open\r\n1,A,Vent,B.opening\r\n2,B,Vent,auto\r\n"
    path.write_bytes(before)
    shown = upright("instances", "--library", library, "--put-in-order", "roof")
    assert "+2,A,Vent,B.opening" in shown.output
    assert "--write" in shown.output
    assert path.read_bytes() == before
    upright("instances", "--library", library, "--put-in-order", "ROOF", "--write")
    assert path.read_bytes() == before.replace(b"1,A", b"2,A").replace(b"2,B", b"1,B")
    again = upright("instances", "--library", library, "--put-in-order", "roof", "--write")
    assert again.output == "wiring/roof.csv stays as it is.\n"
    assert "Did you mean roof?" in upright("instances", "--library", library, "--put-in-order", "rof").output
    path.write_text("instance,block,open\nA,Vent,B.opning\n")
    refused = upright("instances", "--library", library, "--put-in-order", "roof")
    assert (refused.exit_code, "roof has errors" in refused.output) == (2, True)


@pytest.mark.parametrize("suffix", ["csv", "xlsx"])
def test_instances_and_the_walk_go_to_a_spreadsheet(suffix: str, library: Path) -> None:
    file = library / f"out.{suffix}"
    for command, heads, first in (
        ("instances", "instance,block,where", "Hot,Hot,programs/hot.st:1"),
        ("walk", "point,tag,way", "%IX0.0,auto,in"),
    ):
        assert "rows in" in upright(command, "--library", library, "--export", file).output
        text = file.read_text() if suffix == "csv" else read_book("o.xlsx", file.read_bytes(), True, Findings()).sheets
        lines = (text if isinstance(text, str) else next(iter(text.values())).text.replace("\t", ",")).splitlines()
        assert lines[0].startswith(heads)
        assert lines[1].startswith(first)
    assert upright("walk", "--library", library, "--export", library / "out.pdf").exit_code == 2


def test_a_wiring_table_is_drawn(library: Path) -> None:
    drawn = upright("show", "--library", library, "roof", "--picture", library / "roof.svg")
    assert drawn.output.startswith("1 page in ")
    assert "Vent1" in (library / "roof.svg").read_text()
    for name, file in (("roof", "roof.pdf"), ("Hot", "hot.svg"), ("rof", "roof.svg"), ("roof", "no/roof.svg")):
        refused = upright("show", "--library", library, name, "--picture", library / file)
        assert refused.exit_code == 2
        assert refused.stderr.startswith("upright: ")


@pytest.mark.parametrize(
    ("call", "says"),
    [
        ("tags --write", "--write has no use without --import or --adopt."),
        ("tags --adopt --area x", "--area has no use beside --adopt."),
        ("tags bay1* --spare", "PATTERNS has no use beside --spare."),
        ("tags --export t.csv --json", "--json has no use beside --export."),
        ("tags --import t.csv bay1", "PATTERNS has no use beside --import."),
        ("instances --put-in-order roof --block VentDrive", "--block has no use beside --put-in-order."),
        ("walk --write", "--write has no use without --approve or --propose."),
        ("walk --approve --json", "--json has no use beside --approve."),
        ("show roof --picture t.png --json", "--json has no use beside --picture."),
    ],
)
def test_an_option_that_would_be_ignored_is_refused(library: Path, call: str, says: str) -> None:
    result = upright(*call.split(), "--library", library)
    assert (result.exit_code, says in result.output) == (2, True), result.output


def test_spare_points_are_those_beside_others_that_have_a_tag(tmp_path: Path) -> None:
    tags = """tag,point,type,stands_for
lamp,%QX1.6,BOOL,
status,%IW4,WORD,
ready,,,status.0
door,%IX5.7,BOOL,
speed,%IW8,INT,
"""
    write_files(tmp_path, {"upright.toml": "", "tags/t.csv": tags})
    result = upright("tags", "--spare", "--json", "--library", tmp_path)
    found = {(entry["point"], entry["in"]) for entry in json.loads(result.output)}
    byte = {(f"%QX1.{bit}", "byte 1") for bit in (0, 1, 2, 3, 4, 5, 7)}
    assert found == byte | {(f"%IW4.%X{bit}", "status") for bit in range(1, 15)}
    assert "21 spare points." in upright("tags", "--spare", "--library", tmp_path).output


def test_names_are_adopted_with_the_type_that_the_text_wants(tmp_path: Path) -> None:
    main = """PROGRAM Main VAR level : REAL; n : INT; v : Vent; END_VAR
level := pressure / 2.0 + offset;
IF NOT shut AND n > 3 THEN lamp := TRUE; total := n; END_IF
v(open := want AND NOT wet, travel := longest, opening => motor);
END_PROGRAM"""
    case = '[[case]]\nname = "c"\nvectors = """\ndor total\n1 0\n"""\n'
    files = {"upright.toml": "", "blocks/b.st": BLOCK, "programs/main.st": main, "cases/c.toml": case}
    write_files(tmp_path, files)
    found = ""
    for _ in range(3):  # a name that hides behind another one is adopted when that one is
        shown = upright("tags", "--adopt", "--points", "--library", tmp_path, "--write")
        assert shown.exit_code == 0
        found += shown.output
    rows = csv.DictReader(io.StringIO((tmp_path / "tags" / "adopted.csv").read_text()))
    assert {row["tag"]: (row["type"], row["point"][:2]) for row in rows} == {
        "pressure": ("REAL", "%I"),
        "offset": ("REAL", "%I"),
        "shut": ("BOOL", "%I"),
        "lamp": ("BOOL", "%Q"),
        "total": ("INT", "%Q"),
        "want": ("BOOL", "%I"),
        "wet": ("BOOL", "%I"),
        "longest": ("TIME", "%I"),
        "motor": ("BOOL", "%Q"),
    }
    assert "no pin tells their type: dor." in found


WIDE = "comment;tag;point;type;cable;empty\r\n=x;key;%IX0.0;BOOL;007;\r\n;lamp;%QX0.0;BOOL;;\r\n"


def test_adopted_rows_fit_the_table_that_they_are_put_behind(tmp_path: Path) -> None:
    """In its own columns, with its own separators and ends of lines; the rows that are there stay to the byte."""
    files = {"tags/t.csv": WIDE, "blocks/b.st": "FUNCTION_BLOCK B VAR_INPUT n : INT; END_VAR END_FUNCTION_BLOCK"}
    library = write_files(tmp_path, files | {"wiring/w.csv": "instance,block,n\nB1,B,fresh\n"})
    (library / "tags/t.csv").write_bytes(WIDE.encode())
    result = upright("tags", "--library", library, "--adopt", "--points", "--into", "t", "--write")
    assert result.exit_code == 0, result.output
    assert (library / "tags/t.csv").read_bytes().decode() == WIDE + ";fresh;%IW1;INT;;\r\n"
    assert not [f for f in open_library(library).findings if f.severity == "error"]
    (library / "tags/t.csv").write_text("tag,point\nkey,%IX0.0\n")
    result = upright("tags", "--library", library, "--adopt", "--into", "t", "--write")
    assert (result.exit_code, "has no column type" in result.output) == (2, True)
    assert (library / "tags/t.csv").read_text() == "tag,point\nkey,%IX0.0\n"


def test_an_export_has_each_row_and_column_as_it_is(tmp_path: Path) -> None:
    """Rows with errors too; of a part what is left out is told."""
    text = "comment,tag,point,type,cable,empty\nfirst,key,%IX0.0,BOOL,007,\nbad,lamp,%ZZ0.0,BOOL,,\nagain,key,%IX0.1,BOOL,,\n"
    library = write_files(tmp_path / "l", {"tags/t.csv": text})
    file = tmp_path / "out.csv"
    assert upright("tags", "--library", library, "--export", file).exit_code == 0
    assert file.read_text() == text
    result = upright("tags", "k*", "--library", library, "--export", file)
    assert (result.exit_code, "left out" in result.output) == (1, True)
    (library / "tags/t.csv").write_text(text + "a,b,c,d,e,f,g,h\n")
    before = file.read_bytes()
    result = upright("tags", "--library", library, "--export", file)
    assert (result.exit_code, "tags/t.csv:5" in result.output, file.read_bytes()) == (2, True, before)


def test_dates_and_formulas_in_comments_and_other_columns_are_no_mistake(tmp_path: Path) -> None:
    """Nor are hidden columns, or several sheets, to an import."""
    made = Workbook()
    sheet = made.worksheets[0]
    for row in (["tag", "point", "comment", "since"], ["key", "%IX0.0", date(2026, 3, 1), "=1+1"]):
        sheet.append(row)
    second = made.create_sheet("more")
    for row in (["point", "tag"], ["%IX0.1", "lamp"]):
        second.append(row)
    sheet.column_dimensions["D"].hidden = True
    library = write_files(
        tmp_path, {"blocks/b.st": "FUNCTION_BLOCK B VAR_OUTPUT q : BOOL; END_VAR q := TRUE; END_FUNCTION_BLOCK"}
    )
    (library / "tags").mkdir()
    made.save(library / "tags" / "t.xlsx")
    assert {f.name for f in open_library(library).findings} <= {"hidden-cells", "unknown-column", "input-not-read"}
    made.save(tmp_path / "new.xlsx")
    (library / "tags" / "t.xlsx").unlink()
    result = upright("tags", "--library", library, "--import", tmp_path / "new.xlsx", "--into", "t", "--write")
    assert result.exit_code == 0, result.output
    assert [tag.name for tag in open_library(library).tags] == ["key", "lamp"]
