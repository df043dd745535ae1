"""Expected values taken from a run, and cases chosen by what has changed since the last one."""

from __future__ import annotations

import json
import re
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from tests.helpers import upright, write_files
from upright_block import open_library

# --- recorded expectations ---

COUNTER = {
    "blocks/b.st": """
FUNCTION_BLOCK B VAR_INPUT x : BOOL; d : TIME; END_VAR
VAR_OUTPUT n : INT; r : REAL; t : TIME; w : WORD; s : STRING; q : BOOL; END_VAR VAR edge : R_TRIG; hold : TON; END_VAR
edge(CLK := x); IF edge.Q THEN n := n + 1; END_IF
r := INT_TO_REAL(n) / 3.0; hold(IN := x, PT := d); t := hold.ET; w := INT_TO_WORD(n); q := hold.Q;
s := CONCAT('a b', INT_TO_STRING(n));
END_FUNCTION_BLOCK"""
}
HEAD = 'block = "B"\nscan = "100ms"\n'


def recorded(folder: Path, case: str, *options: str, **files: str) -> str:
    """The case file after its cells were filled in; it must be good then."""
    write_files(folder, COUNTER | files | {"cases/c.toml": HEAD + case})
    result = upright("verify", "--record", "B", "--write", *options, "--library", folder)
    assert result.exit_code == 0, result.output
    return (folder / "cases" / "c.toml").read_text(encoding="utf-8")


TABLE = """
[[case]]
name = "c"   # mine
given = { d = "300ms" }
vectors = \"\"\"
at    | x | n r t w s q | hold hold.Q
# nothing yet
0s    | 0 | . 0.0 . . . . | .
100ms | 1 | 1 . . . . . | .
400ms | . | . . . . . 1 | .
\"\"\"
"""


def test_empty_cells_are_filled_in_and_all_else_stays(tmp_path: Path) -> None:
    text = recorded(tmp_path, TABLE)
    assert (
        text
        == HEAD
        + '''
[[case]]
name = "c"   # mine
given = { d = "300ms" }
vectors = """
at    | x | n r          t     w       s      q | hold hold.Q
# nothing yet
0s    | 0 | 0 0.0        0s    16#0000 'a b0' 0 | 0
100ms | 1 | 1 0.33333334 0s    16#0001 'a b1' 0 | 0
400ms | . | 1 0.33333334 300ms 16#0001 'a b1' 1 | 1
"""
'''
    )
    assert "1 case: 1 good" in upright("verify", "--library", tmp_path).output
    again = upright("verify", "--record", "B", "--library", tmp_path)
    assert (again.exit_code, "No expected cell is empty" in again.output) == (0, True)


def test_nothing_is_written_unless_asked_and_never_over_what_somebody_wrote(tmp_path: Path) -> None:
    case = '[[case]]\nname = "c"\nvectors = """\nx | n q\n1 | 7 .\n"""\n'
    write_files(tmp_path, COUNTER | {"cases/c.toml": HEAD + case})
    shown = upright("verify", "--record", "B", "--library", tmp_path).output
    assert "+1 | 7 1" in shown
    assert (tmp_path / "cases/c.toml").read_text() == HEAD + case
    assert "1 | 7 1\n" in recorded(tmp_path, case)
    assert "1 | 1 1\n" in recorded(tmp_path, case, "--over")


def test_cells_of_several_moments_are_filled_in_where_these_agree(tmp_path: Path) -> None:
    case = '[[case]]\nname = "c"\nvectors = """\nx | n q\nrepeat 2\n1 | . .\n0 | . .\nend\n"""\n'
    write_files(tmp_path, COUNTER | {"cases/c.toml": HEAD + case})
    result = upright("verify", "--record", "B", "--write", "--library", tmp_path)
    assert result.output.count("not-recorded") == 2
    assert "1 and 2" in result.output
    assert "1 | . 1\n0 | . 0\n" in (tmp_path / "cases/c.toml").read_text()


def test_a_cell_that_would_not_hold_is_left_empty(tmp_path: Path) -> None:
    case = '[[case]]\nname = "c"\nrun_for = "1s"\nvectors = """\nat | x | hold q n\n0s | 0 | . .\n200ms | 1 | . .\n500ms | . | . .\n"""\ngiven = { d = "200ms" }\n'
    write_files(tmp_path, COUNTER | {"cases/c.toml": HEAD + case})
    result = upright("verify", "--record", "B", "--write", "--library", tmp_path)
    assert "changes before, at 400ms" in result.output
    assert "200ms | 1 | . 1\n" in (tmp_path / "cases/c.toml").read_text().replace("      ", " ")


def test_a_backslash_in_a_value_stays_one(tmp_path: Path) -> None:
    block = (
        "FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT s : STRING; END_VAR s := 'a\\b'; END_FUNCTION_BLOCK"
    )
    for quotes in ('"""', "'''"):
        case = f'[[case]]\nname = "c"\nvectors = {quotes}\nx | s\n1 | .\n{quotes}\n'
        recorded(tmp_path, case, **{"blocks/b.st": block})
        assert "1 case: 1 good" in upright("verify", "--library", tmp_path).output


def test_the_tables_of_several_cases_are_filled_in_at_once(tmp_path: Path) -> None:
    case = '[[case]]\nname = "{0}"\nvectors = """\ncase | x | n\na | 1 | .\nb | 0 | .\n. | 1 | .\n"""\n'
    text = recorded(tmp_path, case.format("one") + case.format("two"))
    assert text.count("case | x | n\na    | 1 | 1\nb    | 0 | 0\n.    | 1 | 1\n") == 2


def test_what_lies_behind_a_fault_stays_empty_and_is_told(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK B VAR_INPUT x : INT; END_VAR VAR_OUTPUT n : INT; END_VAR n := 6 / x; END_FUNCTION_BLOCK"
    case = '[[case]]\nname = "c"\nvectors = """\nx | n\n2 | .\n0 | .\n1 | .\n"""\n'
    write_files(tmp_path, {"blocks/b.st": block, "cases/c.toml": HEAD + case})
    result = upright("verify", "--record", "B", "--write", "--library", tmp_path)
    assert "its row at 100ms and those below stay empty" in result.output
    assert "2 | 3\n0 | .\n1 | .\n" in (tmp_path / "cases/c.toml").read_text()


def test_a_csv_file_is_filled_in(tmp_path: Path) -> None:
    case = '[[case]]\nname = "c"\nvectors = "t.csv"\n'
    recorded(tmp_path, case, **{"cases/t.csv": 'x,n,s,q\r\n0,,,.\r\n1,5,"","0"\r\n'})
    assert (tmp_path / "cases/t.csv").read_bytes() == b"x,n,s,q\r\n0,0,'a b0',0\r\n1,5,'a b1',\"0\"\r\n"


def test_every_table_of_the_example_records_what_it_says(glasshouse: Path) -> None:
    """All expected cells of the inline tables are emptied, filled in again, and what was written before holds then."""
    before = {path: path.read_text("utf-8") for path in (glasshouse / "cases").glob("*.toml")}
    for path, text in before.items():
        path.write_text(re.sub(r"^([^|\n]*\|[^|\n]*\|)([^|\n]*)$", emptied, text, flags=re.MULTILINE), "utf-8")
    assert upright("verify", "--record", "*", "--write", "--library", glasshouse).exit_code == 0
    after = upright("verify", "--library", glasshouse)
    assert "36 cases: 36 good" in after.output, after.output
    assert not any(
        re.search(r"^[^|\n]*\|[^|\n]*\|.*\s\.(\s|$)", path.read_text("utf-8"), re.MULTILINE) for path in before
    )


def emptied(row: re.Match[str]) -> str:
    is_head = row[1].split()[0] in ("at", "after", "scan") or not re.match(r"\d", row[1])
    return row[0] if is_head else row[1] + re.sub(r"\S+", ".", row[2])


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("--record",), "the cases that are named"),
        (("--record", "B", "--stop"), "no use beside"),
        (("B", "--write"), "no use without --record"),
        (("--on-change", "--json"), "no use beside"),
        (("--record", "Nobody"), "No case is called Nobody"),
    ],
)
def test_options_that_do_not_go_together(arguments: tuple[str, ...], says: str, tmp_path: Path) -> None:
    write_files(tmp_path, COUNTER | {"cases/c.toml": HEAD + '[[case]]\nname = "c"\nvectors = """\nx | n\n1 | 1\n"""\n'})
    result = upright("verify", *arguments, "--library", tmp_path)
    assert (result.exit_code, says in result.output) == (2, True), result.output


# --- what has changed ---


def ran(folder: Path, *options: str) -> set[str]:
    result = upright("verify", *options, "--json", "--library", folder)
    return {case["case"] for case in json.loads(result.output)["cases"]}


def test_changed_cases_are_those_whose_content_differs_from_the_last_good_run(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK {0} VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR {1} q := x; END_FUNCTION_BLOCK"
    case = 'block = "{0}"\nscan = "1s"\n[[case]]\nname = "c"\nvectors = {1}\n'
    table = '"""\nx | q\n1 | 1\n"""'
    write_files(
        tmp_path,
        {
            "blocks/inner.st": block.format("Inner", ""),
            "blocks/a.st": block.format("A", "VAR i : Inner; END_VAR i(x := x);"),
            "blocks/b.st": block.format("B", "VAR_IN_OUT i : Base; END_VAR"),
            "blocks/base.st": block.format("Base", ""),
            "blocks/d.st": "FUNCTION_BLOCK D EXTENDS Base VAR m : Mode; END_VAR SUPER(); END_FUNCTION_BLOCK",
            "blocks/types.st": "TYPE Mode : (idle, busy); END_TYPE",
            "rules/r.toml": 'block = "Base"\nalways = ["q = x"]\n',
            "cases/a.toml": case.format("A", '"a.csv"'),
            "cases/a.csv": "x,q\n1,1\n",
            "cases/b.toml": case.format("B", table),
            "cases/d.toml": case.format("D", table),
        },
    )
    every = {"a/c", "b/c", "d/c"}
    touched = {
        "blocks/inner.st": {"a/c"},
        "blocks/a.st": {"a/c"},
        "blocks/base.st": {"b/c", "d/c"},
        "blocks/d.st": {"d/c"},
        "blocks/types.st": every,
        "rules/r.toml": every,
        "upright.toml": every,
        "cases/a.toml": {"a/c"},
        "cases/a.csv": {"a/c"},
        "cases/b.toml": {"b/c"},
    }
    assert ran(tmp_path, "--changed") == every
    for name, wanted in touched.items():
        assert ran(tmp_path, "--changed") == set(), name
        path = tmp_path / name
        path.write_text(
            path.read_text() + ("\n" if name.endswith("csv") else "\n# x\n" if name.endswith("toml") else "\n// x\n")
        )
        assert ran(tmp_path, "--changed") == wanted, name


def test_failed_cases_run_until_they_are_good(tmp_path: Path) -> None:
    case = (
        HEAD
        + '[[case]]\nname = "good"\nvectors = """\nx | n\n1 | 1\n"""\n[[case]]\nname = "bad"\nvectors = """\nx | n\n1 | {0}\n"""\n'
    )
    write_files(tmp_path, COUNTER | {"cases/c.toml": case.format(2)})
    assert ran(tmp_path, "--failed") == set()
    assert ran(tmp_path) == {"c/good", "c/bad"}
    assert ran(tmp_path, "--failed") == {"c/bad"}
    assert ran(tmp_path, "--changed") == {"c/bad"}
    (tmp_path / "cases/c.toml").write_text(case.format(1))
    assert ran(tmp_path, "--failed") == {"c/bad"}
    assert ran(tmp_path, "--failed") == set()
    assert ran(tmp_path, "--failed", "--changed") == {"c/good"}
    assert "1 case left out: not wrong" not in upright("verify", "--library", tmp_path).output
    assert "2 cases left out: good" in upright("verify", "--changed", "--library", tmp_path).output


def test_what_is_remembered_of_runs_may_be_lost_or_spoilt(tmp_path: Path) -> None:
    write_files(tmp_path, COUNTER | {"cases/c.toml": HEAD + '[[case]]\nname = "c"\nvectors = """\nx | n\n1 | 1\n"""\n'})
    for spoilt in ("", "[]", '{"form": 1, "cases": {"c/c": 3}}', '{"form": 9, "cases": {}}', "\x00"):
        ran(tmp_path)
        assert ran(tmp_path, "--changed") == set()
        open_library(tmp_path).history.path.write_text(spoilt)
        assert ran(tmp_path, "--changed") == {"c/c"}


def test_a_call_that_stays_runs_what_a_saved_file_touches(tmp_path: Path) -> None:
    case = 'block = "{0}"\nscan = "100ms"\n[[case]]\nname = "of {0}"\nvectors = """\nx | n\n1 | 1\n"""\n'
    other = COUNTER["blocks/b.st"].replace("FUNCTION_BLOCK B", "FUNCTION_BLOCK C")
    write_files(
        tmp_path, COUNTER | {"blocks/c.st": other, "cases/b.toml": case.format("B"), "cases/c.toml": case.format("C")}
    )
    program = [sys.executable, "-c", "from upright_block.cli.ending import program; program()"]
    with subprocess.Popen(
        [*program, "verify", "--on-change", "--library", str(tmp_path)], stdout=subprocess.PIPE, text=True
    ) as running:
        assert running.stdout is not None

        def read_until(mark: str) -> str:
            assert running.stdout is not None
            lines: list[str] = []
            while not lines or mark not in lines[-1]:
                lines.append(running.stdout.readline())
                assert lines[-1], lines
            return "".join(lines)

        assert "2 cases: 2 good" in read_until("Waiting")
        (tmp_path / "blocks/c.st").write_text(other.replace("n + 1", "n + 2"))
        text = read_until("Waiting")
        assert ("WRONG  C: of C" in text, "of B" in text) == (True, False)
        (tmp_path / "upright.toml").write_text("name = ")
        assert "not valid TOML" in read_until("Waiting")
        running.send_signal(signal.SIGINT)
        assert running.wait(10) == 128 + signal.SIGINT
