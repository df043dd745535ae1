"""Sources that a finding of the analysis must be raised by, and near misses that must raise none.

A block is written short: ``in a, b : BOOL; out y : BOOL; var t : TON | statements``.
"""

from __future__ import annotations

_SECTIONS = {
    "in": "VAR_INPUT",
    "out": "VAR_OUTPUT",
    "var": "VAR",
    "temp": "VAR_TEMP",
    "const": "VAR CONSTANT",
    "io": "VAR_IN_OUT",
}


def source_of(text: str) -> str:
    """The source of a sample: a block named B where it is written short, else the text as it is."""
    if "|" not in text:
        return text
    declared, _, body = text.partition("|")
    sections = []
    for part in filter(str.strip, declared.split(";")):
        section, _, names = part.strip().partition(" ")
        sections.append(f"{_SECTIONS[section]} {names}; END_VAR")
    return "FUNCTION_BLOCK B\n" + "\n".join(sections) + f"\n{body.strip()}\nEND_FUNCTION_BLOCK\n"


FAN = "FUNCTION_BLOCK Fan VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT run : BOOL; speed : INT; END_VAR run := go; speed := SEL(go, 0, 50); END_FUNCTION_BLOCK\n"


def fan(text: str) -> str:
    """A block that uses a block Fan."""
    return FAN + source_of(text)


def sequence(text: str) -> str:
    """A block with a sequence."""
    return (
        f"FUNCTION_BLOCK B VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT pump : BOOL; END_VAR\n{text}\nEND_FUNCTION_BLOCK\n"
    )


PAIR = "TYPE Pair : STRUCT p, q : INT; END_STRUCT; END_TYPE"
PUMP = "FUNCTION_BLOCK Pump VAR_INPUT go, reset : BOOL; END_VAR VAR_OUTPUT run : BOOL; END_VAR run := go AND NOT reset; END_FUNCTION_BLOCK\n"


def pumps(*calls: str) -> str:
    """A block with as many pumps as calls."""
    names = ", ".join(f"p{n}" for n in range(len(calls)))
    outs = ", ".join(f"q{n}" for n in range(len(calls)))
    body = " ".join(f"p{n}({call}, run => q{n});" for n, call in enumerate(calls))
    return PUMP + source_of(f"in a, b : BOOL; out {outs} : BOOL; var {names} : Pump | {body}")


RAISES: dict[str, list[str]] = {
    "input-left-open": [
        pumps(*["go := a, reset := b"] * 3, "go := a"),
        pumps("reset := b", *["go := a, reset := b"] * 4),
        pumps(*["go := a AND b"] * 4),
        pumps("go := b AND a"),
        PUMP
        + "FUNCTION_BLOCK Big EXTENDS Pump SUPER(); END_FUNCTION_BLOCK\n"
        + source_of("in a : BOOL; out y : BOOL; var p : Big | p(go := a, run => y);"),
    ],
    "never-written": [
        "in a : BOOL; out y, z : BOOL | y := a;",
        "in a : BOOL; out y : BOOL; var limit : INT; var n : INT | n := SEL(a, 0, n + 1); y := n > limit;",
    ],
    "never-read": [
        "in a, b : BOOL; out y : BOOL | y := a;",
        "in a : BOOL; out y : BOOL; var count : INT | y := a; count := 3;",
        "FUNCTION F : INT VAR_INPUT a, b : INT; END_VAR F := a; END_FUNCTION",
    ],
    "never-used": [
        "in a : BOOL; out y : BOOL; var spare : INT | y := a;",
        "in a : BOOL; out y : BOOL; var later : TON | y := a;",
        "in a : BOOL; out y : BOOL; const LEFT : INT := 3 | y := a;",
    ],
    "never-called": [
        "in a : BOOL; out y : BOOL; var t : TON | y := t.Q OR a;",
        fan("in a : BOOL; out y : BOOL; var f : Fan | y := f.run AND a;"),
    ],
    "hidden-global": [
        "VAR_GLOBAL limit : INT := 3; END_VAR\n"
        + source_of("in a : INT; out y : BOOL; var limit : INT := 4 | y := a > limit; limit := 5;"),
        "VAR_GLOBAL n : INT; END_VAR FUNCTION F : INT VAR_INPUT a : INT; END_VAR VAR n : INT; END_VAR n := a; F := n; END_FUNCTION",
    ],
    "two-writers": [
        fan(
            "in a, b, m : BOOL; out y, x, z : BOOL; var f, g : Fan | f(go := a, run => y); g(EN := m, go := b, run => y); x := f.run; z := g.run AND m;"
        ),
        "in n : INT; in a : BOOL; out y : BOOL | CASE n OF 1: y := FALSE; END_CASE y := a AND n > 2;",
        "in a, b : BOOL; out y : BOOL | y := a;\ny := b;",
        "in a, b, m : BOOL; out y : BOOL | IF a THEN y := b; END_IF\nIF m THEN y := a; ELSE y := b; END_IF",
        "in a, b : BOOL; in n : INT; out y : INT | IF a AND b THEN y := n; END_IF\nIF a THEN y := 2 * n; END_IF",
    ],
    "no-effect": [
        "out y : WORD; var w : WORD | w := WORD#5; w.3 := TRUE; w.3 := FALSE; y := w;",
        "in a, b : INT; out y : INT; var t : INT | t := a;\nt := b;\ny := t;",
        "in a : BOOL; out y : BOOL; var last : BOOL | last := last; y := a AND last; last := a;",
        "in a : INT; out y : INT; temp t : INT | t := a; y := t; t := a + 1;",
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go; END_TRANSITION"
        ),
    ],
    "called-in-branch": [
        "in a, go : BOOL; out y : BOOL; var t : TON | IF a THEN t(IN := go, PT := T#5s); END_IF y := t.Q;",
        "in a, go : BOOL; out n : INT; var c : CTU | IF NOT a THEN n := 0; RETURN; END_IF c(CU := go, PV := 5); n := c.CV;",
        "in a : BOOL; in n : INT; out y : BOOL; var e : R_TRIG | CASE n OF 1: e(CLK := a); y := e.Q; ELSE y := FALSE; END_CASE",
        "in go, stop : BOOL; out run : BOOL; var state : INT; var t : TON | CASE state OF 0: IF go THEN state := 1; END_IF 1: t(IN := run, PT := T#5s); IF t.Q OR stop THEN state := 0; END_IF ELSE state := 0; END_CASE run := state = 1;",
    ],
    "shared-by-branches": [
        "in a, b : BOOL; in n : INT; out y : BOOL; var t : TON | CASE n OF 1: t(IN := a, PT := T#1s); 2: t(IN := b, PT := T#2s); END_CASE y := t.Q;",
        "in a, b, c : BOOL; out y : BOOL; var t : TP | IF a THEN t(IN := c, PT := T#1s); ELSIF b THEN t(IN := NOT c, PT := T#2s); END_IF y := t.Q;",
    ],
    "called-twice": [
        "in a, b : BOOL; out y, z : BOOL; var t : TON | t(IN := a, PT := T#1s); y := t.Q; t(IN := b, PT := T#1s); z := t.Q;",
        fan("in a, b : BOOL; out y, z : BOOL; var f : Fan | f(go := a, run => y); f(go := b, run => z);"),
        "in a, b, c : BOOL; out y : BOOL; var e : R_TRIG | y := FALSE; IF a THEN e(CLK := c); y := e.Q; END_IF IF b THEN e(CLK := NOT c); y := e.Q; END_IF",
    ],
    "called-in-loop": [
        "in a : ARRAY [1..3] OF BOOL; out n : INT; var e : R_TRIG; var i : INT | FOR i := 1 TO 3 DO e(CLK := a[i]); IF e.Q THEN n := n + 1; END_IF END_FOR",
        fan(
            "in a : BOOL; out n : INT; var f : Fan | n := 0; WHILE n < 3 DO f(go := a); n := n + SEL(f.run, 1, 2); END_WHILE"
        ),
    ],
    "stays-on": [
        fan(
            "in en, go : BOOL; out y : BOOL; var f : Fan; var x, ok : BOOL | f(EN := en, go := go, run => x, ENO => ok); y := ok OR x;"
        ),
        fan(
            "in auto, go : BOOL; out y : BOOL; var f : Fan; var wish : BOOL | IF auto THEN f(go := go); wish := f.run; END_IF y := wish AND go;"
        ),
        fan("in auto, go : BOOL; out y : BOOL; var f : Fan | IF auto THEN f(go := go, run => y); END_IF"),
        fan("in auto, go : BOOL; out y : BOOL; var f : Fan | IF auto THEN f(go := go); END_IF y := f.run;"),
        fan("in auto, go : BOOL; out y : BOOL; var f : Fan | IF auto THEN f(go := go); y := f.run AND go; END_IF"),
        fan("in a, go : BOOL; out y : BOOL; var f : Fan | f(EN := a, go := go, run => y);"),
    ],
    "one-scan-late": [
        "in a : BOOL; out y : BOOL; var t : TON | y := t.Q; t(IN := a, PT := T#1s);",
        fan("in a : BOOL; out y : BOOL; var f : Fan | y := f.run AND a;\nf(go := a);"),
    ],
    "no-preset": [
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := a); y := t.Q;",
        "in a : BOOL; out y : BOOL; var t : TOF | t(IN := a, PT := T#0s); y := t.Q;",
        "in a : BOOL; out y : BOOL; var c : CTU | c(CU := a); y := c.Q;",
        "FUNCTION_BLOCK A VAR_INPUT a : BOOL; wait : TIME; END_VAR VAR_OUTPUT y : BOOL; END_VAR VAR t : TON; END_VAR t(IN := a, PT := wait); y := t.Q; END_FUNCTION_BLOCK\n"
        + source_of("in a : BOOL; out y : BOOL; var u : A | u(a := a, y => y);"),
    ],
    "timer-held": [
        "in go : BOOL; out y : BOOL; var t : TON; var run : BOOL | IF go THEN run := TRUE; END_IF t(IN := run, PT := T#5s); y := t.Q;",
        "out y : BOOL; var t : TP | t(IN := TRUE, PT := T#1s); y := t.Q;",
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := a OR NOT a, PT := T#1s); y := t.Q;",
    ],
    "timer-restarts": [
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := FALSE, PT := T#1s); t(IN := a, PT := T#1s); y := t.Q;",
        "in a : BOOL; out y : BOOL; var e : R_TRIG; var t : TON | e(CLK := a); t(IN := e.Q, PT := T#1s); y := t.Q;",
        "out y : BOOL; var flip : BOOL; var t : TON | flip := NOT flip; t(IN := flip, PT := T#1s); y := t.Q;",
    ],
    "result-unused": [
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := a, PT := T#1s); y := a;",
        "in a : BOOL; out y : BOOL; var e : F_TRIG | e(CLK := a); y := a;",
    ],
    "edge-feeds-itself": [
        "in a : BOOL; out y : BOOL; var e : R_TRIG | e(CLK := a AND NOT e.Q); y := e.Q;",
        "in a : BOOL; out y : BOOL; var e : F_TRIG | e(CLK := e.Q OR a); y := e.Q;",
    ],
    "latch-one-way": [
        "in a : BOOL; out y : BOOL; var f : SR | f(S1 := a); y := f.Q1;",
        "in a : BOOL; out y : BOOL | IF a THEN y := TRUE; END_IF IF a THEN y := FALSE; END_IF",
        "in a : BOOL; out y : BOOL; var s : SR | s(S1 := a, R := a, Q1 => y);",
        "in a, b : BOOL; out y : BOOL; var s : SR | s(S1 := a OR b, R := b, Q1 => y);",
        "in a, b : BOOL; out y : BOOL; var s : RS | s(S := a AND b, R1 := a, Q1 => y);",
        "in a : BOOL; out y : BOOL | y := y OR a;",
        "in a, b : BOOL; out y : BOOL | y := (a AND y) AND NOT b;",
        "in a, b : BOOL; out y : BOOL | IF a AND b THEN y := TRUE; END_IF",
    ],
    "emergency-gap": [
        "in Start, StopButton, EStop : BOOL; out Motor, Lamp : BOOL | Motor := (Start OR Motor) AND NOT StopButton; Lamp := EStop;",
        "in start, stop, emergency : BOOL; out motor, lamp : BOOL | motor := (start OR motor) AND NOT stop; lamp := emergency;",
        "in start, stop_button, emergency_stop : BOOL; out pump, valve : BOOL | IF stop_button THEN pump := FALSE; valve := FALSE; ELSIF start THEN pump := TRUE; valve := TRUE; END_IF IF emergency_stop THEN pump := FALSE; END_IF",
    ],
    "fixed-condition": [
        "in a : INT; out y : BOOL; var x : INT | x := LIMIT(10, a, 5); IF x > 7 THEN y := TRUE; ELSE y := FALSE; END_IF",
        "in a : ARRAY [1..5] OF INT; out y : INT; var i : INT | y := 0; FOR i := 5 TO 1 DO y := y + a[i]; END_FOR",
        "in a : INT; out y : INT | y := 0; WHILE a > 5 AND a < 3 DO y := y + a; END_WHILE",
        "in x : REAL; out low : BOOL | low := x > 10.0 AND x < 5.0;",
        "in n : INT; out y : BOOL | y := FALSE; IF n > 5 AND n < 3 THEN y := TRUE; END_IF",
        "in a : BOOL; out y : INT | IF a THEN y := 1; ELSIF NOT a THEN y := 2; ELSE y := 3; END_IF",
        "in n : USINT; out y : INT | IF n >= 0 THEN y := 1; ELSE y := 2; END_IF",
        "in a, b : BOOL; out y : INT | y := 0; IF a THEN IF b AND NOT a THEN y := 2; END_IF END_IF",
    ],
    "unreached-statement": [
        "in a : BOOL; out y : BOOL | y := a; RETURN; y := NOT a;",
        "in a : BOOL; out y : INT; var i : INT | y := 0; FOR i := 1 TO 5 DO y := y + 1; EXIT; y := y + SEL(a, 1, 2); END_FOR",
    ],
    "beyond-array": [
        "out y : INT; var a : ARRAY [0..9] OF INT; var i : INT | y := 0; FOR i := 0 TO 10 DO a[i] := i; y := y + a[i]; END_FOR",
        "in a : ARRAY [1..4] OF INT; out y : INT; var i : INT | y := 0; FOR i := 0 TO 4 DO y := y + a[i]; END_FOR",
        "out y : ARRAY [1..4] OF INT; var i : INT | FOR i := 1 TO 4 DO y[i + 1] := i; END_FOR",
    ],
    "counter-after-loop": [
        "in a : ARRAY [1..4] OF INT; out y, n : INT; var i : INT | y := 0; FOR i := 1 TO 4 DO y := y + a[i]; END_FOR n := i;",
        "in a : BOOL; out y : INT; var i : INT | y := 0; FOR i := 1 TO 4 DO y := y + i; END_FOR IF a THEN y := i; END_IF",
    ],
    "read-too-early": [
        "in a : INT; out y : INT; temp t : INT | y := t + a; t := a; y := y + t;",
        "FUNCTION F : INT VAR_INPUT a : INT; END_VAR VAR t : INT; END_VAR F := t; t := a; F := F + t; END_FUNCTION",
    ],
    "state-without-branch": [
        "in go : BOOL; out run, y : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 3; END_IF END_CASE IF state = 3 THEN y := TRUE; ELSE y := FALSE; END_IF run := state = 3;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 3; END_IF END_CASE run := state = 3;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 10; END_IF 10: IF NOT go THEN state := 20; END_IF END_CASE run := state = 10;",
    ],
    "state-never-entered": [
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 0; END_IF 5: state := 0; ELSE state := 0; END_CASE run := state = 1;",
        "TYPE Phase : (rest, work, wash); END_TYPE\n"
        + source_of(
            "in go : BOOL; out run : BOOL; var state : Phase | CASE state OF rest: IF go THEN state := work; END_IF work: IF NOT go THEN state := rest; END_IF wash: state := rest; END_CASE run := state = work;"
        ),
    ],
    "state-never-left": [
        "in go : BOOL; out y : BOOL; var s : INT | CASE s OF 0: IF go THEN s := 1; END_IF 1: s := 1; ELSE s := 0; END_CASE y := s = 1;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 2; END_IF 2: ; ELSE state := 0; END_CASE run := state = 1;",
        "TYPE Phase : (rest, work, wash); END_TYPE\n"
        + source_of(
            "in go : BOOL; out run : BOOL; var state : Phase | CASE state OF rest: IF go THEN state := work; END_IF work: IF NOT go THEN state := wash; END_IF wash: ; END_CASE run := state = work;"
        ),
    ],
    "state-passed-over": [
        "in go, done : BOOL; out run : BOOL; var phase : INT | IF phase = 0 AND go THEN phase := 1; END_IF IF phase = 1 THEN phase := 2; END_IF IF phase = 2 AND done THEN phase := 0; END_IF run := phase > 0;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 2; END_IF 2: state := 0; ELSE state := 0; END_CASE IF state = 1 THEN state := 2; END_IF run := state = 1;",
    ],
    "no-else": [
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 0; END_IF END_CASE run := state = 1;",
        "TYPE Phase : (rest, work, wash); END_TYPE\n"
        + source_of(
            "in go : BOOL; out run : BOOL; var state : Phase | CASE state OF rest: IF go THEN state := work; END_IF work: IF NOT go THEN state := rest; END_IF END_CASE run := state = work;"
        ),
    ],
    "step-left-at-once": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := TRUE; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: Turn(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := TRUE; END_TRANSITION ACTION Turn: pump := NOT pump; END_ACTION"
        ),
    ],
    "step-without-action": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP STEP Gap: END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Gap := NOT go; END_TRANSITION TRANSITION FROM Gap TO Rest := TRUE; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: pump(N); END_STEP STEP Gap: END_STEP TRANSITION FROM Rest TO Gap := go; END_TRANSITION TRANSITION FROM Gap TO Rest := TRUE; END_TRANSITION"
        ),
    ],
    "never-clears": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := go AND NOT go; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := Wash.T > T#9s AND Wash.T < T#5s; END_TRANSITION"
        ),
    ],
    "actions-fight": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: Left(N); END_STEP STEP Rinse: Right(N); END_STEP TRANSITION FROM Rest TO (Wash, Rinse) := go; END_TRANSITION TRANSITION FROM (Wash, Rinse) TO Rest := NOT go; END_TRANSITION ACTION Left: pump := TRUE; END_ACTION ACTION Right: pump := go; END_ACTION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(S); pump(R); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(S); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go; END_TRANSITION"
        ),
    ],
    "copy-slip": [
        "in a1, a2, a3 : BOOL; out y1, y2, y3, n1, n2, n3 : BOOL | y1 := a1; n1 := NOT a1 AND y1;\ny2 := a2; n2 := NOT a2 AND y2;\ny3 := a3; n3 := NOT a2 AND y3;",
        "in north, south, wind : BOOL; out n, s : BOOL; out nl, sl : INT | IF north AND NOT wind THEN nl := 3; n := north; ELSE n := FALSE; nl := 0; END_IF\nIF south AND NOT wind THEN sl := 3; s := south; ELSE n := FALSE; sl := 0; END_IF",
    ],
    "equal-reals": [
        "in aim : REAL; out moved : BOOL; var old : REAL | moved := aim <> old; old := aim * 2.0;",
        "in raw : REAL; out y : BOOL | y := raw <> LIMIT(0.0, raw * 1.5, 100.0);",
        "in slow, fast : REAL; in go : BOOL; out y : BOOL; var speed : REAL | IF go THEN speed := slow; ELSE speed := speed + fast; END_IF y := speed = fast;",
        "in go : BOOL; out y : BOOL; var speed : REAL | speed := SEL(go, 20.5, 30.0); y := speed = 25.0;",
        "in a, b : REAL; out y : BOOL | y := a = b;",
        "in a : LREAL; out y : BOOL | y := a * 3.0 <> 0.3;",
    ],
    "whole-division": [
        "in a, b : INT; out y : REAL | y := a / b;",
        "in a : INT; out y : REAL | y := 2.0 * INT_TO_REAL(a / 3);",
    ],
    "late-widening": [
        "in a, b : INT; out y : DINT | y := a * b;",
        "in a : INT; out y : LINT | y := 100 + a * INT#1000;",
    ],
}

SILENT: dict[str, list[str]] = {
    "input-left-open": [
        pumps(*["go := a, reset := b"] * 4),
        pumps("go := a, reset := b", *["go := a"] * 3),
        PUMP + source_of("in a : BOOL; out y : BOOL; var p : Pump | p.reset := a; p(go := a, run => y);"),
        PUMP + source_of("in a : BOOL; out y : BOOL; var p : Pump := (reset := TRUE); | p(go := a, run => y);"),
        PUMP
        + "FUNCTION_BLOCK Big EXTENDS Pump SUPER(); END_FUNCTION_BLOCK\n"
        + source_of(
            "in a : BOOL; out y : BOOL; var p : Pump; var b : Big | p(go := a); b(go := a, reset := p.run, run => y);"
        ),
    ],
    "never-written": [
        "in a : BOOL; out y : BOOL; out version : INT := 3 | y := a;",
        "in a : BOOL; out y : BOOL; var limit : INT := 5; var n : INT | n := SEL(a, 0, n + 1); y := n > limit;",
    ],
    "never-read": [
        "in a, b : BOOL; out y : BOOL | IF b THEN y := a; END_IF",
        fan("in a : BOOL; out y : BOOL; var f : Fan; var speed : INT | f(go := a, run => y, speed => speed);"),
        "out n : INT; var i : INT | n := 0; FOR i := 1 TO 3 DO n := n * 2 + 1; END_FOR",
    ],
    "never-used": [
        "in a : BOOL; out y : INT; const LEFT : INT := 3 | y := SEL(a, 0, LEFT);",
        "FUNCTION_BLOCK A VAR_INPUT a : BOOL; END_VAR VAR PROTECTED kept : BOOL; END_VAR kept := a; END_FUNCTION_BLOCK FUNCTION_BLOCK B EXTENDS A VAR_OUTPUT y : BOOL; END_VAR SUPER(); y := kept; END_FUNCTION_BLOCK",
    ],
    "never-called": [
        "in a : BOOL; out y : BOOL; var t : ARRAY [1..2] OF TON; var i : INT | FOR i := 1 TO 2 DO t[i](IN := a, PT := T#1s); END_FOR y := t[1].Q;",
        "FUNCTION_BLOCK Box VAR n : INT; END_VAR METHOD PUBLIC Add : INT n := n + 1; Add := n; END_METHOD END_FUNCTION_BLOCK\n"
        + source_of("out n : INT; var b : Box | n := b.Add();"),
    ],
    "hidden-global": [
        "VAR_GLOBAL limit : INT := 3; END_VAR\n"
        + source_of("in limit : INT; in a : INT; out y : BOOL | y := a > limit;"),
        "VAR_GLOBAL limit : INT := 3; END_VAR FUNCTION_BLOCK B VAR_INPUT a : INT; END_VAR VAR_OUTPUT y : BOOL; END_VAR VAR_EXTERNAL limit : INT; END_VAR y := a > limit; END_FUNCTION_BLOCK",
    ],
    "two-writers": [
        fan(
            "in a, m : BOOL; out y, x, z : BOOL; var f, g : Fan | f(EN := m, go := a, run => y); g(EN := NOT m, go := a, run => y); x := f.run AND m; z := g.run AND NOT m;"
        ),
        "in a, b : BOOL; out y : BOOL | y := FALSE; IF a THEN y := b; END_IF",
        "in a : BOOL; out y : BOOL | IF a THEN y := TRUE; ELSE y := FALSE; END_IF",
        "in auto, a, b : BOOL; out y : BOOL | IF auto THEN y := a; END_IF IF NOT auto THEN y := b; END_IF",
        "in a, b : BOOL; out y : BOOL | IF a THEN y := TRUE; END_IF IF b THEN y := FALSE; END_IF",
        "in a, b : INT; out y : INT | y := a; y := y + b;",
        "in n : INT; in a, b : BOOL; out y : BOOL | CASE n OF 1: y := a; 2: y := b; END_CASE",
    ],
    "no-effect": [
        "in a, b : INT; out y : INT; var t : INT | t := a; IF b > t THEN t := b; END_IF y := t;",
        "in a : INT; out y, z : INT; var t : INT | t := a; y := t; t := a + 1; z := t;",
        "in a : ARRAY [1..3] OF INT; out y : INT; var i, t : INT | y := 0; FOR i := 1 TO 3 DO t := a[i]; y := y + t; END_FOR",
        "in a : BOOL; out y : BOOL; var old : BOOL | y := a AND NOT old; old := a;",
    ],
    "called-in-branch": [
        "in a, go : BOOL; out y : BOOL; var t : TON | t(IN := go AND a, PT := T#5s); y := t.Q;",
        "in a, go : BOOL; out y : BOOL; var e : R_TRIG | IF a THEN e(CLK := go); ELSE e(CLK := FALSE); END_IF y := e.Q;",
        "in EN, go : BOOL; out y : BOOL; var t : TON | t(IN := go, PT := T#5s); y := t.Q;",
    ],
    "shared-by-branches": [
        "in go : BOOL; out run : BOOL; var state : INT; var t : TON | CASE state OF 0: t(IN := FALSE, PT := T#5s); IF go THEN state := 1; END_IF 1: t(IN := TRUE, PT := T#5s); IF t.Q THEN state := 0; END_IF ELSE state := 0; END_CASE run := state = 1;",
        "in n : INT; in a, b : BOOL; out y : BOOL; var t, u : TON | t(IN := n = 1 AND a, PT := T#1s); u(IN := n = 2 AND b, PT := T#2s); y := t.Q OR u.Q;",
        "in a, b : BOOL; out y : BOOL; var t : TON | IF a THEN t(IN := b, PT := T#1s); ELSE t(IN := b, PT := T#2s); END_IF y := t.Q;",
    ],
    "called-twice": [
        fan(
            "in a, b, m : BOOL; out y : BOOL; var f : Fan | IF m THEN f(go := a); END_IF IF NOT m THEN f(go := b); END_IF y := f.run;"
        ),
        "in a, b : BOOL; out y, z : BOOL; var t, u : TON | t(IN := a, PT := T#1s); y := t.Q; u(IN := b, PT := T#1s); z := u.Q;",
        "in n : INT; in a : BOOL; out y : BOOL; var e : R_TRIG | IF n > 3 THEN e(CLK := a); END_IF IF n <= 3 THEN e(CLK := NOT a); END_IF y := e.Q;",
    ],
    "called-in-loop": [
        "in a : ARRAY [1..3] OF BOOL; out n : INT; var e : ARRAY [1..3] OF R_TRIG; var i : INT | FOR i := 1 TO 3 DO e[i](CLK := a[i]); IF e[i].Q THEN n := n + 1; END_IF END_FOR",
        "in a : BOOL; out n : INT; var e : R_TRIG; var i : INT | e(CLK := a); FOR i := 1 TO 3 DO IF e.Q THEN n := n + i; END_IF END_FOR",
    ],
    "stays-on": [
        fan(
            "in en, go : BOOL; out y : BOOL; var f : Fan; var x, ok : BOOL | f(EN := en, go := go, run => x, ENO => ok); y := ok AND x;"
        ),
        fan(
            "in en, go : BOOL; out y : BOOL; var f : Fan; var x, ok : BOOL | f(EN := en, go := go, run => x, ENO => ok); IF ok THEN y := x; ELSE y := FALSE; END_IF"
        ),
        fan(
            "in take, go : BOOL; out y : BOOL; var f : Fan; var e : R_TRIG | e(CLK := take); IF e.Q THEN f(go := go, run => y); END_IF"
        ),
        fan(
            "in auto, go : BOOL; out y : BOOL; var f : Fan; var wish : BOOL | wish := FALSE; IF auto THEN f(go := go); wish := f.run; END_IF y := wish;"
        ),
        fan(
            "in auto, go : BOOL; out y : BOOL; var f : Fan | IF auto THEN f(go := go); y := f.run; ELSE y := FALSE; END_IF"
        ),
        fan("in auto, go : BOOL; out y : BOOL; var f : Fan | y := FALSE; IF auto THEN f(go := go, run => y); END_IF"),
        fan("in auto, go : BOOL; out y : BOOL; var f : Fan | IF auto THEN f(go := go); END_IF y := auto AND f.run;"),
        fan(
            "in auto, a, b : BOOL; out y : BOOL; var f, g : Fan | IF auto THEN f(go := a, run => y); ELSE g(go := b, run => y); END_IF"
        ),
        fan(
            "in auto, a, b : BOOL; out y : BOOL; var f, g : Fan | IF auto THEN f(go := a, run => y); END_IF IF NOT auto THEN g(go := b, run => y); END_IF"
        ),
    ],
    "one-scan-late": [
        "in a : BOOL; out y : BOOL; var on, off : TON | on(IN := a AND NOT off.Q, PT := T#1s); off(IN := on.Q, PT := T#1s); y := on.Q;",
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := a, PT := T#1s); y := t.Q;",
        "in go : BOOL; out run : BOOL; var t : TON | IF t.Q THEN run := FALSE; ELSIF go THEN run := TRUE; END_IF t(IN := run, PT := T#9s);",
    ],
    "no-preset": [
        "FUNCTION_BLOCK A VAR_INPUT a : BOOL; wait : TIME; END_VAR VAR_OUTPUT y : BOOL; END_VAR VAR t : TON; END_VAR t(IN := a, PT := wait); y := t.Q; END_FUNCTION_BLOCK\n"
        + source_of("in a : BOOL; out y : BOOL; var u : A | u(a := a, wait := T#0s, y => y);"),
        "in a : BOOL; out y : BOOL; in wait : TIME | y := a AND wait > T#1s;",
        "in a : BOOL; out y : BOOL; in wait : TIME; var t : TON | t(IN := a, PT := wait); y := t.Q;",
        "in a : BOOL; out y : BOOL; var t : TON := (PT := T#3s) | t(IN := a); y := t.Q;",
        "in a : BOOL; out n : INT; var c : CTU | c(CU := a); n := c.CV;",
    ],
    "timer-held": [
        "in go, stop : BOOL; out y : BOOL; var t : TON; var run : BOOL | IF go THEN run := TRUE; END_IF IF stop THEN run := FALSE; END_IF t(IN := run, PT := T#5s); y := t.Q;",
        "in go : BOOL; out y : BOOL; var t : TON; var run : BOOL | IF go THEN run := TRUE; END_IF t(IN := run, PT := T#5s); IF t.Q THEN run := FALSE; END_IF y := run;",
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := NOT a, PT := T#1s); y := t.Q;",
        "out y : BOOL; var t : TON | t(IN := NOT t.Q, PT := T#1s); y := t.Q;",
    ],
    "timer-restarts": [
        "in a : BOOL; out y : BOOL; var e : R_TRIG; var t : TP | e(CLK := a); t(IN := e.Q, PT := T#1s); y := t.Q;",
        "in a : BOOL; out y : BOOL; var e : R_TRIG; var t : TON | e(CLK := a); t(IN := a AND NOT e.Q, PT := T#1s); y := t.Q;",
    ],
    "result-unused": [
        "in a : BOOL; out y : TIME; var t : TON | t(IN := a, PT := T#1s); y := t.ET;",
        "in a : BOOL; out y : BOOL; var t : TON | t(IN := a, PT := T#1s, Q => y);",
    ],
    "edge-feeds-itself": [
        "in a, b : BOOL; out y : BOOL; var e, f : R_TRIG | e(CLK := a); f(CLK := e.Q OR b); y := f.Q;",
        "in a : BOOL; out y : BOOL; var e : R_TRIG | e(CLK := a); y := e.Q;",
    ],
    "latch-one-way": [
        "in a, b : BOOL; out y : BOOL; var s : SR | s(S1 := a, R := b, Q1 => y);",
        "in a, b : BOOL; out y : BOOL | y := (y OR a) AND NOT b;",
        "in a, b : BOOL; out y : BOOL | IF a THEN y := TRUE; ELSIF b THEN y := FALSE; END_IF",
        "in a, b : BOOL; out y : BOOL; var s : RS | s(S := a, R1 := a AND b, Q1 => y);",
    ],
    "emergency-gap": [
        "in start, stop, emergency : BOOL; out motor : BOOL | motor := (start OR motor) AND NOT stop AND NOT emergency;",
        "in start, stop, emergency : BOOL; out motor : BOOL | IF stop OR emergency THEN motor := FALSE; ELSIF start THEN motor := TRUE; END_IF",
    ],
    "fixed-condition": [
        "in a, b : INT; out y : BOOL; var x : INT | x := LIMIT(10, a, b); IF x >= 10 THEN y := TRUE; ELSE y := FALSE; END_IF",
        "FUNCTION_BLOCK B VAR_IN_OUT p, q : INT; END_VAR VAR_OUTPUT y : BOOL; END_VAR p := 1; q := 2; IF p = 1 THEN y := TRUE; ELSE y := FALSE; END_IF END_FUNCTION_BLOCK",
        "VAR_GLOBAL g : INT; END_VAR FUNCTION_BLOCK B VAR_IN_OUT p : INT; END_VAR VAR_EXTERNAL g : INT; END_VAR VAR_OUTPUT y : BOOL; END_VAR p := 1; g := 2; IF p = 1 THEN y := TRUE; ELSE y := FALSE; END_IF END_FUNCTION_BLOCK",
        "FUNCTION_BLOCK B VAR_IN_OUT p, q : INT; END_VAR VAR_OUTPUT y : INT; END_VAR q := 1; y := p; q := 2; END_FUNCTION_BLOCK",
        "out y : BOOL; var w : WORD | w.%B0 := BYTE#0; w.3 := TRUE; y := w.%B0 = BYTE#0;",
        "in go : BOOL; out y : BOOL; var w : WORD | w.3 := FALSE; IF go THEN w.%B0 := BYTE#16#FF; END_IF y := w.3;",
        "out y : BOOL; var v, w : WORD | v := w; w.3 := NOT w.3; IF v = w THEN y := TRUE; ELSE y := FALSE; END_IF",
        f"{PAIR} FUNCTION_BLOCK B VAR_OUTPUT y : BOOL; END_VAR VAR a, b, r : Pair; END_VAR a := r; r.p := r.p + 1; b := r; y := a.p = b.p; END_FUNCTION_BLOCK",
        f"{PAIR} FUNCTION_BLOCK B VAR_IN_OUT r : Pair; x : INT; END_VAR VAR_OUTPUT y : BOOL; END_VAR r.p := 0; x := 5; y := r.p > 0; END_FUNCTION_BLOCK",
        "PROGRAM B VAR a AT %MW0 : WORD; b AT %MB1 : BYTE; c AT %QX0.0 : BOOL; END_VAR a := WORD#0; b := BYTE#5; c := a > WORD#300; END_PROGRAM",
        "PROGRAM B VAR a AT %MW0 : WORD; c AT %QX0.0 : BOOL; END_VAR IF a > WORD#300 THEN c := TRUE; ELSE c := FALSE; END_IF END_PROGRAM",
        "out y : INT; var x : INT; var z : REF_TO INT | z := REF(x); x := 5; y := z^; x := 6;",
        "FUNCTION Seen : INT VAR_INPUT k : REF_TO INT; END_VAR Seen := k^; END_FUNCTION "
        "FUNCTION_BLOCK B VAR_OUTPUT y : INT; END_VAR VAR x : INT; z : REF_TO INT; END_VAR z := REF(x); x := 5; y := Seen(z); x := 6; END_FUNCTION_BLOCK",
        "FUNCTION_BLOCK B VAR_OUTPUT y : BOOL; END_VAR VAR n : INT; END_VAR METHOD M VAR_IN_OUT x : INT; END_VAR n := 0; x := 5; y := n > 0; END_METHOD M(x := n); END_FUNCTION_BLOCK",
        "in a : ARRAY [1..5] OF INT; out y : INT; var i : INT | y := 0; FOR i := 5 TO 1 BY -1 DO y := y + a[i]; END_FOR",
        "in a : INT; out y : INT | y := 0; WHILE y < 5 DO y := y + a; END_WHILE",
        "in x : REAL; out low : BOOL | low := x < 10.0 AND x > 5.0;",
        "in n : INT; out y : BOOL | y := FALSE; IF n > 3 AND n < 5 THEN y := TRUE; END_IF",
        "in a, b : BOOL; out y : INT | IF a THEN y := 1; ELSIF b THEN y := 2; ELSE y := 3; END_IF",
        "in x : REAL; out y : INT | IF x > 3.0 THEN y := 1; ELSIF x <= 3.0 THEN y := 2; ELSE y := 3; END_IF",
        "in a : BOOL; out y : INT; const TEST : BOOL := FALSE | y := 0; IF TEST AND a THEN y := 1; END_IF",
        "in a : ARRAY [1..3] OF INT; out y : INT; var i : INT | y := 0; FOR i := 1 TO 3 DO IF y < 5 THEN y := y + a[i]; END_IF END_FOR",
    ],
    "unreached-statement": [
        "in a : BOOL; out y : BOOL | y := a; IF a THEN RETURN; END_IF y := NOT a OR y;",
        "in a : ARRAY [1..3] OF INT; out y : INT; var i : INT | y := 0; FOR i := 1 TO 3 DO IF a[i] > 3 THEN EXIT; END_IF y := y + 1; END_FOR",
    ],
    "beyond-array": [
        "in a : ARRAY [0..4] OF INT; out y : INT; var i : INT | y := 0; FOR i := 0 TO 4 DO y := y + a[i]; END_FOR",
        "in a : ARRAY [1..4] OF INT; out y : INT; var i : INT | y := 0; FOR i := 0 TO 4 DO IF i > 0 THEN y := y + a[i]; END_IF END_FOR",
        "out y : ARRAY [1..4] OF INT; var i : INT | FOR i := 1 TO 3 DO y[i + 1] := i; END_FOR y[1] := 0;",
    ],
    "counter-after-loop": [
        "in a : ARRAY [1..4] OF INT; out n : INT; var i : INT | FOR i := 1 TO 4 DO IF a[i] > 0 THEN EXIT; END_IF END_FOR n := i;",
        "in a : ARRAY [1..4] OF INT; out n : INT; var i : INT | n := 0; FOR i := 1 TO 4 DO n := n + a[i]; END_FOR FOR i := 1 TO 2 DO n := n + a[i]; END_FOR",
    ],
    "read-too-early": [
        "in a : INT; out y : INT; temp t : INT | t := a; y := t + a;",
        "in a : INT; out y : INT; var t : INT | y := t + a; t := a;",
    ],
    "state-without-branch": [
        "TYPE Phase : (rest, work); END_TYPE FUNCTION_BLOCK B VAR_INPUT go : BOOL; END_VAR VAR_OUTPUT run : BOOL; END_VAR VAR state : Phase; END_VAR METHOD PRIVATE Late IF state = work AND NOT go THEN state := rest; END_IF END_METHOD CASE state OF rest: IF go THEN state := work; END_IF END_CASE Late(); run := state = work; END_FUNCTION_BLOCK",
        "TYPE Phase : (rest, work); END_TYPE\n"
        + source_of(
            "in go : BOOL; out run : BOOL; var state : Phase | CASE state OF rest: IF go THEN state := work; END_IF END_CASE IF state = work AND NOT go THEN state := rest; END_IF run := state = work;"
        ),
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 3; END_IF ELSE state := 0; END_CASE run := state = 3;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 15; END_IF 10..20: IF NOT go THEN state := 0; END_IF ELSE state := 0; END_CASE run := state = 15;",
    ],
    "state-never-entered": [
        "in go : BOOL; in first : INT; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := first; END_IF 1: IF NOT go THEN state := 0; END_IF 5: state := 0; ELSE state := 0; END_CASE run := state = 1;",
        "in go : BOOL; out run : BOOL; var state : INT := 5 | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 0; END_IF 5: state := 0; ELSE state := 0; END_CASE run := state = 1;",
    ],
    "state-never-left": [
        "in go, reset : BOOL; out run : BOOL; var state : INT | IF reset THEN state := 0; END_IF CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 2; END_IF 2: ; ELSE state := 0; END_CASE run := state = 1;",
        "in go : BOOL; out run : BOOL; var state : INT | CASE state OF 0, 3: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 3; END_IF ELSE state := 0; END_CASE run := state = 1;",
    ],
    "state-passed-over": [
        "in go, done : BOOL; out run : BOOL; var phase : INT | IF phase = 0 AND go THEN phase := 1; ELSIF phase = 1 THEN phase := 2; ELSIF phase = 2 AND done THEN phase := 0; END_IF run := phase > 0;",
        "in go, hurry : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 2; END_IF 2: state := 0; ELSE state := 0; END_CASE IF hurry AND state = 1 THEN state := 2; END_IF run := state = 1;",
        "in go, stop : BOOL; out run : BOOL; var state : INT | CASE state OF 0: IF go THEN state := 1; END_IF 1: IF NOT go THEN state := 0; END_IF ELSE state := 0; END_CASE IF stop THEN state := 0; END_IF run := state = 1;",
    ],
    "no-else": [
        "TYPE Phase : (rest, work); END_TYPE\n"
        + source_of(
            "in go : BOOL; out run : BOOL; var state : Phase | CASE state OF rest: IF go THEN state := work; END_IF work: IF NOT go THEN state := rest; END_IF END_CASE run := state = work;"
        ),
        "in n : INT; out y : INT | CASE n OF 1: y := 5; 2: y := 7; END_CASE",
    ],
    "step-left-at-once": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := Wash.T > T#5s; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: Turn(P1); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := TRUE; END_TRANSITION ACTION Turn: pump := NOT pump; END_ACTION"
        ),
    ],
    "step-without-action": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP STEP Gap: END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Gap := NOT go; END_TRANSITION TRANSITION FROM Gap TO Rest := Gap.T > T#5s; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := TRUE; END_TRANSITION TRANSITION FROM Wash TO Rest := go; END_TRANSITION"
        ),
    ],
    "never-clears": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := Wash.T > T#5s AND Wash.T < T#9s; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go OR Wash.T > T#9s; END_TRANSITION"
        ),
    ],
    "actions-fight": [
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: Left(N); END_STEP STEP Rinse: Right(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rinse := NOT go; END_TRANSITION TRANSITION FROM Rinse TO Rest := go; END_TRANSITION ACTION Left: pump := TRUE; END_ACTION ACTION Right: pump := go; END_ACTION"
        ),
        sequence(
            "INITIAL_STEP Rest: pump(R); END_STEP STEP Wash: pump(S); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go; END_TRANSITION"
        ),
        sequence(
            "INITIAL_STEP Rest: END_STEP STEP Wash: pump(N); END_STEP TRANSITION FROM Rest TO Wash := go; END_TRANSITION TRANSITION FROM Wash TO Rest := NOT go; END_TRANSITION"
        ),
    ],
    "copy-slip": [
        "in a1, a2, a3, b : BOOL; out y1, y2, y3 : BOOL | y1 := a1 AND NOT b;\ny2 := a2 AND NOT b;\ny3 := a3 AND NOT b;",
        "in north, south, wind : BOOL; out n, s : BOOL; out nl, sl : INT | IF north AND NOT wind THEN nl := 3; n := north; ELSE n := FALSE; nl := 0; END_IF IF south AND NOT wind THEN sl := 3; s := south; ELSE s := FALSE; sl := 0; END_IF",
        "in a : ARRAY [1..4] OF INT; out y1, y2, y3 : INT | y1 := a[1] + a[2];\ny2 := a[2] + a[3];\ny3 := a[3] + a[4];",
    ],
    "equal-reals": [
        "in a, b : REAL; out y : BOOL | y := ABS(a - b) < 0.01;",
        "in aim : REAL; out moved : BOOL; var old : REAL | moved := aim <> old; old := aim;",
        "in raw : REAL; out y : BOOL | y := raw <> LIMIT(0.0, raw, 100.0);",
        "in raw : REAL; out y : BOOL; var kept : REAL | kept := LIMIT(0.0, raw, 100.0); y := kept = raw;",
        "in slow, fast : REAL; in go : BOOL; out y : BOOL; var speed : REAL | IF go THEN speed := slow; ELSE speed := fast; END_IF y := speed = fast;",
        "in go : BOOL; out y : BOOL; var speed : REAL | speed := SEL(go, 20.5, 30.0); y := speed = 20.5;",
        "in a : REAL; out y : REAL | y := 0.0; IF a <> 0.0 THEN y := 1.0 / a; END_IF",
        "in a : INT; out y : BOOL | y := a = 3;",
    ],
    "whole-division": [
        "in a, b : INT; out y : REAL | y := INT_TO_REAL(a) / INT_TO_REAL(b);",
        "in a, b : INT; out y : INT | y := a / b;",
    ],
    "late-widening": [
        "in a, b : INT; out y : DINT | y := INT_TO_DINT(a) * b;",
        "in a : INT (0..100); out y : DINT | y := a * INT#300;",
        "in a, b : INT; out y : INT | y := a * b;",
    ],
}
