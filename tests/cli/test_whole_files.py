"""Calls that are ended while they write, and disks that are full: every file is whole, as it was or as it should be."""

from __future__ import annotations

import errno
import json
import os
import shutil
import signal
import subprocess
import sys
import time
import tomllib
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import EXAMPLES, upright

VENT = ["run", "VentDrive", "--set=open=1@1s", "--set=travel=30s", "--for", "9s"]


def calls(out: Path) -> list[list[str]]:
    return [
        ["verify", "--coverage", "--pictures", "--report", str(out / "report")],
        [*VENT, "--save-as", "vent_drive/by hand", "--write"],
        [*VENT, "--keep", "*", "--write"],
        [*VENT, "--trace", str(out / "t.vcd"), "--log", str(out / "l.csv")],
    ]


@pytest.fixture
def library(tmp_path: Path) -> Path:
    root = tmp_path / "glasshouse"
    shutil.copytree(EXAMPLES / "demo", root)
    (tmp_path / "out").mkdir()
    return root


def started(root: Path, call: list[str]) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "upright_block", *call, "--library", str(root)]
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)


def texts(root: Path) -> dict[str, str]:
    found = sorted(path for path in root.rglob("*") if path.is_file() and ".upright-part-" not in path.name)
    return {path.relative_to(root).as_posix(): path.read_text("utf-8") for path in found if path.suffix != ".pyc"}


def must_be_whole(root: Path, out: Path, before: dict[str, str], after: dict[str, str]) -> None:
    """All files of a library are as they were or as they should become, and all files of a report can be read."""
    for name, text in texts(root).items():
        assert text in (before.get(name), after.get(name)), name
    for name, text in texts(out).items():
        match name.rpartition(".")[2]:
            case "html":
                assert text.rstrip().endswith("</html>")
            case "xml" | "svg":
                ET.fromstring(text)
            case "jsonl":
                assert all(json.loads(line) for line in text.splitlines())
            case "lcov":
                assert text.endswith("end_of_record\n")
            case "vcd":
                assert text.rstrip().endswith("#9000000000")
            case _:
                assert text.endswith("\n")


@pytest.mark.long
@pytest.mark.parametrize("number", range(4))
def test_a_call_that_is_killed_leaves_no_half_file(number: int, library: Path, tmp_path: Path) -> None:
    out, whole = tmp_path / "out", tmp_path / "whole"
    shutil.copytree(library, whole)
    (tmp_path / "done").mkdir()
    before = texts(library)
    began = time.monotonic()
    assert started(whole, calls(tmp_path / "done")[number]).wait() == 0
    took = time.monotonic() - began
    after = texts(whole)
    for turn in range(12):
        call = started(library, calls(out)[number])
        time.sleep(took * (0.4 + 0.05 * turn))
        call.send_signal(signal.SIGKILL if turn % 2 else signal.SIGINT)
        call.wait()
        must_be_whole(library, out, before, after)
        if texts(library) != before:
            break  # it was written: from here on the call means another thing
    for name in ("report", "t.vcd", "l.csv"):
        if (out / name).is_file():
            assert (out / name).read_text() == (tmp_path / "done" / name).read_text()


class Full:
    """A file on a disk with room for so many bytes more."""

    room = 0

    def __init__(self, file: Any) -> None:
        self.file = file

    def write(self, content: bytes) -> int:
        Full.room -= len(content)
        if Full.room < 0:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        written: int = self.file.write(content)
        return written

    def __enter__(self) -> Full:
        return self

    def __exit__(self, *_: object) -> None:
        self.file.close()


@pytest.mark.parametrize("number", range(4))
@pytest.mark.parametrize("room", [0, 300, 5_000, 60_000])
def test_a_disk_that_is_full_is_told_and_leaves_no_half_file(
    number: int, room: int, library: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("UPRIGHT_CACHE", str(tmp_path / "cache"))
    opened = Path.open

    def on_a_full_disk(self: Path, *arguments: Any, **options: Any) -> Any:
        file = opened(self, *arguments, **options)
        return Full(file) if self.name.startswith(".upright-part-") and self.is_relative_to(tmp_path) else file

    monkeypatch.setattr(Path, "open", on_a_full_disk)
    monkeypatch.setattr(Full, "room", room)
    out, before = tmp_path / "out", texts(library)
    result = upright(*calls(out)[number], "--library", library)
    assert (result.exit_code, "No space left" in result.output) in ((2, True), (0, False)), result.output
    after = texts(library)
    assert result.exit_code == 0 or after == before
    must_be_whole(library, out, before, after)
    assert not [path for path in (*library.rglob("*"), *out.rglob("*")) if path.name.startswith(".upright-part-")]


def test_a_case_that_was_saved_can_be_read(library: Path, tmp_path: Path) -> None:
    assert started(library, calls(tmp_path / "out")[1]).wait() == 0
    tomllib.loads((library / "cases" / "vent_drive.toml").read_text("utf-8"))
