"""What a desk does, line by line, without a screen."""

from __future__ import annotations

from pathlib import Path

import pytest
from tests.helpers import EXAMPLES, write_files

from upright_block import BadValue, UnknownName, open_library
from upright_block.desk import panes
from upright_block.desk.desk import Desk
from upright_block.desk.kept import read_session
from upright_block.desk.lines import KEYS, WORDS
from upright_block.desk.opening import left, opened
from upright_block.reports import Line, plain

BLOCK = """FUNCTION_BLOCK Count VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT n : INT; END_VAR
IF x THEN
    n := n + 1;
END_IF;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Latch VAR_INPUT set_it, reset_it : BOOL; part : INT := 2; END_VAR
VAR_OUTPUT on : BOOL; rest : INT; END_VAR
VAR count : Count; mode : (idle, busy); END_VAR
IF set_it THEN
    on := TRUE;
    mode := busy;
ELSIF reset_it THEN
    on := FALSE;
END_IF;
count(x := on);
rest := 100 / part;
END_FUNCTION_BLOCK
"""
CASES = """block = "Latch"
scan = "100ms"
[[case]]
name = "is set"
run_for = "2s"
vectors = '''
at | set_it | on
0s | 0      | 0
1s | 1      | 1
'''
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return write_files(tmp_path, {"blocks/latch.st": BLOCK, "cases/latch.toml": CASES})


@pytest.fixture
def desk(folder: Path) -> Desk:
    return Desk(open_library(folder), "Latch", scan="100ms")


def said(desk: Desk, *lines: str) -> str:
    """What the log has after some lines."""
    for line in lines:
        desk.say(line)
    return "\n".join(map(plain, desk.log))


def seen(lines: list[Line]) -> str:
    return "\n".join(map(plain, lines))


def text_of(desk: Desk, width: int = 100) -> str:
    return seen([line for _, line in panes.text(desk, width, 30)])


def test_it_begins_before_the_first_scan_with_the_pins(desk: Desk) -> None:
    assert desk.watch == ["set_it", "reset_it", "part", "on", "rest"]
    assert plain(panes.status(desk, 80)).strip() == "Latch  0s  before the first scan  PAUSED  machine time"
    assert "has not run in this scan" in text_of(desk)


def test_a_line_acts_and_stands_in_the_log_as_typed(desk: Desk) -> None:
    assert "toggle set_it" in said(desk, "toggle set_it", "scan 3")
    assert "set_it 0 -> 1" in said(desk)
    assert (desk.machine.read("on"), desk.machine.read("count.n"), desk.moment) == (True, 3, "300ms")
    assert "> IF set_it THEN" in text_of(desk)
    assert "on 1" in text_of(desk)
    assert "▸ on" in seen(panes.watch(desk, 40, 8)) or "▸ set_it" in seen(panes.watch(desk, 40, 8))


def test_the_text_is_seen_as_rungs_with_what_conducts(desk: Desk) -> None:
    said(desk, "toggle set_it", "scan 1")
    desk.press("l")
    assert "set_it" in text_of(desk)
    assert "+==| |==" in text_of(desk).replace("===", "==")
    assert "> IF" not in text_of(desk)
    desk.press("l")
    assert "> IF set_it THEN" in text_of(desk)


def test_each_statement_is_seen_as_far_as_it_has_run(desk: Desk) -> None:
    said(desk, "set set_it=1", "step", "step")
    assert "on 0 -> 1" in text_of(desk)
    assert "→" in next(line for line in text_of(desk).split("\n") if "mode := busy" in line)
    assert "in scan 0, before latch.st:11" in plain(panes.status(desk, 100))
    said(desk, "over", "over")
    assert "count(x := on);" in text_of(desk)
    assert desk.machine.read("count.n") == 1
    said(desk, "back")
    assert desk.instance == "count"
    assert "> IF x THEN" in text_of(desk)
    assert "n 0 -> 1" not in text_of(desk)
    said(desk, "step")
    assert desk.instance == ""
    said(desk, "back", "back over", "step")
    assert desk.instance == "count"
    said(desk, "up")
    assert desk.instance == ""


def test_going_back_undoes_and_again_takes_it_up(desk: Desk) -> None:
    said(desk, "scan 2", "set set_it=1", "scan 5", "wrote on")
    assert desk.moment == "600ms"
    assert "undone: set set_it" in said(desk, "to 100ms")
    assert desk.machine.read("set_it") is False
    said(desk, "again")
    assert (desk.moment, desk.machine.read("count.n")) == ("600ms", 4)
    said(desk, "again")
    assert (desk.moment, desk.machine.read("count.n")) == ("700ms", 5)
    assert "No scans were left by going back." in said(desk, "again")


def test_it_goes_on_until_a_condition_and_shows_the_lanes(desk: Desk) -> None:
    said(desk, "push set_it 300ms", "until count.n > 40")
    assert desk.is_going
    while desk.tick(0.05):
        pass
    assert (desk.machine.read("count.n"), desk.machine.read("set_it"), desk.pane) == (41, False, "lanes")
    assert "set_it" in seen(panes.lower(desk, 80, 9))
    said(desk, "go 1s")
    while desk.tick(0.05):
        pass
    assert desk.moment == "5.1s"
    assert "begins no line" not in said(desk)
    assert "no BOOL" in said(desk, "until n").replace("is no condition", "no BOOL") or not desk.is_going


def test_the_pace_is_that_of_the_clock_and_what_cannot_be_kept_is_said(desk: Desk) -> None:
    said(desk, "pace 10", "go")
    for seconds, wanted in ((0.1, 1_000_000_000), (0.05, 1_500_000_000)):
        desk.tick(seconds)
        for _ in range(200):  # a slow machine needs more than one
            desk.tick(0.0)
        assert desk.machine.now == wanted
    said(desk, "pause", "pace 100000", "go")
    desk.tick(1000.0)
    assert desk.behind > 0
    assert "behind" in plain(panes.status(desk, 120))
    for wrong in ("pace fast", "pace 0", "pace -1", "pace nan"):
        assert "is no pace" in said(desk, wrong)[-100:]


def test_forces_are_counted_listed_and_released(desk: Desk) -> None:
    said(desk, "force on=1", "force mode=busy", "scan")
    assert "2 FORCED" in plain(panes.status(desk, 120))
    assert "FORCED" in seen(panes.watch(desk, 60, 8))
    assert "mode is forced to busy" in said(desk, "forces")
    assert desk.offered == "release all"
    said(desk, "release all", "scan")
    assert desk.forced == {}
    assert "Nothing is forced." in said(desk, "forces")


def test_power_faults_and_slips_are_told(desk: Desk) -> None:
    said(desk, "power off", "scan 3")
    assert "POWER OFF" in plain(panes.status(desk, 120))
    said(desk, "power on", "set part=0", "scan")
    assert "Division by zero" in said(desk)
    assert "FAULT" in plain(panes.status(desk, 120))
    said(desk, "back")
    assert "FAULT" not in plain(panes.status(desk, 120))
    for line, wanted in (
        ("setp", "Did you mean set?"),
        ("set on", "That is not how set is written."),
        ("set onn=1", "onn"),
        ("toggle part", "part is no BOOL."),
        ("pick zzz", "No path has zzz in it."),
        ("keep on", "That is not how keep is written."),
        ("write", "There is nothing to write."),
        ("list none", "There is no watch list desk/none.txt."),
        ("list ../none", "is no name for a watch list"),
        ("open nothing", "nothing"),
        ("start nothing", "nothing"),
        ("scan -1", "That is not how scan is written."),
    ):
        assert wanted in said(desk, line).rsplit("\n", 1)[-1], line
    assert desk.target == "Latch"


def test_why_of_the_cursor(desk: Desk) -> None:
    said(desk, "set set_it=1", "scan", "pick on", "why")
    assert "on is 1" in seen(desk.told)
    assert "set_it 1" in seen(desk.told)
    assert "another moment" not in seen(panes.lower(desk, 80, 9))
    said(desk, "scan")
    assert "This was told at another moment; w tells it anew." in seen(panes.lower(desk, 80, 9))


def test_signals_are_picked_by_a_part_and_writers_found(desk: Desk) -> None:
    assert desk.picks("o") == ["on", "mode", "count.x", "count.n"]
    said(desk, "pick nt.n")
    assert desk.chosen == "count.n"
    assert "count.n" in desk.watch
    said(desk, "scan")
    assert "n := n + 1" in said(desk, "writers")
    assert (desk.instance, desk.line) == ("count", 3)
    assert "is read by no statement" in said(desk, "readers rest")
    said(desk, "unwatch count.n")
    assert "count.n" not in desk.watch


def test_what_differs_from_initial_values(desk: Desk) -> None:
    assert "All has its initial value." in said(desk, "changed")
    assert "mode busy   initial value idle" in said(desk, "set set_it=1", "scan", "changed")


def test_what_was_done_becomes_a_case_and_initial_values(desk: Desk, folder: Path) -> None:
    said(desk, "scan", "set set_it=1", "scan 2", "power off", "scan", "keep case latch/by hand")
    assert "write writes it" in seen(desk.told)
    assert "by hand" not in (folder / "cases/latch.toml").read_text()
    said(desk, "write")
    library = open_library(folder)
    assert [verdict.status for verdict in library.run()] == ["passed", "passed"]
    assert "by hand" in (folder / "cases/latch.toml").read_text()
    said(desk, "to 200ms", "keep initials mode", "write")
    assert "mode : (idle, busy) := busy" in (folder / "blocks/latch.st").read_text()
    assert "names no file and case" in said(desk, "keep case by hand")
    said(desk, "step", "set on=1", "keep case latch/other")
    assert "was set in the middle of a scan" in said(desk)


def test_watch_lists_are_files_of_the_library(desk: Desk, folder: Path) -> None:
    said(desk, "watch count.*", "keep list mine", "write")
    assert (folder / "desk/mine.txt").read_text().split() == [*desk.watch]
    (folder / "desk/mine.txt").write_text("# of the counter\ncount.n\nmode  # what it does\n")
    said(desk, "list mine")
    assert desk.watch == ["count.n", "mode"]
    assert {finding.source.path for finding in open_library(folder).check().findings} == {"blocks/latch.st"}


def test_it_begins_as_a_case_does(desk: Desk) -> None:
    said(desk, "start latch/is set 1.5s")
    assert (desk.target, desk.moment, desk.machine.read("on")) == ("latch/is set", "1.5s", True)
    assert "cases/latch.toml:9" in said(desk, "why set_it") or "cases/latch.toml" in seen(desk.told)
    said(desk, "start Latch")
    assert (desk.target, desk.moment) == ("Latch", "0s")


def test_a_session_is_kept_and_taken_up(desk: Desk, folder: Path) -> None:
    said(desk, "set set_it=1", "scan 2", "force rest=7", "step", "watch count.n", "set mode=idle", "pace 2")
    name, lines = left(desk, "mine")
    assert (name, seen(lines)) == ("mine", "1 force was left: rest")
    library = open_library(folder)
    again = opened(library, "Latch", (), None, "mine")
    assert (again.moment, again.place, again.watch, again.pace) == (desk.moment, desk.place, desk.watch, 2.0)
    assert [again.value_text(path) for path in again.watch] == [desk.value_text(path) for path in desk.watch]
    assert again.machine.read("mode") == "idle"
    with pytest.raises(UnknownName, match="There is no session other"):
        read_session("other")
    with pytest.raises(BadValue, match="is of Latch"):
        opened(library, "Count", (), None, "mine")
    with pytest.raises(BadValue, match="NAME=VALUE"):
        opened(library, "Count", ("x",), None)


def test_every_line_and_key_is_told_once_and_documented() -> None:
    assert len(KEYS) == sum(bool(word.key) for word in WORDS)
    document = (Path(__file__).parents[2] / "docs/why.md").read_text("utf-8")
    for word in WORDS:
        assert f"| `{word.word} {word.form}".rstrip() in document.replace("\\|", "|"), word.word
        assert word.does in document, word.word


def test_a_plant_is_sat_at(tmp_path: Path) -> None:
    desk = Desk(open_library(EXAMPLES / "demo"), "Glasshouse")
    said(desk, "pick bay1_open_button", "toggle", "scan 20", "open roof.Vent01")
    assert "roof.Vent01, a VentDrive" in text_of(desk, 120)
    assert "state 1" in text_of(desk, 120) or "open 1" in text_of(desk, 120)
    assert "vent_drive.st:62" in said(desk, "wrote roof.Vent01.opening")
    assert "Enter" in KEYS
    said(desk, "force bay2_vent_up=1", "scan 2")
    assert list(desk.forced) == ["bay2_vent_up"]
    said(desk, "open roof")
    assert "Wish[01..12]" in text_of(desk, 120)
