"""Rungs on paper: all that is in them is drawn, on as many pages as they need."""

from __future__ import annotations

import re
from pathlib import Path

from tests.helpers import upright, write_files
from upright_block import open_library
from upright_block.reports import rung_pictures

DEMO = Path(__file__).parents[2] / "src/upright_block/examples/demo"


def test_a_page_has_the_rungs_their_names_and_a_title_block() -> None:
    unit = open_library(DEMO).written_unit("Alarm")
    pages = rung_pictures(unit, "svg", "glasshouse 1.0.0")
    assert len(pages) == 1
    texts = re.findall(r">([^<>\n]+)</text>", pages[0].decode())
    for word in ("cause", "acknowledge", "lasting", "TON", "R_TRIG", "EN", "unseen", "horn", "Alarm", "page 1 of 1"):
        assert word in texts, word
    assert [each for each in texts if each in "123456789"] == ["1", "2", "1", "3", "4", "5"]
    assert "until acknowledged" in texts
    assert texts.count("read in 4 5") == 2
    assert pages == rung_pictures(unit, "svg", "glasshouse 1.0.0")


def test_comments_stand_above_rungs_and_coils_say_where_else_they_are(tmp_path: Path) -> None:
    body = "\n".join(f"// Motor of belt {n}.\n|  a    q{n:<4}|\n+--| |--( )--+\n" for n in range(1, 30))
    names = ", ".join(f"q{n}" for n in range(1, 30))
    head = f"FUNCTION_BLOCK Belts\nVAR_INPUT a : BOOL; END_VAR\nVAR_OUTPUT {names}, r : BOOL; END_VAR\n\n"
    last = "\n|  q1   r    |\n+--| |--( )--+\nEND_FUNCTION_BLOCK\n"
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/b.st": head + body + last})
    pages = rung_pictures(open_library(folder).written_unit("Belts"), "svg", "")
    texts = [re.findall(r">([^<>\n]+)</text>", page.decode()) for page in pages]
    assert len(pages) > 1
    assert "Motor of belt 1." in texts[0]
    assert f"read in 30 (page {len(pages)})" in texts[0]


def test_what_boxes_write_is_written_and_statements_in_boxes_count(tmp_path: Path) -> None:
    body = "q := a;\nIF a THEN q := b; END_IF\nFOR i := 1 TO 3 DO k := k + i; END_FOR\nr := k > 3;\nFOR i := 1 TO 2 DO r := NOT q; END_FOR\n"
    head = "FUNCTION_BLOCK B VAR_INPUT a, b : BOOL; END_VAR VAR_OUTPUT q, r : BOOL; k : INT; END_VAR VAR i : INT; END_VAR\n"
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/b.st": f"{head}{body}END_FUNCTION_BLOCK\n"})
    (page,) = rung_pictures(open_library(folder).written_unit("B"), "svg", "")
    texts = re.findall(r">([^<>\n]+)</text>", page.decode())
    assert "read in 5, written in 2" in texts
    assert "written in 5" in texts


def test_a_rung_that_is_wide_or_high_fits_on_its_page(tmp_path: Path) -> None:
    wide = "q := " + " AND ".join(f"a_rather_long_name{n}" for n in range(40)) + ";\n"
    high = "IF q THEN " + " ".join(f"r{n} := TRUE;" for n in range(60)) + " END_IF\n"
    names = ", ".join(f"a_rather_long_name{n}" for n in range(40)), ", ".join(f"r{n}" for n in range(60))
    head = f"FUNCTION_BLOCK B VAR_INPUT {names[0]} : BOOL; END_VAR VAR_OUTPUT q, {names[1]} : BOOL; END_VAR\n"
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/b.st": f"{head}{wide}{high}END_FUNCTION_BLOCK\n"})
    unit = open_library(folder).written_unit("B")
    for folds in (False, True):
        for page in rung_pictures(unit, "svg", "", folds=folds):
            places = re.findall(r"translate\(([-\d.]+) ([-\d.]+)\)", page.decode())
            assert all(0 <= float(x) <= 842 and 0 <= float(y) <= 596 for x, y in places)
    assert b"carried" in rung_pictures(unit, "svg", "", folds=True)[0]


def test_the_call_writes_pages(tmp_path: Path) -> None:
    call = ("show", "VentDrive", "--as", "ladder", "--picture", tmp_path / "vent.png", "--library", DEMO)
    assert "3 pages in" in upright(*call).output
    assert (tmp_path / "vent-3.png").read_bytes().startswith(b"\x89PNG")
    wrong = upright("show", "VentDrive", "--as", "text", "--picture", tmp_path / "x.png", "--library", DEMO)
    assert wrong.exit_code == 2
