"""Levels and allowances."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import checked, upright, write_files
from upright_block import LibraryProblem, open_library
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Policy, settle

LATE = (
    "PROGRAM Late VAR n : INT; END_VAR{mark}\nn := n + 1;\nEND_PROGRAM\n"
    "PROGRAM Soon VAR n : INT; END_VAR n := n + 1; END_PROGRAM\n"
    "CONFIGURATION Plant TASK main (INTERVAL := T#1s); PROGRAM soon WITH main : Soon; END_CONFIGURATION\n"
)


def names(text: str, policy: Policy | None = None) -> tuple[list[str], list[str]]:
    """The findings that count, and those that are allowed."""
    settled = settle(checked(text)[1], [Source("t.st", text, "statements")], policy or Policy())
    return [f"{f.line} {f.severity} {f.name}" for f in settled.findings], [f.name for f, _ in settled.allowed]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        (LATE.format(mark=""), (["1 warning no-task"], [])),
        (LATE.format(mark=" // allow no-task: by hand"), ([], ["no-task"])),
        (LATE.format(mark=" (* allow no-task: by hand *)"), ([], ["no-task"])),
        ("// allow no-task: by hand\n" + LATE.format(mark=""), ([], ["no-task"])),
        (
            "// allow no-task: by hand\n\n" + LATE.format(mark=""),
            (["1 warning unused-allowance", "3 warning no-task"], []),
        ),
        (LATE.format(mark=" // ALLOW NO-TASK: by hand"), ([], ["no-task"])),
        (LATE.format(mark=" // allow no-task"), (["1 warning bad-allowance"], ["no-task"])),
        (LATE.format(mark=" // allow no-tasks: by hand"), (["1 warning no-task", "1 error unknown-finding"], [])),
        (LATE.format(mark=" // allow label-twice: by hand"), (["1 warning no-task", "1 warning unused-allowance"], [])),
        (LATE.format(mark=" // allowed to run at night: yes"), (["1 warning no-task"], [])),
        ("FUNCTION_BLOCK B VAR s : STRING; END_VAR s := '// allow no-task: x'; END_FUNCTION_BLOCK", ([], [])),
    ],
)
def test_a_comment_allows_a_finding_in_its_line(text: str, expected: tuple[list[str], list[str]]) -> None:
    assert names(text) == expected


def test_what_cannot_run_still_cannot_run_when_its_finding_is_allowed(tmp_path: Path) -> None:
    library = library_of(
        tmp_path,
        "",
        "FUNCTION_BLOCK B VAR n : INT; END_VAR\nn := m; // allow unknown-name: comes later\nEND_FUNCTION_BLOCK",
    )
    opened = open_library(library)
    assert [f.name for f in opened.findings] == []
    assert [f.name for f in opened.allowed] == ["unknown-name"]
    assert [case.reason for case in opened.not_run] == ["B has errors"]


def library_of(folder: Path, manifest: str, block: str, head: str = "") -> Path:
    for name in ("blocks", "cases"):
        (folder / name).mkdir()
    (folder / "upright.toml").write_text(f'name = "l"\n{manifest}')
    (folder / "blocks" / "b.st").write_text(block)
    (folder / "cases" / "b.toml").write_text(
        f'{head}block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nn\n0\n"""\n'
    )
    return folder


GOOD = "FUNCTION_BLOCK B VAR n : INT; END_VAR ; END_FUNCTION_BLOCK\n"


@pytest.mark.parametrize(
    ("manifest", "counted", "allowed"),
    [
        ('levels = { no-task = "error" }', ["error no-task"], []),
        ('levels = { no-task = "warning" }', ["warning no-task"], []),
        ('[[allow]]\nname = "no-task"\npath = "blocks/*.st"\nreason = "by hand"', [], ["no-task"]),
        (
            '[[allow]]\nname = "no-task"\npath = "old/*.st"\nreason = "by hand"',
            ["warning no-task", "warning unused-allowance"],
            [],
        ),
    ],
)
def test_the_manifest_weighs_and_allows(tmp_path: Path, manifest: str, counted: list[str], allowed: list[str]) -> None:
    opened = open_library(library_of(tmp_path, manifest, GOOD + LATE.format(mark="")))
    assert [f"{f.severity} {f.name}" for f in opened.findings] == counted
    assert [f.name for f in opened.allowed] == allowed
    assert len(opened.cases) == 1


def test_an_allowance_in_a_case_file_begins_with_its_mark_for_comments(tmp_path: Path) -> None:
    library = library_of(tmp_path, "", GOOD)
    file = library / "cases" / "b.toml"
    file.write_text(
        file.read_text()
        .replace('name = "c"', 'name = "c" # allow checks-nothing: shows that it runs')
        .replace("n\n0", "set n\n0")
    )
    opened = open_library(library)
    assert (opened.findings, [f.name for f in opened.allowed]) == ((), ["checks-nothing"])


@pytest.mark.parametrize(
    ("manifest", "says"),
    [
        ('levels = { no-tsak = "error" }', "Did you mean no-task?"),
        ('levels = { no-task = "off" }', 'Write "error" or "warning".'),
        ('levels = "none"', "levels is not a table"),
        ('[[allow]]\nname = "no-task"\npath = "x"', "what, where and why"),
        ('[[allow]]\nname = "no-tasks"\npath = "x"\nreason = "y"', "Did you mean no-task?"),
        ("allow = 3", "what, where and why"),
    ],
)
def test_a_manifest_that_says_nothing_sensible_of_findings_is_refused(tmp_path: Path, manifest: str, says: str) -> None:
    with pytest.raises(LibraryProblem, match=r"upright\.toml:[23]") as caught:
        open_library(library_of(tmp_path, manifest, GOOD))
    assert says in str(caught.value)


def test_an_allowance_is_not_unused_where_something_kept_a_part_from_being_checked(tmp_path: Path) -> None:
    right = "FUNCTION_BLOCK A VAR n : INT; END_VAR\n// allow equal-reals: it is meant so\nn := 1; END_FUNCTION_BLOCK"
    library = write_files(tmp_path, {"blocks/a.st": right})
    assert "unused-allowance" in upright("check", "--library", library).output
    write_files(tmp_path, {"blocks/b.st": "FUNCTION_BLOCK B VAR n : INT; END_VAR n := ; END_FUNCTION_BLOCK"})
    assert "unused-allowance" not in upright("check", "--library", library).output


def test_what_is_accepted_may_hold_any_character(tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK A VAR x, y : REAL; b : BOOL; END_VAR\nb := x = y * 2.0; // \U0001f331 \x7f \u2028\nEND_FUNCTION_BLOCK"
    library = write_files(tmp_path, {"blocks/a.st": text})
    assert "equal-reals" in upright("check", "--library", library).output
    assert upright("check", "--library", library, "--accept-present", "--write").exit_code == 0
    result = upright("check", "--library", library)
    assert (result.exit_code, "equal-reals" in result.output) == (0, False)


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("bad-toml", b'block = "B\n'),
        ("unreadable-file", b"\xff\xfe"),
        ("missing-file", b'block = "B"\n[[case]]\nname = "c"\nvectors = "t.csv"\n'),
    ],
)
def test_a_file_that_cannot_be_read_is_allowed_by_nobody(tmp_path: Path, name: str, content: bytes) -> None:
    manifest = f'[[allow]]\nname = "{name}"\npath = "cases/*"\nreason = "later"\n'
    block = "FUNCTION_BLOCK B VAR_INPUT n : INT; END_VAR VAR_OUTPUT q : INT; END_VAR q := n; END_FUNCTION_BLOCK"
    library = write_files(tmp_path, {"upright.toml": manifest, "blocks/b.st": block, "cases/x.toml": ""})
    (library / "cases/x.toml").write_bytes(content)
    for command in ("check", "verify"):
        result = upright(command, "--library", library)
        assert (result.exit_code, name in result.output) == (1, True), result.output
