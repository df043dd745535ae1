"""Case files as tests of pytest, through pytest itself in a process of its own."""

from __future__ import annotations

import subprocess
import sys
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from tests.helpers import edit, upright, write_files


def pytest_in(folder: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    """A run of pytest in a folder."""
    call = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "-q", *arguments]
    return subprocess.run(call, check=False, capture_output=True, text=True, cwd=folder)


def test_every_case_is_a_test_and_its_failure_reads_as_that_of_verify(glasshouse: Path) -> None:
    good = pytest_in(glasshouse)
    assert (good.returncode, "36 passed" in good.stdout) == (0, True), good.stdout
    edit(glasshouse / "cases" / "vent_drive.toml", "21s  | 1    1       | 0       0", "21s  | 1    1       | 1       0")
    wrong = pytest_in(glasshouse)
    assert "1 failed, 35 passed" in wrong.stdout
    assert "FAILED cases/vent_drive.toml::stops at the upper limit" in wrong.stdout
    shown = upright("verify", "stops at the upper limit", "--library", glasshouse).output
    block = shown[shown.index("  At 21s") : shown.index("1 case:")].strip()
    assert [line.strip() for line in block.splitlines()][:4] == [
        line.strip() for line in wrong.stdout[wrong.stdout.index("  At 21s") :].splitlines()
    ][:4]


def test_tests_are_chosen_and_reported_as_others_are(glasshouse: Path, tmp_path: Path) -> None:
    chosen = pytest_in(glasshouse, "-k", "jammed or bounces", f"--junitxml={tmp_path / 'junit.xml'}")
    assert "2 passed, 34 deselected" in chosen.stdout, chosen.stdout
    names = [case.get("name") for case in ET.parse(tmp_path / "junit.xml").iter("testcase")]
    assert names == ["a jammed vent is given up after its time, and not before", "a limit that bounces stops it once"]
    one = pytest_in(glasshouse, "cases/vent_drive.toml::a windy day")
    assert "1 passed" in one.stdout
    spread = pytest_in(glasshouse, "-n", "2")
    assert "36 passed" in spread.stdout, spread.stdout


def test_what_cannot_be_run_fails_and_what_checks_nothing_is_skipped(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := x; END_FUNCTION_BLOCK"
    head = 'block = "B"\nscan = "1s"\n'
    files = {
        "blocks/b.st": block,
        "cases/a.toml": head
        + '[[case]]\nname = "no pin"\nvectors = """\ny\n1\n"""\n[[case]]\nname = "nothing"\nvectors = """\nx\n1\n"""\n',
        "cases/b.toml": "block = ",
    }
    result = pytest_in(write_files(tmp_path, files), "-rs", "--continue-on-collection-errors")
    assert "could not be run: B has no y." in result.stdout, result.stdout
    assert "the case checks nothing" in result.stdout
    assert "ERROR collecting cases/b.toml" in result.stdout
    (tmp_path / "upright.toml").write_text("name = ")
    broken = pytest_in(tmp_path)
    assert "is not valid TOML" in broken.stdout, broken.stdout


def test_fixtures_give_the_library_and_its_machines(glasshouse: Path) -> None:
    (glasshouse / "test_vent.py").write_text(
        "def test_it_gives_up(upright_machine, upright_library):\n"
        "    assert upright_library.name == 'glasshouse'\n"
        "    vent = upright_machine('VentDrive', scan='100ms', given={'travel': '5s'})\n"
        "    vent.set('open', True)\n"
        "    assert vent.run_until('stuck', within='10s') == 5_100_000_000\n"
    )
    result = pytest_in(glasshouse, "test_vent.py")
    assert "1 passed" in result.stdout, result.stdout


def test_a_project_without_a_library_reads_nothing_of_it(tmp_path: Path) -> None:
    (tmp_path / "pyproject.toml").write_text("[project]\nname = 'x'\n")
    (tmp_path / "test_x.py").write_text(
        "import sys\ndef test_x():\n    assert not {'wasmtime', 'upright_block.face.opened', 'click'} & sys.modules.keys()\n"
    )
    result = pytest_in(tmp_path)
    assert "1 passed" in result.stdout, result.stdout


@pytest.mark.parametrize("name", ["upright_library", "upright_machine"])
def test_a_fixture_without_a_library_says_so(name: str, tmp_path: Path) -> None:
    (tmp_path / "test_x.py").write_text(f"def test_x({name}):\n    pass\n")
    result = pytest_in(tmp_path)
    assert "No upright.toml" in result.stdout or "upright.toml" in result.stdout, result.stdout
    assert "1 error" in result.stdout


def test_cases_of_a_linked_folder_run_and_names_print_no_escapes(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK B VAR_OUTPUT n : INT; END_VAR END_FUNCTION_BLOCK"
    case = 'block = "B"\nscan = "1s"\n[[case]]\nname = "a\\u001b[31mred"\nvectors = "n\\n1"\n'
    write_files(tmp_path / "real", {"blocks/b.st": block, "cases/b.toml": case})
    (tmp_path / "link").symlink_to(tmp_path / "real")
    output = pytest_in(tmp_path, "link").stdout
    assert "1 failed" in output
    assert "\x1b[31mred" not in output
