"""Proposals for the column ``reaches``: pairs by numbers and words, families, pins that are crossed, and the tables."""

from __future__ import annotations

import csv
import re
import shutil
from pathlib import Path

import pytest

from tests.analysis.planted import DEMO
from tests.helpers import upright, write_files
from upright_block import OpenLibrary, open_library
from upright_block.edits.filling import filled
from upright_block.errors import BadValue
from upright_block.language.field.tags import Tag
from upright_block.language.source import Source
from upright_block.language.telling.edits import laid
from upright_block.mapping.judging import Judged
from upright_block.mapping.proposing import proposed

NOWHERE = Source("tags/t.csv", "tag\n")


def of(**reached: str) -> dict[str, str]:
    """What is proposed for tags that moved some pins; with a mark before what is said of it."""
    entries = [
        Judged(Tag(name, NOWHERE, 0, 1), True, tuple(p for p in pins.split("; ") if p), 0, "seen", "")
        for name, pins in reached.items()
    ]
    return {p.tag.name: f"{p.text} ? {p.says}" if p.says else p.text for p in proposed(entries)}


@pytest.mark.parametrize(
    ("reached", "text"),
    [
        ({"bay3_vent_opened": "roof.Vent03.at_open"}, "Vent{n}.at_open"),
        ({"line2_fan11_runs": "hall.Line2.Fan11.on"}, "Line{n}.Fan{n2}.on"),
        ({"fan1_on": "a.Fan1.on", "fan2_on": "b.Fan1.on"}, "a.Fan{n}.on"),
        ({"screen_draw": "by_hand.draw_button"}, "by_hand.draw_button"),
        ({"fan4_runs": "Fan4.runs; Filter4.jets"}, "Fan{n}.runs; Filter{n}.jets"),
        ({"gate_shut": "NOT Gate.shut"}, "NOT Gate.shut"),
        ({"fan1": "line.fans[1].on", "fan2": "line.fans[2].on"}, "fans[{n}].on"),
        ({"sun": "roof.Light.level"}, "left open, since neither"),
        ({"fan1_on": "roof.Fan2.on"}, "left open, since neither"),
        ({"stop_vents": "roof.Vent01.open"}, "left open, since neither"),
        ({"rain": ""}, "left open, since it moves nothing"),
        ({"stop": "A.stop; B.stop; C.stop; D.stop; E.stop"}, "left open, since it has to do with 5 pins"),
    ],
)
def test_a_pin_pairs_by_a_number_or_a_word(reached: dict[str, str], text: str) -> None:
    first = next(iter(of(**reached).values()))
    assert first == text or (first.startswith(" ? ") and text in first)


def test_the_family_tells_which_number_of_a_name_is_meant() -> None:
    pins = {f"line{i}_fan{j}": f"Line{i}.Fan{j}.on" for i in (1, 2) for j in (1, 2, 3)}
    assert set(of(**pins).values()) == {"Line{n}.Fan{n2}.on"}
    lamps = {f"bay{n}_lamp": "hall.Lamp1.on" for n in (1, 2, 3)}
    assert set(of(**lamps).values()) == {
        " ? left open, since neither a number nor a word of its name alone leads to hall.Lamp1.on"
    }


def test_one_that_differs_from_its_siblings_gets_what_they_have_and_is_told() -> None:
    pins = {f"bay{n}_opened": f"Vent{n}.at_open" for n in range(1, 6)}
    found = of(**pins | {"bay3_opened": "Vent3.at_shut", "bay4_opened": ""})
    assert found.pop("bay3_opened").startswith(
        "Vent{n}.at_open ? proposed as for 3 siblings, but it has to do with Vent3"
    )
    assert "it has to do with nothing" in found.pop("bay4_opened")
    assert set(found.values()) == {"Vent{n}.at_open"}
    two = of(fan1_on="Fan2.on", fan2_on="Fan1.on")
    assert all(said.startswith(" ? left open") for said in two.values())


def test_two_whose_words_are_crossed_are_left_open() -> None:
    assert of(tank_high="Tank.low_eye", tank_low="Tank.high_eye") == {
        "tank_high": " ? left open: it has to do with Tank.low_eye, and tank_low with Tank.high_eye; "
        "by their words the two are crossed",
        "tank_low": " ? left open: it has to do with Tank.high_eye, and tank_high with Tank.low_eye; "
        "by their words the two are crossed",
    }
    rows = {f"bay{n}_{a}": f"Vent{n}.at_{b}" for n in range(3) for a, b in (("opened", "shut"), ("shut", "open"))}
    assert all("crossed" in said for said in of(**rows).values())
    straight = {f"bay{n}_{a}": f"Vent{n}.at_{b}" for n in range(3) for a, b in (("opened", "open"), ("shut", "shut"))}
    assert set(of(**straight).values()) == {"Vent{n}.at_open", "Vent{n}.at_shut"}


@pytest.mark.parametrize(
    ("text", "result"),
    [
        ("tag,point\na,%IX0.0\nb,%IX0.1\n", "tag,point,reaches\na,%IX0.0,B.a\nb,%IX0.1,\n"),
        ("tag;point\r\na;%IX0.0\r\nb;\r\n", "tag;point;reaches\r\na;%IX0.0;B.a\r\nb;;\r\n"),
        ("# list\n\ntag,x,,\na,1,,\n# no\n\nb,2,,", "# list\n\ntag,x,reaches,,\na,1,B.a,,\n# no\n\nb,2,,,"),
        ('tag,reaches,x\n a , ,"1\n2"\nb,C.d,\n', 'tag,reaches,x\n a , B.a,"1\n2"\nb,C.d,\n'),
        ("tag,Reaches\na,.\nb,", "tag,Reaches\na,B.a\nb,"),
        ('x,tag\n"1,2",a\n3,"b"\n', 'x,tag,reaches\n"1,2",a,B.a\n3,"b",\n'),
    ],
)
def test_a_column_is_filled_and_all_else_stays(text: str, result: str) -> None:
    place = next(m.start() for m in re.finditer(r"\ba\b", text) if m.start() > text.index("tag"))
    (made,) = laid(filled(Source("tags/t.csv", text), "reaches", {place: "B.a"})).values()
    assert made.after == result


def test_several_pins_are_quoted_where_a_semicolon_parts_cells() -> None:
    text = "tag;reaches\na;\n"
    (made,) = laid(filled(Source("t.csv", text), "reaches", {text.index("a;\n"): "B.a; C.a"})).values()
    assert made.after == 'tag;reaches\na;"B.a; C.a"\n'


def test_a_table_with_a_row_that_does_not_fit_is_refused() -> None:
    with pytest.raises(BadValue, match=r"t\.csv:2"):
        filled(Source("t.csv", "tag,reaches\na,b,c\n"), "reaches", {})


# --- the example ---


def bare(folder: Path) -> OpenLibrary:
    """The example without a column that says what tags reach, and without an approved map."""
    root = folder / "demo"
    shutil.copytree(DEMO, root)
    (root / "walk.csv").unlink()
    table = root / "tags" / "points.csv"
    with table.open(encoding="utf-8", newline="") as file:
        heads, *rows = csv.reader(file)
    place = heads.index("reaches")
    with table.open("w", encoding="utf-8", newline="") as file:
        csv.writer(file, lineterminator="\n").writerows(row[:place] + row[place + 1 :] for row in (heads, *rows))
    return open_library(root)


def test_what_is_written_is_right_in_the_next_walk_and_says_no_more(tmp_path: Path) -> None:
    root = bare(tmp_path).root
    shown = upright("walk", "--propose", "--library", root)
    assert "+bay3_vent_opened,%IX6.0" in shown.stdout
    assert "Nothing is written without --write." in shown.stdout
    upright("walk", "--propose", "--write", "--library", root)
    library = open_library(root)
    found = {entry.tag.name: entry for entry in library.walk()}
    given = {tag.name: tag.text("reaches") for tag in open_library(DEMO).tags if tag.text("reaches")}
    made = {name: entry.tag.text("reaches") for name, entry in found.items() if entry.tag.text("reaches")}
    assert {name: made[name] for name in given if name in made} == {n: given[n] for n in given if n in made}
    assert len(made) > 140
    assert all(found[name].status == "right" for name in made)
    again = upright("walk", "--propose", "--library", root)
    assert "+bay" not in again.stdout
    assert "acknowledge" in again.stdout


def test_eyes_that_are_crossed_in_one_bay_are_told_by_the_next_walk(tmp_path: Path) -> None:
    root = bare(tmp_path).root
    wiring = root / "wiring" / "roof.csv"
    lines = wiring.read_text("utf-8").split("\n")
    at = next(i for i, line in enumerate(lines) if line.startswith("30,Vent["))
    parts = [
        lines[at].replace("[01..12]", a).replace("{01..12}", b).replace("{1..12}", c)
        for a, b, c in (("[01..03]", "{01..03}", "{1..3}"), ("04", "04", "4"), ("[05..12]", "{05..12}", "{5..12}"))
    ]
    parts[1] = parts[1].replace("bay4_vent_opened,bay4_vent_shut", "bay4_vent_shut,bay4_vent_opened")
    wiring.write_text("\n".join([*lines[:at], *parts, *lines[at + 1 :]]), "utf-8")
    shown = upright("walk", "--propose", "--write", "--library", root)
    assert "bay4_vent_shut  Vent{n}.at_shut  tags/points.csv:42" in shown.stdout
    walked = upright("walk", "--library", root)
    assert walked.exit_code == 1
    assert "Crossed with bay4_vent_shut." in walked.stdout


def test_a_workbook_is_not_written_but_what_could_stand_there_is_shown(tmp_path: Path) -> None:
    from openpyxl import Workbook

    write_files(
        tmp_path,
        {"upright.toml": "", "programs/p.st": "PROGRAM P VAR fan : R_TRIG; END_VAR fan(CLK := fan_runs); END_PROGRAM"},
    )
    book = Workbook()
    for row in (["tag", "point"], ["fan_runs", "%IX0.0"]):
        book.worksheets[0].append(row)
    (tmp_path / "tags").mkdir()
    book.save(tmp_path / "tags" / "t.xlsx")
    shown = upright("walk", "--propose", "--write", "--library", tmp_path)
    assert shown.stdout.splitlines() == [
        "fan_runs  fan.CLK  tags/t.xlsx, sheet Sheet, row 2",
        "    its row is in a workbook, or it is declared in a text: write it there.",
    ]
