"""Where a thing is named, by whatever path leads to it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.helpers import write_files
from upright_block import OpenLibrary, UnknownName, open_library

SOURCE = """TYPE Pair : STRUCT p, q : INT; END_STRUCT; END_TYPE
VAR_GLOBAL level : INT; END_VAR
FUNCTION_BLOCK Inner
VAR_INPUT a : BOOL; END_VAR
VAR_IN_OUT both : INT; END_VAR
VAR_OUTPUT y : BOOL; END_VAR
y := a AND both > 0;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Outer
VAR one : Inner; many : ARRAY [1..2] OF Inner; pair : Pair; n : INT; END_VAR
one(a := TRUE, both := n);
many[1](a := one.y, both := level);
pair.p := level;
END_FUNCTION_BLOCK
"""


@pytest.fixture
def library(tmp_path: Path) -> OpenLibrary:
    return open_library(write_files(tmp_path, {"blocks/b.st": SOURCE}))


@pytest.mark.parametrize(
    ("path", "wanted"),
    [
        ("Outer.one.y", [("declared", 6), ("read", 12), ("written", 7)]),
        ("outer . ONE", [("called", 11), ("declared", 10), ("read", 12)]),
        ("Outer.many[1].y", [("declared", 6), ("written", 7)]),
        ("Outer.one.both", [("declared", 5), ("read", 7)]),
        ("Outer.pair.p", [("declared", 1), ("written", 13)]),
        ("level", [("declared", 2), ("read", 12), ("read", 13), ("written", 12)]),
        ("Inner", [("called", 11), ("called", 12), ("contained", 10), ("contained", 10), ("declared", 3)]),
    ],
)
def test_uses_are_found_by_any_path(library: OpenLibrary, path: str, wanted: list[tuple[str, int]]) -> None:
    found = library.references(path)
    assert sorted((r.kind, r.source.line(r.start)) for r in found) == wanted


@pytest.mark.parametrize(
    ("path", "message", "way_out"),
    [
        ("Outer.one.z", "Inner has no z.", "It has a, both, y."),
        ("Outer.n.x", "n is INT and has no x.", "Remove .x."),
        ("Outr.n", "There is no unit Outr.", "Did you mean Outer? e is missing after character 3."),
        ("Outer.many[3].y", "ARRAY [1..2] OF Inner has no [3].", "It is ARRAY [1..2] OF Inner."),
    ],
)
def test_a_path_to_nothing_is_told(library: OpenLibrary, path: str, message: str, way_out: str) -> None:
    with pytest.raises(UnknownName) as problem:
        library.references(path)
    assert (problem.value.message, problem.value.way_out) == (message, way_out)
