"""Values that are reached by more than one way: what lies in a local must not go stale."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

from tests.helpers import ROOT, block, checked, machine_of
from upright_block.compiler.flow import pinned_variables
from upright_block.compiler.layout import alignment_of, initial_of, layout_of, size_of
from upright_block.compiler.linking import build_artifact
from upright_block.compiler.program import make_program
from upright_block.language.literals import Value
from upright_block.language.signals import NoSignal, find_signal, signals
from upright_block.language.types import BOOL, INT, LREAL, array_type, string_type

ALIASES: list[tuple[str, str, str, Value]] = [
    (
        "a child writes what its caller holds",
        "FUNCTION_BLOCK C VAR_IN_OUT x : INT; END_VAR x := x + 1; END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK B VAR c : C; n, r : INT; END_VAR n := 5; c(x := n); n := n * 2; c(x := n); r := n; END_FUNCTION_BLOCK",
        "r",
        13,
    ),
    (
        "a child keeps a reference",
        "FUNCTION_BLOCK C VAR_INPUT p : REF_TO INT; END_VAR p^ := p^ + 1; END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK B VAR c : C; n, r : INT; END_VAR n := 5; c(p := REF(n)); n := n * 2; c(); r := n; END_FUNCTION_BLOCK",
        "r",
        13,
    ),
    (
        "a function writes a global that its caller reads",
        "VAR_GLOBAL g : INT; END_VAR FUNCTION F : INT g := g + 1; F := g; END_FUNCTION "
        "FUNCTION_BLOCK B VAR r : INT; END_VAR g := 10; r := g + F() * 100 + g * 1000; END_FUNCTION_BLOCK",
        "r",
        12110,
    ),
    (
        "a method writes what the body holds",
        "FUNCTION_BLOCK B VAR n, r : INT; END_VAR METHOD Up n := n + 1; END_METHOD "
        "n := 5; Up(); n := n * 2; THIS.Up(); r := n; END_FUNCTION_BLOCK",
        "r",
        13,
    ),
    (
        "a child calls back by an interface",
        "INTERFACE I METHOD Up END_METHOD END_INTERFACE "
        "FUNCTION_BLOCK C VAR_INPUT back : I; END_VAR back.Up(); END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK B IMPLEMENTS I VAR c : C; n, r : INT; END_VAR METHOD PUBLIC Up n := n + 1; END_METHOD "
        "n := 5; c(back := THIS); n := n * 2; c(back := THIS); r := n; END_FUNCTION_BLOCK",
        "r",
        13,
    ),
    (
        "one variable for both in-outs",
        "FUNCTION F : INT VAR_IN_OUT a, b : INT; END_VAR a := a + 1; b := b + 1; F := a; END_FUNCTION "
        "FUNCTION_BLOCK B VAR n, r : INT; END_VAR n := 5; r := F(n, n); END_FUNCTION_BLOCK",
        "r",
        7,
    ),
    (
        "an input is a copy even when its source changes",
        "TYPE T : STRUCT n : INT; END_STRUCT; END_TYPE "
        "FUNCTION F : INT VAR_INPUT t : T; END_VAR VAR_IN_OUT u : T; END_VAR u.n := 9; F := t.n; END_FUNCTION "
        "FUNCTION_BLOCK B VAR t : T; r : INT; END_VAR t.n := 3; r := F(t, t); END_FUNCTION_BLOCK",
        "r",
        3,
    ),
    (
        "a text is assigned to from itself",
        "FUNCTION_BLOCK B VAR s : STRING[12] := 'abc'; END_VAR s := CONCAT(RIGHT(s, 2), s, LEFT(s, 1)); END_FUNCTION_BLOCK",
        "s",
        "bcabca",
    ),
    (
        "texts of nested calls do not share their room",
        "FUNCTION F : STRING[8] VAR_INPUT s : STRING[8]; END_VAR F := CONCAT(s, s); END_FUNCTION "
        "FUNCTION_BLOCK B VAR s : STRING[40]; END_VAR s := CONCAT(F('a'), F(F('b')), F('c')); END_FUNCTION_BLOCK",
        "s",
        "aabbbbcc",
    ),
    (
        "an array is moved within itself",
        "FUNCTION_BLOCK B VAR a : ARRAY [1..3] OF ARRAY [1..2] OF INT := [[1, 2], [3, 4], [5, 6]]; END_VAR "
        "a[1] := a[2]; a[2] := a[3]; END_FUNCTION_BLOCK",
        "a[1,1]",
        3,
    ),
    (
        "an output goes where the input came from",
        "FUNCTION_BLOCK C VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR y := x * 2; END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK B VAR c : C; n : INT := 4; END_VAR c(x := n, y => n); c(x := n, y => n); END_FUNCTION_BLOCK",
        "n",
        16,
    ),
    (
        "an index is read before an output changes it, in every scan",
        "FUNCTION Two : INT VAR_OUTPUT o : INT; END_VAR o := 2; Two := 7; END_FUNCTION "
        "FUNCTION_BLOCK B VAR a : ARRAY [1..3] OF INT; i : INT := 3; END_VAR a[i] := Two(o => i); END_FUNCTION_BLOCK",
        "a[3]",
        7,
    ),
    (
        "so is that of a part of a word",
        "FUNCTION Two : BOOL VAR_OUTPUT o : INT; END_VAR o := 2; Two := TRUE; END_FUNCTION "
        "FUNCTION_BLOCK B VAR a : ARRAY [1..3] OF WORD; i : INT := 3; END_VAR a[i].4 := Two(o => i); END_FUNCTION_BLOCK",
        "a[3]",
        16,
    ),
    (
        "arguments of a standard function are computed from left to right",
        "FUNCTION Two : INT VAR_OUTPUT o : INT; END_VAR o := 2; Two := 7; END_FUNCTION "
        "FUNCTION_BLOCK B VAR i : INT := 3; r : INT; END_VAR "
        "r := LIMIT(i, Two(o => i), i * 5) + SEL(i = 2, 0, Two(o => i)) * 100 + MUX(0, i, Two(o => i)) * 10000; END_FUNCTION_BLOCK",
        "r",
        20707,
    ),
    (
        "outputs are taken in the order of the function, whatever that of the call",
        "FUNCTION F : INT VAR_OUTPUT o, p : INT; END_VAR o := 8; p := 2; F := 1; END_FUNCTION "
        "FUNCTION_BLOCK B VAR a : ARRAY [1..3] OF INT; i : INT := 3; r : INT; END_VAR r := F(p => i, o => a[i]); END_FUNCTION_BLOCK",
        "a[3]",
        8,
    ),
    (
        "an index is read before the call that changes it",
        "FUNCTION Up : INT VAR_IN_OUT i : INT; END_VAR i := i + 1; Up := i; END_FUNCTION "
        "FUNCTION_BLOCK B VAR a : ARRAY [1..3] OF INT; i : INT := 1; END_VAR a[i] := Up(i) * 10 + i; END_FUNCTION_BLOCK",
        "a[1]",
        22,
    ),
]


@pytest.mark.parametrize(("what", "text", "path", "value"), ALIASES, ids=[what for what, *_ in ALIASES])
def test_a_value_is_what_was_written_last(what: str, text: str, path: str, value: Value) -> None:
    machine = machine_of(text)
    trace = machine.run(1)
    assert trace.fault is None
    found = machine.read(path.replace("a[1,1]", "a[1][1]"))
    assert found == value


def test_only_what_others_know_the_address_of_is_pinned() -> None:
    scope = checked(ALIASES[0][1])[0]
    names = {v.name for v in pinned_variables(scope.units.values())}
    assert names == {"n"}


# --- layout of types with parts ---

PARTS = """
TYPE Pair : STRUCT flag : BOOL; big : LREAL; END_STRUCT; Row : STRUCT pairs : ARRAY [0..2] OF Pair; name : STRING[5]; END_STRUCT; END_TYPE
VAR_GLOBAL wind : LREAL := 2.5; END_VAR
FUNCTION_BLOCK Leaf VAR_INPUT x : BOOL; END_VAR VAR n : INT := 7; END_VAR END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR_IN_OUT io : Row; END_VAR
VAR b : BOOL; row : Row; leaves : ARRAY [1..2, 0..1] OF Leaf; text : WSTRING[3]; END_VAR
wind := wind + 1.0; leaves[1, 0](x := b);
END_FUNCTION_BLOCK
"""


def test_sizes_are_multiples_of_alignments() -> None:
    unit = checked(PARTS)[0].units["B"]
    for variable in unit.variables.values():
        assert size_of(variable.type) % alignment_of(variable.type) == 0
        assert len(initial_of(variable.type, variable.initial)) == size_of(variable.type)
    assert size_of(array_type(INT, ((1, 3), (0, 1)))) == 12
    assert (size_of(string_type(1, 5)), size_of(string_type(2, 3))) == (12, 12)
    assert (alignment_of(BOOL), alignment_of(array_type(LREAL, ((1, 1),)))) == (1, 8)


def test_no_two_values_share_a_byte_and_each_is_aligned() -> None:
    unit = checked(PARTS)[0].units["B"]
    taken: set[int] = set()
    program = make_program(unit)
    for slot in map(program.slot, signals(unit)):
        places = set(range(slot.offset, slot.offset + size_of(slot.type)))
        assert not places & taken, slot.path
        assert slot.offset % alignment_of(slot.type) == 0, slot.path
        taken |= places
    assert max(taken) < len(program.initial)


@pytest.mark.parametrize(
    ("path", "shown"),
    [
        ("ROW.Pairs[2].BIG", "row.pairs[2].big"),
        ("leaves[ 2 , 1 ].n", "leaves[2,1].n"),
        ("io.name", "io.name"),
        ("wind", "wind"),
        ("text", "text"),
    ],
)
def test_a_path_is_found_and_shown_as_declared(path: str, shown: str) -> None:
    assert find_signal(checked(PARTS)[0].units["B"], path).path == shown


@pytest.mark.parametrize(
    ("path", "start"),
    [
        ("rwo", 0),
        ("row.pairs[3].big", 9),
        ("row.pairs.big", 10),
        ("leaves[1].n", 6),
        ("b.x", 2),
        ("row..name", 3),
        ("leaves[1,x].n", 6),
        ("io.pairs[0].bigger", 12),
        ("", 0),
        ("row.io", 4),
    ],
)
def test_a_path_that_leads_nowhere_says_where_it_ends(path: str, start: int) -> None:
    unit = checked(PARTS)[0].units["B"]
    with pytest.raises(NoSignal) as caught:
        find_signal(unit, path)
    assert caught.value.start == start


def test_an_address_leads_back_to_an_instance_in_an_array() -> None:
    scope = checked(PARTS)[0]
    unit, leaf = scope.units["B"], scope.units["LEAF"]
    program = make_program(unit)
    start = layout_of(program.root).offsets[program.inside] + layout_of(unit).offsets[unit.variables["LEAVES"]]
    size = layout_of(leaf).size
    artifact = build_artifact(program)
    (number,) = (name.number for name in artifact.units if name.key == "LEAF")
    assert [artifact.held.path_to(start + k * size, number) for k in range(4)] == [
        "leaves[1,0]",
        "leaves[1,1]",
        "leaves[2,0]",
        "leaves[2,1]",
    ]
    assert artifact.held.path_to(start + 1, number) is None


def test_what_is_inherited_lies_first() -> None:
    text = "CLASS A VAR n : INT; END_VAR END_CLASS CLASS C EXTENDS A VAR l : LREAL; END_VAR END_CLASS"
    scope = checked(text)[0]
    base, derived = layout_of(scope.units["A"]), layout_of(scope.units["C"])
    n = scope.units["A"].variables["N"]
    assert base.offsets[n] == derived.offsets[n]
    assert base.initial[:4] != derived.initial[:4]


@pytest.mark.parametrize(
    ("shared", "own", "call", "path"),
    [
        ("", "i : INT; rows : ARRAY [1..3] OF A;", "FOR i := 1 TO 3 DO rows[i](k := 2 - i); END_FOR", "rows[2]"),
        ("rows : ARRAY [1..3] OF A; one : A;", "", "rows[3](k := r);", "rows[3]"),
        ("rows : ARRAY [1..3] OF A; one : A;", "", "one(k := r);", "one"),
        ("", "c : C;", "c.Divide();", "c"),
    ],
)
def test_a_fault_is_placed_in_its_instance(shared: str, own: str, call: str, path: str) -> None:
    text = (
        "FUNCTION_BLOCK A VAR_INPUT k : INT; END_VAR VAR n : INT; END_VAR n := 10 / k; END_FUNCTION_BLOCK "
        "CLASS C VAR k : INT; END_VAR METHOD PUBLIC Divide k := 10 / k; END_METHOD END_CLASS "
        f"VAR_GLOBAL {shared} END_VAR " + block(f"r : INT; {own}", call)
    )
    fault = machine_of(text).run(1).fault
    assert fault is not None
    assert (fault.site.kind, fault.instance) == ("division by zero", path)


def test_the_same_text_gives_the_same_module_in_every_process() -> None:
    """Nothing may hang on the order of a set, which differs from process to process."""
    program = (
        "import sys, hashlib; from tests.language.test_objects import HOUSE, NAMES; "
        "from tests.compiler.test_memory import ALIASES, PARTS; from tests.helpers import checked; "
        "from upright_block.compiler.linking import build_artifact; from upright_block.compiler.program import make_program; "
        "texts = [NAMES, PARTS, *(text for _, text, *_ in ALIASES), HOUSE + 'FUNCTION_BLOCK B VAR p : Pump; f : Fan; r : Runs; "
        "n : INT; b : BOOL; END_VAR r := p; b := r.Start(5); n := r.Speed() + SpeedOf(f); END_FUNCTION_BLOCK']; "
        "print(hashlib.sha256(''.join(build_artifact(make_program(checked(t)[0].units['B'])).text for t in texts).encode()).hexdigest())"
    )
    digests = {
        subprocess.run(
            [sys.executable, "-c", program],
            env=os.environ | {"PYTHONHASHSEED": seed},
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        for seed in "123"
    }
    assert len(digests) == 1
    assert len(digests.pop().strip()) == 64


# --- characters of a text ---

SHOUT = """
FUNCTION Shout VAR_IN_OUT s : STRING[20]; END_VAR VAR i : DINT; END_VAR
FOR i := 1 TO LEN(s) DO
    IF s[i] >= 'a' AND s[i] <= 'z' THEN s[i] := BYTE_TO_CHAR(CHAR_TO_BYTE(s[i]) XOR 16#20); END_IF;
END_FOR;
END_FUNCTION
FUNCTION Mark VAR_IN_OUT c : CHAR; END_VAR c := '#'; END_FUNCTION
"""
TEXT = "s : STRING[20] := 'glass house'; w : WSTRING[5] := \"wide\"; a : ARRAY [0..2] OF STRING[4] := ['one', 'two', 'six']; k, n : INT := 3;"


@pytest.mark.parametrize(
    ("body", "path", "value"),
    [
        ("Shout(s);", "s", "GLASS HOUSE"),
        ("s[1] := s[n];", "s", "alass house"),
        ("w[4] := w[1];", "w", "widw"),
        ("a[2][LINT#3] := 'r'; s[USINT#11] := 'r';", "a[2]", "sir"),
        ("Mark(s[n]);", "s", "gl#ss house"),
        ("CASE s[n] OF 'b'..'z': k := 1; 'a': k := 2; END_CASE;", "k", 2),
        ("IF s[2] = 'l' AND s[2] < s[3 + 2] THEN k := 9; END_IF;", "k", 9),
    ],
)
def test_a_character_of_a_text_is_a_place(body: str, path: str, value: Value) -> None:
    machine = machine_of(SHOUT + block(TEXT, body))
    assert machine.run(1).fault is None
    assert machine.read(path) == value


@pytest.mark.parametrize(
    "index",
    ["LINT#0", "LINT#-1", "LINT#12", "LINT#16#1_0000_0001", "DINT#-2147483648", "UDINT#16#FFFF_FFFF", "USINT#12"],
)
@pytest.mark.parametrize("body", ["c := s[i];", "s[i] := 'x';"])
def test_a_character_outside_a_text_is_a_fault(index: str, body: str) -> None:
    type_ = index.partition("#")[0]
    machine = machine_of(block(f"{TEXT} c : CHAR; i : {type_} := {index};", body))
    fault = machine.run(1).fault
    assert fault is not None
    assert (fault.site.kind, machine.read("s")) == ("index outside the text", "glass house")


# --- arrays of any length ---

OPEN = """
TYPE Bed : STRUCT wet, dry : INT; END_STRUCT; END_TYPE
FUNCTION Sum : LINT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR VAR i : DINT; END_VAR
FOR i := LOWER_BOUND(a, 1) TO UPPER_BOUND(ARR := a, DIM := 1) DO Sum := Sum + a[i]; END_FOR;
END_FUNCTION
FUNCTION Twice : LINT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR
Twice := 2 * Sum(a); a[LOWER_BOUND(a, 1)] := 7;
END_FUNCTION
FUNCTION Number VAR_IN_OUT m : ARRAY [*, *] OF INT; END_VAR VAR i, j : DINT; END_VAR
FOR i := LOWER_BOUND(m, 1) TO UPPER_BOUND(m, 1) DO
    FOR j := LOWER_BOUND(m, 2) TO UPPER_BOUND(m, 2) DO m[i, j] := DINT_TO_INT(10 * i + j); END_FOR;
END_FOR;
END_FUNCTION
FUNCTION Water : INT VAR_INPUT k : ULINT; END_VAR VAR_IN_OUT b : ARRAY [*] OF Bed; END_VAR
Water := b[k].wet; b[k].dry := 5;
END_FUNCTION
FUNCTION_BLOCK Tick VAR_OUTPUT n : INT; END_VAR n := n + 1; END_FUNCTION_BLOCK
FUNCTION_BLOCK Bank
VAR_IN_OUT t : ARRAY [*] OF Tick; a : ARRAY [*] OF INT; END_VAR
VAR i : DINT; END_VAR
METHOD PUBLIC Total : LINT Total := Sum(a); END_METHOD
FOR i := LOWER_BOUND(t, 1) TO UPPER_BOUND(t, 1) DO t[i](); END_FOR;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Outer
VAR_IN_OUT t : ARRAY [*] OF Tick; END_VAR
VAR b : Bank; own : ARRAY [-2..-1] OF INT := [4, 6]; END_VAR
VAR_OUTPUT n : LINT; END_VAR
b(t := t, a := own); n := UPPER_BOUND(t, 1) * 100 + b.Total();
END_FUNCTION_BLOCK
"""
OPEN_DATA = """a : ARRAY [2..5] OF INT := [1, 2, 3, 6]; one : ARRAY [-9..-9] OF INT := [5]; m : ARRAY [-1..1, 2..3] OF INT; beds : ARRAY [0..2] OF Bed := [(wet := 4), (wet := 8)];
ticks : ARRAY [3..5] OF Tick; few : ARRAY [1..1] OF Tick; rows : ARRAY [1..2] OF Outer; r, s : LINT;"""


@pytest.mark.parametrize(
    ("body", "values"),
    [
        ("r := Sum(a); s := Sum(one);", {"r": 12, "s": 5}),
        ("r := Twice(a); s := Sum(a);", {"r": 24, "s": 18, "a[2]": 7}),
        ("Number(m);", {"m[-1,2]": -8, "m[0,3]": 3, "m[1,2]": 12}),
        ("r := Water(k := 1, b := beds);", {"r": 8, "beds[1].dry": 5}),
        (
            "rows[1](t := ticks, n => r); rows[2](t := few, n => s);",
            {"r": 510, "s": 110, "ticks[5].n": 1, "few[1].n": 1},
        ),
        ("rows[1](t := ticks); rows[2](t := few); r := rows[1].n;", {"r": 510}),
        ("r := LOWER_BOUND(m, 2) * 10 + UPPER_BOUND(a, 1);", {"r": 25}),
    ],
)
def test_an_array_of_any_length_goes_to_an_in_out(body: str, values: dict[str, int]) -> None:
    machine = machine_of(OPEN + block(OPEN_DATA, body))
    trace = machine.run(1)
    assert trace.fault is None, trace.fault
    assert {path: machine.read(path) for path in values} == values


INDEXED = "FUNCTION Taken : INT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR VAR_INPUT i : {0}; END_VAR Taken := a[i]; END_FUNCTION "


@pytest.mark.parametrize("bounds", ["1..4", "-1..2"])
@pytest.mark.parametrize("call", ["a[i]", "Taken(a, i)"])
@pytest.mark.parametrize(
    ("type_", "index"),
    [
        ("INT", 1),
        ("USINT", 2),
        ("LINT", -1),
        ("INT", 0),
        ("INT", 5),
        ("INT", -32768),
        ("UINT", 65535),
        ("DINT", -(1 << 31)),
        ("UDINT", (1 << 32) - 1),
        ("LINT", (1 << 32) + 1),
        ("ULINT", (1 << 64) - 1),
        ("LINT", -(1 << 63)),
    ],
)
def test_an_index_of_any_type_reaches_its_element_or_is_a_fault(type_: str, index: int, call: str, bounds: str) -> None:
    text = block(f"a : ARRAY [{bounds}] OF INT := [10, 11, 12, 13]; i : {type_} := {index}; r : INT;", f"r := {call};")
    machine = machine_of(INDEXED.format(type_) + text)
    fault = machine.run(1).fault
    low, high = (int(bound) for bound in bounds.split(".."))
    if low <= index <= high:
        assert (fault, machine.read("r")) == (None, 10 + index - low)
    else:
        assert fault is not None
        assert fault.site.kind.startswith("index outside")


def test_a_function_beyond_all_measure_runs_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    text = block(
        "n, r : INT;", "CASE n OF " + " ".join(f"{k}: r := r + {k};" for k in range(50)) + " END_CASE n := n + 1;"
    )
    usual = machine_of(text)
    monkeypatch.setattr("upright_block.compiler.linking._LARGE", 10)
    large = machine_of(text)
    assert (usual.artifact.is_large, large.artifact.is_large) == (False, True)
    for machine in (usual, large):
        machine.run(50)
    assert usual.read("r") == large.read("r") == sum(range(50))


def test_an_index_known_to_be_below_zero_reaches_large_elements() -> None:
    text = "TYPE Row : STRUCT a : ARRAY [0..999] OF LINT; n : LINT; END_STRUCT; END_TYPE "
    body = (
        "FOR i := -5 TO 5 DO rows[i].n := rows[i].n + i; END_FOR FOR i := 3 TO 9 DO high[i].n := high[i].n + i; END_FOR"
    )
    machine = machine_of(text + block("rows : ARRAY [-5..5] OF Row; high : ARRAY [3..9] OF Row; i : INT;", body))
    assert machine.run(2).fault is None
    assert [machine.read(f"rows[{i}].n") for i in range(-5, 6)] == [2 * i for i in range(-5, 6)]
    assert [machine.read(f"high[{i}].n") for i in range(3, 10)] == [2 * i for i in range(3, 10)]
