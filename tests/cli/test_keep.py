"""Final values as initial ones in the sources: what changes there, and that nothing else does."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import upright, write_files
from upright_block import open_library

STYLES: dict[str, tuple[str, str, str]] = {
    "a": ("INT", "5", r"-?\d+"),
    "b": ("DINT", "DINT#1_000", r"DINT#-?\d{1,3}(_\d{3})*"),
    "c": ("WORD", "16#00ff", r"16#[0-9a-f]{4}"),
    "d": ("BYTE", "2#0000_1111", r"2#[01]{4}_[01]{4}"),
    "e": ("TIME", "TIME#1S", r"TIME#-?[0-9DHMSUN.]+"),
    "f": ("TIME", "t#1m30s", r"t#-?[0-9dhmsun.]+"),
    "g": ("BOOL", "True", "True|False"),
    "h": ("BOOL", "0", "0|1"),
    "i": ("REAL", "1.5", r"-?\d+\.\d+(E-?\d+)?"),
    "j": ("Mode", "Mode#idle", "Mode#(idle|busy|held)"),
    "k": ("Mode", "busy", "idle|busy|held"),
    "l": ("STRING", "'it$'s'", "'.*'"),
    "m": ("UINT", "UINT#16#0A", "UINT#16#[0-9A-F]{2,4}"),
}
VALUES: dict[str, st.SearchStrategy[str]] = {
    "INT": st.integers(-32768, 32767).map(str),
    "DINT": st.integers(-(2**31), 2**31 - 1).map(str),
    "WORD": st.integers(0, 65535).map(lambda n: f"16#{n:04X}"),
    "BYTE": st.integers(0, 255).map(lambda n: f"16#{n:02X}"),
    "TIME": st.integers(-(10**12), 10**13).map(lambda n: f"{n}ns"),
    "BOOL": st.sampled_from(["0", "1"]),
    "REAL": st.floats(width=32, allow_nan=False, allow_infinity=False).map(repr),
    "Mode": st.sampled_from(["idle", "busy", "held"]),
    "STRING": st.sampled_from(["'x'", "''", "'$$, $'a$''"]),
    "UINT": st.integers(0, 65535).map(str),
}
BARE = {"n": "INT", "o": "TIME", "p": "BOOL", "q": "REAL", "r": "STRING", "s": "WORD", "t": "Mode"}


INVERSE = "acdghjkl"
"""Those whose literals are as long as before where the value comes back."""


def source() -> str:
    lines = ["TYPE Mode : (idle, busy, held); END_TYPE", "FUNCTION_BLOCK B", "VAR_INPUT"]
    lines += [f"  {name} : {type_}   :=  {text} ;  // {name}: := 1" for name, (type_, text, _) in STYLES.items()]
    lines += [f"\t{name}:{type_};(* {name} *)" for name, type_ in BARE.items()]
    lines += [
        "END_VAR",
        "VAR inner : TON := (PT := T#1s); bare : TON; x, y : INT := 3; rows : ARRAY [1..2] OF INT; END_VAR",
    ]
    return "\r\n".join(
        [*lines, "VAR CONSTANT FOUR : INT := 4; END_VAR", "VAR z : INT := FOUR; END_VAR", "END_FUNCTION_BLOCK", ""]
    )


TYPES = {name: type_ for name, (type_, _, _) in STYLES.items()} | BARE


def made(folder: Path) -> Path:
    write_files(folder, {})
    (folder / "blocks").mkdir(exist_ok=True)
    (folder / "blocks" / "b.st").write_bytes(b"\xef\xbb\xbf" + source().encode())
    return folder / "blocks" / "b.st"


@settings(max_examples=30, deadline=None)
@given(
    values=st.lists(st.sampled_from(sorted(TYPES)), min_size=1, max_size=8, unique=True).flatmap(
        lambda names: st.fixed_dictionaries({name: VALUES[TYPES[name]] for name in names})
    )
)
def test_what_is_kept_is_what_the_block_begins_with_and_back_again(
    values: dict[str, str], tmp_path_factory: pytest.TempPathFactory
) -> None:
    folder = tmp_path_factory.mktemp("kept")
    file = made(folder)
    before = file.read_bytes()
    first = open_library(folder).machine("B")
    initial = {name: first.read(name) for name in TYPES}
    call = [f"--set={name}={text}" for name, text in values.items()]
    written = upright("run", "B", *call, "--for", "100ms", "--keep", ",".join(values), "--write", "--library", folder)
    assert written.exit_code == 0, written.output
    after = file.read_bytes()
    wanted = open_library(folder).machine("B")
    changed = open_library(folder).machine("B")
    for name, text in values.items():
        changed.set(name, {"'x'": "x", "''": "", "'$$, $'a$''": "$, 'a'"}.get(text, text))
    assert {name: wanted.read(name) for name in TYPES} == initial | {name: changed.read(name) for name in values}
    old, new = before.decode().split("\r\n"), after.decode().split("\r\n")
    assert len(old) == len(new)
    for one, other in zip(old, new, strict=True):
        name = one.strip().split(" ")[0].split(":")[0]
        if name in STYLES:
            head, tail = one.split(STYLES[name][1] + " ;", 1)
            literal = other.removeprefix(head).removesuffix(" ;" + tail)
            assert re.fullmatch(STYLES[name][2], literal), other
        elif name in BARE:
            assert re.sub(" := .*?(?=;\\()", "", other, flags=re.DOTALL) == one
        else:
            assert one == other
    back = [name for name in values if name in INVERSE]
    if len(back) == len(values):
        call = [f"--set={name}={STYLES[name][1]}" for name in back]
        upright("run", "B", *call, "--for", "100ms", "--keep", ",".join(back), "--write", "--library", folder)
        assert file.read_bytes() == before


def test_without_write_nothing_is_written_and_what_is_as_it_was_is_left_alone(tmp_path: Path) -> None:
    file = made(tmp_path)
    before = file.read_bytes()
    shown = upright("run", "B", "--set=a=7", "--for", "1s", "--keep", "*", "--library", tmp_path)
    assert "-  a : INT   :=  5 ;" in shown.output
    assert "+  a : INT   :=  7 ;" in shown.output
    assert "Left out, since they are no single values: inner, bare, rows." in shown.output
    assert shown.output.count("\n+") == 2  # the head of the difference, and one line
    same = upright("run", "B", "--for", "1s", "--keep", "*", "--write", "--library", tmp_path)
    assert "have the values that they began with" in same.output
    assert file.read_bytes() == before


def test_data_of_an_instance_changes_the_declaration_of_the_caller(tmp_path: Path) -> None:
    file = made(tmp_path)
    call = ["--set=inner.PT=3s", "--set=inner.IN=1", "--set=bare.PT=2s", "--set=bare.ET=1s", "--for", "1s"]
    keep = ["--keep", "inner.PT,inner.IN", "--keep", "bare.PT,bare.ET", "--write", "--library", str(tmp_path)]
    assert upright("run", "B", *call, *keep).exit_code == 0
    text = file.read_text("utf-8-sig")
    assert "inner : TON := (PT := T#3s, IN := TRUE); bare : TON := (PT := T#2s, ET := T#1s); x, y" in text
    machine = open_library(tmp_path).machine("B")
    assert (machine.read("inner.PT"), machine.read("bare.ET")) == (3 * 10**9, 10**9)


@pytest.mark.parametrize(
    ("name", "says"),
    [
        ("x", "Give x a line of its own: x : INT := 9;"),
        ("rows[2]", "Write 9 at its place in [...] of the declaration of rows."),
        ("z", "Write 9 there, or change FOUR."),
        ("FOUR", "is no value that can be kept"),
        ("zz", "B has no zz"),
        ("zz*", "is called zz*"),
        ("x,,y", "A pattern is empty."),
        ("inner", "is no value that can be kept"),
    ],
)
def test_what_cannot_be_kept_says_what_to_write(name: str, says: str, tmp_path: Path) -> None:
    file = made(tmp_path)
    before = file.read_bytes()
    can_set = name in ("x", "rows[2]", "z")
    call = [f"--set={name}=9"] if can_set else []
    result = upright(
        "run", "B", *call, "--set=a=9", "--for", "1s", "--keep", f"a,{name}", "--write", "--library", tmp_path
    )
    assert (result.exit_code, says in " ".join(result.output.split())) == (2, True), result.output
    assert file.read_bytes() == before


PLANT = {
    "blocks/b.st": "FUNCTION_BLOCK Pump VAR_INPUT time : TIME := T#1s; on : BOOL; END_VAR VAR n : INT; END_VAR n := n + 1; END_FUNCTION_BLOCK",
    "wiring/Row.csv": 'instance,block,time,on\n"P[1..2]",Pump,5s,key\nQ,Pump,,\n',
    "programs/main.st": "VAR_GLOBAL shared : INT := 1; END_VAR\nPROGRAM Main VAR own : INT := 2; inner : Pump; END_VAR inner(); shared := shared; END_PROGRAM",
    "tags/t.csv": "tag,point,type\nkey,%IX0.0,BOOL\n",
}


def kept(folder: Path, target: str, call: list[str], keep: str) -> dict[str, str]:
    """The changed lines of each file."""
    before = {path: path.read_text() for path in folder.rglob("*.*") if path.is_file()}
    result = upright("run", target, *call, "--for", "200ms", "--keep", keep, "--write", "--library", folder)
    assert result.exit_code == 0, result.output
    return {path.name: path.read_text() for path, text in before.items() if path.read_text() != text}


def test_settings_of_a_wiring_table_are_cells_of_it(tmp_path: Path) -> None:
    write_files(tmp_path, PLANT)
    both = ["--force=row.P1.time=7s", "--force=row.P2.time=7s"]
    one, two = "row.P1.time", "row.P2.time"
    assert kept(tmp_path, "library", both, two)["Row.csv"].splitlines()[1] == '"P[1..2]",Pump,"{5s,7s}",key'
    assert kept(tmp_path, "library", both, f"{one},{two}")["Row.csv"].splitlines()[1] == '"P[1..2]",Pump,7s,key'
    assert kept(tmp_path, "library", ["--set=row.Q.time=3s"], "row.Q.time")["Row.csv"].splitlines()[2] == "Q,Pump,3s,"
    assert kept(tmp_path, "Row", ["--set=Q.on=1"], "Q.on")["Row.csv"].splitlines()[2] == "Q,Pump,3s,1"
    assert "1 case" not in upright("check", "--library", tmp_path).output
    for call, keep, says in (
        (["--force=row.P1.on=1", "--force=row.P2.on=1"], "row.P1.on", "Row.P1.on is wired to key"),
        ([], "row.P1.n", "sets inputs alone"),
        (["--set=key=1"], "key", "key is a tag"),
    ):
        result = upright("run", "library", *call, "--for", "200ms", "--keep", keep, "--library", tmp_path)
        assert (result.exit_code, says in " ".join(result.output.split())) == (2, True), result.output


def test_data_of_programs_is_kept_where_it_is_declared(tmp_path: Path) -> None:
    write_files(tmp_path, PLANT)
    call = ["--set=main.own=5", "--set=main.inner.time=9s", "--set=shared=8"]
    text = kept(tmp_path, "library", call, "main.own,main.inner.time,shared")["main.st"]
    assert "shared : INT := 8;" in text
    assert "own : INT := 5; inner : Pump := (time := T#9s);" in text
    two = "CONFIGURATION Plant TASK t (INTERVAL := T#100ms, PRIORITY := 1); PROGRAM a WITH t : Main; PROGRAM b WITH t : Main;\nVAR_CONFIG a.inner.time : TIME := T#4s; END_VAR END_CONFIGURATION"
    write_files(tmp_path, PLANT | {"programs/plant.st": two})
    assert "T#6s" in kept(tmp_path, "Plant", ["--set=a.inner.time=6s"], "a.inner.time")["plant.st"]
    result = upright("run", "Plant", "--set=b.own=7", "--for", "200ms", "--keep", "b.own", "--library", tmp_path)
    assert "Write VAR_CONFIG b.own : INT := 7; END_VAR into the configuration." in " ".join(result.output.split())
    assert result.exit_code == 2


def test_fields_of_one_global_variable_are_kept_together(tmp_path: Path) -> None:
    files = {
        "programs/main.st": "TYPE Pair : STRUCT a, b : INT; END_STRUCT; END_TYPE\nVAR_GLOBAL both : Pair; lone : INT; END_VAR\n"
        "PROGRAM Main VAR_EXTERNAL both : Pair; lone : INT; END_VAR VAR n : INT; END_VAR n := both.a + lone; END_PROGRAM"
    }
    write_files(tmp_path, files)
    call = ["--set=both.a=5", "--set=both.b=6", "--set=lone=7"]
    text = kept(tmp_path, "Main", call, "both.a,both.b,lone")["main.st"]
    assert "both : Pair := (a := 5, b := 6); lone : INT := 7; END_VAR" in text
    assert "VAR_EXTERNAL both : Pair; lone : INT; END_VAR" in text


def test_a_run_with_a_fault_keeps_nothing(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK F VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT q : INT; END_VAR q := 6 / d; END_FUNCTION_BLOCK"
    )
    write_files(tmp_path, {"blocks/f.st": block})
    result = upright("run", "F", "--set=d=0", "--keep", "d", "--library", tmp_path)
    assert (result.exit_code, "stopped with a fault" in result.output) == (2, True)
    assert upright("run", "F", "--keep", "d", "--json", "--library", tmp_path).exit_code == 2
    data = json.loads(upright("run", "F", "--for", "1s", "--json", "--library", tmp_path).output)
    assert data["scans"] == 10


def test_the_difference_that_is_shown_has_the_lines_as_they_are(tmp_path: Path) -> None:
    text = "FUNCTION_BLOCK B\nVAR_OUTPUT\n\tn\t: INT := 1;  \n\tm : INT; // \x01\nEND_VAR\nn := n + 1;\nEND_FUNCTION_BLOCK\n"
    root = write_files(tmp_path, {"upright.toml": 'scan = "100ms"\n', "blocks/b.st": text})
    shown = upright("run", "B", "--for", "300ms", "--keep", "n", "--library", root).output
    assert "\n-\tn\t: INT := 1;  \n+\tn\t: INT := 4;  \n" in shown
    assert "\\x01" in shown
