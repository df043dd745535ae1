"""Types with parts, places in them, and what faults there. Expected values were worked out by hand."""

from __future__ import annotations

import pytest

from tests.helpers import SECOND, checked, findings_of, machine_of
from upright_block.language.literals import Value

TYPES = """
TYPE
    Zone : (cold, mild, hot) := mild;
    Code : WORD (none := 16#0, broken := 16#8001);
    Level : INT (-10..100) := 5;
    Pair : STRUCT a : INT := 1; b : REAL; END_STRUCT;
    Row : STRUCT name : STRING[6] := 'row'; pair : Pair := (a := 7); list : ARRAY [1..3] OF INT := [2(4), 9]; END_STRUCT;
    Levels : ARRAY [1..2] OF Level;
    Again : Level;
    Preset : Pair := (a := 8, b := 2.5);
    Node : STRUCT value : INT; next : REF_TO Node; END_STRUCT;
END_TYPE
VAR_GLOBAL total : DINT := 100; END_VAR
FUNCTION Low : Level IF FALSE THEN Low := 1; END_IF END_FUNCTION
FUNCTION Swap VAR_IN_OUT a, b : INT; END_VAR VAR held : INT; END_VAR held := a; a := b; b := held; END_FUNCTION
FUNCTION MakeRow : Row VAR_INPUT n : STRING; v : INT; END_VAR VAR_OUTPUT size : INT; END_VAR
MakeRow.name := n; MakeRow.list[2] := v; size := LEN(n); END_FUNCTION
FUNCTION Sum : INT VAR_INPUT list : ARRAY [1..3] OF INT; END_VAR VAR i : INT; END_VAR
FOR i := 1 TO 3 DO Sum := Sum + list[i]; END_FOR END_FUNCTION
FUNCTION Spoil : INT VAR_INPUT list : ARRAY [1..3] OF INT; END_VAR VAR_IN_OUT same : ARRAY [1..3] OF INT; END_VAR
same[1] := 99; Spoil := list[1]; END_FUNCTION
FUNCTION Fresh : INT VAR a : ARRAY [1..2] OF INT; b : ARRAY [1..2] OF INT := [3, 4]; s : STRING[4]; END_VAR
a[1] := a[1] + 1; b[2] := b[2] + a[1]; s := CONCAT(s, 'x'); Fresh := b[2] * 10 + LEN(s); END_FUNCTION
FUNCTION_BLOCK Adder VAR_IN_OUT sum : DINT; END_VAR VAR_INPUT d : DINT := 1; END_VAR
VAR_TEMP t : INT := 3; END_VAR VAR n : INT; END_VAR t := t + 1; n := n + t; sum := sum + d; END_FUNCTION_BLOCK
"""

VALUES: list[tuple[str, str, str, Value]] = [
    ("z : Zone;", "", "z", 1),
    ("z : Zone;", "IF z = mild THEN z := Zone#hot; END_IF", "z", 2),
    ("z : Zone; n : INT;", "CASE z OF cold, hot: n := 1; mild: n := 2; END_CASE", "n", 2),
    ("c : Code := broken; w : WORD;", "w := c OR WORD#16#2; c := 5;", "w", 0x8003),
    ("l : Level;", "l := l + 1;", "l", 6),
    ("l : ARRAY [1..2] OF Level;", "", "l[2]", 5),
    ("z : ARRAY [1..2, 1..2] OF Zone;", "", "z[2,1]", 1),
    ("l : ARRAY [1..3] OF Level := [7];", "", "l[3]", 5),
    ("l : ARRAY [1..2] OF ARRAY [1..2] OF Level := [[7], [2(8)]];", "", "l[1][2]", 5),
    ("l : Levels;", "", "l[2]", 5),
    ("l : Levels := [9];", "", "l[2]", 5),
    ("l : Again;", "", "l", 5),
    ("n : INT;", "n := Low();", "n", 5),
    ("p : Preset;", "", "p.b", 2.5),
    ("p : Preset := (a := 3);", "", "p.b", 2.5),
    ("p : ARRAY [1..2] OF Preset := [(a := 3)];", "", "p[2].a", 8),
    ("r : Row;", "", "r.pair.a", 7),
    ("r : Row := (pair := (b := 2.5));", "", "r.pair.a", 1),
    ("r : Row;", "", "r.list[3]", 9),
    ("r, q : Row;", "r.list[1] := 5; q := r; r.list[1] := 6;", "q.list[1]", 5),
    ("g : ARRAY [0..1, -1..1] OF INT := [1, 2, 3, 4, 5, 6];", "", "g[1,-1]", 4),
    ("g : ARRAY [0..1, -1..1] OF INT; i : INT := 1;", "g[i, i - 1] := 8;", "g[1,0]", 8),
    ("a : ARRAY [1..2] OF ARRAY [1..2] OF INT := [[1, 2], [3, 4]]; n : INT;", "n := a[2][1];", "n", 3),
    ("rows : ARRAY [1..2] OF Row; i : INT := 2;", "rows[i].pair.a := 11;", "rows[2].pair.a", 11),
    ("a : ARRAY [1..3] OF INT := [1, 2, 3]; n : INT;", "n := Sum(a) + Sum(list := a);", "n", 12),
    ("a : ARRAY [1..3] OF INT := [1, 2, 3]; n : INT;", "n := Spoil(a, a);", "n", 1),
    ("n : INT;", "n := Fresh(); n := Fresh();", "n", 51),
    ("x : INT := 3; y : INT := 4;", "Swap(x, y);", "x", 4),
    ("a : ARRAY [1..2] OF INT := [5, 6]; i : INT := 1;", "Swap(a[i], a[i + 1]);", "a[1]", 6),
    ("r : Row; n : INT;", "r := MakeRow(n := 'abcdefghi', v := 3, size => n);", "r.name", "abcdef"),
    ("r : Row; n : INT;", "r := MakeRow(n := 'abcdefghi', v := 3, size => n);", "r.list[2]", 3),
    (
        "adds : ARRAY [1..3] OF Adder; s : DINT; i : INT;",
        "FOR i := 1 TO 3 DO adds[i](sum := s, d := INT_TO_DINT(i)); END_FOR",
        "s",
        6,
    ),
    ("a : Adder; s : DINT;", "a(sum := s); a(sum := s);", "a.n", 8),
    ("a : Adder;", "a(sum := total, d := 11);", "total", 111),
    ("n, m : INT; p : REF_TO INT;", "p := REF(n); p^ := 5; m := n + p^;", "m", 10),
    (
        "a, b : Node; p : REF_TO Node;",
        "b.value := 8; a.next := REF(b); p := REF(a); a.value := p^.next^.value;",
        "a.value",
        8,
    ),
    ("p : REF_TO INT; b : BOOL;", "b := p = NULL;", "b", True),
    ("w : WORD := 16#00FF;", "w.3 := FALSE; w.%B1 := 16#AB;", "w", 0xABF7),
    (
        "w : LWORD := 16#8000_0000_0000_0001; b, c : BOOL; d : DWORD;",
        "b := w.63; c := w.%X62; d := w.%D1;",
        "d",
        0x80000000,
    ),
    ("w : WORD; t : TON;", "t(IN := TRUE, PT := T#0s, Q => w.4);", "w", 16),
    ("s : STRING[4];", "s := CONCAT('ab', 'cd', 'ef');", "s", "abcd"),
    ("s, q : STRING := 'ab'; b : BOOL;", "b := s = q AND s < 'abc' AND 'b' > s AND s <> 'AB';", "b", True),
    ("s : WSTRING[8];", 's := "h$00E9llo";', "s", "h\u00e9llo"),
    ("c : CHAR; b : BOOL;", "c := 'x'; b := c = 'x';", "b", True),
    ("d : DT;", "d := DT#2026-03-29-23:30:00 + T#1h;", "d", 1774830600 * SECOND),
    ("t : TIME;", "t := D#2024-03-01 - D#2024-02-28;", "t", 2 * 86400 * SECOND),
    (
        "d : DATE; e : TOD; m : DT := DT#1969-12-31-23:00:00;",
        "d := DT_TO_DATE(m); e := DT_TO_TOD(m);",
        "e",
        82800 * SECOND,
    ),
    ("k : INT; n : INT;", "n := 1; {pragma} /* and */ (* a (* nested *) comment *)", "n", 1),
]


@pytest.mark.parametrize(("variables", "body", "path", "value"), VALUES)
def test_a_value_lies_where_it_belongs(variables: str, body: str, path: str, value: Value) -> None:
    machine = machine_of(f"{TYPES}FUNCTION_BLOCK B VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK")
    trace = machine.run(1)
    assert trace.fault is None, trace.fault
    assert machine.read(path) == value


FAULTS = [
    ("a : ARRAY [1..3] OF INT; i : INT := 4;", "a[i] := 1;", "index outside 1..3"),
    ("a : ARRAY [1..3] OF INT; i : INT := 0;", "i := a[i];", "index outside 1..3"),
    ("a : ARRAY [-2..2, 0..3] OF LINT; i : LINT := -3;", "i := a[i, 0];", "index outside -2..2"),
    (
        "a : ARRAY [-10..100] OF INT; l : Level;",
        "FOR l := 99 TO 100 DO a[l] := 1; END_FOR\na[l] := 2;",
        "index outside -10..100",
    ),
    ("a : ARRAY [1..3] OF INT; i : INT;", "FOR i := 1 TO 3 DO a[i] := i; END_FOR\na[i] := 2;", "index outside 1..3"),
    ("a : ARRAY [1..3] OF INT; i, n : INT := 1;", "n := a[i]; i := 4; n := a[i];", "index outside 1..3"),
    (
        "a : ARRAY [1..3] OF INT; i, n : INT := 1;",
        "WHILE TRUE DO n := a[i]; i := i + 1; END_WHILE",
        "index outside 1..3",
    ),
    (
        "a : ARRAY [1..3] OF INT; i, n : INT := 4; b : BOOL;",
        "IF b THEN n := a[i]; END_IF; n := a[i];",
        "index outside 1..3",
    ),
    (
        "a : ARRAY [1..3] OF INT; i, n : INT := 4; b : BOOL;",
        "IF b THEN i := 1; ELSIF a[1] = i THEN n := 1; ELSE n := a[i]; END_IF",
        "index outside 1..3",
    ),
    (
        "a : ARRAY [1..3] OF INT; i : INT := 3; n : INT;",
        "n := a[i]; CASE n OF 0: i := 9; 1: n := 2; END_CASE; n := a[i];",
        "index outside 1..3",
    ),
    (
        "a : ARRAY [1..3] OF INT; u : USINT := 255; n : INT;",
        "n := a[u + USINT#3 - USINT#1 + USINT#3];",
        "index outside 1..3",
    ),
    ("a : ARRAY [0..9] OF INT; i : INT := -15;", "i := a[i MOD 10];", "index outside 0..9"),
    ("a : ARRAY [0..3] OF INT; i : ULINT := 16#1_0000_0001;", "a[i] := 1;", "index outside 0..3"),
    ("l : Level := 100;", "l := l + 1;", "value outside -10..100"),
    ("p : REF_TO INT;", "p^ := 1;", "reference to nothing"),
    ("n : Node;", "n.value := n.next^.value;", "reference to nothing"),
    ("k : INT := 3; n : INT;", "n := MUX(k, 1, 2, 3);", "choice outside 0..2"),
    ("k : INT := -1; w : WORD;", "w := SHL(w, k);", "shift by less than 0"),
]


@pytest.mark.parametrize(("variables", "body", "kind"), FAULTS)
def test_what_cannot_be_done_stops_the_scan_with_its_place(variables: str, body: str, kind: str) -> None:
    text = f"{TYPES}FUNCTION_BLOCK B VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK"
    fault = machine_of(text).run(3).fault
    assert fault is not None
    assert (fault.site.kind, fault.scan, fault.site.line) == (kind, 0, text.count("\n"))


FINDINGS = [
    ("a : ARRAY [3..1] OF INT;", "", "empty-range"),
    ("a : ARRAY [1..3] OF INT;", "a[4] := 1;", "out-of-range"),
    ("a : ARRAY [1..3] OF INT;", "a[1, 2] := 1;", "wrong-index"),
    ("a : ARRAY [1..3] OF INT;", "a[1.5] := 1;", "type-mismatch"),
    ("a : ARRAY [1..3] OF INT := [1, 2, 3, 4];", "", "too-many-values"),
    ("a : ARRAY [3] OF INT;", "", "missing-bound"),
    ("a : INT;", "a[1] := 1;", "no-array"),
    ("r : Row;", "r.nam := 'x';", "unknown-name"),
    ("r : Row := (nme := 'x');", "", "unknown-name"),
    ("r : Row := 5;", "", "type-mismatch"),
    ("z : Zone;", "z := 1;", "type-mismatch"),
    ("z : Zone;", "z := Zone#warm;", "unknown-name"),
    ("z : Zone; b : BOOL;", "b := z < hot;", "type-mismatch"),
    ("l : Level;", "l := 101;", "out-of-range"),
    ("s : STRING[3];", "s := 'abcd';", "out-of-range"),
    ("s : STRING[3];", 's := "abc";', "type-mismatch"),
    ("s : STRING;", "s := s + 'x';", "type-mismatch"),
    ("s : STRING := 'a$Zb';", "", "bad-literal"),
    ("d : DATE := D#2026-02-30;", "", "bad-literal"),
    ("d, e : DATE;", "d := d + e;", "type-mismatch"),
    ("n : INT; p : REF_TO INT;", "p := n;", "type-mismatch"),
    ("n : INT;", "n^ := 1;", "no-reference"),
    ("p : REF_TO Row;", "p.name := 'x';", "missing-dereference"),
    ("n : INT;", "n.3 := TRUE;", "no-parts"),
    ("w : WORD;", "w.16 := TRUE;", "out-of-range"),
    ("x : INT;", "Swap(x, 5);", "no-place"),
    ("x : INT; y : DINT;", "Swap(x, y);", "type-mismatch"),
    ("x : INT;", "Swap(a := x);", "missing-pin"),
    ("a : Adder;", "a(d := 1);", "missing-pin"),
    ("a : Adder; s : DINT;", "s := a.t;", "private-data"),
]


@pytest.mark.parametrize(("variables", "body", "name"), FINDINGS)
def test_a_mistake_about_data_is_found_once(variables: str, body: str, name: str) -> None:
    found = checked(f"{TYPES}FUNCTION_BLOCK B VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK")[1]
    assert [f.name for f in found] == [name]
    assert found[0].way_out


DECLARATIONS = [
    ("TYPE A : STRUCT b : A; END_STRUCT; END_TYPE", "recursion"),
    ("TYPE A : STRUCT b : B; END_STRUCT; B : ARRAY [1..2] OF A; END_TYPE", "recursion"),
    ("TYPE A : STRUCT n : INT; n : REAL; END_STRUCT; END_TYPE", "name-twice"),
    ("TYPE A : INT; END_TYPE TYPE A : REAL; END_TYPE", "name-twice"),
    ("TYPE INT : REAL; END_TYPE", "name-taken"),
    ("TYPE A : (one, two, one); END_TYPE", "name-twice"),
    ("TYPE A : STRUCT n : INT; END_TYPE", "missing-end"),
    ("TYPE A : REAL (1..5); END_TYPE", "type-mismatch"),
    ("VAR_GLOBAL g : INT; g : INT; END_VAR", "name-twice"),
    ("FUNCTION_BLOCK B VAR_EXTERNAL g : INT; END_VAR END_FUNCTION_BLOCK", "unknown-name"),
    ("VAR_GLOBAL g : INT; END_VAR FUNCTION_BLOCK B VAR_EXTERNAL g : REAL; END_VAR END_FUNCTION_BLOCK", "type-mismatch"),
    (
        "TYPE A : (one, two); C : (two, three); END_TYPE FUNCTION_BLOCK B VAR b : BOOL; END_VAR b := two = two; END_FUNCTION_BLOCK",
        "ambiguous-value",
    ),
    (
        "FUNCTION_BLOCK A VAR s : (idle, busy); END_VAR s := busy; END_FUNCTION_BLOCK "
        "FUNCTION_BLOCK B VAR b : BOOL; END_VAR b := idle = busy; END_FUNCTION_BLOCK",
        "unknown-name",
    ),
    ("PROGRAM P END_PROGRAM CONFIGURATION C END_CONFIGURATION", "no-task"),
    (
        "PROGRAM P END_PROGRAM CONFIGURATION C TASK t (PRIORITY := 1); PROGRAM p WITH t : P; END_CONFIGURATION",
        "missing-interval",
    ),
    ("CONFIGURATION C TASK t (INTERVAL := T#1s); PROGRAM p WITH t : Q; END_CONFIGURATION", "unknown-name"),
    ("CONFIGURATION C RESOURCE r ON cpu END_CONFIGURATION", "missing-end"),
]


@pytest.mark.parametrize(("text", "name"), DECLARATIONS)
def test_a_mistake_in_a_declaration_is_found_once(text: str, name: str) -> None:
    assert [f.split()[1] for f in findings_of(text)] == [name]


def test_a_program_in_a_task_needs_no_finding() -> None:
    text = "PROGRAM P END_PROGRAM\nCONFIGURATION C\nRESOURCE r ON cpu\nTASK t (INTERVAL := T#10ms, PRIORITY := 1);\n"
    assert findings_of(text + "PROGRAM p WITH t : P;\nEND_RESOURCE\nEND_CONFIGURATION") == []


def test_global_instances_and_constants_serve_every_unit() -> None:
    text = """
    VAR_GLOBAL CONSTANT COUNT : INT := 3; START : Mode := fast; END_VAR
    VAR_GLOBAL t : Timers; c : CTU; many : ARRAY [1..COUNT] OF Sums; END_VAR
    TYPE Mode : (slow, fast); Timers : STRUCT a : TON; n : ARRAY [1..COUNT] OF INT; END_STRUCT; END_TYPE
    FUNCTION_BLOCK Sums VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR VAR i : INT; END_VAR
    FOR i := 1 TO 3 DO y := y + x; END_FOR END_FUNCTION_BLOCK
    FUNCTION_BLOCK A VAR r : REF_TO Sums; END_VAR
    t.a(IN := TRUE, PT := T#5s); c(CU := t.a.ET > T#0s, PV := COUNT); many[2](x := 5);
    r := REF(many[3]); r^(x := 2); END_FUNCTION_BLOCK
    FUNCTION_BLOCK B VAR a : A; n : INT; e : TIME; m : Mode := START; END_VAR
    a(); e := t.a.ET; n := c.CV + many[2].y * 10 + many[3].y * 1000; END_FUNCTION_BLOCK
    """
    machine = machine_of(text)
    assert machine.run(2).fault is None
    assert [machine.read(p) for p in ("e", "n", "m", "t.a.ET", "many[3].y")] == [SECOND, 12301, 1, SECOND, 12]


MODES = """
TYPE Vent : (shut, open); Door : (open, closed, shut); END_TYPE
NAMESPACE Roof TYPE Flap : (stuck, shut); END_TYPE
FUNCTION Level : INT VAR_INPUT f : Flap; END_VAR IF f = shut THEN Level := 7; END_IF; END_FUNCTION
END_NAMESPACE
FUNCTION_BLOCK Pump
VAR_INPUT ask : (rest, run); END_VAR VAR_OUTPUT state : (idle, run, rest); END_VAR
IF ask = run THEN state := run; ELSE state := rest; END_IF;
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("body", "value"),
    [
        ("d := shut; CASE d OF open: n := 1; shut: n := 2; END_CASE;", 2),
        ("v := open; IF v = open AND shut <> v THEN n := 3; END_IF;", 3),
        ("own := run; IF own = run THEN n := 4; END_IF;", 4),
        ("p(ask := run); IF p.state = run THEN n := 5; END_IF;", 5),
        ("n := Roof.Level(shut);", 7),
        ("d := SEL(TRUE, Door#shut, Door#open); IF d = open THEN n := 6; END_IF;", 6),
    ],
)
def test_a_bare_name_is_a_value_of_what_stands_beside_it(body: str, value: int) -> None:
    text = f"{MODES}FUNCTION_BLOCK B VAR v : Vent; d : Door; own : (halt, run, idle); p : Pump; n : INT; END_VAR {body} END_FUNCTION_BLOCK"
    machine = machine_of(text)
    assert machine.run(1).fault is None
    assert machine.read("n") == value
