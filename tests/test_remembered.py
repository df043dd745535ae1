"""What is remembered of runs and checks: nothing that could differ is taken from memory, and nothing is lost."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import check_library, open_library

BLOCK = "FUNCTION_BLOCK B VAR_INPUT n : INT; END_VAR VAR_OUTPUT m : INT; END_VAR m := n; END_FUNCTION_BLOCK\n"
LIMIT = "FUNCTION Most : INT VAR_INPUT x : INT; END_VAR Most := x + ROOM; END_FUNCTION\nVAR_GLOBAL CONSTANT ROOM : INT := 5; END_VAR\n"


pytestmark = pytest.mark.usefixtures("memory")


def case(name: str = "c", rule: str = 'always = ["m < Most(n)"]', table: str = '"""\nn | m\n1 | 1\n"""') -> str:
    return f'block = "B"\nscan = "1s"\n[[case]]\nname = "{name}"\n{rule}\nvectors = {table}\n'


FILES = {"blocks/b.st": BLOCK, "blocks/most.st": LIMIT, "cases/b.toml": case()}


def found(root: Path) -> list[str]:
    """The findings of a check that knows the last one, which are those of one that does not."""
    known = sorted((f.source.path, f.name, f.message) for f in check_library(root).settled.findings)
    anew = sorted((f.source.path, f.name, f.message) for f in open_library(root).check().findings)
    assert known == anew
    return [name for _, name, _ in known]


@pytest.mark.parametrize(
    ("path", "text"),
    [
        ("blocks/most.st", LIMIT.replace("x + ROOM", "x - ROOM")),
        ("blocks/most.st", LIMIT.replace(":= 5", ":= -5")),
        ("cases/b.toml", case(rule='always = ["m < 0"]')),
        ("blocks/b.st", BLOCK.replace("m := n", "m := n + 9")),
    ],
)
def test_a_case_is_run_again_when_what_its_rule_calls_has_changed(tmp_path: Path, path: str, text: str) -> None:
    root = write_files(tmp_path / "l", FILES)
    assert "1 good" in upright("verify", "--changed", "--library", root).output
    assert "1 good" not in upright("verify", "--changed", "--library", root).output
    write_files(root, {path: text})
    assert "1 wrong" in upright("verify", "--changed", "--library", root).output


def test_a_case_in_a_rig_is_run_again_when_the_rig_has_changed(tmp_path: Path) -> None:
    plant = "PROGRAM P VAR n : INT; END_VAR n := n + 1; END_PROGRAM\nCONFIGURATION C RESOURCE R ON CPU\n"
    plant += "TASK t(INTERVAL := T#1s); PROGRAM p WITH t : P; END_RESOURCE END_CONFIGURATION"
    rig = "PROGRAM One VAR k : INT; END_VAR k := 1; END_PROGRAM"
    text = 'configuration = "C"\nrig = "One"\n[[case]]\nname = "c"\nvectors = """\nOne.k\n1\n"""\n'
    root = write_files(tmp_path / "l", {"programs/p.st": plant, "cases/rigs/r.st": rig, "cases/c.toml": text})
    assert "1 good" in upright("verify", "--changed", "--library", root).output
    found(root)
    write_files(root, {"cases/rigs/r.st": rig.replace("k := 1", "k := 2")})
    assert "1 wrong" in upright("verify", "--changed", "--library", root).output
    write_files(root, {"cases/rigs/r.st": rig.replace("k : INT", "other : INT").replace("k := 1", "other := 1")})
    assert "unknown-name" in found(root)


def test_a_check_finds_what_an_edit_elsewhere_does_to_a_rule(tmp_path: Path) -> None:
    root = write_files(tmp_path / "l", FILES)
    assert found(root) == []
    write_files(root, {"blocks/most.st": LIMIT.replace("x : INT", "x : BOOL").replace("x + ROOM", "ROOM")})
    assert found(root) != []
    write_files(root, {"blocks/most.st": LIMIT})
    assert found(root) == []


def test_a_check_sees_files_that_come_go_and_cannot_be_read(tmp_path: Path) -> None:
    root = write_files(tmp_path / "l", FILES | {"cases/t.toml": case(table='"t.csv"', rule="")})
    assert "missing-file" in found(root)
    write_files(root, {"cases/t.csv": "n,m\n1,1\n"})
    assert found(root) == []
    (root / "cases/t.csv").unlink()
    assert "missing-file" in found(root)
    write_files(root, {"cases/t.csv": "n,m\n1,1\n", "tags/t.csv": "tag,point\nn,%IX0.0\n"})
    found(root)
    (root / "tags/t.csv").unlink()
    assert found(root) == []
    (root / "cases/b.toml").write_bytes(b"\xff\xfe")
    assert "unreadable-file" in found(root)
    (root / "cases/b.toml").write_text(case())
    assert found(root) == []


def test_what_was_wrong_is_not_forgotten_while_its_file_cannot_be_read(tmp_path: Path) -> None:
    root = write_files(tmp_path / "l", FILES | {"cases/b.toml": case(rule='never = ["m > 0"]')})
    upright("verify", "--library", root)
    text = (root / "cases/b.toml").read_text()
    (root / "cases/b.toml").write_text(text + '"""')
    upright("verify", "--failed", "--library", root)
    (root / "cases/b.toml").write_text(text)
    assert "1 wrong" in upright("verify", "--failed", "--library", root).output
    (root / "cases/b.toml").write_text(text.replace('name = "c"', 'name = "d"'))
    assert "1 wrong" not in upright("verify", "--failed", "--library", root).output


def test_cases_of_two_folders_with_one_id_are_told_apart(tmp_path: Path) -> None:
    files = {
        "upright.toml": 'cases = ["one", "two"]\n',
        "one/b.toml": case(),
        "two/b.toml": case(rule='never = ["m > 0"]'),
    }
    root = write_files(tmp_path / "l", FILES | files)
    (root / "cases/b.toml").unlink()
    upright("verify", "--library", root)
    output = upright("verify", "--failed", "--library", root).output
    assert ("1 wrong" in output, "good" in output.splitlines()[-1].replace("0 good", "")) == (True, False), output


def test_two_calls_at_once_lose_nothing(tmp_path: Path) -> None:
    root = write_files(tmp_path / "l", FILES | {"cases/c.toml": case("d")})
    one, other = open_library(root), open_library(root)
    assert one.history.known == other.history.known == {}
    one.remember(one.run([one.cases[0]]))
    other.remember(other.run([other.cases[1]]))
    again = open_library(root)
    assert [again.history.is_changed(found_case) for found_case in again.cases] == [False, False]


def test_what_somebody_else_could_have_written_is_not_believed(tmp_path: Path, memory: Path) -> None:
    root = write_files(tmp_path / "l", FILES)
    upright("verify", "--library", root)
    (file,) = memory.glob("*.runs")
    assert not open_library(root).history.is_changed(open_library(root).cases[0])
    os.chmod(file, 0o666)
    assert open_library(root).history.is_changed(open_library(root).cases[0])
