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


def test_the_call_writes_pages(tmp_path: Path) -> None:
    call = ("show", "VentDrive", "--as", "ladder", "--picture", tmp_path / "vent.png", "--library", DEMO)
    assert "3 pages in" in upright(*call).output
    assert (tmp_path / "vent-3.png").read_bytes().startswith(b"\x89PNG")
    wrong = upright("show", "VentDrive", "--as", "text", "--picture", tmp_path / "x.png", "--library", DEMO)
    assert wrong.exit_code == 2
