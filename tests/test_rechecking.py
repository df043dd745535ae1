"""A check that knows the last one finds what a check of everything finds, whatever was changed."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path
from typing import Any

import pytest

from tests.analysis.planted import DEMO, chosen
from tests.helpers import write_files
from upright_block import check_library, open_library, rechecking
from upright_block.language.allowing import Settled
from upright_block.library import check_texts

COUNT = int(os.environ.get("UPRIGHT_RECHECKED", "12"))


pytestmark = pytest.mark.usefixtures("memory")


def shown(settled: Settled) -> list[tuple[Any, ...]]:
    return [
        (
            *(f.name, f.source.path, f.start, f.end, f.message, f.way_out, f.severity, f.is_doubtful),
            *((r.source.path, r.start, r.message) for r in f.related),
        )
        for f in (*settled.findings, *(finding for finding, _ in settled.allowed))
    ]


def same(root: Path) -> list[tuple[Any, ...]]:
    """What is found with what is kept of the last check; it is what is found without."""
    known = check_library(root, (), True)
    library = open_library(root)
    assert shown(known.settled) == shown(library.check(True))
    assert known.units == len(library.units)
    assert known.files == len(library.sources)
    assert known.cases == len(library.cases) + len(library.not_run)
    return shown(known.settled)


@pytest.fixture
def again(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """What was read of the last library: ``all`` or ``some`` for each check."""
    ways: list[str] = []
    wholly, partly = rechecking._wholly, rechecking._Again.run

    def whole(*args: Any) -> object:
        ways.append("all")
        return wholly(*args)

    def part(self: rechecking._Again) -> object:
        found = partly(self)
        ways.append("some") if found is not None else None
        return found

    monkeypatch.setattr(rechecking, "_wholly", whole)
    monkeypatch.setattr(rechecking._Again, "run", part)
    return ways


@pytest.mark.long
def test_mistakes_planted_one_after_the_other_are_found_as_by_a_check_of_everything(
    tmp_path: Path, again: list[str]
) -> None:
    root = tmp_path / "demo"
    shutil.copytree(DEMO, root)
    same(root)
    for mistake in chosen(COUNT, seed=7):
        path = root / mistake.path
        before = path.read_text()
        path.write_text(mistake.text)
        same(root)
        path.write_text(before)
    assert same(root) == shown(open_library(root).check(True))
    assert again.count("some") >= COUNT / 3


BLOCKS = {
    f"blocks/b{n}.st": f"FUNCTION_BLOCK B{n} VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT y : BOOL; END_VAR\n"
    + (f"VAR inner : B{n - 1}; END_VAR\ninner(a := a, y => y);\n" if n % 5 else "y := a;\n")
    + "END_FUNCTION_BLOCK\n"
    for n in range(60)
}
CASE = 'block = "B7"\nscan = "100ms"\n[[case]]\nname = "c"\nvectors = """\na | y\n1 | 1\n"""\n'


@pytest.fixture
def library(tmp_path: Path) -> Path:
    root = tmp_path / "library"
    write_files(root, BLOCKS | {"cases/b7.toml": CASE})
    assert same(root) == []
    return root


@pytest.mark.parametrize(
    ("path", "old", "new", "way", "found"),
    [
        ("blocks/b20.st", "y := a;", "y := a; y := NOT a;", "some", ["two-writers"]),
        ("blocks/b20.st", "a : BOOL;", "a, b : BOOL;", "some", ["never-read"]),
        ("blocks/b20.st", "a : BOOL;", "z : BOOL;", "all", None),
        ("blocks/b20.st", "B20", "C20", "all", None),
        ("blocks/b20.st", "y := a;", "y := aa;", "all", ["unknown-name"]),
        ("blocks/b5.st", "y : BOOL", "yy : BOOL", "all", None),
        ("blocks/b6.st", "y => y", "y => y); inner(a := NOT a", "some", None),
        ("cases/b7.toml", "1 | 1", "1 | many", "some", ["bad-value"]),
        ("upright.toml", "", 'levels = { never-read = "error" }\n', "all", []),
        ("blocks/new.st", "", "FUNCTION_BLOCK N END_FUNCTION_BLOCK\n", "all", []),
        ("blocks/b20.st", "y := a;", "y := a; // allow no-task: was a program", "some", ["unused-allowance"]),
    ],
)
def test_what_changed_is_read_again_and_no_more(
    path: str, old: str, new: str, way: str, found: list[str] | None, library: Path, again: list[str]
) -> None:
    file = library / path
    before = file.read_text() if file.exists() else ""
    file.write_text(before.replace(old, new) if old else new)
    told = same(library)
    assert again[-1] == way
    if found is not None:
        assert {entry[0] for entry in told} == set(found)
    if old:
        file.write_text(before)
        assert same(library) == []


def test_an_output_that_a_program_takes_is_looked_for_in_others(library: Path, again: list[str]) -> None:
    program = "PROGRAM Lights VAR lamp AT %QX0.0 : BOOL; END_VAR\nlamp := NOT lamp;\nEND_PROGRAM\n"
    block = "FUNCTION_BLOCK Dark\n%QX1.0 := FALSE;\nEND_FUNCTION_BLOCK\n"
    write_files(library, {"blocks/lights.st": program, "blocks/dark.st": block})
    before = same(library)
    for changed in (program.replace("%QX0.0", "%QX1.0"), program, program.replace("lamp AT %QX0.0", "lamp")):
        (library / "blocks" / "lights.st").write_text(changed)
        told = [entry for entry in same(library) if entry not in before]
        assert ("point-has-tag" in {entry[0] for entry in told}) == ("%QX1.0" in changed)
    assert again[1] == "some"


def test_a_block_that_comes_to_follow_a_reference_is_looked_at_with_its_users(library: Path, again: list[str]) -> None:
    block = "FUNCTION_BLOCK Far VAR_INPUT k : REF_TO INT; END_VAR VAR_OUTPUT o : BOOL; END_VAR\no := k = NULL;\nEND_FUNCTION_BLOCK\n"
    user = (
        "FUNCTION_BLOCK Near VAR_OUTPUT y, z : BOOL; END_VAR VAR far : Far; x : INT; END_VAR\n"
        "x := 5; far(k := REF(x), o => z); y := x = 5;\nx := 6;\nEND_FUNCTION_BLOCK\n"
    )
    write_files(library, {"blocks/far.st": block, "blocks/near.st": user})
    same(library)
    (library / "blocks" / "far.st").write_text(block.replace("o := k = NULL;", "k^ := 7; o := k = NULL;"))
    same(library)
    assert again == ["all", "some"]


def test_who_resets_a_global_variable_is_read_with_who_sets_it(library: Path, again: list[str]) -> None:
    write_files(
        library,
        {
            "blocks/set.st": "VAR_GLOBAL flag : BOOL; END_VAR\nFUNCTION_BLOCK Puts VAR_INPUT a : BOOL; END_VAR\nIF a THEN flag := TRUE; END_IF\nEND_FUNCTION_BLOCK\n",
            "blocks/reset.st": "FUNCTION_BLOCK Resets VAR_INPUT a : BOOL; END_VAR\nIF a THEN flag := FALSE; END_IF\nEND_FUNCTION_BLOCK\n",
        },
    )
    assert same(library) == []
    file = library / "blocks" / "set.st"
    file.write_text(file.read_text() + "// changed\n")
    assert same(library) == []
    assert again == ["all", "some"]
    (library / "blocks" / "reset.st").write_text(
        "FUNCTION_BLOCK Resets VAR_INPUT a : BOOL; END_VAR VAR b : BOOL; END_VAR\nb := a AND flag AND b;\nEND_FUNCTION_BLOCK\n"
    )
    assert {entry[0] for entry in same(library)} == {"latch-one-way"}


def test_nothing_is_read_where_nothing_changed(library: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[object] = []
    checking = check_texts

    def noted(texts: Any, only: Any = None) -> object:
        read.append(only)
        return checking(texts, only)

    monkeypatch.setattr(rechecking, "check_texts", noted)
    check_library(library)
    assert read == [set()]


@pytest.mark.parametrize("damage", ["", "{", "[]", '{"around": 3}', "\x00"])
def test_a_memory_that_is_damaged_is_made_anew(damage: str, library: Path, memory: Path, again: list[str]) -> None:
    (kept,) = memory.glob("*.check")
    kept.write_text(damage)
    assert same(library) == []
    assert again == ["all"]
    json.loads(kept.read_text())


def test_a_memory_that_somebody_else_could_have_written_is_not_used(
    library: Path, memory: Path, again: list[str]
) -> None:
    (kept,) = memory.glob("*.check")
    kept.chmod(0o666)
    assert same(library) == []
    assert again == ["all"]
