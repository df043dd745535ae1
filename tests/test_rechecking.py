"""A check that knows the last one finds what a check of everything finds, whatever was changed."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
from pathlib import Path
from typing import Any

import pytest

from tests.analysis.planted import DEMO, chosen
from tests.helpers import write_files
from upright_block import check_library, open_library
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Settled
from upright_block.library import check_texts, read_texts
from upright_block.library.outline import mentioned
from upright_block.remembered import again as asked
from upright_block.remembered import rechecking

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
    wholly, partly = rechecking._wholly, asked.Again.run

    def whole(*args: Any) -> object:
        ways.append("all")
        return wholly(*args)

    def part(self: asked.Again) -> object:
        found = partly(self)
        ways.append("some") if found is not None else None
        return found

    monkeypatch.setattr(rechecking, "_wholly", whole)
    monkeypatch.setattr(asked.Again, "run", part)
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
        ("blocks/b20.st", "a : BOOL;", "a, b : BOOL;", "some", ["never-read", "input-left-open"]),
        ("blocks/b20.st", "a : BOOL;", "b : BOOL := TRUE; a : BOOL;", "some", ["never-read"]),
        ("blocks/b21.st", "a := a,", "", "some", ["input-left-open"]),
        ("blocks/b20.st", "a : BOOL;", "z : BOOL;", "some", None),
        ("blocks/b20.st", "B20", "C20", "some", None),
        ("blocks/b20.st", "y := a;", "y := aa;", "some", ["unknown-name"]),
        ("blocks/b21.st", "inner : B20", "inner : B2O", "some", None),
        ("blocks/b5.st", "y : BOOL", "yy : BOOL", "some", None),
        ("blocks/b6.st", "y => y", "y => y); inner(a := NOT a", "some", None),
        ("cases/b7.toml", "1 | 1", "1 | many", "some", ["bad-value"]),
        ("upright.toml", "", 'levels = { never-read = "error" }\n', "all", []),
        ("blocks/new.st", "", "FUNCTION_BLOCK N END_FUNCTION_BLOCK\n", "some", []),
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
    assert again == ["some", "some"]


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

    def noted(texts: Any, only: Any = None, elsewhere: Any = ()) -> object:
        read.append(only)
        return checking(texts, only, elsewhere)

    monkeypatch.setattr(asked, "check_texts", noted)
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


def test_a_place_in_another_file_moves_with_its_text(library: Path) -> None:
    write_files(
        library,
        {
            "blocks/all.st": "VAR_GLOBAL flag : BOOL; END_VAR\nFUNCTION_BLOCK Puts VAR_INPUT a : BOOL; END_VAR\nflag := a;\nEND_FUNCTION_BLOCK\n",
            "blocks/own.st": "FUNCTION_BLOCK Own VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT y : BOOL; END_VAR VAR flag : BOOL; END_VAR\nflag := a; y := flag;\nEND_FUNCTION_BLOCK\n",
        },
    )
    assert "hidden-global" in {entry[0] for entry in same(library)}
    file = library / "blocks" / "all.st"
    file.write_text("// first\n\n" + file.read_text())
    same(library)


class Editor:
    """Somebody who edits a library without a plan: lines go, names change, files come, go and are copied; now and
    then all is as it was.
    """

    def __init__(self, root: Path, seed: int) -> None:
        self.root = root
        self.chance = random.Random(seed)
        self.first = {path: path.read_text("utf-8") for path in self.files()}

    def files(self) -> list[Path]:
        return sorted(path for part in ("blocks", "programs") for path in (self.root / part).glob("*.st"))

    def names(self) -> list[str]:
        return [name for text in self.first.values() for name in re.findall(r"FUNCTION(?:_BLOCK)? (\w+)", text)]

    def edit(self) -> str:
        """Do something; what it was."""
        chance = self.chance
        path = chance.choice(self.files())
        text = path.read_text("utf-8")
        lines = text.split("\n")
        what = chance.choice(
            ["line", "line", "name", "word", "pin", "copy", "gone", "new", "top", "swap", "back", "back", "tidy"]
        )
        if what == "line":
            del lines[chance.randrange(len(lines))]
            path.write_text("\n".join(lines), "utf-8")
        elif what == "name":
            old = chance.choice(self.names())
            path.write_text(re.sub(rf"\b{old}\b", chance.choice([old + "x", *self.names()]), text), "utf-8")
        elif what == "word":
            words = re.findall(r"\b[A-Za-z_]\w+\b", text)
            path.write_text(text.replace(chance.choice(words), chance.choice(words), 1), "utf-8")
        elif what == "pin" and (given := re.findall(r"\w+ := [\w.]+, | := [^;,()]+(?=;)", text)):
            path.write_text(text.replace(chance.choice(given), "", 1), "utf-8")
        elif what == "copy":
            (path.parent / f"copy{chance.randrange(3)}.st").write_text(text, "utf-8")
        elif what == "gone" and len(self.files()) > 5:
            path.unlink()
        elif what == "new":
            name = f"New{chance.randrange(3)}"
            inner = chance.choice([*self.names(), "New0", "New1"])
            kind = chance.choice(["", "VAR_GLOBAL shared : BOOL; END_VAR\n", "TYPE Ways : (forth, back); END_TYPE\n"])
            body = f"FUNCTION_BLOCK {name} VAR inner : {inner}; END_VAR\ninner();\nEND_FUNCTION_BLOCK\n"
            (path.parent / f"{name.lower()}.st").write_text(kind + body, "utf-8")
        elif what == "top":
            path.write_text("// more\n" + text, "utf-8")
        elif what == "swap":
            other = chance.choice(self.files())
            path.write_text(other.read_text("utf-8"), "utf-8")
            other.write_text(text, "utf-8")
        elif what == "back":
            known = chance.choice(list(self.first))
            known.write_text(self.first[known], "utf-8")
        elif what == "tidy":
            for each in self.files():
                if each not in self.first:
                    each.unlink()
            for each, before in self.first.items():
                each.write_text(before, "utf-8")
        return f"{what} {path.name}"


def edited(root: Path, seed: int, steps: int) -> None:
    """Edit a library and check it after each step: with what is kept on the disk, with what is kept in memory, and without."""
    shutil.copytree(DEMO, root)
    same(root)
    inside = rechecking.Checking()
    editor = Editor(root, seed)
    done: list[str] = []
    for _ in range(steps):
        done.append(editor.edit())
        try:
            assert shown(inside.check(read_texts(root), is_doubtful=True).settled) == same(root)
        except Exception as problem:
            raise AssertionError(f"seed {seed}, after {', '.join(done[-6:])}") from problem


def test_whatever_is_edited_is_found_as_by_a_check_of_everything(tmp_path: Path, again: list[str]) -> None:
    edited(tmp_path / "demo", 1, 12)
    assert again.count("some") >= 5


@pytest.mark.long
def test_so_it_is_over_many_edits(tmp_path: Path, again: list[str]) -> None:
    for seed in range(int(os.environ.get("UPRIGHT_EDITED", "2"))):
        edited(tmp_path / f"demo{seed}", seed, 25)
    assert again.count("some") >= 0.4 * len(again)


def test_a_case_on_a_configuration_depends_on_what_its_tables_use(tmp_path: Path) -> None:
    shutil.copytree(DEMO, tmp_path / "demo")
    root = tmp_path / "demo"
    (root / "programs" / "glasshouse.st").unlink()
    same(root)
    file = root / "blocks" / "vent_drive.st"
    before = file.read_text("utf-8")
    for text in (before.replace("END_VAR", "", 1), before):
        file.write_text(text, "utf-8")
        same(root)


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("a := Foo(x); // Bar", {"A", "FOO", "X"}),
        ("a (* b *) := c; /* d */ e;", {"A", "C", "E"}),
        ("s := 'http://here'; Foo(); // gone", {"S", "HTTP", "HERE", "FOO"}),
        ("s := '$'// in'; Foo();", {"S", "IN", "FOO"}),
        ("(* one (* two *) three *) Foo();", {"ONE", "TWO", "THREE", "FOO"}),
        ("(* one (* two *) // three *) Foo();\nBar();", {"ONE", "TWO", "THREE", "FOO", "BAR"}),
        ("// it's\nFoo('a');", {"FOO", "A"}),
    ],
)
def test_a_source_mentions_the_names_in_its_code(text: str, names: set[str]) -> None:
    assert mentioned(Source("b.st", text, "statements")) == names
    assert mentioned(Source("b.st", text, "statements")) <= mentioned(Source("c.csv", text))
