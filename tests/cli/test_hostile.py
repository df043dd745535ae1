"""Somebody else's library in your CI: what it holds is data, and nothing outside of it is read."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.helpers import library_of, upright

BLOCK = """FUNCTION_BLOCK B
VAR_INPUT i : INT; x : BOOL; END_VAR
VAR_OUTPUT o : INT; END_VAR
VAR s : STRING; END_VAR
o := i;
END_FUNCTION_BLOCK
"""
TABLE = 'vectors = """\ni | o\n1 | 1\n"""\n'


def case(body: str, name: str = "c") -> str:
    return f'block = "B"\nscan = "1s"\n[[case]]\nname = "{name}"\n{body}'


def library(folder: Path, block: str = BLOCK, cases: str = "", manifest: str = 'name = "h"\n') -> Path:
    return library_of(folder / "lib", manifest, block, cases or case(TABLE))


FORGED = [
    ("name of a case", {"cases": case(TABLE, "c\\u001b[2K\\r  good     B  forged\\n")}),
    ("name of the library", {"manifest": 'name = "h\\u001b[31m"\n'}),
    ("a source", {"block": BLOCK.replace("o := i;", "o := \x1b[31mq;")}),
    ("a cell", {"cases": case(TABLE.replace("1 | 1", "1 | \x9b31mz\u202e")).replace('"""', "'''")}),
    ("a comment", {"block": "// \x1b[31mred\n" + BLOCK}),
    ("a key", {"cases": case('"k\\u001b]0;t\\u0007" = 1\n' + TABLE)}),
]


@pytest.mark.parametrize("files", [f for _, f in FORGED], ids=[n for n, _ in FORGED])
def test_nothing_from_outside_reaches_the_terminal_as_it_is(tmp_path: Path, files: dict[str, str]) -> None:
    root = library(tmp_path, **files)
    for command in (["check"], ["verify"], ["show", "B"], ["verify", "--json"], ["check", "--json"]):
        output = upright(*command, "--library", root).output
        assert not set(output) & set("\x1b\r\x07\x9b\u202e"), command
        assert not any(line.startswith("  good     B  forged") for line in output.splitlines())


def test_a_name_of_a_file_that_is_no_text_is_shown_escaped(tmp_path: Path) -> None:
    root = library(tmp_path)
    path = os.fsencode(root) + b"/cases/\xff\x1b.toml"
    try:
        Path(os.fsdecode(path)).write_text("nonsense\n")
    except OSError:
        pytest.skip("this system has no such names")
    output = upright("check", "--library", root).output
    assert "cases/\\xff\\x1b.toml" in output


LEADS_OUT = {
    "a path": lambda root: 'vectors = "../../secret.csv"\n',
    "an absolute path": lambda root: f'vectors = "{(root.parent / "secret.csv").as_posix()}"\n',
    "a link": lambda root: 'vectors = "link.csv"\n',
}


@pytest.mark.parametrize("made", LEADS_OUT.values(), ids=LEADS_OUT)
def test_nothing_outside_is_read_unless_the_call_names_it(tmp_path: Path, made: Callable[[Path], str]) -> None:
    root = library(tmp_path)
    (tmp_path / "secret.csv").write_text("i,o\n1,1\nHUSH,HUSH\n")
    os.symlink(tmp_path / "secret.csv", root / "cases" / "link.csv")
    (root / "cases" / "b.toml").write_text(case(made(root)))
    refused = upright("check", "--library", root)
    assert (refused.exit_code, "outside-library" in refused.output) == (1, True)
    assert "HUSH" not in refused.output
    assert "--also DIR" in refused.output
    assert "HUSH" in upright("check", "--library", root, "--also", tmp_path).output


@pytest.mark.parametrize("folder", ["/", "..", "../other"])
def test_the_folders_of_a_manifest_lie_inside(tmp_path: Path, folder: str) -> None:
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "x.st").write_text("HUSH")
    root = library(tmp_path, manifest=f'name = "h"\nblocks = "{folder}"\n')
    result = upright("check", "--library", root)
    assert (result.exit_code, "outside-library" in result.output) == (1, True)
    assert "HUSH" not in result.output


def test_links_in_a_circle_are_followed_once(tmp_path: Path) -> None:
    root = library(tmp_path)
    os.symlink("..", root / "blocks" / "up")
    os.symlink("again", root / "cases" / "again")
    os.symlink(".", root / "cases" / "here")
    result = upright("verify", "--library", root)
    assert "1 good" in result.output
    assert result.output.count("  error  ") == 2  # the link to itself leads to nothing, also by way of blocks/up
    assert "cases/again  error  unreadable-folder" in result.output


@pytest.mark.skipif(not hasattr(os, "mkfifo"), reason="has no pipes with names")
@pytest.mark.parametrize("name", ["cases/v.csv", "blocks/p.st", "cases/p.toml"])
def test_what_is_no_file_is_told(tmp_path: Path, name: str) -> None:
    root = library(tmp_path, cases=case('vectors = "v.csv"\n' if name.endswith(".csv") else TABLE))
    os.mkfifo(root / name)
    result = upright("check", "--library", root)
    assert (result.exit_code, "is no file but a folder or a device" in result.output) == (1, True)


TOO_MUCH = {
    "a block in itself": BLOCK.replace("s : STRING", "b : B"),
    "parentheses": BLOCK.replace("o := i;", "o := " + "(" * 3000 + "i" + ")" * 3000 + ";"),
    "powers": BLOCK.replace("o := i;", "r := " + "2.0 ** " * 3000 + "2.0;").replace("s : STRING", "r : LREAL"),
    "signs": BLOCK.replace("o := i;", "o := " + "-" * 3000 + "i;"),
    "ifs": BLOCK.replace("o := i;", "IF x THEN " * 3000 + "o := i;" + "END_IF;" * 3000),
    "calls": BLOCK.replace("o := i;", "o := " + "MAX(1," * 3000 + "2" + ")" * 3000 + ";"),
    "namespaces": "NAMESPACE N " * 3000 + BLOCK + "END_NAMESPACE " * 3000,
    "blocks in blocks": "FUNCTION_BLOCK B0 END_FUNCTION_BLOCK\n"
    + "".join(f"FUNCTION_BLOCK B{k} VAR b : B{k - 1}; END_VAR b(); END_FUNCTION_BLOCK\n" for k in range(1, 3000))
    + BLOCK,
    "blocks that extend": "FUNCTION_BLOCK B0 END_FUNCTION_BLOCK\n"
    + "".join(f"FUNCTION_BLOCK B{k} EXTENDS B{k - 1} END_FUNCTION_BLOCK\n" for k in range(1, 3000))
    + BLOCK,
    "types": "TYPE T0 : INT; END_TYPE "
    + "".join(f"TYPE T{k} : STRUCT a : T{k - 1}; END_STRUCT; END_TYPE\n" for k in range(1, 3000))
    + BLOCK.replace("s : STRING", "t : T2999"),
    "calls of calls": "FUNCTION F0 : INT VAR_INPUT a : INT; END_VAR F0 := a; END_FUNCTION\n"
    + "".join(
        f"FUNCTION F{k} : INT VAR_INPUT a : INT; END_VAR F{k} := F{k - 1}(a) + F{k - 1}(a); END_FUNCTION\n"
        for k in range(1, 41)
    )
    + BLOCK.replace("o := i;", "o := F40(i);"),
    "instances of instances": "FUNCTION_BLOCK F0 VAR a : INT; END_VAR END_FUNCTION_BLOCK\n"
    + "".join(f"FUNCTION_BLOCK F{k} VAR a, b : F{k - 1}; END_VAR END_FUNCTION_BLOCK\n" for k in range(1, 41))
    + BLOCK.replace("s : STRING", "f : F40"),
    "calls of instances of instances": "FUNCTION_BLOCK F0 VAR a : INT; END_VAR a := a + 1; END_FUNCTION_BLOCK\n"
    + "".join(f"FUNCTION_BLOCK F{k} VAR a, b : F{k - 1}; END_VAR a(); b(); END_FUNCTION_BLOCK\n" for k in range(1, 41))
    + BLOCK.replace("s : STRING", "f : F40").replace("o := i;", "f();"),
    "digits": BLOCK.replace("o := i;", "o := " + "1" * 5000 + ";"),
    "digits of a duration": BLOCK.replace("s : STRING", "t : TIME := T#" + "1" * 5000 + "s"),
    "unknown names": BLOCK.replace("o := i;", "\n".join(f"o := vv{k};" for k in range(20000))),
    "declared twice": BLOCK * 5000,
}


@pytest.mark.parametrize("block", TOO_MUCH.values(), ids=TOO_MUCH)
def test_too_much_of_anything_is_a_finding(tmp_path: Path, block: str) -> None:
    root = library(tmp_path, block=block)
    for command in ("check", "verify"):
        result = upright(command, "--library", root)
        assert result.exit_code == 1
        assert "error" in result.output
        assert len(result.output) < 200_000


ROWS = range(10_000)
WIRING = {
    "instances of one name": "V,B,1\n" * len(ROWS),
    "elements twice": "V[1],B,1\n" * len(ROWS),
    "ranges of one name": "V[1..12],B,{1..12}\n" * 1000,
    "results in a circle": "".join(f"r{k},ADD,r{(k + 1) % len(ROWS)}\n" for k in ROWS),
    "ranges beyond all measure": "V[1..999999999],B,1\n" * 1000,
    "instances beyond all measure": "V[1..9999],B,1\n" * 1000,
}


@pytest.mark.parametrize("rows", WIRING.values(), ids=WIRING)
def test_too_much_in_a_wiring_table_is_a_finding(tmp_path: Path, rows: str) -> None:
    root = library(tmp_path)
    (root / "wiring").mkdir()
    (root / "wiring" / "w.csv").write_text("instance,block,i\n" + rows)
    for command in ("check", "walk"):
        result = upright(command, "--library", root)
        assert result.exit_code in (1, 2)
        assert "error" in result.output
        assert len(result.output) < 200_000


CASES = {
    "checks of checks": case(TABLE.replace("1 | 1", "1 | " + "!" * 3000 + "1")),
    "lists": case("given = { i = " + "[" * 3000 + "]" * 3000 + " }\n" + TABLE),
    "digits": case("given = { i = " + "1" * 5000 + " }\n" + TABLE),
    "digits of a cell": case(TABLE.replace("1 | 1", "1" * 5000 + " | 1")),
    "wrong rows": case('vectors = """\ni | o\n' + "1 | zz\n" * 20000 + '"""\n'),
    "rows that are wrong": case('vectors = """\ni | o\n' + "1 | 5\n" * 60000 + '"""\n'),
    "texts that are wrong": case("vectors = '''\ni | s\n" + "1 | 'no'\n" * 4000 + "'''\n"),
    "columns": case('vectors = """\n' + " ".join(f"u{k}" for k in range(100_000)) + "\n" + "1 " * 100_000 + '\n"""\n'),
    "keys": case("".join(f"k{k} = 1\n" for k in range(20000)) + TABLE),
    "names of files": case('vectors = "' + "n" * 100_000 + '.csv"\n'),
    "a name with a null": case('vectors = "a\\u0000b.csv"\n'),
    "a force of a text": case('vectors = """\nforce s | o\n. | 0\n"""\n'),
}


@pytest.mark.parametrize("cases", CASES.values(), ids=CASES)
def test_too_much_in_a_case_is_a_finding(tmp_path: Path, cases: str) -> None:
    root = library(tmp_path, cases=cases)
    result = upright("verify", "--library", root)
    assert result.exit_code == 1
    assert len(result.output) < 200_000


def test_twenty_thousand_releases_are_no_trouble(tmp_path: Path) -> None:
    rows = "1 | 1\nrelease | 0\n" * 20000
    root = library(tmp_path, cases=case(f'vectors = """\nforce i | o\n{rows}"""\n'))
    assert "1 good" in upright("verify", "--library", root).output


def test_a_text_with_the_line_ends_of_old_machines_is_read(tmp_path: Path) -> None:
    root = library(tmp_path, block=BLOCK.replace("\n", "\r"), cases=case(TABLE).replace("\n", "\r"))
    assert "1 good" in upright("verify", "--library", root).output


@pytest.mark.skipif(sys.platform != "linux", reason="limits the memory as Linux does")
def test_a_long_run_takes_the_memory_of_a_piece(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK B VAR_OUTPUT n, m : DINT; END_VAR n := n + 1; m := m - 1; END_FUNCTION_BLOCK"
    root = library(
        tmp_path,
        block=block,
        cases=case('run_for = "20000000s"\nvectors = """\nscan n m\n19999999 20000000 -20000000\n"""\n'),
    )
    command = [sys.executable, "-m", "upright_block", "verify", "--library", str(root)]
    runner = (  # a process of its own: a child begins with the peak of the one that starts it
        "import resource, subprocess; "
        f"print(subprocess.run({command!r}, capture_output=True, text=True).stdout); "
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    printed = subprocess.run([sys.executable, "-c", runner], capture_output=True, text=True, check=True).stdout
    assert "1 good" in printed
    assert int(printed.splitlines()[-1]) < 500_000  # kB
