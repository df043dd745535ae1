"""Findings that need several units: who writes what in one scan, contacts and their tags, instances and their
siblings.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import EXAMPLES, ROOT, upright, write_files
from upright_block import check_library, open_library
from upright_block.analysis import analyse
from upright_block.language.checking.program import find_unit
from upright_block.language.nodes import replaced
from upright_block.language.scope import Scope
from upright_block.language.source import Source
from upright_block.language.telling.allowing import Policy, settle
from upright_block.standard import STANDARD, UNITS

TAGS = "tag,point,type,sense\nauto,%IX0.0,BOOL,\nstart,%IX0.1,BOOL,\nstop_button,%IX0.2,BOOL,NC\nat_open,%IX0.3,BOOL,NC\nmotor,%QX0.0,BOOL,\nlamp,%QX0.1,BOOL,\n"
READS = "lamp := start AND auto AND stop_button AND at_open;"


def program(name: str, body: str, variables: str = "") -> str:
    return f"PROGRAM {name} {variables}\n{body}\nEND_PROGRAM\n"


def found(root: Path, files: dict[str, str], doubtful: bool = False) -> list[str]:
    write_files(root, {"tags/t.csv": TAGS, **files})
    return [str(finding) for finding in open_library(root).check(doubtful).findings]


def names(root: Path, files: dict[str, str], doubtful: bool = False) -> list[str]:
    return [text.rpartition("(")[2].rstrip(")") for text in found(root, files, doubtful)]


def test_two_programs_that_write_one_tag_are_told_with_the_one_that_wins(tmp_path: Path) -> None:
    (told,) = found(
        tmp_path,
        {
            "programs/a.st": program("Auto", f"motor := start;\n{READS}"),
            "programs/b.st": program("Hand", "motor := NOT start;"),
        },
    )
    assert told == (
        "programs/a.st:2:1: motor is written by Auto and by Hand in one scan: Hand runs after Auto and wins. (two-writers)"
    )


def test_the_order_of_tasks_decides_who_wins(tmp_path: Path) -> None:
    tasks = "CONFIGURATION C TASK t (INTERVAL := T#10ms, PRIORITY := 1); PROGRAM h WITH t : Hand; PROGRAM a WITH t : Auto; END_CONFIGURATION"
    (told,) = found(
        tmp_path,
        {
            "programs/a.st": program("Auto", f"motor := start;\n{READS}"),
            "programs/b.st": program("Hand", "motor := NOT start;"),
            "programs/c.st": tasks,
        },
    )
    assert "Auto runs after Hand and wins" in told
    other = tasks.replace("TASK t", "TASK u (INTERVAL := T#1s); TASK t").replace("a WITH t", "a WITH u")
    write_files(tmp_path, {"programs/c.st": other})
    assert "whichever ran last wins" in str(open_library(tmp_path).check().findings[0])


@pytest.mark.parametrize(
    ("first", "second"),
    [
        ("IF auto THEN motor := start; END_IF", "IF NOT auto THEN motor := NOT start; END_IF"),
        ("IF auto AND start THEN motor := TRUE; END_IF", "IF NOT start THEN motor := FALSE; END_IF"),
        ("motor := start;", "lamp := NOT start;"),
    ],
)
def test_units_that_never_write_together_are_no_two_writers(first: str, second: str, tmp_path: Path) -> None:
    reads = program(
        "Reads", "x := auto OR start OR stop_button OR at_open; lamp := lamp OR x;", "VAR x : BOOL; END_VAR"
    )
    files = {"programs/a.st": program("A", first), "programs/b.st": program("B", second)}
    told = names(tmp_path, files | {"programs/c.st": reads.replace("lamp := lamp OR x;", "")})
    assert "two-writers" not in told


def test_a_block_that_writes_a_tag_itself_and_has_two_instances_is_told(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK Fan VAR_INPUT go : BOOL; END_VAR motor := go; END_FUNCTION_BLOCK"
    two = program("P", f"f(go := start); g(go := NOT start);\n{READS}", "VAR f, g : Fan; END_VAR")
    assert names(tmp_path, {"blocks/f.st": block, "programs/p.st": two}) == ["two-writers"]
    one = program("P", f"f(go := start);\n{READS}", "VAR f : Fan; END_VAR")
    assert names(tmp_path, {"programs/p.st": one}) == []


def test_blocks_of_two_modes_that_exclude_each_other_may_write_one_tag(tmp_path: Path) -> None:
    blocks = {
        f"blocks/{name}.st": f"FUNCTION_BLOCK {name} VAR_INPUT go : BOOL; END_VAR motor := go; END_FUNCTION_BLOCK"
        for name in ("ByHand", "BySun")
    }
    variables = "VAR h : ByHand; s : BySun; END_VAR"
    choice = program("P", f"IF auto THEN s(go := start); ELSE h(go := start); END_IF\n{READS}", variables)
    assert names(tmp_path, blocks | {"programs/p.st": choice}) == []
    both = program("P", f"s(go := start); h(go := start);\n{READS}", variables)
    assert names(tmp_path, {"programs/p.st": both}) == ["two-writers"]


def test_a_unit_of_one_mode_leaves_a_tag_on(tmp_path: Path) -> None:
    block = "FUNCTION_BLOCK Fan VAR_INPUT go : BOOL; END_VAR motor := go; END_FUNCTION_BLOCK"
    text = program("P", f"IF auto THEN\nf(go := start);\nEND_IF\n{READS}", "VAR f : Fan; END_VAR")
    (told,) = found(tmp_path, {"blocks/f.st": block, "programs/p.st": text})
    assert "f is called only under a condition: while that does not hold, motor stays as it was. (stays-on)" in told
    reset = text.replace("IF auto", "motor := FALSE;\nIF auto")
    assert names(tmp_path, {"programs/p.st": reset}) == []
    enabled = program("P", f"f(EN := auto, go := start);\n{READS}", "VAR f : Fan; END_VAR")
    assert names(tmp_path, {"programs/p.st": enabled}) == ["stays-on"]


@pytest.mark.parametrize(
    ("body", "is_told"),
    [
        ("stop := NOT stop_button;", True),
        ("stop := stop_button;", False),
        ("stop := NOT start;", False),
        ("running := NOT stop_button;", False),
        ("no_stop := NOT stop_button;", False),
        ("v(open := NOT at_open);", False),
        ("v(at_open := NOT at_open);", True),
    ],
)
def test_a_contact_wired_nc_that_not_inverts_again(body: str, is_told: bool, tmp_path: Path) -> None:
    vent = "FUNCTION_BLOCK Vent VAR_INPUT open, at_open : BOOL; END_VAR VAR_OUTPUT up : BOOL; END_VAR up := open AND NOT at_open; END_FUNCTION_BLOCK"
    variables = "VAR stop, running, no_stop : BOOL; v : Vent; END_VAR"
    uses = "v(open := stop OR running OR no_stop); motor := v.up;"
    text = program("P", f"{body}\n{'' if body.startswith('v') else uses}\n{READS} motor := v.up;", variables)
    told = names(tmp_path, {"blocks/v.st": vent, "programs/p.st": text})
    assert ("inverted-twice" in told) is is_told


def test_the_output_of_one_instance_that_nothing_reads_where_those_of_its_siblings_are(tmp_path: Path) -> None:
    fan = "FUNCTION_BLOCK Fan VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT run : BOOL; END_VAR run := go; END_FUNCTION_BLOCK"
    rows = "".join(f"Fan{n},Fan,start,,,,,\n" for n in range(1, 6))
    head = "instance,block,go,IN1,IN2,IN3,IN4,result\n"
    wired = f"{head}{rows}any,OR,,Fan1.run,Fan2.run,Fan3.run,Fan4.run,-> motor\n"
    files = {"blocks/f.st": fan, "wiring/w.csv": wired, "programs/r.st": program("R", READS)}
    (told,) = found(tmp_path, files)
    assert "Nothing reads Fan5.run, and that of its 4 siblings is read. (odd-one-out)" in told


def test_analysis_does_not_need_the_whole_library_to_be_right(tmp_path: Path) -> None:
    text = program("P", f"motor := start; motor := auto;\n{READS}")
    told = names(tmp_path, {"programs/p.st": text, "blocks/b.st": "FUNCTION_BLOCK B x := 1; END_FUNCTION_BLOCK"})
    assert sorted(told) == ["two-writers", "unknown-name"]


def test_one_global_instance_that_two_units_call_is_told(tmp_path: Path) -> None:
    shared = "VAR_GLOBAL wait : TON; END_VAR\n"
    one = program("A", f"wait(IN := start, PT := T#1s); motor := wait.Q;\n{READS}")
    other = program("B", "wait(IN := NOT start, PT := T#1s);")
    files = {"programs/a.st": shared + one, "programs/b.st": other}
    (told,) = found(tmp_path, files)
    assert "A and B both call wait, which is one instance: its data are of both. (called-twice)" in told
    write_files(tmp_path, {"programs/b.st": program("B", "lamp := wait.Q;").replace("lamp := ", "lamp := start OR ")})
    assert "called-twice" not in str([str(f) for f in open_library(tmp_path).check().findings])


@pytest.mark.parametrize("root", [EXAMPLES / "demo", EXAMPLES / "start", ROOT / "src" / "upright_block" / "stand_ins"])
def test_what_ships_has_no_finding(root: Path) -> None:
    assert [str(finding) for finding in open_library(root).check().findings] == []


def test_the_blocks_of_the_standard_have_no_finding_that_they_do_not_allow() -> None:
    scope = Scope(STANDARD)
    for name in UNITS:
        find_unit(name, scope)
    for unit in scope.units.values():
        unit.is_standard = False
    found = [finding for finding in analyse(scope) if not finding.is_doubtful]
    texts = [Source(f"{unit.source.path}.st", unit.source.text, "statements") for unit in scope.units.values()]
    by_path = {source.path: source for source in texts}
    named = [replaced(finding, source=by_path[f"{finding.source.path}.st"]) for finding in found]
    assert [str(finding) for finding in settle(named, texts, Policy(), True).findings] == []


OUTSIDE = {
    "blocks/a.st": "FUNCTION_BLOCK A\nVAR_INPUT go : BOOL; END_VAR\nVAR\n"
    + "".join(
        f"    {name} : INT;\n" for name in ("count", "hits", "in_case", "in_rule", "in_csv", "lost", "spare", "kept")
    )
    + "END_VAR\nIF go THEN count := 1; hits := 2; in_case := 3; in_rule := 4; in_csv := 5; lost := 6; END_IF\nEND_FUNCTION_BLOCK\n",
    "programs/p.st": "PROGRAM P VAR a : A; END_VAR a(go := key); END_PROGRAM\n"
    "PROGRAM Q lamp := shown > 0; END_PROGRAM\n"
    "CONFIGURATION C VAR_ACCESS seen : R.p.a.hits : INT READ_ONLY; END_VAR\n"
    "RESOURCE R ON CPU TASK t(INTERVAL := T#100ms); PROGRAM p WITH t : P; PROGRAM q WITH t : Q; END_RESOURCE END_CONFIGURATION\n",
    "tags/t.csv": "tag,point,type,stands_for\nkey,%IX0.0,BOOL,\nlamp,%QX0.0,BOOL,\nshown,,,p.a.count\n",
    "cases/v.csv": "go,in_csv\n1,5\n",
    "cases/a.toml": 'block = "A"\nscan = "1s"\nnever = ["in_rule > 5"]\n[[case]]\nname = "c"\nvectors = """\ngo set kept | in_case\n1 1 | 3\n"""\n'
    '[[case]]\nname = "d"\nvectors = "v.csv"\n',
}


def test_data_that_somebody_outside_reads_is_not_called_unread(tmp_path: Path) -> None:
    library = write_files(tmp_path, OUTSIDE)
    for found in (check_library(library).settled, open_library(library).check()):
        names = [f.source.text[f.start : f.end] for f in found.findings if f.name == "never-read"]
        assert names == ["lost"]


def test_a_mend_removes_nothing_that_a_case_names(tmp_path: Path) -> None:
    library = write_files(tmp_path, OUTSIDE)
    upright("check", "--fix", "--write", "--library", library)
    text = (library / "blocks/a.st").read_text()
    assert ("spare" in text, "kept : INT" in text) == (False, True)
    assert not [f for f in open_library(library).findings if f.severity == "error"]
