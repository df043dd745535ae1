"""The real program on files in a temporary folder."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from tests.helpers import edit, library_of, upright, write_files
from upright_block import __version__


def test_the_demo_is_green_and_says_what_to_try(tmp_path: Path) -> None:
    result = upright("demo", tmp_path / "g")
    assert result.exit_code == 0
    assert "no findings" in result.output
    assert "36 cases: 36 good" in result.output
    assert "upright show VentDrive" in result.output


def test_the_demo_does_not_write_over_anything(glasshouse: Path) -> None:
    before = {p: p.read_bytes() for p in glasshouse.rglob("*") if p.is_file()}
    result = upright("demo", glasshouse)
    assert result.exit_code == 2
    assert "holds a library already" in result.output
    assert {p: p.read_bytes() for p in glasshouse.rglob("*") if p.is_file()} == before


def test_a_new_library_verifies_at_once(tmp_path: Path) -> None:
    assert upright("new", tmp_path / "My Blocks").exit_code == 0
    assert 'name    = "my_blocks"' in (tmp_path / "My Blocks" / "upright.toml").read_text()
    result = upright("verify", "--library", tmp_path / "My Blocks")
    assert (result.exit_code, "2 cases: 2 good" in result.output) == (0, True)


def test_new_refuses_a_folder_that_is_not_empty(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("mine")
    assert upright("new", tmp_path).exit_code == 2
    assert upright("new", tmp_path / "file").exit_code == 2
    assert sorted(p.name for p in tmp_path.iterdir()) == ["file"]


def test_one_character_makes_a_case_fail_and_the_moment_is_shown(glasshouse: Path) -> None:
    edit(glasshouse / "cases" / "vent_drive.toml", "21s  | 1    1       | 0 ", "21s  | 1    1       | 1 ")
    result = upright("verify", "--library", glasshouse)
    assert result.exit_code == 1
    assert "36 cases: 35 good, 1 wrong" in result.output
    assert "At 21s (scan 210), row cases/vent_drive.toml:11" in result.output
    assert "opening is 0 and not 1; it is 0 since 21s (scan 210)" in result.output
    assert re.search(r"▶\s+210\s+21s │\s+1 │\s+0 ≠ 1", result.output)
    assert "the same in these rows: open 1, closing 0, stuck 0" in result.output


def test_the_readme_tells_of_that_character() -> None:
    text = (Path(__file__).parents[2] / "README.md").read_text(encoding="utf-8")
    assert "21s  | 1    1       | 1 " in text


def test_a_fault_is_shown_with_line_instance_and_time(glasshouse: Path) -> None:
    edit(glasshouse / "cases" / "scale.toml", "given   = { low", "given   = { raw_high = 0, low")
    result = upright("verify", "scale", "--library", glasshouse)
    assert result.exit_code == 1
    assert "Division by zero in Scale, at 0s (scan 0)" in result.output
    assert "blocks/scale.st:11" in result.output


def test_check_lists_every_finding_of_all_files(glasshouse: Path) -> None:
    edit(glasshouse / "blocks" / "blink.st", "lamp := enable", "lamp = enabel")
    edit(glasshouse / "blocks" / "heating.st", "difference * gain", "diference * gain")
    edit(glasshouse / "cases" / "alarm.toml", "horn count", "horn cuont")
    result = upright("check", "--library", glasshouse)
    assert result.exit_code == 1
    for name in ("comparison-as-assignment", "enabel", "diference", "cuont"):
        assert name in result.output
    assert "4 errors" in result.output


def test_cases_of_sound_blocks_run_beside_broken_ones(glasshouse: Path) -> None:
    edit(glasshouse / "blocks" / "vent_drive.st", "state := OPENS;", "state := OPEMS;")
    result = upright("verify", "--library", glasshouse)
    assert result.exit_code == 1
    assert "Did you mean OPENS?" in result.output
    assert "13 good, 23 not run" in result.output


def test_verify_as_json(glasshouse: Path) -> None:
    edit(glasshouse / "cases" / "vent_drive.toml", "21s  | 1    1       | 0 ", "21s  | 1    1       | 1 ")
    result = upright("verify", "upper", "--json", "--library", glasshouse)
    (case,) = json.loads(result.output)["cases"]
    assert (result.exit_code, case["status"], case["case"]) == (1, "failed", "vent_drive/stops at the upper limit")
    assert case["wrong"] == [
        {
            "pin": "opening",
            "type": "BOOL",
            "scan": 210,
            "time_ns": 21_000_000_000,
            "got": False,
            "got_text": "0",
            "expected": {"low": True, "high": True, "outside": False},
            "expected_text": "1",
            "since_scan": 210,
            "written_file": "blocks/vent_drive.st",
            "written_line": 62,
            "row_file": "cases/vent_drive.toml",
            "row_line": 11,
        }
    ]


def test_check_as_json(glasshouse: Path) -> None:
    assert json.loads(upright("check", "--json", "--library", glasshouse).output)["findings"] == []
    edit(glasshouse / "blocks" / "blink.st", "lamp := enable", "lamp := enabel")
    (finding,) = json.loads(upright("check", "--json", "--library", glasshouse).output)["findings"]
    assert (finding["name"], finding["file"], finding["line"], finding["column"]) == (
        "unknown-name",
        "blocks/blink.st",
        18,
        9,
    )


def test_show_draws_the_box(glasshouse: Path) -> None:
    output = upright("show", "ventdrive", "--library", glasshouse).output
    assert "BOOL ─┤ open       opening ├─ BOOL" in output
    assert "TIME 40s ─┤ travel" in output
    assert "longest time from one limit to the other" in output
    data = json.loads(upright("show", "VentDrive", "--json", "--library", glasshouse).output)
    assert data["variables"][5] == {
        "name": "travel",
        "section": "input",
        "type": "TIME",
        "constant": False,
        "initial": "40s",
        "comment": "longest time from one limit to the other",
    }
    assert "standard function block" in upright("show", "TP", "--library", glasshouse).output


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["verfy"], "Did you mean verify?"),
        (["show", "VentDrvie"], "Did you mean VentDrive?"),
        (["verify", "VentDrvie"], "Did you mean VentDrive?"),
        (["verify", "zzz"], "No case is called zzz"),
        (["check", "--jsno"], "--json"),
    ],
)
def test_a_wrong_call_says_what_is_right(
    glasshouse: Path, arguments: list[str], says: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(glasshouse)
    result = upright(*arguments)
    assert result.exit_code == 2
    assert says in result.output


@pytest.mark.parametrize("command", ["check", "verify", "show TON"])
def test_without_a_library_the_way_to_one_is_said(tmp_path: Path, command: str) -> None:
    result = upright(*command.split(), "--library", tmp_path)
    assert result.exit_code == 2
    assert "upright new DIR" in result.output
    assert upright(*command.split(), "--library", tmp_path / "none").exit_code == 2


@pytest.mark.parametrize(
    ("manifest", "says"),
    [
        ("name = ", "not valid TOML"),
        ('nmae = "x"', "Did you mean name?"),
        ("name = 5", "is not a text"),
        ("\0", "not valid TOML"),
    ],
)
def test_a_manifest_that_cannot_be_used(tmp_path: Path, manifest: str, says: str) -> None:
    (tmp_path / "upright.toml").write_text(manifest)
    result = upright("check", "--library", tmp_path)
    assert (result.exit_code, says in result.output) == (2, True)


def test_an_empty_library_is_said_to_be_empty(tmp_path: Path) -> None:
    (tmp_path / "upright.toml").write_text("")
    assert "0 units in 0 files" in upright("check", "--library", tmp_path).output
    result = upright("verify", "--library", tmp_path)
    assert (result.exit_code, "no cases" in result.output) == (2, True)


@pytest.mark.parametrize("content", [b"\xff\xfe\x00", b"", b"\x00\x01\x02", b"PK\x03\x04", "Ünïcode".encode("latin-1")])
def test_a_source_that_is_no_source(glasshouse: Path, content: bytes) -> None:
    (glasshouse / "blocks" / "other.st").write_bytes(content)
    result = upright("check", "--library", glasshouse)
    assert result.exit_code == (1 if content else 0)


@pytest.mark.parametrize("command", ["", "new", "demo", "check", "verify", "show"])
def test_help_has_an_example(command: str) -> None:
    result = upright(*command.split(), "--help")
    assert result.exit_code == 0
    assert "Example" in result.output or "Begin with: upright demo" in result.output


def test_the_version() -> None:
    assert upright("--version").output == f"upright {__version__}\n"


def run(*arguments: object, **environment: str) -> subprocess.CompletedProcess[bytes]:
    command = [sys.executable, "-m", "upright_block", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, env={**os.environ, **environment}, check=False)


def test_a_pipe_gets_no_colour_and_any_encoding_will_do(glasshouse: Path) -> None:
    for encoding in ("utf-8", "ascii", "latin-1"):
        result = run("show", "VentDrive", "--library", glasshouse, PYTHONIOENCODING=encoding)
        assert result.returncode == 0
        assert b"\x1b[" not in result.stdout
        assert result.stderr == b""


def test_help_reads_nothing_slow() -> None:
    code = "import sys; from upright_block.cli.main import main; main(['--help'], standalone_mode=False); print([m for m in ('numpy', 'wasmtime', 'rich', 'tomllib') if m in sys.modules])"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert result.stdout.splitlines()[-1] == "[]"


def test_two_runs_print_the_same_but_for_the_time(glasshouse: Path) -> None:
    first, second = (run("verify", "--library", glasshouse).stdout.decode() for _ in range(2))
    strip = re.compile(r" in [0-9.]+ s\.")
    assert strip.sub("", first) == strip.sub("", second)


OVERFLOW = """FUNCTION_BLOCK Count
VAR_INPUT d : INT; END_VAR
VAR_OUTPUT n : INT := 32000; END_VAR
n := n + d;
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("choice", "status", "says"), [("wrap", 0, "1 good"), ("fault", 1, "Overflow of INT in Count, at 1s")]
)
def test_the_manifest_says_what_an_overflow_does(tmp_path: Path, choice: str, status: int, says: str) -> None:
    cases = 'block = "Count"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nd   n\n500 32500\n500 -32536\n"""\n'
    library = library_of(tmp_path / "lib", f'name = "o"\noverflow = "{choice}"\n', OVERFLOW, cases)
    result = upright("verify", "--library", library)
    assert (result.exit_code, says in result.output) == (status, True), result.output


def test_a_sequence_is_watched_step_by_step(glasshouse: Path) -> None:
    edit(glasshouse / "cases" / "rota.toml", "12s   | 1    1 ", "12s   | 1    0 ")
    result = upright("verify", "--library", glasshouse, "Rota")
    assert result.exit_code == 1
    assert "valve[1] is 1 and not 0; it is 1 since 12s (scan 12)" in result.output


def test_a_program_in_no_task_is_a_warning_and_can_still_be_tried(tmp_path: Path) -> None:
    block = "PROGRAM Main\nVAR n : INT; END_VAR\nn := n + 1;\nEND_PROGRAM\nCONFIGURATION C END_CONFIGURATION\n"
    cases = 'block = "Main"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nscan n\n4 5\n"""\n'
    library = library_of(tmp_path / "lib", 'name = "p"\n', block, cases)
    check = upright("check", "--library", library)
    assert check.exit_code == 0
    assert "warning  no-task" in check.output
    assert "1 warning" in check.output
    assert upright("verify", "--library", library).exit_code == 0


def test_show_knows_units_in_namespaces_and_of_the_standard(tmp_path: Path) -> None:
    block = "NAMESPACE Air FUNCTION_BLOCK Fan VAR_INPUT on : BOOL; END_VAR END_FUNCTION_BLOCK END_NAMESPACE\n"
    library = library_of(tmp_path / "lib", 'name = "n"\n', block, "")
    for name, says in (("air.fan", "BOOL ─┤ on"), ("ACTION_CONTROL", "delayed by T"), ("atan2", "ordinate")):
        result = upright("show", "--library", library, name)
        assert result.exit_code == 0
        assert says in result.output
    wrong = upright("show", "--library", library, "Air.Fam")
    assert wrong.exit_code == 2
    assert "Air.Fan" in wrong.output


def test_a_library_whose_blocks_are_all_broken_says_what_is_wrong(tmp_path: Path) -> None:
    cases = 'block = "B"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nscan n\n0 0\n"""\n'
    text = "FUNCTION_BLOCK B VAR n : INT; END_VAR n := m; END_FUNCTION_BLOCK"
    result = upright("verify", "--library", library_of(tmp_path / "lib", 'name = "b"\n', text, cases))
    assert result.exit_code == 1
    assert "m is not declared in B" in result.output
    assert "1 case: 0 good, 1 not run" in result.output


def test_what_a_value_must_not_be_is_said_without_a_double_no(glasshouse: Path) -> None:
    edit(glasshouse / "cases" / "vent_drive.toml", "21s  | 1    1       | 0 ", "21s  | 1    1       | !0")
    output = upright("verify", "vent_drive", "--library", glasshouse).output
    assert "opening is 0 and must not be 0; it is 0 since 21s" in output
    assert re.search(r"▶\s+210\s+21s │\s+1 │\s+0 must not be 0", output)


def test_many_wrong_moments_are_shortened_and_a_near_miss_says_what_to_allow(tmp_path: Path) -> None:
    upright("new", tmp_path / "lib")
    (tmp_path / "lib" / "blocks" / "third.st").write_text(
        "// A third of it.\nFUNCTION_BLOCK Third\nVAR_INPUT x : REAL; END_VAR\nVAR_OUTPUT y : REAL; END_VAR\n"
        "y := x / 3.0;\nEND_FUNCTION_BLOCK\n"
    )
    rows = "\n".join(f"{x} | {x / 3:.5f}" for x in (1, 2, 4, 5, 7))
    cases = tmp_path / "lib" / "cases" / "third.toml"
    cases.write_text(f'block = "Third"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nx | y\n{rows}\n"""\n')
    output = upright("verify", "Third", "--library", tmp_path / "lib").output
    assert "y is 0.33333334 and not 0.33333" in output
    assert "then at 1s (scan 1), line 8: y is 0.6666667 and not 0.66667" in output
    allowed = re.findall(r"To allow it, write (0\.33333±\S+)\.\n", output)
    assert len(allowed) == 1
    edit(cases, "1 | 0.33333", f"1 | {allowed[0]}")
    output = upright("verify", "Third", "--library", tmp_path / "lib").output
    assert "y is 0.33333334" not in output
    assert "y is 0.6666667 and not 0.66667" in output


def test_explain_tells_what_a_finding_means_and_how_it_is_allowed() -> None:
    result = upright("explain", "Label_Twice")
    assert result.exit_code == 0
    assert "Two branches of a CASE have a label in common." in result.output
    assert "// allow label-twice: reason" in result.output
    assert "(IEC 61131-3, 7.3.3.3.3)" in " ".join(result.output.split())
    listed = upright("explain")
    assert listed.exit_code == 0
    assert "label-twice " in listed.output
    assert json.loads(upright("explain", "no-task", "--json").output)["level"] == "warning"
    wrong = upright("explain", "label-twise")
    assert (wrong.exit_code, "Did you mean label-twice?" in wrong.output) == (2, True)


def test_check_counts_what_is_allowed_and_names_the_way_to_learn_more(tmp_path: Path) -> None:
    block = "PROGRAM Main VAR n : INT; END_VAR // allow no-task: by hand\nn := n + 1;\nEND_PROGRAM\nCONFIGURATION C END_CONFIGURATION\n"
    cases = 'program = "Main"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = """\nset n\n5\n"""\n'
    library = library_of(tmp_path / "lib", 'name = "p"\n', block, cases)
    result = upright("check", "--library", library)
    assert result.exit_code == 0
    assert "1 warning. 1 finding is allowed." in result.output
    assert "upright explain checks-nothing" in result.output
    data = json.loads(upright("check", "--library", library, "--json").output)
    assert [f["name"] for f in data["allowed"]] == ["no-task"]
    strict = upright("verify", "--library", library, "--strict")
    assert strict.exit_code == 1


def test_a_comment_keeps_its_lines_where_it_is_shown(tmp_path: Path) -> None:
    text = """(* Status of a drive.
   bit 0: ready
   bit 1: runs *)
FUNCTION_BLOCK Packed
VAR_INPUT word : WORD; (* as the drive has it:
    bit 0 first *) END_VAR
END_FUNCTION_BLOCK
"""
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/b.st": text})
    lines = upright("show", "Packed", "--library", folder).output.splitlines()
    assert lines[1:4] == ["Status of a drive.", "bit 0: ready", "bit 1: runs"]
    assert lines[-3:-1] == ["  word  WORD  as the drive has it:", "              bit 0 first"]


def test_only_wiring_tables_are_drawn_and_what_is_none_is_told_as_what_it_is(glasshouse: Path) -> None:
    result = upright("show", "VentDrive", "--picture", glasshouse / "x.svg", "--library", glasshouse)
    assert result.exit_code == 2
    assert "VentDrive is no wiring table, and only these are drawn." in result.output
    assert "alarms, climate, roof. upright show VentDrive prints its box" in result.output


def test_measured_times_are_named_by_what_they_are(tmp_path: Path) -> None:
    files = {
        "upright.toml": "",
        "blocks/b.st": "FUNCTION_BLOCK B\nVAR_INPUT a : BOOL; END_VAR\nVAR_OUTPUT q : BOOL; END_VAR\nq := a;\nEND_FUNCTION_BLOCK\n",
        "cases/b.toml": 'block = "B"\nscan = "100ms"\n[[case]]\nname = "flashes"\nvectors = """\nat | a | q\n0s | 1 | 1\n'
        '500ms | 0 | 0\n1s | 1 | 1\n1.6s | 0 | 0\n2s | 1 | 1\n2.6s | 0 | 0\n"""\n'
        'timing = """\nname | from | to | min | max\nlit | q rises | q falls | 1ms | 1s\n"""\n',
    }
    folder = write_files(tmp_path, files)
    said = upright("verify", "--library", folder).output
    assert (
        "lit  3 times: shortest 500ms, first ended at 500ms (scan 5); longest 600ms, first ended at 1.6s (scan 16); "
        "median 600ms" in said
    )
