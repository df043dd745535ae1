"""Which files of a library are read, and who sees what is in them."""

from pathlib import Path

import pytest

from tests.helpers import write_files
from upright_block import LibraryProblem, open_library

TWICE = "FUNCTION_BLOCK Twice VAR_INPUT n : INT; END_VAR VAR_OUTPUT double : INT; END_VAR double := 2 * n; END_FUNCTION_BLOCK"
RIG = """
VAR_GLOBAL level : INT := 3; END_VAR
TYPE Weather : (calm, storm); END_TYPE
FUNCTION_BLOCK Model VAR_OUTPUT q : INT; END_VAR VAR_EXTERNAL level : INT; END_VAR q := level; END_FUNCTION_BLOCK
PROGRAM TwiceRig VAR_OUTPUT seen : INT; END_VAR VAR model : Model; twice : Twice; END_VAR
model(); twice(n := model.q, double => seen);
END_PROGRAM
"""
RIG_CASE = """
program = "TwiceRig"
scan = "100ms"
[[case]]
name = "the model drives the block"
vectors = \"\"\"
scan | seen twice.n
0    | 6    3
\"\"\"
"""


def names(folder: Path) -> list[str]:
    return [finding.name for finding in open_library(folder).findings]


def test_a_rig_stands_beside_the_cases_and_needs_no_task(tmp_path: Path) -> None:
    write_files(tmp_path, {"blocks/twice.st": TWICE, "cases/rigs/twice.st": RIG, "cases/twice.toml": RIG_CASE})
    library = open_library(tmp_path)
    assert not library.findings
    assert [unit.name for unit in library.units] == ["Twice"]
    assert [verdict.status for verdict in library.run()] == ["passed"]


@pytest.mark.parametrize(
    ("body", "name"),
    [
        ("VAR m : Model; END_VAR m();", "Model"),
        ("VAR_EXTERNAL level : INT; END_VAR x := level;", "level"),
        ("VAR w : Weather; END_VAR x := 1;", "Weather"),
        ("IF x = storm THEN x := 1; END_IF", "storm"),
        ("x := level;", "level"),
    ],
)
def test_what_a_rig_declares_is_seen_by_rigs_alone(body: str, name: str, tmp_path: Path) -> None:
    block = f"FUNCTION_BLOCK B VAR x : INT; END_VAR {body} END_FUNCTION_BLOCK"
    files = {"blocks/twice.st": TWICE, "cases/rigs/twice.st": RIG, "cases/twice.toml": RIG_CASE}
    write_files(tmp_path, files | {"blocks/b.st": block})
    findings = open_library(tmp_path).findings
    assert {(f.name, f.source.path) for f in findings} == {("unknown-name", "blocks/b.st")}
    assert name in findings[0].message
    assert f"Did you mean {name}?" not in findings[0].way_out


def test_a_rig_is_no_way_around_a_name_that_is_taken(tmp_path: Path) -> None:
    write_files(tmp_path, {"blocks/twice.st": TWICE, "cases/rigs/twice.st": TWICE})
    (finding,) = open_library(tmp_path).findings
    assert (finding.name, finding.source.path, finding.related[0].source.path) == (
        "name-twice",
        "cases/rigs/twice.st",
        "blocks/twice.st",
    )


def test_programs_have_a_folder_of_their_own_and_the_manifest_can_name_several(tmp_path: Path) -> None:
    write_files(
        tmp_path,
        {
            "upright.toml": 'blocks = ["air", "water"]\n',
            "air/a.st": TWICE,
            "water/b.st": TWICE.replace("Twice", "Thrice"),
            "programs/c.st": TWICE.replace("Twice", "Often"),
        },
    )
    assert [unit.name for unit in open_library(tmp_path).units] == ["Twice", "Often", "Thrice"]
    assert names(tmp_path) == []


@pytest.mark.parametrize("value", ["[]", "3", '["air", 3]', '"nowhere"'])
def test_a_manifest_that_names_no_folder_is_refused(value: str, tmp_path: Path) -> None:
    write_files(tmp_path, {"upright.toml": f"blocks = {value}\n", "air/a.st": TWICE})
    with pytest.raises(LibraryProblem, match="folder"):
        open_library(tmp_path)


@pytest.mark.parametrize(
    "path",
    ["block/twice.st", "twice.st", "cases/twice.st", "cases/day.csv", "tag/points.csv", "points.xlsx", "case/a.toml"],
)
def test_a_file_that_nothing_reads_is_told(path: str, tmp_path: Path) -> None:
    write_files(tmp_path, {path: TWICE})
    (finding,) = open_library(tmp_path).findings
    assert (finding.name, finding.source.path, finding.severity) == ("unread-file", path, "warning")


@pytest.mark.parametrize(
    "path", [".git/a.st", "sub/upright.toml", "pyproject.toml", "docs/notes.md", "venv/pyvenv.cfg", "blocks/~$a.st"]
)
def test_a_file_that_is_none_of_the_library_is_passed_over(path: str, tmp_path: Path) -> None:
    write_files(tmp_path, {path: TWICE, str(Path(path).parent / "deeper" / "b.md"): TWICE})
    assert names(tmp_path) == []


def test_a_file_that_nothing_reads_can_be_allowed(tmp_path: Path) -> None:
    allow = '[[allow]]\nname = "unread-file"\npath = "logs/*"\nreason = "kept from the site"\n'
    write_files(tmp_path, {"upright.toml": allow, "logs/day.csv": "a,b\n"})
    assert names(tmp_path) == []
