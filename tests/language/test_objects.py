"""Classes, interfaces, methods and inheritance. IEC 61131-3:2013, 6.6.5 to 6.6.7."""

from __future__ import annotations

import pytest

from tests.helpers import checked, machine_of

HOUSE = """
INTERFACE Runs
METHOD Start : BOOL VAR_INPUT speed : INT; END_VAR END_METHOD
METHOD Speed : INT END_METHOD
END_INTERFACE
FUNCTION_BLOCK ABSTRACT Drive IMPLEMENTS Runs
VAR_OUTPUT on : BOOL; END_VAR
VAR now : INT; starts : INT; END_VAR
METHOD PUBLIC Start : BOOL VAR_INPUT speed : INT; END_VAR
now := Clip(speed); starts := starts + 1; on := TRUE; Start := now > 0;
END_METHOD
METHOD PUBLIC Speed : INT Speed := now; END_METHOD
METHOD PROTECTED ABSTRACT Clip : INT VAR_INPUT v : INT; END_VAR END_METHOD
starts := starts + 100;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Fan EXTENDS Drive
VAR sum : DINT; END_VAR
METHOD OVERRIDE Clip : INT VAR_INPUT v : INT; END_VAR Clip := LIMIT(0, v, 100); END_METHOD
SUPER(); sum := sum + THIS.Speed();
END_FUNCTION_BLOCK
FUNCTION_BLOCK Pump EXTENDS Drive
METHOD OVERRIDE Clip : INT VAR_INPUT v : INT; END_VAR Clip := v / 2; END_METHOD
METHOD PUBLIC OVERRIDE Speed : INT Speed := SUPER.Speed() + 1000; END_METHOD
END_FUNCTION_BLOCK
CLASS Counter
VAR PUBLIC n : INT; END_VAR
METHOD PUBLIC Up VAR_INPUT d : INT := 1; END_VAR VAR_OUTPUT now : INT; END_VAR n := n + d; now := n; END_METHOD
END_CLASS
CLASS Keeper
VAR PUBLIC n : INT; END_VAR
VAR p : REF_TO INT; END_VAR
METHOD PUBLIC Keep p := REF(n); END_METHOD
METHOD PUBLIC Kept : INT Kept := p^; END_METHOD
END_CLASS
FUNCTION SpeedOf : INT VAR_IN_OUT d : Drive; END_VAR SpeedOf := d.Speed(); END_FUNCTION
"""

VALUES = [
    ("f : Fan; b : BOOL; n : INT;", "b := f.Start(150); n := f.Speed();", "n", 100),
    ("r : Runs; p : Pump; b : BOOL; n : INT;", "r := p; b := r.Start(speed := 150); n := r.Speed();", "n", 1075),
    ("f : Fan; b : BOOL;", "b := f.Start(7); f(); f();", "f.starts", 201),
    ("f : Fan; b : BOOL;", "b := f.Start(7); f(); f();", "f.sum", 14),
    ("p : Pump; f : Fan; n : INT;", "n := SpeedOf(p) * 10 + SpeedOf(d := f);", "n", 10000),
    ("c : Counter; n : INT;", "c.Up(); c.Up(d := 10, now => n);", "n", 11),
    ("c : Counter; n : INT;", "c.n := 5; n := c.n;", "n", 5),
    (
        "drives : ARRAY [1..2] OF Pump; n : INT; i : INT := 2; b : BOOL;",
        "b := drives[i].Start(8); n := drives[2].Speed();",
        "n",
        1004,
    ),
    ("r : Runs; b : BOOL;", "b := r = NULL;", "b", True),
    ("k : Keeper; n : INT;", "k.Keep(); k.n := 5; n := k.Kept();", "n", 5),
]


@pytest.mark.parametrize(("variables", "body", "path", "value"), VALUES)
def test_a_call_reaches_the_method_of_the_instance(variables: str, body: str, path: str, value: int | bool) -> None:
    machine = machine_of(f"{HOUSE}FUNCTION_BLOCK B VAR {variables} END_VAR\n{body}\nEND_FUNCTION_BLOCK")
    trace = machine.run(1)
    assert trace.fault is None, trace.fault
    assert machine.read(path) == value


def test_an_interface_without_an_instance_is_a_fault() -> None:
    text = f"{HOUSE}FUNCTION_BLOCK B VAR r : Runs; n : INT; END_VAR n := r.Speed(); END_FUNCTION_BLOCK"
    fault = machine_of(text).run(1).fault
    assert fault is not None
    assert fault.site.kind == "reference to nothing"


MISTAKES = [
    ("FUNCTION_BLOCK X VAR d : Drive; END_VAR END_FUNCTION_BLOCK", "abstract"),
    ("FUNCTION_BLOCK X EXTENDS Fann END_FUNCTION_BLOCK", "unknown-name"),
    ("FUNCTION_BLOCK X EXTENDS Runs END_FUNCTION_BLOCK", "type-mismatch"),
    ("FUNCTION_BLOCK X EXTENDS X END_FUNCTION_BLOCK", "recursion"),
    ("FUNCTION_BLOCK X EXTENDS Drive END_FUNCTION_BLOCK", "missing-method"),
    (
        "FUNCTION_BLOCK X IMPLEMENTS Runs METHOD PUBLIC Speed : INT Speed := 1; END_METHOD END_FUNCTION_BLOCK",
        "missing-method",
    ),
    (
        "FUNCTION_BLOCK X EXTENDS Fan METHOD PUBLIC Speed : INT Speed := 1; END_METHOD END_FUNCTION_BLOCK",
        "missing-override",
    ),
    (
        "FUNCTION_BLOCK X EXTENDS Fan METHOD OVERRIDE Sped : INT Sped := 1; END_METHOD END_FUNCTION_BLOCK",
        "nothing-to-override",
    ),
    (
        "FUNCTION_BLOCK X EXTENDS Fan METHOD OVERRIDE Speed : REAL Speed := 1; END_METHOD END_FUNCTION_BLOCK",
        "type-mismatch",
    ),
    ("FUNCTION_BLOCK X EXTENDS Fan VAR now : INT; END_VAR END_FUNCTION_BLOCK", "name-twice"),
    ("FUNCTION_BLOCK FINAL X END_FUNCTION_BLOCK FUNCTION_BLOCK Y EXTENDS X END_FUNCTION_BLOCK", "final"),
    ("FUNCTION_BLOCK X VAR f : Fan; n : INT; END_VAR n := f.Clip(3); END_FUNCTION_BLOCK", "private-data"),
    ("FUNCTION_BLOCK X VAR f : Fan; n : INT; END_VAR n := f.Sped(); END_FUNCTION_BLOCK", "unknown-name"),
    ("FUNCTION_BLOCK X VAR c : Counter; END_VAR c(); END_FUNCTION_BLOCK", "not-callable"),
    ("FUNCTION_BLOCK X VAR c : Counter; r : Runs; END_VAR r := c; END_FUNCTION_BLOCK", "type-mismatch"),
    (
        "FUNCTION_BLOCK X METHOD M : INT M := M2(); END_METHOD METHOD M2 : INT M2 := M(); END_METHOD END_FUNCTION_BLOCK",
        "recursion",
    ),
    ("FUNCTION_BLOCK X METHOD M END_METHOD METHOD M END_METHOD END_FUNCTION_BLOCK", "name-twice"),
    ("CLASS X VAR n : INT; END_VAR n := 1; END_CLASS", "unexpected"),
    ("FUNCTION F : INT F := THIS.n; END_FUNCTION", "outside-an-instance"),
    ("FUNCTION_BLOCK X METHOD M n := 1; END_METHOD END_FUNCTION_BLOCK", "unknown-name"),
]


@pytest.mark.parametrize(("text", "name"), MISTAKES)
def test_a_mistake_about_objects_is_found_once(text: str, name: str) -> None:
    found = checked(HOUSE + text)[1]
    assert [f.name for f in found] == [name], [str(f) for f in found]
    assert found[0].way_out


NAMES = """
INTERFACE Names
METHOD Name : STRING[12] VAR_INPUT n : INT; p : STRING; END_VAR VAR_OUTPUT a : ARRAY [1..2] OF INT; t : STRING[4]; END_VAR
VAR_IN_OUT s : STRING[12]; END_VAR END_METHOD
END_INTERFACE
FUNCTION_BLOCK Long IMPLEMENTS Names VAR c : INT; END_VAR
METHOD PUBLIC Name : STRING[12] VAR_INPUT n : INT; p : STRING; END_VAR VAR_OUTPUT a : ARRAY [1..2] OF INT; t : STRING[4]; END_VAR
VAR_IN_OUT s : STRING[12]; END_VAR
c := c + 1; Name := CONCAT(p, INT_TO_STRING(n)); a[2] := n; t := CONCAT(p, 'long'); s := CONCAT(s, '+'); END_METHOD
END_FUNCTION_BLOCK
FUNCTION_BLOCK Short IMPLEMENTS Names
METHOD PUBLIC Name : STRING[12] VAR_INPUT n : INT; p : STRING; END_VAR VAR_OUTPUT a : ARRAY [1..2] OF INT; t : STRING[4]; END_VAR
VAR_IN_OUT s : STRING[12]; END_VAR
Name := 'R'; a[1] := -n; s := CONCAT('-', s); END_METHOD
END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR long : Long; short : Short; i : Names; a, b : ARRAY [1..2] OF INT; one, two : STRING[12]; both : STRING[12] := 'x'; t : STRING[4]; END_VAR
i := long; one := i.Name(n := 7, p := 'ab', a => a, t => t, s := both);
i := short; two := i.Name(n := 8, p := 'ab', a => b, s := both);
END_FUNCTION_BLOCK
"""


def test_texts_and_arrays_go_through_a_call_by_the_kind_of_the_instance() -> None:
    machine = machine_of(NAMES)
    assert machine.run(2).fault is None
    found = {path: machine.read(path) for path in ("one", "two", "both", "t", "a[1]", "a[2]", "b[1]", "b[2]", "long.c")}
    assert found == {
        "one": "ab7",
        "two": "R",
        "both": "--x++",
        "t": "ablo",
        "a[1]": 0,
        "a[2]": 7,
        "b[1]": -8,
        "b[2]": 0,
        "long.c": 2,
    }


# --- in-outs and edges, seen from methods and from what extends a block ---

GATE = """
FUNCTION_BLOCK Gate
VAR_INPUT open : BOOL R_EDGE; END_VAR
VAR_IN_OUT count : INT; END_VAR
VAR_OUTPUT opened : INT; END_VAR
METHOD PUBLIC Tally IF open THEN count := count + 10; END_IF; END_METHOD
METHOD PUBLIC Add count := count + 1; END_METHOD
Tally();
IF THIS.open THEN opened := opened + 1; END_IF;
END_FUNCTION_BLOCK
FUNCTION_BLOCK Vent EXTENDS Gate
VAR_OUTPUT moved : INT; END_VAR
IF open THEN moved := moved + 1; count := count + 100; END_IF;
{super}
END_FUNCTION_BLOCK
FUNCTION_BLOCK B
VAR n, scans : INT; gate : {type}; END_VAR
scans := scans + 1;
gate(open := scans MOD 3 <> 0, count := n);
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("type_", "super_", "values"),
    [
        ("Gate", "", {"n": 30, "gate.opened": 3}),
        ("Vent", "", {"n": 300, "gate.opened": 0, "gate.moved": 3}),
        ("Vent", "SUPER();", {"n": 330, "gate.opened": 3, "gate.moved": 3}),
        ("Vent", "SUPER(); SUPER(); Add();", {"n": 368, "gate.opened": 6, "gate.moved": 3}),
    ],
)
def test_an_edge_is_found_once_a_scan(type_: str, super_: str, values: dict[str, int]) -> None:
    machine = machine_of(GATE.format(type=type_, super=super_))
    assert machine.run(8).fault is None
    assert {path: machine.read(path) for path in values} == values


def test_a_method_reaches_the_variable_that_the_in_out_of_its_block_was_given_last() -> None:
    called = "gate(open := scans MOD 3 <> 0, count := n);"
    text = GATE.format(type="Gate", super="")
    machine = machine_of(text.replace(called, called + " gate.Add();"))
    assert machine.run(1).fault is None
    assert machine.read("n") == 11
    fault = machine_of(text.replace(called, "gate.Add(); " + called)).run(1).fault
    assert fault is not None
    assert (fault.site.kind, fault.instance) == ("reference to nothing", "gate")


SELF = """
VAR_GLOBAL shared : INT := 4; END_VAR
TYPE Pair : STRUCT a, b : INT; END_STRUCT; END_TYPE
FUNCTION Sum : INT VAR_IN_OUT k : INT; END_VAR FOR k := 1 TO 4 DO Sum := Sum + k; END_FOR; END_FUNCTION
FUNCTION_BLOCK B
VAR_EXTERNAL shared : INT; END_VAR
VAR CONSTANT three : INT := 3; END_VAR
VAR n, i, r : INT; p : Pair; a : ARRAY [0..1] OF INT; END_VAR
METHOD All : INT All := THIS.three * 1000 + three * 100 + THIS.shared * 10 + shared; THIS.shared := shared + 1; END_METHOD
METHOD Count
FOR i := 1 TO 3 DO n := n + i; FOR p.a := 0 TO 1 DO n := n + 100; END_FOR; END_FOR;
FOR shared := 5 TO 6 DO n := n + shared; END_FOR;
END_METHOD
{}
END_FUNCTION_BLOCK
"""


@pytest.mark.parametrize(
    ("body", "values"),
    [
        ("n := 5; THIS.n := THIS.n + 1; r := n; n := n + 10; r := r * 100 + THIS.n;", {"n": 16, "r": 616}),
        ("FOR THIS.i := 1 TO 3 DO n := n + i; END_FOR;", {"n": 6, "i": 4}),
        ("r := All(); n := THIS.shared + THIS.three;", {"r": 3344, "n": 8}),
        ("Count(); r := shared;", {"n": 617, "i": 4, "p.a": 2, "r": 7}),
        ("r := Sum(a[1]);", {"r": 10, "a[1]": 5}),
    ],
)
def test_a_name_and_this_lead_to_one_variable(body: str, values: dict[str, int]) -> None:
    machine = machine_of(SELF.format(body))
    assert machine.run(1).fault is None
    assert {path: machine.read(path) for path in values} == values


@pytest.mark.parametrize(
    ("body", "name"),
    [
        ("FOR i := 1 TO 3 DO THIS.i := 2; END_FOR;", "loop-variable"),
        ("FOR p.a := 1 TO 3 DO p.a := 2; END_FOR;", "loop-variable"),
        ("FOR p.a := 1 TO 3 DO p.b := 2; END_FOR;", ""),
        ("FOR a[1] := 1 TO 3 DO n := 2; END_FOR;", "no-place"),
    ],
)
def test_what_counts_a_loop_is_not_assigned_in_it(body: str, name: str) -> None:
    assert [f.name for f in checked(SELF.format(body))[1]] == ([name] if name else [])


KINDS = """
FUNCTION_BLOCK Vent
VAR_INPUT far : INT := 1; END_VAR
VAR PUBLIC place : INT; END_VAR
METHOD PUBLIC Register : INT Register := Placed(THIS) + 1; END_METHOD
place := place + far;
END_FUNCTION_BLOCK
FUNCTION_BLOCK RoofVent EXTENDS Vent SUPER(); place := place + 100; END_FUNCTION_BLOCK
FUNCTION_BLOCK BigVent EXTENDS RoofVent VAR i : INT; END_VAR SUPER(); FOR i := 1 TO 3 DO place := place + 1000; END_FOR; END_FUNCTION_BLOCK
FUNCTION Placed : INT VAR_IN_OUT v : Vent; END_VAR Placed := v.place; END_FUNCTION
FUNCTION Run VAR_IN_OUT v : Vent; END_VAR v(far := 7); END_FUNCTION
"""


@pytest.mark.parametrize(
    ("variables", "body", "path", "value"),
    [
        ("v : Vent;", "Run(v);", "v.place", 7),
        ("v : RoofVent;", "Run(v);", "v.place", 107),
        ("v : BigVent;", "Run(v);", "v.place", 3107),
        ("v : BigVent; r : REF_TO Vent;", "r := REF(v); r^(far := 5);", "v.place", 3105),
        ("v : RoofVent := (place := 20);", "v();", "v.place", 121),
        ("v : RoofVent := (place := 20); n : INT;", "n := v.Register();", "n", 21),
        ("v : ARRAY [1..2] OF RoofVent;", "Run(v[2]); v[1]();", "v[2].place", 107),
    ],
)
def test_the_body_that_runs_is_that_of_the_instance(variables: str, body: str, path: str, value: int) -> None:
    machine = machine_of(KINDS + f"FUNCTION_BLOCK B VAR {variables} END_VAR {body} END_FUNCTION_BLOCK")
    assert machine.run(1).fault is None
    assert machine.read(path) == value


def test_a_body_that_may_come_back_to_itself_is_a_recursion() -> None:
    text = KINDS + "FUNCTION_BLOCK B EXTENDS Vent Run(THIS); END_FUNCTION_BLOCK"
    assert [f.name for f in checked(text)[1]] == ["recursion"]
