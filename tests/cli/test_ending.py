"""How a call ends where it does not end by itself."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

PROGRAM = [sys.executable, "-m", "upright_block"]
SLOW = """
FUNCTION_BLOCK Slow
VAR_INPUT i : INT; END_VAR
VAR_OUTPUT n : DINT; END_VAR
VAR k : DINT; END_VAR
FOR k := 1 TO 9000000 DO n := n + k; END_FOR
END_FUNCTION_BLOCK
"""


@pytest.fixture
def library(tmp_path: Path) -> Path:
    for folder in ("blocks", "cases"):
        (tmp_path / folder).mkdir()
    (tmp_path / "upright.toml").write_text('name = "slow"\n')
    (tmp_path / "blocks" / "slow.st").write_text(SLOW)
    (tmp_path / "cases" / "slow.toml").write_text(
        'block = "Slow"\nscan = "1s"\n[[case]]\nname = "c"\nrun_for = "1000000s"\nvectors = """\ni n\n1 >0\n"""\n'
    )
    return tmp_path


def end_in_a_minute() -> None:
    """The program ends by itself where the test that started it is gone."""
    import resource  # of POSIX alone

    resource.setrlimit(resource.RLIMIT_CPU, (60, 60))


@pytest.mark.skipif(sys.platform == "win32", reason="signals of POSIX")
@pytest.mark.parametrize(("number", "status"), [(signal.SIGINT, 130), (signal.SIGTERM, 143)])
def test_a_signal_ends_a_run_in_silence(library: Path, number: signal.Signals, status: int) -> None:
    process = subprocess.Popen(
        [*PROGRAM, "verify"], cwd=library, stdout=subprocess.PIPE, stderr=subprocess.PIPE, preexec_fn=end_in_a_minute
    )
    time.sleep(1.5)  # the run takes days; it has begun by now, or ends as silently before
    process.send_signal(number)
    out, err = process.communicate(timeout=60)
    assert (process.returncode, out, err) == (status, b"", b"")


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="has no device that is full")
def test_output_that_cannot_be_written_is_told(library: Path) -> None:
    with Path("/dev/full").open("wb") as full:
        result = subprocess.run([*PROGRAM, "check"], cwd=library, stdout=full, stderr=subprocess.PIPE, check=False)
    assert result.returncode == 2
    assert result.stderr.count(b"\n") == 1
    assert b"upright: " in result.stderr


def test_a_reader_who_leaves_ends_the_call_in_silence(library: Path) -> None:
    reader, writer = os.pipe()
    os.close(reader)
    result = subprocess.run([*PROGRAM, "check"], cwd=library, stdout=writer, stderr=subprocess.PIPE, check=False)
    os.close(writer)
    assert (result.returncode, result.stderr) == (141, b"")


@pytest.mark.skipif(sys.platform == "win32", reason="a shell of POSIX")
def test_output_may_be_closed(library: Path) -> None:
    command = f'"{sys.executable}" -m upright_block check >&-'
    result = subprocess.run(["sh", "-c", command], cwd=library, stderr=subprocess.PIPE, check=False)
    assert (result.returncode, result.stderr) == (0, b"")


PLANTED = """
import upright_block.cli.common as common
def open_library(*_):
    return {}["planted\\n\\x1b[31m"]
common.open_library = open_library
from upright_block.cli.ending import program
program()
"""


def test_a_mistake_of_the_program_is_one_line(library: Path) -> None:
    result = subprocess.run([sys.executable, "-c", PLANTED, "verify"], cwd=library, capture_output=True, check=False)
    assert result.returncode == 2
    assert result.stdout == b""
    assert result.stderr.count(b"\n") == 1
    assert b"KeyError" in result.stderr
    assert b"<string>:4" in result.stderr
    assert b"\x1b" not in result.stderr
    assert b"report" in result.stderr


@pytest.mark.parametrize("named", ["sub", "."])
def test_what_an_earlier_call_could_not_finish_is_in_nobodys_way(tmp_path: Path, named: str) -> None:
    (tmp_path / "sub" / ".upright-part-left").mkdir(parents=True)
    folder = tmp_path / "sub"
    result = subprocess.run(
        [*PROGRAM, "new", named], cwd=folder if named == "." else tmp_path, capture_output=True, check=False
    )
    assert (result.returncode, result.stderr) == (0, b"")
    assert (folder / "upright.toml").is_file()
    assert (folder / "blocks" / "door_fan.st").is_file()


def test_nothing_is_left_of_a_library_that_could_not_be_written(tmp_path: Path) -> None:
    code = (
        "import pathlib\n"
        "written = pathlib.Path.write_text\n"
        "def full(self, *a, **k):\n"
        "    if self.name == 'upright.toml': raise OSError(28, 'No space left on device')\n"
        "    return written(self, *a, **k)\n"
        "pathlib.Path.write_text = full\n"
        "from upright_block.cli.ending import program\n"
        "program()\n"
    )
    result = subprocess.run([sys.executable, "-c", code, "demo", "g"], cwd=tmp_path, capture_output=True, check=False)
    assert result.returncode == 2
    assert b"No space left" in result.stderr
    assert list(tmp_path.iterdir()) == []
