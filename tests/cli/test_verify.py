"""How cases are chosen and what a call of verify says of them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.helpers import upright, write_files

BLOCK = "FUNCTION_BLOCK Pump VAR_INPUT i : INT; END_VAR VAR_OUTPUT o : INT; w : WORD; END_VAR VAR k : INT; END_VAR o := i; w := INT_TO_WORD(i); END_FUNCTION_BLOCK\n"
BROKEN = "FUNCTION_BLOCK Fan VAR_INPUT i : INT; END_VAR VAR_OUTPUT o : INT; END_VAR o := j; END_FUNCTION_BLOCK\n"


def table(*rows: str, head: str = "i | o") -> str:
    return 'vectors = """\n' + "\n".join((head, *rows)) + '\n"""\n'


def one(name: str, body: str) -> str:
    return f'[[case]]\nname = "{name}"\n{body}'


@pytest.fixture
def root(tmp_path: Path) -> Path:
    for folder in ("blocks", "cases/safety", "cases/use"):
        (tmp_path / folder).mkdir(parents=True)
    (tmp_path / "upright.toml").write_text('name = "plant"\n')
    (tmp_path / "blocks" / "pump.st").write_text(BLOCK)
    (tmp_path / "blocks" / "fan.st").write_text(BROKEN)
    head = 'block = "Pump"\nscan = "1s"\n'
    (tmp_path / "cases/safety/pump.toml").write_text(head + one("stops", table("1 | 1")) + one("holds", table("1 | x")))
    (tmp_path / "cases/use/pump.toml").write_text(
        head + one("stops", table("2 | 2")) + one("quick stops", table("2 | 2")) + one("idles", 'run_for = "3s"\n')
    )
    (tmp_path / "cases/fan.toml").write_text('block = "Fan"\nscan = "1s"\n' + one("turns", table("1 | 1")))
    return tmp_path


def cases(root: Path, *patterns: str) -> list[str]:
    data = json.loads(upright("verify", *patterns, "--json", "--library", root).output)
    return [case["case"] for case in (*data["cases"], *data["not_run"])]


@pytest.mark.parametrize(
    ("pattern", "chosen"),
    [
        ("safety/pump/stops", ["safety/pump/stops"]),
        ("use/pump/stops", ["use/pump/stops"]),
        ("pump/stops", ["safety/pump/stops", "use/pump/stops"]),
        ("quick stops", ["use/pump/quick stops"]),
        ("STOPS", ["safety/pump/stops", "use/pump/stops"]),
        ("Pump/quick stops", ["use/pump/quick stops"]),
        ("stop", ["safety/pump/stops", "use/pump/stops", "use/pump/quick stops"]),
        ("cases/use/pump.toml", ["use/pump/stops", "use/pump/quick stops", "use/pump/idles"]),
        ("holds", ["safety/pump/holds"]),
        ("turns", ["fan/turns"]),
        ("Fan", ["fan/turns"]),
    ],
)
def test_a_case_is_chosen_by_any_end_of_what_it_is_called(root: Path, pattern: str, chosen: list[str]) -> None:
    assert cases(root, pattern) == chosen


def test_every_name_that_is_printed_can_be_typed_back(root: Path) -> None:
    for name in cases(root):
        assert cases(root, name) == [name]


@pytest.mark.parametrize(("pattern", "says"), [("holds", "o is INT: x is no value"), ("turns", "j is not declared")])
def test_a_case_that_cannot_be_run_is_named_with_its_reason(root: Path, pattern: str, says: str) -> None:
    result = upright("verify", pattern, "--library", root)
    assert result.exit_code == 1
    assert says in result.output
    assert "NOT RUN" in result.output
    assert "1 case: 0 good, 1 not run" in result.output


def test_a_case_that_checks_nothing_is_counted_as_such_and_fails_where_it_is_strict(root: Path) -> None:
    (root / "blocks" / "fan.st").unlink()
    (root / "cases/fan.toml").unlink()
    (root / "cases/safety/pump.toml").unlink()
    result = upright("verify", "--library", root)
    assert (result.exit_code, "3 cases: 2 good, 1 checks nothing." in result.output) == (0, True)
    strict = upright("verify", "--strict", "--library", root)
    assert (strict.exit_code, "checks-nothing" in strict.output) == (1, True)
    assert upright("check", "--library", root).exit_code == 0
    assert upright("check", "--strict", "--library", root).exit_code == 1
    (case,) = json.loads(upright("verify", "idles", "--json", "--library", root).output)["cases"]
    assert (case["status"], case["checks"]) == ("checks nothing", 0)


def test_where_no_case_could_be_read_that_is_said(root: Path) -> None:
    for path in root.glob("cases/**/*.toml"):
        path.write_text("block = \n")
    result = upright("verify", "--library", root)
    assert result.exit_code == 1
    assert "3 case files could not be read" in result.output
    wrong = upright("verify", "stops", "--library", root)
    assert (wrong.exit_code, "3 case files could not be read" in wrong.output) == (2, True)


def test_json_tells_of_blocked_cases_with_their_findings(root: Path) -> None:
    data = json.loads(upright("verify", "--json", "--library", root).output)
    found = {case["case"]: [f["name"] for f in case["findings"]] for case in data["not_run"]}
    assert found == {"fan/turns": [], "safety/pump/holds": ["bad-value"]}
    assert {case["reason"] for case in data["not_run"]} == {"Fan has errors", "o is INT: x is no value."}


def test_json_of_a_library_that_cannot_be_used_is_json(tmp_path: Path) -> None:
    for command in (["verify", "--json"], ["check", "--json"], ["show", "TON", "--json"]):
        result = upright(*command, "--library", tmp_path)
        assert result.exit_code == 2
        assert "upright.toml" in json.loads(result.output)["error"]["message"]


def test_words_differ_by_bits_and_a_program_can_compare_values(root: Path) -> None:
    (root / "cases/use/pump.toml").write_text(
        'block = "Pump"\nscan = "1s"\n' + one("bits", table("21 | 16#05", head="i | w"))
    )
    result = upright("verify", "bits", "--library", root)
    assert "w is 16#0015 and not 16#05" in result.output
    assert "bit 4" in result.output
    assert "16#0015 ≠ 16#0005" in result.output
    (case,) = json.loads(upright("verify", "bits", "--json", "--library", root).output)["cases"]
    (wrong,) = case["wrong"]
    assert (wrong["got"], wrong["expected"]) == (21, {"low": 5, "high": 5, "outside": False})


def test_later_moments_take_a_line_each(root: Path) -> None:
    rows = [f"{k} | {k if k % 2 else -k}" for k in range(1, 60)]
    (root / "cases/use/pump.toml").write_text('block = "Pump"\nscan = "1s"\n' + one("many", table(*rows)))
    output = upright("verify", "many", "--library", root).output
    assert output.count("▶") == 1
    assert output.count("then at ") == 12
    assert "16 more wrong values after that." in output


def test_inputs_come_first_then_what_is_wrong_and_shared_prefixes_stand_above(tmp_path: Path) -> None:
    upright("new", tmp_path / "lib")
    (tmp_path / "lib/blocks/row.st").write_text(
        "FUNCTION_BLOCK Row VAR_INPUT go, off : BOOL; END_VAR VAR_OUTPUT a, b, same : INT; END_VAR VAR m1, m2 : TON; END_VAR "
        "m1(IN := go, PT := T#1s); m2(IN := m1.Q, PT := T#2s); a := a + 1; b := a * 2; END_FUNCTION_BLOCK"
    )
    rows = ["1 . 1 0 2 0s 0 0s", ". . 2 0 5 1s 1 0s", ". . 3 0 6 1s 1 1s"]
    (tmp_path / "lib/cases/row.toml").write_text(
        'block = "Row"\nscan = "1s"\n' + one("c", table(*rows, head="go off a same b m1.ET m1.Q m2.ET"))
    )
    output = upright("verify", "row", "--library", tmp_path / "lib").output
    head = next(line for line in output.splitlines() if "scan" in line and "time" in line and "│" in line)
    assert head.split("│")[1].split()[0] == "b"
    assert "m1" in output.splitlines()[output.splitlines().index(head) - 1]
    assert "the same in these rows: go 1, off 0, same 0" in output


def test_findings_are_capped_by_file_with_the_number_left_out(root: Path) -> None:
    lines = "\n".join(f"o := u{k};" for k in range(40))
    (root / "blocks" / "fan.st").write_text(BROKEN.replace("o := j;", lines))
    output = upright("check", "--library", root).output
    assert output.count("is not declared in Fan") == 10
    assert "blocks/fan.st: 30 more findings; --all shows all." in output
    assert "40 errors  blocks/fan.st" in output
    assert upright("check", "--all", "--library", root).output.count("is not declared in Fan") == 40


def test_a_name_declared_twice_names_the_other_file(root: Path) -> None:
    (root / "blocks" / "fan.st").write_text(BLOCK)
    output = upright("check", "--library", root).output
    assert "Pump is first declared here, blocks/fan.st:" in output


def test_stop_ends_with_the_first_wrong_case(tmp_path: Path) -> None:
    rows = "".join(f'[[case]]\nname = "c{n}"\nvectors = """\na | q\n1 | {int(n != 2)}\n"""\n' for n in range(6))
    block = "FUNCTION_BLOCK B VAR_INPUT a : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := a; END_FUNCTION_BLOCK"
    files = {"upright.toml": "", "blocks/b.st": block, "cases/c.toml": f'block = "B"\nscan = "1s"\n{rows}'}
    write_files(tmp_path, files)
    shown = upright("verify", "--stop", "--jobs", "1", "--library", tmp_path)
    assert shown.exit_code == 1
    assert "3 cases: 2 good, 1 wrong." in shown.output
    assert "3 cases left out: --stop ends with the first that is wrong." in shown.output
    assert (
        json.loads(upright("verify", "--stop", "--json", "--jobs", "1", "--library", tmp_path).output)["left_out"] == 3
    )
    whole = upright("verify", "--jobs", "3", "--library", tmp_path)
    assert "6 cases: 5 good, 1 wrong." in whole.output
    assert "left out" not in whole.output
    assert upright("verify", "--jobs", "0", "--library", tmp_path).exit_code == 2
