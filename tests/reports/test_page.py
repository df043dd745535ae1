"""The page of a report: its data against the runs, its script in an engine of its own, and all of it in a browser."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from importlib.resources import files
from itertools import pairwise
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st
from py_mini_racer import MiniRacer

from tests.cli.test_report import BLOCK, CASES
from tests.helpers import edit, upright, write_files
from upright_block import Tracing, open_library
from upright_block.language.literals import shown_duration
from upright_block.reports import MOST_CHANGES
from upright_block.reports.lanes import Lane, binned
from upright_block.reports.page import _runs

SCRIPT = (files("upright_block.reports") / "page" / "data.js").read_text("utf-8")
BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")


@pytest.fixture(scope="module")
def script() -> MiniRacer:
    engine = MiniRacer()
    engine.eval(SCRIPT)
    return engine


def called(engine: MiniRacer, name: str, *arguments: object) -> Any:
    return json.loads(str(engine.eval(f"JSON.stringify({name}({','.join(map(json.dumps, arguments))}))")))


def page_of(library: Path, folder: Path) -> tuple[str, dict[str, Any]]:
    upright("verify", "--report", folder, "--library", library)
    text = (folder / "index.html").read_text("utf-8")
    (data,) = re.findall(r'<script type="application/json" id="data">(.*?)</script>', text, re.DOTALL)
    return text, json.loads(data)


@given(numbers=st.lists(st.integers(-(2**40), 2**40) | st.integers(0, 3), max_size=30))
def test_runs_are_unrolled_to_what_they_were(numbers: list[int], script: MiniRacer) -> None:
    assert called(script, "unrolled", _runs(numbers)) == numbers


@given(ns=st.integers(0, 10**15) | st.integers(0, 10**6).map(lambda n: n * 10**9) | st.integers(0, 2000))
def test_a_time_is_said_as_everywhere(ns: int, script: MiniRacer) -> None:
    assert called(script, "shownTime", ns) == shown_duration(ns)


@given(
    changes=st.dictionaries(st.integers(0, 199), st.integers(-5, 5), min_size=1, max_size=60),
    begin=st.integers(0, 100),
    length=st.integers(1, 100),
    pixels=st.integers(2, 40),
)
def test_no_value_is_lost_where_a_lane_is_drawn(
    changes: dict[int, int], begin: int, length: int, pixels: int, script: MiniRacer
) -> None:
    times, end = sorted(changes), begin + length
    lane = {"times": times, "values": [changes[time] for time in times], "k": "number"}
    points = called(script, "corners", lane, begin, end, pixels)
    starts, values = tuple(times), tuple(float(changes[time]) for time in times)
    (whole,) = binned(Lane("x", "", "x", "number", False, False, "", starts, values, (), (), ()), [begin, end])
    seen = [value for _, value in points]
    assert ((min(seen), max(seen)) if seen else None) == whole
    assert [x for x, _ in points] == sorted(x for x, _ in points)
    assert all(0 <= x <= 1 for x, _ in points)


def test_the_data_of_a_page_are_what_the_runs_did(glasshouse: Path, tmp_path: Path, script: MiniRacer) -> None:
    edit(
        glasshouse / "cases" / "closed_loop.toml",
        "70s   | on    .                | 1 ",
        "70s   | on    .                | 0 ",
    )
    _, data = page_of(glasshouse, tmp_path / "r")
    library = open_library(glasshouse)
    verdicts = {verdict.case.id: verdict for verdict in library.run(tracing=Tracing(most=MOST_CHANGES))}
    assert [case["id"] for case in data["cases"]] == list(verdicts)
    for case in data["cases"]:
        tracks = verdicts[case["id"]].tracks
        assert tracks is not None
        for lane in case["lanes"]:
            track = tracks[lane["p"]]
            drawn = called(script, "opened", lane, case["tick"])
            assert drawn["times"] == list(track.times)
            if lane["k"] == "states":
                continue
            assert drawn["values"] == [float(value) for value in track.plain]
            edges = [event for event in called(script, "events", case) if event[1] == lane["p"]]
            if lane["k"] == "bool":
                on = [False, *map(bool, track.plain)]
                rises = [time for time, (a, b) in zip(track.times, pairwise(on), strict=True) if b and not a]
                assert [time for time, _, edge, _ in edges if edge == "rises"] == rises
    (wrong,) = (case for case in data["cases"] if case["status"] == "failed")
    assert called(script, "wrongTimes", wrong) == [70 * 10**9]
    assert wrong["table"]["misses"] == {"3": [[3, "1"]]}
    assert [row[:2] for row in next(c for c in data["cases"] if "held for the whole way" in c["name"])["timing"]] == [
        ["travel", "min 20s, max 20s"]
    ]


def test_a_page_holds_all_that_it_needs_and_nothing_of_a_name_is_run(tmp_path: Path) -> None:
    hostile = CASES.replace('name = "good"', 'name = "</script><script>alert(1)</script><!-- {style} {data}"')
    write_files(tmp_path, {"upright.toml": 'name = "a</title><b>"', "blocks/b.st": BLOCK, "cases/c.toml": hostile})
    text, data = page_of(tmp_path, tmp_path / "r")
    assert {case["status"] for case in data["cases"]} == {"failed", "fault", "checks nothing", "not run", "passed"}
    assert "</script><script>alert(1)</script><!-- {style} {data}" in {case["name"] for case in data["cases"]}
    assert text.count("<script") == text.count("</script>") == 2
    assert "alert(1)" not in re.sub('"name":"[^"]*"|"id":"[^"]*"', "", text)
    assert "a&lt;/title&gt;&lt;b&gt;" in text
    assert "default-src 'none'" in text
    assert not re.search(r"(src|href)=|url\(|@import|fetch\(|https?://(?!www\.w3\.org/2000/svg)", text)


def test_a_long_table_is_shown_around_what_is_wrong(tmp_path: Path) -> None:
    rows = "\n".join(f"{1 + n % 5} | {6 // (1 + n % 5) + (n == 2500)}" for n in range(3000))
    case = f'block = "B"\nscan = "1s"\n[[case]]\nname = "long"\nvectors = """\nd | q\n{rows}\n"""\n'
    write_files(tmp_path, {"blocks/b.st": BLOCK, "cases/c.toml": case})
    _, data = page_of(tmp_path, tmp_path / "r")
    (table,) = (case["table"] for case in data["cases"])
    assert (len(table["rows"]), table["left"]) == (200, 2800)
    assert table["misses"] == {"100": [[1, "6"]]}
    assert table["rows"][100] == ["1", "7"]


@given(
    room=st.integers(200, 3000),
    names=st.lists(st.text("abc_.", max_size=60), max_size=4),
    side=st.text("0123 ", max_size=40),
)
def test_what_stands_beside_lanes_has_its_room_or_stands_above(
    room: int, names: list[str], side: str, script: MiniRacer
) -> None:
    size = called(script, "layout", {"lanes": [{"n": name, "s": [side]} for name in names]}, room)
    assert size["left"] + size["plot"] + size["right"] == pytest.approx(size["width"])
    assert size["plot"] >= size["width"] / 3
    assert (size["above"] > 0) == (size["width"] < 640)
    for name in names:
        shown = called(script, "shortened", name, size["letters"])
        assert len(shown) <= max(size["letters"], 0) or len(name) <= size["letters"]
        assert shown == name or (name.startswith(shown.split("…")[0]) and name.endswith(shown.split("…")[1]))


def test_lanes_have_their_ranges_and_timing_rows_stand_below_what_they_measure(
    glasshouse: Path, tmp_path: Path
) -> None:
    _, data = page_of(glasshouse, tmp_path / "r")
    (case,) = (case for case in data["cases"] if "held for the whole way" in case["name"])
    lanes = {lane["p"]: lane for lane in case["lanes"]}
    assert (lanes["Bays.vent1.position"]["b"], lanes["Bays.vent1.position"]["s"]) == ([0, 100], ["0", "100"])
    assert lanes["bay1_vent_up"]["s"] == []
    assert [case["lanes"][row["below"]]["p"] for row in case["dims"]] == ["bay1_vent_up"]


def test_words_find_cases_by_files_and_by_blocks_inside(glasshouse: Path, tmp_path: Path, script: MiniRacer) -> None:
    _, data = page_of(glasshouse, tmp_path / "r")

    def found(*words: str) -> set[str]:
        every = data["cases"]
        return {c["file"] for c in every if called(script, "fits", c, words, data["inside"][c["block"]])}

    assert found("cases/rota.toml") == {"cases/rota.toml"}
    assert "cases/vent_drive.toml" not in found("blink")
    assert {"cases/alarm.toml", "cases/blink.toml", "cases/glasshouse.toml"} <= found("blink")


@pytest.mark.skipif(BROWSER is None, reason="there is no Chromium on this machine")
def test_nothing_is_wider_than_a_narrow_screen_when_all_is_open(glasshouse: Path, tmp_path: Path) -> None:
    upright("verify", "--coverage", "--report", tmp_path / "r", "--library", glasshouse)
    page = tmp_path / "r" / "index.html"
    asked = """<script>
document.dispatchEvent(new KeyboardEvent("keydown", { key: "o" }));
for (const button of document.querySelectorAll("#coverage button")) button.click();
setTimeout(() => { const all = document.documentElement;
  parent.postMessage([all.clientWidth, all.scrollWidth, document.querySelectorAll("svg").length, document.querySelectorAll("article .inner").length,
    [...document.querySelectorAll("svg")].every((svg) => svg.getAttribute("viewBox").split(" ")[2] < 400)].join(), "*"); }, 800);
</script></body>"""
    page.write_text(page.read_text("utf-8").replace("</body>", asked), "utf-8")
    outer = tmp_path / "r" / "outer.html"  # a window is not as narrow as a frame in one
    outer.write_text(
        "<script>onmessage = (event) => { document.title = event.data; }</script>"
        '<iframe src="index.html" width="415" height="900" frameborder="0"></iframe>'
    )
    assert BROWSER is not None
    call = [BROWSER, "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]
    call += [f"--user-data-dir={tmp_path / 'browser'}", "--virtual-time-budget=5000"]
    shown = subprocess.run(
        [*call, "--dump-dom", outer.as_uri()], capture_output=True, text=True, timeout=60, check=True
    )
    assert "<title>400,400,36,36,true</title>" in shown.stdout


@pytest.mark.skipif(BROWSER is None, reason="there is no Chromium on this machine")
def test_a_browser_opens_the_case_that_is_asked_for(glasshouse: Path, tmp_path: Path) -> None:
    page_of(glasshouse, tmp_path / "r")
    case = "closed_loop/a jammed vent is given up after its time, and not before"
    assert BROWSER is not None
    call = [BROWSER, "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking"]
    call += [
        f"--user-data-dir={tmp_path / 'browser'}",
        "--dump-dom",
        f"{(tmp_path / 'r' / 'index.html').as_uri()}#{quote(case)}",
    ]
    shown = subprocess.run(call, capture_output=True, text=True, timeout=60, check=True).stdout
    assert shown.count("<article") == 36
    assert shown.count("<svg") == 1
    assert ">roof.Vent01.stuck</text>" in shown
    assert "36 cases: 36 good." in shown
    assert "NaN" not in shown
    assert shown.count('aria-expanded="true"') == 1


def test_the_coverage_stands_in_the_page_with_marked_sources(glasshouse: Path, tmp_path: Path) -> None:
    upright("verify", "--coverage", "--report", tmp_path / "r", "--library", glasshouse)
    text = (tmp_path / "r" / "index.html").read_text("utf-8")
    (found,) = re.findall(r'<script type="application/json" id="data">(.*?)</script>', text, re.DOTALL)
    coverage = json.loads(found)["coverage"]
    told = json.loads(upright("verify", "--coverage", "--json", "--library", glasshouse).output)["coverage"]
    assert coverage["heads"][:2] == ["statements", "branches"]
    assert {unit["name"]: unit["counts"][0] for unit in coverage["units"]} == {
        unit["unit"]: [unit["statements"]["reached"], unit["statements"]["known"]] for unit in told
    }
    (vent,) = (unit for unit in coverage["units"] if unit["name"] == "VentDrive")
    lines = {text.strip(): (mark, missing) for _, mark, text, missing in vent["lines"]}
    assert lines["OPENS:"] == ("●", "")
    assert lines["CASE state OF"] == ("◐", "never ELSE")
    assert lines["END_VAR"] == (" ", "")
