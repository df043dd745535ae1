"""Units in statements printed as rungs, and rungs printed as statements, do what they did before."""

from __future__ import annotations

import os
import re
import shutil
from itertools import product
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.helpers import checked, machine_for, upright, write_files
from tests.oracle.compare import compare
from upright_block import open_library
from upright_block.language.converting import converted, unit_text
from upright_block.language.telling.edits import laid

RANDOM_BATCHES = int(os.environ.get("UPRIGHT_LADDERS", "2"))
DEMO = Path(__file__).parents[2] / "src/upright_block/examples/demo"


def rungs(body: str, variables: str = "") -> str:
    """The rungs that a body of statements is printed as."""
    declared = "VAR_INPUT a, b, c, d : BOOL; n, m : INT; x : REAL; END_VAR\n"
    outputs = "VAR_OUTPUT q, r : BOOL; k : INT; y : REAL; w : WORD; v : ARRAY [1..3] OF BOOL; END_VAR\n"
    unit = f"FUNCTION_BLOCK B\n{declared}{outputs}VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK\n"
    scope, findings = checked(unit)
    assert [f.message for f in findings if f.severity == "error"] == []
    printed = unit_text(scope.units["B"], "ladder")
    _, again = checked(printed)
    assert [f.message for f in again if f.severity == "error"] == [], printed
    lines = printed.splitlines()[:-1]
    begin = max(number for number, line in enumerate(lines) if "END_VAR" in line)
    return "\n".join(lines[begin + 1 :]).strip("\n")


DRAWN = {
    "q := (a OR q) AND NOT b;": """
|  a     b    q  |
+-| |-+-|/|--( )-+
|  q  |          |
+-| |-+          |
""",
    "q := NOT (a AND n >= 3);": """
|  a   n     q  |
+-| |-|>=|--(/)-+
|      3        |
""",
    "IF a THEN q := TRUE; r := FALSE; END_IF": """
|  a     q  |
+-| |-+-(S)-+
|     |  r  |
|     +-(R)-+
""",
    "IF a THEN k := n; END_IF": """
|        +------+   |
|  a     | MOVE |   |
+-| |----|EN OUT|-k |
|      n-|IN    |   |
|        +------+   |
""",
    "y := x * 2.0 + 1.5;": """
|     +-----+  +-----+   |
|     | MUL |  | ADD |   |
|   x-|     |--|     |-y |
| 2.0-|     |  |     |   |
|     +-----+  |     |   |
|          1.5-|     |   |
|              +-----+   |
""",
    "late(IN := a, PT := T#1s); q := late.Q AND b;": """
|        late            |
|      +-----+           |
|  a   | TON |   b    q  |
+-| |--|IN  Q|--| |--( )-+
| T#1s-|PT   |           |
|      +-----+           |
""",
    "FOR k := 1 TO 3 DO v[k] := FALSE; END_FOR": """
| +--------------------+ |
| |         ST         | |
+-|                    | |
| | FOR k := 1 TO 3 DO | |
| |     v[k] := FALSE; | |
| | END_FOR            | |
| +--------------------+ |
""",
    "IF a THEN q := b; ELSIF n > 3 THEN k := n / m; ELSE r := TRUE; END_IF": """
|         +------+                    |
|  a      | MOVE |                    |
+-| |-+---|EN OUT|-q                  |
|     | b-|IN    |                    |
|     |   +------+                    |
|     |                               |
|     | +-----+           +-----+     |
|     | | NOT |    n      | DIV |     |
|     +-|     |-+-|>|-+---|EN   |-k   |
|       +-----+ |  3  | n-|     |     |
|               |     | m-|     |     |
|               |     |   +-----+     |
|               |     |               |
|               |     |  +-----+      |
|               |     |  | AND |   r  |
|               |     +-O|     |--(S)-+
|               +--------|     |      |
|                        +-----+      |
""",
    "IF a THEN IF v[n] THEN q := TRUE; END_IF END_IF": """
|      +----------------+ |
|  a   |       ST       | |
+-| |--|                | |
|      | IF v[n] THEN   | |
|      |     q := TRUE; | |
|      | END_IF         | |
|      +----------------+ |
""",
    "q := (a XOR b) AND (c XOR d);": """
|     +-----+  +-----+       |
|  a  | XOR |  | AND |    q  |
+-| |-|     |--|     |---( )-+
|  b  |     |  |     |       |
+-| |-|     |  |     |       |
|     +-----+  |     |       |
|              |     |       |
|     +-----+  |     |       |
|  c  | XOR |  |     |       |
+-| |-|     |--|     |       |
|  d  |     |  +-----+       |
+-| |-|     |                |
|     +-----+                |
""",
    "CASE n OF 1, 2: q := TRUE; 3..5: r := a; ELSE k := 0; END_CASE": """
|  n                          q  |
+-|=|-+----------------------(S)-+
|  1  |                          |
|  n  |                          |
+-|=|-+                          |
|  2                             |

|              +------+          |
|  n    n      | MOVE |          |
+-|>=|-|<=|----|EN OUT|-r        |
|  3    5    a-|IN    |          |
|              +------+          |

|                     +------+   |
|  n    n     n       | MOVE |   |
+-|<>|-|<>|+-|<|-+----|EN OUT|-k |
|  1    2  |  3  |  0-|IN    |   |
|          |  n  |    +------+   |
|          +-|>|-+               |
|             5                  |
""",
    "IF a THEN q := TRUE; RETURN; END_IF": """
|  a          q  |
+-| |-+------(S)-+
|     +--<RETURN>+
""",
    "q := NOT (x > 1.0);": """
|  x    q  |
+-|>|--(/)-+
| 1.0      |
""",
    "w.3 := a; q := w.%X4;": """
|  a   w.3 |
+-| |--( )-+

| w.4   q  |
+-| |--( )-+
""",
}


@pytest.mark.parametrize("body", DRAWN)
def test_statements_are_drawn(body: str) -> None:
    assert rungs(body, "late : TON;") == DRAWN[body].strip("\n")


@pytest.mark.parametrize(
    "body",
    [
        "RETURN;",
        "CASE n OF 1: ; END_CASE",
        "IF a THEN ; END_IF",
        "IF a THEN ; ELSE q := TRUE; END_IF",
        "IF a THEN RETURN; ELSE q := b; END_IF",
        "IF a THEN late(IN := v[n], PT := T#1s); END_IF",
        "k := ABS(-n);",
        "k := INT#5 + 3;",
        "q := 1;",
    ],
)
def test_what_is_drawn_is_read_again(body: str) -> None:
    assert rungs(body, "late : TON;")


LONG = {
    "a long row": "q := " + " AND ".join(["a"] * 2_000) + ";",
    "many branches": "q := " + " OR ".join(["a", "b"] * 500) + ";",
    "a long calculation": "k := " + " + ".join(["n"] * 1_000) + ";",
    "a long chain of boxes": "q := " + " XOR ".join(["a AND b"] * 1_000) + ";",
    "many ELSIF": "IF a THEN q := TRUE; " + "ELSIF b THEN q := FALSE; " * 300 + "END_IF",
}


@pytest.mark.parametrize("name", LONG)
def test_what_is_long_or_deep_is_drawn_too(name: str) -> None:
    assert len(rungs(LONG[name])) < 1_000_000


BOOLS = st.recursive(
    st.sampled_from(["a", "b", "c", "d"]),
    lambda inner: st.one_of(
        st.builds("({} {} {})".format, inner, st.sampled_from(["AND", "OR", "XOR"]), inner),
        st.builds("NOT {}".format, inner),
    ),
    max_leaves=10,
)


@given(value=BOOLS)
@settings(max_examples=60, deadline=None)
def test_an_expression_is_what_its_rung_conducts(value: str) -> None:
    head = "FUNCTION_BLOCK B VAR_INPUT a, b, c, d : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR\n"
    machines = []
    text = f"{head}q := {value};\nEND_FUNCTION_BLOCK\n"
    for form in ("", "ladder", "text", "ladder"):
        unit = checked(text)[0].units["B"]
        text = unit_text(unit, form) if form else text
        machines.append(machine_for(checked(text)[0].units["B"]))
    for bits in product((False, True), repeat=4):
        seen = []
        for machine in machines:
            for name, bit in zip("abcd", bits, strict=True):
                machine.write(name, bit)
            machine.run(1)
            seen.append(machine.read("q"))
        assert len(set(seen)) == 1, (text, bits, seen)


@pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not on this machine to compile the C twins")
@pytest.mark.parametrize("seed", range(RANDOM_BATCHES))
@pytest.mark.parametrize("forms", [["ladder"], ["ladder", "text"], ["ladder", "text", "ladder"]])
def test_random_programs_do_as_ladders_what_they_do_in_c(seed: int, forms: list[str]) -> None:
    assert compare(50_000 + seed, 5, forms=forms) == []


@pytest.mark.skipif(shutil.which("gcc") is None, reason="gcc is not on this machine to compile the C twins")
@pytest.mark.parametrize("seed", range(RANDOM_BATCHES))
def test_random_programs_do_the_same_with_rungs_that_go_on_in_others(
    seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("upright_block.language.rungs.folding.WIDEST", 30)
    assert compare(60_000 + seed, 5, forms=["ladder folded"]) == []


BLOCK = """TYPE Kind : (slow, fast); END_TYPE
// A door.
FUNCTION_BLOCK Door
VAR_INPUT
    open : BOOL;    // the button
END_VAR  // all inputs
VAR_OUTPUT
    motor : BOOL;
    kind  : Kind;
END_VAR
{keep}

    // Runs with the button.
    motor := open;  // at once
    (* two
       lines *)
    CASE kind OF
        slow: kind := fast;  // changed
        fast: kind := slow;
    END_CASE
    // the end
END_FUNCTION_BLOCK

FUNCTION_BLOCK Other VAR_OUTPUT q : BOOL; END_VAR
q := TRUE;
END_FUNCTION_BLOCK
"""


def test_a_body_is_replaced_in_place_with_its_comments(tmp_path: Path) -> None:
    folder = write_files(tmp_path, {"upright.toml": "", "blocks/door.st": BLOCK})
    done = upright("show", "Door", "--as", "ladder", "--write", "--library", folder)
    assert done.exit_code == 0, done.output
    text = (folder / "blocks/door.st").read_text()
    assert text.startswith(BLOCK[: BLOCK.index("{keep}")])
    assert text.endswith(BLOCK[BLOCK.index("\n\nFUNCTION_BLOCK Other") :])
    words = ["{keep}", "// Runs with", "// at once", "| open  ", "(* two", "lines *)", "kind_now", "// changed"]
    places = [text.index(word, text.index("{keep}")) for word in [*words, "// the end", "END_FUNCTION_BLOCK"]]
    assert places == sorted(places)
    assert "written so already" in upright("show", "Door", "--as", "ladder", "--write", "--library", folder).output
    assert "no findings" in upright("check", "--library", folder).output


STEPS = """FUNCTION_BLOCK S
VAR_INPUT go : BOOL; END_VAR
VAR_OUTPUT n, m : INT; END_VAR
INITIAL_STEP A: One(N); END_STEP
STEP B: Two(N); END_STEP
TRANSITION FROM A TO B := go; END_TRANSITION
TRANSITION FROM B TO A := NOT go; END_TRANSITION
ACTION One:
    CASE n OF 0: n := 1; 1: n := 2; ELSE n := 0; END_CASE
    IF go THEN m := 1; n := n + 1; END_IF
END_ACTION
ACTION Two:
    CASE n OF 0: n := 2; 2: n := 0; ELSE n := 2; END_CASE
    IF go THEN m := 2; n := n - 1; END_IF
END_ACTION
END_FUNCTION_BLOCK
"""


def test_actions_of_a_unit_share_its_names_whatever_they_are_turned_into() -> None:
    machines = []
    text = STEPS
    for form in ("", "ladder", "text", "ladder"):
        text = unit_text(checked(text)[0].units["S"], form) if form else text
        scope, findings = checked(text)
        assert [finding.message for finding in findings if finding.severity == "error"] == [], text
        machines.append(machine_for(scope.units["S"]))
    for go in (False, True, True, False, False, True):
        seen = set()
        for machine in machines:
            machine.write("go", go)
            machine.run(1)
            seen.add((machine.read("n"), machine.read("m")))
        assert len(seen) == 1


def test_the_example_does_as_ladders_what_it_does(tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(DEMO, folder)
    library = open_library(folder)
    units = [unit for unit in library.units if not unit.is_wired]
    for path, changed in laid(edit for unit in units for edit in converted(unit, "ladder")).items():
        (folder / path).write_text(changed.after)
    printed = upright("verify", "--library", folder).output
    assert re.search(r"36 cases: 36 good\.", printed), printed[-600:]
    assert "no findings" in upright("check", "--library", folder).output
