"""``upright desk`` where it cannot begin."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

import upright_block.desk
from tests.helpers import EXAMPLES, upright, write_files

BLOCK = "FUNCTION_BLOCK B VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\nq := a;\nEND_FUNCTION_BLOCK\n"


@pytest.mark.parametrize(
    ("arguments", "wanted"),
    [
        (["C"], "There is no block C."),
        (["B", "--given", "a"], "a gives nothing."),
        (["B", "--given", "x=1"], "x"),
        (["B", "--session", "none"], "There is no session none."),
        (["B", "--scan", "soon"], "soon"),
        (["B"], "The desk needs a terminal."),
    ],
    ids=str,
)
def test_it_says_why_it_does_not_begin(arguments: list[str], wanted: str, tmp_path: Path) -> None:
    result = upright("desk", *arguments, "--library", write_files(tmp_path, {"blocks/b.st": BLOCK}))
    assert result.exit_code == 2
    assert wanted in result.stderr
    assert "Traceback" not in result.output


def test_slips_in_what_it_begins_with_end_the_call(tmp_path: Path) -> None:
    folder = write_files(tmp_path, {"blocks/b.st": BLOCK})
    for option, value, wanted in (
        ("--pace", "fast", "fast is no pace."),
        ("--watch", "x*", "x*"),
        ("--at", "never", "never"),
    ):
        result = upright("desk", "B", option, value, "--library", folder)
        assert (result.exit_code, wanted in result.stderr) == (2, True), result.output


def test_without_its_package_one_sentence_says_what_to_install(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in [name for name in sys.modules if name.partition(".")[0] in ("textual", "rich")]:
        monkeypatch.delitem(sys.modules, name)
    monkeypatch.delitem(sys.modules, "upright_block.desk.screen", raising=False)
    monkeypatch.delattr(upright_block.desk, "Screen", raising=False)
    monkeypatch.setitem(sys.modules, "textual", None)
    monkeypatch.setitem(sys.modules, "rich.text", None)
    result = upright("desk", "VentDrive", "--library", EXAMPLES / "demo")
    assert result.exit_code == 2
    assert result.stderr.strip() == "upright: The desk needs the package textual: pip install 'upright-block[desk]'."


@pytest.mark.skipif(sys.platform == "win32", reason="has no such terminals")
def test_a_desk_whose_terminal_is_gone_ends_and_keeps_its_session(tmp_path: Path) -> None:
    import pty

    folder = write_files(tmp_path / "library", {"blocks/b.st": BLOCK})
    ours, theirs = pty.openpty()
    program = "from upright_block.cli.ending import program; program()"
    call = [sys.executable, "-c", program, "desk", "B", "--library", str(folder)]
    environment = {**os.environ, "UPRIGHT_CACHE": str(tmp_path / "cache"), "TERM": "xterm-256color"}
    child = subprocess.Popen(call, stdin=theirs, stdout=theirs, stderr=theirs, env=environment, start_new_session=True)
    os.close(theirs)
    seen = b""
    while b"PAUSED" not in seen:
        seen += os.read(ours, 65536)
    os.write(ours, b"t")
    while b"0 -> 1" not in seen:
        seen += os.read(ours, 65536)
    os.close(ours)
    child.wait(60)
    kept = json.loads((tmp_path / "cache/desk/b-1.json").read_text())
    assert [act[1:4] for act in kept["acts"]] == [["set", "a", True]]
