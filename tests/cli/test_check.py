"""``upright check`` beyond reading: what is chosen, accepted, mended, and written for other tools."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from click.testing import Result
from jsonschema import Draft4Validator  # type: ignore[import-untyped]

from tests.helpers import ROOT, upright, write_files

MOTOR = """// A motor with a timer that some scans pass over.
FUNCTION_BLOCK Motor
VAR_INPUT
    start, auto : BOOL;
END_VAR
VAR_OUTPUT
    run : BOOL;
END_VAR
VAR
    later : TON;
    spare : INT;    // left over
END_VAR

IF auto THEN
    later(IN := start, PT := T#2s);
END_IF
run := later.Q;
run := run;
END_FUNCTION_BLOCK
"""
ALL = ["never-used", "called-in-branch", "no-effect"]


@pytest.fixture
def library(tmp_path: Path) -> Path:
    write_files(tmp_path, {"blocks/motor.st": MOTOR})
    return tmp_path


def check(library: Path, *options: str) -> Result:
    return upright("check", "--library", library, *options)


def found(library: Path, *options: str) -> list[str]:
    return [finding["name"] for finding in json.loads(check(library, "--json", *options).output)["findings"]]


def test_findings_are_chosen_by_name(library: Path) -> None:
    assert found(library) == ALL
    assert found(library, "--only", "never-used,no_effect") == ["never-used", "no-effect"]
    assert found(library, "--skip", "never-used", "--skip", "no-effect") == ["called-in-branch"]


def test_a_name_that_no_finding_has_is_refused(library: Path) -> None:
    result = check(library, "--only", "nver-used")
    assert result.exit_code == 2
    assert "Did you mean never-used?" in result.output


def test_warnings_of_the_analysis_can_be_errors_by_call_and_by_manifest(library: Path) -> None:
    assert check(library).exit_code == 0
    assert check(library, "--strict").exit_code == 1
    write_files(library, {"upright.toml": 'levels = { called-in-branch = "error" }\n'})
    assert check(library).exit_code == 1
    assert check(library, "--skip", "called-in-branch").exit_code == 0


def test_what_is_meant_is_allowed_where_it_stands(library: Path) -> None:
    allowed = MOTOR.replace(
        "    later(IN", "    // allow called-in-branch: the time counts in automatic only\n    later(IN"
    )
    write_files(library, {"blocks/motor.st": allowed})
    assert found(library) == ["never-used", "no-effect"]
    assert "unused-allowance" not in upright("verify", "--library", library).output
    write_files(library, {"blocks/motor.st": allowed.replace("IF auto THEN", "IF TRUE THEN").replace("auto ", "x ")})
    assert "unused-allowance" in found(library)


def test_doubtful_findings_are_shown_only_where_somebody_asks(library: Path) -> None:
    scale = "FUNCTION Scale : DINT VAR_INPUT a, b : INT; END_VAR Scale := a + b; END_FUNCTION"
    write_files(library, {"blocks/scale.st": scale})
    assert "late-widening" not in found(library)
    (late,) = [f for f in json.loads(check(library, "--json", "--doubtful").output)["findings"] if f["doubtful"]]
    assert late["name"] == "late-widening"
    assert "warning, may be meant  late-widening" in check(library, "--doubtful").output


def test_one_line_for_each_finding_begins_with_its_place(library: Path) -> None:
    first = check(library, "--lines").output.splitlines()[0]
    assert first == "blocks/motor.st:11:5: warning: Nothing in Motor uses spare. (never-used)"


# --- mending ---


def test_sure_edits_are_shown_and_written_only_on_request(library: Path) -> None:
    shown = check(library, "--fix")
    assert "-    spare : INT;    // left over" in shown.output
    assert "-run := run;" in shown.output
    assert "2 edits; 1 finding without one." in shown.output
    assert (library / "blocks" / "motor.st").read_text() == MOTOR
    check(library, "--fix", "--write")
    mended = MOTOR.replace("    spare : INT;    // left over\n", "").replace("run := run;\n", "")
    assert (library / "blocks" / "motor.st").read_text() == mended
    assert found(library) == ["called-in-branch"]
    assert "None of the findings" in check(library, "--fix").output


@pytest.mark.parametrize(
    ("wrong", "right"),
    [
        ("y := a\nz := a;", "y := a;\nz := a;"),
        ("IF a THEN\n y := z;\nENDIF\nz := NOT a;", "IF a THEN\n y := z;\nEND_IF\nz := NOT a;"),
        ("y := a; z := NOT y; // allow no-task: it was once a program\n", "y := a; z := NOT y;\n"),
        ("y := y; z := a; y := z;", " z := a; y := z;"),
    ],
)
def test_an_edit_leaves_nothing_else_to_tell(wrong: str, right: str, tmp_path: Path) -> None:
    head = "FUNCTION_BLOCK B VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT y, z : BOOL; END_VAR\n"
    write_files(tmp_path, {"blocks/b.st": f"{head}{wrong}\nEND_FUNCTION_BLOCK\n"})
    assert found(tmp_path) != []
    check(tmp_path, "--fix", "--write")
    assert (tmp_path / "blocks" / "b.st").read_text() == f"{head}{right}\nEND_FUNCTION_BLOCK\n"
    assert found(tmp_path) == []


# --- an old library ---


def test_what_an_old_library_has_is_accepted_and_what_is_new_is_told(library: Path) -> None:
    shown = check(library, "--accept-present")
    assert "Nothing is written without --write." in shown.output
    assert not (library / "accepted.toml").exists()
    check(library, "--accept-present", "--write")
    assert found(library) == []
    assert "3 findings are allowed" in check(library).output
    moved = MOTOR.replace("// A motor", "// Once more.\n// A motor").replace(
        "run := later.Q;", "run := later.Q;\nrun := run;"
    )
    write_files(library, {"blocks/motor.st": moved})
    assert found(library) == ["no-effect"], "a second line of the same text is new"


def test_what_is_accepted_and_gone_is_told_and_dropped(library: Path) -> None:
    check(library, "--accept-present", "--write")
    write_files(library, {"blocks/motor.st": MOTOR.replace("run := run;\n", "")})
    (gone,) = json.loads(check(library, "--json").output)["findings"]
    assert (gone["name"], gone["file"]) == ("unused-allowance", "accepted.toml")
    check(library, "--accept-present", "--write")
    assert found(library) == []
    assert "no-effect" not in (library / "accepted.toml").read_text()


def test_an_error_is_never_accepted(library: Path) -> None:
    write_files(library, {"blocks/b.st": "FUNCTION_BLOCK B VAR n : INT; END_VAR n := m; END_FUNCTION_BLOCK"})
    check(library, "--accept-present", "--write")
    assert "unknown-name" in found(library)


@pytest.mark.parametrize(
    "text",
    [
        "accepted = 3",
        "[[accepted]]\nname = 'no-task'",
        "[[accepted]]\nname = 'no-such'\nfile = 'a'\nline = ''",
        "[[accepted]]\nname = 'no-task'\nfile = 'a'\nline = ''\ncount = 'x'",
        "[[accept]]",
        "x = [",
    ],
)
def test_a_file_of_accepted_findings_that_is_wrong_is_refused(text: str, library: Path) -> None:
    write_files(library, {"accepted.toml": text})
    result = check(library)
    assert result.exit_code == 2
    assert "accepted.toml" in result.output
    assert len(result.output.splitlines()) == 2


# --- for other tools ---


def test_the_log_for_other_tools_follows_its_schema(library: Path) -> None:
    allowed = MOTOR.replace("    spare", "    // allow never-used: soon\n    spare")
    write_files(library, {"blocks/motor.st": allowed, "old.st": ""})
    check(library, "--sarif", str(library / "found.sarif"), "--doubtful")
    log = json.loads((library / "found.sarif").read_text())
    schema = json.loads((ROOT / "tests" / "reports" / "sarif-2.1.0-rtm.5.json").read_text())
    assert [error.message for error in Draft4Validator(schema).iter_errors(log)] == []
    (run,) = log["runs"]
    by_rule = {result["ruleId"]: result for result in run["results"]}
    assert by_rule["never-used"]["suppressions"] == [{"kind": "inSource", "justification": "soon"}]
    region = by_rule["called-in-branch"]["locations"][0]["physicalLocation"]["region"]
    assert (region["startLine"], region["startColumn"], region["endColumn"]) == (16, 5, 10)
    assert all(run["tool"]["driver"]["rules"][r["ruleIndex"]]["id"] == r["ruleId"] for r in run["results"])


def test_what_was_accepted_elsewhere_is_suppressed_from_outside(library: Path) -> None:
    write_files(library, {"blocks/motor.st": MOTOR})
    check(library, "--accept-present", "--write")
    check(library, "--sarif", str(library / "found.sarif"))
    (run,) = json.loads((library / "found.sarif").read_text())["runs"]
    kinds = [each["kind"] for result in run["results"] for each in result.get("suppressions", [])]
    assert set(kinds) == {"external"}


@pytest.mark.parametrize("options", [["--write"], ["--fix", "--accept-present"], ["--fix", "--json"]])
def test_options_that_do_not_go_together_are_refused(options: list[str], library: Path) -> None:
    result = check(library, *options)
    assert result.exit_code == 2
    assert "has no use" in result.output


def test_the_page_of_all_findings_is_that_of_the_catalogue() -> None:
    assert upright("explain", "--markdown").output == (ROOT / "docs" / "checks.md").read_text(encoding="utf-8")
